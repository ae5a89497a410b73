package column

import (
	"strings"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/value"
)

// Whatever the pattern and the text: nothing panics, a pattern that is offered is read, and
// a day that is read from a pattern that sorts is written back as it was.
func FuzzPattern(f *testing.F) {
	for _, source := range []string{"yyyy-MM-dd", "M/d/yyyy HH:mm", "d-MMM-yy", "YYYY-MM-DD", "%Y%m%d", "yyyyMMdd'T'HHmmss'Z'", "'"} {
		f.Add(source, "2026-03-05")
	}
	f.Fuzz(func(t *testing.T, source, text string) {
		if near := NearPattern(source); near != "" {
			_, err := ParsePattern(near)
			require.NoError(t, err)
		}
		p, err := ParsePattern(source)
		if err != nil {
			return
		}
		_, seconds, ok := p.parse(text)
		if ok && p.Sorts() {
			require.True(t, strings.HasPrefix(text, p.render(seconds)), "%q in %q is written %q", text, source, p.render(seconds))
		}
	})
}

// A decimal in digits is shown with all of them, and its key is that of what is shown.
func FuzzDecimals(f *testing.F) {
	for _, text := range []string{"1.25", "-0.50", "12345678901234567.89", "007", "0.000"} {
		f.Add(text, uint8(2))
	}
	f.Fuzz(func(t *testing.T, text string, scale uint8) {
		c := &Column{Type: Decimal, Stored: StoredText, Scale: int(scale % value.MostScale)}
		shown, _ := c.AppendDecimal(nil, value.Chars(text))
		if !value.IsPlainNumber(text) {
			require.Equal(t, text, string(shown))
			require.Empty(t, value.DecimalKey(text))
			return
		}
		before, err := decimal.NewFromString(text)
		require.NoError(t, err)
		after, err := decimal.NewFromString(string(shown))
		require.NoError(t, err)
		require.True(t, before.Equal(after), "%s is shown as %s", text, shown)
		require.Equal(t, value.DecimalKey(text), value.DecimalKey(string(shown)))
	})
}
