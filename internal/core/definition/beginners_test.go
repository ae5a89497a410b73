package definition

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
)

// What beginners write, one mistake a file, gets a message that leads to what they meant;
// -update writes the messages anew.
func TestBeginners(t *testing.T) {
	base, err := os.ReadFile("testdata/beginners/base.yaml")
	require.NoError(t, err)
	known, faults := Split(catalog.File{Name: "base.yaml", Text: string(base)})
	require.Empty(t, faults)
	paths, err := filepath.Glob("testdata/beginners/*.txtar")
	require.NoError(t, err)
	require.NotEmpty(t, paths)
	for _, path := range paths {
		archive, err := txtar.ParseFile(path)
		require.NoError(t, err)
		require.Len(t, archive.Files, 2, path)
		faults := slices.DeleteFunc(foundIn(known, "in.yaml", string(archive.Files[0].Data)), func(f *fault.Fault) bool {
			return f.Code == fault.NotUsed // which is no mistake here
		})
		if *update {
			archive.Files[1].Data = []byte(faults.Error() + "\n")
			require.NoError(t, os.WriteFile(path, txtar.Format(archive), 0o644))
			continue
		}
		assert.Equal(t, string(archive.Files[1].Data), faults.Error()+"\n", path)
	}
}

// A report without prompts asks what its conditions need, in the order in which they are
// met: its dataset's, its query's, its own; and before a choice what its list needs.
func TestAReportThatNamesNoPrompts(t *testing.T) {
	base, err := os.ReadFile("testdata/beginners/base.yaml")
	require.NoError(t, err)
	const report = `---
{pikegate: 1, prompt: which-weather, ask: Which, type: choice, choices: {of: sailings, value: weather, where: {sailed_on: {within: {prompt: travel-days}}}}}
---
{pikegate: 1, prompt: time-before, ask: Before, derived: previous travel-days}
---
pikegate: 1
query: mine
of: sailings
show: [id, departed, sailed_on]
sort: [id]
where:
  any:
    - weather: {is: {prompt: which-weather}}
    - sailed_on: {within: {prompt: time-before}}
---
pikegate: 1
report: mine
title: Mine
where: {departed: {is: {prompt: sailing-day}}}
sections: [{table: {query: mine}}]
`
	docs, faults := Split(catalog.File{Name: "asked.yaml", Text: string(base) + report})
	require.Empty(t, faults)
	c, faults := Link(docs, catalog.RefsOf(docs), setting)
	require.Empty(t, faults)
	var asked []string
	for _, p := range c.Reports["mine"].Prompts {
		asked = append(asked, p.Name)
	}
	assert.Equal(t, []string{"travel-days", "which-weather", "sailing-day"}, asked)
	assert.Len(t, c.Reports["mine"].Lists, 1)
	assert.Len(t, c.Reports["mine"].Unasked, 1)

	docs, faults = Split(catalog.File{Name: "asked.yaml", Text: string(base) + strings.Replace(report, "title: Mine", "title: Mine\nprompts: []", 1)})
	require.Empty(t, faults)
	_, faults = Link(docs, catalog.RefsOf(docs), setting)
	assert.Len(t, faults, 4, "what is named is all that is asked: %s", faults)
}
