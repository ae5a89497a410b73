package criteria

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/record"
)

// Piece is a part of a read-back; Value marks what came from an answer or a
// value of the definition, so that it can be set off.
type Piece struct {
	Text  string `json:"text" doc:"A part of the sentence."`
	Value bool   `json:"value,omitempty" doc:"Whether the part is a value rather than wording."`
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

// Say renders the criteria that run as one sentence: what is shown, each
// condition with its values, what was left unanswered, and the order. clock is
// what people call the time that days are taken in.
func Say(what string, b *Bound, dropped []Dropped, order []Sort, clock string) ReadBack {
	var r ReadBack
	r.say("%s", what)
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

func (r *ReadBack) group(b *Bound, clock string, top bool) {
	if b.Logic == Condition {
		r.condition(b, clock)
		return
	}
	nested := !top && len(b.Nodes) > 1
	if nested || top && b.Logic == Any && len(b.Nodes) > 1 {
		if b.Logic == Any {
			r.say("either ")
		}
		r.say("(")
	}
	for i, n := range b.Nodes {
		switch {
		case i == 0:
		case b.Logic == Any:
			r.say(" or ")
		case i == len(b.Nodes)-1:
			r.say(", and ")
		default:
			r.say(", ")
		}
		r.group(n, clock, false)
	}
	if nested || top && b.Logic == Any && len(b.Nodes) > 1 {
		r.say(")")
	}
}

func (r *ReadBack) condition(b *Bound, clock string) {
	r.say("%s ", label(b.Column))
	switch {
	case b.Op == Missing || b.Op == Present:
		r.say("is %s", b.Op)
	case b.Column.Type.IsDated():
		r.days(b, clock)
	case b.Op == AtLeast:
		r.say("at least ")
		r.value(r.number(b))
	case b.Op == AtMost:
		r.say("at most ")
		r.value(r.number(b))
	default:
		values := slices.Clone(b.Texts)
		for _, n := range b.Numbers {
			values = append(values, n.String())
		}
		if len(b.Labels) > 0 {
			values = b.Labels
		}
		if len(values) == 1 {
			r.say("is ")
		} else {
			r.say("is one of ")
		}
		r.value(strings.Join(values, ", "))
	}
}

func (r *ReadBack) number(b *Bound) string {
	return strings.TrimSpace(b.Numbers[0].String() + " " + b.Column.Unit)
}

func (r *ReadBack) days(b *Bound, clock string) {
	if b.Column.Type != record.Instant {
		clock = "" // a date is the same everywhere
	}
	on := "on "
	if strings.HasSuffix(b.Column.Label, " on") {
		on = "" // "due on Thu 5 Mar 2026"
	}
	if b.Op == AnyOf && len(b.Periods) > 1 {
		r.say("%sone of ", on)
		spelled := make([]string, len(b.Periods))
		for i, p := range b.Periods {
			spelled[i] = p.First.Spelled()
		}
		r.value(strings.Join(spelled, ", "))
		r.inBrackets(clock)
		return
	}
	p := b.Periods[0]
	switch {
	case b.Op == Before:
		r.say("before ")
		r.value(p.First.Spelled())
		r.inBrackets("that day left out", clock)
	case b.Op == After:
		r.say("after ")
		r.value(p.Last.Spelled())
		r.inBrackets("that day left out", clock)
	case b.Op == From, b.Op == Within && !p.Last.IsValid():
		r.say("from ")
		r.value(p.First.Spelled())
		r.say(" on")
		r.inBrackets("that day included", clock)
	case b.Op == Through, b.Op == Within && !p.First.IsValid():
		r.say("through ")
		r.value(p.Last.Spelled())
		r.inBrackets("that day included", clock)
	case p.First == p.Last:
		r.say("%s", on)
		r.value(p.First.Spelled())
		r.inBrackets("the whole day", clock)
	default:
		r.say("from ")
		r.value(p.First.Spelled())
		r.say(" through ")
		r.value(p.Last.Spelled())
		r.inBrackets(count(p), clock)
	}
}

func count(p civil.Period) string { return fmt.Sprintf("%d days", p.Days()) }

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
