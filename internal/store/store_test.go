package store

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
)

var (
	ctx  = context.Background()
	now  = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	pass = func([]catalog.Document) error { return nil }
)

func doc(name, text string) catalog.Document {
	return catalog.Document{Ref: catalog.Ref{Kind: catalog.KindPrompt, Name: name}, Text: text, File: "a.yaml", Line: 1}
}

func open(t *testing.T, path string) *Store {
	t.Helper()
	s, err := Open(path, 0, slog.Default())
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

func TestPutTellsNewChangedAndSame(t *testing.T) {
	path := filepath.Join(t.TempDir(), "own.db")
	s := open(t, path)
	put := func(docs ...catalog.Document) []Stored {
		stored, err := s.Put(ctx, docs, Save{By: "Ines", Now: now}, pass)
		require.NoError(t, err)
		return stored
	}
	assert.Equal(t, Stored{Ref: doc("p", "").Ref, Change: New, Revision: 1}, put(doc("p", "one"))[0])
	assert.Equal(t, Stored{Ref: doc("p", "").Ref, Change: Same, Revision: 1}, put(doc("p", "one"))[0])
	stored := put(doc("p", "two # with a comment"), doc("q", "one"))
	assert.Equal(t, []Change{Changed, New}, []Change{stored[0].Change, stored[1].Change})
	assert.Equal(t, 2, stored[0].Revision)

	// What was committed is there for the next one who opens the file.
	require.NoError(t, s.Close())
	docs, err := open(t, path).Published(ctx)
	require.NoError(t, err)
	require.Len(t, docs, 2)
	assert.Equal(t, "two # with a comment", docs[0].Text)
	assert.Equal(t, "a.yaml", docs[0].File)
}

func TestPutIsAllOrNothing(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	_, err := s.Put(ctx, []catalog.Document{doc("p", "one")}, Save{By: "Ines", Now: now}, pass)
	require.NoError(t, err)
	refused := errors.New("does not fit")
	var seen []catalog.Document
	_, err = s.Put(ctx, []catalog.Document{doc("p", "two"), doc("q", "one")}, Save{By: "Ines", Now: now}, func(all []catalog.Document) error {
		seen = all
		return refused
	})
	assert.ErrorIs(t, err, refused)
	assert.Len(t, seen, 2, "the check sees what would be")
	docs, err := s.Published(ctx)
	require.NoError(t, err)
	require.Len(t, docs, 1)
	assert.Equal(t, "one", docs[0].Text)
}

func TestSettings(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "a directory with ? and #.db"))
	value, err := s.Setting(ctx, "today")
	require.NoError(t, err)
	assert.Empty(t, value)
	require.NoError(t, s.SetSetting(ctx, "today", "2026-11-23"))
	require.NoError(t, s.SetSetting(ctx, "today", "2026-11-24"))
	value, err = s.Setting(ctx, "today")
	require.NoError(t, err)
	assert.Equal(t, "2026-11-24", value)
}

// newest is the version that the migrations lead to.
func newest(t *testing.T) int {
	t.Helper()
	files, err := fs.Glob(migrations, "migrations/*.sql")
	require.NoError(t, err)
	return len(files)
}

func TestPragmasHoldOnEveryConnection(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	for pragma, want := range map[string]string{"journal_mode": "wal", "foreign_keys": "1", "synchronous": "2", "user_version": strconv.Itoa(newest(t))} {
		var got string
		require.NoError(t, s.db.Raw("PRAGMA "+pragma).Scan(&got).Error)
		assert.Equal(t, want, got, pragma)
	}
	assert.Error(t, s.db.Exec("INSERT INTO revisions (definition_id, number, text, file, line, saved_at, saved_by) VALUES (99, 1, '', '', 1, '', '')").Error, "foreign keys are on")
}

func TestAFileOfANewerProgramIsRefused(t *testing.T) {
	path := filepath.Join(t.TempDir(), "own.db")
	s := open(t, path)
	require.NoError(t, s.db.Exec("PRAGMA user_version = 99").Error)
	s.Close()
	_, err := Open(path, 0, slog.Default())
	assert.ErrorContains(t, err, fmt.Sprintf("the file is of version 99, and this program knows versions up to %d; use a newer program", newest(t)))
}

// A statement that fails is logged without its values; one that was ended since nobody waits for it is not.
func TestWhatNobodyWaitsForIsNotLogged(t *testing.T) {
	var log bytes.Buffer
	s, err := Open(filepath.Join(t.TempDir(), "own.db"), 0, slog.New(slog.NewTextHandler(&log, nil)))
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	gone, leave := context.WithCancel(ctx)
	leave()
	_, err = s.Receipts(gone, Wanted{Most: 1})
	require.ErrorIs(t, err, context.Canceled)
	assert.Empty(t, log.String())
	require.Error(t, s.db.Exec("SELECT nothing FROM nowhere WHERE secret = ?", "herring").Error)
	assert.Contains(t, log.String(), "nowhere")
	assert.NotContains(t, log.String(), "herring")
}

// Who somebody is at the provider is settled by the first who says so.
func TestOpenIDOnce(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	by := AuditEntry{At: now, Person: "Ines", Action: "change person"}
	require.NoError(t, s.AddPerson(ctx, Person{Name: "Ines", Role: "reader", Shelves: []string{}, Attributes: map[string][]string{}, MadeAt: now}, by))
	p, err := s.PersonNamed(ctx, "Ines")
	require.NoError(t, err)
	for i, want := range []error{nil, ErrTaken} {
		p.OpenID = []string{"first", "second"}[i]
		assert.Equal(t, want, s.SetOpenID(ctx, p, by))
	}
	p, err = s.PersonNamed(ctx, "ines")
	require.NoError(t, err)
	assert.Equal(t, "first", p.OpenID)
}
