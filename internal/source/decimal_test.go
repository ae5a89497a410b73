package source_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/source/sourcetest"
)

// Decimals that SQLite's numbers have no room for are compared and sorted by size, to
// the last digit.
func TestDecimalsInTexts(t *testing.T) {
	e := sourcetest.Open(t, catalog.SQLite)
	fare := &column.Column{Name: "fare", Type: column.Decimal, Scale: 2, Stored: column.StoredText}
	e.Exec(t, "CREATE TABLE t (id INTEGER PRIMARY KEY, fare TEXT)")
	for i, text := range []any{"12345678901234567.89", "12345678901234567.9", "9", "10.00", "-12345678901234567.89", "-3", nil, "n/a", "0.00"} {
		e.Exec(t, "INSERT INTO t VALUES (?, ?)", i+1, text)
	}
	sql := compile.New(e.Source.Dialect(), catalog.From{Table: "t"}, nil)
	read := func(where *criteria.Node, sort ...criteria.Sort) string {
		q := compile.Query{Show: []*column.Column{id}, Key: []*column.Column{id}, Sort: sort, Zone: helsinki}
		if where != nil {
			q.Where = bound(where)
		}
		found, err := e.Read(sql.Select(q))
		require.NoError(t, err)
		return strings.Join(found, " ")
	}
	assert.Equal(t, "1", read(on(fare, criteria.Is, "12345678901234567.89")))
	assert.Equal(t, "2", read(on(fare, criteria.MoreThan, "12345678901234567.89")))
	assert.Equal(t, "4", read(on(fare, criteria.AnyOf, "10", "11")))
	assert.Equal(t, "3 4 6 9", read(on(fare, criteria.Within, "-3", "10.0")))
	assert.Equal(t, "5 6", read(on(fare, criteria.LessThan, "0")))
	assert.Equal(t, "1 2 3 4 5 6 7 8", read(on(fare, criteria.IsNot, "0")), "what has no value, or is no number, is not it")
	assert.Equal(t, "5 6 9 3 4 1 2 7 8", read(nil, criteria.Sort{Column: fare}))
	assert.Equal(t, "2 1 4 3 9 6 5 7 8", read(nil, criteria.Sort{Column: fare, Descending: true}))
	var many []string
	for i := range 60 {
		many = append(many, fmt.Sprint(i))
	}
	assert.Equal(t, "3 4 9", read(on(fare, criteria.AnyOf, many...)))
}
