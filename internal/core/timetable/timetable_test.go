package timetable_test

import (
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/timetable"
)

func zoned(t require.TestingT, name string) *time.Location {
	zone, err := civil.LoadZone(name)
	require.NoError(t, err)
	return zone
}

// runs are the next times from a wall time in Helsinki, as its clocks show them.
func runs(t *testing.T, text, from string, n int) string {
	t.Helper()
	zone := zoned(t, "Europe/Helsinki")
	times, f := timetable.Parse(text)
	require.Nil(t, f, text)
	at, err := time.ParseInLocation("2006-01-02 15:04", from, zone)
	require.NoError(t, err)
	after := at.Unix()
	var all []string
	for range n {
		next, ok := times.Next(after, zone)
		require.True(t, ok)
		require.Greater(t, next, after)
		all = append(all, time.Unix(next, 0).In(zone).Format("Mon 2 Jan 15:04"))
		after = next
	}
	return strings.Join(all, ", ")
}

func TestTimes(t *testing.T) {
	for _, c := range []struct{ text, spelled, next string }{
		{"weekdays at 06:30", "weekdays at 06:30", "Mon 30 Nov 06:30, Tue 1 Dec 06:30, Wed 2 Dec 06:30"},
		{"Weekends  AT 6:30 am, 5 pm and noon", "weekends at 06:30, 12:00 and 17:00", "Sun 29 Nov 06:30, Sun 29 Nov 12:00, Sun 29 Nov 17:00"},
		{"daily at midnight", "every day at 00:00", "Sun 29 Nov 00:00, Mon 30 Nov 00:00, Tue 1 Dec 00:00"},
		{"every day at 23:59", "every day at 23:59", "Sat 28 Nov 23:59, Sun 29 Nov 23:59, Mon 30 Nov 23:59"},
		{"on mon, wed and Fridays at 8:00", "Mondays, Wednesdays and Fridays at 08:00", "Mon 30 Nov 08:00, Wed 2 Dec 08:00, Fri 4 Dec 08:00"},
		{"sunday at 12 am", "Sundays at 00:00", "Sun 29 Nov 00:00, Sun 6 Dec 00:00, Sun 13 Dec 00:00"},
		{"every 15 minutes from 22:30 to 23:00", "every 15 minutes from 22:30 to 23:00", "Sat 28 Nov 22:30, Sat 28 Nov 22:45, Sat 28 Nov 23:00"},
		{"every 40 minutes from 23:00 to 01:00 on saturdays", "every 40 minutes from 23:00 to 01:00 on Saturdays", "Sat 28 Nov 23:00, Sat 28 Nov 23:40, Sun 29 Nov 00:20"},
		{"hourly", "every hour from 00:00 to 23:00", "Sat 28 Nov 23:00, Sun 29 Nov 00:00, Sun 29 Nov 01:00"},
		{"every 6 hours on weekdays", "every 6 hours from 00:00 to 18:00 on weekdays", "Mon 30 Nov 00:00, Mon 30 Nov 06:00, Mon 30 Nov 12:00"},
		{"every minute from 6:00 to 6:00 on monday", "every minute from 06:00 to 06:00 on Mondays", "Mon 30 Nov 06:00, Mon 30 Nov 06:01, Mon 30 Nov 06:02"},
		{"every 2 hours from 06:00 to 07:00", "every day at 06:00", "Sun 29 Nov 06:00, Mon 30 Nov 06:00, Tue 1 Dec 06:00"},
		{"first of month at 07:00", "1st day of month at 07:00", "Tue 1 Dec 07:00, Fri 1 Jan 07:00, Mon 1 Feb 07:00"},
		{"the last weekday of the month at 17:00", "last weekday of month at 17:00", "Mon 30 Nov 17:00, Thu 31 Dec 17:00, Fri 29 Jan 17:00"},
		{"15th of each month at 12:00", "15th day of month at 12:00", "Tue 15 Dec 12:00, Fri 15 Jan 12:00, Mon 15 Feb 12:00"},
		{"second tuesday of month at 09:00", "2nd Tuesday of month at 09:00", "Tue 8 Dec 09:00, Tue 12 Jan 09:00, Tue 9 Feb 09:00"},
		{"last fri of quarter at 9:00", "last Friday of quarter at 09:00", "Fri 25 Dec 09:00, Fri 26 Mar 09:00, Fri 25 Jun 09:00"},
		{"3rd weekday of year at 9:00", "3rd weekday of year at 09:00", "Tue 5 Jan 09:00, Wed 5 Jan 09:00, Wed 3 Jan 09:00"},
		{"31 of march, may and december at 9:00", "31st day of March, May and December at 09:00", "Thu 31 Dec 09:00, Wed 31 Mar 09:00, Mon 31 May 09:00"},
		{"last of february at 9:00", "last day of February at 09:00", "Sun 28 Feb 09:00, Tue 29 Feb 09:00, Wed 28 Feb 09:00"},
	} {
		times, f := timetable.Parse(c.text)
		if assert.Nil(t, f, c.text) {
			assert.Equal(t, c.spelled, times.Spelled(), c.text)
			assert.Equal(t, c.next, runs(t, c.text, "2026-11-28 22:10", 3), c.text)
		}
	}
}

