package draft

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/difference"
	"pikegate/internal/core/edit"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// set is the drafts of a person beside what is published: all that is told of a draft comes
// from one of it.
type set struct {
	state     string // of what it was made
	documents map[catalog.Ref]catalog.Document
	faults    fault.List // of all documents, each with the definition as its file
	catalog   *catalog.Catalog
	tried     *base.Published // those that hold together
	changed   []catalog.Ref   // what means something else than what is published, or is new
	moved     sync.Map        // by source, *base.Published: the same with all datasets read from it
}

// setOf is the set of a person, made anew where something changed.
func (s *Drafts) setOf(ctx context.Context) (*set, error) {
	who := base.PersonOf(ctx).Name
	state := func(drafts []store.Draft) string {
		var b strings.Builder
		fmt.Fprintf(&b, "%d %s %q", s.base.Changed.Load(), s.base.Today(time.UTC), base.PersonOf(ctx).Shelves)
		for _, d := range drafts {
			fmt.Fprintf(&b, " %s %d", d.Ref, d.Version)
		}
		return b.String()
	}
	drafts, err := s.base.Store.Drafts(ctx, who)
	if err != nil {
		return nil, err
	}
	if known, ok := s.sets.Load(who); ok && known.(*set).state == state(drafts) {
		return known.(*set), nil
	}
	made := &set{state: state(drafts), documents: map[catalog.Ref]catalog.Document{}}
	published, err := s.base.Documents(ctx)
	if err != nil {
		return nil, err
	}
	was := map[catalog.Ref]string{}
	for _, d := range published {
		d.File, d.Line = d.Ref.String(), 1
		made.documents[d.Ref], was[d.Ref] = d, d.Text
	}
	var changed []catalog.Ref
	for _, d := range drafts {
		docs, faults := definition.Split(file(d))
		made.faults = append(made.faults, faults...)
		if len(docs) > 1 {
			made.faults = append(made.faults, fault.New(fault.TooMany, "a draft is one definition, and here are %d; begin another draft for each", len(docs)).At(fault.Place{File: d.Ref.String(), Line: docs[1].Line, Column: 1}))
		}
		delete(made.documents, d.Ref)
		if len(docs) != 1 || len(faults) > 0 {
			continue
		}
		if docs[0].Ref != d.Ref && d.Base > 0 {
			made.faults = append(made.faults, renamedInText(d, docs[0].Ref))
		}
		if _, taken := made.documents[docs[0].Ref]; taken {
			made.faults = append(made.faults, fault.New(fault.NameTaken, "there is a %s already; give this one another name", docs[0].Ref).At(fault.Place{File: d.Ref.String(), Line: 2, Column: 1}))
			continue
		}
		made.documents[docs[0].Ref] = docs[0]
		changed = append(changed, docs[0].Ref)
	}
	defs, faults := definition.Link(made.all(), changed, s.setting(ctx), s.base.Config().Functions...)
	made.catalog = defs
	made.faults = append(made.faults, faults...)
	for _, ref := range changed {
		made.faults = append(made.faults, defs.Warnings[ref]...)
	}
	if made.tried = base.Tried(defs, nil); len(faults) > 0 {
		made.tried = s.tried(ctx, made.all())
	}
	for _, ref := range changed {
		if len(difference.Between(was[ref], made.documents[ref].Text)) > 0 {
			made.changed = append(made.changed, ref)
		}
	}
	s.sets.Store(who, made)
	return made, nil
}

// holds reports whether a definition is among those that hold together.
func (s *set) holds(ref catalog.Ref) bool {
	_, isThere := s.documents[ref]
	return isThere && len(s.tried.BrokenFor(ref)) == 0
}

// all are the documents of the set in their order.
func (s *set) all() []catalog.Document {
	all := slices.Collect(maps.Values(s.documents))
	slices.SortFunc(all, func(a, b catalog.Document) int { return strings.Compare(a.File, b.File) })
	return all
}

