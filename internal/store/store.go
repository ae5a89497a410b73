// Package store keeps the service's own records, definitions with their revisions,
// receipts of runs and the service's settings, in an SQLite file through GORM.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/url"
	"os"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/mattn/go-sqlite3"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is the service's own records. It is safe for concurrent use.
type Store struct {
	db   *gorm.DB
	path string
	most int64 // bytes that the file may have; 0 for any number
	log  *slog.Logger

	keeping     *gorm.DB // on a connection of its own, for receipts
	lastReceipt atomic.Int64
	underWay    atomic.Int64 // runs that have begun lately and not ended, about
	full        atomic.Bool  // the last receipt found no room
	waiting     chan kept
	committed   chan struct{} // closed when the last of them is written
	closing     sync.RWMutex
	closed      bool
	sending     sync.Mutex
	loads       loads
	begun       beginnings
	sent        map[int64]bool // receipts whose results were handed on, until that is written
}

// DSN is the data source name of a SQLite file that is written: write-ahead
// log, foreign keys on, commits that outlive a power cut, and writers that
// queue rather than fail. Pragmas hold for a connection, so they stand here.
func DSN(path string) string {
	return "file:" + (&url.URL{Path: path}).EscapedPath() +
		"?_journal_mode=WAL&_foreign_keys=on&_synchronous=FULL&_busy_timeout=10000&_txlock=immediate&_stmt_cache_size=64"
}

// Open opens the file, makes it where there is none, and brings its tables to
// the newest form. A new file has another name until its tables are there, so that one
// that is empty was not made so: it lost its records, and is not taken for a new one. The
// file grows to most bytes, where that is not 0, and not beyond. What fails in it is logged.
func Open(path string, most int64, log *slog.Logger) (*Store, error) {
	switch info, err := os.Stat(path); {
	case errors.Is(err, fs.ErrNotExist):
		if err := create(path, log); err != nil {
			return nil, fmt.Errorf("make the service's records in %s: %w", path, err)
		}
	case err != nil:
		return nil, fmt.Errorf("open the service's records in %s: %w", path, err)
	case info.Size() == 0:
		return nil, fmt.Errorf("the service's records in %s are empty: the file was cut off or put there by somebody; bring it back from a backup, or remove it to start anew", path)
	}
	return openAt(path, most, log)
}

