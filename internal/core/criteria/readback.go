package criteria

import (
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
)

// Piece is a part of a read-back; Value marks what came from an answer or a
// value of the definition, so that it can be set off.
type Piece struct {
	Text  string `json:"text" doc:"A part of the sentence."`
	Value bool   `json:"value,omitempty" doc:"Whether the part is a value rather than wording."`
}

// Subject is what a sentence is about.
type Subject struct {
	Title string           // what the records are called
	Given []*prompt.Answer // those that custom SQL takes
}

// ReadBack is the sentence that says what runs.
type ReadBack []Piece

// String is the whole sentence.
func (r ReadBack) String() string {
	var b strings.Builder
	for _, p := range r {
		b.WriteString(p.Text)
	}
	return b.String()
}

func (r *ReadBack) say(format string, args ...any) {
	*r = append(*r, Piece{Text: fmt.Sprintf(format, args...)})
}

func (r *ReadBack) value(text string) { *r = append(*r, Piece{Text: text, Value: true}) }

// Sort is one column of the order of records.
type Sort struct {
	Column     *record.Column
	Descending bool
}

// Clock is the time that days and moments are taken in.
type Clock struct {
	Name string // what people call it
	Zone *time.Location
}

// Say renders the criteria that run as one sentence: what is shown, each
// condition with its values, what was left unanswered, and the order.
func Say(what Subject, b *Bound, dropped []Dropped, order []Sort, clock Clock) ReadBack {
	var r ReadBack
	r.say("%s", what.Title)
	for i, a := range what.Given {
		if i == 0 {
			r.say(" by SQL of its own, given ")
		} else {
			r.say(" and ")
		}
		r.say("%s ", a.Prompt.Name)
		r.value(a.Spelled())
	}
	if len(what.Given) > 0 {
		r.say(",")
	}
	if b == nil {
		r.say(" without any condition")
	} else {
		r.say(" ")
		r.group(b, clock, true)
	}
	for i, d := range dropped {
		if i == 0 {
			r.say("; ")
		} else {
			r.say(", ")
		}
		r.say("any %s (%s left unanswered)", label(d.Column), d.Prompt.Name)
	}
	for i, s := range order {
		if i == 0 {
			r.say("; sorted by ")
		} else {
			r.say(", then ")
		}
		r.say("%s, %s", label(s.Column), direction(s))
	}
	r.say(".")
	return r
}

// SayCriteria renders criteria alone, as they stand in the sentence.
func SayCriteria(b *Bound, clock Clock) ReadBack {
	var r ReadBack
	r.group(b, clock, true)
	return r
}

func (r *ReadBack) group(b *Bound, clock Clock, top bool) {
	if b.Logic == Condition {
		r.condition(b, clock)
		return
	}
	word, joint, last := "", ", ", ", and "
	switch {
	case b.Logic == None:
		word, joint, last = "none of ", " or ", " or "
	case b.Logic == Any && len(b.Nodes) > 1:
		word, joint, last = "either ", " or ", " or "
	}
	brackets := word != "" || !top && len(b.Nodes) > 1
	if brackets {
		r.say("%s(", word)
	}
	for i, n := range b.Nodes {
		switch {
		case i == 0:
		case i == len(b.Nodes)-1:
			r.say("%s", last)
		default:
			r.say("%s", joint)
		}
		r.group(n, clock, false)
	}
	if brackets {
		r.say(")")
	}
}

func (r *ReadBack) condition(b *Bound, clock Clock) {
	if b.Column.Type != record.Instant {
		clock.Name = "" // it is the same everywhere
	}
	subject := label(b.Column)
	if b.Column.Type.IsDated() && b.Op != Missing && b.Op != Present {
		subject = strings.TrimSuffix(subject, " on") // "due before Thu 5 Mar 2026"
	}
	r.say("%s ", subject)
	denied, denies := b.Op.Denies()
	if denies {
		positive := *b
		positive.Op = denied
		if b = &positive; b.Column.Type.IsDated() || b.Op == Within {
			r.say("not ")
		}
	}
	switch {
	case b.Other != nil:
		r.other(b, denies)
	case b.Op == Missing || b.Op == Present:
		r.say("is %s", b.Op)
	case b.Op == RecursIn:
		r.recurs(b.Recurs, clock)
	case b.Op == ClockWithin:
		r.times(b.Times, clock)
	case len(b.Periods) == 0 && b.Column.Type.IsDated():
		r.moments(b, clock)
	case b.Column.Type.IsDated():
		r.days(b, clock.Name)
	case b.Op == Within:
		r.value(prompt.SpelledRange(b.Lower, b.Upper, b.Column.Unit))
	case b.Column.Type == record.YesNo:
		r.say("%s", isOrNot(denies))
		r.value(map[bool]string{true: "yes", false: "no"}[b.Truth])
	default:
		r.values(b, denies)
	}
	if b.IgnoreCase {
		r.say(" in any case")
	}
	if denies {
		r.inBrackets("a missing one too")
	}
}

