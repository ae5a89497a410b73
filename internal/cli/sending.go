package cli

import (
	"io"
	"net/http"
	"net/url"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/export"
)

// files are formats that are of use as a file only.
var files = map[export.Format]string{export.XLSX: "workbook", export.PDF: "PDF"}

// sending is where the records of a run go, and in what format.
type sending struct {
	output, to string
	section    int
	csv        map[string]string // how CSV is to be, by flag
}

// csvFlags are the flags that say how CSV is to be.
var csvFlags = []string{"safe", "mark", "separator", "decimal", "dates"}

func (s *sending) flags(c *cobra.Command) {
	wordFlag(c, &s.output, "output", "table", outputs, "format")
	c.Flags().IntVar(&s.section, "section", 0, "the number of the section that alone is wanted, from 1; CSV and NDJSON have room for one, and take the only table without it")
	c.Flags().Bool("safe", false, "of CSV: write what no spreadsheet program takes for a formula; without it CSV is true to the data")
	c.Flags().Bool("mark", false, "of CSV: begin with a byte-order mark, by which some spreadsheet programs know UTF-8")
	var separators []string
	for _, sign := range export.Separators {
		separators = append(separators, sign.Name)
	}
	wordFlag(c, new(string), "separator", "comma", separators, "of CSV: what stands between fields")
	wordFlag(c, new(string), "decimal", "point", []string{"point", "comma"}, "of CSV: what stands in numbers before the fraction")
	c.Flags().String("dates", "", "of CSV: a pattern such as dd.MM.yyyy for the days; times follow as clocks showed them (default ISO 8601)")
	c.Flags().StringVar(&s.to, "to", "", "file to write to, in place of standard output; it appears when it is whole")
}

// check takes the flags of CSV, and refuses those that do not go together.
func (s *sending) check(c *cobra.Command) error {
	s.csv = map[string]string{}
	for _, name := range csvFlags {
		if f := c.Flags().Lookup(name); f.Changed {
			s.csv[name] = f.Value.String()
		}
		if s.csv[name] != "" && s.output != string(export.CSV) {
			return fail(exitUsage, "%s: it says something of CSV; say --output csv too", name)
		}
	}
	return nil
}

// calling makes what a command does of what it does with a client, once its flags are checked.
func (s *sending) calling(use func(c *cobra.Command, client *client, args []string) error) func(*cobra.Command, []string) error {
	return func(c *cobra.Command, args []string) error {
		if err := s.check(c); err != nil {
			return err
		}
		return calling(use)(c, args)
	}
}

// send runs a report and writes its records to a file or standard output.
func (s *sending) send(c *cobra.Command, client *client, report string, asked api.RunRequest) error {
	format := export.Format(s.output)
	if s.output == tableOutput {
		format = export.JSON
	}
	if what := files[format]; what != "" && s.to == "" && isTerminal(c.OutOrStdout()) {
		return fail(exitUsage, "a %s is nothing for a terminal; say --to FILE, such as --to %s.%s", what, report, format)
	}
	asked.Follow = len(asked.Files) == 0 && isTerminal(c.ErrOrStderr())
	query := url.Values{"output": {string(format)}}
	for name, value := range s.csv {
		query.Set(name, value)
	}
	path := sectionPath(reportPath(report)+"/runs?"+query.Encode(), "&", s.section)
	answer, err := client.call(c.Context(), http.MethodPost, path, asked, export.MediaTypes[format])
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	link := answer.Header.Get("Link")
	body := io.Reader(answer.Body)
	if asked.Follow {
		body = client.follow(c.Context(), body, link, c.ErrOrStderr())
	}
	on := screen{}
	if s.to == "" {
		on = screenOf(c.OutOrStdout())
	}
	write := func(w io.Writer) error {
		if s.output == tableOutput {
			return writeTable(body, w, on)
		}
		_, err := io.Copy(w, body)
		return err
	}
	switch {
	case s.to == "" && s.output == tableOutput:
		err = paged(c.OutOrStdout(), write)
	case s.to == "":
		err = write(c.OutOrStdout())
	default:
		err = writeFile(s.to, readable, write)
	}
	if err == nil && s.output != tableOutput {
		return client.readAgain(c, asked.Of, link)
	}
	return client.broken(c.Context(), err, s.to, link)
}
