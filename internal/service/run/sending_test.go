package run

import (
	"bytes"
	"context"
	"errors"
	"io"
	"math/rand/v2"
	"os"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
)

// gated is a receiver that takes what its test lets through.
type gated struct {
	mu    sync.Mutex
	got   bytes.Buffer
	let   chan int // so many bytes more
	limit int
	fails error
}

func (g *gated) Write(b []byte) (int, error) {
	if g.limit == 0 && g.let != nil {
		n, open := <-g.let
		if !open {
			return 0, g.fails
		}
		g.limit = n
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	g.limit = max(0, g.limit-len(b))
	return g.got.Write(b)
}

// What is done before anything is sent is done beside the reading, and where it fails nothing is sent;
// not even where the run goes on without whoever asked.
func TestNothingIsSentBeforeItIsOnRecord(t *testing.T) {
	spool, err := base.OpenSpool(t.TempDir())
	require.NoError(t, err)
	let, failed := make(chan error), errors.New("no room")
	for name, went := range map[string]error{"kept": nil, "not kept": &unkeptError{failed}} {
		for _, stays := range []bool{false, true} {
			to := &gated{}
			s := &sending{to: to, stop: func() {}, stay: stays}
			s.first.do = func() error { return <-let }
			s.aside(context.Background(), spool, 1<<40)
			_, err := s.Write([]byte("rows"))
			require.NoError(t, err, "nobody waits")
			s.Flush()
			assert.Zero(t, to.got.Len())
			let <- went
			require.Equal(t, went, s.drain(), name)
			if went == nil {
				_, err = s.Write([]byte(" and more"))
				require.NoError(t, err)
			}
			assert.Equal(t, map[bool]string{true: "rows and more"}[went == nil], to.got.String(), name)
			assert.EqualValues(t, to.got.Len(), s.n)
		}
	}
}

// How long a result is is told of one that is sent in one piece, and of nothing that is not sent.
func TestHowLongAResultIs(t *testing.T) {
	spool, err := base.OpenSpool(t.TempDir())
	require.NoError(t, err)
	for name, c := range map[string]struct {
		before, last string
		unkept       error
		told         []int
	}{
		"one piece": {last: "all rows", told: []int{8}}, "two pieces": {before: "rows", last: " and more"}, "another after it": {last: "all rows and more"},
		"nothing is sent": {last: "all rows", unkept: &unkeptError{errors.New("no room")}},
	} {
		var told []int
		to := &gated{}
		s := &sending{to: to, stop: func() {}, long: func(bytes int) { told = append(told, bytes) }}
		s.first.do = func() error { return c.unkept }
		s.aside(context.Background(), spool, 1<<40)
		if c.before != "" {
			_, err := s.Write([]byte(c.before))
			require.NoError(t, err)
		}
		require.NoError(t, s.drain())
		if name != "another after it" {
			s.Last()
		}
		_, err := s.Write([]byte(c.last))
		assert.Equal(t, c.unkept, err, name)
		assert.Equal(t, c.told, told, name)
		assert.Equal(t, c.unkept != nil, to.got.Len() == 0, name)
	}
}

// What is written comes out the same, in order, however fast it is taken, through memory,
// through the file and through both again; and writing waits for nobody while there is room.
func TestPumpKeepsTheOrder(t *testing.T) {
	spool, err := base.OpenSpool(t.TempDir())
	require.NoError(t, err)
	random := rand.New(rand.NewPCG(1, 2))
	for range 5 {
		to := &gated{let: make(chan int, 10_000)}
		p := newPump(context.Background(), to, &firstStep{}, spool, 1<<40)
		var want bytes.Buffer
		for i := range 200 {
			b := make([]byte, 1+random.IntN(64<<10))
			for j := range b {
				b[j] = byte(random.IntN(256))
			}
			want.Write(b)
			n, err := p.Write(b)
			require.NoError(t, err)
			require.Equal(t, len(b), n)
			if random.IntN(3) == 0 {
				to.let <- random.IntN(400 << 10)
			}
			if i%50 == 49 {
				p.flush()
			}
		}
		for range 1000 {
			to.let <- 1 << 20
		}
		require.NoError(t, p.end(false))
		require.True(t, bytes.Equal(want.Bytes(), to.got.Bytes()))
	}
	left, err := os.ReadDir(spool.Dir)
	require.NoError(t, err)
	assert.Empty(t, left)
}

// Where there is no room on the disk, or no more than is allowed, a slow reader slows the
// writer down, and ends it by the writer's time; what a reader fails with comes back.
func TestPumpWithoutRoom(t *testing.T) {
	spool, err := base.OpenSpool(t.TempDir())
	require.NoError(t, err)
	within, cancel := context.WithTimeout(context.Background(), 300*time.Millisecond)
	defer cancel()
	to := &gated{let: make(chan int)}
	p := newPump(within, to, &firstStep{}, spool, 3<<20)
	b := make([]byte, 64<<10)
	wrote := 0
	for err == nil {
		if _, err = p.Write(b); err == nil {
			wrote += len(b)
		}
	}
	assert.ErrorIs(t, err, context.DeadlineExceeded)
	assert.Greater(t, wrote, 3<<20)
	assert.Less(t, wrote, 5<<20)
	to.fails = io.ErrClosedPipe
	close(to.let)
	assert.ErrorIs(t, p.end(true), io.ErrClosedPipe)

	require.NoError(t, os.RemoveAll(spool.Dir))
	p = newPump(context.Background(), &gated{let: make(chan int)}, &firstStep{}, spool, 1<<40)
	for err = nil; err == nil; {
		_, err = p.Write(b)
	}
	assert.NotErrorIs(t, unsent(err), receipt.ErrGone, "it is no fault of the reader")
	assert.ErrorIs(t, unsent(os.ErrDeadlineExceeded), base.ErrTime)
	assert.ErrorIs(t, unsent(errors.New("broken pipe")), receipt.ErrGone)
}
