package definition

import (
	"bytes"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/prompt"
)

func schema(t *testing.T) *jsonschema.Schema {
	t.Helper()
	document, err := jsonschema.UnmarshalJSON(bytes.NewReader(Schema()))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("pikegate.json", document))
	compiled, err := c.Compile("pikegate.json")
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

// The keys of the schema are those that are read, no more and no fewer.
func TestTheSchemaHasTheKeysThatAreRead(t *testing.T) {
	var document struct {
		OneOf []struct {
			Title      string
			Properties map[string]any
		}
	}
	require.NoError(t, json.Unmarshal(Schema(), &document))
	keys := regexp.MustCompile(`no key "zzz" here; the keys are (.*)$`)
	for _, kind := range document.OneOf {
		read := map[string]bool{}
		bodies := []string{""}
		if kind.Title == string(catalog.KindPrompt) {
			bodies = nil
			for _, p := range prompt.Types {
				bodies = append(bodies, fmt.Sprintf("type: %s\n", p), fmt.Sprintf("type: %s\npair: true\nmany: true\npattern: a\n", p))
			}
		}
		if kind.Title == string(catalog.KindDataset) {
			bodies = append(bodies, "of: y\n")
		}
		for _, body := range bodies {
			docs, faults := Split(catalog.File{Name: "f.yaml", Text: fmt.Sprintf("pikegate: 1\n%s: x\n%szzz: 1\n", kind.Title, body)})
			require.Empty(t, faults)
			_, faults = Link(docs, setting)
			for _, f := range faults {
				if m := keys.FindStringSubmatch(f.Message); m != nil {
					for _, key := range regexp.MustCompile(`, | and `).Split(m[1], -1) {
						read[key] = true
					}
				}
			}
		}
		assert.Equal(t, slices.Sorted(maps.Keys(read)), slices.Sorted(maps.Keys(kind.Properties)), kind.Title)
	}
}
