// Package phrase reads the days and periods that people type, and says what
// it understood or why it could not.
//
//	5 Mar 2026          Thu 5 Mar 2026
//	last 3 months       Sat 1 Aug 2026 through Sat 31 Oct 2026 (92 days)
//	3/4/2026            refused: ambiguous_date, with both readings
//
// Three stages, a file each: lex.go cuts the text into tokens, parse.go finds
// the form, and this file asks the calendar. Nothing here knows the clock:
// "today" is the as-of day that the caller passes. A text is read in one way
// or refused; it is never read in a second way because the first did not fit.
package phrase

import (
	"fmt"
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
	tokens, ok := lex(text, room[:0])
	if !ok || len(tokens) == 0 {
		return Reading{}, notADate(text)
	}
	n, ok := thing(tokens)
	if !ok {
		return Reading{}, notADate(text)
	}
	r, f := evaluate(n, s)
	switch {
	case n.form == thisUnit && f == nil:
		f = notADate(text).Suggest(edge(n, r.Period, startOf), edge(n, r.Period, endOf))
	case n.form >= thisUnit:
		f = notADate(text)
	case n.form == unitOf && f != nil:
		f = fault.New(fault.IncompleteDate, "%q is not a single day", english.Shorten(text))
	case f == nil && r.Unit:
		f = fault.New(fault.IncompleteDate, "%q is %s and not a single day", english.Shorten(text), unitPhrase(n)).
			Suggest(r.Period.First.Plain(), r.Period.Last.Plain())
	}
	return r, f
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
	tokens, ok := lex(text, room[:0])
	if !ok || len(tokens) == 0 {
		return Reading{}, notAPeriod(text)
	}
	if n, ok := thing(tokens); ok {
		return evaluate(n, s)
	}
	if r, f, ok := seasonIn(tokens, s); ok {
		return r, f
	}
	first, last, ok := split(tokens)
	if !ok {
		return Reading{}, notAPeriod(text)
	}
	start, f := periodEnd(text, first, startOf, s)
	end, g := periodEnd(text, last, endOf, s)
	if f != nil && f.Code == fault.IncompleteDate && end.Period.Last.IsValid() {
		f.Suggestions = nearYear(first, end.Period.Last, startOf, s)
	}
	if g != nil && g.Code == fault.IncompleteDate && start.Period.First.IsValid() {
		g.Suggestions = nearYear(last, start.Period.First, endOf, s)
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
	return Between(start, end)
}

// shortened is the second end of a period that is written as ISO 8601 writes it behind a
// first one with its year, written out: 2026-03-05/03-10 ends on 10 Mar 2026, whatever the
// day order. It is "" for any other end.
func shortened(first, last []token) string {
	p := parser{tokens: first}
	n, ok := p.yearFirst()
	if !ok || !p.done() || n.form != written || !first[1].isMark('-') {
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
		for _, end := range nearYear(last, r.Period.First, endOf, s) {
			f.Suggest(Ends(text, end))
		}
	}
	return f
}

// periodEnd reads one end of a period, none where it is open.
func periodEnd(text string, side []token, which form, s Setting) (Reading, *fault.Fault) {
	if isOpen(side) {
		return Reading{}, nil
	}
	n, ok := thing(side)
	if !ok {
		return Reading{}, notAPeriod(text)
	}
	r, f := evaluate(n, s)
	switch {
	case n.form < thisUnit:
		return r, f
	case f != nil:
		return Reading{}, notAPeriod(text)
	}
	return Reading{}, fault.New(fault.NotADate, "%q is a period of its own and not an end of one", retyped(side)).Suggest(edge(n, r.Period, which))
}

// nearYear is a date without its year in the year that keeps it in order with the
// day at the other end of the period.
func nearYear(side []token, other civil.Day, which form, s Setting) []string {
	n, _ := thing(side)
	year, _, _ := other.Date()
	step := 1
	if which == startOf {
		step = -1
	}
	for _, year := range []int{year, year + step} {
		var ok bool
		if s.AsOf, ok = civil.DayOf(year, time.January, 1); !ok {
			continue
		}
		for _, text := range incomplete(n, s).Suggestions {
			if r, f := period(text, s); f == nil && (which == startOf && r.Period.First <= other || which == endOf && r.Period.Last >= other) {
				return []string{text}
			}
		}
	}
	return nil
}

// Between makes a period of two readings, an open side where one has no day.
// An end before its start is refused and the swapped period offered.
func Between(start, end Reading) (Reading, *fault.Fault) {
	p := civil.Period{First: start.Period.First, Last: end.Period.Last}
	if !p.IsOrdered() {
		swapped := civil.Period{First: end.Period.First, Last: start.Period.Last}
		return Reading{}, fault.New(fault.EndBeforeStart, "the period ends on %s, before it starts on %s", p.Last.Spelled(), p.First.Spelled()).
			Suggest(Ends(swapped.First.Plain(), swapped.Last.Plain()))
	}
	return Reading{Period: p, Unit: true, Notes: slices.Concat(start.Notes, end.Notes)}, nil
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
	for s := to; s <= dash; s++ {
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

// evaluate asks the calendar what a node stands for.
func evaluate(n node, s Setting) (Reading, *fault.Fault) {
	switch {
	case n.form == partial:
		return Reading{}, incomplete(n, s)
	case n.isDay():
		return evaluateDay(n, s)
	case n.form == unitOf:
		p, ok := numbered(n)
		if !ok {
			return Reading{}, fault.New(fault.NoSuchDate, "there is no %s", unitPhrase(n))
		}
		return Reading{Period: p, Unit: true}, nil
	}
	if n.form == seasonOf {
		return evaluateSeason(n, s)
	}
	if n.flags&isFiscal != 0 && s.FiscalStart == 0 {
		return Reading{}, fault.New(fault.NotADate, "a fiscal period needs the month that the fiscal year starts with; the setting fiscal-year-starts names it, and it is not set")
	}
	p, ok := relative(n, s)
	if !ok {
		return Reading{}, outside()
	}
	r := Reading{Period: p, Unit: true}
	if n.form == unitToDate {
		r.ToDate = n.unit
	}
	return r, nil
}

func evaluateDay(n node, s Setting) (Reading, *fault.Fault) {
	var notes []string
	var d civil.Day
	var f *fault.Fault
	switch n.form {
	case written:
		d, notes, f = writtenDay(n)
	case digits:
		d, notes, f = digitsDay(n, s)
	case weekDay:
		d, f = exists(civil.FromISOWeek(n.year, n.n, n.day))("day %d of week %d of %04d; %s", n.day, n.n, n.year, weekLimit(n.year))
	case ordinal:
		d, f = exists(civil.YearDay(n.year, n.day))("day %d of the year %04d", n.day, n.year)
	case shifted:
		var ok bool
		if d, ok = n.unit.Shift(s.AsOf, n.n); !ok {
			f = outside()
		}
	case startOf, endOf:
		p, ok := n.unit.Around(s.AsOf, n.n, time.January)
		if d = p.First; n.form == endOf {
			d = p.Last
		}
		if !ok {
			f = outside()
		}
	}
	if f != nil {
		return Reading{}, f
	}
	if n.flags&hasWeekday != 0 && d.Weekday() != n.weekday {
		return Reading{}, fault.New(fault.WeekdayMismatch, "%s is a %s and not a %s", d.Plain(), d.Weekday(), n.weekday).Suggest(d.Spelled())
	}
	if n.flags&hasTime != 0 {
		return Reading{}, fault.New(fault.TimeNotWanted, "a day is asked for, without a time of day").Suggest(d.Plain())
	}
	return Reading{Period: civil.Period{First: d, Last: d}, Notes: notes}, nil
}

// exists turns the calendar's "no" into a refusal that names what there is not.
func exists(d civil.Day, ok bool) func(format string, args ...any) (civil.Day, *fault.Fault) {
	return func(format string, args ...any) (civil.Day, *fault.Fault) {
		if ok {
			return d, nil
		}
		return 0, fault.New(fault.NoSuchDate, "there is no "+format, args...)
	}
}

func weekLimit(year int) string {
	if year < 1 || year > 9999 {
		return "years go from 0001 to 9999"
	}
	return fmt.Sprintf("%04d has %d weeks of 7 days", year, civil.WeeksIn(year))
}

func outside() *fault.Fault {
	return fault.New(fault.NoSuchDate, "that day lies outside the years 0001 to 9999")
}

func writtenDay(n node) (civil.Day, []string, *fault.Fault) {
	year := n.year
	var notes []string
	if n.twoDigit {
		year = civil.FullYear(n.year)
		notes = yearNote(n.year, year)
	}
	d, ok := civil.DayOf(year, time.Month(n.month), n.day)
	if ok {
		return d, notes, nil
	}
	return 0, nil, noSuchDay(year, n.month, n.day)
}

func yearNote(written, year int) []string {
	return []string{fmt.Sprintf("the year %02d was read as %d", written, year)}
}

// noSuchDay says why there is no such day and offers the month's last day.
func noSuchDay(year, month, day int) *fault.Fault {
	switch {
	case year < 1 || year > 9999:
		return fault.New(fault.NoSuchDate, "there is no year %04d; years go from 0001 to 9999", year)
	case month < 1 || month > 12:
		return fault.New(fault.NoSuchDate, "there is no month %d", month)
	}
	m := time.Month(month)
	f := fault.New(fault.NoSuchDate, "there is no %d %s %04d; the month has %d days", day, m, year, civil.DaysIn(year, m))
	if day > 0 {
		f.Suggest(civil.MustDay(year, m, civil.DaysIn(year, m)).Plain())
	}
	return f
}

// digitsDay reads N/N/Y. With a day order there is one reading; without, each
// order is tried and only a single real day is accepted.
//
// One branch for each form of a day that is all digits.
func digitsDay(n node, s Setting) (civil.Day, []string, *fault.Fault) {
	a, b, c := n.parts[0], n.parts[1], n.parts[2]
	year, short := c.n, c.width == 2
	if short {
		year = civil.FullYear(c.n)
	}
	dayFirst, okDay := civil.DayOf(year, time.Month(b.n), a.n)
	monthFirst, okMonth := civil.DayOf(year, time.Month(a.n), b.n)
	var notes []string
	if short {
		notes = yearNote(c.n, year)
	}
	switch s.Order {
	case DayFirst:
		if okDay {
			return dayFirst, notes, nil
		}
		return 0, nil, otherOrder(noSuchDay(year, b.n, a.n), "day first", monthFirst, okMonth)
	case MonthFirst:
		if okMonth {
			return monthFirst, notes, nil
		}
		return 0, nil, otherOrder(noSuchDay(year, a.n, b.n), "month first", dayFirst, okDay)
	}

	var readings []civil.Day
	add := func(d civil.Day, ok bool) {
		if ok && !slices.Contains(readings, d) {
			readings = append(readings, d)
		}
	}
	add(dayFirst, okDay)
	add(monthFirst, okMonth)
	if short && a.width == 2 {
		yearFirst, ok := civil.DayOf(civil.FullYear(a.n), time.Month(b.n), c.n)
		if add(yearFirst, ok); len(readings) == 1 && ok && readings[0] == yearFirst {
			notes = yearNote(a.n, civil.FullYear(a.n))
		}
	}
	switch len(readings) {
	case 0:
		if b.n > 12 && a.n >= 1 && a.n <= 12 {
			return 0, nil, noSuchDay(year, a.n, b.n)
		}
		return 0, nil, noSuchDay(year, b.n, a.n)
	case 1:
		return readings[0], notes, nil
	}
	spelled := make([]string, len(readings))
	for i, d := range readings {
		spelled[i] = d.Plain()
	}
	return 0, nil, fault.New(fault.AmbiguousDate, "this can be read as %d different days", len(readings)).Suggest(spelled...)
}

// otherOrder adds the reading that the other order would give: offered, never
// taken.
func otherOrder(f *fault.Fault, order string, other civil.Day, ok bool) *fault.Fault {
	if !ok {
		return f
	}
	f.Message += " (days are read " + order + " here)"
	f.Suggestions = []string{other.Plain()}
	return f
}

// incomplete says what a date lacks.
func incomplete(n node, s Setting) *fault.Fault {
	year, month, day := s.AsOf.Date()
	// The year that it is, and the last one for what lies ahead.
	inYear := func(text func(year int) string, isAhead bool) *fault.Fault {
		f := fault.New(fault.IncompleteDate, "the year is missing").Suggest(text(year))
		if isAhead {
			f.Suggest(text(year - 1))
		}
		return f
	}
	switch m := time.Month(n.month); {
	case n.day > 0 && n.month > 0:
		return inYear(func(year int) string {
			d, ok := civil.DayOf(year, m, n.day)
			if ok && n.flags&hasWeekday != 0 && d.Weekday() != n.weekday {
				return ""
			}
			return dayText(n.day, m, year)
		}, n.flags&hasWeekday != 0 || m > month || m == month && n.day > day)
	case n.year > 0:
		return fault.New(fault.IncompleteDate, "the day is missing").Suggest(monthText(m, n.year))
	case n.month > 0:
		return inYear(func(year int) string { return monthText(m, year) }, m > month)
	case n.unit == civil.Quarters:
		return inYear(func(year int) string { return fmt.Sprintf("Q%d %04d", n.n, year) }, n.n > (int(month)+2)/3)
	}
	f := fault.New(fault.IncompleteDate, "a day needs its year, month and day")
	n.parts[2] = part{year, 4}
	d, _, ambiguous := digitsDay(n, s)
	if ambiguous != nil {
		return f.Suggest(ambiguous.Suggestions...)
	}
	return f.Suggest(d.Plain())
}

// numbered is a unit named by its number: March 2026, week 10, quarter 1.
func numbered(n node) (civil.Period, bool) {
	switch n.unit {
	case civil.Weeks:
		first, ok := civil.FromISOWeek(n.year, n.n, 1)
		last, okLast := civil.FromISOWeek(n.year, n.n, 7)
		return civil.Period{First: first, Last: last}, ok && okLast
	case civil.Months:
		m, ok := civil.MonthOf(n.year, time.Month(n.n))
		if !ok {
			return civil.Period{}, false
		}
		return m.Period(), true
	case civil.Quarters:
		m, ok := civil.MonthOf(n.year, time.Month(3*n.n-2))
		if !ok {
			return civil.Period{}, false
		}
		return m.Run(3)
	}
	m, ok := civil.MonthOf(n.year, time.January)
	if !ok {
		return civil.Period{}, false
	}
	return m.Run(12)
}

// unitPhrase names a numbered unit for a message.
func unitPhrase(n node) string {
	switch n.unit {
	case civil.Weeks:
		return fmt.Sprintf("week %d of %04d", n.n, n.year)
	case civil.Months:
		if n.n >= 1 && n.n <= 12 && n.year > 0 {
			return fmt.Sprintf("the whole of %s %04d", time.Month(n.n), n.year)
		}
		return fmt.Sprintf("month %d of %04d", n.n, n.year)
	case civil.Quarters:
		return fmt.Sprintf("quarter %d of %04d", n.n, n.year)
	}
	return fmt.Sprintf("the year %04d", n.year)
}

// relative is a period phrase as of a day.
func relative(n node, s Setting) (civil.Period, bool) {
	asOf, start := s.AsOf, time.January
	if n.flags&isFiscal != 0 {
		start = s.FiscalStart
	}
	switch n.form {
	case thisUnit:
		return n.unit.Around(asOf, n.n, start)
	case runOf:
		near, ok := n.unit.Around(asOf, sign(n.n), start)
		far, okFar := n.unit.Around(asOf, n.n, start)
		if n.n < 0 {
			near, far = far, near
		}
		return civil.Period{First: near.First, Last: far.Last}, ok && okFar
	case unitToDate:
		p, ok := n.unit.Around(asOf, 0, start)
		return civil.Period{First: p.First, Last: asOf}, ok
	}
	first, ok := asOf.AddDays(1 - n.n)
	return civil.Period{First: first, Last: asOf}, ok
}

func sign(n int) int {
	if n < 0 {
		return -1
	}
	return 1
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
