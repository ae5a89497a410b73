package phrase

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

func inZone(t testing.TB, name string) Setting {
	t.Helper()
	zone, err := civil.LoadZone(name)
	require.NoError(t, err)
	return Setting{AsOf: setting.AsOf, Zone: zone, Now: time.Date(2026, 11, 23, 10, 15, 30, 0, time.UTC).Unix()}
}

func TestMoments(t *testing.T) {
	for _, c := range []struct{ zone, text, want string }{
		{"UTC", "2026-03-05T14:30", "2026-03-05T14:30:00Z"}, {"UTC", "2026-03-05 14:30:15", "2026-03-05T14:30:15Z"},
		{"UTC", "5 Mar 2026 2:30 pm", "2026-03-05T14:30:00Z"}, {"UTC", "5 Mar 2026 2:30pm", "2026-03-05T14:30:00Z"}, {"UTC", "5 Mar 2026 12:00 am", "2026-03-05T00:00:00Z"},
		{"UTC", "5 Mar 2026 12:00 pm", "2026-03-05T12:00:00Z"}, {"UTC", "5 Mar 2026 24:00", "2026-03-06T00:00:00Z"}, {"UTC", "Thu 5 Mar 2026 9:05", "2026-03-05T09:05:00Z"},
		{"UTC", "yesterday 06:00", "2026-11-22T06:00:00Z"}, {"UTC", "now", "2026-11-23T10:15:00Z"}, {"UTC", "30 minutes ago", "2026-11-23T09:45:00Z"}, {"UTC", "1 hour ago", "2026-11-23T09:15:00Z"},
		{"Europe/Helsinki", "2026-03-05 14:30", "2026-03-05T12:30:00Z"}, {"Europe/Helsinki", "2026-03-05T14:30Z", "2026-03-05T14:30:00Z"}, {"Europe/Helsinki", "2026-03-05T14:30+01:00", "2026-03-05T13:30:00Z"},
		{"Europe/Helsinki", "29 Mar 2026 02:59", "2026-03-29T00:59:00Z"}, {"Europe/Helsinki", "29 Mar 2026 04:00", "2026-03-29T01:00:00Z"},
		{"Europe/Helsinki", "29 Mar 2026 03:30", `clocks in Europe/Helsinki skip this time: they jump from 03:00 to 04:00; did you mean "29 Mar 2026 02:59" or "29 Mar 2026 04:00"? [no_such_time]`},
		{"Europe/Helsinki", "25 Oct 2026 03:30", `clocks in Europe/Helsinki show this time twice on Sun 25 Oct 2026; did you mean "25 Oct 2026 03:30+03:00" or "25 Oct 2026 03:30+02:00"? [ambiguous_time]`},
		{"Europe/Helsinki", "25 Oct 2026 03:30+02:00", "2026-10-25T01:30:00Z"}, {"Europe/Helsinki", "25 Oct 2026 04:00", "2026-10-25T02:00:00Z"},
		{"Australia/Lord_Howe", "5 Apr 2026 01:45", `clocks in Australia/Lord_Howe show this time twice on Sun 5 Apr 2026; did you mean "5 Apr 2026 01:45+11:00" or "5 Apr 2026 01:45+10:30"? [ambiguous_time]`},
		{"UTC", "5 Mar 2026", `a time of day is missing, such as 14:30; did you mean "5 Mar 2026 00:00"? [time_missing]`},
		{"Europe/Helsinki", "1 Jan 0001", `a time of day is missing, such as 14:30 [time_missing]`}, {"America/Havana", "8 Mar 2026", `a time of day is missing, such as 14:30; did you mean "7 Mar 2026 23:59" or "8 Mar 2026 01:00"? [time_missing]`},
		{"UTC", "Mar 2026", `the day is missing [incomplete_date]`}, {"UTC", "5 Mar 14:30", `the year is missing; did you mean "5 Mar 2026 14:30"? [incomplete_date]`},
		{"UTC", "30 Feb 2026 14:30", `there is no 30 February 2026; the month has 28 days; did you mean "28 Feb 2026 14:30"? [no_such_date]`},
		{"UTC", "5 Mar 2026 25:00", `there is no 25:00 on a clock; times go from 00:00 to 24:00 [no_such_time]`}, {"UTC", "5 Mar 2026 24:01", `there is no 24:01 on a clock; times go from 00:00 to 24:00 [no_such_time]`},
		{"UTC", "5 Mar 2026 13:00 pm", `there is no 13 pm; with pm, hours go from 1 to 12 [no_such_time]`}, {"UTC", "3/4/2026 14:30", `this can be read as 2 different days; did you mean "3 Apr 2026 14:30" or "4 Mar 2026 14:30"? [ambiguous_date]`},
		{"UTC", "9999-12-31 24:00", "that day lies outside the years 0001 to 9999 [no_such_date]"}, {"UTC", "noon", `"noon" is not a moment; write it like 5 Mar 2026 14:30 or 2026-03-05T14:30Z; did you mean "23 Nov 2026 12:00"? [not_a_date]`}, {"UTC", "yesterdya 06:00", `"yesterdya 06:00" is not a moment; write it like 5 Mar 2026 14:30 or 2026-03-05T14:30Z; did you mean "yesterday 06:00"? [not_a_date]`},
	} {
		at, f := Moment(c.text, inZone(t, c.zone))
		got := at.Period.First.Time(time.UTC).Format(time.RFC3339)
		if f != nil {
			got = f.Error()
		}
		assert.Equal(t, c.want, got, "%s in %s", c.text, c.zone)
	}
}

