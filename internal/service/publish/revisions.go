package publish

import (
	"context"
	"errors"
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/difference"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// Definition is one revision of a definition.
type Definition struct {
	catalog.Ref
	Revision int
	Text     string
}

// Definitions lists what is published.
func (s *Publisher) Definitions(ctx context.Context) ([]catalog.Document, error) {
	return s.base.Documents(ctx)
}

// Definition returns a revision; of number 0 the published one.
func (s *Publisher) Definition(ctx context.Context, ref catalog.Ref, number int) (*Definition, error) {
	if !s.base.SeesRef(ctx, ref) {
		return nil, base.NoSuch(ref, store.ErrNone)
	}
	d, err := s.base.Store.Document(ctx, ref, number)
	if errors.Is(err, store.ErrNone) && number == 0 {
		if all, none := s.base.Store.Revisions(ctx, ref); none == nil {
			return nil, &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.NotPublished, "the %s is not published; its latest revision is %d", ref, all[0].Number)}}
		}
	}
	if err != nil {
		return nil, base.NoSuch(ref, err)
	}
	return &Definition{Ref: ref, Revision: d.Revision, Text: d.Text}, nil
}

// Revisions lists the revisions of a definition, the latest first.
func (s *Publisher) Revisions(ctx context.Context, ref catalog.Ref) ([]store.Revision, error) {
	if !s.base.SeesRef(ctx, ref) {
		return nil, base.NoSuch(ref, store.ErrNone)
	}
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

// Uses lists the definitions that build on one, directly, of those that there are for who asks.
func (s *Publisher) Uses(ctx context.Context, ref catalog.Ref) ([]catalog.Ref, error) {
	if _, err := s.Revisions(ctx, ref); err != nil {
		return nil, err
	}
	users := slices.Clone(s.base.Published.Load().Users[ref])
	return slices.DeleteFunc(users, func(u catalog.Ref) bool { return !s.base.SeesRef(ctx, u) }), nil
}
