package source_test

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/value"
	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

var placeholder = regexp.MustCompile(`(^|[^:]):([a-z]\w*)`)

// The honest statements of package customsql are such: each engine understands its own.
func TestHonestStatementsAreSQL(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		text := map[catalog.Engine]string{catalog.SQLite: "TEXT", catalog.Postgres: "text", catalog.MariaDB: "VARCHAR(100)"}[e.Name]
		at := map[catalog.Engine]string{catalog.SQLite: "TEXT", catalog.Postgres: "timestamp", catalog.MariaDB: "DATETIME"}[e.Name]
		e.Exec(t, "CREATE TABLE sailings (id INTEGER PRIMARY KEY, route "+text+", ship "+text+", departed "+at+", day "+text+", party INTEGER, fare DECIMAL(10, 2), code "+text+")")
		e.Exec(t, "CREATE TABLE bookings (id INTEGER PRIMARY KEY, sailing INTEGER, party INTEGER, paid DECIMAL(10, 2), booked_on "+text+")")
		all, err := os.ReadFile("../core/customsql/testdata/" + string(e.Name) + "/honest.txt")
		require.NoError(t, err)
		for line := range strings.Lines(string(all)) {
			statement := strings.TrimRight(strings.NewReplacer("AND :criteria", "", "(:routes)", "('x')").Replace(line), ";\n ")
			statement = placeholder.ReplaceAllString(statement, "$1'2026-01-01'")
			err := e.Source.View(ctx, func(v source.View) error {
				return v.Rows(ctx, only("EXPLAIN "+statement), func([]value.Value) error { return nil })
			})
			assert.NoError(t, err, statement)
		}
	})
}
