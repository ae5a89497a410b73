package cli

import (
	"runtime"
	"runtime/debug"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The heap may grow far while little is in use, and by less the more is.
func TestKeepHeap(t *testing.T) {
	for inUse, want := range map[uint64]int{0: 400, 5 << 20: 400, 9 << 20: 400, 12 << 20: 300, 24 << 20: 100, 40 << 20: 50, 1 << 40: 50} {
		assert.Equal(t, want, growthFor(inUse), "%d", inUse)
	}
	t.Setenv("GOGC", "")
	before := debug.SetGCPercent(100)
	defer debug.SetGCPercent(before)
	growth := func() int {
		now := debug.SetGCPercent(100)
		debug.SetGCPercent(now)
		return now
	}
	stop := keepHeap()
	large := make([]byte, 200<<20)
	require.Eventually(t, func() bool { runtime.GC(); return growth() == leastGrowth }, 10*time.Second, 20*time.Millisecond)
	runtime.KeepAlive(large)
	stop()
	assert.Equal(t, 100, growth())
}
