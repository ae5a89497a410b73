package load

import (
	"bytes"
	"encoding/csv"
	"errors"
	"io"
	"strings"

	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
)

// csvRows is a CSV file.
type csvRows struct {
	reader *csv.Reader
	comma  rune
	names  []string
	limits Limits
	bytes  *bounded
	line   int // of the last row
}

// commas are what parts fields, in the order in which they are preferred.
var commas = []struct {
	mark rune
	name string
}{{',', "commas"}, {';', "semicolons"}, {'\t', "tabs"}, {'|', "pipes (|)"}}

func openCSV(from io.Reader, start []byte, limits Limits) (*csvRows, error) {
	r := &csvRows{comma: comma(start), limits: limits, bytes: newBounded(from, limits.Line)}
	r.reader = csv.NewReader(r.bytes)
	r.reader.Comma, r.reader.FieldsPerRecord = r.comma, -1
	names, err := r.read()
	if own := (*Error)(nil); errors.As(err, &own) {
		return nil, err
	}
	if err != nil {
		return nil, refuse(fault.FileNotRead, "the first line, which names the columns, cannot be read: %s", err)
	}
	for _, n := range names {
		r.names = append(r.names, strings.TrimSpace(n))
	}
	return r, nil
}

// comma is the mark that parts the first lines into as many fields each, and the most.
func comma(start []byte) rune {
	best, most := ',', 1
	for _, c := range commas {
		r := csv.NewReader(bytes.NewReader(start))
		r.Comma, r.FieldsPerRecord = c.mark, -1
		first, err := r.Read()
		if err != nil {
			continue
		}
		same := true
		for range 20 {
			fields, err := r.Read()
			if err != nil {
				break
			}
			same = same && len(fields) == len(first)
		}
		if len(first) > most && (same || best == ',' && most == 1) {
			best, most = c.mark, len(first)
		}
	}
	return best
}

func (r *csvRows) dialect() string {
	for _, c := range commas {
		if c.mark == r.comma {
			return "CSV, fields parted by " + c.name
		}
	}
	return "CSV"
}

func (r *csvRows) header() []string { return r.names }

func (r *csvRows) close() error { return nil }

// read reads the fields of the next row, no more and no longer ones than there may be.
func (r *csvRows) read() ([]string, error) {
	fields, err := r.reader.Read()
	if len(fields) > 0 {
		r.line, _ = r.reader.FieldPos(0)
	}
	if err == nil {
		err = r.limits.fields(r.line, fields)
	}
	r.bytes.next(r.reader.InputOffset())
	return fields, r.limits.row(r.line, err)
}

func (r *csvRows) next() (row, error) {
	fields, err := r.read()
	var broken *csv.ParseError
	switch {
	case errors.As(err, &broken):
		return row{line: broken.StartLine, fields: values(fields), wrong: "the line is not CSV: " + broken.Err.Error()}, nil
	case err != nil:
		return row{}, err
	}
	return row{line: r.line, fields: values(fields)}, nil
}

// values are fields of a text, an empty one being a missing value.
func values(fields []string) []value.Value {
	all := make([]value.Value, len(fields))
	for i, f := range fields {
		if f != "" {
			all[i] = value.Chars(f)
		}
	}
	return all
}
