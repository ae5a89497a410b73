package cli

import (
	"os"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"sync/atomic"
)

// How far the heap may grow before garbage is collected: by mostGrowth per cent of what is in use as long
// as all of it stays within heapSize, since by Go's own 100 a service whose requests are many collects many
// times a second; by leastGrowth beyond that, so that a large workbook does not take many times
// what it needs. GOGC overrules it.
const (
	mostGrowth, leastGrowth = 400, 50
	heapSize                = 48 << 20
)

// growthFor is the growth in per cent for so many bytes in use.
func growthFor(inUse uint64) int {
	room := heapSize - int64(inUse) // less than nothing where more is in use
	return int(min(mostGrowth, max(leastGrowth, 100*room/max(int64(inUse), 1))))
}

// keepHeap sets how far the heap may grow, anew after each collection, until stop is called.
func keepHeap() (stop func()) {
	if os.Getenv("GOGC") != "" {
		return func() {}
	}
	before := debug.SetGCPercent(mostGrowth)
	var stopped atomic.Bool
	set := mostGrowth
	inUse := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	type collected struct{ _ *byte } // what a collection finds unused, and tells of by its finalizer
	var after func(*collected)
	after = func(*collected) {
		if stopped.Load() {
			return
		}
		metrics.Read(inUse)
		if growth := growthFor(inUse[0].Value.Uint64()); growth != set {
			set = growth
			debug.SetGCPercent(growth)
		}
		runtime.SetFinalizer(&collected{}, after)
	}
	runtime.SetFinalizer(&collected{}, after)
	return func() {
		stopped.Store(true)
		debug.SetGCPercent(before)
	}
}
