package source_test

import (
	"fmt"
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/value"
	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

// Values that would fill the memory end the statement and nothing else.
func TestValuesWithoutEnd(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		numbers(t, e, 1)
		for _, sql := range map[catalog.Engine][]string{
			catalog.SQLite: {
				"WITH RECURSIVE n (i, t) AS (SELECT 1, 'x' UNION ALL SELECT i + 1, t || t FROM n WHERE i < 40) SELECT max(t) FROM n",
				"WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 10000000) SELECT group_concat('0123456789') FROM n",
				"SELECT hex(zeroblob(1000000000))",
			},
			catalog.Postgres: {"SELECT repeat('x', 100000000)"},
			catalog.MariaDB:  {"SELECT repeat('x', 1000000000) IS NULL OR 1 / 0"},
		}[e.Name] {
			rows, err := e.Read(only(sql))
			if e.Name != catalog.MariaDB { // which has a limit of its own, and no error
				require.Error(t, err, sql)
				assert.Contains(t, err.Error(), "longer than 16 MiB")
				assert.Empty(t, rows)
			}
			rows, err = e.Read(only("SELECT 1"))
			require.NoError(t, err)
			assert.Equal(t, []string{"1"}, rows)
		}
	})
}

// What custom SQL leaves behind in its session is gone before somebody else's statement.
func TestSessionsAreResetAfterCustomSQL(t *testing.T) {
	for name, c := range map[catalog.Engine]struct{ take, held string }{
		catalog.Postgres: {"SELECT pg_try_advisory_lock(4711)", "SELECT count(*) FROM pg_locks WHERE locktype = 'advisory' AND objid = 4711"},
		catalog.MariaDB:  {"SELECT get_lock('pike', 1)", "SELECT is_used_lock('pike') IS NOT NULL"},
	} {
		t.Run(string(name), func(t *testing.T) {
			e := sourcetest.Open(t, name)
			for _, custom := range []bool{true, false} {
				err := e.Source.View(ctx, func(v source.View) error {
					return v.Rows(ctx, compile.Statement{SQL: c.take, Custom: custom}, func([]value.Value) error { return nil })
				})
				require.NoError(t, err)
				held := func() bool {
					var n int
					require.NoError(t, e.Database.QueryRow(c.held).Scan(&n))
					return n > 0
				}
				if custom {
					assert.Eventually(t, func() bool { return !held() }, waiting, tick)
				} else {
					assert.True(t, held(), "the test would see a lock that stays")
				}
			}
		})
	}
}

// An account that may write is told from one that may not.
func TestAccountsThatMayWrite(t *testing.T) {
	for _, name := range []catalog.Engine{catalog.Postgres, catalog.MariaDB} {
		t.Run(string(name), func(t *testing.T) {
			e := sourcetest.Open(t, name)
			numbers(t, e, 1)
			may := func(s *source.Source) (may bool) {
				require.NoError(t, s.View(ctx, func(v source.View) (err error) {
					may, err = v.MayWrite(ctx)
					return err
				}))
				return may
			}
			assert.True(t, may(e.Source))
			assert.False(t, may(reader(t, e)))
		})
	}
}

const (
	waiting = 5 * time.Second
	tick    = 10 * time.Millisecond
)

// reader is the database by an account that may only read.
func reader(t *testing.T, e sourcetest.Engine) *source.Source {
	user := fmt.Sprintf("reader_%d", time.Now().UnixNano())
	at, err := url.Parse(sourcetest.Address(t, e.Name))
	require.NoError(t, err)
	if e.Name == catalog.Postgres {
		e.Exec(t, "CREATE ROLE "+user+" LOGIN PASSWORD 'r'")
		e.Exec(t, "GRANT USAGE ON SCHEMA "+e.At.Schema+" TO "+user)
		e.Exec(t, "GRANT SELECT ON ALL TABLES IN SCHEMA "+e.At.Schema+" TO "+user)
		t.Cleanup(func() {
			e.Exec(t, "DROP OWNED BY "+user)
			e.Exec(t, "DROP ROLE "+user)
		})
	} else {
		e.Exec(t, "CREATE USER '"+user+"'@'127.0.0.1' IDENTIFIED BY 'r'")
		e.Exec(t, "GRANT SELECT ON "+e.At.Schema+".* TO '"+user+"'@'127.0.0.1'")
		t.Cleanup(func() { e.Exec(t, "DROP USER '"+user+"'@'127.0.0.1'") })
	}
	at.User = url.UserPassword(user, "r")
	to := e.At
	to.Address = catalog.Reference{Env: "READER"}
	s, err := source.Open(to, sourcetest.With("READER", at.String()))
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}
