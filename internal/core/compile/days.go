package compile

import (
	"strconv"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/summary"
	"pikegate/internal/core/value"
)

// Statements that count records by days, for calendars of counts, and that look for the
// records nearest to a period. They read no more than the days that they are about, where an
// index on the column serves.

// CountedDays is a row of OnDays: the records between two bounds, and those of them whose
// value can be read.
type CountedDays struct {
	Run           int // from 0
	All, Readable int64
}

// OnDays is the SELECT that counts records by runs of days that follow each other: from each
// start up to the next. Behind the last start there is no bound where that is not valid.
func (c *Compiler) OnDays(q Query, of *column.Column, starts []civil.Day) Statement {
	w := c.writer(q)
	col := w.column(of)
	for i := range len(starts) - 1 {
		w.counted(q, col, i, starts[i], starts[i+1])
	}
	return w.statement()
}

// OffDays is the SELECT of the records that OnDays does not count for days from one through
// another: run 0 has those before, run 1 those after, and run 2 those without a value. Where
// the days are not valid, run 0 has all that have a value.
func (c *Compiler) OffDays(q Query, of *column.Column, first, last civil.Day) Statement {
	w := c.writer(q)
	col := w.column(of)
	if !first.IsValid() {
		w.countedWhere(q, 0, col.readable[0][0], col.present)
	} else {
		w.counted(q, col, 0, 0, first)
		if next, ok := last.Next(); ok {
			w.counted(q, col, 1, next, 0)
		}
	}
	w.countedWhere(q, 2, "", col.missing)
	return w.statement()
}

// ReadCounted reads a row of OnDays or OffDays.
func ReadCounted(row []value.Value) CountedDays {
	run, _ := row[0].Int()
	all, _ := row[1].Int()
	readable, _ := row[2].Int()
	return CountedDays{int(run), all, readable}
}

// counted writes one SELECT of several: the records from one day up to another, either of
// which may be no bound.
func (w *writer) counted(q Query, col *columnSQL, run int, from, until civil.Day) {
	readable := col.readable[index(from.IsValid())][index(until.IsValid())]
	w.countedWhere(q, run, readable, "")
	joint := " AND "
	if q.Where == nil {
		joint = "\nWHERE "
	}
	if from.IsValid() {
		w.say(joint, col.stored, " >= ")
		w.bind(col.Bound(civil.StartOf(from), w.zone), col)
		joint = " AND "
	}
	if until.IsValid() {
		w.say(joint, col.stored, " < ")
		w.bind(col.Bound(civil.StartOf(until), w.zone), col)
	}
}

// countedWhere writes one SELECT of several, with a condition where there is one.
func (w *writer) countedWhere(q Query, run int, readable, condition string) {
	if w.Len() > 0 {
		w.WriteString("\nUNION ALL ")
	}
	w.say("SELECT ", strconv.Itoa(run), ", count(*), ")
	if readable == "" {
		w.WriteString("count(*)")
	} else {
		w.say("count(CASE WHEN ", readable, " THEN 1 END)")
	}
	open := w.where(q)
	switch {
	case condition == "":
	case open:
		w.say(" AND ", condition)
	default:
		w.say("\nWHERE ", condition)
	}
}

// The runs of ByDay that are none.
const (
	RunUnreadable = summary.Unreadable
	RunMissing    = summary.Missing
)

// ByDay is the SELECT that counts all records of a query in one pass, for columns that no
// index serves: the number of the run of days as in OnDays, or RunUnreadable or RunMissing,
// and a count. Values before the first start are counted to the first run, those from the
// last start on to the last.
func (c *Compiler) ByDay(q Query, of *column.Column, starts []civil.Day) Statement {
	w := c.writer(q)
	col := w.column(of)
	w.WriteString("SELECT ")
	w.notIn(col)
	var inner []civil.Day
	if len(starts) > 2 {
		inner = starts[1 : len(starts)-1]
	}
	w.unit(col, inner, 0, func(d civil.Day) { w.bind(of.Bound(civil.StartOf(d), w.zone), col) })
	w.WriteString(" END, count(*)")
	w.where(q)
	w.WriteString("\nGROUP BY 1")
	return w.statement()
}

// Neighbours is the SELECT of the records that lie nearest to an edge of a period, before it
// or, with later, from it on: the date as Compared reads it, and 1 where a record meets the
// conditions. An edge that is not set is the end of the data. At most so many are looked at.
func (c *Compiler) Neighbours(q Query, of *column.Column, edge civil.Edge, later bool, conditions *criteria.Bound, most int) Statement {
	conditions, q.Where = criteria.AllOf(q.Where, conditions), nil
	w := c.writer(q)
	col := w.column(of)
	readable := col.readable[index(edge.IsSet() && later)][index(edge.IsSet() && !later)]
	w.say("SELECT ", col.stored, ", CASE WHEN ")
	if readable == "" {
		readable = col.stored + " IS NOT NULL"
	}
	w.WriteString(readable)
	if conditions != nil {
		w.WriteString(" AND (")
		w.node(conditions, false)
		w.WriteByte(')')
	}
	w.WriteString(" THEN 1 ELSE 0 END")
	w.source(q)
	if edge.IsSet() {
		operator := " < "
		if later {
			operator = " >= "
		}
		w.say("\nWHERE ", col.stored, operator)
		w.bind(of.Bound(edge, w.zone), col)
	} else {
		w.say("\nWHERE ", col.stored, " IS NOT NULL")
	}
	w.say("\nORDER BY ", col.order[index(!later)][0])
	w.limit(int64(most), 0)
	return w.statement()
}

// FirstFew is the SELECT that counts the records of a query, and no more than so many.
func (c *Compiler) FirstFew(q Query, most int) Statement {
	w := c.writer(q)
	w.WriteString("SELECT count(*) FROM (SELECT 1 AS one")
	w.where(q)
	w.limit(int64(most), 0)
	w.say(") AS ", w.dialect.Name("few"))
	return w.statement()
}
