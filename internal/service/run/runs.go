package run

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/counts"
	"pikegate/internal/service/receipt"
)

// Prepare checks the answers of a run and compiles its query. Nothing has been
// read yet. A run that is not to be is on record all the same.
func (s *Runs) Prepare(ctx context.Context, name string, req answer.Request) (*Run, error) {
	switch {
	case len(req.Files) > 0 || s.base.IsTried(ctx):
		return s.try(ctx, name, req)
	case req.Of > 0:
		return s.of(ctx, name, req)
	case req.After != "":
		return nil, &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.RunAgain, "after says where to go on in a run; say too of which, by of with the number of its receipt")}}
	}
	report, err := s.base.Report(ctx, name)
	var broken *base.Refusal
	if errors.As(err, &broken) && broken.Kind == fault.DefinitionInError {
		report = &catalog.Report{Name: name, Title: name}
	} else if err != nil {
		return nil, err
	}
	r := s.newRun(ctx, report, req)
	r.receipt.ID = s.base.Store.NextReceipt()
	r.receipt.Revisions = s.base.Published.Load().BuiltOf(name)
	if err == nil {
		err = r.prepare(ctx)
	}
	if err != nil {
		return nil, r.ended(ctx, err)
	}
	return r, nil
}

// further prepares to read a page of a run that is on record, as its receipt has it.
func (s *Runs) further(ctx context.Context, before *receipt.Receipt, req answer.Request) (*Run, error) {
	report, err := s.base.Report(ctx, before.Report)
	if err != nil {
		return nil, err
	}
	if !slices.Equal(before.Revisions, s.base.Published.Load().BuiltOf(before.Report)) {
		return nil, runAgain("there are no further rows of this run to be had: the report has changed since")
	}
	section := cmp.Or(max(req.Section, 0), before.Section, 1+slices.Index(report.Sections, report.Main()))
	r := s.newRun(ctx, report, answer.Request{Section: section, View: seen(before, req), Answers: before.Entered, AsOf: before.AsOf.String(), Limit: req.Limit, Skip: req.Skip, After: req.After, Uncounted: req.Uncounted || before.Records == nil, Then: before.Reading, Changes: before.Changes})
	r.receipt.PageOf = req.Of
	if err := r.prepare(ctx); err != nil {
		return r, err
	}
	if r.receipt.Limits != before.Limits {
		return r, otherLimits()
	}
	r.from, err = r.placeAfter(req.After)
	return r, err
}

// otherLimits refuses rows of a run that was made for somebody whom other records, or columns, are there
// for.
func otherLimits() error {
	return runAgain("what there is of this report for you is not what there was in this run")
}

// seen is how rows of a run are to be seen: as its reader wanted it, where nothing else is asked for.
func seen(before *receipt.Receipt, req answer.Request) answer.View {
	if req.View.IsEmpty() {
		return before.ViewOf()
	}
	return req.View
}

// try prepares a run of definitions that are not published.
func (s *Runs) try(ctx context.Context, name string, req answer.Request) (*Run, error) {
	defs, err := s.base.Beside(ctx, req.Files)
	if err != nil {
		return nil, err
	}
	ctx = base.With(ctx, defs)
	report, err := s.base.Report(ctx, name)
	if err != nil {
		return nil, err
	}
	r := s.newRun(ctx, report, req)
	return r, r.prepare(ctx)
}

// Try runs a report that need not be published, and hands its rows on. The run is not on
// record; what its receipt would be is returned, with the digests of its rows where
// evidence was asked for.
func (s *Runs) Try(ctx context.Context, report *catalog.Report, req answer.Request, to export.Writer) (*receipt.Receipt, *receipt.Digests, error) {
	r, got, err := s.tried(ctx, report, req, to)
	if err != nil {
		return nil, nil, err
	}
	return &r.receipt, got.digests, nil
}

func (s *Runs) tried(ctx context.Context, report *catalog.Report, req answer.Request, to export.Writer) (*Run, *reading, error) {
	r := s.newRun(ctx, report, req)
	if err := r.prepare(ctx); err != nil {
		return nil, nil, err
	}
	got, err := r.read(ctx, export.Whole{Writer: to})
	if err != nil {
		return nil, nil, err
	}
	r.ends()
	if _, err := r.finished(got); err != nil {
		return nil, nil, err
	}
	return r, got, nil
}

// newRun is a run of a report, with the receipt that it will have.
func (s *Runs) newRun(ctx context.Context, report *catalog.Report, req answer.Request) *Run {
	who := base.PersonOf(ctx)
	r := &Run{runs: s, ready: &answer.Ready{Answers: s.answers, Bound: answer.Bound{Report: report}}, request: req}
	r.receipt = receipt.Receipt{Report: report.Name, Title: report.Title, Person: who.Asks(), Role: who.Role, Entered: req.Answers, Limit: req.Limit, Skip: req.Skip,
		AsOf: s.base.Today(s.base.Zone()), ZoneRules: civil.ZoneRules, State: receipt.Running, StartedAt: s.base.Config().Now().UTC()}
	if who.By != "" {
		r.receipt.As = who.Name
	}
	if r.receipt.View = &req.View; req.View.IsEmpty() {
		r.receipt.View = nil
	}
	return r
}

// Runs runs reports.
type Runs struct {
	base     *base.Base
	counts   *counts.Counts
	answers  *answer.Answers
	receipts *receipt.Receipts
	running  atomic.Int64 // those that are being streamed
	underWay sync.Map     // those of them that are on record, by the numbers of their receipts
}

// New runs reports that answers understands, and puts them on record in receipts.
func New(base *base.Base, counts *counts.Counts, answers *answer.Answers, receipts *receipt.Receipts) *Runs {
	return &Runs{base: base, counts: counts, answers: answers, receipts: receipts}
}

// AwaitEnd waits until no run is being streamed, so that those which were cut off are on
// record as such; not for ever.
func (s *Runs) AwaitEnd() {
	for range endTime / endStep {
		if s.running.Load() == 0 {
			break
		}
		time.Sleep(endStep)
	}
}

// endTime is the longest that closing waits for runs whose readers were cut off, looking
// every endStep.
const (
	endTime = 3 * time.Second
	endStep = 10 * time.Millisecond
)
