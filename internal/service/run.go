package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime/debug"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/source"
)

// Request is what a run is asked for with.
type Request struct {
	Answers map[string]prompt.Entered
	AsOf    string // any form of a day; "" for today
	Limit   int    // most rows; 0 for all
	Skip    int    // rows to leave out first
	// Uncounted leaves it open how many records match beyond the rows of a Limit.
	Uncounted bool
	Evidence  bool // count, once the rows are sent, what shows that they are right
	// Of is the receipt of a run that this one brings further rows of, by its answers: one
	// run has one receipt, however many pages are read of it. 0 for a run of its own.
	Of int64
	// Files are definitions to try beside those that are published, or in their place.
	// Nothing is stored, and the run is not on record.
	Files []catalog.File

	with *catalog.Catalog // the definitions that it is run with; nil for those that are published
	then *ReadBy          // what the answers are read by; nil for the settings of now
}

// Run is a report whose answers were checked: it only has to be streamed.
type Run struct {
	Columns []*column.Column
	Zone    *time.Location

	ready   *prepared
	request Request
	receipt Receipt
	begun   bool // it is on record as running
	sent    sending
	// What the answers, the waiting, the whole time at the source, and of that the
	// evidence took.
	checking, waiting, atSource, counting time.Duration
}

// Prepare checks the answers of a run and compiles its query. Nothing has been
// read yet. A run that is not to be is on record all the same.
func (s *Service) Prepare(ctx context.Context, name string, req Request) (*Run, error) {
	switch {
	case len(req.Files) > 0:
		return s.try(ctx, name, req)
	case req.Of > 0:
		return s.further(ctx, name, req)
	}
	report, err := s.Report(name)
	var broken *Refusal
	if errors.As(err, &broken) && broken.Kind == DefinitionInError {
		report = &catalog.Report{Name: name, Title: name}
	} else if err != nil {
		return nil, err
	}
	r := s.newRun(ctx, report, req)
	r.receipt.ID = s.store.NextReceipt()
	r.receipt.Revisions = s.published.Load().builtOf(name)
	if err == nil {
		err = r.prepare(ctx)
	}
	if err != nil {
		return nil, r.ended(ctx, err)
	}
	return r, nil
}

// further prepares to read more rows of a run that is on record, as its receipt has it.
func (s *Service) further(ctx context.Context, name string, req Request) (*Run, error) {
	before, err := s.Receipt(ctx, req.Of)
	if err != nil {
		return nil, err
	}
	report, err := s.Report(name)
	if err != nil {
		return nil, err
	}
	switch {
	case before.Report != name:
		return nil, &Refusal{Kind: Unknown, Faults: fault.List{fault.New("unknown_receipt", "receipt %d is of the report %s", req.Of, before.Report)}}
	case before.partly || before.State != Rows || !slices.Equal(before.Revisions, s.published.Load().builtOf(name)):
		return nil, &Refusal{Kind: Conflicting, Faults: fault.List{fault.New("run_again", "there are no further rows of this run to be had: it did not bring any, or the report has changed since; run it again")}}
	}
	r := s.newRun(ctx, report, Request{Answers: before.Entered, AsOf: before.AsOf.String(), Limit: req.Limit, Skip: req.Skip, Uncounted: req.Uncounted, then: before.Reading})
	r.receipt.PageOf = req.Of
	return r, r.prepare(WithPerson(ctx, Person{Name: before.Person, Role: before.Role}))
}

// try prepares a run of definitions that are not published.
func (s *Service) try(ctx context.Context, name string, req Request) (*Run, error) {
	defs, err := s.beside(ctx, req.Files)
	if err != nil {
		return nil, err
	}
	report := defs.Reports[name]
	if report == nil {
		return nil, unknownReport(name, defs)
	}
	req.with = defs
	r := s.newRun(ctx, report, req)
	return r, r.prepare(ctx)
}

// newRun is a run of a report, with the receipt that it will have.
func (s *Service) newRun(ctx context.Context, report *catalog.Report, req Request) *Run {
	who := PersonOf(ctx)
	r := &Run{ready: &prepared{service: s, bound: bound{report: report}}, request: req}
	r.receipt = Receipt{Report: report.Name, Title: report.Title, Person: who.Name, Role: who.Role, Entered: req.Answers, Limit: req.Limit, Skip: req.Skip,
		AsOf: s.Today(s.zone()), ZoneRules: civil.ZoneRules, State: Running, StartedAt: s.config.Now().UTC()}
	return r
}

