package cli

import (
	"fmt"
	"io"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/english"
	"pikegate/internal/service/answer"
)

func newExplain() *cobra.Command {
	var given []string
	var asOf, output string
	var section int
	c := &cobra.Command{
		Use:   "explain REPORT",
		Short: "Show what a run would be: in words, as SQL with its values, and how the database would go about it",
		Long:  "Show what a run would be: in words, as SQL with its values, and how the database\nwould go about it. No records are read.",
		Example: `  pikegate explain late-sailings
  pikegate explain late-sailings --answer "travel-period=last week"`,
		Args:              arity(1, 1),
		ValidArgsFunction: completeReports,
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			answers, err := parseAnswers(given)
			if err != nil {
				return err
			}
			var e answer.Explanation
			if err := client.json(c.Context(), http.MethodPost, sectionPath(reportPath(args[0])+"/explanation", "?", section), api.Asked{Answers: answers, AsOf: asOf}, &e); err != nil {
				return err
			}
			return printed(c, output, e, func() { sayExplanation(c.OutOrStdout(), &e) })
		}),
	}
	serverFlag(c)
	answerFlags(c, &given, &asOf)
	c.Flags().IntVar(&section, "section", 0, "the number of the section, from 1; the main one where it is left out")
	outputFlag(c, &output)
	return c
}

func sayExplanation(w io.Writer, e *answer.Explanation) {
	fmt.Fprintf(w, "%s\n\n  %s\n", e.ReadBack, indented(e.SQL, "  "))
	sayValues(w, e.Values)
	fmt.Fprintf(w, "\nHow %s (%s) would go about it:\n", e.Source, e.Engine)
	for _, line := range e.Plan {
		fmt.Fprintf(w, "  %s\n", line)
	}
	switch {
	case len(e.Indexes) == 0:
		fmt.Fprintln(w, "No index is used.")
	case e.ReadsWholeTable:
		fmt.Fprintf(w, "Index used: %s; and some table is read whole.\n", strings.Join(e.Indexes, ", "))
	default:
		fmt.Fprintf(w, "Index used: %s.\n", strings.Join(e.Indexes, ", "))
	}
	if e.Reads != nil {
		fmt.Fprintf(w, "About %s would be read.\n", english.Count(int(*e.Reads), "record"))
	}
}
