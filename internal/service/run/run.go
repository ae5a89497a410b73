// Package run runs reports: it sends their rows to whoever asked, counts the evidence, and
// compares a run with an earlier one or with another version of the report.
package run

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime/debug"
	"time"

	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source"
)

// Run is a report whose answers were checked: it only has to be streamed.
type Run struct {
	Columns []*column.Column
	Zone    *time.Location

	runs    *Runs
	ready   *answer.Ready
	request answer.Request
	from    place // where the page of rows before these ended
	receipt receipt.Receipt
	begun   bool // it is on record as running
	sent    sending
	// What the answers, the waiting, the whole time at the source, and of that the
	// evidence took.
	checking, waiting, atSource, counting time.Duration
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
		r.receipt.Reading = &answer.ReadBy{Now: time.Unix(set.Now, 0).UTC(), DayOrder: set.Order, FiscalYearStarts: set.FiscalStart}
	}
	if r.ready.Bound.Answers != nil {
		r.receipt.Answers = answer.InOrder(r.ready.Bound.Report, r.ready.Bound.Answers)
	}
	if err == nil {
		err = r.affordable(ctx)
	}
	if err == nil {
		said := r.ready.Bound.Said()
		r.receipt.ReadBack, r.receipt.ReadBackPieces = said.String(), said
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
	got := newReading(r, w)
	r.sent.aside(running, r.runs.base.Spool, r.runs.base.Config.SpoolBytes)
	start := time.Now()
	// The view outlives the time of the run by that of the evidence.
	err = r.ready.From.Source.View(ctx, func(v source.View) error {
		q := r.ready.Query()
		q.Limit, q.Skip = r.request.Limit, r.request.Skip
		got.goOn(r.from, &q)
		read := r.meter(ctx, v)
		if err := r.readRows(running, v, &q, got); err != nil {
			return err
		}
		if err := r.countRest(running, v, q, got); err != nil {
			return err
		}
		if r.request.Evidence {
			if err := got.flush(); err != nil {
				return err
			}
			q.Limit, q.Skip, q.After = 0, 0, nil
			read.rows(ctx)
			r.count(ctx, v, q, got)
			r.receipt.Evidence.Read = read.evidence(ctx)
		}
		r.page(ctx, v, got)
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
	case got.broken != nil:
		return nil, unsent(got.broken)
	case errors.Is(err, receipt.ErrSize):
		return nil, err
	}
	return nil, r.runs.base.Failed(of, err)
}

// readRows reads the rows of a query and hands them on; no more than the source allows.
func (r *Run) readRows(ctx context.Context, v source.View, q *compile.Query, got *reading) (err error) {
	sql := r.ready.From.SQL
	if q.Extents, err = base.ExtentsOf(ctx, v, sql, *q); err != nil {
		return err
	}
	if r.ready.Bound.Report.Table.Summary != nil {
		return r.sumUp(ctx, v, q, got)
	}
	q.Show = got.columns
	statement := sql.Select(*q)
	r.receipt.SQL, r.receipt.Values = statement.SQL, answer.BoundTo(statement)
	most := r.ready.Bound.Report.Table.Of.Source.At.Rows
	err = v.Rows(ctx, statement, func(row []value.Value) error {
		if r.receipt.Rows++; most > 0 && r.receipt.Rows > most {
			return fmt.Errorf("%w: %d", receipt.ErrSize, most)
		}
		return got.add(row)
	})
	if err != nil {
		return err
	}
	return got.begin() // where there was no row
}

// countRest tells how many records match in all, where the rows tell it, or counts them
// where that was asked for and the evidence does not.
func (r *Run) countRest(ctx context.Context, v source.View, q compile.Query, got *reading) error {
	if r.receipt.Groups != nil {
		return nil // a summary knows what it is of
	}
	last := q.Limit == 0 || r.receipt.Rows < q.Limit && (r.receipt.Rows > 0 || q.Skip == 0) // there are no rows after these
	got.whole = last && got.before == 0
	all := int64(got.before + r.receipt.Rows)
	q.Skip, q.After = 0, nil
	switch {
	case last:
	case r.request.Evidence || r.request.Uncounted:
		return nil
	default:
		c := r.counter(v, q)
		err := c.size(ctx)
		if err != nil {
			return err
		}
		if page, err := c.isPage(ctx); err != nil || page {
			return err // more than are counted for a page
		}
		if all, err = v.Count(ctx, r.ready.From.SQL.Count(q)); err != nil {
			return err
		}
	}
	r.receipt.Records = &all
	return nil
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
