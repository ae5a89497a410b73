package api_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/api"
	"pikegate/internal/core/fault"
	"pikegate/internal/load"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
)

const loads = "/api/v1/loads/{table}"

// A file over its limit, one that holds too much, a table that cannot be and a sender who
// stalls are each told apart; none of them leaves anything or holds up another.
func TestLoadsWithinLimits(t *testing.T) {
	dir := t.TempDir()
	s, err := service.Open(context.Background(), base.Config{Dir: dir, RunTime: time.Minute, Now: time.Now, LoadBytes: 1 << 20, Loads: load.Limits{Columns: 10}})
	require.NoError(t, err)
	defer s.Close()
	server := httptest.NewServer(api.New(s, api.Limits{Stall: time.Second}))
	defer server.Close()
	c := newCaller(t, server.URL)
	post := func(table, query, text string) (int, api.Problem) {
		t.Helper()
		status, answer := c.do("POST", "/api/v1/loads/"+url.PathEscape(table)+query, loads, text, "Content-Type", "application/octet-stream")
		if status == 200 {
			return status, api.Problem{}
		}
		return status, problem(t, answer)
	}
	status, p := post("t", "", "id\n"+strings.Repeat("1\n", 1<<20))
	assert.Equal(t, []any{413, fault.TooLarge, "the file is larger than 1 MiB; nothing was loaded"}, []any{status, p.Code, p.Detail})
	status, p = post("t", "?dry=true", "a,b,c,d,e,f,g,h,i,j,k\n")
	assert.Equal(t, 422, status)
	require.Len(t, p.Errors, 1)
	assert.EqualValues(t, "too_many_columns", p.Errors[0].Code)
	for _, table := range []string{" ", "a\x00b", "caf\xe9", "main.x", "sqlite_x", "pragma_table_info"} {
		status, p = post(table, "", "id\n1\n")
		assert.Equal(t, 422, status, table)
		assert.EqualValues(t, "load_refused", p.Code, table)
	}
	unsized, err := http.NewRequest("POST", server.URL+"/api/v1/loads/t", io.MultiReader(strings.NewReader("id\n"), bytes.NewReader(bytes.Repeat([]byte("1\n"), 1<<20))))
	require.NoError(t, err)
	answer, err := http.DefaultClient.Do(unsized)
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, 413, answer.StatusCode, "however its size is told")

	stalled, err := net.Dial("tcp", strings.TrimPrefix(server.URL, "http://"))
	require.NoError(t, err)
	defer stalled.Close()
	_, err = fmt.Fprintf(stalled, "POST /api/v1/loads/slow HTTP/1.1\r\nHost: localhost\r\nContent-Length: 100\r\n\r\nid\n1\n")
	require.NoError(t, err)
	status, _ = post("t", "", "id\n1\n")
	assert.Equal(t, 200, status, "it holds nobody up")
	require.NoError(t, stalled.SetReadDeadline(time.Now().Add(30*time.Second)))
	said, err := io.ReadAll(stalled)
	require.NoError(t, err)
	assert.Contains(t, string(said), "HTTP/1.1 408 ")
	assert.Contains(t, string(said), `"code":"too_slow"`)
	left, err := os.ReadDir(dir + "/spool")
	require.NoError(t, err)
	assert.Empty(t, left)
}
