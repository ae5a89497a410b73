package definition

import (
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/summary"
)

// summary reads what a query tells in sum, nil for a query of records. Its groups and figures are
// the columns of the result.
func (l *linker) summary(q *catalog.Query, m *mapping) *summary.Spec {
	group, figures := m.take("group"), m.take("summaries")
	if group == nil && figures == nil {
		return nil
	}
	s := &summary.Spec{}
	taken := map[string]bool{}
	l.groups(q, s, group, taken)
	if figures == nil {
		l.fault(group, fault.MissingKey, "%s", missing("summaries")).Suggest("summaries: {records: count}")
		return s
	}
	fm, ok := l.open(figures)
	if !ok {
		return s
	}
	if len(fm.pairs) == 0 {
		l.fault(figures, fault.EmptyGroup, "a summary has a figure at least")
	}
	of := map[int]*yaml.Node{} // what figures of figures name, by their place
	for _, p := range fm.pairs {
		if taken[p.key.Value] {
			l.fault(p.key, fault.DefinedTwice, "the summary has %q already; a figure needs a name of its own", english.Shorten(p.key.Value))
		}
		taken[p.key.Value] = true
		if f, n, ok := l.figure(q, p); ok {
			of[len(s.Figures)] = n
			s.Figures = append(s.Figures, f)
		}
	}
	for i := range s.Figures {
		if f := &s.Figures[i]; f.Kind.IsOfFigures() {
			l.ofFigures(s, f, of[i])
		}
	}
	return s
}

// ofFigures finds the figures that a figure is of.
func (l *linker) ofFigures(s *summary.Spec, f *summary.Figure, n *yaml.Node) {
	items := []*yaml.Node{n}
	if f.Kind == summary.Per {
		if items = n.Content; n.Kind != yaml.SequenceNode || len(items) != 2 {
			l.fault(n, fault.CountMismatch, "per has two figures, the first of which is divided by the second").Suggest("per: [a, b]")
			return
		}
	}
	for _, item := range items {
		name := l.text(item)
		at := slices.IndexFunc(s.Figures, func(other summary.Figure) bool { return other.Shown.Name == name })
		switch {
		case name == "":
			continue
		case at < 0:
			var names []string
			for _, other := range s.Figures {
				names = append(names, other.Shown.Name)
			}
			l.fault(item, fault.UnknownColumn, "the summary has no figure %q", english.Shorten(name)).Suggest(fault.Near(name, names))
			continue
		}
		switch other := s.Figures[at]; {
		case other.Kind.IsOfFigures():
			l.fault(item, fault.TypeMismatch, "%s is not told of %q, which is of other figures itself", f.Kind, name)
		case f.Kind == summary.Share && !other.Kind.AddsUp():
			l.fault(item, fault.TypeMismatch, "%s is told of a count of records or a sum; %q is none", f.Kind, name)
		case !other.Shown.Type.IsNumeric():
			l.fault(item, fault.TypeMismatch, "%s is told of numbers; %q is of type %s", f.Kind, name, other.Shown.Type)
		default:
			f.From = append(f.From, at)
		}
	}
	if f.Kind == summary.Per && len(f.From) == 2 {
		above, below := s.Figures[f.From[0]].Shown.Unit, s.Figures[f.From[1]].Shown.Unit
		if f.Shown.Unit = above; above != "" && below != "" {
			f.Shown.Unit = above + "/" + below
		}
	}
}

// groups = [ COLUMN | { COLUMN: { by: UNIT [, fill: true] } } ... ] .
func (l *linker) groups(q *catalog.Query, s *summary.Spec, n *yaml.Node, taken map[string]bool) {
	if n == nil {
		return
	}
	if n.Kind != yaml.SequenceNode {
		l.wrongType(n, "a list of columns")
		return
	}
	for _, item := range n.Content {
		name, g := item, summary.Group{}
		if item.Kind == yaml.MappingNode {
			m, _ := l.open(item)
			if len(m.pairs) != 1 {
				l.fault(item, fault.WrongValue, "a group names one column; several are items of the list")
				continue
			}
			name = m.pairs[0].key
			if how, ok := l.mapping(m.pairs[0].value, groupKeys); ok {
				if by := l.need(how, "by"); by != nil {
					g.By = oneOf(l.reader, by, summary.Bys)
				}
				g.Fill = l.yes(how.take("fill"))
				l.finish(how)
			}
		}
		if g.Of = l.columnOf(q.Of, name, l.text(name)); g.Of == nil {
			continue
		}
		if taken[g.Of.Name] {
			l.fault(name, fault.DefinedTwice, "the summary is grouped by %q already", g.Of.Name)
			continue
		}
		taken[g.Of.Name] = true
		if l.grouped(name, g) {
			g.Shown = g.ShownAs(g.Of.Name, g.Of.Label)
			s.Groups = append(s.Groups, g)
		}
	}
}

