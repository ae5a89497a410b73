package service_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/export"
	"pikegate/internal/service"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source/sourcetest"
)

// Totals that cannot be had in time are left out and said to be; the rows stand, and the sections after
// them.
func TestTotalsOfSectionsInTime(t *testing.T) {
	dir := t.TempDir()
	db, err := sql.Open("sqlite3", filepath.Join(dir, "records.db"))
	require.NoError(t, err)
	_, err = db.Exec(`CREATE TABLE t (id INTEGER PRIMARY KEY, n INTEGER); INSERT INTO t VALUES (1, 10), (2, 20), (3, NULL)`)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	for evidence, totals := range map[time.Duration]int{time.Minute: 1, time.Nanosecond: 0} {
		s, err := service.Open(ctx, base.Config{Dir: dir, RunTime: time.Minute, EvidenceTime: evidence, Now: time.Now, Sources: sourcetest.Rules})
		require.NoError(t, err)
		_, err = s.Publisher.Put(ctx, publish.Put{Files: file(`
{pikegate: 1, source: own, zone: UTC}
---
{pikegate: 1, dataset: t, source: own, table: t, key: [id], columns: {id: {type: integer}, n: {type: integer, unit: kg}}}
---
{pikegate: 1, query: q, of: t, show: [id, n], sort: [id]}
---
{pikegate: 1, report: r, title: R, sections: [{table: {query: q, totals: [n]}}, {figure: {query: q, summary: {sum: n}}}]}
`)})
		require.NoError(t, err)
		r, err := s.Runs.Prepare(ctx, "r", answer.Request{Evidence: true})
		require.NoError(t, err)
		var out bytes.Buffer
		_, err = r.Stream(ctx, export.NewSections(export.JSON, r.Sending(&out, func() {}, nil), r.Zone))
		require.NoError(t, err)
		var told struct {
			Sections []struct {
				receipt.Section
				Rows [][]any
			}
		}
		require.NoError(t, json.Unmarshal(out.Bytes(), &told))
		require.Len(t, told.Sections, 2)
		assert.Len(t, told.Sections[0].Rows, 3)
		assert.Len(t, told.Sections[0].Totals, totals)
		if totals == 0 {
			assert.Equal(t, []string{"The totals are not told: it took longer than evidence may."}, told.Sections[0].Notes)
		}
		assert.Empty(t, told.Sections[0].Problem)
		assert.Equal(t, "30", string(told.Sections[1].Value))
		require.NoError(t, s.Close())
	}
}

// A sum leaves out what is no number, in whichever column that is, and says of how many records; NaN
// and infinities of PostgreSQL are such.
func TestSumsOfWhatIsNoNumber(t *testing.T) {
	e := sourcetest.Open(t, catalog.Postgres)
	e.Exec(t, "CREATE TABLE t (id integer PRIMARY KEY, route text, fare numeric, weight double precision)")
	e.Exec(t, "INSERT INTO t VALUES (1, 'a', 10.25, 1.5), (2, 'a', 'NaN', 2), (3, 'a', NULL, 'NaN'), (4, 'b', 'Infinity', '-Infinity'), (5, 'b', '-Infinity', 4), (6, 'b', 2, 8)")
	s := shore(t)
	putting(t, s, fmt.Sprintf("{pikegate: 1, source: sound, zone: UTC, engine: postgres, address: {env: %s}, schema: %s}", e.At.Address.Env, e.At.Schema),
		"{pikegate: 1, dataset: t, source: sound, table: t, key: [id], columns: {id: {type: integer}, route: {type: text}, fare: {type: decimal, scale: 2}, weight: {type: number}}}",
		"{pikegate: 1, query: q, of: t, group: [route], summaries: {fares: {sum: fare}, mean: {average: fare}, weights: {sum: weight}, heaviest: {greatest: weight}}, sort: [route]}",
		"{pikegate: 1, query: rows, of: t, show: [id, fare], sort: [id]}",
		"{pikegate: 1, report: r, title: R, sections: [{table: {query: q, totals: [fares]}}]}",
		"{pikegate: 1, query: least, of: t, show: [id, fare], where: {fare: {at_least: 5}}, sort: [id]}",
		"{pikegate: 1, query: most, of: t, show: [id, fare], where: {fare: {at_most: 5}}, sort: [id]}",
		"{pikegate: 1, report: rows, title: Rows, sections: [{table: {query: rows, totals: [fare]}}]}",
		"{pikegate: 1, report: least, title: At least, sections: [{table: {query: least}}]}",
		"{pikegate: 1, report: most, title: At most, sections: [{table: {query: most}}]}")
	got := asked(t, s, "r", answer.Request{})
	assert.Equal(t, [][]any{{"a", "10.25", "10.2500", 3.5, 2.0}, {"b", "2.00", "2.0000", 12.0, 8.0}}, got.Rows)
	assert.Equal(t, []receipt.LeftOut{{Figure: "fares", Label: "fares", Missing: 1, Unreadable: 3}, {Figure: "mean", Label: "mean", Missing: 1, Unreadable: 3},
		{Figure: "weights", Label: "weights", Unreadable: 2}, {Figure: "heaviest", Label: "heaviest", Unreadable: 2}}, got.Receipt.LeftOut)
	for report, ids := range map[string]string{"rows": "1 2 3 4 5 6", "least": "1", "most": "6"} {
		got := asked(t, s, report, answer.Request{})
		assert.Equal(t, ids, got.ids(), report)
		if report == "rows" {
			assert.Equal(t, []receipt.Total{{Column: "fare", Label: "fare", Value: "12.25"}}, got.Receipt.Totals)
		}
	}
}
