// Package export writes records as they come, in the formats that leave the
// service: CSV (RFC 4180), JSON and NDJSON. Nothing is held back but one
// buffer, so that memory does not grow with the result.
package export

import (
	"bufio"
	"io"
	"math"
	"strconv"
	"time"
	"unicode/utf8"

	"pikegate/internal/core/record"
)

// Format is a way to write records.
type Format string

const (
	CSV    Format = "csv"
	JSON   Format = "json"
	NDJSON Format = "ndjson"
)

// MediaTypes tells the media type of each format.
var MediaTypes = map[Format]string{
	CSV:    "text/csv; charset=utf-8; header=present",
	JSON:   "application/json",
	NDJSON: "application/x-ndjson",
}

// Writer writes one result: Begin once, Row for each record, End once. A
// result without its End is not whole, and what was written tells so.
type Writer interface {
	Begin() error
	Row(values []record.Value) error
	// End finishes the result. The receipt is JSON, for the formats that have a
	// place for it.
	End(receipt []byte) error
}

// New makes the writer of a format. Instants are written in the zone.
func New(f Format, to io.Writer, columns []*record.Column, zone *time.Location) Writer {
	out := output{w: bufio.NewWriterSize(to, 1<<15), columns: columns, zone: zone}
	switch f {
	case CSV:
		return &csvWriter{out}
	case NDJSON:
		return newNDJSON(out)
	}
	return &jsonWriter{output: out}
}

// output is what the formats share.
type output struct {
	w       *bufio.Writer
	columns []*record.Column
	zone    *time.Location
	line    []byte // of the row at hand, used again
}

// flush hands the buffer on; readers see the first rows without waiting for
// the last.
func (o *output) flush() error { return o.w.Flush() }

func (o *output) send() error {
	_, err := o.w.Write(o.line)
	return err
}

// appendPlain appends a value as plain text: integers and decimals in digits, yes
// or no, dates in ISO form, instants in RFC 3339 with the zone's offset. A value that
// does not fit its column's stored form is appended as it is stored.
func (o *output) appendPlain(b []byte, c *record.Column, v record.Value) []byte {
	if c.Type.IsDated() {
		if day, seconds, ok := c.Moment(v); ok {
			switch c.Type {
			case record.Date:
				return day.AppendISO(b)
			case record.Datetime:
				return time.Unix(seconds, 0).UTC().AppendFormat(b, "2006-01-02T15:04:05")
			}
			return time.Unix(seconds, 0).In(o.zone).AppendFormat(b, time.RFC3339)
		}
	}
	if c.Type == record.YesNo && (v == int64(0) || v == int64(1) || v == true || v == false) {
		return append(b, map[bool]string{true: "yes", false: "no"}[v == int64(1) || v == true]...)
	}
	switch v := v.(type) {
	case int64:
		b = strconv.AppendInt(b, v, 10)
		if c.Type == record.Decimal && c.Scale > 0 {
			b = append(b, '.')
			for range c.Scale {
				b = append(b, '0')
			}
		}
	case float64:
		if c.Type == record.Decimal {
			return strconv.AppendFloat(b, v, 'f', c.Scale, 64)
		}
		b = strconv.AppendFloat(b, v, 'f', -1, 64)
	case bool:
		b = strconv.AppendBool(b, v)
	case string:
		b = append(b, v...)
	case []byte:
		b = append(b, v...)
	}
	return b
}

// appendJSON appends a value as JSON: integers and numbers as numbers, yes and no
// as true and false, a missing value as null, all else as text.
func (o *output) appendJSON(b []byte, c *record.Column, v record.Value) []byte {
	switch n := v.(type) {
	case nil:
		return append(b, "null"...)
	case int64:
		if c.Type == record.Integer || c.Type == record.Number {
			return strconv.AppendInt(b, n, 10)
		}
		if c.Type == record.YesNo && (n == 0 || n == 1) {
			return strconv.AppendBool(b, n == 1)
		}
	case bool:
		return strconv.AppendBool(b, n)
	case float64:
		if c.Type == record.Number && !math.IsNaN(n) && !math.IsInf(n, 0) {
			return strconv.AppendFloat(b, n, 'g', -1, 64)
		}
	case string:
		if c.Type == record.Text {
			return AppendString(b, n)
		}
	}
	var room [48]byte
	return AppendString(b, string(o.appendPlain(room[:0], c, v)))
}

const hex = "0123456789abcdef"

// AppendString appends a text as a JSON string (RFC 8259). Bytes that are not
// UTF-8 become U+FFFD.
func AppendString(b []byte, s string) []byte {
	b = append(b, '"')
	from := 0
	for i := 0; i < len(s); {
		c := s[i]
		if c >= utf8.RuneSelf {
			r, size := utf8.DecodeRuneInString(s[i:])
			if r == utf8.RuneError && size == 1 {
				b = append(append(b, s[from:i]...), `\ufffd`...)
				from = i + 1
			}
			i += size
			continue
		}
		if c >= ' ' && c != '"' && c != '\\' {
			i++
			continue
		}
		b = append(b, s[from:i]...)
		switch c {
		case '"', '\\':
			b = append(b, '\\', c)
		case '\n':
			b = append(b, '\\', 'n')
		default:
			b = append(b, '\\', 'u', '0', '0', hex[c>>4], hex[c&15])
		}
		i++
		from = i
	}
	return append(append(b, s[from:]...), '"')
}
