package compile

import (
	"database/sql"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3"
	"github.com/rogpeppe/go-internal/txtar"
	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
)

var update = flag.Bool("update", false, "write the golden files anew")

func pattern(source string) record.Pattern {
	p, err := record.ParsePattern(source)
	if err != nil {
		panic(err)
	}
	return p
}

var (
	id       = &record.Column{Name: "id", Type: record.Integer}
	day      = &record.Column{Name: "day", Type: record.Date, Stored: record.StoredText, Pattern: pattern("yyyy-MM-dd")}
	digits   = &record.Column{Name: "digits", Type: record.Date, Stored: record.StoredText, Pattern: pattern("yyyyMMdd")}
	instant  = &record.Column{Name: "at", Type: record.Instant, Stored: record.StoredText, Pattern: pattern("yyyy-MM-dd HH:mm:ss")}
	zulu     = &record.Column{Name: "zulu", Type: record.Instant, Stored: record.StoredText, Pattern: pattern("yyyy-MM-dd'T'HH:mm:ss'Z'")}
	millis   = &record.Column{Name: "millis", Type: record.Instant, Stored: record.EpochMillis}
	eight    = &record.Column{Name: "eight", Type: record.Date, Stored: record.EightDigits}
	serial   = &record.Column{Name: "serial", Type: record.Date, Stored: record.SerialDays}
	wall     = &record.Column{Name: "wall", Type: record.Datetime, Stored: record.StoredText, Pattern: pattern("yyyy-MM-dd'T'HH:mm")}
	loose    = &record.Column{Name: "loose", Type: record.Date, Stored: record.StoredText, Pattern: pattern("M/d/yyyy")}
	dotted   = &record.Column{Name: "dotted", Type: record.Datetime, Stored: record.StoredText, Pattern: pattern("dd.MM.yyyy HH:mm:ss")}
	epoch    = &record.Column{Name: "epoch", Type: record.Instant, Stored: record.EpochSeconds}
	local    = &record.Column{Name: "local", Type: record.Instant, Stored: record.StoredText, Pattern: pattern("yyyy-MM-dd HH:mm:ss"), Zone: helsinki}
	route    = &record.Column{Name: `the "route"`, Type: record.Text}
	late     = &record.Column{Name: "late", Type: record.Integer}
	setting  = phrase.Setting{AsOf: civil.MustParseDay("2026-11-23")}
	sqlite   = New(SQLite{})
	helsinki = func() *time.Location {
		zone, err := civil.LoadZone("Europe/Helsinki")
		if err != nil {
			panic(err)
		}
		return zone
	}()
)

func on(c *record.Column, op criteria.Op, texts ...string) *criteria.Node {
	return &criteria.Node{Column: c, Op: op, Operand: criteria.Operand{Texts: texts}}
}

func bound(n *criteria.Node) *criteria.Bound {
	b, _ := criteria.Bind(n, nil, nil, setting)
	return b
}

func group(l criteria.Logic, nodes ...*criteria.Node) *criteria.Node {
	return &criteria.Node{Logic: l, Nodes: nodes}
}

