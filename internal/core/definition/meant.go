package definition

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

// meantOps are operators by other names: those of SQL and of programs, and our own where
// they stand on a column of another type. Of several the first that applies is meant.
var meantOps = map[string][]criteria.Op{
	"=": {criteria.Is}, "==": {criteria.Is}, "eq": {criteria.Is}, "equals": {criteria.Is}, "equal": {criteria.Is}, "on": {criteria.Is},
	"!=": {criteria.IsNot}, "<>": {criteria.IsNot}, "ne": {criteria.IsNot}, "not": {criteria.IsNot}, "not_equal": {criteria.IsNot}, "not_equals": {criteria.IsNot},
	">": {criteria.After, criteria.MoreThan}, "gt": {criteria.After, criteria.MoreThan}, "greater_than": {criteria.After, criteria.MoreThan},
	">=": {criteria.From, criteria.AtLeast}, "gte": {criteria.From, criteria.AtLeast}, "since": {criteria.From, criteria.AtLeast}, "min": {criteria.From, criteria.AtLeast}, "start": {criteria.From, criteria.AtLeast},
	"<": {criteria.Before, criteria.LessThan}, "lt": {criteria.Before, criteria.LessThan},
	"<=": {criteria.Through, criteria.AtMost}, "lte": {criteria.Through, criteria.AtMost}, "until": {criteria.Through, criteria.AtMost}, "to": {criteria.Through, criteria.AtMost}, "max": {criteria.Through, criteria.AtMost}, "end": {criteria.Through, criteria.AtMost},
	"between": {criteria.Within}, "range": {criteria.Within}, "during": {criteria.Within}, "not_between": {criteria.Outside},
	"in": {criteria.AnyOf, criteria.Is}, "one_of": {criteria.AnyOf, criteria.Is}, "any": {criteria.AnyOf, criteria.Is}, "not_in": {criteria.NoneOf, criteria.IsNot}, "none": {criteria.NoneOf, criteria.IsNot},
	"like": {criteria.Contains, criteria.Is}, "ilike": {criteria.Contains, criteria.Is}, "matches": {criteria.Contains, criteria.Is}, "includes": {criteria.Contains, criteria.AnyOf},
	"begins_with": {criteria.StartsWith},

	string(criteria.AtLeast): {criteria.From}, string(criteria.MoreThan): {criteria.After}, string(criteria.AtMost): {criteria.Through}, string(criteria.LessThan): {criteria.Before},
	string(criteria.From): {criteria.AtLeast}, string(criteria.After): {criteria.MoreThan}, string(criteria.Through): {criteria.AtMost}, string(criteria.Before): {criteria.LessThan},
	string(criteria.Within): {criteria.AnyOf, criteria.Is}, string(criteria.Outside): {criteria.NoneOf, criteria.IsNot}, string(criteria.AnyOf): {criteria.Is}, string(criteria.NoneOf): {criteria.IsNot},
}

// meantLogic are groups by other names.
var meantLogic = map[string]criteria.Logic{"and": criteria.All, "or": criteria.Any, "not": criteria.None, "nor": criteria.None, "every": criteria.All, "either": criteria.Any}

// meantKeys are keys by other names, each with those of ours that it may mean.
var meantKeys = map[string][]string{
	"columns": {"show"}, "fields": {"columns", "show"}, "select": {"show"}, "order_by": {"sort"}, "orderby": {"sort"}, "order": {"sort"}, "sort_by": {"sort"},
	"from": {"of", "table"}, "dataset": {"of"}, "data": {"of"}, "filter": {"where"}, "filters": {"where"}, "conditions": {"where"}, "criteria": {"where"}, "when": {"where"},
	"name": {"title", "label", "ask"}, "label": {"ask", "title"}, "question": {"ask"}, "text": {"ask"}, "message": {"ask"}, "description": {"about", "help"}, "hint": {"help"},
	"options": {"choices"}, "values": {"choices"}, "multiple": {"many"}, "mandatory": {"required"}, "max_length": {"most_letters"}, "min": {"earliest", "at_least"}, "max": {"latest", "at_most"}, "default_value": {"default"},
	"timezone": {"zone"}, "time_zone": {"zone"}, "tz": {"zone"}, "format": {"pattern", "stored"}, "date_format": {"pattern"}, "precision": {"scale"}, "decimals": {"scale"},
	"parameters": {"prompts"}, "params": {"prompts"}, "inputs": {"prompts"}, "questions": {"prompts"}, "folder": {"shelf"}, "group": {"shelf"}, "primary_key": {"key"}, "id": {"key"},
	"url": {"address"}, "host": {"address"}, "path": {"file"}, "database": {"engine", "schema"}, "type": {"engine", "stored"},
}

