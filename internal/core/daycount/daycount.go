// Package daycount has the calendar of counts: how many records have a date on each day, how
// many have none or none that can be read, and when each of these figures was counted.
//
// A calendar is made and renewed in parts, so its figures are of different times. Whatever it
// answers it answers with the oldest of the times that went into the figure; it never passes
// a figure off as newer than it is.
package daycount

import (
	"cmp"
	"encoding/json"
	"slices"
	"time"

	"pikegate/internal/core/civil"
)

// Calendar is how many records have a date on each day. The zero Calendar knows of no day.
type Calendar struct {
	days   []Day   // those that have records, in order
	upTo   []int64 // the records of the days before each of them, and of all; nil where there is none
	pieces []piece // when the days were counted, in order of the days
	beside Beside
	// unreadable are the records of all days whose value is no date.
	unreadable int64
}

// Day is a day with its records. Unreadable are those whose value is no date and sorts between
// the bounds of the day all the same.
type Day struct {
	Day                 civil.Day
	Records, Unreadable int64
}

// Beside is the records that are on no day and sort to none: without a date, and with a value
// that is no date.
type Beside struct {
	Missing, Unreadable int64
	At                  time.Time // when they were counted
}

// piece is a run of days that were counted at the same time, in milliseconds of the POSIX epoch:
// from one on, up to where the next piece starts. 0 stands for never.
type piece struct {
	From civil.Day
	At   int64
}

// Figure is a number of records, as it was at a time.
type Figure struct {
	Records int64
	At      time.Time // the oldest count in it; the zero time where some of it was never counted
}

// IsKnown reports whether all of the figure was counted.
func (f Figure) IsKnown() bool { return !f.At.IsZero() }

func (f Figure) with(other Figure) Figure {
	f.Records += other.Records
	if other.At.Before(f.At) {
		f.At = other.At
	}
	return f
}

// Set replaces what is known of the days of a period by what was counted at a time. An open
// side reaches to the end of the calendar. Days outside the period are passed over, and so
// are days without records.
func (c *Calendar) Set(p civil.Period, days []Day, at time.Time) {
	first, last := ends(p)
	isIn := func(d Day) bool { return first <= d.Day && d.Day <= last }
	c.days = slices.DeleteFunc(c.days, isIn)
	for _, d := range days {
		if isIn(d) && d.Records+d.Unreadable > 0 {
			c.days = append(c.days, d)
		}
	}
	slices.SortFunc(c.days, func(a, b Day) int { return cmp.Compare(a.Day, b.Day) })
	behind := c.countedOn(last + 1)
	pieces := []piece{}
	for _, p := range c.pieces {
		if p.From < first {
			pieces = append(pieces, p)
		}
	}
	pieces = append(pieces, piece{first, at.UnixMilli()})
	if last < civil.MaxDay {
		pieces = append(pieces, piece{last + 1, behind})
	}
	for _, p := range c.pieces {
		if p.From > last+1 {
			pieces = append(pieces, p)
		}
	}
	c.pieces = slices.CompactFunc(pieces, func(a, b piece) bool { return a.At == b.At })
	c.addUp()
}

// addUp adds up what the days have, so that no question has to.
func (c *Calendar) addUp() {
	c.upTo, c.unreadable = make([]int64, len(c.days)+1), 0
	for i, d := range c.days {
		c.upTo[i+1] = c.upTo[i] + d.Records
		c.unreadable += d.Unreadable
	}
}

// SetBeside replaces what is known of records that sort to no day.
func (c *Calendar) SetBeside(b Beside) { c.beside = b }

// Missing is how many records have no date.
func (c *Calendar) Missing() Figure { return Figure{c.beside.Missing, c.beside.At} }

// Unreadable is how many records have a value that is no date.
func (c *Calendar) Unreadable() Figure {
	return Figure{c.beside.Unreadable, c.beside.At}.with(Figure{c.unreadable, c.Within(civil.Period{}).At})
}

// countedOn is when a day was counted, 0 for never.
func (c *Calendar) countedOn(d civil.Day) int64 {
	at := int64(0)
	for _, p := range c.pieces {
		if p.From <= d {
			at = p.At
		}
	}
	return at
}

// Within is how many records have their date in periods, which may be open; what several of them
// hold counts for each.
func (c *Calendar) Within(periods ...civil.Period) Figure {
	f := Figure{At: time.UnixMilli(never)}
	for _, p := range periods {
		f = f.with(c.in(p))
	}
	return f
}

func (c *Calendar) in(p civil.Period) Figure {
	first, last := ends(p)
	if last < first {
		return Figure{At: time.UnixMilli(never)}
	}
	f := Figure{At: moment(c.countedOn(first))}
	for _, piece := range c.pieces {
		if first < piece.From && piece.From <= last {
			f = f.with(Figure{At: moment(piece.At)})
		}
	}
	if from, to := c.from(first), c.from(last+1); from < to {
		f.Records += c.upTo[to] - c.upTo[from]
	}
	return f
}

// Before is how many records have their date before a day, and After how many behind it.
func (c *Calendar) Before(d civil.Day) Figure {
	return c.Within(civil.Period{First: civil.MinDay, Last: d - 1})
}