// with are the definitions of a set with another text of one of them.
func (s *Drafts) with(ctx context.Context, made *set, ref catalog.Ref, text string) (*base.Published, error) {
	docs, faults := definition.Split(file(store.Draft{Ref: ref, Text: text}))
	if len(faults) > 0 {
		return nil, &base.Refusal{Kind: fault.DefinitionsRefused, Faults: faults}
	}
	all := slices.DeleteFunc(made.all(), func(d catalog.Document) bool { return d.Ref == ref })
	return s.tried(ctx, append(all, docs...)), nil
}

// tried are documents that are not published, as far as they hold together.
func (s *Drafts) tried(ctx context.Context, all []catalog.Document) *base.Published {
	return base.Tried(definition.Load(all, s.setting(ctx), s.base.Config().Functions...))
}

// setting is what definitions are read by.
func (s *Drafts) setting(ctx context.Context) phrase.Setting {
	return s.base.Setting(ctx, s.base.Today(time.UTC), time.UTC)
}

// Within is a context whose requests are answered as if one's drafts were published. A
// definition without report is one there, named by its kind and name as in query:late-sailings.
// With a source, all datasets are read from that one, which has tables of the same names.
func (s *Drafts) Within(ctx context.Context, source string) (context.Context, error) {
	made, err := s.setOf(ctx)
	if err != nil {
		return nil, err
	}
	if source == "" {
		return base.With(ctx, made.tried), nil
	}
	moved, err := s.readFrom(ctx, made, source)
	if err != nil {
		return nil, err
	}
	return base.With(ctx, moved), nil
}

// readFrom are the definitions of a set with all datasets read from one source.
func (s *Drafts) readFrom(ctx context.Context, made *set, source string) (*base.Published, error) {
	if known, ok := made.moved.Load(source); ok {
		return known.(*base.Published), nil
	}
	if made.tried.Sources[source] == nil {
		return nil, base.UnknownSource(source, made.tried.Catalog)
	}
	all := made.all()
	for i, d := range all {
		if d.Ref.Kind != catalog.KindDataset {
			continue
		}
		parsed, err := edit.Parse(d.Text)
		if err != nil || parsed.Root.Find("/source") == nil {
			continue
		}
		to, _, err := parsed.Apply(edit.Edit{Op: edit.Set, Path: "/source", Value: edit.TextOf(source)})
		if err != nil {
			return nil, notEdited("the source of the %s cannot be replaced: %s", d.Ref, err)
		}
		docs, _ := definition.Split(catalog.File{Name: d.File, Text: to.Text})
		if len(docs) == 1 {
			all[i] = docs[0]
		}
	}
	moved := s.tried(ctx, all)
	made.moved.Store(source, moved)
	return moved, nil
}

// file is a draft as a definition file.
func file(d store.Draft) catalog.File { return catalog.File{Name: d.Ref.String(), Text: d.Text} }

// document is a draft as a document, its name as the text says it.
func document(d store.Draft) catalog.Document {
	docs, _ := definition.Split(file(d))
	if len(docs) != 1 {
		return catalog.Document{Ref: d.Ref, Text: d.Text}
	}
	return docs[0]
}

