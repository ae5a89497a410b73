package catalog

import (
	"maps"
	"slices"

	"pikegate/internal/core/prompt"
)

// Alone is a definition as a report that asks what it needs: a query; a filter or a dataset with
// all columns; a prompt on records that it is asked for, or on the first dataset that there is.
// It is nil for one that has no records, or that there is not.
func (c *Catalog) Alone(ref Ref) *Report {
	switch ref.Kind {
	case KindReport:
		return c.Reports[ref.Name]
	case KindQuery:
		if q := c.Queries[ref.Name]; q != nil {
			return c.ReportOf(q)
		}
	case KindFilter:
		if f := c.Filters[ref.Name]; f != nil {
			return c.ReportOf(&Query{Name: f.Name, Of: f.Of, Show: f.Of.Columns, Where: f.Where, Prompts: f.Prompts})
		}
	case KindDataset:
		if d := c.Datasets[ref.Name]; d != nil {
			return c.ReportOf(&Query{Name: d.Name, Of: d, Show: d.Columns, Prompts: d.Prompts})
		}
	case KindPrompt:
		p := c.Prompts[ref.Name]
		of := c.askedOf(p)
		if p == nil || of == nil {
			return nil
		}
		return c.ReportOf(&Query{Name: ref.Name, Of: of, Show: of.Columns, Prompts: []*prompt.Prompt{p}})
	}
	return nil
}

// askedOf is a dataset whose records a prompt is asked for.
func (c *Catalog) askedOf(p *prompt.Prompt) *Dataset {
	for _, name := range slices.Sorted(maps.Keys(c.Queries)) {
		if q := c.Queries[name]; slices.Contains(q.Prompts, p) && len(q.Of.Values) == 0 {
			return q.Of.Root()
		}
	}
	for _, name := range slices.Sorted(maps.Keys(c.Datasets)) {
		if d := c.Datasets[name]; d.Base == nil && len(d.Values) == 0 {
			return d
		}
	}
	return nil
}

// ReportOf is a query as a report of its own, with what the lists of choices of its prompts need
// to know.
func (c *Catalog) ReportOf(q *Query) *Report {
	r := q.Alone()
	r.Lists = map[*prompt.Prompt]*ChoiceList{}
	for i := 0; i < len(r.Prompts); i++ {
		list := c.Lists[r.Prompts[i]]
		if list == nil {
			continue
		}
		r.Lists[r.Prompts[i]] = list
		for _, p := range list.Prompts {
			if p.IsAsked() && !slices.Contains(r.Prompts, p) {
				r.Prompts = append(r.Prompts, p)
			}
		}
	}
	return r
}
