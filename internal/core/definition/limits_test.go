package definition

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
)

const small = `pikegate: 1
source: harbour
zone: Europe/Helsinki
---
pikegate: 1
dataset: t
source: harbour
table: t
key: [id]
columns: {id: {type: integer}, on: {type: date, stored: yyyymmdd}, route: {type: text}}
`

func queryOf(where string) string {
	return small + "---\npikegate: 1\nquery: q\nof: t\nshow: [id]\nsort: [id]\nwhere: " + where + "\n"
}

func listOf(n int, format string) string {
	items := make([]string, n)
	for i := range items {
		items[i] = fmt.Sprintf(format, i)
	}
	return "[" + strings.Join(items, ", ") + "]"
}

// chained are filters each of which uses the one before twice.
func chained(n int) string {
	var b strings.Builder
	b.WriteString(small + "---\n{pikegate: 1, filter: f0, of: t, where: {route: {is: x}}}\n")
	for i := range n {
		fmt.Fprintf(&b, "---\n{pikegate: 1, filter: f%d, of: t, where: {all: [{filter: f%d}, {filter: f%[2]d}]}}\n", i+1, i)
	}
	return b.String() + fmt.Sprintf("---\n{pikegate: 1, query: q, of: t, show: [id], where: {filter: f%d}}\n", n)
}

func built(n int) string {
	var b strings.Builder
	b.WriteString(small)
	of := "t"
	for i := range n {
		fmt.Fprintf(&b, "---\n{pikegate: 1, dataset: d%d, of: %s, where: {route: {is_not: r%[1]d}}}\n", i, of)
		of = fmt.Sprintf("d%d", i)
	}
	return b.String()
}

// Definitions beyond their limits are refused soon by a finding that says which; those at
// the limits are checked as soon.
func TestLimitsOfDefinitions(t *testing.T) {
	for _, c := range []struct {
		name, text string
		code       fault.Code
		says       string
	}{
		{"filters that double", chained(24), fault.TooMany, "these are more than 1000 conditions, with those of the filters that they use; a list of values is one condition: any_of"},
		{"filters that double, within", chained(9), "", ""},
		{"many conditions", queryOf("{any: " + listOf(2000, "{route: {is: r%d}}") + "}"), fault.TooMany, "these are more than 1000 conditions, with those of the filters that they use; a list of values is one condition: any_of"},
		{"many conditions, within", queryOf("{any: " + listOf(1000, "{route: {is: r%d}}") + "}"), "", ""},
		{"all of many", queryOf("{all: " + listOf(1000, "{route: {is_not: r%d}}") + "}"), "", ""},
		{"none of many", queryOf("{none: " + listOf(900, "{id: {is: %d}}") + "}"), "", ""},
		{"many values", queryOf("{route: {any_of: " + listOf(5001, "r%d") + "}}"), fault.TooMany, "there are 5001 values here, and at most 5000 are read; choices that stand in a table of their own are a join"},
		{"many values, within", queryOf("{route: {any_of: " + listOf(5000, "r%d") + "}}"), "", ""},
		{"datasets on datasets", built(160), fault.DefinitionTooDeep, "this dataset is built on 17 others, one on the other, and at most 16 are read"},
		{"datasets on datasets, within", built(16), "", ""},
		{"groups in groups", queryOf(strings.Repeat("{all: [", 2000) + "{route: {is: x}}" + strings.Repeat("]}", 2000)), fault.DefinitionTooDeep, "lists and mappings stand more than 40 deep in each other here"},
		{"keys that nobody knows", small + listedKeys(200_000), fault.DefinitionTooLarge, fmt.Sprintf("this definition has %d bytes, and at most 1048576 are read", len(small)-strings.Index(small, "---\n")-4+len(listedKeys(200_000)))},
		{"many keys", small + listedKeys(3000), fault.TooMany, "there are 3006 keys here, and at most 2000 are read"},
		{"many items", small + "title: " + listOf(30_000, "%d"), fault.TooMany, "there are 30000 items here, and at most 20000 are read"},
		{"many documents", strings.Repeat("pikegate: 1\nfilter: f\n---\n", 6000), fault.TooMany, "the files hold 6000 definitions, and at most 5000 are read at once"},
		{"a zero byte", queryOf(`{route: {is: "a\0b"}}`), fault.WrongValue, "there is a zero byte in this text, which no text has"},
	} {
		t.Run(c.name, func(t *testing.T) {
			start := time.Now()
			_, _, found := Check([]catalog.File{{Name: "f.yaml", Text: c.text}}, nil, setting)
			assert.Less(t, time.Since(start), 30*time.Second)
			wrong := found.Errors()
			if c.code == "" {
				assert.Empty(t, wrong)
				return
			}
			require.NotEmpty(t, wrong)
			assert.Equal(t, []string{string(c.code), c.says}, []string{string(wrong[0].Code), wrong[0].Message})
			assert.LessOrEqual(t, len(found), mostFindings+1)
		})
	}
}

func listedKeys(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, "k%d: 1\n", i)
	}
	return b.String()
}

// Where filters double, the one that goes too far is told, and not each that builds on it.
func TestFiltersThatDoubleAreToldOnce(t *testing.T) {
	_, _, found := Check([]catalog.File{{Name: "f.yaml", Text: chained(24)}}, nil, setting)
	require.Len(t, found.Errors(), 1)
	assert.Equal(t, "f.yaml:32:72: these are more than 1000 conditions, with those of the filters that they use; a list of values is one condition: any_of [too_many]", found.Errors()[0].Error())
}

// More findings than anybody reads are counted.
func TestManyFindings(t *testing.T) {
	var b strings.Builder
	b.WriteString(small)
	for i := range 1500 {
		fmt.Fprintf(&b, "---\n{pikegate: 1, filter: f%d, of: t, where: {rout: {is: x}}}\n", i)
	}
	_, _, found := Check([]catalog.File{{Name: "f.yaml", Text: b.String()}}, nil, setting)
	require.Len(t, found, 1001)
	assert.Equal(t, "and 500 more", found[1000].Message)
}
