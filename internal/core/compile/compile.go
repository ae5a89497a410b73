// Package compile turns a query with its answers in place into one SELECT and
// the values bound to it. Values are never spliced into the text.
//
// Days become bounds in the stored form of their column: the bounds are
// transformed and the column stands as it is, so that an index on it serves.
// What differs between engines is in a Dialect, one to a file.
package compile

import (
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/customsql"
)

// Query is what to select.
type Query struct {
	Show  []*column.Column // at least one
	Where *criteria.Bound  // nil for all records
	// Values stand for the placeholders of custom SQL, by their piece, each with the
	// column whose stored form they have.
	Values map[int]Values
	Sort   []criteria.Sort
	Key    []*column.Column // the last tie-breaker, ascending
	Ties   []*column.Column // sorted by behind a key that does not tell records apart
	Zone   *time.Location   // that days are taken in
	Limit  int              // most rows; 0 for all
	Skip   int              // rows to leave out first
	// After is the place in the order that the rows follow on: a value for each of SortedBy,
	// nil for a missing one; none for all rows.
	After  []*string
	Clocks []*column.Column // whose wall time a summary asks for
	// Sorted is a column whose values that cannot be read are put out by whoever reads the rows: the
	// period on it need not make sure of each, which takes longer than all else. See SortOut.
	Sorted *column.Column
	// Doubted has a summary look at each value that it adds up, also where the sum itself tells that
	// one of them is no number. Summaries are read without it first, since looking takes longer.
	Doubted bool
	// Extents are needed for the columns that Timed lists; a column without one has
	// no readable value.
	Extents map[*column.Column]Extent
}

// Values are what a placeholder of custom SQL stands for: one, or many in a list.
type Values struct {
	Column *column.Column // nil for none
	List   []any
}

// Extent is the first and the last instant that a column holds, in seconds of
// the POSIX epoch.
type Extent struct{ First, Last int64 }

// Timed lists the columns of instants whose wall time some condition asks for, or
// whose stored wall time has to become an instant to be compared with another
// column.
// What clocks showed is worked out with the changes of the zone that lie between
// the column's first and last instant, so their extents have to be known.
func (q Query) Timed() []*column.Column {
	found := slices.Clone(q.Clocks)
	q.Where.Walk(func(b *criteria.Bound) {
		add := func(c *column.Column) {
			if c.Type == column.Instant && !slices.Contains(found, c) {
				found = append(found, c)
			}
		}
		if b.Op == criteria.RecursIn || b.Op == criteria.ClockWithin {
			add(b.Column)
		}
		if b.Other != nil && b.Column.Type == column.Instant && (b.Column.Zone != nil || b.Other.Zone != nil) {
			add(b.Column)
			add(b.Other)
		}
	})
	return found
}

// Statement is SQL with its bound values in order: int64, string, bool, or
// decimal.Decimal where a number is not whole.
type Statement struct {
	SQL  string
	Args []any
	// Custom says that custom SQL stands in it, which may leave something behind in the
	// session that ran it.
	Custom bool
}

// Fact is what a database says of a column of a table; the zero Fact where it says
// nothing.
type Fact struct {
	Exact   bool // its texts compare by code point already
	Text    bool // its type is one of texts
	NotNull bool // it cannot be missing
	Binary  bool // its numbers are binary fractions
}

// Column is a column with what its database says of it.
type Column struct {
	*column.Column
	Fact
}

