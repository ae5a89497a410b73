package definition

import (
	"strings"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/fault"
)

// What definitions may hold. Those of an ordinary team are far from it; and the work to
// check and to run what stays within follows the size of its text.
const (
	mostText       = 1 << 20 // bytes of one definition
	mostDocuments  = 5_000   // of the files together that are given at once
	mostDeep       = 40      // lists and mappings in each other
	mostKeys       = 2_000   // of one mapping
	mostItems      = 20_000  // of one list
	mostConditions = 1_000   // of one query, filter or dataset, with those of the filters and datasets that it uses
	mostNested     = 60      // groups in each other, filters included
	mostBases      = 16      // datasets that are built on each other
	mostValues     = 5_000   // of one condition
	mostFindings   = 1_000   // that are told of the files together
)

// within finds what in a document is beyond its limits, before anything else is looked at.
func (r *reader) within(n *yaml.Node, depth int) bool {
	switch {
	case depth > mostDeep:
		r.fault(n, fault.DefinitionTooDeep, "lists and mappings stand more than %d deep in each other here", mostDeep)
		return false
	case n.Kind == yaml.ScalarNode && strings.Contains(n.Value, "\x00"):
		r.fault(n, fault.WrongValue, "there is a zero byte in this text, which no text has")
		return false
	case n.Kind == yaml.MappingNode && len(n.Content) > 2*mostKeys:
		r.fault(n, fault.TooMany, "there are %d keys here, and at most %d are read", len(n.Content)/2, mostKeys)
		return false
	case n.Kind == yaml.SequenceNode && len(n.Content) > mostItems:
		r.fault(n, fault.TooMany, "there are %d items here, and at most %d are read", len(n.Content), mostItems)
		return false
	}
	for _, child := range n.Content {
		if !r.within(child, depth+1) {
			return false
		}
	}
	return true
}

// room counts conditions while criteria are read, and refuses more than there may be.
func (l *linker) room(w *where, n *yaml.Node, conditions, depth int) bool {
	w.conditions += conditions
	w.deepest = max(w.deepest, w.depth+depth)
	switch {
	case w.over:
		return false
	case w.quiet && (w.conditions > mostConditions || w.deepest > mostNested): // told where it began
	case w.conditions > mostConditions:
		l.fault(n, fault.TooMany, "these are more than %d conditions, with those of the filters that they use; a list of values is one condition: any_of", mostConditions)
	case w.deepest > mostNested:
		l.fault(n, fault.DefinitionTooDeep, "groups stand more than %d deep in each other here, with those of the filters that they use", mostNested)
	default:
		return true
	}
	w.over = true
	return false
}
