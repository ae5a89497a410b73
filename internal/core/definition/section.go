package definition

import (
	"cmp"
	"slices"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/lint"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/summary"
)

// sectionRead is a section with where its parts stand, and the prompts of its conditions.
type sectionRead struct {
	*catalog.Section
	node, query, where, compare *yaml.Node
	wide, own                   []*prompt.Prompt // of the report's condition, and of its own
}

// section = { figure: {...} } | { chart: {...} } | { table: {...} } .
//
// wide reads the condition of the report, which holds for each section, on a dataset.
func (l *linker) section(n *yaml.Node, wide func(of *catalog.Dataset) *where) (sectionRead, bool) {
	s := sectionRead{Section: &catalog.Section{}, node: n}
	sm, ok := l.mapping(n, sectionKeys())
	if !ok {
		return s, false
	}
	var of *yaml.Node
	for _, kind := range catalog.SectionKinds {
		if part := sm.take(string(kind)); part != nil {
			if of != nil {
				l.fault(part, fault.WrongValue, "a section is one of %s; a second one is an item of its own", english.Both(words(catalog.SectionKinds...)))
				return s, false
			}
			s.Kind, of = kind, part
		}
	}
	if of == nil {
		before := len(l.faults)
		if l.finish(sm, words(catalog.SectionKinds...)...); len(l.faults) == before {
			l.fault(n, fault.MissingKey, "a section is one of %s", english.Both(words(catalog.SectionKinds...))).Suggest("table: {query: NAME}")
		}
		return s, false
	}
	l.finish(sm)
	m, ok := l.mapping(of, sectionKinds[s.Kind])
	if !ok {
		return s, false
	}
	defer func() { l.finish(m) }()
	s.query = l.need(m, "query")
	s.From = named(l, s.query, fault.UnknownQuery, "query", l.catalog.Queries)
	s.Label = l.text(m.take("label"))
	s.where, s.compare = m.take("where"), m.take("compare")
	if s.From == nil || s.From.Summary != nil && len(s.From.Summary.Figures) == 0 { // which is refused
		for _, p := range m.pairs { // which say nothing without their query
			m.taken[p.key.Value] = true
		}
		return s, false
	}
	s.Query = s.From
	s.Compare = l.besides(s.compare)
	switch s.Kind {
	case catalog.Figure:
		ok = l.figureSection(s.Section, m)
	case catalog.Chart:
		ok = l.chartSection(s.Section, m)
	default:
		l.tableSection(s.Section, m)
	}
	if !ok {
		return s, false
	}
	whole := wide(s.Query.Of)
	s.Where, s.own = l.where(s.Query.Of, s.where)
	s.Where, s.wide = criteria.Both(whole.root, s.Where), whole.prompts
	if len(s.Compare) > 0 && s.Query.Summary == nil {
		l.fault(s.compare, fault.WrongValue, "records of two periods have nothing to do with each other; figures, charts and tables of summaries are compared")
	}
	l.found(n, lint.Section(s.Section))
	return s, true
}

// besides reads which periods a section is compared with.
func (l *linker) besides(n *yaml.Node) (all []prompt.Derivation) {
	if n == nil {
		return nil
	}
	items := []*yaml.Node{n}
	if n.Kind == yaml.SequenceNode {
		items = n.Content
	}
	for _, item := range items {
		d := oneOf(l.reader, item, comparisons)
		switch {
		case d == "":
		case slices.Contains(all, d):
			l.fault(item, fault.DefinedTwice, "the section is compared with %s already", d)
		default:
			all = append(all, d)
		}
	}
	return all
}

// comparisons are what a section can be compared with.
var comparisons = []prompt.Derivation{prompt.Previous, prompt.YearBefore}

// comparable refuses a comparison where no period is asked for, and warns of one whose sides can be
// left open.
func (l *linker) comparable(r *catalog.Report, s sectionRead) {
	if len(s.Compare) == 0 || s.Query.Of == nil || len(l.faults) > 0 {
		return
	}
	var period *prompt.Prompt
	s.Criteria().Walk(func(c *criteria.Node) {
		if p := c.Operand.Prompt; p != nil && p.Type.IsPeriod() && p.IsAsked() && c.Operand.Side == "" && c.Column != nil && c.Column.Type.IsDated() {
			period = cmp.Or(period, p)
		}
	})
	switch {
	case period == nil:
		l.fault(s.compare, fault.NothingToCompare, "no period is asked for that another could come before: a date has to be within a prompt of one")
	case period.Open != prompt.OpenNone && period.Open != "":
		l.warn(s.compare, fault.OpenComparison, "%q may be answered with an open side (open: %s), and then there is nothing to compare with", period.Name, period.Open)
	case !period.Required && period.Default.IsAbsent():
		l.warn(s.compare, fault.OpenComparison, "%q may be left unanswered, and then there is nothing to compare with", period.Name)
	}
}

