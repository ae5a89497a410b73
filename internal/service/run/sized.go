package run

import (
	"context"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/daycount"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/value"
	"pikegate/internal/service/receipt"
	"pikegate/internal/store"
)

// Evidence of a large table: what lies inside the period is counted in the rows' snapshot, the
// records next to it are looked for by the index, and what lies outside is told from the
// calendar of counts, with the time at which it was counted.

// mostNeighbours is how many of the records nearest to the period are looked at on either side,
// firstNeighbours how many at first.
const (
	firstNeighbours = 16
	mostNeighbours  = 1000
)

// size finds out whether the evidence of the run is to cost what its period has, rather than
// what the table has: where the table is large, an index leads to the period, and nobody asked
// for all of it to be counted.
func (c *counter) size(ctx context.Context) error {
	ready := c.run.ready
	if c.run.request.Whole || !c.plan.Alone || ready.From.SQL.HasCriteriaInside() {
		return nil
	}
	if !c.plan.Narrows() {
		return nil
	}
	of := c.run.runs.counts.Of(ready.Bound.Section.Query.Of, c.plan.Dated, ready.From)
	if of == nil || !of.IsIndexed() {
		return nil
	}
	large, err := c.run.runs.counts.IsLarge(ctx, c.view, of.Dataset, ready.From, c.counting())
	if large {
		c.of = of
	}
	return err
}

// mostCounted is how many records of a large table's period are counted for a page of its rows.
// Where all rows are sent they are counted however many they are, which costs no more than that.
const mostCounted = 300_000

// isPage reports whether the run sends no more than a page of the rows of a large table whose
// period has more records than are counted for a page.
func (c *counter) isPage(ctx context.Context) (bool, error) {
	if c.of == nil || c.run.request.Limit == 0 {
		return false, nil
	}
	if known := c.run.runs.counts.Find(ctx, c.of); known != nil {
		if periods := evidence.WholeDays(c.plan.Period); periods != nil {
			return known.Days.Within(periods...).Records > mostCounted, nil
		}
	}
	n, err := c.numbers(ctx, c.run.ready.From.SQL.FirstFew(c.counting(c.plan.Period), mostCounted+1))
	return err == nil && n[0] > mostCounted, err
}

// sizedPage tells of a page of a large period what the index and the calendar have: its ends and
// the records next to it, and how many there are by days.
func (c *counter) sizedPage(ctx context.Context) error {
	c.e.NotComputed = append(c.e.NotComputed, "what each condition left: the period has more records than are counted for a page of them")
	found := c.run.runs.counts.Find(ctx, c.of)
	periods := evidence.WholeDays(c.plan.Period)
	if found != nil && periods != nil {
		if err := c.outside(ctx, found.Days.Within(periods...).Records); err != nil {
			return err
		}
		c.e.Period.InsideToo = true
	}
	c.e.Ends = &receipt.Ends{Column: c.plan.Dated.Label}
	span, others := c.plan.Period.Hull(), criteria.AllOf(c.plan.All()...)
	first, _, err := c.nearestTo(ctx, span.From, true, others)
	if err != nil {
		return err
	}
	last, _, err := c.nearestTo(ctx, span.Until, false, others)
	if err != nil {
		return err
	}
	if first != nil && last != nil {
		c.e.Ends.First, c.e.Ends.Last = &receipt.EndDay{Dated: *first}, &receipt.EndDay{Dated: *last}
	}
	c.otherwise = -1
	return c.neighbours(ctx)
}

// sizedTally counts the records of the period in the groups of the plan, and tells from the
// calendar what lies outside.
func (c *counter) sizedTally(ctx context.Context) error {
	if page, err := c.isPage(ctx); err != nil || page {
		if err == nil {
			err = c.sizedPage(ctx)
		}
		return err
	}
	statement, read := c.run.ready.From.SQL.TallyInside(c.counting(c.plan.Period), c.plan)
	groups, err := c.groups(ctx, statement, read)
	if err != nil {
		return err
	}
	f := c.plan.Sum(groups)
	inside := f.Classes[evidence.Inside]
	if err := c.outside(ctx, inside); err != nil {
		return err
	}
	all := c.e.All
	for i, step := range c.plan.All() {
		count := receipt.ConditionCount{Says: c.says(step), Left: f.Left[i], At: step.At}
		if all != nil {
			away := *all - f.Left[i]
			count.TookAway = &away
		}
		c.e.ConditionCounts = append(c.e.ConditionCounts, count)
		all = &f.Left[i]
	}
	c.records(f.Result)
	c.otherwise = -1
	c.endsOf(f)
	return c.neighbours(ctx)
}

