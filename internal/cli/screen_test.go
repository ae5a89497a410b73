package cli

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWrapping(t *testing.T) {
	for _, c := range []struct {
		line  string
		width int
		want  []string
	}{
		{"short", 10, []string{"short"}},
		{"one two three four", 9, []string{"one two", "  three", "  four"}},
		{"  within a list it goes on", 14, []string{"  within a", "    list it", "    goes on"}},
		{"averylongwordthathasnoblank", 10, []string{"averylongw", "  ordthath", "  asnoblan", "  k"}},
		{"北浜 北浜 北浜", 6, []string{"北浜", "  北浜", "  北浜"}},
		{"\x1b[2mmissing\x1b[0m", 7, []string{"\x1b[2mmissing\x1b[0m"}},
	} {
		var b strings.Builder
		w := &wrapping{to: &b, width: c.width}
		for _, part := range []string{c.line[:len(c.line)/2], c.line[len(c.line)/2:], "\n"} {
			_, _ = w.Write([]byte(part))
		}
		assert.Equal(t, strings.Join(c.want, "\n")+"\n", b.String(), c.line)
	}
}
