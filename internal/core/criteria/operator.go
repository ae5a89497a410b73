package criteria

import (
	"slices"

	"pikegate/internal/core/column"
	"pikegate/internal/core/prompt"
)

// Op is an operator of a condition.
type Op string

const (
	Is      Op = "is" // equal; with a day, on that whole day
	IsNot   Op = "is_not"
	AnyOf   Op = "any_of" // equal to one of a list
	NoneOf  Op = "none_of"
	Missing Op = "missing" // no value is stored
	Present Op = "present" // a value is stored

	Before      Op = "before"       // days: earlier, the day left out
	From        Op = "from"         // days: on the day or later
	Through     Op = "through"      // days: on the day or earlier
	After       Op = "after"        // days: later, the day left out
	Within      Op = "within"       // days: in the period; numbers: in the range; both ends included
	Outside     Op = "outside"      // the opposite of within
	RecursIn    Op = "recurs_in"    // days: in a part of the calendar, any year
	ClockWithin Op = "clock_within" // times: in a part of the day, any day

	LessThan Op = "less_than"
	AtMost   Op = "at_most"
	AtLeast  Op = "at_least"
	MoreThan Op = "more_than"

	Contains   Op = "contains"
	StartsWith Op = "starts_with"
	EndsWith   Op = "ends_with"
)

// families are the kinds of columns that operators tell apart.
type families uint8

const (
	dates families = 1 << iota
	times          // dates with a time of day
	numbers
	texts
	truths

	dated = dates | times
	every = dated | numbers | texts | truths
)

func familyOf(t column.Type) families {
	switch {
	case t.IsTimed():
		return times
	case t.IsDated():
		return dates
	case t.IsNumeric():
		return numbers
	case t == column.YesNo:
		return truths
	}
	return texts
}

// operator is what is known of an Op.
type operator struct {
	on       families
	takes    []prompt.Type // the prompts whose answers it takes
	many     bool          // it takes several values
	opposite Op            // what it is the exact opposite of, "" for none
	columns  bool          // it can compare with another column
}

var (
	oneDay  = []prompt.Type{prompt.Day, prompt.Moment}
	periods = []prompt.Type{prompt.Period, prompt.Month, prompt.Quarter, prompt.Year, prompt.MomentPeriod, prompt.NumberRange}
	single  = append(slices.Clone(oneDay), prompt.Number, prompt.Text, prompt.YesNo, prompt.Choice)
	listed  = append(slices.Clone(oneDay), prompt.Days, prompt.Number, prompt.Text, prompt.Choice)
	wording = []prompt.Type{prompt.Text, prompt.Choice}
)

var operators = map[Op]operator{
	Is:          {on: every, takes: single, columns: true},
	IsNot:       {on: every, takes: single, columns: true, opposite: Is},
	AnyOf:       {on: every &^ truths, takes: listed, many: true},
	NoneOf:      {on: every &^ truths, takes: listed, many: true, opposite: AnyOf},
	Missing:     {on: every},
	Present:     {on: every},
	Before:      {on: dated, takes: oneDay, columns: true},
	From:        {on: dated, takes: oneDay, columns: true},
	Through:     {on: dated, takes: oneDay, columns: true},
	After:       {on: dated, takes: oneDay, columns: true},
	Within:      {on: dated | numbers, takes: periods},
	Outside:     {on: dated | numbers, takes: periods, opposite: Within},
	RecursIn:    {on: dated, takes: []prompt.Type{prompt.Choice}, many: true},
	ClockWithin: {on: times, takes: []prompt.Type{prompt.TimeRange}},
	LessThan:    {on: numbers, takes: []prompt.Type{prompt.Number}, columns: true},
	AtMost:      {on: numbers, takes: []prompt.Type{prompt.Number}, columns: true},
	AtLeast:     {on: numbers, takes: []prompt.Type{prompt.Number}, columns: true},
	MoreThan:    {on: numbers, takes: []prompt.Type{prompt.Number}, columns: true},
	Contains:    {on: texts, takes: wording},
	StartsWith:  {on: texts, takes: wording},
	EndsWith:    {on: texts, takes: wording},
}

