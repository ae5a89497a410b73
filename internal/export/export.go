// Package export writes records as they come, in the formats that leave the
// service: CSV (RFC 4180), JSON, NDJSON, XLSX and PDF. Nothing is held in memory but one
// buffer, so that it does not grow with the result; of a PDF the rows are, which are limited.
package export

import (
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

	// XLSX is a workbook, of all sections.
	XLSX Format = "xlsx"

	// PDF is for people, of all sections.
	PDF Format = "pdf"
)

// Formats lists them in the order of the reference.
var Formats = []Format{JSON, CSV, NDJSON, XLSX, PDF, Events}

// MediaTypes tells the media type of each format.
var MediaTypes = map[Format]string{
	CSV:    "text/csv; charset=utf-8; header=present",
	JSON:   "application/json",
	NDJSON: "application/x-ndjson",
	XLSX:   "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	PDF:    "application/pdf",
	Events: "application/x-ndjson; events=true",
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
	if f == CSV {
		return NewCSV(CSVForm{}, to, columns, zone)
	}
	out := newOutput(to, columns, zone)
	out.notes = notes
	switch f {
	case NDJSON:
		return newNDJSON(out)
	case Events:
		return &eventsWriter{output: out}
	}
	return &jsonWriter{output: out}
}

func newOutput(to io.Writer, columns []*column.Column, zone *time.Location) output {
	return output{to: to, columns: columns, zone: zone, buffer: *buffers.Get().(*[]byte), dates: make([]repeated, len(columns))}
}

// output is what the formats share.
type output struct {
	to      io.Writer
	columns []*column.Column
	zone    *time.Location
	notes   []string
	buffer  []byte     // what was written and is not handed on yet
	room    []byte     // for a value
	dates   []repeated // of each column
}

// repeated is the last date of a column: its text as it is stored and as it is written. The
// next row often has the same one.
type repeated struct{ stored, written []byte }

// inBuffer is how many bytes are written before they are handed on.
const inBuffer = 1 << 16

// buffers are used again for other results; one that failed is not, nor one that a long row
// made large.
var buffers = sync.Pool{New: func() any {
	b := make([]byte, 0, inBuffer+inBuffer/4)
	return &b
}}

// send hands on what was written, where it is much.
func (o *output) send() error {
	if len(o.buffer) < inBuffer {
		return nil
	}
	return o.handOn()
}

func (o *output) handOn() error {
	if len(o.buffer) == 0 {
		return nil
	}
	_, err := o.to.Write(o.buffer)
	o.buffer = o.buffer[:0]
	return err
}

// Flush empties the buffer, and those behind it that can be told to.
func (o *output) Flush() error {
	if err := o.handOn(); err != nil {
		return err
	}
	if f, ok := o.to.(interface{ Flush() }); ok {
		f.Flush()
	}
	return nil
}

// end hands on what is left, with the word that it is the last. Nothing is written after it.
func (o *output) end() error {
	if w, ok := o.to.(interface{ Last() }); ok {
		w.Last()
	}
	err := o.handOn()
	if err == nil && cap(o.buffer) <= 2*inBuffer {
		again := o.buffer // on its own: the pool is not to hold the writer and its reader
		buffers.Put(&again)
	}
	return err
}

// appendPlain appends a value of the i-th column as plain text: integers and decimals in digits, yes
// or no, dates in ISO form, instants in RFC 3339 with the zone's offset, with the
// fraction of a second where one is stored. A value that does not fit its column's
// stored form is appended as it is stored, and a decimal with more digits than its scale
// with all of them.
func (o *output) appendPlain(b []byte, i int, v value.Value) []byte {
	c := o.columns[i]
	switch c.Type {
	case column.Date, column.Datetime, column.Instant:
		text, isText := v.Chars()
		if !isText {
			return o.appendDated(b, c, v)
		}
		last := &o.dates[i]
		if text != string(last.stored) || len(text) == 0 {
			last.stored = append(last.stored[:0], text...)
			last.written = o.appendDated(last.written[:0], c, v)
		}
		return append(b, last.written...)
	case column.YesNo:
		switch n, ok := v.Int(); {
		case ok && n == 1:
			return append(b, "yes"...)
		case ok && n == 0:
			return append(b, "no"...)
		}
	case column.Decimal:
		b, _ = c.AppendDecimal(b, v)
		return b
	}
	return v.Append(b)
}

// appendDated appends a value of a date, a datetime or an instant.
func (o *output) appendDated(b []byte, c *column.Column, v value.Value) []byte {
	day, micros, ok := c.Micros(v)
	switch {
	case !ok:
		return v.Append(b)
	case c.Type == column.Date:
		return day.AppendISO(b)
	case c.Type == column.Datetime:
		b = time.UnixMicro(micros).UTC().AppendFormat(b, time.RFC3339Nano)
		return b[:len(b)-len("Z")]
	}
	return civil.AppendStamp(b, time.UnixMicro(micros), o.zone)
}

// ValueJSON is a value of a column as JSON, as it stands in the rows of a result.
func ValueJSON(c *column.Column, zone *time.Location, v value.Value) []byte {
	o := output{columns: []*column.Column{c}, zone: zone, dates: make([]repeated, 1)}
	return o.appendJSON(nil, 0, v)
}

func isWhole(v value.Value) bool {
	_, ok := v.Int()
	return ok
}

// appendJSON appends a value of the i-th column as JSON: integers and numbers as numbers, yes and no
// as true and false, a missing value as null, all else as text.
func (o *output) appendJSON(b []byte, i int, v value.Value) []byte {
	if v.IsMissing() {
		return append(b, "null"...)
	}
	switch c := o.columns[i]; c.Type {
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
	o.room = o.appendPlain(o.room[:0], i, v)
	return value.AppendJSON(b, unsafe.String(unsafe.SliceData(o.room), len(o.room)))
}
