package publish

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/customsql"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/summary"
	"pikegate/internal/core/value"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
)

// checkTime is the longest that a source is asked about a definition; longer than it takes to
// tell that its server is silent.
const checkTime = 15 * time.Second

// asking asks sources about definitions. One that was not reached is not asked again: each
// time would take as long.
type asking struct {
	base   *base.Base
	silent map[string]error // by the name of the source
}

// ask asks a source. One that does not answer is told, and nothing else of it.
func (a asking) ask(ctx context.Context, c *checker, of *catalog.Source, use func(context.Context, source.View) error) {
	err := a.silent[of.Name]
	if err == nil {
		var from *source.Source
		if from, err = a.base.SourceAt(ctx, of.At); err == nil {
			err = a.base.Look(ctx, from, checkTime, use)
		}
	}
	if err != nil {
		a.silent[of.Name] = err
		c.warn(fault.SourceNotAsked, "the source %q could not be asked whether it has what this describes: %s", of.Name, err)
	}
}

// checker holds one definition against its source.
type checker struct {
	doc   catalog.Document
	found fault.List
}

// add adds what is found at the value of a key, by its path; without one at the definition.
func (c *checker) add(f *fault.Fault, path ...string) *fault.Fault {
	c.found = append(c.found, f.At(definition.Place(&c.doc, path...)))
	return f
}

func (c *checker) warn(code fault.Code, format string, args ...any) *fault.Fault {
	return c.add(fault.Warn(code, format, args...))
}

// account warns of one that may do more than read: the statements only read, and an account
// without the right to write is the second defence.
func (c *checker) account(ctx context.Context, v source.View) error {
	may, err := v.MayWrite(ctx)
	if may {
		c.warn(fault.AccountMayWrite, "the account of this source may change data, which no report needs; give it one that may only read")
	}
	return err
}

func (c *checker) dataset(ctx context.Context, v source.View, d *catalog.Dataset) error {
	if d.Base != nil {
		return nil // which tells by itself
	}
	if d.From.SQL != nil {
		return c.sql(ctx, v, d)
	}
	tables, err := base.TablesOf(ctx, v, d)
	if err != nil {
		return err
	}
	known, err := v.Tables(ctx)
	if err != nil {
		return err
	}
	if !c.tables(d, tables, known) {
		return nil
	}
	for _, j := range d.From.Joins {
		var on []string
		for _, p := range j.On {
			on = append(on, p.Column)
		}
		if t := tables[j.As]; !t.IsUnique(on) && !d.HasInKey(j.As) {
			c.warn(fault.KeyNotUnique, "nothing in the database keeps the table %q from having several records with the same %s; each of ours would then be counted once for each", j.Table, english.Both(english.Quoted(on)))
		}
	}
	if len(d.From.Joins) == 0 && len(d.Key) > 0 && !base.IsUnique(d, tables) {
		if err := c.key(ctx, v, d); err != nil {
			return err
		}
	}
	fits, err := base.FitsOf(ctx, v, d, tables)
	for _, f := range fits {
		c.fit(d, f)
	}
	return err
}

// tables reports whether all tables and columns of a dataset are there, and finds those
// that are not.
func (c *checker) tables(d *catalog.Dataset, tables map[string]*source.Table, known []source.TableName) bool {
	before := len(c.found)
	for _, as := range slices.Sorted(maps.Keys(tables)) {
		if len(tables[as].Columns) > 0 {
			continue
		}
		var names []string
		for _, t := range known {
			names = append(names, t.Name)
		}
		path := []string{"table"}
		if as != d.From.Table {
			path = []string{"joins"}
		}
		c.add(fault.New(fault.NoSuchTable, "the source %q has no table %q", d.Source.Name, d.From.Tables()[as]), path...).Suggest(fault.Near(d.From.Tables()[as], names))
	}
	for _, o := range d.Origins() {
		t := tables[o.Table]
		if t == nil || len(t.Columns) == 0 {
			continue
		}
		var names []string
		for _, column := range t.Columns {
			names = append(names, column.Name)
			if of := d.Column(o.Name); column.Name == o.Column && column.Text && !of.IsText() && !of.IsExactText() {
				f := c.add(fault.New(fault.StoredOtherwise, "the column %q is said to be %s, and the table %q has it as %s", o.Name, of.Wants(), d.From.Tables()[o.Table], column.Type), "columns", o.Name)
				if of.Type.IsDated() {
					f.Message += "; say how the text is written, by stored and pattern"
				}
			}
		}
		if !slices.Contains(names, o.Column) {
			f := c.add(fault.New(fault.NoSuchColumn, "the table %q has no column %q", d.From.Tables()[o.Table], o.Column), "columns", o.Name)
			f.Suggest(fault.Near(o.Column, names))
		}
	}
	return len(c.found) == before
}

