package service

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/ownsql"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
	"pikegate/internal/source"
)

// The codes of what only a source can tell of a definition.
const (
	NoIndex         = "no_index"
	NoSuchTable     = "no_such_table"
	NoSuchColumn    = "no_such_column"
	KeyNotUnique    = "key_not_unique"
	StoredOtherwise = "stored_otherwise"
	OtherCollation  = "other_collation"
	SQLRefused      = "sql_refused"
	SourceUnreached = "source_not_asked"
)

// Check finds all that is wrong with definition files beside those that are
// published, all that misleads in them, and where they and the databases part: tables
// and columns that are not there, SQL that the database does not understand,
// conditions that no index serves. It stores nothing.
func (s *Service) Check(ctx context.Context, files []definition.File) (fault.List, error) {
	published, err := s.store.Published(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the definitions: %w", err)
	}
	docs, catalog, found := definition.Check(files, published, s.setting(s.Today(time.UTC), time.UTC))
	if catalog == nil {
		return found, nil
	}
	for _, d := range docs {
		c := checker{doc: d}
		switch d.Kind {
		case definition.KindDataset:
			if of := catalog.Datasets[d.Name]; of != nil && of.Source != nil {
				s.ask(ctx, &c, of, func(v source.View) error { return c.dataset(ctx, v, of) })
			}
		case definition.KindQuery:
			if q := catalog.Queries[d.Name]; q != nil && q.Of != nil && q.Of.Source != nil {
				s.ask(ctx, &c, q.Of, func(v source.View) error { return c.query(ctx, v, q) })
			}
		}
		found = append(found, c.found...)
	}
	if len(found.Errors()) == 0 {
		found = append(found, s.proved(ctx, catalog, docs)...)
	}
	return found, nil
}

// checkTime is the longest that a source is asked about a definition.
const checkTime = 10 * time.Second

// ask asks the source of a dataset. One that does not answer is told, and nothing else
// of it.
func (s *Service) ask(ctx context.Context, c *checker, of *definition.Dataset, use func(source.View) error) {
	ctx, cancel := context.WithTimeout(ctx, checkTime)
	defer cancel()
	from, err := s.sources.Get(of.Source.At)
	if err == nil {
		err = from.View(ctx, use)
	}
	if err != nil {
		c.warn(SourceUnreached, "the source %q could not be asked whether it has what this describes: %s", of.Source.Name, err)
	}
}

// checker holds one definition against its source.
type checker struct {
	doc   definition.Document
	found fault.List
}

func (c *checker) fault(code, format string, args ...any) *fault.Fault {
	f := fault.New(code, format, args...).At(fault.Place{File: c.doc.File, Line: c.doc.Line, Column: 1})
	c.found = append(c.found, f)
	return f
}

func (c *checker) warn(code, format string, args ...any) {
	c.fault(code, format, args...).Warning = true
}

func (c *checker) dataset(ctx context.Context, v source.View, d *definition.Dataset) error {
	if d.Base != nil {
		return nil // which tells by itself
	}
	if d.From.SQL != nil {
		return c.sql(ctx, v, d)
	}
	tables := map[string]*source.Table{}
	for as, name := range d.From.Tables() {
		t, err := v.Table(ctx, name)
		if err != nil {
			return err
		}
		tables[as] = t
	}
	for _, as := range slices.Sorted(maps.Keys(tables)) {
		if len(tables[as].Columns) == 0 {
			c.warn(NoSuchTable, "the source has no table %q", d.From.Tables()[as])
			delete(tables, as)
		}
	}
	for _, o := range d.Origins() {
		t := tables[o.Table]
		if t == nil {
			continue
		}
		var names []string
		for _, column := range t.Columns {
			names = append(names, column.Name)
			if column.Name == o.Column && column.Text && d.Column(o.Name).Stored == record.Native {
				c.fault(StoredOtherwise, "the column %q is said to be %s in the database's own type, and the table %q has it as %s; say how the text is written, by stored and pattern", o.Name, d.Column(o.Name).Type, d.From.Tables()[o.Table], column.Type)
			}
		}
		if !slices.Contains(names, o.Column) {
			f := c.fault(NoSuchColumn, "the table %q has no column %q", d.From.Tables()[o.Table], o.Column)
			f.Suggest(fault.Near(o.Column, names))
		}
	}
	for _, j := range d.From.Joins {
		var on []string
		for _, p := range j.On {
			on = append(on, p.Column)
		}
		if t := tables[j.As]; t != nil && !t.IsUnique(on) && !d.HasInKey(j.As) {
			c.warn(KeyNotUnique, "nothing in the database keeps the table %q from having several records with the same %s; each of ours would then be counted once for each", j.Table, fault.Both(fault.Quoted(on)))
		}
	}
	if t := tables[d.From.Table]; t != nil && len(d.From.Joins) == 0 {
		var key []string
		for _, o := range d.Origins() {
			if slices.ContainsFunc(d.Key, func(k *record.Column) bool { return k.Name == o.Name }) {
				key = append(key, o.Column)
			}
		}
		if !t.IsUnique(key) && !t.IsBare() {
			c.warn(KeyNotUnique, "nothing in the database keeps two records of %q from having the same key, %s", d.From.Table, fault.Both(fault.Quoted(key)))
		}
	}
	return nil
}

// sql has the database read SQL of one's own, without running it.
func (c *checker) sql(ctx context.Context, v source.View, d *definition.Dataset) error {
	q := compile.Query{Show: d.Columns, Key: d.Key, Zone: d.Source.Zone, Values: map[int]compile.Values{}}
	for piece, value := range d.Values {
		q.Values[piece] = compile.Values{Column: value.Column, List: sample(value, d.Source.Zone)}
	}
	s := compile.New(v.Dialect(), d.From, nil).Select(q)
	s.SQL = "EXPLAIN " + s.SQL
	err := v.Rows(ctx, s, func([]record.Value) error { return nil })
	var said *source.Error
	if !errors.As(err, &said) || said.Kind != source.Changed && said.Kind != source.Unfit {
		return err
	}
	f := c.fault(SQLRefused, "the database does not understand this: %s", said)
	if said.Near != "" {
		if i := strings.Index(c.doc.Text, said.Near); i >= 0 {
			line, column := ownsql.Place(c.doc.Text, i)
			f.At(fault.Place{File: c.doc.File, Line: c.doc.Line + line - 1, Column: column})
		}
	}
	return nil
}

// sample is some value for a placeholder.
func sample(v definition.Value, zone *time.Location) []any {
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
func (c *checker) query(ctx context.Context, v source.View, q *definition.Query) error {
	var columns []string
	texts := map[string]bool{}
	q.Criteria().Walk(func(n *criteria.Node) {
		if n.Column == nil {
			return
		}
		for _, o := range q.Of.Origins() {
			if o.Name == n.Column.Name && o.Table == q.Of.From.Table && !slices.Contains(columns, o.Column) {
				columns = append(columns, o.Column)
				texts[o.Column] = n.Column.IsText()
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
	if !slices.ContainsFunc(columns, t.Leads) {
		c.warn(NoIndex, "the table %q has about %d records and no index that starts with %s: a search by it reads them all", q.Of.From.Table, t.About, fault.Either(fault.Quoted(columns)))
		return nil
	}
	for _, column := range t.Columns {
		if texts[column.Name] && column.Text && !column.Exact && t.Leads(column.Name) {
			c.warn(OtherCollation, "the index on %q goes by a collation of its own, and texts are compared by code point: it does not serve; an index by code point would", column.Name)
		}
	}
	return nil
}
