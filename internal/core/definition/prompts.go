package definition

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

// prompt reads a prompt, and tells which variants of one it is.
func (l *linker) prompt(name string, m *mapping) (*prompt.Prompt, []string) {
	p := &prompt.Prompt{Name: name, Ask: l.text(l.need(m, "ask")), Help: l.text(m.take("help"))}
	if derived := m.take("derived"); derived != nil {
		l.derived(p, derived)
		return p, []string{workedOut}
	}
	p.Type = oneOf(l.reader, l.need(m, "type"), prompt.Types)
	p.Required, p.Hidden = l.yes(m.take("required")), l.yes(m.take("hidden"))
	at := map[string]*yaml.Node{}
	take := func(key string) *yaml.Node {
		at[key] = m.take(key)
		return at[key]
	}
	p.Default = l.entered(take("default"))
	l.keysOfType(p, m, take)
	if p.Hidden && p.Default.IsAbsent() && len(l.faults) == 0 {
		l.fault(m.node, fault.MissingKey, "a hidden prompt needs a default, which is its value")
	}
	if !l.loading && len(l.faults) == 0 {
		l.ages(p, at["default"])
		l.tried(p, at)
	}
	variants := words(p.Type)
	switch {
	case p.Type == "": // refused; what the other keys mean is known with the type
		variants = append(words(prompt.Types...), paired, several)
	case p.Pair:
		variants = append(variants, paired)
	case p.Many:
		variants = append(variants, several)
	}
	return p, variants
}

// keysOfType reads the keys that prompts of one type have. What take takes is tried once
// all is read. Each type has its keys, so that this is a long list and no more.
func (l *linker) keysOfType(p *prompt.Prompt, m *mapping, take func(key string) *yaml.Node) {
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
	case prompt.Number, prompt.NumberRange:
		p.Least, p.Most, p.Unit = l.decimal(m.take("at_least")), l.decimal(m.take("at_most")), l.text(m.take("unit"))
		if p.Type == prompt.NumberRange {
			p.Open = oneOf(l.reader, m.take("open"), prompt.OpenSides)
			p.Offer = l.texts(take("offer"))
		}
	case prompt.Text:
		p.MostLetters = l.whole(m.take("most_letters"), 1)
		l.pattern(p, m)
	case prompt.YesNo:
	case prompt.Choice:
		p.Many = l.yes(m.take("many"))
		if p.Many {
			p.AtLeast, p.AtMost = l.whole(m.take("at_least"), 1), l.whole(m.take("at_most"), 1)
		}
		if n := l.need(m, "choices"); n != nil && n.Kind == yaml.MappingNode {
			p.Listed = true
			l.catalog.Lists[p] = l.list(n)
		} else {
			p.Choices = l.choices(n)
		}
	}
}

// tried holds the default, the offers and the limits of a prompt against each other.
func (l *linker) tried(p *prompt.Prompt, at map[string]*yaml.Node) {
	for _, problem := range p.Problems(l.setting) {
		n := at[problem.Key]
		if n.Kind == yaml.SequenceNode && problem.Index < len(n.Content) {
			n = n.Content[problem.Index]
		}
		f := problem.Fault
		f.Message = fmt.Sprintf("%s: %s", problem.Key, f.Message)
		if problem.Key == "default" || problem.Key == "offer" {
			f = &fault.Fault{Code: fault.OutsideOwnLimits, Message: f.Message, Suggestions: f.Suggestions, Cause: problem.Fault}
		}
		l.add(n, f)
	}
}

// pattern reads what a text has to match, with words for people.
func (l *linker) pattern(p *prompt.Prompt, m *mapping) {
	n := m.take("pattern")
	if n == nil {
		return
	}
	if _, err := regexp.Compile(l.text(n)); err != nil {
		l.fault(n, fault.WrongValue, "%q is not a regular expression (RE2): %s", english.Shorten(n.Value), err)
		return
	}
	p.Pattern = regexp.MustCompile(`\A(?:` + n.Value + `)\z`)
	p.PatternHelp = l.text(l.need(m, "pattern_help"))
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
		if b := l.catalog.Prompts[name]; l.leadsBack(catalog.Ref{Kind: catalog.KindPrompt, Name: name}) || b != nil && b.Derived != "" {
			l.fault(&base, fault.CannotDerive, "the prompt %q is worked out itself; only answers to prompts that are asked lead to others", name)
			return
		}
		p.Base = named(l, &base, fault.UnknownPrompt, "prompt", l.catalog.Prompts)
		switch {
		case p.Base == nil:
		case !p.Base.Type.IsPeriod():
			l.fault(&base, fault.CannotDerive, "%q asks for an answer of type %s, which has no %s; days and periods of days have", name, p.Base.Type, d)
		case p.Base.Open != "" && p.Base.Open != prompt.OpenNone:
			l.warn(&base, fault.OpenSideDerived, "%q may be answered with an open side (open: %s), and then there is no %s of it: such an answer will be refused", name, p.Base.Open, d)
		}
		return
	}
	if text != "" {
		l.fault(n, fault.WrongValue, "%q derives from no prompt; write previous, year-before, start of or end of before the name of one", english.Shorten(text))
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
			l.fault(n, fault.WrongValue, "a period of moments is measured in minutes, hours, days of 24 hours or weeks, not in %s", length.Unit)
		} else if length.N > 0 && p.Type != prompt.MomentPeriod && !length.Unit.IsOfDays() {
			l.fault(n, fault.WrongValue, "a period of days is measured in days, weeks, months or years, not in %s", length.Unit)
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

// list reads where choices come from: { of: DATASET, value: COLUMN, label: COLUMN, count: true, where: ... } .
func (l *linker) list(n *yaml.Node) *catalog.ChoiceList {
	m, _ := l.mapping(n, choiceListKeys)
	list := &catalog.ChoiceList{Of: named(l, l.need(m, "of"), fault.UnknownDataset, "dataset", l.catalog.Datasets)}
	value, label := l.need(m, "value"), m.take("label")
	list.Value = l.columnOf(list.Of, value, l.text(value))
	if list.Label = list.Value; label != nil {
		list.Label = l.columnOf(list.Of, label, l.text(label))
	}
	if c := list.Value; c != nil && c.Type.IsDated() {
		l.fault(value, fault.TypeMismatch, "choices are texts or numbers; the column %q is of type %s", c.Name, c.Type)
	}
	for _, c := range []*column.Column{list.Value, list.Label} {
		if c != nil && c.IsExactText() {
			l.fault(value, fault.TypeMismatch, "choices are texts or numbers; the column %q holds decimals as text", c.Name)
		}
	}
	list.Count = l.yes(m.take("count"))
	list.Where, list.Prompts = l.where(list.Of, m.take("where"))
	list.Prompts = promptsOn(list.Of, list.Prompts)
	l.finish(m)
	return list
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
			m, _ := l.mapping(item, choiceKeys)
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
			l.fault(item, fault.DefinedTwice, "the choice %q stands in the list already", o.Value)
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
		l.fault(n, fault.WrongValue, "a length such as 400 days or 3 months is wanted here, and this is %q", english.Shorten(text))
	}
	return prompt.Length{}
}

var lengthText = regexp.MustCompile(`^([1-9]\d{0,5}) (minute|hour|day|week|month|year)s?$`)