func isOrNot(denies bool) string {
	if denies {
		return "is not "
	}
	return "is "
}

// wordings say the operators on numbers and texts, and those between columns.
var wordings = map[Op]string{LessThan: "less than ", AtMost: "at most ", AtLeast: "at least ", MoreThan: "more than ",
	Contains: "contains ", StartsWith: "starts with ", EndsWith: "ends with ", Before: "before ", From: "at or after ", Through: "at or before ", After: "after "}

// other says what a column is compared with in another one.
func (r *ReadBack) other(b *Bound, denies bool) {
	word, ok := wordings[b.Op]
	if !ok {
		if word = isOrNot(denies); b.Column.Type.IsDated() {
			word = "the same as "
		}
	}
	r.say("%sthe record's ", word)
	r.value(label(b.Other))
}

// values says numbers and texts.
func (r *ReadBack) values(b *Bound, denies bool) {
	values := slices.Clone(b.Texts)
	for _, n := range b.Numbers {
		values = append(values, strings.TrimSpace(n.String()+" "+b.Column.Unit))
	}
	if len(b.Labels) > 0 {
		values = b.Labels
	}
	word, ok := wordings[b.Op]
	if !ok {
		if word = isOrNot(denies); len(values) > 1 {
			word += "one of "
		}
	}
	r.say("%s", word)
	r.value(strings.Join(values, ", "))
}

func (r *ReadBack) days(b *Bound, clock string) {
	if b.Op == AnyOf && len(b.Periods) > 1 {
		r.say("on one of ")
		spelled := make([]string, len(b.Periods))
		for i, p := range b.Periods {
			spelled[i] = p.First.Spelled()
		}
		r.value(strings.Join(spelled, ", "))
		r.inBrackets(clock)
		return
	}
	p := b.Periods[0]
	first, last := p.First.Spelled(), p.Last.Spelled()
	if p.First == p.Last && (b.Op == Within || b.Op == Is || b.Op == AnyOf) {
		r.say("on ")
		r.value(first)
		r.inBrackets("the whole day", clock)
		return
	}
	r.bounds(b.Op, first, last, "that day", fmt.Sprintf("%d days", p.Days()), clock)
}

// moments says bounds that are moments.
func (r *ReadBack) moments(b *Bound, clock Clock) {
	spelled := func(m civil.Moment) string {
		switch {
		case !m.IsValid():
			return ""
		case civil.IsRepeated(m.Time(clock.Zone)):
			return m.Spelled(clock.Zone)
		}
		return strings.TrimSuffix(m.Spelled(clock.Zone), ", "+m.Offset(clock.Zone))
	}
	p := b.Moments
	unit := "that minute"
	if p.Last.Size == 1 || !p.Last.IsValid() && p.First.Size == 1 {
		unit = "that second"
	}
	if b.Op == Is || b.Op == AnyOf {
		r.say("at ")
		r.value(spelled(p.First))
		r.inBrackets("the whole of "+unit, clock.Name)
		return
	}
	r.bounds(b.Op, spelled(p.First), spelled(p.Last), unit, unit+" included", clock.Name)
}

// bounds says a run of time by its ends as spelled, "" for an open one: unit is
// what an end stands for, both what is to be known of a run with two ends.
func (r *ReadBack) bounds(op Op, first, last, unit, both, clock string) {
	switch {
	case op == Before:
		r.say("before ")
		r.value(first)
		r.inBrackets(unit+" "+oneSided[op], clock)
	case op == After:
		r.say("after ")
		r.value(last)
		r.inBrackets(unit+" "+oneSided[op], clock)
	case op == From, op == Within && last == "":
		r.say("from ")
		r.value(first)
		r.say(" on")
		r.inBrackets(unit+" "+oneSided[From], clock)
	case op == Through, op == Within && first == "":
		r.say("through ")
		r.value(last)
		r.inBrackets(unit+" "+oneSided[Through], clock)
	default:
		r.say("from ")
		r.value(first)
		r.say(" through ")
		r.value(last)
		r.inBrackets(both, clock)
	}
}

