package column

import (
	"fmt"
	"math"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/value"
)

// No digit of a value is lost because a column's scale has fewer.
func TestDecimalsAreShownWhole(t *testing.T) {
	for _, c := range []struct {
		scale  int
		stored string
		value  any
		want   string
		fits   bool
	}{
		{2, "", 12.5, "12.50", true},
		{1, "", 1.25, "1.25", false},
		{2, "", int64(-3), "-3.00", true},
		{0, "", int64(7), "7", true},
		{0, "", 7.5, "7.5", false},
		{2, "", 0.1 + 0.2, "0.30", true}, // noise of binary sums
		{2, "", 1234.5600000000002, "1234.56", true},
		{2, "", 12345678901234568.0, "12345678901234568.00", true},
		{2, "", -0.005, "-0.005", false},
		{2, "", math.Inf(1), "+Inf", true},
		{2, "", value.Digits("12.5"), "12.50", true},
		{2, "", value.Digits("12.5000"), "12.50", true},
		{1, "", value.Digits("1.2500"), "1.25", false},
		{0, "", value.Digits("3.000"), "3", true},
		{2, "", value.Digits("NaN"), "NaN", true},
		{2, "text", "12345678901234567.89", "12345678901234567.89", true},
		{1, "text", "0.25", "0.25", false},
		{2, "text", "n/a", "n/a", true},
		{2, "", "12", "12", true}, // a text among numbers stays as it is
	} {
		column := Column{Type: Decimal, Scale: c.scale, Stored: Stored(c.stored)}
		got, fits := column.AppendDecimal([]byte("x"), stored(c.value))
		assert.Equal(t, "x"+c.want, string(got), "%v with %d digits", c.value, c.scale)
		assert.Equal(t, c.fits, fits, "%v with %d digits", c.value, c.scale)
	}
}

// Keys compare as the numbers do.
func TestDecimalKeys(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		number := func(name string) (string, decimal.Decimal) {
			d := decimal.New(rapid.Int64().Draw(t, name), int32(rapid.IntRange(-25, 8).Draw(t, name+"'s exponent")))
			return d.String(), d
		}
		a, x := number("a")
		b, y := number("b")
		compared := map[bool]int{true: 1, false: -1}[value.DecimalKey(a) > value.DecimalKey(b)]
		if value.DecimalKey(a) == value.DecimalKey(b) {
			compared = 0
		}
		require.Equal(t, x.Cmp(y), compared, "%s and %s", a, b)
	})
	assert.Equal(t, value.DecimalKey("0.50"), value.DecimalKey("00.5"))
	assert.Equal(t, value.DecimalKey("-0"), value.DecimalKey("0.00"))
	for _, text := range []string{"", "-", ".5", "5.", "1e3", "+1", "NaN", "1,5", "1.2.3"} {
		assert.Empty(t, value.DecimalKey(text), "%q", text)
	}
}

func TestWhatABinaryFractionHolds(t *testing.T) {
	for text, want := range map[string]bool{"0.1": true, "12345678901234567.89": false, "9007199254740993": false, "123456789.12": true, "0.33333333333333331": false, "x": false} {
		assert.Equal(t, want, value.IsExactly(text), fmt.Sprint(text))
	}
}
