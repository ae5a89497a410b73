package base

import (
	"context"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
)

// Beside are the published definitions with those of files in their place.
func (s *Base) Beside(ctx context.Context, files []catalog.File) (*Published, error) {
	if len(files) == 0 {
		return s.In(ctx), nil
	}
	release, err := s.Checking(ctx)
	if err != nil {
		return nil, err
	}
	defer release()
	stored, err := s.Documents(ctx)
	if err != nil {
		return nil, err
	}
	zone := s.Zone()
	_, defs, found := definition.Check(files, stored, s.Setting(ctx, s.Today(zone), zone), s.Config().Functions...)
	if wrong := found.Errors(); len(wrong) > 0 {
		return nil, &Refusal{Kind: fault.DefinitionsRefused, Faults: wrong}
	}
	return Tried(defs, nil), nil
}

// Checking waits for the turn of an upload that is to be checked, which takes the
// processor and memory by its size.
func (s *Base) Checking(ctx context.Context) (release func(), err error) {
	if err := s.checks.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	return func() { s.checks.Release(1) }, nil
}
