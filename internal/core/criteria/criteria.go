// Package criteria has the condition tree of a query, from the tree as a
// developer wrote it, with prompts in it, to the tree that runs, with answers
// in their place. Package readback says it in plain English.
package criteria

import (
	"slices"
	"strconv"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

// Logic joins the nodes of a group; a condition has none.
type Logic string

const (
	Condition Logic = ""
	All       Logic = "all"
	Any       Logic = "any"
	None      Logic = "none" // the exact opposite of any
)

// Node is a group or a condition, as a developer wrote it.
type Node struct {
	Logic Logic
	Nodes []*Node // of a group, at least one

	Filter *Filter // in place of a condition of its own

	Column     *column.Column
	Op         Op
	Operand    Operand // none for Missing and Present
	IgnoreCase bool    // texts are compared after Unicode simple folding
	// At is where a condition is defined, as in query late-sailings:7:7 with its line and column;
	// "" where that is not known.
	At string
}

// Filter is named criteria that queries of its dataset share.
type Filter struct {
	Name  string
	Where *Node
}

// Walk calls f for each condition of the tree.
func (n *Node) Walk(f func(*Node)) {
	if n == nil {
		return
	}
	switch {
	case n.Filter != nil:
		n.Filter.Where.Walk(f)
	case n.Logic == Condition:
		f(n)
	}
	for _, child := range n.Nodes {
		child.Walk(f)
	}
}

// Operand is a prompt's answer, another column, an attribute of the person who
// runs it, or values written in the definition: days and periods as phrases, read
// on the as-of day of each run.
type Operand struct {
	Prompt *prompt.Prompt
	Side   Side // of a prompt's answer that has two, "" for all of it
	Column *column.Column
	Person Attribute
	Texts  []string
	Recurs Recurrence      // of RecursIn
	Times  civil.TimeRange // of ClockWithin
}

// Side is one of the two ends of an answer.
type Side string

const (
	StartSide Side = "start"
	EndSide   Side = "end"
)

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

var partExamples = map[Part]string{Months: "jan to dec or 1 to 12", Quarters: "1 to 4", Days: "1 to 31", Weekdays: "mon to sun"}

// Examples says which values the part has.
func (p Part) Examples() string { return partExamples[p] }

// Named finds a value of the part by its name or its number, as definitions write
// it: jan, 1, mon. No part has none.
func (p Part) Named(text string) (int, bool) {
	n, err := strconv.Atoi(text)
	isNumber := err == nil && n >= 1
	switch p {
	case Months:
		if month, ok := phrase.MonthNamed(text); ok {
			return int(month), true
		}
		return n, isNumber && n <= 12
	case Weekdays:
		day, ok := phrase.WeekdayNamed(text)
		return int(day), ok
	case Quarters:
		return n, isNumber && n <= 4
	case Days:
		return n, isNumber && n <= 31
	}
	return 0, false
}

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

	Column  *column.Column
	Op      Op
	Periods []civil.Period     // for days: one for each period or whole day meant
	Moments civil.MomentPeriod // for moments, in place of Periods
	Recurs  Recurrence         // for RecursIn
	Times   civil.TimeRange    // for ClockWithin
	Numbers []decimal.Decimal  // for numbers
	Lower   *decimal.Decimal   // for a range of numbers, nil for an open side
	Upper   *decimal.Decimal
	Texts   []string       // for texts
	Truth   bool           // for yes-no
	Other   *column.Column // the column to compare with, in place of all those
	Labels  []string       // what people read instead of Texts or Numbers, where there is any

	IgnoreCase bool
	At         string // where it is defined
	// Asked is the prompt whose whole answer is in it, nil for none.
	Asked *prompt.Prompt
}

// Dropped is a condition that does not run because its prompt was left
// unanswered.
type Dropped struct {
	Column *column.Column
	Prompt *prompt.Prompt
}

// Bind puts the answers in place. A condition whose prompt was left unanswered
// is dropped, and so is a group of which nothing is left; the result is nil
// where nothing remains at all.
// What asks who runs it has to be answered before, by For; else it holds for no record.
func Bind(n *Node, answers prompt.Answers, s phrase.Setting) (*Bound, []Dropped) {
	b := binder{answers: answers, setting: s}
	return b.bind(n), b.dropped
}

