package service_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/prompt"
	"pikegate/internal/export"
	"pikegate/internal/load"
	"pikegate/internal/service"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source/sourcetest"
	"pikegate/internal/store"
)

// Refused requests as large as requests may be cost the records and whoever lists them
// little, and tell what is wrong all the same.
func TestRefusedRequestsThatAreLarge(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir, time.Date(2026, 11, 23, 11, 0, 0, 0, time.UTC))
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(kiritimati)})
	require.NoError(t, err)
	many := map[string]prompt.Entered{"day": prompt.OneText(strings.Repeat("x", 500_000))}
	for i := range 10_000 {
		many[fmt.Sprintf("unknown-%05d-%s", i, strings.Repeat("x", 30))] = prompt.OneText("some answer")
	}
	const requests = 8
	for range requests {
		_, err := s.Runs.Prepare(ctx, "one", answer.Request{Answers: many})
		var refused *base.Refusal
		require.ErrorAs(t, err, &refused)
		assert.Len(t, refused.Faults, 101)
		assert.Equal(t, "and 9901 more", refused.Faults[100].Message)
	}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	all, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 100})
	require.NoError(t, err)
	runtime.ReadMemStats(&after)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(8<<20))
	require.Len(t, all, requests)
	assert.Equal(t, receipt.Refused, all[0].State)
	text, err := json.Marshal(all)
	require.NoError(t, err)
	assert.Less(t, len(text), requests*9<<10)
	one, err := s.Receipts.Find(ctx, all[0].ID)
	require.NoError(t, err)
	assert.Len(t, one.Errors, 101)
	assert.Contains(t, one.Entered, "day")
	require.NoError(t, s.Close())
	info, err := os.Stat(filepath.Join(dir, "pikegate.db"))
	require.NoError(t, err)
	assert.Less(t, info.Size(), int64(2<<20), "the answers alone would take 8 MiB")
}

// A list reads no bodies: those of receipts that were kept before lists had heads are left
// out where they are large.
func TestOldReceiptsThatAreLarge(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir, time.Now())
	require.NoError(t, s.Close())
	own, err := store.Open(filepath.Join(dir, "pikegate.db"), 0, slog.Default())
	require.NoError(t, err)
	for id, size := range []int{100, 100_000} {
		body := fmt.Sprintf(`{"id": %d, "report": "late", "title": "Late", "problem": %q}`, id+1, strings.Repeat("x", size))
		require.NoError(t, own.Keep(store.Receipt{ID: own.NextReceipt(), Report: "late", Person: "Ines", State: "refused", StartedAt: time.Now(), Body: []byte(body)}))
	}
	require.NoError(t, own.Close())
	s = open(t, dir, time.Now())
	all, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 10})
	require.NoError(t, err)
	assert.Equal(t, []string{"There is too much of this run to list it; its receipt tells it.", strings.Repeat("x", 100)}, []string{all[0].Problem, all[1].Problem})
	whole, err := s.Receipts.Find(ctx, 2)
	require.NoError(t, err)
	assert.Len(t, whole.Problem, 100_000)
}

// The service's own records grow to their size and no further: that is told before, runs
// are refused with a word for it, and nothing that was kept is lost.
func TestOwnRecordsHaveASize(t *testing.T) {
	s, err := service.Open(ctx, base.Config{Dir: t.TempDir(), RunTime: time.Minute, Now: time.Now, OwnBytes: 1 << 20, Sources: sourcetest.Rules})
	require.NoError(t, err)
	defer s.Close()
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(kiritimati)})
	require.NoError(t, err)
	_, err = s.Author.Load(ctx, strings.NewReader("id,on\n1,2026-03-05\n"), -1, load.Request{Table: "t", Key: []string{"id"}})
	require.NoError(t, err)
	assert.Empty(t, s.Receipts.Notice(ctx))
	long := answer.Request{Answers: map[string]prompt.Entered{"day": prompt.OneText(strings.Repeat("x", 60_000))}}
	for range 2000 {
		_, _ = s.Runs.Prepare(ctx, "one", long) // refused, and on record
		if s.Receipts.Notice(ctx) != "" {
			break
		}
	}
	assert.Regexp(t, `^the service's own records take (8|9)\d % of the 1 MiB that they may: keep receipts for fewer days`, s.Receipts.Notice(ctx))
	require.NoError(t, s.Base.Ready(ctx))
	for range 1000 {
		_, _ = s.Runs.Prepare(ctx, "one", long)
		if s.Base.Ready(ctx) != nil {
			break
		}
	}
	started, err := s.Runs.Prepare(ctx, "one", answer.Request{})
	if err == nil {
		_, err = started.Stream(ctx, export.Whole{Writer: &pausing{}})
	}
	require.ErrorIs(t, err, store.ErrNoRoom)
	assert.Error(t, s.Base.Ready(ctx))
}

// On a disk that is full the service says that it is not ready, loads and runs are told
// apart from other failures, and all is well once there is room.
func TestAFullDisk(t *testing.T) {
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=40m"); err != nil {
		t.Skipf("needs a small file system: %s", err)
	}
	t.Cleanup(func() { assert.NoError(t, syscall.Unmount(dir, 0)) })
	s, err := service.Open(ctx, base.Config{Dir: dir, RunTime: time.Minute, Now: time.Now})
	require.NoError(t, err)
	defer s.Close()
	_, err = s.Author.Load(ctx, strings.NewReader("id,on\n1,2026-03-05\n"), -1, load.Request{Table: "t", Key: []string{"id"}})
	require.NoError(t, err)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(kiritimati)})
	require.NoError(t, err)
	started := func() error {
		r, err := s.Runs.Prepare(ctx, "one", answer.Request{})
		if err == nil {
			_, err = r.Stream(ctx, export.Whole{Writer: &pausing{}})
		}
		return err
	}
	require.NoError(t, started())
	require.NoError(t, s.Base.Ready(ctx))
	filling, err := os.Create(filepath.Join(dir, "filling"))
	require.NoError(t, err)
	for buffer := make([]byte, 4096); err == nil; {
		_, err = filling.Write(buffer)
	}
	require.ErrorIs(t, err, syscall.ENOSPC)
	require.NoError(t, filling.Close())
	assert.Error(t, s.Base.Ready(ctx))
	for range 5 {
		_, err = s.Author.Load(ctx, strings.NewReader("id,on\n"+strings.Repeat("2,2026-03-05\n", 1000)), -1, load.Request{Table: "t", Mode: load.Append})
		assert.ErrorIs(t, err, load.ErrNoRoom)
	}
	for err = started(); err == nil; err = started() { // as long as the files that are there have room
	}
	assert.ErrorIs(t, err, store.ErrNoRoom)
	require.NoError(t, os.Remove(filling.Name()))
	require.NoError(t, s.Base.Ready(ctx))
	start := time.Now()
	for range 100 {
		require.NoError(t, started())
	}
	assert.Less(t, time.Since(start), 30*time.Second)
	report, err := s.Author.Load(ctx, strings.NewReader("id,on\n3,2026-03-05\n"), -1, load.Request{Table: "t", Mode: load.Append})
	require.NoError(t, err)
	assert.EqualValues(t, 1, report.Added)
	assert.False(t, errors.Is(s.Base.Ready(context.Background()), load.ErrNoRoom))
}
