package run

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/readback"
	"pikegate/internal/core/value"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/counts"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source"
	"pikegate/internal/traced"
)

// counter counts the evidence of one run, in the snapshot of its rows.
type counter struct {
	run   *Run
	view  source.View
	query compile.Query // of all rows in order
	plan  evidence.Plan
	e     *receipt.Evidence
	// otherwise is how many records there are that only the period leaves out, with
	// those of the result.
	otherwise int64 // -1 where that is not known
	// of is what the calendar of counts has, where the evidence costs what the period has; nil
	// where all records are counted.
	of *counts.Of
}

// counter counts what a query of the run's rows tells.
func (r *Run) counter(v source.View, q compile.Query) *counter {
	return &counter{run: r, view: v, query: q, plan: r.ready.Bound.Plan(), e: &receipt.Evidence{ConditionCounts: []receipt.ConditionCount{}}}
}

// count counts the evidence and puts it on the receipt. What cannot be had in time, or
// at all, is said there and is no error: the rows stand by themselves.
func (r *Run) count(ctx context.Context, v source.View, q compile.Query, got *reading) {
	start := time.Now()
	ctx, cancel := context.WithTimeoutCause(ctx, r.runs.base.Config().EvidenceTime, errEvidenceTime)
	defer cancel()
	c := r.counter(v, q)
	r.receipt.Evidence = c.e
	if got.isKnown() {
		c.fingerprinted(got)
	}
	steps := []struct {
		what  string
		count func(context.Context) error
	}{
		{"how large the table is", c.size},
		{"where the records lie", c.tally},
		{"the ends of the result", c.ends},
		{"the fingerprint", func(ctx context.Context) error { return c.fingerprint(ctx, got) }},
		{"the totals", c.totals},
		{"why there are no records", c.empty},
		{"when the data were loaded", c.loaded},
		{"the rows of other sections", c.keepRest},
	}
	for _, step := range steps {
		counting, span := traced.Begin(ctx, "count "+step.what)
		err := step.count(counting)
		if span.End(err); err != nil {
			why := err.Error()
			if ctx.Err() != nil {
				why = context.Cause(ctx).Error()
			}
			c.e.NotComputed = append(c.e.NotComputed, step.what+": "+why)
			if !got.isKnown() && !got.copied {
				got.digests = nil
			}
			break
		}
	}
	r.counting = time.Since(start)
}

// meter asks the database how many records it reads, where evidence is wanted and the database
// counts them.
type meter struct {
	view          source.View
	start, middle int64 // before the rows, and after them
	told          bool
}

func (r *Run) meter(ctx context.Context, v source.View) *meter {
	m := &meter{view: v}
	if r.request.Evidence {
		m.start, m.told, _ = v.RecordsRead(ctx) // what fails here fails for the rows too, and is told there
	}
	return m
}

// rows says that the rows have been read.
func (m *meter) rows(ctx context.Context) {
	if m.told {
		m.middle, m.told, _ = m.view.RecordsRead(ctx)
	}
}

// evidence says that the evidence has been counted; nil where it is not known what was read.
func (m *meter) evidence(ctx context.Context) *receipt.Read {
	if !m.told {
		return nil
	}
	end, told, _ := m.view.RecordsRead(ctx)
	if !told {
		return nil
	}
	return &receipt.Read{Rows: m.middle - m.start, Evidence: end - m.middle}
}

var errEvidenceTime = errors.New("it took longer than evidence may")

// rows runs a statement that counts.
func (c *counter) rows(ctx context.Context, s compile.Statement, use func(row []value.Value) error) error {
	c.e.Statements++
	return c.view.Rows(ctx, s, use)
}

// numbers runs a statement that returns one row of numbers.
func (c *counter) numbers(ctx context.Context, s compile.Statement) ([]int64, error) {
	c.e.Statements++
	return c.view.Numbers(ctx, s)
}

// counting is the query of records of the dataset that the criteria hold for, beside
// the dataset's own.
func (c *counter) counting(where ...*criteria.Bound) compile.Query {
	q := c.run.ready.Bound.Counting(criteria.AllOf(append([]*criteria.Bound{c.run.ready.Bound.Own}, where...)...))
	q.Extents = c.query.Extents
	return q
}

func (c *counter) says(b *criteria.Bound) string {
	return readback.Criteria(b, c.run.ready.Bound.Clock()).String()
}