// binder binds one tree.
type binder struct {
	answers prompt.Answers
	setting phrase.Setting
	dropped []Dropped
	made    int
	room    []Bound // that nodes are taken from, several at a time
}

func (r *binder) new() *Bound {
	if len(r.room) == 0 {
		r.room = make([]Bound, max(2, r.made))
		r.made += len(r.room)
	}
	b := &r.room[0]
	r.room = r.room[1:]
	return b
}

func (r *binder) bind(n *Node) *Bound {
	switch {
	case n == nil:
		return nil
	case n.Filter != nil:
		return r.bind(n.Filter.Where)
	case n.Logic == Condition:
		return r.condition(n)
	}
	b := r.new()
	b.Logic, b.Nodes = n.Logic, make([]*Bound, 0, len(n.Nodes))
	for _, child := range n.Nodes {
		if bound := r.bind(child); bound != nil {
			b.Nodes = append(b.Nodes, bound)
		}
	}
	if len(b.Nodes) == 0 {
		return nil
	}
	return b
}

func (r *binder) condition(n *Node) *Bound {
	b := r.new()
	b.Column, b.Op, b.IgnoreCase, b.At = n.Column, n.Op, n.IgnoreCase, n.At
	operand := &n.Operand
	switch p := operand.Prompt; {
	case n.Op == Missing || n.Op == Present:
	case n.Op == RecursIn && p == nil:
		b.Recurs = operand.Recurs
	case operand.Column != nil:
		b.Other = operand.Column
	case operand.Person != "":
		return never(n.Column)
	case p == nil && n.Op == ClockWithin:
		b.Times = operand.Times
	case p == nil:
		b.SetTexts(operand.Texts, r.setting)
	default:
		b.Recurs.Part = operand.Recurs.Part
		if operand.Side == "" {
			b.Asked = p
		}
		if a := r.answers[p.Name]; a == nil || !a.Given || !b.answer(a, operand.Side) {
			r.dropped = append(r.dropped, Dropped{Column: n.Column, Prompt: p})
			return nil
		}
	}
	return b
}

// answer takes an answer, or one side of it; false where that side is open.
//
// One branch for each type of prompt.
func (b *Bound) answer(a *prompt.Answer, side Side) bool {
	switch a.Prompt.Type {
	case prompt.Moment, prompt.MomentPeriod:
		b.Moments = a.Moments
		switch side {
		case StartSide:
			b.Moments.Last = a.Moments.First
		case EndSide:
			b.Moments.First = a.Moments.Last
		}
		return b.Moments.First.IsValid() || b.Moments.Last.IsValid()
	case prompt.TimeRange:
		b.Times = a.Times
	case prompt.Days:
		for _, d := range a.Days {
			b.Periods = append(b.Periods, civil.Period{First: d, Last: d})
		}
	case prompt.Number:
		b.Numbers = []decimal.Decimal{a.Number}
	case prompt.NumberRange:
		return b.numberRange(a, side)
	case prompt.Text:
		b.Texts = []string{a.Text}
	case prompt.YesNo:
		b.Truth = a.Truth
	case prompt.Choice:
		if b.Op == RecursIn {
			b.recurring(a.Choices)
			break
		}
		for _, c := range a.Choices {
			b.AddText(c.Value)
			b.Labels = append(b.Labels, c.Label)
		}
	default:
		p := a.Period
		switch side {
		case StartSide:
			p.Last = p.First
		case EndSide:
			p.First = p.Last
		}
		b.Periods = []civil.Period{p}
		return p.First.IsValid() || p.Last.IsValid()
	}
	return true
}

// recurring takes choices of parts of the calendar; the definition was checked, so
// they are named.
func (b *Bound) recurring(choices []prompt.Option) {
	for _, c := range choices {
		n, _ := b.Recurs.Part.Named(c.Value)
		b.Recurs.Values = append(b.Recurs.Values, n)
	}
	slices.Sort(b.Recurs.Values)
}

