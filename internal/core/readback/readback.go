// Package readback says criteria in plain English, with the answers in them: the sentence
// that stands above each result.
package readback

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/summary"
)

// Piece is a part of a read-back; Value marks what came from an answer or a
// value of the definition, so that it can be set off.
type Piece struct {
	Text  string `json:"text" doc:"A part of the sentence."`
	Value bool   `json:"value,omitempty" doc:"Whether the part is a value rather than wording."`
	At    string `json:"at,omitempty" doc:"Where the condition is defined that it is of: the kind and name of the definition, the line and column of its column there, as in query late-sailings:7:7."`
}

// Subject is what a sentence is about.
type Subject struct {
	Title string           // what the records are called
	For   string           // the person whom only some of them are there for; "" where all are
	Given []*prompt.Answer // those that custom SQL takes
	// Summed is how records are summarised, nil where they are shown themselves, and Having the
	// conditions on its figures.
	Summed *summary.Spec
	Having *criteria.Bound
}

// Sentence is the sentence that says what runs.
type Sentence []Piece

// String is the whole sentence.
func (r Sentence) String() string {
	var b strings.Builder
	for _, p := range r {
		b.WriteString(p.Text)
	}
	return b.String()
}

func (r *Sentence) say(format string, args ...any) {
	*r = append(*r, Piece{Text: fmt.Sprintf(format, args...)})
}

func (r *Sentence) value(text string) { *r = append(*r, Piece{Text: text, Value: true}) }

// Say renders the criteria that run as one sentence: what is shown, each
// condition with its values, what was left unanswered, and the order.
func Say(what Subject, b *criteria.Bound, dropped []criteria.Dropped, order []criteria.Sort, clock criteria.Clock) Sentence {
	var r Sentence
	r.say("%s", what.Title)
	if what.For != "" {
		r.say(" that are there for ")
		r.value(what.For)
		r.say(",")
	}
	if r.given(" by SQL of its own, given ", what.Given); len(what.Given) > 0 {
		r.say(",")
	}
	if b == nil {
		r.say(" without any condition")
	} else {
		r.say(" ")
		r.group(b, clock, true)
	}
	r.rest(what, dropped, order, clock)
	r.say(".")
	return r
}

// More is what holds for a part of what a sentence says: its own conditions, what it tells in sum and
// its order; nothing where there is none of them.
func More(what Subject, b *criteria.Bound, dropped []criteria.Dropped, order []criteria.Sort, clock criteria.Clock) Sentence {
	var r Sentence
	if r.given("SQL of its own, given ", what.Given); b != nil {
		if len(r) > 0 {
			r.say("; ")
		}
		r.group(b, clock, true)
	}
	if r.rest(what, dropped, order, clock); len(r) == 0 {
		return nil
	}
	r[0].Text = english.Title(strings.TrimPrefix(r[0].Text, "; "))
	r.say(".")
	return r
}

// Compared says which other periods a sentence's figures stand beside, each by its days and what it is;
// nothing where there is none.
func Compared(periods, names []string) Sentence {
	var r Sentence
	for i, spelled := range periods {
		if i == 0 {
			r.say(" Beside it ")
		} else {
			r.say(", and ")
		}
		r.say("%s, ", names[i])
		r.value(spelled)
	}
	if len(r) > 0 {
		r.say(".")
	}
	return r
}

// given says the answers that custom SQL takes.
func (r *Sentence) given(before string, answers []*prompt.Answer) {
	for i, a := range answers {
		if i == 0 {
			r.say("%s", before)
		} else {
			r.say(" and ")
		}
		r.say("%s ", a.Prompt.Name)
		r.value(a.Spelled())
	}
}

// rest says what was left unanswered, what is told in sum, and the order.
func (r *Sentence) rest(what Subject, dropped []criteria.Dropped, order []criteria.Sort, clock criteria.Clock) {
	for i, d := range dropped {
		if i == 0 {
			r.say("; ")
		} else {
			r.say(", ")
		}
		r.say("any %s (%s left unanswered)", label(d.Column), d.Prompt.Name)
	}
	if what.Summed != nil {
		r.summed(what.Summed, what.Having, clock)
	}
	for i, s := range order {
		if i == 0 {
			r.say("; sorted by ")
		} else {
			r.say(", then ")
		}
		r.say("%s, %s", label(s.Column), what.direction(s))
	}
}

