package compile

import (
	"fmt"
	"math"
	"slices"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/value"
)

// What a condition is in SQL, by the sort of its column; compile.go has the
// statements that conditions stand in.

func (w *writer) node(b *criteria.Bound, top bool) {
	if b.Logic == criteria.Condition {
		w.condition(b)
		return
	}
	joint := " AND "
	if top && b.Logic == criteria.All {
		joint = "\n  AND "
	} else if b.Logic != criteria.All {
		joint = " OR "
	}
	brackets := b.Logic == criteria.None || len(b.Nodes) > 1 && (!top || b.Logic == criteria.Any)
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
	if b.Logic == criteria.None {
		w.WriteString(isNotTrue)
	}
}

// isNotTrue makes the exact opposite of a condition, which holds where a value is
// missing: unknown is not true.
const isNotTrue = " IS NOT TRUE"

func (w *writer) condition(b *criteria.Bound) {
	if denied, ok := b.Op.Denies(); ok {
		positive := *b
		positive.Op = denied
		w.WriteByte('(')
		w.condition(&positive)
		w.say(")", isNotTrue)
		return
	}
	col := w.column(b.Column)
	switch {
	case b.Other != nil:
		w.columns(b)
	case b.Op == criteria.Missing:
		w.WriteString(col.missing)
	case b.Op == criteria.Present:
		w.WriteString(col.present)
	case b.Op == criteria.RecursIn || b.Op == criteria.ClockWithin:
		w.wall(b, col)
	case b.Column.Type.IsDated():
		w.spans(b, col)
	case b.Column.Type.IsNumeric():
		w.numbers(b, col)
	case b.Column.Type == column.YesNo:
		w.say(col.compared, " = ")
		w.bind(b.Truth, col)
	default:
		w.texts(b, col)
	}
}

// comparisons are the operators between two columns.
var comparisons = map[criteria.Op]string{criteria.Is: " = ", criteria.Before: " < ", criteria.From: " >= ", criteria.Through: " <= ", criteria.After: " > ",
	criteria.LessThan: " < ", criteria.AtMost: " <= ", criteria.AtLeast: " >= ", criteria.MoreThan: " > "}

// columns writes a comparison of two columns of the same type.
func (w *writer) columns(b *criteria.Bound) {
	var sides [2]string
	for i, c := range []*column.Column{b.Column, b.Other} {
		col := w.column(c)
		sides[i] = col.value
		switch {
		case c.Type.IsDated():
			var shifts []civil.Shift
			if c.Zone != nil {
				var ok bool
				if shifts, ok = w.shifts(c, time.UTC, false); !ok {
					return
				}
			}
			sides[i] = w.dialect.Comparable(col.Column, shifts)
		case b.IgnoreCase:
			sides[i] = w.dialect.Fold(col.value)
		}
		if readable := col.readable[0][0]; readable != "" {
			w.say(readable, " AND ")
		}
		if c.EmptyMissing {
			w.say(col.present, " AND ") // what is missing compares with nothing
		}
	}
	w.say(sides[0], comparisons[b.Op], sides[1])
}

// texts writes a comparison of a text with values.
func (w *writer) texts(b *criteria.Bound, col *columnSQL) {
	if b.Column.EmptyMissing && slices.Contains(b.Texts, "") {
		w.say(col.present, " AND ") // what is missing equals nothing
	}
	switch {
	case b.Op == criteria.StartsWith && !b.IgnoreCase: // as bounds, so that an index serves
		w.say(col.compared, " >= ")
		w.bind(b.Texts[0], col)
		if after := value.AfterPrefix(b.Texts[0]); after != "" {
			w.say(" AND ", col.compared, " < ")
			w.bind(after, col)
		}
	case b.IgnoreCase, b.Op == criteria.Contains, b.Op == criteria.EndsWith:
		w.WriteString(w.dialect.Holds(col.value, b.Op, b.Texts, b.IgnoreCase, w.plain))
	default:
		w.list(col, len(b.Texts), func(i int) any { return b.Texts[i] })
	}
}

func (w *writer) say(texts ...string) {
	for _, text := range texts {
		w.WriteString(text)
	}
}

// spans writes the bounds of each run of days.
func (w *writer) spans(b *criteria.Bound, col *columnSQL) {
	spans := b.Spans()
	if len(spans) > 1 {
		w.WriteByte('(')
	}
	for i, s := range spans {
		if i > 0 {
			w.WriteString(" OR ")
		}
		w.span(b.Column, s, col, len(spans) > 1)
	}
	if len(spans) > 1 {
		w.WriteByte(')')
	}
}

func (w *writer) span(c *column.Column, s criteria.Span, col *columnSQL, inner bool) {
	if s.Empty {
		w.WriteString("1 = 0")
		return
	}
	if texts, ok := textsOf(c, s); ok {
		w.list(col, len(texts), func(i int) any { return texts[i] })
		return
	}
	lower, upper := s.From.IsSet(), s.Until.IsSet()
	readable := col.readable[index(lower)][index(upper)]
	if c == w.sorted {
		readable = ""
	}
	parts := 0
	and := func(text, operator string) {
		if parts > 0 {
			w.WriteString(" AND ")
		}
		parts++
		w.say(text, operator)
	}
	brackets := inner && (lower && upper || readable != "")
	if brackets {
		w.WriteByte('(')
	}
	if lower {
		and(col.stored, " >= ")
		w.bind(c.Bound(s.From, w.zone), col)
	}
	if upper {
		and(col.stored, " < ")
		w.bind(c.Bound(s.Until, w.zone), col)
	}
	if readable != "" {
		and(readable, "")
	}
	if parts == 0 {
		and(col.stored, " IS NOT NULL")
	}
	if brackets {
		w.WriteByte(')')
	}
}

