// Package criteria has the condition tree of a query, from the tree as a
// developer wrote it, with prompts in it, to the tree that runs, with answers
// in their place; and the read-back, the tree said in plain English.
package criteria

import (
	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
)

// Logic joins the nodes of a group; a condition has none.
type Logic string

const (
	Condition Logic = ""
	All       Logic = "all"
	Any       Logic = "any"
)

// Op is an operator of a condition.
type Op string

const (
	Within  Op = "within"  // days: in the period, both ends included
	From    Op = "from"    // days: on the day or later
	Through Op = "through" // days: on the day or earlier
	Before  Op = "before"  // days: earlier, the day left out
	After   Op = "after"   // days: later, the day left out
	Is      Op = "is"      // equal; with a day, on that whole day
	AnyOf   Op = "any_of"  // equal to one of a list
	AtLeast Op = "at_least"
	AtMost  Op = "at_most"
	Missing Op = "missing" // no value is stored
	Present Op = "present" // a value is stored

	RecursIn    Op = "recurs_in"    // days: in a part of the calendar, any year
	ClockWithin Op = "clock_within" // times: in a part of the day, any day
)

// takes lists for each operator the column types that it applies to and the
// prompt types whose answers it takes.
var takes = map[Op]struct {
	days, times, numbers, texts bool
	prompts                     []prompt.Type
	many                        bool // it takes a prompt with many answers
}{
	Within:      {days: true, times: true, prompts: []prompt.Type{prompt.Period, prompt.Month, prompt.Quarter, prompt.Year, prompt.MomentPeriod}},
	From:        {days: true, times: true, prompts: oneDay},
	Through:     {days: true, times: true, prompts: oneDay},
	Before:      {days: true, times: true, prompts: oneDay},
	After:       {days: true, times: true, prompts: oneDay},
	Is:          {days: true, times: true, numbers: true, texts: true, prompts: append(oneDay, prompt.Number, prompt.Choice)},
	AnyOf:       {days: true, times: true, numbers: true, texts: true, prompts: append(oneDay, prompt.Days, prompt.Number, prompt.Choice), many: true},
	AtLeast:     {numbers: true, prompts: []prompt.Type{prompt.Number}},
	AtMost:      {numbers: true, prompts: []prompt.Type{prompt.Number}},
	RecursIn:    {days: true, times: true},
	ClockWithin: {times: true, prompts: []prompt.Type{prompt.TimeRange}},
	Missing:     {days: true, times: true, numbers: true, texts: true},
	Present:     {days: true, times: true, numbers: true, texts: true},
}

var oneDay = []prompt.Type{prompt.Day, prompt.Moment}

// Ops lists the operators that take an operand, in the order of the reference.
var Ops = []Op{Within, From, Through, Before, After, Is, AnyOf, RecursIn, ClockWithin, AtLeast, AtMost}

// AppliesTo reports whether the operator can stand on a column of the type.
func (op Op) AppliesTo(t record.Type) bool {
	o := takes[op]
	switch {
	case t.IsTimed():
		return o.times
	case t.IsDated():
		return o.days
	case t.IsNumeric():
		return o.numbers
	}
	return o.texts
}

// Takes reports whether the operator, on a column of the type, can be answered
// by the prompt; many reports whether it fails only for the number of answers.
func (op Op) Takes(p *prompt.Prompt, t record.Type) (ok, many bool) {
	fits := false
	for _, kind := range takes[op].prompts {
		fits = fits || kind == p.Type
	}
	switch p.Type {
	case prompt.Moment, prompt.MomentPeriod, prompt.TimeRange:
		fits = fits && t.IsTimed()
	case prompt.Number:
		fits = fits && t.IsNumeric()
	case prompt.Choice:
		fits = fits && !t.IsDated()
	default:
		fits = fits && t.IsDated()
	}
	if p.Type == prompt.Days && op == Is && t.IsDated() || fits && p.Many && !takes[op].many {
		return false, true
	}
	return fits, false
}

// Node is a group or a condition, as a developer wrote it.
type Node struct {
	Logic Logic
	Nodes []*Node // of a group, at least one

	Column  *record.Column
	Op      Op
	Operand Operand // none for Missing and Present
}

// Walk calls f for each condition of the tree.
func (n *Node) Walk(f func(*Node)) {
	if n == nil {
		return
	}
	if n.Logic == Condition {
		f(n)
	}
	for _, child := range n.Nodes {
		child.Walk(f)
	}
}

// Operand is a prompt's answer, or values written in the definition: days and
// periods as phrases, read on the as-of day of each run.
type Operand struct {
	Prompt *prompt.Prompt
	Texts  []string
	Recurs Recurrence      // of RecursIn
	Times  civil.TimeRange // of ClockWithin
}

// Part is what a recurrence names of the calendar.
type Part string

const (
	Months   Part = "months"   // 1 to 12
	Quarters Part = "quarters" // 1 to 4
	Days     Part = "days"     // of the month, 1 to 31
	Weekdays Part = "weekdays" // 0 for Sunday to 6
)

// Parts lists them in the order of the reference.
var Parts = []Part{Months, Quarters, Days, Weekdays}

// Recurrence is some months, quarters, days of the month or weekdays of any
// year, in order.
type Recurrence struct {
	Part   Part
	Values []int
}

