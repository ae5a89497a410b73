package service

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/difference"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/store"
)

// Put is definition files to store.
type Put struct {
	Files []catalog.File
	Draft bool // store and do not publish
	// Offline leaves out to ask the databases whether they have what new and changed
	// datasets describe.
	Offline bool
	Base    map[catalog.Ref]int // the latest revision that the writer saw, of those that must not have changed since
}

// PutResult is what an upload did, and what was found that does not stop it: of
// drafts, errors too.
type PutResult struct {
	Stored   []store.Stored
	Findings fault.List
}

// Put checks definition files and publishes what they define, all or nothing.
// What is the same as before stays as it is. Drafts are stored with all their
// errors, as far as they have names.
func (s *Service) Put(ctx context.Context, put Put) (*PutResult, error) {
	release, err := s.checking(ctx)
	if err != nil {
		return nil, err
	}
	defer release()
	docs, faults := definition.SplitAll(put.Files)
	if len(faults) > 0 {
		return nil, &Refusal{Kind: DefinitionsRefused, Faults: faults}
	}
	result := &PutResult{}
	if put.Draft {
		found, err := s.checkOf(ctx, put.Files)
		if err != nil {
			return nil, err
		}
		result.Findings = found
	}
	if !put.Draft && !put.Offline {
		found, err := s.heldBefore(publishing(ctx), put.Files, docs)
		if err != nil {
			return nil, err
		}
		if wrong := found.Errors(); len(wrong) > 0 {
			return nil, &Refusal{Kind: DefinitionsRefused, Faults: wrong}
		}
		result.Findings = found
	}
	save := store.Save{By: PersonOf(ctx).Name, Now: s.config.Now(), Draft: put.Draft, Base: put.Base}
	defs, err := s.publishChange(ctx, func(check func([]catalog.Document) error) (err error) {
		if put.Draft {
			check = func([]catalog.Document) error { return nil }
		}
		result.Stored, err = s.store.Put(ctx, docs, save, check)
		return err
	})
	if err != nil {
		return nil, s.conflicting(ctx, err)
	}
	if defs != nil {
		for _, d := range docs {
			result.Findings = append(result.Findings, defs.Warnings[d.Ref]...)
		}
	}
	return result, nil
}

// usualChecks is how many uploads are checked at once; others wait.
const usualChecks = 2

// checking waits for the turn of an upload that is to be checked, which takes the
// processor and memory by its size.
func (s *Service) checking(ctx context.Context) (release func(), err error) {
	if err := s.checks.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	return func() { s.checks.Release(1) }, nil
}

// heldBefore holds the datasets that an upload adds or changes against their databases.
// Definitions that do not fit together are none of its concern.
func (s *Service) heldBefore(ctx context.Context, files []catalog.File, docs []catalog.Document) (fault.List, error) {
	stored, err := s.store.Published(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the definitions: %w", err)
	}
	same := map[catalog.Ref]string{}
	for _, d := range stored {
		same[d.Ref] = d.Text
	}
	altered := slices.DeleteFunc(slices.Clone(docs), func(d catalog.Document) bool {
		return d.Kind != catalog.KindDataset || same[d.Ref] == d.Text
	})
	if len(altered) == 0 {
		return nil, nil
	}
	_, defs, found := definition.Check(files, stored, s.setting(s.Today(time.UTC), time.UTC), s.config.Functions...)
	if defs == nil || len(found.Errors()) > 0 {
		return nil, nil
	}
	return s.held(ctx, altered, defs, false), nil
}

// mostTries is how often a change is tried anew that another one came before.
const mostTries = 5