// Dialect is what differs between engines.
//
//   - Name quotes an identifier, whatever it holds.
//   - Shown is the column as it is selected.
//   - Param is the placeholder of the n-th value, from 1; of is the column that the
//     value is compared with, nil where there is none.
//   - Most is a placeholder of how many rows are wanted, as it stands behind LIMIT.
//   - Many is a condition that a column is one of many values, which the placeholder
//     stands for as the texts of a JSON array; whole says that they are whole numbers.
//   - Equal is a condition that two columns of tables have the same value, texts by
//     code point.
//   - Compared is the column beside a placeholder, Value the column by itself, in a
//     sort or beside another column: texts compare by code point.
//   - Stored is what the bounds of a dated column are compared with: the column
//     as it is wherever that sorts by time, so that an index serves, else the
//     value in ISO form, missing where it is unreadable.
//   - Readable is a condition that the column's stored value fits its stored
//     form, for values that the bounds alone would let through; "" where there
//     are none. lower and upper say which bounds there are. Quickly is the same, by a function
//     of ours where that takes less time.
//   - Order is a sort by one column with missing values last either way;
//     mayMiss says whether the result can hold missing ones.
//   - Wall is the wall time that a dated column stands for, for Part and Clock.
//     shifts lead from the stored seconds of an instant to it.
//   - Comparable is the value of a dated column in a form that compares with that of
//     every other column of its type; shifts lead to seconds of the POSIX epoch.
//   - Holds is a condition that a text holds, starts with, ends with or is one of the
//     values, by Unicode simple folding where fold is set. param binds a value.
//   - Fold is a text after Unicode simple folding.
//   - Part is a part of the calendar of a wall time, as a number; Clock is its time
//     of day as the text HH:MM:SS.
//   - Summed is a column summed up at once: a text with the sum, which is larger by as many powers
//     of ten as it says, how many values it is of, and how many are missing; "" where there is no
//     such way, and Amount is added up.
//   - Amount is a number to be added up without loss, in place of which fits says which values
//     have one; "" where Readable does. It is larger by as many powers of ten as Shifted says.
//     tells says that a sum in which one value does not fit is no number either.
//   - Integer is the type of whole numbers in a CAST.
type Dialect interface {
	Name(name string) string
	Shown(c Column) string
	Param(n int, val any, of *Column) string
	Most(param string) string
	Many(c Column, whole bool, param string) string
	Equal(left, right string, of, and Fact) string
	Compared(c Column) string
	Value(c Column) string
	Stored(c Column) string
	Readable(c Column, lower, upper bool) string
	Quickly(c Column, lower, upper bool) string
	Order(c Column, descending, mayMiss bool) string
	Wall(c Column, shifts []civil.Shift) string
	Part(wall string, p criteria.Part) string
	Clock(wall string) string
	Comparable(c Column, shifts []civil.Shift) string
	Holds(text string, op criteria.Op, values []string, fold bool, param func(val any) string) string
	Fold(text string) string
	Amount(c Column) (expression, fits string, tells bool)
	Shifted(c Column) int
	Summed(c Column) (expression string, shifted int)
	Integer() string
}

// Compiler compiles the queries on one dataset. It keeps what its dialect makes of
// each column, so it is meant to live as long as the columns do and the facts hold.
// It is safe for concurrent use.
type Compiler struct {
	dialect Dialect
	from    catalog.From
	fromSQL string          // of tables
	facts   map[string]Fact // by column
	columns sync.Map        // *column.Column to *columnSQL
	quick   sync.Map        // the same, with what tells soonest whether a value can be read
}

// New makes the compiler of a dataset. Facts are those of the columns of each table,
// by what the table's columns are named by.
func New(d Dialect, from catalog.From, facts map[string]map[string]Fact) *Compiler {
	c := &Compiler{dialect: d, from: from, facts: facts[from.Table], fromSQL: d.Name(from.Table)}
	if !from.IsPlain() && from.SQL == nil {
		c.fromSQL, c.facts = joined(d, from, facts), map[string]Fact{}
		for _, o := range from.Origins {
			fact := facts[o.Table][o.Column]
			if slices.ContainsFunc(from.Joins, func(j catalog.Join) bool { return j.Left && j.As == o.Table }) {
				fact.NotNull = false // where there is no record to stand beside
			}
			c.facts[o.Name] = fact
		}
	}
	return c
}

// Of is the compiler for some of the dataset's records, whatever else a query asks for.
func (c *Compiler) Of(rows *criteria.Bound) *Compiler {
	some := &Compiler{dialect: c.dialect, from: c.from, facts: c.facts, fromSQL: c.fromSQL}
	some.from.Rows = rows
	return some
}

// derived is what a SELECT in brackets is called.
const derived = "records"

// joined is the SELECT of the columns of joined tables, in brackets. Engines merge it
// with what stands around it.
func joined(d Dialect, from catalog.From, facts map[string]map[string]Fact) string {
	col := func(table, name string) string { return d.Name(table) + "." + d.Name(name) }
	var b strings.Builder
	b.WriteString("(SELECT ")
	for i, o := range from.Origins {
		if i > 0 {
			b.WriteString(", ")
		}
		b.WriteString(col(o.Table, o.Column) + " AS " + d.Name(o.Name))
	}
	b.WriteString(" FROM " + d.Name(from.Table))
	for _, j := range from.Joins {
		b.WriteString(map[bool]string{false: " JOIN ", true: " LEFT JOIN "}[j.Left] + d.Name(j.Table) + " AS " + d.Name(j.As) + " ON ")
		for i, pair := range j.On {
			if i > 0 {
				b.WriteString(" AND ")
			}
			b.WriteString(d.Equal(col(j.As, pair.Column), col(pair.Equals.Table, pair.Equals.Column), facts[j.As][pair.Column], facts[pair.Equals.Table][pair.Equals.Column]))
		}
	}
	return b.String() + ") AS " + d.Name(derived)
}

// columnSQL is what a dialect makes of one column.
type columnSQL struct {
	Column
	shown    string
	compared string // beside a placeholder
	value    string // by itself
	missing  string // the condition that it is
	present  string
	stored   string
	readable [2][2]string // by whether there is a lower bound, and an upper one
	order    [2][2]string // by whether it descends, and whether values may be missing
	sums     sums         // of numbers
}

