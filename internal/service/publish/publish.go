// Package publish keeps definitions in revisions. It checks them, against each other and
// against the databases that they describe, runs the proofs that build on them, and shows
// readers those that pass.
package publish

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/service/run"
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
func (s *Publisher) Put(ctx context.Context, put Put) (*PutResult, error) {
	release, err := s.base.Checking(ctx)
	if err != nil {
		return nil, err
	}
	defer release()
	docs, faults := definition.SplitAll(put.Files)
	if len(faults) > 0 {
		return nil, &base.Refusal{Kind: fault.DefinitionsRefused, Faults: faults}
	}
	if err := s.base.MayChange(ctx, docs...); err != nil {
		return nil, err
	}
	result := &PutResult{}
	if put.Draft {
		found, err := s.checkOf(ctx, put.Files)
		if err != nil {
			return nil, err
		}
		result.Findings = found
	}
	if !put.Draft {
		if err := s.fits(ctx, put.Files); err != nil {
			return nil, err
		}
	}
	if !put.Draft && !put.Offline {
		found, err := s.heldBefore(base.Publishing(ctx), put.Files, docs)
		if err != nil {
			return nil, err
		}
		if wrong := found.Errors(); len(wrong) > 0 {
			return nil, &base.Refusal{Kind: fault.DefinitionsRefused, Faults: wrong}
		}
		result.Findings = found
	}
	save := store.Save{By: base.PersonOf(ctx).Name, Now: s.base.Config().Now(), Draft: put.Draft, Base: put.Base}
	defs, err := s.publishChange(ctx, catalog.RefsOf(docs), func(check func([]catalog.Document) error) (err error) {
		if put.Draft {
			check = func([]catalog.Document) error { return nil }
		}
		result.Stored, err = s.base.Store.Put(ctx, docs, save, check)
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

// fits refuses files that do not fit with the definitions that there are for who asks, where these are not
// all: what is said of files beside all of them could tell of others.
func (s *Publisher) fits(ctx context.Context, files []catalog.File) error {
	if !base.PersonOf(ctx).IsLimited() {
		return nil
	}
	seen, err := s.base.Documents(ctx)
	if err != nil {
		return err
	}
	_, _, found := definition.Check(files, seen, s.base.Setting(ctx, s.base.Today(time.UTC), time.UTC), s.base.Config().Functions...)
	if wrong := found.Errors(); len(wrong) > 0 {
		return &base.Refusal{Kind: fault.DefinitionsRefused, Faults: wrong}
	}
	return nil
}

// heldBefore holds the datasets that an upload adds or changes against their databases.
// Definitions that do not fit together are none of its concern.
func (s *Publisher) heldBefore(ctx context.Context, files []catalog.File, docs []catalog.Document) (fault.List, error) {
	stored, err := s.base.Documents(ctx)
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
	_, defs, found := definition.Check(files, stored, s.base.Setting(ctx, s.base.Today(time.UTC), time.UTC), s.base.Config().Functions...)
	if defs == nil || len(found.Errors()) > 0 {
		return nil, nil
	}
	return s.held(ctx, altered, defs, false), nil
}

// mostTries limits how often a change is tried again after another one got in first. A change loses only
// to one that succeeds, so this many people can publish once each at the same time.
const mostTries = 50

// publishChange lets change alter what is stored, and shows readers what comes of it where
// that fits together and its proofs hold. The catalog is nil where change did not ask.
// Checks and proofs, which read the databases, hold nobody up: at first the change is
// taken back, for what would come of it. It is made for good only where no other was made
// meanwhile, and else tried anew.
func (s *Publisher) publishChange(ctx context.Context, refs []catalog.Ref, change func(check func([]catalog.Document) error) error) (*catalog.Catalog, error) {
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
		defs, faults := definition.Link(docs, refs, s.base.Setting(ctx, s.base.Today(time.UTC), time.UTC), s.base.Config().Functions...)
		if len(faults) > 0 {
			return nil, &base.Refusal{Kind: fault.DefinitionsRefused, Faults: faults}
		}
		if failed := s.proved(base.Publishing(ctx), defs, s.changed(docs)); len(failed) > 0 {
			return nil, &base.Refusal{Kind: fault.DefinitionsRefused, Faults: failed}
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if made, err := s.make(change, before, defs); made || err != nil {
			return defs, err
		}
	}
	return nil, &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.Conflict, "others changed definitions again and again meanwhile; nothing was stored. Try again")}}
}

// make makes a change for good, where none was made since so many were.
func (s *Publisher) make(change func(check func([]catalog.Document) error) error, before int64, defs *catalog.Catalog) (made bool, err error) {
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
	s.base.Publish(defs, docs, nil)
	return true, nil
}