// key looks for records with the same key, where nothing in the database keeps them out.
func (c *checker) key(ctx context.Context, v source.View, d *catalog.Dataset) error {
	t, err := v.Table(ctx, d.From.Table)
	if err != nil {
		return err
	}
	var columns []string
	for _, k := range d.Key {
		for _, o := range d.Origins() {
			if o.Name == k.Name {
				columns = append(columns, o.Column)
			}
		}
	}
	same, err := v.SameKey(ctx, d.From.Table, columns, t)
	switch {
	case err != nil:
		return err
	case same != nil:
		c.add(fault.Warn(fault.KeyNotUnique, "the key does not tell records apart: %d records of %q have the same %s, %s; rows are still brought once each, but runs cannot be compared by it",
			same.Records, d.From.Table, english.Both(english.Quoted(columns)), english.Both(english.Quoted(same.Values))), "key")
	case !t.IsBare():
		c.add(fault.Warn(fault.KeyNotUnique, "nothing in the database keeps two records of %q from having the same key, %s", d.From.Table, english.Both(english.Quoted(columns))), "key")
	}
	return nil
}

// fit tells of values that are not what the dataset says of their column.
func (c *checker) fit(d *catalog.Dataset, fit source.Fit) {
	if f := base.Misfit(fit); f != nil {
		c.found = append(c.found, f.At(definition.Place(&c.doc, "columns", fit.Column.Name)))
	}
}

// sql has the database read custom SQL, without running it.
func (c *checker) sql(ctx context.Context, v source.View, d *catalog.Dataset) error {
	q := compile.Query{Show: d.Columns, Key: d.Key, Zone: d.Source.Zone, Values: map[int]compile.Values{}}
	for piece, value := range d.Values {
		q.Values[piece] = compile.Values{Column: value.Column, List: sample(value, d.Source.Zone)}
	}
	explain := func() (*source.Error, error) {
		s := compile.New(v.Dialect(), d.From, nil).Select(q)
		s.SQL = "EXPLAIN " + s.SQL
		err := v.Rows(ctx, s, func([]value.Value) error { return nil })
		var said *source.Error
		if !errors.As(err, &said) || said.Trouble != source.Changed && said.Trouble != source.Unfit {
			return nil, err
		}
		return said, nil
	}
	said, err := explain()
	if err != nil {
		return err
	}
	if said != nil {
		f := c.add(fault.New(fault.SQLRefused, "the database does not understand this: %s", said), "sql")
		if i := strings.Index(c.doc.Text, said.Near); i >= 0 && said.Near != "" {
			line, column := customsql.Place(c.doc.Text, i)
			f.At(fault.Place{File: c.doc.File, Line: c.doc.Line + line - 1, Column: column})
		}
		return nil
	}
	for _, of := range d.Columns {
		if q.Where = looking(of); q.Where == nil {
			continue
		}
		if said, err = explain(); err != nil {
			return err
		}
		if said != nil {
			c.add(fault.New(fault.StoredOtherwise, "the column %q is said to be %s, and the database cannot compare what the SQL brings with one: %s", of.Name, of.Wants(), said), "columns", of.Name)
		}
	}
	return nil
}

// looking is some condition on a column, nil for one of texts, which any engine compares.
func looking(of *column.Column) *criteria.Bound {
	switch {
	case of.Type.IsDated():
		return &criteria.Bound{Column: of, Op: criteria.Within, Periods: []civil.Period{{First: civil.MustParseDay("2000-01-01"), Last: civil.MustParseDay("2000-12-31")}}}
	case of.Type.IsNumeric():
		return &criteria.Bound{Column: of, Op: criteria.AtLeast, Numbers: []decimal.Decimal{decimal.Zero}}
	}
	return nil
}

