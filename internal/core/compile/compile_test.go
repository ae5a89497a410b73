package compile

import (
	"flag"
	"fmt"
	"os"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

var update = flag.Bool("update", false, "write the golden files anew")

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
	eight    = &column.Column{Name: "eight", Type: column.Date, Stored: column.EightDigits}
	loose    = &column.Column{Name: "loose", Type: column.Date, Stored: column.StoredText, Pattern: pattern("M/d/yyyy")}
	native   = &column.Column{Name: "own", Type: column.Instant, Stored: column.Native}
	epoch    = &column.Column{Name: "epoch", Type: column.Instant, Stored: column.EpochSeconds}
	route    = &column.Column{Name: `the "route"`, Type: column.Text}
	late     = &column.Column{Name: "late", Type: column.Integer}
	setting  = phrase.Setting{AsOf: civil.MustParseDay("2026-11-23")}
	sailings = New(SQLite{}, catalog.From{Table: "sailings"}, nil)
	helsinki = func() *time.Location {
		zone, err := civil.LoadZone("Europe/Helsinki")
		if err != nil {
			panic(err)
		}
		return zone
	}()
)

func on(c *column.Column, op criteria.Op, texts ...string) *criteria.Node {
	return &criteria.Node{Column: c, Op: op, Operand: criteria.Operand{Texts: texts}}
}

func folding(c *column.Column, op criteria.Op, texts ...string) *criteria.Node {
	n := on(c, op, texts...)
	n.IgnoreCase = true
	return n
}

func bound(n *criteria.Node) *criteria.Bound {
	b, _ := criteria.Bind(n, nil, setting)
	return b
}

func group(l criteria.Logic, nodes ...*criteria.Node) *criteria.Node {
	return &criteria.Node{Logic: l, Nodes: nodes}
}

func TestGoldenSQL(t *testing.T) {
	for name, dialect := range map[string]Dialect{"sqlite": SQLite{}, "postgres": Postgres{}, "mariadb": MariaDB{}} {
		t.Run(name, func(t *testing.T) {
			golden(t, "testdata/"+name+".txtar", New(dialect, catalog.From{Table: "sailings"}, nil))
		})
	}
}

// counting are the statements of evidence.
func counting(sql *Compiler) map[string]Statement {
	q := Query{Where: bound(on(late, criteria.Present)), Zone: helsinki}
	plan := func(n *criteria.Node) evidence.Plan {
		return evidence.PlanOf([]*criteria.Bound{bound(n)}, nil, []*column.Column{id, route})
	}
	period := group(criteria.All, on(route, criteria.Is, "x"), on(instant, criteria.Within, "last month"), on(late, criteria.AtLeast, "15"))
	days := []civil.Day{civil.MustParseDay("2026-01-01"), civil.MustParseDay("2026-02-01"), civil.MustParseDay("2026-03-01"), civil.MustParseDay("2026-04-01"), civil.MustParseDay("2026-05-01")}
	inside := func(q Query, p evidence.Plan) Statement {
		q.Where = criteria.AllOf(q.Where, p.Period)
		s, _ := sql.TallyInside(q, p)
		return s
	}
	return map[string]Statement{
		"tally":                 sql.Tally(q, plan(period)),
		"tally of loose texts":  sql.Tally(Query{}, plan(on(loose, criteria.After, "today"))),
		"tally of several days": sql.Tally(Query{}, plan(on(day, criteria.NoneOf, "today", "1 Nov 2026"))),
		"tally of nothing":      sql.Tally(Query{}, plan(nil)),
		"tally inside days":     inside(q, plan(group(criteria.All, on(day, criteria.Within, "last month"), on(route, criteria.Is, "x"), on(late, criteria.AtLeast, "15")))),
		"tally inside moments":  inside(q, plan(period)),
		"tally of no day":       sql.Tally(Query{}, plan(on(day, criteria.After, "9999-12-31"))),
		"among":                 sql.Among(q, bound(on(route, criteria.Is, "x")), nil),
		"passed by":             sql.PassedBy(q, []*criteria.Bound{bound(on(route, criteria.IsNot, "x")), bound(on(day, criteria.From, "today"))}),
		"by month":              sql.ByUnit(q, instant, days),
	}
}

