package definition

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
)

// The codes of what does not fit together.
const (
	UnknownSource  = "unknown_source"
	UnknownDataset = "unknown_dataset"
	UnknownColumn  = "unknown_column"
	UnknownPrompt  = "unknown_prompt"
	UnknownQuery   = "unknown_query"
	UnknownZone    = "unknown_zone"
	TypeMismatch   = "type_mismatch"
	CountMismatch  = "count_mismatch"
	EmptyGroup     = "empty_group"
	DefinedTwice   = "defined_twice"
	PromptNotAsked = "prompt_not_asked"
	CannotDerive   = "cannot_derive"
	OpenDerived    = "open_side_derived"
	IndexNotUsed   = "index_not_used"
	BadPattern     = "pattern_not_read"
	OutsideLimits  = "outside_own_limits"
)

// Link reads all documents and resolves their references. The as-of day and
// day order of the setting are those that defaults and limits are tried on; without a
// zone, moments are tried in UTC at the end of the day.
// The catalog is complete only where the list is empty.
func Link(docs []Document, s phrase.Setting) (*Catalog, fault.List) {
	l := linker{setting: s}
	l.link(docs)
	return l.catalog, l.all
}

// Load is Link for definitions that were checked when they were stored. What
// does not fit all the same is left out, with everything that builds on it,
// and its faults are returned; what is in the catalog is whole. Defaults and
// limits are not tried again: a day that passes must not take a report away.
func Load(docs []Document, s phrase.Setting) (*Catalog, fault.List) {
	var all fault.List
	for {
		l := linker{setting: s, loading: true}
		l.link(docs)
		if len(l.all) == 0 {
			return l.catalog, all
		}
		all = append(all, l.all...)
		docs = slices.DeleteFunc(slices.Clone(docs), func(d Document) bool { return l.broken[d.Ref] })
	}
}

func (l *linker) link(docs []Document) {
	l.catalog, l.refs, l.broken = newCatalog(), map[Ref]*Document{}, map[Ref]bool{}
	l.setting.Seasons = l.catalog.Seasons
	if l.setting.Zone == nil {
		l.setting.Zone = time.UTC
		l.setting.Now = civil.FirstInstant(l.setting.AsOf+1, time.UTC) - 1
	}
	byKind := map[Kind][]*Document{}
	for i := range docs {
		d := &docs[i]
		if first, taken := l.refs[d.Ref]; taken {
			l.all, l.broken[d.Ref] = append(l.all, twice(d, first)), true
			continue
		}
		l.refs[d.Ref] = d
		byKind[d.Kind] = append(byKind[d.Kind], d)
	}
	slices.SortStableFunc(byKind[KindPrompt], func(a, b *Document) int { return cmp.Compare(rank(a), rank(b)) })
	for _, kind := range Kinds {
		for _, d := range byKind[kind] {
			l.document(d)
		}
	}
	slices.SortStableFunc(l.all, byPlace)
}

func byPlace(a, b *fault.Fault) int {
	return cmp.Or(strings.Compare(a.Place.File, b.Place.File), cmp.Compare(a.Place.Line, b.Place.Line), cmp.Compare(a.Place.Column, b.Place.Column))
}

// rank puts derived prompts after those that they are worked out from.
func rank(d *Document) int {
	r := d.read()
	if m, ok := r.mapping(r.root); ok && m.take("derived") != nil {
		return 1
	}
	return 0
}

// Twice finds names that are defined more than once. Documents whose name could
// not be read are left alone.
func Twice(docs []Document) fault.List {
	var faults fault.List
	first := map[Ref]*Document{}
	for i := range docs {
		d := &docs[i]
		if d.Name == "" {
			continue
		}
		if earlier, taken := first[d.Ref]; taken {
			faults = append(faults, twice(d, earlier))
			continue
		}
		first[d.Ref] = d
	}
	return faults
}

func twice(d, first *Document) *fault.Fault {
	return fault.New(DefinedTwice, "the %s is defined at %s:%d already", d.Ref, first.File, first.Line).
		At(fault.Place{File: d.File, Line: d.Line, Column: 1})
}

type linker struct {
	*reader // of the document at hand
	catalog *Catalog
	setting phrase.Setting
	refs    map[Ref]*Document
	broken  map[Ref]bool
	loading bool // the documents were checked before
	all     fault.List
}

