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
	b, _ := criteria.Bind(n, nil, setting)
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
	dayIs                                      string // the civil date that all of them stand for, "" for none
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
			dayIs:  civilDay,
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

// Whole days, on every stored form, by every operator, agree with a scan that
// compares the civil dates.
func TestDaysAgreeWithANaiveScan(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	rows := world(r)
	db, err := sql.Open("sqlite3", ":memory:")
	require.NoError(t, err)
	db.SetMaxOpenConns(1)
	defer db.Close()
	_, err = db.Exec(`CREATE TABLE t (id INTEGER PRIMARY KEY, day, digits, at, zulu, epoch, millis, eight, serial, wall, loose, dotted)`)
	require.NoError(t, err)
	for _, row := range rows {
		_, err := db.Exec(`INSERT INTO t VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, row.id, row.day, row.digits, row.at, row.zulu, row.epoch,
			row.millis, row.eight, row.serial, row.wall, row.loose, row.dotted)
		require.NoError(t, err)
	}
	// A text among epoch seconds sorts after every number and is no instant.
	_, err = db.Exec(`INSERT INTO t (id, epoch) VALUES (999, 'later')`)
	require.NoError(t, err)

	edges := []string{"2026-02-28", "2026-03-01", "2026-03-28", "2026-03-29", "2026-03-30", "2026-10-24", "2026-10-25", "2026-10-26", "2026-12-31", "2027-01-01", "0001-01-01", "9999-12-31"}
	compared := 0
	for _, column := range []*record.Column{day, digits, instant, zulu, epoch, millis, eight, serial, wall, loose, dotted} {
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
	s := sqlite.Select(Query{Table: "t", Show: []*record.Column{id}, Where: bound(n), Key: []*record.Column{id}, Zone: helsinki})
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
		bound, _ := criteria.Bind(where, answers, setting)
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
