package civil

import "time"

// Month is one month of one year, held as year*12 + month-1; the zero Month is
// not a month. Months compare with == and <.
type Month int32

const (
	minMonth Month = 12
	maxMonth Month = 9999*12 + 11
)

// MonthOf returns the month of a year, and false where there is no such month.
func MonthOf(year int, month time.Month) (Month, bool) {
	if year < 1 || year > 9999 || month < 1 || month > 12 {
		return 0, false
	}
	return Month(year*12 + int(month) - 1), true
}

// IsValid reports whether m is a month; the zero Month is not.
func (m Month) IsValid() bool { return m >= minMonth && m <= maxMonth }

// Date takes a month apart.
func (m Month) Date() (year int, month time.Month) {
	return int(m) / 12, time.Month(int(m)%12 + 1)
}

// Add moves by n months; false where that leaves the calendar.
func (m Month) Add(n int) (Month, bool) {
	sum := int64(m) + int64(n)
	if !m.IsValid() || sum < int64(minMonth) || sum > int64(maxMonth) {
		return 0, false
	}
	return Month(sum), true
}

// First is the month's first day.
func (m Month) First() Day {
	y, mon := m.Date()
	return MustDay(y, mon, 1)
}

// Last is the month's last day.
func (m Month) Last() Day { return m.First() + Day(m.Days()) - 1 }

// Days is the number of days in the month.
func (m Month) Days() int { return DaysIn(m.Date()) }

// Period is the whole month.
func (m Month) Period() Period { return Period{First: m.First(), Last: m.Last()} }

// Run is n months from this one on; false where that leaves the calendar.
func (m Month) Run(n int) (Period, bool) {
	last, ok := m.Add(n - 1)
	if !ok {
		return Period{}, false
	}
	return Period{First: m.First(), Last: last.Last()}, true
}