func (b *Bound) numberRange(a *prompt.Answer, side Side) bool {
	one := map[Side]*decimal.Decimal{StartSide: a.Lower, EndSide: a.Upper}[side]
	switch {
	case side == "":
		b.Lower, b.Upper = a.Lower, a.Upper
		return b.Lower != nil || b.Upper != nil
	case one == nil:
		return false
	}
	b.Numbers = []decimal.Decimal{*one}
	return true
}

// SetTexts sets the values that a definition writes out; it was checked, so they can be read.
func (b *Bound) SetTexts(texts []string, s phrase.Setting) {
	for _, text := range texts {
		switch {
		case b.Column.Type.IsDated():
			r, _ := phrase.Period(text, s)
			b.Periods = append(b.Periods, r.Period)
		case b.Column.Type == column.YesNo:
			b.Truth, _ = prompt.ParseYesNo(text)
		default:
			b.AddText(text)
		}
	}
	if denied, _ := b.Op.Denies(); (b.Op == Within || denied == Within) && len(b.Numbers) == 2 {
		b.Lower, b.Upper, b.Numbers = &b.Numbers[0], &b.Numbers[1], nil
	}
}

// AddText adds a value as a text or, on a column of numbers, as a number.
func (b *Bound) AddText(text string) {
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

// Hull is the span from where the first of Spans begins to where the last one ends.
func (b *Bound) Hull() Span {
	spans := b.Spans()
	hull := spans[0]
	if len(spans) == 1 {
		return hull
	}
	whole := b.Periods[0]
	for _, p := range b.Periods[1:] {
		if !p.First.IsValid() || whole.First.IsValid() && p.First < whole.First {
			whole.First = p.First
		}
		if !p.Last.IsValid() || whole.Last.IsValid() && p.Last > whole.Last {
			whole.Last = p.Last
		}
	}
	next, _ := whole.Last.Next()
	return b.Op.span(civil.StartOf(whole.First), civil.StartOf(next))
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
func (b *Bound) Excludes(missing *column.Column) bool {
	if b == nil {
		return false
	}
	excludes := func(n *Bound) bool { return n.Excludes(missing) }
	switch b.Logic {
	case Condition:
		_, negates := b.Op.Denies()
		return b.Op != Missing && !negates && (b.Column == missing || b.Other == missing)
	case All:
		return slices.ContainsFunc(b.Nodes, excludes)
	case None:
		return slices.ContainsFunc(b.Nodes, func(n *Bound) bool { return n.Logic == Condition && n.Op == Missing && n.Column == missing })
	}
	return !slices.ContainsFunc(b.Nodes, func(n *Bound) bool { return !excludes(n) })
}

// AllOf is criteria that hold where all of several do, any of which may be nil; nil
// where all are.
func AllOf(parts ...*Bound) *Bound {
	var last *Bound
	there := 0
	for _, p := range parts {
		if p != nil {
			last = p
			there++
		}
	}
	if there <= 1 {
		return last
	}
	all := &Bound{Logic: All, Nodes: make([]*Bound, 0, there)}
	for _, p := range parts {
		if p != nil {
			all.Nodes = append(all.Nodes, p)
		}
	}
	return all
}

// Both is criteria that hold where both of two do, either of which may be nil for none.
func Both(a, b *Node) *Node {
	switch {
	case a == nil:
		return b
	case b == nil:
		return a
	}
	return &Node{Logic: All, Nodes: []*Node{a, b}}
}

// Sort is one column of the order of records.
type Sort struct {
	Column     *column.Column
	Descending bool
}

// Clock is the time that days and moments are taken in.
type Clock struct {
	Name string // what people call it
	Zone *time.Location
}

// Together are the conditions and groups that all have to hold, one by one; none for nil.
func (b *Bound) Together() []*Bound {
	if b == nil {
		return nil
	}
	if b.Logic != All {
		return []*Bound{b}
	}
	var all []*Bound
	for _, n := range b.Nodes {
		all = append(all, n.Together()...)
	}
	return all
}