func (r *Run) prepare(ctx context.Context) error {
	start := time.Now()
	defer func() { r.checking = time.Since(start) }()
	var err error
	r.ready, err = r.ready.service.readyOf(ctx, r.ready.bound.report, r.request)
	table := r.ready.bound.report.Table
	from := table.Of.Source
	r.Columns, r.Zone = table.Show, from.Zone
	r.receipt.Zone, r.receipt.Clock = from.Zone.String(), from.Clock
	if set := r.ready.bound.setting; set.AsOf.IsValid() { // else it was refused
		r.receipt.AsOf = set.AsOf
		r.receipt.Reading = &ReadBy{Now: time.Unix(set.Now, 0).UTC(), DayOrder: set.Order, FiscalStart: set.FiscalStart}
	}
	if r.ready.bound.answers != nil {
		r.receipt.Answers = inOrder(r.ready.bound.report, r.ready.bound.answers)
	}
	if err == nil {
		said := r.ready.bound.said()
		r.receipt.ReadBack, r.receipt.Pieces = said.String(), said
	}
	return err
}

// ErrTime is the cause where a run took longer than it may.
var ErrTime = errors.New("the run took longer than it may")

// ErrSize is the cause where a result has more rows than its source allows.
var ErrSize = errors.New("the result has more rows than its source allows")

// ErrGone is the cause where whoever asked was gone before all was sent.
var ErrGone = errors.New("whoever asked went away")

// SourceError is a source that did not answer, or not with what was asked.
type SourceError struct {
	Source string
	Err    error
}

// Error tells what the source itself says of it. What a driver or a system says stays in
// the log: it may name users, databases and addresses.
func (e *SourceError) Error() string {
	says := "it could not be read"
	if own := (*source.Error)(nil); errors.As(e.Err, &own) {
		says = own.Error()
	}
	return fmt.Sprintf("source %s: %s", e.Source, says)
}

func (e *SourceError) Unwrap() error { return e.Err }

// Sending is where a run's result goes to: to w, by a way that keeps no source busy while w
// takes its time. stop makes a write to w that does not come to an end fail.
func (r *Run) Sending(w io.Writer, stop func()) io.Writer {
	r.sent.to, r.sent.stop = w, stop
	return &r.sent
}

