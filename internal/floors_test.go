package internal_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// floors are the packages from the ground up. A package imports those of lower floors only,
// and none beside it.
var floors = [][]string{
	{"internal/core/civil", "internal/core/english", "internal/core/value", "internal/core/edit"},
	{"internal/core/fault", "internal/core/column", "internal/core/daycount", "internal/core/difference"},
	{"internal/core/phrase", "internal/core/infer", "internal/core/customsql"},
	{"internal/core/timetable"},
	{"internal/core/prompt"},
	{"internal/core/criteria", "internal/core/oneline"},
	{"internal/core/summary", "internal/core/evidence"},
	{"internal/core/readback"},
	{"internal/core/catalog"},
	{"internal/core/lint", "internal/core/compile"},
	{"internal/core/definition", "internal/judge"},
	{"internal/source", "internal/load", "internal/store", "internal/export", "internal/deliver", "internal/standin", "internal/traced"},
	{"internal/service/kept"},
	{"internal/service/base"},
	{"internal/service/counts", "internal/service/people"},
	{"internal/service/answer"},
	{"internal/service/receipt"},
	{"internal/service/run", "internal/service/author", "internal/service/saved"},
	{"internal/service/publish"},
	{"internal/service/draft", "internal/service/schedule"},
	{"internal/service"},
	{"internal/api"},
	{"internal/cli"},
	{"cmd/pikegate"},
}

// besides are what each floor may import of the project beside those below it.
var besides = map[string][]string{
	"internal/api": {"console"},
	"internal/cli": {"demo"},
}

// pure are the packages of others that the core may import, and yaml those that read files of
// definitions.
var (
	pure = []string{"github.com/shopspring/decimal"}
	yaml = []string{"internal/core/definition", "internal/core/edit"}
	// impure are those of the standard library that it may not import.
	impure = []string{"database/sql", "io/fs", "log", "log/slog", "net", "net/http", "os", "os/exec", "path/filepath", "syscall"}
)

// Imports run downward only, and the core imports nothing but the core, the standard library
// and a package for decimals.
func TestFloors(t *testing.T) {
	floor := map[string]int{}
	for i, packages := range floors {
		for _, p := range packages {
			floor[p] = i
		}
	}
	found := map[string]bool{}
	for _, root := range []string{".", "../cmd"} {
		err := filepath.WalkDir(root, func(path string, e fs.DirEntry, err error) error {
			require.NoError(t, err)
			if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.Contains(path, "test/") {
				return nil
			}
			of := strings.TrimPrefix(filepath.ToSlash(filepath.Join("internal", filepath.Dir(path))), "../")
			at, known := floor[of]
			if !assert.True(t, known, "%s has no floor", of) {
				return nil
			}
			found[of] = true
			file, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
			require.NoError(t, err)
			for _, s := range file.Imports {
				imported := strings.Trim(s.Path.Value, `"`)
				own, ours := strings.CutPrefix(imported, "pikegate/")
				inCore := strings.HasPrefix(of, "internal/core/")
				switch below, known := floor[own]; {
				case ours && known:
					assert.Less(t, below, at, "%s imports %s, which is no floor below", path, own)
				case ours:
					assert.Contains(t, besides[of], own, "%s imports it", path)
				case inCore && slices.Contains(impure, imported):
					assert.Fail(t, "the core has no files, clocks or servers", "%s imports %s", path, imported)
				case inCore && strings.Contains(strings.Split(imported, "/")[0], "."):
					assert.True(t, slices.Contains(pure, imported) || slices.Contains(yaml, of) && strings.HasPrefix(imported, "go.yaml.in/yaml/"), "%s imports %s", path, imported)
				}
			}
			return nil
		})
		require.NoError(t, err)
	}
	assert.Len(t, found, len(floor), "a floor has a package that is not there")
}
