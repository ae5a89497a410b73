package receipt

import (
	"context"
	"log/slog"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// In a day a small share of the receipts may go, however often the service is asked to
// prune within it; where all days are alike it keeps up with them.
func TestShareOfReceiptsThatGo(t *testing.T) {
	for _, c := range []struct {
		all  int64
		keep int
		day  int64
	}{{13, 400, 1}, {400_000, 400, 2001}, {1000, 10, 201}, {0, 1, 1}} {
		sum := int64(0)
		for n := 1; n <= 24; n++ {
			sum += share(c.all, c.keep, n)
		}
		assert.Equal(t, c.day, sum, c)
		assert.Equal(t, share(c.all, c.keep, 1), share(c.all, c.keep, 25), "the next day is like the first")
	}
}

// A clock that is years ahead for one start costs no receipt; one that shows so for a day is
// believed, and then a few go at a time.
func TestAClockThatJumps(t *testing.T) {
	start := time.Date(2026, 11, 23, 11, 0, 0, 0, time.UTC)
	own, err := store.Open(filepath.Join(t.TempDir(), "own.db"), 0, slog.Default())
	require.NoError(t, err)
	defer own.Close()
	for range 13 {
		require.NoError(t, own.Keep(store.Receipt{ID: own.NextReceipt(), Report: "late", State: "rows", StartedAt: start, Body: []byte("{}")}))
	}
	left := func(ahead, up time.Duration, hours int) int64 {
		kept := &base.Base{Store: own, Log: slog.Default()}
		kept.Configure(base.Config{KeepDays: 400, Now: func() time.Time { return start.Add(ahead) }})
		s := &Receipts{base: kept}
		p := &pruner{started: time.Now().Add(-up)}
		for range hours {
			s.pruneOnce(context.Background(), p)
		}
		n, _, err := own.Counted(context.Background())
		require.NoError(t, err)
		return n
	}
	const years = 3 * 365 * 24 * time.Hour
	assert.EqualValues(t, 13, left(years, 0, 5), "the clock is not believed yet")
	assert.EqualValues(t, 13, left(24*time.Hour, 48*time.Hour, 5), "none is old enough")
	assert.EqualValues(t, 12, left(years, 25*time.Hour, 24), "a day's share")
	assert.EqualValues(t, 11, left(years, 25*time.Hour, 24))
}
