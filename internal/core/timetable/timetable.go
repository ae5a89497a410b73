// Package timetable reads the times at which something is to be done, as people write them, and tells
// when those are: "weekdays at 06:30", "every 15 minutes from 06:00 to 22:00", "last weekday of month
// at 17:00". What it accepts is in docs/reference/times.md, and nothing else is.
//
// Times are those that clocks in a zone show. One that the clocks skip is the first instant after it,
// one that they show twice is its first pass, and two that come to the same instant are one.
package timetable

import (
	"fmt"
	"math/bits"
	"slices"
	"strconv"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
)

// Times are times of day on some days.
type Times struct {
	on    days
	at    []int // seconds since the midnight that the day begins with, in order; of the next day from 86400 on
	every int   // the minutes between them, 0 where they are written one by one
}

// days are the days on which something is done: some days of the week, or one day of each of some units
// of the calendar.
type days struct {
	week uint8 // one bit for each day of the week, Sunday first; 0 for a day of a unit

	n      int        // the n-th day of its kind in the unit, from its end where it is below 0
	kind   uint8      // the days of the week that are counted
	unit   civil.Unit // months, quarters or years
	months uint16     // of months: those that are meant, one bit for each from January; 0 for all
}

const (
	allDays  uint8 = 0x7f
	weekends       = 1<<time.Saturday | 1<<time.Sunday
	workdays       = allDays &^ weekends
)

// farthest is how many days ahead the next time is looked for: no day that can be written is rarer.
const farthest = 2 * 366

// Next is the first time after an instant, both in seconds of the POSIX epoch; false where the calendar
// ends before it.
func (t Times) Next(after int64, zone *time.Location) (int64, bool) {
	first := civil.DayAt(after, zone) - 2 // a time of day may lie on the day after its own
	var next int64
	found := false
	for d, last := first, first+farthest; d <= last && d <= civil.MaxDay; d++ {
		if !d.IsValid() || !t.on.has(d) {
			continue
		}
		for _, at := range t.at {
			if instant := civil.FirstShown(d.Midnight()+int64(at), zone); instant > after {
				if !found || instant < next {
					next, found = instant, true
					last = min(last, d+2) // times of the days after it may still come before
				}
				break
			}
		}
	}
	return next, found
}

// has reports whether the day is one of the days.
func (o days) has(d civil.Day) bool {
	if o.week != 0 {
		return o.week&(1<<d.Weekday()) != 0
	}
	unit, ok := o.unit.Around(d, 0, time.January)
	if !ok || o.kind&(1<<d.Weekday()) == 0 {
		return false
	}
	if _, month, _ := d.Date(); o.months != 0 && o.months&(1<<(month-1)) == 0 {
		return false
	}
	if o.n > 0 {
		return o.count(unit.First, d) == o.n
	}
	return o.count(d, unit.Last) == -o.n
}

// count is how many days of the kind there are from one day through another.
func (o days) count(first, last civil.Day) int {
	all := int(last-first) + 1
	n := all / 7 * bits.OnesCount8(o.kind)
	for d := last - civil.Day(all%7) + 1; d <= last; d++ {
		if o.kind&(1<<d.Weekday()) != 0 {
			n++
		}
	}
	return n
}

// PerDay is how often it is at most on one day.
func (t Times) PerDay() int { return len(t.at) }

// Spelled says the times so that nobody can misread them. It is read as the same times.
func (t Times) Spelled() string {
	if t.every == 0 {
		clocks := make([]string, len(t.at))
		for i, at := range t.at {
			clocks[i] = civil.Clock(at, false)
		}
		return t.on.spelled() + " at " + english.Both(clocks)
	}
	each := fmt.Sprintf("every %d minutes", t.every)
	switch {
	case t.every == 1:
		each = "every minute"
	case t.every == 60:
		each = "every hour"
	case t.every%60 == 0:
		each = fmt.Sprintf("every %d hours", t.every/60)
	}
	text := fmt.Sprintf("%s from %s to %s", each, civil.Clock(t.at[0], false), civil.Clock(t.at[len(t.at)-1]%civil.SecondsPerDay, false))
	if t.on.week != allDays {
		text += " on " + t.on.spelled()
	}
	return text
}

func (o days) spelled() string {
	switch o.week {
	case 0:
	case allDays:
		return "every day"
	case workdays:
		return "weekdays"
	case weekends:
		return "weekends"
	default:
		var names []string
		for i := range 7 {
			if d := time.Weekday((i + 1) % 7); o.week&(1<<d) != 0 {
				names = append(names, d.String()+"s")
			}
		}
		return english.Both(names)
	}
	kind := "day"
	switch {
	case o.kind == workdays:
		kind = "weekday"
	case o.kind != allDays:
		kind = time.Weekday(bits.TrailingZeros8(o.kind)).String()
	}
	unit := o.unit.String()
	if o.months != 0 {
		var names []string
		for m := time.January; m <= time.December; m++ {
			if o.months&(1<<(m-1)) != 0 {
				names = append(names, m.String())
			}
		}
		unit = english.Both(names)
	}
	return fmt.Sprintf("%s %s of %s", nth(o.n), kind, unit)
}

func nth(n int) string {
	if n == -1 {
		return "last"
	}
	ending := "th"
	if tens := n % 100; tens < 11 || tens > 13 {
		ending = []string{"th", "st", "nd", "rd", "th", "th", "th", "th", "th", "th"}[n%10]
	}
	return strconv.Itoa(n) + ending
}

// steps are the times from one through another, so many minutes apart.
func steps(from, to, minutes int) (all []int) {
	for at := from; at <= to; at += 60 * minutes {
		all = append(all, at)
	}
	return all
}

// inOrder are times of day, each once.
func inOrder(all []int) []int {
	slices.Sort(all)
	return slices.Compact(all)
}
