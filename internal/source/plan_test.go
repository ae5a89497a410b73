package source_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

// Each database tells which index it would use, or that it would read the whole table,
// and nothing is run for it.
func TestPlan(t *testing.T) { sourcetest.Each(t, plans) }

func plans(t *testing.T, e sourcetest.Engine) {
	e.Exec(t, "CREATE TABLE trips (id INTEGER PRIMARY KEY, kind INTEGER, seats INTEGER)")
	var rows []string
	for i := range 2000 {
		rows = append(rows, fmt.Sprintf("(%d, %d, %d)", i, i%700, i%3))
	}
	e.Exec(t, "INSERT INTO trips VALUES "+strings.Join(rows, ", "))
	e.Exec(t, "CREATE INDEX trips_by_kind ON trips (kind)")
	e.Exec(t, map[catalog.Engine]string{catalog.SQLite: "ANALYZE", catalog.Postgres: "ANALYZE trips", catalog.MariaDB: "ANALYZE TABLE trips"}[e.Name])
	placeholder := map[catalog.Engine]string{catalog.Postgres: "$1::bigint"}[e.Name]
	if placeholder == "" {
		placeholder = "?"
	}
	asked := func(where string) *source.Plan {
		var p *source.Plan
		err := e.Source.View(t.Context(), func(v source.View) (err error) {
			p, err = v.Plan(t.Context(), compile.Statement{SQL: "SELECT id, seats FROM trips WHERE " + where + " = " + placeholder, Args: []any{int64(7)}})
			return err
		})
		require.NoError(t, err)
		require.NotEmpty(t, p.Lines)
		return p
	}
	p := asked("kind")
	assert.Equal(t, []string{"trips_by_kind"}, p.Indexes, strings.Join(p.Lines, "\n"))
	assert.False(t, p.Whole)
	p = asked("seats")
	assert.Empty(t, p.Indexes, strings.Join(p.Lines, "\n"))
	assert.True(t, p.Whole)
	key := asked("id").Indexes
	assert.Equal(t, map[catalog.Engine][]string{catalog.SQLite: {"integer primary key"}, catalog.Postgres: {"trips_pkey"}, catalog.MariaDB: {"PRIMARY"}}[e.Name], key)
	err := e.Source.View(t.Context(), func(v source.View) error {
		_, err := v.Plan(t.Context(), compile.Statement{SQL: "DELETE FROM trips"})
		return err
	})
	if err == nil { // the plan of a statement that writes runs nothing either
		left, err := e.Read(compile.Statement{SQL: "SELECT count(*) FROM trips"})
		require.NoError(t, err)
		assert.Equal(t, []string{"2000"}, left)
	}
}
