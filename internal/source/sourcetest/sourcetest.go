// Package sourcetest hands the tests of other packages a database of each engine.
package sourcetest

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/demo"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/value"
	"pikegate/internal/source"
)

// Variables are the environment variables with the addresses of the servers that
// tools/servers starts, as make test does.
var Variables = map[catalog.Engine]string{catalog.Postgres: "PIKEGATE_TEST_POSTGRES", catalog.MariaDB: "PIKEGATE_TEST_MARIADB"}

// Rules allow sources to be anywhere, and to refer to anything.
var Rules = source.Rules{Variables: []string{"*"}, SecretDirs: []string{"/"}}

// With are Rules where an environment variable holds something, beside those of the process.
func With(name, value string) source.Rules {
	rules := Rules
	rules.Variable = func(n string) string {
		if n == name {
			return value
		}
		return os.Getenv(n)
	}
	return rules
}

// Engine is an empty database of the test's own: to write to by SQL, and to read as
// the service does.
type Engine struct {
	demo.Database
	Name   catalog.Engine
	At     catalog.Connection
	Source *source.Source
}

// Each runs a test on every engine.
func Each(t *testing.T, test func(t *testing.T, e Engine)) {
	for _, name := range []catalog.Engine{catalog.SQLite, catalog.Postgres, catalog.MariaDB} {
		t.Run(string(name), func(t *testing.T) { test(t, Open(t, name)) })
	}
}

var schemas atomic.Int64

// Address is the address of the server of an engine; without one the test is skipped.
func Address(t testing.TB, name catalog.Engine) string {
	address := os.Getenv(Variables[name])
	if address == "" {
		t.Skipf("needs a server: eval \"$(tools/servers start DIR)\" starts one and sets %s", Variables[name])
	}
	return address
}

// Open makes a database on an engine.
func Open(t testing.TB, name catalog.Engine) Engine {
	e := Engine{Name: name, At: catalog.Connection{Engine: name, AtOnce: 4, Waiting: 4, Time: time.Minute}}
	var err error
	if name == catalog.SQLite {
		e.At.File = filepath.Join(t.TempDir(), "records.db")
		e.Database, err = demo.OpenFile("file:" + e.At.File + "?_journal_mode=WAL&_synchronous=OFF")
	} else {
		e.At.Address = catalog.Reference{Env: Variables[name]}
		e.At.Schema = fmt.Sprintf("test_%d_%d", os.Getpid(), schemas.Add(1))
		e.Database, err = demo.OpenServer(context.Background(), name, Address(t, name), e.At.Schema)
	}
	require.NoError(t, err)
	t.Cleanup(func() {
		if name != catalog.SQLite {
			e.Exec(t, "DROP SCHEMA "+e.At.Schema+map[catalog.Engine]string{catalog.Postgres: " CASCADE"}[name])
		}
		e.Close()
	})
	e.Source, err = source.Open(e.At, Rules)
	require.NoError(t, err)
	t.Cleanup(func() { e.Source.Close() })
	return e
}

// Exec runs a statement that writes, its placeholders written as ?.
func (e Engine) Exec(t require.TestingT, statement string, args ...any) {
	if e.Name == catalog.Postgres {
		for i := 1; strings.Contains(statement, "?"); i++ {
			statement = strings.Replace(statement, "?", fmt.Sprintf("$%d", i), 1)
		}
	}
	_, err := e.Database.Exec(statement, args...)
	require.NoError(t, err, statement)
}

// Read runs a statement as the service does; each row is its values in plain form,
// parted by blanks, a missing one as -.
func (e Engine) Read(s compile.Statement) (rows []string, err error) {
	ctx := context.Background()
	err = e.Source.View(ctx, func(v source.View) error {
		return v.Rows(ctx, s, func(row []value.Value) error {
			texts := make([]string, len(row))
			for i, value := range row {
				if texts[i] = value.String(); value.IsMissing() {
					texts[i] = "-"
				}
			}
			rows = append(rows, strings.Join(texts, " "))
			return nil
		})
	})
	return rows, err
}

// Facts are what the database says of the columns of tables.
func (e Engine) Facts(t require.TestingT, tables ...string) map[string]map[string]compile.Fact {
	all := map[string]map[string]compile.Fact{}
	require.NoError(t, e.Source.View(context.Background(), func(v source.View) error {
		for _, name := range tables {
			table, err := v.Structure(context.Background(), name)
			if err != nil {
				return err
			}
			all[name] = v.Facts(table)
		}
		return nil
	}))
	return all
}
