package service

import (
	"context"
	"errors"
	"maps"
	"slices"

	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/source"
)

// UnknownTable is the code of a table that a source does not have.
const UnknownTable = "unknown_table"

// Sources lists the published sources by name.
func (s *Service) Sources() []*definition.Source {
	all := s.published.Load().Sources
	found := make([]*definition.Source, 0, len(all))
	for _, name := range slices.Sorted(maps.Keys(all)) {
		found = append(found, all[name])
	}
	return found
}

// looking hands a snapshot of a source to use.
func (s *Service) looking(ctx context.Context, name string, use func(source.View, *definition.Source) error) (*definition.Source, error) {
	known := s.published.Load().Sources
	of := known[name]
	if of == nil {
		f := fault.New(definition.UnknownSource, "no source %q", fault.Shorten(name))
		f.Suggest(fault.Near(name, slices.Sorted(maps.Keys(known))))
		return nil, &Refusal{Kind: Unknown, Faults: fault.List{f}}
	}
	ctx, cancel := context.WithTimeout(ctx, s.config.RunTime)
	defer cancel()
	from, err := s.sources.Get(of.At)
	if err == nil {
		err = from.View(ctx, func(v source.View) error { return use(v, of) })
	}
	var refused *Refusal
	if err != nil && !errors.As(err, &refused) {
		err = &SourceError{Source: name, Err: err}
	}
	return of, err
}

// Tables lists the tables and views of a source.
func (s *Service) Tables(ctx context.Context, name string) (tables []source.TableName, err error) {
	_, err = s.looking(ctx, name, func(v source.View, _ *definition.Source) error {
		tables, err = v.Tables(ctx)
		return err
	})
	return tables, err
}

// Inspect looks at a table of a source and its records; of a large one at a sample, the
// figures of which whole counts over all records.
func (s *Service) Inspect(ctx context.Context, name, table string, whole bool) (profile *source.Profile, of *definition.Source, err error) {
	of, err = s.looking(ctx, name, func(v source.View, of *definition.Source) error {
		if profile, err = v.Profile(ctx, table, of.Zone, whole); err != nil || len(profile.Columns) > 0 {
			return err
		}
		f := fault.New(UnknownTable, "the source %q has no table %q", name, fault.Shorten(table))
		if known, err := v.Tables(ctx); err == nil {
			names := make([]string, len(known))
			for i, t := range known {
				names[i] = t.Name
			}
			f.Suggest(fault.Near(table, names))
		}
		return &Refusal{Kind: Unknown, Faults: fault.List{f}}
	})
	return profile, of, err
}
