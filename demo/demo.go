// Package demo makes the world that the product is tried on: Lantern Sound
// Ferries, an invented line with invented harbours, vessels and customers.
//
// The same as-of day always gives the same records. They reach up to that day,
// so that "last month" is never empty, and what lies ahead is there too:
// sailings on sale, certificates that expire.
package demo

import (
	"context"
	"database/sql"
	"embed"
	"fmt"
	"strings"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
)

//go:embed definitions/*.yaml
var files embed.FS

// Definitions are the files that describe the ferry line's tables and reports.
func Definitions() []definition.File {
	entries, err := files.ReadDir("definitions")
	if err != nil {
		panic(err) // embedded: it is there or the program was not built
	}
	all := make([]definition.File, len(entries))
	for i, e := range entries {
		text, err := files.ReadFile("definitions/" + e.Name())
		if err != nil {
			panic(err)
		}
		all[i] = definition.File{Name: e.Name(), Text: string(text)}
	}
	return all
}

// Fill makes the ferry tables anew, in one transaction: whoever reads sees the
// old ones or the new ones, whole.
func Fill(ctx context.Context, db *sql.DB, asOf civil.Day) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	w, err := newWorld(asOf)
	if err != nil {
		return err
	}
	for _, t := range tables {
		if err := fill(ctx, tx, w, t); err != nil {
			return fmt.Errorf("table %s: %w", t.name, err)
		}
	}
	return tx.Commit()
}

// table is one table of the ferry line: its columns with their SQL types, its
// indexes, and what writes its rows.
type table struct {
	name    string
	columns []string
	indexes []string
	rows    func(w *world, put func(values ...any))
}

func fill(ctx context.Context, tx *sql.Tx, w *world, t table) error {
	statements := []string{
		"DROP TABLE IF EXISTS " + t.name,
		fmt.Sprintf("CREATE TABLE %s (%s) STRICT", t.name, strings.Join(t.columns, ", ")),
	}
	for _, s := range statements {
		if _, err := tx.ExecContext(ctx, s); err != nil {
			return err
		}
	}
	places := strings.TrimSuffix(strings.Repeat("?, ", len(t.columns)), ", ")
	insert, err := tx.PrepareContext(ctx, fmt.Sprintf("INSERT INTO %s VALUES (%s)", t.name, places))
	if err != nil {
		return err
	}
	defer insert.Close()
	var failed error
	t.rows(w.with(t.name), func(values ...any) {
		if failed == nil {
			_, failed = insert.Exec(values...)
		}
	})
	if failed != nil {
		return failed
	}
	for i, columns := range t.indexes {
		if _, err := tx.ExecContext(ctx, fmt.Sprintf("CREATE INDEX %s_by_%d ON %s (%s)", t.name, i+1, t.name, columns)); err != nil {
			return err
		}
	}
	return nil
}
