package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"path"
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

// Version is of which version the tables of an SQLite file of own records are, without changing it.
func Version(ctx context.Context, path string) (version int, err error) {
	return version, beside(path, func(db *sql.DB) error {
		return db.QueryRowContext(ctx, "PRAGMA user_version").Scan(&version)
	})
}

// Missing are the files of migrations that a file of some version has not had yet.
func Missing(version int) []string {
	var names []string
	for i, name := range migrationNames() {
		if i >= version {
			names = append(names, path.Base(name))
		}
	}
	return names
}

// Held is how much a store holds.
type Held struct{ Definitions, Receipts, People int }

// Held counts what the store holds.
func (s *Store) Held(ctx context.Context) (h Held, err error) {
	for table, into := range map[string]*int{"definitions": &h.Definitions, "receipts": &h.Receipts, "people": &h.People} {
		var n int64
		if err := s.db.WithContext(ctx).Table(table).Count(&n).Error; err != nil {
			return h, err
		}
		*into = int(n)
	}
	return h, nil
}
