package source

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"net/url"
	"os"
	"strconv"
	"strings"
	"sync"

	"github.com/mattn/go-sqlite3"
	"github.com/shopspring/decimal"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/value"
)

// sqlite is a file, opened for reading.
type sqlite struct {
	path   string
	atOnce int
	rules  Rules

	mu     sync.Mutex
	db     *sql.DB     // nil before the first view
	file   os.FileInfo // that db was opened on
	closed bool
}

// sqliteDriver is SQLite with the functions that texts and decimals in texts are compared
// by, and without the statements that do more than read.
const sqliteDriver = "pikegate-sqlite"

func init() {
	sql.Register(sqliteDriver, &sqlite3.SQLiteDriver{ConnectHook: func(c *sqlite3.SQLiteConn) error {
		c.SetLimit(sqlite3.SQLITE_LIMIT_LENGTH, mostRow)
		c.SetLimit(sqlite3.SQLITE_LIMIT_ATTACHED, 0)
		if _, err := c.Exec("PRAGMA hard_heap_limit = "+strconv.Itoa(mostHeap), nil); err != nil {
			return err
		}
		if err := addFunctions(c); err != nil {
			return err
		}
		return onlyReads(c)
	}})
}

// mostHeap is the most memory that SQLite takes for all its connections together; a statement
// that needs more fails.
const mostHeap = 256 << 20

// opened is the file as it is now. One that was put in the place of another is opened
// anew, and one that was taken away is told: a connection would go on to read what nobody
// can see any more.
func (e *sqlite) opened() (*sql.DB, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.closed {
		return nil, failed(Other, "it was closed")
	}
	if info, err := os.Stat(e.path); e.db != nil && err == nil && os.SameFile(e.file, info) {
		return e.db, nil // which was held to the rules before
	}
	info, err := e.rules.database(e.path)
	if err != nil {
		return nil, err
	}
	if e.db != nil {
		go e.db.Close() // when its runs have ended
	}
	e.file = info
	e.db, err = sql.Open(sqliteDriver, "file:"+(&url.URL{Path: e.path}).EscapedPath()+"?mode=ro&_query_only=1&_mutex=no&_busy_timeout=5000&_stmt_cache_size=32")
	if err == nil {
		e.db.SetMaxIdleConns(e.atOnce) // as many as may be used at once
	}
	return e.db, err
}

func (*sqlite) Dialect() compile.Dialect { return compile.SQLite{} }

func (e *sqlite) Close() error {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.closed = true
	if e.db == nil {
		return nil
	}
	return closing(e.db.Close)
}

func (e *sqlite) view(ctx context.Context, use func(session) error) error {
	db, err := e.opened()
	if err != nil {
		return err
	}
	conn, err := db.Conn(ctx)
	if err != nil {
		return explainSQLite(err)
	}
	defer conn.Close()
	return conn.Raw(func(dc any) (err error) {
		c := dc.(*sqlite3.SQLiteConn)
		whole := context.WithoutCancel(ctx) // neither waits; with ctx the driver would start a goroutine
		if _, err := c.ExecContext(whole, "BEGIN", nil); err != nil {
			return explainSQLite(err)
		}
		defer func() {
			if _, end := c.ExecContext(whole, "ROLLBACK", nil); err == nil {
				err = end
			}
		}()
		return use(sqliteSession{c})
	})
}

// changed is the size and the time of the file and of its log.
func (e *sqlite) changed() string {
	signs := make([]string, 0, 2)
	for _, path := range []string{e.path, e.path + "-wal"} {
		if info, err := os.Stat(path); err == nil {
			signs = append(signs, fmt.Sprintf("%d bytes at %d", info.Size(), info.ModTime().UnixNano()))
		}
	}
	return strings.Join(signs, " + ")
}

type sqliteSession struct{ *sqlite3.SQLiteConn }

func (s sqliteSession) rows(ctx context.Context, statement compile.Statement) (cursor, error) {
	named := make([]driver.NamedValue, len(statement.Args))
	for i, arg := range statement.Args {
		switch v := arg.(type) {
		case decimal.Decimal:
			arg = v.InexactFloat64()
		case bool:
			if arg = int64(0); v {
				arg = int64(1)
			}
		}
		named[i] = driver.NamedValue{Ordinal: i + 1, Value: arg}
	}
	rows, err := s.QueryContext(ctx, statement.SQL, named)
	if err != nil {
		return nil, explainSQLite(err)
	}
	return newSQLiteRows(ctx, rows), nil
}

func truth(yes bool) value.Value {
	if yes {
		return value.Whole(1)
	}
	return value.Whole(0)
}

// explainSQLite tells kinds of errors apart.
func explainSQLite(err error) error {
	var e sqlite3.Error
	switch {
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return err
	case !errors.As(err, &e):
		return failed(Other, "its file could not be read")
	}
	return troubleOfSQLite(e.Code, err)
}

// troubleOfSQLite is the same of an error's code.
func troubleOfSQLite(code sqlite3.ErrNo, err error) error {
	switch code {
	case sqlite3.ErrError:
		return &Error{Trouble: Changed, Err: err, Near: quotedIn(err.Error())}
	case sqlite3.ErrTooBig:
		return failed(Other, "a value is longer than %d MiB", mostRow>>20)
	case sqlite3.ErrNomem:
		return failed(Other, "it needs more memory than there is for it")
	case sqlite3.ErrBusy, sqlite3.ErrLocked:
		return failed(Locked, "%w", err)
	case sqlite3.ErrCantOpen, sqlite3.ErrPerm:
		return failed(Unreached, "its file cannot be opened")
	case sqlite3.ErrNotADB, sqlite3.ErrCorrupt:
		return failed(Other, "its file is no sound SQLite database: %w", err)
	}
	return failed(Other, "%w", err)
}

func (e *sqlite) inspection() inspection {
	return inspection{
		explain: "EXPLAIN QUERY PLAN", planned: plannedSQLite,
		tables:  `SELECT name, type FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite!_%' ESCAPE '!' ORDER BY name`,
		columns: `SELECT name, type, "notnull", 0, 0, pk FROM pragma_table_info(?) ORDER BY cid`,
		indexes: `SELECT 'rowid', 1, max(name) FROM pragma_table_info(?1) WHERE pk > 0 HAVING count(*) = 1 AND max(upper(type)) = 'INTEGER'
			UNION ALL SELECT * FROM (SELECT l.name, l."unique", i.name FROM pragma_index_list(?1) l JOIN pragma_index_info(l.name) i WHERE l.partial = 0 AND i.name IS NOT NULL ORDER BY l.seq, i.seqno)`,
		about:   `SELECT coalesce(max(_rowid_), 0) FROM %s WHERE ? IS NOT NULL`,
		changes: `SELECT coalesce(max(_rowid_), 0) FROM %s WHERE ? IS NOT NULL`, beside: e.changed,
	}
}