// sums are how a column is added up: what Summed, Amount and Shifted of the dialect say of it.
type sums struct {
	all          string
	allShifted   int
	amount, fits string
	tells        bool
	shifted      int
}

func (c *Compiler) column(of *column.Column) *columnSQL {
	if known, ok := c.columns.Load(of); ok {
		return known.(*columnSQL)
	}
	name, col := c.dialect.Name(of.Name), Column{of, c.facts[of.Name]}
	s := &columnSQL{Column: col, shown: c.dialect.Shown(col), compared: c.dialect.Compared(col), value: c.dialect.Value(col),
		stored: c.dialect.Stored(col), missing: name + " IS NULL", present: name + " IS NOT NULL"}
	if of.EmptyMissing {
		s.missing, s.present = "("+s.missing+" OR "+s.value+" = '')", s.value+" <> ''"
	}
	for i := range 2 {
		for j := range 2 {
			if of.Type.IsDated() || of.Type.IsNumeric() {
				s.readable[i][j] = c.dialect.Readable(col, i == 1, j == 1)
			}
			s.order[i][j] = c.dialect.Order(col, i == 1, j == 1 && !col.NotNull)
		}
	}
	if of.Type.IsNumeric() {
		s.sums.all, s.sums.allShifted = c.dialect.Summed(col)
		s.sums.amount, s.sums.fits, s.sums.tells = c.dialect.Amount(col)
		s.sums.shifted = c.dialect.Shifted(col)
	}
	c.columns.Store(of, s)
	return s
}

// quickly is a column with what tells soonest whether a value can be read.
func (c *Compiler) quickly(of *column.Column) *columnSQL {
	if known, ok := c.quick.Load(of); ok {
		return known.(*columnSQL)
	}
	s := *c.column(of)
	for i := range 2 {
		for j := range 2 {
			if of.Type.IsDated() {
				s.readable[i][j] = c.dialect.Quickly(s.Column, i == 1, j == 1)
			}
		}
	}
	c.quick.Store(of, &s)
	return &s
}

// column is a column as the statement writes it. The statement of rows is in the engine's own words, so
// that anybody can run it by hand; those that count are made to be fast.
func (w *writer) column(of *column.Column) *columnSQL {
	if w.byHand {
		return w.Compiler.column(of)
	}
	return w.quickly(of)
}

func index(yes bool) int {
	if yes {
		return 1
	}
	return 0
}

// writer builds one statement.
type writer struct {
	strings.Builder
	*Compiler
	args    []any
	zone    *time.Location
	extents map[*column.Column]Extent
	sorted  *column.Column // see Query
	byHand  bool           // see column
}

func (c *Compiler) writer(q Query) *writer {
	w := &writer{Compiler: c, zone: q.Zone, extents: q.Extents, sorted: q.Sorted, args: make([]any, 0, 16)}
	w.Grow(1024)
	return w
}

// Select is the SELECT that returns the records in order.
func (c *Compiler) Select(q Query) Statement {
	w := c.writer(q)
	w.byHand = true
	w.WriteString("SELECT ")
	for i, c := range q.Show {
		if i > 0 {
			w.WriteString(", ")
		}
		w.WriteString(w.column(c).shown)
	}
	if len(q.After) > 0 {
		w.whereAfter(q)
	} else {
		w.where(q)
	}
	w.WriteString("\nORDER BY ")
	w.order(q)
	limit := int64(q.Limit)
	if limit == 0 && q.Skip > 0 {
		limit = math.MaxInt64 // engines want one before an offset
	}
	if limit > 0 {
		w.limit(limit, int64(q.Skip))
	}
	return w.statement()
}

// limit writes how many rows are wanted at most, and how many are left out before them.
func (w *writer) limit(most, skip int64) {
	w.WriteString("\nLIMIT " + w.dialect.Most(w.plain(most)))
	if skip > 0 {
		w.WriteString(" OFFSET " + w.plain(skip))
	}
}

// Count is the SELECT that counts the records that Select returns without its
// limit.
func (c *Compiler) Count(q Query) Statement {
	w := c.writer(q)
	w.WriteString("SELECT count(*)")
	w.where(q)
	return w.statement()
}

// Edge is the SELECT of the first stored value of a dated column, or of the last,
// that can be read, of all records of the query's dataset.
func (c *Compiler) Edge(q Query, of *column.Column, last bool) Statement {
	q.Where = nil
	w := c.writer(q)
	col := w.column(of)
	w.say("SELECT ", col.shown)
	w.source(q)
	w.say("\nWHERE ", col.stored, " IS NOT NULL")
	if readable := col.readable[0][0]; readable != "" {
		w.say("\n  AND ", readable)
	}
	w.say("\nORDER BY ", col.order[index(last)][0], "\nLIMIT 1")
	return w.statement()
}

