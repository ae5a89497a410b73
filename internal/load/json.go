package load

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
)

// jsonRows is a list of JSON objects, or objects that follow each other; members are
// fields by their names.
type jsonRows struct {
	decoder *json.Decoder
	limits  Limits
	bytes   *bounded
	format  Format
	names   []string
	first   []row // those that were read for their names
	n       int
	ended   bool
}

func openJSON(from io.Reader, format Format, limits Limits) (*jsonRows, error) {
	r := &jsonRows{format: format, limits: limits, bytes: newBounded(from, limits.Line)}
	r.decoder = json.NewDecoder(r.bytes)
	if format == JSON {
		if t, err := r.decoder.Token(); err != nil || t != json.Delim('[') {
			return nil, refuse(fault.FileNotRead, "a JSON file of records is a list of objects, [{...}, {...}], and this begins otherwise; objects on lines of their own are loaded by a name that ends in .ndjson")
		}
	}
	var rows []map[string]value.Value
	var wrong []string
	for held := r.bytes.read; len(rows) < guessRows && r.bytes.read-held < guessBytes; {
		members, order, why, err := r.object()
		if errors.Is(err, io.EOF) {
			break
		}
		if own := (*Error)(nil); errors.As(err, &own) {
			return nil, err
		}
		if err != nil {
			return nil, refuse(fault.FileNotRead, "record %d cannot be read: %s", r.n+1, err)
		}
		for _, name := range order {
			if !slices.Contains(r.names, name) {
				r.names = append(r.names, name)
			}
		}
		if len(r.names) > r.limits.Columns {
			return nil, r.limits.columns(r.n, len(r.names))
		}
		rows, wrong = append(rows, members), append(wrong, why)
	}
	if len(r.names) == 0 {
		return nil, refuse(fault.FileNotRead, "the file has no record with a member in it")
	}
	for i, members := range rows {
		r.first = append(r.first, r.row(i+1, members, wrong[i]))
	}
	return r, nil
}

// object reads the next object, no more and no longer members than there may be.
func (r *jsonRows) object() (members map[string]value.Value, order []string, why string, err error) {
	members, order, why, err = r.members()
	r.bytes.next(r.decoder.InputOffset())
	return members, order, why, r.limits.row(r.n, err)
}

// members reads the next object: its members, and their names in order. why says what in it
// is no value; io.EOF where there is no more.
//
// It follows the JSON token by token, since nothing of it is held in memory.
func (r *jsonRows) members() (members map[string]value.Value, order []string, why string, err error) {
	if !r.decoder.More() {
		if r.bytes.read >= r.bytes.until {
			return nil, nil, "", errLine
		}
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
	members = map[string]value.Value{}
	for r.decoder.More() {
		name, err := r.decoder.Token()
		if err != nil {
			return nil, nil, "", err
		}
		key := name.(string)
		var member json.RawMessage // a list in it would take many times its size
		if err := r.decoder.Decode(&member); err != nil {
			return nil, nil, "", err
		}
		if len(order) == r.limits.Columns {
			return nil, nil, "", r.limits.columns(r.n, len(order)+1)
		}
		if slices.Contains(order, key) {
			why = fmt.Sprintf("it has the member %q twice", key)
		}
		order = append(order, key)
		v, wrong := jsonValue(member)
		if int64(len(v.String())) > r.limits.Field {
			return nil, nil, "", r.limits.long(r.n, len(order))
		}
		if wrong != "" {
			why = fmt.Sprintf("the member %q has %s", english.Shorten(key), wrong)
		} else if !v.IsMissing() {
			members[key] = v
		}
	}
	_, err = r.decoder.Token()
	return members, order, why, err
}

// jsonValue is a member's value, or what it is where that is no field.
func jsonValue(member json.RawMessage) (v value.Value, wrong string) {
	switch member[0] {
	case 'n':
		return value.Value{}, ""
	case 't', 'f':
		return value.Chars(string(member)), ""
	case '"':
		var text string
		if err := json.Unmarshal(member, &text); err != nil {
			return value.Value{}, "a text that cannot be read"
		}
		return value.Chars(text), ""
	case '{', '[':
		return value.Value{}, "a list or an object, and a field is one value"
	}
	text := string(member)
	d, err := decimal.NewFromString(text)
	if err != nil || len(text) > 400 || d.Exponent() > 400 || d.Exponent() < -400 {
		return value.Value{}, "a number that is too long"
	}
	if !value.IsPlainNumber(text) {
		text = d.String()
	}
	return value.Digits(text), ""
}

// row puts members in the order of the columns.
func (r *jsonRows) row(line int, members map[string]value.Value, wrong string) row {
	made := row{line: line, fields: make([]value.Value, len(r.names)), wrong: wrong}
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