// Stream reads the records and writes them to w, which is begun only when the
// first record is there or it is known that there is none. Where it returns an
// error the result is not whole. The receipt is on record before anything is read,
// and what became of the run before w ends.
func (r *Run) Stream(ctx context.Context, w export.Writer) (*Receipt, error) {
	if _, err := r.stream(ctx, w); err != nil {
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

func (r *Run) stream(ctx context.Context, w export.Writer) (*reading, error) {
	r.ready.service.running.Add(1)
	defer r.ready.service.running.Add(-1)
	defer func() {
		if cause := recover(); cause != nil {
			r.sent.drop()
			_ = r.ended(ctx, fmt.Errorf("the service failed: %v", cause))
			panic(&Panicked{Receipt: r.receipt.ID, Cause: cause, Stack: debug.Stack()})
		}
	}()
	if err := r.keep(); err != nil {
		return nil, fmt.Errorf("keep the receipt: %w", err)
	}
	got, err := r.read(ctx, w)
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
	text, err := r.finished(got)
	if err == nil {
		if err = w.End(text); err != nil {
			err = unsent(err)
		}
	}
	if err != nil {
		return nil, r.ended(ctx, err)
	}
	if r.receipt.ID > 0 {
		r.ready.service.store.Sent(r.receipt.ID)
	}
	return got, nil
}

// ends tells whether records came back, where all went well.
func (r *Run) ends() {
	r.receipt.State = Rows
	if r.receipt.Rows == 0 && (r.receipt.Records == nil || *r.receipt.Records == 0) {
		r.receipt.State = NoRows
	}
}

// read reads the records, hands them to w and counts what was asked for.
func (r *Run) read(ctx context.Context, w export.Writer) (*reading, error) {
	of := r.ready.bound.report.Table.Of
	limit := r.ready.service.config.RunTime
	if own := of.Source.At.Time; own > 0 {
		limit = min(limit, own)
	}
	started := time.Now()
	leave, err := r.ready.from.source.Enter(ctx, r.receipt.Person, r.ready.service.config.RunTime)
	r.waiting = time.Since(started)
	if err != nil {
		return nil, r.ready.service.failed(of, err)
	}
	defer leave()
	running, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("%w: %s", ErrTime, limit))
	defer cancel()
	most := -1 // the number of the first row that is one too many
	if n := of.Source.At.Rows; n > 0 {
		most = n + 1
	}
	got := newReading(r)
	var broken error // what w failed with: the one who reads is gone, or too slow
	q := r.ready.query()
	q.Limit, q.Skip = r.request.Limit, r.request.Skip
	r.sent.aside(running, r.ready.service.spool, r.ready.service.config.SpoolBytes)
	start := time.Now()
	// The view outlives the time of the run by that of the evidence.
	err = r.ready.from.source.View(ctx, func(v source.View) error {
		if q.Extents, err = extentsOf(running, v, r.ready.from.sql, q); err != nil {
			return err
		}
		q.Show = got.columns
		statement := r.ready.from.sql.Select(q)
		r.receipt.SQL, r.receipt.Values = statement.SQL, boundTo(statement)
		err := v.Rows(running, statement, func(row []value.Value) error {
			if r.receipt.Rows == 0 {
				if broken = w.Begin(); broken != nil {
					return broken
				}
			}
			if r.receipt.Rows++; r.receipt.Rows == most {
				return fmt.Errorf("%w: %d", ErrSize, most-1)
			}
			got.add(row)
			broken = w.Row(row)
			return broken
		})
		if err != nil {
			return err
		}
		if r.receipt.Rows == 0 {
			if broken = w.Begin(); broken != nil {
				return broken
			}
		}
		all := int64(q.Skip + r.receipt.Rows)
		last := q.Limit == 0 || r.receipt.Rows < q.Limit && (r.receipt.Rows > 0 || q.Skip == 0) // there are no rows after these
		got.whole = last && q.Skip == 0
		counted := !last && !r.request.Evidence && !r.request.Uncounted
		if counted {
			if all, err = v.Count(running, r.ready.from.sql.Count(q)); err != nil {
				return err
			}
		}
		if last || counted {
			r.receipt.Records = &all
		}
		if !r.request.Evidence {
			return nil
		}
		if broken = w.HandOn(); broken != nil {
			return broken
		}
		q.Limit, q.Skip = 0, 0
		r.count(ctx, v, q, got)
		return ctx.Err()
	})
	r.atSource = time.Since(start) - r.sent.took
	switch {
	case err == nil:
		return got, nil
	case running.Err() != nil && ctx.Err() == nil:
		return nil, context.Cause(running)
	case ctx.Err() != nil:
		return nil, context.Cause(ctx)
	case broken != nil:
		return nil, unsent(broken)
	case errors.Is(err, ErrSize):
		return nil, err
	}
	return nil, r.ready.service.failed(of, err)
}

// reading is what is kept of the rows while they are read.
type reading struct {
	columns     []*column.Column // those shown, then those of the key that are not
	keys        []int            // where the columns of the key are
	whole       bool             // whether the rows are all that there are
	fingerprint *evidence.Fingerprint
	marks       *marks
}

func newReading(r *Run) *reading {
	table := r.ready.bound.report.Table
	got := &reading{columns: table.Show}
	if !r.request.Evidence {
		return got
	}
	got.columns = append([]*column.Column{}, table.Show...)
	for _, k := range table.Of.Key {
		at := indexOf(got.columns, k)
		if at < 0 {
			at = len(got.columns)
			got.columns = append(got.columns, k)
		}
		got.keys = append(got.keys, at)
	}
	got.begin(table.Show)
	return got
}

func (g *reading) begin(shown []*column.Column) {
	g.fingerprint, g.marks = evidence.NewFingerprint(shown), &marks{}
}

func (g *reading) add(row []value.Value) {
	if g.fingerprint != nil {
		g.marks.add(row, g.keys, g.fingerprint.Add(row))
	}
}

func indexOf(columns []*column.Column, of *column.Column) int {
	for i, c := range columns {
		if c == of {
			return i
		}
	}
	return -1
}

// Notes are what is known, before the rows are read, that whoever reads them should know.
func (r *Run) Notes() []string {
	var all []string
	for _, n := range r.ready.notes {
		all = append(all, n.says)
	}
	return all
}

// ID is the number of its receipt, 0 where it is not on record.
func (r *Run) ID() int64 { return r.receipt.ID }

// Sent reports whether anything of the result was sent.
func (r *Run) Sent() bool { return r.sent.n > 0 }
