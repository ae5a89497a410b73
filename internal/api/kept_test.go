package api_test

import (
	"bufio"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/load"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
)

// endless are records whose first one does not come while a test lasts.
const endless = `
---
pikegate: 1
dataset: endless
source: harbour
sql: "WITH RECURSIVE n (id) AS (SELECT 1 UNION ALL SELECT id + 1 FROM n WHERE id < 4000000000) SELECT max(id) AS id FROM n"
key: [id]
columns: {id: {type: integer}}
---
pikegate: 1
query: endless
of: endless
show: [id]
---
pikegate: 1
report: endless
title: Endless
sections: [{table: {query: endless}}]
`

// A run that is to go on tells its receipt first and then how far it is; it goes on when its reader
// leaves, can be cancelled, and what is kept of it is sent in any format.
func TestARunIsFollowed(t *testing.T) {
	ctx := base.WithPerson(context.Background(), base.Person{Name: "Ines", Role: "developer"})
	s, err := service.Open(ctx, base.Config{Dir: t.TempDir(), RunTime: time.Minute, KeepResults: time.Hour, Now: time.Now})
	require.NoError(t, err)
	defer s.Close()
	_, err = s.Author.Load(ctx, strings.NewReader("id\n1\n"), -1, load.Request{Table: "t"})
	require.NoError(t, err)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: []catalog.File{{Name: "many.yaml", Text: manyRows + endless}}})
	require.NoError(t, err)
	server := httptest.NewServer(api.New(s, api.Limits{}))
	defer server.Close()
	call := func(within context.Context, path, body string) *http.Response {
		req, err := http.NewRequestWithContext(within, "POST", server.URL+"/api/v1"+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		answer, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		return answer
	}
	type event struct {
		Event    string
		Receipt  json.RawMessage
		Stage    receipt.Stage
		Progress *receipt.Progress
		Problem  *api.Problem
	}
	next := func(lines *bufio.Scanner) (e event) {
		require.True(t, lines.Scan(), "%v", lines.Err())
		require.NoError(t, json.Unmarshal(lines.Bytes(), &e), lines.Text())
		return e
	}
	receiptOf := func(path string) (r receipt.Receipt) {
		answer, err := http.Get(server.URL + "/api/v1" + path)
		require.NoError(t, err)
		defer answer.Body.Close()
		require.NoError(t, json.NewDecoder(answer.Body).Decode(&r))
		return r
	}

	leave, gone := context.WithCancel(ctx)
	answer := call(leave, "/reports/endless/runs?output=events", `{"evidence": true, "go_on": true}`)
	lines := bufio.NewScanner(answer.Body)
	first := next(lines)
	assert.Equal(t, []string{"run", "1"}, []string{first.Event, string(first.Receipt)})
	told := next(lines)
	assert.Equal(t, []any{"progress", receipt.Reading}, []any{told.Event, told.Stage})
	gone()
	answer.Body.Close()
	time.Sleep(50 * time.Millisecond)
	under := receiptOf("/receipts/1")
	require.NotNil(t, under.Progress, "it goes on")
	assert.Equal(t, receipt.Running, under.State)

	answer = call(ctx, "/reports/endless/runs?output=events", `{"evidence": true, "go_on": true}`)
	lines = bufio.NewScanner(answer.Body)
	next(lines)
	for id, path := range []string{"/receipts/1/cancel", "/receipts/2/cancel"} {
		start := time.Now()
		ended := call(ctx, path, "")
		var r receipt.Receipt
		require.NoError(t, json.NewDecoder(ended.Body).Decode(&r))
		ended.Body.Close()
		assert.Equal(t, []any{200, receipt.Cancelled}, []any{ended.StatusCode, r.State}, "run %d", id+1)
		assert.Less(t, time.Since(start), time.Minute, "the database is free at once")
	}
	last := next(lines)
	for last.Event == "progress" {
		last = next(lines)
	}
	answer.Body.Close()
	require.NotNil(t, last.Problem, last.Event)
	assert.Equal(t, []any{409, "/api/v1/receipts/2"}, []any{last.Problem.Status, last.Problem.Instance})
	assert.EqualValues(t, "cancelled", last.Problem.Code)
	ended := call(ctx, "/receipts/1/cancel", "")
	ended.Body.Close()
	assert.Equal(t, 409, ended.StatusCode, "there is nothing to cancel any more")

	answer = call(ctx, "/reports/endless/runs?output=csv", `{"follow": true}`)
	assert.Equal(t, `</api/v1/receipts/3>; rel="describedby"`, answer.Header.Get("Link"), "before anything was read")
	require.Eventually(t, func() bool { // its headers may come a moment before it is on record
		ended = call(ctx, "/receipts/3/cancel", "")
		ended.Body.Close()
		return ended.StatusCode == http.StatusOK
	}, 10*time.Second, 10*time.Millisecond)
	_, err = io.ReadAll(answer.Body)
	assert.Error(t, err, "no half a result")
	answer.Body.Close()

	answer = call(ctx, "/reports/many/runs", `{"evidence": true, "limit": 10}`)
	var result struct{ Receipt receipt.Receipt }
	require.NoError(t, json.NewDecoder(answer.Body).Decode(&result))
	answer.Body.Close()
	require.NotNil(t, result.Receipt.KeptUntil, result.Receipt.NotKept)
	for output, lines := range map[string]int{"csv": 60_001, "ndjson": 60_000} {
		answer = call(ctx, "/reports/many/runs?output="+output, `{"of": 4}`)
		text, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		answer.Body.Close()
		assert.Equal(t, lines, strings.Count(string(text), "\n"))
		at, err := http.ParseTime(answer.Header.Get("Last-Modified"))
		require.NoError(t, err)
		assert.WithinDuration(t, result.Receipt.StartedAt, at, time.Second, "of when the records are")
		assert.Equal(t, `</api/v1/receipts/4>; rel="describedby"`, answer.Header.Get("Link"))
	}
}
