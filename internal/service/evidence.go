package service

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
	"pikegate/internal/source"
)

// Evidence is what shows that a result is right.
type Evidence struct {
	All         *int64          `json:"all,omitempty" doc:"How many records the dataset has."`
	Period      *Reconciliation `json:"period,omitempty" doc:"Where all of them lie beside the period."`
	Sieve       []SieveStep     `json:"sieve" doc:"How many are left after each condition, the period first."`
	Ends        *Ends           `json:"ends,omitempty" doc:"The first and the last date in the result, and the nearest that are not."`
	UpTo        *Dated          `json:"complete_up_to,omitempty" doc:"The newest date of the dataset."`
	Loaded      *Loaded         `json:"loaded,omitempty" doc:"When the service last loaded the dataset's table; absent where it never did."`
	Fingerprint string          `json:"fingerprint,omitempty" doc:"SHA-256 of the whole result in order, in hexadecimal digits."`
	MoreDigits  []MoreDigits    `json:"more_digits,omitempty" doc:"Columns with values that have more digits than their scale; such values are shown whole."`
	Unfit       []Unfit         `json:"unfit,omitempty" doc:"Columns with values in the result that are not what the dataset says; such values are shown as they are stored."`
	SameKey     int64           `json:"same_key,omitempty" doc:"Records of the result whose key another one has too: the dataset's key does not tell records apart."`
	Empty       *WhyEmpty       `json:"empty,omitempty" doc:"Why there are no records; absent where there are some."`
	Changed     bool            `json:"data_changed" doc:"Whether the data changed between the rows and the counting, where the database does not keep the two together."`
	NotComputed []string        `json:"not_computed,omitempty" doc:"What could not be counted, and why."`
	Statements  int             `json:"statements" doc:"How many statements it took."`
}

// Reconciliation is where all records of a dataset lie beside a period: the figures
// add up to all of them.
type Reconciliation struct {
	Column     string `json:"column" doc:"Label of the column."`
	Says       string `json:"says" doc:"The condition in words."`
	Excluded   bool   `json:"excluded,omitempty" doc:"Whether the condition keeps what lies outside."`
	Before     int64  `json:"before" doc:"Records before it."`
	Inside     int64  `json:"inside" doc:"Records inside it."`
	Between    int64  `json:"between,omitempty" doc:"Of several days: records between the first and the last, on none of them."`
	After      int64  `json:"after" doc:"Records after it."`
	Missing    int64  `json:"missing" doc:"Records without a date."`
	Unreadable int64  `json:"unreadable" doc:"Records whose stored value is no date."`
}

// MoreDigits is a column with values that have more digits than its scale.
type MoreDigits struct {
	Column  string `json:"column" doc:"Label of the column."`
	Scale   int    `json:"scale" doc:"Digits after the point that the dataset gives it."`
	Records int64  `json:"records" doc:"Records of the result whose value has more."`
}

// Unfit is a column with values in the result that are not what it is said to hold.
type Unfit struct {
	Column   string   `json:"column" doc:"Label of the column."`
	Records  int64    `json:"records" doc:"Records of the result whose value is otherwise."`
	Examples []string `json:"examples" doc:"Some of these values, as they are stored."`
}

// SieveStep is a condition with what it left.
type SieveStep struct {
	Says     string `json:"says" doc:"The condition in words."`
	Left     int64  `json:"left" doc:"Records that are left after it."`
	TookAway int64  `json:"took_away" doc:"Records that it took away."`
}

// Dated is a date of a record.
type Dated struct {
	Day     civil.Day `json:"day" doc:"The day, by the clock of the business."`
	Spelled string    `json:"spelled" doc:"The date, with its time of day where it has one."`
}

// EndDay is an end of a result.
type EndDay struct {
	Dated
	Records int64 `json:"records" doc:"Records of the result on that day."`
}

// Ends are the ends of a result in time.
type Ends struct {
	Column  string  `json:"column" doc:"Label of the column."`
	First   *EndDay `json:"first,omitempty" doc:"The first date."`
	Last    *EndDay `json:"last,omitempty" doc:"The last date."`
	Earlier *Dated  `json:"nearest_before,omitempty" doc:"The last record before the period that all the other conditions hold for."`
	Later   *Dated  `json:"nearest_after,omitempty" doc:"The first record after the period, likewise."`
}

// Loaded is when a table was last loaded.
type Loaded struct {
	At   time.Time `json:"at" doc:"When."`
	By   string    `json:"by" doc:"By whom."`
	Rows int       `json:"rows" doc:"How many rows the load brought."`
}

