package definition

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/lint"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/value"
)

// Or stands between two readings of a column in a proposed definition, until somebody
// settles which one is meant.
const Or = " or "

// Link reads all documents and resolves their references. The as-of day and
// day order of the setting are those that defaults and limits are tried on; without a
// zone, moments are tried in UTC at the end of the day.
// The catalog is complete only where the list is empty. What criteria can never or always mean
// takes time to find: it is found of the documents that changed, and of those that build on them.
// Custom SQL may call the functions beside those of its engine that only compute.
func Link(docs []catalog.Document, changed []catalog.Ref, s phrase.Setting, functions ...string) (*catalog.Catalog, fault.List) {
	l := linker{setting: s, functions: functions, touched: map[catalog.Ref]bool{}}
	// Phrases name periods of the business wherever they stand, so that a period touches all.
	if slices.ContainsFunc(changed, func(ref catalog.Ref) bool { return ref.Kind == catalog.KindPeriod }) {
		changed = catalog.RefsOf(docs)
	}
	for _, ref := range changed {
		l.touched[ref] = true
	}
	l.link(docs)
	return l.catalog, l.all
}

// Load is Link for definitions that were checked when they were stored. What
// does not fit all the same is left out, with everything that builds on it,
// and its faults are returned; what is in the catalog is whole. Defaults and
// limits are not tried again: a day that passes must not take a report away.
func Load(docs []catalog.Document, s phrase.Setting, functions ...string) (*catalog.Catalog, map[catalog.Ref]fault.List) {
	all := map[catalog.Ref]fault.List{}
	for {
		l := linker{setting: s, functions: functions, loading: true}
		l.link(docs)
		if len(l.all) == 0 {
			return l.catalog, all
		}
		maps.Copy(all, l.wrong)
		docs = slices.DeleteFunc(slices.Clone(docs), func(d catalog.Document) bool { return l.broken[d.Ref] })
	}
}

func (l *linker) link(docs []catalog.Document) {
	l.catalog, l.declared, l.broken = catalog.New(), map[catalog.Ref]*declared{}, map[catalog.Ref]bool{}
	l.shakes = map[catalog.Ref]bool{}
	l.used, l.wrong = map[catalog.Ref]bool{}, map[catalog.Ref]fault.List{}
	l.setting.Seasons = l.catalog.Seasons
	if l.setting.Zone == nil {
		l.setting.Zone = time.UTC
		l.setting.Now = civil.FirstInstant(l.setting.AsOf+1, time.UTC) - 1
	}
	byKind := map[catalog.Kind][]catalog.Ref{}
	for i := range docs {
		d := &docs[i]
		if first, taken := l.declared[d.Ref]; taken {
			l.all, l.broken[d.Ref] = append(l.all, twice(d, first.doc)), true
			l.wrong[d.Ref] = fault.List{twice(d, first.doc)}
			continue
		}
		l.declared[d.Ref] = declare(d)
		byKind[d.Kind] = append(byKind[d.Kind], d.Ref)
	}
	// Periods of the business first, since phrases in all others name them.
	from := slices.Clone(byKind[catalog.KindPeriod])
	for _, kind := range catalog.Kinds {
		from = append(from, byKind[kind]...)
	}
	for _, ref := range l.order(from) {
		l.touch(ref)
		l.resolve(ref)
	}
	if !l.loading {
		l.needless()
	}
	for ref, broken := range l.broken {
		if broken {
			l.breaks(ref)
		}
	}
	slices.SortStableFunc(l.all, byPlace)
}

// breaks marks a definition that has errors, and all that builds on it.
func (l *linker) breaks(ref catalog.Ref) {
	if l.catalog.Broken[ref] {
		return
	}
	l.catalog.Broken[ref] = true
	for _, user := range l.catalog.Users[ref] {
		l.breaks(user)
	}
}

func byPlace(a, b *fault.Fault) int {
	return cmp.Or(strings.Compare(a.Place.File, b.Place.File), cmp.Compare(a.Place.Line, b.Place.Line), cmp.Compare(a.Place.Column, b.Place.Column))
}

