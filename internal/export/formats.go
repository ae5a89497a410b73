package export

import (
	"encoding/json"
	"strings"
	"time"
	"unicode/utf8"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

// csvWriter writes RFC 4180: a header of column names, lines that end in CRLF,
// a missing value as an empty field and empty text as "".
type csvWriter struct {
	output
	safe bool // a field that a spreadsheet program would run begins with an apostrophe
}

func (w *csvWriter) Begin() error {
	w.line = w.line[:0]
	for i, c := range w.columns {
		w.field(i, []byte(c.Name))
	}
	w.line = append(w.line, '\r', '\n')
	return w.send()
}

func (w *csvWriter) Row(values []value.Value) error {
	w.line = w.line[:0]
	for i, c := range w.columns {
		if values[i].IsMissing() {
			if i > 0 {
				w.line = append(w.line, ',')
			}
			continue
		}
		w.room = w.appendPlain(w.room[:0], c, values[i])
		w.field(i, w.room)
	}
	w.line = append(w.line, '\r', '\n')
	return w.send()
}

// field appends a field, in quotes where it needs them.
func (w *csvWriter) field(i int, text []byte) {
	if i > 0 {
		w.line = append(w.line, ',')
	}
	formula := w.safe && isFormula(text)
	if len(text) > 0 && !formula && !needsQuotes(text) {
		w.line = append(w.line, text...)
		return
	}
	w.line = append(w.line, '"')
	if formula {
		w.line = append(w.line, '\'')
	}
	for _, c := range text {
		if c == '"' {
			w.line = append(w.line, '"')
		}
		w.line = append(w.line, c)
	}
	w.line = append(w.line, '"')
}

// isFormula reports whether a spreadsheet program could take a text for a formula: it begins
// with one of the signs that they know, full-width ones included, and is no plain number.
func isFormula(text []byte) bool {
	r, _ := utf8.DecodeRune(text)
	return strings.ContainsRune("=+-@\t\r\n\uff1d\uff0b\uff0d\uff20", r) && !(r == '-' && value.IsPlainNumber(string(text)))
}

func needsQuotes(text []byte) bool {
	for _, c := range text {
		if c == '"' || c == ',' || c == '\r' || c == '\n' {
			return true
		}
	}
	return false
}

func (w *csvWriter) End([]byte) error { return w.end() }

// jsonWriter writes one object: columns, rows as arrays, and the receipt last,
// so that an object without a receipt was cut.
type jsonWriter struct {
	output
	rows  int
	ended bool // there are no more
}

// Column is a column as JSON describes it.
type Column struct {
	Name  string `json:"name" doc:"Name in the dataset."`
	Type  string `json:"type" doc:"What its values mean: text, integer, decimal, date, datetime or instant."`
	Label string `json:"label" doc:"What people read."`
	Unit  string `json:"unit,omitempty" doc:"Unit of its numbers."`
	Zone  string `json:"zone,omitempty" doc:"IANA zone that its instants are shown in."`
}

// Columns describes columns whose instants are shown in the zone.
func Columns(columns []*column.Column, zone *time.Location) []Column {
	all := make([]Column, len(columns))
	for i, c := range columns {
		all[i] = Column{Name: c.Name, Type: string(c.Type), Label: c.Label, Unit: c.Unit}
		if c.Type == column.Instant {
			all[i].Zone = zone.String()
		}
	}
	return all
}

func (w *jsonWriter) Begin() error {
	head, err := json.Marshal(Columns(w.columns, w.zone))
	if err != nil {
		return err
	}
	w.line = append([]byte(`{"columns":`), head...)
	if len(w.notes) > 0 {
		notes, err := json.Marshal(w.notes)
		if err != nil {
			return err
		}
		w.line = append(append(w.line, `,"notes":`...), notes...)
	}
	w.line = append(w.line, `,"rows":[`...)
	return w.send()
}

func (w *jsonWriter) Row(values []value.Value) error {
	w.line = w.line[:0]
	if w.rows > 0 {
		w.line = append(w.line, ',')
	}
	w.rows++
	w.line = append(w.line, '\n', '[')
	w.appendValues(values)
	w.line = append(w.line, ']')
	return w.send()
}

// Flush ends the rows, so that whoever reads line by line knows that they are all.
func (w *jsonWriter) Flush() error {
	if err := w.endRows(); err != nil {
		return err
	}
	return w.output.Flush()
}

func (w *jsonWriter) endRows() error {
	if w.ended {
		return nil
	}
	w.ended = true
	w.line = append(w.line[:0], "\n]"...)
	return w.send()
}

func (w *jsonWriter) End(receipt []byte) error {
	if err := w.endRows(); err != nil {
		return err
	}
	w.line = append(append([]byte(",\"receipt\":"), receipt...), '}', '\n')
	if err := w.send(); err != nil {
		return err
	}
	return w.end()
}

// appendValues appends the values of a row to the line, as the items of a JSON array.
func (o *output) appendValues(values []value.Value) {
	for i, c := range o.columns {
		if i > 0 {
			o.line = append(o.line, ',')
		}
		o.line = o.appendJSON(o.line, c, values[i])
	}
}

// eventsWriter writes one object a line: the start with the columns, each row, the end of the
// rows, and the receipt.
type eventsWriter struct {
	output
	ended bool // the rows
}

// start is the first event.
type start struct {
	Event   string   `json:"event"`
	Columns []Column `json:"columns"`
	Notes   []string `json:"notes,omitempty"`
}

func (w *eventsWriter) Begin() error {
	text, err := json.Marshal(start{"start", Columns(w.columns, w.zone), w.notes})
	if err != nil {
		return err
	}
	w.line = append(append(w.line[:0], text...), '\n')
	return w.send()
}

func (w *eventsWriter) Row(values []value.Value) error {
	w.line = append(w.line[:0], `{"event":"row","values":[`...)
	w.appendValues(values)
	w.line = append(w.line, "]}\n"...)
	return w.send()
}

// Flush says that there are no more rows.
func (w *eventsWriter) Flush() error {
	if err := w.endRows(); err != nil {
		return err
	}
	return w.output.Flush()
}

func (w *eventsWriter) endRows() error {
	if w.ended {
		return nil
	}
	w.ended = true
	w.line = append(w.line[:0], "{\"event\":\"rows_end\"}\n"...)
	return w.send()
}

func (w *eventsWriter) End(receipt []byte) error {
	if err := w.endRows(); err != nil {
		return err
	}
	w.line = append(append(append(w.line[:0], `{"event":"receipt","receipt":`...), receipt...), "}\n"...)
	if err := w.send(); err != nil {
		return err
	}
	return w.end()
}

// ndjsonWriter writes one object a line, its members by column name.
type ndjsonWriter struct {
	output
	names [][]byte // each with its quotes and colon
}

func newNDJSON(out output) *ndjsonWriter {
	w := &ndjsonWriter{output: out}
	for _, c := range out.columns {
		w.names = append(w.names, append(value.AppendJSON(nil, c.Name), ':'))
	}
	return w
}

func (w *ndjsonWriter) Begin() error { return nil }

func (w *ndjsonWriter) Row(values []value.Value) error {
	w.line = append(w.line[:0], '{')
	for i, c := range w.columns {
		if i > 0 {
			w.line = append(w.line, ',')
		}
		w.line = append(w.line, w.names[i]...)
		w.line = w.appendJSON(w.line, c, values[i])
	}
	w.line = append(w.line, '}', '\n')
	return w.send()
}

func (w *ndjsonWriter) End([]byte) error { return w.end() }