// summed says what is told of the records in sum, and of which groups.
func (r *Sentence) summed(s *summary.Spec, having *criteria.Bound, clock criteria.Clock) {
	var figures, groups []string
	for _, f := range s.Figures[:s.Told()] {
		figures = append(figures, figure(s, f))
	}
	for _, g := range s.Groups {
		name := label(g.Of)
		if g.By != summary.Values {
			name = g.By.String() + " of " + name
		}
		groups = append(groups, name)
	}
	r.say("; %s", english.Both(figures))
	switch {
	case len(groups) > 0:
		r.say(" for each %s", english.Both(groups))
	default:
		r.say(" of all of them")
	}
	if having != nil {
		r.say(", where ")
		r.group(having, clock, true)
	}
}

// figure says what a figure is.
func figure(s *summary.Spec, f summary.Figure) string {
	shown := label(f.Shown)
	of := func(i int) string { return label(s.Figures[f.From[i]].Shown) }
	switch f.Kind {
	case summary.Share:
		return fmt.Sprintf("%s (its share of all %s)", shown, of(0))
	case summary.Per:
		return fmt.Sprintf("%s (%s divided by %s)", shown, of(0), of(1))
	}
	if f.Kind == summary.Count {
		if shown == "records" {
			return "the number of records"
		}
		return shown + " (the number of records)"
	}
	what := map[summary.Kind]string{summary.CountDistinct: "the number of different values of", summary.Sum: "the sum of", summary.Average: "the average of", summary.Least: "the least", summary.Greatest: "the greatest"}[f.Kind]
	said := what + " " + label(f.Of)
	if shown == label(f.Of) {
		return said
	}
	return shown + " (" + said + ")"
}

// Criteria renders criteria alone, as they stand in the sentence.
func Criteria(b *criteria.Bound, clock criteria.Clock) Sentence {
	var r Sentence
	r.group(b, clock, true)
	return r
}

