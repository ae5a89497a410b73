package definition

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"
	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// reader reads one document and collects its faults.
type reader struct {
	doc      *catalog.Document
	root     *yaml.Node
	faults   fault.List
	warnings fault.List
	// shaky says that something that the document builds on has faults, so that what it
	// means is not known.
	shaky bool
}

// place of a node in the file.
func (r *reader) place(n *yaml.Node) fault.Place {
	if n == nil {
		return fault.Place{File: r.doc.File, Line: r.doc.Line, Column: 1}
	}
	return fault.Place{File: r.doc.File, Line: r.doc.Line + n.Line - 1, Column: n.Column}
}

func (r *reader) fault(n *yaml.Node, code fault.Code, format string, args ...any) *fault.Fault {
	return r.add(n, fault.New(code, format, args...))
}

// warn finds what does not stop publishing.
func (r *reader) warn(n *yaml.Node, code fault.Code, format string, args ...any) *fault.Fault {
	return r.add(n, fault.Warn(code, format, args...))
}

// add adds a fault or a warning about what stands at a node.
func (r *reader) add(n *yaml.Node, f *fault.Fault) *fault.Fault {
	within := f.Place.Column
	if f.At(r.place(n)); within > 0 && n != nil {
		f.Place.Column += columnsBefore(n, within)
	}
	if f.Warning {
		r.warnings = append(r.warnings, f)
	} else {
		r.faults = append(r.faults, f)
	}
	return f
}

// columnsBefore is how far behind the start of a node a column of its text stands: 0 where
// the text is written on several lines or with escapes, which move it.
func columnsBefore(n *yaml.Node, column int) int {
	switch {
	case n.Style == 0:
		return column - 1
	case n.Style&(yaml.SingleQuotedStyle|yaml.DoubleQuotedStyle) != 0 && !strings.ContainsAny(n.Value, "'\"\n"):
		return column
	}
	return 0
}

// ref reads the first keys: the format's version, then the kind with the name.
func (r *reader) ref() catalog.Ref {
	if r.root == nil {
		return catalog.Ref{}
	}
	m, ok := r.open(r.root)
	if !ok {
		return catalog.Ref{}
	}
	if len(m.pairs) < 2 || m.pairs[0].key.Value != "pikegate" {
		r.fault(r.root, fault.WrongFormat, `a definition starts with "pikegate: %s" and then names what it defines, as in "prompt: travel-period"`, Format)
		return catalog.Ref{}
	}
	if v := m.pairs[0].value; v.Value != Format {
		r.fault(v, fault.WrongFormat, "format %q is not known; this service reads format %s", v.Value, Format)
		return catalog.Ref{}
	}
	key, value := m.pairs[1].key, m.pairs[1].value
	if !slices.Contains(catalog.Kinds, catalog.Kind(key.Value)) {
		kinds := make([]string, len(catalog.Kinds))
		for i, k := range catalog.Kinds {
			kinds[i] = string(k)
		}
		f := r.fault(key, fault.UnknownKey, "%q is nothing that can be defined; the kinds are %s", key.Value, english.Both(kinds))
		f.Suggest(fault.Near(key.Value, kinds))
		return catalog.Ref{}
	}
	name := r.text(value)
	if name != "" && !catalog.IsName(name) {
		r.fault(value, fault.NotAnIdentifier, "%q is not a name; names are small letters and digits, parted by - or _", name).Suggest(nameMeant(name))
	}
	return catalog.Ref{Kind: catalog.Kind(key.Value), Name: name}
}

// pair is a key with its value.
type pair struct{ key, value *yaml.Node }

// mapping is a YAML mapping whose keys are taken one by one.
type mapping struct {
	node  *yaml.Node
	pairs []pair
	keys  keys // that it can have; nil where they are names
	taken map[string]bool
}

// mapping reads a mapping whose keys are those of a table.
func (r *reader) mapping(n *yaml.Node, table keys) (*mapping, bool) {
	m, ok := r.open(n)
	if ok {
		m.keys = table
	}
	return m, ok
}

// open reads a mapping whose keys are names.
func (r *reader) open(n *yaml.Node) (*mapping, bool) {
	if n.Kind != yaml.MappingNode {
		r.wrongType(n, keysWithValues)
		return nil, false
	}
	m := &mapping{node: n, taken: map[string]bool{}}
	seen := map[string]bool{}
	for i := 0; i+1 < len(n.Content); i += 2 {
		key := n.Content[i]
		if seen[key.Value] {
			r.fault(key, fault.DuplicateKey, "the key %q stands here a second time", key.Value)
			continue
		}
		seen[key.Value] = true
		m.pairs = append(m.pairs, pair{key, n.Content[i+1]})
	}
	return m, true
}

// take hands out the value of a key, nil where it is absent.
func (m *mapping) take(key string) *yaml.Node {
	if m.keys != nil && !slices.Contains(m.keys.names(), key) {
		panic("definition: the key " + key + " is in no table")
	}
	for _, p := range m.pairs {
		if p.key.Value == key {
			m.taken[key] = true
			return p.value
		}
	}
	return nil
}

