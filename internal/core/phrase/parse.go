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
	if n, ok := p.date(); ok && p.ends(&n) {
		return n, true
	}
	p.at = 0
	if n, ok := p.dayPhrase(); ok && p.ends(&n) {
		return n, true
	}
	p.at = 0
	if n, ok := p.periodPhrase(); ok && p.done() {
		return n, true
	}
	return node{}, false
}

// ends reports whether the text ends here, behind a time of day or without one.
func (p *parser) ends(n *node) bool {
	if p.done() {
		return true
	}
	if n.isDay() || n.form == partial {
		if _, ok := p.time(); ok && p.done() {
			n.flags |= hasTime
			return true
		}
	}
	return false
}

// date = [ weekday [ "," ] blank ] ( numeric | named ) .
func (p *parser) date() (node, bool) {
	from := p.at
	weekday, ok := p.weekday()
	if !ok {
		return p.numericOrNamed()
	}
	if n, ok := p.numericOrNamed(); ok && (n.isDay() || n.form == partial) {
		n.weekday, n.flags = weekday, n.flags|hasWeekday
		return n, true
	}
	p.at = from
	return node{}, false
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
	return node{}, false
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
		return node{form: unitOf, unit: civil.Quarters, year: year, n: n}, true
	case isSeparator(sep) && second.kind == number && second.width <= 2:
		if third := p.peek(4); p.peek(3) == sep && third.kind == number && third.width <= 2 {
			p.at += 5
			return node{form: written, year: year, month: second.n, day: third.n}, true
		}
		p.at += 3
		if sep.isMark('-') && second.width == 2 {
			return node{form: unitOf, unit: civil.Months, year: year, n: second.n}, true
		}
		return node{form: partial, year: year, month: second.n}, true
	case sep.isMark('-') && second.kind == number && second.width == 3:
		p.at += 3
		return node{form: ordinal, year: year, day: second.n}, true
	}
	p.at++
	return node{form: unitOf, unit: civil.Years, year: year}, true
}

// week reads from the W, skip tokens ahead.
func (p *parser) week(year, skip int) (node, bool) {
	w := p.peek(skip + 1)
	extended := skip == 2
	switch {
	case w.kind != number:
		return node{}, false
	case w.width == 3 && !extended:
		p.at += skip + 2
		return node{form: weekDay, year: year, n: w.n / 10, day: w.n % 10}, true
	case w.width != 2:
		return node{}, false
	case extended && p.peek(skip+2).isMark('-') && p.peek(skip+3).width == 1:
		d := p.peek(skip + 3).n
		p.at += skip + 4
		return node{form: weekDay, year: year, n: w.n, day: d}, true
	}
	p.at += skip + 2
	return node{form: unitOf, unit: civil.Weeks, year: year, n: w.n}, true
}

// numeric = YYYYMMDD | N sep N sep ( YY | YYYY ) | N "/" YYYY | N sep N .
func (p *parser) numeric() (node, bool) {
	first, sep, second := p.peek(0), p.peek(1), p.peek(2)
	if first.width == 8 {
		p.at++
		return node{form: written, year: first.n / 10000, month: first.n / 100 % 100, day: first.n % 100}, true
	}
	if first.width <= 2 && sep.isMark('/') && second.kind == number && second.width == 4 {
		p.at += 3
		return node{form: unitOf, unit: civil.Months, year: second.n, n: first.n}, true
	}
	if first.width > 2 || !isSeparator(sep) || second.kind != number || second.width > 2 {
		return node{}, false
	}
	if third := p.peek(4); p.peek(3) == sep && (third.width == 2 || third.width == 4) {
		p.at += 5
		return node{form: digits, parts: [3]part{{first.n, first.width}, {second.n, second.width}, {third.n, third.width}}}, true
	}
	p.at += 3
	return node{form: partial, parts: [3]part{{first.n, first.width}, {second.n, second.width}}}, true
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
			return node{}, false
		}
		p.at++
		return p.yearAfter(month, day, joint), true
	}
	month, ok := monthNames[p.peek(0).text]
	if !ok {
		return node{}, false
	}
	p.at++
	joint := p.joint()
	if joint == blankBetween && p.peek(0).width == 4 {
		year := p.peek(0).n
		p.at++
		return node{form: unitOf, unit: civil.Months, year: year, n: int(month)}, true
	}
	if day, ok := p.dayNumber(); ok && joint != nothingBetween {
		return p.yearAfter(month, day, joint), true
	}
	p.at = from + 1
	return node{form: partial, month: int(month)}, true
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
	n := node{form: partial, month: int(month), day: day}
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
	n.form, n.year, n.twoDigit = written, year.n, year.width == 2
	return n
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
		return node{}, false
	}
	if gap.kind != blank || year.width != 4 {
		p.at += 2
		return node{form: partial, unit: civil.Quarters, n: n.n}, true
	}
	p.at += 4
	return node{form: unitOf, unit: civil.Quarters, year: year.n, n: n.n}, true
}

