package service

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/source"
)

// UnknownTable is the code of a table that a source does not have.
const UnknownTable = "unknown_table"

// Sources lists the published sources by name.
func (s *Service) Sources() []*catalog.Source {
	all := s.published.Load().Sources
	found := make([]*catalog.Source, 0, len(all))
	for _, name := range slices.Sorted(maps.Keys(all)) {
		found = append(found, all[name])
	}
	return found
}

type publishingKey struct{}

// publishing says that the definitions which are being checked are about to be published
// by somebody who may do so, whose new sources are connected to then.
func publishing(ctx context.Context) context.Context {
	return context.WithValue(ctx, publishingKey{}, true)
}

// sourceAt is where a definition says that a source is.
func (s *Service) sourceAt(ctx context.Context, c catalog.Connection) (*source.Source, error) {
	if ctx.Value(publishingKey{}) != nil {
		return s.sources.Try(c)
	}
	return s.sources.Get(c)
}

// look hands a snapshot of a source to use, when it is its turn, for so long and no longer.
func (s *Service) look(ctx context.Context, from *source.Source, limit time.Duration, use func(context.Context, source.View) error) error {
	leave, err := from.Enter(ctx, PersonOf(ctx).Name, s.config.RunTime)
	if err != nil {
		return err
	}
	defer leave()
	within, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("%w: %s", ErrTime, limit))
	defer cancel()
	err = from.View(within, func(v source.View) error { return use(within, v) })
	if err != nil && within.Err() != nil && !errors.As(err, new(*source.Error)) {
		return context.Cause(within)
	}
	return err
}

// looking hands a snapshot of a source to use.
func (s *Service) looking(ctx context.Context, name string, use func(context.Context, source.View, *catalog.Source) error) (*catalog.Source, error) {
	known := s.published.Load().Sources
	of := known[name]
	if of == nil {
		f := fault.New(definition.UnknownSource, "no source %q", english.Shorten(name))
		f.Suggest(fault.Near(name, slices.Sorted(maps.Keys(known))))
		return nil, &Refusal{Kind: Unknown, Faults: fault.List{f}}
	}
	from, err := s.sourceAt(ctx, of.At)
	if err == nil {
		err = s.look(ctx, from, s.config.RunTime, func(ctx context.Context, v source.View) error { return use(ctx, v, of) })
	}
	var refused *Refusal
	if err != nil && !errors.As(err, &refused) && !errors.Is(err, ErrTime) {
		err = &SourceError{Source: name, Err: err}
	}
	return of, err
}

// Tables lists the tables and views of a source.
func (s *Service) Tables(ctx context.Context, name string) (tables []source.TableName, err error) {
	_, err = s.looking(ctx, name, func(ctx context.Context, v source.View, _ *catalog.Source) error {
		tables, err = v.Tables(ctx)
		return err
	})
	return tables, err
}

// usualInspections is how many tables are looked at at once, since each takes some tens of
// MiB; others wait.
const usualInspections = 2

// Inspect looks at a table of a source and its records; of a large one at a sample, the
// figures of which whole counts over all records.
func (s *Service) Inspect(ctx context.Context, name, table string, whole bool) (profile *source.Profile, of *catalog.Source, err error) {
	if err := s.inspections.Acquire(ctx, 1); err != nil {
		return nil, nil, err
	}
	defer s.inspections.Release(1)
	of, err = s.looking(ctx, name, func(ctx context.Context, v source.View, of *catalog.Source) error {
		if profile, err = v.Profile(ctx, table, of.Zone, whole); err != nil || len(profile.Columns) > 0 {
			return err
		}
		f := fault.New(UnknownTable, "the source %q has no table %q", name, english.Shorten(table))
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
