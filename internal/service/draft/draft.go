// Package draft keeps what developers are writing, until it is published or dropped: each a
// copy of a definition of their own, saved as they type. It tells what a draft says, what is
// wrong with it and with all that it touches, and answers requests as if one's drafts were
// published.
package draft

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/difference"
	"pikegate/internal/core/edit"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/store"
)

// Drafts are those of all developers.
type Drafts struct {
	base      *base.Base
	publisher *publish.Publisher
	sets      sync.Map // of each person, *set, as long as it holds
}

// New keeps drafts in the records of base, and publishes them by publisher.
func New(base *base.Base, publisher *publish.Publisher) *Drafts {
	return &Drafts{base: base, publisher: publisher}
}

// Draft is a draft with what it says and what was found.
type Draft struct {
	Kind    catalog.Kind `json:"kind" doc:"What it defines."`
	Name    string       `json:"name" doc:"The name under which it was begun."`
	Text    string       `json:"text" doc:"The YAML as it stands."`
	Version int          `json:"version" doc:"How often it was saved; 0 for a definition that nobody is writing. Each change names the version that it goes on from."`
	SavedAt *time.Time   `json:"saved_at,omitempty" doc:"When it was last saved."`
	Base    int          `json:"base" doc:"The revision that it started from; 0 for a new definition."`
	Latest  int          `json:"latest" doc:"The latest revision that there is; 0 for none."`
	Undo    int          `json:"undo" doc:"How many steps can be taken back."`
	Redo    int          `json:"redo" doc:"How many steps that were taken back can be made again."`
	Form    *Part        `json:"form,omitempty" doc:"What it says, part by part; of a text that is not YAML that is edited part by part, what the last one said that was."`
	Stale   bool         `json:"stale,omitempty" doc:"Whether the form is that of an earlier text."`
	// Findings are told by the draft set: a part of another draft counts as if it were published.
	Findings  []Finding           `json:"findings" doc:"What is wrong with it, and what misleads."`
	Elsewhere []Finding           `json:"elsewhere" doc:"What would be wrong with other definitions."`
	Changes   []difference.Change `json:"changes" doc:"Each setting that differs from the revision that it started from."`
	// Sound ones can be tried: neither they nor what they are made of is in error.
	Sound  bool     `json:"sound" doc:"Whether it holds together with all that it is made of."`
	Theirs []Theirs `json:"theirs,omitempty" doc:"Each part that others changed since that revision."`
	Others []Writer `json:"others,omitempty" doc:"Who else has a draft of it."`
}

// Part is a part of a definition: a mapping, a list, a scalar, or nothing.
type Part struct {
	Kind  edit.Kind `json:"kind" enum:"mapping,list,scalar,nothing" doc:"What it is."`
	Text  string    `json:"text,omitempty" doc:"The value of a scalar."`
	Bare  bool      `json:"bare,omitempty" doc:"Whether a scalar is a number, true or false."`
	Line  int       `json:"line" doc:"The line that it starts on, from 1."`
	Parts []Entry   `json:"parts,omitempty" doc:"The entries of a mapping, the items of a list."`
}

// Entry is an entry of a mapping or an item of a list.
type Entry struct {
	Key    string `json:"key,omitempty" doc:"The key of an entry."`
	Line   int    `json:"line" doc:"The line of its key or its dash, from 1."`
	Column int    `json:"column" doc:"The column of that, in characters, from 1."`
	Part   *Part  `json:"part" doc:"What stands there."`
}

// Finding is what was found at a part of a definition.
type Finding struct {
	fault.Fault
	Kind catalog.Kind `json:"kind" doc:"The kind of the definition that it is about."`
	Name string       `json:"name" doc:"Its name."`
	Path string       `json:"path" doc:"The part that it is about, as a JSON pointer (RFC 6901); empty for the whole."`
	Key  bool         `json:"key,omitempty" doc:"Whether it is about the key of that part."`
}

// Writer is somebody who has a draft of the same definition.
type Writer struct {
	Person  string    `json:"person" doc:"Who."`
	SavedAt time.Time `json:"saved_at" doc:"When they last saved it."`
}

// Listed is a draft in a list.
type Listed struct {
	Kind    catalog.Kind `json:"kind" doc:"What it defines."`
	Name    string       `json:"name" doc:"Its name."`
	Person  string       `json:"person" doc:"Whose it is."`
	Version int          `json:"version" doc:"How often it was saved."`
	SavedAt time.Time    `json:"saved_at" doc:"When it was last saved."`
	Base    int          `json:"base" doc:"The revision that it started from; 0 for a new definition."`
}

