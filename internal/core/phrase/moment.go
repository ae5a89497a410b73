package phrase

import (
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

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
	r, f := oneMoment(text, s)
	if f != nil {
		return MomentReading{}, offer(f, text, func(text string) (MomentReading, *fault.Fault) { return oneMoment(text, s) })
	}
	return r, nil
}

// oneMoment reads a single moment; what its refusals suggest may itself be refused.
func oneMoment(text string, s Setting) (MomentReading, *fault.Fault) {
	var room [32]token
	tokens, bad := lex(text, room[:0])
	if bad > 0 {
		return MomentReading{}, column(notAMoment(text), bad)
	}
	r, f := moment(text, tokens, s, alone)
	if f == nil && !r.isWithinYears() {
		f = outside()
	}
	return r, column(f, tokens[0].column)
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
	r, f := momentPeriod(text, s, as)
	if f != nil {
		return MomentReading{}, offer(f, text, func(text string) (MomentReading, *fault.Fault) { return momentPeriod(text, s, as) })
	}
	return r, nil
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

// momentPeriod = momentPhrase | moment | ends .
//
// What its refusals suggest may itself be refused.
func momentPeriod(text string, s Setting, as role) (MomentReading, *fault.Fault) {
	var room [48]token
	tokens, bad := lex(text, room[:0])
	if bad > 0 {
		return MomentReading{}, column(notAMomentPeriod(text), bad)
	}
	r, f := momentsOf(text, tokens, s, as)
	if f == nil {
		if r.isWithinYears() {
			return r, nil
		}
		return MomentReading{}, column(outside(), tokens[0].column)
	}
	if f.Code == fault.NotADate || f.Code == fault.IncompleteDate || f.Code == fault.TimeMissing {
		if days, refused := period(text, s); refused == nil && days.Period.IsClosed() {
			end := days.Period.Last.Plain() + " 24:00"
			f = fault.New(fault.TimeMissing, "times of day are missing, such as 14:30").Suggest(end)
			if as != asEnd {
				f.Suggestions = []string{Ends(days.Period.First.Plain()+" 00:00", end)}
			}
		}
	}
	return MomentReading{}, column(f, tokens[0].column)
}

func momentsOf(text string, tokens []token, s Setting, as role) (MomentReading, *fault.Fault) {
	p := parser{tokens: tokens}
	if period, ok := p.momentPhrase(s); ok {
		return MomentReading{Period: period, Unit: true}, nil
	}
	asEdge := as
	if as == alone {
		asEdge = asStart
	}
	single, f := moment(text, tokens, s, asEdge)
	if f == nil && as == alone {
		// Its whole minute, both times where clocks show it twice.
		if last, _ := moment(text, tokens, s, asEnd); last.Period.Last.At > single.Period.Last.At {
			return BetweenMoments(single, last, s.Zone)
		}
	}
	first, last, ok := split(tokens)
	if f == nil || !ok {
		return single, f
	}
	from, f := momentEnd(text, first, s, asStart)
	through, g := momentEnd(text, last, s, asEnd)
	if text := shortened(first, last); g != nil && text != "" {
		g.Suggestions = []string{text + " 24:00"}
	}
	if f != nil || g != nil {
		return MomentReading{}, ofEnds(first, last, f, g)
	}
	return BetweenMoments(from, through, s.Zone)
}

// momentEnd reads one end of a period of moments, none where it is open.
func momentEnd(text string, side []token, s Setting, as role) (MomentReading, *fault.Fault) {
	if isOpen(side) {
		return MomentReading{Zoned: true}, nil
	}
	return moment(text, side, s, as)
}

// BetweenMoments makes a period of two readings, an open side where one has no
// moment. An end before its start is refused and the swapped period offered.
func BetweenMoments(start, end MomentReading, zone *time.Location) (MomentReading, *fault.Fault) {
	p := civil.MomentPeriod{First: start.Period.First, Last: end.Period.Last}
	if !p.IsOrdered() {
		return MomentReading{}, fault.New(fault.EndBeforeStart, "the period ends on %s, before it starts on %s", p.Last.Spelled(zone), p.First.Spelled(zone)).
			Suggest(Ends(Typed(p.Last, zone), Typed(p.First, zone)))
	}
	return MomentReading{Period: p, Zoned: start.Zoned && end.Zoned, Unit: true, Notes: slices.Concat(start.Notes, end.Notes)}, nil
}

// moment = fromNow | ( date | dayPhrase ) clock .
func moment(text string, tokens []token, s Setting, as role) (MomentReading, *fault.Fault) {
	p := parser{tokens: tokens}
	if back, ok := p.fromNow(); ok && p.done() {
		m := civil.Moment{At: floor(s.Now, 60) - back, Size: 60}
		return MomentReading{Period: civil.MomentPeriod{First: m, Last: m}, Zoned: true}, nil
	}
	n, c, ok := timed(tokens, strictly)
	if !ok {
		if n, whole := thing(tokens); whole && n.class() != aPhrase {
			return MomentReading{}, column(withoutTime(tokens, n, s, as), tokens[0].column)
		}
		f := oddIn(tokens, notMoments(text, as))
		if time := timeText(tokens); as == alone && time != "" {
			f.Suggest(s.AsOf.Plain() + " " + time)
		}
		return MomentReading{}, f
	}
	r, f := n.read(s)
	if f == nil && r.Unit {
		f = fault.New(fault.IncompleteDate, "the day is missing")
	}
	if f != nil {
		return MomentReading{}, column(at(f, c.typed()), tokens[0].column)
	}
	m, notes, f := c.on(r.Period.First, s.Zone, as)
	column(f, tokens[0].column)
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

// momentPhrase = "last" span | "last" ( "minute" | "hour" | "day" ) | span "to" "now" .
//
// The first is as many complete clock hours or minutes, the second one of them or a whole
// day, the third as many that end with the minute that it is now.
//
// One branch for each production of the grammar.
func (p *parser) momentPhrase(s Setting) (civil.MomentPeriod, bool) {
	if p.words("last") {
		p.skipBlank()
		if size := spanSizes[p.peek(0).text]; size > 0 && !strings.HasSuffix(p.peek(0).text, "s") && p.at == len(p.tokens)-1 {
			until := clockFloor(s.Now+1, size, s.Zone)
			return minutes(clockFloor(until-size, size, s.Zone), until), true
		}
		if p.peek(0).isWord("day") && p.at == len(p.tokens)-1 && s.AsOf > civil.MinDay {
			return minutes(civil.FirstInstant(s.AsOf-1, s.Zone), civil.FirstInstant(s.AsOf, s.Zone)), true
		}
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

// spanSizes are the lengths of minutes and hours in seconds.
var spanSizes = map[string]int64{"minute": 60, "minutes": 60, "hour": 3600, "hours": 3600}

// span = N blank ( "minutes" | "hours" ) [ blank ] , as a number and its size in
// seconds.
func (p *parser) span() (n, size int64, ok bool) {
	count, u := p.peek(0), p.peek(2)
	if count.kind != number || p.peek(1).kind != blank {
		return 0, 0, false
	}
	if size = spanSizes[u.text]; size == 0 {
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

// timed = ( date | dayPhrase ) timeBehind .
func timed(tokens []token, m manner) (node, clock, bool) {
	p := parser{tokens: tokens}
	if n, ok := p.date(); ok {
		if c, ok := p.timeBehind(m); ok {
			return n, c, true
		}
	}
	p.at = 0
	if n, ok := p.dayPhrase(); ok {
		if c, ok := p.timeBehind(m); ok {
			return n, c, true
		}
	}
	return nil, clock{}, false
}

// TimeRange reads a part of the day, first and last included, which may go over
// midnight.
//
//	06:00 to 09:00, 10:30 pm - 2:00 am
func TimeRange(text string) (civil.TimeRange, *fault.Fault) {
	r, f := timeRange(text)
	if f != nil {
		return civil.TimeRange{}, offer(f, text, timeRange)
	}
	return r, nil
}

// timeRange reads a part of the day; what its refusals suggest may itself be refused.
func timeRange(text string) (civil.TimeRange, *fault.Fault) {
	var room [24]token
	f := unreadable(text, "a range of times of day", "06:00 to 09:00")
	tokens, bad := lex(text, room[:0])
	if bad > 0 {
		return civil.TimeRange{}, column(f, bad)
	}
	if first, last, ok := split(tokens); ok && !isOpen(first) && !isOpen(last) {
		p, q := parser{tokens: first}, parser{tokens: last}
		from, okFrom := p.time(strictly, false)
		through, okThrough := q.time(strictly, false)
		if okFrom && okThrough && p.done() && q.done() {
			r, f := betweenTimes(from, through)
			return r, column(f, tokens[0].column)
		}
		if okFrom && p.done() {
			column(f, last[0].column)
		}
	}
	for _, pair := range pairs(tokens) {
		if first, last := timeText(pair[0]), timeText(pair[1]); first != "" && last != "" {
			f.Suggest(Ends(first, last))
		}
	}
	return civil.TimeRange{}, column(f, tokens[0].column)
}

// timeText is a time of day, however written, as it is read; an hour may stand
// alone.
func timeText(tokens []token) string {
	p := parser{tokens: tokens}
	c, ok := p.time(loosely, true)
	ok = ok && p.offset(loosely, &c)
	if hour := p.peek(0); !ok && hour.kind == number && hour.width <= 2 {
		c, ok = clock{hour: hour.n}, true
		p.at++
	}
	if !ok || !p.done() || c.hasOffset {
		return ""
	}
	return c.typed()
}

func betweenTimes(from, through clock) (civil.TimeRange, *fault.Fault) {
	first, f := from.sinceMidnight()
	last, g := through.sinceMidnight()
	if f == nil {
		f = g
	}
	if f != nil {
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

// withoutTime refuses a date that has no time of day, or one in a form that is
// not read.
func withoutTime(tokens []token, n node, s Setting, as role) *fault.Fault {
	d := beside(n)
	d.hasTime = false
	time := "00:00"
	if as == asEnd {
		time = "24:00"
	}
	_, c, hasTime := timed(tokens, loosely)
	if hasTime {
		time = c.typed()
	}
	r, f := d.read(s)
	switch {
	case f == nil && r.Unit:
		return fault.New(fault.IncompleteDate, "the day is missing")
	case f == nil && hasTime:
		f = fault.New(fault.NotADate, "the time of day is not in a form that is read; write it like 14:30, 2:30 pm or 14:30+01:00").Suggest(r.Period.First.Plain())
	case f == nil:
		f = fault.New(fault.TimeMissing, "a time of day is missing, such as 14:30").Suggest(r.Period.First.Plain())
	}
	return at(f, time)
}

// at puts a time of day behind the days that a refusal suggests.
func at(f *fault.Fault, time string) *fault.Fault {
	days := f.Suggestions
	f.Suggestions = nil
	for _, day := range days {
		if time != "" {
			f.Suggest(day + " " + time)
		}
	}
	return f
}

// notMoments refuses a text that is no moment, read for what it was read for.
func notMoments(text string, as role) *fault.Fault {
	if as == alone {
		return notAMoment(text)
	}
	return notAMomentPeriod(text)
}

func notAMoment(text string) *fault.Fault {
	return unreadable(text, "a moment", "5 Mar 2026 14:30 or 2026-03-05T14:30Z")
}

func notAMomentPeriod(text string) *fault.Fault {
	return unreadable(text, "a period of moments", "5 Mar 2026 06:00 to 5 Mar 2026 09:00 or last 6 hours")
}