func (l *linker) document(d *Document) {
	l.reader = d.read()
	defer func() {
		l.all = append(l.all, l.faults...)
		if len(l.warnings) > 0 {
			l.catalog.Warnings[d.Ref] = l.warnings
		}
		l.broken[d.Ref] = len(l.faults) > 0
	}()
	m, ok := l.mapping(l.root)
	if !ok {
		return
	}
	m.take("pikegate")
	m.take(string(d.Kind))
	switch d.Kind {
	case KindSource:
		l.catalog.Sources[d.Name] = l.source(d.Name, m)
	case KindDataset:
		l.catalog.Datasets[d.Name] = l.dataset(d.Name, m)
	case KindPeriod:
		l.catalog.Seasons[d.Name] = l.season(m)
	case KindPrompt:
		l.catalog.Prompts[d.Name] = l.prompt(d.Name, m)
	case KindQuery:
		l.catalog.Queries[d.Name] = l.query(d.Name, m)
	case KindReport:
		l.catalog.Reports[d.Name] = l.report(d.Name, m)
	}
	l.finish(m)
}

// named resolves a reference; an unknown name is refused with a near one.
func named[T any](l *linker, n *yaml.Node, code, what string, known map[string]*T) *T {
	name := l.text(n)
	if name == "" {
		return nil
	}
	if found := known[name]; found != nil {
		return found
	}
	f := l.fault(n, code, "no %s %q", what, fault.Shorten(name))
	if near := fault.Near(name, slices.Sorted(maps.Keys(known))); near != "" {
		f.Suggest(near)
	}
	return nil
}

func (l *linker) source(name string, m *mapping) *Source {
	s := &Source{Name: name, Title: l.text(m.take("title"))}
	if zone := l.need(m, "zone"); zone != nil {
		s.Zone = l.zone(zone)
	}
	if s.Clock = l.text(m.take("clock")); s.Clock == "" && s.Zone != nil {
		s.Clock = s.Zone.String()
	}
	return s
}

// zone reads the name of an IANA zone, nil for an unknown one.
func (l *linker) zone(n *yaml.Node) *time.Location {
	zone, err := civil.LoadZone(l.text(n))
	if err != nil {
		f := l.fault(n, UnknownZone, "%s", err)
		if near := fault.Near(n.Value, civil.ZoneNames()); near != "" {
			f.Suggest(near)
		}
		return nil
	}
	return zone
}

// season reads a named period of the business.
func (l *linker) season(m *mapping) phrase.Season {
	s := phrase.Season{From: l.monthDay(l.need(m, "from")), Through: l.monthDay(l.need(m, "through"))}
	years := m.take("years")
	for i := range l.texts(years) {
		s.Years = append(s.Years, l.whole(years.Content[i], 1))
	}
	return s
}

func (l *linker) monthDay(n *yaml.Node) phrase.MonthDay {
	text := l.text(n)
	d, ok := phrase.ParseMonthDay(text)
	if !ok && text != "" {
		l.fault(n, WrongValue, "a day of the year such as 1 Jun is wanted here, and this is %q", fault.Shorten(text))
	}
	return d
}

func (l *linker) dataset(name string, m *mapping) *Dataset {
	d := &Dataset{Name: name}
	if d.Title = l.text(m.take("title")); d.Title == "" {
		d.Title = name
	}
	d.Source = named(l, l.need(m, "source"), UnknownSource, "source", l.catalog.Sources)
	d.Table = l.text(l.need(m, "table"))
	key := l.need(m, "key")
	if columns := l.need(m, "columns"); columns != nil {
		if cm, ok := l.mapping(columns); ok {
			for _, p := range cm.pairs {
				if c := l.column(p); c != nil {
					d.Columns = append(d.Columns, c)
				}
			}
			if len(cm.pairs) == 0 {
				l.fault(columns, EmptyGroup, "a dataset needs a column at least")
			}
		}
	}
	for i, name := range l.texts(key) {
		if c := l.columnOf(d, key.Content[i], name); c != nil {
			d.Key = append(d.Key, c)
		}
	}
	if key != nil && key.Kind == yaml.SequenceNode && len(key.Content) == 0 {
		l.fault(key, EmptyGroup, "a dataset needs a key: the columns that tell one record from every other")
	}
	return d
}

