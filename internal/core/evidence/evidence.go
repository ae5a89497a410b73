// Package evidence says what is counted so that anyone can see that a result is
// right, and how the figures must add up.
//
// All records of the dataset are counted once, in groups: by where they lie beside the
// period, and by how many of the further conditions they pass, in written order. The
// reconciliation, the condition counts and the ends of the result are all computed from these
// few groups, so that they cannot contradict each other.
package evidence

import (
	"slices"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
)

// Plan is what is counted of a query's records.
type Plan struct {
	// Period is the first condition with days or moments, which is reconciled; nil for
	// none.
	Period *criteria.Bound
	// Alone says that the period is a condition of its own, not part of a group: then
	// it is the first of the condition counts.
	Alone bool
	Steps []*criteria.Bound // the further conditions, in written order
	Dated *column.Column    // whose dates tell the ends: the period's; else the first one sorted by, or shown; nil for none
}

// PlanOf plans the evidence of criteria that hold together, any of which may be nil.
func PlanOf(parts []*criteria.Bound, sort []criteria.Sort, show []*column.Column) Plan {
	var p Plan
	for _, part := range parts {
		switch {
		case part == nil:
		case part.Logic == criteria.All:
			p.Steps = append(p.Steps, part.Nodes...)
		default:
			p.Steps = append(p.Steps, part)
		}
	}
	if i := slices.IndexFunc(p.Steps, IsPeriod); i >= 0 {
		p.Period, p.Alone = p.Steps[i], true
		p.Steps = slices.Delete(p.Steps, i, i+1)
	} else {
		for _, step := range p.Steps {
			step.Walk(func(b *criteria.Bound) {
				if p.Period == nil && IsPeriod(b) {
					p.Period = b
				}
			})
		}
	}
	if p.Period != nil {
		p.Dated = p.Period.Column
		return p
	}
	for _, s := range sort {
		show = append([]*column.Column{s.Column}, show...)
	}
	if i := slices.IndexFunc(show, func(c *column.Column) bool { return c.Type.IsDated() }); i >= 0 {
		p.Dated = show[i]
	}
	return p
}

// IsPeriod reports whether a node is a condition on a column that days or moments bound.
func IsPeriod(b *criteria.Bound) bool {
	return b.Logic == criteria.Condition && b.Column.Type.IsDated() && b.Other == nil &&
		!slices.Contains([]criteria.Op{criteria.Missing, criteria.Present, criteria.RecursIn, criteria.ClockWithin}, b.Op)
}

// WholeDays are the periods of whole days that a condition on days or moments stands for, an
// open side being none; nil where it stands for parts of days.
func WholeDays(b *criteria.Bound) []civil.Period {
	var all []civil.Period
	for _, span := range b.Spans() {
		from, until := span.From.Day(), span.Until.Day()
		if span.From.IsSet() != from.IsValid() || span.Until.IsSet() != until.IsValid() || span.Empty {
			return nil
		}
		p := civil.Period{First: from}
		if until.IsValid() {
			p.Last = until - 1
		}
		all = append(all, p)
	}
	return all
}

// Narrows reports whether the condition on the period keeps what lies inside it, and something
// can.
func (p Plan) Narrows() bool { return !p.denies() && !p.Period.Hull().Empty }

// All are the conditions that are counted, the period first where it is one.
func (p Plan) All() []*criteria.Bound {
	if p.Alone {
		return append([]*criteria.Bound{p.Period}, p.Steps...)
	}
	return p.Steps
}

// Class is where a record lies beside the period.
type Class int

const (
	Before Class = iota
	Inside
	Between // several days: after the first and before the last, on none of them
	After
	Missing    // without a date
	Unreadable // its stored value is no date
)

// Group is the records of a class that pass so many of the further steps and then
// fail one.
type Group struct {
	Class   Class
	Passed  int
	Records int64
	Span    Span // of their dates
}

// Span is a first and a last date in seconds, those of days and wall times as if UTC;
// the zero Span has none.
type Span struct {
	First, Last int64
	Any         bool
}

func (s Span) with(other Span) Span {
	if !s.Any || !other.Any {
		if other.Any {
			return other
		}
		return s
	}
	return Span{First: min(s.First, other.First), Last: max(s.Last, other.Last), Any: true}
}

// Figures are what the groups come to.
type Figures struct {
	All     int64                 // records of the dataset
	Classes [Unreadable + 1]int64 // of all records
	// Left is how many records are left after each condition.
	Left   []int64
	Result int64 // records that pass all of them
	Span   Span  // of the result
	// OnEnds is how many records lie on the first day of the result and how many on its last, where
	// each group of it is of a single day; else nil.
	OnEnds *[2]int64
	Data   Span // of all records
	// Earlier and Later are the nearest records that only the period leaves out: the
	// last before it and the first after it.
	Earlier, Later Span
	// Otherwise is how many records pass all the steps but the period.
	Otherwise int64
}

// Sum adds the groups up.
func (p Plan) Sum(groups []Group) Figures {
	f := Figures{Left: make([]int64, len(p.All()))}
	n := len(p.Steps)
	var result []Group
	for _, g := range groups {
		f.All += g.Records
		f.Classes[g.Class] += g.Records
		f.Data = f.Data.with(g.Span)
		kept, first := true, 0
		if p.Alone {
			kept, first = p.keeps(g.Class), 1
			if kept {
				f.Left[0] += g.Records
			}
		}
		if kept {
			for i := range g.Passed {
				f.Left[first+i] += g.Records
			}
		}
		if g.Passed < n {
			continue
		}
		f.Otherwise += g.Records
		switch {
		case kept:
			result = append(result, g)
			f.Result += g.Records
			f.Span = f.Span.with(g.Span)
		case g.Class == Before && !p.denies():
			f.Earlier = f.Earlier.with(g.Span)
		case g.Class == After && !p.denies():
			f.Later = f.Later.with(g.Span)
		}
	}
	f.OnEnds = p.onEnds(result, f.Span)
	return f
}

// onEnds counts the records on the ends of a result, see Figures.
func (p Plan) onEnds(result []Group, span Span) *[2]int64 {
	if !span.Any || p.Dated.Type != column.Date {
		return nil
	}
	var on [2]int64
	for _, g := range result {
		if !g.Span.Any || g.Span.First != g.Span.Last {
			return nil
		}
		for i, end := range []int64{span.First, span.Last} {
			if g.Span.First == end {
				on[i] += g.Records
			}
		}
	}
	return &on
}

// denies reports whether the condition on the period keeps what lies outside it.
func (p Plan) denies() bool {
	_, denies := p.Period.Op.Denies()
	return denies
}

func (p Plan) keeps(c Class) bool { return (c == Inside) != p.denies() }