func TestGoldenSQL(t *testing.T) {
	var archive txtar.Archive
	for _, c := range []struct {
		name string
		q    Query
	}{
		{"no condition", Query{}},
		{"a period of days", Query{Where: bound(on(day, criteria.Within, "last month")), Sort: []criteria.Sort{{Column: day, Descending: true}}}},
		{"a period on eight digits", Query{Where: bound(on(digits, criteria.Within, "last month"))}},
		{"a day on text instants", Query{Where: bound(on(instant, criteria.Is, "2026-10-25")), Sort: []criteria.Sort{{Column: instant}}}},
		{"a day on instants with a suffix", Query{Where: bound(on(zulu, criteria.Is, "2026-10-25"))}},
		{"a day on epoch seconds", Query{Where: bound(on(epoch, criteria.Is, "2026-03-29"))}},
		{"one-sided", Query{Where: bound(group(criteria.All, on(day, criteria.From, "today"), on(digits, criteria.Through, "today"), on(epoch, criteria.After, "today"), on(instant, criteria.Before, "today")))}},
		{"a text that does not sort", Query{Where: bound(on(loose, criteria.Within, "last month")), Sort: []criteria.Sort{{Column: loose}}}},
		{"eight digits as a number", Query{Where: bound(on(eight, criteria.Is, "today")), Sort: []criteria.Sort{{Column: eight}}}},
		{"the last day that there is", Query{Where: bound(group(criteria.All, on(day, criteria.Within, "9999-12-31"), on(digits, criteria.Through, "9999-12-31")))}},
		{"several days", Query{Where: bound(on(day, criteria.AnyOf, "today", "yesterday"))}},
		{"numbers and texts", Query{Where: bound(group(criteria.All, on(late, criteria.AtLeast, "15"), on(late, criteria.AtMost, "60.5"), on(route, criteria.AnyOf, "O'Dell", "100%"), on(route, criteria.Is, `"`)))}},
		{"nested groups", Query{Where: bound(group(criteria.All, on(late, criteria.Present), group(criteria.Any, on(route, criteria.Missing), group(criteria.All, on(late, criteria.Is, "0"), on(route, criteria.Is, "a")))))}},
		{"order", Query{Sort: []criteria.Sort{{Column: late}, {Column: route, Descending: true}, {Column: late, Descending: true}}, Limit: 200, Skip: 400}},
	} {
		c.q.Table, c.q.Show, c.q.Key, c.q.Zone = "sailings", []*record.Column{id, route}, []*record.Column{id}, helsinki
		s := sqlite.Select(c.q)
		text := s.SQL + "\n"
		for _, arg := range s.Args {
			text += fmt.Sprintf("-- %T %v\n", arg, arg)
		}
		archive.Files = append(archive.Files, txtar.File{Name: c.name, Data: []byte(text)})
	}
	const path = "testdata/sqlite.txtar"
	got := string(txtar.Format(&archive))
	if *update {
		require.NoError(t, os.WriteFile(path, []byte(got), 0o644))
	}
	want, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(want), got)
}

// row is a stored record of the judge's world; nil is a missing value.
type row struct {
	id                                         int
	day, digits, at, zulu, epoch               any
	millis, eight, serial, wall, loose, dotted any
	late, route                                any
	local                                      any    // the wall time, of an instant
	dayIs, clockIs                             string // the civil date and the time of day that they stand for, "" for none
}

