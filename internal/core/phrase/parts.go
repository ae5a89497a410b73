package phrase

import (
	"fmt"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

// yearlessDay is a day and a named month: 5 Mar.
type yearlessDay struct {
	month time.Month
	day   int
}

// yearlessMonth is the name of a month: March.
type yearlessMonth struct{ month time.Month }

// yearlessQuarter is a quarter by its number: Q1.
type yearlessQuarter struct{ n int }

// daylessDate is a year and a month in a form of which a day is to be expected: 2026/3.
type daylessDate struct{ year, month int }

// twoNumbers are a day and a month in an order that is not known: 5/3.
type twoNumbers struct{ parts [2]part }

func (yearlessDay) class() class     { return aPart }
func (yearlessMonth) class() class   { return aPart }
func (yearlessQuarter) class() class { return aPart }
func (daylessDate) class() class     { return aPart }
func (twoNumbers) class() class      { return aPart }

// withoutYear offers a text in the year that it is, and for what lies ahead in the last
// one too.
func withoutYear(s Setting, isAhead bool, in func(year int) string) *fault.Fault {
	year, _, _ := s.AsOf.Date()
	f := fault.New(fault.IncompleteDate, "the year is missing").Suggest(in(year))
	if isAhead {
		f.Suggest(in(year - 1))
	}
	return f
}

func (n yearlessDay) read(s Setting) (Reading, *fault.Fault) {
	_, month, day := s.AsOf.Date()
	isAhead := n.month > month || n.month == month && n.day > day
	return Reading{}, withoutYear(s, isAhead, func(year int) string { return dayText(n.day, n.month, year) })
}

// on is the refusal of a day with its weekday, which tells the years that are meant.
func (n yearlessDay) on(weekday time.Weekday, s Setting) *fault.Fault {
	return withoutYear(s, true, func(year int) string {
		if d, ok := civil.DayOf(year, n.month, n.day); ok && d.Weekday() != weekday {
			return ""
		}
		return dayText(n.day, n.month, year)
	})
}

func (n yearlessMonth) read(s Setting) (Reading, *fault.Fault) {
	_, month, _ := s.AsOf.Date()
	return Reading{}, withoutYear(s, n.month > month, func(year int) string { return monthText(n.month, year) })
}

func (n yearlessQuarter) read(s Setting) (Reading, *fault.Fault) {
	_, month, _ := s.AsOf.Date()
	return Reading{}, withoutYear(s, n.n > (int(month)+2)/3, func(year int) string { return fmt.Sprintf("Q%d %04d", n.n, year) })
}

func (n daylessDate) read(Setting) (Reading, *fault.Fault) {
	return Reading{}, fault.New(fault.IncompleteDate, "the day is missing").Suggest(monthText(time.Month(n.month), n.year))
}

func (n twoNumbers) read(s Setting) (Reading, *fault.Fault) {
	year, _, _ := s.AsOf.Date()
	f := fault.New(fault.IncompleteDate, "a day needs its year, month and day")
	r, refused := digitsDay{[3]part{n.parts[0], n.parts[1], {year, 4}}}.read(s)
	if refused != nil {
		return Reading{}, f.Suggest(refused.Suggestions...)
	}
	return Reading{}, f.Suggest(r.Period.First.Plain())
}