func (l *linker) column(p pair) *record.Column {
	m, ok := l.mapping(p.value)
	if !ok {
		return nil
	}
	c := &record.Column{Name: p.key.Value}
	if c.Label = l.text(m.take("label")); c.Label == "" {
		c.Label = strings.ReplaceAll(c.Name, "_", " ")
	}
	c.Type = oneOf(l.reader, l.need(m, "type"), record.Types)
	switch {
	case c.Type == record.Decimal:
		c.Scale = l.whole(l.need(m, "scale"), 0)
		c.Unit = l.text(m.take("unit"))
	case c.Type == record.Integer:
		c.Unit = l.text(m.take("unit"))
	case c.Type.IsDated():
		l.stored(c, m)
	}
	l.finish(m)
	return c
}

func (l *linker) stored(c *record.Column, m *mapping) {
	c.Stored = oneOf(l.reader, l.need(m, "stored"), record.StoredForms[c.Type])
	if c.Stored != record.StoredText {
		return
	}
	pattern := l.need(m, "pattern")
	if pattern == nil {
		return
	}
	if zone := m.take("zone"); zone != nil {
		if c.Zone = l.zone(zone); c.Type != record.Instant {
			l.fault(zone, TypeMismatch, "only the text of an instant is in a zone; the column %q is of type %s", c.Name, c.Type)
		}
	}
	var err error
	if c.Pattern, err = record.ParsePattern(l.text(pattern)); err != nil {
		l.fault(pattern, BadPattern, "%s", err)
		return
	}
	if c.Pattern.HasTime() != (c.Type != record.Date) {
		l.fault(pattern, TypeMismatch, "a date's pattern has no time of day, and that of a datetime or an instant has one; this is %q on a column of type %s", c.Pattern, c.Type)
	}
}

// columnOf finds a column of the dataset by name, and refuses an unknown one.
func (l *linker) columnOf(d *Dataset, n *yaml.Node, name string) *record.Column {
	if d == nil || name == "" {
		return nil
	}
	if c := d.Column(name); c != nil {
		return c
	}
	names := make([]string, len(d.Columns))
	for i, c := range d.Columns {
		names[i] = c.Name
	}
	f := l.fault(n, UnknownColumn, "no column %q in dataset %q", fault.Shorten(name), d.Name)
	if near := fault.Near(name, names); near != "" {
		f.Suggest(near)
	}
	return nil
}

func (l *linker) query(name string, m *mapping) *Query {
	q := &Query{Name: name}
	q.Of = named(l, l.need(m, "of"), UnknownDataset, "dataset", l.catalog.Datasets)
	show := l.need(m, "show")
	for i, column := range l.texts(show) {
		if c := l.columnOf(q.Of, show.Content[i], column); c != nil {
			q.Show = append(q.Show, c)
		}
	}
	if show != nil && show.Kind == yaml.SequenceNode && len(show.Content) == 0 {
		l.fault(show, EmptyGroup, "a query shows a column at least")
	}
	if where := m.take("where"); where != nil {
		q.Where = l.node(q, where)
	}
	sort := m.take("sort")
	for i, text := range l.texts(sort) {
		column, way, _ := strings.Cut(text, " ")
		c := l.columnOf(q.Of, sort.Content[i], column)
		if way != "" && way != "ascending" && way != "descending" {
			l.fault(sort.Content[i], WrongValue, "a sort is a column, ascending or descending; %q is neither", way)
		}
		if c != nil {
			q.Sort = append(q.Sort, criteria.Sort{Column: c, Descending: way == "descending"})
		}
	}
	return q
}

// node = { all: [node...] } | { any: [node...] } | { COLUMN: condition } .
func (l *linker) node(q *Query, n *yaml.Node) *criteria.Node {
	m, ok := l.mapping(n)
	if !ok {
		return nil
	}
	if len(m.pairs) != 1 {
		l.fault(n, WrongValue, "a condition names one column, or all or any with a list; several conditions are items of such a list")
		return nil
	}
	key, value := m.pairs[0].key, m.pairs[0].value
	logic := criteria.Logic(key.Value)
	if logic != criteria.All && logic != criteria.Any {
		return l.condition(q, key, value)
	}
	if value.Kind != yaml.SequenceNode {
		l.wrongType(value, "a list of conditions")
		return nil
	}
	if len(value.Content) == 0 {
		l.fault(value, EmptyGroup, "%q has no condition in it", logic)
	}
	group := &criteria.Node{Logic: logic}
	for _, item := range value.Content {
		if child := l.node(q, item); child != nil {
			group.Nodes = append(group.Nodes, child)
		}
	}
	return group
}

