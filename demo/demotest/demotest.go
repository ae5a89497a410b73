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

// made are the files of a service with the ferry line's records, without definitions: name and
// content. They are made once for all tests of a program.
var made = sync.OnceValues(func() (map[string][]byte, error) {
	return inDir(func(dir string) error {
		records, err := demo.OpenFile(store.DSN(filepath.Join(dir, recordsFile)))
		if err != nil {
			return err
		}
		return errors.Join(demo.Fill(context.Background(), records, AsOf), records.Close())
	})
})

// published are the files of a service's own records with the definitions of an engine in them.
// They are made once for all tests of a program, since checking and linking takes most of the time
// that a start takes.
var published = map[catalog.Engine]func() (map[string][]byte, error){
	catalog.Embedded: publishedOn(catalog.Embedded),
	catalog.Postgres: publishedOn(catalog.Postgres),
	catalog.MariaDB:  publishedOn(catalog.MariaDB),
}

func publishedOn(engine catalog.Engine) func() (map[string][]byte, error) {
	return sync.OnceValues(func() (map[string][]byte, error) {
		files, err := inDir(func(dir string) error {
			if engine == catalog.Embedded {
				records, err := made()
				if err != nil {
					return err
				}
				if err := write(dir, records); err != nil {
					return err
				}
			}
			s, err := service.Open(context.Background(), config(dir, time.Minute))
			if err != nil {
				return err
			}
			ctx := context.Background()
			_, err = s.Publisher.Put(ctx, publish.Put{Files: demo.Definitions(engine)})
			return errors.Join(err, s.Base.SetToday(ctx, AsOf), s.Close())
		})
		delete(files, recordsFile) // which each test has already
		return files, err
	})
}

const recordsFile = "records.db"

// inDir fills a directory and returns the files that are in it then.
func inDir(fill func(dir string) error) (files map[string][]byte, err error) {
	dir, err := os.MkdirTemp("", "ferries-*")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(dir)) }()
	if err := fill(dir); err != nil {
		return nil, err
	}

	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	files = map[string][]byte{}
	for _, e := range entries {
		if !e.Type().IsRegular() {
			continue
		}
		if files[e.Name()], err = os.ReadFile(filepath.Join(dir, e.Name())); err != nil {
			return nil, err
		}
	}
	return files, nil
}

func write(dir string, files map[string][]byte) error {
	for name, content := range files {
		if err := os.WriteFile(filepath.Join(dir, name), content, 0o600); err != nil {
			return err
		}
	}
	return nil
}

// Start puts the records into a directory of the test's and serves them, by a service that is configured
// as usual but for what is changed.
func Start(t testing.TB, change ...func(*base.Config)) *Ferries {
	t.Helper()
	dir := t.TempDir()
	files, err := made()
	require.NoError(t, err)
	require.NoError(t, write(dir, files))
	records, err := demo.OpenFile(store.DSN(filepath.Join(dir, recordsFile)))
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	return serve(t, &Ferries{Dir: dir, Records: records.DB}, catalog.Embedded, change...)
}

// LogTo has a service log there.
func LogTo(h slog.Handler) func(*base.Config) {
	return func(c *base.Config) { c.Log = slog.New(h) }
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

func serve(t testing.TB, f *Ferries, engine catalog.Engine, change ...func(*base.Config)) *Ferries {
	files, err := published[engine]()
	require.NoError(t, err)
	require.NoError(t, write(f.Dir, files))
	c := config(f.Dir, time.Minute)
	for _, change := range change {
		change(&c)
	}
	f.Service = opened(t, c)
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
	return opened(t, config(dir, runTime))
}

func opened(t testing.TB, c base.Config) *service.Service {
	t.Helper()
	s, err := service.Open(context.Background(), c)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s
}

func config(dir string, runTime time.Duration) base.Config {
	return base.Config{
		Dir:         dir,
		RunTime:     runTime,
		KeepResults: time.Hour,
		Now:         time.Now,
		Sources:     source.Rules{Variables: []string{"*"}},
		Log:         slog.New(slog.DiscardHandler),
	}
}

// Reopened closes the service and opens its files again.
func (f *Ferries) Reopened(t testing.TB) *service.Service {
	t.Helper()
	require.NoError(t, f.Service.Close())
	f.Service = Empty(t, f.Dir)
	return f.Service
}
