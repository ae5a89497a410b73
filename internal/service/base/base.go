// Package base is what the rooms of the service share: its files and settings, the
// definitions that are published, the person who asks, and the way to the sources with what
// is known of their tables.
package base

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"sync/atomic"
	"time"

	"golang.org/x/sync/semaphore"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
	"pikegate/internal/service/kept"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// usualChecks is how many uploads are checked at once; others wait.
const usualChecks = 2

// Base is what the rooms of the service share: its files, what is published, and the way to
// the sources.
type Base struct {
	Log       *slog.Logger
	config    atomic.Pointer[Config]
	locked    *os.File // which keeps the directory for this service
	Store     *store.Store
	sources   *source.Pool
	Spool     Spool
	Results   *kept.Results
	today     atomic.Int64        // a civil.Day; the zero Day: what clocks show
	checks    *semaphore.Weighted // of the uploads that are being checked
	Published atomic.Pointer[Published]
	SignIn    atomic.Bool  // whether people sign in; without it everybody is the one local developer
	Changed   atomic.Int64 // how often what is published or what its data are has changed
}

// Open opens the files in a directory, which it takes for this process, and makes its own
// where there is none.
func Open(ctx context.Context, c Config) (*Base, error) {
	held, err := lock(c.Dir)
	if err != nil {
		return nil, err
	}
	spool, err := OpenSpool(c.Dir)
	if err != nil {
		held.Close()
		return nil, err
	}
	results, err := kept.Open(filepath.Join(c.Dir, "results"), kept.Limits{Age: c.KeepResults, Each: cmp.Or(c.ResultBytes, usualResultBytes), All: cmp.Or(c.ResultsBytes, usualResultsBytes)}, spool.Room, c.Now)
	if err != nil {
		held.Close()
		return nil, err
	}
	own, err := openOwn(c)
	if err != nil {
		held.Close()
		return nil, err
	}
	s := &Base{
		Log:     c.log(),
		locked:  held,
		Store:   own,
		sources: source.NewPool(c.rules()),
		Spool:   spool,
		Results: results,
		checks:  semaphore.NewWeighted(int64(cmp.Or(c.Checks, usualChecks))),
	}
	s.config.Store(c.whole())
	if err := s.load(ctx); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// Close closes all files, and lets the directory go.
func (s *Base) Close() error {
	return errors.Join(s.sources.Close(), s.Store.Close(), s.locked.Close())
}

// Ready reports whether the service can do its work: its records can be read, and runs can
// be put on record.
func (s *Base) Ready(ctx context.Context) error {
	return errors.Join(s.Store.Ping(ctx), s.Spool.Room(0))
}

// openOwn opens the service's own records, which like all its files are for nobody else.
func openOwn(c Config) (*store.Store, error) {
	for _, path := range []string{filepath.Join(c.Dir, ownFile), RecordsPath(c.Dir)} {
		for _, beside := range []string{"", "-wal", "-shm"} {
			if err := os.Chmod(path+beside, 0o600); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return nil, err
			}
		}
	}
	return store.Open(filepath.Join(c.Dir, ownFile), c.OwnBytes, c.log())
}

func (s *Base) load(ctx context.Context) error {
	text, err := s.Store.Setting(ctx, todaySetting)
	if err != nil {
		return fmt.Errorf("read the service's settings: %w", err)
	}
	today, _ := civil.ParseDay(text)
	s.today.Store(int64(today))
	docs, err := s.Store.Published(ctx)
	if err != nil {
		return fmt.Errorf("read the definitions: %w", err)
	}
	defs, broken := definition.Load(docs, s.Setting(ctx, s.Today(time.UTC), time.UTC), s.Config().Functions...)
	for ref, faults := range broken {
		for _, f := range faults {
			s.Log.ErrorContext(ctx, "a stored definition is left out", "definition", ref.String(), "fault", f.Error())
		}
	}
	s.Publish(defs, docs, broken)
	return nil
}
