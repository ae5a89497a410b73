// Package civil has the calendar: days, months and periods without a clock,
// and the way from a day to an instant in a zone.
//
// Everything is proleptic Gregorian, years 1 to 9999. Values are immutable and
// comparable; a zero value is not a day (month, period) and says so through
// IsValid. Nothing here reads the clock: whoever needs "today" is handed it.
package civil

import (
	"fmt"
	"strconv"
	"time"
)

// Day is a civil date. It is held as the number of days since 31 December of
// the year 0, so that 1 January of the year 1 is 1 and the zero Day is not a
// day. Days compare with == and <.
type Day int32

// The first and the last day that there are.
const (
	MinDay Day = 1
	MaxDay Day = 3652059
)

// The epoch of the time package and of POSIX, 1970-01-01, as a Day.
const epoch Day = 719163

// The calendar repeats every 400 years. Counting years from 1 March puts the
// leap day last, and then months before it have lengths that a line through
// 153 days in five months gives exactly; day and DayOf rest on that.
const (
	daysIn400 = 146097
	daysIn100 = 36524
	daysIn4   = 1461
)

// DayOf returns the day of a year, month and day of the month, and false where
// there is no such day.
func DayOf(year int, month time.Month, day int) (Day, bool) {
	if year < 1 || year > 9999 || month < 1 || month > 12 || day < 1 || day > DaysIn(year, month) {
		return 0, false
	}
	y, m := year, int(month)-3
	if m < 0 {
		y, m = y-1, m+12
	}
	n := y/400*daysIn400 + y%400/100*daysIn100 + y%100/4*daysIn4 + y%4*365 + (153*m+2)/5 + day
	// Day 1 of March-based year 0 is 1 March of the year 0, 306 days before 1 January of the year 1.
	return Day(n - 306), true
}

// MustDay is DayOf for days that are known to exist; it panics otherwise.
func MustDay(year int, month time.Month, day int) Day {
	d, ok := DayOf(year, month, day)
	if !ok {
		panic(fmt.Sprintf("civil: no day %d-%d-%d", year, month, day))
	}
	return d
}

// MustParseDay reads YYYY-MM-DD and panics on anything else; for tests and
// constants.
func MustParseDay(iso string) Day {
	d, ok := ParseDay(iso)
	if !ok {
		panic("civil: no day " + iso)
	}
	return d
}

// ParseDay reads YYYY-MM-DD (ISO 8601, extended) and nothing else.
func ParseDay(iso string) (Day, bool) {
	if len(iso) != 10 || iso[4] != '-' || iso[7] != '-' {
		return 0, false
	}
	y, okY := digits(iso[0:4])
	m, okM := digits(iso[5:7])
	d, okD := digits(iso[8:10])
	if !okY || !okM || !okD {
		return 0, false
	}
	return DayOf(y, time.Month(m), d)
}

func digits(s string) (n int, ok bool) {
	for i := range len(s) {
		c := s[i] - '0'
		if c > 9 {
			return 0, false
		}
		n = n*10 + int(c)
	}
	return n, true
}

// IsValid reports whether d is a day; the zero Day is not.
func (d Day) IsValid() bool { return d >= MinDay && d <= MaxDay }

// Date takes a day apart.
func (d Day) Date() (year int, month time.Month, day int) {
	n := int(d) + 305 // days since 1 March of the year 0
	y := n / daysIn400 * 400
	n %= daysIn400
	c := min(n/daysIn100, 3)
	n -= c * daysIn100
	q := n / daysIn4
	n %= daysIn4
	r := min(n/365, 3)
	n -= r * 365
	y += c*100 + q*4 + r
	m := (5*n + 2) / 153
	day = n - (153*m+2)/5 + 1
	if m >= 10 {
		return y + 1, time.Month(m - 9), day
	}
	return y, time.Month(m + 3), day
}

// Weekday is the day of the week.
func (d Day) Weekday() time.Weekday { return time.Weekday(int(d) % 7) }

// Month is the month that holds the day.
func (d Day) Month() Month {
	y, m, _ := d.Date()
	return Month(y*12 + int(m) - 1)
}

// AddDays moves by n days; false where that leaves the calendar.
func (d Day) AddDays(n int) (Day, bool) {
	sum := int64(d) + int64(n)
	if !d.IsValid() || sum < int64(MinDay) || sum > int64(MaxDay) {
		return 0, false
	}
	return Day(sum), true
}

// AddMonths moves by n months and stays on the same day of the month where the
// month has it, else on the month's last day: 31 January and one month is 28
// or 29 February. False where that leaves the calendar.
func (d Day) AddMonths(n int) (Day, bool) {
	if !d.IsValid() {
		return 0, false
	}
	_, _, day := d.Date()
	m, ok := d.Month().Add(n)
	if !ok {
		return 0, false
	}
	return m.First() + Day(min(day, m.Days())) - 1, true
}