// Twice finds names that are defined more than once. Documents whose name could
// not be read are left alone.
func Twice(docs []catalog.Document) fault.List {
	var faults fault.List
	first := map[catalog.Ref]*catalog.Document{}
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

func twice(d, first *catalog.Document) *fault.Fault {
	return fault.New(fault.DefinedTwice, "the %s is defined at %s:%d already", d.Ref, first.File, first.Line).
		At(fault.Place{File: d.File, Line: d.Line, Column: 1})
}

type linker struct {
	*reader // of the document at hand
	catalog *catalog.Catalog
	setting phrase.Setting
	// functions are those that custom SQL may call beside the engines' own.
	functions []string
	declared  map[catalog.Ref]*declared
	broken    map[catalog.Ref]bool
	shakes    map[catalog.Ref]bool          // those that have faults, or build on what has
	wrong     map[catalog.Ref]fault.List    // what is wrong with each that is broken
	places    map[*criteria.Node]*yaml.Node // of the document at hand
	// tablesAt are where columns of the dataset at hand name their tables.
	tablesAt []*yaml.Node
	used     map[catalog.Ref]bool
	loading  bool                 // the documents were checked before
	beside   bool                 // the document at hand is none of the catalog
	touched  map[catalog.Ref]bool // the documents whose criteria are reasoned about
	all      fault.List
	// mentioned are the places where documents name others.
	mentioned []mention
}

// resolve reads what a declared document means, and what it names.
func (l *linker) resolve(ref catalog.Ref) {
	l.reader, l.places, l.tablesAt = l.declared[ref].reader, map[*criteria.Node]*yaml.Node{}, nil
	d := l.doc
	defer func() {
		l.declared[ref].resolved = true
		l.all = append(l.all, l.faults...)
		if len(l.warnings) > 0 && len(l.faults) == 0 { // what is wrong misleads about the rest
			l.catalog.Warnings[d.Ref] = l.warnings
		}
		l.shakes[d.Ref] = l.shaky || len(l.faults) > 0
		if len(l.faults) > 0 {
			l.broken[d.Ref], l.wrong[d.Ref] = true, l.faults
		}
	}()
	if l.root == nil { // which the reader has told why
		return
	}
	m, ok := l.mapping(l.root, kindKeys[d.Kind])
	if !ok {
		return
	}
	m.take("pikegate")
	m.take(string(d.Kind))
	var variants []string
	switch d.Kind {
	case catalog.KindSource:
		l.catalog.Sources[d.Name] = l.source(d.Name, m)
	case catalog.KindDataset:
		l.catalog.Datasets[d.Name], variants = l.dataset(d.Name, m)
	case catalog.KindPeriod:
		l.catalog.Seasons[d.Name] = l.season(m)
	case catalog.KindPrompt:
		l.catalog.Prompts[d.Name], variants = l.prompt(d.Name, m)
	case catalog.KindFilter:
		l.catalog.Filters[d.Name] = l.filter(d.Name, m)
	case catalog.KindQuery:
		l.catalog.Queries[d.Name], variants = l.query(d.Name, m)
	case catalog.KindReport:
		l.catalog.Reports[d.Name] = l.report(d.Name, m)
	case catalog.KindProof:
		l.catalog.Proofs[d.Name] = l.proof(d.Name, m)
	case catalog.KindSchedule:
		l.catalog.Schedules[d.Name] = l.schedule(d.Name, m)
	}
	l.finish(m, variants...)
}

// uses remembers that the document at hand builds on a definition.
func (l *linker) uses(ref catalog.Ref) {
	if l.beside {
		return
	}
	l.used[ref] = true
	if users := l.catalog.Users[ref]; !slices.Contains(users, l.doc.Ref) {
		l.catalog.Users[ref] = append(users, l.doc.Ref)
	}
}

// mentions remembers that the document at hand names a definition at a node.
func (l *linker) mentions(n *yaml.Node, of catalog.Ref) {
	l.mentioned = append(l.mentioned, mention{in: l.doc.Ref, line: n.Line, column: n.Column, of: of})
}

// leadsBack reports whether a definition is still unresolved, since it names, at once or by
// others, the one at hand.
func (l *linker) leadsBack(ref catalog.Ref) bool {
	d := l.declared[ref]
	return d != nil && !d.resolved
}

// named resolves a reference. An unknown name is refused with a near one, and one that
// leads back here as a circle.
func named[T any](l *linker, n *yaml.Node, code fault.Code, what string, known map[string]*T) *T {
	before := len(l.faults)
	name := l.text(n)
	if name == "" {
		if n != nil && len(l.faults) == before {
			l.fault(n, code, "no %s is named here", what)
		}
		return nil
	}
	if l.leadsBack(catalog.Ref{Kind: catalog.Kind(what), Name: name}) {
		l.fault(n, fault.Circle, "the %s %q leads back to itself", what, name)
		return nil
	}
	if found := known[name]; found != nil {
		l.uses(catalog.Ref{Kind: catalog.Kind(what), Name: name})
		l.mentions(n, catalog.Ref{Kind: catalog.Kind(what), Name: name})
		l.shaky = l.shaky || l.shakes[catalog.Ref{Kind: catalog.Kind(what), Name: name}]
		return found
	}
	f := l.fault(n, code, "no %s %q", what, english.Shorten(name))
	f.Suggest(fault.Near(name, l.namesOf(catalog.Kind(what))))
	return nil
}

// namesOf are the names of all documents of a kind.
func (l *linker) namesOf(kind catalog.Kind) []string {
	var names []string
	for ref := range l.declared {
		if ref.Kind == kind {
			names = append(names, ref.Name)
		}
	}
	slices.Sort(names)
	return names
}

func (l *linker) source(name string, m *mapping) *catalog.Source {
	s := &catalog.Source{Name: name, Title: l.text(m.take("title"))}
	if zone := l.need(m, "zone"); zone != nil {
		s.Zone = l.zone(zone)
	}
	if s.Clock = l.text(m.take("clock")); s.Clock == "" && s.Zone != nil {
		s.Clock = s.Zone.String()
	}
	s.At = l.connection(m)
	s.Counting = l.counting(m.take("counting"))
	return s
}

// The limits of a source that names none.
const (
	defaultAtOnce  = 8
	mostAtOnce     = 256
	defaultWaiting = 64
)

// connection reads how a source is reached: one branch for each key.
func (l *linker) connection(m *mapping) catalog.Connection {
	c := catalog.Connection{Engine: catalog.Embedded, AtOnce: defaultAtOnce, Waiting: defaultWaiting}
	if n := m.take("engine"); n != nil {
		c.Engine = oneOf(l.reader, n, catalog.Engines)
	}
	file, address, password, schema := m.take("file"), m.take("address"), m.take("password"), m.take("schema")
	server := c.Engine == catalog.Postgres || c.Engine == catalog.MariaDB
	for _, key := range []struct {
		name  string
		value *yaml.Node
		meant bool
	}{{"file", file, c.Engine == catalog.SQLite}, {"address", address, server}, {"password", password, server}, {"schema", schema, server}} {
		if key.value != nil && !key.meant && c.Engine != "" {
			l.fault(key.value, fault.WrongValue, "%s says nothing of a source whose engine is %s", key.name, c.Engine)
		}
	}
	switch {
	case c.Engine == catalog.SQLite:
		c.File = l.text(l.need(m, "file"))
	case server:
		c.Address, c.Password, c.Schema = l.referTo(l.need(m, "address")), l.referTo(password), l.text(schema)
	}
	limits := m.take("limits")
	if limits == nil {
		return c
	}
	if lm, ok := l.mapping(limits, limitKeys); ok {
		if n := lm.take("time"); n != nil {
			c.Time = l.lengthOfTime(n, "90s or 5m", time.Millisecond)
		}
		if n := lm.take("rows"); n != nil {
			c.Rows = l.whole(n, 1)
		}
		if n := lm.take("at_once"); n != nil {
			c.AtOnce = l.whole(n, 1)
			if c.AtOnce > mostAtOnce {
				l.fault(n, fault.WrongValue, "at most %d runs at once are allowed, and this is %d", mostAtOnce, c.AtOnce)
				c.AtOnce = mostAtOnce
			}
		}
		if n := lm.take("waiting"); n != nil {
			c.Waiting = l.whole(n, 0)
		}
		l.finish(lm)
	}
	return c
}

// counting = off | { share: 0 | 1, from: TIME, through: TIME, again_after: LENGTH } .
func (l *linker) counting(n *yaml.Node) catalog.Counting {
	c := catalog.UsualCounting
	switch {
	case n == nil:
		return c
	case n.Kind == yaml.ScalarNode && n.Value == "off":
		c.Off = true
		return c
	}
	m, ok := l.mapping(n, countingKeys)
	if !ok {
		return c
	}
	if share := m.take("share"); share != nil {
		if c.Share = l.whole(share, 0); c.Share > 1 {
			l.fault(share, fault.WrongValue, "one part of a source is counted at a time, so that a share is 1 or 0, and this is %d", c.Share)
		}
	}
	from, through := m.take("from"), m.take("through")
	switch {
	case (from == nil) != (through == nil):
		l.fault(n, fault.MissingKey, "hours have a beginning and an end: from and through")
	case from != nil:
		var f *fault.Fault
		if c.Hours, f = phrase.TimeRange(l.text(from) + " to " + l.text(through)); f != nil {
			l.add(from, f)
		}
	}
	if age := m.take("again_after"); age != nil {
		c.AgainAfter = l.lengthOfTime(age, "24h or 30m", time.Minute)
	}
	l.finish(m)
	return c
}

// lengthOfTime reads a length of time of at least so much; 0 for what is none.
func (l *linker) lengthOfTime(n *yaml.Node, such string, least time.Duration) time.Duration {
	d, err := time.ParseDuration(l.text(n))
	if err != nil || d < least {
		l.fault(n, fault.WrongValue, "a length of time such as %s is wanted here, and this is %q", such, english.Shorten(n.Value))
		return 0
	}
	return d
}

// referTo = { env: NAME } | { file: PATH } .
func (l *linker) referTo(n *yaml.Node) catalog.Reference {
	var r catalog.Reference
	if n == nil {
		return r
	}
	if n.Kind != yaml.MappingNode {
		l.fault(n, fault.WrongType, "what is secret does not stand in a definition: say where it is kept, as {env: NAME} or {file: PATH}")
		return r
	}
	m, _ := l.mapping(n, referenceKeys)
	if r.Env, r.File = l.text(m.take("env")), l.text(m.take("file")); (r.Env == "") == (r.File == "") {
		l.fault(n, fault.MissingKey, "say where it is kept: env with the name of a variable, or file with a path")
	}
	l.finish(m)
	return r
}

// zone reads the name of an IANA zone, nil for an unknown one.
func (l *linker) zone(n *yaml.Node) *time.Location {
	zone, f := phrase.Zone(l.text(n))
	if f != nil {
		if n.Kind == yaml.ScalarNode { // else it is refused already
			l.add(n, f)
		}
		return nil
	}
	if meant := civil.SummerZone(n.Value); meant != "" {
		l.warn(n, fault.ZoneWithoutSummerTime, "%s is the same offset all year, without summer time", n.Value).Suggest(meant)
	}
	return zone
}

// season reads a named period of the business.
func (l *linker) season(m *mapping) phrase.Season {
	s := phrase.Season{Title: l.text(m.take("title")), From: l.monthDay(l.need(m, "from")), Through: l.monthDay(l.need(m, "through"))}
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
		l.fault(n, fault.WrongValue, "a day of the year such as 1 Jun is wanted here, and this is %q", english.Shorten(text))
	}
	return d
}

