package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/service/answer"
)

func newAsk() *cobra.Command {
	var asOf, output string
	var run bool
	c := &cobra.Command{
		Use:   "ask TEXT",
		Short: "Read a line: which report it means, and which answers stand in it",
		Long: `Read a line such as "late sailings last month outer loop": the report that it means,
and the answers in it, each with what was understood. Words that were not understood are
told. Nothing is run without --run. Where several reports fit alike, or none does,
the exit code is 3.`,
		Example: `  pikegate ask "late sailings last month outer loop"
  pikegate ask "late sailings over 30 minutes yesterday" --run`,
		Args: arity(1, 1),
		RunE: func(c *cobra.Command, args []string) error {
			client, err := newClient(c)
			if err != nil {
				return err
			}
			var line answer.Line
			if err := client.json(c.Context(), http.MethodPost, "/line", api.LineText{Text: args[0], AsOf: asOf}, &line); err != nil {
				return err
			}
			if output == "json" {
				if err := json.NewEncoder(c.OutOrStdout()).Encode(&line); err != nil {
					return err
				}
			} else {
				sayLine(c.OutOrStdout(), &line)
			}
			switch {
			case line.Report == "" && len(line.Fits) > 0:
				return fail(exitAnswers, "several reports fit alike; name one by more words of its title")
			case line.Report == "":
				return fail(exitAnswers, "no report is named here; pikegate reports lists them")
			case !run:
				return nil
			}
			asked := api.RunRequest{Asked: api.Asked{Answers: line.Answers, AsOf: asOf}, Evidence: wantedEvidence("", tableOutput)}
			return (&sending{output: tableOutput}).send(c, client, line.Report, asked)
		},
	}
	serverFlag(c)
	outputFlag(c, &output)
	c.Flags().StringVar(&asOf, "as-of", "", "the day to take for today")
	c.Flags().BoolVar(&run, "run", false, "run it with those answers")
	return c
}

// sayLine tells how a line was read.
func sayLine(w io.Writer, line *answer.Line) {
	for _, f := range line.Fits {
		fmt.Fprintf(w, "%s (%s)\n", f.Title, f.Name)
	}
	if line.Report == "" {
		return
	}
	fmt.Fprintf(w, "%s (%s)\n", line.Title, line.Report)
	table := tabwriter.NewWriter(w, 0, 0, 2, ' ', 0)
	for _, u := range line.Understood {
		means := u.Spelled
		if u.Refused != "" {
			means = "refused: " + u.Refused
		}
		fmt.Fprintf(table, "  %s\t%s\t%s\n", u.Words, u.Ask, means)
	}
	_ = table.Flush()
	for _, word := range line.LeftOver {
		fmt.Fprintf(w, "  not understood: %s\n", word)
	}
}
