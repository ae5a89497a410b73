package answer

import (
	"context"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/daycount"
	"pikegate/internal/core/evidence"
	"pikegate/internal/service/counts"
	"pikegate/internal/source"
)

// What is told of a large table before it is read comes from the calendar of counts, so that
// opening a report's page does not read the table.

// counted is what a calendar of counts has of a dataset, nil where the dataset is not large or
// can have none; its records are then counted as they are asked for.
func (p *Ready) counted(ctx context.Context, v source.View, of *column.Column) (*counts.Of, error) {
	d := p.Bound.Section.Query.Of
	found := p.Answers.counts.Of(d, of, p.From)
	if found == nil {
		return nil, nil
	}
	large, err := p.Answers.counts.IsLarge(ctx, v, d, p.From, p.Bound.Counting(nil))
	if !large {
		found = nil
	}
	return found, err
}

// mostExact is how many records a period of a large table may have for those that match to be
// counted before a run; of larger ones some are counted, and the number is about right.
const mostExact = 50_000

// The days that are looked at to tell how many records of a period meet conditions.
const (
	sampledDays    = 8
	sampledRecords = 100_000
)

// matches counts the records that a run on a large table would bring: exactly where the period
// has few of them, else about, from the calendar and from some days of the period.
func (p *Ready) matches(ctx context.Context, v source.View, of *counts.Of, plan evidence.Plan, m *Matches) error {
	q := p.Bound.Counting(criteria.AllOf(p.Bound.Own, plan.Period))
	known := p.Answers.counts.Find(ctx, of)
	periods := evidence.WholeDays(plan.Period)
	if known == nil || periods == nil {
		n, err := v.Count(ctx, p.From.SQL.FirstFew(q, mostExact+1))
		if err != nil {
			return err
		}
		if n <= mostExact {
			return p.exactMatches(ctx, v, q, plan, m)
		}
		m.Of, m.Records, m.OrMore = n-1, 0, true
		if len(plan.Steps) == 0 {
			m.Records = m.Of
		}
		return nil
	}
	all := known.Days.Within(periods...)
	if all.Records <= mostExact {
		return p.exactMatches(ctx, v, q, plan, m)
	}
	if known.Counted.Before(all.At) {
		all.At = known.Counted
	}
	m.Of, m.Records, m.About, m.CountedAt = all.Records, all.Records, true, &all.At
	steps := criteria.AllOf(plan.Steps...)
	if steps == nil {
		return nil
	}
	var days []daycount.Day
	for _, period := range periods {
		days = append(days, known.Days.Days(period)...)
	}
	var looked, met int64
	for _, d := range sampled(days) {
		on := &criteria.Bound{Column: of.Column, Op: criteria.Within, Periods: []civil.Period{{First: d.Day, Last: d.Day}}}
		row, err := v.Numbers(ctx, p.From.SQL.Among(p.Bound.Counting(criteria.AllOf(p.Bound.Own, on)), steps))
		if err != nil {
			return err
		}
		looked, met = looked+row[0], met+row[1]
	}
	if looked > 0 {
		m.Records = int64(float64(all.Records) * float64(met) / float64(looked))
	}
	return nil
}

// sampled are some of the days that have records, spread over all of them, with no more
// records than are looked at; one day at least.
func sampled(days []daycount.Day) []daycount.Day {
	var some []daycount.Day
	var records int64
	for i := range sampledDays {
		d := days[(2*i+1)*len(days)/(2*sampledDays)]
		if len(some) > 0 && (some[len(some)-1].Day == d.Day || records+d.Records > sampledRecords) {
			continue
		}
		some, records = append(some, d), records+d.Records
	}
	return some
}

// exactMatches counts the records of a query, and those of them that meet the plan's further
// conditions.
func (p *Ready) exactMatches(ctx context.Context, v source.View, q compile.Query, plan evidence.Plan, m *Matches) error {
	row, err := v.Numbers(ctx, p.From.SQL.Among(q, criteria.AllOf(plan.Steps...)))
	if err == nil {
		m.Of, m.Records = row[0], row[1]
	}
	return err
}

// fromCalendar fills a histogram of a large table from its calendar of counts.
func (s *Answers) fromCalendar(ctx context.Context, of *counts.Of, starts []civil.Day, h *Histogram) {
	known := s.counts.Find(ctx, of)
	if known == nil {
		h.Units, h.Counting = []Count{}, !of.Dataset.Source.Counting.Off
		return
	}
	records, at := known.Days.Units(starts)
	h.CountedAt = &at
	for i := range h.Units {
		h.Units[i].Records = records[i]
	}
}

// reachOf is from the first through the last day of the data that a calendar knows of.
func (s *Answers) reachOf(ctx context.Context, d *catalog.Dataset, c *column.Column) (civil.Period, bool) {
	from, err := s.base.Relation(ctx, d)
	if err != nil {
		return civil.Period{}, false
	}
	of := s.counts.Of(d, c, from)
	if of == nil || of.IsIndexed() {
		return civil.Period{}, false // the ends are found by the index
	}
	known := s.counts.Known(ctx, of)
	if known == nil {
		return civil.Period{}, false
	}
	return known.Days.Reach(), true
}

// reads is about how many records a run would have the database read: by its own estimate, else
// by the calendar of counts of a large table; nil where neither tells.
func (p *Ready) reads(ctx context.Context, v source.View, plan *source.Plan) (*int64, error) {
	if plan.Reads > 0 {
		return &plan.Reads, nil
	}
	of := evidence.PlanOf(p.Bound.Parts, nil, nil)
	if of.Period == nil {
		return nil, nil
	}
	counted, err := p.counted(ctx, v, of.Period.Column)
	if err != nil || counted == nil {
		return nil, err
	}
	known := p.Answers.counts.Find(ctx, counted)
	if known == nil {
		return nil, nil
	}
	records := known.Days.All().Records
	if counted.IsIndexed() && of.Alone && of.Narrows() {
		records = known.Days.Within(evidence.WholeDays(of.Period)...).Records
	}
	return &records, nil
}
