package definition

import (
	"maps"
	"slices"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
)

// dataset reads a dataset, and tells which variant of one it is.
func (l *linker) dataset(name string, m *mapping) (*catalog.Dataset, []string) {
	d := &catalog.Dataset{Name: name}
	if d.Title = l.text(m.take("title")); d.Title == "" {
		d.Title = name
	}
	if of := m.take("of"); of != nil {
		l.derivedDataset(d, of, m)
		return d, []string{onAnother}
	}
	d.Source = named(l, l.need(m, "source"), fault.UnknownSource, "source", l.catalog.Sources)
	key := l.need(m, "key")
	sql := m.take("sql")
	joins := m.take("joins")
	if sql == nil {
		d.From.Table = l.text(l.need(m, "table"))
	}
	l.columns(d, l.need(m, "columns"), sql == nil)
	for i, name := range l.texts(key) {
		if c := l.columnOf(d, key.Content[i], name); c != nil {
			d.Key = append(d.Key, c)
			if len(c.KeptFrom) > 0 {
				l.fault(key.Content[i], fault.KeyKeptBack, "the column %q is one of the key, by which results are told apart, and cannot be kept from anybody", c.Name)
			}
		}
	}
	if key != nil && key.Kind == yaml.SequenceNode && len(key.Content) == 0 {
		l.fault(key, fault.EmptyGroup, "a dataset needs a key: the columns that tell one record from every other")
	}
	values := m.take("values")
	switch {
	case sql != nil:
		for _, n := range []*yaml.Node{m.take("table"), joins} {
			if n != nil {
				l.fault(n, fault.WrongValue, "a dataset has a table, or SQL of its own, and not both")
			}
		}
		l.customSQL(d, sql, values)
	case values != nil:
		l.fault(values, fault.WrongValue, "values are those of placeholders in custom SQL")
	}
	if joins != nil {
		l.joins(d, joins)
	}
	l.origins(d)
	return d, []string{ofItsOwn}
}

// columns reads the columns; in tables they can have another name, or stand in a
// joined table.
func (l *linker) columns(d *catalog.Dataset, n *yaml.Node, inTables bool) {
	if n == nil {
		return
	}
	all, ok := l.open(n)
	if !ok {
		return
	}
	for _, p := range all.pairs {
		m, ok := l.mapping(p.value, columnKeys)
		if !ok {
			continue
		}
		origin := catalog.Origin{Name: p.key.Value, Table: d.From.Table, Column: p.key.Value}
		var variants []string
		if inTables {
			variants = append(variants, columnOfTable)
			if table := m.take("table"); table != nil {
				origin.Table = l.text(table)
				l.tablesAt = append(l.tablesAt, table)
			}
			if col := m.take("column"); col != nil {
				origin.Column = l.text(col)
			}
		}
		c := l.column(p, m, variants...)
		d.Columns, d.From.Origins = append(d.Columns, c), append(d.From.Origins, origin)
		if c.IsExactText() && d.Source != nil && !d.Source.At.IsSQLite() {
			l.fault(p.value, fault.EngineCannot, "the database has a type of its own for decimals; only an SQLite file holds the column %q as text", c.Name)
		}
		if c.Stored == column.Native && d.Source != nil && d.Source.At.IsSQLite() {
			l.fault(p.value, fault.EngineCannot, "SQLite has no type of its own for dates; say how the column %q holds them, as text with a pattern for instance", c.Name)
		}
	}
	if len(all.pairs) == 0 {
		l.fault(n, fault.EmptyGroup, "a dataset needs a column at least")
	}
}