// told tells all of a draft.
func (s *Drafts) told(ctx context.Context, d store.Draft) (*Draft, error) {
	made, err := s.setOf(ctx)
	if err != nil {
		return nil, err
	}
	told := &Draft{Kind: d.Kind, Name: d.Name, Text: d.Text, Version: d.Version, Base: d.Base, Undo: d.Undo, Redo: d.Redo, Findings: []Finding{}, Elsewhere: []Finding{}, Changes: []difference.Change{}}
	if d.Version > 0 {
		told.SavedAt = &d.SavedAt
	}
	parsed, err := edit.Parse(d.Text)
	if err == nil {
		told.Form = formOf(parsed.Root, &lineCounter{text: d.Text, line: 1})
	} else if told.Form, err = s.formBefore(ctx, d); err != nil {
		return nil, err
	}
	told.Stale = parsed == nil && told.Form != nil
	others := map[string]*edit.Document{}
	building := catalog.BuildingOn(d.Ref, made.catalog, s.base.Published.Load().Catalog) // where it cannot be read just now, that which is published knows them
	for _, f := range made.faults {
		kind, name, _ := strings.Cut(f.Place.File, " ")
		found := Finding{Fault: *f, Kind: catalog.Kind(kind), Name: name}
		if found.Kind == d.Kind && name == d.Name {
			found.at(parsed)
			told.Findings = append(told.Findings, found)
			continue
		}
		if !building[catalog.Ref{Kind: found.Kind, Name: name}] {
			continue // another draft's own
		}
		if _, known := others[f.Place.File]; !known {
			others[f.Place.File], _ = edit.Parse(made.documents[catalog.Ref{Kind: found.Kind, Name: name}].Text)
		}
		found.at(others[f.Place.File])
		told.Elsewhere = append(told.Elsewhere, found)
	}
	if d.Version == 0 { // nobody writes it: what misleads about it is known since it was published
		for _, f := range made.catalog.Warnings[d.Ref] {
			found := Finding{Fault: *f, Kind: d.Kind, Name: d.Name}
			found.at(parsed)
			told.Findings = append(told.Findings, found)
		}
	}
	told.Sound = made.holds(d.Ref)
	return told, s.beside(ctx, d, told)
}

// formBefore is what the last text of a draft said that could be read; nil for none.
func (s *Drafts) formBefore(ctx context.Context, d store.Draft) (*Part, error) {
	var before *edit.Document
	text, err := s.base.Store.TextBefore(ctx, d.Person, d.Ref, func(text string) bool {
		before, _ = edit.Parse(text)
		return before != nil
	})
	if errors.Is(err, store.ErrNone) {
		return nil, nil // nobody is writing it
	}
	if err != nil || before == nil {
		return nil, err
	}
	return formOf(before.Root, &lineCounter{text: text, line: 1}), nil
}

// at tells which part of a document is meant; the whole where it stands at its start.
func (f *Finding) at(d *edit.Document) {
	if d != nil && (f.Place.Line > 1 || f.Place.Column > 1) {
		f.Path, f.Key = d.At(f.Place.Line, f.Place.Column)
	}
}

// beside tells what stands beside a draft: revisions, and the drafts of others.
func (s *Drafts) beside(ctx context.Context, d store.Draft, told *Draft) error {
	revisions, err := s.base.Store.Revisions(ctx, d.Ref)
	if err != nil && !errors.Is(err, store.ErrNone) {
		return err
	}
	if len(revisions) > 0 {
		told.Latest = revisions[0].Number
	}
	if d.Base > 0 && d.Version > 0 {
		was, err := s.base.Store.Document(ctx, d.Ref, d.Base)
		if err != nil {
			return err
		}
		told.Changes = append(told.Changes, difference.Between(was.Text, d.Text)...)
		if told.Latest > d.Base {
			is, err := s.base.Store.Document(ctx, d.Ref, told.Latest)
			if err != nil {
				return err
			}
			told.Theirs = theirs(was.Text, is.Text, d.Text)
		}
	}
	all, err := s.base.Store.DraftsOf(ctx, d.Ref)
	for _, other := range all {
		if other.Person != base.PersonOf(ctx).Name {
			told.Others = append(told.Others, Writer{Person: other.Person, SavedAt: other.SavedAt})
		}
	}
	return err
}

// lineCounter tells lines of places that come in their order.
type lineCounter struct {
	text     string
	at, line int
}

func (c *lineCounter) lineOf(at int) int {
	if at > c.at {
		c.line += strings.Count(c.text[c.at:at], "\n")
		c.at = at
	}
	return c.line
}

// formOf is a tree as it is told.
func formOf(n *edit.Node, lines *lineCounter) *Part {
	p := &Part{Kind: n.Kind, Text: n.Text, Bare: n.Bare, Line: lines.lineOf(n.From)}
	for _, c := range n.Children {
		line := lines.lineOf(c.From)
		column := 1 + utf8.RuneCountInString(lines.text[1+strings.LastIndexByte(lines.text[:c.From], '\n'):c.From])
		p.Parts = append(p.Parts, Entry{Key: c.Key, Line: line, Column: column, Part: formOf(c.Value, lines)})
	}
	return p
}