// Around every transition of some zones, each minute is read as the clock shows
// it: once, never, or twice with both instants told apart by their offsets.
func TestMomentsAroundTransitions(t *testing.T) {
	for _, c := range []struct {
		zone string
		day  civil.Day
	}{{"Europe/Helsinki", civil.MustDay(2026, 3, 29)}, {"Europe/Helsinki", civil.MustDay(2026, 10, 25)}, {"Atlantic/Azores", civil.MustDay(2026, 10, 25)}, {"Australia/Lord_Howe", civil.MustDay(2026, 10, 4)}} {
		s := inZone(t, c.zone)
		shown := map[string][]int64{}
		for at := civil.FirstInstant(c.day, s.Zone); at < civil.FirstInstant(c.day+1, s.Zone); at += 60 {
			shown[time.Unix(at, 0).In(s.Zone).Format("15:04")] = append(shown[time.Unix(at, 0).In(s.Zone).Format("15:04")], at)
		}
		for minute := range 24 * 60 {
			text := time.Unix(int64(minute)*60, 0).UTC().Format("15:04")
			at, f := Moment(c.day.String()+" "+text, s)
			switch want := shown[text]; len(want) {
			case 0:
				require.Equal(t, fault.NoSuchTime, f.Code, "%s %s", c.day, text)
			case 1:
				require.Nil(t, f, "%s %s", c.day, text)
				require.Equal(t, want[0], at.Period.First.At)
			default:
				require.Equal(t, fault.AmbiguousTime, f.Code, "%s %s", c.day, text)
				for i, suggestion := range f.Suggestions {
					again, refused := Moment(suggestion, s)
					require.Nil(t, refused)
					require.Equal(t, want[i], again.Period.First.At)
				}
			}
		}
	}
}