// need is take for a key that must be there.
func (r *reader) need(m *mapping, key string) *yaml.Node {
	n := m.take(key)
	if n == nil {
		r.fault(m.node, fault.MissingKey, "%s", missing(key))
	}
	return n
}

func missing(key string) string { return fmt.Sprintf("the key %q is missing here", key) }

// finish refuses the keys that the mapping does not have, being of these variants.
func (r *reader) finish(m *mapping, variants ...string) {
	known := m.keys.of(variants...).names()
	for _, p := range m.pairs {
		if m.taken[p.key.Value] || slices.Contains(known, p.key.Value) {
			continue
		}
		f := r.fault(p.key, fault.UnknownKey, "no key %q here; %s", english.Shorten(p.key.Value), theKeys(known))
		near := meantKey(p.key.Value, known)
		if near == "" {
			near = fault.Near(p.key.Value, known)
		}
		if near != "" {
			f.Message = fmt.Sprintf("no key %q here", english.Shorten(p.key.Value))
			f.Suggest(near)
			r.faults = slices.DeleteFunc(r.faults, func(other *fault.Fault) bool { // it is told by this one
				return other.Code == fault.MissingKey && other.Place == r.place(m.node) && other.Message == missing(near)
			})
		}
	}
}

func theKeys(known []string) string {
	if len(known) == 1 {
		return "the only key is " + known[0]
	}
	return "the keys are " + english.Both(known)
}

// The shapes of YAML, as messages name them.
const (
	keysWithValues = "keys with values"
	aList          = "a list"
)

func (r *reader) wrongType(n *yaml.Node, wanted string) {
	if n.Kind == yaml.AliasNode {
		r.fault(n, fault.AliasNotRead, "aliases are not read; write the value out")
		return
	}
	found := map[yaml.Kind]string{yaml.MappingNode: keysWithValues, yaml.SequenceNode: aList}[n.Kind]
	if found == "" {
		found = strconv.Quote(english.Shorten(n.Value))
	}
	verb := "is"
	if wanted == keysWithValues {
		verb = "are"
	}
	f := r.fault(n, fault.WrongType, "%s %s wanted here, and this is %s", wanted, verb, found)
	if wanted == aList && n.Kind == yaml.ScalarNode && n.Tag != "!!null" {
		f.Suggest("[" + flow(n) + "]")
	}
}

// text reads a scalar as it is written; "" for none.
func (r *reader) text(n *yaml.Node) string {
	if n == nil {
		return ""
	}
	if n.Kind != yaml.ScalarNode || n.Tag == "!!null" {
		r.wrongType(n, "a text")
		return ""
	}
	return n.Value
}

// texts reads a list of scalars.
func (r *reader) texts(n *yaml.Node) []string {
	if n == nil {
		return nil
	}
	if n.Kind != yaml.SequenceNode {
		r.wrongType(n, aList)
		return nil
	}
	all := make([]string, len(n.Content))
	for i, item := range n.Content {
		all[i] = r.text(item)
	}
	return all
}

func (r *reader) yes(n *yaml.Node) bool {
	switch text := r.text(n); {
	case text == "true":
		return true
	case n != nil && text != "" && text != "false":
		r.fault(n, fault.WrongValue, "true or false is wanted here, and this is %q", english.Shorten(text))
	}
	return false
}

// whole reads a whole number from least on; 0 for none.
func (r *reader) whole(n *yaml.Node, least int) int {
	if n == nil {
		return 0
	}
	text := r.text(n)
	v, err := strconv.Atoi(text)
	if text != "" && (err != nil || v < least) {
		r.fault(n, fault.WrongValue, "a whole number from %d on is wanted here, and this is %q", least, english.Shorten(text))
	}
	return v
}

func (r *reader) decimal(n *yaml.Node) *decimal.Decimal {
	if n == nil {
		return nil
	}
	text := r.text(n)
	d, err := decimal.NewFromString(text)
	if err != nil || len(text) > 40 {
		if text != "" {
			r.fault(n, fault.WrongValue, "a number is wanted here, and this is %q", english.Shorten(text))
		}
		return nil
	}
	return &d
}

// oneOf reads a word from a list: the first of the list where it is absent, none
// where it is another word.
func oneOf[T ~string](r *reader, n *yaml.Node, words []T) T {
	if n == nil {
		return words[0]
	}
	text := r.text(n)
	if slices.Contains(words, T(text)) || text == "" {
		return T(text)
	}
	all := make([]string, len(words))
	for i, w := range words {
		all[i] = string(w)
	}
	f := r.fault(n, fault.WrongValue, "%q is not one of %s", english.Shorten(text), english.Both(all))
	if meant := meantWord(text, all); meant != "" {
		f.Suggest(meant)
	} else {
		f.Suggest(fault.Near(text, all))
	}
	return ""
}
