// Package run runs reports: it sends their rows to whoever asked, counts the evidence, and
// compares a run with an earlier one or with another version of the report.
package run

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"go.opentelemetry.io/otel/attribute"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/kept"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source"
	"pikegate/internal/store"
	"pikegate/internal/traced"
)

// Run is a report whose answers were checked: it only has to be streamed.
type Run struct {
	Columns []*column.Column
	Zone    *time.Location

	runs        *Runs
	ready       *answer.Ready // of the main section, or of the one that alone is wanted
	main        *part         // that section
	parts       []*part       // all that are wanted, in order
	request     answer.Request
	from        place // where the page of rows before these ended
	receipt     receipt.Receipt
	replayed    *replayed        // the rows that are kept of another run, which this one hands out; else nil
	before      *receipt.Receipt // of the run that this one reads again for whoever wants its rows; else nil
	keeping     *kept.Result     // where the rows are kept; nil for nowhere
	progress    progress
	cancel      context.CancelCauseFunc
	done        chan struct{} // closed when the run has ended
	notesBefore []string      // what was known before the rows were read
	begun       *store.Begun  // where it has a receipt
	kept        bool          // its end is on record, and another one may follow: that it did not arrive
	sent        sending
	// What the answers, waiting for a turn, the whole time at the source, and of that the evidence took.
	checking, waiting, atSource, counting time.Duration
}

func (r *Run) prepare(ctx context.Context) (err error) {
	start := time.Now()
	ctx, span := traced.Begin(ctx, "check answers", attribute.String("pikegate.report", r.receipt.Report))
	defer func() {
		span.End(err)
		r.checking = time.Since(start)
	}()
	r.ready, err = r.runs.answers.ReadyFor(ctx, r.ready.Bound.Report, r.request)
	r.receipt.Limits = limitsOf(r.ready.Bound.Report)
	section := r.ready.Bound.Section
	from := section.Query.Of.Source
	r.Columns, r.Zone = section.Shown(), from.Zone
	r.receipt.Zone, r.receipt.Clock = from.Zone.String(), from.Clock
	if set := r.ready.Bound.Setting; set.AsOf.IsValid() { // else it was refused
		r.receipt.AsOf = set.AsOf
		r.receipt.Reading = &answer.ReadBy{Now: time.Unix(set.Now, 0).UTC(), DayOrder: set.Order, FiscalYearStarts: set.FiscalStart}
	}
	if r.ready.Bound.Answers != nil {
		r.receipt.Answers = answer.InOrder(r.ready.Bound.Report, r.ready.Bound.Answers)
	}
	if err == nil {
		err = r.inParts(ctx)
	}
	for i := 0; err == nil && i < len(r.parts); i++ {
		if p := r.parts[i]; p.unready == nil {
			err = p.affordable(ctx)
		}
	}
	return err
}

// inParts makes the parts of the run, and what is said of them.
func (r *Run) inParts(ctx context.Context) error {
	if !r.several() {
		r.main = r.newPart(1+slices.Index(r.ready.Bound.Report.Sections, r.ready.Bound.Section), r.ready)
		r.parts = []*part{r.main}
		if !r.ready.Bound.Report.IsOneTable() {
			r.receipt.Section = r.main.told.Section
		}
		said := append(r.ready.AsPublished().Said(), r.main.beside()...)
		r.receipt.ReadBack, r.receipt.ReadBackPieces = said.String(), said
		return nil
	}
	if r.request.Skip > 0 || r.request.After != "" {
		return r.sectionWanted()
	}
	var bounds []answer.Bound
	for i, section := range r.ready.Bound.Report.Sections {
		ready, err := r.ready, error(nil)
		if section != r.ready.Bound.Section {
			ready, err = r.ready.For(ctx, section)
		}
		p := r.newPart(i+1, ready)
		if p.unready = err; err == nil {
			bounds = append(bounds, ready.Bound)
		}
		if r.parts = append(r.parts, p); ready == r.ready {
			r.main = p
		}
	}
	said, more := answer.SaidTogether(bounds)
	r.receipt.ReadBack, r.receipt.ReadBackPieces = said.String(), said
	for _, p := range r.parts {
		if p.unready == nil {
			p.told.Says = strings.TrimSpace(more[0] + p.beside().String())
			more = more[1:]
		}
	}
	return nil
}

