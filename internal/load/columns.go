package load

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/infer"
	"pikegate/internal/core/value"
)

// column is what a column of the file is taken for.
type field struct {
	infer.Guess
	numbers *numberForm // how its numbers are written; nil for plain digits
	timed   bool        // its date cells have times of day
}

// fieldBytes is about what a field takes in memory beside its characters.
const fieldBytes = 32

// guess looks at the first rows.
func (l *loader) guess(ctx context.Context) error {
	for held := 0; len(l.first) < guessRows && held < guessBytes; {
		r, err := l.rows.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if own := (*Error)(nil); errors.As(err, &own) {
			return err
		}
		if err != nil {
			return refuse(fault.FileNotRead, "%s", err)
		}
		l.first = append(l.first, r)
		for _, f := range r.fields {
			held += fieldBytes + len(f.String())
		}
	}
	names := l.rows.header()
	if err := l.named(names); err != nil {
		return err
	}
	for i, name := range names {
		c, err := l.column(i, name)
		if err != nil {
			return err
		}
		l.columns = append(l.columns, c)
		l.report.Columns = append(l.report.Columns, FileColumn{Name: name, Type: string(c.Type), Written: c.written(), Or: c.Or, Scale: c.Scale, Exact: c.IsExactText(), Share: c.Share})
	}
	for i, r := range l.first {
		l.first[i] = l.plain(r)
	}
	l.names, l.sums = names, make([]float64, len(names))
	if l.req.RowNumber != "" {
		l.names = append([]string{l.req.RowNumber}, names...)
		l.report.Columns = append([]FileColumn{{Name: l.req.RowNumber, Type: string(column.Integer), Share: 1, Added: true}}, l.report.Columns...)
	}
	return nil
}

// sameColumn says whether SQLite takes two names for one: it knows no difference between
// the capital and the small letters of ASCII.
func sameColumn(a, b string) bool {
	return lowered(a) == lowered(b)
}

func lowered(name string) string {
	return strings.Map(func(r rune) rune {
		if 'A' <= r && r <= 'Z' {
			return r + 'a' - 'A'
		}
		return r
	}, name)
}

// named refuses columns that cannot be those of a table, and flags that name none of them.
//
// One branch for each thing that is wrong with names.
func (l *loader) named(names []string) error {
	if l.req.RowNumber != "" && len(names) == mostColumns {
		return refuse(fault.TooManyColumns, "the file has %d columns, and with that of the row numbers a table would have one too many", len(names))
	}
	if wrong := nameFault(l.req.RowNumber); l.req.RowNumber != "" && wrong != "" {
		return refuse(fault.TableDoesNotFit, "the name of the column of row numbers %s", wrong)
	}
	for i, name := range names {
		if name == "" {
			return refuse(fault.FileNotRead, "column %d has no name in the first line", i+1)
		}
		if wrong := nameFault(name); wrong != "" {
			return refuse(fault.FileNotRead, "the name of column %d, %q, %s", i+1, english.Shorten(name), wrong)
		}
		for _, before := range names[:i] {
			if before == name {
				return refuse(fault.FileNotRead, "the first line names the column %q twice", name).in(name)
			}
			if sameColumn(before, name) {
				return refuse(fault.FileNotRead, "the file has columns %q and %q, and a table does not tell capital letters from small ones; give one of them another name", before, name)
			}
		}
		if sameColumn(name, l.req.RowNumber) {
			return refuse(fault.TableDoesNotFit, "the file has a column %q of its own; give that of the row numbers another name", name).in(name)
		}
	}
	of := func(texts []string) []string {
		columns := make([]string, len(texts))
		for i, text := range texts {
			columns[i], _, _ = strings.Cut(text, "=")
		}
		return columns
	}
	for _, flag := range []struct {
		what    string
		columns []string
	}{{"its dates", of(l.req.Dates)}, {"its numbers", of(l.req.Numbers)}, {"exact decimals", l.req.Exact}, {"the key", l.req.Key}} {
		for _, name := range flag.columns {
			if slices.Contains(names, name) || flag.what == "the key" && name == l.req.RowNumber && name != "" {
				continue
			}
			said := fault.New(fault.TableDoesNotFit, "the file has no column %q for %s", name, flag.what)
			return refuse(fault.TableDoesNotFit, "%s", said.Suggest(fault.Near(name, names)).Sentence())
		}
	}
	return nil
}

// column guesses what the i-th column is, by its name and first values and by what was
// said of it.
//
// It settles one thing after the other, by what was said before what is guessed.
func (l *loader) column(i int, name string) (field, error) {
	c := field{}
	var raw []value.Value
	for _, r := range l.first {
		if r.wrong == "" && i < len(r.fields) && !r.fields[i].IsMissing() {
			raw = append(raw, r.fields[i])
			serial, isCell := r.fields[i].Float()
			c.timed = c.timed || isCell && hasTime(serial)
		}
	}
	values := make([]value.Value, len(raw))
	for i, v := range raw {
		values[i] = c.cell(v)
	}
	if form, said := saidOf(l.req.Numbers, name); said {
		numbers, err := parseNumberForm(form)
		if err != nil {
			return c, refuse(fault.TableDoesNotFit, "the numbers of the column %q: %s", name, err).in(name)
		}
		c.numbers = numbers
		for i, v := range values {
			values[i] = c.digits(v)
		}
	}
	c.Guess = l.guessOf(name, values)
	if c.numbers != nil && !c.Type.IsNumeric() {
		return c, refuse(fault.TableDoesNotFit, "the values of the column %q are not numbers as %s has them, such as %q", name, c.numbers.source, english.Shorten(raw[0].String())).in(name)
	}
	if c.ByValues { // which is too little to write other values to the table than the file has
		l.note("The column %q could hold dates, %s; --dates %q reads it so.", name, c.Stored, name+"="+string(c.Stored))
		c.Guess = infer.Guess{Column: column.Column{Name: name, Type: column.Integer}, Share: 1}
	}
	if slices.Contains(l.req.Exact, name) {
		c.Guess = infer.Guess{Column: column.Column{Name: name, Type: column.Decimal, Scale: c.Scale, Stored: column.StoredText}, Share: c.Share}
	}
	if c.Type == column.Text && c.numbers == nil {
		if form := seenForm(values); form != "" {
			l.note("The values of the column %q look like numbers, such as %q; --numbers %q reads them so.", name, english.Shorten(values[0].String()), name+"="+form)
		}
	}
	return c, l.dated(&c, name)
}

