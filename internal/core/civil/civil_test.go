package civil

import (
	"math"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The calendar counted by hand, a day at a time, from the first to the last.
func TestEveryDayAgainstANaiveCounter(t *testing.T) {
	year, month, day := 1, time.January, 1
	weekday := time.Monday
	for d := MinDay; d <= MaxDay; d++ {
		y, m, dd := d.Date()
		if y != year || m != month || dd != day || d.Weekday() != weekday {
			t.Fatalf("day %d is %d-%d-%d %s, want %d-%d-%d %s", d, y, m, dd, d.Weekday(), year, month, day, weekday)
		}
		if back, ok := DayOf(year, month, day); !ok || back != d {
			t.Fatalf("DayOf(%d, %d, %d) = %d, %v, want %d", year, month, day, back, ok, d)
		}
		weekday = (weekday + 1) % 7
		if day++; day > DaysIn(year, month) {
			day = 1
			if month++; month > time.December {
				month, year = time.January, year+1
			}
		}
	}
	assert.Equal(t, 10000, year, "the calendar ends with the year 9999")
}

func TestDaysAgreeWithTheTimePackage(t *testing.T) {
	for d := MustDay(1583, 1, 1); d < MustDay(2400, 1, 1); d += 13 {
		y, m, day := d.Date()
		at := time.Date(y, m, day, 0, 0, 0, 0, time.UTC)
		require.Equal(t, at.Unix(), d.Midnight())
		require.Equal(t, at.Format(time.DateOnly), d.String())
		require.Equal(t, at.Format("Mon 2 Jan 2006"), d.Spelled())
		wantYear, wantWeek := at.ISOWeek()
		got, ok := FromISOWeek(wantYear, wantWeek, (int(at.Weekday())+6)%7+1)
		require.True(t, ok)
		require.Equal(t, d, got, "week date of %s", d)
	}
}

func TestDaysThatThereAreNot(t *testing.T) {
	for _, c := range []struct {
		name             string
		year, month, day int
	}{
		{"day 0", 2026, 3, 0}, {"day 32", 2026, 3, 32}, {"30 February", 2026, 2, 30}, {"29 February of a plain year", 2026, 2, 29},
		{"29 February of a century", 1900, 2, 29}, {"month 0", 2026, 0, 1}, {"month 13", 2026, 13, 1}, {"year 0", 0, 1, 1}, {"year 10000", 10000, 1, 1},
	} {
		_, ok := DayOf(c.year, time.Month(c.month), c.day)
		assert.False(t, ok, c.name)
	}
	_, ok := FromISOWeek(2025, 53, 1)
	assert.False(t, ok, "2025 has 52 weeks")
	_, ok = FromISOWeek(2026, 53, 7)
	assert.True(t, ok, "2026 has 53 weeks")
	_, ok = YearDay(2026, 366)
	assert.False(t, ok, "2026 has 365 days")
	assert.False(t, Day(0).IsValid(), "the zero Day is not a day")
	assert.Empty(t, Day(0).String())
}

func TestArithmeticClampsAndStaysInTheCalendar(t *testing.T) {
	for _, c := range []struct {
		from   string
		months int
		want   string
	}{
		{"2026-01-31", 1, "2026-02-28"}, {"2024-01-31", 1, "2024-02-29"}, {"2026-03-31", -1, "2026-02-28"}, {"2026-12-15", 1, "2027-01-15"},
		{"2024-02-29", 12, "2025-02-28"}, {"2026-05-31", -12, "2025-05-31"}, {"9999-12-31", 1, ""}, {"0001-01-01", -1, ""},
	} {
		got, ok := MustParseDay(c.from).AddMonths(c.months)
		assert.Equal(t, c.want, got.String(), "%s and %d months", c.from, c.months)
		assert.Equal(t, c.want != "", ok)
	}
	_, ok := MaxDay.Next()
	assert.False(t, ok)
	_, ok = MinDay.AddDays(-1)
	assert.False(t, ok)
	february, _ := MonthOf(2024, time.February)
	assert.Equal(t, "2024-02-01/2024-02-29", february.Period().String())
}

func TestPeriods(t *testing.T) {
	p := Period{First: MustParseDay("2026-06-01"), Last: MustParseDay("2026-08-31")}
	assert.Equal(t, "Mon 1 Jun 2026 through Mon 31 Aug 2026 (92 days)", p.Spelled())
	assert.Equal(t, 92, p.Days())
	assert.False(t, Period{First: p.Last, Last: p.First}.IsOrdered())
	for text, want := range map[string]string{
		"2026-10-01/2026-10-31": "1–31 Oct 2026", "2026-09-28/2026-10-04": "28 Sep – 4 Oct 2026", "2025-12-29/2026-01-04": "29 Dec 2025 – 4 Jan 2026", "2026-11-22/2026-11-22": "Sun 22 Nov 2026",
	} {
		first, last, _ := strings.Cut(text, "/")
		assert.Equal(t, want, Period{First: MustParseDay(first), Last: MustParseDay(last)}.Brief())
	}
	open := Period{First: p.First}
	assert.Equal(t, "from Mon 1 Jun 2026 on", open.Spelled())
	assert.Equal(t, "2026-06-01/..", open.String())
	assert.Equal(t, "through Mon 31 Aug 2026", Period{Last: p.Last}.Spelled())
}

// shownAt is the date that a clock shows, by the time package alone.
func shownAt(at time.Time) Day {
	y, m, d := at.Date()
	return MustDay(y, m, d)
}

// At every transition of every zone, the first instants of the days around it
// agree with a scan of the clock: nothing before shows the day or a later one,
// and the instant itself does.
func TestFirstInstantsAtEveryTransition(t *testing.T) {
	zones, transitions := 0, 0
	for _, name := range ZoneNames() {
		zone, err := LoadZone(name)
		require.NoError(t, err)
		zones++
		for _, at := range transitionsOf(zone) {
			transitions++
			before, after := time.Unix(at-1, 0).In(zone), time.Unix(at, 0).In(zone)
			for d := shownAt(before) - 1; d <= shownAt(after)+1; d++ {
				checkFirstInstant(t, zone, d)
			}
		}
	}
	t.Logf("%d zones, %d transitions", zones, transitions)
	require.GreaterOrEqual(t, zones, 400)
}

// checkFirstInstant looks for the first instant by walking back through the
// day before: the date must be earlier at every quarter of an hour and at the
// second before, and reached at the instant.
func checkFirstInstant(t *testing.T, zone *time.Location, d Day) {
	t.Helper()
	first := FirstInstant(d, zone)
	if shownAt(time.Unix(first, 0).In(zone)) < d {
		t.Fatalf("%s in %s: %d shows an earlier day", d, zone, first)
	}
	for back := int64(1); back <= 26*3600; back += 899 {
		if shown := shownAt(time.Unix(first-back, 0).In(zone)); shown >= d {
			t.Fatalf("%s in %s: %d s before its first instant, clocks show %s", d, zone, back, shown)
		}
	}
}

// transitionsOf are the instants from 1850 through 2040 at which clocks in the
// zone change.
func transitionsOf(zone *time.Location) []int64 {
	var found []int64
	at := time.Date(1850, 1, 1, 0, 0, 0, 0, time.UTC).In(zone)
	for at.Year() <= 2040 {
		_, end := at.ZoneBounds()
		if end.IsZero() {
			break
		}
		if !end.After(at) {
			end = at.Add(24 * time.Hour)
		}
		_, was := end.Add(-time.Second).Zone()
		if _, is := end.Zone(); was != is {
			found = append(found, end.Unix())
		}
		at = end
	}
	return found
}

// Around the transitions of every zone, each instant belongs to the latest day
// that clocks have shown by then, and shifts lead to that day and to the wall
// time; from wall times of the zone back to instants and on to another zone as
// well. The judge scans the clock from well before, minute by minute.
func TestWhereInstantsBelong(t *testing.T) {
	kolkata, err := LoadZone("Asia/Kolkata")
	require.NoError(t, err)
	compared := 0
	for _, name := range ZoneNames() {
		zone, err := LoadZone(name)
		require.NoError(t, err)
		all := transitionsOf(zone)
		for i := 0; i < len(all); i += 1 + len(all)/6 {
			first, last := all[i]-26*3600, all[i]+26*3600
			byDay, byClock := Shifts(first, last, nil, zone, true), Shifts(first, last, nil, zone, false)
			fromWall := Shifts(first, last, zone, kolkata, false)
			far, latest := int64(math.MinInt64/2), Day(0)
			for at := first - 26*3600; at <= last; at += 300 {
				local := time.Unix(at, 0).In(zone)
				if latest = max(latest, shownAt(local)); at >= all[i] {
					latest = max(latest, shownAt(time.Unix(all[i]-1, 0).In(zone)))
				}
				_, offset := local.Zone()
				wall := at + int64(offset)
				isFirstPass := wall >= far+300
				far = max(far, wall)
				if at < first {
					continue
				}
				compared++
				if DayHolding(at, zone) != latest || dayOf(shift(byDay, at)) != latest || shift(byClock, at) != wall {
					t.Fatalf("%s at %d: belongs to %s (by shift %s), want %s; wall %d, want %d", name, at, DayHolding(at, zone), dayOf(shift(byDay, at)), latest, shift(byClock, at), wall)
				}
				_, east := local.In(kolkata).Zone()
				if isFirstPass && (Unwall(wall, zone) != at || WallBound(at, zone) != wall || shift(fromWall, wall) != at+int64(east)) {
					t.Fatalf("%s at %d: the wall time %d stands for %d, its bound is %d, in India it is %d", name, at, wall, Unwall(wall, zone), WallBound(at, zone), shift(fromWall, wall))
				}
				if found := Readings(wall, zone); found[0] > at || found[len(found)-1] < at {
					t.Fatalf("%s at %d: clocks show %d at %v", name, at, wall, found)
				}
			}
		}
	}
	t.Logf("%d instants", compared)
	require.Greater(t, compared, 1_000_000)
}

func shift(shifts []Shift, stored int64) int64 {
	by := shifts[0].Add
	for _, s := range shifts {
		if stored >= s.From {
			by = s.Add
		}
	}
	return stored + by
}

func dayOf(wall int64) Day { return DayAt(wall, time.UTC) }

func TestTellingDays(t *testing.T) {
	for _, c := range []struct {
		zone, day string
		hours     float64
	}{
		{"Europe/Helsinki", "2026-03-29", 23}, {"Europe/Helsinki", "2026-10-25", 25}, {"Europe/Helsinki", "2026-06-01", 24},
		{"Atlantic/Azores", "2026-03-29", 23}, {"Atlantic/Azores", "2026-10-25", 25}, {"Australia/Lord_Howe", "2026-04-05", 24.5},
		{"Pacific/Apia", "2011-12-30", 0}, {"America/Havana", "2026-11-01", 25}, {"UTC", "2024-12-31", 24}, {"Europe/Helsinki", "2028-12-31", 24},
	} {
		zone, err := LoadZone(c.zone)
		require.NoError(t, err)
		d := MustParseDay(c.day)
		got := float64(FirstInstant(d+1, zone)-FirstInstant(d, zone)) / 3600
		assert.Equal(t, c.hours, got, "hours of %s in %s", c.day, c.zone)
	}
	for _, name := range []string{"", "Local", "Nowhere/Atall"} {
		_, err := LoadZone(name)
		assert.Error(t, err, name)
	}
}

func TestRepeatedWallTimes(t *testing.T) {
	for _, c := range []struct {
		zone, at string
		want     bool
	}{
		{"Europe/Helsinki", "2026-10-24T23:59:59Z", false}, {"Europe/Helsinki", "2026-10-25T00:00:00Z", true}, {"Europe/Helsinki", "2026-10-25T01:59:59Z", true},
		{"Europe/Helsinki", "2026-10-25T02:00:00Z", false}, {"Europe/Helsinki", "2026-03-29T01:00:00Z", false}, {"UTC", "2026-10-25T00:30:00Z", false},
		{"Australia/Lord_Howe", "2026-04-04T14:29:59Z", false}, {"Australia/Lord_Howe", "2026-04-04T14:30:00Z", true}, {"Australia/Lord_Howe", "2026-04-04T15:29:59Z", true},
		{"Australia/Lord_Howe", "2026-04-04T15:30:00Z", false}, {"Europe/Helsinki", "2028-12-31T12:00:00Z", false},
	} {
		zone, err := LoadZone(c.zone)
		require.NoError(t, err)
		at, err := time.Parse(time.RFC3339, c.at)
		require.NoError(t, err)
		assert.Equal(t, c.want, IsRepeated(at.In(zone)), "%s in %s", c.at, c.zone)
	}
}

func BenchmarkFirstInstant(b *testing.B) {
	zone, err := LoadZone("Europe/Helsinki")
	require.NoError(b, err)
	d := MustParseDay("2026-10-25")
	b.ReportAllocs()
	for b.Loop() {
		FirstInstant(d, zone)
	}
}