// WhyEmpty is why a result has no records.
type WhyEmpty struct {
	Says    string     `json:"says" doc:"The reason, in a sentence."`
	Step    int        `json:"step" doc:"The number of the step of the sieve that left none, from 1; 0 where the dataset has no records."`
	Pairs   []Pair     `json:"pairs,omitempty" doc:"Conditions that no record meets together, although some meet each."`
	Without []SieveOut `json:"without,omitempty" doc:"How many records there would be without one of the conditions, where there would be some."`
	Nearest *Nearest   `json:"nearest,omitempty" doc:"The nearest period that has records."`
}

// Pair is two conditions that no record meets together.
type Pair struct {
	One   string `json:"one" doc:"A condition in words."`
	Other string `json:"other" doc:"The other one."`
}

// SieveOut is a condition with what its absence would bring.
type SieveOut struct {
	Says    string `json:"says" doc:"The condition in words."`
	Records int64  `json:"records" doc:"Records without it."`
}

// Nearest is a period that has records, where the one asked for has none.
type Nearest struct {
	Prompt  string    `json:"prompt,omitempty" doc:"The prompt that it answers; absent where the period is fixed."`
	Answer  string    `json:"answer,omitempty" doc:"The answer to give."`
	First   civil.Day `json:"first" doc:"Its first day, included."`
	Last    civil.Day `json:"last" doc:"Its last day, included."`
	Spelled string    `json:"spelled" doc:"The same, so that nobody can misread it."`
	Records int64     `json:"records" doc:"How many records that answer brings."`
}

// counter counts the evidence of one run, in the snapshot of its rows.
type counter struct {
	run   *Run
	view  source.View
	query compile.Query // of all rows in order
	plan  evidence.Plan
	e     *Evidence
	// otherwise is how many records there are that only the period leaves out, with
	// those of the result.
	otherwise int64
}

// count counts the evidence and puts it on the receipt. What cannot be had in time, or
// at all, is said there and is no error: the rows stand by themselves.
func (r *Run) count(ctx context.Context, v source.View, q compile.Query, got *reading) {
	start := time.Now()
	ctx, cancel := context.WithTimeoutCause(ctx, r.ready.service.config.EvidenceTime, errEvidenceTime)
	defer cancel()
	table := r.ready.bound.report.Table
	c := counter{run: r, view: v, query: q, plan: evidence.PlanOf(r.ready.bound.parts, table.Sort, table.Show), e: &Evidence{Sieve: []SieveStep{}}}
	r.receipt.Evidence = c.e
	if got.whole {
		c.fingerprinted(got)
	}
	steps := []struct {
		what  string
		count func(context.Context) error
	}{
		{"where the records lie", c.tally},
		{"the ends of the result", c.ends},
		{"the fingerprint", func(ctx context.Context) error { return c.fingerprint(ctx, got) }},
		{"why there are no records", c.empty},
		{"when the data were loaded", c.loaded},
	}
	for _, step := range steps {
		if err := step.count(ctx); err != nil {
			why := err.Error()
			if ctx.Err() != nil {
				why = context.Cause(ctx).Error()
			}
			c.e.NotComputed = append(c.e.NotComputed, step.what+": "+why)
			if !got.whole {
				got.marks = nil
			}
			break
		}
	}
	r.counting = time.Since(start)
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
	q := c.run.ready.bound.counting(criteria.AllOf(append([]*criteria.Bound{c.run.ready.bound.own}, where...)...))
	q.Extents = c.query.Extents
	return q
}

func (c *counter) says(b *criteria.Bound) string {
	return readback.Criteria(b, c.run.ready.bound.clock()).String()
}

// tally counts all records once, for the reconciliation and the sieve.
func (c *counter) tally(ctx context.Context) error {
	if c.run.ready.from.sql.HasCriteriaInside() {
		return c.oneByOne(ctx)
	}
	var groups []evidence.Group
	err := c.rows(ctx, c.run.ready.from.sql.Tally(c.counting(), c.plan), func(row []value.Value) error {
		groups = append(groups, compile.ReadGroup(row, c.plan))
		return nil
	})
	if err != nil {
		return err
	}
	f := c.plan.Sum(groups)
	c.e.All = &f.All
	if p := c.plan.Period; p != nil {
		_, denies := p.Op.Denies()
		c.e.Period = &Reconciliation{Column: p.Column.Label, Says: c.says(p), Excluded: denies,
			Before: f.Classes[evidence.Before], Inside: f.Classes[evidence.Inside], Between: f.Classes[evidence.Between],
			After: f.Classes[evidence.After], Missing: f.Classes[evidence.Missing], Unreadable: f.Classes[evidence.Unreadable]}
		c.unreadable(p.Column, c.e.Period.Unreadable)
	}
	c.sieve(f.All, f.Left)
	c.records(f.Result)
	c.otherwise = f.Otherwise
	if of := c.plan.Dated; of != nil {
		c.e.Ends = &Ends{Column: of.Label}
		if f.Span.Any {
			c.e.Ends.First, c.e.Ends.Last = &EndDay{Dated: c.dated(f.Span.First)}, &EndDay{Dated: c.dated(f.Span.Last)}
		}
		if f.Earlier.Any {
			earlier := c.dated(f.Earlier.Last)
			c.e.Ends.Earlier = &earlier
		}
		if f.Later.Any {
			later := c.dated(f.Later.First)
			c.e.Ends.Later = &later
		}
		if f.Data.Any && c.knowsReach() {
			upTo := c.dated(f.Data.Last)
			c.e.UpTo = &upTo
		}
	}
	return nil
}

