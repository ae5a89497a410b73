package answer

import (
	"context"
	"slices"
	"strings"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/value"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
)

// Choices lists what a prompt offers, by label. More reports whether there are
// further ones.
func (s *Answers) Choices(ctx context.Context, name, of string, req ChoicesRequest) (list []Choice, more bool, err error) {
	report, err := s.base.Report(ctx, name)
	if err != nil {
		return nil, false, err
	}
	i := slices.IndexFunc(report.Prompts, func(p *prompt.Prompt) bool { return p.Name == of })
	if i < 0 || report.Prompts[i].Type != prompt.Choice {
		return nil, false, &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownPrompt, "no prompt %q with choices in the report %q", english.Shorten(of), name)}}
	}
	if strings.Contains(req.Search, "\x00") {
		return nil, false, nil // which no text has
	}
	p := report.Prompts[i]
	setting, err := s.settingFor(ctx, report, req.AsOf)
	if err != nil {
		return nil, false, err
	}
	if !p.Listed {
		list, more = written(p, req)
		return list, more, nil
	}
	answers, _ := prompt.Check(report.Answered(), req.Answers, setting)
	list, err = s.listed(ctx, report.Lists[p], answers, setting, compile.Listing{Search: req.Search, Query: compile.Query{Limit: req.Limit + 1, Skip: req.Skip}})
	if len(list) > req.Limit {
		return list[:req.Limit], true, err
	}
	return list, false, err
}

// listed reads choices from the data, narrowed by the answers that there are.
func (s *Answers) listed(ctx context.Context, list *catalog.ChoiceList, answers prompt.Answers, setting phrase.Setting, l compile.Listing) ([]Choice, error) {
	from, err := s.base.Relation(ctx, list.Of)
	if err != nil {
		return nil, err
	}
	where, _ := criteria.Bind(list.Criteria(), answers, setting)
	l.Values = values(list.Of, answers)
	l.Where, l.Zone, l.Value, l.Label, l.Count = where, list.Of.Source.Zone, list.Value, list.Label, list.Count
	found := []Choice{}
	err = s.base.Look(ctx, from.Source, s.base.Config().RunTime, func(ctx context.Context, v source.View) error {
		extents, err := base.ExtentsOf(ctx, v, from.SQL, l.Query)
		if err != nil {
			return err
		}
		l.Extents = extents
		return v.Rows(ctx, from.SQL.Choices(l), func(row []value.Value) error {
			c := Choice{Option: prompt.Option{Value: row[0].String(), Label: row[1].String()}}
			if l.Count {
				c.Count, _ = row[2].Int()
			}
			found = append(found, c)
			return nil
		})
	})
	if err != nil {
		return nil, s.base.Failed(list.Of, err)
	}
	return found, nil
}

// hold holds the answers to choices that come from the data to what the data
// offer, and gives them their labels.
func (s *Answers) hold(ctx context.Context, report *catalog.Report, answers prompt.Answers, setting phrase.Setting) (fault.List, error) {
	var refused fault.List
	for _, p := range report.Prompts {
		a := answers[p.Name]
		if !p.Listed || !a.Given {
			continue
		}
		only := make([]string, len(a.Choices))
		for i, c := range a.Choices {
			only[i] = c.Value
		}
		found, err := s.listed(ctx, report.Lists[p], answers, setting, compile.Listing{Only: only, Query: compile.Query{Limit: len(only)}})
		if err != nil {
			return nil, err
		}
		for i, c := range a.Choices {
			isNumber := report.Lists[p].Value.Type.IsNumeric()
			at := slices.IndexFunc(found, func(f Choice) bool { return f.Value == c.Value || isNumber && prompt.SameNumber(f.Value, c.Value) })
			if at >= 0 {
				a.Choices[i] = found[at].Option
				continue
			}
			f := fault.New(fault.NotAChoice, "%q is not one of the choices that the other answers leave", english.Shorten(c.Value)).At(fault.Place{Prompt: p.Name})
			f.Entered = english.Shorten(c.Value)
			if near, err := s.listed(ctx, report.Lists[p], answers, setting, compile.Listing{Search: c.Value, Query: compile.Query{Limit: 3}}); err == nil {
				for _, n := range near {
					f.Suggest(n.Value)
				}
			}
			refused = append(refused, f)
		}
	}
	return refused, nil
}

// Choice is a value that the data offer.
type Choice struct {
	prompt.Option
	Count int64 `json:"count,omitempty" doc:"How many records have it, where the list tells."`
}

// ChoicesRequest asks for the choices of a prompt.
type ChoicesRequest struct {
	Request        // the answers so far narrow the list; Limit and Skip page it
	Search  string // words of the label, in any case
}

// written are the choices of a list that stands in the definition, and whether there are
// further ones.
func written(p *prompt.Prompt, req ChoicesRequest) ([]Choice, bool) {
	var found []Choice
	for _, o := range p.Choices {
		if contains(o.Label, req.Search) {
			found = append(found, Choice{Option: o})
		}
	}
	from := min(req.Skip, len(found))
	through := min(from+req.Limit, len(found))
	return found[from:through], through < len(found)
}

func contains(label, search string) bool {
	return strings.Contains(value.Fold(label), value.Fold(search))
}
