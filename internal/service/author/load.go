package author

import (
	"context"
	"database/sql"
	"errors"
	"io"
	"maps"
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/load"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// Load brings a file of records into a table of the embedded records. The file is put
// aside first, so that a slow sender holds nobody up; then one load runs at a time.
// Readers see the table as it was until the load is whole. declared is how many bytes the
// sender says the file has, -1 where that is not said.
func (s *Author) Load(ctx context.Context, from io.Reader, declared int64, req load.Request) (*load.Report, error) {
	if err := load.CheckTable(req.Table); err != nil {
		return nil, err
	}
	for _, ref := range s.describing(req.Table) {
		if !s.base.SeesUsers(ctx, ref) {
			return nil, &base.Refusal{Kind: fault.RightMissing, Faults: fault.List{fault.New(fault.RightMissing, "reports of other shelves than yours are built on the table %s; whoever has those too loads it", req.Table)}}
		}
	}
	select {
	case s.uploads <- struct{}{}:
		defer func() { <-s.uploads }()
	default:
		return nil, ErrUploads
	}
	file, size, err := s.base.Spool.Put(from, declared, s.base.Config().LoadBytes)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	if err := s.loading.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	defer s.loading.Release(1)
	if err := s.base.Spool.Room(size); err != nil {
		return nil, err
	}
	db, err := s.embedded()
	if err != nil {
		return nil, err
	}
	defer db.Close()
	req.Limits, req.Spool = s.base.Config().Loads, s.base.Spool.Dir
	report, err := load.Load(ctx, db, io.NewSectionReader(file, 0, size), req)
	if err != nil || req.Dry {
		return report, err
	}
	s.base.Forget()
	loaded := store.Loaded{At: s.base.Config().Now(), By: base.PersonOf(ctx).Name, Rows: int(report.Loaded)}
	return report, s.base.Store.SetLoaded(ctx, req.Table, loaded)
}

// embedded opens the embedded records to be written.
func (s *Author) embedded() (*sql.DB, error) {
	return sql.Open("sqlite3", store.DSN(base.RecordsPath(s.base.Config().Dir)))
}

// RenameTable gives a loaded table another name.
func (s *Author) RenameTable(ctx context.Context, name, to string) error {
	return s.changeTable(ctx, name, func(tx *sql.Tx) error {
		if err := load.CheckTable(to); err != nil {
			return err
		}
		var there int
		if err := tx.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master WHERE name = ? COLLATE NOCASE", to).Scan(&there); err != nil {
			return err
		}
		if there > 0 {
			return &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.NameTaken, "there is a table %q already; nothing was renamed", to)}}
		}
		if _, err := tx.ExecContext(ctx, "ALTER TABLE "+compile.SQLite{}.Name(name)+" RENAME TO "+compile.SQLite{}.Name(to)); err != nil {
			return err
		}
		return s.base.Store.RenameLoaded(ctx, name, to)
	})
}

// RemoveTable takes a loaded table away, with its records.
func (s *Author) RemoveTable(ctx context.Context, name string) error {
	return s.changeTable(ctx, name, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "DROP TABLE "+compile.SQLite{}.Name(name)); err != nil {
			return err
		}
		return s.base.Store.ForgetLoaded(ctx, name)
	})
}

// changeTable changes a table that was loaded and that no dataset describes.
func (s *Author) changeTable(ctx context.Context, name string, change func(*sql.Tx) error) error {
	if err := s.loading.Acquire(ctx, 1); err != nil {
		return err
	}
	defer s.loading.Release(1)
	if users := s.describing(name); len(users) > 0 {
		return base.InUse("table "+name, "changed", users)
	}
	known, err := s.base.Store.LoadedTables(ctx)
	if err != nil {
		return err
	}
	if !slices.Contains(known, name) {
		f := fault.New(fault.UnknownTable, "no table %q was loaded", english.Shorten(name))
		f.Suggest(fault.Near(name, known))
		return &base.Refusal{Kind: fault.Unknown, Faults: fault.List{f}}
	}
	db, err := s.embedded()
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
	s.base.Forget()
	return nil
}

// describing are the published datasets on a table of the embedded records.
func (s *Author) describing(table string) []catalog.Ref {
	var users []catalog.Ref
	all := s.base.Published.Load().Datasets
	for _, name := range slices.Sorted(maps.Keys(all)) {
		d := all[name]
		if d.Base != nil || d.Source == nil || d.Source.At.Engine != catalog.Embedded {
			continue
		}
		if slices.Contains(slices.Collect(maps.Values(d.From.Tables())), table) {
			users = append(users, catalog.Ref{Kind: catalog.KindDataset, Name: name})
		}
	}
	return users
}

// usualUploads is how many files are taken in at once.
const usualUploads = 4

// ErrUploads is the cause where as many files as may be are being taken in.
var ErrUploads = errors.New("as many files as may be are being loaded already")
