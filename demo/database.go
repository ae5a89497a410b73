package demo

import (
	"context"
	"database/sql"
	"fmt"
	"regexp"
	"strings"

	"github.com/go-sql-driver/mysql"
	_ "github.com/jackc/pgx/v5/stdlib" // the drivers that the records are written with
	_ "github.com/mattn/go-sqlite3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/source"
)

// Database is where the ferry tables are made.
type Database struct {
	*sql.DB
	engine catalog.Engine
}

// OpenFile opens an SQLite file by its data source name.
func OpenFile(name string) (Database, error) {
	db, err := sql.Open("sqlite3", name)
	return Database{db, catalog.Embedded}, err
}

// OpenServer opens a server by its address, and makes the ferry line's schema on it
// where there is none.
func OpenServer(ctx context.Context, engine catalog.Engine, address, schema string) (Database, error) {
	if engine == catalog.Postgres {
		db, err := sql.Open("pgx", address)
		if err == nil {
			db.SetMaxOpenConns(1) // which keeps to the schema
			_, err = db.ExecContext(ctx, fmt.Sprintf("CREATE SCHEMA IF NOT EXISTS %[1]s; SET search_path = %[1]s", schema))
		}
		return Database{db, engine}, err
	}
	config, err := source.MariaDBAddress(address)
	if err != nil {
		return Database{}, err
	}
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return Database{}, err
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(1)
	for _, statement := range []string{"SET NAMES utf8mb4 COLLATE utf8mb4_nopad_bin", "CREATE DATABASE IF NOT EXISTS %s CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin", "USE %s"} {
		if _, err := db.ExecContext(ctx, strings.ReplaceAll(statement, "%s", schema)); err != nil {
			return Database{}, err
		}
	}
	return Database{db, engine}, nil
}

var decimals = regexp.MustCompile(`DECIMAL\([0-9, ]+\)`)

// columns are the columns of a table in the types of the engine.
func (d Database) columns(t table) string {
	text := strings.Join(t.columns, ", ")
	switch d.engine {
	case catalog.Postgres:
		return strings.NewReplacer("TEXT", `text COLLATE "C"`, "INTEGER", "bigint").Replace(text)
	case catalog.MariaDB:
		return strings.NewReplacer("TEXT", "VARCHAR(120)", "INTEGER", "BIGINT").Replace(text)
	}
	return decimals.ReplaceAllString(text, "REAL")
}

// rowsAtOnce is how many rows one INSERT has.
const rowsAtOnce = 200

func (d Database) fill(ctx context.Context, tx *sql.Tx, w *world, t table) error {
	create := fmt.Sprintf("CREATE TABLE %s (%s)", t.name, d.columns(t))
	if d.engine == catalog.Embedded {
		create += " STRICT"
	}
	for _, s := range []string{"DROP TABLE IF EXISTS " + t.name, create} {
		if _, err := tx.ExecContext(ctx, s); err != nil {
			return err
		}
	}
	insert := func(rows int) string { return "INSERT INTO " + t.name + " VALUES " + d.places(rows, len(t.columns)) }
	many, err := tx.PrepareContext(ctx, insert(rowsAtOnce))
	if err != nil {
		return err
	}
	defer many.Close()
	var values []any
	var failed error
	t.rows(w, func(row ...any) {
		if values = append(values, row...); len(values) == rowsAtOnce*len(t.columns) {
			if failed == nil {
				_, failed = many.ExecContext(ctx, values...)
			}
			values = values[:0]
		}
	})
	if failed == nil && len(values) > 0 {
		_, failed = tx.ExecContext(ctx, insert(len(values)/len(t.columns)), values...)
	}
	if failed != nil {
		return failed
	}
	for i, columns := range t.indexes {
		if _, err := tx.ExecContext(ctx, fmt.Sprintf("CREATE INDEX %s_by_%d ON %s (%s)", t.name, i+1, t.name, columns)); err != nil {
			return err
		}
	}
	if d.engine == catalog.Embedded {
		return nil
	}
	_, err = tx.ExecContext(ctx, map[catalog.Engine]string{catalog.Postgres: "ANALYZE ", catalog.MariaDB: "ANALYZE TABLE "}[d.engine]+t.name)
	return err
}

// places are the placeholders of so many rows.
func (d Database) places(rows, width int) string {
	var b strings.Builder
	for i := range rows * width {
		switch {
		case i == 0:
			b.WriteByte('(')
		case i%width == 0:
			b.WriteString("), (")
		default:
			b.WriteString(", ")
		}
		if d.engine == catalog.Postgres {
			fmt.Fprintf(&b, "$%d", i+1)
		} else {
			b.WriteByte('?')
		}
	}
	return b.String() + ")"
}
