package civil

import (
	"fmt"
	"strings"
	"time"
)

// Moment is a minute or a second of the time line, as somebody named it; the
// zero Moment is none.
type Moment struct {
	At   int64 // its first second, since the POSIX epoch
	Size int64 // how many seconds it has: 60 or 1
}

// IsValid reports whether m is a moment; the zero Moment is not.
func (m Moment) IsValid() bool { return m.Size > 0 }

// End is the first second after it.
func (m Moment) End() int64 { return m.At + m.Size }

// Time is its first second, as clocks in the zone show it.
func (m Moment) Time(zone *time.Location) time.Time { return time.Unix(m.At, 0).In(zone) }

// Spelled is the moment so that nobody can misread it: "Thu 5 Mar 2026 14:30,
// UTC+02:00".
func (m Moment) Spelled(zone *time.Location) string {
	return m.clock(zone) + ", " + m.Offset(zone)
}

func (m Moment) clock(zone *time.Location) string {
	at := m.Time(zone)
	layout := "Mon 2 Jan 2006 15:04"
	if m.Size < 60 || at.Second() != 0 {
		layout += ":05"
	}
	return at.Format(layout)
}

// Offset is how far clocks in the zone stand from UTC at the moment:
// "UTC+02:00", "UTC".
func (m Moment) Offset(zone *time.Location) string {
	at := m.Time(zone)
	if _, offset := at.Zone(); offset == 0 {
		return "UTC"
	}
	return "UTC" + strings.TrimSuffix(at.Format("-07:00:00"), ":00")
}

// MomentPeriod is a run of moments, first and last included. A zero side is
// open.
type MomentPeriod struct{ First, Last Moment }

// IsOrdered reports whether the period does not end before it starts; an open
// side is always in order.
func (p MomentPeriod) IsOrdered() bool {
	return !p.First.IsValid() || !p.Last.IsValid() || p.First.At <= p.Last.At
}

// IsClosed reports whether both sides are set.
func (p MomentPeriod) IsClosed() bool { return p.First.IsValid() && p.Last.IsValid() }

// Seconds is its length, the last moment included; 0 where a side is open.
func (p MomentPeriod) Seconds() int64 {
	if !p.IsClosed() {
		return 0
	}
	return p.Last.End() - p.First.At
}

// Spelled is the period so that nobody can misread it: "Thu 5 Mar 2026 06:00
// through Thu 5 Mar 2026 08:59, UTC+02:00 (3 hours)".
func (p MomentPeriod) Spelled(zone *time.Location) string {
	first, last := p.First.clock(zone), p.Last.clock(zone)
	switch {
	case p.IsClosed() && p.First.Offset(zone) == p.Last.Offset(zone):
		return fmt.Sprintf("%s through %s, %s (%s)", first, last, p.First.Offset(zone), Duration(p.Seconds()))
	case p.IsClosed():
		return fmt.Sprintf("%s, %s through %s, %s (%s)", first, p.First.Offset(zone), last, p.Last.Offset(zone), Duration(p.Seconds()))
	case p.First.IsValid():
		return fmt.Sprintf("from %s on", p.First.Spelled(zone))
	case p.Last.IsValid():
		return fmt.Sprintf("through %s", p.Last.Spelled(zone))
	}
	return "any moment"
}

// Brief is the period in few letters, what both ends share said once: "23 Nov 2026
// 18:00 – 23:59", "22 Nov 18:00 – 23 Nov 2026 06:00"; the spelled form where a side
// is open.
func (p MomentPeriod) Brief(zone *time.Location) string {
	if !p.IsClosed() {
		return p.Spelled(zone)
	}
	first, last := p.First.Time(zone), p.Last.Time(zone)
	switch {
	case first.Year() != last.Year():
		return first.Format("2 Jan 2006 15:04 – ") + last.Format("2 Jan 2006 15:04")
	case first.YearDay() != last.YearDay():
		return first.Format("2 Jan 15:04 – ") + last.Format("2 Jan 2006 15:04")
	}
	return first.Format("2 Jan 2006 15:04 – ") + last.Format("15:04")
}