// dayPhrase = "today" | "yesterday" | "tomorrow" | N unit "ago" | "in" N unit
//
//	| ( "start" | "end" ) "of" which unit .
func (p *parser) dayPhrase() (node, bool) {
	from := p.at
	switch first := p.peek(0); {
	case p.words("today"):
		return node{form: shifted, unit: civil.Days}, true
	case p.words("yesterday"):
		return node{form: shifted, unit: civil.Days, n: -1}, true
	case p.words("tomorrow"):
		return node{form: shifted, unit: civil.Days, n: 1}, true
	case p.words("in"):
		p.skipBlank()
		if n, u, ok := p.count(); ok && u != civil.Quarters {
			return node{form: shifted, unit: u, n: n}, true
		}
	case first.kind == number:
		if n, u, ok := p.count(); ok && u != civil.Quarters {
			if p.skipBlank(); p.words("ago") {
				return node{form: shifted, unit: u, n: -n}, true
			}
		}
	case p.words("start", "of"), p.words("end", "of"):
		form := startOf
		if first.text == "end" {
			form = endOf
		}
		p.skipBlank()
		if which, ok := p.which(); ok {
			p.skipBlank()
			if u := p.unit(); u > civil.Days {
				return node{form: form, unit: u, n: which}, true
			}
		}
	}
	p.at = from
	return node{}, false
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
			return node{form: thisUnit, unit: u, n: which}, true
		}
		if n, u, ok := p.count(); ok && which != 0 && n > 0 {
			return node{form: runOf, unit: u, n: which * n}, true
		}
		if n, ok := p.season(which); ok {
			return n, true
		}
	} else if n, u, ok := p.count(); ok {
		if p.skipBlank(); u == civil.Days && n > 0 && p.words("to", "date") {
			return node{form: daysToDate, n: n}, true
		}
	} else if u := p.unit(); u > civil.Days {
		if p.skipBlank(); p.words("to", "date") {
			return node{form: unitToDate, unit: u}, true
		}
	}
	p.at = from
	return node{}, false
}

// fiscal = [ N blank ] "fiscal" blank ( "quarter" | "year" ) , behind which.
func (p *parser) fiscal(which int) (node, bool) {
	from := p.at
	n := node{form: thisUnit, n: which, flags: isFiscal}
	if count := p.peek(0); count.kind == number && count.n > 0 && which != 0 {
		n.form, n.n = runOf, which*count.n
		p.at++
		p.skipBlank()
	}
	if p.words("fiscal") {
		p.skipBlank()
		if n.unit = p.unit(); n.unit >= civil.Quarters {
			return n, true
		}
	}
	p.at = from
	return node{}, false
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

// time = ( "T" | blank | [ blank ] "," [ blank ] ) [ "at" blank ] ( hh ":" mm ... | hhmm[ss] after T | h ( "am" | "pm" ) ) [ zone ] .
//
// More is known as a time here than is read as one anywhere: it serves to tell
// that a time was given where none is wanted, and which one may have been meant.
func (p *parser) time() (clock, bool) {
	from := p.at
	afterT := p.peek(0).isWord("t")
	if afterT {
		p.at++
	} else if p.comma(); p.at == from {
		return clock{}, false
	}
	if p.words("at") {
		p.skipBlank()
	}
	return p.anyTime(afterT)
}

// anyTime reads the time itself, which may be all digits.
func (p *parser) anyTime(mayBeDigits bool) (clock, bool) {
	from, hour := p.at, p.peek(0)
	if hour.kind != number {
		return clock{}, false
	}
	c := clock{hour: hour.n}
	p.at++
	switch {
	case p.peek(0).isMark(':'):
		for i := 0; p.peek(0).isMark(':') && p.peek(1).width == 2; i++ {
			if c.second = p.peek(1).n; i == 0 {
				c.minute, c.second = c.second, 0
			}
			c.seconds = i > 0
			p.at += 2
		}
		if (p.peek(0).isMark('.') || p.peek(0).isMark(',')) && p.peek(1).kind == number {
			p.at += 2
		}
		p.amPm(&c)
	case mayBeDigits && hour.width == 4:
		c.hour, c.minute = hour.n/100, hour.n%100
	case mayBeDigits && hour.width == 6:
		c.hour, c.minute, c.second, c.seconds = hour.n/10000, hour.n/100%100, hour.n%100, true
	case hour.width > 2 || !p.amPm(&c):
		p.at = from
		return clock{}, false
	}
	p.anyOffset(&c)
	return c, true
}

func (p *parser) amPm(c *clock) bool {
	if !p.timeSuffix(0) {
		return false
	}
	p.skipBlank()
	c.half = p.peek(0).text
	p.at++
	return true
}

// anyOffset = [ blank ] ( "Z" | "UTC" | "GMT" | ( "+" | "-" ) hh [ ":" ] [ mm ] ) .
func (p *parser) anyOffset(c *clock) {
	from := p.at
	p.skipBlank()
	sign, h := p.peek(0), p.peek(1)
	switch {
	case p.words("z"), p.words("utc"), p.words("gmt"):
		c.hasOffset = true
		return
	case (sign.isMark('-') || sign.isMark('+')) && h.kind == number:
		hours, minutes := h.n, 0
		if h.width == 4 {
			hours, minutes = h.n/100, h.n%100
		}
		if p.at += 2; p.peek(0).isMark(':') && p.peek(1).width == 2 {
			minutes = p.peek(1).n
			p.at += 2
		}
		if c.offset, c.hasOffset = hours*3600+minutes*60, true; sign.isMark('-') {
			c.offset = -c.offset
		}
		return
	}
	p.at = from
}

func isSeparator(t token) bool {
	return t.isMark('-') || t.isMark('/') || t.isMark('.')
}
