package definition

import (
	"maps"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/ownsql"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
)

// The codes of what is wrong with where a dataset's records come from.
const (
	UnknownTable   = "unknown_table"
	JoinMultiplies = "join_multiplies"
	NoPlaceholder  = "no_such_placeholder"
	NeedsAnswer    = "needs_an_answer"
	DayLost        = "last_day_lost"
)

// Value is what a placeholder of SQL of one's own stands for.
type Value struct {
	Prompt *prompt.Prompt
	Part   Part
	Column *record.Column // whose stored form it takes; nil where the answer is no date
}

// Part is which day of an answer a placeholder stands for.
type Part string

const (
	WholeAnswer Part = ""
	FirstDay    Part = "first"
	LastDay     Part = "last"
	NextDay     Part = "next_day" // the first day after, excluded
)

func (l *linker) dataset(name string, m *mapping) *Dataset {
	d := &Dataset{Name: name}
	if d.Title = l.text(m.take("title")); d.Title == "" {
		d.Title = name
	}
	if of := m.take("of"); of != nil {
		l.derivedDataset(d, of, m)
		return d
	}
	d.Source = named(l, l.need(m, "source"), UnknownSource, "source", l.catalog.Sources)
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
		}
	}
	if key != nil && key.Kind == yaml.SequenceNode && len(key.Content) == 0 {
		l.fault(key, EmptyGroup, "a dataset needs a key: the columns that tell one record from every other")
	}
	values := m.take("values")
	switch {
	case sql != nil:
		for _, n := range []*yaml.Node{m.take("table"), joins} {
			if n != nil {
				l.fault(n, WrongValue, "a dataset has a table, or SQL of its own, and not both")
			}
		}
		l.ownSQL(d, sql, values)
	case values != nil:
		l.fault(values, WrongValue, "values are those of placeholders in SQL of one's own")
	}
	if joins != nil {
		l.joins(d, joins)
	}
	l.origins(d)
	return d
}

// columns reads the columns; in tables they can have another name, or stand in a
// joined table.
func (l *linker) columns(d *Dataset, n *yaml.Node, inTables bool) {
	if n == nil {
		return
	}
	all, ok := l.mapping(n)
	if !ok {
		return
	}
	for _, p := range all.pairs {
		m, ok := l.mapping(p.value)
		if !ok {
			continue
		}
		origin := record.Origin{Name: p.key.Value, Table: d.From.Table, Column: p.key.Value}
		if inTables {
			if table := m.take("table"); table != nil {
				origin.Table = l.text(table)
				l.tablesAt = append(l.tablesAt, table)
			}
			if column := m.take("column"); column != nil {
				origin.Column = l.text(column)
			}
		}
		c := l.column(p, m)
		d.Columns, d.From.Origins = append(d.Columns, c), append(d.From.Origins, origin)
		if c.Stored == record.Native && d.Source != nil && d.Source.At.IsSQLite() {
			l.fault(p.value, EngineCannot, "SQLite has no type of its own for dates; say how the column %q holds them, as text with a pattern for instance", c.Name)
		}
	}
	if len(all.pairs) == 0 {
		l.fault(n, EmptyGroup, "a dataset needs a column at least")
	}
}

// joins = [{ table: NAME, key: [COLUMN...], on: {COLUMN: COLUMN...} [, as: NAME] [, keep: all] }...] .
func (l *linker) joins(d *Dataset, n *yaml.Node) {
	if n.Kind != yaml.SequenceNode {
		l.wrongType(n, "a list of joined tables")
		return
	}
	for _, item := range n.Content {
		m, ok := l.mapping(item)
		if !ok {
			continue
		}
		table, as := l.need(m, "table"), m.take("as")
		j := record.Join{Table: l.text(table), As: l.text(table)}
		if as != nil {
			j.As = l.text(as)
		}
		if _, taken := d.From.Tables()[j.As]; taken {
			l.fault(item, DefinedTwice, "the table %q stands here a second time; give it a name of its own by as", j.As)
		}
		j.Left = m.take("keep") != nil && oneOf(l.reader, m.take("keep"), []string{"all", "matching"}) == "all"
		key := l.need(m, "key")
		keys := l.texts(key)
		if on := l.need(m, "on"); on != nil {
			if pairs, ok := l.mapping(on); ok {
				for _, p := range pairs.pairs {
					j.On = append(j.On, record.Pair{Column: p.key.Value, Equals: l.before(d, p.value, j.As)})
				}
				if len(pairs.pairs) == 0 {
					l.fault(on, EmptyGroup, "a join needs a column at least by which the records find each other")
				}
			}
		}
		l.finish(m)
		missing := slices.DeleteFunc(slices.Clone(keys), func(k string) bool {
			return slices.ContainsFunc(j.On, func(p record.Pair) bool { return p.Column == k })
		})
		d.From.Joins = append(d.From.Joins, j)
		if len(missing) > 0 && !d.HasInKey(j.As) {
			l.warn(item, JoinMultiplies, "a record can find several in the table %q, and is then counted once for each: the join leaves %s of its key open; put it in the join, or a column of that table in the dataset's key",
				j.Table, fault.Both(fault.Quoted(missing)))
		}
	}
}

