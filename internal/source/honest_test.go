package source_test

import (
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/definition"
	"pikegate/internal/core/record"
	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

var placeholder = regexp.MustCompile(`(^|[^:]):([a-z]\w*)`)

// The honest statements of package ownsql are such: each engine understands its own.
func TestHonestStatementsAreSQL(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		text := map[definition.Engine]string{definition.SQLite: "TEXT", definition.Postgres: "text", definition.MariaDB: "VARCHAR(100)"}[e.Name]
		at := map[definition.Engine]string{definition.SQLite: "TEXT", definition.Postgres: "timestamp", definition.MariaDB: "DATETIME"}[e.Name]
		e.Exec(t, "CREATE TABLE sailings (id INTEGER PRIMARY KEY, route "+text+", ship "+text+", departed "+at+", day "+text+", party INTEGER, fare DECIMAL(10, 2), code "+text+")")
		e.Exec(t, "CREATE TABLE bookings (id INTEGER PRIMARY KEY, sailing INTEGER, party INTEGER, paid DECIMAL(10, 2), booked_on "+text+")")
		all, err := os.ReadFile("../core/ownsql/testdata/" + string(e.Name) + "/honest.txt")
		require.NoError(t, err)
		for line := range strings.Lines(string(all)) {
			statement := strings.TrimRight(strings.NewReplacer("AND :criteria", "", "(:routes)", "('x')").Replace(line), ";\n ")
			statement = placeholder.ReplaceAllString(statement, "$1'2026-01-01'")
			err := e.Source.View(ctx, func(v source.View) error {
				return v.Rows(ctx, only("EXPLAIN "+statement), func([]record.Value) error { return nil })
			})
			assert.NoError(t, err, statement)
		}
	})
}
