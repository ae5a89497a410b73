// Package cli is the command line: the service, the demo, and a client of the
// service's API. One file to a command.
package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/fault"
)

// The exit codes of every command.
const (
	exitDone        = 0 // also with no rows
	exitFailed      = 1
	exitUsage       = 2 // unknown command, flag, report or file
	exitAnswers     = 3 // answers refused
	exitDefinitions = 4 // definitions refused, conflict
	exitUnreached   = 5 // service or source not reached
	exitForbidden   = 6
	exitCut         = 7 // by time or size
	exitInterrupted = 8 // cancelled, or the stream broke off
)

// exit is an error with the code to leave with.
type exit struct {
	code int
	err  error
}

func (e *exit) Error() string { return e.err.Error() }

func (e *exit) Unwrap() error { return e.err }

func fail(code int, format string, args ...any) error {
	return &exit{code: code, err: fmt.Errorf(format, args...)}
}

// Main runs one command and returns its exit code.
func Main(args []string, in io.Reader, out, errs io.Writer) int {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := newRoot()
	root.SetArgs(args)
	root.SetIn(in)
	root.SetOut(out)
	root.SetErr(errs)
	command, err := root.ExecuteContextC(ctx)
	if err == nil {
		return exitDone
	}
	// What no command has given a code is a line that was typed wrong.
	code := exitUsage
	var e *exit
	if errors.As(err, &e) {
		code = e.code
	}
	report(errs, command, code, err)
	return code
}

func newRoot() *cobra.Command {
	root := &cobra.Command{
		Use:   "pikegate",
		Short: "Reports with checked answers, sorted records, and the evidence that they are right",
		Long: `Pike Gate runs reports that developers have described and people ask for with
dates and other answers. It checks the answers, turns them into criteria, and
returns the matching records, sorted.

  pikegate demo                                    a made-up ferry line to try it on
  pikegate reports                                 which reports there are
  pikegate run late-sailings --answer "travel-period=last month"`,
		SilenceErrors: true,
		SilenceUsage:  true,
		Version:       versionText(),
		Args:          knownChild,
		RunE: func(c *cobra.Command, _ []string) error {
			return c.Help()
		},
	}
	root.SetVersionTemplate("{{.Name}} {{.Version}}\n")
	root.SetFlagErrorFunc(wrongFlag)
	root.AddCommand(newServe(), newDemo(), newReports(), newShow(), newRun(), newExplain(), newHistory(), newReceipt(), newAgain(), newRehearse(), newProof(), newCheck(), newPut(), newGet(), newRevisions(), newDifference(), newPublish(), newUses(), newDelete(), newSource(), newSources(), newDataset(), newLoad(), newTable(), newSchema(), newDate(), newVersion())
	return root
}

// report writes an error to standard error: as JSON where JSON was asked for,
// else one line for each thing to mend.
func report(w io.Writer, c *cobra.Command, code int, err error) {
	if errors.Is(err, errSaid) {
		return
	}
	var p *api.Problem
	isProblem := errors.As(err, &p)
	if output := c.Flags().Lookup("output"); output != nil && (output.Value.String() == "json" || output.Value.String() == "ndjson") {
		if !isProblem {
			p = &api.Problem{Type: "about:blank", Title: "Not done", Code: codeName(code), Detail: err.Error()}
		}
		json.NewEncoder(w).Encode(p)
		return
	}
	fmt.Fprintf(w, "pikegate: %s\n", err)
	if isProblem {
		for _, f := range p.Errors {
			if len(p.Errors) > 1 || f.Sentence() != p.Detail {
				fmt.Fprintf(w, "  %s\n", f.Error())
			}
		}
	}
	if code == exitUsage && !isProblem {
		fmt.Fprintf(w, "  %s --help shows what can be said\n", c.CommandPath())
	}
}

// codeName is the code of what the client itself could not do.
func codeName(code int) fault.Code {
	return map[int]fault.Code{exitUsage: fault.Usage, exitUnreached: fault.Unreached, exitCut: fault.CutByTime, exitInterrupted: fault.Interrupted}[code]
}

// codeOf is the exit code for a problem that the service answered with.
func codeOf(p *api.Problem) int {
	switch p.Code {
	case fault.AnswersRefused:
		return exitAnswers
	case fault.DefinitionInError, fault.DefinitionsRefused, fault.LoadRefused:
		return exitDefinitions
	case fault.Unknown, fault.InvalidRequest:
		return exitUsage
	case fault.SourceFailed:
		return exitUnreached
	case fault.CutByTime, fault.CutBySize:
		return exitCut
	}
	switch p.Status {
	case http.StatusConflict:
		return exitDefinitions
	case http.StatusUnauthorized, http.StatusForbidden:
		return exitForbidden
	case http.StatusRequestEntityTooLarge:
		return exitCut
	case http.StatusBadGateway, http.StatusServiceUnavailable, http.StatusGatewayTimeout:
		return exitUnreached
	}
	return exitFailed
}
