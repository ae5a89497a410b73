package api_test

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
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
	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/source/sourcetest"
)

// Readers at a service that has trouble all the while, for as long as PIKEGATE_SOAK says or
// briefly: others do not read their results, and two servers are frozen that others ask. No
// reader of what is well sees an error, and memory stays flat.
func TestSoakBesideTrouble(t *testing.T) {
	span, readers := 8*time.Second, 16
	if text := os.Getenv("PIKEGATE_SOAK"); text != "" {
		var err error
		span, err = time.ParseDuration(text)
		require.NoError(t, err)
		readers = 64
	}
	var servers sync.Map
	ferries := demotest.Start(t, func(c *base.Config) {
		c.Sources.Variable = func(name string) string {
			at, _ := servers.Load(name)
			text, _ := at.(string)
			return text
		}
	})
	who := base.WithPerson(context.Background(), base.Person{Name: "Ines", Role: "developer"})
	var frozen []*sourcetest.Proxy
	var far []string
	for _, name := range []catalog.Engine{catalog.Postgres, catalog.MariaDB} {
		e := sourcetest.Open(t, name)
		e.Exec(t, "CREATE TABLE t (id INTEGER PRIMARY KEY)")
		at, err := url.Parse(sourcetest.Address(t, name))
		require.NoError(t, err)
		proxy := sourcetest.NewProxy(t, at.Host)
		at.Host = proxy.Address
		servers.Store("FAR_"+strings.ToUpper(string(name)), at.String())
		text := fmt.Sprintf("pikegate: 1\nsource: far-%[1]s\nzone: Europe/Helsinki\nengine: %[1]s\naddress: {env: FAR_%[2]s}\nschema: %[3]s\nlimits: {at_once: 2, waiting: 2}\n---\npikegate: 1\ndataset: far-%[1]s\nsource: far-%[1]s\ntable: t\nkey: [id]\ncolumns: {id: {type: integer}}\n---\npikegate: 1\nquery: far-%[1]s\nof: far-%[1]s\nshow: [id]\n---\npikegate: 1\nreport: far-%[1]s\ntitle: Far\nsections: [{table: {query: far-%[1]s}}]\n",
			name, strings.ToUpper(string(name)), e.At.Schema)
		_, err = ferries.Service.Publisher.Put(who, publish.Put{Files: []catalog.File{{Name: "far.yaml", Text: text}}})
		require.NoError(t, err)
		frozen, far = append(frozen, proxy), append(far, "far-"+string(name))
	}
	server := httptest.NewUnstartedServer(nil)
	server.Config = api.Server(api.New(ferries.Service, api.Limits{Stall: 5 * time.Second}))
	server.Listener = api.Listener(server.Listener, 200)
	server.Start()
	defer server.Close()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 128}}
	run := func(report, body string) (int, error) {
		answer, err := client.Post(server.URL+"/api/v1/reports/"+report+"/runs?output=csv", "application/json", strings.NewReader(body))
		if err != nil {
			return 0, err
		}
		defer answer.Body.Close()
		_, err = io.Copy(io.Discard, answer.Body)
		return answer.StatusCode, err
	}
	for _, report := range far {
		status, err := run(report, "{}")
		require.NoError(t, err)
		require.Equal(t, 200, status)
	}
	for _, p := range frozen {
		p.Set(sourcetest.Frozen, 0)
	}
	var done, failed, refused atomic.Int64
	end := time.Now().Add(span)
	var all sync.WaitGroup
	for i := range readers {
		all.Go(func() {
			for n := i; time.Now().Before(end); n++ {
				report, body := "late-sailings", `{"answers":{"travel-period":"last month"},"limit":200,"evidence":true}`
				if n%2 == 0 {
					report, body = "fuel-on-a-day", `{"answers":{"delivery-day":"25 Oct 2026"}}`
				}
				if status, err := run(report, body); err != nil || status != 200 {
					failed.Add(1)
				}
				done.Add(1)
			}
		})
	}
	for i := range 8 {
		all.Go(func() {
			for time.Now().Before(end) {
				if i%2 == 0 { // does not read
					c, err := net.Dial("tcp", strings.TrimPrefix(server.URL, "http://"))
					if !assert.NoError(t, err) {
						return
					}
					body := `{"answers":{"travel-quarter":"Q2 2026"}}`
					fmt.Fprintf(c, "POST /api/v1/reports/bookings-of-a-quarter/runs HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: %d\r\n\r\n%s", len(body), body)
					time.Sleep(min(6*time.Second, time.Until(end)))
					c.Close()
				} else if status, _ := run(far[i/2%2], "{}"); status == 502 || status == 503 || status == 504 {
					refused.Add(1)
				}
			}
		})
	}
	var heap []uint64
	for time.Now().Before(end) {
		time.Sleep(min(5*time.Second, span/8))
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		heap = append(heap, m.HeapAlloc)
	}
	all.Wait()
	most := uint64(0)
	for _, h := range heap {
		most = max(most, h)
	}
	t.Logf("%d requests beside trouble in %s, %d failed; %d at frozen servers were refused; memory at most %d MiB", done.Load(), span, failed.Load(), refused.Load(), most>>20)
	assert.Zero(t, failed.Load())
	assert.Positive(t, done.Load())
	assert.Less(t, most, uint64(300<<20))
	for i, p := range frozen {
		p.Set(sourcetest.Fair, 0)
		assert.EventuallyWithT(t, func(c *assert.CollectT) {
			status, err := run(far[i], "{}")
			assert.NoError(c, err)
			assert.Equal(c, 200, status)
		}, 40*time.Second, 200*time.Millisecond, "it is used again when it is back")
	}
}