// meantWords are words for types by other names, those of SQL and of programs, each with
// those of ours that it may mean.
var meantWords = map[string][]string{
	"varchar": {"text"}, "char": {"text"}, "string": {"text"}, "str": {"text"}, "nvarchar": {"text"},
	"int": {"integer", "number"}, "integer": {"number"}, "bigint": {"integer"}, "smallint": {"integer"}, "long": {"integer"}, "float": {"number"}, "double": {"number"}, "real": {"number"}, "numeric": {"decimal", "number"}, "decimal": {"number"}, "money": {"decimal"}, "currency": {"decimal"},
	"bool": {"yes-no"}, "boolean": {"yes-no"}, "bit": {"yes-no"}, "checkbox": {"yes-no"},
	"timestamp": {"datetime", "moment"}, "datetime": {"moment"}, "timestamptz": {"instant", "moment"}, "date": {"day"}, "dates": {"days"}, "daterange": {"period"}, "range": {"period"}, "between": {"period"}, "time": {"time-range"},
	"dropdown": {"choice"}, "select": {"choice"}, "list": {"choice"}, "enum": {"choice"}, "multiselect": {"choice"}, "radio": {"choice"},
	"postgresql": {"postgres"}, "mysql": {"mariadb"}, "maria": {"mariadb"}, "sqlite3": {"sqlite"}, "null": {"missing"},
	"desc": {"descending"}, "asc": {"ascending"},
}

// meantWord is the word that another one means, of those that can stand there; "" for none.
func meantWord(word string, words []string) string {
	folded := strings.NewReplacer(" ", "", "-", "", "_", "").Replace(strings.ToLower(word))
	for _, meant := range meantWords[folded] {
		if slices.Contains(words, meant) {
			return meant
		}
	}
	return ""
}

var notInName = regexp.MustCompile(`[^a-z0-9]+`)

// nameMeant makes a name of a text that is none.
func nameMeant(text string) string {
	name := strings.Trim(notInName.ReplaceAllString(strings.ToLower(text), "-"), "-")
	if !catalog.IsName(name) {
		return ""
	}
	return name
}

var comparison = regexp.MustCompile(`(?i)^(\S+) ?(>=|<=|<>|!=|=|<|>| in | like | between ) ?(.+)$`)

// meantNode refuses what is no condition: a list, several columns at once, or words of SQL.
func (l *linker) meantNode(w *where, n *yaml.Node) {
	if n.Kind == yaml.SequenceNode && len(n.Content) > 0 {
		l.fault(n, fault.WrongType, "several conditions are a list under all, any or none").Suggest(written(string(criteria.All), flow(n)))
		return
	}
	m := comparison.FindStringSubmatch(n.Value)
	if n.Kind != yaml.ScalarNode || m == nil || w.of == nil || w.of.Column(m[1]) == nil {
		l.wrongType(n, keysWithValues)
		return
	}
	f := l.fault(n, fault.WrongType, "a condition is a column with an operator, and this is %q", english.Shorten(n.Value))
	if op := meantOp(strings.TrimSpace(m[2]), w.of.Column(m[1]).Type); op != "" && !strings.HasPrefix(m[2], " ") {
		f.Suggest(written(m[1], "{"+written(string(op), strings.Trim(m[3], "'"))+"}"))
	}
}

