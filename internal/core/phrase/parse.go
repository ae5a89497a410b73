package phrase

import (
	"time"

	"pikegate/internal/core/civil"
)

// parser walks over the tokens of one text. Each method reads its production
// from the current token on and either consumes it whole or leaves the parser
// where it was.
type parser struct {
	tokens []token
	at     int
}

func (p *parser) peek(ahead int) token {
	if p.at+ahead < len(p.tokens) {
		return p.tokens[p.at+ahead]
	}
	return token{}
}

func (p *parser) done() bool { return p.at >= len(p.tokens) }

func (p *parser) skipBlank() {
	if p.peek(0).kind == blank {
		p.at++
	}
}

// words consumes the given words, parted by blanks, or nothing.
func (p *parser) words(first string, more ...string) bool {
	from := p.at
	if !p.peek(0).isWord(first) {
		return false
	}
	p.at++
	for _, w := range more {
		p.skipBlank()
		if !p.peek(0).isWord(w) {
			p.at = from
			return false
		}
		p.at++
	}
	return true
}

// thing = ( date | dayPhrase ) [ time ] | periodPhrase .
//
// It consumes all tokens or reports false.
func thing(tokens []token) (node, bool) {
	p := parser{tokens: tokens}
	if n, ok := p.date(); ok {
		if n, ok := p.ends(n); ok {
			return n, true
		}
	}
	p.at = 0
	if n, ok := p.dayPhrase(); ok {
		if n, ok := p.ends(n); ok {
			return n, true
		}
	}
	p.at = 0
	if n, ok := p.periodPhrase(); ok && p.done() {
		return n, true
	}
	return nil, false
}

// ends is the node where the text ends here, behind a time of day or without one.
func (p *parser) ends(n node) (node, bool) {
	if p.done() {
		return n, true
	}
	if c := n.class(); c == aDay || c == aPart {
		if _, ok := p.timeBehind(loosely); ok {
			d := beside(n)
			d.hasTime = true
			return d, true
		}
	}
	return nil, false
}

// date = [ weekday [ "," ] blank ] ( numeric | named ) .
func (p *parser) date() (node, bool) {
	from := p.at
	weekday, ok := p.weekday()
	if !ok {
		return p.numericOrNamed()
	}
	if n, ok := p.numericOrNamed(); ok && n.class() != aUnit {
		return dated{date: n, weekday: weekday, hasWeekday: true}, true
	}
	p.at = from
	return nil, false
}

func (p *parser) weekday() (time.Weekday, bool) {
	d, ok := weekdays[p.peek(0).text]
	if !ok {
		return 0, false
	}
	next := p.peek(1)
	if next.kind != blank && !next.isMark(',') {
		return 0, false
	}
	p.at++
	p.comma()
	return d, true
}

// comma = [ blank ] [ "," ] [ blank ] .
func (p *parser) comma() {
	p.skipBlank()
	if p.peek(0).isMark(',') {
		p.at++
		p.skipBlank()
	}
}

func (p *parser) numericOrNamed() (node, bool) {
	if n, ok := p.named(); ok {
		return n, true
	}
	if n, ok := p.quarterYear(); ok {
		return n, true
	}
	if p.peek(0).kind == number {
		if p.peek(0).width == 4 {
			return p.yearFirst()
		}
		return p.numeric()
	}
	return nil, false
}

// yearFirst = YYYY sep M sep D | YYYY "-" DDD | YYYY [ "-" ] "W" WW [ [ "-" ] D ] | YYYY "-" "Q" N
//
//	| YYYY sep M | YYYY .
//
// One branch for each production of the grammar.
func (p *parser) yearFirst() (node, bool) {
	year, sep, second := p.peek(0).n, p.peek(1), p.peek(2)
	switch {
	case sep.isWord("w"):
		return p.week(year, 1)
	case sep.isMark('-') && second.isWord("w"):
		return p.week(year, 2)
	case sep.isMark('-') && second.isWord("q") && p.peek(3).width == 1:
		n := p.peek(3).n
		p.at += 4
		return numberedUnit{civil.Quarters, year, n}, true
	case isSeparator(sep) && second.kind == number && second.width <= 2:
		if third := p.peek(4); p.peek(3).isMark(sep.text[0]) && third.kind == number && third.width <= 2 {
			p.at += 5
			return calendarDay{year: year, month: second.n, day: third.n}, true
		}
		p.at += 3
		if sep.isMark('-') && second.width == 2 {
			return numberedUnit{civil.Months, year, second.n}, true
		}
		return daylessDate{year, second.n}, true
	case sep.isMark('-') && second.kind == number && second.width == 3:
		p.at += 3
		return ordinalDay{year, second.n}, true
	}
	p.at++
	return numberedUnit{unit: civil.Years, year: year}, true
}

