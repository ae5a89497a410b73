package cli

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/receipt"
)

// printed prints a result as JSON or in words.
func printed(c *cobra.Command, output string, result any, words func()) error {
	switch output {
	case "json":
		if err := json.NewEncoder(c.OutOrStdout()).Encode(result); err != nil {
			return fail(exitFailed, "%w", err)
		}
	case "text":
		words()
	default:
		return fail(exitUsage, "output: %q is not one of text and json", output)
	}
	return nil
}

// receiptNumber reads the number of a receipt.
func receiptNumber(text string) (int64, error) {
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil || id < 1 {
		return 0, fail(exitUsage, "%q is not the number of a receipt; pikegate history lists them", text)
	}
	return id, nil
}

func (c *client) receipt(cmd *cobra.Command, text string) (*receipt.Receipt, error) {
	id, err := receiptNumber(text)
	if err != nil {
		return nil, err
	}
	r := &receipt.Receipt{}
	return r, c.json(cmd.Context(), http.MethodGet, fmt.Sprintf("/receipts/%d", id), nil, r)
}

func newReceipt() *cobra.Command {
	var output string
	c := &cobra.Command{
		Use:     "receipt NUMBER",
		Short:   "Show the record of a run: what was asked, what ran, and what came back",
		Example: "  pikegate receipt 1042",
		Args:    arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			r, err := client.receipt(c, args[0])
			if err != nil {
				return err
			}
			return printed(c, output, r, func() { sayReceipt(c.OutOrStdout(), r) })
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	return c
}

func sayReceipt(w io.Writer, r *receipt.Receipt) {
	fmt.Fprintf(w, "Receipt %d: %s (%s)\n", r.ID, r.Title, r.Report)
	fmt.Fprintf(w, "Run by %s on %s, as of %s, %s.\n", r.Person, r.StartedAt.Format("2006-01-02 15:04:05 MST"), r.AsOf.Spelled(), r.Clock)
	if r.Again > 0 {
		fmt.Fprintf(w, "It repeats receipt %d.\n", r.Again)
	}
	fmt.Fprintf(w, "%s\n", r.Says)
	if r.Problem != "" {
		fmt.Fprintf(w, "%s\n", r.Problem)
	}
	fmt.Fprintln(w)
	for _, a := range r.Answers {
		from := "given"
		switch {
		case a.Derived != "":
			from = a.Derived
		case a.Default:
			from = "default"
		}
		fmt.Fprintf(w, "  %s (%s): %s\n", a.Prompt, from, understoodText(r, a))
	}
	if r.ReadBack != "" {
		fmt.Fprintf(w, "\n%s. %s\n", recordsOf(r), r.ReadBack)
	}
	for _, s := range r.Sections {
		saySection(w, s)
	}
	sayEvidence(w, r)
	if r.SQL != "" {
		fmt.Fprintf(w, "\n  %s\n", indented(r.SQL, "  "))
		sayValues(w, r.Values)
	}
	if len(r.Revisions) > 0 {
		parts := make([]string, len(r.Revisions))
		for i, part := range r.Revisions {
			parts[i] = fmt.Sprintf("%s %s %d", part.Kind, part.Name, part.Revision)
		}
		fmt.Fprintf(w, "\nMade of these revisions: %s.\n", strings.Join(parts, ", "))
	}
	t := r.Time
	fmt.Fprintf(w, "Took %s: checking %s, recording %s, waiting %s, database %s, sending %s, counting %s.\n",
		took(r.TookMS), took(t.Checking), took(t.Recording), took(t.Waiting), took(t.Database), took(t.Sending), took(t.Counting))
}

// saySection says what a section of a run showed.
func saySection(w io.Writer, s receipt.Section) {
	came := english.Count(s.Rows, "row")
	switch {
	case s.Problem != "":
		came = s.Problem
	case s.Value != nil:
		came = strings.TrimSpace(plain(s.Value) + " " + s.Unit)
	case s.Groups == nil && s.Records != nil:
		came = english.Count(int(*s.Records), "record")
	}
	fmt.Fprintf(w, "  %d %s, %s: %s", s.Section, s.Kind, s.Label, came)
	if s.Fingerprint != "" {
		fmt.Fprintf(w, ", fingerprint %s", s.Fingerprint[:16])
	}
	fmt.Fprintln(w)
}

// understoodText is an answer as it was entered and, where that says more, as it was
// understood.
func understoodText(r *receipt.Receipt, a answer.Understood) string {
	entered := a.Entered.String()
	refused := slices.ContainsFunc(r.Errors, func(f fault.Fault) bool { return f.Place.Prompt == a.Prompt })
	switch {
	case refused:
		return entered + ", which was refused"
	case entered == a.Spelled || entered == "" || !a.Given:
		return a.Spelled
	}
	return entered + ", which is " + a.Spelled
}

// indented is a text whose further lines begin with a margin.
func indented(text, margin string) string { return strings.ReplaceAll(text, "\n", "\n"+margin) }

func sayValues(w io.Writer, values []string) {
	if len(values) > 0 {
		fmt.Fprintf(w, "  with %s\n", strings.Join(values, " | "))
	}
}