func TestMomentPeriods(t *testing.T) {
	for _, c := range []struct{ zone, text, want string }{
		{"UTC", "5 Mar 2026 06:00 to 5 Mar 2026 09:00", "Thu 5 Mar 2026 06:00 through Thu 5 Mar 2026 09:00, UTC (3 hours 1 minute)"},
		{"UTC", "2026-03-05T06:00:00/2026-03-05T09:00:00", "Thu 5 Mar 2026 06:00:00 through Thu 5 Mar 2026 09:00:00, UTC (3 hours 1 second)"},
		{"UTC", "from yesterday 18:00 through today 2:00 am", "Sun 22 Nov 2026 18:00 through Mon 23 Nov 2026 02:00, UTC (8 hours 1 minute)"},
		{"UTC", "5 Mar 2026 06:00 to 6 Mar 2026 24:00", "Thu 5 Mar 2026 06:00 through Fri 6 Mar 2026 23:59, UTC (1 day 18 hours)"},
		{"UTC", "5 Mar 2026 06:00..now", "Thu 5 Mar 2026 06:00 through Mon 23 Nov 2026 10:15, UTC (263 days 4 hours 16 minutes)"},
		{"UTC", "since yesterday 18:00", "from Sun 22 Nov 2026 18:00, UTC on"}, {"UTC", "../yesterday 18:00", "through Sun 22 Nov 2026 18:00, UTC"},
		{"UTC", "5 Mar 2026 06:00", "Thu 5 Mar 2026 06:00 through Thu 5 Mar 2026 06:00, UTC (1 minute)"},
		{"UTC", "last hour", "Mon 23 Nov 2026 09:00 through Mon 23 Nov 2026 09:59, UTC (1 hour)"}, {"UTC", "last minute", "Mon 23 Nov 2026 10:14 through Mon 23 Nov 2026 10:14, UTC (1 minute)"},
		{"UTC", "last day", "Sun 22 Nov 2026 00:00 through Sun 22 Nov 2026 23:59, UTC (1 day)"}, {"UTC", "last hours", `"last hours" is not a period of moments; write it like 5 Mar 2026 06:00 to 5 Mar 2026 09:00 or last 6 hours [not_a_date]`},
		{"UTC", "last 6 hours", "Mon 23 Nov 2026 04:00 through Mon 23 Nov 2026 09:59, UTC (6 hours)"}, {"UTC", "last 1 minute", "Mon 23 Nov 2026 10:14 through Mon 23 Nov 2026 10:14, UTC (1 minute)"},
		{"UTC", "6 hours to now", "Mon 23 Nov 2026 04:16 through Mon 23 Nov 2026 10:15, UTC (6 hours)"}, {"UTC", "1 minute to now", "Mon 23 Nov 2026 10:15 through Mon 23 Nov 2026 10:15, UTC (1 minute)"},
		{"Asia/Kathmandu", "last 2 hours", "Mon 23 Nov 2026 14:00 through Mon 23 Nov 2026 15:59, UTC+05:45 (2 hours)"},
		{"Europe/Helsinki", "25 Oct 2026 03:30 to 25 Oct 2026 03:30", "Sun 25 Oct 2026 03:30, UTC+03:00 through Sun 25 Oct 2026 03:30, UTC+02:00 (1 hour 1 minute)"},
		{"Europe/Helsinki", "25 Oct 2026 03:30+02:00 to 25 Oct 2026 03:30+02:00", "Sun 25 Oct 2026 03:30 through Sun 25 Oct 2026 03:30, UTC+02:00 (1 minute)"},
		{"Europe/Helsinki", "24 Oct 2026 03:30 to 25 Oct 2026 24:00", "Sat 24 Oct 2026 03:30, UTC+03:00 through Sun 25 Oct 2026 23:59, UTC+02:00 (1 day 21 hours 30 minutes)"},
		{"Europe/Helsinki", "29 Mar 2026 03:30 to 29 Mar 2026 05:00", `clocks in Europe/Helsinki skip this time: they jump from 03:00 to 04:00; did you mean "29 Mar 2026 02:59 to 29 Mar 2026 05:00" or "29 Mar 2026 04:00 to 29 Mar 2026 05:00"? [no_such_time]`},
		{"UTC", "5 Mar 2026 09:00 to 5 Mar 2026 06:00", `the period ends on Thu 5 Mar 2026 06:00, UTC, before it starts on Thu 5 Mar 2026 09:00, UTC; did you mean "5 Mar 2026 06:00 to 5 Mar 2026 09:00"? [end_before_start]`},
		{"UTC", "last month", `times of day are missing, such as 14:30; did you mean "1 Oct 2026 00:00 to 31 Oct 2026 24:00"? [time_missing]`},
		{"UTC", "5 Mar 2026 06:00 to 6 Mar 2026", `a time of day is missing, such as 14:30; did you mean "5 Mar 2026 06:00 to 6 Mar 2026 24:00"? [time_missing]`},
		{"UTC", "5 Mar 25:00 to 3/4/2026 06:00", `the year is missing [incomplete_date]`},
		{"UTC", "lst 6 hours", `"lst 6 hours" is not a period of moments; write it like 5 Mar 2026 06:00 to 5 Mar 2026 09:00 or last 6 hours; did you mean "last 6 hours"? [not_a_date]`},
		{"UTC", "1 Jan 0001 00:30+01:00 to now", "that day lies outside the years 0001 to 9999 [no_such_date]"}, {"UTC", "9999-12-31 23:00 to 9999-12-31 24:00", "Fri 31 Dec 9999 23:00 through Fri 31 Dec 9999 23:59, UTC (1 hour)"},
		{"UTC", "last 0 hours", `"last 0 hours" is not a period of moments; write it like 5 Mar 2026 06:00 to 5 Mar 2026 09:00 or last 6 hours [not_a_date]`},
	} {
		s := inZone(t, c.zone)
		r, f := MomentPeriod(c.text, s)
		got := r.Period.Spelled(s.Zone)
		if f != nil {
			got = f.Error()
		}
		assert.Equal(t, c.want, got, "%s in %s", c.text, c.zone)
	}
	r, _ := MomentPeriod("25 Oct 2026 03:30 to 25 Oct 2026 03:45", inZone(t, "Europe/Helsinki"))
	assert.Equal(t, []string{"clocks in Europe/Helsinki show this time twice; the earlier was taken: Sun 25 Oct 2026 03:30, UTC+03:00",
		"clocks in Europe/Helsinki show this time twice; the later was taken: Sun 25 Oct 2026 03:45, UTC+02:00"}, r.Notes)
}