// outside tells from the calendar what lies outside the period.
func (c *counter) outside(ctx context.Context, inside int64) error {
	found := c.run.runs.counts.Find(ctx, c.of)
	if found == nil {
		why := "they were not counted yet; that is done in the background"
		switch {
		case c.of.IsTried():
			why = "records are counted in the background for what is published, and this is a draft"
		case c.of.Dataset.Source.Counting.Off:
			why = "the source says that its records are not counted in the background"
		}
		c.e.NotComputed = append(c.e.NotComputed, "the records outside the period: "+why)
		return nil
	}
	changed, err := c.agree(ctx, found, inside)
	if err != nil {
		return err
	}
	p, days := c.plan.Period, &found.Days
	span := p.Hull()
	before, after := daycount.Figure{At: found.Counted}, daycount.Figure{At: found.Counted}
	if span.From.IsSet() {
		first := c.dayOf(span.From)
		before = days.Before(first)
		rest, err := c.restOf(ctx, span.From, first, outsideOp(p.Op, criteria.After, criteria.Through, criteria.Before))
		if err != nil {
			return err
		}
		before.Records += rest
	}
	if span.Until.IsSet() {
		last := c.dayOf(span.Until)
		if span.Until.Day().IsValid() {
			last--
		}
		after = days.After(last)
		rest, err := c.restOf(ctx, span.Until, last, outsideOp(p.Op, criteria.Before, criteria.From, criteria.After))
		if err != nil {
			return err
		}
		after.Records += rest
	}
	missing, unreadable := days.Missing(), days.Unreadable()
	_, denies := p.Op.Denies()
	r := &receipt.Reconciliation{Column: p.Column.Label, Says: c.says(p), Excluded: denies, Before: before.Records, Inside: inside, After: after.Records,
		Missing: missing.Records, Unreadable: unreadable.Records, Changed: changed}
	if len(p.Periods) > 1 {
		r.Between = c.between(days)
	}
	at := oldest(before.At, after.At, missing.At, unreadable.At)
	r.CountedAt = &at
	all := r.Before + r.Inside + r.Between + r.After + r.Missing + r.Unreadable
	c.e.Period, c.e.All = r, &all
	c.unreadable(p.Column, r.Unreadable)
	return nil
}

func oldest(times ...time.Time) time.Time {
	first := times[0]
	for _, t := range times {
		if t.Before(first) {
			first = t
		}
	}
	return first
}

// dayOf is the day that an edge of the period lies on.
func (c *counter) dayOf(e civil.Edge) civil.Day {
	switch {
	case e.Day().IsValid():
		return e.Day()
	case c.plan.Dated.Type == column.Instant:
		return civil.DayHolding(e.Instant(c.run.Zone), c.run.Zone)
	}
	return civil.DayAt(e.Wall(c.run.Zone), time.UTC)
}

// outsideOp is the operator of what lies beyond one side of a period: another one where the
// period's own operator leaves out the moment that it names.
func outsideOp(of, excluding, then, usual criteria.Op) criteria.Op {
	if of == excluding {
		return then
	}
	return usual
}

// restOf counts the records of the day of an edge that lie beyond it; 0 where the edge is that
// of a whole day.
func (c *counter) restOf(ctx context.Context, e civil.Edge, d civil.Day, beyond criteria.Op) (int64, error) {
	if e.Day().IsValid() {
		return 0, nil
	}
	of := c.plan.Dated
	rest := &criteria.Bound{Column: of, Op: beyond, Moments: c.plan.Period.Moments}
	on := &criteria.Bound{Column: of, Op: criteria.Within, Periods: []civil.Period{{First: d, Last: d}}}
	n, err := c.numbers(ctx, c.run.ready.From.SQL.Count(c.counting(on, rest)))
	if err != nil {
		return 0, err
	}
	return n[0], nil
}