// world makes records around the edges of days: the seconds at local midnight,
// in both passes of a repeated hour, around a gap, and values that are no date.
func world(r *rand.Rand) []row {
	var rows []row
	add := func(at time.Time) {
		local := at.In(helsinki)
		civilDay := local.Format(time.DateOnly)
		rows = append(rows, row{
			id: len(rows) + 1, day: civilDay, digits: local.Format("20060102"), at: at.UTC().Format(time.DateTime),
			zulu: at.UTC().Format("2006-01-02T15:04:05") + []string{"Z", ".000Z", ".5Z"}[r.IntN(3)], epoch: at.Unix(),
			late: []any{nil, 0, 14, 15, 16, 60}[r.IntN(6)], route: []any{nil, "", "a", "A", "a ", "O'Dell", "100%"}[r.IntN(7)],
			millis: at.UnixMilli() + int64(r.IntN(1000)), wall: local.Format("2006-01-02T15:04"), loose: local.Format([]string{"1/2/2006", "01/02/2006"}[r.IntN(2)]),
			eight: local.Year()*10000 + int(local.Month())*100 + local.Day(), dotted: local.Format("02.01.2006 15:04:05"),
			serial: float64(time.Date(local.Year(), local.Month(), local.Day(), 0, 0, 0, 0, time.UTC).Unix()/86400+25569) + []float64{0, 0.25, 0.999}[r.IntN(3)],
			local:  local.Format(time.DateTime), dayIs: civilDay, clockIs: local.Format(time.TimeOnly),
		})
	}
	for _, d := range []time.Time{
		time.Date(2026, 3, 29, 0, 0, 0, 0, helsinki), time.Date(2026, 3, 30, 0, 0, 0, 0, helsinki), time.Date(2026, 10, 25, 0, 0, 0, 0, helsinki),
		time.Date(2026, 10, 26, 0, 0, 0, 0, helsinki), time.Date(2026, 2, 28, 0, 0, 0, 0, helsinki), time.Date(2026, 3, 1, 0, 0, 0, 0, helsinki),
		time.Date(2026, 12, 31, 0, 0, 0, 0, helsinki), time.Date(2027, 1, 1, 0, 0, 0, 0, helsinki),
	} {
		for _, shift := range []time.Duration{-time.Second, 0, time.Second, 2 * time.Hour, 3*time.Hour + 30*time.Minute, 4*time.Hour + 30*time.Minute, 23*time.Hour + 59*time.Minute} {
			add(d.Add(shift))
		}
	}
	for _, odd := range []row{
		{}, {eight: 20260230, serial: "46000", wall: "2026-02-30T10:00", loose: "2/30/2026", dotted: "30.02.2026 10:00:00", millis: "soon"},
		{eight: 2026031, serial: "", wall: "2026-03-01 10:00", loose: "3-1-2026", dotted: "1.3.2026 10:00:00"}, {eight: "20260301x", wall: "2026-03-01", loose: "3/1/26", dotted: "01.03.2026"},
		{eight: 20260301.5, loose: "13/1/2026", dotted: "01.03.2026 24:00:00", wall: "2026-03-01T10:00Z"}, {loose: "n/a", dotted: ""}, {loose: "3//2026"}, {loose: "3/1/2026 "}, {loose: "-3/1/2026"}, {loose: "003/1/2026"},
		{day: "2026-02-30", digits: "20260230", at: "2026-02-30 12:00:00", zulu: "2026-02-30T12:00:00Z", epoch: nil},
		{day: "2026-03-1", digits: "2026031", at: "2026-03-01", zulu: "2026-03-01T12:00:00"}, {day: "soon", digits: "n/a", at: "0000-00-00 00:00:00", zulu: ""},
		{day: "", digits: "202603011", at: "2026-03-01 25:00:00", zulu: "zzz"}, {day: "2026-03-01 10:00:00", digits: "2026-03-01", at: "2026-03-01T10:00:00"},
	} {
		odd.id = len(rows) + 1
		rows = append(rows, odd)
	}
	r.Shuffle(len(rows), func(i, j int) { rows[i], rows[j] = rows[j], rows[i] })
	return rows
}

// fitting is the judge: it compares civil dates as text and knows no bound.
func fitting(rows []row, op criteria.Op, first, last string) []int {
	var ids []int
	for _, r := range rows {
		d := r.dayIs
		ok := d != ""
		switch op {
		case criteria.Within, criteria.Is:
			ok = ok && d >= first && d <= last
		case criteria.From:
			ok = ok && d >= first
		case criteria.Through:
			ok = ok && d <= first
		case criteria.Before:
			ok = ok && d < first
		case criteria.After:
			ok = ok && d > first
		}
		if ok {
			ids = append(ids, r.id)
		}
	}
	slices.Sort(ids)
	return ids
}

var everyForm = []*record.Column{day, digits, instant, zulu, epoch, millis, eight, serial, wall, loose, dotted, local}

