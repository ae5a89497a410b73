package load

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
)

// values turns the fields of a row into what the table holds; reason says why it
// cannot be done.
func (l *loader) values(r row, values []any) (reason string) {
	if r.wrong != "" {
		return r.wrong
	}
	if len(r.fields) != len(l.columns) {
		return fmt.Sprintf("%d fields, where the first line has %d", len(r.fields), len(l.columns))
	}
	for i, field := range r.fields {
		if !utf8.ValidString(field) {
			return fmt.Sprintf("column %q is not UTF-8", l.columns[i].Name)
		}
		value, wanted := valueOf(l.columns[i].Column, field)
		if wanted != "" {
			return fmt.Sprintf("column %q: %q is not %s", l.columns[i].Name, fault.Shorten(field), wanted)
		}
		values[i] = value
	}
	return ""
}

// valueOf is a field as the table holds it: a missing value where it is empty, dates
// in ISO form. wanted says what it should have been.
func valueOf(c record.Column, field string) (value any, wanted string) {
	if field == "" {
		return nil, ""
	}
	switch {
	case c.Type.IsDated() && c.Stored == record.StoredText:
		if _, seconds, ok := c.Moment(record.Chars(field)); ok {
			return iso(c.Type, seconds), ""
		}
		return nil, "a date in the pattern " + c.Pattern.String()
	case c.Type.IsDated():
		return numbered(c, field)
	case c.Type == record.Integer:
		if n, err := strconv.ParseInt(field, 10, 64); err == nil {
			return n, ""
		}
		return nil, "a whole number"
	case c.Type.IsNumeric():
		if f, err := strconv.ParseFloat(field, 64); err == nil && !math.IsNaN(f) && !math.IsInf(f, 0) {
			return f, ""
		}
		return nil, "a number"
	case c.Type == record.YesNo:
		if yes, ok := prompt.ParseYesNo(strings.ToLower(field)); ok {
			return map[bool]int64{true: 1}[yes], ""
		}
		return nil, "yes or no"
	}
	return field, ""
}

// numbered is a date that a file holds as a number.
func numbered(c record.Column, field string) (value any, wanted string) {
	f, err := strconv.ParseFloat(field, 64)
	if err != nil {
		return nil, "a number that stands for a date"
	}
	stored := record.Real(f)
	if f == math.Trunc(f) {
		stored = record.Whole(int64(f))
	}
	_, seconds, ok := c.Moment(stored)
	if !ok {
		return nil, "a number that stands for a date"
	}
	if c.Type == record.Datetime { // the fraction of a serial day, to the second
		seconds += int64(math.Round((f - math.Floor(f)) * 86_400))
	}
	return iso(c.Type, seconds), ""
}

// iso is the form that dates are agreed to have in the table.
func iso(kind record.Type, seconds int64) string {
	if kind == record.Date {
		return time.Unix(seconds, 0).UTC().Format(time.DateOnly)
	}
	return time.Unix(seconds, 0).UTC().Format(time.DateTime)
}

func shown(values []any) []string {
	texts := make([]string, len(values))
	for i, v := range values {
		if v != nil {
			texts[i] = fmt.Sprint(v)
		}
	}
	return texts
}
