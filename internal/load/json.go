package load

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/record"
)

// jsonRows is a list of JSON objects, or objects that follow each other; members are
// fields by their names.
type jsonRows struct {
	decoder *json.Decoder
	format  Format
	names   []string
	first   []row // those that were read for their names
	n       int
	ended   bool
}

func openJSON(from io.Reader, format Format) (*jsonRows, error) {
	r := &jsonRows{decoder: json.NewDecoder(from), format: format}
	r.decoder.UseNumber()
	if format == JSON {
		if t, err := r.decoder.Token(); err != nil || t != json.Delim('[') {
			return nil, refuse(BadFile, "a JSON file of records is a list of objects, [{...}, {...}], and this begins otherwise; objects on lines of their own are loaded by a name that ends in .ndjson")
		}
	}
	var rows []map[string]record.Value
	var wrong []string
	for len(rows) < guessRows {
		members, order, why, err := r.object()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, refuse(BadFile, "record %d cannot be read: %s", r.n+1, err)
		}
		for _, name := range order {
			if !slices.Contains(r.names, name) {
				r.names = append(r.names, name)
			}
		}
		rows, wrong = append(rows, members), append(wrong, why)
	}
	if len(r.names) == 0 {
		return nil, refuse(BadFile, "the file has no record with a member in it")
	}
	for i, members := range rows {
		r.first = append(r.first, r.row(i+1, members, wrong[i]))
	}
	return r, nil
}

// object reads the next object: its members, and their names in order. why says what in it
// is no value; io.EOF where there is no more.
func (r *jsonRows) object() (members map[string]record.Value, order []string, why string, err error) {
	if !r.decoder.More() {
		if r.format == NDJSON || r.ended {
			return nil, nil, "", io.EOF
		}
		if _, err := r.decoder.Token(); err != nil {
			return nil, nil, "", errors.New("the list of records does not end")
		}
		if _, err := r.decoder.Token(); !errors.Is(err, io.EOF) {
			return nil, nil, "", errors.New("something follows the list of records")
		}
		r.ended = true
		return nil, nil, "", io.EOF
	}
	t, err := r.decoder.Token()
	if err != nil {
		return nil, nil, "", err
	}
	if t != json.Delim('{') {
		return nil, nil, "", fmt.Errorf("an object is wanted here, and this is %v", t)
	}
	r.n++
	members = map[string]record.Value{}
	for r.decoder.More() {
		name, err := r.decoder.Token()
		if err != nil {
			return nil, nil, "", err
		}
		key := name.(string)
		var member any
		if err := r.decoder.Decode(&member); err != nil {
			return nil, nil, "", err
		}
		if slices.Contains(order, key) {
			why = fmt.Sprintf("it has the member %q twice", key)
		}
		order = append(order, key)
		switch v := member.(type) {
		case nil:
		case string:
			members[key] = record.Chars(v)
		case bool:
			members[key] = record.Chars(fmt.Sprint(v))
		case json.Number:
			d, err := decimal.NewFromString(v.String())
			if err != nil || len(v) > 400 || d.Exponent() > 400 || d.Exponent() < -400 {
				why = fmt.Sprintf("the member %q has a number that is too long", key)
				continue
			}
			text := v.String()
			if !record.IsPlainNumber(text) {
				text = d.String()
			}
			members[key] = record.Digits(text)
		default:
			why = fmt.Sprintf("the member %q has a list or an object, and a field is one value", key)
		}
	}
	_, err = r.decoder.Token()
	return members, order, why, err
}

// row puts members in the order of the columns.
func (r *jsonRows) row(line int, members map[string]record.Value, wrong string) row {
	made := row{line: line, fields: make([]record.Value, len(r.names)), wrong: wrong}
	for name, v := range members {
		i := slices.Index(r.names, name)
		if i < 0 {
			made.wrong = fmt.Sprintf("it has a member %q, which none of the first records has", name)
			continue
		}
		made.fields[i] = v
	}
	return made
}

func (r *jsonRows) dialect() string {
	return map[Format]string{JSON: "JSON, a list of objects", NDJSON: "NDJSON, an object on each line"}[r.format]
}

func (r *jsonRows) header() []string { return r.names }

func (r *jsonRows) close() error { return nil }

func (r *jsonRows) next() (row, error) {
	if len(r.first) > 0 {
		next := r.first[0]
		r.first = r.first[1:]
		return next, nil
	}
	members, _, why, err := r.object()
	if err != nil {
		return row{}, err
	}
	return r.row(r.n, members, why), nil
}