func (l *loader) note(format string, args ...any) {
	l.report.Notes = append(l.report.Notes, fmt.Sprintf(format, args...))
}

// guessOf guesses by values. In CSV and in the cells of a spreadsheet all are texts; JSON
// tells numbers and truths from texts.
func (l *loader) guessOf(name string, values []value.Value) infer.Guess {
	if l.req.Format != JSON && l.req.Format != NDJSON {
		return infer.Of(name, values, true)
	}
	plain, numbers := make([]value.Value, len(values)), 0
	for i, v := range values {
		plain[i] = value.Chars(v.String())
		if _, isNumber := v.Digits(); isNumber {
			numbers++
		}
	}
	switch {
	case numbers > 0 && numbers < len(values):
		return infer.Guess{Column: column.Column{Name: name, Type: column.Text}, Share: 1}
	case numbers > 0, len(values) > 0 && !slices.ContainsFunc(plain, func(v value.Value) bool { return v.String() != "true" && v.String() != "false" }):
		return infer.Of(name, plain, true)
	}
	return infer.Of(name, plain, false)
}

// saidOf finds what COLUMN=FORM says of a column.
func saidOf(said []string, column string) (form string, ok bool) {
	for _, s := range said {
		if name, form, _ := strings.Cut(s, "="); name == column {
			return form, true
		}
	}
	return "", false
}

// dated takes what was said of a column's dates; where they can be read in two ways
// and nothing was said, they are not guessed.
func (l *loader) dated(c *field, name string) error {
	form, said := saidOf(l.req.Dates, name)
	if !said {
		if c.Or != "" && !l.req.Dry {
			return refuse(fault.DatesTwoWays, "the dates of the column %q can be read as %s or as %s; say which, as in --dates %q; nothing was loaded", name, c.Pattern, c.Or, name+"="+c.Pattern.String()).in(name)
		}
		return nil
	}
	stored := map[column.Stored]column.Type{column.EightDigits: column.Date, column.SerialDays: column.Datetime, column.EpochSeconds: column.Instant, column.EpochMillis: column.Instant}
	if kind, known := stored[column.Stored(form)]; known {
		c.Guess = infer.Guess{Column: column.Column{Name: name, Type: kind, Stored: column.Stored(form)}, Share: 1}
		if form == string(column.SerialDays) && !l.hasFractions(name) {
			c.Type = column.Date
		}
		return nil
	}
	pattern, err := column.ParsePattern(form)
	if err != nil {
		return refuse(fault.TableDoesNotFit, "%s", fault.New(fault.TableDoesNotFit, "%s", err).Suggest(column.NearPattern(form)).Sentence())
	}
	c.Guess = infer.Guess{Column: column.Column{Name: name, Type: column.Date, Stored: column.StoredText, Pattern: pattern}, Share: 1}
	if pattern.HasTime() {
		c.Type = column.Datetime
	}
	if pattern.HasTime() && pattern.Suffix() == "Z" {
		c.Type = column.Instant
	}
	return nil
}

// hasFractions reports whether some number of a column is not whole.
func (l *loader) hasFractions(name string) bool {
	i := slices.Index(l.rows.header(), name)
	return slices.ContainsFunc(l.first, func(r row) bool {
		return i < len(r.fields) && strings.Trim(strings.TrimLeft(r.fields[i].String(), "-0123456789"), ".0") != ""
	})
}

// written is how the dates or numbers of the column are written in the file.
func (c field) written() string {
	switch {
	case c.numbers != nil:
		return c.numbers.source
	case c.Pattern.String() != "":
		return c.Pattern.String()
	case c.Type.IsDated():
		return string(c.Stored)
	}
	return ""
}

// plain gives the date cells of a row the ISO form that the table has.
func (l *loader) plain(r row) row {
	for i, v := range r.fields {
		if _, isCell := v.Float(); isCell {
			c := field{}
			if i < len(l.columns) {
				c = l.columns[i]
			}
			r.fields[i] = c.cell(v)
		}
	}
	return r
}

// cell is a field of a spreadsheet: of a date cell its day, with the time of day where
// cells of the column have one, however they are shown.
func (c field) cell(v value.Value) value.Value {
	serial, isCell := v.Float()
	if !isCell {
		return v
	}
	_, seconds, ok := (&column.Column{Type: column.Datetime, Stored: column.SerialDays}).Moment(v)
	switch {
	case !ok:
		return value.Chars(v.String())
	case c.timed || hasTime(serial):
		return value.Chars(iso(column.Datetime, seconds, ""))
	}
	return value.Chars(iso(column.Date, seconds, ""))
}

// hasTime reports whether a serial day has a time of day, to the second.
func hasTime(serial float64) bool {
	return math.Round((serial-math.Floor(serial))*civil.SecondsPerDay) != 0
}
