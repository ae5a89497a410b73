package cli

import (
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"pikegate/internal/load"
)

func newLoad() *cobra.Command {
	var req load.Request
	var mode, refused, output string
	c := &cobra.Command{
		Use:   "load FILE",
		Short: "Load a CSV or XLSX file into a table of the embedded records",
		Long: `Load a CSV or XLSX file into a table of the service's embedded records, in one
transaction: all of it or nothing. The first line names the columns. What parts the
fields, and what the columns are, is guessed from the first rows: --dry-run shows it
and writes nothing. Dates that can be read two ways are not guessed: --dates says how a column
has them. Dates are written to the table as yyyy-MM-dd or yyyy-MM-dd
HH:mm:ss, however the file has them, the serial days of spreadsheets included; an
empty field is a missing value.

A table that is there already is not touched unless --mode says what becomes of its
records. A row that does not fit stops the load. With --refused such rows go to a file of
their own, each with its line and the reason, and the others are loaded.`,
		Example: `  pikegate load claims.csv --as old_claims --dry-run
  pikegate load claims.csv --as old_claims --key claim_id --refused refused.csv
  pikegate load more.xlsx --as old_claims --mode update --key claim_id`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			client, err := newClient(c)
			if err != nil {
				return err
			}
			if req.Table == "" {
				return fail(exitUsage, "name the table by --as")
			}
			f, err := os.Open(args[0])
			if err != nil {
				return fail(exitUsage, "%w", err)
			}
			defer f.Close()
			query := url.Values{"mode": {mode}, "format": {"csv"}}
			if strings.EqualFold(filepath.Ext(args[0]), ".xlsx") {
				query.Set("format", "xlsx")
			}
			for _, k := range req.Key {
				query.Add("key", k)
			}
			for _, d := range req.Dates {
				query.Add("dates", d)
			}
			if req.Sheet != "" {
				query.Set("sheet", req.Sheet)
			}
			if req.Dry {
				query.Set("dry", "true")
			}
			if refused != "" || req.Dry {
				query.Set("refuse", strconv.Itoa(1<<31-1))
			}
			var report load.Report
			if err := client.json(c.Context(), http.MethodPost, "/loads/"+url.PathEscape(req.Table)+"?"+query.Encode(), watched(c.ErrOrStderr(), f), &report); err != nil {
				return err
			}
			if refused != "" && !req.Dry {
				if err := writeRefused(refused, report); err != nil {
					return fail(exitFailed, "%w", err)
				}
			}
			return say(c.OutOrStdout(), output, report, func(w io.Writer) { tellLoad(w, req, report, refused) })
		},
	}
	f := c.Flags()
	f.StringVar(&req.Table, "as", "", "the table")
	f.StringVar(&mode, "mode", string(load.New), "what becomes of the records of a table that is there: replace, append, or update (those of the same key)")
	f.StringSliceVar(&req.Key, "key", nil, "the columns that tell one record from every other, parted by commas")
	f.StringVar(&req.Sheet, "sheet", "", "the sheet of an XLSX file; its first where absent")
	f.StringSliceVar(&req.Dates, "dates", nil, "how the dates of a column are written, COLUMN=PATTERN, such as opened=d/M/yyyy")
	f.BoolVar(&req.Dry, "dry-run", false, "show what the file is taken for and write nothing")
	f.StringVar(&refused, "refused", "", "a file for the rows that do not fit; without it, one of them stops the load")
	f.StringVar(&output, "output", "text", "format: text or json")
	serverFlag(c)
	return c
}

// watched shows on a terminal how much of a file is sent.
func watched(to io.Writer, f *os.File) io.Reader {
	info, err := f.Stat()
	terminal, ok := to.(*os.File)
	if err != nil || !ok || !term.IsTerminal(int(terminal.Fd())) {
		return struct{ io.Reader }{f} // without its length, so that it is sent as it is read
	}
	bar := progressbar.NewOptions64(info.Size(), progressbar.OptionSetWriter(to), progressbar.OptionShowBytes(true), progressbar.OptionClearOnFinish(), progressbar.OptionSetDescription("loading"))
	reader := progressbar.NewReader(f, bar)
	return &reader
}

// writeRefused writes the rows that were refused, under a temporary name until they
// are all there.
func writeRefused(path string, report load.Report) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".refused-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	w := csv.NewWriter(f)
	w.UseCRLF = true
	head := []string{"line", "reason"}
	for _, c := range report.Columns {
		head = append(head, c.Name)
	}
	err = w.Write(head)
	for _, r := range report.Refused {
		err = errors.Join(err, w.Write(append([]string{strconv.Itoa(r.Line), r.Reason}, r.Fields...)))
	}
	w.Flush()
	if err := errors.Join(err, w.Error(), f.Close()); err != nil {
		return err
	}
	return os.Rename(f.Name(), path)
}

func tellLoad(w io.Writer, req load.Request, r load.Report, refused string) {
	fmt.Fprintf(w, "%s\n\nCOLUMN\tTYPE\tWRITTEN\n", r.Dialect)
	for _, c := range r.Columns {
		kind := c.Type
		if c.Scale > 0 {
			kind += fmt.Sprintf(" (%d)", c.Scale)
		}
		written := c.Written
		if c.Or != "" {
			written += " or " + c.Or
		}
		if c.Share < 1 {
			written += fmt.Sprintf(" (%.1f %% fit)", 100*c.Share)
		}
		fmt.Fprintf(w, "%s\t%s\t%s\n", c.Name, kind, written)
	}
	fmt.Fprintln(w)
	for _, c := range r.Columns {
		fmt.Fprintf(w, "%s\t", c.Name)
	}
	fmt.Fprintln(w)
	for _, row := range r.Sample {
		for _, v := range row {
			fmt.Fprintf(w, "%s\t", short(v))
		}
		fmt.Fprintln(w)
	}
	told := fmt.Sprintf("%d rows", r.Read)
	if req.Dry {
		fmt.Fprintf(w, "\n%s read, %d would be refused; nothing was written\n", told, len(r.Refused))
		return
	}
	fmt.Fprintf(w, "\n%s read, %d loaded into %s", told, r.Loaded, req.Table)
	if len(r.Refused) > 0 {
		fmt.Fprintf(w, ", %d refused: %s", len(r.Refused), refused)
	}
	fmt.Fprintln(w)
}