// condition = missing | present | { OPERATOR: operand } .
func (l *linker) condition(q *Query, key, value *yaml.Node) *criteria.Node {
	column := l.columnOf(q.Of, key, key.Value)
	c := &criteria.Node{Column: column}
	if value.Kind == yaml.ScalarNode {
		c.Op = oneOf(l.reader, value, []criteria.Op{criteria.Missing, criteria.Present})
		return c
	}
	m, ok := l.mapping(value)
	if !ok {
		return nil
	}
	for _, op := range criteria.Ops {
		operand := m.take(string(op))
		switch {
		case operand == nil:
		case c.Op != "":
			l.fault(operand, WrongValue, "a condition has one operator; write a second one as a condition of its own")
		default:
			c.Op = op
			if column != nil {
				l.operand(q, c, operand)
				l.indexed(q, c, key)
			}
		}
	}
	l.finish(m)
	if c.Op == "" || column == nil {
		if len(m.pairs) == 0 {
			l.fault(value, EmptyGroup, "the condition on %q has no operator", key.Value)
		}
		return nil
	}
	return c
}

// indexed warns where no index can serve a condition on a dated column.
func (l *linker) indexed(q *Query, condition *criteria.Node, key *yaml.Node) {
	c := condition.Column
	if c.Type.IsDated() && condition.Op.AppliesTo(c.Type) && c.Stored == record.StoredText && c.Pattern.String() != "" && !c.Pattern.Sorts() {
		l.warn(key, IndexNotUsed, "the texts of the column %q, in the pattern %s, do not sort by time: every record of %q is converted to be compared, and no index serves", c.Name, c.Pattern, q.Of.Name)
	}
}

func (l *linker) operand(q *Query, c *criteria.Node, n *yaml.Node) {
	if !c.Op.AppliesTo(c.Column.Type) {
		l.fault(n, TypeMismatch, "%s does not apply to the column %q, which is of type %s", c.Op, c.Column.Name, c.Column.Type)
		return
	}
	if c.Op == criteria.RecursIn {
		c.Operand.Recurs = l.recurrence(n)
		return
	}
	if n.Kind == yaml.MappingNode {
		m, _ := l.mapping(n)
		name := l.need(m, "prompt")
		l.finish(m)
		if p := named(l, name, UnknownPrompt, "prompt", l.catalog.Prompts); p != nil {
			l.prompted(q, c, name, p)
		}
		return
	}
	if c.Op == criteria.ClockWithin {
		var f *fault.Fault
		if c.Operand.Times, f = phrase.TimeRange(l.text(n)); f != nil {
			l.faults = append(l.faults, f.At(l.place(n)))
		}
		return
	}
	items := []*yaml.Node{n}
	if c.Op == criteria.AnyOf {
		if n.Kind != yaml.SequenceNode {
			l.wrongType(n, "a list of values, or a prompt")
			return
		}
		if items = n.Content; len(items) == 0 {
			l.fault(n, EmptyGroup, "%q has no value in its list", c.Op)
		}
	}
	for _, item := range items {
		text := l.text(item)
		l.value(c, item, text)
		c.Operand.Texts = append(c.Operand.Texts, text)
	}
}

