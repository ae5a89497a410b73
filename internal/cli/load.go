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

	"pikegate/internal/core/english"
	"pikegate/internal/load"
)

const loadHelp = `Load a CSV, XLSX, JSON or NDJSON file into a table of the service's embedded records,
in one transaction: all of it or nothing. The end of the file's name tells what it is.
The first line names the columns; of JSON the members do. What parts the fields, and
what the columns are, is guessed from the first rows: --dry-run shows it and writes
nothing.

Dates that can be read two ways are not guessed: --dates says how a column has them, by
a pattern or as yyyymmdd, serial-days, epoch-seconds or epoch-milliseconds. They are
written to the table as yyyy-MM-dd, local times as yyyy-MM-dd HH:mm:ss, instants with a
T and a Z, however the file has them. --numbers says how a column would write 1234.56:
"fare=1.234,56", "price=$1,234.56". An empty field is a missing value.

A table that is there already is not touched unless --mode says what becomes of its
records. A row that does not fit stops the load. With --refused such rows go to a file of
their own, each with its line and the reason, and the others are loaded, unless more
than 10,000 rows do not fit. A last row that looks like totals stops the load until
--totals says whether to keep it or to skip it. A file without a key gets one by
--row-number.`

func newLoad() *cobra.Command {
	var req load.Request
	var mode, totals, refused, output string
	c := &cobra.Command{
		Use:   "load FILE",
		Short: "Load a CSV, XLSX or JSON file into a table of the embedded records",
		Long:  loadHelp,
		Example: `  pikegate load claims.csv --as old_claims --dry-run
  pikegate load claims.csv --as old_claims --key claim_id --refused refused.csv
  pikegate load more.xlsx --as old_claims --mode update --key claim_id
  pikegate load fares.csv --as fares --row-number id --numbers "fare=1.234,56" --totals skip`,
		Args: arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			if req.Table == "" {
				return fail(exitUsage, "name the table by --as")
			}
			f, err := os.Open(args[0])
			if err != nil {
				return fail(exitUsage, "%w", err)
			}
			defer f.Close()
			query := loadQuery(req, formatOf(args[0]), mode, totals, refused != "")
			var report load.Report
			if err := client.json(c.Context(), http.MethodPost, loadPath(req.Table)+"?"+query.Encode(), watched(c.ErrOrStderr(), f), &report); err != nil {
				return err
			}
			if refused != "" && !req.Dry {
				if err := writeFile(refused, readable, func(w io.Writer) error { return writeRefused(w, report) }); err != nil {
					return fail(exitFailed, "%w", err)
				}
			}
			return say(c.OutOrStdout(), output, report, func(w io.Writer) { tellLoad(w, req, report, refused) })
		}),
	}
	f := c.Flags()
	f.StringVar(&req.Table, "as", "", "the table")
	wordFlag(c, &mode, "mode", string(load.New), load.Modes, "what becomes of the records of a table that is there, where update replaces those of the same key")
	f.StringSliceVar(&req.Key, "key", nil, "the columns that tell one record from every other, parted by commas")
	f.StringVar(&req.Sheet, "sheet", "", "the sheet of an XLSX file; its first where absent")
	f.StringArrayVar(&req.Dates, "dates", nil, "how the dates of a column are written, COLUMN=FORM, such as opened=d/M/yyyy; repeat it for more")
	f.StringArrayVar(&req.Numbers, "numbers", nil, "how a column would write 1234.56, COLUMN=FORM, such as fare=1.234,56; repeat it for more")
	f.StringSliceVar(&req.Exact, "exact", nil, "columns of decimals to hold with any number of digits, parted by commas")
	f.StringVar(&req.RowNumber, "row-number", "", "a column to add that counts the rows, as a key")
	wordFlag(c, &totals, "totals", "", []load.Totals{load.KeepTotals, load.SkipTotals}, "what becomes of a last row that looks like totals")
	f.BoolVar(&req.Dry, "dry-run", false, "show what the file is taken for and write nothing")
	f.StringVar(&refused, "refused", "", "a file for the rows that do not fit; without it, one of them stops the load")
	outputFlag(c, &output)
	serverFlag(c)
	return c
}

// loadQuery is what the service is told of a file beside its bytes.
func loadQuery(req load.Request, format load.Format, mode, totals string, refuse bool) url.Values {
	query := url.Values{"mode": {mode}, "format": {string(format)}, "key": req.Key, "dates": req.Dates, "numbers": req.Numbers, "exact": req.Exact}
	for name, value := range map[string]string{"sheet": req.Sheet, "row_number": req.RowNumber, "totals": totals} {
		if value != "" {
			query.Set(name, value)
		}
	}
	if req.Dry {
		query.Set("dry", "true")
	}
	if refuse {
		query.Set("refuse", strconv.Itoa(load.MostRefused))
	}
	return query
}

// formatOf tells by its name how a file is written.
func formatOf(path string) load.Format {
	switch strings.ToLower(filepath.Ext(path)) {
	case ".xlsx", ".xlsm":
		return load.XLSX
	case ".json":
		return load.JSON
	case ".ndjson", ".jsonl":
		return load.NDJSON
	}
	return load.CSV
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

// writeRefused writes the rows that were refused.
func writeRefused(to io.Writer, report load.Report) error {
	w := csv.NewWriter(to)
	w.UseCRLF = true
	head := []string{"line", "reason"}
	for _, c := range report.Columns {
		if !c.Added {
			head = append(head, c.Name)
		}
	}
	err := w.Write(head)
	for _, r := range report.Refused {
		err = errors.Join(err, w.Write(append([]string{strconv.Itoa(r.Line), r.Reason}, r.Fields...)))
	}
	w.Flush()
	return errors.Join(err, w.Error())
}

func tellLoad(w io.Writer, req load.Request, r load.Report, refused string) {
	fmt.Fprintf(w, "%s\n\nCOLUMN\tTYPE\tWRITTEN\n", r.Dialect)
	for _, c := range r.Columns {
		kind := c.Type
		if c.Scale > 0 {
			kind += fmt.Sprintf(" (%d)", c.Scale)
		}
		if c.Exact {
			kind += ", as text"
		}
		written := c.Written
		if c.Added {
			written = "counted"
		}
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
	for i, note := range r.Notes {
		if i == 0 {
			fmt.Fprintln(w)
		}
		fmt.Fprintf(w, "Note: %s\n", note)
	}
	if req.Dry {
		fmt.Fprintf(w, "\n%s read, %d would be refused; nothing was written\n", english.Count(int(r.Read), "row"), r.Refusals)
		return
	}
	fmt.Fprintf(w, "\n%s read, %d loaded into %s", english.Count(int(r.Read), "row"), r.Loaded, req.Table)
	if r.Replaced > 0 {
		fmt.Fprintf(w, " (%d added, %d replaced)", r.Added, r.Replaced)
	}
	if r.Refusals > 0 {
		fmt.Fprintf(w, ", %d refused: %s", r.Refusals, refused)
	}
	fmt.Fprintln(w)
}
