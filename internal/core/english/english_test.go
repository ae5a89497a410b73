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

func TestGrouped(t *testing.T) {
	for n, want := range map[int64]string{0: "0", 999: "999", 1000: "1,000", -1000: "-1,000", -999: "-999", 1234567: "1,234,567", 100000: "100,000"} {
		assert.Equal(t, want, Grouped(n))
	}
}
