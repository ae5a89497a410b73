package run

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"runtime/debug"
	"slices"
	"sync/atomic"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source"
)

// Again runs what a receipt tells of once more and compares: as it was, by the
// definitions and the as-of day of then; or, given a day, as of that day by the
// definitions of now. Conditions on the person are those of the one who ran it.
func (s *Runs) Again(ctx context.Context, id int64, asOf string) (*Comparison, error) {
	before, kept, err := s.receipts.Kept(ctx, id)
	if err != nil {
		return nil, err
	}
	if before.Partly {
		return nil, &base.Refusal{Kind: base.DefinitionInError, Faults: fault.List{fault.New("not_recorded", "%s", before.Problem)}}
	}
	req := answer.Request{Answers: before.Entered, AsOf: asOf, Evidence: true}
	var report *catalog.Report
	revisions := before.Revisions
	if asOf == "" {
		req.AsOf, req.Then = before.AsOf.String(), before.Reading
		if req.With, err = s.asItWas(ctx, before); err != nil {
			return nil, err
		}
		report = req.With.Reports[before.Report]
	} else {
		revisions = s.base.Published.Load().BuiltOf(before.Report)
		if report, err = s.base.Report(before.Report); err != nil {
			return nil, err
		}
	}
	who := base.PersonOf(ctx)
	r := s.newRun(ctx, report, req)
	r.receipt.ID, r.receipt.Again, r.receipt.Revisions = s.base.Store.NextReceipt(), id, revisions
	if err := r.prepare(base.WithPerson(ctx, base.Person{Name: before.Person, Role: before.Role})); err != nil {
		return nil, r.ended(ctx, err)
	}
	r.receipt.Person, r.receipt.Role = who.Name, who.Role
	if asOf == "" && before.ZoneRules != r.receipt.ZoneRules {
		r.ready.Notes = append(r.ready.Notes, answer.Note{Says: fmt.Sprintf("The time zone rules were those of release %s then and are those of %s now.", before.ZoneRules, r.receipt.ZoneRules)})
	}
	got, err := r.stream(ctx, Nowhere{})
	if err != nil {
		return nil, err
	}
	earlier, err := receipt.Unpack(kept)
	if err != nil {
		return nil, err
	}
	return compare(report, *before, r.receipt, earlier, got.marks)
}

// asItWas are the definitions that a run was made of, in the revisions of then.
func (s *Runs) asItWas(ctx context.Context, r *receipt.Receipt) (*catalog.Catalog, error) {
	var docs []catalog.Document
	for _, part := range r.Revisions {
		d, _, err := s.base.Store.Document(ctx, catalog.Ref{Kind: part.Kind, Name: part.Name}, part.Revision)
		if err != nil {
			return nil, base.NoSuch(d.Ref, err)
		}
		docs = append(docs, d)
	}
	zone := s.base.Zone()
	defs, broken := definition.Load(docs, r.Reading.On(s.base.Setting(r.AsOf, zone)), s.base.Config.Functions...)
	if defs.Reports[r.Report] == nil {
		faults := broken[catalog.Ref{Kind: catalog.KindReport, Name: r.Report}]
		if len(faults) == 0 {
			faults = fault.List{fault.New("not_recorded", "receipt %d does not tell which revisions it was made of", r.ID)}
		}
		return nil, &base.Refusal{Kind: base.DefinitionInError, Faults: faults}
	}
	return defs, nil
}

// Compare runs two versions of a report and compares their rows. Neither version is
// stored, and neither run is on record.
func (s *Runs) Compare(ctx context.Context, name string, v Versions) (*Comparison, error) {
	var receipts [2]receipt.Receipt
	var rows [2]*receipt.Digests
	var report *catalog.Report
	for i, files := range [][]catalog.File{v.Before, v.After} {
		defs, err := s.base.Beside(ctx, files)
		if err != nil {
			return nil, err
		}
		if report = defs.Reports[name]; report == nil {
			return nil, base.UnknownReport(name, defs)
		}
		r, digests, err := s.Try(ctx, report, answer.Request{Answers: v.Answers, AsOf: v.AsOf, Evidence: true, With: defs}, Nowhere{})
		if err != nil {
			return nil, err
		}
		receipts[i], rows[i] = *r, digests
	}
	return compare(report, receipts[0], receipts[1], rows[0], rows[1])
}

