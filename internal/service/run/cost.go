package run

import (
	"context"
	"fmt"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/daycount"
	"pikegate/internal/core/english"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/service/counts"
	"pikegate/internal/source"
)

// affordable refuses a run that would read more records than its report allows, before anything
// is read: by the calendar of counts where there is one, else by counting up to the limit.
func (p *part) affordable(ctx context.Context) error {
	r, ready := p.run, p.ready
	most := ready.Bound.Report.MostRead
	if most == 0 {
		return nil
	}
	table := ready.Bound.Section.Query
	plan := ready.Bound.Plan()
	q := ready.Bound.Counting(nil)
	var periods []civil.Period
	var known *daycount.Calendar
	if of := r.runs.counts.Of(table.Of, plan.Dated, ready.From); of != nil && of.IsIndexed() && plan.Alone && plan.Narrows() {
		q.Where = plan.Period
		if periods = evidence.WholeDays(plan.Period); periods != nil {
			known = r.knownDays(ctx, of)
		}
	}
	var reads int64
	if known != nil {
		reads = known.Within(periods...).Records
	} else {
		err := r.runs.base.Look(ctx, ready.From.Source, r.runs.base.Config().EvidenceTime, func(ctx context.Context, v source.View) (err error) {
			reads, err = v.Count(ctx, ready.From.SQL.FirstFew(q, int(most)+1))
			return err
		})
		if err != nil {
			return r.runs.base.Failed(table.Of, err)
		}
	}
	if reads <= most {
		return nil
	}
	return r.tooDear(plan, periods, known, reads)
}

// tooDear refuses a run that would read so many records; known is nil where only so much is
// known that they are more than may be read.
func (r *Run) tooDear(plan evidence.Plan, periods []civil.Period, known *daycount.Calendar, reads int64) error {
	most := r.ready.Bound.Report.MostRead
	about := english.Grouped(reads)
	if known == nil {
		about = "more than " + english.Grouped(most)
	}
	f := fault.New(fault.ReadsTooMuch, "this would read %s records, and the report may read %s; ask for less", about, english.Grouped(most))
	f.Limit = fmt.Sprintf("read: %d", most)
	if plan.Period != nil && plan.Period.Asked != nil && plan.Alone {
		f.Message += ", by a shorter period"
		f.Place.Prompt = plan.Period.Asked.Name
		if known != nil && len(periods) == 1 {
			f.Suggest(lastDays(known, periods[0], most))
		}
	}
	return &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{f}}
}

// knownDays is what the calendar of counts knows, nil where there is none yet.
func (r *Run) knownDays(ctx context.Context, of *counts.Of) *daycount.Calendar {
	if found := r.runs.counts.Find(ctx, of); found != nil {
		return &found.Days
	}
	return nil
}

// lastDays is as much of the end of a period as has no more records than may be read; "" where
// its last day has more.
func lastDays(known *daycount.Calendar, p civil.Period, most int64) string {
	days := known.Days(p)
	var first civil.Day
	for i := len(days) - 1; i >= 0; i-- {
		if most -= days[i].Records; most < 0 {
			break
		}
		first = days[i].Day
	}
	if !first.IsValid() {
		return ""
	}
	last := p.Last
	if !last.IsValid() {
		last = days[len(days)-1].Day
	}
	return answerOf(civil.Period{First: first, Last: last}, "")
}
