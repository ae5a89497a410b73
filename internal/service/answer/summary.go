package answer

import (
	"context"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/summary"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
)

// Summing is what a summary is read by.
type Summing struct {
	Statement compile.Statement
	Units     [][]civil.Period // of each group by units of the calendar
	Names     [][]string       // of the units or parts of each group by dates
	Out       int              // the place of the group by dates of which what is no date is left out, -1 for none
}

// Summing makes the statement of a report that sums records up. The units that they are grouped by
// lie between the ends of the period that is asked for, and on a side that is open between those of
// the data. q is the query of the records, whose extents are known.
func (p *Ready) Summing(ctx context.Context, v source.View, q compile.Query) (*Summing, error) {
	spec := p.Bound.Section.Query.Summary
	s := &Summing{Units: make([][]civil.Period, len(spec.Groups)), Names: make([][]string, len(spec.Groups))}
	for i, g := range spec.Groups {
		if g.By == summary.Values || g.By.Comes() {
			s.Names[i] = g.By.Names()
			continue
		}
		first, last, err := p.daysOf(ctx, v, q, g.Of)
		if err != nil {
			return nil, err
		}
		units, ok := summary.Units(g.By, first, last)
		if !ok {
			f := fault.New(fault.TooManyGroups, "%s to %s has more than %s: ask for a shorter period, or have the report grouped by a longer unit", first.Plain(), last.Plain(), english.Count(summary.MostUnits, g.By.String()))
			if plan := p.Bound.Plan(); plan.Period != nil && plan.Period.Asked != nil {
				f.Place.Prompt = plan.Period.Asked.Name
			}
			return nil, &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{f}}
		}
		s.Units[i], s.Names[i] = units, summary.UnitNames(g.By, units)
	}
	s.Out = q.SortOut(spec)
	s.Statement = p.From.SQL.Summarise(q, spec, s.Units)
	return s, nil
}

// daysOf are the first and the last day that records can have in a column; neither is valid where
// there is none.
func (p *Ready) daysOf(ctx context.Context, v source.View, q compile.Query, c *column.Column) (first, last civil.Day, err error) {
	zone := p.Bound.Section.Query.Of.Source.Zone
	if plan := p.Bound.Plan(); plan.Alone && plan.Period.Column == c && plan.Narrows() {
		hull := plan.Period.Hull()
		if hull.From.IsSet() {
			first = civil.DayHolding(hull.From.Wall(zone), time.UTC)
		}
		if hull.Until.IsSet() {
			last = civil.DayHolding(hull.Until.Wall(zone)-1, time.UTC)
		}
	}
	for i, day := range []*civil.Day{&first, &last} {
		if day.IsValid() {
			continue
		}
		seconds, ok, err := base.EdgeOf(ctx, v, p.From.SQL, q, c, i == 1)
		if err != nil || !ok {
			return 0, 0, err
		}
		*day = civil.DayHolding(seconds, p.Bound.ZoneOf(c))
	}
	return first, last, nil
}
