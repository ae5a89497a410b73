package run

import (
	"context"
	"fmt"
	"slices"
	"sync/atomic"
	"time"

	"pikegate/internal/core/column"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
)

// progress is how far a run is, as others may look at it while it goes on.
type progress struct {
	stage atomic.Pointer[receipt.Stage]
	rows  atomic.Int64
	share atomic.Int32 // in per cent, from 1 on; 0 where it is not known
}

func (p *progress) enters(stage receipt.Stage) { p.stage.Store(&stage) }

// tellEvery is how many rows are read between two words of how far the run is.
const tellEvery = 512

// pace tells how far the reading of a section is.
type pace struct {
	of    *progress
	rows  int64
	dated *column.Column // whose days the rows are in the order of, where that tells the share; else nil
	at    int            // where it is among the columns
	// The first and the last day of the period.
	first, last int64
	descending  bool
}

// paceOf is that of a section, whose rows may tell how much of the asked period is done.
func paceOf(p *part, columns []*column.Column) pace {
	at := pace{of: &p.run.progress}
	table := p.section().Query
	if table.Summary != nil || len(table.Sort) == 0 {
		return at
	}
	plan := p.ready.Bound.Plan()
	asked := plan.Period
	by := table.Sort[0]
	if asked == nil || asked.Column != by.Column || len(asked.Periods) != 1 {
		return at
	}
	days := asked.Periods[0]
	at.at = slices.Index(columns, by.Column)
	if at.at < 0 || !days.First.IsValid() || !days.Last.IsValid() {
		return at
	}
	at.dated, at.first, at.last, at.descending = by.Column, int64(days.First), int64(days.Last), by.Descending
	return at
}

// row counts a row.
func (t *pace) row(row []value.Value) {
	if t.rows++; t.rows%tellEvery != 0 || t.of == nil {
		return
	}
	t.of.rows.Store(t.rows)
	if t.dated == nil {
		return
	}
	day, _, ok := t.dated.Moment(row[t.at])
	if !ok {
		return
	}
	done := int64(day) - t.first
	if t.descending {
		done = t.last - int64(day)
	}
	t.of.share.Store(int32(min(max(100*done/(t.last-t.first+1), 1), 99)))
}

// Progress is how far the run is.
func (r *Run) Progress() *receipt.Progress {
	told := &receipt.Progress{Stage: receipt.Waiting, Rows: r.progress.rows.Load()}
	if stage := r.progress.stage.Load(); stage != nil {
		told.Stage = *stage
	}
	if told.Stage == receipt.Waiting && r.ready.From != nil {
		told.Ahead = r.ready.From.Source.Ahead(r.receipt.Person)
	}
	if share := int(r.progress.share.Load()); share > 0 && told.Stage == receipt.Reading {
		told.Share = &share
	}
	return told
}

// starts makes the run known as one that is under way, until ends is called. The context ends where
// somebody cancels it.
func (r *Run) starts(ctx context.Context) (running context.Context, ends func()) {
	running, r.cancel = context.WithCancelCause(ctx)
	r.done = make(chan struct{})
	if r.receipt.ID > 0 {
		r.runs.underWay.Store(r.receipt.ID, r)
	}
	return running, func() {
		r.runs.underWay.Delete(r.receipt.ID)
		r.cancel(nil)
		close(r.done)
	}
}

// find finds a run that is under way, and has it on record as such.
func (s *Runs) find(id int64) *Run {
	if r, ok := s.underWay.Load(id); ok {
		_ = r.(*Run).begun.OnRecord() // where that fails it is not found there
		return r.(*Run)
	}
	return nil
}

// Receipt finds the record of a run, with how far it is where it is under way.
func (s *Runs) Receipt(ctx context.Context, id int64) (*receipt.Receipt, error) {
	r := s.find(id)
	told, err := s.receipts.Find(ctx, id)
	if err == nil {
		r.tellProgress(told)
	}
	return told, err
}

// History lists receipts, those of runs that are under way with how far they are.
func (s *Runs) History(ctx context.Context, w receipt.Wanted) ([]receipt.Receipt, bool, error) {
	all, more, err := s.receipts.History(ctx, w)
	for i := range all {
		s.find(all[i].ID).tellProgress(&all[i])
	}
	return all, more, err
}

// tellProgress tells how far the run is, where it is under way.
func (r *Run) tellProgress(told *receipt.Receipt) {
	if r != nil && told.State == receipt.Running {
		told.Progress = r.Progress()
	}
}

// cancelTime is the longest that cancelling waits for the run to end.
const cancelTime = 5 * time.Second

// Cancel ends a run that is under way, whose statement is stopped at its source, and returns its
// receipt. Readers cancel their own runs, others any.
func (s *Runs) Cancel(ctx context.Context, id int64) (*receipt.Receipt, error) {
	r := s.find(id)
	before, err := s.receipts.Find(ctx, id)
	if err != nil {
		return nil, err
	}
	who := base.PersonOf(ctx)
	switch {
	case r == nil:
		return nil, &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.NotRunning, "run %d has ended: %s", id, before.State.Says())}}
	case who.Role == "reader" && r.receipt.Person != who.Asks():
		return nil, &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownReceipt, "no receipt %d", id)}}
	}
	r.cancel(&receipt.Stopped{By: who.Asks()})
	select {
	case <-r.done:
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-time.After(cancelTime):
		return nil, fmt.Errorf("run %d is cancelled, and its source has not stopped within %s", id, cancelTime)
	}
	return s.receipts.Find(ctx, id)
}

// UnderWay is how many runs are under way.
func (s *Runs) UnderWay() (n int) {
	s.underWay.Range(func(any, any) bool {
		n++
		return true
	})
	return n
}

// CancelAll ends all runs that are under way.
func (s *Runs) CancelAll() {
	s.underWay.Range(func(_, r any) bool {
		r.(*Run).cancel(context.Canceled)
		return true
	})
}