// each writes the pairs of a mapping as items of a list.
func each(n *yaml.Node) string {
	items := make([]string, 0, len(n.Content)/2)
	for i := 0; i+1 < len(n.Content); i += 2 {
		items = append(items, "{"+written(n.Content[i].Value, flow(n.Content[i+1]))+"}")
	}
	return "[" + strings.Join(items, ", ") + "]"
}

// meantKey is the key that an unknown one means, of those that can stand there; "" for none.
func meantKey(key string, known []string) string {
	for _, meant := range meantKeys[strings.ToLower(key)] {
		if slices.Contains(known, meant) {
			return meant
		}
	}
	return ""
}

// opWord is a word as operators are written: small letters, without blanks.
func opWord(text string) string { return strings.ReplaceAll(strings.ToLower(text), " ", "_") }

// meantOp is the operator that a word means on a column of a type.
func meantOp(word string, t column.Type) criteria.Op {
	for _, op := range meantOps[opWord(word)] {
		if op.AppliesTo(t) {
			return op
		}
	}
	return ""
}

// unknownOps refuses the operators that are none.
//
// One branch for each habit that a wrong operator comes from.
func (l *linker) unknownOps(c *criteria.Node, name string, m *mapping) {
	for _, p := range m.pairs {
		if m.taken[p.key.Value] {
			continue
		}
		m.taken[p.key.Value] = true
		if strings.HasPrefix(p.key.Tag, "!=") { // YAML takes != for the tag of the value
			l.fault(p.key, fault.UnknownKey, "no operator %q", "!=").Suggest(written(string(criteria.IsNot), p.key.Value))
			continue
		}
		word := opWord(p.key.Value)
		if word == string(criteria.Missing) || word == string(criteria.Present) {
			l.fault(p.key, fault.UnknownKey, "%s has no value after it", word).Suggest(written(name, missingWord(word == string(criteria.Missing), p.value)))
			continue
		}
		if word == "null" || word == "is_null" || word == "not_null" || word == "is_not_null" || word == "exists" {
			isMissing := word == "null" || word == "is_null"
			l.fault(p.key, fault.UnknownKey, "no operator %q; whether a value is stored is a condition without one", p.key.Value).Suggest(written(name, missingWord(isMissing, p.value)))
			continue
		}
		f := l.fault(p.key, fault.UnknownKey, "no operator %q", english.Shorten(p.key.Value))
		if c.Column == nil {
			f.Message += "; they are " + english.Both(opsOn(""))
			continue
		}
		if op, text := likeMeant(word, p.value); op != "" && op.AppliesTo(c.Column.Type) {
			f.Suggest(written(string(op), text))
			continue
		}
		if near := nearOp(p.key.Value, c.Column.Type); near != "" {
			if ends := endsMeant(p.value); ends != "" && c.Column.Type.IsDated() && (near == string(criteria.Within) || near == string(criteria.Outside)) {
				near = written(near, ends)
			}
			f.Suggest(near)
			continue
		}
		f.Message += fmt.Sprintf("; those for a column of type %s are %s", c.Column.Type, english.Both(opsOn(c.Column.Type)))
	}
}

// missingWord is the condition that a missing or present with yes or no after it means.
func missingWord(isMissing bool, value *yaml.Node) string {
	if value.Value == "false" || value.Value == "no" {
		isMissing = !isMissing
	}
	if isMissing {
		return string(criteria.Missing)
	}
	return string(criteria.Present)
}

// likeMeant is the operator that a pattern of SQL's LIKE means, and its text; none where
// no operator does the same.
func likeMeant(word string, value *yaml.Node) (criteria.Op, string) {
	if word != "like" && word != "ilike" || value.Kind != yaml.ScalarNode {
		return "", ""
	}
	inner := strings.Trim(value.Value, "%")
	if inner == "" || strings.ContainsAny(inner, "%_") {
		return "", ""
	}
	op := criteria.Is
	switch before, after := strings.HasPrefix(value.Value, "%"), strings.HasSuffix(value.Value, "%"); {
	case before && after:
		op = criteria.Contains
	case before:
		op = criteria.EndsWith
	case after:
		op = criteria.StartsWith
	}
	if word == "ilike" {
		inner += ", ignore_case: true"
	}
	return op, inner
}

