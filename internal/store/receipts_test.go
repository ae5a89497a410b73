package store

import (
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func receiptOf(s *Store, state string, started time.Time) Receipt {
	return Receipt{ID: s.NextReceipt(), Report: "late", Person: "Ines", State: state, StartedAt: started, Body: []byte(`{"a":1}`)}
}

func ids(t *testing.T, s *Store, w Wanted) []int64 {
	t.Helper()
	w.Most = 1000
	all, err := s.Receipts(ctx, w)
	require.NoError(t, err)
	found := make([]int64, len(all))
	for i, r := range all {
		found[i] = r.ID
	}
	return found
}

// What was begun and never ended is told as interrupted once the file is opened again,
// and no number is given twice.
func TestReceiptsOutliveTheirRuns(t *testing.T) {
	path := filepath.Join(t.TempDir(), "own.db")
	s := open(t, path)
	first := receiptOf(s, Running, now)
	require.NoError(t, s.Keep(first))
	second := receiptOf(s, Running, now.Add(time.Microsecond))
	require.NoError(t, s.Keep(second))
	first.State, first.Begun, first.Body, first.Digests = "rows", true, []byte(`{"a":2}`), []byte{1, 2}
	require.NoError(t, s.Keep(first))
	require.NoError(t, s.Close())
	assert.Error(t, s.Keep(first), "nothing is kept once the file is closed")
	require.NoError(t, s.Close(), "closing again does no harm")

	s = open(t, path)
	got, err := s.Receipt(ctx, 1)
	require.NoError(t, err)
	first.Begun = false // which is not stored
	assert.Equal(t, &first, got)
	got, err = s.Receipt(ctx, 2)
	require.NoError(t, err)
	assert.Equal(t, Interrupted, got.State)
	assert.Equal(t, now.Add(time.Microsecond), got.StartedAt)
	_, err = s.Receipt(ctx, 3)
	assert.ErrorIs(t, err, ErrNone)
	assert.EqualValues(t, 3, s.NextReceipt())
}

// Receipts that come at the same time are committed together, each once, and each is
// on the disk when its Keep returns.
func TestReceiptsAtTheSameTime(t *testing.T) {
	path := filepath.Join(t.TempDir(), "own.db")
	s := open(t, path)
	other := open(t, path) // what it sees was committed
	var all sync.WaitGroup
	for range 64 {
		all.Go(func() {
			r := receiptOf(s, Running, now)
			begun := s.Begin(func() (Receipt, error) { return r, nil })
			if !assert.NoError(t, begun.OnRecord()) {
				return
			}
			got, err := other.Receipt(ctx, r.ID)
			if !assert.NoError(t, err) {
				return
			}
			assert.Equal(t, Running, got.State)
			end := r
			end.State = "no_rows"
			assert.NoError(t, begun.End(end))
			got, err = other.Receipt(ctx, r.ID)
			if assert.NoError(t, err) {
				assert.Equal(t, "no_rows", got.State)
			}
		})
	}
	all.Wait()
	assert.Len(t, ids(t, s, Wanted{State: "no_rows"}), 64)
	assert.Zero(t, s.underWay.Load())

	twice := receiptOf(s, Running, now)
	require.NoError(t, s.Keep(twice))
	assert.Error(t, s.Keep(twice), "a run begins once")
	require.NoError(t, s.Keep(receiptOf(s, Running, now)), "and what goes wrong with one is not the others' trouble")
}

// A run that ends at once is written once, with its end; one that lasts is on record as running without
// anybody waiting for it; and one that cannot be written says so, also at its end.
func TestRunsThatBegin(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	begin := func(asked *atomic.Int64) (*Begun, Receipt) {
		r := receiptOf(s, Running, now)
		return s.Begin(func() (Receipt, error) {
			asked.Add(1)
			return r, nil
		}), r
	}
	var asked atomic.Int64
	begun, end := begin(&asked)
	end.State = "rows"
	require.NoError(t, begun.End(end))
	require.NoError(t, begun.OnRecord(), "which it is")
	time.Sleep(2 * beginTime)
	assert.Zero(t, asked.Load())
	assert.Equal(t, []int64{end.ID}, ids(t, s, Wanted{State: "rows"}))

	begun, end = begin(&asked)
	assert.Eventually(t, func() bool { return len(ids(t, s, Wanted{State: Running})) == 1 }, time.Minute, time.Millisecond)
	end.State = "no_rows"
	require.NoError(t, begun.End(end))
	assert.Equal(t, []int64{end.ID}, ids(t, s, Wanted{State: "no_rows"}))
	assert.Empty(t, ids(t, s, Wanted{State: Running}))
	assert.EqualValues(t, 1, asked.Load())
	assert.Zero(t, s.underWay.Load())

	// Several that begin one after the other each come on record, and those that do no others wait for.
	var all []*Begun
	var ends []Receipt
	for range 4 {
		b, r := begin(&asked)
		all, ends = append(all, b), append(ends, r)
		time.Sleep(beginTime / 4)
	}
	assert.Eventually(t, func() bool { return len(ids(t, s, Wanted{State: Running})) == 4 }, time.Minute, time.Millisecond)
	assert.Eventually(t, func() bool { return s.underWay.Load() == 0 }, time.Minute, time.Millisecond, "nobody waits for their ends")
	for i, b := range all {
		ends[i].State = "rows"
		require.NoError(t, b.End(ends[i]))
	}
	assert.EqualValues(t, 5, asked.Load())
	assert.Zero(t, s.underWay.Load())

	unmade := errors.New("it cannot be made")
	begun = s.Begin(func() (Receipt, error) { return Receipt{}, unmade })
	require.ErrorIs(t, begun.OnRecord(), unmade)
	end = receiptOf(s, "failed", now)
	require.NoError(t, begun.End(end), "its end is kept all the same")
	require.NoError(t, s.Close())
	assert.ErrorIs(t, s.Begin(func() (Receipt, error) { return end, nil }).OnRecord(), errClosed)
}

// Old receipts go, a few hundred at a time; those of runs that are under way stay, and
// so does the last, whose number must not come again.
func TestPruning(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	old, young := now.AddDate(0, 0, -401), now.AddDate(0, 0, -399)
	var all sync.WaitGroup
	for range 2*pruned + 1 {
		all.Go(func() { assert.NoError(t, s.Keep(receiptOf(s, "rows", old))) })
	}
	all.Wait()
	running := receiptOf(s, Running, old)
	require.NoError(t, s.Keep(running))
	kept := receiptOf(s, "rows", young)
	require.NoError(t, s.Keep(kept))
	gone, err := s.Prune(ctx, now.AddDate(0, 0, -400), 1<<20)
	require.NoError(t, err)
	assert.EqualValues(t, 2*pruned+1, gone)
	assert.Equal(t, []int64{kept.ID, running.ID}, ids(t, s, Wanted{}))
	gone, err = s.Prune(ctx, now, 1<<20)
	require.NoError(t, err)
	assert.Zero(t, gone)
}

// The index that the list by state goes by, and the others.
func TestReceiptsAreFoundByIndex(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	for where, index := range map[string]string{
		"state = 'no_rows' AND state NOT IN ('running', 'rows')": "receipts_by_state",
		"report = 'late'": "receipts_by_report",
		"person = 'Ines'": "receipts_by_person",
		"started_at >= '2026' AND started_at < '2027'": "receipts_by_start",
	} {
		var plan []struct{ Detail string }
		require.NoError(t, s.db.Raw("EXPLAIN QUERY PLAN SELECT id FROM receipts WHERE "+where).Scan(&plan).Error)
		assert.Contains(t, fmt.Sprint(plan), index, where)
	}
}

func TestLoads(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "own.db"))
	none, err := s.LoadedAt(ctx, "fuel")
	require.NoError(t, err)
	assert.Nil(t, none)
	require.NoError(t, s.SetLoaded(ctx, "fuel", Loaded{At: now.Add(-time.Hour), By: "Tove", Rows: 3}))
	require.NoError(t, s.SetLoaded(ctx, "fuel", Loaded{At: now, By: "Ines", Rows: 4}))
	at := func(table string) *Loaded {
		l, err := s.LoadedAt(ctx, table)
		require.NoError(t, err)
		return l
	}
	last := &Loaded{At: now, By: "Ines", Rows: 4}
	assert.Equal(t, last, at("fuel"))
	assert.Nil(t, at("oil"))
	require.NoError(t, s.RenameLoaded(ctx, "fuel", "oil"))
	assert.Equal(t, []*Loaded{nil, last}, []*Loaded{at("fuel"), at("oil")})
	require.NoError(t, s.ForgetLoaded(ctx, "oil"))
	assert.Nil(t, at("oil"))
}