func TestTimeRanges(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"06:00 to 09:00", "06:00 through 09:00 (that minute included)"}, {"6:00 am - 9:00 AM", "06:00 through 09:00 (that minute included)"},
		{"22:00 to 2:00", "22:00 through 02:00 the next day (that minute included)"}, {"22:00/24:00", "22:00 through 23:59 (that minute included)"},
		{"from 12:00 am through 12:00 pm", "00:00 through 12:00 (that minute included)"}, {"06:00..06:00", "06:00 through 06:00 (that minute included)"},
		{"06:00 to 05:59", "06:00 through 05:59 the next day (that minute included)"}, {"24:00 to 06:00", "00:00 through 06:00 (that minute included)"},
		{"06:00:30 to 09:00:00", "06:00:30 through 09:00:00 (that second included)"}, {"06:00 to 23:59", "06:00 through 23:59 (that minute included)"},
		{"25:00 to 26:00", "there is no 25:00 on a clock; times go from 00:00 to 24:00 [no_such_time]"}, {"06:00 to 13:00 pm", "there is no 13 pm; with pm, hours go from 1 to 12 [no_such_time]"},
		{"06:00", `"06:00" is not a range of times of day; write it like 06:00 to 09:00 [not_a_date]`}, {"since 06:00", `"since 06:00" is not a range of times of day; write it like 06:00 to 09:00 [not_a_date]`},
		{"6 to 9", `"6 to 9" is not a range of times of day; write it like 06:00 to 09:00; did you mean "06:00 to 09:00"? [not_a_date]`}, {"", `"" is not a range of times of day; write it like 06:00 to 09:00 [not_a_date]`},
		{"06:00 throuhg 09:00", `"06:00 throuhg 09:00" is not a range of times of day; write it like 06:00 to 09:00; did you mean "06:00 through 09:00"? [not_a_date]`},
	} {
		r, f := TimeRange(c.text)
		got := r.Spelled()
		if f != nil {
			got = f.Error()
		}
		assert.Equal(t, c.want, got, c.text)
	}
}

