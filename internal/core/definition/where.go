package definition

import (
	"fmt"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/lint"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

// where is what is known while criteria are read: the dataset that they are on,
// and the prompts met so far.
type where struct {
	of      *catalog.Dataset
	root    *criteria.Node
	prompts []*prompt.Prompt

	conditions     int // so far, with those of filters
	depth, deepest int // of the groups
	over           bool
	quiet          bool // a filter among them has faults, which tell enough
}

func (w *where) uses(prompts ...*prompt.Prompt) {
	for _, p := range prompts {
		if !slices.Contains(w.prompts, p) {
			w.prompts = append(w.prompts, p)
		}
	}
}

// node = { all: [node...] } | { any: [node...] } | { none: [node...] } | { filter: NAME } | { COLUMN: condition } .
func (l *linker) node(w *where, n *yaml.Node) *criteria.Node {
	w.depth++
	defer func() { w.depth-- }()
	if !l.room(w, n, 0, 0) {
		return nil
	}
	if n.Kind != yaml.MappingNode {
		l.meantNode(w, n)
		return nil
	}
	m, _ := l.open(n)
	if len(m.pairs) != 1 {
		f := l.fault(n, fault.WrongValue, "a condition names one column, or all, any or none with a list; several conditions are items of such a list")
		if len(m.pairs) > 1 {
			f.Suggest(written(string(criteria.All), each(n)))
		}
		return nil
	}
	key, value := m.pairs[0].key, m.pairs[0].value
	var read *criteria.Node
	switch logic := criteria.Logic(key.Value); logic {
	case criteria.All, criteria.Any, criteria.None:
		read = l.group(w, logic, value)
	case "filter":
		read = l.filtered(w, value)
	default:
		if meant := meantLogic[strings.ToLower(key.Value)]; meant != "" && (w.of == nil || w.of.Column(key.Value) == nil) {
			l.fault(key, fault.UnknownKey, "no group %q; a group is all, any or none, with a list", english.Shorten(key.Value)).Suggest(string(meant))
			return nil
		}
		read = l.condition(w, key, value)
	}
	if read != nil {
		l.places[read] = key
		if read.Column != nil {
			read.At = fmt.Sprintf("%s:%d:%d", l.doc.Ref, key.Line, key.Column)
		}
	}
	return read
}

func (l *linker) group(w *where, logic criteria.Logic, n *yaml.Node) *criteria.Node {
	if n.Kind != yaml.SequenceNode {
		l.meantGroup(logic, n)
		return nil
	}
	if len(n.Content) == 0 {
		l.fault(n, fault.EmptyGroup, "%q has no condition in it", logic)
	}
	group := &criteria.Node{Logic: logic}
	for _, item := range n.Content {
		if child := l.node(w, item); child != nil {
			group.Nodes = append(group.Nodes, child)
		}
	}
	l.found(nil, lint.Group(group))
	return group
}

// filtered uses a filter's criteria.
func (l *linker) filtered(w *where, n *yaml.Node) *criteria.Node {
	f := named(l, n, fault.UnknownFilter, "filter", l.catalog.Filters)
	if f == nil {
		return nil
	}
	if w.of != nil && f.Of != nil && !w.of.IsOn(f.Of) {
		l.fault(n, fault.TypeMismatch, "the filter %q is for the dataset %q, and this is on %q", f.Name, f.Of.Name, w.of.Name)
	}
	w.quiet = w.quiet || l.shakes[catalog.Ref{Kind: catalog.KindFilter, Name: f.Name}]
	if !l.room(w, n, f.Conditions, f.Depth) {
		return nil
	}
	w.uses(f.Prompts...)
	return &criteria.Node{Filter: &criteria.Filter{Name: f.Name, Where: f.Where}}
}

// condition = missing | present | { OPERATOR: operand [, ignore_case: true] } .
//
// It reads the one operator of a condition, and tells each way in which there are none or several.
func (l *linker) condition(w *where, key, value *yaml.Node) *criteria.Node {
	if !l.room(w, key, 1, 0) {
		return nil
	}
	col := l.columnOf(w.of, key, key.Value)
	c := &criteria.Node{Column: col}
	if bare := criteria.Op(value.Value); value.Kind == yaml.ScalarNode && (bare == criteria.Missing || bare == criteria.Present) {
		if c.Op = bare; col == nil {
			return nil
		}
		return c
	}
	if value.Kind != yaml.MappingNode {
		l.meantCondition(col, key, value)
		return nil
	}
	m, _ := l.open(value)
	if n := m.take("ignore_case"); n != nil {
		if c.IgnoreCase = l.yes(n); col != nil && col.Type != column.Text {
			l.fault(n, fault.TypeMismatch, "only texts have a case to ignore; the column %q is of type %s", col.Name, col.Type)
		}
	}
	var first *yaml.Node
	for _, op := range criteria.Ops {
		operand := m.take(string(op))
		switch {
		case operand == nil:
		case c.Op != "":
			l.fault(operand, fault.WrongValue, "a condition has one operator; write a second one as a condition of its own").Suggest(meantBoth(col, c.Op, first, op, operand))
		default:
			c.Op, first = op, operand
			if col != nil {
				l.operand(w, c, operand)
				l.indexed(w, c, key)
			}
		}
	}
	l.unknownOps(c, key.Value, m)
	if c.Op == "" || col == nil {
		if len(m.pairs) == 0 {
			l.fault(value, fault.EmptyGroup, "the condition on %q has no operator", key.Value)
		}
		return nil
	}
	return c
}

// indexed warns where no index can serve a condition on a dated column.
func (l *linker) indexed(w *where, condition *criteria.Node, key *yaml.Node) {
	c := condition.Column
	if c.Type.IsDated() && condition.Op.AppliesTo(c.Type) && c.Stored == column.StoredText && c.Pattern.String() != "" && !c.Pattern.Sorts() {
		l.warn(key, fault.IndexNotUsed, "the texts of the column %q, in the pattern %s, do not sort by time: every record of %q is converted to be compared, and no index serves", c.Name, c.Pattern, w.of.Name)
	}
}

func (l *linker) operand(w *where, c *criteria.Node, n *yaml.Node) {
	if !c.Op.AppliesTo(c.Column.Type) {
		l.fault(n, fault.TypeMismatch, "%s does not apply to the column %q, which is of type %s", c.Op, c.Column.Name, c.Column.Type).Suggest(string(meantOp(string(c.Op), c.Column.Type)))
		return
	}
	if n.Tag == "!!null" {
		l.meantMissing(c, n)
		return
	}
	if c.Op == criteria.RecursIn {
		l.recurrence(w, c, n)
		return
	}
	if l.meantPeriod(c, n) {
		return
	}
	if n.Kind == yaml.MappingNode {
		if len(n.Content) > 0 && n.Content[0].Kind == yaml.MappingNode && len(n.Content[0].Content) > 0 { // {{NAME}}
			l.fault(n, fault.WrongType, "an answer is named by the key prompt").Suggest(promptNamed(strings.ReplaceAll(n.Content[0].Content[0].Value, "_", "-")))
			return
		}
		l.reference(w, c, n)
		return
	}
	if c.Op == criteria.ClockWithin {
		var f *fault.Fault
		if c.Operand.Times, f = phrase.TimeRange(l.text(n)); f != nil {
			l.add(n, f)
		}
		return
	}
	l.literals(c, n)
}

// literals reads an operand that the definition writes out: one value, or a list where the
// operator takes several.
func (l *linker) literals(c *criteria.Node, n *yaml.Node) {
	items := []*yaml.Node{n}
	denied, _ := c.Op.Denies()
	isRange := c.Column.Type.IsNumeric() && (c.Op == criteria.Within || denied == criteria.Within)
	if c.Op.IsMany() || isRange {
		if n.Kind != yaml.SequenceNode {
			l.meantList(c, n, isRange)
			return
		}
		if items = n.Content; len(items) == 0 {
			l.fault(n, fault.EmptyGroup, "%q has no value in its list", c.Op)
		}
		if len(items) > mostValues {
			l.fault(n, fault.TooMany, "there are %d values here, and at most %d are read; choices that stand in a table of their own are a join", len(items), mostValues)
			return
		}
	}
	if l.meantEach(c, n, isRange) {
		return
	}
	for _, item := range items {
		text := l.text(item)
		l.value(c, item, text)
		c.Operand.Texts = append(c.Operand.Texts, text)
	}
	if isRange {
		l.numberRange(n, c.Operand.Texts)
	}
}

func (l *linker) numberRange(n *yaml.Node, texts []string) {
	if len(texts) != 2 {
		l.fault(n, fault.CountMismatch, "a range has two numbers, the least and the greatest")
		return
	}
	lower, ok := prompt.ParseNumber(texts[0])
	upper, okUpper := prompt.ParseNumber(texts[1])
	if ok && okUpper && upper.LessThan(lower) {
		l.fault(n, fault.EndBeforeStart, "the range ends at %s, before it starts at %s", upper, lower).Suggest("[" + texts[1] + ", " + texts[0] + "]")
	}
}

// reference = { prompt: NAME [, side: start | end] } | { column: NAME } | { person: name | role | ATTRIBUTE } .
func (l *linker) reference(w *where, c *criteria.Node, n *yaml.Node) {
	m, _ := l.mapping(n, operandKeys)
	variants := []string{byColumn, byPerson, byPrompt}
	if col := m.take("column"); col != nil {
		variants = []string{byColumn}
		l.compared(w, c, col)
	} else if person := m.take("person"); person != nil {
		variants = []string{byPerson}
		l.personal(w, c, person)
	} else {
		name := l.need(m, "prompt")
		if side := m.take("side"); side != nil {
			c.Operand.Side = oneOf(l.reader, side, []criteria.Side{criteria.StartSide, criteria.EndSide})
		}
		if p := named(l, name, fault.UnknownPrompt, "prompt", l.catalog.Prompts); p != nil {
			l.prompted(w, c, name, p)
		}
	}
	l.finish(m, variants...)
}

// personal reads what is compared with of the person who runs it.
func (l *linker) personal(w *where, c *criteria.Node, n *yaml.Node) {
	text := l.text(n)
	switch {
	case text != "" && !criteria.IsAttribute(text):
		l.fault(n, fault.WrongValue, "what is known of a person is called name, role, or by small letters, digits and _, and this is %q", english.Shorten(text))
	case w.of != nil && w.of.Summed:
		l.fault(n, fault.TypeMismatch, "a condition on figures does not ask who runs it; write it where records are chosen")
	case c.Column.Type != column.Text && !c.Column.Type.IsNumeric():
		l.fault(n, fault.TypeMismatch, "what is known of a person is texts or numbers; the column %q is of type %s", c.Column.Name, c.Column.Type)
	case !slices.Contains([]criteria.Op{criteria.Is, criteria.IsNot, criteria.AnyOf, criteria.NoneOf}, c.Op):
		l.fault(n, fault.TypeMismatch, "%s does not compare with what is known of a person", c.Op).Suggest(string(criteria.AnyOf))
	}
	c.Operand.Person = criteria.Attribute(text)
}

// rows holds the conditions that ask who runs it to what can be told before anybody answers: they
// decide which records there are for a person, whatever else is asked.
func (l *linker) rows(n *yaml.Node, root *criteria.Node) {
	for _, part := range root.Together() {
		if !part.IsPersonal() {
			continue
		}
		part.Walk(func(c *criteria.Node) {
			isSet := c.Op == criteria.Missing || c.Op == criteria.Present
			if isSet || c.Operand.Prompt == nil && c.Operand.Column == nil && !c.Column.Type.IsDated() {
				return
			}
			at := n
			if known := l.places[c]; known != nil {
				at = known
			}
			l.fault(at, fault.PersonalCondition, "this stands in one group with a condition on who runs it, which decides which records there are for a person; such a group has conditions on texts, numbers, yes and no, and on what is missing or present, none of them asked")
		})
	}
}

// compared reads another column to compare with.
func (l *linker) compared(w *where, c *criteria.Node, n *yaml.Node) {
	other := l.columnOf(w.of, n, l.text(n))
	c.Operand.Column = other
	switch {
	case other == nil:
	case !c.Op.ComparesColumns():
		l.fault(n, fault.TypeMismatch, "%s does not compare with another column", c.Op)
	case c.IgnoreCase && w.of.Source != nil && w.of.Source.At.Engine == catalog.MariaDB:
		l.fault(n, fault.EngineCannot, "MariaDB cannot compare two columns in any case as the other engines do; compare them as they are")
	case other.IsExactText() != c.Column.IsExactText():
		l.fault(n, fault.EngineCannot, "one of the columns %q and %q holds decimals as text and the other does not; SQLite cannot compare the two", c.Column.Name, other.Name)
	case other == c.Column:
		l.fault(n, fault.TypeMismatch, "the column %q is compared with itself", other.Name)
	case other.Type != c.Column.Type && !(other.Type.IsNumeric() && c.Column.Type.IsNumeric()):
		l.fault(n, fault.TypeMismatch, "the column %q is of type %s, and %q of type %s; only like compares with like", c.Column.Name, c.Column.Type, other.Name, other.Type)
	}
}

// recurrence = { months: [NAME | N ...] } | { quarters: [N...] } | { days: [N...] } | { weekdays: [NAME...] } .
//
// In place of a list it takes { prompt: NAME }, a choice of such values.
func (l *linker) recurrence(w *where, c *criteria.Node, n *yaml.Node) {
	r := &c.Operand.Recurs
	m, ok := l.mapping(n, partKeys())
	if !ok {
		return
	}
	for _, part := range criteria.Parts {
		list := m.take(string(part))
		if list == nil {
			continue
		}
		if r.Part != "" {
			l.fault(list, fault.WrongValue, "a recurrence names one part of the calendar; write %s as a condition of its own", part)
			continue
		}
		r.Part = part
		if list.Kind == yaml.MappingNode {
			l.reference(w, c, list)
			continue
		}
		for i, text := range l.texts(list) {
			v, ok := part.Named(text)
			if !ok {
				l.fault(list.Content[i], fault.WrongValue, "%q is none of the %s, which are %s", english.Shorten(text), part, part.Examples())
			}
			if !slices.Contains(r.Values, v) {
				r.Values = append(r.Values, v)
			}
		}
		if list.Kind == yaml.SequenceNode && len(list.Content) == 0 {
			l.fault(list, fault.EmptyGroup, "%q has no value in its list", part)
		}
		slices.Sort(r.Values)
	}
	if l.finish(m); r.Part == "" && len(m.pairs) == 0 {
		l.fault(n, fault.EmptyGroup, "a recurrence names months, quarters, days or weekdays")
	}
}

// recurring holds the choices of a prompt to the part of the calendar that they name.
func (l *linker) recurring(c *criteria.Node, n *yaml.Node, p *prompt.Prompt) {
	part := c.Operand.Recurs.Part
	if p.Listed {
		l.fault(n, fault.TypeMismatch, "the prompt %q lists what the data hold; %s are a choice that the definition writes out", p.Name, part)
	}
	for _, o := range p.Choices {
		if _, ok := part.Named(o.Value); !ok {
			l.fault(n, fault.WrongValue, "the prompt %q offers %q, which is none of the %s; they are %s", p.Name, english.Shorten(o.Value), part, part.Examples())
		}
	}
}

func (l *linker) prompted(w *where, c *criteria.Node, n *yaml.Node, p *prompt.Prompt) {
	c.Operand.Prompt = p
	w.uses(p)
	if p.Derived != "" && p.Base == nil {
		return // refused where it stands
	}
	side := c.Operand.Side
	if side != "" && !criteria.HasSides(p.Type) {
		l.fault(n, fault.TypeMismatch, "an answer of type %s, as the prompt %q asks for, has no %s", p.Type, p.Name, side)
		return
	}
	fits, many := c.Op.Takes(p, side, c.Column.Type)
	switch {
	case many:
		f := l.fault(n, fault.CountMismatch, "the prompt %q takes many answers, and %s compares with one", p.Name, c.Op)
		if _, denies := c.Op.Denies(); denies {
			f.Suggest(string(criteria.NoneOf))
		} else {
			f.Suggest(string(criteria.AnyOf))
		}
	case !fits:
		l.fault(n, fault.TypeMismatch, "an answer of type %s, as the prompt %q asks for, does not go with %s on the column %q of type %s", p.Type, p.Name, c.Op, c.Column.Name, c.Column.Type).
			Suggest(opFor(p, side, c.Column.Type))
	case c.Op == criteria.RecursIn:
		l.recurring(c, n, p)
	case p.Type == prompt.Choice && c.Column.Type.IsNumeric():
		for _, o := range p.Choices {
			l.value(c, n, o.Value)
		}
	}
}

// value checks a value as written against the column's type.
func (l *linker) value(c *criteria.Node, n *yaml.Node, text string) {
	switch {
	case l.namesPrompt(c, n, text):
	case text == "" && (c.Op == criteria.Contains || c.Op == criteria.StartsWith || c.Op == criteria.EndsWith):
		l.fault(n, fault.WrongValue, "every text %s an empty one; name what to look for", strings.ReplaceAll(string(c.Op), "_", " "))
	case c.Column.Type == column.YesNo:
		if _, ok := prompt.ParseYesNo(text); !ok {
			l.fault(n, fault.WrongValue, "yes or no is wanted here, and this is %q", english.Shorten(text))
		}
	case text == "" && (c.Column.Type.IsNumeric() || c.Column.Type.IsDated()):
		l.fault(n, fault.WrongValue, "%s is compared with nothing here; write a value, or {prompt: NAME} to ask for it", c.Column.Name)
	case c.Column.Type.IsNumeric():
		l.decimal(&yaml.Node{Kind: yaml.ScalarNode, Value: text, Line: n.Line, Column: n.Column})
	case c.Column.Type.IsDated():
		read := phrase.Day
		if denied, _ := c.Op.Denies(); c.Op == criteria.Within || denied == criteria.Within {
			read = phrase.Period
		}
		if _, f := read(text, l.setting); f != nil {
			l.meantDay(c, text, f)
			l.add(n, f)
		}
	}
}
