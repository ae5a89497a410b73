package compile

import (
	"slices"
	"strconv"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/customsql"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/value"
)

// Statements that count for evidence. They run on the query's dataset and look at no
// more than its criteria; what is shown, the order and the limit play no part.

// HasCriteriaInside reports whether the criteria stand within custom SQL, where
// records are not yet what the dataset has: then they cannot be counted in one pass.
func (c *Compiler) HasCriteriaInside() bool {
	return slices.ContainsFunc(c.from.SQL, func(p customsql.Piece) bool { return p.Name == customsql.CriteriaName })
}

// Tally is the SELECT that counts all records in the groups of a plan: class, passed,
// records, and the least and the greatest of the dated column as Compared reads them.
// The query's criteria are those of the dataset itself.
func (c *Compiler) Tally(q Query, p evidence.Plan) Statement {
	w := c.writer(q)
	w.WriteString("SELECT ")
	w.class(p)
	return w.tally(q, p)
}

// tally writes the rest of a Tally, behind its class.
func (w *writer) tally(q Query, p evidence.Plan) Statement {
	w.WriteString(", ")
	w.passed(p.Steps)
	w.WriteString(", count(*)")
	if p.Dated != nil {
		stored := w.column(p.Dated).stored
		w.say(", min(", stored, "), max(", stored, ")")
	}
	w.where(q)
	w.WriteString("\nGROUP BY 1, 2")
	return w.statement()
}

// ReadGroups makes what reads the rows of a Tally.
func ReadGroups(p evidence.Plan) func(row []value.Value) []evidence.Group {
	return func(row []value.Value) []evidence.Group { return []evidence.Group{readGroup(row, p)} }
}

func readGroup(row []value.Value, p evidence.Plan) evidence.Group {
	class, _ := row[0].Int()
	passed, _ := row[1].Int()
	records, _ := row[2].Int()
	g := evidence.Group{Class: evidence.Class(class), Passed: int(passed), Records: records}
	if p.Dated != nil && g.Class != evidence.Missing && g.Class != evidence.Unreadable {
		of := p.Dated.Compared()
		_, first, ok := of.Moment(row[3])
		_, last, also := of.Moment(row[4])
		g.Span = evidence.Span{First: first, Last: last, Any: ok && also}
	}
	return g
}

// mostByDay is how many conditions there are at most beside the period where it is counted by its days:
// there each of them is looked at once for itself and once for each that follows.
const mostByDay = 3

// TallyInside is the SELECT that counts the records of a plan's period, which the query's criteria
// have, in the groups of the plan. read is what a row of it comes to. Days are counted as they are
// stored, and those that are none are left out when they are read, where that is the faster way.
func (c *Compiler) TallyInside(q Query, p evidence.Plan) (s Statement, read func(row []value.Value) []evidence.Group) {
	if len(p.Steps) > mostByDay || !isCountedByDay(p.Dated) {
		w := c.writer(q)
		w.say("SELECT ", number(evidence.Inside))
		return w.tally(q, p), ReadGroups(p)
	}
	q.Sorted = p.Dated
	w := c.writer(q)
	w.WriteString("SELECT ")
	w.day(w.column(p.Dated))
	w.WriteString(", count(*)")
	for i := range p.Steps {
		w.passing(criteria.AllOf(p.Steps[:i+1]...))
	}
	w.where(q)
	w.WriteString("\nGROUP BY 1")
	return w.statement(), func(row []value.Value) []evidence.Group { return groupsOfDay(row, p) }
}

// groupsOfDay are the groups of a day of the period; none where the row is of what is no day.
func groupsOfDay(row []value.Value, p evidence.Plan) (groups []evidence.Group) {
	_, seconds, ok := p.Dated.Moment(row[0])
	if !ok {
		return nil
	}
	for passed := range len(row) - 1 {
		records, _ := row[1+passed].Int()
		if passed < len(p.Steps) {
			further, _ := row[2+passed].Int()
			records -= further
		}
		if records > 0 {
			groups = append(groups, evidence.Group{Class: evidence.Inside, Passed: passed, Records: records, Span: evidence.Span{First: seconds, Last: seconds, Any: true}})
		}
	}
	return groups
}