// recurrence = { months: [NAME | N ...] } | { quarters: [N...] } | { days: [N...] } | { weekdays: [NAME...] } .
func (l *linker) recurrence(n *yaml.Node) criteria.Recurrence {
	var r criteria.Recurrence
	m, ok := l.mapping(n)
	if !ok {
		return r
	}
	for _, part := range criteria.Parts {
		list := m.take(string(part))
		if list == nil {
			continue
		}
		if r.Part != "" {
			l.fault(list, WrongValue, "a recurrence names one part of the calendar; write %s as a condition of its own", part)
			continue
		}
		r.Part = part
		for i, text := range l.texts(list) {
			v, ok := partNamed(part, text)
			if !ok {
				l.fault(list.Content[i], WrongValue, "%q is none of the %s, which are %s", fault.Shorten(text), part, partExamples[part])
			}
			if !slices.Contains(r.Values, v) {
				r.Values = append(r.Values, v)
			}
		}
		if list.Kind == yaml.SequenceNode && len(list.Content) == 0 {
			l.fault(list, EmptyGroup, "%q has no value in its list", part)
		}
		slices.Sort(r.Values)
	}
	if l.finish(m); r.Part == "" && len(m.pairs) == 0 {
		l.fault(n, EmptyGroup, "a recurrence names months, quarters, days or weekdays")
	}
	return r
}

var partExamples = map[criteria.Part]string{criteria.Months: "jan to dec or 1 to 12", criteria.Quarters: "1 to 4", criteria.Days: "1 to 31", criteria.Weekdays: "mon to sun"}

func partNamed(part criteria.Part, text string) (int, bool) {
	n, err := strconv.Atoi(text)
	isNumber := err == nil && n >= 1
	switch part {
	case criteria.Months:
		if month, ok := phrase.MonthNamed(text); ok {
			return int(month), true
		}
		return n, isNumber && n <= 12
	case criteria.Weekdays:
		day, ok := phrase.WeekdayNamed(text)
		return int(day), ok
	case criteria.Quarters:
		return n, isNumber && n <= 4
	}
	return n, isNumber && n <= 31
}

func (l *linker) prompted(q *Query, c *criteria.Node, n *yaml.Node, p *prompt.Prompt) {
	c.Operand.Prompt = p
	if !slices.Contains(q.Prompts, p) {
		q.Prompts = append(q.Prompts, p)
	}
	if p.Derived != "" && p.Base == nil {
		return // refused where it stands
	}
	fits, many := c.Op.Takes(p, c.Column.Type)
	switch {
	case many:
		l.fault(n, CountMismatch, "the prompt %q takes many answers, and %s compares with one", p.Name, c.Op).Suggest(string(criteria.AnyOf))
	case !fits:
		l.fault(n, TypeMismatch, "an answer of type %s, as the prompt %q asks for, does not go with %s on the column %q of type %s", p.Type, p.Name, c.Op, c.Column.Name, c.Column.Type)
	case p.Type == prompt.Choice && c.Column.Type.IsNumeric():
		for _, o := range p.Choices {
			l.value(c, n, o.Value)
		}
	}
}

// value checks a value as written against the column's type.
func (l *linker) value(c *criteria.Node, n *yaml.Node, text string) {
	switch {
	case c.Column.Type.IsNumeric():
		l.decimal(&yaml.Node{Kind: yaml.ScalarNode, Value: text, Line: n.Line, Column: n.Column})
	case c.Column.Type.IsDated() && text != "":
		read := phrase.Day
		if c.Op == criteria.Within {
			read = phrase.Period
		}
		if _, f := read(text, l.setting); f != nil {
			l.faults = append(l.faults, f.At(l.place(n)))
		}
	}
}

func (l *linker) report(name string, m *mapping) *Report {
	r := &Report{Name: name, Title: l.text(l.need(m, "title")), About: l.text(m.take("about")), Shelf: l.text(m.take("shelf"))}
	prompts := m.take("prompts")
	for i := range l.texts(prompts) {
		p := named(l, prompts.Content[i], UnknownPrompt, "prompt", l.catalog.Prompts)
		switch {
		case p == nil:
		case p.Derived != "":
			l.fault(prompts.Content[i], CannotDerive, "the prompt %q is worked out and not asked; a query may use it where the report asks %q", p.Name, baseName(p))
		default:
			r.Prompts = append(r.Prompts, p)
		}
	}
	sections := l.need(m, "sections")
	if sections == nil {
		return r
	}
	if sections.Kind != yaml.SequenceNode || len(sections.Content) != 1 {
		l.fault(sections, WrongValue, "a report has a list of one section, a table")
		return r
	}
	sm, ok := l.mapping(sections.Content[0])
	if !ok {
		return r
	}
	if table := l.need(sm, "table"); table != nil {
		if tm, ok := l.mapping(table); ok {
			query := l.need(tm, "query")
			r.Table = named(l, query, UnknownQuery, "query", l.catalog.Queries)
			l.finish(tm)
			l.asked(r, query)
		}
	}
	l.finish(sm)
	return r
}

