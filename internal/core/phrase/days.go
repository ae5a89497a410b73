package phrase

import (
	"fmt"
	"slices"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

// calendarDay is a day with its year, month and day known: 2026-03-05, 5 Mar 2026.
type calendarDay struct {
	year, month, day int
	twoDigit         bool // the year had two digits; year is it as written
}

// digitsDay is three numbers, the year last: the day order decides.
type digitsDay struct{ parts [3]part }

// part is a number as written.
type part struct{ n, width int }

// weekDay is an ISO week date, its day from 1 for Monday.
type weekDay struct{ year, week, day int }

// ordinalDay is an ISO ordinal date.
type ordinalDay struct{ year, day int }

// shiftedDay is so many units from today, back when negative.
type shiftedDay struct {
	unit civil.Unit
	n    int
}

// edgeDay is the first or the last day of the unit that is which units from the current
// one: last, this or next.
type edgeDay struct {
	edge  edge
	unit  civil.Unit
	which int
}

func (calendarDay) class() class { return aDay }
func (digitsDay) class() class   { return aDay }
func (weekDay) class() class     { return aDay }
func (ordinalDay) class() class  { return aDay }
func (shiftedDay) class() class  { return aDay }
func (edgeDay) class() class     { return aDay }

// oneDay is the reading of a single day.
func oneDay(d civil.Day, notes ...string) Reading {
	return Reading{Period: civil.Period{First: d, Last: d}, Notes: notes}
}

// fullYear is the year that is meant, of which two digits may have been written.
func (n calendarDay) fullYear() int {
	if n.twoDigit {
		return civil.FullYear(n.year)
	}
	return n.year
}

func (n calendarDay) read(Setting) (Reading, *fault.Fault) {
	year := n.fullYear()
	d, ok := civil.DayOf(year, time.Month(n.month), n.day)
	if !ok {
		return Reading{}, noSuchDay(year, n.month, n.day)
	}
	if n.twoDigit {
		return oneDay(d, yearNote(n.year)), nil
	}
	return oneDay(d), nil
}

// read takes the one reading that the day order leaves. Where there is no order each is
// tried, and only a single real day is taken.
func (n digitsDay) read(s Setting) (Reading, *fault.Fault) {
	a, b, c := n.parts[0], n.parts[1], n.parts[2]
	short := c.width == 2
	dayFirst := calendarDay{c.n, b.n, a.n, short}
	monthFirst := calendarDay{c.n, a.n, b.n, short}
	switch s.Order {
	case DayFirst:
		return inOrder(dayFirst, "day first", monthFirst, s)
	case MonthFirst:
		return inOrder(monthFirst, "month first", dayFirst, s)
	}
	orders := []calendarDay{dayFirst, monthFirst}
	if short && a.width == 2 {
		orders = append(orders, calendarDay{a.n, b.n, c.n, true})
	}
	var readings []Reading
	for _, order := range orders {
		r, f := order.read(s)
		if f == nil && !slices.ContainsFunc(readings, func(other Reading) bool { return other.Period == r.Period }) {
			readings = append(readings, r)
		}
	}
	switch len(readings) {
	case 0:
		if b.n > 12 && a.n >= 1 && a.n <= 12 {
			return monthFirst.read(s)
		}
		return dayFirst.read(s)
	case 1:
		return readings[0], nil
	}
	f := fault.New(fault.AmbiguousDate, "this can be read as %d different days", len(readings))
	for _, r := range readings {
		f.Suggest(r.Period.First.Plain())
	}
	return Reading{}, f
}

// inOrder reads a day in the order that is set. The reading that the other order would
// give is offered and never taken.
func inOrder(n calendarDay, order string, other calendarDay, s Setting) (Reading, *fault.Fault) {
	r, f := n.read(s)
	if f == nil {
		return r, nil
	}
	if swapped, none := other.read(s); none == nil {
		f.Message += " (days are read " + order + " here)"
		f.Suggestions = []string{swapped.Period.First.Plain()}
	}
	return Reading{}, f
}

func (n weekDay) read(Setting) (Reading, *fault.Fault) {
	d, ok := civil.FromISOWeek(n.year, n.week, n.day)
	if ok {
		return oneDay(d), nil
	}
	limit := "years go from 0001 to 9999"
	if n.year >= 1 && n.year <= 9999 {
		limit = fmt.Sprintf("%04d has %d weeks of 7 days", n.year, civil.WeeksIn(n.year))
	}
	return Reading{}, fault.New(fault.NoSuchDate, "there is no day %d of week %d of %04d; %s", n.day, n.week, n.year, limit)
}

func (n ordinalDay) read(Setting) (Reading, *fault.Fault) {
	d, ok := civil.YearDay(n.year, n.day)
	if !ok {
		return Reading{}, fault.New(fault.NoSuchDate, "there is no day %d of the year %04d", n.day, n.year)
	}
	return oneDay(d), nil
}

func (n shiftedDay) read(s Setting) (Reading, *fault.Fault) {
	d, ok := n.unit.Shift(s.AsOf, n.n)
	if !ok {
		return Reading{}, outside()
	}
	return oneDay(d), nil
}

func (n edgeDay) read(s Setting) (Reading, *fault.Fault) {
	p, ok := n.unit.Around(s.AsOf, n.which, time.January)
	if !ok {
		return Reading{}, outside()
	}
	return oneDay(n.edge.of(p)), nil
}

func outside() *fault.Fault {
	return fault.New(fault.NoSuchDate, "that day lies outside the years 0001 to 9999")
}

func yearNote(written int) string {
	return fmt.Sprintf("the year %02d was read as %d", written, civil.FullYear(written))
}

// noSuchDay says why there is no such day and offers the month's last day.
func noSuchDay(year, month, day int) *fault.Fault {
	switch {
	case year < 1 || year > 9999:
		return fault.New(fault.NoSuchDate, "there is no year %04d; years go from 0001 to 9999", year)
	case month < 1 || month > 12:
		return fault.New(fault.NoSuchDate, "there is no month %d", month)
	}
	m := time.Month(month)
	f := fault.New(fault.NoSuchDate, "there is no %d %s %04d; the month has %d days", day, m, year, civil.DaysIn(year, m))
	if day > 0 {
		f.Suggest(civil.MustDay(year, m, civil.DaysIn(year, m)).Plain())
	}
	return f
}
