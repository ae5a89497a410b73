package civil

import (
	"fmt"
	"time"
)

// Unit is a length of the calendar; the zero Unit is none. Weeks are ISO ones,
// from Monday.
type Unit uint8

const (
	NoUnit Unit = iota
	Days
	Weeks
	Months
	Quarters
	Years
)

var unitNames = [...]string{"", "day", "week", "month", "quarter", "year"}

// months per unit, for those that are counted in months.
var unitMonths = [...]int{Months: 1, Quarters: 3, Years: 12}

// String is the unit in the singular, "" for none.
func (u Unit) String() string { return unitNames[u] }

// Months is how many months the unit has, 0 where it is not counted in them.
func (u Unit) Months() int { return unitMonths[u] }

// Around is the unit that holds the day, moved by n units. Years start with the
// month given, and quarters go by it; January makes them calendar ones. False
// where that leaves the calendar.
func (u Unit) Around(d Day, n int, start time.Month) (Period, bool) {
	switch u {
	case Days:
		day, ok := d.AddDays(n)
		return Period{First: day, Last: day}, ok
	case Weeks:
		monday, ok := d.AddDays(-(int(d.Weekday()) + 6) % 7)
		if !ok {
			return Period{}, false
		}
		first, ok := monday.AddDays(7 * n)
		last, okLast := monday.AddDays(7*n + 6)
		return Period{First: first, Last: last}, ok && okLast
	}
	size := u.Months()
	m := d.Month()
	m, ok := m.Add(n*size - (int(m)-int(start)+1)%size)
	if !ok {
		return Period{}, false
	}
	return m.Run(size)
}

// Shift moves a day by n units; months and longer ones keep the day of the
// month where there is such a day, else its last. False where that leaves the
// calendar.
func (u Unit) Shift(d Day, n int) (Day, bool) {
	switch u {
	case Days:
		return d.AddDays(n)
	case Weeks:
		return d.AddDays(7 * n)
	}
	return d.AddMonths(n * u.Months())
}

// Whole is how many whole calendar units the period is made of, 0 where it is
// not made of whole ones.
func (p Period) Whole(u Unit) int {
	if !p.IsClosed() || !p.IsOrdered() {
		return 0
	}
	switch u {
	case Days:
		return p.Days()
	case Weeks:
		if p.First.Weekday() != time.Monday || p.Last.Weekday() != time.Sunday {
			return 0
		}
		return p.Days() / 7
	}
	from, to := p.First.Month(), p.Last.Month()
	n := int(to-from) + 1
	if p.First != from.First() || p.Last != to.Last() || n%u.Months() != 0 || int(from)%u.Months() != 0 {
		return 0
	}
	return n / u.Months()
}

// Previous is the period just before, to compare p with. Whole months (and so
// quarters and years) have as many months before them. A period that runs from
// the start of the unit toDate has the first as many days of the unit before it,
// as far as that has them. Any other run of days has as many days before it.
// False where a side is open, or where that leaves the calendar.
func (p Period) Previous(toDate Unit) (Period, bool) {
	switch n := p.Whole(Months); {
	case !p.IsClosed():
		return Period{}, false
	case p.isPartOf(toDate):
		before, ok := toDate.Around(p.First, -1, time.January)
		return before.head(p.Days()), ok
	case n > 0:
		m, ok := p.First.Month().Add(-n)
		if !ok {
			return Period{}, false
		}
		return m.Run(n)
	}
	first, ok := p.First.AddDays(-p.Days())
	return Period{First: first, Last: p.First - 1}, ok
}

// YearBefore is the same period a year earlier, to compare p with: the same
// months, the same ISO weeks, the first as many days of the same unit for one
// that runs to date, else the same first and last day; where the earlier year
// lacks that day or week, its last before it. False where a side is open, or
// where that leaves the calendar.
func (p Period) YearBefore(toDate Unit) (Period, bool) {
	switch {
	case !p.IsClosed():
		return Period{}, false
	case p.isPartOf(toDate):
		before, ok := toDate.yearBefore(p.First)
		return before.head(p.Days()), ok
	case p.Whole(Months) > 0:
		first, ok := Months.yearBefore(p.First)
		last, okLast := Months.yearBefore(p.Last)
		return Period{First: first.First, Last: last.Last}, ok && okLast
	case p.Whole(Weeks) > 0:
		first, ok := Weeks.yearBefore(p.First)
		last, okLast := Weeks.yearBefore(p.Last)
		return Period{First: first.First, Last: last.Last}, ok && okLast
	}
	first, ok := p.First.AddMonths(-12)
	last, okLast := p.Last.AddMonths(-12)
	return Period{First: first, Last: last}, ok && okLast
}

// isPartOf reports whether p is the start of a unit and not the whole of it.
func (p Period) isPartOf(u Unit) bool {
	if u == NoUnit {
		return false
	}
	whole, ok := u.Around(p.First, 0, time.January)
	return ok && p.First == whole.First && p.Last < whole.Last
}

// head is the first n days of the period, or all of it where it has fewer.
func (p Period) head(n int) Period {
	return Period{First: p.First, Last: min(p.Last, p.First+Day(n)-1)}
}

// yearBefore is the unit of the same number, a year before the one that holds
// the day; week 53 has week 52 before it.
func (u Unit) yearBefore(d Day) (Period, bool) {
	if u != Weeks {
		m, ok := d.Month().Add(-12)
		if !ok {
			return Period{}, false
		}
		return u.Around(m.First(), 0, time.January)
	}
	year, week := d.ISOWeek()
	if year <= 1 {
		return Period{}, false
	}
	monday, ok := FromISOWeek(year-1, min(week, WeeksIn(year-1)), 1)
	return Period{First: monday, Last: monday + 6}, ok
}

// Name is the unit that holds the day, as one types it: "Mar 2026", "Q1 2026",
// "2026", "2026-W10", "5 Mar 2026".
func (u Unit) Name(d Day) string {
	year, month, _ := d.Date()
	switch u {
	case Weeks:
		year, week := d.ISOWeek()
		return fmt.Sprintf("%04d-W%02d", year, week)
	case Months:
		return fmt.Sprintf("%s %04d", month.String()[:3], year)
	case Quarters:
		return fmt.Sprintf("Q%d %04d", (int(month)+2)/3, year)
	case Years:
		return fmt.Sprintf("%04d", year)
	}
	return d.Plain()
}