// asked refuses a report that does not ask what its query needs to know.
func (l *linker) asked(r *Report, n *yaml.Node) {
	if r.Table == nil {
		return
	}
	for _, p := range r.Table.Prompts {
		if p.Derived != "" {
			r.Derived = append(r.Derived, p)
			p = p.Base
		}
		if p != nil && !slices.Contains(r.Prompts, p) {
			l.fault(n, PromptNotAsked, "the query %q uses the prompt %q, which this report does not ask; add it to prompts", r.Table.Name, p.Name)
		}
	}
}

func (l *linker) prompt(name string, m *mapping) *prompt.Prompt {
	p := &prompt.Prompt{Name: name, Ask: l.text(l.need(m, "ask")), Help: l.text(m.take("help"))}
	if derived := m.take("derived"); derived != nil {
		l.derived(p, derived)
		return p
	}
	p.Type = oneOf(l.reader, l.need(m, "type"), prompt.Types)
	p.Required = l.yes(m.take("required"))
	at := map[string]*yaml.Node{}
	take := func(key string) *yaml.Node {
		at[key] = m.take(key)
		return at[key]
	}
	p.Default = l.entered(take("default"))
	switch p.Type {
	case prompt.Period, prompt.MomentPeriod:
		p.Open = oneOf(l.reader, m.take("open"), prompt.OpenSides)
		p.Offer = l.texts(take("offer"))
		l.lengths(p, m)
		l.dayLimits(p, m, take)
	case prompt.Month, prompt.Quarter, prompt.Year:
		p.Pair = l.yes(m.take("pair"))
		p.Offer = l.texts(take("offer"))
		if p.Pair {
			l.lengths(p, m)
		}
		l.dayLimits(p, m, take)
	case prompt.TimeRange:
		p.Offer = l.texts(take("offer"))
	case prompt.Moment:
		l.dayLimits(p, m, take)
	case prompt.Day:
		l.dayLimits(p, m, take)
	case prompt.Days:
		p.AtLeast, p.AtMost = l.whole(m.take("at_least"), 1), l.whole(m.take("at_most"), 1)
		l.dayLimits(p, m, take)
	case prompt.Number:
		p.Least, p.Most, p.Unit = l.decimal(m.take("at_least")), l.decimal(m.take("at_most")), l.text(m.take("unit"))
	case prompt.Choice:
		p.Many = l.yes(m.take("many"))
		if p.Many {
			p.AtLeast, p.AtMost = l.whole(m.take("at_least"), 1), l.whole(m.take("at_most"), 1)
		}
		p.Choices = l.choices(l.need(m, "choices"))
	}
	if l.loading || len(l.faults) > 0 {
		return p
	}
	for _, problem := range p.Problems(l.setting) {
		n := at[problem.Key]
		if n.Kind == yaml.SequenceNode && problem.Index < len(n.Content) {
			n = n.Content[problem.Index]
		}
		f := problem.Fault
		f.Message = fmt.Sprintf("%s: %s", problem.Key, f.Message)
		if problem.Key == "default" || problem.Key == "offer" {
			f = &fault.Fault{Code: OutsideLimits, Message: f.Message, Suggestions: f.Suggestions, Cause: problem.Fault}
		}
		l.faults = append(l.faults, f.At(l.place(n)))
	}
	return p
}

