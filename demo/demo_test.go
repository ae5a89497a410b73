package demo

import (
	"context"
	"crypto/sha256"
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/phrase"
)

var asOf = civil.MustParseDay("2026-11-23")

func filled(t *testing.T) Database {
	t.Helper()
	db, err := OpenFile(filepath.Join(t.TempDir(), "records.db"))
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	require.NoError(t, Fill(context.Background(), db, asOf))
	return db
}

func one[T any](t *testing.T, db Database, query string, args ...any) (value T) {
	t.Helper()
	require.NoError(t, db.QueryRow(query, args...).Scan(&value), query)
	return value
}

// content is a hash over all rows of a table, in order.
func content(t *testing.T, db Database, table string) string {
	t.Helper()
	rows, err := db.Query("SELECT * FROM " + table + " ORDER BY 1")
	require.NoError(t, err)
	defer rows.Close()
	names, err := rows.Columns()
	require.NoError(t, err)
	h := sha256.New()
	values := make([]any, len(names))
	for i := range values {
		values[i] = new(any)
	}
	for rows.Next() {
		require.NoError(t, rows.Scan(values...))
		for _, v := range values {
			fmt.Fprintf(h, "%v\x00", *v.(*any))
		}
	}
	require.NoError(t, rows.Err())
	return fmt.Sprintf("%x", h.Sum(nil))
}

func TestTheSameDayMakesTheSameRecords(t *testing.T) {
	db := filled(t)
	before := map[string]any{}
	for _, table := range tables {
		before[table.name] = content(t, db, table.name)
	}
	require.NoError(t, Fill(context.Background(), db, asOf), "filling again makes the tables anew")
	for _, table := range tables {
		assert.Equal(t, before[table.name], content(t, db, table.name), table.name)
	}
}

func TestWhatTheRecordsHold(t *testing.T) {
	db := filled(t)
	for table, about := range map[string]int{"sailings": 60_000, "bookings": 200_000, "waybills": 120_000, "fuel_deliveries": 4_000, "inspections": 3_000, "certificates": 900, "claims": 5_000} {
		n := one[int](t, db, "SELECT count(*) FROM "+table)
		assert.InDelta(t, about, n, float64(about)/10, table)
	}
	for _, c := range []struct{ what, query string }{
		{"sailings on the as-of day", "SELECT count(*) FROM sailings WHERE departed_at LIKE '2026-11-23%' AND status = 'sailed'"},
		{"sailings on sale", "SELECT count(*) FROM sailings WHERE status = 'on sale' AND departed_at > '2026-11-24' AND minutes_late IS NULL"},
		{"sailings in the first pass of the repeated hour", "SELECT count(*) FROM sailings WHERE departed_at >= '2026-10-25 00:00' AND departed_at < '2026-10-25 01:00'"},
		{"sailings in the second pass of the repeated hour", "SELECT count(*) FROM sailings WHERE departed_at >= '2026-10-25 01:00' AND departed_at < '2026-10-25 02:00'"},
		{"sailings just before local midnight", "SELECT count(*) FROM sailings WHERE departed_at LIKE '2026-07-__ 20:58:00'"},
		{"sailings at local midnight", "SELECT count(*) FROM sailings WHERE departed_at LIKE '2026-07-__ 21:00:00'"},
		{"missing fares", "SELECT count(*) FROM bookings WHERE fare IS NULL"},
		{"inspections without a due day", "SELECT count(*) FROM inspections WHERE due_on IS NULL"},
		{"certificates that expire later", "SELECT count(*) FROM certificates WHERE valid_until > '2026-11-23'"},
		{"open claims", "SELECT count(*) FROM claims WHERE closed_on IS NULL"},
		{"claims with a broken date", "SELECT count(*) FROM claims WHERE opened_on NOT GLOB '[0-9]*/[0-9]*/20[0-9][0-9]' OR opened_on LIKE '2/30/%' OR opened_on LIKE '13/%'"},
		{"names with apostrophes", "SELECT count(*) FROM waybills WHERE shipper LIKE '%''%'"},
		{"names with percent signs", "SELECT count(*) FROM waybills WHERE shipper LIKE '%!%%' ESCAPE '!'"},
		{"eight-digit days", "SELECT count(*) FROM waybills WHERE manifest_day = '20261123'"},
	} {
		assert.Positive(t, one[int](t, db, c.query), c.what)
	}
}

func TestDefinitionsFitTogether(t *testing.T) {
	var docs []catalog.Document
	for _, f := range Definitions(catalog.Embedded) {
		split, faults := definition.Split(f)
		require.Empty(t, faults)
		docs = append(docs, split...)
	}
	for _, day := range []string{"2024-02-29", "2026-11-23", "2027-01-01"} {
		defs, faults := definition.Link(docs, catalog.RefsOf(docs), phrase.Setting{AsOf: civil.MustParseDay(day)})
		require.Empty(t, faults, "as of %s", day)
		assert.GreaterOrEqual(t, len(defs.Reports), 3)
	}
}

func TestADayAtTheEndOfTheCalendarIsRefused(t *testing.T) {
	_, err := newWorld(civil.MaxDay)
	assert.EqualError(t, err, "the demo's as-of day lies too near the end of the calendar: 9999-12-31")
}