// before finds the origin of the column that a join compares with.
func (l *linker) before(d *Dataset, n *yaml.Node, as string) record.Origin {
	name := l.text(n)
	if l.columnOf(d, n, name) == nil {
		return record.Origin{}
	}
	i := slices.IndexFunc(d.From.Origins, func(o record.Origin) bool { return o.Name == name })
	if o := d.From.Origins[i]; d.From.Tables()[o.Table] != "" && o.Table != as {
		return o
	}
	l.fault(n, WrongValue, "the column %q does not stand in a table before this one", name)
	return record.Origin{}
}

// origins checks the tables of the columns, and forgets the origins where they say
// nothing.
func (l *linker) origins(d *Dataset) {
	tables := d.From.Tables()
	for _, n := range l.tablesAt {
		if tables[n.Value] == "" {
			f := l.fault(n, UnknownTable, "the dataset has no table %q", fault.Shorten(n.Value))
			f.Suggest(fault.Near(n.Value, slices.Sorted(maps.Keys(tables))))
		}
	}
	l.tablesAt = nil
	if d.From.SQL != nil || len(d.From.Joins) == 0 && !slices.ContainsFunc(d.From.Origins, func(o record.Origin) bool { return o.Column != o.Name }) {
		d.From.Origins = nil
	}
}