// column reads a column of some name; the variants are those that it has whatever its type.
func (l *linker) column(p pair, m *mapping, variants ...string) *column.Column {
	c := &column.Column{Name: p.key.Value}
	if c.Label = l.text(m.take("label")); c.Label == "" {
		c.Label = strings.ReplaceAll(c.Name, "_", " ")
	}
	c.Type = oneOf(l.reader, l.settled(l.need(m, "type"), "type", c.Name), column.Types)
	variants = append(variants, string(c.Type))
	switch {
	case c.Type == "": // refused; what the other keys mean is known with the type
		variants = append(words(column.Types...), columnOfTable, textStored)
	case c.Type == column.Decimal:
		c.Scale = l.scale(l.need(m, "scale"))
		if stored := m.take("stored"); stored != nil && oneOf(l.reader, stored, column.StoredForms[c.Type]) == column.StoredText {
			c.Stored = column.StoredText
		}
		c.Unit = l.text(m.take("unit"))
	case c.Type.IsNumeric():
		c.Unit = l.text(m.take("unit"))
	case c.Type == column.Text:
		if n := m.take("empty"); n != nil {
			c.EmptyMissing = oneOf(l.reader, n, []string{"missing"}) != ""
		}
	case c.Type.IsDated():
		if l.stored(c, m); c.Stored == column.StoredText {
			variants = append(variants, textStored)
		}
	}
	l.keptFrom(c, m.take("kept_from"))
	l.finish(m, variants...)
	return c
}