// publishChange lets change alter what is stored, and shows readers what comes of it where
// that fits together and its proofs hold. The catalog is nil where change did not ask.
// Checks and proofs, which read the databases, hold nobody up: at first the change is
// taken back, for what would come of it. It is made for good only where no other was made
// meanwhile, and else tried anew.
func (s *Service) publishChange(ctx context.Context, change func(check func([]catalog.Document) error) error) (*catalog.Catalog, error) {
	for range mostTries {
		before := s.changes.Load()
		var defs *catalog.Catalog
		var docs []catalog.Document
		err := change(func(all []catalog.Document) error {
			docs = all
			return errTakenBack
		})
		if docs == nil || !errors.Is(err, errTakenBack) {
			return nil, err
		}
		defs, faults := definition.Link(docs, s.setting(s.Today(time.UTC), time.UTC), s.config.Functions...)
		if len(faults) > 0 {
			return nil, &Refusal{Kind: DefinitionsRefused, Faults: faults}
		}
		if failed := s.proved(publishing(ctx), defs, s.altered(docs)); len(failed) > 0 {
			return nil, &Refusal{Kind: DefinitionsRefused, Faults: failed}
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if made, err := s.make(change, before, defs); made || err != nil {
			return defs, err
		}
	}
	return nil, &Refusal{Kind: Conflicting, Faults: fault.List{fault.New("conflict", "others changed definitions again and again meanwhile; nothing was stored. Try again")}}
}

// make makes a change for good, where none was made since so many were.
func (s *Service) make(change func(check func([]catalog.Document) error) error, before int64, defs *catalog.Catalog) (made bool, err error) {
	s.changing.Lock()
	defer s.changing.Unlock()
	if s.changes.Load() != before {
		return false, nil
	}
	var docs []catalog.Document
	if err := change(func(all []catalog.Document) error {
		docs = all
		return nil
	}); err != nil {
		return false, err
	}
	s.changes.Add(1)
	s.publish(defs, docs, nil)
	return true, nil
}

// errTakenBack is the cause where a change was made only to see what comes of it.
var errTakenBack = errors.New("taken back")

// altered are the documents that are not published as they are.
func (s *Service) altered(docs []catalog.Document) []catalog.Document {
	known := s.published.Load().revisions
	var altered []catalog.Document
	for _, d := range docs {
		if known[d.Ref] != d.Revision {
			altered = append(altered, d)
		}
	}
	return altered
}

// conflicting says which settings somebody else's revision changed.
func (s *Service) conflicting(ctx context.Context, err error) error {
	var c *store.Conflict
	if !errors.As(err, &c) {
		return err
	}
	faults := fault.List{fault.New("conflict", "%s", c)}
	changed, _ := s.Difference(ctx, c.Ref, c.Saw, c.Latest.Number) // none where there was no such revision
	for _, setting := range changed {
		faults = append(faults, fault.New("conflict", "%s", setting))
	}
	return &Refusal{Kind: Conflicting, Faults: faults}
}

// Definition is one revision of a definition.
type Definition struct {
	catalog.Ref
	Revision int
	Text     string
}

// Definitions lists what is published.
func (s *Service) Definitions(ctx context.Context) ([]catalog.Document, error) {
	return s.store.Published(ctx)
}

// Definition returns a revision; of number 0 the published one.
func (s *Service) Definition(ctx context.Context, ref catalog.Ref, number int) (*Definition, error) {
	d, found, err := s.store.Document(ctx, ref, number)
	if errors.Is(err, store.ErrNone) && number == 0 {
		if all, none := s.store.Revisions(ctx, ref); none == nil {
			return nil, &Refusal{Kind: Unknown, Faults: fault.List{fault.New("not_published", "the %s is not published; its latest revision is %d", ref, all[0].Number)}}
		}
	}
	if err != nil {
		return nil, noSuch(ref, err)
	}
	return &Definition{Ref: ref, Revision: found, Text: d.Text}, nil
}

func noSuch(ref catalog.Ref, err error) error {
	if !errors.Is(err, store.ErrNone) {
		return err
	}
	return &Refusal{Kind: Unknown, Faults: fault.List{fault.New("unknown_definition", "no %s, or no such revision of it", ref)}}
}

// Revisions lists the revisions of a definition, the latest first.
func (s *Service) Revisions(ctx context.Context, ref catalog.Ref) ([]store.Revision, error) {
	all, err := s.store.Revisions(ctx, ref)
	if err != nil {
		return nil, noSuch(ref, err)
	}
	return all, nil
}

// Difference names each setting that differs between two revisions. To 0 is the latest;
// from 0 is the published one, or where that is to itself the one before it.
func (s *Service) Difference(ctx context.Context, ref catalog.Ref, from, to int) ([]difference.Change, error) {
	all, err := s.Revisions(ctx, ref)
	if err != nil {
		return nil, err
	}
	if to == 0 {
		to = all[0].Number
	}
	if from == 0 {
		from = max(to-1, 1)
		if i := slices.IndexFunc(all, func(r store.Revision) bool { return r.Published && r.Number != to }); i >= 0 {
			from = all[i].Number
		}
	}
	old, err := s.Definition(ctx, ref, from)
	if err != nil {
		return nil, err
	}
	new, err := s.Definition(ctx, ref, to)
	if err != nil {
		return nil, err
	}
	return difference.Between(old.Text, new.Text), nil
}

// Publish makes a revision the one that readers see, where it fits with the others;
// of number 0 the latest.
func (s *Service) Publish(ctx context.Context, ref catalog.Ref, number int) error {
	_, err := s.publishChange(ctx, func(check func([]catalog.Document) error) error { return s.store.Publish(ctx, ref, number, check) })
	return noSuch(ref, err)
}

// Uses lists the definitions that build on one, directly.
func (s *Service) Uses(ctx context.Context, ref catalog.Ref) ([]catalog.Ref, error) {
	if _, err := s.Revisions(ctx, ref); err != nil {
		return nil, err
	}
	return s.published.Load().Users[ref], nil
}

// Delete takes a definition away from readers and keeps its revisions. What is in
// use stays.
func (s *Service) Delete(ctx context.Context, ref catalog.Ref) error {
	users, err := s.Uses(ctx, ref)
	if err != nil {
		return err
	}
	if len(users) > 0 {
		return inUse(ref.String(), "deleted", users)
	}
	return s.Publish(ctx, ref, -1)
}

// mostUsers is how many users of a definition a refusal names.
const mostUsers = 10

// inUse refuses to change what others build on, and names the first of them.
func inUse(what, done string, users []catalog.Ref) error {
	names := make([]string, min(len(users), mostUsers))
	for i := range names {
		names[i] = users[i].String()
	}
	if more := len(users) - len(names); more > 0 {
		names = append(names, english.Count(more, "other"))
	}
	return &Refusal{Kind: Conflicting, Faults: fault.List{fault.New("in_use", "the %s is used by %s; nothing was %s", what, english.Both(names), done)}}
}