// Bound is a node with its answers in place: what runs.
type Bound struct {
	Logic Logic
	Nodes []*Bound

	Column  *record.Column
	Op      Op
	Periods []civil.Period     // for days: one for each period or whole day meant
	Moments civil.MomentPeriod // for moments, in place of Periods
	Recurs  Recurrence         // for RecursIn
	Times   civil.TimeRange    // for ClockWithin
	Numbers []decimal.Decimal  // for numbers
	Texts   []string           // for texts
	Labels  []string           // what people read instead of Texts or Numbers, where there is any
}

// Dropped is a condition that does not run because its prompt was left
// unanswered.
type Dropped struct {
	Column *record.Column
	Prompt *prompt.Prompt
}

// Bind puts the answers in place. A condition whose prompt was left unanswered
// is dropped, and so is a group of which nothing is left; the result is nil
// where nothing remains at all.
func Bind(n *Node, answers prompt.Answers, s phrase.Setting) (*Bound, []Dropped) {
	if n == nil {
		return nil, nil
	}
	if n.Logic != Condition {
		b := &Bound{Logic: n.Logic}
		var dropped []Dropped
		for _, child := range n.Nodes {
			bound, gone := Bind(child, answers, s)
			dropped = append(dropped, gone...)
			if bound != nil {
				b.Nodes = append(b.Nodes, bound)
			}
		}
		if len(b.Nodes) == 0 {
			return nil, dropped
		}
		return b, dropped
	}
	b := &Bound{Column: n.Column, Op: n.Op}
	switch p := n.Operand.Prompt; {
	case n.Op == Missing || n.Op == Present:
	case n.Op == RecursIn:
		b.Recurs = n.Operand.Recurs
	case p == nil && n.Op == ClockWithin:
		b.Times = n.Operand.Times
	case p == nil:
		b.literal(n.Operand.Texts, s)
	case answers[p.Name] == nil || !answers[p.Name].Given:
		return nil, []Dropped{{Column: n.Column, Prompt: p}}
	default:
		b.answer(answers[p.Name])
	}
	return b, nil
}

func (b *Bound) answer(a *prompt.Answer) {
	switch a.Prompt.Type {
	case prompt.Moment, prompt.MomentPeriod:
		b.Moments = a.Moments
	case prompt.TimeRange:
		b.Times = a.Times
	case prompt.Days:
		for _, d := range a.Days {
			b.Periods = append(b.Periods, civil.Period{First: d, Last: d})
		}
	case prompt.Number:
		b.Numbers = []decimal.Decimal{a.Number}
	case prompt.Choice:
		for _, c := range a.Choices {
			b.value(c.Value)
			b.Labels = append(b.Labels, c.Label)
		}
	default:
		b.Periods = []civil.Period{a.Period}
	}
}

// literal takes values as written; the definition was checked, so they read.
func (b *Bound) literal(texts []string, s phrase.Setting) {
	for _, text := range texts {
		if b.Column.Type.IsDated() {
			r, _ := phrase.Period(text, s)
			b.Periods = append(b.Periods, r.Period)
			continue
		}
		b.value(text)
	}
}

func (b *Bound) value(text string) {
	if !b.Column.Type.IsNumeric() {
		b.Texts = append(b.Texts, text)
		return
	}
	n, err := decimal.NewFromString(text)
	if err == nil {
		b.Numbers = append(b.Numbers, n)
	}
}

// Span is a run of time as bounds: from an edge up to, and without, another. A
// zero edge is no bound; an Empty span holds nothing.
type Span struct {
	From, Until civil.Edge
	Empty       bool
}

// Spans turns the days or moments of a condition into bounds by the operator.
// There is no bound above the last day that there is, and no day after it.
func (b *Bound) Spans() []Span {
	if m := b.Moments; m.First.IsValid() || m.Last.IsValid() {
		return []Span{b.Op.span(civil.AtMoment(m.First), civil.AfterMoment(m.Last))}
	}
	spans := make([]Span, len(b.Periods))
	for i, p := range b.Periods {
		next, _ := p.Last.Next()
		spans[i] = b.Op.span(civil.StartOf(p.First), civil.StartOf(next))
	}
	return spans
}

// span is what the operator makes of a run of time, given where it starts and
// where its last day or moment ends.
func (op Op) span(first, next civil.Edge) Span {
	switch op {
	case From:
		return Span{From: first}
	case Through:
		return Span{Until: next}
	case Before:
		return Span{Until: first}
	case After:
		return Span{From: next, Empty: !next.IsSet()}
	}
	return Span{From: first, Until: next}
}

// Walk calls f for each condition of the tree.
func (b *Bound) Walk(f func(*Bound)) {
	if b == nil {
		return
	}
	if b.Logic == Condition {
		f(b)
	}
	for _, n := range b.Nodes {
		n.Walk(f)
	}
}

// Excludes reports whether the node, where it holds, says that the column is
// not missing.
func (b *Bound) Excludes(missing *record.Column) bool {
	if b == nil {
		return false
	}
	switch b.Logic {
	case Condition:
		return b.Column == missing && b.Op != Missing
	case All:
		for _, n := range b.Nodes {
			if n.Excludes(missing) {
				return true
			}
		}
		return false
	}
	for _, n := range b.Nodes {
		if !n.Excludes(missing) {
			return false
		}
	}
	return true
}