// create makes a file with all tables and nothing in them.
func create(path string, log *slog.Logger) error {
	new := path + ".new"
	for _, rest := range []string{"", "-wal", "-shm", "-journal"} { // of a start that was broken off
		if err := os.Remove(new + rest); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	f, err := os.OpenFile(new, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600) // whose rights SQLite gives to what it puts beside it
	if err != nil {
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	s, err := connect(new, 0, log)
	if err != nil {
		return err
	}
	if err := errors.Join(s.migrate(), s.Close()); err != nil {
		return err
	}
	return os.Rename(new, path)
}

// connector makes connections to a file that is not to grow beyond a size.
type connector struct {
	sqlite3.SQLiteDriver
	path string
	most int64
}

func (c *connector) Driver() driver.Driver { return &c.SQLiteDriver }

func (c *connector) Connect(context.Context) (driver.Conn, error) {
	conn, err := c.Open(DSN(c.path))
	if err != nil || c.most == 0 {
		return conn, err
	}
	if _, err := conn.(*sqlite3.SQLiteConn).Exec(fmt.Sprintf("PRAGMA max_page_count = %d", c.most/pageBytes), nil); err != nil {
		return nil, errors.Join(err, conn.Close())
	}
	return conn, nil
}

// pageBytes is the size of the pages of an SQLite file.
const pageBytes = 4096

func connect(path string, most int64, log *slog.Logger) (*Store, error) {
	db, err := pool(path, most, false, log)
	s := &Store{db: db, path: path, most: most, log: log, sent: map[int64]bool{}}
	s.loads.known = map[string]*Loaded{}
	return s, err
}

// pool opens the file; alone, on one connection whose statements are prepared once.
func pool(path string, most int64, alone bool, log *slog.Logger) (*gorm.DB, error) {
	conns := sql.OpenDB(&connector{path: path, most: most})
	if alone {
		conns.SetMaxOpenConns(1)
	}
	db, err := gorm.Open(sqlite.New(sqlite.Config{Conn: conns}), &gorm.Config{
		Logger:                 troubles{log},
		SkipDefaultTransaction: true,
	})
	if err != nil {
		return nil, fmt.Errorf("open the service's records in %s: %w", path, err)
	}
	// The library races with itself where two goroutines are the first to use a model with relations.
	for _, model := range []any{&ScheduleRun{}, &Group{}, &definition{}} {
		described := &gorm.Statement{DB: db}
		if err := described.Parse(model); err != nil {
			return nil, fmt.Errorf("describe the service's records: %w", err)
		}
	}
	return db, nil
}

func closeDB(db *gorm.DB) error {
	conns, err := db.DB()
	if err != nil {
		return err
	}
	return conns.Close()
}

func openAt(path string, most int64, log *slog.Logger) (*Store, error) {
	s, err := connect(path, most, log)
	if err != nil {
		return nil, err
	}
	if err := s.migrate(); err != nil {
		s.Close()
		return nil, fmt.Errorf("bring the service's records in %s up to date: %w", path, err)
	}
	if err := s.interrupt(); err != nil {
		s.Close()
		return nil, fmt.Errorf("end the receipts in %s that were left open: %w", path, err)
	}
	if err := s.startCommits(); err != nil {
		s.Close()
		return nil, fmt.Errorf("open the receipts in %s: %w", path, err)
	}
	return s, nil
}

// Close closes the file, once what waits is written.
func (s *Store) Close() error {
	return errors.Join(s.endCommits(), closeDB(s.db))
}

// Ping reports whether the records can be read, and where the last receipt found no room,
// whether there is some by now.
func (s *Store) Ping(ctx context.Context) error {
	var n int64
	if err := s.db.WithContext(ctx).Model(&settingRow{}).Count(&n).Error; err != nil || !s.full.Load() {
		return err
	}
	if err := s.SetSetting(ctx, "room", strings.Repeat("x", 2*pageBytes)); err != nil {
		return roomless(err)
	}
	s.full.Store(false)
	return s.SetSetting(ctx, "room", "")
}

// Room is how many bytes the records take, and how many they may; 0 for any number.
func (s *Store) Room(ctx context.Context) (taken, most int64, err error) {
	db, err := s.db.DB()
	if err != nil {
		return 0, 0, err
	}
	var pages, free int64
	if err := db.QueryRowContext(ctx, "PRAGMA page_count").Scan(&pages); err != nil {
		return 0, 0, err
	}
	err = db.QueryRowContext(ctx, "PRAGMA freelist_count").Scan(&free)
	return (pages - free) * pageBytes, s.most, err
}

// migrate applies the numbered migrations that the file has not seen, each in
// a transaction of its own. The file's number is SQLite's user_version. Pragmas and the
// migrations themselves are SQL: GORM has no form for them.
func (s *Store) migrate() error {
	var version int
	if err := s.db.Raw("PRAGMA user_version").Scan(&version).Error; err != nil {
		return err
	}
	names := migrationNames()
	if version > len(names) {
		return fmt.Errorf("the file is of version %d, and this program knows versions up to %d; use a newer program", version, len(names))
	}
	for i, name := range names[version:] {
		number := version + i + 1
		if !strings.HasPrefix(name, fmt.Sprintf("migrations/%04d_", number)) {
			return fmt.Errorf("migration %s stands in the place of number %d", name, number)
		}
		text, err := migrations.ReadFile(name)
		if err != nil {
			return err
		}
		err = s.db.Transaction(func(tx *gorm.DB) error {
			if err := tx.Exec(string(text)).Error; err != nil {
				return err
			}
			return tx.Exec(fmt.Sprintf("PRAGMA user_version = %d", number)).Error
		})
		if err != nil {
			return fmt.Errorf("migration %s: %w", name, err)
		}
	}
	return nil
}

// settingRow is a row of the table settings.
type settingRow struct {
	Name  string `gorm:"primaryKey"`
	Value string
}

// TableName is GORM's interface for the name of a model's table.
func (settingRow) TableName() string { return "settings" }

// Setting reads one of the service's settings, "" where it was never set.
func (s *Store) Setting(ctx context.Context, name string) (string, error) {
	var row settingRow
	err := s.db.WithContext(ctx).Where("name = ?", name).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return "", nil
	}
	return row.Value, err
}

// SetSetting writes one of the service's settings.
func (s *Store) SetSetting(ctx context.Context, name, value string) error {
	return s.db.WithContext(ctx).Save(&settingRow{Name: name, Value: value}).Error
}
