package api_test

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	tracepb "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"

	"pikegate/internal/traced"
)

// collected is a collector of traces that keeps what it is sent.
type collected struct {
	*httptest.Server
	mu    sync.Mutex
	spans []*tracepb.Span
	whole strings.Builder // all that was sent, as text
}

func newCollector(t *testing.T) *collected {
	c := &collected{}
	c.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		text, err := io.ReadAll(r.Body)
		var sent tracepb.TracesData
		if err != nil || r.URL.Path != "/v1/traces" || proto.Unmarshal(text, &sent) != nil {
			w.WriteHeader(http.StatusBadRequest)
			return
		}
		c.mu.Lock()
		defer c.mu.Unlock()
		c.whole.WriteString(sent.String())
		for _, of := range sent.ResourceSpans {
			for _, scope := range of.ScopeSpans {
				c.spans = append(c.spans, scope.Spans...)
			}
		}
	}))
	t.Cleanup(c.Close)
	return c
}

// A run is told as spans within that of its request, which is within that of the caller; and holds neither
// answers nor statements nor records.
func TestTraces(t *testing.T) {
	to := newCollector(t)
	stop, err := traced.Start(to.URL, 0, "1", slog.Default())
	require.NoError(t, err)
	c := newCrew(t)
	call := func(caller string) {
		status, text := c.do("POST", "/api/v1/reports/late-sailings/runs", "/api/v1/reports/{report}/runs", `{"answers":{"travel-period":"yesterday"},"evidence":true}`,
			"Authorization", "Bearer "+c.tokens["reader"], "Traceparent", caller)
		require.Equal(t, 200, status, "%s", text)
	}
	call("00-0af7651916cd43dd8448eb211c80319c-b7ad6b7169203331-01")
	call("") // none of which is told: the share is 0
	require.NoError(t, stop(context.Background()))

	byID, byName := map[string]*tracepb.Span{}, map[string]*tracepb.Span{}
	for _, s := range to.spans {
		byID[string(s.SpanId)], byName[s.Name] = s, s
		assert.Equal(t, "\x0a\xf7\x65\x19\x16\xcd\x43\xdd\x84\x48\xeb\x21\x1c\x80\x31\x9c", string(s.TraceId))
	}
	within := func(name string) string {
		require.Contains(t, byName, name)
		if parent := byID[string(byName[name].ParentSpanId)]; parent != nil {
			return parent.Name
		}
		return "the caller"
	}
	const request = "POST /api/v1/reports/:report/runs"
	assert.Equal(t, "the caller", within(request))
	assert.Equal(t, request, within("check answers"))
	assert.Equal(t, request, within("run"))
	assert.Equal(t, "run", within("wait for the source"))
	assert.Equal(t, "run", within("read"))
	assert.Equal(t, "read", within("count where the records lie"))
	for _, told := range []string{"late-sailings", "pikegate.receipt", "pikegate.rows"} {
		assert.Contains(t, to.whole.String(), told)
	}
	for _, hidden := range []string{"yesterday", "2026-", "SELECT", "Rolf", "Bearer", "Outer"} {
		assert.NotContains(t, to.whole.String(), hidden)
	}
}