// sectionWanted refuses to leave rows out of several sections.
func (r *Run) sectionWanted() error {
	return &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{fault.New(fault.SectionNotChosen, "rows are left out of one section, and the report has %s; choose it by its number", english.Count(len(r.ready.Bound.Report.Sections), "section")).Suggest("section=1")}}
}

// Sending is where a run's result goes to: to w, by a way that keeps no source busy while w
// takes its time. stop makes a write to w that does not come to an end fail. long is told how many bytes
// the result has where that is known before the first of them is written; nil for nobody.
func (r *Run) Sending(w io.Writer, stop func(), long func(bytes int)) io.Writer {
	r.sent.to, r.sent.stop, r.sent.long = w, stop, long
	return &r.sent
}

// Stays makes the run go on to its end when whoever asked is gone: its rows are kept, and found by
// its receipt.
func (r *Run) Stays() { r.sent.stay = true }

// Stream reads the records and writes them, which is begun only when the
// first record is there or it is known that there is none. Where it returns an
// error the result is not whole. The receipt is on record before anything is sent, and within
// a moment of the start; what became of the run before w ends.
func (r *Run) Stream(ctx context.Context, to export.Result) (*receipt.Receipt, error) {
	if r.replayed != nil {
		return r.replayed.stream(ctx, r, to)
	}
	if _, err := r.stream(ctx, to); err != nil {
		return nil, err
	}
	return &r.receipt, nil
}

// Panicked is what a run panics with: what went wrong, and the receipt that says so.
type Panicked struct {
	Receipt int64
	Cause   any
	Stack   []byte
}

func (p *Panicked) String() string { return fmt.Sprint(p.Cause) }

func (r *Run) stream(ctx context.Context, to export.Result) (got *reading, err error) {
	r.runs.running.Add(1)
	defer r.runs.running.Add(-1)
	ctx, span := traced.Begin(ctx, "run", attribute.String("pikegate.report", r.receipt.Report))
	defer func() {
		span.Says(attribute.Int64("pikegate.receipt", r.receipt.ID), attribute.Int("pikegate.rows", r.receipt.Rows))
		span.End(err)
	}()
	defer func() {
		if cause := recover(); cause != nil {
			r.sent.drop()
			err = r.ended(ctx, fmt.Errorf("the service failed: %v", cause))
			panic(&Panicked{Receipt: r.receipt.ID, Cause: cause, Stack: debug.Stack()})
		}
	}()
	r.begin()
	ctx, ends := r.starts(ctx)
	defer ends()
	r.keepRows()
	r.notesBefore = r.Notes()
	defer r.keeping.Drop() // unless it was kept
	got, err = r.read(ctx, to)
	if err == nil {
		if err = r.sent.drain(); err != nil {
			err = unsent(err)
		}
	}
	if err != nil {
		r.sent.drop()
		return nil, r.ended(ctx, err)
	}
	r.ends()
	r.heldAgainst()
	r.keepResult(ctx)
	text, err := r.finished(got)
	if err == nil {
		if err = to.End(text); err != nil {
			err = unsent(err)
		}
	}
	if err != nil {
		return nil, r.ended(ctx, err)
	}
	if r.receipt.ID > 0 && !r.sent.gone {
		r.runs.base.Store.Sent(r.receipt.ID)
	}
	return got, nil
}