func TestWhatIsNoTimetable(t *testing.T) {
	for text, want := range map[string]string{
		"":                                    "not_a_timetable: no times are named; write it like",
		"whenever it suits":                   `not_a_timetable: "whenever" is not understood in "whenever it suits"`,
		"weekdays":                            `not_a_timetable: "weekdays" ends before it says when`,
		"weekdays at":                         `ends before it says when`,
		"weekdays at 6":                       `not_a_timetable: "6" is a time without its minutes; did you mean "6:00"?`,
		"weekdays at 24:00":                   "no_such_time: no clock shows 24:00",
		"weekdays at 13:00 pm":                "no_such_time: no clock shows 13:00 pm",
		"weekdays at 06:3":                    `"06:3" is not understood`,
		"weekdays at 06:30 or so":             `"or" is not understood`,
		"weekdays at 06:30,":                  "ends before it says when",
		"31 of month at 07:00":                `no_such_run_day: not every month has a 31st day: the greatest is the 28th; did you mean "last day of month"?`,
		"0 of month at 07:00":                 "no_such_run_day",
		"30 of february and may at 07:00":     "the greatest is the 28th",
		"31 of april at 07:00":                "the greatest is the 30th",
		"5th monday of month at 07:00":        "not every month has a 5th Monday: the greatest is the 4th",
		"every 0 minutes":                     "between 1 minute and 24 hours apart",
		"every 25 hours":                      "between 1 minute and 24 hours apart",
		"every 999999999999999999999 minutes": "not understood",
		"every 5 days at 06:00":               `"days" is not understood`,
		"every -5 minutes":                    "not understood",
		"every 15 minutes from 06:00":         "ends before it says when",
		"mon, mon, noday at 06:00":            `"noday" is not understood`,
		"first of fortnight at 06:00":         `"fortnight" is not understood`,
		strings.Repeat("mon, ", 100):          "up to 300 letters",
		"0 6 * * 1":                           "not understood",
	} {
		_, f := timetable.Parse(text)
		if assert.NotNil(t, f, text) {
			assert.Contains(t, string(f.Code)+": "+f.Error(), want, text)
			assert.Contains(t, []fault.Code{fault.NotATimetable, fault.NoSuchTime, fault.NoSuchRunDay}, f.Code)
		}
	}
}

// Where clocks go on in Helsinki, on 29 March 2026 from 03:00 to 04:00, what they skip is done at 04:00
// once; where they go back, on 25 October from 04:00 to 03:00, it is done in the first pass.
func TestClocksThatChange(t *testing.T) {
	assert.Equal(t, "Sun 29 Mar 04:00, Mon 30 Mar 03:30", runs(t, "daily at 03:30", "2026-03-28 22:00", 2))
	assert.Equal(t, "Sun 29 Mar 02:45, Sun 29 Mar 04:00, Sun 29 Mar 04:15", runs(t, "every 15 minutes", "2026-03-29 02:30", 3))
	assert.Equal(t, "Sun 25 Oct 03:30, Mon 26 Oct 03:30", runs(t, "daily at 03:30", "2026-10-24 22:00", 2))
	assert.Equal(t, "Sun 25 Oct 03:15, Sun 25 Oct 03:30, Sun 25 Oct 03:45, Sun 25 Oct 04:00", runs(t, "every 15 minutes", "2026-10-25 02:59", 5)[len("Sun 25 Oct 03:00, "):])
}

