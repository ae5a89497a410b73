package api_test

import (
	"context"
	"fmt"
	"io"
	"net"
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

const manyRows = `pikegate: 1
source: harbour
zone: Europe/Helsinki
limits: {at_once: 2, waiting: 64}
---
pikegate: 1
dataset: many
source: harbour
sql: |
  WITH RECURSIVE n (id) AS (SELECT 1 UNION ALL SELECT id + 1 FROM n WHERE id < 60000)
  SELECT id, 'a text that fills the way to whoever asked for it, and some more of it' AS filling FROM n
key: [id]
columns: {id: {type: integer}, filling: {type: text}}
---
pikegate: 1
query: q
of: many
show: [id, filling]
---
pikegate: 1
report: many
title: Many
sections: [{table: {query: q}}]
`

// Readers who do not read, or a byte now and then, keep nobody from a source and end by
// their deadline, with receipts that say so; one who is slow and goes on gets everything.
func TestSlowReaders(t *testing.T) {
	s, err := service.Open(context.Background(), base.Config{Dir: t.TempDir(), RunTime: 20 * time.Second, Now: time.Now})
	require.NoError(t, err)
	defer s.Close()
	_, err = s.Author.Load(context.Background(), strings.NewReader("id\n1\n"), -1, load.Request{Table: "t"})
	require.NoError(t, err)
	_, err = s.Publisher.Put(context.Background(), publish.Put{Files: []catalog.File{{Name: "many.yaml", Text: manyRows}}})
	require.NoError(t, err)
	server := httptest.NewUnstartedServer(nil)
	server.Config = api.Server(api.New(s, api.Limits{Stall: 3 * time.Second}))
	server.Listener = api.Listener(server.Listener, 100)
	server.Start()
	defer server.Close()
	at := strings.TrimPrefix(server.URL, "http://")
	ask := func(buffer int) net.Conn {
		c, err := net.Dial("tcp", at)
		require.NoError(t, err)
		require.NoError(t, c.(*net.TCPConn).SetReadBuffer(buffer))
		_, err = fmt.Fprintf(c, "POST /api/v1/reports/many/runs?output=csv HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: 2\r\nConnection: close\r\n\r\n{}")
		require.NoError(t, err)
		return c
	}
	for i := range 8 {
		c := ask(8 << 10)
		defer c.Close()
		if i%2 == 0 {
			go func() {
				for b := make([]byte, 1); ; time.Sleep(time.Second) {
					if _, err := c.Read(b); err != nil {
						return
					}
				}
			}()
		}
	}
	slow := make(chan int)
	go func() {
		c, n := ask(64<<10), 0
		defer c.Close()
		for b := make([]byte, 1<<20); ; time.Sleep(3 * time.Millisecond) {
			k, err := c.Read(b)
			if n += strings.Count(string(b[:k]), "filling") + strings.Count(string(b[:k]), "a text that fills"); err != nil {
				slow <- n
				return
			}
		}
	}()
	for range 4 {
		start := time.Now()
		answer, err := http.Post(server.URL+"/api/v1/reports/many/runs?output=csv", "application/json", strings.NewReader(`{"limit": 100, "uncounted": true}`))
		require.NoError(t, err)
		text, err := io.ReadAll(answer.Body)
		answer.Body.Close()
		require.NoError(t, err)
		assert.Equal(t, 200, answer.StatusCode)
		assert.Equal(t, 101, strings.Count(string(text), "\n"))
		assert.EqualValues(t, len(text), answer.ContentLength, "of a result in one piece")
		assert.Less(t, time.Since(start), time.Minute)
	}
	assert.Greater(t, <-slow, 59_000, "a part of the texts may be cut in two by the reader")
	states := map[receipt.State]int{}
	assert.Eventually(t, func() bool {
		receipts, _, err := s.Receipts.History(context.Background(), receipt.Wanted{Most: 100})
		require.NoError(t, err)
		clear(states)
		for _, r := range receipts {
			states[r.State]++
		}
		return states[receipt.CutByTime] == 8 && states[receipt.Rows] == 5
	}, 2*time.Minute, 100*time.Millisecond, "%v", states)
}

// Not much waits in the system for a reader who does not read, also where the listener limits how many
// connections there are.
func TestWhatTheSystemTakesAhead(t *testing.T) {
	at, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	listener := api.Listener(at, 1)
	defer listener.Close()
	reader, err := net.Dial("tcp", at.Addr().String())
	require.NoError(t, err)
	defer reader.Close()
	c, err := listener.Accept()
	require.NoError(t, err)
	defer c.Close()
	taken := 0
	for b := make([]byte, 32<<10); ; {
		require.NoError(t, c.SetWriteDeadline(time.Now().Add(300*time.Millisecond)))
		n, err := c.Write(b)
		if taken += n; err != nil {
			break
		}
	}
	assert.Less(t, taken, 1<<20)
}
