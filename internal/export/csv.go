package export

import (
	"bytes"
	"io"
	"strings"
	"time"
	"unicode/utf8"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

// CSVForm is how CSV is written. The zero form is that of RFC 4180, true to the data.
type CSVForm struct {
	Mark      bool           // begins with a byte-order mark, by which some spreadsheet programs know UTF-8
	Separator byte           // between fields; 0 for a comma
	Comma     bool           // stands in decimals and numbers for the point
	Dates     column.Pattern // of days; the zero Pattern for ISO 8601. A time follows as HH:mm:ss
	Safe      bool           // a field that a spreadsheet program would run begins with an apostrophe
}

// Separators are those that CSV may have, by name.
var Separators = []struct {
	Name string
	Sign byte
}{{"comma", ','}, {"semicolon", ';'}, {"tab", '\t'}}

// NewCSV makes the writer of CSV in a form.
func NewCSV(form CSVForm, to io.Writer, columns []*column.Column, zone *time.Location) Writer {
	w := &csvWriter{output: newOutput(to, columns, zone), form: form, separator: ','}
	if form.Separator != 0 {
		w.separator = form.Separator
	}
	for _, c := range []byte{'"', w.separator, '\r', '\n'} {
		w.inQuotes[c] = true
	}
	w.dated = form.Dates.String() != ""
	w.asRead = form.Comma || w.dated
	return w
}

// csvWriter writes a header of column names, lines that end in CRLF, a missing value as an empty
// field and empty text as "".
type csvWriter struct {
	output
	form      CSVForm
	separator byte
	inQuotes  [256]bool // characters that a field without quotes must not have
	asRead    bool      // numbers or dates are written as people write them
	dated     bool      // dates are
}

func (w *csvWriter) Begin() error {
	if w.form.Mark {
		w.buffer = append(w.buffer, "\ufeff"...)
	}
	for i, c := range w.columns {
		w.part(i)
		from := len(w.buffer)
		w.buffer = append(w.buffer, c.Name...)
		w.quote(from)
	}
	w.buffer = append(w.buffer, '\r', '\n')
	return w.send()
}

func (w *csvWriter) Row(values []value.Value) error {
	for i := range w.columns {
		w.part(i)
		v := values[i]
		if v.IsMissing() {
			continue
		}
		from := len(w.buffer)
		if w.asRead {
			w.buffer = w.appendAsRead(w.buffer, i, v)
		} else {
			w.buffer = w.appendPlain(w.buffer, i, v)
		}
		if w.form.Safe || w.asRead || !v.IsNumber() { // else it is of digits and letters
			w.quote(from)
		}
	}
	w.buffer = append(w.buffer, '\r', '\n')
	return w.send()
}

// appendAsRead appends a value of the i-th column as people write it. What is no number or no date is
// appended as it is stored.
func (w *csvWriter) appendAsRead(b []byte, i int, v value.Value) []byte {
	c := w.columns[i]
	from := len(b)
	if c.Type.IsDated() && w.dated {
		day, micros, ok := c.Micros(v)
		switch {
		case !ok:
			return v.Append(b)
		case c.Type == column.Date:
			return w.form.Dates.AppendDay(b, day)
		case c.Type == column.Datetime:
			return w.appendTime(b, time.UnixMicro(micros).UTC())
		}
		return w.appendTime(b, time.UnixMicro(micros).In(w.zone))
	}
	b = w.appendPlain(b, i, v)
	if w.form.Comma && (c.Type == column.Decimal || c.Type == column.Number) && (v.IsNumber() || value.IsPlainNumber(string(b[from:]))) {
		if point := bytes.IndexByte(b[from:], '.'); point >= 0 {
			b[from+point] = ','
		}
	}
	return b
}

// appendTime appends what clocks showed: with the offset in an hour that they showed twice.
func (w *csvWriter) appendTime(b []byte, at time.Time) []byte {
	year, month, day := at.Date()
	layout := " 15:04:05.999999"
	if civil.IsRepeated(at) {
		layout += " -07:00"
	}
	return at.AppendFormat(w.form.Dates.AppendDay(b, civil.MustDay(year, month, day)), layout)
}

func (w *csvWriter) part(i int) {
	if i > 0 {
		w.buffer = append(w.buffer, w.separator)
	}
}

// quote puts the field that begins there in quotes, where it needs them.
func (w *csvWriter) quote(from int) {
	field := w.buffer[from:]
	formula := w.form.Safe && w.isFormula(field)
	if len(field) > 0 && !formula && !w.needsQuotes(field) {
		return
	}
	w.room = append(w.room[:0], field...)
	w.buffer = append(w.buffer[:from], '"')
	if formula {
		w.buffer = append(w.buffer, '\'')
	}
	for _, c := range w.room {
		if c == '"' {
			w.buffer = append(w.buffer, '"')
		}
		w.buffer = append(w.buffer, c)
	}
	w.buffer = append(w.buffer, '"')
}

// isFormula reports whether a spreadsheet program could take a text for a formula: it begins
// with one of the signs that they know, full-width ones included, and is no plain number.
func (w *csvWriter) isFormula(text []byte) bool {
	r, _ := utf8.DecodeRune(text)
	if !strings.ContainsRune("=+-@\t\r\n\uff1d\uff0b\uff0d\uff20", r) {
		return false
	}
	number := string(text)
	if w.form.Comma {
		number = strings.Replace(number, ",", ".", 1)
	}
	return r != '-' || !value.IsPlainNumber(number)
}

func (w *csvWriter) needsQuotes(text []byte) bool {
	for _, c := range text {
		if w.inQuotes[c] {
			return true
		}
	}
	return false
}

func (w *csvWriter) End([]byte) error { return w.end() }
