package civil

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPeriodsToCompareWith(t *testing.T) {
	for _, c := range []struct {
		name, period     string
		toDate           Unit
		previous, before string
	}{
		{"a month", "2026-03-01/2026-03-31", NoUnit, "2026-02-01/2026-02-28", "2025-03-01/2025-03-31"},
		{"February after a leap year", "2025-02-01/2025-02-28", NoUnit, "2025-01-01/2025-01-31", "2024-02-01/2024-02-29"},
		{"February of a leap year", "2024-02-01/2024-02-29", NoUnit, "2024-01-01/2024-01-31", "2023-02-01/2023-02-28"},
		{"three quarters", "2026-01-01/2026-09-30", NoUnit, "2025-04-01/2025-12-31", "2025-01-01/2025-09-30"},
		{"a year", "2024-01-01/2024-12-31", NoUnit, "2023-01-01/2023-12-31", "2023-01-01/2023-12-31"},
		{"five months", "2026-02-01/2026-06-30", NoUnit, "2025-09-01/2026-01-31", "2025-02-01/2025-06-30"},
		{"a month that is four weeks", "2027-02-01/2027-02-28", NoUnit, "2027-01-01/2027-01-31", "2026-02-01/2026-02-28"},
		{"an ISO week", "2026-03-02/2026-03-08", NoUnit, "2026-02-23/2026-03-01", "2025-03-03/2025-03-09"},
		{"week 53", "2026-12-28/2027-01-03", NoUnit, "2026-12-21/2026-12-27", "2025-12-22/2025-12-28"},
		{"a day", "2026-03-01/2026-03-01", NoUnit, "2026-02-28/2026-02-28", "2025-03-01/2025-03-01"},
		{"the leap day", "2024-02-29/2024-02-29", NoUnit, "2024-02-28/2024-02-28", "2023-02-28/2023-02-28"},
		{"any run", "2026-11-16/2026-11-20", NoUnit, "2026-11-11/2026-11-15", "2025-11-16/2025-11-20"},
		{"a run through the leap day", "2024-02-28/2024-03-02", NoUnit, "2024-02-24/2024-02-27", "2023-02-28/2023-03-02"},
		{"a run from the first of a month", "2026-11-01/2026-11-23", NoUnit, "2026-10-09/2026-10-31", "2025-11-01/2025-11-23"},
		{"month to date", "2026-11-01/2026-11-23", Months, "2026-10-01/2026-10-23", "2025-11-01/2025-11-23"},
		{"month to date, clamped", "2026-03-01/2026-03-30", Months, "2026-02-01/2026-02-28", "2025-03-01/2025-03-30"},
		{"month to date on its last day", "2026-11-01/2026-11-30", Months, "2026-10-01/2026-10-31", "2025-11-01/2025-11-30"},
		{"quarter to date", "2026-10-01/2026-11-23", Quarters, "2026-07-01/2026-08-23", "2025-10-01/2025-11-23"},
		{"quarter to date at the end of a month", "2026-10-01/2026-10-31", Quarters, "2026-07-01/2026-07-31", "2025-10-01/2025-10-31"},
		{"year to date in a leap year", "2024-01-01/2024-03-01", Years, "2023-01-01/2023-03-02", "2023-01-01/2023-03-02"},
		{"week to date", "2026-11-23/2026-11-25", Weeks, "2026-11-16/2026-11-18", "2025-11-24/2025-11-26"},
		{"an open start", "../2026-11-23", NoUnit, "none", "none"},
		{"an open end", "2026-11-23/..", NoUnit, "none", "none"},
		{"the first month", "0001-01-01/0001-01-31", NoUnit, "none", "none"},
		{"the first days", "0001-01-03/0001-01-06", NoUnit, "none", "none"},
		{"the first week", "0001-01-01/0001-01-07", NoUnit, "none", "none"},
		{"month to date at the beginning", "0001-01-01/0001-01-05", Months, "none", "none"},
	} {
		var p Period
		p.First, _ = ParseDay(c.period[:min(10, len(c.period))])
		p.Last, _ = ParseDay(c.period[max(0, len(c.period)-10):])
		said := func(p Period, ok bool) string {
			if !ok {
				return "none"
			}
			return p.String()
		}
		assert.Equal(t, c.previous, said(p.Previous(c.toDate)), "previous of %s", c.name)
		assert.Equal(t, c.before, said(p.YearBefore(c.toDate)), "a year before %s", c.name)
	}
}

func TestWholeUnits(t *testing.T) {
	for _, c := range []struct {
		first, last                          string
		weeks, months, quarters, years, days int
	}{
		{"2026-01-01", "2026-12-31", 0, 12, 4, 1, 365}, {"2026-04-01", "2026-09-30", 0, 6, 2, 0, 183}, {"2026-02-01", "2026-04-30", 0, 3, 0, 0, 89},
		{"2026-03-02", "2026-03-15", 2, 0, 0, 0, 14}, {"2026-03-02", "2026-03-16", 0, 0, 0, 0, 15}, {"2026-03-02", "2026-03-01", 0, 0, 0, 0, 0},
	} {
		p := Period{First: MustParseDay(c.first), Last: MustParseDay(c.last)}
		assert.Equal(t, []int{c.days, c.weeks, c.months, c.quarters, c.years}, []int{p.Whole(Days), p.Whole(Weeks), p.Whole(Months), p.Whole(Quarters), p.Whole(Years)}, p.String())
	}
}

// The ISO week of every day of 400 years is what the time package says, and
// leads back to the day.
func TestISOWeeks(t *testing.T) {
	for d := MustDay(1800, 1, 1); d < MustDay(2200, 1, 1); d++ {
		y, m, day := d.Date()
		year, week := d.ISOWeek()
		wantYear, wantWeek := time.Date(y, m, day, 0, 0, 0, 0, time.UTC).ISOWeek()
		require.Equal(t, [2]int{wantYear, wantWeek}, [2]int{year, week}, d.String())
		back, ok := FromISOWeek(year, week, (int(d.Weekday())+6)%7+1)
		require.True(t, ok)
		require.Equal(t, d, back)
	}
	year, week := MaxDay.ISOWeek()
	assert.Equal(t, [2]int{9999, 52}, [2]int{year, week})
}