// joins = [{ table: NAME, key: [COLUMN...], on: {COLUMN: COLUMN...} [, as: NAME] [, keep: all] }...] .
func (l *linker) joins(d *catalog.Dataset, n *yaml.Node) {
	if n.Kind != yaml.SequenceNode {
		l.wrongType(n, "a list of joined tables")
		return
	}
	for _, item := range n.Content {
		m, ok := l.mapping(item, joinKeys)
		if !ok {
			continue
		}
		table, as := l.need(m, "table"), m.take("as")
		j := catalog.Join{Table: l.text(table), As: l.text(table)}
		if as != nil {
			j.As = l.text(as)
		}
		if _, taken := d.From.Tables()[j.As]; taken {
			l.fault(item, fault.DefinedTwice, "the table %q stands here a second time; give it a name of its own by as", j.As)
		}
		j.Left = m.take("keep") != nil && oneOf(l.reader, m.take("keep"), []string{"all", "matching"}) == "all"
		key := l.need(m, "key")
		keys := l.texts(key)
		if on := l.need(m, "on"); on != nil {
			if pairs, ok := l.open(on); ok {
				for _, p := range pairs.pairs {
					j.On = append(j.On, catalog.Pair{Column: p.key.Value, Equals: l.before(d, p.value, j.As)})
				}
				if len(pairs.pairs) == 0 {
					l.fault(on, fault.EmptyGroup, "a join needs a column at least by which the records find each other")
				}
			}
		}
		l.finish(m)
		missing := slices.DeleteFunc(slices.Clone(keys), func(k string) bool {
			return slices.ContainsFunc(j.On, func(p catalog.Pair) bool { return p.Column == k })
		})
		d.From.Joins = append(d.From.Joins, j)
		if len(missing) > 0 && !d.HasInKey(j.As) {
			l.warn(item, fault.JoinMultiplies, "a record can find several in the table %q, and is then counted once for each: the join leaves %s of its key open; put it in the join, or a column of that table in the dataset's key",
				j.Table, english.Both(english.Quoted(missing)))
		}
	}
}

// before finds the origin of the column that a join compares with.
func (l *linker) before(d *catalog.Dataset, n *yaml.Node, as string) catalog.Origin {
	name := l.text(n)
	if l.columnOf(d, n, name) == nil {
		return catalog.Origin{}
	}
	i := slices.IndexFunc(d.From.Origins, func(o catalog.Origin) bool { return o.Name == name })
	if o := d.From.Origins[i]; d.From.Tables()[o.Table] != "" && o.Table != as {
		return o
	}
	l.fault(n, fault.WrongValue, "the column %q does not stand in a table before this one", name)
	return catalog.Origin{}
}

// origins checks the tables of the columns, and forgets the origins where they say
// nothing.
func (l *linker) origins(d *catalog.Dataset) {
	tables := d.From.Tables()
	for _, n := range l.tablesAt {
		if tables[n.Value] == "" {
			f := l.fault(n, fault.UnknownTable, "the dataset has no table %q", english.Shorten(n.Value))
			f.Suggest(fault.Near(n.Value, slices.Sorted(maps.Keys(tables))))
		}
	}
	l.tablesAt = nil
	if d.From.SQL != nil || len(d.From.Joins) == 0 && !slices.ContainsFunc(d.From.Origins, func(o catalog.Origin) bool { return o.Column != o.Name }) {
		d.From.Origins = nil
	}
}

// derivedDataset is one on another: its records, or those that fit criteria, and all
// its columns, or some.
func (l *linker) derivedDataset(d *catalog.Dataset, of *yaml.Node, m *mapping) {
	base := named(l, of, fault.UnknownDataset, "dataset", l.catalog.Datasets)
	condition, columns := m.take("where"), m.take("columns")
	if base == nil {
		return
	}
	d.Base, d.Source, d.From, d.Key, d.Columns, d.Values = base, base.Source, base.From, base.Key, base.Columns, base.Values
	if d.Bases = base.Bases + 1; d.Bases > mostBases {
		l.fault(of, fault.DefinitionTooDeep, "this dataset is built on %d others, one on the other, and at most %d are read", d.Bases, mostBases)
		return
	}
	own, used := (*criteria.Node)(nil), []*prompt.Prompt(nil)
	if d.Conditions = base.Conditions; condition != nil {
		w := l.read(&where{of: base, conditions: base.Conditions}, condition)
		own, used, d.Conditions = w.root, w.prompts, w.conditions
	}
	d.Where = criteria.Both(base.Where, own)
	l.reasoned(base, d.Where)
	d.Prompts = slices.Clone(base.Prompts)
	for _, p := range used {
		if !slices.Contains(d.Prompts, p) {
			d.Prompts = append(d.Prompts, p)
		}
	}
	if columns == nil {
		return
	}
	d.Columns = nil
	for i, name := range l.texts(columns) {
		if c := l.columnOf(base, columns.Content[i], name); c != nil {
			d.Columns = append(d.Columns, c)
		}
	}
	for _, c := range d.Key {
		if !slices.Contains(d.Columns, c) {
			d.Columns = append(d.Columns, c)
		}
	}
}