// derived reads what a prompt is worked out from: "previous travel-period".
func (l *linker) derived(p *prompt.Prompt, n *yaml.Node) {
	text := l.text(n)
	for _, d := range prompt.Derivations {
		name, ok := strings.CutPrefix(text, string(d)+" ")
		if !ok {
			continue
		}
		p.Derived, p.Type = d, prompt.Period
		if d == prompt.StartOf || d == prompt.EndOf {
			p.Type = prompt.Day
		}
		base := *n
		base.Value, base.Column = name, n.Column+len(d)+1
		if b := l.catalog.Prompts[name]; b == nil && l.refs[Ref{KindPrompt, name}] != nil || b != nil && b.Derived != "" {
			l.fault(&base, CannotDerive, "the prompt %q is worked out itself; only answers to prompts that are asked lead to others", name)
			return
		}
		p.Base = named(l, &base, UnknownPrompt, "prompt", l.catalog.Prompts)
		switch {
		case p.Base == nil:
		case !p.Base.Type.IsPeriod():
			l.fault(&base, CannotDerive, "%q asks for an answer of type %s, which has no %s; days and periods of days have", name, p.Base.Type, d)
		case p.Base.Open != "" && p.Base.Open != prompt.OpenNone:
			l.warn(&base, OpenDerived, "%q may be answered with an open side (open: %s), and then there is no %s of it: such an answer will be refused", name, p.Base.Open, d)
		}
		return
	}
	if text != "" {
		l.fault(n, WrongValue, "%q derives from no prompt; write previous, year-before, start of or end of before the name of one", fault.Shorten(text))
	}
}

func baseName(p *prompt.Prompt) string {
	if p.Base == nil {
		return ""
	}
	return p.Base.Name
}

// lengths reads the longest and the shortest of a period.
func (l *linker) lengths(p *prompt.Prompt, m *mapping) {
	for _, of := range []struct {
		key  string
		into *prompt.Length
	}{{"longest", &p.Longest}, {"shortest", &p.Shortest}} {
		n := m.take(of.key)
		length := l.length(n)
		*of.into = length
		if length.N > 0 && p.Type == prompt.MomentPeriod && !length.Unit.IsOfMoments() {
			l.fault(n, WrongValue, "a period of moments is measured in minutes, hours, days of 24 hours or weeks, not in %s", length.Unit)
		} else if length.N > 0 && p.Type != prompt.MomentPeriod && !length.Unit.IsOfDays() {
			l.fault(n, WrongValue, "a period of days is measured in days, weeks, months or years, not in %s", length.Unit)
		}
	}
}

// dayLimits reads what prompts for days have in common.
func (l *linker) dayLimits(p *prompt.Prompt, m *mapping, take func(key string) *yaml.Node) {
	p.Order = oneOf(l.reader, m.take("day_order"), []phrase.DayOrder{phrase.AnyOrder, phrase.DayFirst, phrase.MonthFirst})
	p.Earliest, p.Latest = l.text(take("earliest")), l.text(take("latest"))
}

// entered reads a default: one value or a list of them.
func (l *linker) entered(n *yaml.Node) prompt.Entered {
	switch {
	case n == nil:
		return prompt.Entered{}
	case n.Kind == yaml.SequenceNode:
		return prompt.SeveralTexts(l.texts(n))
	}
	return prompt.OneText(l.text(n))
}

// choices reads a list of values, each alone or with a label.
func (l *linker) choices(n *yaml.Node) []prompt.Option {
	if n == nil {
		return nil
	}
	if n.Kind != yaml.SequenceNode || len(n.Content) == 0 {
		l.wrongType(n, "a list of choices")
		return nil
	}
	var options []prompt.Option
	seen := map[string]bool{}
	for _, item := range n.Content {
		var o prompt.Option
		if item.Kind == yaml.MappingNode {
			m, _ := l.mapping(item)
			o.Value = l.text(l.need(m, "value"))
			o.Label = l.text(m.take("label"))
			l.finish(m)
		} else {
			o.Value = l.text(item)
		}
		if o.Label == "" {
			o.Label = o.Value
		}
		if seen[o.Value] {
			l.fault(item, DefinedTwice, "the choice %q stands in the list already", o.Value)
		}
		seen[o.Value] = true
		options = append(options, o)
	}
	return options
}

// length reads "400 days" or "1 month".
func (l *linker) length(n *yaml.Node) prompt.Length {
	if n == nil {
		return prompt.Length{}
	}
	text := l.text(n)
	if m := lengthText.FindStringSubmatch(text); m != nil {
		count, _ := strconv.Atoi(m[1])
		return prompt.Length{N: count, Unit: prompt.LengthUnit(m[2] + "s")}
	}
	if text != "" {
		l.fault(n, WrongValue, "a length such as 400 days or 3 months is wanted here, and this is %q", fault.Shorten(text))
	}
	return prompt.Length{}
}

var lengthText = regexp.MustCompile(`^([1-9]\d{0,5}) (minute|hour|day|week|month|year)s?$`)
