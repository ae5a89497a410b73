package service

import (
	"context"
	"database/sql"
	"io"

	"pikegate/internal/core/fault"
	"pikegate/internal/load"
	"pikegate/internal/store"
)

// Load brings a file of records into a table of the embedded records. One load runs at
// a time; readers see the table as it was until the load is whole.
func (s *Service) Load(ctx context.Context, from io.Reader, req load.Request) (*load.Report, error) {
	if req.Table == "" || len(req.Table) > 7 && req.Table[:7] == "sqlite_" {
		return nil, &Refusal{Kind: LoadRefused, Faults: fault.List{fault.New(load.WrongTable, "%q is no name for a table", req.Table)}}
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
