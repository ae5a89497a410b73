package source_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/phrase"
	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

// What every engine is held to: each stored form by each operator, parts of the
// calendar, moments, order, large lists and the use of indexes, against scans that
// know nothing of SQL.

func pattern(source string) column.Pattern {
	p, err := column.ParsePattern(source)
	if err != nil {
		panic(err)
	}
	return p
}

var (
	id       = &column.Column{Name: "id", Type: column.Integer}
	day      = &column.Column{Name: "day", Type: column.Date, Stored: column.StoredText, Pattern: pattern("yyyy-MM-dd")}
	digits   = &column.Column{Name: "digits", Type: column.Date, Stored: column.StoredText, Pattern: pattern("yyyyMMdd")}
	instant  = &column.Column{Name: "at", Type: column.Instant, Stored: column.StoredText, Pattern: pattern("yyyy-MM-dd HH:mm:ss")}
	zulu     = &column.Column{Name: "zulu", Type: column.Instant, Stored: column.StoredText, Pattern: pattern("yyyy-MM-dd'T'HH:mm:ss'Z'")}
	epoch    = &column.Column{Name: "epoch", Type: column.Instant, Stored: column.EpochSeconds}
	millis   = &column.Column{Name: "millis", Type: column.Instant, Stored: column.EpochMillis}
	eight    = &column.Column{Name: "eight", Type: column.Date, Stored: column.EightDigits}
	serial   = &column.Column{Name: "serial", Type: column.Date, Stored: column.SerialDays}
	wall     = &column.Column{Name: "wall", Type: column.Datetime, Stored: column.StoredText, Pattern: pattern("yyyy-MM-dd'T'HH:mm")}
	loose    = &column.Column{Name: "loose", Type: column.Date, Stored: column.StoredText, Pattern: pattern("M/d/yyyy")}
	dotted   = &column.Column{Name: "dotted", Type: column.Datetime, Stored: column.StoredText, Pattern: pattern("dd.MM.yyyy HH:mm:ss")}
	named    = &column.Column{Name: "named", Type: column.Date, Stored: column.StoredText, Pattern: pattern("d MMM yyyy")}
	short    = &column.Column{Name: "short", Type: column.Datetime, Stored: column.StoredText, Pattern: pattern("M/d/yy HH:mm:ss")}
	serialAt = &column.Column{Name: "serial_at", Type: column.Datetime, Stored: column.SerialDays}
	local    = &column.Column{Name: "local", Type: column.Instant, Stored: column.StoredText, Pattern: pattern("yyyy-MM-dd HH:mm:ss"), Zone: helsinki}
	ownDay   = &column.Column{Name: "own_day", Type: column.Date, Stored: column.Native}
	ownWall  = &column.Column{Name: "own_wall", Type: column.Datetime, Stored: column.Native}
	ownAt    = &column.Column{Name: "own_at", Type: column.Instant, Stored: column.Native}
	late     = &column.Column{Name: "late", Type: column.Integer}
	route    = &column.Column{Name: "route", Type: column.Text}
	setting  = phrase.Setting{AsOf: civil.MustParseDay("2026-11-23")}
	helsinki = func() *time.Location {
		zone, err := civil.LoadZone("Europe/Helsinki")
		if err != nil {
			panic(err)
		}
		return zone
	}()
)

// forms are the columns of the table t with the type that each engine has for them.
// SQLite has no types of its own for dates.
var forms = []struct {
	*column.Column
	sqlite, postgres, mariadb string
}{
	{day, "", "text", "VARCHAR(40)"}, {digits, "", `text COLLATE "C"`, "VARCHAR(40)"}, {instant, "", "varchar(40)", "VARCHAR(40)"}, {zulu, "", "text", "VARCHAR(40)"},
	{epoch, "", "bigint", "BIGINT"}, {millis, "", "numeric", "DECIMAL(20, 1)"}, {eight, "", "integer", "INTEGER"}, {serial, "", "double precision", "DOUBLE"},
	{wall, "", "text", "VARCHAR(40)"}, {loose, "", "text", "VARCHAR(40)"}, {dotted, "", "text", "VARCHAR(40) CHARACTER SET latin1"}, {local, "", "text", "VARCHAR(40)"},
	{named, "", "text", "VARCHAR(40)"}, {short, "", "text", "VARCHAR(40)"}, {serialAt, "", "double precision", "DOUBLE"},
	{ownDay, "-", "date", "DATE"}, {ownWall, "-", "timestamp", "DATETIME(6)"}, {ownAt, "-", "timestamptz", "TIMESTAMP NULL"},
}