// filled is a database with the rows in a table t.
func filled(t *testing.T, rows []row) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite3", ":memory:")
	require.NoError(t, err)
	db.SetMaxOpenConns(1)
	t.Cleanup(func() { db.Close() })
	_, err = db.Exec(`CREATE TABLE t (id INTEGER PRIMARY KEY, day, digits, at, zulu, epoch, millis, eight, serial, wall, loose, dotted, local)`)
	require.NoError(t, err)
	for _, row := range rows {
		_, err := db.Exec(`INSERT INTO t VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, row.id, row.day, row.digits, row.at, row.zulu, row.epoch,
			row.millis, row.eight, row.serial, row.wall, row.loose, row.dotted, row.local)
		require.NoError(t, err)
	}
	// A text among epoch seconds sorts after every number and is no instant.
	_, err = db.Exec(`INSERT INTO t (id, epoch) VALUES (999, 'later')`)
	require.NoError(t, err)
	return db
}

// Whole days, on every stored form, by every operator, agree with a scan that
// compares the civil dates.
func TestDaysAgreeWithANaiveScan(t *testing.T) {
	rows := world(rand.New(rand.NewPCG(1, 2)))
	db := filled(t, rows)
	edges := []string{"2026-02-28", "2026-03-01", "2026-03-28", "2026-03-29", "2026-03-30", "2026-10-24", "2026-10-25", "2026-10-26", "2026-12-31", "2027-01-01", "0001-01-01", "9999-12-31"}
	compared := 0
	for _, column := range everyForm {
		for _, first := range edges {
			for _, op := range []criteria.Op{criteria.From, criteria.Through, criteria.Before, criteria.After, criteria.Is} {
				want := fitting(rows, op, first, first)
				assert.Equal(t, want, selected(t, db, on(column, op, first)), "%s %s %s", column.Name, op, first)
				compared++
			}
			for _, last := range edges {
				if last >= first {
					want := fitting(rows, criteria.Within, first, last)
					assert.Equal(t, want, selected(t, db, on(column, criteria.Within, first+"/"+last)), "%s within %s/%s", column.Name, first, last)
					compared++
				}
			}
		}
	}
	assert.Greater(t, compared, 1000)
}

func selected(t *testing.T, db *sql.DB, n *criteria.Node) []int {
	t.Helper()
	return selectedIn(t, db, bound(n), helsinki)
}

// selectedIn runs the criteria as a service does: extents first, where they are
// needed.
func selectedIn(t *testing.T, db *sql.DB, b *criteria.Bound, zone *time.Location) []int {
	t.Helper()
	q := Query{Table: "t", Show: []*record.Column{id}, Where: b, Key: []*record.Column{id}, Zone: zone, Extents: map[*record.Column]Extent{}}
	for _, c := range q.Timed() {
		var ends [2]int64
		for i := range 2 {
			var v any
			require.NoError(t, db.QueryRow(sqlite.Edge("t", c, i == 1).SQL).Scan(&v))
			_, seconds, ok := c.Moment(v)
			require.True(t, ok)
			ends[i] = seconds
		}
		q.Extents[c] = Extent{ends[0], ends[1]}
	}
	s := sqlite.Select(q)
	rows, err := db.Query(s.SQL, s.Args...)
	require.NoError(t, err, s.SQL)
	defer rows.Close()
	var ids []int
	for rows.Next() {
		var n int
		require.NoError(t, rows.Scan(&n))
		ids = append(ids, n)
	}
	require.NoError(t, rows.Err())
	return ids
}

// Parts of the calendar and of the day, on every stored form, agree with a scan
// that takes them from the civil date and the clock.
func TestPartsAgreeWithANaiveScan(t *testing.T) {
	rows := world(rand.New(rand.NewPCG(3, 4)))
	db := filled(t, rows)
	scan := func(fits func(date, clock string) bool) (ids []int) {
		for _, r := range rows {
			if r.dayIs != "" && fits(r.dayIs, r.clockIs) {
				ids = append(ids, r.id)
			}
		}
		slices.Sort(ids)
		return ids
	}
	for _, column := range everyForm {
		for _, c := range []struct {
			recurs criteria.Recurrence
			fits   func(at time.Time) bool
		}{
			{criteria.Recurrence{Part: criteria.Months, Values: []int{3, 10}}, func(at time.Time) bool { return at.Month() == 3 || at.Month() == 10 }},
			{criteria.Recurrence{Part: criteria.Quarters, Values: []int{1}}, func(at time.Time) bool { return at.Month() <= 3 }},
			{criteria.Recurrence{Part: criteria.Days, Values: []int{1, 28, 29}}, func(at time.Time) bool { return at.Day() == 1 || at.Day() == 28 || at.Day() == 29 }},
			{criteria.Recurrence{Part: criteria.Weekdays, Values: []int{0}}, func(at time.Time) bool { return at.Weekday() == time.Sunday }},
		} {
			want := scan(func(date, _ string) bool {
				at, err := time.Parse(time.DateOnly, date)
				return err == nil && c.fits(at)
			})
			require.NotEmpty(t, want)
			n := &criteria.Node{Column: column, Op: criteria.RecursIn, Operand: criteria.Operand{Recurs: c.recurs}}
			assert.Equal(t, want, selected(t, db, n), "%s recurs in %v", column.Name, c.recurs)
		}
		if !column.Type.IsTimed() {
			continue
		}
		for _, c := range []struct {
			times string
			fits  func(clock string) bool
		}{
			{"02:00 to 04:29", func(clock string) bool { return clock >= "02:00:00" && clock < "04:30:00" }},
			{"23:59 to 00:00", func(clock string) bool { return clock >= "23:59:00" || clock < "00:01:00" }},
			{"00:00 to 24:00", func(string) bool { return true }},
			{"12:00 to 11:59", func(string) bool { return true }},
			{"23:00 to 24:00", func(clock string) bool { return clock >= "23:00:00" }},
		} {
			times, f := phrase.TimeRange(c.times)
			require.Nil(t, f)
			want := scan(func(_, clock string) bool { return c.fits(clock) })
			require.NotEmpty(t, want)
			n := &criteria.Node{Column: column, Op: criteria.ClockWithin, Operand: criteria.Operand{Times: times}}
			assert.Equal(t, want, selected(t, db, n), "%s by the clock within %s", column.Name, c.times)
		}
	}
}

// Moments, on every stored form with a time of day, by every operator, agree
// with a scan over instants; on wall times, with one over what clocks showed.
func TestMomentsAgreeWithANaiveScan(t *testing.T) {
	rows := world(rand.New(rand.NewPCG(5, 6)))
	db := filled(t, rows)
	const format = "2006-01-02 15:04:05"
	at := func(text string) civil.Moment {
		when, err := time.Parse(time.RFC3339, text)
		require.NoError(t, err)
		return civil.Moment{At: when.Unix(), Size: 60}
	}
	moments := []civil.Moment{at("2026-02-28T00:00:00+02:00"), at("2026-03-29T02:00:00+02:00"), at("2026-03-29T04:30:00+03:00"), at("2026-10-25T02:00:00+03:00"), at("2026-10-25T04:30:00+02:00"), at("2026-12-31T23:59:00+02:00")}
	for _, column := range []*record.Column{instant, zulu, epoch, millis, dotted} {
		for _, first := range moments {
			for _, op := range []criteria.Op{criteria.From, criteria.Through, criteria.Before, criteria.After, criteria.Is, criteria.Within} {
				for _, last := range moments {
					if op != criteria.Within && last != first || last.At < first.At {
						continue
					}
					var want []int
					for _, r := range rows {
						is, ok := r.epoch.(int64)
						from, until := first.At, last.At+60
						if column == dotted { // its clock, as if it were UTC's
							wall, err := time.Parse(format, fmt.Sprint(r.local))
							is, ok = wall.Unix(), err == nil
							from, until = civil.Wall(first.At, helsinki), civil.Wall(last.At, helsinki)+60
						}
						fits := map[criteria.Op]bool{criteria.From: is >= from, criteria.Through: is < until, criteria.Before: is < from, criteria.After: is >= until,
							criteria.Is: is >= from && is < until, criteria.Within: is >= from && is < until}[op]
						if ok && fits {
							want = append(want, r.id)
						}
					}
					slices.Sort(want)
					b := &criteria.Bound{Column: column, Op: op, Moments: civil.MomentPeriod{First: first, Last: last}}
					assert.Equal(t, want, selectedIn(t, db, b, helsinki), "%s %s %v %v", column.Name, op, first, last)
				}
			}
		}
	}
}

// Around the transitions of every zone, every operator on stored instants lets
// through those of the days that it names and no other, also where the text is
// wall time of another zone. The judge walks the clock and takes for the day of an
// instant the latest that clocks have shown.
func TestBoundsInEveryZone(t *testing.T) {
	zulu := &record.Column{Type: record.Instant, Stored: record.StoredText, Pattern: pattern("yyyy-MM-dd'T'HH:mm:ss'Z'")}
	seconds := &record.Column{Type: record.Instant, Stored: record.EpochSeconds}
	elsewhere := &record.Column{Type: record.Instant, Stored: record.StoredText, Pattern: pattern("yyyyMMddHHmmss"), Zone: helsinki}
	compared, zones := 0, 0
	for _, name := range civil.ZoneNames() {
		zone, err := civil.LoadZone(name)
		require.NoError(t, err)
		zones++
		at := time.Date(1980+zones%30, 1, 1, 0, 0, 0, 0, time.UTC).In(zone)
		for range 2 {
			_, end := at.ZoneBounds()
			if end.IsZero() {
				break
			}
			if !end.After(at) {
				end = at.Add(24 * time.Hour)
			}
			compared += boundsAround(t, zone, end, zulu, seconds, elsewhere)
			at = end
		}
	}
	t.Logf("%d zones, %d comparisons", zones, compared)
	require.GreaterOrEqual(t, zones, 400)
	require.Greater(t, compared, 1_000_000)
}

func boundsAround(t *testing.T, zone *time.Location, transition time.Time, zulu, seconds, elsewhere *record.Column) (compared int) {
	first := transition.Add(-30 * time.Hour)
	latest := first.Add(-48 * time.Hour).In(zone).Format(time.DateOnly)
	for at := first.Add(-48 * time.Hour); at.Before(transition.Add(30 * time.Hour)); at = at.Add(30 * time.Minute) {
		latest = max(latest, at.In(zone).Format(time.DateOnly), at.Add(-time.Second).In(zone).Format(time.DateOnly))
		if shown := at.In(zone).Format(time.DateOnly); at.Before(first) || shown != latest && at.Add(time.Second).Before(transition) {
			continue
		}
		inHelsinki := at.In(helsinki)
		if civil.IsRepeated(inHelsinki) {
			continue // its wall time alone does not tell it
		}
		for shift := -1; shift <= 1; shift++ {
			d := civil.MustParseDay(latest) + civil.Day(shift)
			for _, op := range []criteria.Op{criteria.From, criteria.Through, criteria.Before, criteria.After, criteria.Is} {
				want := map[criteria.Op]bool{criteria.From: shift <= 0, criteria.Through: shift >= 0, criteria.Before: shift > 0, criteria.After: shift < 0, criteria.Is: shift == 0}[op]
				b := criteria.Bound{Column: zulu, Op: op, Periods: []civil.Period{{First: d, Last: d}}}
				span := b.Spans()[0]
				unix, text, own := at.Unix(), at.UTC().Format("2006-01-02T15:04:05Z"), inHelsinki.Format("20060102150405")
				got := [3]bool{true, true, true}
				if span.From.IsSet() {
					got = [3]bool{unix >= seconds.Bound(span.From, zone).(int64), text >= zulu.Bound(span.From, zone).(string), own >= elsewhere.Bound(span.From, zone).(string)}
				}
				if span.Until.IsSet() {
					got = [3]bool{got[0] && unix < seconds.Bound(span.Until, zone).(int64), got[1] && text < zulu.Bound(span.Until, zone).(string), got[2] && own < elsewhere.Bound(span.Until, zone).(string)}
				}
				compared++
				if got != [3]bool{want, want, want} {
					t.Fatalf("%s in %s: %s %s is %v, want %v", text, zone, op, d, got, want)
				}
			}
		}
	}
	return compared
}

// The bounds stay plain comparisons, so that an index on the column serves.
func TestAnIndexServes(t *testing.T) {
	db, err := sql.Open("sqlite3", ":memory:")
	require.NoError(t, err)
	db.SetMaxOpenConns(1)
	defer db.Close()
	for _, c := range []*record.Column{day, digits, instant, zulu, epoch, millis, eight, serial, wall} {
		_, err := db.Exec(fmt.Sprintf("CREATE TABLE %[1]s (id INTEGER PRIMARY KEY, %[1]s); CREATE INDEX by_%[1]s ON %[1]s (%[1]s)", c.Name))
		require.NoError(t, err)
		s := sqlite.Select(Query{Table: c.Name, Show: []*record.Column{id}, Where: bound(on(c, criteria.Within, "last month")),
			Sort: []criteria.Sort{{Column: c, Descending: true}}, Key: []*record.Column{id}, Zone: helsinki})
		var a, b, x int
		var plan string
		require.NoError(t, db.QueryRow("EXPLAIN QUERY PLAN "+s.SQL, s.Args...).Scan(&a, &b, &x, &plan))
		assert.Equal(t, fmt.Sprintf("SEARCH %[1]s USING COVERING INDEX by_%[1]s (%[1]s>? AND %[1]s<?)", c.Name), plan)
	}
}

// Missing values come last either way, and the key breaks every tie.
func TestOrder(t *testing.T) {
	db, err := sql.Open("sqlite3", ":memory:")
	require.NoError(t, err)
	db.SetMaxOpenConns(1)
	defer db.Close()
	_, err = db.Exec("CREATE TABLE t (id INTEGER PRIMARY KEY, late); INSERT INTO t VALUES (4, NULL), (3, 1), (2, 2), (5, NULL), (1, 2)")
	require.NoError(t, err)
	for _, c := range []struct {
		descending bool
		want       string
	}{{false, "3 1 2 4 5"}, {true, "1 2 3 4 5"}} {
		s := sqlite.Select(Query{Table: "t", Show: []*record.Column{id}, Sort: []criteria.Sort{{Column: late, Descending: c.descending}}, Key: []*record.Column{id}, Zone: helsinki})
		rows, err := db.Query(s.SQL)
		require.NoError(t, err)
		var ids []string
		for rows.Next() {
			var n string
			require.NoError(t, rows.Scan(&n))
			ids = append(ids, n)
		}
		rows.Close()
		assert.Equal(t, c.want, strings.Join(ids, " "), "descending %v", c.descending)
	}
}

// Five prompts and eight conditions, answered, bound and compiled.
func BenchmarkValidateAndCompile(b *testing.B) {
	five := []*prompt.Prompt{
		{Name: "days", Type: prompt.Period, Latest: "today"}, {Name: "due", Type: prompt.Day}, {Name: "least", Type: prompt.Number}, {Name: "most", Type: prompt.Number},
		{Name: "routes", Type: prompt.Choice, Many: true, Choices: []prompt.Option{{Value: "a", Label: "A"}, {Value: "b", Label: "B"}}},
	}
	asked := func(c *record.Column, op criteria.Op, p int) *criteria.Node {
		return &criteria.Node{Column: c, Op: op, Operand: criteria.Operand{Prompt: five[p]}}
	}
	where := group(criteria.All, asked(instant, criteria.Within, 0), asked(day, criteria.From, 1), asked(late, criteria.AtLeast, 2), asked(late, criteria.AtMost, 3),
		asked(route, criteria.AnyOf, 4), on(route, criteria.Present), group(criteria.Any, on(late, criteria.Missing), asked(digits, criteria.Through, 1)))
	entered := map[string]prompt.Entered{"days": prompt.OneText("2026-10-01/2026-10-31"), "due": prompt.OneText("2026-10-05"), "least": prompt.OneText("15"),
		"most": prompt.OneText("60"), "routes": prompt.SeveralTexts([]string{"a", "b"})}
	b.ReportAllocs()
	for b.Loop() {
		answers, refused := prompt.Check(five, entered, setting)
		if len(refused) > 0 {
			b.Fatal(refused)
		}
		bound, _ := criteria.Bind(where, answers, nil, setting)
		sqlite.Select(Query{Table: "sailings", Show: []*record.Column{id, route}, Where: bound, Sort: []criteria.Sort{{Column: instant}}, Key: []*record.Column{id}, Zone: helsinki})
	}
}

func TestNumbersAreBoundExactly(t *testing.T) {
	for _, c := range []struct {
		text string
		want any
	}{{"15", int64(15)}, {"15.0", int64(15)}, {"-3", int64(-3)}, {"0.1", 0.1}, {"9223372036854775807", int64(9223372036854775807)}, {"9223372036854775808", 9223372036854775808.0}} {
		assert.Equal(t, c.want, number(decimal.RequireFromString(c.text)), c.text)
	}
}
