package load

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/value"
)

// values turns the fields of a row into what the table holds; reason says why it
// cannot be done, and column names the one that it is about, where it is about one.
func (l *loader) values(r row, values []any) (column, reason string) {
	if r.wrong != "" {
		return "", r.wrong
	}
	if len(r.fields) != len(l.columns) {
		return "", fmt.Sprintf("%s, where the first line has %d", english.Count(len(r.fields), "field"), len(l.columns))
	}
	if l.req.RowNumber != "" {
		l.number++
		values[0] = l.number
		values = values[1:]
	}
	for i, field := range r.fields {
		c := l.columns[i]
		if !utf8.ValidString(field.String()) {
			return c.Name, fmt.Sprintf("column %q is not UTF-8", c.Name)
		}
		val, wrong := c.value(field)
		if wrong != "" {
			return c.Name, fmt.Sprintf("column %q: %q %s", c.Name, english.Shorten(field.String()), wrong)
		}
		values[i] = val
	}
	return "", ""
}

// value is a field as the table holds it, dates in ISO form. wrong says what is wrong with
// it, after the value.
//
// One branch for each type of column.
func (c field) value(field value.Value) (val any, wrong string) {
	if field.IsMissing() {
		return nil, ""
	}
	text := c.digits(field).String()
	is := "is not " + c.Wants()
	switch {
	case c.Type.IsDated() && c.Stored == column.StoredText:
		v := value.Chars(text)
		if _, seconds, ok := c.Moment(v); ok {
			return iso(c.Type, seconds, fraction(c.Column, v)), ""
		}
		return nil, is
	case c.Type.IsDated():
		return c.numbered(text)
	case c.Type == column.Integer:
		if n, err := strconv.ParseInt(text, 10, 64); err == nil {
			return n, ""
		}
		return nil, is
	case c.IsExactText():
		if value.IsPlainNumber(text) {
			return text, ""
		}
		return nil, is
	case c.Type.IsNumeric():
		f, err := strconv.ParseFloat(text, 64)
		switch {
		case err != nil || math.IsNaN(f) || math.IsInf(f, 0):
			return nil, is
		case value.IsPlainNumber(text) && !value.IsExactly(text):
			return nil, fmt.Sprintf("has more digits than a binary number has room for; --exact %s loads the column whole", c.Name)
		}
		return f, ""
	case c.Type == column.YesNo:
		switch yes, ok := prompt.ParseYesNo(strings.ToLower(text)); {
		case !ok:
			return nil, is
		case yes:
			return int64(1), ""
		}
		return int64(0), ""
	}
	return text, ""
}

// numbered is a date that a file holds as a number.
func (c field) numbered(text string) (val any, wrong string) {
	f, err := strconv.ParseFloat(text, 64)
	if err != nil {
		return nil, "is not a number that stands for a date"
	}
	stored := value.Real(f)
	if f == math.Trunc(f) && math.Abs(f) < 1<<62 {
		stored = value.Whole(int64(f))
	}
	_, seconds, ok := c.Moment(stored)
	if !ok {
		return nil, "is not a number that stands for a date"
	}
	return iso(c.Type, seconds, fraction(c.Column, stored)), ""
}

var fractionText = regexp.MustCompile(`\.(\d*?)0*(Z|$)`)

// fraction are the digits of a moment behind its second, without zeros at the end.
func fraction(c column.Column, v value.Value) string {
	if c.Type == column.Date {
		return ""
	}
	if text, ok := v.Chars(); ok {
		if m := fractionText.FindStringSubmatch(text); m != nil && c.Pattern.Sorts() {
			return m[1]
		}
		return ""
	}
	_, micros, _ := c.Micros(v)
	return strings.TrimRight(fmt.Sprintf("%06d", (micros%1e6+1e6)%1e6), "0")
}

// iso is the form that dates are agreed to have in the table; instants say by a Z that
// they are by UTC.
func iso(kind column.Type, seconds int64, fraction string) string {
	at := time.Unix(seconds, 0).UTC()
	if fraction != "" {
		fraction = "." + fraction
	}
	switch kind {
	case column.Date:
		return at.Format(time.DateOnly)
	case column.Instant:
		return at.Format("2006-01-02T15:04:05") + fraction + "Z"
	}
	return at.Format(time.DateTime) + fraction
}

// mostShown is how many bytes of a value a report shows.
const mostShown = 1000

func shown(values []any) []string {
	texts := make([]string, len(values))
	for i, v := range values {
		switch v := v.(type) {
		case nil:
		case float64:
			texts[i] = strconv.FormatFloat(v, 'f', -1, 64)
		default:
			texts[i] = fmt.Sprint(v)
		}
		if len(texts[i]) > mostShown {
			texts[i] = strings.ToValidUTF8(texts[i][:mostShown], "") + "..."
		}
	}
	return texts
}

// add adds the numbers of a row to the sums that a row of totals is told by.
func (l *loader) add(values []any) {
	for i, v := range values[len(values)-len(l.columns):] {
		if f, ok := amount(v); ok && l.columns[i].Type.IsNumeric() {
			l.sums[i] += f
		}
	}
}

func amount(v any) (float64, bool) {
	switch v := v.(type) {
	case int64:
		return float64(v), true
	case float64:
		return v, true
	case string:
		f, err := strconv.ParseFloat(v, 64)
		return f, err == nil
	}
	return 0, false
}

// totalWords are what the first field of a row of totals says, in small letters.
var totalWords = []string{"total", "totals", "grand total", "sum", "sums", "subtotal", "sub-total", "overall", "overall total"}

// leastTotalled is how many rows there are before a row is one of totals by its numbers.
const leastTotalled = 3

// isTotals reports whether a last row looks like totals: its first field says so; or each
// of its numbers is the sum of those above, and some of its other fields are empty.
func (l *loader) isTotals(r row) bool {
	if r.wrong != "" || len(r.fields) != len(l.columns) {
		return false
	}
	empty, sums := 0, 0
	for i, field := range r.fields {
		if field.IsMissing() {
			empty++
			continue
		}
		if empty == i && slices.Contains(totalWords, strings.TrimSuffix(strings.ToLower(strings.TrimSpace(field.String())), ":")) {
			return true
		}
		if !l.columns[i].Type.IsNumeric() {
			return false
		}
		val, wrong := l.columns[i].value(field)
		f, ok := amount(val)
		if wrong != "" || !ok || math.Abs(f-l.sums[i]) > 1e-9*math.Abs(f) {
			return false
		}
		if f != 0 {
			sums++
		}
	}
	return sums > 0 && empty > 0 && l.report.Read >= leastTotalled
}
