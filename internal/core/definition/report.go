package definition

import (
	"fmt"
	"slices"
	"strings"

	"github.com/shopspring/decimal"
	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
)

// report reads the keys of a report in their order.
func (l *linker) report(name string, m *mapping) *catalog.Report {
	r := &catalog.Report{Name: name, Title: l.text(l.need(m, "title")), About: l.text(m.take("about")), Shelf: l.text(m.take("shelf")), Lists: map[*prompt.Prompt]*catalog.ChoiceList{}}
	prompts := m.take("prompts")
	l.questions(r, prompts)
	wide := m.take("where")
	r.MostRead = l.mostRead(m.take("limits"))
	sections := m.take("sections")
	if sections == nil {
		f := l.fault(m.node, fault.MissingKey, "%s", missing("sections"))
		for _, p := range m.pairs {
			if p.key.Value == string(catalog.KindQuery) {
				m.taken[p.key.Value] = true
				f.At(l.place(p.key)).Message = "a report names its query in a section"
				f.Suggest(written("sections", "[{table: {query: "+flow(p.value)+"}}]"))
			}
		}
		return r
	}
	if sections.Kind != yaml.SequenceNode || len(sections.Content) == 0 {
		l.fault(sections, fault.WrongValue, "a report has a list of sections, each a figure, a chart or a table")
		return r
	}
	if len(sections.Content) > mostSections {
		l.fault(sections, fault.WrongValue, "a report has %d sections at most, and this one %d", mostSections, len(sections.Content))
		return r
	}
	read := map[*catalog.Dataset]*where{}
	whole := func(of *catalog.Dataset) *where {
		if read[of] == nil {
			read[of] = &where{of: of}
			if wide != nil {
				l.read(read[of], wide)
			}
		}
		return read[of]
	}
	all := make([]sectionRead, 0, len(sections.Content))
	for _, n := range sections.Content {
		if s, ok := l.section(n, whole); ok {
			all = append(all, s)
			r.Sections = append(r.Sections, s.Section)
		}
	}
	if len(all) < len(sections.Content) {
		return r
	}
	for _, s := range all {
		if prompts == nil {
			l.askWhatIsUsed(r, slices.Concat(s.Query.Prompts, s.wide, s.own))
		}
	}
	for _, s := range all {
		l.asked(r, s.query, fmt.Sprintf("the query %q uses", s.From.Name), s.Query.Prompts)
		l.asked(r, wide, "its own condition uses", s.wide)
		l.asked(r, s.where, "the section's condition uses", s.own)
		if s.Where != nil { // else its query has told
			l.reasoned(s.Query.Of, s.Criteria())
		}
		if first := all[0].Query.Of; s.Query.Of != nil && first != nil && s.Query.Of.Source != first.Source {
			l.fault(s.query, fault.WrongValue, "the sections of a report are of one source, and this one is of another than the first")
		}
		l.comparable(r, s)
	}
	l.unused(r, prompts)
	return r
}

// mostSections is how many sections a report has at most.
const mostSections = 40

// mostRead = { read: N | N thousand | N million | N billion } .
func (l *linker) mostRead(n *yaml.Node) int64 {
	if n == nil {
		return 0
	}
	m, ok := l.mapping(n, reportLimitKeys)
	if !ok {
		return 0
	}
	defer l.finish(m)
	read := m.take("read")
	if read == nil {
		return 0
	}
	text := l.text(read)
	number, word, _ := strings.Cut(text, " ")
	times, isWord := map[string]int64{"": 1, "thousand": 1_000, "million": 1_000_000, "billion": 1_000_000_000}[word]
	d, err := decimal.NewFromString(strings.ReplaceAll(number, "_", ""))
	if err != nil || !isWord || !d.IsPositive() || len(number) > 18 {
		if text != "" {
			l.fault(read, fault.WrongValue, "a number of records such as 5 million or 200000 is wanted here, and this is %q", english.Shorten(text))
		}
		return 0
	}
	return d.Mul(decimal.NewFromInt(times)).Ceil().IntPart()
}

// questions reads the prompts of a report: a name, or one with a wording of the
// report's own.
func (l *linker) questions(r *catalog.Report, list *yaml.Node) {
	if list == nil {
		return
	}
	if list.Kind != yaml.SequenceNode {
		l.wrongType(list, "a list of prompts")
		return
	}
	r.Wording = map[*prompt.Prompt]catalog.Wording{}
	for i, n := range list.Content {
		var wording catalog.Wording
		if n.Kind == yaml.MappingNode {
			m, _ := l.mapping(n, wordingKeys)
			n = l.need(m, "prompt")
			wording = catalog.Wording{Ask: l.text(m.take("ask")), Help: l.text(m.take("help"))}
			l.finish(m)
			if n == nil {
				continue
			}
			list.Content[i] = n // where findings about it stand
		}
		p := named(l, n, fault.UnknownPrompt, "prompt", l.catalog.Prompts)
		switch {
		case p == nil:
		case slices.Contains(r.Prompts, p):
			l.fault(n, fault.DefinedTwice, "the prompt %q stands in the list already", p.Name)
		case p.Hidden:
			l.fault(n, fault.WrongValue, "the prompt %q is hidden and not asked; a query may use it all the same", p.Name)
		case p.Derived != "":
			l.fault(n, fault.CannotDerive, "the prompt %q is worked out and not asked; a query may use it where the report asks %q", p.Name, baseName(p))
		default:
			l.ask(r, p)
			if wording != (catalog.Wording{}) {
				r.Wording[p] = wording
			}
		}
	}
}

func (l *linker) ask(r *catalog.Report, p *prompt.Prompt) {
	r.Prompts = append(r.Prompts, p)
	if list := l.catalog.Lists[p]; list != nil {
		r.Lists[p] = list
	}
}

// askWhatIsUsed makes the questions of a report that names none: what its criteria need to
// know, in the order in which it is met, and before each choice what its list needs.
func (l *linker) askWhatIsUsed(r *catalog.Report, used []*prompt.Prompt) {
	for _, p := range used {
		if list := l.catalog.Lists[p]; list != nil {
			l.askWhatIsUsed(r, list.Prompts)
		}
		if !p.IsAsked() {
			p = p.Base
		}
		if p != nil && !slices.Contains(r.Prompts, p) {
			l.ask(r, p)
		}
	}
}

// asked refuses a report that does not ask what its criteria need to know.
func (l *linker) asked(r *catalog.Report, n *yaml.Node, who string, used []*prompt.Prompt) {
	for _, p := range used {
		if list := l.catalog.Lists[p]; list != nil {
			l.asked(r, n, fmt.Sprintf("the list of choices for %q uses", p.Name), list.Prompts)
		}
		if !p.IsAsked() {
			if !slices.Contains(r.Unasked, p) {
				r.Unasked = append(r.Unasked, p)
			}
			p = p.Base
		}
		if p != nil && !slices.Contains(r.Prompts, p) {
			l.fault(n, fault.PromptNotAsked, "%s the prompt %q, which this report does not ask; add it to prompts", who, p.Name)
		}
	}
}