// derivedDataset is one on another: its records, or those that fit criteria, and all
// its columns, or some.
func (l *linker) derivedDataset(d *Dataset, of *yaml.Node, m *mapping) {
	if !l.require(Ref{KindDataset, l.text(of)}) {
		l.fault(of, Circle, "the dataset %q leads back to itself", of.Value)
		return
	}
	base := named(l, of, UnknownDataset, "dataset", l.catalog.Datasets)
	where, columns := m.take("where"), m.take("columns")
	if base == nil {
		return
	}
	d.Base, d.Source, d.From, d.Key, d.Columns, d.Values = base, base.Source, base.From, base.Key, base.Columns, base.Values
	own, used := l.where(base, where)
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

// ownSQL reads SQL of one's own and what its placeholders stand for.
func (l *linker) ownSQL(d *Dataset, n, values *yaml.Node) {
	text := l.text(n)
	pieces, problems := ownsql.Read(text)
	for _, p := range problems {
		l.faults = append(l.faults, p.Fault.At(l.within(n, text, p.At)))
	}
	d.From.SQL, d.Values = pieces, map[string]Value{}
	said := map[string]*yaml.Node{}
	if values != nil {
		if all, ok := l.mapping(values); ok {
			for _, p := range all.pairs {
				if !slices.ContainsFunc(pieces, func(piece ownsql.Piece) bool { return piece.Name == p.key.Value }) {
					l.fault(p.key, NoPlaceholder, "the SQL has no placeholder :%s", p.key.Value)
				}
				said[p.key.Value] = p.value
			}
		}
	}
	for _, p := range pieces {
		if _, known := d.Values[p.Name]; p.Name == "" || p.Name == ownsql.CriteriaName || known {
			continue
		}
		d.Values[p.Name] = l.placeholder(d, p, said[p.Name], l.within(n, text, p.At))
	}
}

// within is the place of a byte of a text in the file: of a block, its own line and
// column, where YAML keeps the lines; else that of the text.
func (l *linker) within(n *yaml.Node, text string, at int) fault.Place {
	place := l.place(n)
	if n.Style&yaml.LiteralStyle == 0 {
		return place
	}
	line, column := ownsql.Place(text, at)
	place.Line += line
	place.Column = l.indent(place.Line) + column
	return place
}

// indent is how far a line of the document at hand is indented.
func (l *linker) indent(line int) int {
	lines := strings.Split(l.doc.Text, "\n")
	if i := line - l.doc.Line; i >= 0 && i < len(lines) {
		first := lines[i]
		return len(first) - len(strings.TrimLeft(first, " "))
	}
	return 0
}

var parts = []Part{NextDay, FirstDay, LastDay}

// placeholder finds what one stands for: by its name, and by what is said of it.
func (l *linker) placeholder(d *Dataset, p ownsql.Piece, said *yaml.Node, at fault.Place) Value {
	var v Value
	refuse := func(code, format string, args ...any) *fault.Fault {
		f := fault.New(code, format, args...).At(at)
		l.faults = append(l.faults, f)
		return f
	}
	name := p.Name
	for _, part := range parts {
		if stem, ok := strings.CutSuffix(name, "_"+string(part)); ok {
			name, v.Part = stem, part
			break
		}
	}
	column := p.Left
	if said != nil {
		if said.Kind == yaml.MappingNode {
			m, _ := l.mapping(said)
			if n := m.take("prompt"); n != nil {
				name = l.text(n)
			}
			if n := m.take("column"); n != nil {
				column = l.text(n)
				l.columnOf(d, n, column)
			}
			l.finish(m)
		} else {
			column = l.text(said)
			l.columnOf(d, said, column)
		}
	}
	v.Column = d.Column(column)
	for _, spelled := range []string{name, strings.ReplaceAll(name, "_", "-")} {
		if v.Prompt == nil {
			l.require(Ref{KindPrompt, spelled})
			v.Prompt = l.catalog.Prompts[spelled]
		}
	}
	if v.Prompt == nil {
		f := refuse(UnknownPrompt, "the placeholder :%s stands for no prompt that there is; one such as this would do", p.Name)
		f.Suggest(proposed(strings.ReplaceAll(name, "_", "-"), v, p.In))
		return v
	}
	l.uses(Ref{KindPrompt, v.Prompt.Name})
	if !slices.Contains(d.Prompts, v.Prompt) {
		d.Prompts = append(d.Prompts, v.Prompt)
	}
	l.fitting(d, p, v, refuse)
	return v
}

// fitting refuses a placeholder that does not go with its prompt.
func (l *linker) fitting(d *Dataset, p ownsql.Piece, v Value, refuse func(code, format string, args ...any) *fault.Fault) {
	if !v.Prompt.Required && v.Prompt.IsAsked() || v.Prompt.Open != prompt.OpenNone && v.Prompt.Open != "" {
		refuse(NeedsAnswer, "SQL of one's own has no way without an answer, and the prompt %q can be left open; make it required, with both sides", v.Prompt.Name)
	}
	isPeriod := slices.Contains([]prompt.Type{prompt.Period, prompt.Month, prompt.Quarter, prompt.Year}, v.Prompt.Type)
	isDay := v.Prompt.Type == prompt.Day
	many := v.Prompt.Type == prompt.Days || v.Prompt.Type == prompt.Choice && v.Prompt.Many
	switch {
	case isPeriod && v.Part == WholeAnswer:
		refuse(TypeMismatch, "a period is two days: write :%[1]s_first, and :%[1]s_next_day for the day after its last", p.Name)
	case !isPeriod && !isDay && v.Part != WholeAnswer:
		refuse(TypeMismatch, "an answer of type %s has no days", v.Prompt.Type)
	case slices.Contains([]prompt.Type{prompt.Moment, prompt.MomentPeriod, prompt.TimeRange, prompt.NumberRange}, v.Prompt.Type):
		refuse(TypeMismatch, "SQL of one's own takes days, numbers, texts and choices; an answer of type %s is for criteria", v.Prompt.Type)
	case many && !p.In:
		refuse(CountMismatch, "the prompt %q takes many answers, which stand in the brackets of an IN", v.Prompt.Name)
	case (isPeriod || isDay || v.Prompt.Type == prompt.Days) && (v.Column == nil || !v.Column.Type.IsDated()):
		refuse(TypeMismatch, "name the column whose stored form :%[1]s takes, as in values: {%[1]s: COLUMN}", p.Name)
	case v.Part == LastDay && v.Column.Type.IsTimed():
		refuse(DayLost, "the column %q has a time of day: compared with the start of the last day, the rest of it is lost; write < :%s_next_day", v.Column.Name, strings.TrimSuffix(p.Name, "_last"))
	}
}

// proposed is a prompt for a placeholder, as it is written in YAML.
func proposed(name string, v Value, in bool) string {
	kind := "text"
	switch {
	case v.Part != WholeAnswer:
		kind = "period"
	case in:
		kind = "choice, many: true, choices: [...]"
	case v.Column != nil && v.Column.Type.IsDated():
		kind = "day"
	case v.Column != nil && v.Column.Type.IsNumeric():
		kind = "number"
	case v.Column != nil && v.Column.Type == record.YesNo:
		kind = "yes-no"
	}
	return "{pikegate: 1, prompt: " + name + ", ask: " + strings.ReplaceAll(name, "-", " ") + ", type: " + kind + ", required: true}"
}
