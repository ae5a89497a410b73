package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strconv"
	"strings"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/service/counts"
)

func newSource() *cobra.Command {
	return group("source", "Look at the databases of business records", newInspect(), newCounts())
}

func newInspect() *cobra.Command {
	var output string
	var whole bool
	c := &cobra.Command{
		Use:   "inspect SOURCE [TABLE]",
		Short: "List the tables of a source, or tell what a table holds",
		Long: `List the tables of a source, or tell what a table holds: its columns with their
least and greatest values, how many are missing or different, how its dates seem to
be stored and how sure that is, its key, its indexes, and some records. Of a large
table a sample is looked at, from both ends of its key, and the figures are the
sample's; --whole counts them over all records.`,
		Example: "  pikegate source inspect harbour\n  pikegate source inspect harbour sailings\n  pikegate source inspect harbour bookings --whole",
		Args:    arity(1, 2),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			if len(args) == 1 {
				var names api.TableNames
				if err := client.json(c.Context(), http.MethodGet, tablePath(args), nil, &names); err != nil {
					return err
				}
				return say(c.OutOrStdout(), output, names, func(w io.Writer) {
					for _, t := range names.Tables {
						fmt.Fprintf(w, "%s\t%s\n", t.Name, t.Kind)
					}
				})
			}
			var info api.TableInfo
			if err := client.json(c.Context(), http.MethodGet, tablePath(args)+"?whole="+strconv.FormatBool(whole), nil, &info); err != nil {
				return err
			}
			return say(c.OutOrStdout(), output, info, func(w io.Writer) { describe(w, info) })
		}),
	}
	outputFlag(c, &output)
	c.Flags().BoolVar(&whole, "whole", false, "count the figures of a large table over all its records")
	serverFlag(c)
	return c
}

func newCounts() *cobra.Command {
	var output string
	var again bool
	c := &cobra.Command{
		Use:   "counts SOURCE",
		Short: "Tell what is known of the records of large tables by day",
		Long: `Tell what is known of the records of a source by day. Of a table of more than 200,000
records the service keeps how many each day has: what lies outside a report's period,
histograms and the count before a run are told from it, with the time at which it was
counted. It is counted in the background; --again counts all of it now.`,
		Example: "  pikegate source counts harbour\n  pikegate source counts harbour --again",
		Args:    arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			method := http.MethodGet
			if again {
				method = http.MethodPost
			}
			var list api.CountList
			if err := client.json(c.Context(), method, "/sources/"+url.PathEscape(args[0])+"/counts", nil, &list); err != nil {
				return err
			}
			return say(c.OutOrStdout(), output, list, func(w io.Writer) {
				if len(list.Counts) == 0 {
					fmt.Fprintln(w, "No report asks for days of this source.")
				}
				for _, n := range list.Counts {
					fmt.Fprintln(w, countLine(n))
				}
			})
		}),
	}
	outputFlag(c, &output)
	c.Flags().BoolVar(&again, "again", false, "count all records of the large tables now, and wait for it")
	serverFlag(c)
	return c
}

// countLine is what is known of the records of one dataset, in columns.
func countLine(n counts.DayCounts) string {
	line := n.Dataset + "\t" + n.Column + "\t" + string(n.State)
	switch {
	case n.State == counts.Small:
		return line + "\tcounted whenever somebody asks"
	case n.Records != nil && n.First != nil:
		line += fmt.Sprintf("\t%d records, %s through %s, %d without a date, %d unreadable", *n.Records, n.First.Plain(), n.Last.Plain(), *n.Missing, *n.Unreadable)
		const minute = "2006-01-02 15:04 MST"
		whole, oldest := n.CountedAt.Format(minute), n.Oldest.Format(minute)
		if line += "\tcounted " + whole; oldest < whole {
			line += ", some of it " + oldest
		}
	case n.Share > 0:
		line += fmt.Sprintf("\t%.0f %% of the days", 100*n.Share)
	}
	if n.Problem != "" {
		line += "\t" + n.Problem
	}
	return line
}

// tablePath is the path of a source's tables, or of one of them.
func tablePath(args []string) string {
	path := "/sources/" + url.PathEscape(args[0]) + "/tables"
	if len(args) > 1 {
		path += "/" + url.PathEscape(args[1])
	}
	return path
}