// read reads the sections, hands them on and counts what was asked for.
func (r *Run) read(ctx context.Context, to export.Result) (*reading, error) {
	of := r.ready.Bound.Section.Query.Of
	limit := r.runs.base.Config().RunTime
	if own := of.Source.At.Time; own > 0 {
		limit = min(limit, own)
	}
	started := time.Now()
	r.progress.enters(receipt.Waiting)
	waiting, span := traced.Begin(ctx, "wait for the source", attribute.String("pikegate.source", of.Source.Name))
	leave, err := r.ready.From.Source.Enter(waiting, r.receipt.Person, r.runs.base.Config().RunTime)
	span.End(err)
	r.waiting = time.Since(started)
	if err != nil {
		return nil, r.runs.base.Failed(of, err)
	}
	defer leave()
	r.progress.enters(receipt.Reading)
	start := time.Now()
	reading, span := traced.Begin(ctx, "read", attribute.String("pikegate.source", of.Source.Name))
	err = r.readParts(reading, to, limit)
	span.End(err)
	r.atSource = time.Since(start) - r.sent.took - r.sent.recording
	if err != nil || r.main.err != nil { // else that was done before the evidence
		r.takes(&r.main.told)
	}
	if r.several() {
		r.receipt.Main = r.main.told.Section
		for _, p := range r.parts {
			told := p.told
			told.Line = nil // which would be most of the receipt
			r.receipt.Sections = append(r.receipt.Sections, told)
		}
	}
	return r.main.got, err
}

// mostTimes is how many times as long as one section all of them together may take.
const mostTimes = 3

// readParts reads the sections one after the other, in one snapshot where the source has one. One
// that fails is left, and those after it are read in another. limit is the longest that each may take.
func (r *Run) readParts(ctx context.Context, to export.Result, limit time.Duration) error {
	whole := limit * time.Duration(min(len(r.parts), mostTimes))
	sending, cancel := context.WithTimeoutCause(ctx, whole, fmt.Errorf("%w: %s", base.ErrTime, whole))
	defer cancel()
	r.sent.aside(sending, r.runs.base.Spool, r.runs.base.Config().SpoolBytes)
	rest, done := r.parts, false
	for !done {
		// The view outlives the time of the sections by that of the evidence.
		err := r.ready.From.Source.View(ctx, func(v source.View) error {
			for len(rest) > 0 {
				p := rest[0]
				rest = rest[1:]
				if err := r.readWithin(sending, limit, v, p, to); err != nil {
					return err
				}
			}
			done = true
			return r.countEvidence(ctx, v)
		})
		if err == nil || errors.Is(err, errAnew) {
			continue
		}
		if err := r.goesOn(ctx, err, len(r.parts)-len(rest)-1, done); err != nil {
			return err
		}
		if err := r.closed(r.parts[len(r.parts)-len(rest)-1], to); err != nil {
			return err
		}
		done = len(rest) == 0 && r.main.err != nil
	}
	if failed := r.parts[0].err; failed != nil && !slices.ContainsFunc(r.parts, func(p *part) bool { return p.err == nil }) {
		return failed
	}
	return nil
}

// goesOn reports that the run goes on although the section at a place failed, by nil; else why it
// does not.
func (r *Run) goesOn(ctx context.Context, err error, at int, done bool) error {
	if ctx.Err() != nil {
		return context.Cause(ctx)
	}
	if at >= 0 && r.parts[at].got != nil && r.parts[at].got.broken != nil && !errors.Is(err, base.ErrTime) {
		return unsent(r.parts[at].got.broken)
	}
	if at < 0 || done || !r.several() {
		if errors.Is(err, receipt.ErrSize) || errors.Is(err, base.ErrTime) {
			return err
		}
		return r.runs.base.Failed(r.ready.Bound.Section.Query.Of, err)
	}
	p := r.parts[at]
	p.failed(err)
	r.receipt.Notes = append(r.receipt.Notes, fmt.Sprintf("Section %d (%s) is not there, or not whole: %s", p.told.Section, p.told.Label, p.told.Problem))
	return nil
}

// readWithin reads a section within its time.
func (r *Run) readWithin(ctx context.Context, limit time.Duration, v source.View, p *part, to export.Result) error {
	running, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("%w: %s", base.ErrTime, limit))
	defer cancel()
	err := r.readPart(running, v, p, to)
	if err != nil && errors.Is(context.Cause(running), base.ErrTime) {
		return context.Cause(running)
	}
	return err
}

