// Package docs tests the examples that stand in the documentation.
package docs

import (
	"bytes"
	"encoding/hex"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/google/shlex"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/cli"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/timetable"
	"pikegate/internal/core/value"
	"pikegate/internal/source/sourcetest"
)

// block is a fenced block of a page. A YAML block can be a file of the page's
// examples, by a comment before it: <!-- file: name.yaml -->.
type block struct {
	language, file, text string
}

var fence = regexp.MustCompile("(?ms)(?:<!-- file: (\\S+) -->\n)?^```(\\w*)\n(.*?)^```$")

func blocks(t *testing.T, page string) []block {
	t.Helper()
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	var all []block
	for _, m := range fence.FindAllStringSubmatch(string(text), -1) {
		all = append(all, block{language: m[2], file: m[1], text: m[3]})
	}
	return all
}

func pages(t *testing.T) []string {
	t.Helper()
	found, err := filepath.Glob("*/*.md")
	require.NoError(t, err)
	return append([]string{"../README.md", "../CONTRIBUTING.md", "README.md"}, found...)
}

// Every example that starts with "$ pikegate" is run, in order, beside the
// page's files, and prints what the page says. A line of three dots stands for
// any lines.
func TestExamples(t *testing.T) {
	shore := sourcetest.Open(t, catalog.Postgres)
	shore.Exec(t, `CREATE SCHEMA IF NOT EXISTS shore`)
	defer shore.Exec(t, `DROP SCHEMA shore CASCADE`)
	shore.Exec(t, `CREATE TABLE shore.calls (call_id integer PRIMARY KEY, ship text NOT NULL, came_at timestamptz NOT NULL, dues numeric(8, 2))`)
	shore.Exec(t, `INSERT INTO shore.calls VALUES (1, 'Saltwind', '2026-10-24 20:59:59Z', 120.5), (2, 'Kittiwake', '2026-10-24 21:00:00Z', 40), (3, 'Grey Petrel', '2026-10-25 21:59:59Z', NULL), (4, 'Saltwind', '2026-10-25 22:00:00Z', 99.9)`)
	t.Setenv("PIKEGATE_SHORE", sourcetest.Address(t, catalog.Postgres))
	ferries := demotest.Start(t)
	t.Setenv("PIKEGATE_SERVER", ferries.URL)
	ran := 0
	for _, page := range pages(t) {
		examples := blocks(t, page)
		t.Run(page, func(t *testing.T) {
			t.Chdir(t.TempDir())
			for _, b := range examples {
				switch {
				case b.file != "":
					require.NoError(t, os.MkdirAll(filepath.Dir(b.file), 0o755))
					require.NoError(t, os.WriteFile(b.file, []byte(b.text), 0o644))
				case b.language == "console":
					for _, command := range strings.Split("\n"+b.text, "\n$ ")[1:] {
						line, want, _ := strings.Cut(command, "\n")
						if rest, ok := strings.CutPrefix(line, "pikegate "); ok {
							ran++
							run(t, rest, want)
						}
					}
				}
			}
		})
	}
	assert.Greater(t, ran, 10)
}

func run(t *testing.T, line, want string) {
	t.Helper()
	args, err := shlex.Split(line)
	require.NoError(t, err)
	var out bytes.Buffer
	cli.Main(args, strings.NewReader(""), &out, &out)
	pattern := regexp.QuoteMeta(strings.TrimRight(want, "\n"))
	pattern = strings.ReplaceAll(pattern, `\.\.\.`, `.*`)
	assert.Regexp(t, `(?s)\A`+pattern+`\s*\z`, strings.ReplaceAll(out.String(), "\r\n", "\n"), "pikegate %s", line)
}

// Every YAML example is a definition that can be read.
func TestDefinitionsInThePages(t *testing.T) {
	read := 0
	for _, page := range pages(t) {
		for _, b := range blocks(t, page) {
			if b.language != "yaml" {
				continue
			}
			read++
			_, faults := definition.Split(catalog.File{Name: page, Text: b.text})
			assert.Empty(t, faults)
		}
	}
	assert.Greater(t, read, 4)
}

var link = regexp.MustCompile(`\]\(([^)#]+)(#[^)]*)?\)`)

// No link within the documentation leads nowhere.
func TestLinks(t *testing.T) {
	for _, page := range pages(t) {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, m := range link.FindAllStringSubmatch(string(text), -1) {
			_, err := os.Stat(filepath.Join(filepath.Dir(page), m[1]))
			assert.NoError(t, err, "%s links %s", page, m[1])
		}
	}
}