// Labels are the words above the one or two fields of a prompt, by what the first
// condition that uses it does with the answer; "" where its question says enough.
// They are the words of the read-back.
func Labels(where *Node, p *prompt.Prompt) []string {
	var op Op
	where.Walk(func(n *Node) {
		if op == "" && n.Operand.Prompt == p && n.Operand.Side == "" {
			op = n.Op
		}
	})
	switch {
	case p.Type == prompt.Period:
		return bothLabels("that day")
	case p.Type == prompt.MomentPeriod:
		return bothLabels("that minute")
	case p.Type == prompt.TimeRange:
		return bothLabels("minute")
	case p.Pair:
		return []string{"from the start of", "through the end of"}
	case p.Type == prompt.NumberRange:
		return []string{strings.TrimSpace(wordings[AtLeast]), strings.TrimSpace(wordings[AtMost])}
	case p.Type == prompt.Day && oneSided[op] != "":
		return []string{fmt.Sprintf("%s, that day %s", op, oneSided[op])}
	case p.Type == prompt.Moment && oneSided[op] != "":
		return []string{fmt.Sprintf("%s, that minute %s", op, oneSided[op])}
	case p.Type == prompt.Number || p.Type == prompt.Text:
		return []string{strings.TrimSpace(wordings[op])}
	}
	return []string{""}
}

// oneSided says for operators of one side whether the day or moment itself is in.
var oneSided = map[Op]string{From: "included", Through: "included", Before: "left out", After: "left out"}

func bothLabels(unit string) []string {
	return []string{fmt.Sprintf("%s, %s %s", From, unit, oneSided[From]), fmt.Sprintf("%s, %s %s", Through, unit, oneSided[Through])}
}

// times says a part of the day.
func (r *ReadBack) times(t civil.TimeRange, clock Clock) {
	r.say("by the clock from ")
	r.value(t.First())
	r.say(" through ")
	r.value(t.Last())
	next, last := "of any day", "that minute included"
	if t.OverMidnight() {
		next = "the next day, any day"
	}
	if t.Size < 60 {
		last = "that second included"
	}
	r.say(" %s", next)
	r.inBrackets(last, clock.Name)
}

// recurs says a part of the calendar, so that nobody takes every January for one.
func (r *ReadBack) recurs(p Recurrence, clock Clock) {
	names := make([]string, len(p.Values))
	for i, v := range p.Values {
		switch p.Part {
		case Months:
			names[i] = time.Month(v).String()
		case Quarters:
			names[i] = fmt.Sprintf("the %s quarter", ordinals[v])
		case Days:
			names[i] = fmt.Sprint(v)
		default:
			names[i] = "a " + time.Weekday(v).String()
		}
	}
	before, after := "in ", " of any year"
	switch p.Part {
	case Days:
		before, after = "on day ", " of any month"
	case Weekdays:
		before, after = "on ", " of any week"
	}
	r.say("%s", before)
	r.value(fault.Either(names))
	r.say("%s", after)
	r.inBrackets(clock.Name)
}

var ordinals = [...]string{1: "first", "second", "third", "fourth"}

func (r *ReadBack) inBrackets(remarks ...string) {
	remarks = slices.DeleteFunc(remarks, func(s string) bool { return s == "" })
	if len(remarks) > 0 {
		r.say(" (%s)", strings.Join(remarks, ", "))
	}
}

func direction(s Sort) string {
	words := [2]string{"A to Z", "Z to A"}
	switch {
	case s.Column.Type.IsDated():
		words = [2]string{"oldest first", "newest first"}
	case s.Column.Type.IsNumeric():
		words = [2]string{"least first", "greatest first"}
	case s.Column.Type == record.YesNo:
		words = [2]string{"no first", "yes first"}
	}
	if s.Descending {
		return words[1]
	}
	return words[0]
}

// label is a column's label as it stands within a sentence: a capital that is
// alone at its start becomes small.
func label(c *record.Column) string {
	first, size := utf8.DecodeRuneInString(c.Label)
	second, _ := utf8.DecodeRuneInString(c.Label[size:])
	if unicode.IsUpper(first) && !unicode.IsUpper(second) {
		return string(unicode.ToLower(first)) + c.Label[size:]
	}
	return c.Label
}
