// Package demotest starts a service with the ferry line in it, for the tests
// of packages that need one.
package demotest

import (
	"context"
	"database/sql"
	"errors"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/demo"
	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// AsOf is the day that the ferry line's records reach up to.
var AsOf = civil.MustParseDay("2026-11-23")

// Ferries is a running service.
type Ferries struct {
	URL     string
	Dir     string
	Service *service.Service
	Records *sql.DB // the business records, for SELECTs of the test itself
}

// made is the file of the records, which are made once for all tests of a program.
var made = sync.OnceValues(func() (file []byte, err error) {
	dir, err := os.MkdirTemp("", "ferries-*")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
	path := filepath.Join(dir, "records.db")
	records, err := demo.OpenFile(store.DSN(path))
	if err != nil {
		return nil, err
	}
	if err := errors.Join(demo.Fill(context.Background(), records, AsOf), records.Close()); err != nil {
		return nil, err
	}
	return os.ReadFile(path)
})

// Start puts the records into a directory of the test's and serves them.
func Start(t testing.TB) *Ferries {
	t.Helper()
	dir := t.TempDir()
	file, err := made()
	require.NoError(t, err)
	path := filepath.Join(dir, "records.db")
	require.NoError(t, os.WriteFile(path, file, 0o600))
	records, err := demo.OpenFile(store.DSN(path))
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	return serve(t, &Ferries{Dir: dir, Records: records.DB}, catalog.Embedded)
}

// StartOn is Start with the records on the server of an engine, whose address is in
// the environment.
func StartOn(t testing.TB, engine catalog.Engine) *Ferries {
	t.Helper()
	ctx := context.Background()
	address := os.Getenv(demo.ServerVariable)
	records, err := demo.OpenServer(ctx, engine, address, demo.Schema)
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	require.NoError(t, demo.Fill(ctx, records, AsOf))
	return serve(t, &Ferries{Dir: t.TempDir(), Records: records.DB}, engine)
}

func serve(t testing.TB, f *Ferries, engine catalog.Engine) *Ferries {
	slog.SetDefault(slog.New(slog.DiscardHandler))
	f.Service = Empty(t, f.Dir)
	_, err := f.Service.Publisher.Put(context.Background(), publish.Put{Files: demo.Definitions(engine)})
	require.NoError(t, err)
	server := httptest.NewServer(api.New(f.Service, api.Limits{}))
	t.Cleanup(server.Close)
	f.URL = server.URL
	return f
}

// Texts are the first values of what a SELECT finds in the business records.
func (f *Ferries) Texts(t testing.TB, query string) []string {
	t.Helper()
	rows, err := f.Records.Query(query)
	require.NoError(t, err)
	defer rows.Close()
	var texts []string
	for rows.Next() {
		var text string
		require.NoError(t, rows.Scan(&text))
		texts = append(texts, text)
	}
	require.NoError(t, rows.Err())
	return texts
}

// Empty opens a service without definitions, whose today is AsOf.
func Empty(t testing.TB, dir string) *service.Service {
	t.Helper()
	s := Limited(t, dir, time.Minute)
	require.NoError(t, s.Base.SetToday(context.Background(), AsOf))
	return s
}

// Limited opens a service on a directory whose runs may take so long and no
// longer.
func Limited(t testing.TB, dir string, runTime time.Duration) *service.Service {
	t.Helper()
	s, err := service.Open(context.Background(), base.Config{Dir: dir, RunTime: runTime, KeepResults: time.Hour, Now: time.Now, Sources: source.Rules{Variables: []string{"*"}}})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s
}

// Reopened closes the service and opens its files again.
func (f *Ferries) Reopened(t testing.TB) *service.Service {
	t.Helper()
	require.NoError(t, f.Service.Close())
	f.Service = Empty(t, f.Dir)
	return f.Service
}
