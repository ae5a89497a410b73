package answer

import (
	"maps"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/prompt"
)

// values are what the placeholders of a dataset's SQL stand for, by the answers.
func values(d *catalog.Dataset, answers prompt.Answers) map[int]compile.Values {
	all := make(map[int]compile.Values, len(d.Values))
	for piece, v := range d.Values {
		all[piece] = compile.Values{Column: v.Column, List: valuesOf(v, answers[v.Prompt.Name], d.Source.Zone)}
	}
	return all
}

// given are the answers that a dataset's SQL takes.
func given(d *catalog.Dataset, answers prompt.Answers) []*prompt.Answer {
	var all []*prompt.Answer
	for _, p := range d.Prompts {
		if slices.ContainsFunc(slices.Collect(maps.Values(d.Values)), func(v catalog.Placeholder) bool { return v.Prompt == p }) {
			all = append(all, answers[p.Name])
		}
	}
	return all
}

func valuesOf(v catalog.Placeholder, a *prompt.Answer, zone *time.Location) []any {
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
	case catalog.LastDay:
		return edge(civil.StartOf(a.Period.Last))
	case catalog.NextDay:
		return edge(civil.StartOf(min(a.Period.Last+1, civil.MaxDay)))
	}
	return edge(civil.StartOf(a.Period.First))
}