// class writes the number of the class that a record is in.
func (w *writer) class(p evidence.Plan) {
	if p.Dated == nil {
		w.WriteString(number(evidence.Inside))
		return
	}
	col := w.column(p.Dated)
	w.say("CASE WHEN ", col.missing, " THEN ", number(evidence.Missing))
	if readable := col.readable[0][0]; readable != "" {
		w.say(" WHEN (", readable, ")", isNotTrue, " THEN ", number(evidence.Unreadable))
	} else {
		w.say(" WHEN ", col.stored, " IS NULL THEN ", number(evidence.Unreadable))
	}
	when := func(operator string, edge civil.Edge, class evidence.Class) {
		w.say(" WHEN ", col.stored, operator)
		w.bind(p.Dated.Bound(edge, w.zone), col)
		w.say(" THEN ", number(class))
	}
	last := evidence.Inside
	if p.Period != nil {
		span := p.Period.Hull()
		if span.From.IsSet() {
			when(" < ", span.From, evidence.Before)
		}
		if span.Until.IsSet() {
			when(" >= ", span.Until, evidence.After)
		}
		if span.Empty {
			last = evidence.Before // there is no day after the last
		}
		if len(p.Period.Periods) > 1 {
			w.WriteString(" WHEN ")
			w.spans(p.Period, col)
			w.say(" THEN ", number(evidence.Inside))
			last = evidence.Between
		}
	}
	w.say(" ELSE ", number(last), " END")
}

// passed writes how many of the conditions a record passes before it fails one.
func (w *writer) passed(steps []*criteria.Bound) {
	if len(steps) == 0 {
		w.WriteString("0")
		return
	}
	w.WriteString("CASE")
	for i, step := range steps {
		w.WriteString(" WHEN (")
		w.node(step, false)
		w.say(")", isNotTrue, " THEN ", strconv.Itoa(i))
	}
	w.say(" ELSE ", strconv.Itoa(len(steps)), " END")
}

func number(c evidence.Class) string { return strconv.Itoa(int(c)) }

// Among is the SELECT that counts the records of a query, and how many of them pass
// each of some further criteria, nil for all.
func (c *Compiler) Among(q Query, further ...*criteria.Bound) Statement {
	w := c.writer(q)
	w.WriteString("SELECT count(*)")
	for _, f := range further {
		if f == nil {
			w.WriteString(", count(*)")
			continue
		}
		w.passing(f)
	}
	w.where(q)
	return w.statement()
}

// passing writes how many records pass criteria.
func (w *writer) passing(f *criteria.Bound) {
	w.WriteString(", count(CASE WHEN ")
	w.node(f, false)
	w.WriteString(" THEN 1 END)")
}

// MostPassedBy is how many conditions Passed takes at most.
const MostPassedBy = 30

// PassedBy is the SELECT that counts the records of a query by which of some
// conditions they pass: a number whose n-th bit says so of the n-th, and a count.
func (c *Compiler) PassedBy(q Query, conditions []*criteria.Bound) Statement {
	w := c.writer(q)
	w.WriteString("SELECT 0")
	for i, f := range conditions {
		w.WriteString(" + CASE WHEN ")
		w.node(f, false)
		w.say(" THEN ", strconv.Itoa(1<<i), " ELSE 0 END")
	}
	w.WriteString(", count(*)")
	w.where(q)
	w.WriteString("\nGROUP BY 1")
	return w.statement()
}

// ByUnit is the SELECT that counts the records of a query by runs of days that follow
// each other: the number of the run, from 0, and a count. Each run starts on one of
// the days and ends before the next; the last one ends with the last of the days.
func (c *Compiler) ByUnit(q Query, of *column.Column, days []civil.Day) Statement {
	w := c.writer(q)
	col := w.column(of)
	bound := func(d civil.Day) { w.bind(of.Bound(civil.StartOf(d), w.zone), col) }
	w.WriteString("SELECT ")
	w.unit(col, days[1:len(days)-1], 0, bound)
	w.WriteString(", count(*)")
	joint := "\nWHERE "
	if w.where(q) {
		joint = "\n  AND "
	}
	w.say(joint, col.stored, " >= ")
	bound(days[0])
	w.say(" AND ", col.stored, " < ")
	bound(days[len(days)-1])
	if readable := col.readable[1][1]; readable != "" {
		w.say(" AND ", readable)
	}
	w.WriteString("\nGROUP BY 1")
	return w.statement()
}

// unit writes the number of the run that a record is in, found by halves.
func (w *writer) unit(col *columnSQL, starts []civil.Day, first int, bound func(civil.Day)) {
	if len(starts) == 0 {
		w.WriteString(strconv.Itoa(first))
		return
	}
	half := len(starts) / 2
	w.say("CASE WHEN ", col.stored, " < ")
	bound(starts[half])
	w.WriteString(" THEN ")
	w.unit(col, starts[:half], first, bound)
	w.WriteString(" ELSE ")
	w.unit(col, starts[half+1:], first+half+1, bound)
	w.WriteString(" END")
}
