package phrase

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

// Monday 23 November 2026 is today in all of these.
var setting = Setting{AsOf: civil.MustParseDay("2026-11-23")}

func TestDaysThatAreRead(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{
		{"ISO", "2026-03-05", "2026-03-05"},
		{"ISO without hyphens", "20260305", "2026-03-05"},
		{"ISO without leading zeros", "2026-3-5", "2026-03-05"},
		{"year first with slashes", "2026/03/05", "2026-03-05"},
		{"year first with points", "2026.3.5", "2026-03-05"},
		{"ISO week date", "2026-W10-4", "2026-03-05"},
		{"ISO week date without hyphens", "2026W104", "2026-03-05"},
		{"ISO ordinal date", "2026-064", "2026-03-05"},
		{"day and short month", "5 Mar 2026", "2026-03-05"},
		{"month first with comma", "March 5, 2026", "2026-03-05"},
		{"comma without blank", "March 5,2026", "2026-03-05"},
		{"month first without comma", "March 5 2026", "2026-03-05"},
		{"comma before the year", "5 March, 2026", "2026-03-05"},
		{"hyphens", "5-Mar-2026", "2026-03-05"},
		{"hyphens, month first", "Mar-5-2026", "2026-03-05"},
		{"ordinal ending", "5th March 2026", "2026-03-05"},
		{"ordinal ending after the month", "March 22nd, 2026", "2026-03-22"},
		{"weekday", "Thu 5 Mar 2026", "2026-03-05"},
		{"weekday with comma", "Thursday, 5 March 2026", "2026-03-05"},
		{"weekday before ISO", "Thu 2026-03-05", "2026-03-05"},
		{"Sept", "1 Sept 2026", "2026-09-01"},
		{"case and blanks", "\t  5   MAR\u00a02026 \n", "2026-03-05"},
		{"digits, one reading", "13/4/2026", "2026-04-13"},
		{"digits, month first is the only reading", "4/13/2026", "2026-04-13"},
		{"digits, both readings the same day", "4.4.2026", "2026-04-04"},
		{"two-digit year", "5 Mar 26", "2026-03-05"},
		{"two-digit year of the last century", "5-Mar-69", "1969-03-05"},
		{"today", "Today", "2026-11-23"},
		{"yesterday", "yesterday", "2026-11-22"},
		{"tomorrow", "tomorrow", "2026-11-24"},
		{"days ago", "3 days ago", "2026-11-20"},
		{"as many days ago as a year has digits", "1000 days ago", "2024-02-27"},
		{"one day ago", "1 day ago", "2026-11-22"},
		{"in weeks", "in 2 weeks", "2026-12-07"},
		{"months ago, clamped", "9 months ago", "2026-02-23"},
		{"start of month", "start of this month", "2026-11-01"},
		{"end of last quarter", "end of last quarter", "2026-09-30"},
		{"start of next week", "start of next week", "2026-11-30"},
		{"end of last year", "end of last year", "2025-12-31"},
	} {
		r, f := Day(c.text, setting)
		if assert.Nil(t, f, "%s: %q", c.name, c.text) {
			assert.Equal(t, c.want, r.Period.First.String(), "%s: %q", c.name, c.text)
			assert.Equal(t, r.Period.First, r.Period.Last)
		}
	}
}

