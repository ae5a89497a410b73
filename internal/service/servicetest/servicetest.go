// Package servicetest opens a small service for the tests of the packages below it.
package servicetest

import (
	"context"
	"database/sql"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
)

// Now is what the clock of the service shows: ten in the morning in Helsinki.
var Now = time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)

// calls are six calls of three ships, one without a day.
const calls = `CREATE TABLE calls (id INTEGER PRIMARY KEY, day TEXT, ship TEXT);
INSERT INTO calls VALUES (1, '2026-10-31', 'Tern'), (2, '2026-11-01', 'Tern'), (3, '2026-11-02', 'Marram'),
	(4, '2026-11-30', 'Skua'), (5, '2026-12-01', 'Tern'), (6, NULL, 'Skua')`

// definitions are a report on them, which asks for days and a ship.
const definitions = `{pikegate: 1, source: shore, zone: Europe/Helsinki}
---
pikegate: 1
dataset: calls
source: shore
table: calls
key: [id]
columns:
  id: {type: integer}
  day: {type: date, stored: text, pattern: yyyy-MM-dd}
  ship: {type: text}
---
{pikegate: 1, prompt: days, ask: When, type: period, default: this month}
---
{pikegate: 1, prompt: ship, ask: Which ship, type: choice, choices: {of: calls, value: ship}}
---
pikegate: 1
query: calls
of: calls
show: [id, day, ship]
where: {all: [{day: {within: {prompt: days}}}, {ship: {is: {prompt: ship}}}]}
sort: [day]
---
{pikegate: 1, report: calls, title: Calls, prompts: [days, ship], sections: [{table: {query: calls}}]}
`

// Open opens a service in which Ines, a developer, has published a report on calls of ships.
func Open(t testing.TB) (s *service.Service, ines context.Context) {
	t.Helper()
	dir := t.TempDir()
	records, err := sql.Open("sqlite3", base.RecordsPath(dir))
	require.NoError(t, err)
	_, err = records.Exec(calls)
	require.NoError(t, err)
	require.NoError(t, records.Close())
	s, err = service.Open(t.Context(), base.Config{
		Dir:     dir,
		RunTime: time.Minute,
		Now:     func() time.Time { return Now },
		Log:     slog.New(slog.DiscardHandler),
	})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	ines = base.WithPerson(t.Context(), base.Person{Name: "Ines", Role: base.Developer})
	_, err = s.Publisher.Put(ines, publish.Put{Files: []catalog.File{{Name: "calls.yaml", Text: definitions}}})
	require.NoError(t, err)
	return s, ines
}
