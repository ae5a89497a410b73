// Package compile turns a query with its answers in place into one SELECT and
// the values bound to it. Values are never spliced into the text.
//
// Days become bounds in the stored form of their column: the bounds are
// transformed and the column stands as it is, so that an index on it serves.
// What differs between engines is in a Dialect, one to a file.
package compile

import (
	"math"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/criteria"
	"pikegate/internal/core/record"
)

// Query is what to select.
type Query struct {
	Table string
	Show  []*record.Column // at least one
	Where *criteria.Bound  // nil for all records
	Sort  []criteria.Sort
	Key   []*record.Column // the last tie-breaker, ascending
	Zone  *time.Location   // that days are taken in
	Limit int              // most rows; 0 for all
	Skip  int              // rows to leave out first
}

// Statement is SQL with its bound values in order: int64, float64 or string.
type Statement struct {
	SQL  string
	Args []any
}

// Dialect is what differs between engines.
//
//   - Name quotes an identifier, whatever it holds.
//   - Param is the placeholder of the n-th value, from 1.
//   - Stored is what the bounds of a dated column are compared with: the column
//     as it is wherever that sorts by time, so that an index serves, else the
//     value in ISO form, missing where it is unreadable.
//   - Readable is a condition that the column's stored value fits its stored
//     form, for values that the bounds alone would let through; "" where there
//     are none. lower and upper say which bounds there are.
//   - Order is a sort by one column with missing values last either way;
//     mayMiss says whether the result can hold missing ones.
type Dialect interface {
	Name(name string) string
	Param(n int) string
	Stored(c *record.Column) string
	Readable(c *record.Column, lower, upper bool) string
	Order(c *record.Column, descending, mayMiss bool) string
}

// writer builds one statement.
type writer struct {
	strings.Builder
	args    []any
	dialect Dialect
	zone    *time.Location
}

// Select is the SELECT that returns the records in order.
func Select(q Query, d Dialect) Statement {
	w := writer{dialect: d, zone: q.Zone}
	w.Grow(512)
	w.WriteString("SELECT ")
	for i, c := range q.Show {
		if i > 0 {
			w.WriteString(", ")
		}
		w.WriteString(d.Name(c.Name))
	}
	w.from(q)
	w.WriteString("\nORDER BY ")
	w.order(q)
	if q.Limit > 0 {
		w.WriteString("\nLIMIT ")
		w.bind(int64(q.Limit))
		if q.Skip > 0 {
			w.WriteString(" OFFSET ")
			w.bind(int64(q.Skip))
		}
	}
	return Statement{SQL: w.String(), Args: w.args}
}

// Count is the SELECT that counts the records that Select returns without its
// limit.
func Count(q Query, d Dialect) Statement {
	w := writer{dialect: d, zone: q.Zone}
	w.WriteString("SELECT count(*)")
	w.from(q)
	return Statement{SQL: w.String(), Args: w.args}
}

func (w *writer) from(q Query) {
	w.WriteString("\nFROM ")
	w.WriteString(w.dialect.Name(q.Table))
	if q.Where != nil {
		w.WriteString("\nWHERE ")
		w.node(q.Where, true)
	}
}

// order sorts by the columns asked for, then by those of the key that are not
// among them, so that no two records are in an order left to chance.
func (w *writer) order(q Query) {
	sorted := make(map[*record.Column]bool, len(q.Sort)+len(q.Key))
	add := func(c *record.Column, descending, isKey bool) {
		if sorted[c] {
			return
		}
		if len(sorted) > 0 {
			w.WriteString(", ")
		}
		sorted[c] = true
		w.WriteString(w.dialect.Order(c, descending, !isKey && !q.Where.Excludes(c)))
	}
	for _, s := range q.Sort {
		add(s.Column, s.Descending, false)
	}
	for _, c := range q.Key {
		add(c, false, true)
	}
}

func (w *writer) bind(v any) {
	w.args = append(w.args, v)
	w.WriteString(w.dialect.Param(len(w.args)))
}

