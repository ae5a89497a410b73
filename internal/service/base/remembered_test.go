package base

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhatIsRememberedIsBounded(t *testing.T) {
	var r Remembered[int, int]
	_, ok := r.Get(1)
	assert.False(t, ok)
	for i := range 10 * mostRemembered {
		r.Put(i, i)
		assert.LessOrEqual(t, len(r.known), mostRemembered)
		v, ok := r.Get(i)
		assert.True(t, ok && v == i)
	}
	r.clear()
	assert.Empty(t, r.known)
}
