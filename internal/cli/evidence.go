package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/rivo/uniseg"

	"pikegate/internal/core/english"
	"pikegate/internal/service/receipt"
)

// recordsOf says how many records a run brought.
func recordsOf(r *receipt.Receipt) string {
	switch {
	case r.Records == nil:
		return english.Count(r.Rows, "row") + " and maybe more"
	case r.Groups != nil && *r.Groups > 0:
		return english.Count(int(*r.Records), "record") + " in " + english.Count(int(*r.Groups), "row")
	case *r.Records == 0:
		return "No records"
	}
	return english.Count(int(*r.Records), "record")
}

// sayEvidence prints what shows that a result is right.
func sayEvidence(w io.Writer, r *receipt.Receipt) {
	e := r.Evidence
	if e == nil {
		return
	}
	sayEmpty(w, e.Empty)
	if ends := e.Ends; ends != nil {
		sayEnds(w, ends)
	}
	if p := e.Period; p != nil {
		fmt.Fprintf(w, "Of all %d: %d before, %d inside, ", *e.All, p.Before, p.Inside)
		if p.Between > 0 {
			fmt.Fprintf(w, "%d between, ", p.Between)
		}
		fmt.Fprintf(w, "%d after, %d without a date, %d unreadable%s.\n", p.After, p.Missing, p.Unreadable, countedThen(p))
	}
	sayConditionCounts(w, e)
	if e.DataChanged {
		fmt.Fprintln(w, "The data changed while they were counted; run it again.")
	}
	for _, missing := range e.NotComputed {
		fmt.Fprintf(w, "Not computed: %s.\n", missing)
	}
	if e.CompleteUpTo != nil {
		fmt.Fprintf(w, "The data reach to %s", e.CompleteUpTo.Spelled)
		if e.Loaded != nil {
			fmt.Fprintf(w, ", last loaded %s by %s", e.Loaded.At.Format("2006-01-02 15:04 MST"), e.Loaded.By)
		}
		fmt.Fprintln(w, ".")
	}
	if e.Read != nil {
		fmt.Fprintf(w, "The database read %s for the rows and %d for the evidence.\n", english.Count(int(e.Read.Rows), "record"), e.Read.Evidence)
	}
	if e.Fingerprint != "" {
		fmt.Fprintf(w, "Fingerprint %s\n", e.Fingerprint)
	}
}

// countedThen says when what lies around the period was counted, where that was not just now.
func countedThen(p *receipt.Reconciliation) string {
	if p.CountedAt == nil {
		return ""
	}
	what := ", outside as"
	if p.InsideToo {
		what = ", as"
	}
	said := what + " counted " + p.CountedAt.Format("2006-01-02 15:04 MST")
	if p.Changed {
		said += "; the data changed since"
	}
	return said
}

func sayEnds(w io.Writer, ends *receipt.Ends) {
	if ends.First != nil {
		fmt.Fprintf(w, "First %s (%d that day), last %s (%d that day).", ends.First.Spelled, ends.First.Records, ends.Last.Spelled, ends.Last.Records)
	}
	var near []string
	for _, left := range []*receipt.Dated{ends.NearestBefore, ends.NearestAfter} {
		if left != nil {
			near = append(near, left.Spelled)
		}
	}
	switch {
	case len(near) > 0 && ends.First != nil:
		fmt.Fprintf(w, " Nearest left out: %s.\n", english.Both(near))
	case len(near) > 0:
		fmt.Fprintf(w, "Nearest left out: %s.\n", english.Both(near))
	case ends.First != nil:
		fmt.Fprintln(w)
	}
	if ends.NoneAmong > 0 {
		fmt.Fprintf(w, "On a side that is not named, none of the nearest %d records meets the other conditions.\n", ends.NoneAmong)
	}
}

// sayConditionCounts prints how many records each condition left.
func sayConditionCounts(w io.Writer, e *receipt.Evidence) {
	width := 0
	for _, step := range e.ConditionCounts {
		width = max(width, uniseg.StringWidth(step.Says))
	}
	for _, step := range e.ConditionCounts {
		gap := strings.Repeat(" ", width-uniseg.StringWidth(step.Says))
		fmt.Fprintf(w, "  %s%s  leaves %d\n", step.Says, gap, step.Left)
	}
}

// sayEmpty prints why there are no records.
func sayEmpty(w io.Writer, why *receipt.WhyEmpty) {
	if why == nil {
		return
	}
	fmt.Fprintln(w, why.Says)
	for _, p := range why.Pairs {
		fmt.Fprintf(w, "No record meets both: %s; %s.\n", p.One, p.Other)
	}
	for _, without := range why.Without {
		fmt.Fprintf(w, "Without %s there would be %d.\n", without.Says, without.Records)
	}
	if n := why.Nearest; n != nil {
		fmt.Fprintf(w, "The nearest that has some: %s, with %s", n.Spelled, english.Count(int(n.Records), "record"))
		if n.Prompt != "" {
			fmt.Fprintf(w, "; --answer %q", n.Prompt+"="+n.Answer)
		}
		fmt.Fprintln(w, ".")
	}
}
