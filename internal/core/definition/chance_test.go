package definition_test

import (
	"os"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/edit"
	"pikegate/internal/core/phrase"
)

// TestEditedByChance edits parts of the demo's definitions to what stands there while somebody is
// writing: nothing, an empty list, one word. Whatever comes of it is told, and nothing panics.
func TestEditedByChance(t *testing.T) {
	files, err := filepath.Glob("../../../demo/definitions/*.yaml")
	require.NoError(t, err)
	var docs []catalog.Document
	for _, name := range files {
		text, err := os.ReadFile(name)
		require.NoError(t, err)
		split, faults := definition.Split(catalog.File{Name: filepath.Base(name), Text: string(text)})
		require.Empty(t, faults)
		docs = append(docs, split...)
	}
	setting := phrase.Setting{AsOf: civil.MustParseDay("2026-11-23"), Zone: time.UTC}
	var values []*edit.Node
	for _, json := range []string{`""`, `[]`, `{}`, `null`, `"x"`, `-1`, `[""]`, `{"prompt": ""}`, `{"all": []}`, `true`, `"2026-02-30"`} {
		v, err := edit.Value([]byte(json))
		require.NoError(t, err)
		values = append(values, v)
	}
	rapid.Check(t, func(rt *rapid.T) {
		i := rapid.IntRange(0, len(docs)-1).Draw(rt, "document")
		d, err := edit.Parse(docs[i].Text)
		require.NoError(rt, err)
		for range rapid.IntRange(1, 3).Draw(rt, "edits") {
			var paths []string
			d.Root.Walk(func(path string, _ *edit.Node) { paths = append(paths, path) })
			e := edit.Edit{Op: edit.Set, Path: rapid.SampledFrom(paths).Draw(rt, "path"), Value: rapid.SampledFrom(values).Draw(rt, "value")}
			if rapid.IntRange(0, 4).Draw(rt, "remove") == 0 {
				e.Op = edit.Remove
			}
			if after, _, err := d.Apply(e); err == nil {
				d = after
			}
		}
		edited := slices.Clone(docs)
		split, faults := definition.Split(catalog.File{Name: "edited.yaml", Text: d.Text})
		if len(split) != 1 || len(faults) > 0 {
			return
		}
		edited[i] = split[0]
		defs, _ := definition.Link(edited, []catalog.Ref{split[0].Ref}, setting)
		require.NotNil(rt, defs)
		definition.Load(edited, setting)
	})
}

// What a condition is compared with may be missing while it is written: that is a fault, and no more.
func TestConditionsWithoutAValue(t *testing.T) {
	const rest = `{pikegate: 1, source: s, zone: UTC}
---
{pikegate: 1, dataset: d, source: s, table: d, key: [id], columns: {id: {type: integer}, name: {type: text}, on: {type: date, stored: yyyymmdd}, paid: {type: yes-no}}}
---
{pikegate: 1, query: q, of: d, show: [id], sort: [id], where: `
	for _, where := range []string{
		`{id: {at_least: {prompt: ""}}}`, `{id: {at_least: {prompt: null}}}`, `{id: {at_least: {}}}`, `{id: {at_least: []}}`, `{id: {at_least: x}}`, `{id: {within: []}}`, `{id: {less_than: null}}`,
		`{name: {starts_with: {}}}`, `{name: {starts_with: null}}`, `{on: {before: {}}}`, `{paid: {is: {}}}`, `{none: [{id: {more_than: {}}}]}`, `{id: {not_within: []}}`,
	} {
		docs, faults := definition.Split(catalog.File{Name: "a.yaml", Text: rest + where + "}\n"})
		require.Empty(t, faults, where)
		_, broken := definition.Link(docs, []catalog.Ref{{Kind: catalog.KindQuery, Name: "q"}}, phrase.Setting{AsOf: civil.MustParseDay("2026-11-23"), Zone: time.UTC})
		require.NotEmpty(t, broken, where)
	}
}
