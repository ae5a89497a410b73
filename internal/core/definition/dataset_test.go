package definition

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
)

func catalogOf(t *testing.T, text string) *catalog.Catalog {
	t.Helper()
	docs, faults := Split(catalog.File{Name: "f.yaml", Text: text})
	require.Empty(t, faults)
	defs, faults := Link(docs, catalog.RefsOf(docs), setting)
	require.Empty(t, faults, "%v", faults)
	return defs
}

func TestConnections(t *testing.T) {
	defs := catalogOf(t, `{pikegate: 1, source: own, zone: Europe/Helsinki}
---
{pikegate: 1, source: file, zone: Europe/Helsinki, engine: sqlite, file: ferries.db}
---
{pikegate: 1, source: shore, zone: Europe/Helsinki, engine: postgres, address: {env: SHORE}, password: {file: /run/secrets/shore}, schema: s, limits: {time: 90s, rows: 1000, at_once: 2, waiting: 0}}
`)
	assert.Equal(t, catalog.Connection{Engine: catalog.Embedded, AtOnce: 8, Waiting: 64}, defs.Sources["own"].At)
	assert.Equal(t, catalog.Connection{Engine: catalog.SQLite, File: "ferries.db", AtOnce: 8, Waiting: 64}, defs.Sources["file"].At)
	assert.Equal(t, catalog.Connection{Engine: catalog.Postgres, Address: catalog.Reference{Env: "SHORE"}, Password: catalog.Reference{File: "/run/secrets/shore"}, Schema: "s", Time: 90 * time.Second, Rows: 1000, AtOnce: 2}, defs.Sources["shore"].At)
	assert.True(t, defs.Sources["own"].At.IsSQLite() && defs.Sources["file"].At.IsSQLite() && !defs.Sources["shore"].At.IsSQLite())
}

const fleet = `{pikegate: 1, source: own, zone: Europe/Helsinki}
---
{pikegate: 1, prompt: days, ask: When, type: period, required: true}
---
{pikegate: 1, prompt: least, ask: How many, type: number, required: true}
---
pikegate: 1
dataset: joined
source: own
table: sailings
joins:
  - {table: vessels, as: v, key: [name], on: {name: vessel}}
  - {table: ports, key: [port], on: {port: home}, keep: all}
key: [id]
columns:
  id: {type: integer}
  vessel: {type: text, column: ship}
  home: {type: text, table: v, column: port}
  town: {type: text, table: ports}
  on: {type: date, stored: yyyymmdd}
---
{pikegate: 1, dataset: recent, of: joined, where: {on: {within: {prompt: days}}}}
---
{pikegate: 1, dataset: recent-towns, of: recent, where: {town: present}, columns: [town, on]}
---
{pikegate: 1, filter: afloat, of: joined, where: {vessel: present}}
---
{pikegate: 1, query: q, of: recent-towns, show: [on, town], where: {filter: afloat}, sort: [on]}
---
{pikegate: 1, report: r, title: R, prompts: [days], sections: [{table: {query: q}}]}
`