// drawn is times written by chance.
func drawn(t *rapid.T) string {
	clock := rapid.Custom(func(t *rapid.T) string {
		return civil.Clock(60*rapid.IntRange(0, 24*60-1).Draw(t, "minute"), false)
	})
	days := rapid.SampledFrom([]string{"daily", "weekdays", "weekends", "mon and thu", "first of month", "last weekday of month", "second sunday of month", "last day of quarter", "28 of february"}).Draw(t, "days")
	if rapid.Bool().Draw(t, "repeated") {
		return "every " + rapid.SampledFrom([]string{"7 minutes", "30 minutes", "hour", "5 hours"}).Draw(t, "step") + " from " + clock.Draw(t, "from") + " to " + clock.Draw(t, "to") + " on " + days
	}
	return days + " at " + strings.Join(rapid.SliceOfN(clock, 1, 3).Draw(t, "clocks"), ", ")
}

// Times are those at which clocks, minute by minute, first show what is written or something later.
func TestTimesAgainstClocks(t *testing.T) {
	random := rand.New(rand.NewPCG(1, 2))
	names := civil.ZoneNames()
	rapid.Check(t, func(t *rapid.T) {
		zone := zoned(t, names[random.IntN(len(names))])
		year := rapid.IntRange(1980, 2035).Draw(t, "year")
		day := civil.MustDay(year, time.January, 1) + civil.Day(rapid.IntRange(0, 360).Draw(t, "day"))
		if changes := civil.ChangeDays(year, zone); len(changes) > 0 && rapid.IntRange(0, 3).Draw(t, "ordinary") > 0 {
			day = rapid.SampledFrom(changes).Draw(t, "change")
		}
		text := drawn(t)
		times, f := timetable.Parse(text)
		require.Nil(t, f, text)
		again, f := timetable.Parse(times.Spelled())
		require.Nil(t, f, times.Spelled())
		require.Equal(t, times, again, "%s is spelled %s", text, times.Spelled())

		from, until := civil.FirstInstant(day-1, zone), civil.FirstInstant(day+2, zone)
		from -= from % 60
		var wanted []int64
		// What is written of two days before on, in order, as walls.
		var walls []int64
		for d := day - 4; d <= day+3; d++ {
			walls = append(walls, timetable.Walls(times, d)...)
		}
		slices.Sort(walls)
		shown := int64(-1 << 62)
		for at := from - 2*civil.SecondsPerDay; at <= until; at += 60 {
			wall := civil.Wall(at, zone)
			if wall <= shown {
				continue
			}
			fires := slices.ContainsFunc(walls, func(w int64) bool { return w > shown && w <= wall })
			if shown = wall; fires && at > from {
				wanted = append(wanted, at)
			}
		}
		var got []int64
		for after := from; ; {
			next, ok := times.Next(after, zone)
			require.True(t, ok, text)
			if next > until {
				break
			}
			got = append(got, next-next%60) // zones once changed within a minute
			after = next
		}
		require.Equal(t, slices.Compact(wanted), slices.Compact(got), "%s in %s around %s", text, zone, day)
	})
}

func TestTheEndOfTheCalendar(t *testing.T) {
	times, f := timetable.Parse("first of year at 07:00")
	require.Nil(t, f)
	_, ok := times.Next(civil.MustParseDay("9999-06-01").Midnight(), time.UTC)
	assert.False(t, ok)
}

func FuzzTimetable(f *testing.F) {
	for _, text := range []string{"weekdays at 06:30", "every 15 minutes from 06:00 to 22:00 on mon", "last weekday of month at 5 pm", "31 of march at 9:00", "hourly", "the", ":", "1st"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		times, refused := timetable.Parse(text)
		if refused != nil {
			assert.NotEmpty(t, refused.Message)
			return
		}
		again, refused := timetable.Parse(times.Spelled())
		require.Nil(t, refused, "%q is spelled %q", text, times.Spelled())
		assert.Equal(t, times, again)
		next, ok := times.Next(1_800_000_000, time.UTC)
		require.True(t, ok, times.Spelled())
		assert.Greater(t, next, int64(1_800_000_000))
	})
}
