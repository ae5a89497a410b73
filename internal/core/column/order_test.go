package column

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/internal/core/value"
)

func TestOrder(t *testing.T) {
	day := &Column{Type: Date, Stored: StoredText, Pattern: MustPattern("M/d/yyyy")}
	text, number, fee := &Column{Type: Text}, &Column{Type: Number}, &Column{Type: Decimal, Scale: 2}
	missing := value.Value{}
	for name, c := range map[string]struct {
		of            *Column
		before, after value.Value
		fixed         bool // the same either way
	}{
		"dates by time":                  {day, value.Chars("9/30/2026"), value.Chars("10/2/2026"), false},
		"what is missing last":           {day, value.Chars("9/30/2026"), missing, true},
		"what cannot be read behind":     {day, value.Chars("9/30/2026"), value.Chars("soon"), true},
		"and before what is missing":     {day, value.Chars("soon"), missing, true},
		"texts by code point":            {text, value.Chars("B"), value.Chars("a"), false},
		"numbers by size":                {number, value.Real(-2.5), value.Whole(10), false},
		"large numbers exactly":          {number, value.Whole(1<<62 - 1), value.Whole(1 << 62), false},
		"decimals exactly":               {fee, value.Digits("0.10"), value.Digits("0.100000000000000000001"), false},
		"decimals in texts as numbers":   {fee, value.Chars("9.5"), value.Chars("10.50"), false},
		"numbers before what is no such": {fee, value.Digits("1"), value.Chars("none"), false},
	} {
		assert.Negative(t, c.of.Order(c.before, c.after, false), name)
		assert.Positive(t, c.of.Order(c.after, c.before, false), name)
		assert.Equal(t, c.fixed, c.of.Order(c.before, c.after, true) < 0, name)
		assert.Zero(t, c.of.Order(c.after, c.after, true), name)
	}
}
