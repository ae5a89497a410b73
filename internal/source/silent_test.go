package source_test

import (
	"context"
	"net"
	"net/url"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/value"
	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

// A server that falls silent, slow, away or mad, before a statement, in its result or on
// connections that waited for their next use: the reading ends within its time with an
// error that tells what is known and no address, and once the server is itself again the
// source reads as before.
func TestServersThatFail(t *testing.T) {
	t.Parallel()
	for _, name := range []catalog.Engine{catalog.Postgres, catalog.MariaDB} {
		t.Run(string(name), func(t *testing.T) {
			e := sourcetest.Open(t, name)
			numbers(t, e, 50_000)
			at, err := url.Parse(sourcetest.Address(t, name))
			require.NoError(t, err)
			proxy := sourcetest.NewProxy(t, at.Host)
			at.Host = proxy.Address
			to := e.At
			to.Address, to.AtOnce = catalog.Reference{Env: "PROXY"}, 1
			s, err := source.Open(to, sourcetest.With("PROXY", at.String()))
			require.NoError(t, err)
			defer s.Close()
			all := only("SELECT id, repeat('x', 100) AS filling FROM t ORDER BY id")
			read := func(longest time.Duration) (rows int, took time.Duration, err error) {
				start := time.Now()
				ctx, cancel := context.WithTimeout(ctx, longest)
				defer cancel()
				leave, err := s.Enter(ctx, "Ines", longest)
				if err == nil {
					err = s.View(ctx, func(v source.View) error {
						return v.Rows(ctx, all, func([]value.Value) error { rows++; return nil })
					})
					leave()
				}
				return rows, time.Since(start), err
			}
			works := func() {
				t.Helper()
				proxy.Set(sourcetest.Fair, 0)
				require.EventuallyWithT(t, func(c *assert.CollectT) { // a broken connection may wait for its use
					rows, _, err := read(20 * time.Second)
					assert.NoError(c, err)
					assert.Equal(c, 50_000, rows)
				}, 30*time.Second, 50*time.Millisecond)
			}
			works()
			for _, c := range []struct {
				says  string
				does  sourcetest.Behaviour
				after int64 // bytes from the server that come through
			}{
				{"frozen on a connection that waited", sourcetest.Frozen, 0},
				{"frozen in the result", sourcetest.Frozen, 300_000},
				{"cut on a connection that waited", sourcetest.Cut, 0},
				{"cut in the result", sourcetest.Cut, 300_000},
				{"mad from the start", sourcetest.Garbled, 0},
				{"mad in the result", sourcetest.Garbled, 300_000},
				{"slow", sourcetest.Slow, 0},
			} {
				proxy.Set(c.does, c.after)
				_, took, err := read(1500 * time.Millisecond)
				assert.Less(t, took, 30*time.Second, c.says)
				if c.does != sourcetest.Garbled { // of which some may pass for what it is not
					require.Error(t, err, c.says)
				}
				if err != nil {
					assert.NotContains(t, err.Error(), "127.0.0.1", c.says)
					assert.NotContains(t, err.Error(), at.User.Username()+"@", c.says)
				}
				works()
			}
		})
	}
}

// A server that accepts and never says a word is told so within the time for opening.
func TestAServerThatNeverAnswers(t *testing.T) {
	t.Parallel()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer listener.Close()
	go func() {
		for {
			c, err := listener.Accept()
			if err != nil {
				return
			}
			defer c.Close()
		}
	}()
	var both sync.WaitGroup
	for _, name := range []catalog.Engine{catalog.Postgres, catalog.MariaDB} {
		address := string(name) + "://me:s3cret@" + listener.Addr().String() + "/x"
		both.Go(func() {
			s, err := source.Open(catalog.Connection{Engine: name, Address: catalog.Reference{Env: "SILENT"}, AtOnce: 1}, sourcetest.With("SILENT", address))
			if !assert.NoError(t, err) {
				return
			}
			start := time.Now()
			err = s.View(ctx, func(source.View) error { return nil })
			assert.EqualError(t, err, "its server does not answer", name)
			assert.Less(t, time.Since(start), 30*time.Second, name)
			assert.NoError(t, s.Close(), name)
		})
	}
	both.Wait()
}