// Duration says a number of seconds in words: "2 days 3 hours 1 minute".
func Duration(seconds int64) string {
	var parts []string
	for _, u := range []struct {
		name string
		size int64
	}{{"day", SecondsPerDay}, {"hour", 3600}, {"minute", 60}, {"second", 1}} {
		n := seconds / u.size
		seconds %= u.size
		if n == 1 {
			parts = append(parts, "1 "+u.name)
		} else if n > 1 {
			parts = append(parts, fmt.Sprintf("%d %ss", n, u.name))
		}
	}
	return strings.Join(parts, " ")
}

// TimeRange is a part of every day by the clock: From included, Until left out,
// in seconds since midnight. Where Until is not after From it goes over midnight.
// Size is how long the last moment named is, 60 or 1; the zero TimeRange is none.
type TimeRange struct{ From, Until, Size int }

// IsValid reports whether r is a range; the zero TimeRange is not.
func (r TimeRange) IsValid() bool { return r.Size > 0 }

// OverMidnight reports whether the range ends on the day after it starts.
func (r TimeRange) OverMidnight() bool { return r.Until <= r.From }

// Spelled is the range so that nobody can misread it: "06:00 through 09:00 (that
// minute included)".
func (r TimeRange) Spelled() string {
	next, unit := "", "minute"
	if r.OverMidnight() {
		next = " the next day"
	}
	if r.Size < 60 {
		unit = "second"
	}
	return fmt.Sprintf("%s through %s%s (that %s included)", r.First(), r.Last(), next, unit)
}

// First is the clock's first time in the range, "06:00" or "06:00:30".
func (r TimeRange) First() string { return Clock(r.From, r.Size < 60) }

// Last is the clock's last time in the range, the minute or second included.
func (r TimeRange) Last() string {
	return Clock((r.Until-r.Size+SecondsPerDay)%SecondsPerDay, r.Size < 60)
}

// Clock is a time of day, given in seconds since midnight, as a clock shows it.
func Clock(seconds int, withSeconds bool) string {
	text := fmt.Sprintf("%02d:%02d", seconds/3600, seconds/60%60)
	if withSeconds || seconds%60 != 0 {
		text += fmt.Sprintf(":%02d", seconds%60)
	}
	return text
}

// Edge is where a span of time begins or ends: the start of a day, the start of
// a moment or its end. The zero Edge is none.
type Edge struct {
	day    Day
	moment Moment
	after  bool
}

// StartOf is the start of a day, and no edge for the zero Day.
func StartOf(d Day) Edge { return Edge{day: d} }

// AtMoment is the start of a moment, and no edge for the zero Moment.
func AtMoment(m Moment) Edge { return Edge{moment: m} }

// AfterMoment is the end of a moment, and no edge for the zero Moment.
func AfterMoment(m Moment) Edge { return Edge{moment: m, after: m.IsValid()} }

// IsSet reports whether there is an edge; the zero Edge is none.
func (e Edge) IsSet() bool { return e.day.IsValid() || e.moment.IsValid() }

// Day is the day that the edge is the start of; not valid for a moment.
func (e Edge) Day() Day { return e.day }

// Instant is the first instant at or after the edge, in seconds of the POSIX
// epoch; a day starts as the zone's clocks have it.
func (e Edge) Instant(zone *time.Location) int64 {
	switch {
	case e.day.IsValid():
		return FirstInstant(e.day, zone)
	case e.after:
		return e.moment.End()
	}
	return e.moment.At
}

// Wall is what a clock in the zone shows at the edge, in seconds as if it were
// UTC; a day starts at 00:00.
func (e Edge) Wall(zone *time.Location) int64 {
	if e.day.IsValid() {
		return e.day.Midnight()
	}
	wall := Wall(e.moment.At, zone)
	if e.after {
		wall += e.moment.Size
	}
	return wall
}