// figureSection reads a number: a figure of a summary, of all its records together, or one that is
// written out, of a query of records.
func (l *linker) figureSection(s *catalog.Section, m *mapping) bool {
	n := l.need(m, "summary")
	if better := m.take("better"); better != nil {
		s.Better = oneOf(l.reader, better, catalog.Betters)
	}
	line := m.take("line")
	if n == nil || s.From.Of == nil {
		return false
	}
	spec := s.From.Summary
	at := 0
	switch {
	case spec == nil:
		f, ok := l.ownFigure(s.From, n)
		if !ok {
			return false
		}
		spec = &summary.Spec{Figures: []summary.Figure{f}}
	case spec.Having != nil:
		l.fault(n, fault.WrongValue, "the query %q chooses among its rows by their figures (having); a figure is of all records", s.From.Name)
		return false
	default:
		if at = l.figureOf(s.From, n); at < 0 {
			return false
		}
		if f := spec.Figures[at]; f.Kind == summary.Share {
			l.fault(n, fault.TypeMismatch, "the share that all records have of all records is the whole; name a figure that says something of them")
			return false
		}
	}
	s.Query = telling(s.From, spec.TellingOf(at, nil))
	if s.Label != "" {
		shown := *s.Query.Summary.Figures[0].Shown
		shown.Label = s.Label
		s.Query.Summary.Figures[0].Shown = &shown
		s.Query.Show = s.Query.Summary.Shown()
	}
	if line != nil {
		of := &summary.Spec{}
		l.groups(s.From, of, &yaml.Node{Kind: yaml.SequenceNode, Content: []*yaml.Node{line}, Line: line.Line, Column: line.Column}, map[string]bool{})
		switch {
		case len(of.Groups) == 0:
			return false
		case of.Groups[0].By.Unit() == 0:
			l.fault(line, fault.WrongValue, "a line goes along a unit of the calendar").Suggest(written(of.Groups[0].Of.Name, "{by: day}"))
			return false
		}
		of.Groups[0].Fill = true
		s.Line = telling(s.From, s.Query.Summary.TellingOf(0, of.Groups))
	}
	return true
}

// ownFigure reads a figure that stands in a section: count, or what a column comes to.
func (l *linker) ownFigure(q *catalog.Query, n *yaml.Node) (summary.Figure, bool) {
	p := pair{key: &yaml.Node{Kind: yaml.ScalarNode, Value: "records", Line: n.Line, Column: n.Column}, value: n}
	f, _, ok := l.figure(q, p)
	switch {
	case !ok:
		return f, false
	case f.Kind.IsOfFigures():
		l.fault(n, fault.WrongValue, "%s is told of figures, which a query of records has none of; name a figure of a summary", f.Kind)
		return f, false
	case f.Of != nil:
		if f.Shown.Label == f.Shown.Name {
			f.Shown.Label = f.Of.Label
		}
		f.Shown.Name = f.Of.Name
	}
	return f, true
}

// figureOf is the place of the figure of a summary that is named, -1 where it has none such.
func (l *linker) figureOf(q *catalog.Query, n *yaml.Node) int {
	name := l.text(n)
	if name == "" {
		return -1
	}
	var names []string
	for i, f := range q.Summary.Figures {
		if f.Shown.Name == name {
			return i
		}
		names = append(names, f.Shown.Name)
	}
	l.fault(n, fault.UnknownColumn, "the summary has no figure %q", english.Shorten(name)).Suggest(fault.Near(name, names))
	return -1
}

// groupOf is the place of the group of a summary that is named, -1 where it has none such.
func (l *linker) groupOf(q *catalog.Query, n *yaml.Node) int {
	name := l.text(n)
	if name == "" {
		return -1
	}
	var names []string
	for i, g := range q.Summary.Groups {
		if g.Shown.Name == name {
			return i
		}
		names = append(names, g.Shown.Name)
	}
	l.fault(n, fault.UnknownColumn, "the query %q is not grouped by %q", q.Name, english.Shorten(name)).Suggest(fault.Near(name, names))
	return -1
}

