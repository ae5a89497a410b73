package source_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/customsql"
	"pikegate/internal/source/sourcetest"
)

// fleet is a table of sailings and one of ships, whose names have twins in case and by
// a blank at the end, under a collation that takes them for the same.
func fleet(t *testing.T, e sourcetest.Engine) {
	t.Helper()
	loose := map[catalog.Engine]string{catalog.SQLite: "TEXT COLLATE NOCASE", catalog.Postgres: `text COLLATE "en-x-icu"`, catalog.MariaDB: "VARCHAR(20) COLLATE utf8mb4_general_ci"}[e.Name]
	e.Exec(t, fmt.Sprintf("CREATE TABLE sailings (id INTEGER PRIMARY KEY, ship %s, seats INTEGER)", loose))
	e.Exec(t, fmt.Sprintf("CREATE TABLE ships (number INTEGER PRIMARY KEY, name %s, seats INTEGER)", loose))
	for i, ship := range []any{"Marram", "MARRAM", "Marram ", "Auk", nil, "Petrel"} {
		e.Exec(t, "INSERT INTO sailings VALUES (?, ?, ?)", i+1, ship, 10*(i+1))
	}
	for i, name := range []any{"Marram", "MARRAM", "Auk", nil} {
		e.Exec(t, "INSERT INTO ships VALUES (?, ?, ?)", i+1, name, 100*(i+1))
	}
}

func TestJoins(t *testing.T) { sourcetest.Each(t, joins) }

func joins(t *testing.T, e sourcetest.Engine) {
	fleet(t, e)
	from := catalog.From{Table: "sailings", Origins: []catalog.Origin{{Name: "id", Table: "sailings", Column: "id"}, {Name: "ship", Table: "sailings", Column: "ship"}, {Name: "late", Table: "s", Column: "seats"}}}
	ship := &column.Column{Name: "ship", Type: column.Text}
	read := func(left bool, where *criteria.Node, sort ...criteria.Sort) string {
		from.Joins = []catalog.Join{{Table: "ships", As: "s", Left: left, On: []catalog.Pair{{Column: "name", Equals: from.Origins[1]}}}}
		facts := e.Facts(t, "sailings", "ships")
		facts["s"] = facts["ships"]
		q := compile.Query{Show: []*column.Column{id, late}, Key: []*column.Column{id}, Sort: sort, Zone: helsinki}
		if where != nil {
			q.Where = bound(where)
		}
		s := compile.New(e.Source.Dialect(), from, facts).Select(q)
		rows, err := e.Read(s)
		require.NoError(t, err, s.SQL)
		return strings.Join(rows, ", ")
	}
	assert.Equal(t, "1 100, 2 200, 4 300", read(false, nil), "exact in case and blanks, and nothing for what is missing")
	assert.Equal(t, "1 100, 2 200, 3 -, 4 300, 5 -, 6 -", read(true, nil))
	assert.Equal(t, "4 300, 2 200, 1 100, 3 -, 5 -, 6 -", read(true, nil, criteria.Sort{Column: late, Descending: true}), "what found nothing is last")
	assert.Equal(t, "1 100, 2 200, 4 300, 3 -, 5 -, 6 -", read(true, nil, criteria.Sort{Column: late}))
	assert.Equal(t, "3 -, 5 -, 6 -", read(true, on(late, criteria.Missing)))
	assert.Equal(t, "2 200, 4 300", read(false, on(late, criteria.AtLeast, "200")))
	assert.Equal(t, "2 200", read(false, on(ship, criteria.Is, "MARRAM")))
}

var dialects = map[catalog.Engine]customsql.Dialect{catalog.SQLite: customsql.SQLite, catalog.Postgres: customsql.Postgres, catalog.MariaDB: customsql.MariaDB}

func TestSQLOfOnesOwn(t *testing.T) { sourcetest.Each(t, ownSQL) }

func ownSQL(t *testing.T, e sourcetest.Engine) {
	rows := []row{}
	for i, text := range []string{"2026-10-24", "2026-10-25", "2026-10-26", "2026-10-27"} {
		d := civil.MustParseDay(text)
		y, m, n := d.Date()
		rows = append(rows, row{id: i + 1, day: text, eight: y*10000 + int(m)*100 + n, epoch: civil.FirstInstant(d, helsinki) + 3600, dayIs: text})
	}
	table(t, e, rows)
	read := func(text string, where *criteria.Node, named map[string]compile.Values) string {
		pieces, problems := (customsql.Reader{Dialect: dialects[e.Name]}).Read(text)
		require.Empty(t, problems)
		values := map[int]compile.Values{}
		for i, p := range pieces {
			values[i] = named[p.Name]
		}
		q := compile.Query{Show: []*column.Column{id}, Key: []*column.Column{id}, Values: values, Zone: helsinki}
		if where != nil {
			q.Where = bound(where)
		}
		s := compile.New(e.Source.Dialect(), catalog.From{SQL: pieces}, nil).Select(q)
		found, err := e.Read(s)
		require.NoError(t, err, s.SQL)
		return strings.Join(found, " ")
	}
	first, next := civil.MustParseDay("2026-10-25"), civil.MustParseDay("2026-10-27")
	for _, c := range []*column.Column{day, eight, epoch} {
		stored := func(d civil.Day) compile.Values {
			return compile.Values{Column: c, List: []any{c.Bound(civil.StartOf(d), helsinki)}}
		}
		text := fmt.Sprintf("SELECT id, %[1]s FROM t WHERE %[1]s >= :first AND %[1]s < :next", c.Name)
		values := map[string]compile.Values{"first": stored(first), "next": stored(next)}
		assert.Equal(t, "2 3", read(text, nil, values), c.Name)
		assert.Equal(t, "3", read(text, on(id, criteria.AtLeast, "3"), values), "criteria around it")
		assert.Equal(t, "3", read(text+" AND :criteria", on(id, criteria.AtLeast, "3"), values), "criteria inside it")
		assert.Equal(t, "2 3", read(text+" AND :criteria", nil, values))
		assert.Equal(t, "2 3", read(text+" -- and :no placeholder", nil, values))
	}
	listed := map[string]compile.Values{"days": {Column: day, List: []any{"2026-10-24", "2026-10-27", "it's"}}, "least": {List: []any{int64(2)}}}
	assert.Equal(t, "4", read("SELECT id FROM t WHERE day IN (:days) AND id >= :least", nil, listed))
	assert.Equal(t, "", read("SELECT id FROM t WHERE day IN (:days)", nil, map[string]compile.Values{"days": {Column: day}}), "nothing is in an empty list")
	assert.Equal(t, "1 2", read("SELECT id FROM t WHERE id <= 2 UNION SELECT id FROM t WHERE id = 1;", nil, nil))
	assert.Equal(t, "4", read("WITH last AS (SELECT max(id) AS id FROM t WHERE id < 900) SELECT id FROM last", nil, nil))
}
