package docs

import (
	"context"
	"encoding/json"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/load"
)

// shore is what the examples of definitions build on.
const shore = `pikegate: 1
source: harbour
zone: Europe/Helsinki
---
pikegate: 1
dataset: sailings
source: harbour
table: sailings
key: [id]
columns:
  id: {type: integer}
  on: {type: date, stored: yyyymmdd}
  written: {type: date, stored: text, pattern: d/M/yyyy}
  route: {type: text}
  minutes: {type: integer}
---
{pikegate: 1, prompt: days, ask: When, type: period}
---
{pikegate: 1, prompt: routes, ask: Which routes, type: choice, many: true, choices: [A, B]}
---
{pikegate: 1, query: by-day, of: sailings, show: [id, on], sort: [on], where: {on: {within: {prompt: days}}}}
---
`

// examples brings what the example of each code of an area is told.
type examples struct {
	ferries *demotest.Ferries
	setting phrase.Setting
}

func (x examples) of(t *testing.T, r fault.Registered) fault.List {
	switch r.Area {
	case fault.Answers:
		return x.answer(t, r.Example)
	case fault.Definitions:
		example := shore + r.Example
		if r.Code == fault.NoDefinition { // which the others would be one
			example = r.Example
		}
		_, _, found := definition.Check([]catalog.File{{Name: "example.yaml", Text: example}}, nil, x.setting)
		return found
	case fault.Sources:
		found, err := x.ferries.Service.Publisher.Check(context.Background(), []catalog.File{{Name: "example.yaml", Text: r.Example}})
		require.NoError(t, err)
		return found
	case fault.Loads:
		request, text := load.Request{Table: "example", Format: load.CSV}, r.Example
		if flag, rest, ok := strings.Cut(text, ": "); ok {
			request.Key, text = []string{strings.TrimPrefix(flag, "--key ")}, rest
		}
		_, err := x.ferries.Service.Author.Load(context.Background(), strings.NewReader(text), -1, request)
		var refused *load.Error
		if !assert.ErrorAs(t, err, &refused, "%s", r.Code) {
			return nil
		}
		return fault.List{fault.New(refused.Code, "%s", refused.Message)}
	}
	return x.request(t, r.Example)
}

// answer reads "PROMPT <- ANSWER", or "NAME: ANSWER" for a prompt that there is not.
func (x examples) answer(t *testing.T, example string) fault.List {
	written, answer, ok := strings.Cut(example, " <-")
	if !ok {
		name, answer, _ := strings.Cut(example, ": ")
		_, refused := prompt.Check(nil, map[string]prompt.Entered{name: prompt.OneText(answer)}, x.setting)
		return refused
	}
	text := "{pikegate: 1, prompt: p, ask: What, " + strings.TrimPrefix(written, "{")
	_, defs, found := definition.Check([]catalog.File{{Name: "example.yaml", Text: text}}, nil, x.setting)
	if !assert.Empty(t, found.Errors(), example) {
		return nil
	}
	entered := map[string]prompt.Entered{}
	if answer = strings.TrimSpace(answer); answer != "" {
		entered["p"] = prompt.OneText(answer)
	}
	_, refused := prompt.Check([]*prompt.Prompt{defs.Prompts["p"]}, entered, x.setting)
	return refused
}

// request sends "METHOD PATH BODY".
func (x examples) request(t *testing.T, example string) fault.List {
	method, rest, _ := strings.Cut(example, " ")
	path, body, _ := strings.Cut(rest, " ")
	r, err := http.NewRequest(method, x.ferries.URL+path, strings.NewReader(body))
	require.NoError(t, err)
	if body != "" && !strings.Contains(path, "format=csv") {
		r.Header.Set("Content-Type", "application/json")
	}
	answer, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer answer.Body.Close()
	var p api.Problem
	require.NoError(t, json.NewDecoder(answer.Body).Decode(&p), example)
	found := fault.List{fault.New(p.Code, "%s", p.Detail)}
	for i := range p.Errors {
		found = append(found, &p.Errors[i])
	}
	return found
}

