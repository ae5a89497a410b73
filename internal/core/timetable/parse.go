package timetable

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

// mostBytes is how long a text may be to be read at all.
const mostBytes = 300

// Parse reads times.
//
//	times  = days "at" clock { ( "," | "and" ) clock }
//	       | "every" [ N ] ( "minutes" | "hours" ) [ "from" clock "to" clock ] [ "on" days ]
//	       | "hourly" [ "from" clock "to" clock ] [ "on" days ] .
//	days   = [ "on" ] ( "daily" | "every day" | "weekdays" | "weekends" | weekday { ( "," | "and" ) weekday }
//	       | [ "the" ] nth [ "day" | "weekday" | weekday ] "of" [ "the" | "every" | "each" ] unit ) .
//	nth    = "first" | ... | "fourth" | "last" | N [ "st" | "nd" | "rd" | "th" ] .
//	unit   = "month" | "quarter" | "year" | month { ( "," | "and" ) month } .
//	clock  = H ":" MM [ "am" | "pm" ] | H ( "am" | "pm" ) | "noon" | "midnight" .
func Parse(text string) (Times, *fault.Fault) {
	if len(text) > mostBytes {
		return Times{}, fault.New(fault.NotATimetable, "times have up to %d letters, and this has %d bytes", mostBytes, len(text))
	}
	p := &parser{words: words(strings.ToLower(text)), text: text}
	t, f := p.times()
	if f == nil && p.at < len(p.words) {
		f = p.refuse()
	}
	if f != nil {
		return Times{}, f
	}
	return t, nil
}

// words cuts a text at blanks, before and behind commas, and between digits and letters.
func words(text string) (all []string) {
	kind := func(r rune) int {
		switch {
		case r >= '0' && r <= '9' || r == ':':
			return 1
		case r == ',':
			return 2
		}
		return 3
	}
	for _, part := range strings.Fields(text) {
		from, last := 0, 0
		for i, r := range part {
			if k := kind(r); i > 0 && (k != last || k == 2) {
				all = append(all, part[from:i])
				from = i
			}
			last = kind(r)
		}
		all = append(all, part[from:])
	}
	return all
}

type parser struct {
	words []string
	at    int
	text  string
}

// next is the next word, "" behind the last one.
func (p *parser) next() string {
	if p.at < len(p.words) {
		return p.words[p.at]
	}
	return ""
}

// take takes the next word where it is one of some.
func (p *parser) take(any ...string) bool {
	for _, w := range any {
		if p.next() == w {
			p.at++
			return true
		}
	}
	return false
}

const examples = `write it like "weekdays at 06:30", "every 15 minutes from 06:00 to 22:00" or "last weekday of month at 17:00"`

// refuse says where the text cannot be read.
func (p *parser) refuse() *fault.Fault {
	if len(p.words) == 0 {
		return fault.New(fault.NotATimetable, "no times are named; %s", examples)
	}
	if p.at >= len(p.words) {
		return fault.New(fault.NotATimetable, "%q ends before it says when; %s", english.Shorten(p.text), examples)
	}
	return fault.New(fault.NotATimetable, "%q is not understood in %q; %s", english.Shorten(p.words[p.at]), english.Shorten(p.text), examples)
}

func (p *parser) times() (t Times, f *fault.Fault) {
	if p.next() == "hourly" || p.next() == "every" && !p.isAhead("day") {
		return p.repeated()
	}
	if t.on, f = p.days(); f != nil {
		return t, f
	}
	if !p.take("at") {
		return t, p.refuse()
	}
	for {
		at, f := p.clock()
		if f != nil {
			return t, f
		}
		t.at = append(t.at, at)
		if !p.joint() {
			break
		}
	}
	t.at = inOrder(t.at)
	return t, nil
}

// isAhead reports whether the word after the next is some word.
func (p *parser) isAhead(word string) bool {
	return p.at+1 < len(p.words) && p.words[p.at+1] == word
}

// joint takes what stands between two items of a list: a comma, and, or both.
func (p *parser) joint() bool {
	comma := p.take(",")
	return p.take("and") || comma
}

// repeated reads times that are so many minutes apart.
func (p *parser) repeated() (t Times, f *fault.Fault) {
	n, unit := 1, 60
	if !p.take("hourly") {
		p.take("every")
		if v, ok := number(p.next()); ok {
			n = v
			p.at++
		}
		switch {
		case p.take("minute", "minutes", "min"):
			unit = 1
		case p.take("hour", "hours"):
		default:
			return t, p.refuse()
		}
	}
	if n < 1 || n*unit > 24*60 {
		return t, fault.New(fault.NotATimetable, "times of a day are between 1 minute and 24 hours apart; for longer ones name the days, as in %q", "mon at 06:30")
	}
	t.every = n * unit
	from, to := 0, civil.SecondsPerDay-60
	if p.take("from") {
		if from, f = p.clock(); f != nil {
			return t, f
		}
		if !p.take("to", "until", "through") {
			return t, p.refuse()
		}
		if to, f = p.clock(); f != nil {
			return t, f
		}
		if to <= from {
			to += civil.SecondsPerDay // of the next day
		}
	}
	if t.at = steps(from, to, t.every); len(t.at) == 1 {
		t.every = 0
	}
	t.on = days{week: allDays}
	if p.next() != "" {
		if p.next() != "on" {
			return t, p.refuse()
		}
		t.on, f = p.days()
	}
	return t, f
}