// Listing is which choices to select.
type Listing struct {
	Query
	Value, Label *column.Column
	Count        bool
	Search       string   // what the label holds, in any case; "" for all
	Only         []string // the values to look for; nil for all
}

// Choices is the SELECT of the different values of a column that are not missing,
// with their labels, and how many records each has, by label.
func (c *Compiler) Choices(l Listing) Statement {
	w := c.writer(l.Query)
	val, label := w.column(l.Value), w.column(l.Label)
	order := val.value // as they are grouped, so that an index gives the order
	w.say("SELECT ", val.value, ", ")
	if l.Label == l.Value {
		w.WriteString(val.value)
	} else {
		w.say("min(", label.value, ")")
		order = "2, " + val.value
	}
	if l.Count {
		w.WriteString(", count(*)")
	}
	joint := "\nWHERE "
	if w.where(l.Query) {
		joint = "\n  AND "
	}
	w.say(joint, val.present)
	if l.Search != "" {
		w.say("\n  AND ", w.dialect.Holds(label.value, criteria.Contains, []string{l.Search}, true, w.plain))
	}
	if l.Only != nil {
		w.WriteString("\n  AND ")
		w.list(val, len(l.Only), func(i int) any { return AsStored(l.Value, l.Only[i]) })
	}
	w.say("\nGROUP BY ", val.value, "\nORDER BY ", order)
	w.limit(int64(l.Limit), int64(l.Skip))
	return w.statement()
}

// AsStored is a choice as its column holds it.
func AsStored(c *column.Column, text string) any {
	if n, err := decimal.NewFromString(text); err == nil && c != nil && c.Type.IsNumeric() {
		return Number(n)
	}
	return text
}

// where writes where the records come from, and which of them. It reports whether
// there is a WHERE, to which more can be added.
func (w *writer) where(q Query) (open bool) {
	if w.source(q) || q.Where == nil {
		return false
	}
	w.WriteString("\nWHERE ")
	w.node(q.Where, true)
	return true
}

// statement is what was written, with the values that it binds.
func (w *writer) statement() Statement {
	return Statement{SQL: w.String(), Args: w.args, Custom: w.Compiler.from.SQL != nil}
}

// source writes where the records come from: those that there are for who asks. It reports whether the
// criteria stand in there, at a marked place.
func (w *writer) source(q Query) (inside bool) {
	rows := w.Compiler.from.Rows
	if rows == nil {
		return w.records(q)
	}
	w.WriteString("\nFROM (SELECT *")
	inside = w.records(q)
	w.WriteString("\nWHERE ")
	w.node(rows, true)
	w.say("\n) AS ", w.dialect.Name(derived))
	return inside
}

// records writes where all records come from, as source does.
func (w *writer) records(q Query) (inside bool) {
	w.WriteString("\nFROM ")
	if w.Compiler.from.SQL == nil {
		w.WriteString(w.fromSQL)
		return false
	}
	w.WriteByte('(')
	for i, p := range w.Compiler.from.SQL {
		switch {
		case p.Name == "":
			w.WriteString(p.Text)
		case p.Name == customsql.CriteriaName:
			inside = true
			if q.Where == nil {
				w.WriteString("1 = 1")
				continue
			}
			w.WriteByte('(')
			w.node(q.Where, true)
			w.WriteByte(')')
		default:
			w.values(q.Values[i])
		}
	}
	w.say("\n) AS ", w.dialect.Name(derived))
	return inside
}

// values writes what a placeholder stands for; an empty list is one that nothing is in.
func (w *writer) values(v Values) {
	var of *columnSQL
	if v.Column != nil {
		of = w.column(v.Column)
	}
	if len(v.List) == 0 {
		w.WriteString("NULL")
	}
	for i, val := range v.List {
		if i > 0 {
			w.WriteString(", ")
		}
		w.bind(val, of)
	}
}

// order writes what a query is sorted by.
func (w *writer) order(q Query) {
	var room [8]sorted
	for i, s := range q.sorting(room[:0]) {
		if i > 0 {
			w.WriteString(", ")
		}
		w.WriteString(w.column(s.column).order[index(s.descending)][index(!s.isKey && !q.Where.Excludes(s.column))])
	}
}

// bind binds a value that is compared with a column, nil for none.
func (w *writer) bind(v any, of *columnSQL) { w.WriteString(w.param(v, of)) }

// param binds a value and returns its placeholder.
func (w *writer) param(v any, of *columnSQL) string {
	w.args = append(w.args, v)
	if of == nil {
		return w.dialect.Param(len(w.args), v, nil)
	}
	return w.dialect.Param(len(w.args), v, &of.Column)
}

// plain binds a value that stands beside no column.
func (w *writer) plain(v any) string { return w.param(v, nil) }
