package definition

import (
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

var update = flag.Bool("update", false, "write the findings of testdata anew")

var setting = phrase.Setting{AsOf: civil.MustParseDay("2026-11-23")}

// foundIn are the findings of a file beside definitions that are right.
func foundIn(good []catalog.Document, name, text string) fault.List {
	docs, faults := Split(catalog.File{Name: name, Text: text})
	if len(faults) > 0 {
		return faults
	}
	c, faults := Link(slices.Concat(good, docs), catalog.RefsOf(docs), setting)
	for _, d := range docs {
		faults = append(faults, c.Warnings[d.Ref]...)
	}
	return faults
}

// Every wrong definition of testdata/wrong gets exactly its findings, each with
// its place, sentence, suggestion and code.
func TestWrongDefinitions(t *testing.T) {
	archives, err := filepath.Glob("testdata/wrong/*.txtar")
	require.NoError(t, err)
	require.NotEmpty(t, archives)
	for _, path := range archives {
		archive, err := txtar.ParseFile(path)
		require.NoError(t, err)
		text := map[string]string{}
		for _, f := range archive.Files {
			text[f.Name] = string(f.Data)
		}
		var good []catalog.Document
		if beside, ok := text["good.yaml"]; ok {
			docs, faults := Split(catalog.File{Name: "good.yaml", Text: beside})
			require.Empty(t, faults)
			good = docs
		}
		for _, f := range archive.Files {
			name, isCase := strings.CutSuffix(f.Name, ".yaml")
			if !isCase || name == "good" {
				continue
			}
			faults := foundIn(good, f.Name, text[f.Name])
			if *update {
				i := slices.IndexFunc(archive.Files, func(f txtar.File) bool { return f.Name == name+".want" })
				archive.Files[i].Data = []byte(faults.Error() + "\n")
				continue
			}
			assert.Equal(t, strings.TrimSpace(text[name+".want"]), faults.Error(), "%s in %s", f.Name, path)
		}
		if *update {
			require.NoError(t, os.WriteFile(path, txtar.Format(archive), 0o644))
		}
	}
}

const good = `# Kept with what follows it.
pikegate: 1
source: harbour
zone: Europe/Helsinki
clock: Harbour time
---
pikegate: 1
dataset: sailings
title: Sailings
source: harbour
table: sailings
key: [id]
columns:
  id: {type: integer}
  "from harbour": {type: text, label: From} # a name with a blank in it
  departed_at: {type: instant, stored: text, pattern: "yyyy-MM-dd HH:mm:ss"}
---
pikegate: 1
prompt: days
ask: Which days?
type: period
longest: 1 year
---
pikegate: 1
query: late
of: sailings
show: [departed_at, from harbour]
where:
  any:
    - departed_at: {within: {prompt: days}}
    - departed_at: missing
sort: [departed_at descending]
---
pikegate: 1
report: late
title: Late
prompts: [days]
sections:
  - table: {query: late}
`

func TestLinking(t *testing.T) {
	docs, faults := Split(catalog.File{Name: "good.yaml", Text: good})
	require.Empty(t, faults)
	require.Len(t, docs, 5)
	assert.Contains(t, docs[0].Text, "# Kept with what follows it.")
	assert.Equal(t, 7, docs[1].Line)

	c, faults := Link(docs, catalog.RefsOf(docs), setting)
	require.Empty(t, faults)
	r := c.Reports["late"]
	q := r.Main().Query
	assert.Equal(t, "Harbour time", q.Of.Source.Clock)
	assert.Equal(t, "From", q.Show[1].Label)
	assert.Equal(t, criteria.Any, q.Where.Logic)
	assert.Equal(t, criteria.Missing, q.Where.Nodes[1].Op)
	assert.Same(t, r.Prompts[0], q.Where.Nodes[0].Operand.Prompt)
	assert.True(t, q.Sort[0].Descending)
	assert.Equal(t, "1 year", r.Prompts[0].Longest.String())
}

// What was stored and does not fit any more is left out with all that builds
// on it; nothing in the catalog lacks a part.
func TestLoadingLeavesOutWhatIsBroken(t *testing.T) {
	docs, _ := Split(catalog.File{Name: "good.yaml", Text: strings.Replace(good, "- departed_at: missing", "- arrived_at: missing", 1)})
	c, faults := Load(docs, setting)
	require.Len(t, faults, 2)
	codes := []fault.Code{}
	for _, wrong := range faults {
		codes = append(codes, wrong[0].Code)
	}
	assert.ElementsMatch(t, []fault.Code{fault.UnknownColumn, fault.UnknownQuery}, codes)
	assert.Empty(t, c.Queries)
	assert.Empty(t, c.Reports)
	assert.NotEmpty(t, c.Datasets)

	late := strings.Replace(good, "longest: 1 year", "default: 1 Jan 2026\nlatest: 1 Jan 2026", 1)
	docs, _ = Split(catalog.File{Name: "good.yaml", Text: late})
	c, faults = Load(docs, phrase.Setting{AsOf: civil.MustParseDay("2020-01-01")})
	assert.Empty(t, faults)
	assert.NotEmpty(t, c.Reports)
}

func TestNotText(t *testing.T) {
	_, faults := Split(catalog.File{Name: "a.yaml", Text: "pikegate: \xff"})
	assert.Equal(t, "a.yaml: the file is not UTF-8 text [not_text]", faults.Error())
}

func FuzzSplit(f *testing.F) {
	f.Add(good)
	f.Add("pikegate: 1\nprompt: {a: b}\n---\n- x\n")
	base, err := os.ReadFile("testdata/beginners/base.yaml")
	require.NoError(f, err)
	mistakes, err := filepath.Glob("testdata/beginners/*.txtar")
	require.NoError(f, err)
	for _, path := range mistakes {
		archive, err := txtar.ParseFile(path)
		require.NoError(f, err)
		f.Add(string(base) + "---\n" + string(archive.Files[0].Data))
	}
	f.Fuzz(func(t *testing.T, text string) {
		docs, faults := Split(catalog.File{Name: "a.yaml", Text: text})
		if len(faults) > 0 {
			return
		}
		_, faults = Link(docs, catalog.RefsOf(docs), setting)
		for _, found := range faults {
			require.NotEmpty(t, found.Code)
			require.NotEqual(t, fault.Place{}, found.Place)
		}
	})
}

// A thousand definitions, checked with all findings.
func BenchmarkCheckAThousand(b *testing.B) {
	var text strings.Builder
	text.WriteString(good)
	for i := range 332 {
		fmt.Fprintf(&text, `---
{pikegate: 1, prompt: days-%[1]d, ask: When, type: period, default: last month, latest: today, longest: 400 days}
---
pikegate: 1
query: q-%[1]d
of: sailings
show: [departed_at, from harbour]
where: {all: [{departed_at: {within: {prompt: days-%[1]d}}}, {any: [{from harbour: {starts_with: Out}}, {id: {more_than: %[1]d}}]}]}
sort: [departed_at]
---
{pikegate: 1, report: r-%[1]d, title: R, prompts: [days-%[1]d], sections: [{table: {query: q-%[1]d}}]}
`, i)
	}
	files := []catalog.File{{Name: "many.yaml", Text: text.String()}}
	for b.Loop() {
		if docs, _, found := Check(files, nil, setting); len(docs) < 1000 || len(found) > 10 {
			b.Fatal(len(docs), found)
		}
	}
}

// The order of documents makes no difference: what is defined later is found all the same.
func TestTheOrderOfDocuments(t *testing.T) {
	text := `{pikegate: 1, source: shore, zone: Europe/Helsinki}
---
{pikegate: 1, dataset: a, source: shore, sql: "SELECT id, ship FROM t WHERE ship = :ship", key: [id], columns: {id: {type: integer}, ship: {type: text}}}
---
{pikegate: 1, dataset: b, of: c}
---
{pikegate: 1, dataset: c, source: shore, table: ships, key: [ship], columns: {ship: {type: text}, since: {type: date, stored: yyyymmdd}}}
---
{pikegate: 1, period: summer-season, from: 1 Jun, through: 31 Aug}
---
{pikegate: 1, prompt: ship, ask: Which, type: choice, required: true, choices: {of: b, value: ship, where: {since: {within: {prompt: when}}}}}
---
{pikegate: 1, prompt: when, ask: When, type: period, default: last summer-season}
---
{pikegate: 1, filter: f, of: c, where: {filter: g}}
---
{pikegate: 1, filter: g, of: b, where: {since: {within: last summer-season}}}
---
{pikegate: 1, query: q, of: a, show: [id], sort: [id]}
---
{pikegate: 1, report: r, title: R, prompts: [when, ship], sections: [{table: {query: q}}]}
`
	r := rand.New(rand.NewPCG(1, 2))
	parts := strings.Split(text, "---\n")
	for range 200 {
		r.Shuffle(len(parts), func(i, j int) { parts[i], parts[j] = parts[j], parts[i] })
		docs, faults := Split(catalog.File{Name: "f.yaml", Text: strings.Join(parts, "---\n")})
		require.Empty(t, faults)
		c, faults := Link(docs, catalog.RefsOf(docs), setting)
		require.Equal(t, 1, len(faults), "%s", faults) // the filter of another dataset
		require.Contains(t, faults[0].Message, "the filter \"g\" is for the dataset")
		require.Len(t, c.Reports["r"].Prompts, 2)
	}
}
