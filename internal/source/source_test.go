package source

import (
	"context"
	"database/sql"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/record"
)

// records is a file with a table t of n numbers.
func records(t *testing.T, n int) *Embedded {
	t.Helper()
	path := filepath.Join(t.TempDir(), "records.db")
	db, err := sql.Open("sqlite3", "file:"+path+"?_journal_mode=WAL")
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("CREATE TABLE t (id INTEGER PRIMARY KEY)")
	require.NoError(t, err)
	_, err = db.Exec("WITH RECURSIVE n (id) AS (SELECT 1 UNION ALL SELECT id + 1 FROM n WHERE id < ?) INSERT INTO t SELECT id FROM n", n)
	require.NoError(t, err)
	e, err := OpenEmbedded(path)
	require.NoError(t, err)
	t.Cleanup(func() { e.Close() })
	return e
}

func TestRowsAndCount(t *testing.T) {
	e := records(t, 10)
	var sum, n int64
	err := e.View(context.Background(), func(v View) error {
		err := v.Rows(context.Background(), compile.Statement{SQL: "SELECT id FROM t WHERE id > ?", Args: []any{int64(7)}}, func(row []record.Value) error {
			sum += row[0].(int64)
			return nil
		})
		if err != nil {
			return err
		}
		n, err = v.Count(context.Background(), compile.Statement{SQL: "SELECT count(*) FROM t"})
		return err
	})
	require.NoError(t, err)
	assert.Equal(t, []int64{27, 10}, []int64{sum, n})
}

// The road to write is closed, whatever a statement says.
func TestNothingIsWritten(t *testing.T) {
	e := records(t, 1)
	for _, statement := range []string{"DELETE FROM t", "INSERT INTO t VALUES (9)", "CREATE TABLE u (a)", "PRAGMA user_version = 7", "VACUUM"} {
		err := e.View(context.Background(), func(v View) error {
			return v.Rows(context.Background(), compile.Statement{SQL: statement}, func([]record.Value) error { return nil })
		})
		assert.Error(t, err, statement)
	}
}

// A run whose caller goes away stops in the database, and the connection is
// fit for the next one.
func TestCancelling(t *testing.T) {
	e := records(t, 3000)
	ctx, cancel := context.WithCancel(context.Background())
	start := time.Now()
	time.AfterFunc(100*time.Millisecond, cancel)
	endless := compile.Statement{SQL: "SELECT count(*) FROM t a, t b, t c, t d WHERE a.id + b.id + c.id + d.id < 0"}
	err := e.View(ctx, func(v View) error {
		_, err := v.Count(ctx, endless)
		return err
	})
	assert.ErrorIs(t, err, context.Canceled)
	assert.Less(t, time.Since(start), 5*time.Second)
	require.NoError(t, e.View(context.Background(), func(v View) error {
		n, err := v.Count(context.Background(), compile.Statement{SQL: "SELECT count(*) FROM t"})
		assert.EqualValues(t, 3000, n)
		return err
	}))
}

func TestWhatTheDatabaseDoesNotHave(t *testing.T) {
	e := records(t, 1)
	err := e.View(context.Background(), func(v View) error {
		return v.Rows(context.Background(), compile.Statement{SQL: "SELECT gone FROM t"}, nil)
	})
	assert.ErrorIs(t, err, ErrChanged)
	none, err := OpenEmbedded(filepath.Join(t.TempDir(), "none.db"))
	require.NoError(t, err)
	defer none.Close()
	assert.Error(t, none.View(context.Background(), func(View) error { return nil }))
}
