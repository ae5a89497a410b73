package base

import (
	"context"
	"maps"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/source"
)

// Relation finds the source of a dataset and the SQL for it.
func (s *Base) Relation(ctx context.Context, d *catalog.Dataset) (*Relation, error) {
	if d.Whole != nil {
		r, err := s.Relation(ctx, d.Whole)
		if err != nil || !d.IsLimited() {
			return r, err
		}
		return r.of(d.From.Rows), nil
	}
	published := s.In(ctx)
	if known, ok := published.relations.Load(d); ok && s.Config().Now().Sub(known.(*Relation).at) < factAge {
		return known.(*Relation), nil
	}
	from, err := s.SourceAt(ctx, d.Source.At)
	if err != nil {
		return nil, s.Failed(d, err)
	}
	r := &Relation{Source: from, at: s.Config().Now()}
	facts := map[string]map[string]compile.Fact{}
	if len(d.From.Tables()) > 0 {
		err = s.Look(ctx, from, structureTime, func(ctx context.Context, v source.View) error {
			tables, err := TablesOf(ctx, v, d)
			if err != nil {
				return err
			}
			for as, t := range tables {
				facts[as] = v.Facts(t)
			}
			r.Unique, r.Leads = IsUnique(d, tables), leads(d, tables)
			r.Fits = s.knownFits(ctx, published, v, d, tables)
			return nil
		})
	}
	if err != nil {
		return nil, s.Failed(d, err)
	}
	if !r.Unique {
		r.Ties = d.Root().Columns
	}
	r.SQL = compile.New(from.Dialect(), d.From, facts)
	if published.Datasets[d.Name] == d { // and not one that is only tried
		published.relations.Store(d, r)
	}
	return r, nil
}

// knownFits is how the values of a dataset's tables fit, none where that cannot be told soon
// enough.
func (s *Base) knownFits(ctx context.Context, p *Published, v source.View, d *catalog.Dataset, tables map[string]*source.Table) []source.Fit {
	root := d.Root()
	if known, ok := p.fits.Load(root); ok && s.Config().Now().Sub(known.(fitsThen).at) < fitAge {
		return known.(fitsThen).fits
	}
	looking, cancel := context.WithTimeout(ctx, fitTime)
	defer cancel()
	fits, err := FitsOf(looking, v, root, tables)
	if err != nil {
		s.Log.WarnContext(ctx, "could not check whether the values of a dataset fit", "dataset", d.Name, "error", err)
	}
	if ctx.Err() == nil && p.Datasets[root.Name] == root {
		p.fits.Store(root, fitsThen{fits, s.Config().Now()})
	}
	return fits
}

// Relation is a dataset as its source has it: where to read it, and by which SQL.
type Relation struct {
	Source *source.Source
	SQL    *compile.Compiler
	at     time.Time
	// unique says that the database keeps two records from having the same key. Where it
	// does not, ties are all columns of the dataset, by which records of the same key are
	// sorted, so that pages bring each of them once.
	Unique bool
	Ties   []*column.Column
	Leads  map[string]bool // the columns that an index of their table starts with
	Fits   []source.Fit    // of some records of its tables, as they were some minutes ago
}

// of is the relation of some of its records. How values fit is known of all of them, and not told.
func (r *Relation) of(rows *criteria.Bound) *Relation {
	some := *r
	some.SQL, some.Fits = r.SQL.Of(rows), nil
	return &some
}

// factAge is how long it is believed what a database says of a table's columns.
const factAge = time.Minute

// structureTime is the longest that a source may take to tell of its tables.
const structureTime = 30 * time.Second

// TablesOf asks the database for the tables of a dataset, by what their columns are named
// by. One that is not there has no columns.
func TablesOf(ctx context.Context, v source.View, d *catalog.Dataset) (map[string]*source.Table, error) {
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

// leads are the columns of a dataset that an index of their table starts with.
func leads(d *catalog.Dataset, tables map[string]*source.Table) map[string]bool {
	all := map[string]bool{}
	for _, o := range d.Origins() {
		if t := tables[o.Table]; t != nil && t.Leads(o.Column) {
			all[o.Name] = true
		}
	}
	return all
}

// IsUnique reports whether the database keeps two records of a dataset from having the
// same key: the key of its first table stands in that of the dataset, and each joined
// table has one record at most for each, or its key stands there too.
func IsUnique(d *catalog.Dataset, tables map[string]*source.Table) bool {
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

type fitsThen struct {
	fits []source.Fit
	at   time.Time
}

// FitsOf holds some records of the tables of a dataset to what it says of their columns.
func FitsOf(ctx context.Context, v source.View, d *catalog.Dataset, tables map[string]*source.Table) ([]source.Fit, error) {
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