func TestJoinedAndDerivedDatasets(t *testing.T) {
	defs := catalogOf(t, fleet)
	joined := defs.Datasets["joined"]
	assert.Equal(t, []catalog.Join{
		{Table: "vessels", As: "v", On: []catalog.Pair{{Column: "name", Equals: catalog.Origin{Name: "vessel", Table: "sailings", Column: "ship"}}}},
		{Table: "ports", As: "ports", Left: true, On: []catalog.Pair{{Column: "port", Equals: catalog.Origin{Name: "home", Table: "v", Column: "port"}}}},
	}, joined.From.Joins)
	assert.Equal(t, map[string]string{"sailings": "sailings", "v": "vessels", "ports": "ports"}, joined.From.Tables())
	assert.False(t, joined.From.IsPlain())

	towns := defs.Datasets["recent-towns"]
	assert.True(t, towns.IsOn(joined) && towns.IsOn(towns) && !joined.IsOn(towns))
	var names []string
	for _, c := range towns.Columns {
		names = append(names, c.Name)
		assert.Same(t, joined.Column(c.Name), c, "a column is the same in all of them")
	}
	assert.Equal(t, []string{"town", "on", "id"}, names, "the key stays")
	assert.Same(t, defs.Prompts["days"], defs.Queries["q"].Prompts[0], "what a dataset asks, its queries ask")
	assert.Empty(t, defs.Warnings[catalog.Ref{Kind: catalog.KindReport, Name: "r"}])
	assert.ElementsMatch(t, []catalog.Ref{{Kind: catalog.KindDataset, Name: "recent"}, {Kind: catalog.KindFilter, Name: "afloat"}}, defs.Users[catalog.Ref{Kind: catalog.KindDataset, Name: "joined"}])
	conditions := 0
	for _, n := range defs.Reports["r"].Main().Criteria().Nodes {
		conditions += max(1, len(n.Nodes))
	}
	assert.Equal(t, 3, conditions, "its bases' and its own")

	// A report that leaves out what a dataset beneath asks is refused.
	docs, _ := Split(catalog.File{Name: "f.yaml", Text: fleet + "---\n{pikegate: 1, report: s, title: S, prompts: [], sections: [{table: {query: q}}]}\n"})
	_, faults := Link(docs, catalog.RefsOf(docs), setting)
	assert.Equal(t, []fault.Code{fault.PromptNotAsked}, codes(faults))
	// Conditions that fight those of a dataset beneath are found.
	docs, _ = Split(catalog.File{Name: "f.yaml", Text: fleet + "---\n{pikegate: 1, query: none, of: recent-towns, show: [on], where: {town: missing}, sort: [on]}\n"})
	_, faults = Link(docs, catalog.RefsOf(docs), setting)
	assert.Equal(t, []fault.Code{fault.NeverHolds}, codes(faults))
}

// What criteria can never mean is found of what a change touches: the documents that changed and
// those that build on them, at once or by others.
func TestWhatAChangeTouches(t *testing.T) {
	docs, _ := Split(catalog.File{Name: "f.yaml", Text: fleet + `---
{pikegate: 1, query: none, of: recent-towns, show: [on], where: {town: missing}, sort: [on]}
---
{pikegate: 1, period: season, from: 1 Apr, through: 30 Sep}
`})
	ref := func(kind catalog.Kind, name string) catalog.Ref { return catalog.Ref{Kind: kind, Name: name} }
	for _, c := range []struct {
		changed catalog.Ref
		found   bool
	}{
		{ref(catalog.KindQuery, "none"), true},
		{ref(catalog.KindDataset, "recent-towns"), true},
		{ref(catalog.KindDataset, "joined"), true}, // which the datasets in between build on
		{ref(catalog.KindSource, "own"), true},
		{ref(catalog.KindPeriod, "season"), true}, // which any phrase may name
		{ref(catalog.KindQuery, "q"), false},
		{ref(catalog.KindReport, "r"), false},
	} {
		_, faults := Link(docs, []catalog.Ref{c.changed}, setting)
		assert.Equal(t, c.found, len(faults) == 1 && faults[0].Code == fault.NeverHolds, "%s: %v", c.changed, faults)
	}
}

func codes(faults fault.List) (all []fault.Code) {
	for _, f := range faults {
		all = append(all, f.Code)
	}
	return all
}

func TestValuesOfOwnSQL(t *testing.T) {
	defs := catalogOf(t, fleet+`---
pikegate: 1
dataset: own
source: own
sql: SELECT id, on_day FROM t WHERE on_day >= :days_first AND on_day < :days_next_day AND n > :least AND x <= :days_last
values: {days_last: on_day}
key: [id]
columns: {id: {type: integer}, on_day: {type: date, stored: yyyymmdd}}
`)
	own := defs.Datasets["own"]
	day := own.Column("on_day")
	days, least := defs.Prompts["days"], defs.Prompts["least"]
	assert.Equal(t, map[int]catalog.Placeholder{1: {Prompt: days, Part: catalog.FirstDay, Column: day}, 3: {Prompt: days, Part: catalog.NextDay, Column: day}, 5: {Prompt: least}, 7: {Prompt: days, Part: catalog.LastDay, Column: day}}, own.Values)
	assert.Contains(t, defs.Users[catalog.Ref{Kind: catalog.KindPrompt, Name: "days"}], catalog.Ref{Kind: catalog.KindDataset, Name: "own"})
	assert.Len(t, own.Prompts, 2)
	assert.Nil(t, own.From.Tables())
}
