package base

import (
	"sync"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
)

// Revised is one revision of a definition.
type Revised struct {
	Kind     catalog.Kind `json:"kind" doc:"What it defines."`
	Name     string       `json:"name" doc:"Its name."`
	Revision int          `json:"revision" doc:"The number of the revision."`
}

// Published is what readers see at one time: the definitions, and the SQL that
// was made of their columns.
type Published struct {
	*catalog.Catalog
	broken    map[catalog.Ref]fault.List // what is stored and does not fit any more
	Revisions map[catalog.Ref]int
	relations sync.Map // *definition.Dataset to *relation
	extents   sync.Map // *record.Column to knownExtent
	fits      sync.Map // *definition.Dataset to knownFits
	built     sync.Map // name of a report to []Revised
}

// BuiltOf lists the definitions that a report is made of, itself first, with their
// revisions.
func (p *Published) BuiltOf(report string) []Revised {
	if known, ok := p.built.Load(report); ok {
		return known.([]Revised)
	}
	var all []Revised
	for _, ref := range p.PartsOf(catalog.Ref{Kind: catalog.KindReport, Name: report}) {
		all = append(all, Revised{Kind: ref.Kind, Name: ref.Name, Revision: p.Revisions[ref]})
	}
	p.built.Store(report, all)
	return all
}