// tally counts all records once, for the reconciliation and the condition counts.
func (c *counter) tally(ctx context.Context) error {
	switch {
	case c.of != nil:
		return c.sizedTally(ctx)
	case c.run.ready.From.SQL.HasCriteriaInside():
		return c.oneByOne(ctx)
	}
	start := time.Now()
	groups, err := c.groups(ctx, c.run.ready.From.SQL.Tally(c.counting(), c.plan), compile.ReadGroups(c.plan))
	if err != nil {
		return err
	}
	f := c.plan.Sum(groups)
	c.run.runs.counts.Took(c.run.ready.Bound.Section.Query.Of, f.All, time.Since(start))
	c.e.All = &f.All
	if p := c.plan.Period; p != nil {
		_, denies := p.Op.Denies()
		c.e.Period = &receipt.Reconciliation{Column: p.Column.Label, Says: c.says(p), Excluded: denies,
			Before: f.Classes[evidence.Before], Inside: f.Classes[evidence.Inside], Between: f.Classes[evidence.Between],
			After: f.Classes[evidence.After], Missing: f.Classes[evidence.Missing], Unreadable: f.Classes[evidence.Unreadable]}
		c.unreadable(p.Column, c.e.Period.Unreadable)
	}
	c.conditionCounts(f.All, f.Left)
	c.records(f.Result)
	c.otherwise = f.Otherwise
	if c.plan.Dated != nil {
		c.endsOf(f)
		if f.Earlier.Any {
			earlier := c.dated(f.Earlier.Last)
			c.e.Ends.NearestBefore = &earlier
		}
		if f.Later.Any {
			later := c.dated(f.Later.First)
			c.e.Ends.NearestAfter = &later
		}
		if f.Data.Any && c.knowsReach() {
			upTo := c.dated(f.Data.Last)
			c.e.CompleteUpTo = &upTo
		}
	}
	return nil
}

// groups counts records in the groups of the plan by a statement, each of whose rows read makes into some.
func (c *counter) groups(ctx context.Context, s compile.Statement, read func(row []value.Value) []evidence.Group) (groups []evidence.Group, err error) {
	err = c.rows(ctx, s, func(row []value.Value) error {
		groups = append(groups, read(row)...)
		return nil
	})
	return groups, err
}

// knowsReach reports whether the records that were counted are all of the dataset's: SQL
// that takes answers, and a dataset's own condition on the dates, bring no more than was
// asked for, and how far that reaches says nothing of the data.
func (c *counter) knowsReach() bool {
	if len(c.run.ready.Bound.Values) > 0 {
		return false
	}
	known := true
	c.run.ready.Bound.Own.Walk(func(b *criteria.Bound) { known = known && b.Column != c.plan.Dated })
	return known
}

// unreadable notes that records have no date that can be read, in place of what some of
// them told before.
func (c *counter) unreadable(of *column.Column, records int64) {
	if records == 0 {
		return
	}
	such := ""
	for _, fit := range c.run.ready.From.Fits {
		if fit.Column.Name == of.Name && len(fit.Examples) > 0 {
			such = ", such as " + english.Both(english.Quoted(base.Shortened(fit.Examples)))
		}
	}
	c.run.ready.Notes = slices.DeleteFunc(c.run.ready.Notes, func(n answer.Note) bool { return n.Of != nil && n.Of.Name == of.Name })
	c.note("%s: %s whose value cannot be read as %s%s; no condition on days finds them.", of.Label, english.Count(int(records), "record"), of.Wants(), such)
}

// oneByOne counts the conditions one by one where the criteria stand within custom SQL: one
// statement for each step. What the SQL makes of its records by groups cannot be
// reconciled with a period that chooses among them before.
func (c *counter) oneByOne(ctx context.Context) error {
	steps := c.plan.All()
	left := make([]int64, len(steps)+1)
	for i := range left {
		n, err := c.numbers(ctx, c.run.ready.From.SQL.Count(c.counting(steps[:i]...)))
		if err != nil {
			return err
		}
		left[i] = n[0]
	}
	c.e.All = &left[0]
	c.conditionCounts(left[0], left[1:])
	c.records(left[len(steps)])
	return nil
}

func (c *counter) conditionCounts(all int64, left []int64) {
	for i, step := range c.plan.All() {
		away := all - left[i]
		c.e.ConditionCounts = append(c.e.ConditionCounts, receipt.ConditionCount{Says: c.says(step), Left: left[i], TookAway: &away, At: step.At})
		all = left[i]
	}
}

// records takes the number of records that passed everything, and holds the one that
// the rows tell to it.
func (c *counter) records(n int64) {
	if known := c.run.receipt.Records; known != nil {
		c.e.DataChanged = *known != n
		return
	}
	c.run.receipt.Records = &n
}

// dated spells a date of the plan's column, given in seconds.
func (c *counter) dated(seconds int64) receipt.Dated {
	zone := c.run.ready.Bound.ZoneOf(c.plan.Dated)
	day := civil.DayHolding(seconds, zone)
	d := receipt.Dated{Day: day, Spelled: day.Spelled()}
	if c.plan.Dated.Type == column.Date {
		return d
	}
	d.Spelled += " " + civil.ClockAt(time.Unix(seconds, 0).In(zone))
	return d
}

