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
)

// takes lists for each operator the column types that it applies to and the
// prompt types whose answers it takes.
var takes = map[Op]struct {
	days, numbers, texts bool
	prompts              []prompt.Type
	many                 bool // it takes a prompt with many answers
}{
	Within:  {days: true, prompts: []prompt.Type{prompt.Period}},
	From:    {days: true, prompts: []prompt.Type{prompt.Day}},
	Through: {days: true, prompts: []prompt.Type{prompt.Day}},
	Before:  {days: true, prompts: []prompt.Type{prompt.Day}},
	After:   {days: true, prompts: []prompt.Type{prompt.Day}},
	Is:      {days: true, numbers: true, texts: true, prompts: []prompt.Type{prompt.Day, prompt.Number, prompt.Choice}},
	AnyOf:   {days: true, numbers: true, texts: true, prompts: []prompt.Type{prompt.Day, prompt.Days, prompt.Number, prompt.Choice}, many: true},
	AtLeast: {numbers: true, prompts: []prompt.Type{prompt.Number}},
	AtMost:  {numbers: true, prompts: []prompt.Type{prompt.Number}},
	Missing: {days: true, numbers: true, texts: true},
	Present: {days: true, numbers: true, texts: true},
}

// Ops lists the operators that take an operand, in the order of the reference.
var Ops = []Op{Within, From, Through, Before, After, Is, AnyOf, AtLeast, AtMost}

// AppliesTo reports whether the operator can stand on a column of the type.
func (op Op) AppliesTo(t record.Type) bool {
	o := takes[op]
	switch {
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
	case prompt.Day, prompt.Days, prompt.Period:
		fits = fits && t.IsDated()
	case prompt.Number:
		fits = fits && t.IsNumeric()
	case prompt.Choice:
		fits = fits && !t.IsDated()
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

// Operand is a prompt's answer, or values written in the definition: days and
// periods as phrases, read on the as-of day of each run.
type Operand struct {
	Prompt *prompt.Prompt
	Texts  []string
}

// Bound is a node with its answers in place: what runs.
type Bound struct {
	Logic Logic
	Nodes []*Bound

	Column  *record.Column
	Op      Op
	Periods []civil.Period    // for days: one for each period or whole day meant
	Numbers []decimal.Decimal // for numbers
	Texts   []string          // for texts
	Labels  []string          // what people read instead of Texts or Numbers, where there is any
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
	case prompt.Day, prompt.Period:
		b.Periods = []civil.Period{a.Period}
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

// Span is a run of days as bounds: from the start of From up to, and without,
// the start of Until. A zero side is no bound; an Empty span holds no day.
type Span struct {
	From, Until civil.Day
	Empty       bool
}

// Spans turns the days of a condition into bounds by the operator. There is no
// bound above the last day that there is, and no day after it.
func (b *Bound) Spans() []Span {
	spans := make([]Span, len(b.Periods))
	for i, p := range b.Periods {
		next, _ := p.Last.Next()
		switch b.Op {
		case Within, Is, AnyOf:
			spans[i] = Span{From: p.First, Until: next}
		case From:
			spans[i] = Span{From: p.First}
		case Through:
			spans[i] = Span{Until: next}
		case Before:
			spans[i] = Span{Until: p.First}
		case After:
			spans[i] = Span{From: next, Empty: !next.IsValid()}
		}
	}
	return spans
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