func TestDaysThatAreRefused(t *testing.T) {
	long := strings.Repeat("9", 5000)
	for _, c := range []struct{ name, text, want string }{
		{"empty", "", `"" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday [not_a_date]`},
		{"blank", "  ", `"  " is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday [not_a_date]`},
		{"words", "soon", `"soon" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday [not_a_date]`},
		{"misspelt month", "5 Septmber 2026", `"5 Septmber 2026" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday; did you mean "5 September 2026"? [not_a_date]`},
		{"misspelt phrase", "yesterdya", `"yesterdya" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday; did you mean "yesterday"? [not_a_date]`},
		{"tab inside", "5\tMar 2026", `"5\tMar 2026" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday; did you mean "5 Mar 2026"? [not_a_date]`},
		{"wrong ordinal ending", "5rd Mar 2026", `"5rd Mar 2026" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday [not_a_date]`},
		{"three-digit year", "5 Mar 226", `"5 Mar 226" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday [not_a_date]`},
		{"endless", long, `"` + long[:60] + `…" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday [not_a_date]`},
		{"period phrase", "last month", `"last month" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday; did you mean "start of last month" or "end of last month"? [not_a_date]`},
		{"no year", "5 Mar", `the year is missing; did you mean "5 Mar 2026"? [incomplete_date]`},
		{"no year, with a time", "5 Mar 14:30", `the year is missing; did you mean "5 Mar 2026"? [incomplete_date]`},
		{"no year, digits", "5/3", `a day needs its year, month and day; did you mean "5 Mar 2026" or "3 May 2026"? [incomplete_date]`},
		{"month alone", "March", `the year is missing; did you mean "1 Mar 2026" or "31 Mar 2026"? [incomplete_date]`},
		{"quarter alone", "Q1", `the year is missing; did you mean "1 Jan 2026" or "31 Mar 2026"? [incomplete_date]`},
		{"more days than are counted", "99999999999 days ago", `that day lies outside the years 0001 to 9999 [no_such_date]`},
		{"month and year in digits", "2/2012", `"2/2012" is the whole of February 2012 and not a single day; did you mean "1 Feb 2012" or "29 Feb 2012"? [incomplete_date]`},
		{"whole month", "2026-03", `"2026-03" is the whole of March 2026 and not a single day; did you mean "1 Mar 2026" or "31 Mar 2026"? [incomplete_date]`},
		{"whole quarter", "Q1 2026", `"Q1 2026" is quarter 1 of 2026 and not a single day; did you mean "1 Jan 2026" or "31 Mar 2026"? [incomplete_date]`},
		{"no such month, and no day", "2026-13", `"2026-13" is not a single day [incomplete_date]`},
		{"time with an offset", "2026-03-05T14:30+01:00", `a day is asked for, without a time of day; did you mean "5 Mar 2026"? [time_not_wanted]`},
		{"no such day", "30 Feb 2026", `there is no 30 February 2026; the month has 28 days; did you mean "28 Feb 2026"? [no_such_date]`},
		{"no leap day", "2025-02-29", `there is no 29 February 2025; the month has 28 days; did you mean "28 Feb 2025"? [no_such_date]`},
		{"no such month", "2026-13-01", `there is no month 13 [no_such_date]`},
		{"no such year", "0000-01-01", `there is no year 0000; years go from 0001 to 9999 [no_such_date]`},
		{"no such week", "2025-W53-1", `there is no day 1 of week 53 of 2025; 2025 has 52 weeks of 7 days [no_such_date]`},
		{"no such ordinal", "2026-366", `there is no day 366 of the year 2026 [no_such_date]`},
		{"no reading at all", "31/31/2026", `there is no month 31 [no_such_date]`},
		{"beyond the calendar", "99999999 days ago", `that day lies outside the years 0001 to 9999 [no_such_date]`},
		{"two readings", "3/4/2026", `this can be read as 2 different days; did you mean "3 Apr 2026" or "4 Mar 2026"? [ambiguous_date]`},
		{"three readings", "03/04/05", `this can be read as 3 different days; did you mean "3 Apr 2005", "4 Mar 2005" or "5 Apr 2003"? [ambiguous_date]`},
		{"other weekday", "Fri 5 Mar 2026", `5 Mar 2026 is a Thursday and not a Friday; did you mean "Thu 5 Mar 2026"? [weekday_mismatch]`},
		{"time of day", "2026-03-05T14:30", `a day is asked for, without a time of day; did you mean "5 Mar 2026"? [time_not_wanted]`},
		{"time behind a phrase", "yesterday at 2pm", `a day is asked for, without a time of day; did you mean "22 Nov 2026"? [time_not_wanted]`},
		{"time with a fraction and zone", "5 Mar 2026, 14:30:15.25 UTC", `a day is asked for, without a time of day; did you mean "5 Mar 2026"? [time_not_wanted]`},
		{"no such date comes before the time", "30 Feb 2026 14:30", `there is no 30 February 2026; the month has 28 days; did you mean "28 Feb 2026"? [no_such_date]`},
	} {
		_, f := Day(c.text, setting)
		if assert.NotNil(t, f, "%s: %q", c.name, c.text) {
			assert.Equal(t, c.want, f.Error(), c.name)
		}
	}
}