// keptFrom reads whom the values of a column are not shown to.
func (l *linker) keptFrom(c *column.Column, n *yaml.Node) {
	c.KeptFrom = l.texts(n)
	if n != nil && len(c.KeptFrom) == 0 {
		l.fault(n, fault.EmptyGroup, "the column %q is kept from nobody; name roles or groups, such as reader", c.Name)
	}
}

// scale reads how many digits after the point a decimal has.
func (l *linker) scale(n *yaml.Node) int {
	scale := l.whole(n, 0)
	if scale > value.MostScale {
		l.fault(n, fault.WrongValue, "a decimal has %d digits after its point at most, and this is %d", value.MostScale, scale)
	}
	return scale
}

// settled refuses a value that names two readings, and goes on with the first.
func (l *linker) settled(n *yaml.Node, key, col string) *yaml.Node {
	if n == nil || n.Kind != yaml.ScalarNode || !strings.Contains(n.Value, Or) {
		return n
	}
	readings := strings.Split(n.Value, Or)
	l.fault(n, fault.NotSettled, "the %s of the column %q is not settled; keep %s", key, col, english.Either(english.Quoted(readings)))
	first := *n
	first.Value = readings[0]
	return &first
}

func (l *linker) stored(c *column.Column, m *mapping) {
	c.Stored = oneOf(l.reader, l.need(m, "stored"), column.StoredForms[c.Type])
	if c.Stored != column.StoredText {
		return
	}
	pattern := l.settled(l.need(m, "pattern"), "pattern", c.Name)
	if pattern == nil {
		return
	}
	if zone := m.take("zone"); zone != nil {
		if c.Zone = l.zone(zone); c.Type != column.Instant {
			l.fault(zone, fault.TypeMismatch, "only the text of an instant is in a zone; the column %q is of type %s", c.Name, c.Type)
		}
	}
	var err error
	if c.Pattern, err = column.ParsePattern(l.text(pattern)); err != nil {
		l.fault(pattern, fault.PatternNotRead, "%s", err).Suggest(column.NearPattern(pattern.Value))
		return
	}
	if c.Pattern.HasTime() != (c.Type != column.Date) {
		l.fault(pattern, fault.TypeMismatch, "a date's pattern has no time of day, and that of a datetime or an instant has one; this is %q on a column of type %s", c.Pattern, c.Type)
	}
}

