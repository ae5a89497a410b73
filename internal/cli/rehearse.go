package cli

import (
	"fmt"
	"io"
	"net/http"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/service/author"
)

func newRehearse() *cobra.Command {
	var asOf, with []string
	var output string
	c := &cobra.Command{
		Use:   "rehearse REPORT",
		Short: "Show what each phrase of a report means on telling days",
		Long: `Show what each phrase of a report means, its defaults, offered periods, limits and
fixed conditions, on ends and starts of months and years, a leap day, and the days on
which clocks change; or on days that you name. Nothing is run.`,
		Example: `  pikegate rehearse late-sailings
  pikegate rehearse late-sailings --as-of 2027-01-01 --with drafts`,
		Args:              arity(1, 1),
		ValidArgsFunction: completeReports,
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			files, err := definitionFiles(with)
			if err != nil {
				return err
			}
			var r author.Rehearsal
			if err := client.json(c.Context(), http.MethodPost, reportPath(args[0])+"/rehearsal", api.RehearsalRequest{Files: files, AsOf: asOf}, &r); err != nil {
				return err
			}
			return printed(c, output, r, func() { sayRehearsal(c.OutOrStdout(), &r) })
		}),
	}
	serverFlag(c)
	c.Flags().StringArrayVar(&asOf, "as-of", nil, "a day to take for today; repeat it for more")
	c.Flags().StringArrayVar(&with, "with", nil, "a file or directory of definitions to try that are not published; repeat it for more")
	outputFlag(c, &output)
	return c
}

func sayRehearsal(w io.Writer, r *author.Rehearsal) {
	if len(r.Phrases) == 0 {
		fmt.Fprintln(w, "This report has no phrases: its days stand fast.")
	}
	width := 0
	for _, d := range r.Days {
		width = max(width, len(d.Why))
	}
	for i, p := range r.Phrases {
		if i > 0 {
			fmt.Fprintln(w)
		}
		fmt.Fprintf(w, "%s, %s\n", p.Phrase, p.Where)
		for j, m := range p.Means {
			meaning := m.Spelled
			if m.Refused != "" {
				meaning = "refused: " + m.Refused
			}
			fmt.Fprintf(w, "  %-15s  %-*s  %s\n", r.Days[j].Spelled, width, r.Days[j].Why, meaning)
		}
	}
}