// say prints a value as JSON, or as text in columns.
func say(to io.Writer, output string, value any, text func(io.Writer)) error {
	if output == "json" {
		e := json.NewEncoder(to)
		e.SetEscapeHTML(false)
		return e.Encode(value)
	}
	w := tabwriter.NewWriter(to, 0, 0, 2, ' ', 0)
	text(w)
	return w.Flush()
}

// seemsToBe says what a column seems to be, with the other reading where there are two.
func seemsToBe(c api.ColumnInfo) string {
	seems := c.Type
	if c.OrType != "" {
		seems += " or " + c.OrType
	}
	if c.Scale > 0 {
		seems += fmt.Sprintf(" (%d)", c.Scale)
	}
	if c.Stored != "" {
		seems += ", " + c.Stored + " " + c.Pattern
	}
	if c.OrPattern != "" {
		seems += " or " + c.OrPattern
	}
	if c.Share < 1 {
		seems += fmt.Sprintf(" (%.1f %%)", 100*c.Share)
	}
	return strings.TrimSpace(seems)
}

func describe(w io.Writer, t api.TableInfo) {
	of := ""
	switch {
	case t.Sampled:
		of = " IN SAMPLE"
		fmt.Fprintf(w, "%s, about %d records; the figures are of a sample of %d from both ends of the key, --whole counts all\n", t.Table, t.About, t.LookedAt)
	default:
		fmt.Fprintf(w, "%s, %d records\n", t.Table, t.LookedAt)
	}
	key := "none that the database names"
	if len(t.Key) > 0 {
		key = strings.Join(t.Key, ", ")
	}
	fmt.Fprintf(w, "key: %s\n\n", key)
	fmt.Fprintf(w, "COLUMN\tTYPE\tMISSING%[1]s\tDIFFERENT%[1]s\tLEAST%[1]s\tGREATEST%[1]s\tSEEMS TO BE\n", of)
	for _, c := range t.Columns {
		fmt.Fprintf(w, "%s\t%s\t%d\t%d\t%s\t%s\t%s\n", c.Name, c.DatabaseType, c.Missing, c.Distinct, short(c.Least), short(c.Greatest), seemsToBe(c))
	}
	for i, index := range t.Indexes {
		if i == 0 {
			fmt.Fprintln(w)
		}
		unique := ""
		if index.Unique {
			unique = ", unique"
		}
		fmt.Fprintf(w, "index %s: %s%s\n", index.Name, strings.Join(index.Columns, ", "), unique)
	}
	for i, row := range t.Rows {
		if i == 0 {
			fmt.Fprintln(w)
			for _, c := range t.Columns {
				fmt.Fprintf(w, "%s\t", c.Name)
			}
			fmt.Fprintln(w)
		}
		for _, v := range row {
			if v == nil {
				fmt.Fprint(w, "-\t")
			} else {
				fmt.Fprintf(w, "%s\t", short(*v))
			}
		}
		fmt.Fprintln(w)
	}
}

// short is a value that fits beside others.
func short(text string) string {
	const most = 24
	text = strings.Map(func(r rune) rune {
		if r < ' ' {
			return ' '
		}
		return r
	}, text)
	if r := []rune(text); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return text
}

func newDataset() *cobra.Command {
	return group("dataset", "Describe tables", newPropose())
}

func newPropose() *cobra.Command {
	var to string
	c := &cobra.Command{
		Use:   "propose SOURCE TABLE",
		Short: "Write the definition of a dataset on a table",
		Long: `Write the definition of a dataset on a table, as the table and its records show it.
Read it, mend what is not sure, and put it.`,
		Example: "  pikegate dataset propose harbour sailings\n  pikegate dataset propose harbour sailings --to sailings.yaml",
		Args:    arity(2, 2),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			var info api.TableInfo
			if err := client.json(c.Context(), http.MethodGet, tablePath(args), nil, &info); err != nil {
				return err
			}
			if to == "" {
				_, err := fmt.Fprint(c.OutOrStdout(), info.Proposal)
				return err
			}
			f, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
			if err != nil {
				return fail(exitUsage, "%w; name a file that is not there yet", err)
			}
			if _, err := f.WriteString(info.Proposal); err != nil {
				return fail(exitFailed, "%w", err)
			}
			return f.Close()
		}),
	}
	c.Flags().StringVar(&to, "to", "", "a file to write; standard output where absent")
	serverFlag(c)
	return c
}
