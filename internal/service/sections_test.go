package service_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

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
		_, err = r.Stream(ctx, export.NewSections(export.JSON, r.Sending(&out, func() {}), r.Zone))
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
