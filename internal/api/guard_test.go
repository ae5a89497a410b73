package api_test

import (
	"bufio"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
)

// Only names of its own reach the service, so that another site's page cannot by a name
// that its server lets lead here; and every answer has the headers.
func TestWhoIsLetThrough(t *testing.T) {
	handler := api.New(demotest.Empty(t, t.TempDir()), api.Limits{Hosts: []string{"Pier.example", "::2"}})
	ask := func(host, path string, headers ...string) *http.Response {
		r := httptest.NewRequest("POST", path, strings.NewReader("{}"))
		if len(headers) == 0 {
			r = httptest.NewRequest("GET", path, nil)
		}
		r.Host = host
		for i := 0; i+1 < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		w := httptest.NewRecorder()
		handler.ServeHTTP(w, r)
		return w.Result()
	}
	for _, host := range []string{"localhost", "LOCALHOST:8080", "localhost.", "127.0.0.1:80", "127.9.9.9", "[::1]:9", "::1", "pier.EXAMPLE:443", "[::2]"} {
		assert.Equal(t, http.StatusOK, ask(host, "/healthz").StatusCode, host)
	}
	for _, host := range []string{"", "stranger.example", "localhost.stranger.example", "pier.example.stranger.example", "192.0.2.7", "[::3]:80", "127.0.0.1.stranger.example", "0x7f.1", "localhost:80:90"} {
		for _, path := range []string{"/", "/healthz", "/api/v1/reports", "/api/none"} {
			answer := ask(host, path)
			assert.Equal(t, http.StatusMisdirectedRequest, answer.StatusCode, host+path)
			assert.Equal(t, "application/problem+json", answer.Header.Get("Content-Type"))
		}
	}
	for name, answer := range map[string]*http.Response{
		"page":         ask("localhost", "/"),
		"call":         ask("localhost", "/api/v1/reports"),
		"nothing":      ask("localhost", "/api/none"),
		"another site": ask("localhost", "/api/v1/reports/none/runs", "Origin", "http://stranger.example", "Sec-Fetch-Site", "cross-site"),
		"another name": ask("stranger.example", "/"),
	} {
		for header, value := range map[string]string{"Cache-Control": "no-store", "X-Content-Type-Options": "nosniff", "Referrer-Policy": "no-referrer",
			"X-Frame-Options": "DENY", "Cross-Origin-Opener-Policy": "same-origin", "Cross-Origin-Resource-Policy": "same-origin"} {
			assert.Equal(t, value, answer.Header.Get(header), "%s: %s", name, header)
		}
		assert.Contains(t, answer.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'", name)
		assert.NotEmpty(t, answer.Header.Get("X-Request-Id"), name)
	}
	require.Equal(t, http.StatusForbidden, ask("localhost", "/api/v1/reports/none/runs", "Origin", "http://stranger.example", "Sec-Fetch-Site", "cross-site").StatusCode)
}

// Senders of large bodies who stall take their turns from each other, and from nobody else.
func TestLargeBodies(t *testing.T) {
	server := httptest.NewServer(api.New(demotest.Empty(t, t.TempDir()), api.Limits{}))
	defer server.Close()
	turns, ended := make(chan string, 6), make(chan string, 6)
	for range 6 {
		c, err := net.Dial("tcp", strings.TrimPrefix(server.URL, "http://"))
		require.NoError(t, err)
		defer c.Close()
		_, err = fmt.Fprintf(c, "POST /api/v1/definitions/check HTTP/1.1\r\nHost: localhost\r\nExpect: 100-continue\r\n"+
			"Content-Type: application/json\r\nContent-Length: %d\r\n\r\n", 2<<20)
		require.NoError(t, err)
		go func() {
			from := bufio.NewReader(c)
			said, _ := from.ReadString('\n') // that the body is waited for
			turns <- said
			_, _ = from.ReadString('\n') // the end of that
			said, _ = from.ReadString('\n')
			ended <- said
		}()
	}
	for range 4 {
		require.Equal(t, "HTTP/1.1 100 Continue\r\n", <-turns)
	}
	for range 20 {
		answer, err := http.Post(server.URL+"/api/v1/definitions/check", "application/json", strings.NewReader(`{"files": []}`))
		require.NoError(t, err)
		answer.Body.Close()
		assert.NotEqual(t, http.StatusServiceUnavailable, answer.StatusCode)
	}
	assert.Empty(t, turns, "two wait for their turns")
	assert.Empty(t, ended, "none waited for the senders' time to end")
}
