package run

import (
	"context"
	"maps"
	"slices"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/receipt"
)

// nearest finds the period nearest to the one asked for that has records under all
// other conditions: of the first condition with days or moments whose prompt can be
// answered so; where no prompt asks for one, of the first such condition.
func (c *counter) nearest(ctx context.Context, why *receipt.WhyEmpty) error {
	steps := c.plan.All()
	asked := false
	for i, step := range steps {
		if !evidence.IsPeriod(step) || step.Asked == nil || !step.Asked.IsAsked() {
			continue
		}
		asked = true
		others := slices.Delete(slices.Clone(steps), i, i+1)
		near, err := c.near(ctx, step, others)
		if err != nil || near != nil {
			why.Nearest = near
			return err
		}
	}
	if asked || !c.plan.Alone {
		return nil
	}
	near, err := c.near(ctx, c.plan.Period, c.plan.Steps)
	why.Nearest = near
	return err
}

// near finds the nearest period of one condition, nil for none.
func (c *counter) near(ctx context.Context, p *criteria.Bound, others []*criteria.Bound) (*receipt.Nearest, error) {
	if len(p.Periods) > 1 {
		return nil, nil
	}
	earlier, later, err := c.besides(ctx, p, others)
	if err != nil {
		return nil, err
	}
	var asked civil.Period
	if m := p.Moments; len(p.Periods) == 1 {
		asked = p.Periods[0]
	} else if m.First.IsValid() && m.Last.IsValid() {
		asked = civil.Period{First: civil.DayHolding(m.First.At, c.run.Zone), Last: civil.DayHolding(m.Last.At, c.run.Zone)}
	}
	for _, near := range evidence.Near(asked, earlier, later) {
		found := &receipt.Nearest{First: near.First, Last: near.Last, Spelled: near.Spelled()}
		entry := near
		switch p.Op { // which leave out the day that they are answered with
		case criteria.After:
			entry = civil.Period{First: near.First - 1, Last: near.First - 1}
		case criteria.Before:
			entry = civil.Period{First: near.Last + 1, Last: near.Last + 1}
		}
		q := c.counting(append(slices.Clone(others), &criteria.Bound{Column: p.Column, Op: p.Op, Periods: []civil.Period{entry}})...)
		if a := p.Asked; a != nil && a.IsAsked() {
			found.Prompt, found.Answer = a.Name, answerOf(entry, a.Type)
			var passes bool
			if q, passes = c.answering(found.Prompt, found.Answer); !passes {
				continue
			}
		}
		n, err := c.numbers(ctx, c.run.ready.From.SQL.Count(q))
		if err != nil {
			return nil, err
		}
		if found.Records = n[0]; found.Records > 0 {
			return found, nil
		}
	}
	return nil, nil
}

// besides are the days of the nearest records that only a condition leaves out, before
// and after its period; the zero Day for none.
func (c *counter) besides(ctx context.Context, p *criteria.Bound, others []*criteria.Bound) (earlier, later civil.Day, err error) {
	if p == c.plan.Period {
		if ends := c.e.Ends; ends != nil && ends.NearestBefore != nil {
			earlier = ends.NearestBefore.Day
		}
		if ends := c.e.Ends; ends != nil && ends.NearestAfter != nil {
			later = ends.NearestAfter.Day
		}
		return earlier, later, nil
	}
	if c.of != nil {
		return 0, 0, nil // it would take all records of a large table
	}
	plan := evidence.Plan{Period: p, Alone: true, Steps: others, Dated: p.Column}
	groups, err := c.groups(ctx, c.run.ready.From.SQL.Tally(c.counting(), plan), compile.ReadGroups(plan))
	f := plan.Sum(groups)
	if f.Earlier.Any {
		earlier = civil.DayHolding(f.Earlier.Last, c.run.ready.Bound.ZoneOf(p.Column))
	}
	if f.Later.Any {
		later = civil.DayHolding(f.Later.First, c.run.ready.Bound.ZoneOf(p.Column))
	}
	return earlier, later, err
}

// answering is the query that the run would be with another answer to one prompt; false
// where that would be refused.
func (c *counter) answering(name, entry string) (compile.Query, bool) {
	entered := maps.Clone(c.run.request.Answers)
	if entered == nil {
		entered = map[string]prompt.Entered{}
	}
	entered[name] = prompt.OneText(entry)
	answers, refused := prompt.Check(c.run.ready.Bound.Report.Answered(), entered, c.run.ready.Bound.Setting)
	if len(refused) > 0 {
		return compile.Query{}, false
	}
	b := answer.Bind(c.run.ready.Bound.Report, c.run.ready.Bound.Section, answers, c.run.ready.Bound.Setting)
	q := b.Counting(b.Where())
	q.Extents = c.query.Extents
	return q, true
}

// answerOf is a period as one would answer a prompt of the type with it: the name of a
// month, quarter or year where it is one, with times of day where they are asked for.
func answerOf(p civil.Period, t prompt.Type) string {
	if t == prompt.MomentPeriod {
		return p.First.String() + " 00:00 to " + p.Last.String() + " 24:00"
	}
	for _, unit := range []civil.Unit{civil.Years, civil.Quarters, civil.Months} {
		if p.Whole(unit) == 1 {
			return unit.Name(p.First)
		}
	}
	if p.First == p.Last {
		return p.First.String()
	}
	return p.First.String() + " to " + p.Last.String()
}
