package base

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// Publish shows readers a catalog: docs are what it was made of, broken what is stored and does
// not fit any more.
func (s *Base) Publish(c *catalog.Catalog, docs []catalog.Document, broken map[catalog.Ref]fault.List) {
	p := &Published{Catalog: c, broken: broken, Revisions: map[catalog.Ref]int{}}
	for _, d := range docs {
		p.Revisions[d.Ref] = d.Revision
	}
	s.Published.Store(p)
	s.Changed.Add(1)
	used := map[catalog.Connection]bool{}
	for _, from := range c.Sources {
		used[from.At] = true
	}
	s.sources.Keep(used)
}

// Forget forgets what is known of the data, since they have changed.
func (s *Base) Forget() {
	s.Changed.Add(1)
	p := s.Published.Load()
	p.extents.Clear()
	p.fits.Clear()
	p.relations.Clear()
}

// definitionsKey is where a context has the definitions of its request.
type definitionsKey struct{}

// With is a context whose requests are answered by definitions that need not be published.
func With(ctx context.Context, p *Published) context.Context {
	return context.WithValue(ctx, definitionsKey{}, p)
}

// In are the definitions that a request is answered by: those of its context, else those that
// are published.
func (s *Base) In(ctx context.Context) *Published {
	if p, ok := ctx.Value(definitionsKey{}).(*Published); ok {
		return p
	}
	return s.Published.Load()
}

// Tried are definitions that nobody sees but who tries them.
func Tried(c *catalog.Catalog, broken map[catalog.Ref]fault.List) *Published {
	return &Published{Catalog: c, broken: broken, tried: true}
}

// IsTried reports whether a request is answered by definitions that are not published.
func (s *Base) IsTried(ctx context.Context) bool { return s.In(ctx).tried }

// Report finds a report, as there is one for who asks.
func (s *Base) Report(ctx context.Context, name string) (*catalog.Report, error) {
	published := s.In(ctx)
	if r := published.Reports[name]; r != nil && PersonOf(ctx).Sees(r.Shelf) {
		if r = s.For(ctx, r); r != nil {
			return r, nil
		}
	}
	if kind, of, isAlone := strings.Cut(name, ":"); isAlone && published.tried {
		return published.alone(catalog.Ref{Kind: catalog.Kind(kind), Name: of})
	}
	if broken := published.broken[catalog.Ref{Kind: catalog.KindReport, Name: name}]; len(broken) > 0 && !s.IsHidden(ctx, name) {
		return nil, &Refusal{Kind: fault.DefinitionInError, Faults: broken}
	}
	return nil, s.NoReport(ctx, name)
}

// NoReport refuses the name of a report that there is none of for who asks.
func (s *Base) NoReport(ctx context.Context, name string) error {
	return unknown(fault.UnknownReport, "report", name, s.In(ctx).namesFor(ctx))
}

// namesFor are the names of the reports that there are for who asks.
func (p *Published) namesFor(ctx context.Context) []string {
	who := PersonOf(ctx)
	names := slices.Sorted(maps.Keys(p.Reports))
	return slices.DeleteFunc(names, func(name string) bool { return !who.Sees(p.Reports[name].Shelf) })
}

// IsHidden tells whether there is or was a report that is not there for who asks.
func (s *Base) IsHidden(ctx context.Context, report string) bool {
	if r := s.Published.Load().Reports[report]; r != nil {
		return !PersonOf(ctx).Sees(r.Shelf)
	}
	return !s.SeesRef(ctx, catalog.Ref{Kind: catalog.KindReport, Name: report})
}

// BrokenFor is what is wrong with a definition that is left out, or with what it is made of.
func (p *Published) BrokenFor(ref catalog.Ref) fault.List { return p.broken[ref] }

// alone is a definition as a report of its own, for who tries it.
func (p *Published) alone(ref catalog.Ref) (*catalog.Report, error) {
	if broken := p.BrokenFor(ref); len(broken) > 0 {
		return nil, &Refusal{Kind: fault.DefinitionInError, Faults: broken}
	}
	if r := p.Alone(ref); r != nil {
		return r, nil
	}
	return nil, &Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownDefinition, "there is no %s that has records to show", ref)}}
}

// SourceOf finds a published source, nil where there is none of that name.
func (s *Base) SourceOf(name string) *catalog.Source { return s.Published.Load().Sources[name] }

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
	tried     bool
	broken    map[catalog.Ref]fault.List // what is stored and does not fit any more
	Revisions map[catalog.Ref]int
	relations sync.Map // *catalog.Dataset to *Relation
	extents   sync.Map // *column.Column to knownExtent
	fits      sync.Map // *catalog.Dataset to knownFits
	built     sync.Map // name of a report to []Revised
	search    sync.Once
	finder    *finder // of its reports, once somebody searches
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

// UnknownSource refuses the name of a source that there is not, with the nearest one.
func UnknownSource(name string, among *catalog.Catalog) error {
	return unknown(fault.UnknownSource, "source", name, slices.Sorted(maps.Keys(among.Sources)))
}

func unknown(code fault.Code, kind, name string, names []string) error {
	f := fault.New(code, "no %s %q", kind, english.Shorten(name))
	f.Suggest(fault.Near(name, names))
	return &Refusal{Kind: fault.Unknown, Faults: fault.List{f}}
}
