package definition

import (
	"regexp"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
)

// The first pass declares: it parses each document and collects what its text names. The
// second resolves the documents one by one, each behind those that it names, so that the
// order in which they are given makes no difference.

// declared is a document that was parsed, and not resolved yet.
type declared struct {
	*reader
	resolved bool
	mentions []catalog.Ref
}

// declare parses a document.
func declare(d *catalog.Document) *declared {
	r := read(d)
	if r == nil { // without content
		r = &reader{doc: d}
	}
	declared := &declared{reader: r}
	if r.root != nil {
		declared.mentions = mentions(r.root)
	}
	return declared
}

// touch marks a document that mentions one that is marked.
func (l *linker) touch(ref catalog.Ref) {
	if slices.ContainsFunc(l.declared[ref].mentions, func(mentioned catalog.Ref) bool { return l.touched[mentioned] }) {
		l.touched[ref] = true
	}
}

// order is the order in which the documents can be resolved: each stands behind those that
// it mentions. Of documents that mention each other in a circle one has to come first, and
// finds what it mentions unresolved.
func (l *linker) order(from []catalog.Ref) []catalog.Ref {
	var all []catalog.Ref
	seen := map[catalog.Ref]bool{}
	var visit func(ref catalog.Ref)
	visit = func(ref catalog.Ref) {
		d := l.declared[ref]
		if d == nil || seen[ref] {
			return
		}
		seen[ref] = true
		for _, mentioned := range d.mentions {
			visit(mentioned)
		}
		all = append(all, ref)
	}
	for _, ref := range from {
		visit(ref)
	}
	return all
}

// placeholderName finds the placeholders of custom SQL, with more that looks like one.
var placeholderName = regexp.MustCompile(`:(\w+)`)

// mentions are the definitions that a text may name, in its order. A key that is called as a
// kind names one of that kind. What turns out to name nothing does no harm here.
func mentions(n *yaml.Node) []catalog.Ref {
	var found []catalog.Ref
	add := func(kind catalog.Kind, name string) { found = append(found, catalog.Ref{Kind: kind, Name: name}) }
	for i, child := range n.Content {
		if n.Kind != yaml.MappingNode || i%2 == 0 {
			found = append(found, mentions(child)...)
			continue
		}
		switch key := n.Content[i-1].Value; key {
		case "of":
			add(catalog.KindDataset, child.Value)
		case "derived": // previous travel-period
			add(catalog.KindPrompt, child.Value[strings.LastIndex(child.Value, " ")+1:])
		case "sql":
			for _, m := range placeholderName.FindAllStringSubmatch(child.Value, -1) {
				name, _ := ofPart(m[1])
				for _, name := range promptNames(name) {
					add(catalog.KindPrompt, name)
				}
			}
		case "prompts":
			for _, item := range child.Content {
				add(catalog.KindPrompt, item.Value)
			}
		default:
			add(catalog.Kind(key), child.Value)
		}
		found = append(found, mentions(child)...)
	}
	return found
}
