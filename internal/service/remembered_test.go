package service

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhatIsRememberedIsBounded(t *testing.T) {
	var r remembered[int, int]
	_, ok := r.get(1)
	assert.False(t, ok)
	for i := range 10 * mostRemembered {
		r.put(i, i)
		assert.LessOrEqual(t, len(r.known), mostRemembered)
		v, ok := r.get(i)
		assert.True(t, ok && v == i)
	}
	r.clear()
	assert.Empty(t, r.known)
}
