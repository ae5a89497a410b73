package source

import (
	"context"
	"database/sql"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
)

// Secrets come from small regular files and from variables that the admin names, and from
// nothing else, whatever a definition refers to.
func TestWhereSecretsComeFrom(t *testing.T) {
	dir := t.TempDir()
	secrets := filepath.Join(dir, "secrets")
	require.NoError(t, os.MkdirAll(filepath.Join(secrets, "folder"), 0o700))
	put := func(name, text string) {
		t.Helper()
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	put("secrets/address", "postgres://me@here/x\n")
	put("secrets/long", strings.Repeat("x", 64<<10+1))
	put("secrets/just", strings.Repeat("x", 64<<10))
	put("beside", "postgres://me@here/x")
	require.NoError(t, syscall.Mkfifo(filepath.Join(secrets, "pipe"), 0o600))
	require.NoError(t, os.Symlink(filepath.Join(dir, "beside"), filepath.Join(secrets, "link")))
	require.NoError(t, os.Symlink("address", filepath.Join(secrets, "inner")))
	require.NoError(t, os.Symlink("/dev/zero", filepath.Join(secrets, "zero")))
	variables := map[string]string{"PIER_ADDRESS": "postgres://me@here/x", "OTHER": "secret", "PIER_OWN": "secret"}
	rules := Rules{Dir: dir, Variable: func(name string) string { return variables[name] }, Variables: []string{"PIER_*", "QUAY"}, Hidden: []string{"PIER_OWN"}, SecretDirs: []string{"secrets"}}
	everywhere := Rules{Dir: dir, SecretDirs: []string{"/"}}
	for _, c := range []struct {
		rules Rules
		from  catalog.Reference
		says  string // "" where it is read
	}{
		{rules, catalog.Reference{Env: "PIER_ADDRESS"}, ""},
		{rules, catalog.Reference{Env: "OTHER"}, "is none of those that the setting secret-variables lists"},
		{rules, catalog.Reference{Env: "PIER_OWN"}, "is none of those that the setting secret-variables lists"},
		{rules, catalog.Reference{Env: "QUAY"}, "is not set"},
		{rules, catalog.Reference{Env: "QUAY2"}, "is none of those"},
		{rules, catalog.Reference{File: "secrets/address"}, ""},
		{rules, catalog.Reference{File: filepath.Join(secrets, "address")}, ""},
		{rules, catalog.Reference{File: "secrets/inner"}, ""},
		{rules, catalog.Reference{File: "secrets/just"}, ""},
		{rules, catalog.Reference{File: "secrets/long"}, "is longer than 64 kB"},
		{rules, catalog.Reference{File: "secrets/none"}, "cannot be read"},
		{rules, catalog.Reference{File: "secrets/folder"}, "is no regular file"},
		{rules, catalog.Reference{File: "secrets/pipe"}, "is no regular file"},
		{rules, catalog.Reference{File: "beside"}, "is in no directory that the setting secret-files lists"},
		{rules, catalog.Reference{File: "secrets/../beside"}, "is in no directory"},
		{rules, catalog.Reference{File: "secrets/link"}, "is in no directory"},
		{rules, catalog.Reference{File: "/etc/passwd"}, "is in no directory"},
		{everywhere, catalog.Reference{File: "/dev/zero"}, "is in no directory"},
		{everywhere, catalog.Reference{File: "secrets/zero"}, "is in no directory"},
		{everywhere, catalog.Reference{File: "/proc/self/environ"}, "is in no directory"},
		{everywhere, catalog.Reference{File: "/sys/kernel/notes"}, "is in no directory"},
	} {
		start := time.Now()
		_, err := c.rules.Referred(c.from, "address")
		assert.Less(t, time.Since(start), time.Minute)
		if c.says == "" {
			assert.NoError(t, err, c.from)
		} else if assert.Error(t, err, c.from) {
			assert.Contains(t, err.Error(), c.says)
		}
	}
}

// SQLite files of sources are regular ones in directories that the admin allows, and never
// the service's own records, by whatever name.
func TestWhereDatabasesLie(t *testing.T) {
	dir, other := t.TempDir(), t.TempDir()
	for _, path := range []string{dir + "/records.db", dir + "/pikegate.db", other + "/far.db"} {
		db, err := sql.Open("sqlite3", path)
		require.NoError(t, err)
		_, err = db.Exec("CREATE TABLE t (id INTEGER); INSERT INTO t VALUES (7)")
		require.NoError(t, err)
		require.NoError(t, db.Close())
	}
	require.NoError(t, syscall.Mkfifo(dir+"/pipe.db", 0o600))
	require.NoError(t, os.Link(dir+"/pikegate.db", other+"/hard.db"))
	require.NoError(t, os.Symlink(dir+"/pikegate.db", dir+"/soft.db"))
	for _, c := range []struct {
		dirs []string
		file string
		says string
	}{
		{nil, dir + "/records.db", ""},
		{nil, "records.db", ""},
		{nil, other + "/far.db", ""},
		{[]string{other}, other + "/far.db", ""},
		{[]string{other}, "records.db", ""},
		{[]string{dir + "/none"}, other + "/far.db", "its file is in no directory that the setting source-files lists"},
		{nil, "pikegate.db", "its file holds the service's own records"},
		{nil, "soft.db", "its file holds the service's own records"},
		{nil, other + "/hard.db", "its file holds the service's own records"},
		{nil, "pipe.db", "its file is no regular file"},
		{nil, "/dev/zero", "its file is no regular file"},
		{nil, "/proc/self/environ", "its file is in no directory that the setting source-files lists"},
		{nil, "none.db", "its file cannot be opened"},
	} {
		s, err := Open(catalog.Connection{Engine: catalog.SQLite, File: c.file, AtOnce: 1}, Rules{Dir: dir, FileDirs: c.dirs, Reserved: []string{"pikegate.db"}})
		require.NoError(t, err)
		err = s.View(context.Background(), func(v View) error {
			_, err := v.Count(context.Background(), compile.Statement{SQL: "SELECT id FROM t"})
			return err
		})
		if c.says == "" {
			assert.NoError(t, err, c.file)
		} else {
			assert.EqualError(t, err, c.says, c.file)
		}
		require.NoError(t, s.Close())
	}
}

// A file that is taken away while it is being used is missed, and one that is put in its
// place is read.
func TestADatabaseThatIsTakenAway(t *testing.T) {
	dir := t.TempDir()
	fill := func(n string) {
		db, err := sql.Open("sqlite3", dir+"/records.db")
		require.NoError(t, err)
		_, err = db.Exec("CREATE TABLE t (id INTEGER); INSERT INTO t VALUES (" + n + ")")
		require.NoError(t, err)
		require.NoError(t, db.Close())
	}
	s, err := Open(catalog.Connection{Engine: catalog.Embedded, AtOnce: 1}, Rules{Dir: dir})
	require.NoError(t, err)
	defer s.Close()
	read := func() (n int64, err error) {
		err = s.View(context.Background(), func(v View) error {
			n, err = v.Count(context.Background(), compile.Statement{SQL: "SELECT id FROM t"})
			return err
		})
		return n, err
	}
	fill("1")
	n, err := read()
	require.NoError(t, err)
	assert.EqualValues(t, 1, n)
	require.NoError(t, os.Remove(dir+"/records.db"))
	_, err = read()
	assert.EqualError(t, err, "its file cannot be opened")
	fill("2")
	n, err = read()
	require.NoError(t, err)
	assert.EqualValues(t, 2, n)
}

// Servers are those that the admin allows, and what leaves this machine is encrypted
// unless its address says otherwise.
func TestWhichServersAreReached(t *testing.T) {
	for _, c := range []struct {
		address string
		servers []string
		says    string
		clear   bool // whether it may go on in clear text
	}{
		{"postgres://me@far.example/x", nil, "", false},
		{"postgres://me@far.example/x?sslmode=disable", nil, "", true},
		{"postgres://me@far.example/x?sslmode=prefer", nil, "", true},
		{"postgres://me@127.0.0.1/x", nil, "", true},
		{"postgres://me@far.example/x", []string{"far.example"}, "", false},
		{"postgres://me@far.example:5433/x", []string{"FAR.example:5433"}, "", false},
		{"postgres://me@far.example:5433/x", []string{"far.example:5432"}, errServer.Error(), false},
		{"postgres://me@far.example,near.example/x", []string{"far.example"}, errServer.Error(), false},
		{"postgres://me@near.example/x?host=other.example", []string{"near.example"}, errServer.Error(), false},
	} {
		config, err := pgx.ParseConfig(c.address)
		require.NoError(t, err)
		err = reachable(&config.Config, c.address, Rules{Servers: c.servers})
		if c.says != "" {
			assert.EqualError(t, err, c.says, c.address)
			continue
		}
		require.NoError(t, err, c.address)
		clear := config.TLSConfig == nil
		for _, f := range config.Fallbacks {
			clear = clear || f.TLSConfig == nil
		}
		assert.Equal(t, c.clear, clear, c.address)
	}
	here := func(string) string { return "mariadb://me@far.example/x" }
	_, err := mariaConnector{catalog.Connection{Address: catalog.Reference{Env: "PIER"}}, Rules{Variable: here, Variables: []string{"PIER"}, Servers: []string{"far.example:3307"}}}.config()
	assert.Equal(t, errServer, err)
}
