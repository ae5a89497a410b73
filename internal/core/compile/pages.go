package compile

import (
	"slices"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

// A page of records goes on from the last one of the page before, by the values that they are
// sorted by, so that it costs the same at any depth.

// sorted is a column that records are sorted by.
type sorted struct {
	column     *column.Column
	descending bool
	isKey      bool
}

// sorting is what a query is sorted by: the columns asked for, then those of the key that are
// not among them, then the ties, so that no two different records are in an order left to
// chance.
func (q Query) sorting(into []sorted) []sorted {
	add := func(s sorted) {
		if !slices.ContainsFunc(into, func(other sorted) bool { return other.column == s.column }) {
			into = append(into, s)
		}
	}
	for _, s := range q.Sort {
		add(sorted{s.Column, s.Descending, false})
	}
	for _, c := range q.Key {
		add(sorted{c, false, true})
	}
	for _, c := range q.Ties {
		add(sorted{c, false, false})
	}
	return into
}

// SortedBy are the columns whose values tell where in its order a record stands: those that the
// query is sorted by. It is nil where values as they are shown do not tell, as those of binary
// fractions and of texts that are turned into dates: then pages are found by counting rows.
func (q Query) SortedBy() []*column.Column {
	var all []*column.Column
	for _, s := range q.sorting(nil) {
		c := s.column
		switch {
		case c.EmptyMissing, c.IsExactText(), c.Type == column.Number, c.Type == column.YesNo, c.Type.IsDated() && !c.HasPlainBounds():
			return nil
		}
		all = append(all, c)
	}
	return all
}

// PlaceOf is the value of a row in the order as text, nil for a missing one; false for one that
// tells no place.
func PlaceOf(c *column.Column, v value.Value) (*string, bool) {
	if v.IsMissing() {
		return nil, true
	}
	text := v.String()
	return &text, IsPlace(c, text)
}

// IsPlace reports whether a column can be compared with a text of PlaceOf.
func IsPlace(c *column.Column, text string) bool {
	switch {
	case isNumber(c):
		_, err := decimal.NewFromString(text)
		return err == nil
	case c.Stored == column.Native:
		_, _, ok := c.Moment(value.Chars(text))
		return ok
	}
	return true
}

// isNumber reports whether a column's values are stored as numbers.
func isNumber(c *column.Column) bool {
	return c.Type.IsNumeric() || slices.Contains([]column.Stored{column.EightDigits, column.SerialDays, column.EpochSeconds, column.EpochMillis}, c.Stored)
}

// asPlace is a value of PlaceOf as its column is compared.
func asPlace(c *column.Column, text string) any {
	if n, err := decimal.NewFromString(text); isNumber(c) && err == nil {
		return Number(n)
	}
	return text
}

// whereAfter writes where the records come from, and which of them: those of the query that
// stand behind a place in its order. A bound by the first column stands in front of all other
// conditions: of several bounds SQLite lets an index begin at the first.
func (w *writer) whereAfter(q Query) {
	inside := w.source(q)
	w.WriteString("\nWHERE ")
	by := q.sorting(nil)
	first := by[0]
	if v := q.After[0]; v != nil {
		col := w.column(first.column)
		if w.mayMiss(q, col, first) {
			w.WriteByte('(')
			w.beyond(col, first, "=", *v)
			w.say(" OR ", col.missing, ")")
		} else {
			w.beyond(col, first, "=", *v)
		}
		w.WriteString("\n  AND ")
	}
	if q.Where != nil && !inside {
		w.node(q.Where, true)
		w.WriteString("\n  AND ")
	}
	w.after(q, by)
}

// after writes the condition that a record stands behind a place in the order: the values that
// the page before ended with, nil for missing ones.
func (w *writer) after(q Query, by []sorted) {
	w.WriteByte('(')
	for i, s := range by {
		if i > 0 {
			w.WriteString(" OR ")
		}
		w.WriteByte('(')
		for j, equal := range by[:i] {
			col := w.column(equal.column)
			if v := q.After[j]; v == nil {
				w.WriteString(col.missing)
			} else {
				w.say(sortText(col), " = ")
				w.bind(asPlace(equal.column, *v), col)
			}
			w.WriteString(" AND ")
		}
		col := w.column(s.column)
		switch v := q.After[i]; {
		case v == nil:
			w.WriteString("1 = 0") // nothing sorts behind a missing value
		case w.mayMiss(q, col, s):
			w.WriteByte('(')
			w.beyond(col, s, "", *v)
			w.say(" OR ", col.missing, ")")
		default:
			w.beyond(col, s, "", *v)
		}
		w.WriteByte(')')
	}
	w.WriteByte(')')
}

// beyond writes that a column sorts behind a value, or with it where orEqual is "=".
func (w *writer) beyond(col *columnSQL, s sorted, orEqual, v string) {
	operator := " >"
	if s.descending {
		operator = " <"
	}
	w.say(sortText(col), operator, orEqual, " ")
	w.bind(asPlace(s.column, v), col)
}

// sortText is what a column is sorted by.
func sortText(col *columnSQL) string {
	if col.Type.IsDated() {
		return col.stored
	}
	return col.value
}

func (w *writer) mayMiss(q Query, col *columnSQL, s sorted) bool {
	return !s.isKey && !col.NotNull && !q.Where.Excludes(s.column)
}
