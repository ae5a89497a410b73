package catalog

import (
	"cmp"
	"slices"

	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/summary"
)

// Filter is named criteria on a dataset, for its queries to share.
type Filter struct {
	Name    string
	Of      *Dataset
	Where   *criteria.Node
	Prompts []*prompt.Prompt

	Conditions, Depth int // of Where, with those of the filters in it
}

// ChoiceList is where a prompt's choices come from: the values of a column.
type ChoiceList struct {
	Of      *Dataset
	Value   *column.Column
	Label   *column.Column   // what people read; Value where there is no other
	Count   bool             // how many records each has is told
	Where   *criteria.Node   // which records count, nil for all
	Prompts []*prompt.Prompt // those whose answers narrow the list
}

// Query is which records to show and in what order, or what to tell of them in sum.
type Query struct {
	Name    string
	Of      *Dataset
	Summary *summary.Spec    // nil for a query of records
	Show    []*column.Column // of the dataset, or of the summary
	Where   *criteria.Node   // nil for all records
	Sort    []criteria.Sort
	Prompts []*prompt.Prompt // those that its conditions use
}

// Report is what end users see.
type Report struct {
	Name    string
	Title   string
	About   string
	Shelf   string
	Prompts []*prompt.Prompt               // in the order in which they are asked
	Wording map[*prompt.Prompt]Wording     // the report's own, of some of them
	Lists   map[*prompt.Prompt]*ChoiceList // where the choices of some of them come from
	Unasked []*prompt.Prompt               // the derived and hidden ones of its conditions
	// Sections are what it shows, in order; all of records of one source.
	Sections []*Section
	// MostRead is how many records a run may have the database read, 0 for any number.
	MostRead int64
	// Personal is what there is otherwise of it for a person, nil for a report as it is defined.
	Personal *Personal
}

// Wording is how a report asks a prompt, "" where the prompt's own serves.
type Wording struct{ Ask, Help string }

// Asked is how the report asks a prompt.
func (r *Report) Asked(p *prompt.Prompt) Wording {
	w := r.Wording[p]
	return Wording{Ask: cmp.Or(w.Ask, p.Ask), Help: cmp.Or(w.Help, p.Help)}
}

// Main is the section that the evidence is about and that further pages are of: the first table of
// records, else the first table, else the first section; nil where there is none.
func (r *Report) Main() *Section {
	var first, table *Section
	for _, s := range r.Sections {
		switch {
		case s.Kind == Table && s.Query.Summary == nil:
			return s
		case s.Kind == Table && table == nil:
			table = s
		case first == nil:
			first = s
		}
	}
	return cmp.Or(table, first)
}

// IsOneTable reports whether all that the report shows is a table.
func (r *Report) IsOneTable() bool { return len(r.Sections) == 1 && r.Sections[0].Kind == Table }

// Walk hands out the conditions of all sections, each with the dataset that it is on: those of the
// main section first.
func (r *Report) Walk(use func(of *Dataset, c *criteria.Node)) {
	main := r.Main()
	walk := func(s *Section) {
		s.Criteria().Walk(func(c *criteria.Node) { use(s.Query.Of, c) })
	}
	if main == nil {
		return
	}
	walk(main)
	for _, s := range r.Sections {
		if s != main {
			walk(s)
		}
	}
}

// OpOf is what the first condition that uses a whole answer to a prompt does with it, "" where none does.
func (r *Report) OpOf(p *prompt.Prompt) (op criteria.Op) {
	r.Walk(func(_ *Dataset, c *criteria.Node) {
		if op == "" && c.Operand.Prompt == p && c.Operand.Side == "" {
			op = c.Op
		}
	})
	return op
}

// Alone is the query as a report that asks what it needs and says nothing of itself.
func (q *Query) Alone() *Report {
	r := &Report{Name: q.Name, Title: q.Name, Sections: []*Section{{Kind: Table, Query: q, From: q}}}
	for _, p := range q.Prompts {
		if !p.IsAsked() {
			r.Unasked = append(r.Unasked, p)
			p = p.Base
		}
		if p != nil && !slices.Contains(r.Prompts, p) {
			r.Prompts = append(r.Prompts, p)
		}
	}
	return r
}

// Key are the columns that tell the rows apart: the dataset's key, or what a summary groups by.
func (q *Query) Key() []*column.Column {
	if q.Summary != nil {
		return q.Summary.Keys()
	}
	return q.Of.Key
}

// Criteria are all the conditions that hold for the query, nil for none.
func (q *Query) Criteria() *criteria.Node {
	if q.Of == nil {
		return q.Where
	}
	return criteria.Both(q.Of.Where, q.Where)
}

// Criteria are all the conditions that hold for the choices, nil for none.
func (c *ChoiceList) Criteria() *criteria.Node { return criteria.Both(c.Of.Where, c.Where) }

// Answered lists the prompts that a run of the report has answers to.
func (r *Report) Answered() []*prompt.Prompt { return slices.Concat(r.Prompts, r.Unasked) }
