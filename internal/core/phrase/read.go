// Package phrase reads the days and periods that people type, and says what
// it understood or why it could not.
//
//	5 Mar 2026          Thu 5 Mar 2026
//	last 3 months       Sat 1 Aug 2026 through Sat 31 Oct 2026 (92 days)
//	3/4/2026            refused: ambiguous_date, with both readings
//
// Three stages: lex.go cuts the text into tokens, parse.go finds the production of the
// grammar, and its node (node.go) asks the calendar. Nothing here knows the clock:
// "today" is the as-of day that the caller passes. A text is read in one way
// or refused; it is never read in a second way because the first did not fit. A refusal
// tells the column of the text that it is about.
package phrase

import (
	"slices"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// DayOrder tells how days that are all digits, year last, are read.
type DayOrder string

const (
	AnyOrder   DayOrder = ""            // read only where a single reading is a real day
	DayFirst   DayOrder = "day-first"   // 3/4/2026 is 3 April
	MonthFirst DayOrder = "month-first" // 3/4/2026 is 4 March
)

// Setting is what a reading depends on besides the text.
type Setting struct {
	AsOf  civil.Day // today, for this reading
	Order DayOrder
	// FiscalStart is the month that the business's year starts with; 0 where it
	// has none of its own, and then fiscal phrases are refused.
	FiscalStart time.Month
	// Seasons are the named periods of the business, by name.
	Seasons map[string]Season
	// Zone is where times of day are read, and Now the second that it is now, since
	// the POSIX epoch. Days need neither.
	Zone *time.Location
	Now  int64
}

// Reading is what a text was understood as. For a day, Period starts and ends
// on it.
type Reading struct {
	Period civil.Period
	Notes  []string // what a person should know of how it was read; often none
	// Unit reports that the text named something that spans days by itself, a
	// month or "last week", rather than a single day.
	Unit bool
	// ToDate is the unit of a phrase such as "month to date", which starts with
	// the unit; NoUnit for every other text.
	ToDate civil.Unit
}

var precedence = []fault.Code{fault.NotADate, fault.IncompleteDate, fault.NoSuchDate, fault.AmbiguousDate, fault.WeekdayMismatch, fault.TimeNotWanted, fault.TimeMissing, fault.NoSuchTime, fault.AmbiguousTime}

// Day reads one day.
func Day(text string, s Setting) (Reading, *fault.Fault) {
	if d, ok := civil.ParseDay(text); ok {
		return Reading{Period: civil.Period{First: d, Last: d}}, nil
	}
	r, f := day(text, s)
	if f != nil {
		return Reading{}, offer(f, text, func(text string) (Reading, *fault.Fault) { return day(text, s) })
	}
	return r, nil
}

// day reads one day; what its refusals suggest may itself be refused.
func day(text string, s Setting) (Reading, *fault.Fault) {
	var room [24]token
	tokens, bad := lex(text, room[:0])
	if bad > 0 {
		return Reading{}, column(notADate(text), bad)
	}
	n, ok := thing(tokens)
	if !ok {
		return Reading{}, oddIn(tokens, notADate(text))
	}
	r, f := n.read(s)
	switch n.class() {
	case aUnit:
		if f != nil {
			f = fault.New(fault.IncompleteDate, "%q is not a single day", english.Shorten(text))
			break
		}
		f = fault.New(fault.IncompleteDate, "%q is %s and not a single day", english.Shorten(text), n).
			Suggest(r.Period.First.Plain(), r.Period.Last.Plain())
	case aPhrase:
		unit, ok := n.(currentUnit)
		isRead := f == nil
		if f = notADate(text); ok && isRead {
			f.Suggest(typedEdge(unit, r.Period, start), typedEdge(unit, r.Period, end))
		}
	}
	if f != nil {
		return Reading{}, column(f, tokens[0].column)
	}
	return r, nil
}

// column sets the column of the text that a refusal is about, where none is known yet.
func column(f *fault.Fault, at int) *fault.Fault {
	if f != nil && f.Place.Column == 0 {
		f.Place.Column = at
	}
	return f
}

// oddIn sets the column of the refusal to the first word that is in no vocabulary, or
// where there is none to the beginning.
func oddIn(tokens []token, f *fault.Fault) *fault.Fault {
	for _, t := range tokens {
		if t.kind == word && !isKnown(t.text) {
			return column(f, t.column)
		}
	}
	return column(f, tokens[0].column)
}

// Period reads a period: two ends, one open end, or one thing that spans days.
func Period(text string, s Setting) (Reading, *fault.Fault) {
	if d, ok := civil.ParseDay(text); ok {
		return Reading{Period: civil.Period{First: d, Last: d}}, nil
	}
	if len(text) == 21 && text[10] == '/' { // ISO 8601 as programs write it
		first, ok := civil.ParseDay(text[:10])
		last, okLast := civil.ParseDay(text[11:])
		if ok && okLast && first <= last {
			return Reading{Period: civil.Period{First: first, Last: last}, Unit: true}, nil
		}
	}
	r, f := period(text, s)
	if f != nil {
		return Reading{}, offer(f, text, func(text string) (Reading, *fault.Fault) { return period(text, s) })
	}
	return r, nil
}

// period = thing | seasonIn | ends . A text that is one thing as a whole is never split.
//
// What its refusals suggest may itself be refused.
//
// One branch for each production of the grammar.
func period(text string, s Setting) (Reading, *fault.Fault) {
	var room [48]token
	tokens, bad := lex(text, room[:0])
	if bad > 0 {
		return Reading{}, column(notAPeriod(text), bad)
	}
	if n, ok := thing(tokens); ok {
		r, f := n.read(s)
		return r, column(f, tokens[0].column)
	}
	if r, f, ok := seasonIn(tokens, s); ok {
		return r, column(f, tokens[0].column)
	}
	first, last, ok := split(tokens)
	if !ok {
		return Reading{}, oddIn(tokens, notAPeriod(text))
	}
	from, f := periodEnd(text, first, start, s)
	through, g := periodEnd(text, last, end, s)
	if f != nil && f.Code == fault.IncompleteDate && through.Period.Last.IsValid() {
		f.Suggestions = nearYear(first, through.Period.Last, start, s)
	}
	if g != nil && g.Code == fault.IncompleteDate && from.Period.First.IsValid() {
		g.Suggestions = nearYear(last, from.Period.First, end, s)
		if text := shortened(first, last); text != "" {
			g.Suggestions = []string{text}
		}
	}
	if f != nil && f.Code == fault.IncompleteDate && g != nil && g.Code == fault.IncompleteDate {
		return Reading{}, withoutYears(f, last, s)
	}
	if f != nil || g != nil {
		return Reading{}, ofEnds(first, last, f, g)
	}
	r, f := Between(from, through)
	return r, column(f, tokens[0].column)
}

// shortened is the second end of a period that is written as ISO 8601 writes it behind a
// first one with its year, written out: 2026-03-05/03-10 ends on 10 Mar 2026, whatever the
// day order. It is "" for any other end.
func shortened(first, last []token) string {
	p := parser{tokens: first}
	found, _ := p.yearFirst()
	n, ok := found.(calendarDay)
	if !ok || !p.done() || !first[1].isMark('-') {
		return ""
	}
	if len(last) != 3 || last[0].width != 2 || !last[1].isMark('-') || last[2].width != 2 {
		return ""
	}
	month, day, year := last[0].n, last[2].n, n.year
	if month < n.month || month == n.month && day < n.day {
		year++ // over the turn of the year
	}
	return dayText(day, time.Month(month), year)
}

// withoutYears is the refusal of two ends of which neither has its year: what may
// have been the first takes the next of the last.
func withoutYears(f *fault.Fault, last []token, s Setting) *fault.Fault {
	starts := f.Suggestions
	f.Suggestions = nil
	for _, text := range starts {
		r, refused := period(text, s)
		if refused != nil {
			continue
		}
		for _, through := range nearYear(last, r.Period.First, end, s) {
			f.Suggest(Ends(text, through))
		}
	}
	return f
}

// periodEnd reads one end of a period, none where it is open.
func periodEnd(text string, side []token, which edge, s Setting) (Reading, *fault.Fault) {
	if isOpen(side) {
		return Reading{}, nil
	}
	n, ok := thing(side)
	if !ok {
		return Reading{}, oddIn(side, notAPeriod(text))
	}
	r, f := n.read(s)
	switch {
	case n.class() != aPhrase:
		return r, column(f, side[0].column)
	case f != nil:
		return Reading{}, column(notAPeriod(text), side[0].column)
	}
	f = fault.New(fault.NotADate, "%q is a period of its own and not an end of one", retyped(side)).Suggest(typedEdge(n, r.Period, which))
	return Reading{}, column(f, side[0].column)
}

// nearYear is a date without its year in the year that keeps it in order with the
// day at the other end of the period.
func nearYear(side []token, other civil.Day, which edge, s Setting) []string {
	n, _ := thing(side)
	year, _, _ := other.Date()
	step := 1
	if which == start {
		step = -1
	}
	for _, year := range []int{year, year + step} {
		var ok bool
		if s.AsOf, ok = civil.DayOf(year, time.January, 1); !ok {
			continue
		}
		_, incomplete := n.read(s)
		for _, text := range incomplete.Suggestions {
			if r, f := period(text, s); f == nil && (which == start && r.Period.First <= other || which == end && r.Period.Last >= other) {
				return []string{text}
			}
		}
	}
	return nil
}

// Between makes a period of two readings, an open side where one has no day.
// An end before its start is refused and the swapped period offered.
func Between(from, through Reading) (Reading, *fault.Fault) {
	p := civil.Period{First: from.Period.First, Last: through.Period.Last}
	if !p.IsOrdered() {
		swapped := civil.Period{First: through.Period.First, Last: from.Period.Last}
		return Reading{}, fault.New(fault.EndBeforeStart, "the period ends on %s, before it starts on %s", p.Last.Spelled(), p.First.Spelled()).
			Suggest(Ends(swapped.First.Plain(), swapped.Last.Plain()))
	}
	return Reading{Period: p, Unit: true, Notes: slices.Concat(from.Notes, through.Notes)}, nil
}

func isOpen(side []token) bool {
	return len(side) == 0 || len(side) == 1 && side[0].kind == dots
}

// split finds the two ends of a period; an open one is empty or "..".
//
//	ends = "since" A | "until" B | [ "from" ] A ( "to" | "through" ) B | A "/" B | A ".." B | A " - " B .
func split(tokens []token) (first, last []token, ok bool) {
	if t := tokens[0]; len(tokens) > 2 && tokens[1].kind == blank {
		switch {
		case t.isWord("since"):
			return tokens[2:], nil, true
		case t.isWord("until"):
			return nil, tokens[2:], true
		case t.isWord("from"):
			return splitAt(tokens[2:], to)
		}
	}
	for _, s := range []separator{to, slash, twoDots, dash} {
		if first, last, ok = splitAt(tokens, s); ok {
			return first, last, true
		}
	}
	return nil, nil, false
}

// separator is what can stand between two ends, in the order of trying.
type separator uint8

const (
	to    separator = iota // "to" or "through" between blanks
	slash                  // "/": the only one, one beside an open end, or one with a blank at its side
	twoDots
	dash // "-" between blanks
)

func splitAt(tokens []token, s separator) (first, last []token, ok bool) {
	for i := range tokens {
		if s.partsAt(tokens, i) {
			first, last = trim(tokens[:i]), trim(tokens[i+1:])
			return first, last, s.takes(first) && s.takes(last) && !(isOpen(first) && isOpen(last))
		}
	}
	return nil, nil, false
}

func trim(tokens []token) []token {
	if len(tokens) > 0 && tokens[0].kind == blank {
		tokens = tokens[1:]
	}
	if n := len(tokens); n > 0 && tokens[n-1].kind == blank {
		tokens = tokens[:n-1]
	}
	return tokens
}

func hasBlanks(tokens []token, i int) (before, after bool) {
	return i > 0 && tokens[i-1].kind == blank, i+1 < len(tokens) && tokens[i+1].kind == blank
}

func (s separator) partsAt(tokens []token, i int) bool {
	before, after := hasBlanks(tokens, i)
	t := tokens[i]
	switch s {
	case to:
		return before && after && (t.isWord("to") || t.isWord("through"))
	case slash:
		return t.isMark('/') && (before || after || isOpen(tokens[:i]) || isOpen(tokens[i+1:]) || isOnly('/', tokens))
	case twoDots:
		return t.kind == dots
	}
	return before && after && t.isMark('-')
}

// takes reports whether the side can be an end. Only beside a slash can an end
// be open, and then two dots say so.
func (s separator) takes(side []token) bool {
	return len(side) > 0 && (s == slash || !isOpen(side))
}

func isOnly(mark byte, tokens []token) bool {
	n := 0
	for _, t := range tokens {
		if t.isMark(mark) {
			n++
		}
	}
	return n == 1
}

func notADate(text string) *fault.Fault {
	return unreadable(text, "a date", "5 Mar 2026, 2026-03-05 or yesterday")
}

func notAPeriod(text string) *fault.Fault {
	return unreadable(text, "a period", "1 Mar 2026 to 5 Mar 2026, Mar 2026 or last month")
}

// unreadable refuses a text that is in none of the forms that are read.
func unreadable(text, what, examples string) *fault.Fault {
	f := fault.New(fault.NotADate, "%q is not %s; write it like %s", english.Shorten(text), what, examples)
	f.Entered = english.Shorten(text)
	return f
}