// grouped refuses what records cannot be grouped by.
func (l *linker) grouped(n *yaml.Node, g summary.Group) bool {
	why := g.Refused()
	if why == "" {
		return true
	}
	f := l.fault(n, fault.TypeMismatch, "%s", why)
	if g.Of.Type.IsDated() && g.By == summary.Values {
		f.Suggest(written(g.Of.Name, "{by: month}"))
	}
	return false
}

// figure = NAME: count | NAME: { count: records | KIND: COLUMN | share_of_total: FIGURE | per: [FIGURE, FIGURE]
// [, scale: N] [, label: TEXT] } .
//
// It tells what stands behind the kind too.
func (l *linker) figure(q *catalog.Query, p pair) (f summary.Figure, of *yaml.Node, ok bool) {
	label := strings.ReplaceAll(p.key.Value, "_", " ")
	if p.value.Kind == yaml.ScalarNode {
		f.Kind = summary.Count
		f.Shown = f.ShownAs(p.key.Value, label, nil)
		if p.value.Value != string(summary.Count) {
			l.noFigure(p.value).Suggest(string(summary.Count))
		}
		return f, nil, true
	}
	m, ok := l.mapping(p.value, figureKeys())
	if !ok {
		return f, nil, false
	}
	for _, kind := range summary.Kinds {
		if n := m.take(string(kind)); n != nil {
			if of != nil {
				l.fault(n, fault.WrongValue, "a figure is of one kind; write a second one as a figure of its own")
			}
			f.Kind, of = kind, n
		}
	}
	if of == nil {
		before := len(l.faults)
		if l.finish(m, words(summary.Kinds...)...); len(l.faults) == before {
			l.noFigure(p.value)
		}
		return f, nil, false
	}
	if text := l.text(m.take("label")); text != "" {
		label = text
	}
	var digits *int
	if f.Kind == summary.Average || f.Kind.IsOfFigures() {
		if n := m.take("scale"); n != nil {
			scale := l.scale(n)
			digits = &scale
		}
	}
	l.finish(m, string(f.Kind))
	switch {
	case f.Kind.IsOfFigures():
	case f.Kind == summary.Count:
		if l.text(of) != "records" {
			l.fault(of, fault.WrongValue, "count is of records; different values of a column are counted by count_distinct").Suggest("records")
		}
	default:
		if f.Of = l.columnOf(q.Of, of, l.text(of)); f.Of == nil {
			return f, nil, false
		}
		if !f.Kind.Takes(f.Of) {
			l.fault(of, fault.TypeMismatch, "%s is not told of the column %q, which is of type %s", f.Kind, f.Of.Name, f.Of.Type)
			return f, nil, false
		}
	}
	f.Shown = f.ShownAs(p.key.Value, label, digits)
	return f, of, true
}

// noFigure refuses what is no figure.
func (l *linker) noFigure(n *yaml.Node) *fault.Fault {
	return l.fault(n, fault.WrongValue, "a figure is count, or has one of %s with what it is of", english.Both(words(summary.Kinds[1:]...)))
}

// resultOf are columns of a summary as what criteria and sorts are on.
func resultOf(q *catalog.Query, columns []*column.Column) *catalog.Dataset {
	result := &catalog.Dataset{Name: q.Name, Columns: columns, Summed: true}
	if q.Of != nil {
		result.Source = q.Of.Source
	}
	return result
}

// having reads the conditions on figures. The prompts that they use are the query's too.
func (l *linker) having(q *catalog.Query, n *yaml.Node) {
	if n == nil {
		return
	}
	w := l.read(&where{of: resultOf(q, q.Show[len(q.Summary.Groups):])}, n)
	q.Summary.Having = w.root
	w.root.Walk(func(c *criteria.Node) {
		if c.Column != nil && !c.Column.Type.IsNumeric() {
			l.fault(l.places[c], fault.TypeMismatch, "conditions on figures are on numbers; %q is of type %s", c.Column.Name, c.Column.Type)
		}
	})
	for _, p := range w.prompts {
		if !slices.Contains(q.Prompts, p) {
			q.Prompts = append(q.Prompts, p)
		}
	}
}