// readPart reads a section and hands it on.
func (r *Run) readPart(ctx context.Context, v source.View, p *part, to export.Result) error {
	if p.unready != nil {
		return p.unready
	}
	p.got = newReading(p, to.Section(p.head(), p.section().Shown()))
	if !p.isMain() || p.ready.Published == nil {
		p.copies()
	}
	p.query = p.ready.Query()
	q := &p.query
	q.Limit, q.Skip = p.mostRows(), r.request.Skip
	if p.isMain() {
		p.got.goOn(r.from, q)
		p.meter = r.meter(ctx, v)
	}
	if err := p.read(ctx, v, q); err != nil {
		return err
	}
	err := p.countRest(ctx, v, *q)
	if p.got.settle(); err != nil || !r.several() {
		return err
	}
	untold := p.totalsInTime(ctx, v, *q)
	if err := r.closed(p, to); err != nil {
		return err
	}
	if err := p.got.flush(); err != nil {
		return err
	}
	return untold
}

// errAnew is why the sections that are left are read in another snapshot, although none failed.
var errAnew = errors.New("the totals could not be told")

// totalsInTime tells the totals of a table of records within the time of evidence. Where they cannot
// be told that is said, and the snapshot is not to be used any more.
func (p *part) totalsInTime(ctx context.Context, v source.View, q compile.Query) error {
	if !p.run.request.Evidence || p.section().Kind != catalog.Table {
		return nil
	}
	counting, cancel := context.WithTimeoutCause(ctx, p.run.runs.base.Config().EvidenceTime, errEvidenceTime)
	defer cancel()
	err := p.totals(counting, v, q)
	if err == nil || ctx.Err() != nil {
		return err
	}
	why := err.Error()
	if counting.Err() != nil {
		why = context.Cause(counting).Error()
	}
	p.told.Notes = append(p.told.Notes, fmt.Sprintf("The totals are not told: %s.", why))
	return errAnew
}

// closed ends what is sent of one of several sections.
func (r *Run) closed(p *part, to export.Result) error {
	p.ends()
	text, err := p.tail()
	if err == nil {
		err = to.EndSection(p.head(), text)
		if p.got != nil && p.got.broken == nil {
			p.got.broken = err
		}
	}
	return err
}

// countEvidence counts the evidence of the main section, and tells where its further rows go on.
func (r *Run) countEvidence(ctx context.Context, v source.View) error {
	p := r.main
	if p.err != nil {
		return nil
	}
	r.takes(&p.told)
	if !r.several() {
		r.receipt.Compare, r.receipt.Notes = p.told.Compare, append(r.receipt.Notes, p.told.Notes...)
	}
	if r.request.Evidence {
		if err := p.got.flush(); err != nil {
			return err
		}
		q := p.query
		q.Limit, q.Skip, q.After = 0, 0, nil
		p.meter.rows(ctx)
		r.progress.enters(receipt.Counting)
		r.count(ctx, v, q, p.got)
		if read := p.meter.evidence(ctx); !p.section().Query.Of.IsLimited() { // else it tells of others' records
			r.receipt.Evidence.Read = read
		}
		p.told.Records = r.receipt.Records
		if p.told.Fingerprint == "" {
			p.told.Fingerprint = r.receipt.Evidence.Fingerprint
		}
	}
	r.page(ctx, v, p.got)
	return ctx.Err()
}

// Notes are what is known, before the rows are read, that whoever reads them should know.
func (r *Run) Notes() []string {
	if r.replayed != nil {
		return r.replayed.notes
	}
	var all []string
	for _, n := range r.ready.Notes {
		all = append(all, n.Says)
	}
	return all
}

// Asks are what the report's prompts ask, by name.
func (r *Run) Asks() map[string]string {
	all := map[string]string{}
	for _, p := range r.ready.Bound.Report.Prompts {
		all[p.Name] = p.Ask
	}
	return all
}

// Several reports whether the result is of several sections, and not of one.
func (r *Run) Several() bool { return r.several() }

// ID is the number of the receipt that tells of its result, 0 where none does.
func (r *Run) ID() int64 {
	if r.replayed != nil && r.replayed.whole {
		return r.replayed.before.ID
	}
	return r.receipt.ID
}

// Sent reports whether anything of the result was sent.
func (r *Run) Sent() bool { return r.sent.n > 0 }
