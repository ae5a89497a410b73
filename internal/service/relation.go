package service

import (
	"context"
	"maps"
	"slices"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/prompt"
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
	facts := map[string]map[string]compile.Fact{}
	for as, table := range d.From.Tables() {
		if facts[as], err = from.Facts(ctx, table); err != nil {
			return nil, s.failed(d, err)
		}
	}
	r := &relation{Source: from, sql: compile.New(from.Dialect(), d.From, facts), at: s.config.Now()}
	if published.Datasets[d.Name] == d { // and not one that is only tried
		published.relations.Store(d, r)
	}
	return r, nil
}

// values are what the placeholders of a dataset's SQL stand for, by the answers.
func values(d *definition.Dataset, answers prompt.Answers) map[int]compile.Values {
	all := make(map[int]compile.Values, len(d.Values))
	for piece, v := range d.Values {
		all[piece] = compile.Values{Column: v.Column, List: valuesOf(v, answers[v.Prompt.Name], d.Source.Zone)}
	}
	return all
}

// given are the answers that a dataset's SQL takes.
func given(d *definition.Dataset, answers prompt.Answers) []*prompt.Answer {
	var all []*prompt.Answer
	for _, p := range d.Prompts {
		if slices.ContainsFunc(slices.Collect(maps.Values(d.Values)), func(v definition.Value) bool { return v.Prompt == p }) {
			all = append(all, answers[p.Name])
		}
	}
	return all
}

func valuesOf(v definition.Value, a *prompt.Answer, zone *time.Location) []any {
	if a == nil || !a.Given {
		return nil
	}
	edge := func(e civil.Edge) []any { return []any{v.Column.Bound(e, zone)} }
	switch a.Prompt.Type {
	case prompt.Number:
		return []any{compile.Number(a.Number)}
	case prompt.Text:
		return []any{a.Text}
	case prompt.YesNo:
		return []any{a.Truth}
	case prompt.Choice:
		var list []any
		for _, c := range a.Choices {
			list = append(list, compile.AsStored(v.Column, c.Value))
		}
		return list
	case prompt.Days:
		var list []any
		for _, d := range a.Days {
			list = append(list, edge(civil.StartOf(d))...)
		}
		return list
	}
	switch v.Part {
	case definition.LastDay:
		return edge(civil.StartOf(a.Period.Last))
	case definition.NextDay:
		return edge(civil.StartOf(min(a.Period.Last+1, civil.MaxDay)))
	}
	return edge(civil.StartOf(a.Period.First))
}

// failed is an error of the source of a dataset.
func (s *Service) failed(d *definition.Dataset, err error) error {
	return &SourceError{Source: d.Source.Name, Err: err}
}