// The column is that of the end, the word or the character that is refused, in characters
// of the text as it was entered.
func TestRefusalsTellTheColumn(t *testing.T) {
	s := inZone(t, "Europe/Helsinki")
	readers := map[string]func(text string) *fault.Fault{
		"day":           func(text string) *fault.Fault { _, f := Day(text, s); return f },
		"period":        func(text string) *fault.Fault { _, f := Period(text, s); return f },
		"moment-period": func(text string) *fault.Fault { _, f := MomentPeriod(text, s); return f },
		"time-range":    func(text string) *fault.Fault { _, f := TimeRange(text); return f },
	}
	for _, c := range []struct {
		reader, text string
		want         int
	}{
		{"day", "", 1},
		{"day", "  30 Feb 2026", 3},
		{"day", "5 Septmber 2026", 3},
		{"day", "\u00a05\tMar 2026", 3},
		{"day", "5 März 2026", 4},
		{"day", "last month", 1},
		{"period", "5 Mar 2026 to 30 Feb 2026", 15},
		{"period", "31 Feb 2026 to 5 Mar 2026", 1},
		{"period", "5 Mar 2026 to Juen 2026", 15},
		{"period", "since last month", 7},
		{"period", "5 Mar 2026 to 1 Mar 2026", 1},
		{"moment-period", "5 Mar 2026 06:00 to 5 Mar 2026 25:00", 21},
		{"moment-period", "5 Mar 2026 06:00 to 5 Mar 2026", 21},
		{"time-range", "06:00 to 9", 10},
	} {
		f := readers[c.reader](c.text)
		if assert.NotNil(t, f, c.text) {
			assert.Equal(t, c.want, f.Place.Column, "%s %q: %v", c.reader, c.text, f)
		}
	}
}

func TestDayOrder(t *testing.T) {
	for _, c := range []struct {
		order      DayOrder
		text, want string
	}{
		{DayFirst, "3/4/2026", "2026-04-03"}, {MonthFirst, "3/4/2026", "2026-03-04"}, {DayFirst, "03-04-26", "2026-04-03"},
		{DayFirst, "3/25/2026", `there is no month 25 (days are read day first here); did you mean "25 Mar 2026"? [no_such_date]`},
		{MonthFirst, "25/3/2026", `there is no month 25 (days are read month first here); did you mean "25 Mar 2026"? [no_such_date]`},
	} {
		r, f := Day(c.text, Setting{AsOf: setting.AsOf, Order: c.order})
		got := r.Period.First.String()
		if f != nil {
			got = f.Error()
		}
		assert.Equal(t, c.want, got, "%s %s", c.order, c.text)
	}
	r, _ := Day("5 Mar 68", setting)
	assert.Equal(t, []string{"the year 68 was read as 2068"}, r.Notes)
}

