package english

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestShorten(t *testing.T) {
	assert.Equal(t, "short", Shorten("short"))
	long := ""
	for range 100 {
		long += "é"
	}
	assert.Equal(t, 61, len([]rune(Shorten(long))))
}
