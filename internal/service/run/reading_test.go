package run

import (
	"fmt"
	"strings"
	"testing"
	"unsafe"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
	"pikegate/internal/service/receipt"
)

// What is kept of rows is the same whether they wait for the end of their page or not, also where they are
// too long to wait; and of a page that others follow nothing is kept.
func TestRowsWaitForTheEndOfTheirPage(t *testing.T) {
	columns := []*column.Column{{Name: "id", Type: column.Integer}, {Name: "says", Type: column.Text}}
	read := func(limit, rows, long int, whole bool) *reading {
		g := &reading{to: Nowhere{}, limit: limit, keys: []int{0}}
		g.keep(columns)
		text := []byte(strings.Repeat("a", long))
		row := make([]value.Value, 2)
		for i := range rows {
			copy(text, fmt.Sprintf("row %d", i)) // the memory of a row is used again
			row[0], row[1] = value.Whole(int64(i)), value.Chars(unsafe.String(&text[0], len(text)))
			if i%7 == 3 {
				row[1] = value.Value{}
			}
			require.NoError(t, g.add(row))
		}
		assert.Equal(t, limit > 0 && limit <= mostHeld && rows*long < bytesOfHeld, g.held != nil, "%d rows wait for the end of a page of %d", rows, limit)
		g.whole = whole
		g.settle()
		return g
	}
	for _, c := range []struct{ limit, rows, long int }{{100, 99, 10}, {1000, 1, 10}, {100, 60, 50_000}, {5000, 20, 10}} {
		want, got := read(0, c.rows, c.long, true), read(c.limit, c.rows, c.long, true)
		assert.Equal(t, want.fingerprint.Sum(), got.fingerprint.Sum(), c)
		assert.Equal(t, want.digests, got.digests, c)
		page := read(c.limit, c.rows, c.long, false)
		assert.Equal(t, []any{(*receipt.Digests)(nil), false}, []any{page.digests, page.isKnown()}, c)
		assert.Nil(t, page.held)
	}
}