// telling is a query that tells something else in sum.
func telling(q *catalog.Query, spec *summary.Spec) *catalog.Query {
	told := *q
	told.Summary, told.Sort = spec, nil
	told.Show = spec.Shown()
	return &told
}

// chartSection reads a chart: a figure of a summary along one of its groups, split by another.
//
// Its steps read one key each.
func (l *linker) chartSection(s *catalog.Section, m *mapping) bool {
	kind, across, up, split := l.need(m, "kind"), l.need(m, "across"), l.need(m, "up"), m.take("split")
	first, stacked := m.take("first"), m.take("stacked")
	if kind == nil || across == nil || up == nil {
		return false
	}
	if s.From.Summary == nil {
		l.fault(across, fault.TypeMismatch, "a chart is drawn of a summary; the query %q shows records", s.From.Name)
		return false
	}
	s.Drawn = catalog.Drawn{As: oneOf(l.reader, kind, catalog.DrawnKinds), Across: l.groupOf(s.From, across), Split: -1, Stacked: l.yes(stacked)}
	at := l.figureOf(s.From, up)
	if split != nil {
		s.Drawn.Split = l.groupOf(s.From, split)
	}
	if s.Drawn.As == "" || s.Drawn.Across < 0 || at < 0 || split != nil && s.Drawn.Split < 0 {
		return false
	}
	groups := s.From.Summary.Groups
	along, figure := groups[s.Drawn.Across], s.From.Summary.Figures[at]
	switch {
	case !figure.Shown.Type.IsNumeric():
		l.fault(up, fault.TypeMismatch, "numbers are drawn; %q is of type %s", figure.Shown.Name, figure.Shown.Type)
		return false
	case s.Drawn.Across == s.Drawn.Split:
		l.fault(split, fault.WrongValue, "the chart goes along %q already; it is split by another group", along.Shown.Name)
		return false
	case (s.Drawn.As == catalog.LineChart || s.Drawn.As == catalog.AreaChart) && along.By == summary.Values:
		l.fault(kind, fault.WrongValue, "between values there is nothing that a line could show; %q is drawn as columns or bars", along.Shown.Name).Suggest("kind: bar")
		return false
	case s.Drawn.As == catalog.ShareChart && (split == nil || !figure.Kind.AddsUp()):
		l.fault(kind, fault.WrongValue, "a share has a whole: the chart is split by a group, and its figure is a count of records or a sum")
		return false
	case s.Drawn.Stacked && (split == nil || !figure.Kind.AddsUp()):
		l.fault(stacked, fault.WrongValue, "what is stacked adds up: the chart is split by a group, and its figure is a count of records or a sum")
		return false
	}
	for i, g := range groups {
		if i != s.Drawn.Across && i != s.Drawn.Split {
			l.fault(across, fault.WrongValue, "the query %q is grouped by %q too, which the chart does not draw", s.From.Name, g.Shown.Name).Suggest("split: " + g.Shown.Name)
			return false
		}
	}
	spec := s.From.Summary.TellingOf(at, groups)
	s.Query = telling(s.From, spec)
	most := catalog.MostSeries
	if first != nil {
		if most = l.whole(first, 1); s.Drawn.Split >= 0 && most > catalog.MostSeries {
			l.fault(first, fault.WrongValue, "a chart has %d series at most; nobody tells more apart", catalog.MostSeries)
			return false
		}
	}
	switch {
	case split != nil:
		spec.Series = summary.Series{Group: s.Drawn.Split, First: most}
	case along.By == summary.Values:
		if s.Query.Sort = s.From.Sort; first != nil {
			spec.First, spec.Rest = most, true
		}
	case first != nil:
		l.fault(first, fault.WrongValue, "time is drawn as a whole; first says how many series a split has, or how many values a chart along values")
		return false
	}
	return true
}