// columnOf finds a column of the dataset by name, and refuses an unknown one.
func (l *linker) columnOf(d *catalog.Dataset, n *yaml.Node, name string) *column.Column {
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
	f := l.fault(n, fault.UnknownColumn, "no column %q in dataset %q", english.Shorten(name), d.Name)
	if d.Summed {
		f.Message = fmt.Sprintf("the summary has no %q", english.Shorten(name))
	}
	f.Suggest(fault.Near(name, names))
	return nil
}

func (l *linker) filter(name string, m *mapping) *catalog.Filter {
	f := &catalog.Filter{Name: name, Of: named(l, l.need(m, "of"), fault.UnknownDataset, "dataset", l.catalog.Datasets)}
	if n := l.need(m, "where"); n != nil {
		w := l.read(&where{of: f.Of}, n)
		f.Where, f.Prompts, f.Conditions, f.Depth = w.root, w.prompts, w.conditions, w.deepest
	}
	l.reasoned(f.Of, f.Where)
	return f
}

// where reads criteria on a dataset, none where n is nil, and the prompts in them.
func (l *linker) where(of *catalog.Dataset, n *yaml.Node) (*criteria.Node, []*prompt.Prompt) {
	if n == nil {
		return nil, nil
	}
	w := l.read(&where{of: of}, n)
	return w.root, w.prompts
}

