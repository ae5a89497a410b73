package service_test

import (
	"context"
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/publish"
	"pikegate/internal/source/sourcetest"
)

// What a definition says and the database does not have is told at a check, on every
// engine: tables, columns, keys, SQL that is not understood, at its place.
func TestDefinitionsAreHeldAgainstTheDatabase(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		text := map[catalog.Engine]string{catalog.SQLite: "TEXT", catalog.Postgres: `text`, catalog.MariaDB: "VARCHAR(20)"}[e.Name]
		e.Exec(t, fmt.Sprintf("CREATE TABLE calls (id INTEGER PRIMARY KEY, ship %s, came %[1]s)", text))
		e.Exec(t, fmt.Sprintf("CREATE TABLE crew (ship %s, person %[1]s)", text))
		e.Exec(t, "CREATE INDEX crew_by_ship ON crew (ship)")
		at := "file: " + e.At.File
		if e.Name != catalog.SQLite {
			at = fmt.Sprintf("address: {env: %s}\nschema: %s", e.At.Address.Env, e.At.Schema)
		}
		s := open(t, t.TempDir(), time.Date(2026, 11, 23, 11, 0, 0, 0, time.UTC))
		_, err := s.Publisher.Put(ctx, publish.Put{Files: file(fmt.Sprintf("pikegate: 1\nsource: shore\nzone: Europe/Helsinki\nengine: %s\n%s\n", e.Name, at))})
		require.NoError(t, err)
		found := func(text string) string {
			all, err := s.Publisher.Check(ctx, file("pikegate: 1\n"+text))
			require.NoError(t, err)
			var lines []string
			for _, f := range all {
				if f.Code != fault.NotUsed {
					lines = append(lines, f.Error())
				}
			}
			return strings.Join(lines, "\n")
		}
		assert.Empty(t, found("dataset: calls\nsource: shore\ntable: calls\nkey: [id]\ncolumns: {id: {type: integer}, ship: {type: text}}"))
		assert.Equal(t, `f.yaml:4:8: the source "shore" has no table "call"; did you mean "calls"? [no_such_table]`, found("dataset: calls\nsource: shore\ntable: call\nkey: [id]\ncolumns: {id: {type: integer}}"))
		assert.Equal(t, `f.yaml:6:38: the table "calls" has no column "shop"; did you mean "ship"? [no_such_column]`,
			found("dataset: calls\nsource: shore\ntable: calls\nkey: [id]\ncolumns: {id: {type: integer}, shop: {type: text}}"))
		assert.Equal(t, `f.yaml:5:6: warning: nothing in the database keeps two records of "crew" from having the same key, "ship" [key_not_unique]`,
			found("dataset: crew\nsource: shore\ntable: crew\nkey: [ship]\ncolumns: {ship: {type: text}}"))
		assert.Equal(t, `f.yaml:1:1: warning: nothing in the database keeps the table "crew" from having several records with the same "ship"; each of ours would then be counted once for each [key_not_unique]`,
			found("dataset: calls\nsource: shore\ntable: calls\njoins: [{table: crew, key: [ship], on: {ship: ship}}]\nkey: [id]\ncolumns: {id: {type: integer}, ship: {type: text}, person: {type: text, table: crew}}"))
		got := found("dataset: own\nsource: shore\nsql: |\n  SELECT id,\n    shop FROM calls\nkey: [id]\ncolumns: {id: {type: integer}}")
		assert.Regexp(t, `^f\.yaml:6:5: the database does not understand this: .*shop.*\[sql_refused\]$`, got)
		if e.Name != catalog.SQLite {
			assert.Contains(t, found("dataset: calls\nsource: shore\ntable: calls\nkey: [id]\ncolumns: {id: {type: integer}, came: {type: date, stored: native}}"), "[stored_otherwise]")
		}
	})
	now := time.Date(2026, 11, 23, 11, 0, 0, 0, time.UTC)
	s := open(t, t.TempDir(), now, variable("NOWHERE", "postgres://me@127.0.0.1:1/x"))
	far := file("pikegate: 1\nsource: far\nzone: Europe/Helsinki\nengine: postgres\naddress: {env: NOWHERE}\n---\npikegate: 1\ndataset: t\nsource: far\ntable: t\nkey: [id]\ncolumns: {id: {type: integer}}\n")
	all, err := s.Publisher.Check(ctx, far)
	require.NoError(t, err, "a source that does not answer stops no definition")
	assert.Contains(t, all.Error(), `warning: the source "far" could not be asked whether it has what this describes: it is not published, and only published sources are connected to [source_not_asked]`)
	put, err := s.Publisher.Put(ctx, publish.Put{Files: far})
	require.NoError(t, err)
	assert.Contains(t, put.Findings.Error(), `warning: the source "far" could not be asked whether it has what this describes: no connection to its server: connection refused [source_not_asked]`)
}