// between is how many records the calendar has between the days of a period of several, on
// none of them.
func (c *counter) between(days *daycount.Calendar) int64 {
	periods := c.plan.Period.Periods
	hull := civil.Period{First: periods[0].First, Last: periods[0].Last}
	for _, p := range periods {
		hull = civil.Period{First: min(hull.First, p.First), Last: max(hull.Last, p.Last)}
	}
	return days.Within(hull).Records - days.Within(periods...).Records
}

// agree holds what the calendar has of the days of the period to what the snapshot has. Where
// they differ, the days are counted anew, as far as they are not many: the data changed since.
func (c *counter) agree(ctx context.Context, found *store.Calendar, inside int64) (changed bool, err error) {
	periods := evidence.WholeDays(c.plan.Period)
	if periods == nil {
		return false, nil // moments, which are parts of days
	}
	if found.Days.Within(periods...).Records == inside {
		return false, nil
	}
	sent, err := c.run.runs.counts.Recount(ctx, c.view, c.of, periods)
	c.e.Statements += sent
	if err == nil {
		if again := c.run.runs.counts.Find(ctx, c.of); again != nil {
			*found = *again
		}
	}
	return true, err
}

// neighbours finds the nearest records that only the period leaves out, and the newest of all.
func (c *counter) neighbours(ctx context.Context) error {
	span := c.plan.Period.Hull()
	others := criteria.AllOf(c.plan.Steps...)
	for _, side := range []struct {
		edge  civil.Edge
		later bool
		into  **receipt.Dated
	}{{span.From, false, &c.e.Ends.NearestBefore}, {span.Until, true, &c.e.Ends.NearestAfter}} {
		if !side.edge.IsSet() {
			continue
		}
		near, looked, err := c.nearestTo(ctx, side.edge, side.later, others)
		if err != nil {
			return err
		}
		if *side.into = near; near == nil && looked == mostNeighbours {
			c.e.Ends.NoneAmong = mostNeighbours
		}
	}
	if !c.knowsReach() {
		return nil
	}
	newest, _, err := c.nearestTo(ctx, civil.Edge{}, false, nil)
	c.e.CompleteUpTo = newest
	return err
}

// nearestTo finds the first of the records nearest to an edge that the conditions hold for, nil
// where none of those that are looked at meets them: a few at first, for the most part they do.
func (c *counter) nearestTo(ctx context.Context, edge civil.Edge, later bool, conditions *criteria.Bound) (found *receipt.Dated, looked int, err error) {
	of := c.plan.Dated
	for _, most := range []int{firstNeighbours, mostNeighbours} {
		looked = 0
		err = c.rows(ctx, c.run.ready.From.SQL.Neighbours(c.counting(), of, edge, later, conditions, most), func(row []value.Value) error {
			looked++
			if meets, _ := row[1].Int(); meets == 0 || found != nil {
				return nil
			}
			if _, seconds, ok := of.Compared().Moment(row[0]); ok {
				near := c.dated(seconds)
				found = &near
			}
			return nil
		})
		if err != nil || found != nil || looked < most {
			break
		}
	}
	return found, looked, err
}

// sizedWithout finds what each further condition keeps out of the period, where all of them
// together leave nothing of it.
func (c *counter) sizedWithout(ctx context.Context, why *receipt.WhyEmpty) error {
	steps := c.plan.Steps
	if len(steps) < 2 || len(steps) > compile.MostPassedBy {
		return nil
	}
	met, err := c.passedBy(ctx, c.counting(c.plan.Period), steps)
	if err != nil {
		return err
	}
	for i, step := range steps {
		if n := met.meeting(met.all() &^ (1 << i)); n > 0 {
			why.Without = append(why.Without, receipt.WithoutCondition{Says: c.says(step), Records: n})
		}
	}
	return nil
}