// endsOf tells the first and the last date of a result, and where the groups tell it how many records
// lie on these days.
func (c *counter) endsOf(f evidence.Figures) {
	c.e.Ends = &receipt.Ends{Column: c.plan.Dated.Label}
	if f.Span.Any {
		c.e.Ends.First, c.e.Ends.Last = &receipt.EndDay{Dated: c.dated(f.Span.First)}, &receipt.EndDay{Dated: c.dated(f.Span.Last)}
	}
	if f.OnEnds != nil {
		c.e.Ends.First.Records, c.e.Ends.Last.Records = f.OnEnds[0], f.OnEnds[1]
	}
}

// ends counts the records on the first and on the last day, where they are not known yet: on each of them
// there is one.
func (c *counter) ends(ctx context.Context) error {
	if c.e.Ends == nil || c.e.Ends.First == nil || c.e.Ends.First.Records > 0 {
		return nil
	}
	if all := c.run.receipt.Records; all != nil && c.plan.Alone && c.plan.Narrows() && c.e.Ends.First.Day == c.e.Ends.Last.Day {
		c.e.Ends.First.Records, c.e.Ends.Last.Records = *all, *all // they all have a date, and that is it
		return nil
	}
	on := func(d civil.Day) *criteria.Bound {
		return &criteria.Bound{Column: c.plan.Dated, Op: criteria.Within, Periods: []civil.Period{{First: d, Last: d}}}
	}
	first, last := on(c.e.Ends.First.Day), on(c.e.Ends.Last.Day)
	either := &criteria.Bound{Logic: criteria.Any, Nodes: []*criteria.Bound{first, last}}
	conditions := c.plan.All()
	if c.of != nil && evidence.WholeDays(c.plan.Period) != nil {
		conditions = c.plan.Steps // both days lie inside; an index is to lead to them, and not to the period
	}
	n, err := c.numbers(ctx, c.run.ready.From.SQL.Among(c.counting(append(slices.Clone(conditions), either)...), first, last))
	if err == nil {
		c.e.Ends.First.Records, c.e.Ends.Last.Records = n[1], n[2]
	}
	return err
}

// fingerprint reads all rows where those that were sent are not all.
func (c *counter) fingerprint(ctx context.Context, got *reading) error {
	if got.isKnown() || !c.readsRest() {
		return nil
	}
	if published := c.run.ready.Published; published != nil {
		q := c.run.ready.With(published, c.run.ready.Bound.Answers).Query()
		q.Extents = c.query.Extents
		c.query, got.columns = q, slices.Clone(published.Query.Show)
		got.keys = got.with(published.Query.Key())
		got.with(c.run.main.ofView())
		got.keep(published.Shown())
	} else {
		got.keep(c.run.ready.Bound.Section.Shown())
	}
	c.run.main.copies()
	rows := int64(0)
	c.query.Show = got.columns
	err := c.rows(ctx, c.run.ready.From.SQL.Select(c.query), func(row []value.Value) error {
		rows++
		got.digest(row)
		return nil
	})
	if err != nil {
		return err
	}
	c.e.DataChanged = c.e.DataChanged || rows != *c.run.receipt.Records
	got.copied = true
	c.fingerprinted(got)
	return nil
}

// readsRest reports whether rows that are not sent are read for the fingerprint, and to be kept. Of a
// large table they are where somebody asked for that, and the result is known to have few.
func (c *counter) readsRest() bool {
	records := c.run.receipt.Records
	return c.of == nil || c.run.request.Keep && c.run.keeping != nil && records != nil && *records <= mostReadAgain
}

// fingerprinted tells what the fingerprint of all rows is, and what was found in them.
func (c *counter) fingerprinted(got *reading) {
	c.e.Fingerprint = got.fingerprint.Sum()
	for i, found := range got.fingerprint.Found() {
		of := got.shown[i]
		if found.Longer > 0 {
			c.e.MoreDigits = append(c.e.MoreDigits, receipt.MoreDigits{Column: of.Label, Scale: of.Scale, Records: found.Longer})
			c.note("%s: %s with more digits than its scale of %d, shown whole.", of.Label, english.Count(int(found.Longer), "value"), of.Scale)
		}
		if found.Unfit > 0 {
			c.e.Unfit = append(c.e.Unfit, receipt.Unfit{Column: of.Label, Records: found.Unfit, Examples: base.Shortened(found.Examples)})
			c.note("%s: %s in these rows cannot be read as %s and stand as they are stored, such as %s.", of.Label, english.Count(int(found.Unfit), "value"), of.Wants(), english.Both(english.Quoted(base.Shortened(found.Examples))))
		}
	}
	if c.run.ready.From.Unique {
		return
	}
	if c.e.SameKey = got.digests.SameKey(); c.e.SameKey > 0 {
		c.note("%s share their key with another: it does not tell records apart, and runs cannot be compared by it.", english.Count(int(c.e.SameKey), "row"))
	}
}