// ended puts on record that a run has no whole result, and why.
func (r *Run) ended(ctx context.Context, err error) error {
	r.receipt.State, r.receipt.Problem = receipt.StateOf(err), err.Error()
	var refusal *base.Refusal
	if errors.As(err, &refusal) {
		for _, f := range refusal.Faults {
			r.receipt.Faults = append(r.receipt.Faults, *f)
		}
	}
	if r.receipt.ID == 0 {
		return err
	}
	if _, unkept := r.finished(nil); unkept != nil {
		slog.ErrorContext(ctx, "a receipt could not be kept", "receipt", r.receipt.ID, "state", r.receipt.State, "error", unkept)
	}
	return &receipt.RunError{Receipt: r.receipt.ID, Err: err}
}

// finished puts the end of the run on record, where it is to be, and returns the
// receipt.
func (r *Run) finished(got *reading) ([]byte, error) {
	t := &r.receipt.Time
	t.Checking, t.Waiting, t.Sending, t.Counting = receipt.Milliseconds(r.checking), receipt.Milliseconds(r.waiting), receipt.Milliseconds(r.sent.took), receipt.Milliseconds(r.counting)
	t.Database = receipt.Milliseconds(max(0, r.atSource-r.counting))
	r.receipt.TookMS = math.Round(1000*(t.Checking+t.Recording+t.Waiting+t.Database+t.Sending+t.Counting)) / 1000
	r.receipt.Says = r.receipt.State.Says()
	for _, n := range r.ready.Notes {
		r.receipt.Notes = append(r.receipt.Notes, n.Says)
	}
	text, err := json.Marshal(&r.receipt)
	if err != nil {
		return nil, err
	}
	if r.receipt.ID == 0 {
		return text, nil
	}
	var kept []byte
	if got != nil && got.marks != nil {
		kept = got.marks.Packed()
	}
	if len(text) > receipt.MostRefused && r.receipt.State == receipt.Refused {
		if text, err = json.Marshal(r.receipt.Shortened()); err != nil {
			return nil, err
		}
	}
	var head []byte // of a receipt that is small a list shows as much as it likes
	if len(text) > receipt.MostHead {
		if head, err = r.receipt.Head(); err != nil {
			return nil, err
		}
	}
	row := r.receipt.Row(text, head, kept)
	row.Begun = r.begun
	r.begun = false
	return text, r.runs.base.Store.Keep(row)
}

// keep puts on record that the run is about to start.
func (r *Run) keep() error {
	if r.receipt.ID == 0 {
		return nil
	}
	starting := r.receipt
	starting.Pieces = nil // the sentence says as much
	text, err := json.Marshal(&starting)
	if err != nil {
		return err
	}
	r.begun = true
	start := time.Now()
	err = r.runs.base.Store.Keep(r.receipt.Row(text, nil, nil))
	r.receipt.Time.Recording = receipt.Milliseconds(time.Since(start))
	return err
}

// Run is a report whose answers were checked: it only has to be streamed.
type Run struct {
	Columns []*column.Column
	Zone    *time.Location

	runs    *Runs
	ready   *answer.Ready
	request answer.Request
	receipt receipt.Receipt
	begun   bool // it is on record as running
	sent    sending
	// What the answers, the waiting, the whole time at the source, and of that the
	// evidence took.
	checking, waiting, atSource, counting time.Duration
}

