package service

import (
	"context"
	"database/sql"
	"io"
	"maps"
	"slices"
	"strings"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/load"
	"pikegate/internal/store"
)

// Load brings a file of records into a table of the embedded records. One load runs at
// a time; readers see the table as it was until the load is whole.
func (s *Service) Load(ctx context.Context, from io.Reader, req load.Request) (*load.Report, error) {
	if err := tableName(req.Table); err != nil {
		return nil, err
	}
	s.loading.Lock()
	defer s.loading.Unlock()
	db, err := sql.Open("sqlite3", store.DSN(RecordsPath(s.config.Dir)))
	if err != nil {
		return nil, err
	}
	defer db.Close()
	report, err := load.Load(ctx, db, from, req)
	if err != nil || req.Dry {
		return report, err
	}
	s.published.Load().forget()
	loaded := store.Loaded{At: s.config.Now(), By: PersonOf(ctx).Name, Rows: int(report.Loaded)}
	return report, s.store.SetLoaded(ctx, req.Table, loaded)
}

// RenameTable gives a loaded table another name.
func (s *Service) RenameTable(ctx context.Context, name, to string) error {
	return s.changeTable(ctx, name, func(tx *sql.Tx) error {
		if err := tableName(to); err != nil {
			return err
		}
		var there int
		if err := tx.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master WHERE name = ?", to).Scan(&there); err != nil {
			return err
		}
		if there > 0 {
			return &Refusal{Kind: Conflicting, Faults: fault.List{fault.New("name_taken", "there is a table %q already; nothing was renamed", to)}}
		}
		if _, err := tx.ExecContext(ctx, "ALTER TABLE "+compile.SQLite{}.Name(name)+" RENAME TO "+compile.SQLite{}.Name(to)); err != nil {
			return err
		}
		return s.store.RenameLoaded(ctx, name, to)
	})
}

// RemoveTable takes a loaded table away, with its records.
func (s *Service) RemoveTable(ctx context.Context, name string) error {
	return s.changeTable(ctx, name, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "DROP TABLE "+compile.SQLite{}.Name(name)); err != nil {
			return err
		}
		return s.store.RenameLoaded(ctx, name, "")
	})
}

// changeTable changes a table that was loaded and that no dataset describes.
func (s *Service) changeTable(ctx context.Context, name string, change func(*sql.Tx) error) error {
	s.loading.Lock()
	defer s.loading.Unlock()
	if users := s.describing(name); len(users) > 0 {
		return inUse("table "+name, "changed", users)
	}
	known, err := s.store.LoadedTables(ctx)
	if err != nil {
		return err
	}
	if !slices.Contains(known, name) {
		f := fault.New(UnknownTable, "no table %q was loaded", fault.Shorten(name))
		f.Suggest(fault.Near(name, known))
		return &Refusal{Kind: Unknown, Faults: fault.List{f}}
	}
	db, err := sql.Open("sqlite3", store.DSN(RecordsPath(s.config.Dir)))
	if err != nil {
		return err
	}
	defer db.Close()
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := change(tx); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	s.published.Load().forget()
	return nil
}

// describing are the published datasets on a table of the embedded records.
func (s *Service) describing(table string) []definition.Ref {
	var users []definition.Ref
	all := s.published.Load().Datasets
	for _, name := range slices.Sorted(maps.Keys(all)) {
		d := all[name]
		if d.Base != nil || d.Source == nil || d.Source.At.Engine != definition.Embedded {
			continue
		}
		if slices.Contains(slices.Collect(maps.Values(d.From.Tables())), table) {
			users = append(users, definition.Ref{Kind: definition.KindDataset, Name: name})
		}
	}
	return users
}

// tableName refuses a name that no loaded table can have.
func tableName(name string) error {
	if name == "" || strings.HasPrefix(name, "sqlite_") {
		return &Refusal{Kind: LoadRefused, Faults: fault.List{fault.New(load.WrongTable, "%q is no name for a table", name)}}
	}
	return nil
}
