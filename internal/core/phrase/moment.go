package phrase

import (
	"fmt"
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

// Instant is what the text of a moment was understood as.
type Instant struct {
	Seconds int64 // since the POSIX epoch
	Zoned   bool  // the text settled the instant by itself; the setting's zone played no part
	Notes   []string
}

// clock is a time of day as written.
type clock struct {
	hour, minute, second int
	half                 string // "am" or "pm", "" for neither
	offset               int    // seconds east of UTC
	hasOffset            bool
}

// Moment reads a date with a time of day, in the setting's zone unless it
// carries an offset of its own.
//
//	5 Mar 2026 2:30 pm, 2026-03-05T14:30:15Z, yesterday 06:00, now, 30 minutes ago
func Moment(text string, s Setting) (Instant, *fault.Fault) {
	var room [32]token
	tokens, ok := lex(text, room[:0])
	if !ok || len(tokens) == 0 {
		return Instant{}, notAMoment(text)
	}
	p := parser{tokens: tokens}
	if seconds, ok := p.fromNow(s.Now); ok && p.done() {
		return Instant{Seconds: seconds, Zoned: true}, nil
	}
	n, c, ok := p.dated()
	if !ok {
		if n, whole := thing(tokens); whole && n.form < thisUnit {
			return Instant{}, withoutTime(text, n, s)
		}
		return Instant{}, offer(notAMoment(text), tokens, func(mended string) *fault.Fault {
			_, refused := Moment(mended, s)
			return refused
		})
	}
	r, f := evaluate(n, s)
	if f == nil && r.Unit {
		f = fault.New(IncompleteDate, "the day is missing")
	}
	var at Instant
	if f == nil {
		at, f = c.on(r.Period.First, s.Zone)
		at.Notes = r.Notes
	}
	if f != nil {
		f.Entered = fault.Shorten(text)
		return Instant{}, f
	}
	return at, nil
}

// fromNow = "now" | N ( "minutes" | "hours" ) "ago" .
func (p *parser) fromNow(now int64) (int64, bool) {
	if p.words("now") {
		return now, true
	}
	n, u := p.peek(0), p.peek(2)
	if n.kind == number && p.peek(1).kind == blank && n.width <= 6 {
		length := map[string]int64{"minute": 60, "minutes": 60, "hour": 3600, "hours": 3600}[u.text]
		p.at = 3
		p.skipBlank()
		if length > 0 && p.words("ago") {
			return now - int64(n.n)*length, true
		}
		p.at = 0
	}
	return 0, false
}

// dated = ( date | dayPhrase ) ( "T" | blank ) clock .
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

// clock = ( "T" | blank ) H ":" MM [ ":" SS ] [ [ blank ] ( "am" | "pm" ) ] [ "Z" | ( "+" | "-" ) HH ":" MM ] .
//
// It is the last of a text.
func (p *parser) clock() (clock, bool) {
	if start := p.peek(0); !start.isWord("t") && start.kind != blank {
		return clock{}, false
	}
	p.at++
	h, m := p.peek(0), p.peek(2)
	if h.kind != number || h.width > 2 || !p.peek(1).isMark(':') || m.width != 2 {
		return clock{}, false
	}
	c := clock{hour: h.n, minute: m.n}
	p.at += 3
	if s := p.peek(1); p.peek(0).isMark(':') && s.width == 2 {
		c.second = s.n
		p.at += 2
	}
	if p.timeSuffix(0) {
		p.skipBlank()
		c.half = p.peek(0).text
		p.at++
	}
	return c, p.zoned(&c) && p.done()
}

// zoned reads the offset, which may be absent.
func (p *parser) zoned(c *clock) bool {
	sign, h, m := p.peek(0), p.peek(1), p.peek(3)
	switch {
	case sign.isWord("z"):
		p.at++
		c.hasOffset = true
	case sign.isMark('+') || sign.isMark('-'):
		if h.width != 2 || !p.peek(2).isMark(':') || m.width != 2 || h.n > 23 || m.n > 59 {
			return false
		}
		p.at += 4
		c.hasOffset, c.offset = true, h.n*3600+m.n*60
		if sign.isMark('-') {
			c.offset = -c.offset
		}
	}
	return true
}

// on is the instant at which clocks in the zone show the time on the day.
func (c clock) on(d civil.Day, zone *time.Location) (Instant, *fault.Fault) {
	if c.half != "" {
		if c.hour < 1 || c.hour > 12 {
			return Instant{}, fault.New(NoSuchTime, "there is no %d %s; with %s, hours go from 1 to 12", c.hour, c.half, c.half)
		}
		c.hour %= 12
		if c.half == "pm" {
			c.hour += 12
		}
	}
	if c.hour > 24 || c.minute > 59 || c.second > 59 || c.hour == 24 && c.minute+c.second > 0 {
		return Instant{}, fault.New(NoSuchTime, "there is no %d:%02d on a clock; times go from 00:00 to 24:00", c.hour, c.minute)
	}
	wall := d.Midnight() + int64(c.hour*3600+c.minute*60+c.second)
	if c.hasOffset {
		return Instant{Seconds: wall - int64(c.offset), Zoned: true}, nil
	}
	switch found := readings(wall, zone); len(found) {
	case 1:
		return Instant{Seconds: found[0]}, nil
	case 0:
		before, after := aroundGap(wall, zone)
		return Instant{}, fault.New(NoSuchTime, "clocks in %s skip this time: they jump from %s to %s", zone, before.Add(time.Second).In(fixed(before)).Format("15:04"), after.Format("15:04")).
			Suggest(before.Add(-59*time.Second).Format(spelledMoment), after.Format(spelledMoment))
	default:
		first, second := time.Unix(found[0], 0).In(zone), time.Unix(found[1], 0).In(zone)
		return Instant{}, fault.New(AmbiguousTime, "clocks in %s show this time twice on %s", zone, d.Spelled()).
			Suggest(first.Format(zonedMoment(c)), second.Format(zonedMoment(c)))
	}
}

const spelledMoment = "2 Jan 2006 15:04"

func zonedMoment(c clock) string {
	if c.second > 0 {
		return "2 Jan 2006 15:04:05-07:00"
	}
	return "2 Jan 2006 15:04-07:00"
}

// readings are the instants at which clocks in the zone show a wall time, given
// in seconds as if it were UTC: none in a gap, two where it comes twice.
func readings(wall int64, zone *time.Location) []int64 {
	var found []int64
	for _, near := range []int64{wall - 86400, wall + 86400} {
		_, offset := time.Unix(near, 0).In(zone).Zone()
		at := wall - int64(offset)
		if _, is := time.Unix(at, 0).In(zone).Zone(); is == offset && (len(found) == 0 || found[0] != at) {
			found = append(found, at)
		}
	}
	if len(found) == 2 && found[0] > found[1] {
		found[0], found[1] = found[1], found[0]
	}
	return found
}

// aroundGap is the last second before a gap that swallows the wall time, and
// the first after it.
func aroundGap(wall int64, zone *time.Location) (before, after time.Time) {
	_, offset := time.Unix(wall-86400, 0).In(zone).Zone()
	at := time.Unix(wall-int64(offset), 0).In(zone) // past the gap, by as much as wall lies in it
	start, _ := at.ZoneBounds()
	return start.Add(-time.Second), start
}

// fixed is the offset that a time has, as a zone that never changes.
func fixed(at time.Time) *time.Location {
	name, offset := at.Zone()
	return time.FixedZone(name, offset)
}

// withoutTime refuses a date that has no time of day, or one that is not read.
func withoutTime(text string, n node, s Setting) *fault.Fault {
	n.flags &^= hasTime
	r, f := evaluate(n, s)
	switch {
	case f != nil:
	case r.Unit:
		f = fault.New(IncompleteDate, "the day is missing")
	default:
		f = fault.New(TimeMissing, "a time of day is missing, such as 14:30").Suggest(r.Period.First.Plain() + " 00:00")
	}
	f.Entered = fault.Shorten(text)
	return f
}

func notAMoment(text string) *fault.Fault {
	return unreadable(text, "a moment", "5 Mar 2026 14:30 or 2026-03-05T14:30Z")
}

// SpelledMoment is an instant so that nobody can misread it: "Thu 5 Mar 2026
// 14:30, UTC+02:00".
func SpelledMoment(seconds int64, zone *time.Location) string {
	at := time.Unix(seconds, 0).In(zone)
	layout := "Mon 2 Jan 2006 15:04"
	if at.Second() != 0 {
		layout += ":05"
	}
	_, offset := at.Zone()
	if offset == 0 {
		return at.Format(layout) + ", UTC"
	}
	return fmt.Sprintf("%s, UTC%s", at.Format(layout), at.Format("-07:00"))
}