func nearOp(word string, t column.Type) string {
	if op := meantOp(word, t); op != "" {
		return string(op)
	}
	return fault.Near(word, opsOn(t))
}

// opFor is the operator that takes the answers of a prompt on a column of a type; "" where
// none does.
func opFor(p *prompt.Prompt, side criteria.Side, t column.Type) string {
	for _, op := range []criteria.Op{criteria.Is, criteria.Within, criteria.AnyOf, criteria.ClockWithin} {
		if fits, _ := op.Takes(p, side, t); fits && op.AppliesTo(t) {
			return string(op)
		}
	}
	return ""
}

// opsOn are the operators that can stand on a column of a type, "" for any type.
func opsOn(t column.Type) []string {
	var all []string
	for _, op := range criteria.Ops {
		if t == "" || op.AppliesTo(t) {
			all = append(all, string(op))
		}
	}
	return all
}

// meantCondition refuses a condition that is one word, a list, or nothing, where keys with
// values are wanted.
func (l *linker) meantCondition(col *column.Column, key, value *yaml.Node) {
	f := l.fault(value, fault.WrongValue, "the condition on %q has no operator", key.Value)
	if value.Kind == yaml.AliasNode {
		f.Code, f.Message = fault.AliasNotRead, "aliases are not read; write the value out"
		return
	}
	if value.Tag == "!!null" {
		f.Suggest(string(criteria.Missing))
		return
	}
	if value.Kind == yaml.ScalarNode {
		if word := fault.Near(value.Value, []string{string(criteria.Missing), string(criteria.Present)}); word != "" {
			f.Suggest(word)
			return
		}
	}
	if col == nil {
		return
	}
	op := criteria.Is
	switch {
	case value.Kind == yaml.SequenceNode && col.Type.IsNumeric() && len(value.Content) == 2:
		op = criteria.Within
	case value.Kind == yaml.SequenceNode:
		op = criteria.AnyOf
	case col.Type.IsDated() && !l.isDay(value.Value):
		op = criteria.Within
	}
	if op.AppliesTo(col.Type) {
		f.Suggest("{" + written(string(op), l.meantValue(value)) + "}")
	}
}

// meantValue is a value as it stands in a condition: the prompt where it names one.
func (l *linker) meantValue(n *yaml.Node) string {
	if n.Kind == yaml.ScalarNode {
		if name := l.promptMeant(n.Value); name != "" {
			return promptNamed(name)
		}
	}
	return flow(n)
}

// promptNamed is an operand that takes a prompt's answer.
func promptNamed(name string) string { return "{" + written("prompt", name) + "}" }

// meantBoth writes two operators on one column as one that says both, or as two conditions.
func meantBoth(col *column.Column, op criteria.Op, operand *yaml.Node, other criteria.Op, otherOperand *yaml.Node) string {
	if col == nil {
		return ""
	}
	plain := operand.Kind == yaml.ScalarNode && otherOperand.Kind == yaml.ScalarNode
	if plain && op == criteria.From && other == criteria.Through {
		return written(string(criteria.Within), operand.Value+" to "+otherOperand.Value)
	}
	if plain && op == criteria.AtLeast && other == criteria.AtMost || plain && op == criteria.AtMost && other == criteria.AtLeast {
		ends := []string{operand.Value, otherOperand.Value}
		if op == criteria.AtMost {
			slices.Reverse(ends)
		}
		return written(string(criteria.Within), "["+strings.Join(ends, ", ")+"]")
	}
	return written(string(criteria.All), "["+condition(col, op, operand)+", "+condition(col, other, otherOperand)+"]")
}