// Ops lists the operators that take an operand, in the order of the reference.
var Ops = []Op{Is, IsNot, AnyOf, NoneOf, Before, From, Through, After, Within, Outside, RecursIn, ClockWithin,
	LessThan, AtMost, AtLeast, MoreThan, Contains, StartsWith, EndsWith}

// AppliesTo reports whether the operator can stand on a column of the type.
func (op Op) AppliesTo(t column.Type) bool { return operators[op].on&familyOf(t) != 0 }

// IsMany reports whether the operator takes a list of values.
func (op Op) IsMany() bool { return operators[op].many }

// ComparesColumns reports whether the operand can be another column.
func (op Op) ComparesColumns() bool { return operators[op].columns }

// Denies is the operator that this one is the exact opposite of; false where it
// denies none.
func (op Op) Denies() (Op, bool) {
	o := operators[op].opposite
	return o, o != ""
}

// sides are the types of a single end of answers that have two.
var sides = map[prompt.Type]prompt.Type{prompt.Period: prompt.Day, prompt.Month: prompt.Day, prompt.Quarter: prompt.Day, prompt.Year: prompt.Day,
	prompt.MomentPeriod: prompt.Moment, prompt.NumberRange: prompt.Number}

// HasSides reports whether answers of the type have two ends.
func HasSides(t prompt.Type) bool { return sides[t] != "" }

// Takes reports whether the operator, on a column of the type, can be answered
// by the prompt, or by one side of its answer; many reports whether it fails only
// for the number of answers.
//
// One branch for each type of answer: together they are the table of what goes with what.
func (op Op) Takes(p *prompt.Prompt, side Side, t column.Type) (ok, many bool) {
	kind := p.Type
	if side != "" {
		kind = sides[kind]
	}
	o := operators[op]
	fits := slices.Contains(o.takes, kind)
	family := familyOf(t)
	switch kind {
	case prompt.Moment, prompt.MomentPeriod, prompt.TimeRange:
		fits = fits && family == times
	case prompt.Number, prompt.NumberRange:
		fits = fits && family == numbers
	case prompt.Text:
		fits = fits && family == texts
	case prompt.YesNo:
		fits = fits && family == truths
	case prompt.Choice:
		fits = fits && (family&(numbers|texts) != 0 || op == RecursIn)
	default:
		fits = fits && family&dated != 0
	}
	if kind == prompt.Days && (op == Is || op == IsNot) && family&dated != 0 || fits && p.Many && !o.many {
		return false, true
	}
	return fits, false
}

// Form is what an operator takes where its operand is written out.
type Form string

// The forms of operands.
const (
	TakesNothing Form = "none"
	TakesValue   Form = "value"
	TakesValues  Form = "values"
	TakesDay     Form = "day"
	TakesDays    Form = "day_list"
	TakesPeriod  Form = "period"
	TakesRange   Form = "range"
	TakesTimes   Form = "times"
	TakesParts   Form = "recurs"
)

// Forms lists them.
var Forms = []Form{TakesNothing, TakesValue, TakesValues, TakesDay, TakesDays, TakesPeriod, TakesRange, TakesTimes, TakesParts}

// Form is what the operator takes on a column of the type.
func (op Op) Form(t column.Type) Form {
	dated := familyOf(t)&dated != 0
	switch {
	case op == Missing || op == Present:
		return TakesNothing
	case op == RecursIn:
		return TakesParts
	case op == ClockWithin:
		return TakesTimes
	case op == Within || op == Outside:
		if dated {
			return TakesPeriod
		}
		return TakesRange
	case operators[op].many && dated:
		return TakesDays
	case operators[op].many:
		return TakesValues
	case dated:
		return TakesDay
	}
	return TakesValue
}
