package phrase

import (
	"fmt"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

// clock is a time of day as written.
type clock struct {
	hour, minute, second int
	seconds              bool   // they were written
	half                 string // "am" or "pm", "" for neither
	offset               int    // seconds east of UTC
	hasOffset            bool
}

// size is how many seconds the written time stands for.
func (c clock) size() int {
	if c.seconds {
		return 1
	}
	return 60
}

// manner is how freely a time of day may be written.
type manner uint8

const (
	strictly manner = iota // as one is read
	// loosely is as people write times beside dates. It serves to tell that a time was
	// given where none is wanted, and which one may have been meant.
	loosely
)

// timeBehind = ( "T" | blank ) time [ offset ] , to the end of the text.
//
// Loosely a comma may stand before the time, and "at".
func (p *parser) timeBehind(m manner) (clock, bool) {
	from, afterT := p.at, p.peek(0).isWord("t")
	switch {
	case afterT, m == strictly && p.peek(0).kind == blank:
		p.at++
	case m == strictly:
		return clock{}, false
	default:
		if p.comma(); p.at == from {
			return clock{}, false
		}
	}
	if m == loosely && p.words("at") {
		p.skipBlank()
	}
	c, ok := p.time(m, afterT)
	return c, ok && p.offset(m, &c) && p.done()
}

// time = H ":" MM [ ":" SS ] [ [ blank ] ( "am" | "pm" ) ] .
//
// Loosely the seconds may have a fraction, an hour may stand alone before am or pm, and
// where mayBeDigits says so all may be digits: hhmm, hhmmss.
//
// One branch for each form of a time.
func (p *parser) time(m manner, mayBeDigits bool) (clock, bool) {
	from, hour := p.at, p.peek(0)
	hasMinutes := p.peek(1).isMark(':') && p.peek(2).width == 2
	if hour.kind != number || m == strictly && (hour.width > 2 || !hasMinutes) {
		return clock{}, false
	}
	c := clock{hour: hour.n}
	p.at++
	switch {
	case hasMinutes:
		c.minute = p.peek(1).n
		if p.at += 2; p.peek(0).isMark(':') && p.peek(1).width == 2 {
			c.second, c.seconds = p.peek(1).n, true
			p.at += 2
		}
		if m == loosely && (p.peek(0).isMark('.') || p.peek(0).isMark(',')) && p.peek(1).kind == number {
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

// offset = [ "Z" | ( "+" | "-" ) HH ":" MM ] .
//
// Loosely a blank may stand before it, UTC and GMT mean Z, and the minutes and their colon
// may be missing. It is false for an offset that no clock has.
func (p *parser) offset(m manner, c *clock) bool {
	from := p.at
	if m == loosely {
		p.skipBlank()
	}
	sign, h := p.peek(0), p.peek(1)
	hasMinutes := p.peek(2).isMark(':') && p.peek(3).width == 2
	switch {
	case p.words("z"), m == loosely && (p.words("utc") || p.words("gmt")):
		c.hasOffset = true
		return true
	case !sign.isMark('+') && !sign.isMark('-'), h.kind != number, m == strictly && (h.width != 2 || !hasMinutes):
		p.at = from
		return true
	}
	hours, minutes := h.n, 0
	switch p.at += 2; {
	case hasMinutes:
		minutes = p.peek(1).n
		p.at += 2
	case h.width == 4:
		hours, minutes = h.n/100, h.n%100
	}
	if c.offset, c.hasOffset = hours*3600+minutes*60, true; sign.isMark('-') {
		c.offset = -c.offset
	}
	return m == loosely || hours <= 23 && minutes <= 59
}

// sinceMidnight is the time in seconds since midnight, up to 24:00.
func (c clock) sinceMidnight() (int, *fault.Fault) {
	hour := c.hour
	if c.half != "" {
		if hour < 1 || hour > 12 {
			return 0, fault.New(fault.NoSuchTime, "there is no %d %s; with %s, hours go from 1 to 12", hour, c.half, c.half)
		}
		hour %= 12
		if c.half == "pm" {
			hour += 12
		}
	}
	if hour > 24 || c.minute > 59 || c.second > 59 || hour == 24 && c.minute+c.second > 0 {
		return 0, fault.New(fault.NoSuchTime, "there is no %d:%02d on a clock; times go from 00:00 to 24:00", c.hour, c.minute)
	}
	return hour*3600 + c.minute*60 + c.second, nil
}

// typed writes the time as one can type it, "" where no clock shows it.
func (c clock) typed() string {
	since, f := c.sinceMidnight()
	if f != nil {
		return ""
	}
	text := civil.Clock(since, c.seconds)
	if c.hasOffset {
		text += time.Unix(0, 0).In(time.FixedZone("", c.offset)).Format("Z07:00")
	}
	return text
}

// role is what a moment is read for: alone, or as an end of a period.
type role uint8

const (
	alone role = iota
	asStart
	asEnd
)

// on is the moment at which clocks in the zone show the time on the day. One
// that they show twice is refused alone; as a start it is the earlier one, as an
// end the later one, and a note says so. As an end, 24:00 is the last minute of
// the day.
func (c clock) on(d civil.Day, zone *time.Location, as role) (civil.Moment, []string, *fault.Fault) {
	since, f := c.sinceMidnight()
	if f != nil {
		return civil.Moment{}, nil, f
	}
	size := int64(c.size())
	wall := d.Midnight() + int64(since)
	if as == asEnd && since == 24*3600 {
		if c.hasOffset {
			return civil.Moment{At: wall - int64(c.offset) - size, Size: size}, nil, nil
		}
		return civil.Moment{At: civil.FirstInstant(d+1, zone) - size, Size: size}, nil, nil
	}
	if c.hasOffset {
		return civil.Moment{At: wall - int64(c.offset), Size: size}, nil, nil
	}
	found := civil.Readings(wall, zone)
	if len(found) == 0 {
		before := time.Unix(civil.Unwall(wall, zone), 0).In(zone) // the second before the jump
		after := before.Add(time.Second)
		return civil.Moment{}, nil, fault.New(fault.NoSuchTime, "clocks in %s skip this time: they jump from %s to %s", zone, after.In(fixed(before)).Format("15:04"), after.Format("15:04")).
			Suggest(Typed(civil.Moment{At: before.Unix() - 59, Size: 60}, zone), Typed(civil.Moment{At: after.Unix(), Size: 60}, zone))
	}
	if len(found) == 1 {
		return civil.Moment{At: found[0], Size: size}, nil, nil
	}
	first, second := civil.Moment{At: found[0], Size: size}, civil.Moment{At: found[1], Size: size}
	note := func(taken civil.Moment, which string) []string {
		return []string{fmt.Sprintf("clocks in %s show this time twice; the %s was taken: %s", zone, which, taken.Spelled(zone))}
	}
	switch as {
	case asStart:
		return first, note(first, "earlier"), nil
	case asEnd:
		return second, note(second, "later"), nil
	}
	return civil.Moment{}, nil, fault.New(fault.AmbiguousTime, "clocks in %s show this time twice on %s", zone, d.Spelled()).
		Suggest(Typed(first, zone), Typed(second, zone))
}

const spelledMoment = "2 Jan 2006 15:04"

// Typed writes a moment as one can type it, with its offset where clocks in the
// zone show its time twice.
func Typed(m civil.Moment, zone *time.Location) string {
	at, layout := m.Time(zone), spelledMoment
	if at.Second() != 0 || m.Size < 60 {
		layout += ":05"
	}
	if !civil.IsRepeated(at) {
		return at.Format(layout)
	}
	if _, offset := at.Zone(); offset%60 != 0 {
		return at.UTC().Format(spelledMoment + ":05Z") // an offset that cannot be written
	}
	return at.Format(layout + "-07:00")
}

// fixed is the offset that a time has, as a zone that never changes.
func fixed(at time.Time) *time.Location {
	name, offset := at.Zone()
	return time.FixedZone(name, offset)
}
