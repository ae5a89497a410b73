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
	exitDone        = 0
	exitFailed      = 1
	exitUsage       = 2
	exitAnswers     = 3
	exitDefinitions = 4
	exitUnreached   = 5
	exitForbidden   = 6
	exitCut         = 7
	exitInterrupted = 8
)

// exitCodes says what each means.
var exitCodes = []struct {
	code  int
	means string
}{
	{exitDone, "done, also with no rows"},
	{exitFailed, "failed"},
	{exitUsage, "wrong usage: an unknown command, flag, report or file"},
	{exitAnswers, "answers refused"},
	{exitDefinitions, "definitions refused, or a conflict"},
	{exitUnreached, "the service or a source was not reached"},
	{exitForbidden, "not allowed"},
	{exitCut, "cut short by time or size"},
	{exitInterrupted, "cancelled or interrupted"},
}

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

// welcome is what the program alone says: what to do first.
const welcome = `Pike Gate runs reports that ask for dates, and brings the right records.

To see it at work, on a made-up ferry line:
  pikegate demo

Where a service runs already, at $PIKEGATE_SERVER or http://127.0.0.1:8080:
  pikegate reports                           which reports there are
  pikegate run REPORT                        asks its questions and brings the records

With records of your own:
  pikegate serve                             runs a service, empty at first
  pikegate load trips.csv --as trips         brings a file of records into it
  pikegate dataset propose SOURCE trips      describes them, for you to go on from

pikegate --help lists all commands, pikegate COMMAND --help tells of one.
`

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
			_, err := fmt.Fprint(c.OutOrStdout(), welcome)
			return err
		},
	}
	root.SetFlagErrorFunc(wrongFlag)
	for _, g := range []struct {
		id, title string
		commands  []*cobra.Command
	}{
		{"reports", "Run reports:", []*cobra.Command{newReports(), newShow(), newRun(), newAsk(), newExplain(), newHistory(), newReceipt(), newRows(), newAgain(), newCancel(), newKept(), newLink(), newSchedules(), newDate()}},
		{"definitions", "Write and publish definitions:", []*cobra.Command{newCheck(), newPut(), newGet(), newRevisions(), newDifference(), newPublish(), newUses(), newEffect(), newRename(), newDelete(), newDrafts(), newRehearse(), newProof(), newSchema()}},
		{"data", "Look into sources, load files:", []*cobra.Command{newSources(), newSource(), newDataset(), newLoad(), newTable()}},
		{"people", "Who may do what:", []*cobra.Command{newSignIn(), newSignOut(), newPeople(), newGroups(), newTokens(), newAudit()}},
		{"service", "Run the service:", []*cobra.Command{newServe(), newDemo(), newMailStandIn(), newOpenIDStandIn(), newBackup(), newRestore(), newUpgrade(), newVersion()}},
	} {
		root.AddGroup(&cobra.Group{ID: g.id, Title: g.title})
		for _, c := range g.commands {
			c.GroupID = g.id
			root.AddCommand(c)
		}
	}
	root.AddCommand(newManual())
	root.SetHelpCommandGroupID("service")
	root.SetCompletionCommandGroupID("service")
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
	case fault.Unknown, fault.InvalidRequest, fault.PersonRefused:
		return exitUsage
	case fault.SourceFailed:
		return exitUnreached
	case fault.Cancelled:
		return exitInterrupted
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
