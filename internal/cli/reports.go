package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
)

func newReports() *cobra.Command {
	c := &cobra.Command{
		Use:               "reports [WORD...]",
		Short:             "List the reports, by shelf",
		Example:           "  pikegate reports\n  pikegate reports late",
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE: calling(func(c *cobra.Command, client *client, words []string) error {
			found, err := client.reports(c.Context(), strings.Join(words, " "))
			if err != nil {
				return err
			}
			switch {
			case len(found) == 0 && len(words) == 0:
				fmt.Fprintln(c.ErrOrStderr(), "no reports yet; put a file of definitions with pikegate put, or try the demo with pikegate demo")
			case len(found) == 0:
				fmt.Fprintf(c.ErrOrStderr(), "no report holds the words %q; pikegate reports lists all\n", strings.Join(words, " "))
			}
			listReports(c.OutOrStdout(), found)
			return nil
		}),
	}
	serverFlag(c)
	return c
}

func listReports(w io.Writer, reports []api.ReportSummary) {
	width := 0
	for _, r := range reports {
		width = max(width, len(r.Name))
	}
	for i, r := range reports {
		if i == 0 || r.Shelf != reports[i-1].Shelf {
			if i > 0 {
				fmt.Fprintln(w)
			}
			shelf := r.Shelf
			if shelf == "" {
				shelf = "On no shelf"
			}
			fmt.Fprintln(w, shelf)
		}
		fmt.Fprintf(w, "  %-*s  %s\n", width, r.Name, strings.TrimSuffix(r.Title+". "+r.About, ". "))
	}
}