// promptMeant is the prompt that a text names, bare or as a placeholder of SQL or of a
// template: travel-days, :travel_days, $travel_days, @travel_days, {{travel_days}}; "" for none.
func (l *linker) promptMeant(text string) string {
	bare := strings.TrimSpace(strings.Trim(text, ":$@{}%? "))
	for _, name := range []string{bare, strings.ReplaceAll(bare, "_", "-")} {
		if l.declared[catalog.Ref{Kind: catalog.KindPrompt, Name: name}] != nil {
			return name
		}
	}
	if bare != text && bare != "" {
		return fault.Near(bare, l.namesOf(catalog.KindPrompt))
	}
	return ""
}

var placeholderText = regexp.MustCompile(`^(?:[:$@]|\{\{ *)\{?([a-z][a-z0-9_-]*)[ }]*$`)

// namesPrompt refuses a value that names a prompt where a day or a number is wanted; on a
// column of texts it may be meant as it stands, and is only warned of.
func (l *linker) namesPrompt(c *criteria.Node, n *yaml.Node, text string) bool {
	name := l.promptMeant(text)
	if m := placeholderText.FindStringSubmatch(text); name == "" && m != nil && c.Column.Type != column.Text {
		name = strings.ReplaceAll(m[1], "_", "-") // of a prompt that is still to be written
	}
	if name == "" {
		return false
	}
	if c.Column.Type == column.Text {
		if strings.Trim(text, ":$@{}") != text {
			l.warn(n, fault.ComparesWithAName, "this compares with the text %q, not with what is answered", text).Suggest(promptNamed(name))
		}
		return false
	}
	l.fault(n, fault.WrongValue, "%q is not a value, and an answer is named by the key prompt", text).Suggest(promptNamed(name))
	return true
}

// meantDay makes of a text that is a period, where a day is wanted, what leads on: the
// operator that takes periods, or the day of it that the operator can have meant.
func (l *linker) meantDay(c *criteria.Node, text string, f *fault.Fault) {
	if _, none := phrase.Period(text, l.setting); none != nil {
		return
	}
	within := map[criteria.Op]criteria.Op{criteria.Is: criteria.Within, criteria.AnyOf: criteria.Within, criteria.IsNot: criteria.Outside, criteria.NoneOf: criteria.Outside}[c.Op]
	switch {
	case within != "":
		f.Message = fmt.Sprintf("%q is a period, and %s compares with days", english.Shorten(text), c.Op)
		f.Suggestions = []string{written(string(within), text)}
	case len(f.Suggestions) == 2 && (c.Op == criteria.From || c.Op == criteria.Before):
		f.Suggestions = f.Suggestions[:1]
	case len(f.Suggestions) == 2:
		f.Suggestions = f.Suggestions[1:]
	}
}

func (l *linker) isDay(text string) bool {
	_, f := phrase.Day(text, l.setting)
	return f == nil
}

// meantPeriod refuses a list of two days, or a start with an end, where a period is wanted.
func (l *linker) meantPeriod(c *criteria.Node, n *yaml.Node) bool {
	denied, _ := c.Op.Denies()
	if !c.Column.Type.IsDated() || c.Op != criteria.Within && denied != criteria.Within {
		return false
	}
	if n.Kind != yaml.SequenceNode && (n.Kind != yaml.MappingNode || endsMeant(n) == "") {
		return false
	}
	f := l.fault(n, fault.WrongType, "a period is one text, its first and its last day parted by to")
	if ends := endsMeant(n); ends != "" {
		f.Suggest(written(string(c.Op), ends))
	}
	return true
}

// endsMeant is the period that a list of two days means, or a start with an end; "" for
// neither.
func endsMeant(n *yaml.Node) string {
	var ends []*yaml.Node
	switch n.Kind {
	case yaml.SequenceNode:
		ends = n.Content
	case yaml.MappingNode:
		for _, names := range [][]string{{"start", "from", "first", "min"}, {"end", "to", "last", "max", "through"}} {
			for i := 0; i+1 < len(n.Content); i += 2 {
				if slices.Contains(names, n.Content[i].Value) {
					ends = append(ends, n.Content[i+1])
				}
			}
		}
	}
	if len(ends) != 2 || ends[0].Kind != yaml.ScalarNode || ends[1].Kind != yaml.ScalarNode {
		return ""
	}
	return ends[0].Value + " to " + ends[1].Value
}