// columnsOn are the columns that an engine has.
func columnsOn(e sourcetest.Engine) []*column.Column {
	var all []*column.Column
	for _, f := range forms {
		if e.Name != catalog.SQLite || f.sqlite != "-" {
			all = append(all, f.Column)
		}
	}
	return all
}

func typeOf(e sourcetest.Engine, c *column.Column) string {
	for _, f := range forms {
		if f.Column == c {
			return map[catalog.Engine]string{catalog.SQLite: "", catalog.Postgres: f.postgres, catalog.MariaDB: f.mariadb}[e.Name]
		}
	}
	return map[catalog.Engine]string{catalog.Postgres: "text", catalog.MariaDB: "VARCHAR(40)"}[e.Name]
}

func on(c *column.Column, op criteria.Op, texts ...string) *criteria.Node {
	return &criteria.Node{Column: c, Op: op, Operand: criteria.Operand{Texts: texts}}
}

func bound(n *criteria.Node) *criteria.Bound {
	b, _ := criteria.Bind(n, nil, setting)
	return b
}

// row is a stored record of the judge's world; nil is a missing value.
type row struct {
	id                                         int
	day, digits, at, zulu, epoch               any
	millis, eight, serial, wall, loose, dotted any
	late, route                                any
	local                                      any // the wall time, of an instant
	named, short, serialAt                     any
	own                                        [3]any // in the database's own types
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
			named:  strings.ToLower(local.Format("2 Jan 2006")), short: local.Format("1/2/06 15:04:05"),
			serialAt: float64(time.Date(local.Year(), local.Month(), local.Day(), local.Hour(), local.Minute(), local.Second(), 0, time.UTC).Unix())/86400 + 25569,
			local:    local.Format(time.DateTime), dayIs: civilDay, clockIs: local.Format(time.TimeOnly),
			own: [3]any{civilDay, local.Format(time.DateTime) + []string{"", ".5"}[r.IntN(2)], at.UTC().Format(time.DateTime)},
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
		{serial: 99999999.0, epoch: int64(99999999999999), millis: int64(900000000000000000)}, {serial: -693594.0, epoch: int64(-62135596801), millis: int64(-62135596800001)}, // days outside the calendar
		{named: "30 feb 2026", short: "2/30/26 10:00:00", serialAt: 99999999.0}, {named: "5 ma 2026", short: "3/1/2026 10:00:00", serialAt: -693594.0}, {named: "5 anf 2026", short: "3/1/6 10:00:00"},
		{named: "5 03 2026"}, {named: "5 march 2026"}, {named: ""}, {named: "05-mar-2026"},
		{serial: 2958466.0, epoch: int64(253402300800), millis: int64(253402300800000)},
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

// value is what a column of the row holds.
func (r row) value(c *column.Column) any {
	switch c {
	case ownDay:
		return r.own[0]
	case ownWall:
		return r.own[1]
	case ownAt:
		return r.own[2]
	}
	return map[*column.Column]any{day: r.day, digits: r.digits, instant: r.at, zulu: r.zulu, epoch: r.epoch, millis: r.millis, eight: r.eight, serial: r.serial,
		wall: r.wall, loose: r.loose, dotted: r.dotted, local: r.local, named: r.named, short: r.short, serialAt: r.serialAt}[c]
}

// fits reports whether a column of its type takes the value; SQLite's take any.
func fits(c *column.Column, v any) bool {
	switch _, isText := v.(string); {
	case v == nil:
		return true
	case c.IsText():
		return isText
	case c == eight:
		f, fraction := v.(float64)
		return !isText && (!fraction || f == float64(int(f)))
	default:
		return !isText || c.Stored == column.Native
	}
}

// table is a table t with the rows in it, what a type does not take left missing, and
// the compiler for it.
func table(t *testing.T, e sourcetest.Engine, rows []row) *compile.Compiler {
	t.Helper()
	columns := columnsOn(e)
	made := []string{"id INTEGER PRIMARY KEY"}
	for _, c := range columns {
		made = append(made, c.Name+" "+typeOf(e, c))
	}
	if e.Name == catalog.MariaDB {
		e.Exec(t, "SET SESSION sql_mode = 'ALLOW_INVALID_DATES', SESSION time_zone = '+00:00'")
	}
	e.Exec(t, "CREATE TABLE t ("+strings.Join(made, ", ")+")")
	places := strings.Repeat(", ?", len(columns))
	insert := func(id int, value func(*column.Column) any) {
		values := []any{id}
		for _, c := range columns {
			v := value(c)
			if e.Name != catalog.SQLite && !fits(c, v) {
				v = nil
			}
			values = append(values, v)
		}
		e.Exec(t, "INSERT INTO t VALUES (?"+places+")", values...)
	}
	for _, r := range rows {
		insert(r.id, r.value)
	}
	odd := map[catalog.Engine][]string{
		catalog.Postgres: {"infinity", "-infinity", "0044-03-15 BC", "10000-01-01"},
		catalog.MariaDB:  {"0000-00-00", "2026-03-00", "2026-00-00", "2026-02-30"},
	}[e.Name]
	for i, text := range odd {
		insert(900+i, func(c *column.Column) any {
			if c.Stored == column.Native && (c != ownAt || e.Name == catalog.Postgres) {
				return text
			}
			return nil
		})
	}
	if e.Name == catalog.SQLite {
		// A text among epoch seconds sorts after every number and is no instant.
		e.Exec(t, "INSERT INTO t (id, epoch) VALUES (999, 'later')")
	} else {
		insert(998, func(c *column.Column) any {
			return map[*column.Column]any{eight: -20260301, epoch: nil}[c]
		})
	}
	if e.Name == catalog.Postgres {
		e.Exec(t, "INSERT INTO t (id, serial, millis) VALUES (997, 'NaN', 'NaN')")
	}
	return compile.New(e.Source.Dialect(), catalog.From{Table: "t"}, e.Facts(t, "t"))
}

// Whole days, on every stored form, by every operator, agree with a scan that
// compares the civil dates.
func TestDaysAgreeWithANaiveScan(t *testing.T) { sourcetest.Each(t, daysAgree) }

func daysAgree(t *testing.T, e sourcetest.Engine) {
	rows := world(rand.New(rand.NewPCG(1, 2)))
	sql := table(t, e, rows)
	edges := []string{"2026-02-28", "2026-03-01", "2026-03-28", "2026-03-29", "2026-03-30", "2026-10-24", "2026-10-25", "2026-10-26", "2026-12-31", "2027-01-01", "0001-01-01", "9999-12-31"}
	compared := 0
	for _, col := range columnsOn(e) {
		for _, first := range edges {
			for _, op := range []criteria.Op{criteria.From, criteria.Through, criteria.Before, criteria.After, criteria.Is} {
				want := fitting(rows, op, first, first)
				assert.Equal(t, want, selected(t, e, sql, on(col, op, first)), "%s %s %s", col.Name, op, first)
				compared++
			}
			for _, last := range edges {
				if last >= first {
					want := fitting(rows, criteria.Within, first, last)
					assert.Equal(t, want, selected(t, e, sql, on(col, criteria.Within, first+"/"+last)), "%s within %s/%s", col.Name, first, last)
					compared++
				}
			}
		}
	}
	assert.Greater(t, compared, 1000)
}

func selected(t *testing.T, e sourcetest.Engine, sql *compile.Compiler, n *criteria.Node) []int {
	t.Helper()
	return selectedIn(t, e, sql, bound(n), helsinki)
}

// selectedIn runs the criteria as a service does: extents first, where they are
// needed.
func selectedIn(t *testing.T, e sourcetest.Engine, sql *compile.Compiler, b *criteria.Bound, zone *time.Location) []int {
	t.Helper()
	q := compile.Query{Show: []*column.Column{id}, Where: b, Key: []*column.Column{id}, Zone: zone, Extents: map[*column.Column]compile.Extent{}}
	for _, c := range q.Timed() {
		var ends [2]int64
		for i := range 2 {
			require.NoError(t, e.Source.View(context.Background(), func(v source.View) error {
				stored, err := v.One(context.Background(), sql.Edge(q, c, i == 1))
				_, seconds, ok := c.Moment(stored)
				ends[i] = seconds
				require.True(t, ok, "%s %s %v", c.Name, stored, err)
				return err
			}))
		}
		q.Extents[c] = compile.Extent{First: ends[0], Last: ends[1]}
	}
	s := sql.Select(q)
	rows, err := e.Read(s)
	require.NoError(t, err, s.SQL)
	var ids []int
	for _, row := range rows {
		n, err := strconv.Atoi(row)
		require.NoError(t, err)
		ids = append(ids, n)
	}
	return ids
}

// Parts of the calendar and of the day, on every stored form, agree with a scan
// that takes them from the civil date and the clock.
func TestPartsAgreeWithANaiveScan(t *testing.T) { sourcetest.Each(t, partsAgree) }

func partsAgree(t *testing.T, e sourcetest.Engine) {
	rows := world(rand.New(rand.NewPCG(3, 4)))
	sql := table(t, e, rows)
	scan := func(fits func(date, clock string) bool) (ids []int) {
		for _, r := range rows {
			if r.dayIs != "" && fits(r.dayIs, r.clockIs) {
				ids = append(ids, r.id)
			}
		}
		slices.Sort(ids)
		return ids
	}
	for _, col := range columnsOn(e) {
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
			n := &criteria.Node{Column: col, Op: criteria.RecursIn, Operand: criteria.Operand{Recurs: c.recurs}}
			assert.Equal(t, want, selected(t, e, sql, n), "%s recurs in %v", col.Name, c.recurs)
		}
		if !col.Type.IsTimed() {
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
			n := &criteria.Node{Column: col, Op: criteria.ClockWithin, Operand: criteria.Operand{Times: times}}
			assert.Equal(t, want, selected(t, e, sql, n), "%s by the clock within %s", col.Name, c.times)
		}
	}
}

