package api_test

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/service/receipt"
)

// 64 readers at a mix of reports, for as long as PIKEGATE_SOAK says: no error,
// no growth of memory after the first minute, and a receipt of each run.
func TestSoakReaders(t *testing.T) {
	span, err := time.ParseDuration(os.Getenv("PIKEGATE_SOAK"))
	if err != nil {
		t.Skip("PIKEGATE_SOAK is not set; make soak sets it")
	}
	ferries := demotest.Start(t)
	requests := []struct{ report, body string }{
		{"late-sailings", `{"answers":{"travel-period":"last month"},"limit":200}`},
		{"waybills-by-day", `{"answers":{"manifest-period":"last 7 days"}}`},
		{"fuel-on-a-day", `{"answers":{"delivery-day":"25 Oct 2026"}}`},
		{"late-sailings", `{"answers":{"travel-period":"year to date","minutes":0}}`},
		{"late-sailings", `{"answers":{"travel-period":"last month"},"limit":200,"evidence":true}`},
	}
	var done, failed atomic.Int64
	end := time.Now().Add(span)
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 64}}
	var readers sync.WaitGroup
	for reader := range 64 {
		readers.Go(func() {
			for n := reader; time.Now().Before(end); n++ {
				r := requests[n%len(requests)]
				answer, err := client.Post(ferries.URL+"/api/v1/reports/"+r.report+"/runs?output=csv", "application/json", strings.NewReader(r.body))
				if err == nil {
					_, err = io.Copy(io.Discard, answer.Body)
					answer.Body.Close()
				}
				if err != nil || answer.StatusCode != http.StatusOK {
					failed.Add(1)
				}
				done.Add(1)
			}
		})
	}
	var heap []uint64
	for time.Now().Before(end) {
		time.Sleep(min(5*time.Second, span/10))
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		heap = append(heap, m.HeapAlloc)
	}
	readers.Wait()
	fmt.Printf("%d requests in %s, %d failed; live memory %d to %d KiB\n", done.Load(), span, failed.Load(), heap[0]>>10, heap[len(heap)-1]>>10)
	assert.Zero(t, failed.Load())
	require.NotEmpty(t, heap)
	settled := heap[len(heap)/5]
	assert.Less(t, heap[len(heap)-1], settled+(16<<20), "live memory does not grow")
	last, _, err := ferries.Service.Receipts.History(t.Context(), receipt.Wanted{Most: 1})
	require.NoError(t, err)
	assert.Equal(t, done.Load(), last[0].ID, "each run has a receipt")
	for _, state := range receipt.States {
		none, _, err := ferries.Service.Receipts.History(t.Context(), receipt.Wanted{State: state.State, Most: 1})
		require.NoError(t, err)
		assert.Equal(t, state.State == receipt.Rows, len(none) == 1, state.State)
	}
}