func TestPeriodsThatAreRead(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"5 Mar 2026", "2026-03-05/2026-03-05"},
		{"2026-03", "2026-03-01/2026-03-31"}, {"2/2012", "2012-02-01/2012-02-29"}, {"02/2012 to 3/2012", "2012-02-01/2012-03-31"}, {"Mar 2026", "2026-03-01/2026-03-31"}, {"Feb 2024", "2024-02-01/2024-02-29"},
		{"2026-Q1", "2026-01-01/2026-03-31"}, {"Q4 2026", "2026-10-01/2026-12-31"}, {"2026", "2026-01-01/2026-12-31"}, {"2026-W10", "2026-03-02/2026-03-08"},
		{"1 Mar 2026 to 5 Mar 2026", "2026-03-01/2026-03-05"}, {"from 1 Mar 2026 through 5 Mar 2026", "2026-03-01/2026-03-05"},
		{"2026-03-01/2026-03-05", "2026-03-01/2026-03-05"}, {"2026-03-01..2026-03-05", "2026-03-01/2026-03-05"},
		{"1/3/2026 / 31/3/2026", "!ambiguous_date"}, {"25/3/2026 - 31/3/2026", "2026-03-25/2026-03-31"},
		{"2026-11-01/today", "2026-11-01/2026-11-23"}, {"2026-Q1/2026-Q2", "2026-01-01/2026-06-30"},
		{"Mar 2026 to May 2026", "2026-03-01/2026-05-31"}, {"3 months ago to today", "2026-08-23/2026-11-23"},
		{"../2026-03-05", "../2026-03-05"}, {"2026-03-05/..", "2026-03-05/.."}, {"since 5 Mar 2026", "2026-03-05/.."}, {"until yesterday", "../2026-11-22"},
		{"this week", "2026-11-23/2026-11-29"}, {"last week", "2026-11-16/2026-11-22"}, {"next week", "2026-11-30/2026-12-06"},
		{"this month", "2026-11-01/2026-11-30"}, {"last month", "2026-10-01/2026-10-31"}, {"last quarter", "2026-07-01/2026-09-30"}, {"last year", "2025-01-01/2025-12-31"},
		{"last 7 days", "2026-11-16/2026-11-22"}, {"last 3 months", "2026-08-01/2026-10-31"}, {"next 7 days", "2026-11-24/2026-11-30"},
		{"7 days to date", "2026-11-17/2026-11-23"}, {"1000 days to date", "2024-02-28/2026-11-23"}, {"month to date", "2026-11-01/2026-11-23"}, {"year to date", "2026-01-01/2026-11-23"},
		{"today", "2026-11-23/2026-11-23"}, {"Jan 0001", "0001-01-01/0001-01-31"}, {"Dec 9999", "9999-12-01/9999-12-31"},
		{"5 Mar 2026 to 1 Mar 2026", "!end_before_start"}, {"5 Mar 2026 to 30 Feb 2026", "!no_such_date"}, {"5 Mar to 30 Feb 2026", "!incomplete_date"},
		{"5 Mar 2026 14:30 to 6 Mar 2026", "!time_not_wanted"}, {"last month to today", "!not_a_date"}, {"../..", "!not_a_date"}, {"to", "!not_a_date"},
		{"2026-03-05..", "!not_a_date"}, {"..2026-03-05", "!not_a_date"}, {"/2026-03-05", "!not_a_date"}, {"2026-03-05 .. 2026-03-06", "2026-03-05/2026-03-06"},
		{"2026-03-05 / ..", "2026-03-05/.."}, {"last fiscal year", "!not_a_date"}, {"2026-Q5", "!no_such_date"},
		{"lst month", "!not_a_date"}, {"last 0 days", "!not_a_date"}, {"next 99999999 years", "!no_such_date"},
	} {
		r, f := Period(c.text, setting)
		got := r.Period.String()
		if f != nil {
			got = "!" + string(f.Code)
		}
		assert.Equal(t, c.want, got, "%q", c.text)
	}
	_, f := Period("5 Mar 2026 to 1 Mar 2026", setting)
	assert.Equal(t, `the period ends on Sun 1 Mar 2026, before it starts on Thu 5 Mar 2026; did you mean "1 Mar 2026 to 5 Mar 2026"? [end_before_start]`, f.Error())
	_, f = Period("lst mnth", setting)
	assert.Equal(t, []string{"last month"}, f.Suggestions)
}

// The fiscal year starts in April here: it is the third quarter of the year
// that started on 1 April 2026. "This quarter" stays a calendar one.
func TestFiscalPhrases(t *testing.T) {
	s := setting
	s.FiscalStart = time.April
	for text, want := range map[string]string{
		"this fiscal year": "2026-04-01/2027-03-31", "last fiscal year": "2025-04-01/2026-03-31", "next fiscal year": "2027-04-01/2028-03-31",
		"this fiscal quarter": "2026-10-01/2026-12-31", "last 2 fiscal quarters": "2026-04-01/2026-09-30", "next 3 fiscal years": "2027-04-01/2030-03-31",
		"this quarter": "2026-10-01/2026-12-31", "last 2 fiscal months": "!not_a_date", "fiscal year": "!not_a_date", "2026-Q1": "2026-01-01/2026-03-31",
	} {
		r, f := Period(text, s)
		got := r.Period.String()
		if f != nil {
			got = "!" + string(f.Code)
		}
		assert.Equal(t, want, got, text)
	}
	s.FiscalStart, s.AsOf = time.February, civil.MustParseDay("2026-01-31")
	r, _ := Period("this fiscal quarter", s)
	assert.Equal(t, "2025-11-01/2026-01-31", r.Period.String())
	_, f := Period("last fiscal year", setting)
	assert.Contains(t, f.Message, "fiscal-year-starts")
}

