package phrase

import (
	"fmt"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

// numberedUnit is a unit by its number: Mar 2026, 2026-W10, Q1 2026, 2026.
type numberedUnit struct {
	unit    civil.Unit
	year, n int
}

// currentUnit is the unit that is which units from the current one: last, this or next.
type currentUnit struct {
	unit   civil.Unit
	which  int
	fiscal bool // a quarter or year of the business
}

// unitRun is n complete units before (negative) or after the current one.
type unitRun struct {
	unit   civil.Unit
	n      int
	fiscal bool
}

// unitToDate is from the first day of the current unit through today.
type unitToDate struct{ unit civil.Unit }

// daysToDate is n days that end today.
type daysToDate struct{ n int }

func (numberedUnit) class() class { return aUnit }
func (currentUnit) class() class  { return aPhrase }
func (unitRun) class() class      { return aPhrase }
func (unitToDate) class() class   { return aPhrase }
func (daysToDate) class() class   { return aPhrase }

// aPeriod is the reading of a period that was found on the calendar.
func aPeriod(p civil.Period, ok bool) (Reading, *fault.Fault) {
	if !ok {
		return Reading{}, outside()
	}
	return Reading{Period: p, Unit: true}, nil
}

func (n numberedUnit) read(Setting) (Reading, *fault.Fault) {
	p, ok := n.period()
	if !ok {
		return Reading{}, fault.New(fault.NoSuchDate, "there is no %s", n)
	}
	return Reading{Period: p, Unit: true}, nil
}

func (n numberedUnit) period() (civil.Period, bool) {
	first, months := n.n, n.unit.Months()
	switch n.unit {
	case civil.Weeks:
		monday, ok := civil.FromISOWeek(n.year, n.n, 1)
		sunday, okLast := civil.FromISOWeek(n.year, n.n, 7)
		return civil.Period{First: monday, Last: sunday}, ok && okLast
	case civil.Quarters:
		first = 3*n.n - 2
	case civil.Years:
		first = 1
	}
	m, ok := civil.MonthOf(n.year, time.Month(first))
	if !ok {
		return civil.Period{}, false
	}
	return m.Run(months)
}

// String names the unit for a message.
func (n numberedUnit) String() string {
	switch n.unit {
	case civil.Weeks:
		return fmt.Sprintf("week %d of %04d", n.n, n.year)
	case civil.Months:
		if n.n >= 1 && n.n <= 12 && n.year > 0 {
			return fmt.Sprintf("the whole of %s %04d", time.Month(n.n), n.year)
		}
		return fmt.Sprintf("month %d of %04d", n.n, n.year)
	case civil.Quarters:
		return fmt.Sprintf("quarter %d of %04d", n.n, n.year)
	}
	return fmt.Sprintf("the year %04d", n.year)
}

// yearStart is the month that years start with, those of the business where it is fiscal.
func yearStart(fiscal bool, s Setting) (time.Month, *fault.Fault) {
	switch {
	case !fiscal:
		return time.January, nil
	case s.FiscalStart == 0:
		return 0, fault.New(fault.NotADate, "a fiscal period needs the month that the fiscal year starts with; the setting fiscal-year-starts names it, and it is not set")
	}
	return s.FiscalStart, nil
}

func (n currentUnit) read(s Setting) (Reading, *fault.Fault) {
	january, f := yearStart(n.fiscal, s)
	if f != nil {
		return Reading{}, f
	}
	return aPeriod(n.unit.Around(s.AsOf, n.which, january))
}

// typed writes the first or the last day of the unit as a person would: start of last
// month. It is "" where there are no words for it.
func (n currentUnit) typed(e edge) string {
	if n.fiscal || n.unit == civil.Days {
		return ""
	}
	return e.String() + " of " + whichWords[n.which+1] + " " + n.unit.String()
}

func (n unitRun) read(s Setting) (Reading, *fault.Fault) {
	january, f := yearStart(n.fiscal, s)
	if f != nil {
		return Reading{}, f
	}
	nearest := 1
	if n.n < 0 {
		nearest = -1
	}
	near, ok := n.unit.Around(s.AsOf, nearest, january)
	far, okFar := n.unit.Around(s.AsOf, n.n, january)
	if n.n < 0 {
		near, far = far, near
	}
	return aPeriod(civil.Period{First: near.First, Last: far.Last}, ok && okFar)
}

func (n unitToDate) read(s Setting) (Reading, *fault.Fault) {
	p, ok := n.unit.Around(s.AsOf, 0, time.January)
	r, f := aPeriod(civil.Period{First: p.First, Last: s.AsOf}, ok)
	r.ToDate = n.unit
	return r, f
}

func (n daysToDate) read(s Setting) (Reading, *fault.Fault) {
	first, ok := s.AsOf.AddDays(1 - n.n)
	return aPeriod(civil.Period{First: first, Last: s.AsOf}, ok)
}