func golden(t *testing.T, path string, sql *Compiler) {
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
		{"text in any case", Query{Where: bound(group(criteria.All, folding(route, criteria.Contains, "Kelp"), on(route, criteria.EndsWith, "é"), on(route, criteria.StartsWith, "a%")))}},
		{"a native instant", Query{Where: bound(on(native, criteria.From, "today")), Sort: []criteria.Sort{{Column: native, Descending: true}}}},
		{"nested groups", Query{Where: bound(group(criteria.All, on(late, criteria.Present), group(criteria.Any, on(route, criteria.Missing), group(criteria.All, on(late, criteria.Is, "0"), on(route, criteria.Is, "a")))))}},
		{"order", Query{Sort: []criteria.Sort{{Column: late}, {Column: route, Descending: true}, {Column: late, Descending: true}}, Limit: 200, Skip: 400}},
	} {
		c.q.Show, c.q.Key, c.q.Zone = []*column.Column{id, route}, []*column.Column{id}, helsinki
		s := sql.Select(c.q)
		text := s.SQL + "\n"
		for _, arg := range s.Args {
			text += fmt.Sprintf("-- %T %v\n", arg, arg)
		}
		archive.Files = append(archive.Files, txtar.File{Name: c.name, Data: []byte(text)})
	}
	for name, s := range counting(sql) {
		archive.Files = append(archive.Files, txtar.File{Name: "evidence: " + name, Data: []byte(s.SQL + "\n" + fmt.Sprintln("--", s.Args))})
	}
	slices.SortStableFunc(archive.Files, func(a, b txtar.File) int { // those of a map have no order
		if strings.HasPrefix(a.Name, "evidence") && strings.HasPrefix(b.Name, "evidence") {
			return strings.Compare(a.Name, b.Name)
		}
		return 0
	})
	got := string(txtar.Format(&archive))
	if *update {
		require.NoError(t, os.WriteFile(path, []byte(got), 0o644))
	}
	want, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(want), got)
}

// Around the transitions of every zone, every operator on stored instants lets
// through those of the days that it names and no other, also where the text is
// wall time of another zone. The judge walks the clock and takes for the day of an
// instant the latest that clocks have shown.
func TestBoundsInEveryZone(t *testing.T) {
	zulu := &column.Column{Type: column.Instant, Stored: column.StoredText, Pattern: pattern("yyyy-MM-dd'T'HH:mm:ss'Z'")}
	seconds := &column.Column{Type: column.Instant, Stored: column.EpochSeconds}
	elsewhere := &column.Column{Type: column.Instant, Stored: column.StoredText, Pattern: pattern("yyyyMMddHHmmss"), Zone: helsinki}
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

func boundsAround(t *testing.T, zone *time.Location, transition time.Time, zulu, seconds, elsewhere *column.Column) (compared int) {
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

// Five prompts and eight conditions, answered, bound and compiled.
func BenchmarkValidateAndCompile(b *testing.B) {
	five := []*prompt.Prompt{
		{Name: "days", Type: prompt.Period, Latest: "today"}, {Name: "due", Type: prompt.Day}, {Name: "least", Type: prompt.Number}, {Name: "most", Type: prompt.Number},
		{Name: "routes", Type: prompt.Choice, Many: true, Choices: []prompt.Option{{Value: "a", Label: "A"}, {Value: "b", Label: "B"}}},
	}
	asked := func(c *column.Column, op criteria.Op, p int) *criteria.Node {
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
		sailings.Select(Query{Show: []*column.Column{id, route}, Where: bound, Sort: []criteria.Sort{{Column: instant}}, Key: []*column.Column{id}, Zone: helsinki})
	}
}

func TestNumbersAreBoundExactly(t *testing.T) {
	for _, c := range []struct {
		text string
		want any
	}{{"15", int64(15)}, {"15.0", int64(15)}, {"-3", int64(-3)}, {"0.1", decimal.RequireFromString("0.1")}, {"9223372036854775807", int64(9223372036854775807)}, {"9223372036854775808", decimal.RequireFromString("9223372036854775808")}} {
		assert.Equal(t, c.want, Number(decimal.RequireFromString(c.text)), c.text)
	}
}

// Columns are shared by all requests: what is compiled of one at the same time leaves it
// as it is. The race detector holds this to it.
func TestCompilingAtTheSameTime(t *testing.T) {
	p, err := column.ParsePattern("M/d/yyyy")
	require.NoError(t, err)
	shared := &column.Column{Name: "opened", Type: column.Date, Stored: column.StoredText, Pattern: p}
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			sql := New(SQLite{}, catalog.From{Table: "t"}, nil)
			sql.Select(Query{Show: []*column.Column{shared}, Key: []*column.Column{shared}, Zone: time.UTC})
		})
	}
	all.Wait()
	assert.Equal(t, "M/d/yyyy", shared.Pattern.String())
}
