package value

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRowsInBytes(t *testing.T) {
	row := []Value{{}, Whole(-7), Whole(math.MaxInt64), Real(0.1), Real(math.Inf(-1)), Digits("12.50"), Chars(""), Chars("Holm, \"north\"\r\n")}
	coded := AppendRow(nil, row)
	read := make([]Value, len(row))
	require.NoError(t, ReadRow(coded, read))
	assert.Equal(t, row, read)
	for n := range coded {
		assert.ErrorIs(t, ReadRow(coded[:n], read), ErrCoded, "cut after %d bytes", n)
	}
	assert.ErrorIs(t, ReadRow(append(coded, 0), read), ErrCoded, "a value too many")
	assert.ErrorIs(t, ReadRow([]byte{9}, read[:1]), ErrCoded, "a sort that there is not")
	assert.ErrorIs(t, ReadRow([]byte{byte(chars), 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 1, 'a'}, read[:1]), ErrCoded, "a length beyond the end")
}
