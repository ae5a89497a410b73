package compile

import (
	"fmt"
	"strconv"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/summary"
	"pikegate/internal/core/value"
)

// Summarise is the SELECT that counts the groups of a summary, at most so many. units are the units
// of the calendar of each group by units, which all its dates are in; Counted reads its rows.
func (c *Compiler) Summarise(q Query, s *summary.Spec, units [][]civil.Period, most int) Statement {
	w := c.writer(q)
	w.WriteString("SELECT ")
	for i, g := range s.Groups {
		if col := w.column(g.Of); g.By != civil.NoUnit {
			w.unitOf(col, units[i])
		} else {
			w.present(col)
		}
		w.WriteString(", ")
	}
	w.WriteString("count(*)")
	for _, f := range s.Figures {
		if f.Kind != summary.Count {
			w.figure(f)
		}
	}
	w.where(q)
	for i := range s.Groups {
		if i == 0 {
			w.WriteString("\nGROUP BY ")
		} else {
			w.WriteString(", ")
		}
		w.WriteString(strconv.Itoa(i + 1))
	}
	w.WriteString("\nLIMIT ")
	w.bind(int64(most), nil)
	return w.statement()
}

// present writes the value of a column, missing where it is taken for missing.
func (w *writer) present(col *columnSQL) {
	if col.EmptyMissing {
		w.say("CASE WHEN ", col.present, " THEN ", col.value, " END")
	} else {
		w.WriteString(col.value)
	}
}

// unitOf writes the number of the unit that a date is in, or that it is in none.
func (w *writer) unitOf(col *columnSQL, units []civil.Period) {
	w.notIn(col)
	var starts []civil.Day
	for _, u := range units {
		starts = append(starts, u.First)
	}
	if len(starts) > 0 {
		starts = starts[1:]
	}
	w.unit(col, starts, 0, func(d civil.Day) { w.bind(col.Bound(civil.StartOf(d), w.zone), col) })
	w.WriteString(" END")
}

// notIn writes the start of a CASE for dates that are missing or unreadable, up to its ELSE.
func (w *writer) notIn(col *columnSQL) {
	w.say("CASE WHEN ", col.missing, " THEN ", strconv.Itoa(RunMissing))
	if readable := col.readable[0][0]; readable != "" {
		w.say(" WHEN (", readable, ")", isNotTrue, " THEN ", strconv.Itoa(RunUnreadable))
	} else {
		w.say(" WHEN ", col.stored, " IS NULL THEN ", strconv.Itoa(RunUnreadable))
	}
	w.WriteString(" ELSE ")
}

// figure writes what a figure is worked out from: its value, or its sum and how many values it is
// of; then how many are missing.
func (w *writer) figure(f summary.Figure) {
	col := w.column(f.Of)
	readable := col.readable[0][0]
	if readable == "" {
		readable = col.present
	}
	of := func(expression string) string { return fmt.Sprintf("CASE WHEN %s THEN %s END", readable, expression) }
	switch f.Kind {
	case summary.CountDistinct:
		w.say(", count(DISTINCT CASE WHEN ", col.present, " THEN ", col.value, " END)")
	case summary.Sum, summary.Average:
		amount, fits := w.dialect.Amount(col.Column)
		if fits != "" {
			readable = fits
		}
		w.say(", sum(", of(amount), "), count(", of("1"), ")")
	default:
		val := col.value
		if col.Type.IsDated() {
			val = col.stored
		}
		w.say(", ", map[summary.Kind]string{summary.Least: "min", summary.Greatest: "max"}[f.Kind], "(", of(val), "), count(", of("1"), ")")
	}
	w.say(", count(CASE WHEN ", col.missing, " THEN 1 END)")
}

// Counted reads a row of Summarise.
func (c *Compiler) Counted(s *summary.Spec, row []value.Value) (counted summary.Counted, err error) {
	next := func() value.Value {
		v := row[0]
		row = row[1:]
		return v
	}
	number := func() int64 {
		n, _ := next().Int()
		return n
	}
	for _, g := range s.Groups {
		k := summary.Key{}
		if g.By == civil.NoUnit {
			k.Value = next().Clone()
		} else {
			k.Unit = int(number())
		}
		counted.Keys = append(counted.Keys, k)
	}
	counted.Records = number()
	for _, f := range s.Figures {
		var p summary.Part
		switch f.Kind {
		case summary.Count:
		case summary.CountDistinct:
			p.Taken, p.Missing = number(), number()
		case summary.Sum, summary.Average:
			if p.Value, p.Sum, err = c.sum(f.Of, next()); err != nil {
				return counted, err
			}
			p.Taken, p.Missing = number(), number()
			p.Unreadable = counted.Records - p.Taken - p.Missing
		default:
			p.Value = next().Clone()
			p.Taken, p.Missing = number(), number()
			p.Unreadable = counted.Records - p.Taken - p.Missing
		}
		counted.Parts = append(counted.Parts, p)
	}
	return counted, nil
}

// sum reads a sum: of binary fractions as one, of other numbers exactly.
func (c *Compiler) sum(of *column.Column, v value.Value) (fraction value.Value, exact decimal.Decimal, err error) {
	if v.IsMissing() {
		if of.Type == column.Number {
			return value.Real(0), exact, nil
		}
		return fraction, exact, nil
	}
	if f, ok := v.Float(); ok && of.Type == column.Number {
		return value.Real(f), exact, nil
	}
	if exact, err = decimal.NewFromString(v.String()); err != nil {
		return fraction, exact, fmt.Errorf("the sum of %s is no number: %q", of.Label, v.String())
	}
	if of.Type == column.Number {
		return value.Real(exact.InexactFloat64()), exact, nil
	}
	return fraction, exact.Shift(-int32(c.dialect.Shifted(Column{Column: of}))), nil
}
