package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"pikegate/internal/api"
	"pikegate/internal/core/prompt"
	"pikegate/internal/export"
	"pikegate/internal/service/receipt"
)

// tableOutput is what a terminal gets; the others are what the service sends.
const tableOutput = "table"

var outputs = []export.Format{tableOutput, export.JSON, export.CSV, export.NDJSON, export.XLSX, export.PDF}

func newRun() *cobra.Command {
	var given, with []string
	var asOf, evidence string
	var out sending
	c := &cobra.Command{
		Use:   "run REPORT",
		Short: "Run a report and print its records",
		Long: `Run a report and print its records. An answer is NAME=VALUE; several choices are
several answers of the same name, and NAME= leaves a prompt unanswered on
purpose. A prompt without an answer takes its default. In a terminal, a run
without any answer asks for them one by one.

Under a table stands what shows that it is right: its first and last date and the
nearest records left out, where all records lie beside the period, and how many each
condition left. Of a report of several sections a figure is a line, a chart a picture of blocks
beside its numbers. The run is on record: see pikegate history and pikegate receipt.`,
		Example: `  pikegate run late-sailings
  pikegate run late-sailings --answer "travel-period=1 Mar 2026 to 5 Mar 2026" --answer minutes=30
  pikegate run late-sailings --with drafts --as-of 2027-01-01
  pikegate run waybills-by-day --answer goods=timber --answer goods=parcels --output csv --to timber.csv`,
		Args:              arity(1, 1),
		ValidArgsFunction: completeReports,
		RunE: out.calling(func(c *cobra.Command, client *client, args []string) error {
			answers, err := parseAnswers(given)
			if err != nil {
				return err
			}
			asked := api.RunRequest{Asked: api.Asked{Answers: answers, AsOf: asOf}, Evidence: wantedEvidence(evidence, out.output)}
			if asked.Files, err = definitionFiles(with); err != nil {
				return err
			}
			if len(given) == 0 && isTerminal(c.InOrStdin()) && isTerminal(c.ErrOrStderr()) {
				if asked.Answers, err = ask(c.Context(), client, args[0], asOf, newLines(c.InOrStdin()), c.ErrOrStderr()); err != nil {
					return err
				}
			}
			return out.send(c, client, args[0], asked)
		}),
	}
	serverFlag(c)
	asFlag(c)
	answerFlags(c, &given, &asOf)
	out.flags(c)
	wordFlag(c, &evidence, "evidence", "", []string{"true", "false", "whole"}, "count what shows that the records are right, for the receipt; a table does unless told not to; whole counts all records of a large table too")
	c.Flags().Lookup("evidence").NoOptDefVal = "true"
	c.Flags().StringArrayVar(&with, "with", nil, "a file or directory of definitions to try that are not published; repeat it for more")
	return c
}

// wantedEvidence is what a run is to count, by its flag; tables count what is usual.
func wantedEvidence(flag, output string) api.EvidenceWanted {
	switch {
	case flag == "false", flag == "" && output != tableOutput:
		return ""
	case flag == "":
		return api.UsualEvidence
	}
	return api.EvidenceWanted(flag)
}

// answerFlags adds the flags that answer the questions of a report.
func answerFlags(c *cobra.Command, given *[]string, asOf *string) {
	c.Flags().StringArrayVar(given, "answer", nil, "an answer, NAME=VALUE; repeat it for more")
	c.Flags().StringVar(asOf, "as-of", "", "the day to take for today")
	if err := c.RegisterFlagCompletionFunc("answer", completeAnswers); err != nil {
		panic(err) // the flag is defined just above
	}
}

// parseAnswers reads NAME=VALUE; the same name again makes a list.
func parseAnswers(given []string) (map[string]prompt.Entered, error) {
	texts := map[string][]string{}
	for _, g := range given {
		name, value, ok := strings.Cut(g, "=")
		if !ok || name == "" {
			return nil, fail(exitUsage, "answer: %q is not NAME=VALUE", g)
		}
		texts[name] = append(texts[name], value)
	}
	answers := make(map[string]prompt.Entered, len(texts))
	for name, values := range texts {
		if len(values) == 1 {
			answers[name] = prompt.OneText(values[0])
		} else {
			answers[name] = prompt.SeveralTexts(values)
		}
	}
	return answers, nil
}

func isTerminal(stream any) bool {
	f, ok := stream.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

// sectionPath adds the number of a section to a path; sign parts it from what stands before.
func sectionPath(path, sign string, section int) string {
	if section > 0 {
		path += fmt.Sprint(sign, "section=", section)
	}
	return path
}

// broken gives a result that is not whole its exit code and words: those of the state
// that its receipt tells, which the link leads to, where the service still answers.
func (c *client) broken(ctx context.Context, err error, to, link string) error {
	kept := "what was printed is not the whole result"
	if to != "" {
		kept = "nothing was left in " + to
	}
	var path *os.PathError
	switch {
	case err == nil:
		return nil
	case ctx.Err() != nil:
		return fail(exitInterrupted, "cancelled; %s", kept)
	case errors.As(err, &path):
		return fail(exitFailed, "%w", err)
	}
	var r receipt.Receipt
	asking, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	if id := linked(link); id > 0 && c.json(asking, http.MethodGet, fmt.Sprintf("/receipts/%d", id), nil, &r) == nil {
		if code, known := exitsOfCut[r.State]; known {
			return fail(code, "%s (receipt %d: %s); %s", strings.TrimSuffix(r.Says, "."), id, r.Problem, kept)
		}
	}
	return fail(exitInterrupted, "the records broke off (%w); %s", err, kept)
}

// exitsOfCut are the exit codes of runs that ended after some of their records were
// sent.
var exitsOfCut = map[receipt.State]int{receipt.CutByTime: exitCut, receipt.CutBySize: exitCut, receipt.SourceNotReady: exitUnreached, receipt.SourceBusy: exitUnreached, receipt.FailedByService: exitFailed, receipt.Cancelled: exitInterrupted, receipt.InError: exitDefinitions}

// errCut is a JSON result that ended before its receipt.
var errCut = fmt.Errorf("the receipt is missing")
