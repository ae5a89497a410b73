package phrase

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
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
		{"UTC", "yesterday 06:00", "2026-11-22T06:00:00Z"}, {"UTC", "now", "2026-11-23T10:15:30Z"}, {"UTC", "30 minutes ago", "2026-11-23T09:45:30Z"}, {"UTC", "1 hour ago", "2026-11-23T09:15:30Z"},
		{"Europe/Helsinki", "2026-03-05 14:30", "2026-03-05T12:30:00Z"}, {"Europe/Helsinki", "2026-03-05T14:30Z", "2026-03-05T14:30:00Z"}, {"Europe/Helsinki", "2026-03-05T14:30+01:00", "2026-03-05T13:30:00Z"},
		{"Europe/Helsinki", "29 Mar 2026 02:59", "2026-03-29T00:59:00Z"}, {"Europe/Helsinki", "29 Mar 2026 04:00", "2026-03-29T01:00:00Z"},
		{"Europe/Helsinki", "29 Mar 2026 03:30", `clocks in Europe/Helsinki skip this time: they jump from 03:00 to 04:00; did you mean "29 Mar 2026 02:59" or "29 Mar 2026 04:00"? [no_such_time]`},
		{"Europe/Helsinki", "25 Oct 2026 03:30", `clocks in Europe/Helsinki show this time twice on Sun 25 Oct 2026; did you mean "25 Oct 2026 03:30+03:00" or "25 Oct 2026 03:30+02:00"? [ambiguous_time]`},
		{"Europe/Helsinki", "25 Oct 2026 03:30+02:00", "2026-10-25T01:30:00Z"}, {"Europe/Helsinki", "25 Oct 2026 04:00", "2026-10-25T02:00:00Z"},
		{"Australia/Lord_Howe", "5 Apr 2026 01:45", `clocks in Australia/Lord_Howe show this time twice on Sun 5 Apr 2026; did you mean "5 Apr 2026 01:45+11:00" or "5 Apr 2026 01:45+10:30"? [ambiguous_time]`},
		{"UTC", "5 Mar 2026", `a time of day is missing, such as 14:30; did you mean "5 Mar 2026 00:00"? [time_missing]`},
		{"UTC", "Mar 2026", `the day is missing [incomplete_date]`}, {"UTC", "5 Mar 14:30", `the year is missing; did you mean "5 Mar 2026"? [incomplete_date]`},
		{"UTC", "30 Feb 2026 14:30", `there is no 30 February 2026; the month has 28 days; did you mean "28 Feb 2026"? [no_such_date]`},
		{"UTC", "5 Mar 2026 25:00", `there is no 25:00 on a clock; times go from 00:00 to 24:00 [no_such_time]`}, {"UTC", "5 Mar 2026 24:01", `there is no 24:01 on a clock; times go from 00:00 to 24:00 [no_such_time]`},
		{"UTC", "5 Mar 2026 13:00 pm", `there is no 13 pm; with pm, hours go from 1 to 12 [no_such_time]`}, {"UTC", "3/4/2026 14:30", `this can be read as 2 different days; did you mean "3 Apr 2026" or "4 Mar 2026"? [ambiguous_date]`},
		{"UTC", "noon", `"noon" is not a moment; write it like 5 Mar 2026 14:30 or 2026-03-05T14:30Z [not_a_date]`}, {"UTC", "yesterdya 06:00", `"yesterdya 06:00" is not a moment; write it like 5 Mar 2026 14:30 or 2026-03-05T14:30Z; did you mean "yesterday 06:00"? [not_a_date]`},
	} {
		at, f := Moment(c.text, inZone(t, c.zone))
		got := time.Unix(at.Seconds, 0).UTC().Format(time.RFC3339)
		if f != nil {
			got = f.Error()
		}
		assert.Equal(t, c.want, got, "%s in %s", c.text, c.zone)
	}
}

func TestSpelledMoments(t *testing.T) {
	s := inZone(t, "Europe/Helsinki")
	assert.Equal(t, "Mon 23 Nov 2026 12:15:30, UTC+02:00", SpelledMoment(s.Now, s.Zone))
	assert.Equal(t, "Thu 1 Jan 1970 00:00, UTC", SpelledMoment(0, time.UTC))
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
				require.Equal(t, NoSuchTime, f.Code, "%s %s", c.day, text)
			case 1:
				require.Nil(t, f, "%s %s", c.day, text)
				require.Equal(t, want[0], at.Seconds)
			default:
				require.Equal(t, AmbiguousTime, f.Code, "%s %s", c.day, text)
				for i, suggestion := range f.Suggestions {
					again, refused := Moment(suggestion, s)
					require.Nil(t, refused)
					require.Equal(t, want[i], again.Seconds)
				}
			}
		}
	}
}

func FuzzMoment(f *testing.F) {
	for _, seed := range []string{"5 Mar 2026 2:30 pm", "2026-03-05T14:30:15Z", "now", "30 minutes ago", "25 Oct 2026 03:30", "29 Mar 2026 03:30", "today 24:00", "5 Mar 2026 1:00+23:59"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		s := inZone(t, "Europe/Helsinki")
		_, refused := Moment(text, s)
		if refused != nil {
			require.NotEmpty(t, refused.Code)
			if refused.Code == NoSuchTime || refused.Code == AmbiguousTime || refused.Code == TimeMissing {
				for _, suggestion := range refused.Suggestions {
					if _, again := Moment(suggestion, s); again != nil {
						require.Contains(t, []string{NoSuchTime, AmbiguousTime}, again.Code, "the suggestion %q for %q", suggestion, text)
					}
				}
			}
		}
	})
}
