package compile

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/summary"
	"pikegate/internal/core/value"
)

// Summarise is the SELECT that counts the groups of a summary. units are the units of the calendar of
// each group by units, which all its dates are in; Counted reads its rows. Several of them can be of
// one group.
func (c *Compiler) Summarise(q Query, s *summary.Spec, units [][]civil.Period) Statement {
	w := c.writer(q)
	w.WriteString("SELECT ")
	for i, g := range s.Groups {
		col := w.column(g.Of)
		dated := g.By != summary.Values && !isByDay(s, g) && !q.hasDates(g.Of)
		if dated {
			w.notIn(col)
		}
		switch {
		case g.By == summary.Values:
			w.present(col)
		case isByDay(s, g):
			w.day(col)
		case g.By.Comes():
			w.partOf(col, g.By)
		default:
			w.unitOf(col, units[i])
		}
		if dated {
			w.WriteString(" END")
		}
		w.WriteString(", ")
	}
	w.WriteString("count(*)")
	for _, f := range s.Figures {
		if f.Of != nil {
			w.figure(f, q.Doubted)
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
	return w.statement()
}

// SortOut has the records of a summary not held to be days where it groups them by their days, within
// a period of them: the groups of what is no day are to be left out instead. It tells the place of that
// group, -1 where there is none such.
func (q *Query) SortOut(s *summary.Spec) int {
	for i, g := range s.Groups {
		if !isByDay(s, g) || slices.ContainsFunc(s.Figures, func(f summary.Figure) bool { return f.Of == g.Of }) {
			continue
		}
		on, plain := 0, 0
		q.Where.Walk(func(b *criteria.Bound) {
			if b.Column == g.Of || b.Other == g.Of {
				on++
			}
		})
		for _, b := range q.Where.Together() {
			if isPeriodOn(b, g.Of) {
				plain++
			}
		}
		if on == 1 && plain == 1 {
			q.Sorted = g.Of
			return i
		}
	}
	return -1
}

// isPeriodOn reports whether a condition holds for some days of a column alone.
func isPeriodOn(b *criteria.Bound, c *column.Column) bool {
	return b.Logic == criteria.Condition && b.Column == c && b.Other == nil && (b.Op == criteria.Within || b.Op == criteria.Is || b.Op == criteria.AnyOf)
}

// hasDates reports whether the criteria leave only records that have a date in a column.
func (q Query) hasDates(c *column.Column) bool {
	return slices.ContainsFunc(q.Where.Together(), func(b *criteria.Bound) bool { return isPeriodOn(b, c) })
}

// isByDay reports whether a group by units is counted by its days as they are stored, since that is
// fast, and these are put into their units when they are read. Different values of several days, or of
// several texts that are no day, do not add up.
func isByDay(s *summary.Spec, g summary.Group) bool {
	distinct := slices.ContainsFunc(s.Figures, func(f summary.Figure) bool { return f.Kind == summary.CountDistinct })
	return !g.By.Comes() && isCountedByDay(g.Of) && !distinct
}

// isCountedByDay reports whether the records of a column's days can be counted by its values as they are
// stored: each is a day and nothing more, and they sort by time.
func isCountedByDay(c *column.Column) bool { return c.HoldsWholeDays() && c.HasPlainBounds() }

// day writes a day as it is stored. Texts are told apart by all their characters.
func (w *writer) day(col *columnSQL) {
	if col.Stored != column.StoredText {
		w.WriteString(col.value)
		return
	}
	w.WriteString(w.dialect.Value(Column{&column.Column{Name: col.Name, Type: column.Text}, col.Fact}))
}

// present writes the value of a column, missing where it is taken for missing.
func (w *writer) present(col *columnSQL) {
	if col.EmptyMissing {
		w.say("CASE WHEN ", col.present, " THEN ", col.value, " END")
	} else {
		w.WriteString(col.value)
	}
}

// unitOf writes the number of the unit that a date is in.
func (w *writer) unitOf(col *columnSQL, units []civil.Period) {
	var starts []civil.Day
	for _, u := range units {
		starts = append(starts, u.First)
	}
	if len(starts) > 0 {
		starts = starts[1:]
	}
	w.unit(col, starts, 0, func(d civil.Day) { w.bind(col.Bound(civil.StartOf(d), w.zone), col) })
}

// partOf writes the number of the part of the calendar or of the day that a date is in.
func (w *writer) partOf(col *columnSQL, by summary.By) {
	var shifts []civil.Shift
	if col.Type == column.Instant {
		extent, ok := w.extents[col.Column.Column]
		if !ok { // no value can be read
			w.say("CASE WHEN ", col.missing, " THEN ", strconv.Itoa(RunMissing), " ELSE ", strconv.Itoa(RunUnreadable), " END")
			return
		}
		shifts = civil.Shifts(extent.First, extent.Last, col.Zone, w.zone, by != summary.HourOfDay)
	}
	wall := w.dialect.Wall(col.Column, shifts)
	switch by {
	case summary.Weekday:
		w.say("(", w.dialect.Part(wall, criteria.Weekdays), " + 6) % 7") // from Monday
	case summary.MonthOfYear:
		w.say(w.dialect.Part(wall, criteria.Months), " - 1")
	default:
		w.say("CAST(substr(", w.dialect.Clock(wall), ", 1, 2) AS ", w.dialect.Integer(), ")")
	}
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

// figure writes what a figure is worked out from: its value, or its sum; how many values it is of,
// where that can be less than how many are there; and how many are there.
func (w *writer) figure(f summary.Figure, doubted bool) {
	col := w.column(f.Of)
	readable := w.taken(f, doubted)
	of := func(expression string) string {
		if readable == "" {
			return expression
		}
		return fmt.Sprintf("CASE WHEN %s THEN %s END", readable, expression)
	}
	switch f.Kind {
	case summary.CountDistinct:
		w.say(", count(DISTINCT CASE WHEN ", col.present, " THEN ", col.value, " END)")
	case summary.Sum, summary.Average:
		if col.sums.all != "" {
			w.say(", ", col.sums.all)
			return
		}
		w.say(", sum(", of(col.sums.amount), ")")
	default:
		val := col.value
		if col.Type.IsDated() {
			val = col.stored
		}
		w.say(", ", map[summary.Kind]string{summary.Least: "min", summary.Greatest: "max"}[f.Kind], "(", of(val), ")")
	}
	if readable != "" {
		w.say(", count(", of("1"), ")")
	}
	if col.EmptyMissing {
		w.say(", count(CASE WHEN ", col.present, " THEN 1 END)")
	} else {
		w.say(", count(", w.dialect.Name(col.Name), ")")
	}
}

// taken is the condition that a figure takes a value of its column, "" where it takes all that are
// there, as long as nobody doubts it.
func (c *Compiler) taken(f summary.Figure, doubted bool) string {
	col := c.column(f.Of)
	readable := col.readable[0][0]
	if f.Kind == summary.Sum || f.Kind == summary.Average {
		if fits := col.sums.fits; fits != "" {
			if readable = fits; col.sums.tells && !doubted {
				readable = ""
			}
		}
	}
	switch {
	case f.Kind == summary.CountDistinct:
		return ""
	case readable == "" && col.Type.IsDated():
		return col.stored + " IS NOT NULL" // which is missing where it cannot be read
	case readable == "" && col.EmptyMissing:
		return col.present
	}
	return readable
}

// ErrDoubted is a sum that is no number, since a value in it is none: the summary is to be read again,
// Doubted, which leaves such values out and counts them.
var ErrDoubted = errors.New("a sum is no number")

// Counting reads the rows of Summarise.
type Counting struct {
	compiler *Compiler
	doubted  bool
	spec     *summary.Spec
	units    [][]civil.Period
	row      []value.Value // what is left of the one at hand
	// Memory for the groups to come: a piece for each would cost more than reading it.
	keys  []summary.Key
	parts []summary.Part
}

// atOnce is how many groups memory is made for.
const atOnce = 256

// Counting reads the rows of a summary; units are those of each group by dates.
func (c *Compiler) Counting(q Query, s *summary.Spec, units [][]civil.Period) *Counting {
	return &Counting{compiler: c, doubted: q.Doubted, spec: s, units: units}
}

// Group reads a row; ErrDoubted where that has to be asked again.
func (r *Counting) Group(row []value.Value) (counted summary.Counted, err error) {
	s := r.spec
	if len(r.keys) < len(s.Groups) || len(r.parts) < len(s.Figures) {
		r.keys, r.parts = make([]summary.Key, atOnce*len(s.Groups)), make([]summary.Part, atOnce*len(s.Figures))
	}
	counted.Keys, r.keys = r.keys[:len(s.Groups):len(s.Groups)], r.keys[len(s.Groups):]
	counted.Parts, r.parts = r.parts[:len(s.Figures):len(s.Figures)], r.parts[len(s.Figures):]
	r.row = row
	for i, g := range s.Groups {
		k := &counted.Keys[i]
		switch {
		case g.By == summary.Values:
			k.Value = r.next().Clone()
		case isByDay(s, g):
			if k.Unit, err = unitHolding(g, r.units[i], r.next()); err != nil {
				return counted, err
			}
		default:
			k.Unit = int(r.number())
		}
	}
	counted.Records = r.number()
	for i, f := range s.Figures {
		if f.Of != nil {
			if err := r.part(f, counted.Records, &counted.Parts[i]); err != nil {
				return counted, err
			}
		}
	}
	return counted, nil
}

func (r *Counting) next() value.Value {
	v := r.row[0]
	r.row = r.row[1:]
	return v
}

func (r *Counting) number() int64 {
	n, _ := r.next().Int()
	return n
}

// part reads what a figure is worked out from.
func (r *Counting) part(f summary.Figure, records int64, p *summary.Part) (err error) {
	c := r.compiler
	switch v := r.next(); {
	case f.Kind == summary.CountDistinct:
		p.Taken, _ = v.Int()
		p.Missing = records - r.number()
		return nil
	case f.Kind == summary.Least || f.Kind == summary.Greatest:
		p.Value = v.Clone()
	default:
		if sums := c.column(f.Of).sums; sums.all != "" {
			*p, err = summedUp(v.String(), sums.allShifted, records)
			return err
		}
		if p.Value, p.Sum, err = c.sum(f.Of, v); err != nil {
			return err
		}
	}
	some := c.taken(f, r.doubted) != ""
	if some {
		p.Taken = r.number()
	}
	there := r.number()
	if p.Missing = records - there; !some {
		p.Taken = there
	}
	p.Unreadable = there - p.Taken
	return nil
}

// summedUp reads what is told of a sum in one text.
func summedUp(text string, shifted int, records int64) (p summary.Part, err error) {
	units, counts, _ := strings.Cut(text, " ")
	sum, err := decimal.NewFromString(units)
	if err == nil {
		_, err = fmt.Sscan(counts, &p.Taken, &p.Missing)
	}
	if err != nil {
		return p, fmt.Errorf("this is no sum with its counts: %q", text)
	}
	p.Sum = sum.Shift(-int32(shifted))
	p.Unreadable = records - p.Taken - p.Missing
	return p, nil
}

// unitHolding is the number of the unit that a stored day is in.
func unitHolding(g summary.Group, units []civil.Period, stored value.Value) (int, error) {
	if stored.IsMissing() {
		return summary.Missing, nil
	}
	day, _, ok := g.Of.Moment(stored)
	if !ok {
		return summary.Unreadable, nil
	}
	at, _ := slices.BinarySearchFunc(units, day, func(u civil.Period, d civil.Day) int { return cmp.Compare(u.Last, d) })
	if at == len(units) || units[at].First > day {
		return 0, fmt.Errorf("%s has %s, which is in none of the units that are counted", g.Of.Label, day)
	}
	return at, nil
}

// sum reads a sum: of binary fractions as one, of other numbers exactly; ErrDoubted where it is none.
func (c *Compiler) sum(of *column.Column, v value.Value) (fraction value.Value, exact decimal.Decimal, err error) {
	if v.IsMissing() {
		if of.Type == column.Number {
			return value.Real(0), exact, nil
		}
		return fraction, exact, nil
	}
	if f, ok := v.Float(); ok && of.Type == column.Number {
		if math.IsNaN(f) || math.IsInf(f, 0) {
			return fraction, exact, fmt.Errorf("%w: %s comes to %v", ErrDoubted, of.Label, f)
		}
		return value.Real(f), exact, nil
	}
	if exact, err = summary.Exactly(v); err != nil {
		return fraction, exact, fmt.Errorf("%w: %s comes to %q", ErrDoubted, of.Label, v.String())
	}
	if of.Type == column.Number {
		return value.Real(exact.InexactFloat64()), exact, nil
	}
	return fraction, exact.Shift(-int32(c.column(of).sums.shifted)), nil
}