func (r *Sentence) group(b *criteria.Bound, clock criteria.Clock, top bool) {
	if b.Logic == criteria.Condition {
		from := len(*r)
		r.condition(b, clock)
		for i := range (*r)[from:] {
			(*r)[from+i].At = b.At
		}
		return
	}
	word, joint, last := "", ", ", ", and "
	switch {
	case b.Logic == criteria.None:
		word, joint, last = "none of ", " or ", " or "
	case b.Logic == criteria.Any && len(b.Nodes) > 1:
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

// condition says a condition: one branch for each kind of operand.
func (r *Sentence) condition(b *criteria.Bound, clock criteria.Clock) {
	if b.Column.Type != column.Instant {
		clock.Name = "" // it is the same everywhere
	}
	subject := label(b.Column)
	if b.Column.Type.IsDated() && b.Op != criteria.Missing && b.Op != criteria.Present {
		subject = strings.TrimSuffix(subject, " on") // "due before Thu 5 Mar 2026"
	}
	r.say("%s ", subject)
	denied, denies := b.Op.Denies()
	if denies {
		positive := *b
		positive.Op = denied
		if b = &positive; b.Column.Type.IsDated() || b.Op == criteria.Within {
			r.say("not ")
		}
	}
	switch {
	case b.Other != nil:
		r.other(b, denies)
	case b.Op == criteria.Missing || b.Op == criteria.Present:
		r.say("is %s", b.Op)
	case b.Op == criteria.RecursIn:
		r.recurs(b.Recurs, clock)
	case b.Op == criteria.ClockWithin:
		r.times(b.Times, clock)
	case len(b.Periods) == 0 && b.Column.Type.IsDated():
		r.moments(b, clock)
	case b.Column.Type.IsDated():
		r.days(b, clock.Name)
	case b.Op == criteria.Within:
		r.value(prompt.SpelledRange(b.Lower, b.Upper, b.Column.Unit))
	case b.Column.Type == column.YesNo:
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
var wordings = map[criteria.Op]string{criteria.LessThan: "less than ", criteria.AtMost: "at most ", criteria.AtLeast: "at least ", criteria.MoreThan: "more than ",
	criteria.Contains: "contains ", criteria.StartsWith: "starts with ", criteria.EndsWith: "ends with ", criteria.Before: "before ", criteria.From: "at or after ", criteria.Through: "at or before ", criteria.After: "after "}

// other says what a column is compared with in another one.
func (r *Sentence) other(b *criteria.Bound, denies bool) {
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
func (r *Sentence) values(b *criteria.Bound, denies bool) {
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

func (r *Sentence) days(b *criteria.Bound, clock string) {
	if b.Op == criteria.AnyOf && len(b.Periods) > 1 {
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
	if p.First == p.Last && (b.Op == criteria.Within || b.Op == criteria.Is || b.Op == criteria.AnyOf) {
		r.say("on ")
		r.value(first)
		r.inBrackets("the whole day", clock)
		return
	}
	r.bounds(b.Op, first, last, "that day", fmt.Sprintf("%d days", p.Days()), clock)
}

// moments says bounds that are moments.
func (r *Sentence) moments(b *criteria.Bound, clock criteria.Clock) {
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
	if b.Op == criteria.Is || b.Op == criteria.AnyOf {
		r.say("at ")
		r.value(spelled(p.First))
		r.inBrackets("the whole of "+unit, clock.Name)
		return
	}
	r.bounds(b.Op, spelled(p.First), spelled(p.Last), unit, unit+" included", clock.Name)
}

// bounds says a run of time by its ends as spelled, "" for an open one: unit is
// what an end stands for, both what is to be known of a run with two ends.
func (r *Sentence) bounds(op criteria.Op, first, last, unit, both, clock string) {
	switch {
	case op == criteria.Before:
		r.say("before ")
		r.value(first)
		r.inBrackets(unit+" "+oneSided[op], clock)
	case op == criteria.After:
		r.say("after ")
		r.value(last)
		r.inBrackets(unit+" "+oneSided[op], clock)
	case op == criteria.From, op == criteria.Within && last == "":
		r.say("from ")
		r.value(first)
		r.say(" on")
		r.inBrackets(unit+" "+oneSided[criteria.From], clock)
	case op == criteria.Through, op == criteria.Within && first == "":
		r.say("through ")
		r.value(last)
		r.inBrackets(unit+" "+oneSided[criteria.Through], clock)
	default:
		r.say("from ")
		r.value(first)
		r.say(" through ")
		r.value(last)
		r.inBrackets(both, clock)
	}
}

// Labels are the words above the one or two fields of a prompt, by what the first condition that uses
// it does with the answer; "" where its question says enough. They are the words of the read-back.
func Labels(op criteria.Op, p *prompt.Prompt) []string {
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
		return []string{strings.TrimSpace(wordings[criteria.AtLeast]), strings.TrimSpace(wordings[criteria.AtMost])}
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
var oneSided = map[criteria.Op]string{criteria.From: "included", criteria.Through: "included", criteria.Before: "left out", criteria.After: "left out"}

func bothLabels(unit string) []string {
	return []string{fmt.Sprintf("%s, %s %s", criteria.From, unit, oneSided[criteria.From]), fmt.Sprintf("%s, %s %s", criteria.Through, unit, oneSided[criteria.Through])}
}

// times says a part of the day.
func (r *Sentence) times(t civil.TimeRange, clock criteria.Clock) {
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
func (r *Sentence) recurs(p criteria.Recurrence, clock criteria.Clock) {
	names := make([]string, len(p.Values))
	for i, v := range p.Values {
		switch p.Part {
		case criteria.Months:
			names[i] = time.Month(v).String()
		case criteria.Quarters:
			names[i] = fmt.Sprintf("the %s quarter", ordinals[v])
		case criteria.Days:
			names[i] = fmt.Sprint(v)
		default:
			names[i] = "a " + time.Weekday(v).String()
		}
	}
	before, after := "in ", " of any year"
	switch p.Part {
	case criteria.Days:
		before, after = "on day ", " of any month"
	case criteria.Weekdays:
		before, after = "on ", " of any week"
	}
	r.say("%s", before)
	r.value(english.Either(names))
	r.say("%s", after)
	r.inBrackets(clock.Name)
}

var ordinals = [...]string{1: "first", "second", "third", "fourth"}

func (r *Sentence) inBrackets(remarks ...string) {
	remarks = slices.DeleteFunc(remarks, func(s string) bool { return s == "" })
	if len(remarks) > 0 {
		r.say(" (%s)", strings.Join(remarks, ", "))
	}
}

// direction says which way a sort goes. Units of the calendar go as dates do, though they are shown
// as texts.
func (what Subject) direction(s criteria.Sort) string {
	if what.Summed != nil {
		for _, g := range what.Summed.Groups {
			if g.Shown == s.Column {
				s.Column = g.Of
			}
		}
	}
	return direction(s)
}

func direction(s criteria.Sort) string {
	words := [2]string{"A to Z", "Z to A"}
	switch {
	case s.Column.Type.IsDated():
		words = [2]string{"oldest first", "newest first"}
	case s.Column.Type.IsNumeric():
		words = [2]string{"least first", "greatest first"}
	case s.Column.Type == column.YesNo:
		words = [2]string{"no first", "yes first"}
	}
	if s.Descending {
		return words[1]
	}
	return words[0]
}

// label is a column's label as it stands within a sentence: a capital that is
// alone at its start becomes small.
func label(c *column.Column) string { return english.Within(c.Label) }
