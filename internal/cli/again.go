package cli

import (
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/english"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
)

func newAgain() *cobra.Command {
	var asOf, output string
	c := &cobra.Command{
		Use:   "again NUMBER",
		Short: "Run what a receipt tells of again, and show what differs",
		Long: `Run what a receipt tells of again, and show which records were gained, lost and
changed. It runs as it was: the same answers, as-of day and revisions. With --as-of
it runs as of that day, by the definitions of now.`,
		Example: `  pikegate again 1042
  pikegate again 1042 --as-of today`,
		Args: arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			id, err := receiptNumber(args[0])
			if err != nil {
				return err
			}
			var found run.Comparison
			if err := client.json(c.Context(), http.MethodPost, fmt.Sprintf("/receipts/%d/again", id), api.AgainRequest{AsOf: asOf}, &found); err != nil {
				return err
			}
			return printed(c, output, found, func() { sayComparison(c.OutOrStdout(), &found) })
		}),
	}
	serverFlag(c)
	c.Flags().StringVar(&asOf, "as-of", "", "the day to take for today")
	outputFlag(c, &output)
	return c
}

func sayComparison(w io.Writer, c *run.Comparison) {
	for _, r := range []*receipt.Receipt{&c.Before, &c.After} {
		fmt.Fprintf(w, "Receipt %d, %s, as of %s: %s. %s\n", r.ID, r.StartedAt.Format("2006-01-02 15:04:05 MST"), r.AsOf.Spelled(), recordsOf(r), r.ReadBack)
	}
	switch {
	case c.Same:
		fmt.Fprintln(w, "The same, row by row, in the same order.")
		return
	case c.NotByRows != "":
		fmt.Fprintln(w, c.NotByRows)
	default:
		sayDiffering(w, "", c.Key, "record", c.Gained, c.Lost, c.Changed)
	}
	for _, s := range c.Sections {
		name := fmt.Sprintf("Section %d, %s: ", s.Section, s.Label)
		switch {
		case s.Section == c.After.Main:
		case !s.Known:
			fmt.Fprintf(w, "%snot compared, since not all rows are known.\n", name)
		case s.Same:
			fmt.Fprintf(w, "%sthe same.\n", name)
		case s.Gained == nil:
			fmt.Fprintf(w, "%snot the same.\n", name)
		default:
			sayDiffering(w, name, s.Key, "row", s.Gained, s.Lost, s.Changed)
		}
	}
}

// sayDiffering says how many rows differ, and which.
func sayDiffering(w io.Writer, of string, key []string, what string, gained, lost, changed *receipt.Differing) {
	for _, d := range []struct {
		word string
		rows *receipt.Differing
	}{{"Gained", gained}, {"Lost", lost}, {"Changed", changed}} {
		word := d.word
		if of != "" {
			word = english.Within(word)
		}
		fmt.Fprintf(w, "%s%s: %s%s\n", of, word, english.Count(d.rows.Records, what), keysOf(key, d.rows))
	}
}

// keysOf names the records that differ, as far as they are told.
func keysOf(labels []string, d *receipt.Differing) string {
	if d.Records == 0 {
		return ""
	}
	keys := make([]string, len(d.Keys))
	for i, key := range d.Keys {
		keys[i] = strings.Join(key, " / ")
	}
	text := fmt.Sprintf(": %s %s", strings.Join(labels, " / "), strings.Join(keys, ", "))
	if d.Records > len(keys) {
		text += " and more"
	}
	return text
}