// week reads from the W, skip tokens ahead.
func (p *parser) week(year, skip int) (node, bool) {
	w := p.peek(skip + 1)
	extended := skip == 2
	switch {
	case w.kind != number:
		return nil, false
	case w.width == 3 && !extended:
		p.at += skip + 2
		return weekDay{year, w.n / 10, w.n % 10}, true
	case w.width != 2:
		return nil, false
	case extended && p.peek(skip+2).isMark('-') && p.peek(skip+3).width == 1:
		d := p.peek(skip + 3).n
		p.at += skip + 4
		return weekDay{year, w.n, d}, true
	}
	p.at += skip + 2
	return numberedUnit{civil.Weeks, year, w.n}, true
}

// numeric = YYYYMMDD | N sep N sep ( YY | YYYY ) | N "/" YYYY | N sep N .
func (p *parser) numeric() (node, bool) {
	first, sep, second := p.peek(0), p.peek(1), p.peek(2)
	if first.width == 8 {
		p.at++
		return calendarDay{year: first.n / 10000, month: first.n / 100 % 100, day: first.n % 100}, true
	}
	if first.width <= 2 && sep.isMark('/') && second.kind == number && second.width == 4 {
		p.at += 3
		return numberedUnit{civil.Months, second.n, first.n}, true
	}
	if first.width > 2 || !isSeparator(sep) || second.kind != number || second.width > 2 {
		return nil, false
	}
	if third := p.peek(4); p.peek(3).isMark(sep.text[0]) && (third.width == 2 || third.width == 4) {
		p.at += 5
		return digitsDay{[3]part{{first.n, first.width}, {second.n, second.width}, {third.n, third.width}}}, true
	}
	p.at += 3
	return twoNumbers{[2]part{{first.n, first.width}, {second.n, second.width}}}, true
}

// named = D [ "-" | blank ] MONTH [ year ] | MONTH [ "-" | blank ] D [ year ] | MONTH [ blank ] YYYY .
// year  = "-" Y | [ blank ] [ "," ] [ blank ] Y .
func (p *parser) named() (node, bool) {
	from := p.at
	if day, ok := p.dayNumber(); ok {
		joint := p.joint()
		month, ok := monthNames[p.peek(0).text]
		if joint == nothingBetween || !ok {
			p.at = from
			return nil, false
		}
		p.at++
		return p.yearAfter(month, day, joint), true
	}
	month, ok := monthNames[p.peek(0).text]
	if !ok {
		return nil, false
	}
	p.at++
	joint := p.joint()
	if joint == blankBetween && p.peek(0).width == 4 {
		year := p.peek(0).n
		p.at++
		return numberedUnit{civil.Months, year, int(month)}, true
	}
	if day, ok := p.dayNumber(); ok && joint != nothingBetween {
		return p.yearAfter(month, day, joint), true
	}
	p.at = from + 1
	return yearlessMonth{month}, true
}

type joint uint8

const (
	nothingBetween joint = iota
	blankBetween
	dashBetween
)

func (p *parser) joint() joint {
	switch {
	case p.peek(0).kind == blank:
		p.at++
		return blankBetween
	case p.peek(0).isMark('-'):
		p.at++
		return dashBetween
	}
	return nothingBetween
}

// yearAfter reads the year of a named date, which may be missing.
func (p *parser) yearAfter(month time.Month, day int, j joint) node {
	from := p.at
	n := yearlessDay{month, day}
	if j == dashBetween {
		if !p.peek(0).isMark('-') {
			return n
		}
		p.at++
	} else {
		if p.comma(); p.at == from {
			return n
		}
	}
	year := p.peek(0)
	// Two digits before a colon, or before am and pm, are the hour of a time.
	isHour := p.peek(1).isMark(':') || p.timeSuffix(1)
	if year.kind != number || year.width != 4 && (year.width != 2 || isHour) {
		p.at = from
		return n
	}
	p.at++
	return calendarDay{year.n, int(month), day, year.width == 2}
}

func (p *parser) timeSuffix(ahead int) bool {
	t := p.peek(ahead)
	if t.kind == blank {
		t = p.peek(ahead + 1)
	}
	return t.isWord("am") || t.isWord("pm")
}

// dayNumber = N [ "st" | "nd" | "rd" | "th" ] .
func (p *parser) dayNumber() (int, bool) {
	d := p.peek(0)
	if d.kind != number || d.width > 2 {
		return 0, false
	}
	switch ending := p.peek(1).text; ending {
	case "st", "nd", "rd", "th":
		if ending != ordinalEnding(d.n) {
			return 0, false
		}
		p.at++
	}
	p.at++
	return d.n, true
}

func ordinalEnding(n int) string {
	if n/10%10 != 1 {
		switch n % 10 {
		case 1:
			return "st"
		case 2:
			return "nd"
		case 3:
			return "rd"
		}
	}
	return "th"
}

