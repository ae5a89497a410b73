package draft

import (
	"context"
	"maps"
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/edit"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/readback"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/run"
)

// Words is what conditions on a dataset can be made of.
type Words struct {
	Dataset   string       `json:"dataset" doc:"Name of the dataset."`
	Problem   string       `json:"problem,omitempty" doc:"Why there are none: there is no such dataset, or it is in error."`
	Title     string       `json:"title" doc:"What its records are called."`
	Key       []string     `json:"key" doc:"The columns of its key."`
	Columns   []ColumnWord `json:"columns" doc:"Its columns, as written."`
	Filters   []string     `json:"filters" doc:"The filters that can stand on it."`
	Prompts   []PromptWord `json:"prompts" doc:"All prompts."`
	Operators []TypeWords  `json:"operators" doc:"What can stand on columns, by their type."`
}

// ColumnWord is a column.
type ColumnWord struct {
	Name  string      `json:"name" doc:"Its name."`
	Label string      `json:"label" doc:"What people read."`
	Type  column.Type `json:"type" doc:"What its values mean."`
	Unit  string      `json:"unit,omitempty" doc:"Its unit."`
}

// PromptWord is a prompt.
type PromptWord struct {
	Name string      `json:"name" doc:"Its name."`
	Ask  string      `json:"ask" doc:"The question."`
	Type prompt.Type `json:"type" doc:"The kind of answer."`
	Many bool        `json:"many,omitempty" doc:"Whether it takes several choices."`
	// Optional ones drop their condition where they are left unanswered.
	Optional bool `json:"optional,omitempty" doc:"Whether it can be left unanswered."`
}

// TypeWords are the operators that can stand on columns of a type.
type TypeWords struct {
	Type      column.Type `json:"type" doc:"The type of the column."`
	Operators []OpWord    `json:"operators" doc:"In the order of the reference."`
}

// OpWord is an operator.
type OpWord struct {
	Op      criteria.Op   `json:"op" doc:"Its key."`
	Said    string        `json:"said" doc:"How it is said."`
	Note    string        `json:"note,omitempty" doc:"What it does that one may not expect: whether a boundary is in."`
	Form    criteria.Form `json:"form" doc:"What it takes where that is written out."`
	Columns bool          `json:"columns,omitempty" doc:"Whether it compares with another column."`
	Prompts []string      `json:"prompts" doc:"The prompts whose answers it takes."`
	Sides   []string      `json:"sides,omitempty" doc:"The prompts of whose answers it takes one side, start or end."`
}

// Words tells what conditions on a dataset can be made of, by one's drafts.
func (s *Drafts) Words(ctx context.Context, dataset string) (*Words, error) {
	made, err := s.setOf(ctx)
	if err != nil {
		return nil, err
	}
	defs := made.tried.Catalog
	d := defs.Datasets[dataset]
	if d == nil {
		f := fault.New(fault.UnknownDataset, "no dataset %q, or what it is made of is in error", english.Shorten(dataset))
		f.Suggest(fault.Near(dataset, slices.Sorted(maps.Keys(defs.Datasets))))
		return &Words{Dataset: dataset, Problem: f.Sentence(), Key: []string{}, Columns: []ColumnWord{}, Filters: []string{}, Prompts: []PromptWord{}, Operators: []TypeWords{}}, nil
	}
	w := &Words{Dataset: d.Name, Title: d.Title, Key: []string{}, Filters: []string{}, Prompts: []PromptWord{}}
	for _, k := range d.Key {
		w.Key = append(w.Key, k.Name)
	}
	types := map[column.Type]bool{}
	for _, c := range d.Columns {
		w.Columns = append(w.Columns, ColumnWord{Name: c.Name, Label: c.Label, Type: c.Type, Unit: c.Unit})
		types[c.Type] = true
	}
	for _, name := range slices.Sorted(maps.Keys(defs.Filters)) {
		if d.IsOn(defs.Filters[name].Of) {
			w.Filters = append(w.Filters, name)
		}
	}
	names := slices.Sorted(maps.Keys(defs.Prompts))
	for _, name := range names {
		p := defs.Prompts[name]
		w.Prompts = append(w.Prompts, PromptWord{Name: name, Ask: p.Ask, Type: p.Type, Many: p.Many, Optional: !p.Required && p.IsAsked()})
	}
	for _, t := range slices.Sorted(maps.Keys(types)) {
		w.Operators = append(w.Operators, operatorsOf(t, names, defs))
	}
	return w, nil
}

func operatorsOf(t column.Type, prompts []string, defs *catalog.Catalog) TypeWords {
	words := TypeWords{Type: t}
	for _, op := range append(slices.Clone(criteria.Ops), criteria.Missing, criteria.Present) {
		if !op.AppliesTo(t) {
			continue
		}
		word := OpWord{Op: op, Form: op.Form(t), Columns: op.ComparesColumns(), Prompts: []string{}}
		word.Said, word.Note = readback.Word(op, t)
		for _, name := range prompts {
			if ok, _ := op.Takes(defs.Prompts[name], "", t); ok {
				word.Prompts = append(word.Prompts, name)
			}
			if criteria.HasSides(defs.Prompts[name].Type) {
				if ok, _ := op.Takes(defs.Prompts[name], criteria.StartSide, t); ok {
					word.Sides = append(word.Sides, name)
				}
			}
		}
		words.Operators = append(words.Operators, word)
	}
	return words
}

// Variant is edits that are tried in a draft.
type Variant struct {
	Edits []edit.Edit
}

// Counted is how many records a variant of a draft would bring.
type Counted struct {
	Records *int64 `json:"records,omitempty" doc:"How many records match."`
	Problem string `json:"problem,omitempty" doc:"Why that is not known."`
}

// Counts tells how many records a definition would bring with edits made in it, for each of
// several variants; one without edits is the draft as it stands. Nothing is stored.
func (s *Drafts) Counts(ctx context.Context, answers *answer.Answers, ref catalog.Ref, variants []Variant, req answer.Request) ([]Counted, error) {
	d, err := s.Get(ctx, ref)
	if err != nil {
		return nil, err
	}
	parsed, err := parsed(d.Text)
	if err != nil {
		return nil, err
	}
	made, err := s.setOf(ctx)
	if err != nil {
		return nil, err
	}
	all := make([]Counted, len(variants))
	for i, v := range variants {
		after, _, err := parsed.Apply(v.Edits...)
		if err != nil {
			all[i].Problem = err.Error()
			continue
		}
		tried, err := s.with(ctx, made, ref, after.Text)
		if err == nil {
			var m *answer.Matches
			if m, err = answers.Matches(base.With(ctx, tried), string(ref.Kind)+":"+ref.Name, req); err == nil {
				all[i].Records = &m.Records
			}
		}
		if err != nil {
			if all[i].Problem = err.Error(); ctx.Err() != nil {
				return nil, ctx.Err()
			}
		}
	}
	return all, nil
}

// Effect tells what one's drafts would change in the latest runs of readers.
func (s *Drafts) Effect(ctx context.Context, runs *run.Runs, most int) (*run.Effect, error) {
	made, err := s.setOf(ctx)
	if err != nil {
		return nil, err
	}
	return runs.EffectOf(ctx, made.tried, made.changed, most)
}