// Whether a result was handed on is written soon, and known before that; it goes with its receipt.
func TestResultsThatWereSent(t *testing.T) {
	path := filepath.Join(t.TempDir(), "own.db")
	s, err := Open(path, 0, slog.Default())
	require.NoError(t, err)
	sent := func(s *Store) (all []bool) {
		for id := range 3 {
			r, err := s.Receipt(ctx, int64(id+1))
			require.NoError(t, err)
			all = append(all, r.Sent)
		}
		return all
	}
	for range 3 {
		require.NoError(t, s.Keep(Receipt{ID: s.NextReceipt(), State: "rows", Body: []byte("{}")}))
	}
	assert.Equal(t, []bool{false, false, false}, sent(s))
	s.Sent(1)
	s.Sent(3)
	assert.Equal(t, []bool{true, false, true}, sent(s))
	require.NoError(t, s.Close())
	s, err = Open(path, 0, slog.Default())
	require.NoError(t, err)
	assert.Equal(t, []bool{true, false, true}, sent(s), "what is known when the service ends is kept")
	s.Sent(2)
	handedOn := func() (n int) {
		require.NoError(t, s.db.Raw("SELECT count(*) FROM handed_on").Scan(&n).Error)
		return n
	}
	require.Eventually(t, func() bool { return handedOn() == 3 }, 10*time.Second, 20*time.Millisecond, "it is written although no receipt comes")
	listed, err := s.Receipts(ctx, Wanted{Most: 3})
	require.NoError(t, err)
	assert.Equal(t, []bool{true, true, true}, []bool{listed[0].Sent, listed[1].Sent, listed[2].Sent})
	gone, err := s.Prune(ctx, now, 1<<20)
	require.NoError(t, err)
	assert.EqualValues(t, 2, gone, "the last one stays")
	assert.Equal(t, 1, handedOn())
	require.NoError(t, s.Close())
}