// meantEach refuses a list where one text is wanted, and writes a condition for each; a
// range of numbers is a list of two.
func (l *linker) meantEach(c *criteria.Node, n *yaml.Node, isRange bool) bool {
	if n.Kind != yaml.SequenceNode || c.Op.IsMany() || isRange {
		return false
	}
	f := l.fault(n, fault.WrongType, "%s takes one value, and this is a list", c.Op)
	many, hasMany := map[criteria.Op]criteria.Op{criteria.Is: criteria.AnyOf, criteria.IsNot: criteria.NoneOf}[c.Op]
	if hasMany && many.AppliesTo(c.Column.Type) {
		f.Suggest(written(string(many), flow(n)))
		return true
	}
	conditions := make([]string, len(n.Content))
	for i, item := range n.Content {
		conditions[i] = condition(c.Column, c.Op, item)
	}
	f.Suggest(written(string(criteria.Any), "["+strings.Join(conditions, ", ")+"]"))
	return true
}

// meantList refuses one value where a list is wanted, or a pair of numbers.
func (l *linker) meantList(c *criteria.Node, n *yaml.Node, isRange bool) {
	if name := l.promptMeant(n.Value); name != "" {
		l.fault(n, fault.WrongValue, "%q is not a list of values, and an answer is named by the key prompt", n.Value).Suggest(promptNamed(name))
		return
	}
	if isRange {
		l.wrongType(n, "a list of two numbers, or a prompt")
		return
	}
	l.wrongType(n, "a list of values, or a prompt")
	if n.Value != "" {
		l.faults[len(l.faults)-1].Suggest("[" + flow(n) + "]")
	}
}

// meantGroup refuses conditions under all, any or none that are no list.
func (l *linker) meantGroup(logic criteria.Logic, n *yaml.Node) {
	if n.Kind != yaml.MappingNode || len(n.Content) == 0 {
		l.wrongType(n, "a list of conditions")
		return
	}
	l.fault(n, fault.WrongType, "%q has a list of conditions, each on a line that begins with a dash", logic).Suggest(written(string(logic), each(n)))
}

// written is a key with its value, as YAML.
func written(key, value string) string { return key + ": " + value }

// condition is a condition on a column, as YAML.
func condition(col *column.Column, op criteria.Op, operand *yaml.Node) string {
	return "{" + written(col.Name, "{"+written(string(op), flow(operand))+"}") + "}"
}

// flow writes a value as YAML on one line.
func flow(n *yaml.Node) string {
	var onOneLine func(n *yaml.Node) *yaml.Node
	onOneLine = func(n *yaml.Node) *yaml.Node {
		made := &yaml.Node{Kind: n.Kind, Tag: n.Tag, Value: n.Value, Style: n.Style}
		if n.Kind != yaml.ScalarNode {
			made.Style = yaml.FlowStyle
		}
		for _, child := range n.Content {
			made.Content = append(made.Content, onOneLine(child))
		}
		return made
	}
	text, err := yaml.Marshal(onOneLine(n))
	if err != nil {
		return n.Value
	}
	return strings.TrimSpace(string(text))
}

// meantMissing refuses null as a value, and suggests the condition that it was meant to be.
func (l *linker) meantMissing(c *criteria.Node, n *yaml.Node) {
	f := l.fault(n, fault.WrongType, "null is no value; whether one is stored is a condition without an operator")
	switch c.Op {
	case criteria.Is, criteria.AnyOf:
		f.Suggest(written(c.Column.Name, string(criteria.Missing)))
	case criteria.IsNot, criteria.NoneOf:
		f.Suggest(written(c.Column.Name, string(criteria.Present)))
	}
}
