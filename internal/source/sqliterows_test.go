package source_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/value"
	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

// rowsOf reads all rows of a statement.
func rowsOf(e sourcetest.Engine, sql string) (rows [][]value.Value, err error) {
	err = e.Source.View(ctx, func(v source.View) error {
		return v.Rows(ctx, only(sql), func(row []value.Value) error {
			kept := make([]value.Value, len(row))
			for i, val := range row {
				kept[i] = val.Clone()
			}
			rows = append(rows, kept)
			return nil
		})
	})
	return rows, err
}

// Every sort of value comes as it is stored, whatever type its column was declared with.
func TestSQLiteValues(t *testing.T) {
	e := sourcetest.Open(t, catalog.SQLite)
	e.Exec(t, "CREATE TABLE t (a DATETIME, b BOOLEAN, c TIMESTAMP, d)")
	e.Exec(t, `INSERT INTO t VALUES ('2026-02-30 25:00', 7, 1772668800, x'00ff41'), ('', -1, NULL, 2.5), (char(97, 0, 98), 'yes', 1e300, zeroblob(0))`)
	rows, err := rowsOf(e, "SELECT a, b, c, d FROM t ORDER BY rowid")
	require.NoError(t, err)
	assert.Equal(t, [][]value.Value{
		{value.Chars("2026-02-30 25:00"), value.Whole(7), value.Whole(1772668800), value.Chars("\x00\xffA")},
		{value.Chars(""), value.Whole(-1), {}, value.Real(2.5)},
		{value.Chars("a\x00b"), value.Chars("yes"), value.Real(1e300), value.Chars("")},
	}, rows)
}

// Rows that are longer than what there is room for come whole, in their order.
func TestSQLiteRowsOfAnyLength(t *testing.T) {
	e := sourcetest.Open(t, catalog.SQLite)
	numbers(t, e, 1)
	rows, err := rowsOf(e, "WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 3000) SELECT i, substr(hex(zeroblob(1 + i * i % 60000)), 1, i * i % 100000), 'end ' || i FROM n")
	require.NoError(t, err)
	require.Len(t, rows, 3000)
	for at, row := range rows {
		i := at + 1
		n, _ := row[0].Int()
		text, _ := row[1].Chars()
		require.Equal(t, int64(i), n)
		require.Equal(t, strings.Repeat("0", min(2*(1+i*i%60000), i*i%100000)), text, "row %d", i)
		require.Equal(t, value.Chars("end "+row[0].String()), row[2])
	}
}

// A statement that fails among its rows tells why, and hands on none but those before.
func TestSQLiteFailsAmongItsRows(t *testing.T) {
	e := sourcetest.Open(t, catalog.SQLite)
	numbers(t, e, 1)
	for _, at := range []int{1, 2, 100, 129, 5000} {
		rows, err := rowsOf(e, strings.ReplaceAll("WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 9000) SELECT abs(iif(i = AT, -9223372036854775808, i)) FROM n", "AT", value.Whole(int64(at)).String()))
		require.ErrorContains(t, err, "integer overflow")
		assert.Less(t, len(rows), at)
		for i, row := range rows {
			require.Equal(t, value.Whole(int64(i+1)), row[0])
		}
	}
}
