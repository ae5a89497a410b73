package cli

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
)

// startDemo starts the demo in a directory and returns its address once it answers.
func startDemo(t *testing.T, dir string) (*exec.Cmd, string) {
	t.Helper()
	c := program(t, "demo", "--listen", "127.0.0.1:0", "--data", dir, "--as-of", "2026-11-23")
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	buffer := make([]byte, 1000)
	n, err := out.Read(buffer)
	require.NoError(t, err)
	at := address.FindString(string(buffer[:n]))
	require.Eventually(t, func() bool {
		answer, err := http.Get(at + "/healthz")
		if err != nil {
			return false
		}
		answer.Body.Close()
		return answer.StatusCode == http.StatusOK
	}, 20*time.Second, 10*time.Millisecond)
	return c, at
}

// receipts are the last receipts of a service.
func receipts(t *testing.T, at string) []receipt.Receipt {
	t.Helper()
	answer, err := http.Get(at + "/api/v1/receipts?limit=1000")
	require.NoError(t, err)
	defer answer.Body.Close()
	var list api.ReceiptList
	require.NoError(t, json.NewDecoder(answer.Body).Decode(&list))
	return list.Receipts
}

// A service that is killed in the middle of 100 runs leaves 100 receipts, and none of
// them lies: whoever got a whole result has a receipt that says so, and what was cut
// off is told as interrupted.
func TestKilledInTheMiddle(t *testing.T) {
	dir := t.TempDir()
	first, at := startDemo(t, dir)
	killed := make(chan struct{})
	var whole sync.Map // the numbers of the receipts whose results came whole
	run := func(report, body string, hold <-chan struct{}) {
		resp, err := http.Post(at+"/api/v1/reports/"+report+"/runs?output=csv", "application/json", strings.NewReader(body))
		if err != nil {
			return // it was waiting for its turn
		}
		defer resp.Body.Close()
		var id int64
		_, err = fmt.Sscanf(resp.Header.Get("Link"), "</api/v1/receipts/%d>", &id)
		assert.NoError(t, err)
		if hold != nil {
			<-hold
		}
		if _, err := io.Copy(io.Discard, resp.Body); err == nil {
			whole.Store(id, true)
		}
	}
	var all sync.WaitGroup
	const done, underWay = 60, 40
	for range done {
		all.Go(func() { run("fuel-on-a-day", `{"evidence":true}`, nil) })
	}
	all.Wait()
	for range underWay { // more than are read at once, and read by nobody
		all.Go(func() { run("bookings-of-a-quarter", `{"answers":{"travel-quarter":"Q2 2026"}}`, killed) })
	}
	require.Eventually(t, func() bool { return len(receipts(t, at)) == done+underWay }, 20*time.Second, 5*time.Millisecond)
	require.NoError(t, first.Process.Kill())
	_ = first.Wait()
	close(killed)
	all.Wait()

	second, at := startDemo(t, dir)
	states := map[receipt.State]int{}
	told := receipts(t, at)
	require.Len(t, told, done+underWay)
	for i, r := range told {
		states[r.State]++
		assert.EqualValues(t, len(told)-i, r.ID, "no number is left out")
		if _, came := whole.Load(r.ID); came {
			assert.Equal(t, receipt.Rows, r.State, "receipt %d", r.ID)
		}
	}
	t.Logf("%v", states)
	assert.GreaterOrEqual(t, states[receipt.Rows], done)
	assert.Positive(t, states[receipt.Interrupted])
	assert.Equal(t, len(told), states[receipt.Rows]+states[receipt.Interrupted])
	var out, errs bytes.Buffer
	assert.Equal(t, exitDone, Main([]string{"history", "--state", "interrupted", "--most", "1", "--server", at}, strings.NewReader(""), &out, &errs))
	assert.Contains(t, out.String(), "interrupted")
	require.NoError(t, second.Process.Signal(os.Interrupt))
	require.NoError(t, second.Wait())
}

// A first start that is killed at any time is made good by the next one.
func TestAFirstStartThatIsKilled(t *testing.T) {
	for _, after := range []time.Duration{0, 300 * time.Millisecond, 900 * time.Millisecond, 1500 * time.Millisecond} {
		dir := t.TempDir()
		c := program(t, "demo", "--listen", "127.0.0.1:0", "--data", dir, "--as-of", "2026-11-23")
		require.NoError(t, c.Start())
		time.Sleep(after)
		require.NoError(t, c.Process.Kill())
		_ = c.Wait()
		second, at := startDemo(t, dir)
		var list api.ReportList
		answer, err := http.Get(at + "/api/v1/reports")
		require.NoError(t, err)
		require.NoError(t, json.NewDecoder(answer.Body).Decode(&list))
		answer.Body.Close()
		assert.Len(t, list.Reports, 25, after)
		require.NoError(t, second.Process.Kill())
		_ = second.Wait()
	}
	// Between the day and the definitions, where a start was once taken for whole.
	dir := t.TempDir()
	s, err := service.Open(t.Context(), base.Config{Dir: dir, RunTime: time.Minute, Now: time.Now})
	require.NoError(t, err)
	day := civil.MustParseDay("2026-11-23")
	require.NoError(t, fillDemo(t.Context(), dir, catalog.Embedded, day))
	require.NoError(t, s.Base.SetToday(t.Context(), day))
	require.NoError(t, prepareDemo(t.Context(), s, dir, catalog.Embedded, day))
	assert.Len(t, s.Base.Reports(t.Context(), ""), 25)
	require.NoError(t, s.Close())
}