// After is described at Before.
func (c *Calendar) After(d civil.Day) Figure {
	return c.Within(civil.Period{First: d + 1, Last: civil.MaxDay})
}

// All is how many records there are, with a date, without one or with one that cannot be read.
func (c *Calendar) All() Figure {
	return c.Within(civil.Period{}).with(c.Missing()).with(c.Unreadable())
}

// Units is how many records each of several runs of days has: from each start up to the next,
// the last one being the end of the last run. The figures are as old as the oldest of them.
func (c *Calendar) Units(starts []civil.Day) ([]int64, time.Time) {
	all := make([]int64, max(len(starts)-1, 0))
	var of Figure
	for i := range all {
		f := c.Within(civil.Period{First: starts[i], Last: starts[i+1] - 1})
		if all[i] = f.Records; i == 0 {
			of = f
			continue
		}
		of = of.with(f)
	}
	return all, of.At
}

// Days are the days of a period that have records, in order.
func (c *Calendar) Days(p civil.Period) []Day {
	first, last := ends(p)
	from := c.from(first)
	return slices.Clone(c.days[from:max(from, c.from(last+1))])
}

// Reach is from the first through the last day that has records; open where none has.
func (c *Calendar) Reach() civil.Period {
	var p civil.Period
	for _, d := range c.days {
		if d.Records > 0 {
			if p.Last = d.Day; !p.First.IsValid() {
				p.First = d.Day
			}
		}
	}
	return p
}

// IsComplete reports whether every day and what is on no day was counted.
func (c *Calendar) IsComplete() bool { return c.All().IsKnown() }

// from is where the days from one on begin.
func (c *Calendar) from(d civil.Day) int {
	i, _ := slices.BinarySearchFunc(c.days, d, func(day Day, d civil.Day) int { return cmp.Compare(day.Day, d) })
	return i
}

// never is later than anything is counted.
const never = 1 << 50

// moment is a time of so many milliseconds; the zero time for 0.
func moment(at int64) time.Time {
	if at == 0 {
		return time.Time{}
	}
	return time.UnixMilli(at).UTC()
}

// ends are the first and the last day of a period, those of the calendar where it is open.
func ends(p civil.Period) (first, last civil.Day) {
	first, last = p.First, p.Last
	if !first.IsValid() {
		first = civil.MinDay
	}
	if !last.IsValid() {
		last = civil.MaxDay
	}
	return first, last
}

// kept is a calendar as it is kept: days and pieces as lists of numbers.
type kept struct {
	Days       [][3]int64 `json:"days"`
	Pieces     [][2]int64 `json:"pieces"`
	Missing    int64      `json:"missing"`
	Unreadable int64      `json:"unreadable"`
	At         int64      `json:"at"`
}

// MarshalJSON writes the calendar as it is kept.
func (c *Calendar) MarshalJSON() ([]byte, error) {
	k := kept{Days: make([][3]int64, len(c.days)), Pieces: make([][2]int64, len(c.pieces)), Missing: c.beside.Missing, Unreadable: c.beside.Unreadable}
	for i, d := range c.days {
		k.Days[i] = [3]int64{int64(d.Day), d.Records, d.Unreadable}
	}
	for i, p := range c.pieces {
		k.Pieces[i] = [2]int64{int64(p.From), p.At}
	}
	if !c.beside.At.IsZero() {
		k.At = c.beside.At.UnixMilli()
	}
	return json.Marshal(k)
}

// UnmarshalJSON reads a calendar that was kept.
func (c *Calendar) UnmarshalJSON(text []byte) error {
	var k kept
	if err := json.Unmarshal(text, &k); err != nil {
		return err
	}
	*c = Calendar{beside: Beside{Missing: k.Missing, Unreadable: k.Unreadable, At: moment(k.At)}}
	for _, d := range k.Days {
		c.days = append(c.days, Day{civil.Day(d[0]), d[1], d[2]})
	}
	for _, p := range k.Pieces {
		c.pieces = append(c.pieces, piece{civil.Day(p[0]), p[1]})
	}
	c.addUp()
	return nil
}

// Clone is the same in memory of its own.
func (c *Calendar) Clone() Calendar {
	clone := *c
	clone.days, clone.pieces = slices.Clone(c.days), slices.Clone(c.pieces) // what was added up is made anew with them
	return clone
}

// Newest is when the last of the counts was made; the zero time where none was.
func (c *Calendar) Newest() time.Time {
	newest := int64(0)
	for _, p := range c.pieces {
		newest = max(newest, p.At)
	}
	return moment(newest)
}

// OldestBefore is the first day of a period that was last counted before a time, or never; the
// zero Day where all were counted since.
func (c *Calendar) OldestBefore(p civil.Period, at time.Time) civil.Day {
	first, last := ends(p)
	if c.countedOn(first) < at.UnixMilli() {
		return first
	}
	for _, piece := range c.pieces {
		if first < piece.From && piece.From <= last && piece.At < at.UnixMilli() {
			return piece.From
		}
	}
	return 0
}