func FuzzMoment(f *testing.F) {
	for _, seed := range []string{"5 Mar 2026 2:30 pm", "2026-03-05T14:30:15Z", "now", "30 minutes ago", "25 Oct 2026 03:30", "29 Mar 2026 03:30", "today 24:00", "5 Mar 2026 1:00+23:59", "1 May 1921 00:00", "00010101", "9999999999 minutes ago", "5 Mar 2026, 2:30:15.5 pm UTC"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		s := inZone(t, "Europe/Helsinki")
		r, refused := Moment(text, s)
		if refused != nil {
			require.NotEmpty(t, refused.Code)
			for _, suggestion := range refused.Suggestions {
				_, again := Moment(suggestion, s)
				require.Nil(t, again, "the suggestion %q for %q is refused", suggestion, text)
			}
			return
		}
		back, refused := Moment(r.Period.First.Time(time.UTC).Format("2006-01-02T15:04:05Z"), s)
		require.Nil(t, refused)
		require.Equal(t, r.Period.First.At, back.Period.First.At, "%q spelled back", text)
		if typed, refused := Moment(Typed(r.Period.First, s.Zone), s); refused == nil {
			require.Equal(t, r.Period.First.At, typed.Period.First.At, "%q typed again", text)
		}
	})
}

func FuzzMomentPeriod(f *testing.F) {
	for _, seed := range []string{"5 Mar 2026 06:00 to 5 Mar 2026 09:00", "since now", "../2026-03-05T14:30:15Z", "last 6 hours", "90 minutes to now", "25 Oct 2026 03:30 - 25 Oct 2026 03:45", "last month", "5 Mar 2026 6am to 9am", "29 Mar to 31 Feb 2026 3:30"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		s := inZone(t, "Europe/Helsinki")
		r, refused := MomentPeriod(text, s)
		if refused != nil {
			require.NotEmpty(t, refused.Code)
			for _, suggestion := range refused.Suggestions {
				_, again := MomentPeriod(suggestion, s)
				require.Nil(t, again, "the suggestion %q for %q is refused", suggestion, text)
			}
			return
		}
		require.True(t, r.Period.IsOrdered(), "%q", text)
		require.False(t, !r.Period.First.IsValid() && !r.Period.Last.IsValid(), "%q is open on both sides", text)
		require.NotEmpty(t, r.Period.Spelled(s.Zone))
	})
}

func FuzzTimeRange(f *testing.F) {
	for _, seed := range []string{"06:00 to 09:00", "10:30 pm - 2:00 am", "22:00/24:00", "06:00:30..06:00:30", "6am-9"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		r, refused := TimeRange(text)
		if refused != nil {
			require.NotEmpty(t, refused.Code)
			for _, suggestion := range refused.Suggestions {
				_, again := TimeRange(suggestion)
				require.Nil(t, again, "the suggestion %q for %q is refused", suggestion, text)
			}
			return
		}
		require.True(t, r.IsValid() && r.From >= 0 && r.From < 86400 && r.Until > 0 && r.Until <= 86400 || r.Until == 0 && r.OverMidnight(), "%q is %+v", text, r)
		back, refused := TimeRange(r.First() + " to " + r.Last())
		require.Nil(t, refused)
		require.Equal(t, [2]string{r.First(), r.Last()}, [2]string{back.First(), back.Last()}, "%q spelled back", text)
	})
}