// read reads criteria, with what there is of them at most.
func (l *linker) read(w *where, n *yaml.Node) *where {
	w.root = l.node(w, n)
	l.rows(n, w.root)
	return w
}

// promptsOn are the prompts of a dataset and of criteria on it.
func promptsOn(of *catalog.Dataset, used []*prompt.Prompt) []*prompt.Prompt {
	if of == nil {
		return used
	}
	w := where{prompts: slices.Clone(of.Prompts)}
	w.uses(used...)
	return w.prompts
}

// query reads the keys of a query in their order, and tells each habit of writing a sort.
func (l *linker) query(name string, m *mapping) (*catalog.Query, []string) {
	q := &catalog.Query{Name: name}
	q.Of = named(l, l.need(m, "of"), fault.UnknownDataset, "dataset", l.catalog.Datasets)
	variant, sorted := ofRecords, q.Of
	if q.Summary = l.summary(q, m); q.Summary != nil {
		variant, q.Show = ofSummary, q.Summary.Shown()
		sorted = resultOf(q, q.Show)
		if show := m.take("show"); show != nil {
			l.fault(show, fault.WrongValue, "a query has show, for records, or summaries, and not both")
		}
	} else {
		show := l.need(m, "show")
		for i, col := range l.texts(show) {
			c := l.columnOf(q.Of, show.Content[i], col)
			if c == nil {
				continue
			}
			if slices.Contains(q.Show, c) && !l.loading { // programs know the values of a row by their columns
				l.fault(show.Content[i], fault.DefinedTwice, "the column %q is shown already", col)
			}
			q.Show = append(q.Show, c)
		}
		if show != nil && show.Kind == yaml.SequenceNode && len(show.Content) == 0 {
			l.fault(show, fault.EmptyGroup, "a query shows a column at least")
		}
	}
	q.Where, q.Prompts = l.where(q.Of, m.take("where"))
	q.Prompts = promptsOn(q.Of, q.Prompts)
	if q.Summary != nil {
		l.having(q, m.take("having"))
	}
	q.Sort = l.sort(sorted, m.take("sort"))
	l.reasoned(q.Of, q.Criteria())
	l.found(m.node, lint.Query(q))
	return q, []string{variant}
}

// sort = [ COLUMN [ ascending | descending ] ... ] .
func (l *linker) sort(of *catalog.Dataset, n *yaml.Node) (order []criteria.Sort) {
	for i, text := range l.texts(n) {
		col, descending := strings.CutSuffix(text, " descending")
		if !descending {
			col = strings.TrimSuffix(text, " ascending")
		}
		if first, way, two := strings.Cut(col, " "); two && of != nil && of.Column(col) == nil && of.Column(first) != nil {
			f := l.fault(n.Content[i], fault.WrongValue, "a sort is a column, ascending or descending; %q is neither", way)
			ways := []string{"ascending", "descending"}
			if meant := cmp.Or(meantWord(way, ways), fault.Near(way, ways)); meant != "" {
				f.Suggest(first + " " + meant)
			}
			continue
		}
		if bare, minus := strings.CutPrefix(col, "-"); minus && of != nil && of.Column(col) == nil && of.Column(bare) != nil {
			l.fault(n.Content[i], fault.WrongValue, "a sort is a column, ascending or descending").Suggest(bare + " descending")
			continue
		}
		if c := l.columnOf(of, n.Content[i], col); c != nil {
			if slices.ContainsFunc(order, func(s criteria.Sort) bool { return s.Column == c }) && !l.loading {
				l.fault(n.Content[i], fault.DefinedTwice, "the records are sorted by %q already", col)
			}
			order = append(order, criteria.Sort{Column: c, Descending: descending})
		}
	}
	return order
}