// List lists drafts by kind and name: one's own, or everybody's.
func (s *Drafts) List(ctx context.Context, everybody bool) ([]Listed, error) {
	who := base.PersonOf(ctx).Name
	if everybody {
		who = ""
	}
	rows, err := s.base.Store.Drafts(ctx, who)
	rows = slices.DeleteFunc(rows, func(d store.Draft) bool { return !s.base.SeesRef(ctx, d.Ref) || !s.base.SeesDocument(ctx, document(d)) })
	all := make([]Listed, len(rows))
	for i, d := range rows {
		all[i] = Listed{Kind: d.Kind, Name: d.Name, Person: d.Person, Version: d.Version, SavedAt: d.SavedAt, Base: d.Base}
	}
	return all, err
}

// Get returns one's own draft of a definition; where there is none, what a draft of it would
// start from.
func (s *Drafts) Get(ctx context.Context, ref catalog.Ref) (*Draft, error) {
	if !s.base.SeesRef(ctx, ref) {
		return nil, base.NoSuch(ref, store.ErrNone)
	}
	d, err := s.base.Store.Draft(ctx, base.PersonOf(ctx).Name, ref)
	if errors.Is(err, store.ErrNone) {
		start, err := s.start(ctx, ref)
		if err != nil {
			return nil, err
		}
		if start.Base == 0 {
			return nil, base.NoSuch(ref, store.ErrNone)
		}
		return s.told(ctx, start)
	}
	if err != nil {
		return nil, err
	}
	return s.told(ctx, d)
}

// start is what a draft of a definition starts from: the revision that readers see, else the
// latest; nothing of a new one.
func (s *Drafts) start(ctx context.Context, ref catalog.Ref) (store.Draft, error) {
	latest, err := s.base.Store.Revisions(ctx, ref)
	if errors.Is(err, store.ErrNone) {
		return store.Draft{Ref: ref}, nil
	}
	if err != nil {
		return store.Draft{}, err
	}
	d, err := s.base.Store.Document(ctx, ref, 0)
	if errors.Is(err, store.ErrNone) {
		d, err = s.base.Store.Document(ctx, ref, latest[0].Number)
	}
	return store.Draft{Ref: ref, Text: d.Text, Base: latest[0].Number}, err
}

// Save saves the text of a draft as it was typed. version is the one that it goes on from.
func (s *Drafts) Save(ctx context.Context, ref catalog.Ref, version int, text string) (*Draft, error) {
	if len(text) > mostBytes {
		return nil, refuse(fault.DefinitionsRefused, fault.New(fault.DefinitionTooLarge, "this definition has %d bytes, and at most %d are read; nothing was saved", len(text), mostBytes))
	}
	return s.change(ctx, ref, version, func(was store.Draft) (store.Rewritten, error) {
		return store.Rewritten{Text: text, Made: edit.Between(was.Text, text), Base: was.Base, Typed: true}, nil
	})
}

// mostBytes is how long the text of a draft may be.
const mostBytes = 1 << 20

// Edit makes edits in a draft, all or none.
func (s *Drafts) Edit(ctx context.Context, ref catalog.Ref, version int, edits []edit.Edit) (*Draft, error) {
	return s.change(ctx, ref, version, func(was store.Draft) (to store.Rewritten, err error) {
		d, err := parsed(was.Text)
		if err != nil {
			return to, err
		}
		after, made, err := d.Apply(edits...)
		if err != nil {
			return to, notEdited("%s; nothing was changed", err)
		}
		return store.Rewritten{Text: after.Text, Made: made, Base: was.Base}, nil
	})
}

// parsed is a text that can be edited part by part.
func parsed(text string) (*edit.Document, error) {
	d, err := edit.Parse(text)
	if err != nil {
		return nil, notEdited("the text cannot be edited part by part: %s", err)
	}
	return d, nil
}

func notEdited(format string, args ...any) error {
	return refuse(fault.Conflict, fault.New(fault.EditNotMade, format, args...))
}

func refuse(kind fault.Code, f *fault.Fault) error {
	return &base.Refusal{Kind: kind, Faults: fault.List{f}}
}

// Step takes the last step of a draft back, or makes the next one again.
func (s *Drafts) Step(ctx context.Context, ref catalog.Ref, version int, back bool) (*Draft, error) {
	if !s.base.SeesRef(ctx, ref) {
		return s.saved(ctx, ref, store.Draft{}, store.ErrNone)
	}
	d, err := s.base.Store.StepDraft(ctx, base.PersonOf(ctx).Name, ref, version, s.base.Config().Now(), back)
	if errors.Is(err, store.ErrNoStep) {
		return nil, notEdited("there is no step to go")
	}
	return s.saved(ctx, ref, d, err)
}

