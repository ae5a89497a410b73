package author

import (
	"context"
	"errors"
	"maps"
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
)

// Sources lists the published sources by name.
func (s *Author) Sources() []*catalog.Source {
	all := s.base.Published.Load().Sources
	found := make([]*catalog.Source, 0, len(all))
	for _, name := range slices.Sorted(maps.Keys(all)) {
		found = append(found, all[name])
	}
	return found
}

// looking hands a snapshot of a source to use.
func (s *Author) looking(ctx context.Context, name string, use func(context.Context, source.View, *catalog.Source) error) (*catalog.Source, error) {
	published := s.base.Published.Load()
	of := published.Sources[name]
	if of == nil {
		return nil, base.UnknownSource(name, published.Catalog)
	}
	from, err := s.base.SourceAt(ctx, of.At)
	if err == nil {
		err = s.base.Look(ctx, from, s.base.Config().RunTime, func(ctx context.Context, v source.View) error { return use(ctx, v, of) })
	}
	var refused *base.Refusal
	if err != nil && !errors.As(err, &refused) && !errors.Is(err, base.ErrTime) {
		err = &base.SourceError{Source: name, Err: err}
	}
	return of, err
}

// Tables lists the tables and views of a source, with the names of their columns where those are wanted.
func (s *Author) Tables(ctx context.Context, name string, columns bool) (tables []source.TableName, err error) {
	_, err = s.looking(ctx, name, func(ctx context.Context, v source.View, _ *catalog.Source) error {
		if columns {
			tables, err = v.TablesWithColumns(ctx)
		} else {
			tables, err = v.Tables(ctx)
		}
		return err
	})
	return tables, err
}

// Inspect looks at a table of a source and its records; of a large one at a sample, the
// figures of which whole counts over all records.
func (s *Author) Inspect(ctx context.Context, name, table string, whole bool) (profile *source.Profile, of *catalog.Source, err error) {
	if err := s.inspections.Acquire(ctx, 1); err != nil {
		return nil, nil, err
	}
	defer s.inspections.Release(1)
	of, err = s.looking(ctx, name, func(ctx context.Context, v source.View, of *catalog.Source) error {
		if profile, err = v.Profile(ctx, table, of.Zone, whole); err != nil || len(profile.Columns) > 0 {
			return err
		}
		f := fault.New(fault.UnknownTable, "the source %q has no table %q", name, english.Shorten(table))
		if known, err := v.Tables(ctx); err == nil {
			names := make([]string, len(known))
			for i, t := range known {
				names[i] = t.Name
			}
			f.Suggest(fault.Near(table, names))
		}
		return &base.Refusal{Kind: fault.Unknown, Faults: fault.List{f}}
	})
	return profile, of, err
}

// Joins proposes joins of a table, each with what it would do to its records.
func (s *Author) Joins(ctx context.Context, name, table string) (found []source.JoinProposal, err error) {
	if err := s.inspections.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	defer s.inspections.Release(1)
	_, err = s.looking(ctx, name, func(ctx context.Context, v source.View, _ *catalog.Source) error {
		found, err = v.Joins(ctx, table)
		return err
	})
	return found, err
}