// quarterYear = "Q" N [ blank YYYY ] .
func (p *parser) quarterYear() (node, bool) {
	q, n, gap, year := p.peek(0), p.peek(1), p.peek(2), p.peek(3)
	if !q.isWord("q") || n.kind != number || n.width != 1 {
		return nil, false
	}
	if gap.kind != blank || year.width != 4 {
		p.at += 2
		return yearlessQuarter{n.n}, true
	}
	p.at += 4
	return numberedUnit{civil.Quarters, year.n, n.n}, true
}

// dayPhrase = "today" | "yesterday" | "tomorrow" | N unit "ago" | "in" N unit
//
//	| ( "start" | "end" ) "of" which unit .
func (p *parser) dayPhrase() (node, bool) {
	from := p.at
	switch first := p.peek(0); {
	case p.words("today"):
		return shiftedDay{unit: civil.Days}, true
	case p.words("yesterday"):
		return shiftedDay{civil.Days, -1}, true
	case p.words("tomorrow"):
		return shiftedDay{civil.Days, 1}, true
	case p.words("in"):
		p.skipBlank()
		if n, u, ok := p.count(); ok && u != civil.Quarters {
			return shiftedDay{u, n}, true
		}
	case first.kind == number:
		if n, u, ok := p.count(); ok && u != civil.Quarters {
			if p.skipBlank(); p.words("ago") {
				return shiftedDay{u, -n}, true
			}
		}
	case p.words("start", "of"), p.words("end", "of"):
		side := start
		if first.isWord("end") {
			side = end
		}
		p.skipBlank()
		if which, ok := p.which(); ok {
			p.skipBlank()
			if u := p.unit(); spansDays(u) {
				return edgeDay{side, u, which}, true
			}
		}
	}
	p.at = from
	return nil, false
}

// periodPhrase = which unit | ( "last" | "next" ) N unit | unit "to" "date" | N "days" "to" "date"
//
//	| which NAME | which "fiscal" ( "quarter" | "year" ) | ( "last" | "next" ) N "fiscal" ( "quarters" | "years" ) .
func (p *parser) periodPhrase() (node, bool) {
	from := p.at
	if which, ok := p.which(); ok {
		p.skipBlank()
		if n, ok := p.fiscal(which); ok {
			return n, true
		}
		if u := p.unit(); u != civil.NoUnit {
			return currentUnit{unit: u, which: which}, true
		}
		if n, u, ok := p.count(); ok && which != 0 && n > 0 {
			return unitRun{unit: u, n: which * n}, true
		}
		if n, ok := p.season(which); ok {
			return n, true
		}
	} else if n, u, ok := p.count(); ok {
		if p.skipBlank(); u == civil.Days && n > 0 && p.words("to", "date") {
			return daysToDate{n}, true
		}
	} else if u := p.unit(); spansDays(u) {
		if p.skipBlank(); p.words("to", "date") {
			return unitToDate{u}, true
		}
	}
	p.at = from
	return nil, false
}

// fiscal = [ N blank ] "fiscal" blank ( "quarter" | "year" ) , behind which.
func (p *parser) fiscal(which int) (node, bool) {
	from := p.at
	count := p.peek(0)
	hasCount := count.kind == number && count.n > 0 && which != 0
	if hasCount {
		p.at++
		p.skipBlank()
	}
	if p.words("fiscal") {
		p.skipBlank()
		switch unit := p.unit(); {
		case unit != civil.Quarters && unit != civil.Years:
		case hasCount:
			return unitRun{unit, which * count.n, true}, true
		default:
			return currentUnit{unit, which, true}, true
		}
	}
	p.at = from
	return nil, false
}

// which = "this" | "last" | "next" .
func (p *parser) which() (int, bool) {
	switch {
	case p.words("this"):
		return 0, true
	case p.words("last"):
		return -1, true
	case p.words("next"):
		return 1, true
	}
	return 0, false
}

// count = N blank unit .
func (p *parser) count() (int, civil.Unit, bool) {
	from, n := p.at, p.peek(0)
	if n.kind == number {
		if p.at++; p.peek(0).kind == blank {
			p.at++
			if u := p.unit(); u != civil.NoUnit {
				return n.n, u, true
			}
		}
	}
	p.at = from
	return 0, civil.NoUnit, false
}

func (p *parser) unit() civil.Unit {
	u := unitWords[p.peek(0).text]
	if u != civil.NoUnit {
		p.at++
	}
	return u
}

// spansDays reports whether the unit is longer than a day.
func spansDays(u civil.Unit) bool { return u != civil.NoUnit && u != civil.Days }

func isSeparator(t token) bool {
	return t.isMark('-') || t.isMark('/') || t.isMark('.')
}
