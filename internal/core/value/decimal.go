package value

import (
	"math"
	"strconv"
	"strings"
)

// MostScale is the most digits after the point that a decimal may have.
const MostScale = 30

// zeros are as many as a scale may ask for.
var zeros = strings.Repeat("0", MostScale)

// noise is how far, in proportion, a binary fraction may be from a decimal that it
// stands for: what sums and products of such numbers add behind their fifteenth digit.
const noise = 1e-15

// AppendDecimal appends a number with as many digits after the point as the scale. A value
// with more digits is appended whole, and fits is false. What is no number is appended as
// it is stored, and so are characters unless they are said to hold decimals.
func (v Value) AppendDecimal(b []byte, scale int, fromChars bool) (_ []byte, fits bool) {
	from := len(b)
	switch v.form {
	case whole:
		b = v.Append(b)
	case real:
		f := math.Float64frombits(v.bits)
		if math.IsNaN(f) || math.IsInf(f, 0) {
			return v.Append(b), true
		}
		shifted := f * math.Pow10(scale)
		if math.Abs(shifted-math.Round(shifted)) <= noise*math.Abs(shifted) && math.Abs(f) < 1e15 {
			return strconv.AppendFloat(b, f, 'f', scale, 64), true
		}
		b = strconv.AppendFloat(b, f, 'f', -1, 64)
	case digits, chars:
		if v.form == chars && !fromChars || !IsPlainNumber(v.text) {
			return append(b, v.text...), true
		}
		b = append(b, v.text...)
	default:
		return b, true
	}
	return toScale(b, from, scale)
}

// toScale makes the digits after the point of the number in b[from:] as many as the
// scale, where no digit is lost by it.
func toScale(b []byte, from, scale int) (_ []byte, fits bool) {
	point := -1
	for i := from; i < len(b); i++ {
		if b[i] == '.' {
			point = i
		}
	}
	if point < 0 {
		point = len(b)
		if scale > 0 {
			b = append(b, '.')
		}
	}
	for after := len(b) - point - 1; after > scale; after-- {
		if b[len(b)-1] != '0' {
			return b, false
		}
		if b = b[:len(b)-1]; after == 1 {
			b = b[:len(b)-1] // the point
		}
	}
	if after := len(b) - point - 1; scale > 0 {
		b = append(b, zeros[:scale-after]...)
	}
	return b, true
}

// IsPlainNumber reports whether a text is a decimal in digits: a sign, digits, and a
// point with digits after it.
func IsPlainNumber(text string) bool {
	text = strings.TrimPrefix(text, "-")
	before, after, hasPoint := strings.Cut(text, ".")
	return isDigits(before) && (!hasPoint || isDigits(after))
}

func isDigits(text string) bool {
	for i := range len(text) {
		if text[i] < '0' || text[i] > '9' {
			return false
		}
	}
	return text != ""
}

// mostDigits is how many digits before the point a DecimalKey has room for.
const mostDigits = 99_999

// DecimalKey is a text by which decimals in digits compare by size, byte by byte; ""
// for what is none.
//
// It starts with 0 for a number below zero, 1 for zero and 2 for one above it. Then
// come the number of digits before the point in five digits, and all digits without
// zeros at the ends. Below zero each digit is taken from 9, and a sign that is above
// all digits closes the key, so that the larger amount is the lesser number.
func DecimalKey(text string) string {
	if !IsPlainNumber(text) {
		return ""
	}
	amount, below := strings.CutPrefix(text, "-")
	before, after, _ := strings.Cut(amount, ".")
	before, after = strings.TrimLeft(before, "0"), strings.TrimRight(after, "0")
	switch {
	case before == "" && after == "":
		return "1"
	case len(before) > mostDigits:
		return ""
	}
	key := []byte("2" + strconv.Itoa(mostDigits + 1 + len(before))[1:] + before + after)
	if !below {
		return string(key)
	}
	key[0] = '0'
	for i := 1; i < len(key); i++ {
		key[i] = '0' + '9' - key[i]
	}
	return string(append(key, '~'))
}

// IsExactly reports whether a binary fraction written in digits comes out as the number
// that the text is, so that none of its digits is lost when it is stored as one.
func IsExactly(text string) bool {
	f, err := strconv.ParseFloat(text, 64)
	return err == nil && DecimalKey(strconv.FormatFloat(f, 'f', -1, 64)) == DecimalKey(text)
}
