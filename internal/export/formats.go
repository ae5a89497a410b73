package export

import (
	"encoding/json"
	"time"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

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
	w.buffer = append(w.buffer, `{"columns":`...)
	w.buffer = append(w.buffer, head...)
	if len(w.notes) > 0 {
		notes, err := json.Marshal(w.notes)
		if err != nil {
			return err
		}
		w.buffer = append(append(w.buffer, `,"notes":`...), notes...)
	}
	w.buffer = append(w.buffer, `,"rows":[`...)
	return w.send()
}

func (w *jsonWriter) Row(values []value.Value) error {
	w.rows++
	return w.row(w.rows == 1, values)
}

// row writes a row as an item of a JSON array.
func (o *output) row(first bool, values []value.Value) error {
	if !first {
		o.buffer = append(o.buffer, ',')
	}
	o.buffer = append(o.buffer, '\n', '[')
	o.appendValues(values)
	o.buffer = append(o.buffer, ']')
	return o.send()
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
	w.buffer = append(w.buffer, "\n]"...)
	return w.send()
}

func (w *jsonWriter) End(receipt []byte) error {
	if err := w.endRows(); err != nil {
		return err
	}
	w.buffer = append(append(append(w.buffer, ",\"receipt\":"...), receipt...), '}', '\n')
	if err := w.send(); err != nil {
		return err
	}
	return w.end()
}

// appendValues appends the values of a row to the line, as the items of a JSON array.
func (o *output) appendValues(values []value.Value) {
	for i := range o.columns {
		if i > 0 {
			o.buffer = append(o.buffer, ',')
		}
		o.buffer = o.appendJSON(o.buffer, i, values[i])
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
	w.buffer = append(append(w.buffer, text...), '\n')
	return w.send()
}

func (w *eventsWriter) Row(values []value.Value) error { return w.rowEvent(values) }

// rowEvent writes a row as an event.
func (o *output) rowEvent(values []value.Value) error {
	o.buffer = append(o.buffer, `{"event":"row","values":[`...)
	o.appendValues(values)
	o.buffer = append(o.buffer, "]}\n"...)
	return o.send()
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
	w.buffer = append(w.buffer, "{\"event\":\"rows_end\"}\n"...)
	return w.send()
}

func (w *eventsWriter) End(receipt []byte) error {
	if err := w.endRows(); err != nil {
		return err
	}
	w.buffer = append(append(append(w.buffer, `{"event":"receipt","receipt":`...), receipt...), "}\n"...)
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
	w.buffer = append(w.buffer, '{')
	for i := range w.columns {
		if i > 0 {
			w.buffer = append(w.buffer, ',')
		}
		w.buffer = append(w.buffer, w.names[i]...)
		w.buffer = w.appendJSON(w.buffer, i, values[i])
	}
	w.buffer = append(w.buffer, '}', '\n')
	return w.send()
}

func (w *ndjsonWriter) End([]byte) error { return w.end() }