// mostListed is how many days of texts that do not sort by time are looked for as a list, which
// an index serves; more are found by converting every text.
const mostListed = 31

// textsOf are the texts of the days of a short span, for a column whose texts do not sort by
// time.
func textsOf(c *column.Column, s criteria.Span) ([]string, bool) {
	from, until := s.From.Day(), s.Until.Day()
	if c.Type != column.Date || c.HasPlainBounds() || !from.IsValid() || !until.IsValid() || until-from > mostListed {
		return nil, false
	}
	var all []string
	for d := from; d < until; d++ {
		texts, ok := c.Pattern.TextsOf(d)
		if !ok {
			return nil, false
		}
		all = append(all, texts...)
	}
	return all, len(all) > 0
}

// shifts lead from a column's stored seconds to wall times of a zone. Where no
// value can be read there are none, and what it writes instead never holds.
func (w *writer) shifts(c *column.Column, zone *time.Location, byDay bool) ([]civil.Shift, bool) {
	extent, ok := w.extents[c]
	if !ok {
		w.WriteString("1 = 0")
		return nil, false
	}
	return civil.Shifts(extent.First, extent.Last, c.Zone, zone, byDay), true
}

// wall writes a condition on the wall time of a column. It can use no index.
func (w *writer) wall(b *criteria.Bound, col *columnSQL) {
	var shifts []civil.Shift
	if b.Column.Type == column.Instant {
		var ok bool
		if shifts, ok = w.shifts(b.Column, w.zone, b.Op == criteria.RecursIn); !ok {
			return
		}
	}
	wall := w.dialect.Wall(col.Column, shifts)
	if readable := col.readable[0][0]; readable != "" {
		w.say(readable, " AND ")
	}
	if b.Op == criteria.RecursIn {
		part, values := b.Recurs.Part, b.Recurs.Values
		if part == criteria.Quarters {
			part, values = criteria.Months, monthsOf(values)
		}
		w.in(w.dialect.Part(wall, part), nil, len(values), func(i int) any { return int64(values[i]) })
		return
	}
	joint, shown := " AND ", w.dialect.Clock(wall)
	if b.Times.OverMidnight() {
		joint = " OR "
	}
	w.say("(", shown, " >= ")
	w.bind(civil.Clock(b.Times.From, true), nil)
	w.say(joint, shown, " < ")
	w.bind(civil.Clock(b.Times.Until, true), nil) // 24:00:00 is after every time of day
	w.WriteByte(')')
}

// monthsOf are the months of quarters.
func monthsOf(quarters []int) []int {
	var months []int
	for _, q := range quarters {
		months = append(months, 3*q-2, 3*q-1, 3*q)
	}
	return months
}

func (w *writer) numbers(b *criteria.Bound, col *columnSQL) {
	bound := func(operator string, n decimal.Decimal, lower bool) {
		w.say(col.compared, operator)
		w.bind(col.number(n), col)
		if readable := col.readable[index(lower)][index(!lower)]; readable != "" {
			w.say(" AND ", readable)
		}
	}
	switch b.Op {
	case criteria.AtLeast:
		bound(" >= ", b.Numbers[0], true)
	case criteria.MoreThan:
		bound(" > ", b.Numbers[0], true)
	case criteria.AtMost:
		bound(" <= ", b.Numbers[0], false)
	case criteria.LessThan:
		bound(" < ", b.Numbers[0], false)
	case criteria.Within:
		if b.Lower != nil {
			bound(" >= ", *b.Lower, true)
		}
		if b.Lower != nil && b.Upper != nil {
			w.WriteString(" AND ")
		}
		if b.Upper != nil {
			bound(" <= ", *b.Upper, false)
		}
	default:
		w.list(col, len(b.Numbers), func(i int) any { return col.number(b.Numbers[i]) })
	}
}

// mostPlaceholders is how many values go to the engine one by one; more go as one
// JSON array.
const mostPlaceholders = 50

// list writes a condition that a column is one of n values.
func (w *writer) list(col *columnSQL, n int, val func(int) any) {
	if n <= mostPlaceholders {
		w.in(col.compared, col, n, val)
		return
	}
	array, whole := []byte{'['}, true
	for i := range n {
		if i > 0 {
			array = append(array, ',')
		}
		v := val(i)
		_, isWhole := v.(int64)
		whole = whole && isWhole
		array = value.AppendJSON(array, fmt.Sprint(v))
	}
	w.WriteString(w.dialect.Many(col.Column, whole, w.plain(string(append(array, ']')))))
}

func (w *writer) in(left string, of *columnSQL, n int, val func(int) any) {
	w.WriteString(left)
	if n == 1 {
		w.WriteString(" = ")
		w.bind(val(0), of)
		return
	}
	w.WriteString(" IN (")
	for i := range n {
		if i > 0 {
			w.WriteString(", ")
		}
		w.bind(val(i), of)
	}
	w.WriteByte(')')
}

// number is a number as it is compared with the column.
func (c *columnSQL) number(n decimal.Decimal) any {
	if c.IsExactText() {
		return value.DecimalKey(n.String())
	}
	return Number(n)
}

// Number is a decimal as a bound value: an int64 where it is whole and fits.
func Number(d decimal.Decimal) any {
	if d.IsInteger() && d.Abs().LessThanOrEqual(decimal.NewFromInt(math.MaxInt64)) {
		return d.IntPart()
	}
	return d
}