// knowsReach reports whether the records that were counted are all of the dataset's: SQL
// that takes answers, and a dataset's own condition on the dates, bring no more than was
// asked for, and how far that reaches says nothing of the data.
func (c *counter) knowsReach() bool {
	if len(c.run.ready.bound.values) > 0 {
		return false
	}
	known := true
	c.run.ready.bound.own.Walk(func(b *criteria.Bound) { known = known && b.Column != c.plan.Dated })
	return known
}

// unreadable notes that records have no date that can be read, in place of what some of
// them told before.
func (c *counter) unreadable(of *column.Column, records int64) {
	if records == 0 {
		return
	}
	such := ""
	for _, fit := range c.run.ready.from.fits {
		if fit.Column.Name == of.Name && len(fit.Examples) > 0 {
			such = ", such as " + english.Both(english.Quoted(shortened(fit.Examples)))
		}
	}
	c.run.ready.notes = slices.DeleteFunc(c.run.ready.notes, func(n note) bool { return n.of != nil && n.of.Name == of.Name })
	c.note("%s: %s whose value cannot be read as %s%s; no condition on days finds them.", of.Label, english.Count(int(records), "record"), of.Wants(), such)
}

// oneByOne counts the sieve where the criteria stand within custom SQL: one
// statement for each step. What the SQL makes of its records by groups cannot be
// reconciled with a period that chooses among them before.
func (c *counter) oneByOne(ctx context.Context) error {
	steps := c.plan.All()
	left := make([]int64, len(steps)+1)
	for i := range left {
		n, err := c.numbers(ctx, c.run.ready.from.sql.Count(c.counting(steps[:i]...)))
		if err != nil {
			return err
		}
		left[i] = n[0]
	}
	c.e.All = &left[0]
	c.sieve(left[0], left[1:])
	c.records(left[len(steps)])
	return nil
}

func (c *counter) sieve(all int64, left []int64) {
	for i, step := range c.plan.All() {
		c.e.Sieve = append(c.e.Sieve, SieveStep{Says: c.says(step), Left: left[i], TookAway: all - left[i]})
		all = left[i]
	}
}

// records takes the number of records that passed everything, and holds the one that
// the rows tell to it.
func (c *counter) records(n int64) {
	if known := c.run.receipt.Records; known != nil {
		c.e.Changed = *known != n
		return
	}
	c.run.receipt.Records = &n
}

// dated spells a date of the plan's column, given in seconds.
func (c *counter) dated(seconds int64) Dated {
	zone := c.zoneOf(c.plan.Dated)
	day := civil.DayHolding(seconds, zone)
	d := Dated{Day: day, Spelled: day.Spelled()}
	if c.plan.Dated.Type == column.Date {
		return d
	}
	d.Spelled += " " + civil.ClockAt(time.Unix(seconds, 0).In(zone))
	return d
}

// zoneOf is the zone in which the seconds of a column's dates have their day: those of
// days and wall times are as if UTC.
func (c *counter) zoneOf(of *column.Column) *time.Location {
	if of.Type == column.Instant {
		return c.run.Zone
	}
	return time.UTC
}

// ends counts the records on the first and on the last day.
func (c *counter) ends(ctx context.Context) error {
	if c.e.Ends == nil || c.e.Ends.First == nil {
		return nil
	}
	on := func(d civil.Day) *criteria.Bound {
		return &criteria.Bound{Column: c.plan.Dated, Op: criteria.Within, Periods: []civil.Period{{First: d, Last: d}}}
	}
	first, last := on(c.e.Ends.First.Day), on(c.e.Ends.Last.Day)
	either := &criteria.Bound{Logic: criteria.Any, Nodes: []*criteria.Bound{first, last}}
	n, err := c.numbers(ctx, c.run.ready.from.sql.Among(c.counting(append(c.plan.All(), either)...), first, last))
	if err == nil {
		c.e.Ends.First.Records, c.e.Ends.Last.Records = n[1], n[2]
	}
	return err
}

