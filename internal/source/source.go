// Package source reads business records out of the databases that hold them.
// It never writes to one.
package source

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"io"
	"net/url"

	"github.com/mattn/go-sqlite3"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/record"
)

// ErrChanged is the cause of a failure where the database no longer has what
// a dataset describes: a table or a column is gone.
var ErrChanged = errors.New("the database does not have what the dataset describes")

// Embedded is the SQLite file of business records that belongs to the service.
// It is safe for concurrent use; each View has a connection of its own.
type Embedded struct {
	db *sql.DB
}

// driverName is SQLite with the function that texts are folded by.
const driverName = "pikegate-sqlite"

func init() {
	sql.Register(driverName, &sqlite3.SQLiteDriver{ConnectHook: func(c *sqlite3.SQLiteConn) error {
		return c.RegisterFunc(compile.FoldFunction, compile.FoldValue, true)
	}})
}

// OpenEmbedded opens the file for reading. Nothing is read before the first
// View, so that a file that is not there yet is no error here.
func OpenEmbedded(path string) (*Embedded, error) {
	db, err := sql.Open(driverName, "file:"+(&url.URL{Path: path}).EscapedPath()+"?mode=ro&_query_only=1&_busy_timeout=5000")
	if err != nil {
		return nil, err
	}
	return &Embedded{db: db}, nil
}

// Close closes the file.
func (e *Embedded) Close() error { return e.db.Close() }

// View is one snapshot of a database: whatever is read through it belongs to
// the same moment.
type View struct {
	conn *sqlite3.SQLiteConn
}

// View hands one snapshot to use and ends it afterwards. When ctx ends, the
// statement that runs is interrupted.
func (e *Embedded) View(ctx context.Context, use func(View) error) error {
	conn, err := e.db.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(dc any) (err error) {
		c := dc.(*sqlite3.SQLiteConn)
		if _, err := c.ExecContext(ctx, "BEGIN", nil); err != nil {
			return err
		}
		defer func() {
			_, end := c.ExecContext(context.WithoutCancel(ctx), "ROLLBACK", nil)
			err = errors.Join(err, end)
		}()
		return use(View{conn: c})
	})
}

// Rows runs the statement and hands each row to use. The row is used again for
// the next one. An error of use ends the reading and is returned as it is.
func (v View) Rows(ctx context.Context, s compile.Statement, use func(row []record.Value) error) error {
	named := make([]driver.NamedValue, len(s.Args))
	for i, arg := range s.Args {
		named[i] = driver.NamedValue{Ordinal: i + 1, Value: arg}
	}
	rows, err := v.conn.QueryContext(ctx, s.SQL, named)
	if err != nil {
		return explain(err)
	}
	defer rows.Close()
	width := len(rows.Columns())
	values := make([]driver.Value, width)
	row := make([]record.Value, width)
	for {
		switch err := rows.Next(values); {
		case errors.Is(err, io.EOF):
			// An interrupted statement can look like one that ended.
			return ctx.Err()
		case err != nil:
			return explain(err)
		}
		for i, value := range values {
			row[i] = value
		}
		if err := use(row); err != nil {
			return err
		}
	}
}

// One runs a statement that returns one value, nil where it returns none.
func (v View) One(ctx context.Context, s compile.Statement) (record.Value, error) {
	var value record.Value
	err := v.Rows(ctx, s, func(row []record.Value) error {
		value = row[0]
		if text, ok := value.([]byte); ok {
			value = string(text) // the driver's, until the next row
		}
		return nil
	})
	return value, err
}

// Indexes are the columns that an index of the table starts with, and about how
// many records the table has. A table that is not there has none.
func (v View) Indexes(ctx context.Context, table string) (leads []string, about int64, err error) {
	err = v.Rows(ctx, compile.Statement{Args: []any{table}, SQL: `SELECT i.name FROM pragma_index_list(?) l JOIN pragma_index_info(l.name) i WHERE i.seqno = 0
		UNION SELECT name FROM pragma_table_info(?1) WHERE pk = 1`}, func(row []record.Value) error {
		switch name := row[0].(type) {
		case string:
			leads = append(leads, name)
		case []byte:
			leads = append(leads, string(name))
		}
		return nil
	})
	if err != nil {
		return nil, 0, err
	}
	there, err := v.Count(ctx, compile.Statement{Args: []any{table}, SQL: "SELECT count(*) FROM sqlite_master WHERE name = ?"})
	if err != nil || there == 0 {
		return leads, 0, err
	}
	about, err = v.Count(ctx, compile.Statement{SQL: "SELECT max(rowid) FROM " + compile.SQLite{}.Name(table)})
	return leads, about, err
}

// Count runs a statement that returns one number.
func (v View) Count(ctx context.Context, s compile.Statement) (int64, error) {
	value, err := v.One(ctx, s)
	n, _ := value.(int64)
	return n, err
}

func explain(err error) error {
	var e sqlite3.Error
	if errors.As(err, &e) && e.Code == sqlite3.ErrError {
		return fmt.Errorf("%w: %w", ErrChanged, err)
	}
	return err
}