// Prepare checks the answers of a run and compiles its query. Nothing has been
// read yet. A run that is not to be is on record all the same.
func (s *Runs) Prepare(ctx context.Context, name string, req answer.Request) (*Run, error) {
	switch {
	case len(req.Files) > 0:
		return s.try(ctx, name, req)
	case req.Of > 0:
		return s.further(ctx, name, req)
	}
	report, err := s.base.Report(name)
	var broken *base.Refusal
	if errors.As(err, &broken) && broken.Kind == base.DefinitionInError {
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

// further prepares to read more rows of a run that is on record, as its receipt has it.
func (s *Runs) further(ctx context.Context, name string, req answer.Request) (*Run, error) {
	before, err := s.receipts.Find(ctx, req.Of)
	if err != nil {
		return nil, err
	}
	report, err := s.base.Report(name)
	if err != nil {
		return nil, err
	}
	switch {
	case before.Report != name:
		return nil, &base.Refusal{Kind: base.Unknown, Faults: fault.List{fault.New("unknown_receipt", "receipt %d is of the report %s", req.Of, before.Report)}}
	case before.Partly || before.State != receipt.Rows || !slices.Equal(before.Revisions, s.base.Published.Load().BuiltOf(name)):
		return nil, &base.Refusal{Kind: base.Conflicting, Faults: fault.List{fault.New("run_again", "there are no further rows of this run to be had: it did not bring any, or the report has changed since; run it again")}}
	}
	r := s.newRun(ctx, report, answer.Request{Answers: before.Entered, AsOf: before.AsOf.String(), Limit: req.Limit, Skip: req.Skip, Uncounted: req.Uncounted, Then: before.Reading})
	r.receipt.PageOf = req.Of
	return r, r.prepare(base.WithPerson(ctx, base.Person{Name: before.Person, Role: before.Role}))
}

// try prepares a run of definitions that are not published.
func (s *Runs) try(ctx context.Context, name string, req answer.Request) (*Run, error) {
	defs, err := s.base.Beside(ctx, req.Files)
	if err != nil {
		return nil, err
	}
	report := defs.Reports[name]
	if report == nil {
		return nil, base.UnknownReport(name, defs)
	}
	req.With = defs
	r := s.newRun(ctx, report, req)
	return r, r.prepare(ctx)
}

// Try runs a report that need not be published, and hands its rows to w. The run is not on
// record; what its receipt would be is returned, with the digests of its rows where
// evidence was asked for.
func (s *Runs) Try(ctx context.Context, report *catalog.Report, req answer.Request, w export.Writer) (*receipt.Receipt, *receipt.Digests, error) {
	r := s.newRun(ctx, report, req)
	if err := r.prepare(ctx); err != nil {
		return nil, nil, err
	}
	got, err := r.read(ctx, w)
	if err != nil {
		return nil, nil, err
	}
	r.ends()
	if _, err := r.finished(got); err != nil {
		return nil, nil, err
	}
	return &r.receipt, got.marks, nil
}

// newRun is a run of a report, with the receipt that it will have.
func (s *Runs) newRun(ctx context.Context, report *catalog.Report, req answer.Request) *Run {
	who := base.PersonOf(ctx)
	r := &Run{runs: s, ready: &answer.Ready{Answers: s.answers, Bound: answer.Bound{Report: report}}, request: req}
	r.receipt = receipt.Receipt{Report: report.Name, Title: report.Title, Person: who.Name, Role: who.Role, Entered: req.Answers, Limit: req.Limit, Skip: req.Skip,
		AsOf: s.base.Today(s.base.Zone()), ZoneRules: civil.ZoneRules, State: receipt.Running, StartedAt: s.base.Config.Now().UTC()}
	return r
}

func (r *Run) prepare(ctx context.Context) error {
	start := time.Now()
	defer func() { r.checking = time.Since(start) }()
	var err error
	r.ready, err = r.runs.answers.ReadyFor(ctx, r.ready.Bound.Report, r.request)
	table := r.ready.Bound.Report.Table
	from := table.Of.Source
	r.Columns, r.Zone = table.Show, from.Zone
	r.receipt.Zone, r.receipt.Clock = from.Zone.String(), from.Clock
	if set := r.ready.Bound.Setting; set.AsOf.IsValid() { // else it was refused
		r.receipt.AsOf = set.AsOf
		r.receipt.Reading = &answer.ReadBy{Now: time.Unix(set.Now, 0).UTC(), DayOrder: set.Order, FiscalStart: set.FiscalStart}
	}
	if r.ready.Bound.Answers != nil {
		r.receipt.Answers = answer.InOrder(r.ready.Bound.Report, r.ready.Bound.Answers)
	}
	if err == nil {
		said := r.ready.Bound.Said()
		r.receipt.ReadBack, r.receipt.Pieces = said.String(), said
	}
	return err
}

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
func (r *Run) Stream(ctx context.Context, w export.Writer) (*receipt.Receipt, error) {
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
	r.runs.running.Add(1)
	defer r.runs.running.Add(-1)
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
		r.runs.base.Store.Sent(r.receipt.ID)
	}
	return got, nil
}

// ends tells whether records came back, where all went well.
func (r *Run) ends() {
	r.receipt.State = receipt.Rows
	if r.receipt.Rows == 0 && (r.receipt.Records == nil || *r.receipt.Records == 0) {
		r.receipt.State = receipt.NoRows
	}
}

// read reads the records, hands them to w and counts what was asked for.
func (r *Run) read(ctx context.Context, w export.Writer) (*reading, error) {
	of := r.ready.Bound.Report.Table.Of
	limit := r.runs.base.Config.RunTime
	if own := of.Source.At.Time; own > 0 {
		limit = min(limit, own)
	}
	started := time.Now()
	leave, err := r.ready.From.Source.Enter(ctx, r.receipt.Person, r.runs.base.Config.RunTime)
	r.waiting = time.Since(started)
	if err != nil {
		return nil, r.runs.base.Failed(of, err)
	}
	defer leave()
	running, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("%w: %s", base.ErrTime, limit))
	defer cancel()
	most := -1 // the number of the first row that is one too many
	if n := of.Source.At.Rows; n > 0 {
		most = n + 1
	}
	got := newReading(r)
	var broken error // what w failed with: the one who reads is gone, or too slow
	q := r.ready.Query()
	q.Limit, q.Skip = r.request.Limit, r.request.Skip
	r.sent.aside(running, r.runs.base.Spool, r.runs.base.Config.SpoolBytes)
	start := time.Now()
	// The view outlives the time of the run by that of the evidence.
	err = r.ready.From.Source.View(ctx, func(v source.View) error {
		if q.Extents, err = base.ExtentsOf(running, v, r.ready.From.Sql, q); err != nil {
			return err
		}
		q.Show = got.columns
		statement := r.ready.From.Sql.Select(q)
		r.receipt.SQL, r.receipt.Values = statement.SQL, answer.BoundTo(statement)
		err := v.Rows(running, statement, func(row []value.Value) error {
			if r.receipt.Rows == 0 {
				if broken = w.Begin(); broken != nil {
					return broken
				}
			}
			if r.receipt.Rows++; r.receipt.Rows == most {
				return fmt.Errorf("%w: %d", receipt.ErrSize, most-1)
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
			if all, err = v.Count(running, r.ready.From.Sql.Count(q)); err != nil {
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
	case errors.Is(err, receipt.ErrSize):
		return nil, err
	}
	return nil, r.runs.base.Failed(of, err)
}

// reading is what is kept of the rows while they are read.
type reading struct {
	columns     []*column.Column // those shown, then those of the key that are not
	keys        []int            // where the columns of the key are
	whole       bool             // whether the rows are all that there are
	fingerprint *evidence.Fingerprint
	marks       *receipt.Digests
}

func newReading(r *Run) *reading {
	table := r.ready.Bound.Report.Table
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
	g.fingerprint, g.marks = evidence.NewFingerprint(shown), &receipt.Digests{}
}

func (g *reading) add(row []value.Value) {
	if g.fingerprint != nil {
		g.marks.Add(row, g.keys, g.fingerprint.Add(row))
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
	for _, n := range r.ready.Notes {
		all = append(all, n.Says)
	}
	return all
}

// ID is the number of its receipt, 0 where it is not on record.
func (r *Run) ID() int64 { return r.receipt.ID }

// Sent reports whether anything of the result was sent.
func (r *Run) Sent() bool { return r.sent.n > 0 }

// Runs runs reports.
type Runs struct {
	base     *base.Base
	answers  *answer.Answers
	receipts *receipt.Receipts
	running  atomic.Int64 // those that are being streamed
}

func New(base *base.Base, answers *answer.Answers, receipts *receipt.Receipts) *Runs {
	return &Runs{base: base, answers: answers, receipts: receipts}
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