var vector = regexp.MustCompile("(?m)^\\| `([a-z-]+)` \\| `([^`]*)` \\| `([0-9a-f ]+)` \\|$")

// The bytes and sums of the page on fingerprints are those of the product.
func TestFingerprints(t *testing.T) {
	page, err := os.ReadFile("reference/fingerprint.md")
	require.NoError(t, err)
	columns := map[string]*column.Column{"text": {Type: column.Text}, "integer": {Type: column.Integer}, "decimal": {Type: column.Decimal, Scale: 2}, "number": {Type: column.Number}, "yes-no": {Type: column.YesNo},
		"date":     {Type: column.Date, Stored: column.StoredText, Pattern: column.ISODay},
		"datetime": {Type: column.Datetime, Stored: column.StoredText, Pattern: column.ISOTime},
		"instant":  {Type: column.Instant, Stored: column.StoredText, Pattern: column.ISOTime}}
	val := func(text string) value.Value {
		sort, text, _ := strings.Cut(text, " ")
		number, _ := strconv.ParseFloat(text, 64)
		return map[string]value.Value{"text": value.Chars(text), "digits": value.Digits(text), "real": value.Real(number), "whole": value.Whole(int64(number))}[sort]
	}
	vectors := vector.FindAllStringSubmatch(string(page), -1)
	assert.Len(t, vectors, 16)
	for _, v := range vectors {
		assert.Equal(t, strings.ReplaceAll(v[3], " ", ""), hex.EncodeToString(evidence.AppendValue(nil, columns[v[1]], val(v[2]))), v[0])
	}
	f := evidence.NewFingerprint([]*column.Column{{Name: "vessel", Type: column.Text}, {Name: "fare", Type: column.Decimal, Scale: 2}})
	empty := f.Sum()
	f.Add([]value.Value{value.Chars("Ångra"), value.Digits("12.50")})
	f.Add([]value.Value{value.Chars("Marram"), {}})
	assert.Contains(t, string(page), "a missing fare:\n\n    "+f.Sum()+"\n")
	assert.Contains(t, string(page), "Without any record:\n\n    "+empty+"\n")
}

var update = flag.Bool("update", false, "write reference/keys.md anew")

// The list of keys is the one of the schema.
func TestKeys(t *testing.T) {
	var b strings.Builder
	b.WriteString("# Keys\n\nThe keys of each kind of definition, made from the schema that `pikegate schema`\nprints. [Definitions](definitions.md) tells what they mean together; every\ndefinition also starts with `pikegate: 1` and the kind with its name.\n")
	for _, kind := range catalog.Kinds {
		fmt.Fprintf(&b, "\n## %s\n\n| key | |\n|---|---|\n", kind)
		for _, k := range definition.Keys(kind) {
			required := ""
			if k.Required {
				required = " Required."
			}
			fmt.Fprintf(&b, "| `%s` | %s%s |\n", k.Name, k.Description, required)
		}
	}
	const path = "reference/keys.md"
	if *update {
		require.NoError(t, os.WriteFile(path, []byte(b.String()), 0o644))
	}
	text, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, string(text), b.String())
}

// NOTICE names every module that the program is built of.
func TestNotices(t *testing.T) {
	out, err := exec.Command("go", "list", "-deps", "-f", "{{with .Module}}{{if .Version}}{{.Path}} {{.Version}}{{end}}{{end}}", "../cmd/pikegate").Output()
	require.NoError(t, err)
	notices, err := os.ReadFile("../NOTICE")
	require.NoError(t, err)
	for _, module := range strings.Fields(strings.ReplaceAll(string(out), " ", "@")) {
		module = strings.ReplaceAll(module, "@", " ")
		assert.True(t, strings.Contains(string(notices), module), "%s is missing; tools/notices writes NOTICE anew", module)
	}
}

// What the reference says of times is what is read.
func TestTimes(t *testing.T) {
	text, err := os.ReadFile("reference/times.md")
	require.NoError(t, err)
	rows := regexp.MustCompile("(?m)^\\| `([^`]+)` \\| (.+) \\|$").FindAllStringSubmatch(string(text), -1)
	require.Len(t, rows, 17)
	for _, row := range rows {
		times, f := timetable.Parse(row[1])
		if assert.Nil(t, f, row[1]) {
			assert.Equal(t, row[2], times.Spelled(), row[1])
		}
	}
}