// sample is some value for a placeholder.
func sample(v catalog.Placeholder, zone *time.Location) []any {
	switch {
	case v.Column != nil && v.Column.Type.IsDated():
		return []any{v.Column.Bound(civil.StartOf(civil.MustParseDay("2000-01-01")), zone)}
	case v.Prompt.Type == prompt.Number, v.Column != nil && v.Column.Type.IsNumeric():
		return []any{int64(1)}
	case v.Prompt.Type == prompt.YesNo:
		return []any{true}
	}
	return []any{"x"}
}

// largeTable is how many records a table has before the lack of an index is told.
const largeTable = 50_000

// query warns of conditions on a large table of which none has an index that serves.
//
// It holds each condition against the indexes in one pass.
func (c *checker) query(ctx context.Context, v source.View, q *catalog.Query) error {
	var columns []string
	texts := map[string]bool{}
	unsorted := map[string]*column.Column{}
	q.Criteria().Walk(func(n *criteria.Node) {
		if n.Column == nil {
			return
		}
		for _, o := range q.Of.Origins() {
			if o.Name == n.Column.Name && o.Table == q.Of.From.Table && !slices.Contains(columns, o.Column) {
				columns = append(columns, o.Column)
				texts[o.Column] = n.Column.IsText()
				if n.Column.Type.IsDated() && !n.Column.HasPlainBounds() {
					unsorted[o.Column] = n.Column
				}
			}
		}
	})
	if len(columns) == 0 || q.Of.From.SQL != nil {
		return nil
	}
	t, err := v.Table(ctx, q.Of.From.Table)
	if err != nil || t.About < largeTable {
		return err
	}
	for _, of := range t.Columns {
		if unsorted[of.Name] != nil {
			c.expressionIndex(v, q.Of.From.Table, t, compile.Column{Column: unsorted[of.Name], Fact: of.Fact})
		}
	}
	if !slices.ContainsFunc(columns, t.Leads) {
		c.warn(fault.NoIndex, "the table %q has about %d records and no index that starts with %s: a search by it reads them all", q.Of.From.Table, t.About, english.Either(english.Quoted(columns)))
		return nil
	}
	for _, column := range t.Columns {
		if texts[column.Name] && column.Text && !column.Exact && t.Leads(column.Name) {
			c.warn(fault.OtherCollation, "the index on %q goes by a collation of its own, and texts are compared by code point: it does not serve; an index by code point would", column.Name)
		}
	}
	return nil
}

// sampled is how many records are looked at to tell how a column is filled.
const sampled = 1000

// looksAt hands out some records of a dataset, with the values of columns; none of one whose records
// depend on answers.
func (s *Publisher) looksAt(ctx context.Context, v source.View, of *catalog.Dataset, columns []*column.Column, row func([]value.Value)) error {
	if len(columns) == 0 || len(of.Values) > 0 {
		return nil
	}
	relation, err := s.base.Relation(ctx, of)
	if err != nil {
		return err
	}
	q := compile.Query{Show: columns, Key: of.Key, Zone: of.Source.Zone, Limit: sampled}
	return v.Rows(ctx, relation.SQL.Select(q), func(values []value.Value) error {
		row(values)
		return nil
	})
}

// figures warns of figures whose column has no value in most records.
func (s *Publisher) figures(ctx context.Context, c *checker, v source.View, q *catalog.Query) error {
	if q.Summary == nil {
		return nil
	}
	var columns []*column.Column
	for _, f := range q.Summary.Figures {
		if f.Of != nil && !slices.Contains(columns, f.Of) {
			columns = append(columns, f.Of)
		}
	}
	missing, looked := make([]int, len(columns)), 0
	err := s.looksAt(ctx, v, q.Of, columns, func(values []value.Value) {
		looked++
		for i, of := range columns {
			if text, isText := values[i].Chars(); values[i].IsMissing() || of.EmptyMissing && isText && text == "" {
				missing[i]++
			}
		}
	})
	for i, of := range columns {
		if 2*missing[i] > looked {
			c.warn(fault.MostlyMissing, "%d of %d records that were looked at have no %q: figures of it leave out most of what they seem to be of", missing[i], looked, of.Name)
		}
	}
	return err
}

