// Package value has stored values as they come from a database, in batches whose memory is
// used again, and what they have in common whatever column they are of: how decimals are
// written and compared, and when two texts differ in case alone.
package value

import (
	"cmp"
	"math"
	"slices"
	"strconv"
	"strings"
	"unsafe"
)

// Value is one stored value as it came from the database, of one of five sorts:
// missing (the zero Value), a whole number, a binary fraction, an exact number
// in digits, or characters. The texts in it belong to the Batch that it came in.
type Value struct {
	form form
	bits uint64
	text string
}

type form uint8

const (
	missing form = iota
	whole
	real
	digits
	chars
)

// Whole is a whole number.
func Whole(n int64) Value { return Value{form: whole, bits: uint64(n)} }

// Real is a binary fraction.
func Real(f float64) Value { return Value{form: real, bits: math.Float64bits(f)} }

// Digits is an exact number as a database writes it: "-12.50", or "NaN".
func Digits(text string) Value { return Value{form: digits, text: text} }

// Chars is a text, or anything else that a database writes as one.
func Chars(text string) Value { return Value{form: chars, text: text} }

// IsNumber reports whether the value is a number, of any sort.
func (v Value) IsNumber() bool { return v.form == whole || v.form == real || v.form == digits }

// IsMissing reports whether there is no value.
func (v Value) IsMissing() bool { return v.form == missing }

// Int is a whole number, and false for any other sort of value.
func (v Value) Int() (int64, bool) { return int64(v.bits), v.form == whole }

// Float is a binary fraction, and false for any other sort of value.
func (v Value) Float() (float64, bool) { return math.Float64frombits(v.bits), v.form == real }

// Digits is an exact number in digits, and false for any other sort of value.
func (v Value) Digits() (string, bool) { return v.text, v.form == digits }

// Chars is a text, and false for any other sort of value.
func (v Value) Chars() (string, bool) { return v.text, v.form == chars }

// Number is the value as a whole number where it is one, else as a fraction; ok is
// false where it is neither.
func (v Value) Number() (n int64, f float64, isWhole, ok bool) {
	switch v.form {
	case whole:
		return int64(v.bits), 0, true, true
	case real:
		return 0, math.Float64frombits(v.bits), false, true
	case digits:
		if n, err := strconv.ParseInt(v.text, 10, 64); err == nil {
			return n, 0, true, true
		}
		f, err := strconv.ParseFloat(v.text, 64)
		return 0, f, false, err == nil
	}
	return 0, 0, false, false
}

// AsFloat is a number of any sort as a binary fraction, as near as that comes; false
// for what is none.
func (v Value) AsFloat() (float64, bool) {
	n, f, isWhole, ok := v.Number()
	if isWhole {
		f = float64(n)
	}
	return f, ok
}

// Append appends the value in plain form: digits, or the characters as they are;
// nothing for a missing one.
func (v Value) Append(b []byte) []byte {
	switch v.form {
	case whole:
		return strconv.AppendInt(b, int64(v.bits), 10)
	case real:
		return strconv.AppendFloat(b, math.Float64frombits(v.bits), 'f', -1, 64)
	}
	return append(b, v.text...)
}

// String is the value in plain form, in memory of its own.
func (v Value) String() string { return string(v.Append(nil)) }

// Batch is some rows of a result, in memory that is used again for the next ones.
type Batch struct {
	width  int
	values []Value
	arena  []byte
}

// Reset empties the batch for so many rows of a width, or more.
func (b *Batch) Reset(width, rows int) {
	b.width, b.values, b.arena = width, slices.Grow(b.values[:0], width*rows), b.arena[:0]
}

// Len is the number of whole rows.
func (b *Batch) Len() int {
	if b.width == 0 {
		return 0
	}
	return len(b.values) / b.width
}

// Bytes is how many bytes of text the batch has.
func (b *Batch) Bytes() int { return len(b.arena) }

// Row is the i-th row. It is valid until the batch is reset.
func (b *Batch) Row(i int) []Value { return b.values[i*b.width : (i+1)*b.width] }

// Add adds the next value of a row.
func (b *Batch) Add(v Value) { b.values = append(b.values, v) }

// AddRow adds a row of another batch, copied.
func (b *Batch) AddRow(row []Value) {
	for _, v := range row {
		v.text = b.Copy(unsafe.Slice(unsafe.StringData(v.text), len(v.text)))
		b.Add(v)
	}
}

// AddChars adds characters, copied.
func (b *Batch) AddChars(text []byte) { b.values = append(b.values, Chars(b.Copy(text))) }

// AddDigits adds an exact number, copied.
func (b *Batch) AddDigits(text []byte) { b.values = append(b.values, Digits(b.Copy(text))) }

// Room is memory of the batch for at least so many bytes of text. What was written to it
// belongs to the batch with Keep, and what was kept before stays where it is.
func (b *Batch) Room(least int) []byte {
	if cap(b.arena)-len(b.arena) < least {
		b.arena = make([]byte, 0, max(least, 2*cap(b.arena)))
	}
	return b.arena[len(b.arena):cap(b.arena)]
}

// Keep keeps the first n bytes of the room.
func (b *Batch) Keep(n int) { b.arena = b.arena[:len(b.arena)+n] }

// Copy is a text in memory of the batch.
func (b *Batch) Copy(text []byte) string {
	if len(text) == 0 {
		return ""
	}
	at := len(b.arena)
	b.arena = append(b.arena, text...) // where it moves, what was kept stays in the memory that it was in
	return unsafe.String(&b.arena[at], len(text))
}

// Clone is the value in memory of its own.
func (v Value) Clone() Value {
	v.text = strings.Clone(v.text)
	return v
}

// Compare orders numbers by size, texts by code point, and numbers before texts.
func (v Value) Compare(other Value) int {
	n, f, isWhole, ok := v.Number()
	m, g, otherWhole, otherOK := other.Number()
	switch {
	case ok && otherOK && isWhole && otherWhole:
		return cmp.Compare(n, m)
	case ok && otherOK:
		if isWhole {
			f = float64(n)
		}
		if otherWhole {
			g = float64(m)
		}
		return cmp.Compare(f, g)
	case ok:
		return -1
	case otherOK:
		return 1
	}
	return strings.Compare(v.text, other.text)
}