// Moments, on every stored form with a time of day, by every operator, agree
// with a scan over instants; on wall times, with one over what clocks showed.
func TestMomentsAgreeWithANaiveScan(t *testing.T) { sourcetest.Each(t, momentsAgree) }

func momentsAgree(t *testing.T, e sourcetest.Engine) {
	rows := world(rand.New(rand.NewPCG(5, 6)))
	sql := table(t, e, rows)
	const format = "2006-01-02 15:04:05"
	at := func(text string) civil.Moment {
		when, err := time.Parse(time.RFC3339, text)
		require.NoError(t, err)
		return civil.Moment{At: when.Unix(), Size: 60}
	}
	moments := []civil.Moment{at("2026-02-28T00:00:00+02:00"), at("2026-03-29T02:00:00+02:00"), at("2026-03-29T04:30:00+03:00"), at("2026-10-25T02:00:00+03:00"), at("2026-10-25T04:30:00+02:00"), at("2026-12-31T23:59:00+02:00")}
	for _, col := range columnsOn(e) {
		if !col.Type.IsTimed() || col == wall || col == local {
			continue // which do not tell all of them
		}
		for _, first := range moments {
			for _, op := range []criteria.Op{criteria.From, criteria.Through, criteria.Before, criteria.After, criteria.Is, criteria.Within} {
				for _, last := range moments {
					if op != criteria.Within && last != first || last.At < first.At {
						continue
					}
					var want []int
					for _, r := range rows {
						is, ok := r.epoch.(int64)
						ok = ok && r.dayIs != "" // which is in the calendar
						from, until := first.At, last.At+60
						if col.Type == column.Datetime { // its clock, as if it were UTC's
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
					b := &criteria.Bound{Column: col, Op: op, Moments: civil.MomentPeriod{First: first, Last: last}}
					assert.Equal(t, want, selectedIn(t, e, sql, b, helsinki), "%s %s %v %v", col.Name, op, first, last)
				}
			}
		}
	}
}

// planOf is the engine's plan of a statement, in its own words.
func planOf(t *testing.T, e sourcetest.Engine, s compile.Statement) string {
	explain := map[catalog.Engine]string{catalog.SQLite: "EXPLAIN QUERY PLAN ", catalog.Postgres: "EXPLAIN ", catalog.MariaDB: "EXPLAIN FORMAT=JSON "}[e.Name]
	if e.Name == catalog.MariaDB {
		e.Exec(t, "SET NAMES utf8mb4 COLLATE utf8mb4_bin")
	}
	rows, err := e.Database.Query(explain+s.SQL, s.Args...)
	require.NoError(t, err, s.SQL)
	defer rows.Close()
	names, err := rows.Columns()
	require.NoError(t, err)
	var plan strings.Builder
	for rows.Next() {
		row := make([]any, len(names))
		for i := range row {
			row[i] = new(any)
		}
		require.NoError(t, rows.Scan(row...))
		text := *row[len(row)-1].(*any)
		if b, ok := text.([]byte); ok {
			text = string(b)
		}
		fmt.Fprintln(&plan, text)
	}
	require.NoError(t, rows.Err())
	return plan.String()
}

// The bounds stay plain comparisons, so that an index on the column serves, both to
// find the records and to sort them.
func TestAnIndexServes(t *testing.T) { sourcetest.Each(t, indexServes) }

func indexServes(t *testing.T, e sourcetest.Engine) {
	if e.Name == catalog.Postgres {
		e.Exec(t, "SET enable_seqscan = off; SET enable_bitmapscan = off") // small tables have no need of an index
	}
	for _, c := range columnsOn(e) {
		if c.Stored == column.StoredText && !c.Pattern.Sorts() {
			continue // which do not sort by time, as a finding says
		}
		kind := typeOf(e, c)
		if c.IsText() {
			kind = map[catalog.Engine]string{catalog.Postgres: `text COLLATE "C"`, catalog.MariaDB: "VARCHAR(40)"}[e.Name]
		}
		e.Exec(t, fmt.Sprintf("CREATE TABLE x_%[1]s (id INTEGER PRIMARY KEY, %[1]s %[2]s)", c.Name, kind))
		e.Exec(t, fmt.Sprintf("CREATE INDEX by_%[1]s ON x_%[1]s (%[1]s)", c.Name))
		name := "x_" + c.Name
		s := compile.New(e.Source.Dialect(), catalog.From{Table: name}, e.Facts(t, name)).Select(compile.Query{Show: []*column.Column{id}, Where: bound(on(c, criteria.Within, "last month")),
			Sort: []criteria.Sort{{Column: c, Descending: true}}, Key: []*column.Column{id}, Zone: helsinki})
		plan := planOf(t, e, s)
		switch e.Name {
		case catalog.SQLite:
			assert.Contains(t, plan, fmt.Sprintf("SEARCH %[2]s USING COVERING INDEX by_%[1]s (%[1]s>? AND %[1]s<?)\n", c.Name, name))
		case catalog.Postgres:
			assert.Regexp(t, fmt.Sprintf(`Index (Only )?Scan.* using by_%[1]s on %[2]s`, c.Name, name), plan)
			assert.Regexp(t, fmt.Sprintf(`Index Cond: \(\(%[1]s >= .*AND \(%[1]s < `, c.Name), plan)
		case catalog.MariaDB:
			assert.Contains(t, plan, `"access_type": "range"`, c.Name)
			assert.Contains(t, plan, fmt.Sprintf(`"key": "by_%s"`, c.Name))
		}
	}
}

// Missing values come last either way, texts go by code point, and the key breaks
// every tie.
func TestOrder(t *testing.T) { sourcetest.Each(t, inOrder) }

func inOrder(t *testing.T, e sourcetest.Engine) {
	e.Exec(t, "CREATE TABLE t (id INTEGER PRIMARY KEY, late INTEGER, route "+typeOf(e, route)+")")
	for i, text := range []any{"b", "A", "a", "a ", "B", nil, "", "é", "e\u0301", "Ω", nil, "😀", "\uFF21"} {
		e.Exec(t, "INSERT INTO t VALUES (?, ?, ?)", i+1, map[bool]any{true: nil, false: i % 2}[i%5 == 4], text)
	}
	sql := compile.New(e.Source.Dialect(), catalog.From{Table: "t"}, e.Facts(t, "t"))
	for _, c := range []struct {
		by         *column.Column
		descending bool
		want       string
	}{
		{late, false, "1 3 7 9 11 13 2 4 6 8 12 5 10"}, {late, true, "2 4 6 8 12 1 3 7 9 11 13 5 10"},
		{route, false, "7 2 5 3 4 1 9 8 10 13 12 6 11"}, {route, true, "12 13 10 8 9 1 4 3 5 2 7 6 11"},
	} {
		rows, err := e.Read(sql.Select(compile.Query{Show: []*column.Column{id}, Sort: []criteria.Sort{{Column: c.by, Descending: c.descending}}, Key: []*column.Column{id}, Zone: helsinki}))
		require.NoError(t, err)
		assert.Equal(t, c.want, strings.Join(rows, " "), "%s descending %v", c.by.Name, c.descending)
	}
}

// A list of thousands goes as one value, exact in case and blanks.
func TestLargeLists(t *testing.T) { sourcetest.Each(t, largeLists) }

func largeLists(t *testing.T, e sourcetest.Engine) {
	e.Exec(t, "CREATE TABLE t (id INTEGER PRIMARY KEY, late INTEGER, route "+typeOf(e, route)+")")
	texts := []string{"a", "A", "a ", `quo"te`, `back\slash`, "Ω", "O'Dell"}
	for i, text := range texts {
		e.Exec(t, "INSERT INTO t VALUES (?, ?, ?)", i+1, 10*i, text)
	}
	sql := compile.New(e.Source.Dialect(), catalog.From{Table: "t"}, e.Facts(t, "t"))
	listed := func(c *column.Column, op criteria.Op, some ...string) string {
		for i := range 5_000 {
			some = append(some, strconv.Itoa(1_000+i))
		}
		rows, err := e.Read(sql.Select(compile.Query{Show: []*column.Column{id}, Where: bound(on(c, op, some...)), Key: []*column.Column{id}, Zone: helsinki}))
		require.NoError(t, err)
		return strings.Join(rows, " ")
	}
	assert.Equal(t, "2 4 5 6 7", listed(route, criteria.AnyOf, "A", `quo"te`, `back\slash`, "Ω", "O'Dell"))
	assert.Equal(t, "1 3", listed(route, criteria.NoneOf, "A", `quo"te`, `back\slash`, "Ω", "O'Dell"))
	assert.Equal(t, "2 7", listed(late, criteria.AnyOf, "10", "60", "10.5"))
}

// Bounds reach PostgreSQL as plain comparisons, so that it reads the partitions that a
// period lies in and no other, and asks the shards that hold them, with the bounds.
func TestPartitionsAndShardsArePruned(t *testing.T) {
	e := sourcetest.Open(t, catalog.Postgres)
	var port, name string
	require.NoError(t, e.QueryRow("SELECT current_setting('port'), current_database()").Scan(&port, &name))
	e.Exec(t, "CREATE EXTENSION IF NOT EXISTS postgres_fdw SCHEMA pg_catalog")
	shore := "shore_" + e.At.Schema
	e.Exec(t, fmt.Sprintf("CREATE SERVER %s FOREIGN DATA WRAPPER postgres_fdw OPTIONS (host '127.0.0.1', port '%s', dbname '%s')", shore, port, name))
	defer e.Exec(t, "DROP SERVER "+shore+" CASCADE")
	e.Exec(t, fmt.Sprintf("CREATE USER MAPPING FOR CURRENT_USER SERVER %s OPTIONS (user 'pike', password_required 'false')", shore))
	for _, kind := range []string{"partitioned", "sharded"} {
		e.Exec(t, fmt.Sprintf("CREATE TABLE %s (id integer, own_at timestamptz NOT NULL) PARTITION BY RANGE (own_at)", kind))
		for _, year := range []int{2024, 2025, 2026} {
			bounds := fmt.Sprintf("FOR VALUES FROM ('%d-01-01') TO ('%d-01-01')", year, year+1)
			if kind == "partitioned" {
				e.Exec(t, fmt.Sprintf("CREATE TABLE %s_%d PARTITION OF %[1]s %[3]s", kind, year, bounds))
				continue
			}
			e.Exec(t, fmt.Sprintf("CREATE TABLE shard_%d (id integer, own_at timestamptz NOT NULL)", year))
			e.Exec(t, fmt.Sprintf("INSERT INTO shard_%d SELECT i, '%[1]d-01-01'::timestamptz + i * interval '1 day' FROM generate_series(0, 360) AS i", year))
			e.Exec(t, fmt.Sprintf("CREATE FOREIGN TABLE sharded_%d PARTITION OF sharded %s SERVER %s OPTIONS (schema_name '%s', table_name 'shard_%[1]d')", year, bounds, shore, e.At.Schema))
		}
		s := compile.New(e.Source.Dialect(), catalog.From{Table: kind}, e.Facts(t, kind)).Select(compile.Query{Show: []*column.Column{id}, Where: bound(on(ownAt, criteria.Within, "Jun 2025")), Key: []*column.Column{id}, Zone: helsinki})
		plan := planOf(t, e, compile.Statement{SQL: "(VERBOSE) " + s.SQL, Args: s.Args})
		assert.Contains(t, plan, kind+"_2025", plan)
		assert.NotContains(t, plan, kind+"_2024", plan)
		assert.NotContains(t, plan, kind+"_2026", plan)
		if kind == "sharded" {
			assert.Regexp(t, `Remote SQL: .*own_at >= .*own_at < `, plan)
			rows, err := e.Read(s)
			require.NoError(t, err)
			assert.Len(t, rows, 30)
		}
	}
}
