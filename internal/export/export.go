// Package export writes records as they come, in the formats that leave the
// service: CSV (RFC 4180), JSON and NDJSON. Nothing is held back but one
// buffer, so that memory does not grow with the result.
package export

import (
	"bufio"
	"io"
	"math"
	"strconv"
	"sync"
	"time"
	"unsafe"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

// Format is a way to write records.
type Format string

const (
	CSV    Format = "csv"
	JSON   Format = "json"
	NDJSON Format = "ndjson"
	// Events is JSON in lines that say what they are, for programs that show records while the
	// evidence is being counted.
	Events Format = "events"

	// SafeCSV is CSV whose fields no spreadsheet program takes for a formula. It is asked for
	// as CSV, so that it is none of Formats.
	SafeCSV Format = "csv for spreadsheets"
)

// Formats lists them in the order of the reference.
var Formats = []Format{JSON, CSV, NDJSON, Events}

// MediaTypes tells the media type of each format.
var MediaTypes = map[Format]string{
	CSV:     "text/csv; charset=utf-8; header=present",
	SafeCSV: "text/csv; charset=utf-8; header=present",
	JSON:    "application/json",
	NDJSON:  "application/x-ndjson",
	Events:  "application/x-ndjson; events=true",
}

// Writer writes one result: Begin once, Row for each record, End once. A
// result without its End is not whole, and what was written tells so.
type Writer interface {
	Begin() error
	// Row writes a record. There may be more values than columns.
	Row(values []value.Value) error
	// Flush may come before End, when there are no more rows and End will take a
	// while: what was written goes on its way.
	Flush() error
	// End finishes the result. The receipt is JSON, for the formats that have a
	// place for it.
	End(receipt []byte) error
}

// New makes the writer of a format. Instants are written in the zone. Notes are what to
// know before reading the rows, for the formats that have a place for it.
func New(f Format, to io.Writer, columns []*column.Column, zone *time.Location, notes ...string) Writer {
	w := buffers.Get().(*bufio.Writer)
	w.Reset(to)
	out := output{w: w, to: to, columns: columns, zone: zone, notes: notes}
	switch f {
	case CSV, SafeCSV:
		return &csvWriter{output: out, safe: f == SafeCSV}
	case NDJSON:
		return newNDJSON(out)
	case Events:
		return &eventsWriter{output: out}
	}
	return &jsonWriter{output: out}
}

// output is what the formats share.
type output struct {
	w       *bufio.Writer
	to      io.Writer // that w writes to
	columns []*column.Column
	zone    *time.Location
	notes   []string
	line    []byte // of the row at hand, used again
	room    []byte // for a value of it
}

// buffers are used again for other results; one that failed is not.
var buffers = sync.Pool{New: func() any { return bufio.NewWriterSize(nil, 1<<16) }}

// Flush empties the buffer, and those behind it that can be told to.
func (o *output) Flush() error {
	if err := o.w.Flush(); err != nil {
		return err
	}
	if f, ok := o.to.(interface{ Flush() }); ok {
		f.Flush()
	}
	return nil
}

// end hands on what is left. Nothing is written after it.
func (o *output) end() error {
	err := o.w.Flush()
	if err == nil {
		o.w.Reset(nil)
		buffers.Put(o.w)
	}
	o.w = nil
	return err
}

func (o *output) send() error {
	_, err := o.w.Write(o.line)
	return err
}

// appendPlain appends a value as plain text: integers and decimals in digits, yes
// or no, dates in ISO form, instants in RFC 3339 with the zone's offset, with the
// fraction of a second where one is stored. A value that does not fit its column's
// stored form is appended as it is stored, and a decimal with more digits than its scale
// with all of them.
func (o *output) appendPlain(b []byte, c *column.Column, v value.Value) []byte {
	if c.Type.IsDated() {
		if day, micros, ok := c.Micros(v); ok {
			switch c.Type {
			case column.Date:
				return day.AppendISO(b)
			case column.Datetime:
				b = time.UnixMicro(micros).UTC().AppendFormat(b, time.RFC3339Nano)
				return b[:len(b)-len("Z")]
			}
			return civil.AppendStamp(b, time.UnixMicro(micros), o.zone)
		}
	}
	switch c.Type {
	case column.YesNo:
		if n, ok := v.Int(); ok && (n == 0 || n == 1) {
			return append(b, map[int64]string{1: "yes", 0: "no"}[n]...)
		}
	case column.Decimal:
		b, _ = c.AppendDecimal(b, v)
		return b
	}
	return v.Append(b)
}

func isWhole(v value.Value) bool {
	_, ok := v.Int()
	return ok
}

// appendJSON appends a value as JSON: integers and numbers as numbers, yes and no
// as true and false, a missing value as null, all else as text.
func (o *output) appendJSON(b []byte, c *column.Column, v value.Value) []byte {
	if v.IsMissing() {
		return append(b, "null"...)
	}
	switch c.Type {
	case column.Integer, column.Number:
		if isWhole(v) {
			return v.Append(b)
		}
		if f, ok := v.Float(); ok && c.Type == column.Number && !math.IsNaN(f) && !math.IsInf(f, 0) {
			return strconv.AppendFloat(b, f, 'g', -1, 64)
		}
	case column.YesNo:
		if n, ok := v.Int(); ok && (n == 0 || n == 1) {
			return strconv.AppendBool(b, n == 1)
		}
	case column.Text:
		if text, ok := v.Chars(); ok {
			return value.AppendJSON(b, text)
		}
	}
	o.room = o.appendPlain(o.room[:0], c, v)
	return value.AppendJSON(b, unsafe.String(unsafe.SliceData(o.room), len(o.room)))
}