// Next is the day after, and false after the last day that there is.
func (d Day) Next() (Day, bool) { return d.AddDays(1) }

// String is the ISO form, YYYY-MM-DD, and "" for the zero Day.
func (d Day) String() string {
	if !d.IsValid() {
		return ""
	}
	return string(d.AppendISO(make([]byte, 0, 10)))
}

// AppendISO appends YYYY-MM-DD.
func (d Day) AppendISO(b []byte) []byte {
	y, m, day := d.Date()
	b = append(appendYear(b, y), '-')
	b = append(b, byte('0'+m/10), byte('0'+m%10), '-')
	return append(b, byte('0'+day/10), byte('0'+day%10))
}

// Spelled is the form that no one can misread: "Thu 5 Mar 2026".
func (d Day) Spelled() string {
	if !d.IsValid() {
		return ""
	}
	y, m, day := d.Date()
	var room [len("Thu 15 Mar 2026")]byte
	b := append(append(room[:0], d.Weekday().String()[:3]...), ' ')
	b = append(strconv.AppendInt(b, int64(day), 10), ' ')
	b = append(append(b, m.String()[:3]...), ' ')
	return string(appendYear(b, y))
}

// appendYear appends a year in four digits.
func appendYear(b []byte, y int) []byte {
	return append(b, byte('0'+y/1000), byte('0'+y/100%10), byte('0'+y/10%10), byte('0'+y%10))
}

// Plain is the spelled day without its weekday, as one types it: "5 Mar 2026".
func (d Day) Plain() string {
	if !d.IsValid() {
		return ""
	}
	return d.Spelled()[4:]
}

// MarshalText writes the ISO form.
func (d Day) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads the ISO form, and nothing as the zero Day, as MarshalText writes it.
func (d *Day) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*d = 0
		return nil
	}
	day, ok := ParseDay(string(text))
	if !ok {
		return fmt.Errorf("civil: %q is not a day in the form YYYY-MM-DD", text)
	}
	*d = day
	return nil
}

// IsLeap reports whether the year has a 29 February.
func IsLeap(year int) bool { return year%4 == 0 && (year%100 != 0 || year%400 == 0) }

// DaysIn is the number of days of a month.
func DaysIn(year int, month time.Month) int {
	switch month {
	case time.February:
		if IsLeap(year) {
			return 29
		}
		return 28
	case time.April, time.June, time.September, time.November:
		return 30
	}
	return 31
}

// FromISOWeek returns the day of an ISO 8601 week date; weekday 1 is Monday.
// False for week 53 of a year that has 52, and for days outside the calendar.
func FromISOWeek(year, week, weekday int) (Day, bool) {
	if year < 1 || year > 9999 || week < 1 || week > WeeksIn(year) || weekday < 1 || weekday > 7 {
		return 0, false
	}
	d := firstMonday(year) + Day((week-1)*7+weekday-1)
	return d, d.IsValid()
}

// ISOWeek is the ISO 8601 week that holds the day, and the year that the week
// belongs to; for the last days of the calendar the week of 9999 or 10000.
func (d Day) ISOWeek() (year, week int) {
	thursday := d - Day((int(d)+6)%7) + 3
	if thursday > MaxDay {
		return 10000, 1
	}
	year, _, _ = max(thursday, MinDay).Date()
	return year, int(thursday-firstMonday(year))/7 + 1
}

// WeeksIn is the number of ISO weeks of a year, 52 or 53.
func WeeksIn(year int) int { return int(firstMonday(year+1)-firstMonday(year)) / 7 }

// firstMonday is the Monday of ISO week 1, the week with 4 January in it. It
// may fall outside the calendar by a few days at either end.
func firstMonday(year int) Day {
	var fourth Day
	if year > 9999 {
		fourth = MaxDay + 4
	} else {
		fourth = MustDay(year, time.January, 4)
	}
	return fourth - Day((int(fourth)+6)%7)
}

// YearDay returns day n of a year, from 1; false where the year is shorter.
func YearDay(year, n int) (Day, bool) {
	first, ok := DayOf(year, time.January, 1)
	if !ok || n < 1 || n > 366 || n == 366 && !IsLeap(year) {
		return 0, false
	}
	return first + Day(n-1), true
}

// FullYear widens a two-digit year by the POSIX window: 69 to 99 are 1900s, 00
// to 68 are 2000s.
func FullYear(n int) int {
	if n >= 69 {
		return 1900 + n
	}
	return 2000 + n
}