func (s *Drafts) change(ctx context.Context, ref catalog.Ref, version int, change func(store.Draft) (store.Rewritten, error)) (*Draft, error) {
	if !ref.IsValid() {
		return nil, refuse(fault.DefinitionsRefused, fault.New(fault.NotAnIdentifier, "%q is not a name; names are small letters and digits, parted by - or _", english.Shorten(ref.Name)))
	}
	if !s.base.SeesRef(ctx, ref) {
		return nil, refuse(fault.Conflict, fault.New(fault.NameTaken, "the name of the %s is taken; give yours another one", ref))
	}
	start := store.Draft{Ref: ref}
	if version == 0 {
		var err error
		if start, err = s.start(ctx, ref); err != nil {
			return nil, err
		}
	}
	d, err := s.base.Store.ChangeDraft(ctx, base.PersonOf(ctx).Name, ref, version, s.base.Config().Now(), start, change)
	return s.saved(ctx, ref, d, err)
}

// saved tells of a draft that was saved, or why it was not.
func (s *Drafts) saved(ctx context.Context, ref catalog.Ref, d store.Draft, err error) (*Draft, error) {
	var moved *store.MovedOn
	switch {
	case errors.As(err, &moved):
		return nil, refuse(fault.Conflict, fault.New(fault.DraftMovedOn, "%s; nothing was saved", moved))
	case errors.Is(err, store.ErrNone):
		return nil, refuse(fault.Unknown, fault.New(fault.UnknownDefinition, "there is no draft of the %s", ref))
	case err != nil:
		return nil, err
	}
	return s.told(ctx, d)
}

// Drop takes one's draft of a definition away.
func (s *Drafts) Drop(ctx context.Context, ref catalog.Ref) error {
	_, err := s.saved(ctx, ref, store.Draft{}, s.base.Store.DropDraft(ctx, base.PersonOf(ctx).Name, ref))
	return err
}

// Publish publishes drafts of one's own, all or none; those that are named, or all. What is
// published is a draft no more.
func (s *Drafts) Publish(ctx context.Context, refs []catalog.Ref) (*publish.PutResult, error) {
	mine, err := s.base.Store.Drafts(ctx, base.PersonOf(ctx).Name)
	if err != nil {
		return nil, err
	}
	put := publish.Put{Base: map[catalog.Ref]int{}}
	var published []catalog.Ref
	for _, d := range mine {
		if len(refs) > 0 && !slices.Contains(refs, d.Ref) {
			continue
		}
		put.Files = append(put.Files, file(d))
		is := document(d).Ref
		if is != d.Ref && d.Base > 0 {
			return nil, refuse(fault.DefinitionsRefused, renamedInText(d, is))
		}
		put.Base[is] = d.Base // a new one never takes the place of one that there is
		published = append(published, d.Ref)
	}
	if len(put.Files) == 0 || len(put.Files) < len(refs) {
		return nil, refuse(fault.Unknown, fault.New(fault.UnknownDefinition, "there is no such draft"))
	}
	result, err := s.publisher.Put(ctx, put)
	if err != nil {
		return nil, err
	}
	for _, ref := range published {
		if err := s.base.Store.DropDraft(ctx, base.PersonOf(ctx).Name, ref); err != nil && !errors.Is(err, store.ErrNone) {
			return nil, fmt.Errorf("the drafts were published, and stand there still: %w", err)
		}
	}
	return result, nil
}

// renamedInText refuses a draft whose text says another name than it was begun under.
func renamedInText(d store.Draft, is catalog.Ref) *fault.Fault {
	return fault.New(fault.WrongValue, "the text names the %s, and this is the %s; rename it, so that all that use it follow", is, d.Ref).
		At(fault.Place{File: d.Ref.String(), Line: 1, Column: 1}).Suggest(d.Name)
}

// Check holds one's drafts against each other, all that is published and the databases, and runs
// the proofs that they touch.
func (s *Drafts) Check(ctx context.Context) (fault.List, error) {
	mine, err := s.base.Store.Drafts(ctx, base.PersonOf(ctx).Name)
	if err != nil || len(mine) == 0 {
		return nil, err
	}
	files := make([]catalog.File, len(mine))
	for i, d := range mine {
		files[i] = file(d)
	}
	return s.publisher.Check(ctx, files)
}