// note tells something to whoever reads the result, above the rows.
func (c *counter) note(format string, args ...any) {
	c.run.receipt.Notes = append(c.run.receipt.Notes, fmt.Sprintf(format, args...))
}

// totals adds the columns of all records up, where that was not done with the rows.
func (c *counter) totals(ctx context.Context) error {
	if c.run.several() {
		return nil
	}
	main := c.run.main
	if err := main.totals(ctx, c.view, c.query); err != nil {
		return err
	}
	if main.told.Totals != nil && c.run.ready.Bound.Section.Query.Summary == nil {
		c.e.Statements++
		c.run.receipt.Totals, c.run.receipt.Subtotals = main.told.Totals, main.told.Subtotals
	}
	return nil
}

// loaded tells when the dataset's table was last loaded.
func (c *counter) loaded(ctx context.Context) error {
	of := c.run.ready.Bound.Section.Query.Of
	if of.IsLimited() || !of.Source.At.IsSQLite() || of.Source.At.File != "" || of.From.Table == "" {
		return nil
	}
	known, err := c.run.runs.base.Store.LoadedAt(ctx, of.From.Table)
	if known != nil {
		c.e.Loaded = &receipt.Loaded{At: known.At, By: known.By, Rows: known.Rows}
	}
	return err
}

// empty finds why there are no records.
func (c *counter) empty(ctx context.Context) error {
	if c.run.receipt.Records == nil || *c.run.receipt.Records > 0 {
		return nil
	}
	why := &receipt.WhyEmpty{Step: slices.IndexFunc(c.e.ConditionCounts, func(s receipt.ConditionCount) bool { return s.Left == 0 }) + 1}
	c.e.Empty = why
	switch steps := c.plan.All(); {
	case c.e.All != nil && *c.e.All == 0:
		why.Step = 0
		why.Says = "The dataset has no records at all."
		return nil
	case why.Step == 0:
		why.Says = "The data changed while they were counted."
		return nil
	default:
		why.Says = fmt.Sprintf("No record is left once %s.", c.says(steps[why.Step-1]))
		why.At = steps[why.Step-1].At
		if c.run.ready.From.SQL.HasCriteriaInside() || len(steps) > compile.MostPassedBy {
			return nil
		}
		if c.of != nil {
			if err := c.sizedWithout(ctx, why); err != nil {
				return err
			}
			break
		}
		if err := c.combinations(ctx, steps, why); err != nil {
			return err
		}
		if c.plan.Alone && len(steps) > 1 && c.otherwise == 0 {
			why.Says += " No period has a record that the other conditions hold for."
		}
	}
	return c.nearest(ctx, why)
}

// combinations finds which pairs of conditions no record meets, and what each
// condition alone keeps out.
func (c *counter) combinations(ctx context.Context, steps []*criteria.Bound, why *receipt.WhyEmpty) error {
	met, err := c.passedBy(ctx, c.counting(), steps)
	if err != nil {
		return err
	}
	for i := range steps {
		if len(steps) > 1 {
			if n := met.meeting(met.all() &^ (1 << i)); n > 0 {
				why.Without = append(why.Without, receipt.WithoutCondition{Says: c.says(steps[i]), Records: n})
			}
		}
		for j := range i {
			if met.meeting(1<<i) > 0 && met.meeting(1<<j) > 0 && met.meeting(1<<i|1<<j) == 0 {
				why.Pairs = append(why.Pairs, receipt.Pair{One: c.says(steps[j]), Other: c.says(steps[i])})
			}
		}
	}
	return nil
}

// meetings is how many records meet which of some conditions: a count by their bits.
type meetings struct {
	conditions int
	records    map[uint]int64
}

// passedBy counts the records of a query by which of the conditions they meet.
func (c *counter) passedBy(ctx context.Context, q compile.Query, conditions []*criteria.Bound) (meetings, error) {
	met := meetings{len(conditions), map[uint]int64{}}
	err := c.rows(ctx, c.run.ready.From.SQL.PassedBy(q, conditions), func(row []value.Value) error {
		bits, _ := row[0].Int()
		met.records[uint(bits)], _ = row[1].Int()
		return nil
	})
	return met, err
}

// all are the bits of all the conditions.
func (m meetings) all() uint { return uint(1)<<m.conditions - 1 }

// meeting is how many records meet all the conditions of some bits.
func (m meetings) meeting(wanted uint) (n int64) {
	for bits, records := range m.records {
		if bits&wanted == wanted {
			n += records
		}
	}
	return n
}