// series warns of charts that are split by a column with more values than a chart has series.
func (s *Publisher) series(ctx context.Context, c *checker, v source.View, r *catalog.Report) error {
	for _, section := range r.Sections {
		if section.Kind != catalog.Chart || section.Drawn.Split < 0 || section.Query.Summary.Groups[section.Drawn.Split].By != summary.Values {
			continue
		}
		of := section.Query.Summary.Groups[section.Drawn.Split].Of
		different := map[string]bool{}
		err := s.looksAt(ctx, v, section.Query.Of, []*column.Column{of}, func(values []value.Value) { different[values[0].String()] = true })
		if err != nil {
			return err
		}
		if most := section.Query.Summary.Series.First; most == catalog.MostSeries && len(different) > most {
			c.warn(fault.ManySeries, "the chart is split by %q, which has more than %d values; it draws those of which there is most, and puts the rest together as others", of.Name, most)
		}
	}
	return nil
}

// expressionIndex proposes an index on what the texts of a column are converted to, where the
// database can have one. SQLite converts by a function of ours, which nobody else who writes to
// the file has.
func (c *checker) expressionIndex(v source.View, table string, t *source.Table, of compile.Column) {
	f := c.warn(fault.NoIndex, "the table %q has about %d records, and the texts of %q do not sort by time: a period of more than a month converts them all", table, t.About, of.Name)
	if _, ok := v.Dialect().(compile.Postgres); ok {
		f.Message += "; an index on what they are converted to would serve"
		f.Suggest(fmt.Sprintf("CREATE INDEX ON %s ((%s))", v.Dialect().Name(table), v.Dialect().Stored(of)))
	}
}

// Check finds all that is wrong with definition files beside those that are
// published, all that misleads in them, and where they and the databases part: tables
// and columns that are not there, SQL that the database does not understand,
// conditions that no index serves. It stores nothing.
func (s *Publisher) Check(ctx context.Context, files []catalog.File) (fault.List, error) {
	release, err := s.base.Checking(ctx)
	if err != nil {
		return nil, err
	}
	defer release()
	return s.checkOf(ctx, files)
}

// checkOf is Check for one whose turn it is.
func (s *Publisher) checkOf(ctx context.Context, files []catalog.File) (fault.List, error) {
	published, err := s.base.Documents(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the definitions: %w", err)
	}
	docs, defs, found := definition.Check(files, published, s.base.Setting(ctx, s.base.Today(time.UTC), time.UTC), s.base.Config().Functions...)
	if defs == nil {
		return found, nil
	}
	found = append(found, s.held(ctx, docs, defs, true)...)
	if len(found.Errors()) == 0 {
		found = append(found, s.proved(ctx, defs, docs)...)
	}
	return found, nil
}

// held holds datasets against the databases that have their records; with queries, also
// queries.
//
// One branch for each kind of definition.
func (s *Publisher) held(ctx context.Context, docs []catalog.Document, defs *catalog.Catalog, queries bool) fault.List {
	var found fault.List
	asked := asking{base: s.base, silent: map[string]error{}}
	for _, d := range docs {
		if ctx.Err() != nil {
			return found
		}
		if defs.Broken[d.Ref] {
			continue // which is to be mended first
		}
		c := checker{doc: d}
		switch d.Kind {
		case catalog.KindSource:
			if of := defs.Sources[d.Name]; queries && of != nil && !of.At.IsSQLite() {
				asked.ask(ctx, &c, of, c.account)
			}
		case catalog.KindDataset:
			if of := defs.Datasets[d.Name]; of != nil && of.Source != nil {
				asked.ask(ctx, &c, of.Source, func(ctx context.Context, v source.View) error { return c.dataset(ctx, v, of) })
			}
		case catalog.KindQuery:
			if q := defs.Queries[d.Name]; queries && q != nil && q.Of != nil && q.Of.Source != nil {
				asked.ask(ctx, &c, q.Of.Source, func(ctx context.Context, v source.View) error {
					return errors.Join(c.query(ctx, v, q), s.figures(ctx, &c, v, q))
				})
			}
		case catalog.KindReport:
			if r := defs.Reports[d.Name]; queries && r != nil && r.Main() != nil {
				asked.ask(ctx, &c, r.Main().Query.Of.Source, func(ctx context.Context, v source.View) error { return s.series(ctx, &c, v, r) })
			}
		}
		found = append(found, c.found...)
	}
	return found
}
