package service

import (
	"context"
	"errors"
	"log/slog"
	"maps"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/prompt"
	"pikegate/internal/source"
)

// relation is a dataset as its source has it: where to read it, and by which SQL.
type relation struct {
	source *source.Source
	sql    *compile.Compiler
	at     time.Time
	// unique says that the database keeps two records from having the same key. Where it
	// does not, ties are all columns of the dataset, by which records of the same key are
	// sorted, so that pages bring each of them once.
	unique bool
	ties   []*column.Column
	fits   []source.Fit // of some records of its tables, as they were some minutes ago
}

// factAge is how long it is believed what a database says of a table's columns.
const factAge = time.Minute

// structureTime is the longest that a source may take to tell of its tables.
const structureTime = 30 * time.Second

// relation finds the source of a dataset and the SQL for it.
func (s *Service) relation(ctx context.Context, d *catalog.Dataset) (*relation, error) {
	published := s.published.Load()
	if known, ok := published.relations.Load(d); ok && s.config.Now().Sub(known.(*relation).at) < factAge {
		return known.(*relation), nil
	}
	from, err := s.sourceAt(ctx, d.Source.At)
	if err != nil {
		return nil, s.failed(d, err)
	}
	r := &relation{source: from, at: s.config.Now()}
	facts := map[string]map[string]compile.Fact{}
	if len(d.From.Tables()) > 0 {
		err = s.look(ctx, from, structureTime, func(ctx context.Context, v source.View) error {
			tables, err := tablesOf(ctx, v, d)
			if err != nil {
				return err
			}
			for as, t := range tables {
				facts[as] = v.Facts(t)
			}
			r.unique = isUnique(d, tables)
			r.fits = s.fitsOf(ctx, published, v, d, tables)
			return nil
		})
	}
	if err != nil {
		return nil, s.failed(d, err)
	}
	if !r.unique {
		r.ties = d.Root().Columns
	}
	r.sql = compile.New(from.Dialect(), d.From, facts)
	if published.Datasets[d.Name] == d { // and not one that is only tried
		published.relations.Store(d, r)
	}
	return r, nil
}

// tablesOf asks the database for the tables of a dataset, by what their columns are named
// by. One that is not there has no columns.
func tablesOf(ctx context.Context, v source.View, d *catalog.Dataset) (map[string]*source.Table, error) {
	tables := map[string]*source.Table{}
	for as, name := range d.From.Tables() {
		t, err := v.Structure(ctx, name)
		if err != nil {
			return nil, err
		}
		tables[as] = t
	}
	return tables, nil
}

// isUnique reports whether the database keeps two records of a dataset from having the
// same key: the key of its first table stands in that of the dataset, and each joined
// table has one record at most for each, or its key stands there too.
func isUnique(d *catalog.Dataset, tables map[string]*source.Table) bool {
	inKey := map[string][]string{} // the columns of each table that stand in the key
	for _, o := range d.Origins() {
		if slices.ContainsFunc(d.Key, func(k *column.Column) bool { return k.Name == o.Name }) {
			inKey[o.Table] = append(inKey[o.Table], o.Column)
		}
	}
	first := tables[d.From.Table]
	if first == nil || !first.TellsApart(inKey[d.From.Table]) {
		return false
	}
	for _, j := range d.From.Joins {
		found := slices.Clone(inKey[j.As])
		for _, p := range j.On {
			found = append(found, p.Column)
		}
		if !tables[j.As].IsUnique(found) {
			return false
		}
	}
	return true
}

// fitAge is how long it is believed how the values of a table fit, and fitTime the longest
// that a run waits to learn it.
const (
	fitAge  = 10 * time.Minute
	fitTime = 2 * time.Second
)

type knownFits struct {
	fits []source.Fit
	at   time.Time
}

// fitsOf is how the values of a dataset's tables fit, none where that cannot be told soon
// enough.
func (s *Service) fitsOf(ctx context.Context, p *published, v source.View, d *catalog.Dataset, tables map[string]*source.Table) []source.Fit {
	root := d.Root()
	if known, ok := p.fits.Load(root); ok && s.config.Now().Sub(known.(knownFits).at) < fitAge {
		return known.(knownFits).fits
	}
	looking, cancel := context.WithTimeout(ctx, fitTime)
	defer cancel()
	fits, err := heldTo(looking, v, root, tables)
	if err != nil {
		slog.WarnContext(ctx, "it could not be told how the values of a dataset fit", "dataset", d.Name, "error", err)
	}
	if ctx.Err() == nil && p.Datasets[root.Name] == root {
		p.fits.Store(root, knownFits{fits, s.config.Now()})
	}
	return fits
}

// heldTo holds some records of the tables of a dataset to what it says of their columns.
func heldTo(ctx context.Context, v source.View, d *catalog.Dataset, tables map[string]*source.Table) ([]source.Fit, error) {
	var all []source.Fit
	for _, as := range slices.Sorted(maps.Keys(tables)) {
		said := map[string]*column.Column{}
		for _, o := range d.Origins() {
			if o.Table == as {
				said[o.Column] = d.Column(o.Name)
			}
		}
		fits, err := v.Fits(ctx, d.From.Tables()[as], tables[as], said)
		if err != nil {
			return nil, err
		}
		all = append(all, fits...)
	}
	return all, nil
}

// values are what the placeholders of a dataset's SQL stand for, by the answers.
func values(d *catalog.Dataset, answers prompt.Answers) map[int]compile.Values {
	all := make(map[int]compile.Values, len(d.Values))
	for piece, v := range d.Values {
		all[piece] = compile.Values{Column: v.Column, List: valuesOf(v, answers[v.Prompt.Name], d.Source.Zone)}
	}
	return all
}

// given are the answers that a dataset's SQL takes.
func given(d *catalog.Dataset, answers prompt.Answers) []*prompt.Answer {
	var all []*prompt.Answer
	for _, p := range d.Prompts {
		if slices.ContainsFunc(slices.Collect(maps.Values(d.Values)), func(v catalog.Placeholder) bool { return v.Prompt == p }) {
			all = append(all, answers[p.Name])
		}
	}
	return all
}

func valuesOf(v catalog.Placeholder, a *prompt.Answer, zone *time.Location) []any {
	if a == nil || !a.Given {
		return nil
	}
	edge := func(e civil.Edge) []any { return []any{v.Column.Bound(e, zone)} }
	switch a.Prompt.Type {
	case prompt.Number:
		return []any{compile.Number(a.Number)}
	case prompt.Text:
		return []any{a.Text}
	case prompt.YesNo:
		return []any{a.Truth}
	case prompt.Choice:
		var list []any
		for _, c := range a.Choices {
			list = append(list, compile.AsStored(v.Column, c.Value))
		}
		return list
	case prompt.Days:
		var list []any
		for _, d := range a.Days {
			list = append(list, edge(civil.StartOf(d))...)
		}
		return list
	}
	switch v.Part {
	case catalog.LastDay:
		return edge(civil.StartOf(a.Period.Last))
	case catalog.NextDay:
		return edge(civil.StartOf(min(a.Period.Last+1, civil.MaxDay)))
	}
	return edge(civil.StartOf(a.Period.First))
}

// failed is an error of the source of a dataset; of whoever asked and of the time that
// there was, it is what it was.
func (s *Service) failed(d *catalog.Dataset, err error) error {
	if errors.Is(err, ErrTime) || errors.Is(err, context.Canceled) {
		return err
	}
	return &SourceError{Source: d.Source.Name, Err: err}
}