// fingerprint reads all rows again where those that were sent are not all.
func (c *counter) fingerprint(ctx context.Context, got *reading) error {
	if got.whole {
		return nil
	}
	got.begin(c.run.ready.bound.report.Table.Show)
	rows := int64(0)
	c.query.Show = got.columns
	err := c.rows(ctx, c.run.ready.from.sql.Select(c.query), func(row []value.Value) error {
		rows++
		got.add(row)
		return nil
	})
	if err != nil {
		return err
	}
	c.e.Changed = c.e.Changed || rows != *c.run.receipt.Records
	c.fingerprinted(got)
	return nil
}

// fingerprinted tells what the fingerprint of all rows is, and what was found in them.
func (c *counter) fingerprinted(got *reading) {
	c.e.Fingerprint = got.fingerprint.Sum()
	for i, found := range got.fingerprint.Found() {
		of := c.run.ready.bound.report.Table.Show[i]
		if found.Longer > 0 {
			c.e.MoreDigits = append(c.e.MoreDigits, MoreDigits{Column: of.Label, Scale: of.Scale, Records: found.Longer})
			c.note("%s: %s with more digits than its scale of %d, shown whole.", of.Label, english.Count(int(found.Longer), "value"), of.Scale)
		}
		if found.Unfit > 0 {
			c.e.Unfit = append(c.e.Unfit, Unfit{Column: of.Label, Records: found.Unfit, Examples: shortened(found.Examples)})
			c.note("%s: %s in these rows cannot be read as %s and stand as they are stored, such as %s.", of.Label, english.Count(int(found.Unfit), "value"), of.Wants(), english.Both(english.Quoted(shortened(found.Examples))))
		}
	}
	if c.run.ready.from.unique {
		return
	}
	if c.e.SameKey = got.marks.sameKey(); c.e.SameKey > 0 {
		c.note("%s share their key with another: it does not tell records apart, and runs cannot be compared by it.", english.Count(int(c.e.SameKey), "row"))
	}
}

// note tells something to whoever reads the result, above the rows.
func (c *counter) note(format string, args ...any) {
	c.run.receipt.Notes = append(c.run.receipt.Notes, fmt.Sprintf(format, args...))
}

// loaded tells when the dataset's table was last loaded.
func (c *counter) loaded(ctx context.Context) error {
	of := c.run.ready.bound.report.Table.Of
	if !of.Source.At.IsSQLite() || of.Source.At.File != "" || of.From.Table == "" {
		return nil
	}
	known, err := c.run.ready.service.store.LoadedAt(ctx, of.From.Table)
	if known != nil {
		c.e.Loaded = &Loaded{At: known.At, By: known.By, Rows: known.Rows}
	}
	return err
}

// empty finds why there are no records.
func (c *counter) empty(ctx context.Context) error {
	if *c.run.receipt.Records > 0 {
		return nil
	}
	why := &WhyEmpty{Step: slices.IndexFunc(c.e.Sieve, func(s SieveStep) bool { return s.Left == 0 }) + 1}
	c.e.Empty = why
	switch steps := c.plan.All(); {
	case *c.e.All == 0:
		why.Step = 0
		why.Says = "The dataset has no records at all."
		return nil
	case why.Step == 0:
		why.Says = "The data changed while they were counted."
		return nil
	default:
		why.Says = fmt.Sprintf("No record is left once %s.", c.says(steps[why.Step-1]))
		if c.run.ready.from.sql.HasCriteriaInside() || len(steps) > compile.MostPassedBy {
			return nil
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
func (c *counter) combinations(ctx context.Context, steps []*criteria.Bound, why *WhyEmpty) error {
	met := map[uint]int64{} // how many records meet which conditions, by bits
	err := c.rows(ctx, c.run.ready.from.sql.PassedBy(c.counting(), steps), func(row []value.Value) error {
		bits, _ := row[0].Int()
		met[uint(bits)], _ = row[1].Int()
		return nil
	})
	if err != nil {
		return err
	}
	meeting := func(wanted uint) (n int64) {
		for bits, records := range met {
			if bits&wanted == wanted {
				n += records
			}
		}
		return n
	}
	whole := uint(1)<<len(steps) - 1
	for i := range steps {
		if len(steps) > 1 {
			if n := meeting(whole &^ (1 << i)); n > 0 {
				why.Without = append(why.Without, SieveOut{Says: c.says(steps[i]), Records: n})
			}
		}
		for j := range i {
			if meeting(1<<i) > 0 && meeting(1<<j) > 0 && meeting(1<<i|1<<j) == 0 {
				why.Pairs = append(why.Pairs, Pair{One: c.says(steps[j]), Other: c.says(steps[i])})
			}
		}
	}
	return nil
}