// A publish whose check needs a server that is silent holds no other publish up, and one
// whose caller leaves ends.
func TestPublishingBesideASilentServer(t *testing.T) {
	t.Parallel()
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer silent.Close()
	connections := make(chan net.Conn, 10)
	go func() {
		for {
			c, err := silent.Accept()
			if err != nil {
				return
			}
			connections <- c // which nobody reads or closes
		}
	}()
	now := time.Date(2026, 11, 23, 11, 0, 0, 0, time.UTC)
	s := open(t, t.TempDir(), now, variable("SILENT", "postgres://me@"+silent.Addr().String()+"/x"))
	far := file("pikegate: 1\nsource: far\nzone: Europe/Helsinki\nengine: postgres\naddress: {env: SILENT}\n---\npikegate: 1\ndataset: t\nsource: far\ntable: t\nkey: [id]\ncolumns: {id: {type: integer}}\n")
	left, leave := context.WithCancel(ctx)
	ended := make(chan error, 1)
	go func() {
		_, err := s.Publisher.Put(left, publish.Put{Files: far})
		ended <- err
	}()
	<-connections
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file("pikegate: 1\nprompt: day\nask: Which?\ntype: day\n")})
	require.NoError(t, err)
	select {
	case <-ended:
		assert.Fail(t, "it waited for the other one")
	default:
	}
	leave()
	select {
	case err := <-ended:
		assert.ErrorIs(t, err, context.Canceled)
	case <-time.After(time.Minute):
		assert.Fail(t, "it goes on although nobody waits for it")
	}
	all, err := s.Publisher.Definitions(ctx)
	require.NoError(t, err)
	assert.Len(t, all, 1, "nothing of what was cancelled is stored")

	several := file(far[0].Text + strings.ReplaceAll("---\npikegate: 1\ndataset: NAME\nsource: far\ntable: t\nkey: [id]\ncolumns: {id: {type: integer}}\n", "NAME", "u") +
		strings.ReplaceAll("---\npikegate: 1\ndataset: NAME\nsource: far\ntable: t\nkey: [id]\ncolumns: {id: {type: integer}}\n", "NAME", "v"))
	put, err := s.Publisher.Put(ctx, publish.Put{Files: several})
	require.NoError(t, err)
	<-connections
	assert.LessOrEqual(t, len(connections), 1, "a server that is silent is waited for once: with TLS and without")
	assert.Equal(t, 3, strings.Count(put.Findings.Error(), "its server does not answer"))
}

// The index that is proposed for texts that do not sort by time serves a long period, which its
// statement is taken from the finding for.
func TestTheIndexOnWhatTextsAreConvertedTo(t *testing.T) {
	e := sourcetest.Open(t, catalog.Postgres)
	e.Exec(t, "CREATE TABLE calls AS SELECT i AS id, (1 + i % 12) || '/' || (1 + i % 28) || '/' || (2000 + i % 25) AS came FROM generate_series(1, 60000) i")
	e.Exec(t, "ANALYZE calls")
	s := open(t, t.TempDir(), time.Date(2026, 11, 23, 11, 0, 0, 0, time.UTC))
	files := file(fmt.Sprintf(`
{pikegate: 1, source: shore, zone: Europe/Helsinki, engine: postgres, address: {env: %s}, schema: %s}
---
{pikegate: 1, dataset: calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}, came: {type: date, stored: text, pattern: M/d/yyyy}}}
---
{pikegate: 1, prompt: days, ask: "Which days?", type: period, default: this year}
---
{pikegate: 1, query: calls, of: calls, show: [id, came], where: {came: {within: {prompt: days}}}, sort: [id]}
---
{pikegate: 1, report: calls, title: Calls, prompts: [days], sections: [{table: {query: calls}}]}
`, e.At.Address.Env, e.At.Schema))
	_, err := s.Publisher.Put(ctx, publish.Put{Files: files})
	require.NoError(t, err)
	found, err := s.Publisher.Check(ctx, files)
	require.NoError(t, err)
	var proposed string
	for _, f := range found {
		if f.Code == fault.NoIndex && len(f.Suggestions) > 0 {
			proposed = f.Suggestions[0]
		}
	}
	require.Contains(t, proposed, `CREATE INDEX ON "calls" ((CASE WHEN`, found.Error())
	explained := func() *answer.Explanation {
		x, err := s.Answers.Explain(ctx, "calls", answer.Request{Answers: map[string]prompt.Entered{"days": prompt.OneText("1 Jan 2004 to 15 Mar 2004")}})
		require.NoError(t, err)
		return x
	}
	assert.True(t, explained().ReadsWholeTable)
	e.Exec(t, proposed)
	e.Exec(t, "ANALYZE calls")
	assert.False(t, explained().ReadsWholeTable, strings.Join(explained().Plan, "\n"))
	assert.NotEmpty(t, explained().Indexes)
}
