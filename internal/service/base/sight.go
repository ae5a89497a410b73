package base

import (
	"context"
	"errors"
	"slices"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
	"pikegate/internal/store"
)

// IsLimited tells whether only the reports of some shelves are there for the person.
func (p Person) IsLimited() bool { return len(p.Shelves) > 0 }

// Documents are the published definitions that there are for who asks. Where the person is limited to
// shelves, reports of others, with their proofs and schedules, are not among them; what reports are built
// of is everybody's.
func (s *Base) Documents(ctx context.Context) ([]catalog.Document, error) {
	docs, err := s.Store.Published(ctx)
	if err != nil || !PersonOf(ctx).IsLimited() {
		return docs, err
	}
	return slices.DeleteFunc(docs, func(d catalog.Document) bool { return !s.SeesDocument(ctx, d) }), nil
}

// SeesRef tells whether a definition is there for who asks, or there is none of that name.
func (s *Base) SeesRef(ctx context.Context, ref catalog.Ref) bool {
	if !PersonOf(ctx).IsLimited() {
		return true
	}
	d, err := s.Store.Document(ctx, ref, 0)
	if errors.Is(err, store.ErrNone) { // nobody sees it but those who write
		var all []store.Revision
		if all, err = s.Store.Revisions(ctx, ref); err == nil {
			d, err = s.Store.Document(ctx, ref, all[0].Number)
		}
	}
	if err != nil {
		return errors.Is(err, store.ErrNone)
	}
	return s.SeesDocument(ctx, d)
}

// SeesDocument tells whether a definition of this text is there for who asks.
func (s *Base) SeesDocument(ctx context.Context, d catalog.Document) bool {
	who := PersonOf(ctx)
	if !who.IsLimited() {
		return true
	}
	var says struct {
		Shelf, Report string
		Check         yaml.Node
	}
	switch d.Kind {
	case catalog.KindReport, catalog.KindProof, catalog.KindSchedule:
		if err := yaml.Unmarshal([]byte(d.Text), &says); err != nil {
			return d.Kind != catalog.KindReport // it is on no shelf that could be read
		}
	default:
		return true
	}
	if d.Kind == catalog.KindReport {
		return who.Sees(says.Shelf)
	}
	var proofs []string
	if !says.Check.IsZero() && says.Check.Decode(&proofs) != nil {
		return false // it checks all that there is
	}
	return (says.Report == "" || s.SeesRef(ctx, catalog.Ref{Kind: catalog.KindReport, Name: says.Report})) &&
		!slices.ContainsFunc(proofs, func(p string) bool { return !s.SeesRef(ctx, catalog.Ref{Kind: catalog.KindProof, Name: p}) })
}

// MayChange refuses changes that who asks may not make, being limited to shelves: of what is not there for
// them, to another shelf, and of what reports of other shelves are built of. Texts that are published as
// they are change nothing.
func (s *Base) MayChange(ctx context.Context, docs ...catalog.Document) error {
	who := PersonOf(ctx)
	if !who.IsLimited() {
		return nil
	}
	var found fault.List
	for _, d := range docs {
		at := fault.Place{File: d.File, Line: d.Line, Column: 1}
		is, err := s.Store.Document(ctx, d.Ref, 0)
		if err == nil && is.Text == d.Text && s.SeesDocument(ctx, is) {
			continue
		}
		switch {
		case err != nil && !errors.Is(err, store.ErrNone):
			return err
		case !s.SeesRef(ctx, d.Ref):
			found = append(found, fault.New(fault.NameTaken, "the name of the %s is taken; give yours another one", d.Ref).At(at))
		case d.Kind == catalog.KindReport && !s.SeesDocument(ctx, d):
			found = append(found, fault.New(fault.RightMissing, "the %s would lie on a shelf that is none of yours", d.Ref).At(at).Suggest(who.Shelves...))
		case !s.SeesDocument(ctx, d):
			found = append(found, fault.New(fault.RightMissing, "the %s is of a report that is not there for you", d.Ref).At(at))
		case !s.SeesUsers(ctx, d.Ref):
			found = append(found, usersHidden(d.Ref, at))
		}
	}
	if len(found) > 0 {
		return &Refusal{Kind: fault.RightMissing, Faults: found}
	}
	return nil
}

// SeesUsers tells whether all that is built on a definition, directly or not, is there for who asks.
func (s *Base) SeesUsers(ctx context.Context, ref catalog.Ref) bool {
	if !PersonOf(ctx).IsLimited() {
		return true
	}
	for user := range catalog.BuildingOn(ref, s.Published.Load().Catalog) {
		if !s.SeesRef(ctx, user) {
			return false
		}
	}
	return true
}

// usersHidden refuses to change what reports of other shelves are built on.
func usersHidden(ref catalog.Ref, at fault.Place) *fault.Fault {
	return fault.New(fault.RightMissing, "reports of other shelves than yours are built on the %s; whoever has those too changes it", ref).At(at)
}

// MayTakeAway refuses to take away or rename a definition that reports of other shelves are built on.
func (s *Base) MayTakeAway(ctx context.Context, ref catalog.Ref) error {
	if s.SeesUsers(ctx, ref) {
		return nil
	}
	return &Refusal{Kind: fault.RightMissing, Faults: fault.List{usersHidden(ref, fault.Place{File: ref.String(), Line: 1, Column: 1})}}
}