func TestSeasons(t *testing.T) {
	s := setting
	s.Seasons = map[string]Season{
		"summer-season": {From: MonthDay{time.June, 1}, Through: MonthDay{time.August, 31}},
		"winter-2":      {From: MonthDay{time.November, 15}, Through: MonthDay{time.February, 29}},
		"regatta":       {Title: "Harbour regatta", From: MonthDay{time.July, 10}, Through: MonthDay{time.July, 12}, Years: []int{2023, 2027}},
	}
	for _, c := range []struct{ asOf, text, want string }{
		{"2026-11-23", "last summer-season", "2026-06-01/2026-08-31"}, {"2026-11-23", "next Summer-Season", "2027-06-01/2027-08-31"},
		{"2026-06-01", "this summer-season", "2026-06-01/2026-08-31"}, {"2026-08-31", "this summer-season", "2026-06-01/2026-08-31"},
		{"2026-08-31", "last summer-season", "2025-06-01/2025-08-31"}, {"2026-09-01", "last summer-season", "2026-06-01/2026-08-31"},
		{"2026-11-23", "this winter-2", "2026-11-15/2027-02-28"}, {"2024-01-01", "this winter-2", "2023-11-15/2024-02-29"}, {"2026-11-23", "last winter-2", "2025-11-15/2026-02-28"},
		{"2026-11-23", "last regatta", "2023-07-10/2023-07-12"}, {"2026-11-23", "next regatta", "2027-07-10/2027-07-12"},
		{"2026-11-23", "this summer-season", `no summer-season holds Mon 23 Nov 2026; the next one is Tue 1 Jun 2027 through Tue 31 Aug 2027 (92 days); did you mean "next summer-season"? [no_such_date]`},
		{"2026-11-23", "summer-season 2013", "2013-06-01/2013-08-31"}, {"2026-11-23", "winter-2 2023", "2023-11-15/2024-02-29"}, {"2026-11-23", "Regatta  2027", "2027-07-10/2027-07-12"},
		{"2026-11-23", "regatta 2025", `no Harbour regatta starts in 2025; it does in 2023 and 2027; did you mean "regatta 2027"? [no_such_date]`},
		{"2026-11-23", "regata 2027", `"regata 2027" is not a period; write it like 1 Mar 2026 to 5 Mar 2026, Mar 2026 or last month [not_a_date]`},
		{"2028-01-01", "next regatta", `no Harbour regatta starts after Sat 1 Jan 2028 [no_such_date]`},
		{"2026-11-23", "last sumer-season", `"last sumer-season" is not a period; write it like 1 Mar 2026 to 5 Mar 2026, Mar 2026 or last month; did you mean "last summer-season"? [not_a_date]`},
		{"2026-11-23", "last summer-season to today", `"last summer-season" is a period of its own and not an end of one; did you mean "1 Jun 2026 to today"? [not_a_date]`},
	} {
		s.AsOf = civil.MustParseDay(c.asOf)
		r, f := Period(c.text, s)
		got := r.Period.String()
		if f != nil {
			got = f.Error()
		}
		assert.Equal(t, c.want, got, "%s as of %s", c.text, c.asOf)
	}
	for text, want := range map[string]MonthDay{"1 Jun": {time.June, 1}, "Feb 29": {time.February, 29}, "31-Dec": {time.December, 31}} {
		got, ok := ParseMonthDay(text)
		assert.True(t, ok, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"", "Jun", "31 Jun", "1 Jun 2026", "0 Jun", "today", "1 Jun to 2 Jun"} {
		_, ok := ParseMonthDay(text)
		assert.False(t, ok, text)
	}
}

// Every day of 400 years, in every form that names a day whole, is read back
// as itself.
func TestEveryDayInEveryForm(t *testing.T) {
	layouts := []string{"2006-01-02", "20060102", "2006-1-2", "2006/1/2", "2006.01.02", "2 Jan 2006", "Jan 2 2006", "January 2, 2006", "2 January, 2006", "2-Jan-2006", "Jan-2-2006",
		"Mon 2 Jan 2006", "Monday, January 2 2006", "Mon 2006-01-02", "2006-002", "2/1/2006", "02.01.2006"}
	dayFirst := Setting{AsOf: setting.AsOf, Order: DayFirst}
	for d := civil.MustDay(1800, 1, 1); d < civil.MustDay(2200, 1, 1); d++ {
		at := timeOf(d)
		year, week := at.ISOWeek()
		weekday := (int(at.Weekday())+6)%7 + 1
		texts := []string{fmt.Sprintf("%04d-W%02d-%d", year, week, weekday), fmt.Sprintf("%04dw%02d%d", year, week, weekday)}
		for _, layout := range layouts {
			texts = append(texts, at.Format(layout))
		}
		for _, text := range texts {
			r, f := Day(text, dayFirst)
			if f != nil || r.Period.First != d {
				t.Fatalf("%q was read as %s (%v), want %s", text, r.Period.First, f, d)
			}
		}
	}
}

func timeOf(d civil.Day) time.Time {
	y, m, day := d.Date()
	return time.Date(y, m, day, 0, 0, 0, 0, time.UTC)
}

func FuzzDay(f *testing.F) {
	for _, seed := range []string{"5 Mar 2026", "2026-W10-4", "3/4/26", "Thu, 5th March 2026 at 2pm", "end of last quarter", "99999999 days ago", "\u00a0"} {
		f.Add(seed, byte(0))
	}
	f.Fuzz(func(t *testing.T, text string, order byte) {
		s := Setting{AsOf: setting.AsOf, Order: []DayOrder{AnyOrder, DayFirst, MonthFirst}[order%3]}
		r, refused := Day(text, s)
		if refused != nil {
			require.NotEmpty(t, refused.Code)
			for _, suggestion := range refused.Suggestions {
				_, again := Day(suggestion, s)
				require.Nil(t, again, "the suggestion %q for %q is refused", suggestion, text)
			}
			return
		}
		back, refused := Day(r.Period.First.Spelled(), s)
		require.Nil(t, refused)
		require.Equal(t, r.Period, back.Period, "%q spelled back", text)
	})
}

func FuzzPeriod(f *testing.F) {
	for _, seed := range []string{"1 Mar 2026 to 5 Mar 2026", "../2026-03-05", "last 3 months", "2026-Q1/2026-Q2", "1/2/2026 / 3.4.2026", "7 days to date", "from a to b", "20 Dec to 5 Jan 2026", "March 5–10, 2026", "3/4/26 to 31 Feb 2026", "since last month", "Q1-2026", "between a week ago and today"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		r, refused := Period(text, setting)
		if refused != nil {
			require.NotEmpty(t, refused.Code)
			for _, suggestion := range refused.Suggestions {
				_, again := Period(suggestion, setting)
				require.Nil(t, again, "the suggestion %q for %q is refused", suggestion, text)
			}
			return
		}
		require.True(t, r.Period.IsOrdered(), "%q", text)
		back, refused := Period(r.Period.String(), setting)
		require.Nil(t, refused)
		require.Equal(t, r.Period, back.Period, "%q spelled back", text)
	})
}

func BenchmarkRead(b *testing.B) {
	for _, text := range []string{"2026-03-05", "20260305", "Thursday, 5th March 2026", "2026-03-01/2026-03-05", "1 Mar 2026 to 5 Mar 2026", "last 3 months", "3/4/2026"} {
		b.Run(strings.ReplaceAll(text, " ", "_"), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				Period(text, setting)
			}
		})
	}
}