func (w *writer) node(b *criteria.Bound, top bool) {
	if b.Logic == criteria.Condition {
		w.condition(b)
		return
	}
	joint := " AND "
	if top && b.Logic == criteria.All {
		joint = "\n  AND "
	} else if b.Logic == criteria.Any {
		joint = " OR "
	}
	brackets := len(b.Nodes) > 1 && (!top || b.Logic == criteria.Any)
	if brackets {
		w.WriteByte('(')
	}
	for i, n := range b.Nodes {
		if i > 0 {
			w.WriteString(joint)
		}
		w.node(n, false)
	}
	if brackets {
		w.WriteByte(')')
	}
}

func (w *writer) condition(b *criteria.Bound) {
	name := w.dialect.Name(b.Column.Name)
	switch {
	case b.Op == criteria.Missing:
		w.WriteString(name + " IS NULL")
	case b.Op == criteria.Present:
		w.WriteString(name + " IS NOT NULL")
	case b.Column.Type.IsDated():
		w.spans(b, w.dialect.Stored(b.Column))
	case b.Column.Type.IsNumeric():
		w.numbers(b, name)
	default:
		w.list(name, len(b.Texts), func(i int) any { return b.Texts[i] })
	}
}

// spans writes the bounds of each run of days.
func (w *writer) spans(b *criteria.Bound, name string) {
	spans := b.Spans()
	if len(spans) > 1 {
		w.WriteByte('(')
	}
	for i, s := range spans {
		if i > 0 {
			w.WriteString(" OR ")
		}
		w.span(b.Column, s, name, len(spans) > 1)
	}
	if len(spans) > 1 {
		w.WriteByte(')')
	}
}

func (w *writer) span(c *record.Column, s criteria.Span, name string, inner bool) {
	if s.Empty {
		w.WriteString("1 = 0")
		return
	}
	lower, upper := s.From.IsValid(), s.Until.IsValid()
	readable := w.dialect.Readable(c, lower, upper)
	parts := 0
	and := func(text string) {
		if parts > 0 {
			w.WriteString(" AND ")
		}
		parts++
		w.WriteString(text)
	}
	brackets := inner && (lower && upper || readable != "")
	if brackets {
		w.WriteByte('(')
	}
	if lower {
		and(name + " >= ")
		w.bind(c.Bound(s.From, w.zone))
	}
	if upper {
		and(name + " < ")
		w.bind(c.Bound(s.Until, w.zone))
	}
	if readable != "" {
		and(readable)
	}
	if parts == 0 {
		and(name + " IS NOT NULL")
	}
	if brackets {
		w.WriteByte(')')
	}
}

func (w *writer) numbers(b *criteria.Bound, name string) {
	switch b.Op {
	case criteria.AtLeast:
		w.WriteString(name + " >= ")
		w.bind(number(b.Numbers[0]))
		if readable := w.dialect.Readable(b.Column, true, false); readable != "" {
			w.WriteString(" AND " + readable)
		}
	case criteria.AtMost:
		w.WriteString(name + " <= ")
		w.bind(number(b.Numbers[0]))
	default:
		w.list(name, len(b.Numbers), func(i int) any { return number(b.Numbers[i]) })
	}
}

func (w *writer) list(name string, n int, value func(int) any) {
	w.WriteString(name)
	if n == 1 {
		w.WriteString(" = ")
		w.bind(value(0))
		return
	}
	w.WriteString(" IN (")
	for i := range n {
		if i > 0 {
			w.WriteString(", ")
		}
		w.bind(value(i))
	}
	w.WriteByte(')')
}

// number is a decimal as a bound value: an int64 where it is whole and fits,
// else the float64 nearest to it.
func number(d decimal.Decimal) any {
	if d.IsInteger() && d.Abs().LessThanOrEqual(decimal.NewFromInt(math.MaxInt64)) {
		return d.IntPart()
	}
	return d.InexactFloat64()
}
