package phrase

import (
	"slices"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

// The codes of refusals of moments, besides those of days.
const (
	TimeMissing   = "time_missing"
	NoSuchTime    = "no_such_time"
	AmbiguousTime = "ambiguous_time"
)

var momentPrecedence = append(slices.Clone(precedence), TimeMissing, NoSuchTime, AmbiguousTime)

// MomentReading is what a text of moments was understood as. A single moment
// starts and ends the period.
type MomentReading struct {
	Period civil.MomentPeriod
	Zoned  bool // the text settled the instants by itself; the setting's zone played no part
	Unit   bool // the text named a period by itself rather than a single moment
	Notes  []string
}

// Moment reads a date with a time of day, in the setting's zone unless it
// carries an offset of its own. It stands for its whole minute, or for its second
// where seconds are written.
//
//	5 Mar 2026 2:30 pm, 2026-03-05T14:30:15Z, yesterday 06:00, now, 30 minutes ago
func Moment(text string, s Setting) (MomentReading, *fault.Fault) {
	var room [32]token
	tokens, ok := lex(text, room[:0])
	if !ok || len(tokens) == 0 {
		return MomentReading{}, notAMoment(text)
	}
	r, f := moment(tokens, s, alone)
	switch {
	case f == nil && r.isWithinYears():
		return r, nil
	case f == nil:
		f = outside()
	case f == errNoMoment:
		f = offer(notAMoment(text), tokens, func(mended string) *fault.Fault {
			_, refused := Moment(mended, s)
			return refused
		})
	case f.Code == TimeMissing:
		keepPassing(f, s, Moment)
	}
	f.Entered = fault.Shorten(text)
	return MomentReading{}, f
}

// keepPassing takes away the suggestions that would be refused in their turn: a day
// can start at a time that clocks skip, or beyond the years that there are.
func keepPassing(f *fault.Fault, s Setting, read func(string, Setting) (MomentReading, *fault.Fault)) {
	f.Suggestions = slices.DeleteFunc(f.Suggestions, func(text string) bool {
		_, refused := read(text, s)
		return refused != nil
	})
}

// MomentPeriod reads a period of moments, first and last included: two ends, one
// open end, or a run of hours or minutes.
//
//	5 Mar 2026 06:00 to 5 Mar 2026 09:00, since yesterday 18:00, last 6 hours, 90 minutes to now
func MomentPeriod(text string, s Setting) (MomentReading, *fault.Fault) {
	return readMoments(text, s, alone)
}

// MomentStart and MomentEnd read a period of moments from the first or the second
// of two fields, where a single moment is an end of one: 24:00 is the end of its
// day, and a time that comes twice is the earlier or the later one.
func MomentStart(text string, s Setting) (MomentReading, *fault.Fault) {
	return readMoments(text, s, asStart)
}

// MomentEnd is described at MomentStart.
func MomentEnd(text string, s Setting) (MomentReading, *fault.Fault) {
	return readMoments(text, s, asEnd)
}

func readMoments(text string, s Setting, as role) (MomentReading, *fault.Fault) {
	var room [48]token
	tokens, ok := lex(text, room[:0])
	if !ok || len(tokens) == 0 {
		return MomentReading{}, notAMomentPeriod(text)
	}
	r, f := momentPeriod(tokens, s, as)
	switch {
	case f == nil && r.isWithinYears():
		return r, nil
	case f == nil:
		f = outside()
	case f == errNoMoment || f.Code == TimeMissing || f.Code == IncompleteDate:
		if days, refused := period(text, tokens, s); refused == nil && days.Period.IsClosed() {
			f = fault.New(TimeMissing, "times of day are missing, such as 14:30").
				Suggest(days.Period.First.Plain() + " 00:00 to " + days.Period.Last.Plain() + " 24:00")
		} else if f == errNoMoment {
			f = offer(notAMomentPeriod(text), tokens, func(mended string) *fault.Fault {
				_, refused := MomentPeriod(mended, s)
				return refused
			})
		}
		if f.Code == TimeMissing {
			keepPassing(f, s, MomentPeriod)
		}
	}
	f.Entered = fault.Shorten(text)
	return MomentReading{}, f
}

// isWithinYears reports whether the moments lie in the years that there are, by UTC.
func (r MomentReading) isWithinYears() bool {
	for _, m := range []civil.Moment{r.Period.First, r.Period.Last} {
		if m.IsValid() && !civil.DayAt(m.At, time.UTC).IsValid() {
			return false
		}
	}
	return true
}

// errNoMoment is the refusal of a text in none of the forms of moments; whoever
// has the whole text puts words to it.
var errNoMoment = fault.New(NotADate, "not a moment")

// momentPeriod = momentPhrase | moment | ends .
func momentPeriod(tokens []token, s Setting, as role) (MomentReading, *fault.Fault) {
	p := parser{tokens: tokens}
	if period, ok := p.momentPhrase(s); ok {
		return MomentReading{Period: period, Unit: true}, nil
	}
	first, last, ok := split(tokens)
	single, f := moment(tokens, s, max(as, asStart))
	if f == nil && as == alone {
		// Its whole minute, both times where clocks show it twice.
		if last, _ := moment(tokens, s, asEnd); last.Period.Last.At > single.Period.Last.At {
			return BetweenMoments(single, last, s.Zone)
		}
	}
	if f == nil || !ok {
		return single, f
	}
	var faults []*fault.Fault
	read := func(side []token, as role) MomentReading {
		if isOpen(side) {
			return MomentReading{Zoned: true}
		}
		r, f := moment(side, s, as)
		if f != nil {
			faults = append(faults, f)
		}
		return r
	}
	from, through := read(first, asStart), read(last, asEnd)
	if len(faults) > 0 {
		return MomentReading{}, slices.MinFunc(faults, func(a, b *fault.Fault) int {
			return slices.Index(momentPrecedence, a.Code) - slices.Index(momentPrecedence, b.Code)
		})
	}
	return BetweenMoments(from, through, s.Zone)
}

// BetweenMoments makes a period of two readings, an open side where one has no
// moment. An end before its start is refused and the swapped period offered.
func BetweenMoments(start, end MomentReading, zone *time.Location) (MomentReading, *fault.Fault) {
	p := civil.MomentPeriod{First: start.Period.First, Last: end.Period.Last}
	if !p.IsOrdered() {
		return MomentReading{}, fault.New(EndBeforeStart, "the period ends on %s, before it starts on %s", p.Last.Spelled(zone), p.First.Spelled(zone)).
			Suggest(Typed(p.Last, zone) + " to " + Typed(p.First, zone))
	}
	return MomentReading{Period: p, Zoned: start.Zoned && end.Zoned, Unit: true, Notes: slices.Concat(start.Notes, end.Notes)}, nil
}

// moment = fromNow | ( date | dayPhrase ) clock .
func moment(tokens []token, s Setting, as role) (MomentReading, *fault.Fault) {
	p := parser{tokens: tokens}
	if back, ok := p.fromNow(); ok && p.done() {
		m := civil.Moment{At: floor(s.Now, 60) - back, Size: 60}
		return MomentReading{Period: civil.MomentPeriod{First: m, Last: m}, Zoned: true}, nil
	}
	n, c, ok := p.dated()
	if !ok {
		if n, whole := thing(tokens); whole && n.form < thisUnit {
			return MomentReading{}, withoutTime(n, s)
		}
		return MomentReading{}, errNoMoment
	}
	r, f := evaluate(n, s)
	if f == nil && r.Unit {
		f = fault.New(IncompleteDate, "the day is missing")
	}
	if f != nil {
		return MomentReading{}, f
	}
	m, notes, f := c.on(r.Period.First, s.Zone, as)
	return MomentReading{Period: civil.MomentPeriod{First: m, Last: m}, Zoned: c.hasOffset, Notes: append(r.Notes, notes...)}, f
}

// fromNow = "now" | N ( "minutes" | "hours" ) "ago" , in seconds back.
func (p *parser) fromNow() (int64, bool) {
	if p.words("now") {
		return 0, true
	}
	n, size, ok := p.span()
	if ok && p.words("ago") {
		return n * size, true
	}
	p.at = 0
	return 0, false
}

// momentPhrase = "last" span | span "to" "now" .
//
// The first is as many complete clock hours or minutes, the second as many that
// end with the minute that it is now.
func (p *parser) momentPhrase(s Setting) (civil.MomentPeriod, bool) {
	if p.words("last") {
		p.skipBlank()
		n, size, ok := p.span()
		if !ok || n == 0 || !p.done() {
			return civil.MomentPeriod{}, false
		}
		until := clockFloor(s.Now+1, size, s.Zone)
		return minutes(clockFloor(until-n*size, size, s.Zone), until), true
	}
	n, size, ok := p.span()
	if !ok || n == 0 || !p.words("to") {
		return civil.MomentPeriod{}, false
	}
	if p.skipBlank(); !p.words("now") || !p.done() {
		return civil.MomentPeriod{}, false
	}
	until := floor(s.Now, 60) + 60
	return minutes(until-n*size, until), true
}

// span = N blank ( "minutes" | "hours" ) [ blank ] , as a number and its size in
// seconds.
func (p *parser) span() (n, size int64, ok bool) {
	count, u := p.peek(0), p.peek(2)
	if count.kind != number || p.peek(1).kind != blank || count.width > 6 {
		return 0, 0, false
	}
	switch u.text {
	case "minute", "minutes":
		size = 60
	case "hour", "hours":
		size = 3600
	default:
		return 0, 0, false
	}
	p.at += 3
	p.skipBlank()
	return int64(count.n), size, true
}

// minutes is the period of whole minutes from an instant up to another.
func minutes(from, until int64) civil.MomentPeriod {
	return civil.MomentPeriod{First: civil.Moment{At: from, Size: 60}, Last: civil.Moment{At: until - 60, Size: 60}}
}

// clockFloor is the last instant up to the given one at which clocks in the zone
// show a full hour, or a full minute.
func clockFloor(at, size int64, zone *time.Location) int64 {
	wall := civil.Wall(at, zone)
	return at - (wall - floor(wall, size))
}

// floor rounds down to a multiple.
func floor(n, to int64) int64 {
	rest := n % to
	if rest < 0 {
		rest += to
	}
	return n - rest
}

// dated = ( date | dayPhrase ) clock .
func (p *parser) dated() (node, clock, bool) {
	if n, ok := p.date(); ok {
		if c, ok := p.clock(); ok {
			return n, c, true
		}
	}
	p.at = 0
	if n, ok := p.dayPhrase(); ok {
		if c, ok := p.clock(); ok {
			return n, c, true
		}
	}
	return node{}, clock{}, false
}

// TimeRange reads a part of the day, first and last included, which may go over
// midnight.
//
//	06:00 to 09:00, 10:30 pm - 2:00 am
func TimeRange(text string) (civil.TimeRange, *fault.Fault) {
	var room [24]token
	tokens, ok := lex(text, room[:0])
	if ok && len(tokens) > 0 {
		if first, last, ok := split(tokens); ok && !isOpen(first) && !isOpen(last) {
			p, q := parser{tokens: first}, parser{tokens: last}
			from, okFrom := p.timeOfDay()
			through, okThrough := q.timeOfDay()
			if okFrom && okThrough && p.done() && q.done() {
				return betweenTimes(text, from, through)
			}
		}
	}
	f := unreadable(text, "a range of times of day", "06:00 to 09:00")
	return civil.TimeRange{}, offer(f, tokens, func(mended string) *fault.Fault {
		_, refused := TimeRange(mended)
		return refused
	})
}

func betweenTimes(text string, from, through clock) (civil.TimeRange, *fault.Fault) {
	first, f := from.sinceMidnight()
	last, g := through.sinceMidnight()
	if f == nil {
		f = g
	}
	if f != nil {
		f.Entered = fault.Shorten(text)
		return civil.TimeRange{}, f
	}
	const day = 24 * 3600
	size := min(from.size(), through.size())
	until := last + through.size()
	if last == day {
		until = day
	}
	if until > day {
		until -= day
	}
	return civil.TimeRange{From: first % day, Until: until, Size: size}, nil
}

// withoutTime refuses a date that has no time of day, or one that is not read.
func withoutTime(n node, s Setting) *fault.Fault {
	n.flags &^= hasTime
	r, f := evaluate(n, s)
	switch {
	case f != nil:
		return f
	case r.Unit:
		return fault.New(IncompleteDate, "the day is missing")
	}
	return fault.New(TimeMissing, "a time of day is missing, such as 14:30").Suggest(r.Period.First.Plain() + " 00:00")
}

func notAMoment(text string) *fault.Fault {
	return unreadable(text, "a moment", "5 Mar 2026 14:30 or 2026-03-05T14:30Z")
}

func notAMomentPeriod(text string) *fault.Fault {
	return unreadable(text, "a period of moments", "5 Mar 2026 06:00 to 5 Mar 2026 09:00 or last 6 hours")
}
