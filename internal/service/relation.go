package service

import (
	"context"
	"time"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/definition"
	"pikegate/internal/source"
)

// relation is a dataset as its source has it: where to read it, and by which SQL.
type relation struct {
	*source.Source
	sql *compile.Compiler
	at  time.Time
}

// factAge is how long it is believed what a database says of a table's columns.
const factAge = time.Minute

// relation finds the source of a dataset and the SQL for it.
func (s *Service) relation(ctx context.Context, d *definition.Dataset) (*relation, error) {
	published := s.published.Load()
	if known, ok := published.relations.Load(d); ok && s.config.Now().Sub(known.(*relation).at) < factAge {
		return known.(*relation), nil
	}
	from, err := s.sources.Get(d.Source.At)
	if err != nil {
		return nil, s.failed(d, err)
	}
	facts, err := from.Facts(ctx, d.Table)
	if err != nil {
		return nil, s.failed(d, err)
	}
	r := &relation{Source: from, sql: compile.New(from.Dialect(), compile.From{Table: d.Table}, facts), at: s.config.Now()}
	published.relations.Store(d, r)
	return r, nil
}

// failed is an error of the source of a dataset.
func (s *Service) failed(d *definition.Dataset, err error) error {
	return &SourceError{Source: d.Source.Name, Err: err}
}
