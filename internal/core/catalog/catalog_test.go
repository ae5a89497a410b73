package catalog

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

var (
	harbour = Ref{KindSource, "harbour"}
	calls   = Ref{KindDataset, "calls"}
	days    = Ref{KindPrompt, "days"}
	late    = Ref{KindQuery, "late"}
	report  = Ref{KindReport, "late"}
)

// A report on a query, which asks for days and reads a dataset of a source.
func latecomers() *Catalog {
	c := New()
	c.Users[harbour] = []Ref{calls}
	c.Users[calls] = []Ref{late}
	c.Users[days] = []Ref{late, report}
	c.Users[late] = []Ref{report}
	return c
}

func TestWhatDefinitionsAreMadeOf(t *testing.T) {
	c := latecomers()
	assert.Equal(t, []Ref{report, late, days, calls, harbour}, c.PartsOf(report), "what builds on others comes first")
	assert.Equal(t, []Ref{harbour}, c.PartsOf(harbour))

	assert.Equal(t, map[Ref]bool{calls: true, late: true, report: true}, BuildingOn(harbour, c))
	assert.Empty(t, BuildingOn(report, c))
	other := New()
	other.Users[report] = []Ref{{KindProof, "november"}}
	assert.Len(t, BuildingOn(late, c, other), 2, "over two catalogs: a draft's and the published one")
}

func TestNames(t *testing.T) {
	for name, is := range map[string]bool{
		"late": true, "late-sailings_2": true, "l8": true,
		"": false, "Late": false, "8late": false, "late-": false, "late--sailings": false, "late sailings": false,
		"läte": false, "late\n": false, strings.Repeat("x", 100): true, strings.Repeat("x", 101): false,
	} {
		assert.Equal(t, is, IsName(name), "%q", name)
		assert.Equal(t, is, Ref{KindQuery, name}.IsValid(), "%q", name)
	}
	assert.False(t, Ref{"table", "late"}.IsValid())
	assert.Equal(t, "query late", late.String())
}

func TestDatasetsOnOthers(t *testing.T) {
	trips := &Dataset{Name: "trips"}
	night := &Dataset{Name: "night", Base: trips}
	storm := &Dataset{Name: "storm", Base: night}
	assert.Same(t, trips, storm.Root())
	assert.True(t, storm.IsOn(trips))
	assert.True(t, storm.IsOn(storm))
	assert.False(t, trips.IsOn(storm))
	assert.Nil(t, trips.Column("on"))
}

// Place ignores the limits of a connection.
func TestPlaces(t *testing.T) {
	one := Connection{Engine: Postgres, Address: Reference{Env: "SHORE"}, Schema: "sound", AtOnce: 2, Rows: 10}
	assert.Equal(t, Connection{Engine: Postgres, Address: Reference{Env: "SHORE"}, Schema: "sound"}, one.Place())
	other := one
	other.Schema = "coast"
	assert.NotEqual(t, one.Place(), other.Place())
	assert.True(t, Connection{Engine: SQLite}.IsSQLite())
	assert.False(t, one.IsSQLite())
}

func TestSchedulesInWords(t *testing.T) {
	proof := func(name string) *Proof { return &Proof{Name: name} }
	for want, c := range map[string]Checks{
		"all proofs, and what is found in definitions": {Findings: true},
		"all proofs":                    {},
		"the proof november":            {Proofs: []*Proof{proof("november")}},
		"the proofs november and april": {Proofs: []*Proof{proof("november"), proof("april")}},
	} {
		assert.Equal(t, want, c.String())
	}
	assert.Equal(t, "mail", Sending{Mail: &Mail{}}.String())
	assert.Equal(t, "folder daily/late", Sending{Folder: &Folder{Path: "daily/late"}}.String())
	assert.Equal(t, "hook https://pier.example/in", Sending{Hook: &Hook{URL: "https://pier.example/in"}}.String())
	assert.Equal(t, "records more than 20", When{WhenMore, 20}.String())
	assert.Equal(t, "changed", When{Kind: WhenChanged}.String())
}
