package evidence

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"hash"
	"math"
	"slices"
	"strings"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

// The tags of values in a fingerprint's bytes.
const (
	tagColumn   = 'c' // a column's name, UTF-8
	tagMissing  = 'm' // nothing
	tagText     = 't' // UTF-8
	tagExact    = 'n' // an integer or decimal in digits: no exponent, no zeros that say nothing
	tagFloat    = 'f' // IEEE 754, 8 bytes
	tagTruth    = 'y' // one byte, 1 or 0
	tagDay      = 'd' // yyyy-MM-dd
	tagDatetime = 'l' // microseconds since 1970-01-01T00:00:00 by the local clock, 8 bytes
	tagInstant  = 'i' // microseconds since 1970-01-01T00:00:00Z, 8 bytes
	tagOther    = 'u' // a value that does not fit its column, as it is stored, UTF-8
)

// Fingerprint hashes an ordered result: SHA-256 over the names of the columns, then
// the values of each record in order. Each name and value is a tag of one byte, the
// length of what follows in four bytes, and that; numbers of several bytes have the
// highest first. docs/reference/fingerprint.md has the rules and test vectors.
type Fingerprint struct {
	columns []*column.Column
	hash    hash.Hash
	row     []byte
	found   []Found
}

// Found is what was found in the values of a column.
type Found struct {
	Longer   int64    // values with more digits than the column's scale
	Unfit    int64    // values that are not what the column is said to hold
	Examples []string // some of these, each another one
}

// mostExamples is how many values that do not fit are kept.
const mostExamples = 3

// NewFingerprint begins the fingerprint of a result with these columns.
func NewFingerprint(columns []*column.Column) *Fingerprint {
	f := &Fingerprint{columns: columns, hash: sha256.New(), found: make([]Found, len(columns))}
	for _, c := range columns {
		f.row = appendTagged(f.row, tagColumn, c.Name)
	}
	f.hash.Write(f.row)
	return f
}

// Add adds the next record, whose first values are those of the columns. The bytes are
// those that stand for it, valid until the next one.
func (f *Fingerprint) Add(row []value.Value) []byte {
	f.row = f.row[:0]
	for i, c := range f.columns {
		from := len(f.row)
		var fits bool
		if f.row, fits = appendValue(f.row, c, row[i]); !fits {
			f.found[i].Longer++
		}
		if f.row[from] == tagOther {
			f.found[i].unfit(row[i])
		}
	}
	f.hash.Write(f.row)
	return f.row
}

// Found tells what was found in the values of each column.
func (f *Fingerprint) Found() []Found { return f.found }

func (f *Found) unfit(v value.Value) {
	f.Unfit++
	if text := v.String(); len(f.Examples) < mostExamples && !slices.Contains(f.Examples, text) {
		f.Examples = append(f.Examples, text)
	}
}

// Sum is the fingerprint: 64 hexadecimal digits.
func (f *Fingerprint) Sum() string { return hex.EncodeToString(f.hash.Sum(nil)) }

func appendTagged[T string | []byte](b []byte, tag byte, value T) []byte {
	b = binary.BigEndian.AppendUint32(append(b, tag), uint32(len(value)))
	return append(b, value...)
}

func appendEight(b []byte, tag byte, bits uint64) []byte {
	return binary.BigEndian.AppendUint64(append(b, tag, 0, 0, 0, 8), bits)
}

// AppendValue appends the bytes that stand for a value of a column in a fingerprint.
func AppendValue(b []byte, c *column.Column, v value.Value) []byte {
	b, _ = appendValue(b, c, v)
	return b
}

// appendValue is AppendValue; fits is false for a decimal with more digits than its scale.
//
// One branch for each type of column, as docs/reference/fingerprint.md has them.
func appendValue(b []byte, c *column.Column, v value.Value) (_ []byte, fits bool) {
	text, isText := v.Chars()
	switch {
	case v.IsMissing(), isText && text == "" && c.EmptyMissing:
		return appendTagged(b, tagMissing, ""), true
	case c.Type.IsDated():
		day, micros, ok := c.Micros(v)
		switch {
		case !ok:
		case c.Type == column.Date:
			return day.AppendISO(append(b, tagDay, 0, 0, 0, byte(len("2006-01-02")))), true
		case c.Type == column.Datetime:
			return appendEight(b, tagDatetime, uint64(micros)), true
		default:
			return appendEight(b, tagInstant, uint64(micros)), true
		}
	case c.Type == column.YesNo:
		if n, ok := v.Int(); ok && (n == 0 || n == 1) {
			return append(b, tagTruth, 0, 0, 0, 1, byte(n)), true
		}
	case c.Type == column.Number:
		if f, ok := v.AsFloat(); ok {
			if f == 0 {
				f = 0 // and no sign
			}
			if math.IsNaN(f) {
				f = math.NaN()
			}
			return appendEight(b, tagFloat, math.Float64bits(f)), true
		}
	case c.Type.IsNumeric():
		if exact, ok, fits := exact(c, v); ok {
			return appendTagged(b, tagExact, exact), fits
		}
	case isText:
		return appendTagged(b, tagText, text), true
	}
	return appendTagged(b, tagOther, v.String()), true
}

// exact is a number in digits without zeros that say nothing, as it is shown.
func exact(c *column.Column, v value.Value) (text string, isNumber, fits bool) {
	if n, ok := v.Int(); ok {
		return value.Whole(n).String(), true, true
	}
	var b [64]byte
	shown, fits := c.AppendDecimal(b[:0], v)
	text = string(shown)
	if !value.IsPlainNumber(text) {
		return "", false, true
	}
	if strings.Contains(text, ".") {
		text = strings.TrimRight(strings.TrimRight(text, "0"), ".")
	}
	before, sign := strings.CutPrefix(text, "-")
	if trimmed := strings.TrimLeft(before, "0"); trimmed == "" || trimmed[0] == '.' {
		before = "0" + trimmed
	} else {
		before = trimmed
	}
	if sign && before != "0" {
		before = "-" + before
	}
	return before, true, fits
}