func (p *parser) days() (days, *fault.Fault) {
	p.take("on")
	switch {
	case p.take("daily"):
		return days{week: allDays}, nil
	case p.next() == "every" && p.isAhead("day"):
		p.at += 2
		return days{week: allDays}, nil
	case p.take("weekdays"):
		return days{week: workdays}, nil
	case p.take("weekends"):
		return days{week: weekends}, nil
	}
	if _, ok := weekday(p.next()); ok {
		return p.weekdays()
	}
	return p.dayOfUnit()
}

func (p *parser) weekdays() (o days, _ *fault.Fault) {
	for {
		d, ok := weekday(p.next())
		if !ok {
			return o, p.refuse()
		}
		p.at++
		o.week |= 1 << d
		if !p.joint() {
			return o, nil
		}
	}
}

// weekday finds a day of the week by its name, in the plural too.
func weekday(word string) (time.Weekday, bool) {
	if d, ok := phrase.WeekdayNamed(word); ok {
		return d, true
	}
	name, plural := strings.CutSuffix(word, "s")
	d, ok := phrase.WeekdayNamed(name)
	return d, plural && ok && len(name) > 4
}

var ordinals = map[string]int{"first": 1, "second": 2, "third": 3, "fourth": 4, "last": -1}

// dayOfUnit reads which day of a month, a quarter or a year.
func (p *parser) dayOfUnit() (o days, f *fault.Fault) {
	p.take("the")
	n, named := ordinals[p.next()]
	if !named {
		var ok bool
		if n, ok = number(p.next()); !ok {
			return o, p.refuse()
		}
	}
	if p.at++; !named {
		p.take("st", "nd", "rd", "th")
	}
	o.n, o.kind = n, allDays
	if d, ok := weekday(p.next()); ok {
		o.kind = 1 << d
		p.at++
	} else if p.take("weekday") {
		o.kind = workdays
	} else {
		p.take("day")
	}
	if !p.take("of") {
		return o, p.refuse()
	}
	p.take("the", "every", "each")
	switch {
	case p.take("month", "months"):
		o.unit = civil.Months
	case p.take("quarter", "quarters"):
		o.unit = civil.Quarters
	case p.take("year", "years"):
		o.unit = civil.Years
	default:
		o.unit = civil.Months
		for {
			m, ok := phrase.MonthNamed(p.next())
			if !ok {
				return o, p.refuse()
			}
			p.at++
			o.months |= 1 << (m - 1)
			if !p.joint() {
				break
			}
		}
	}
	return o, o.isInEach()
}

// isInEach refuses a day that some of the units do not have.
func (o days) isInEach() *fault.Fault {
	if o.n == -1 {
		return nil
	}
	shortest := map[civil.Unit]int{civil.Months: 28, civil.Quarters: 90, civil.Years: 365}[o.unit]
	if o.months != 0 && o.months&(1<<(time.February-1)) == 0 {
		shortest = 30
		if o.months&^(1<<0|1<<2|1<<4|1<<6|1<<7|1<<9|1<<11) == 0 {
			shortest = 31
		}
	}
	switch o.kind {
	case allDays:
	case workdays:
		shortest = shortest / 7 * 5
	default:
		shortest /= 7
	}
	if o.n >= 1 && o.n <= shortest {
		return nil
	}
	last := o
	last.n = -1
	return fault.New(fault.NoSuchRunDay, "not every %s has a %s: the greatest is the %s", unitOf(o), strings.TrimSuffix(o.spelled(), " of "+unitOf(o)), nth(shortest)).Suggest(last.spelled())
}

// unitOf is what the days are of, in words.
func unitOf(o days) string {
	_, unit, _ := strings.Cut(o.spelled(), " of ")
	return unit
}

// clock reads a time of day, in seconds since midnight.
func (p *parser) clock() (int, *fault.Fault) {
	switch {
	case p.take("noon"):
		return 12 * 3600, nil
	case p.take("midnight"):
		return 0, nil
	}
	h, m, hasMinutes := strings.Cut(p.next(), ":")
	hour, ok := number(h)
	minute, okMinute := 0, true
	if hasMinutes {
		minute, okMinute = number(m)
		okMinute = okMinute && len(m) == 2
	}
	if !ok || !okMinute || len(h) > 2 {
		return 0, p.refuse()
	}
	p.at++
	half := p.next()
	isHalf := p.take("am", "pm")
	switch {
	case !isHalf && !hasMinutes:
		p.at--
		return 0, fault.New(fault.NotATimetable, "%q is a time without its minutes", p.next()).Suggest(h + ":00")
	case isHalf && (hour < 1 || hour > 12), hour > 23, minute > 59:
		return 0, fault.New(fault.NoSuchTime, "no clock shows %s; times go from 00:00 to 23:59", strings.TrimSpace(fmt.Sprintf("%s:%02d ", h, minute)+map[bool]string{true: half}[isHalf]))
	case isHalf:
		if hour %= 12; half == "pm" {
			hour += 12
		}
	}
	return hour*3600 + minute*60, nil
}

// number is a text of up to three digits.
func number(text string) (int, bool) {
	n, err := strconv.Atoi(text)
	return n, err == nil && len(text) <= 3 && text[0] != '-' && text[0] != '+'
}
