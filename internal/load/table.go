package load

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"

	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/fault"
)

// types are what SQLite's columns are declared as.
var types = map[column.Type]string{column.Integer: "INTEGER", column.YesNo: "INTEGER", column.Decimal: "REAL", column.Number: "REAL"}

func quoted(names []string) string {
	all := make([]string, len(names))
	for i, n := range names {
		all[i] = compile.SQLite{}.Name(n)
	}
	return strings.Join(all, ", ")
}

func (l *loader) write(ctx context.Context, tx *sql.Tx) error {
	before, err := l.table(ctx, tx)
	if err != nil {
		return err
	}
	statement := fmt.Sprintf("INSERT INTO %s (%s) VALUES (%s)", compile.SQLite{}.Name(l.req.Table), quoted(l.names), strings.TrimSuffix(strings.Repeat("?, ", len(l.names)), ", "))
	if l.req.Mode == Update {
		var sets []string
		for _, name := range l.names {
			if !slices.Contains(l.req.Key, name) {
				sets = append(sets, compile.SQLite{}.Name(name)+" = excluded."+compile.SQLite{}.Name(name))
			}
		}
		conflict := " ON CONFLICT (" + quoted(l.req.Key) + ") DO "
		if len(sets) == 0 {
			statement += conflict + "NOTHING"
		} else {
			statement += conflict + "UPDATE SET " + strings.Join(sets, ", ")
		}
	}
	insert, err := tx.PrepareContext(ctx, statement)
	if err != nil {
		return refuse(fault.TableDoesNotFit, "the table %q does not take these columns: %s", l.req.Table, err)
	}
	defer insert.Close()
	values := make([]any, len(l.names))
	err = l.each(ctx, func(r row, last bool) error {
		if last {
			if keep, err := l.totalled(r); err != nil || !keep {
				return err
			}
		}
		return l.put(ctx, insert, r, values)
	})
	if err != nil {
		return err
	}
	after, err := l.records(ctx, tx)
	l.report.Added, l.report.Replaced = l.report.Loaded, before
	switch l.req.Mode {
	case Update:
		l.report.Added = after - before
		l.report.Replaced = l.report.Loaded - l.report.Added
	case Append, New:
		l.report.Replaced = 0
	}
	return err
}

func (l *loader) records(ctx context.Context, tx *sql.Tx) (n int64, err error) {
	err = tx.QueryRowContext(ctx, "SELECT count(*) FROM "+compile.SQLite{}.Name(l.req.Table)).Scan(&n)
	return n, err
}

// isThere reports whether there is a table of the name. Another thing of the name, or one
// that differs by capital letters only, is told.
func (l *loader) isThere(ctx context.Context, tx *sql.Tx) (bool, error) {
	var kind, name string
	err := tx.QueryRowContext(ctx, "SELECT type, name FROM sqlite_master WHERE name = ? COLLATE NOCASE", l.req.Table).Scan(&kind, &name)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return false, nil
	case err != nil:
		return false, err
	case kind != "table":
		return false, refuse(fault.TableDoesNotFit, "the name %q is taken by a thing of the kind %s; give the table another one", name, kind)
	case name != l.req.Table:
		return false, refuse(fault.TableDoesNotFit, "there is a table %q, and capital letters make no difference to the names of tables; load into that one, or give the new one another name", name)
	}
	return true, nil
}

// table makes the table, where it is to be replaced or is not there, and returns how many
// records it had.
//
// One branch for each mode of a load.
func (l *loader) table(ctx context.Context, tx *sql.Tx) (before int64, err error) {
	name := compile.SQLite{}.Name(l.req.Table)
	there, err := l.isThere(ctx, tx)
	if err != nil {
		return 0, err
	}
	if l.req.Mode == Update && len(l.req.Key) == 0 {
		return 0, refuse(fault.TableDoesNotFit, "to update records, name the columns of their key")
	}
	if there && l.req.Mode == New {
		return 0, refuse(fault.TableDoesNotFit, "the table %q is there already; say by the mode whether its records go (replace), stay (append), or those of the same key go (update)", l.req.Table)
	}
	if there {
		if before, err = l.records(ctx, tx); err != nil {
			return 0, err
		}
	}
	if there && l.req.Mode != Replace {
		if l.req.RowNumber == "" {
			return before, nil
		}
		number := compile.SQLite{}.Name(l.req.RowNumber)
		if err := tx.QueryRowContext(ctx, "SELECT coalesce(max("+number+"), 0) FROM "+name).Scan(&l.number); err != nil {
			return 0, refuse(fault.TableDoesNotFit, "the table %q has no column %q of whole numbers to go on with", l.req.Table, l.req.RowNumber)
		}
		return before, nil
	}
	if there {
		if _, err := tx.ExecContext(ctx, "DROP TABLE "+name); err != nil {
			return 0, err
		}
	}
	var columns []string
	if l.req.RowNumber != "" {
		columns = append(columns, compile.SQLite{}.Name(l.req.RowNumber)+" INTEGER NOT NULL")
	}
	for _, c := range l.columns {
		kind := types[c.Type]
		if kind == "" || c.IsExactText() {
			kind = "TEXT"
		}
		columns = append(columns, compile.SQLite{}.Name(c.Name)+" "+kind)
	}
	key := l.req.Key
	if len(key) == 0 && l.req.RowNumber != "" {
		key = []string{l.req.RowNumber}
	}
	if len(key) > 0 {
		columns = append(columns, "PRIMARY KEY ("+quoted(key)+")")
	}
	_, err = tx.ExecContext(ctx, fmt.Sprintf("CREATE TABLE %s (%s) STRICT", name, strings.Join(columns, ", ")))
	return before, err
}
