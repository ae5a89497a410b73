package publish

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/difference"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// Check finds all that is wrong with definition files beside those that are
// published, all that misleads in them, and where they and the databases part: tables
// and columns that are not there, SQL that the database does not understand,
// conditions that no index serves. It stores nothing.
func (s *Publisher) Check(ctx context.Context, files []catalog.File) (fault.List, error) {
	release, err := s.base.Checking(ctx)
	if err != nil {
		return nil, err
	}
	defer release()
	return s.checkOf(ctx, files)
}

// checkOf is Check for one whose turn it is.
func (s *Publisher) checkOf(ctx context.Context, files []catalog.File) (fault.List, error) {
	published, err := s.base.Store.Published(ctx)
	if err != nil {
		return nil, fmt.Errorf("read the definitions: %w", err)
	}
	docs, defs, found := definition.Check(files, published, s.base.Setting(s.base.Today(time.UTC), time.UTC), s.base.Config.Functions...)
	if defs == nil {
		return found, nil
	}
	found = append(found, s.held(ctx, docs, defs, true)...)
	if len(found.Errors()) == 0 {
		found = append(found, s.proved(ctx, defs, docs)...)
	}
	return found, nil
}

// held holds datasets against the databases that have their records; with queries, also
// queries.
func (s *Publisher) held(ctx context.Context, docs []catalog.Document, defs *catalog.Catalog, queries bool) fault.List {
	var found fault.List
	asked := asking{base: s.base, silent: map[string]error{}}
	for _, d := range docs {
		if ctx.Err() != nil {
			return found
		}
		if defs.Broken[d.Ref] {
			continue // which is to be mended first
		}
		c := checker{doc: d}
		switch d.Kind {
		case catalog.KindSource:
			if of := defs.Sources[d.Name]; queries && of != nil && !of.At.IsSQLite() {
				asked.ask(ctx, &c, of, c.account)
			}
		case catalog.KindDataset:
			if of := defs.Datasets[d.Name]; of != nil && of.Source != nil {
				asked.ask(ctx, &c, of.Source, func(ctx context.Context, v source.View) error { return c.dataset(ctx, v, of) })
			}
		case catalog.KindQuery:
			if q := defs.Queries[d.Name]; queries && q != nil && q.Of != nil && q.Of.Source != nil {
				asked.ask(ctx, &c, q.Of.Source, func(ctx context.Context, v source.View) error { return c.query(ctx, v, q) })
			}
		}
		found = append(found, c.found...)
	}
	return found
}

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
		return nil, &base.Refusal{Kind: base.DefinitionsRefused, Faults: faults}
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
		found, err := s.heldBefore(base.Publishing(ctx), put.Files, docs)
		if err != nil {
			return nil, err
		}
		if wrong := found.Errors(); len(wrong) > 0 {
			return nil, &base.Refusal{Kind: base.DefinitionsRefused, Faults: wrong}
		}
		result.Findings = found
	}
	save := store.Save{By: base.PersonOf(ctx).Name, Now: s.base.Config.Now(), Draft: put.Draft, Base: put.Base}
	defs, err := s.publishChange(ctx, func(check func([]catalog.Document) error) (err error) {
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

// heldBefore holds the datasets that an upload adds or changes against their databases.
// Definitions that do not fit together are none of its concern.
func (s *Publisher) heldBefore(ctx context.Context, files []catalog.File, docs []catalog.Document) (fault.List, error) {
	stored, err := s.base.Store.Published(ctx)
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
	_, defs, found := definition.Check(files, stored, s.base.Setting(s.base.Today(time.UTC), time.UTC), s.base.Config.Functions...)
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
func (s *Publisher) publishChange(ctx context.Context, change func(check func([]catalog.Document) error) error) (*catalog.Catalog, error) {
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
		defs, faults := definition.Link(docs, s.base.Setting(s.base.Today(time.UTC), time.UTC), s.base.Config.Functions...)
		if len(faults) > 0 {
			return nil, &base.Refusal{Kind: base.DefinitionsRefused, Faults: faults}
		}
		if failed := s.proved(base.Publishing(ctx), defs, s.altered(docs)); len(failed) > 0 {
			return nil, &base.Refusal{Kind: base.DefinitionsRefused, Faults: failed}
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if made, err := s.make(change, before, defs); made || err != nil {
			return defs, err
		}
	}
	return nil, &base.Refusal{Kind: base.Conflicting, Faults: fault.List{fault.New("conflict", "others changed definitions again and again meanwhile; nothing was stored. Try again")}}
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

// altered are the documents that are not published as they are.
func (s *Publisher) altered(docs []catalog.Document) []catalog.Document {
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
	faults := fault.List{fault.New("conflict", "%s", c)}
	changed, _ := s.Difference(ctx, c.Ref, c.Saw, c.Latest.Number) // none where there was no such revision
	for _, setting := range changed {
		faults = append(faults, fault.New("conflict", "%s", setting))
	}
	return &base.Refusal{Kind: base.Conflicting, Faults: faults}
}

// Definition is one revision of a definition.
type Definition struct {
	catalog.Ref
	Revision int
	Text     string
}

// Definitions lists what is published.
func (s *Publisher) Definitions(ctx context.Context) ([]catalog.Document, error) {
	return s.base.Store.Published(ctx)
}

// Definition returns a revision; of number 0 the published one.
func (s *Publisher) Definition(ctx context.Context, ref catalog.Ref, number int) (*Definition, error) {
	d, found, err := s.base.Store.Document(ctx, ref, number)
	if errors.Is(err, store.ErrNone) && number == 0 {
		if all, none := s.base.Store.Revisions(ctx, ref); none == nil {
			return nil, &base.Refusal{Kind: base.Unknown, Faults: fault.List{fault.New("not_published", "the %s is not published; its latest revision is %d", ref, all[0].Number)}}
		}
	}
	if err != nil {
		return nil, base.NoSuch(ref, err)
	}
	return &Definition{Ref: ref, Revision: found, Text: d.Text}, nil
}

// Revisions lists the revisions of a definition, the latest first.
func (s *Publisher) Revisions(ctx context.Context, ref catalog.Ref) ([]store.Revision, error) {
	all, err := s.base.Store.Revisions(ctx, ref)
	if err != nil {
		return nil, base.NoSuch(ref, err)
	}
	return all, nil
}

// Difference names each setting that differs between two revisions. To 0 is the latest;
// from 0 is the published one, or where that is to itself the one before it.
func (s *Publisher) Difference(ctx context.Context, ref catalog.Ref, from, to int) ([]difference.Change, error) {
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
func (s *Publisher) Publish(ctx context.Context, ref catalog.Ref, number int) error {
	_, err := s.publishChange(ctx, func(check func([]catalog.Document) error) error { return s.base.Store.Publish(ctx, ref, number, check) })
	return base.NoSuch(ref, err)
}

// Uses lists the definitions that build on one, directly.
func (s *Publisher) Uses(ctx context.Context, ref catalog.Ref) ([]catalog.Ref, error) {
	if _, err := s.Revisions(ctx, ref); err != nil {
		return nil, err
	}
	return s.base.Published.Load().Users[ref], nil
}

// Delete takes a definition away from readers and keeps its revisions. What is in
// use stays.
func (s *Publisher) Delete(ctx context.Context, ref catalog.Ref) error {
	users, err := s.Uses(ctx, ref)
	if err != nil {
		return err
	}
	if len(users) > 0 {
		return base.InUse(ref.String(), "deleted", users)
	}
	return s.Publish(ctx, ref, -1)
}

// proved runs the proofs of a catalog that build on any of some definitions, or are
// among them, and finds those that bring something else than they say.
func (s *Publisher) proved(ctx context.Context, defs *catalog.Catalog, of []catalog.Document) fault.List {
	var found fault.List
	silent := map[string]error{} // sources that were not reached: each time would take as long
	for _, name := range slices.Sorted(maps.Keys(defs.Proofs)) {
		if ctx.Err() != nil {
			break
		}
		parts := defs.PartsOf(catalog.Ref{Kind: catalog.KindProof, Name: name})
		if slices.ContainsFunc(of, func(d catalog.Document) bool { return slices.Contains(parts, d.Ref) }) {
			found = append(found, s.prove(ctx, defs, defs.Proofs[name], silent)...)
		}
	}
	return found
}

// prove runs a proof. Its run is not on record.
func (s *Publisher) prove(ctx context.Context, defs *catalog.Catalog, p *catalog.Proof, silent map[string]error) fault.List {
	var found fault.List
	fail := func(key, format string, args ...any) {
		found = append(found, fault.New(definition.ProofFailed, format, args...).At(p.Places[key]))
	}
	of := p.Report.Table.Of.Source.Name
	unproved := func(err error) fault.List {
		if own := (*source.Error)(nil); errors.As(err, &own) && own.Kind == source.Unreached {
			silent[of] = err
		}
		first := slices.Sorted(maps.Keys(p.Places))[0]
		return fault.List{fault.New(definition.ProofFailed, "the proof %q could not be run: %s", p.Name, err).At(p.Places[first])}
	}
	if err := silent[of]; err != nil {
		return unproved(err)
	}
	totals := &totals{of: p.Report.Table.Show}
	r, digests, err := s.runs.Try(ctx, p.Report, answer.Request{Answers: p.Answers, AsOf: p.AsOf.String(), Evidence: true, With: defs}, totals)
	if err != nil {
		var refusal *base.Refusal
		if errors.As(err, &refusal) {
			err = errors.New(refusal.Faults[0].Sentence())
		}
		return unproved(err)
	}
	if p.Records != nil && int64(r.Rows) != *p.Records {
		fail("records", "the records that must come back are %d, and %d came", *p.Records, r.Rows)
	}
	if digests.Many && len(p.With)+len(p.Without) > 0 {
		return unproved(errors.New("more rows came back than keys are kept of"))
	}
	came := maps.Collect(digests.Each())
	for _, key := range p.With {
		if _, there := came[receipt.KeyText(key)]; !there {
			fail("with", "the record %s must be there, and is not", strings.Join(key, ", "))
		}
	}
	for _, key := range p.Without {
		if _, there := came[receipt.KeyText(key)]; there {
			fail("without", "the record %s must not be there, and is", strings.Join(key, ", "))
		}
	}
	for i, c := range totals.of {
		if want, ok := p.Totals[c]; ok && !want.Equal(totals.sum(i)) {
			fail("totals", "%s must come to %s, and comes to %s", c.Name, want, totals.sum(i))
		}
	}
	if is := r.Evidence.Fingerprint; p.Fingerprint != "" && is != p.Fingerprint {
		fail("fingerprint", "the fingerprint must be %s, and is %s", p.Fingerprint, is)
	}
	return found
}

// Publisher keeps definitions, and publishes those that pass.
type Publisher struct {
	base     *base.Base
	runs     *run.Runs
	changing sync.Mutex   // so that catalogs follow each other as they were stored
	changes  atomic.Int64 // how many there were
}

func New(base *base.Base, runs *run.Runs) *Publisher { return &Publisher{base: base, runs: runs} }
