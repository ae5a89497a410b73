package definition

import (
	"regexp"
	"slices"

	"github.com/shopspring/decimal"
	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
)

var fingerprintForm = regexp.MustCompile(`^[0-9a-f]{64}$`)

func (l *linker) proof(name string, m *mapping) *catalog.Proof {
	p := &catalog.Proof{Name: name, Totals: map[*column.Column]decimal.Decimal{}, Places: map[string]fault.Place{}}
	report, query := m.take("report"), m.take("query")
	switch {
	case (report == nil) == (query == nil):
		l.fault(m.node, fault.MissingKey, "say what is proved: report or query, one of them")
	case report != nil:
		p.Report = named(l, report, fault.UnknownReport, "report", l.catalog.Reports)
	default:
		if q := named(l, query, fault.UnknownQuery, "query", l.catalog.Queries); q != nil {
			p.Report = l.catalog.ReportOf(q)
		}
	}
	if n := l.need(m, "as_of"); n != nil {
		var ok bool
		if p.AsOf, ok = civil.ParseDay(l.text(n)); !ok {
			l.fault(n, fault.WrongValue, "a day such as 2026-03-31 is wanted here, and this is %q", english.Shorten(n.Value))
		}
	}
	if n := m.take("answers"); n != nil {
		if am, ok := l.open(n); ok {
			p.Answers = l.answers(p.Report, am)
		}
	}
	if n := l.need(m, "expect"); n != nil {
		if em, ok := l.mapping(n, expectedKeys); ok {
			l.expected(p, em)
		}
	}
	return p
}

// answers reads answers to the prompts of a report, nil for one that is not known.
func (l *linker) answers(report *catalog.Report, m *mapping) map[string]prompt.Entered {
	given := map[string]prompt.Entered{}
	var names []string
	if report != nil {
		for _, asked := range report.Prompts {
			names = append(names, asked.Name)
		}
	}
	for _, pair := range m.pairs {
		name := pair.key.Value
		if report != nil && !slices.Contains(names, name) {
			f := l.fault(pair.key, fault.UnknownPrompt, "%q asks no prompt %q", report.Name, english.Shorten(name))
			f.Suggest(fault.Near(name, names))
			continue
		}
		l.mentions(pair.key, catalog.Ref{Kind: catalog.KindPrompt, Name: name})
		given[name] = l.answer(pair.value)
	}
	return given
}

// answer reads an answer: one value, a list of them, the two ends of a period or
// range, or null for one left open on purpose.
func (l *linker) answer(n *yaml.Node) prompt.Entered {
	switch {
	case n.Kind == yaml.MappingNode:
		m, _ := l.mapping(n, sideKeys)
		e := prompt.Sides(l.text(m.take("start")), l.text(m.take("end")))
		l.finish(m)
		return e
	case n.Tag == "!!null":
		return prompt.OneText("")
	}
	return l.entered(n)
}

func (l *linker) expected(p *catalog.Proof, m *mapping) {
	take := func(key string) *yaml.Node {
		n := m.take(key)
		if n != nil {
			p.Places[key] = l.place(n)
		}
		return n
	}
	if n := take("records"); n != nil {
		records := int64(l.whole(n, 0))
		p.Records = &records
	}
	p.With, p.Without = l.keys(p, take("with")), l.keys(p, take("without"))
	if n := take("totals"); n != nil {
		l.totals(p, n)
	}
	if n := take("fingerprint"); n != nil {
		if p.Fingerprint = l.text(n); !fingerprintForm.MatchString(p.Fingerprint) {
			l.fault(n, fault.WrongValue, "a fingerprint is 64 digits, 0 to 9 and a to f; this is %q", english.Shorten(p.Fingerprint))
		}
	}
	l.finish(m)
	if len(p.Places) == 0 {
		l.fault(m.node, fault.EmptyGroup, "say what must come back; one of %s at least", english.Either(expectedKeys.names()))
	}
}

// keys reads a list of keys: one value each, or a list of values where the key has
// several columns.
func (l *linker) keys(p *catalog.Proof, n *yaml.Node) [][]string {
	if n == nil {
		return nil
	}
	if n.Kind != yaml.SequenceNode {
		l.wrongType(n, "a list of keys")
		return nil
	}
	width := 1
	if main := p.Main(); main != nil && main.Query.Of != nil {
		width = len(main.Query.Key())
	}
	all := make([][]string, len(n.Content))
	for i, item := range n.Content {
		if all[i] = []string{item.Value}; item.Kind == yaml.SequenceNode {
			all[i] = l.texts(item)
		}
		if len(all[i]) != width {
			l.fault(item, fault.CountMismatch, "a key here has %s, and this one %d", english.Count(width, "value"), len(all[i]))
		}
	}
	return all
}

// totals reads the sums of columns that are shown.
func (l *linker) totals(p *catalog.Proof, n *yaml.Node) {
	m, ok := l.open(n)
	if !ok {
		return
	}
	for _, pair := range m.pairs {
		total := l.decimal(pair.value)
		main := p.Main()
		if main == nil || total == nil {
			continue
		}
		c := l.shown(p.Report.Name, main.Query.Show, pair.key, pair.key.Value)
		switch {
		case c == nil:
		case c.Type != column.Integer && c.Type != column.Decimal:
			l.fault(pair.key, fault.TypeMismatch, "only integers and decimals have a total; the column %q is of type %s", c.Name, c.Type)
		default:
			p.Totals[c] = *total
		}
	}
}

// shown finds a column among those that somebody shows, and refuses any other.
func (l *linker) shown(who string, columns []*column.Column, n *yaml.Node, name string) *column.Column {
	names := make([]string, len(columns))
	for i, c := range columns {
		if names[i] = c.Name; c.Name == name {
			return c
		}
	}
	slices.Sort(names)
	l.fault(n, fault.UnknownColumn, "%q shows no column %q", who, english.Shorten(name)).Suggest(fault.Near(name, names))
	return nil
}
