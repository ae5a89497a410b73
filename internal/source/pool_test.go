package source

import (
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
)

// A source that somebody only tries does not stay open; one that is published does.
func TestSourcesThatAreOnlyTried(t *testing.T) {
	published, tried := catalog.Connection{Engine: catalog.SQLite, File: "a.db"}, catalog.Connection{Engine: catalog.SQLite, File: "b.db"}
	dir := t.TempDir()
	synctest.Test(t, func(t *testing.T) {
		p := NewPool(Rules{Dir: dir})
		p.Keep(map[catalog.Connection]bool{published: true})
		for range 3 {
			for _, c := range []catalog.Connection{published, tried} {
				_, err := p.Try(c)
				require.NoError(t, err)
			}
			time.Sleep(idleTime - time.Second)
			assert.Equal(t, 2, p.Open(), "it is asked for again and again")
		}
		time.Sleep(2 * time.Second)
		synctest.Wait()
		assert.Equal(t, 1, p.Open())
		_, err := p.Try(tried)
		require.NoError(t, err)
		p.Keep(map[catalog.Connection]bool{tried: true})
		time.Sleep(2 * idleTime)
		synctest.Wait()
		assert.Equal(t, 1, p.Open(), "it is published by now, and the other one is not any more")
		require.NoError(t, p.Close())
	})
}
