package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"slices"
)

// Tables is the version of the tables that this program makes of the own records.
func Tables() int { return len(migrationNames()) }

// migrationNames are the files of migrations, in their order.
func migrationNames() []string {
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		panic("store: the migrations cannot be listed: " + err.Error())
	}
	slices.Sort(names)
	return names
}

// Snapshot copies an SQLite file as it is at one moment, while others write it. The copy is not there
// yet.
func Snapshot(ctx context.Context, from, to string) error {
	return beside(from, func(db *sql.DB) error {
		_, err := db.ExecContext(ctx, "VACUUM INTO ?", to)
		return err
	})
}

// Sound holds an SQLite file to its own rules.
func Sound(ctx context.Context, path string) error {
	return beside(path, func(db *sql.DB) error {
		var said string
		if err := db.QueryRowContext(ctx, "PRAGMA integrity_check(1)").Scan(&said); err != nil {
			return err
		}
		if said != "ok" {
			return errors.New(said)
		}
		// What it was written with goes, so that the file stands alone.
		var mode string
		return db.QueryRowContext(ctx, "PRAGMA journal_mode = DELETE").Scan(&mode)
	})
}

// beside does something with a file on a connection of its own.
func beside(path string, do func(*sql.DB) error) (err error) {
	db, err := sql.Open("sqlite3", DSN(path))
	if err != nil {
		return fmt.Errorf("open %s: %w", path, err)
	}
	defer func() { err = errors.Join(err, db.Close()) }()
	db.SetMaxOpenConns(1)
	return do(db)
}
