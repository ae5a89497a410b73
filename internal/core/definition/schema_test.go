package definition

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
)

func schema(t *testing.T) *jsonschema.Schema {
	t.Helper()
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(Schema()))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("https://pikegate.test/pikegate.json", document))
	compiled, err := c.Compile("https://pikegate.test/pikegate.json")
	require.NoError(t, err)
	return compiled
}

// plain is a YAML node as JSON has it; dates stay text.
func plain(t *testing.T, n *yaml.Node) any {
	t.Helper()
	switch n.Kind {
	case yaml.DocumentNode:
		return plain(t, n.Content[0])
	case yaml.MappingNode:
		m := map[string]any{}
		for i := 0; i < len(n.Content); i += 2 {
			m[n.Content[i].Value] = plain(t, n.Content[i+1])
		}
		return m
	case yaml.SequenceNode:
		all := []any{}
		for _, item := range n.Content {
			all = append(all, plain(t, item))
		}
		return all
	}
	switch n.Tag {
	case "!!int", "!!float":
		return json.Number(n.Value)
	case "!!bool":
		return n.Value == "true"
	}
	return n.Value
}

// Every definition of the demo, of the documentation and of the tests that is right
// fits the schema.
func TestWhatIsRightFitsTheSchema(t *testing.T) {
	compiled := schema(t)
	files := map[string]string{"the test's own": good}
	for _, pattern := range []string{"../../../demo/definitions/*.yaml", "../../../docs/*/*.md", "testdata/wrong/*.txtar"} {
		paths, err := filepath.Glob(pattern)
		require.NoError(t, err)
		require.NotEmpty(t, paths, pattern)
		for _, path := range paths {
			content, err := os.ReadFile(path)
			require.NoError(t, err)
			switch filepath.Ext(path) {
			case ".yaml":
				files[path] = string(content)
			case ".txtar":
				for _, f := range txtar.Parse(content).Files {
					if f.Name == "good.yaml" {
						files[path] = string(f.Data)
					}
				}
			default:
				for i, block := range regexp.MustCompile("(?s)```yaml\n(.*?)```").FindAllSubmatch(content, -1) {
					files[fmt.Sprintf("%s, example %d", path, i+1)] = string(block[1])
				}
			}
		}
	}
	documents := 0
	for path, content := range files {
		decoder := yaml.NewDecoder(strings.NewReader(content))
		for {
			var n yaml.Node
			if err := decoder.Decode(&n); err != nil {
				break
			}
			documents++
			assert.NoError(t, compiled.Validate(plain(t, &n)), path)
		}
	}
	assert.Greater(t, documents, 60)
}

func TestWhatIsWrongDoesNotFitTheSchema(t *testing.T) {
	compiled := schema(t)
	for _, text := range []string{
		"{prompt: p, ask: A, type: day}", "{pikegate: 2, prompt: p, ask: A, type: day}", "{pikegate: 1, promt: p, ask: A}", "{pikegate: 1, prompt: P, ask: A}", "{pikegate: 1, prompt: p, aks: A}",
		"{pikegate: 1, prompt: p, ask: A, type: dya}", "{pikegate: 1, filter: f, of: d, where: {all: []}}", "{pikegate: 1, filter: f, of: d, where: {a: {iss: 1}}}",
		"{pikegate: 1, filter: f, of: d, where: {a: missing, b: missing}}", "{pikegate: 1, filter: f, of: d, where: {a: {recurs_in: {months: [jan], days: [1]}}}}", "{pikegate: 1, query: q, of: d}",
	} {
		var n yaml.Node
		require.NoError(t, yaml.Unmarshal([]byte(text), &n))
		assert.Error(t, compiled.Validate(plain(t, &n)), text)
	}
}

// Each key of the tables is read: what it can never be is refused at its line, in one of the
// variants that have it.
func TestEveryKeyIsRead(t *testing.T) {
	beginnings := map[catalog.Kind][]string{catalog.KindDataset: {"source: s\ntable: t\nkey: [a]\n", "source: s\nsql: SELECT 1\nkey: [a]\n", "of: sailings\n", ""},
		catalog.KindReport: {"title: T\nsections: [{table: {query: late}}]\n", ""},
		catalog.KindSource: {"engine: sqlite\n", "engine: postgres\n", ""},
		catalog.KindQuery:  {"of: sailings\nsummaries: {n: count}\n", ""},
		catalog.KindProof:  {"report: r\n", "query: q\n", ""}}
	for _, p := range prompt.Types {
		beginnings[catalog.KindPrompt] = append(beginnings[catalog.KindPrompt], fmt.Sprintf("type: %s\n", p), fmt.Sprintf("type: %s\npair: true\nmany: true\npattern: a\n", p))
	}
	beginnings[catalog.KindPrompt] = append(beginnings[catalog.KindPrompt], "")
	beside, _ := Split(catalog.File{Name: "good.yaml", Text: good})
	for kind, table := range kindKeys {
		if beginnings[kind] == nil {
			beginnings[kind] = []string{""}
		}
		for _, key := range table[2:] {
			isRead := false
			for _, beginning := range beginnings[kind] {
				if strings.HasPrefix(beginning, key.name+":") || strings.Contains(beginning, "\n"+key.name+":") {
					continue
				}
				head := fmt.Sprintf("pikegate: 1\n%s: x\n%s", kind, beginning)
				docs, faults := Split(catalog.File{Name: "f.yaml", Text: head + key.name + ": [[{a: b}]]\n"})
				require.Empty(t, faults)
				_, faults = Link(append(docs, beside...), catalog.RefsOf(docs), setting)
				for _, f := range faults {
					isRead = isRead || f.Place.File == "f.yaml" && f.Place.Line == strings.Count(head, "\n")+1 && f.Code != fault.UnknownKey && f.Code != fault.DuplicateKey
				}
			}
			assert.True(t, isRead, "%s of a %s", key.name, kind)
		}
	}
}

// A key that another variant has is refused, with those of this one.
func TestKeysOfAnotherVariant(t *testing.T) {
	for text, want := range map[string]string{
		"prompt: p\nask: A\ntype: day\nlongest: 3 days\n":     "the keys are pikegate, prompt, ask, help, derived, type, required, hidden, default, day_order, earliest and latest",
		"prompt: p\nask: A\nderived: start of q\ntype: day\n": "the keys are pikegate, prompt, ask, help and derived",
		"prompt: p\nask: A\ntype: month\nlongest: 3 months\n": `no key "longest" here`,
		"dataset: d\nof: e\ntable: t\n":                       `no key "table" here`,
	} {
		docs, faults := Split(catalog.File{Name: "f.yaml", Text: "pikegate: 1\n" + text})
		require.Empty(t, faults)
		_, faults = Link(docs, catalog.RefsOf(docs), setting)
		assert.Contains(t, faults.Error(), want, text)
		assert.Contains(t, faults.Error(), string(fault.UnknownKey), text)
	}
}