// Every code is registered once, has a meaning, and an example that brings it; the page of
// codes is made from them.
func TestCodes(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Helsinki")
	require.NoError(t, err)
	x := examples{demotest.Start(t), phrase.Setting{AsOf: demotest.AsOf, Zone: zone}}
	var b strings.Builder
	b.WriteString("# Codes\n\nEvery code that a fault or a problem may have, made from the registry that the program\nuses (`internal/core/fault/codes.go`). Codes are never renamed. What stands behind an\nexample is what the program says to it.\n")
	tests := namesOfTests(t)
	seen := map[fault.Code]bool{}
	var area fault.Area
	for _, r := range fault.Registry {
		assert.False(t, seen[r.Code], "%s stands twice in the registry", r.Code)
		seen[r.Code] = true
		if r.Area != area {
			area = r.Area
			fmt.Fprintf(&b, "\n## %s\n\n| code | meaning | for example |\n|---|---|---|\n", strings.ToUpper(string(area[:1]))+string(area[1:]))
		}
		assert.NotEmpty(t, r.Meaning, r.Code)
		if strings.HasPrefix(r.Example, "Test") {
			assert.True(t, tests[r.Example], "the example of %s is a test that is not there, %s", r.Code, r.Example)
			fmt.Fprintf(&b, "| `%s` | %s | |\n", r.Code, r.Meaning)
			continue
		}
		says := ""
		found := x.of(t, r)
		for _, f := range found {
			if f.Code == r.Code && says == "" {
				says = f.Sentence()
				if f.Warning {
					says = "a warning: " + says
				}
			}
		}
		assert.NotEmpty(t, says, "the example of %s brings %v", r.Code, found)
		fmt.Fprintf(&b, "| `%s` | %s | %s |\n", r.Code, r.Meaning, strings.ReplaceAll(strings.ReplaceAll(says, "|", `\|`), "\n", " "))
	}
	constants(t, func(name string) {
		assert.True(t, seen[fault.Code(name)], "the code %s is not registered", name)
		delete(seen, fault.Code(name))
	})
	assert.Empty(t, seen, "registered, and no constant")
	const path = "reference/codes.md"
	if *update {
		require.NoError(t, os.WriteFile(path, []byte(b.String()), 0o644))
	}
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(text), b.String(), "go test ./docs -update writes %s anew", path)
}

// sources hands over each file of Go in the project.
func sources(t *testing.T, use func(path string, file *ast.File)) {
	err := filepath.WalkDir("..", func(path string, e fs.DirEntry, err error) error {
		if err == nil && e.IsDir() && e.Name() == "node_modules" {
			return fs.SkipDir
		}
		if err != nil || !strings.HasSuffix(path, ".go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err == nil {
			use(path, file)
		}
		return err
	})
	require.NoError(t, err)
}

func namesOfTests(t *testing.T) map[string]bool {
	names := map[string]bool{}
	sources(t, func(path string, file *ast.File) {
		for _, d := range file.Decls {
			if f, ok := d.(*ast.FuncDecl); ok && strings.HasSuffix(path, "_test.go") {
				names[f.Name.Name] = true
			}
		}
	})
	return names
}

// constants are the texts of the constants of type Code.
func constants(t *testing.T, use func(text string)) {
	file, err := parser.ParseFile(token.NewFileSet(), "../internal/core/fault/codes.go", nil, 0)
	require.NoError(t, err)
	ast.Inspect(file, func(n ast.Node) bool {
		v, ok := n.(*ast.ValueSpec)
		if !ok || len(v.Values) != 1 {
			return true
		}
		if of, ok := v.Type.(*ast.Ident); ok && of.Name == "Code" {
			use(strings.Trim(v.Values[0].(*ast.BasicLit).Value, `"`))
		}
		return true
	})
}

// Faults are made with the codes of the registry, and none with a text of its own.
func TestCodesAreNamed(t *testing.T) {
	sources(t, func(path string, file *ast.File) {
		if strings.HasSuffix(path, "_test.go") {
			return
		}
		ast.Inspect(file, func(n ast.Node) bool {
			call, ok := n.(*ast.CallExpr)
			if !ok {
				return true
			}
			for i, arg := range call.Args[:min(2, len(call.Args))] {
				text, ok := arg.(*ast.BasicLit)
				of, selects := call.Fun.(*ast.SelectorExpr)
				if !ok || !selects || strings.Trim(text.Value, "\"abcdefghijklmnopqrstuvwxyz_") != "" || text.Value == `""` {
					continue
				}
				from, _ := of.X.(*ast.Ident)
				makes := i == 0 && from != nil && from.Name == "fault" && (of.Sel.Name == "New" || of.Sel.Name == "Warn")
				adds := i == 1 && len(call.Args) > 2 && (of.Sel.Name == "fault" || of.Sel.Name == "warn")
				assert.False(t, makes || adds, "%s: %s is no constant", path, text.Value)
			}
			return true
		})
	})
}