// errTakenBack is the cause where a change was made only to see what comes of it.
var errTakenBack = errors.New("taken back")

// changed are the documents that are not published as they are.
func (s *Publisher) changed(docs []catalog.Document) []catalog.Document {
	known := s.base.Published.Load().Revisions
	var altered []catalog.Document
	for _, d := range docs {
		if known[d.Ref] != d.Revision {
			altered = append(altered, d)
		}
	}
	return altered
}

// conflicting says which settings somebody else's revision changed.
func (s *Publisher) conflicting(ctx context.Context, err error) error {
	var c *store.Conflict
	if !errors.As(err, &c) {
		return err
	}
	faults := fault.List{fault.New(fault.Conflict, "%s", c)}
	changed, _ := s.Difference(ctx, c.Ref, c.Saw, c.Latest.Number) // none where there was no such revision
	for _, setting := range changed {
		faults = append(faults, fault.New(fault.Conflict, "%s", setting))
	}
	return &base.Refusal{Kind: fault.Conflict, Faults: faults}
}

// Publish makes a revision the one that readers see, where it fits with the others;
// of number 0 the latest.
func (s *Publisher) Publish(ctx context.Context, ref catalog.Ref, number int) error {
	if base.PersonOf(ctx).IsLimited() {
		all, err := s.Revisions(ctx, ref)
		if err != nil {
			return err
		}
		d, err := s.base.Store.Document(ctx, ref, cmp.Or(number, all[0].Number))
		if err == nil {
			err = s.base.MayChange(ctx, d)
		}
		if err != nil {
			return base.NoSuch(ref, err)
		}
	}
	_, err := s.publishChange(ctx, nil, func(check func([]catalog.Document) error) error { return s.base.Store.Publish(ctx, ref, number, check) })
	return base.NoSuch(ref, err)
}

// Rename gives a definition another name, in it and in all that name it, each in one revision.
// The revisions that it had stay under the old name.
func (s *Publisher) Rename(ctx context.Context, ref catalog.Ref, name string) ([]store.Stored, error) {
	var stored []store.Stored
	renamed := func() ([]catalog.Document, error) {
		all, err := s.base.Store.Published(ctx)
		if err != nil {
			return nil, err
		}
		docs, faults := definition.Renamed(all, ref, name, s.base.Setting(ctx, s.base.Today(time.UTC), time.UTC), s.base.Config().Functions...)
		if len(faults) > 0 {
			return nil, &base.Refusal{Kind: renameRefused(faults[0].Code), Faults: faults}
		}
		return docs, nil
	}
	if !s.base.SeesRef(ctx, ref) {
		return nil, &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownDefinition, "no %s", ref)}}
	}
	if err := s.base.MayTakeAway(ctx, ref); err != nil {
		return nil, err
	}
	docs, err := renamed()
	if err != nil {
		return nil, err
	}
	save := store.Save{By: base.PersonOf(ctx).Name, Now: s.base.Config().Now(), Gone: []catalog.Ref{ref}}
	_, err = s.publishChange(ctx, catalog.RefsOf(docs), func(check func([]catalog.Document) error) error {
		if docs, err = renamed(); err != nil { // others may have changed them meanwhile
			return err
		}
		stored, err = s.base.Store.Put(ctx, docs, save, check)
		return err
	})
	return stored, err
}

// renameRefused is what a refusal to rename is, by its code.
func renameRefused(code fault.Code) fault.Code {
	switch code {
	case fault.UnknownDefinition:
		return fault.Unknown
	case fault.NameTaken, fault.EditNotMade:
		return fault.Conflict
	}
	return fault.DefinitionsRefused
}

// Delete takes a definition away from readers and keeps its revisions. What is in
// use stays.
func (s *Publisher) Delete(ctx context.Context, ref catalog.Ref) error {
	users, err := s.Uses(ctx, ref)
	if err == nil {
		err = s.base.MayTakeAway(ctx, ref)
	}
	if err != nil {
		return err
	}
	if len(users) > 0 {
		return base.InUse(ref.String(), "deleted", users)
	}
	_, err = s.publishChange(ctx, nil, func(check func([]catalog.Document) error) error { return s.base.Store.Withdraw(ctx, ref, check) })
	return base.NoSuch(ref, err)
}

// Publisher keeps definitions, and publishes those that pass.
type Publisher struct {
	base     *base.Base
	runs     *run.Runs
	changing sync.Mutex   // so that catalogs follow each other as they were stored
	changes  atomic.Int64 // how many there were
}

// New publishes to the readers of base, and runs proofs by runs.
func New(base *base.Base, runs *run.Runs) *Publisher { return &Publisher{base: base, runs: runs} }
