package kept

import (
	"encoding/binary"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/value"
)

// shelf is a directory of results, by a clock that the test sets.
func shelf(t *testing.T, limits Limits) (r *Results, now *time.Time) {
	t.Helper()
	clock := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	r, err := Open(filepath.Join(t.TempDir(), "results"), limits, func(int64) error { return nil }, func() time.Time { return clock })
	require.NoError(t, err)
	return r, &clock
}

func keep(t *testing.T, r *Results, id int64, rows ...string) error {
	t.Helper()
	k := r.Begin()
	w := k.Section(1, []string{"name", "n"})
	for i, name := range rows {
		w.Add([]value.Value{value.Chars(name), value.Whole(int64(i))})
	}
	k.Tell(1, []byte(`{"label":"Trips"}`))
	_, err := k.Commit(id, []byte(`{}`))
	k.Drop() // which leaves what was committed
	return err
}

func namesOf(t *testing.T, h *Held, skip int) (all []string) {
	t.Helper()
	require.NoError(t, h.Rows(1, skip, func(row []value.Value) error {
		all = append(all, row[0].Clone().String())
		return nil
	}))
	return all
}

func TestRowsThatAreKept(t *testing.T) {
	r, now := shelf(t, Limits{Age: time.Hour, Each: 1 << 20, All: 1 << 20})
	require.NoError(t, keep(t, r, 7, "a", "b", strings.Repeat("c", 100_000)))
	h, err := r.Find(7)
	require.NoError(t, err)
	defer h.Close()
	columns, rows, told, ok := h.Section(1)
	assert.Equal(t, []any{[]string{"name", "n"}, 3, `{"label":"Trips"}`, true}, []any{columns, rows, string(told), ok})
	assert.Equal(t, []string{"b", strings.Repeat("c", 100_000)}, namesOf(t, h, 1))
	assert.Empty(t, namesOf(t, h, 3))
	_, _, _, ok = h.Section(2)
	assert.False(t, ok)
	assert.ErrorIs(t, h.Rows(2, 0, nil), ErrNone)
	stop := errors.New("enough")
	assert.ErrorIs(t, h.Rows(1, 0, func([]value.Value) error { return stop }), stop)

	// What is open stays readable when it goes.
	*now = now.Add(time.Hour)
	r.Prune()
	_, err = r.Find(7)
	assert.ErrorIs(t, err, ErrNone)
	assert.Len(t, namesOf(t, h, 0), 3)
}

// Rows that turn out not to be all are forgotten, and others of the section take their place.
func TestRowsThatComeAgain(t *testing.T) {
	r, _ := shelf(t, Limits{Age: time.Hour, Each: 1 << 20, All: 1 << 20})
	k := r.Begin()
	first := k.Section(1, []string{"n"})
	first.Add([]value.Value{value.Whole(1)})
	again := k.Section(1, []string{"n", "m"})
	again.Add([]value.Value{value.Whole(2), {}})
	_, err := k.Commit(1, []byte(`{}`))
	require.NoError(t, err)
	h, err := r.Find(1)
	require.NoError(t, err)
	defer h.Close()
	assert.Equal(t, []string{"2"}, namesOf(t, h, 0))
}

// A directory is taken over as it is: what is not whole goes, and what cannot be read is not kept.
func TestFilesOfBefore(t *testing.T) {
	limits := Limits{Age: time.Hour, Each: 1 << 20, All: 1 << 20}
	r, now := shelf(t, limits)
	for id := range int64(4) {
		require.NoError(t, keep(t, r, id+1, "a", "b"))
	}
	cut, err := os.ReadFile(r.path(1))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(r.path(1), cut[:len(cut)/2], 0o600))
	require.NoError(t, os.WriteFile(r.path(2), nil, 0o600))
	require.NoError(t, os.WriteFile(r.path(3), binary.LittleEndian.AppendUint32([]byte("{}"), 1<<31), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(r.dir, "123.part"), []byte("half"), 0o600))
	require.NoError(t, os.Mkdir(filepath.Join(r.dir, "other"), 0o700))
	again, err := Open(r.dir, limits, func(int64) error { return nil }, func() time.Time { return *now })
	require.NoError(t, err)
	for id := range int64(3) {
		_, err := again.Find(id + 1)
		assert.ErrorIs(t, err, ErrNone)
	}
	h, err := again.Find(4)
	require.NoError(t, err)
	h.Close()
	files, err := os.ReadDir(r.dir)
	require.NoError(t, err)
	assert.Len(t, files, 4, "what was not whole is gone")
	*now = time.Now().Add(2 * time.Hour) // by which the files are older than they may be
	none, err := Open(r.dir, limits, func(int64) error { return nil }, func() time.Time { return *now })
	require.NoError(t, err)
	assert.Empty(t, none.held)
}

// Where there is no room the run goes on, and nothing is left of its rows.
func TestNoRoomForRows(t *testing.T) {
	r, now := shelf(t, Limits{Age: time.Hour, Each: 600, All: 900})
	assert.ErrorIs(t, keep(t, r, 1, strings.Repeat("x", 600)), ErrLarge)
	full := errors.New("the disk is full")
	r.room = func(int64) error { return full }
	assert.ErrorIs(t, keep(t, r, 2, "a"), full)
	r.room = func(int64) error { return nil }
	for id := range int64(5) {
		require.NoError(t, keep(t, r, id+3, strings.Repeat("x", 200)))
		*now = now.Add(time.Second)
	}
	files, err := os.ReadDir(r.dir)
	require.NoError(t, err)
	assert.LessOrEqual(t, r.size, r.limits.All)
	assert.Len(t, files, len(r.held))
	_, latest := r.Until(7)
	assert.True(t, latest, "the oldest go first")
	assert.Nil(t, (&Results{}).Begin(), "an age of 0 keeps nothing")
	(*Result)(nil).Drop()
}
