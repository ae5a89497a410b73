package value

import (
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFolding(t *testing.T) {
	for _, c := range []struct {
		a, b string
		same bool
	}{{"Outer Loop", "OUTER loop", true}, {"Ångra", "åNGRA", true}, {"σ", "ς", true}, {"K", "\u212a", true}, {"ß", "ss", false}, {"é", "e\u0301", false}, {"i", "\u0130", false}, {"a", "b", false}} {
		assert.Equal(t, c.same, Fold(c.a) == Fold(c.b), "%s and %s", c.a, c.b)
	}
	// Every letter folds as strings.EqualFold has it.
	for r := rune(1); r < 0x1F000; r++ {
		next := unicode.SimpleFold(r)
		require.Equal(t, Fold(string(r)), Fold(string(next)), "%q", r)
		require.True(t, strings.EqualFold(string(r), Fold(string(r))), "%q", r)
	}
}

func TestAfterPrefix(t *testing.T) {
	for _, c := range []struct{ prefix, want string }{{"a", "b"}, {"az", "a{"}, {"\ud7ff", "\ue000"}, {"a\U0010FFFF", "b"}, {"\U0010FFFF", ""}, {"", ""}} {
		assert.Equal(t, c.want, AfterPrefix(c.prefix), "%q", c.prefix)
	}
}