// tableSection reads a table.
func (l *linker) tableSection(s *catalog.Section, m *mapping) {
	l.totalled(s, m.take("totals"))
	l.subtotalled(s, m.take("subtotals"))
	first, rest := m.take("first"), m.take("rest")
	if first != nil {
		if n := l.whole(first, 1); s.Query.Summary == nil {
			l.fault(first, fault.TypeMismatch, "first is of a summary; records come page by page")
		} else {
			spec := *s.Query.Summary
			spec.First, spec.Rest = n, l.yes(rest)
			q := *s.Query
			q.Summary, s.Query = &spec, &q
		}
	} else if rest != nil {
		l.fault(rest, fault.MissingKey, "the rest is what comes behind the first rows; say how many these are").Suggest("first: 10")
	}
	l.readerMay(s, m.take("reader_may"), m.take("offer"))
}

// totalled reads which columns of a table have a total: numbers of records, and figures of summaries
// that add up.
func (l *linker) totalled(s *catalog.Section, n *yaml.Node) {
	for i, name := range l.texts(n) {
		c := l.shown(s.Query.Name, s.Query.Show, n.Content[i], name)
		if c == nil {
			continue
		}
		has := c.Type.IsNumeric()
		if spec := s.Query.Summary; spec != nil {
			has = has && slices.ContainsFunc(spec.Figures, func(f summary.Figure) bool { return f.Shown == c && f.HasTotal() })
		}
		if !has {
			l.fault(n.Content[i], fault.TypeMismatch, "%q has no total: only numbers have one, and figures that add up", name)
			continue
		}
		s.Totals = append(s.Totals, c)
	}
}

// subtotalled = COLUMN | { COLUMN: { by: UNIT } } : what the table is sorted by first.
func (l *linker) subtotalled(s *catalog.Section, n *yaml.Node) {
	if n == nil {
		return
	}
	q := s.Query
	if len(s.Totals) == 0 {
		l.fault(n, fault.MissingKey, "subtotals are of the columns that have a total; name them").Suggest("totals: [" + firstNumber(q.Show) + "]")
		return
	}
	if q.Summary != nil {
		at := l.groupOf(q, n)
		if at < 0 {
			return
		}
		if g := q.Summary.Groups[at]; at > 0 || len(q.Summary.Groups) < 2 || len(q.Sort) > 0 && q.Sort[0].Column != g.Shown {
			l.fault(n, fault.WrongValue, "subtotals stand under rows that lie together: the summary is grouped and sorted by %q first, and by another after it", g.Shown.Name)
			return
		}
		spec := *q.Summary
		spec.Parted = true
		own := *q
		own.Summary, s.Query, s.Subtotals = &spec, &own, &spec.Groups[0]
		return
	}
	of := &summary.Spec{}
	l.groups(q, of, &yaml.Node{Kind: yaml.SequenceNode, Content: []*yaml.Node{n}, Line: n.Line, Column: n.Column}, map[string]bool{})
	if len(of.Groups) == 0 {
		return
	}
	g := of.Groups[0]
	if g.By.Comes() || len(q.Sort) == 0 || q.Sort[0].Column != g.Of {
		l.fault(n, fault.WrongValue, "subtotals stand under records that lie together: the query is sorted by %q first", g.Of.Name).Suggest(g.Of.Name)
		return
	}
	s.Subtotals = &g
}

// firstNumber is the name of the first column of numbers.
func firstNumber(columns []*column.Column) string {
	for _, c := range columns {
		if c.Type.IsNumeric() {
			return c.Name
		}
	}
	return "COLUMN"
}

// readerMay reads what a reader may change of a table, and the columns that can be added to it.
func (l *linker) readerMay(s *catalog.Section, n, offer *yaml.Node) {
	if n != nil && s.Query.Summary != nil {
		l.fault(n, fault.TypeMismatch, "readers choose among columns of records; this is a summary")
		return
	}
	if n != nil && n.Kind != yaml.SequenceNode {
		l.wrongType(n, "a list")
		return
	}
	if n != nil {
		for _, item := range n.Content {
			if f := oneOf(l.reader, item, catalog.Freedoms); f != "" && !s.Has(f) {
				s.ReaderMay = append(s.ReaderMay, f)
			}
		}
	}
	for i, name := range l.texts(offer) {
		if c := l.columnOf(s.Query.Of, offer.Content[i], name); c != nil && !slices.Contains(s.Query.Show, c) && !slices.Contains(s.Offers, c) {
			s.Offers = append(s.Offers, c)
		}
	}
	if offer != nil && !s.Has(catalog.Columns) && !s.Has(catalog.Grouped) {
		l.fault(offer, fault.MissingKey, "columns are offered to readers who may choose them").Suggest("reader_may: [columns]")
	}
}
