package answer

import (
	"context"
	"log/slog"
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/evidence"
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
	report, err := s.base.Report(name)
	if err != nil {
		return nil, false, err
	}
	i := slices.IndexFunc(report.Prompts, func(p *prompt.Prompt) bool { return p.Name == of })
	if i < 0 || report.Prompts[i].Type != prompt.Choice {
		return nil, false, &base.Refusal{Kind: base.Unknown, Faults: fault.List{fault.New(prompt.UnknownPrompt, "no prompt %q with choices in the report %q", english.Shorten(of), name)}}
	}
	if strings.Contains(req.Search, "\x00") {
		return nil, false, nil // which no text has
	}
	p := report.Prompts[i]
	setting, err := s.settingFor(report, req.AsOf)
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
	where, _ := criteria.Bind(list.Criteria(), answers, attributes(base.PersonOf(ctx)), setting)
	l.Values = values(list.Of, answers)
	l.Where, l.Zone, l.Value, l.Label, l.Count = where, list.Of.Source.Zone, list.Value, list.Label, list.Count
	found := []Choice{}
	err = s.base.Look(ctx, from.Source, s.base.Config.RunTime, func(ctx context.Context, v source.View) error {
		extents, err := base.ExtentsOf(ctx, v, from.Sql, l.Query)
		if err != nil {
			return err
		}
		l.Extents = extents
		return v.Rows(ctx, from.Sql.Choices(l), func(row []value.Value) error {
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
			f := fault.New(prompt.NotAChoice, "%q is not one of the choices that the other answers leave", english.Shorten(c.Value)).At(fault.Place{Prompt: p.Name})
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

// Explain tells what a run would be. It runs nothing but what answers to choices are
// held to, and the question how the database would go about it.
func (s *Answers) Explain(ctx context.Context, name string, req Request) (*Explanation, error) {
	r, err := s.ready(ctx, name, req)
	if err != nil {
		return nil, err
	}
	of := r.Bound.Report.Table.Of
	e := &Explanation{Report: name, AsOf: r.Bound.Setting.AsOf, Answers: InOrder(r.Bound.Report, r.Bound.Answers), Source: of.Source.Name, Engine: string(of.Source.At.Engine)}
	said := r.Bound.Said()
	e.ReadBack, e.Pieces = said.String(), said
	err = r.looking(ctx, func(ctx context.Context, v source.View) error {
		q := r.Query()
		q.Limit = req.Limit
		if q.Extents, err = base.ExtentsOf(ctx, v, r.From.Sql, q); err != nil {
			return err
		}
		statement := r.From.Sql.Select(q)
		e.SQL, e.Values = statement.SQL, BoundTo(statement)
		plan, err := v.Plan(ctx, statement)
		if err != nil {
			return err
		}
		e.Plan, e.Indexes, e.Whole = plan.Lines, append([]string{}, plan.Indexes...), plan.Whole
		return nil
	})
	if err != nil {
		return nil, err
	}
	return e, nil
}

// Matches counts the records that a run would bring, without running it.
func (s *Answers) Matches(ctx context.Context, name string, req Request) (*Matches, error) {
	p, err := s.ready(ctx, name, req)
	if err != nil {
		return nil, err
	}
	plan := evidence.PlanOf(p.Bound.Parts, nil, nil)
	inside := p.Bound.Own
	if plan.Alone {
		inside = criteria.AllOf(p.Bound.Own, plan.Period)
	}
	m := &Matches{}
	err = p.looking(ctx, func(ctx context.Context, v source.View) error {
		q := p.Bound.Counting(p.Bound.Where())
		if q.Extents, err = base.ExtentsOf(ctx, v, p.From.Sql, q); err != nil {
			return err
		}
		if p.From.Sql.HasCriteriaInside() {
			if m.Records, err = v.Count(ctx, p.From.Sql.Count(q)); err != nil {
				return err
			}
			q.Where = inside
			m.Of, err = v.Count(ctx, p.From.Sql.Count(q))
			return err
		}
		q.Where = inside
		row, err := v.Numbers(ctx, p.From.Sql.Among(q, criteria.AllOf(plan.Steps...)))
		if err == nil {
			m.Of, m.Records = row[0], row[1]
		}
		return err
	})
	return m, err
}

// dataOf is the run of days, from first to last, of the data that a prompt asks
// about: of the columns that the report compares with its answer. It is open where
// there are none.
func (s *Answers) dataOf(ctx context.Context, r *catalog.Report, p *prompt.Prompt) (civil.Period, error) {
	var data civil.Period
	var failed error
	r.Criteria().Walk(func(n *criteria.Node) {
		if n.Operand.Prompt != p || failed != nil {
			return
		}
		days, err := s.base.DaysIn(ctx, r.Table.Of, n.Column)
		failed = err
		if !days.IsClosed() {
			return
		}
		if !data.IsClosed() {
			data = days
		}
		data = civil.Period{First: min(data.First, days.First), Last: max(data.Last, days.Last)}
	})
	return data, failed
}

// ready checks the answers to a report, for what is not a run.
func (s *Answers) ready(ctx context.Context, name string, req Request) (*Ready, error) {
	report, err := s.base.Report(name)
	if err != nil {
		return nil, err
	}
	return s.ReadyFor(ctx, report, req)
}

// ReadyFor is ready for a report at hand. Where it fails, what it got to know is in
// the result all the same: the setting, and the answers as far as they were read.
func (s *Answers) ReadyFor(ctx context.Context, report *catalog.Report, req Request) (*Ready, error) {
	p := &Ready{Answers: s, Bound: Bound{Report: report}, Who: base.PersonOf(ctx)}
	var err error
	if p.Bound.Setting, err = s.settingFor(report, req.AsOf); err != nil {
		return p, err
	}
	if req.With != nil {
		p.Bound.Setting.Seasons = req.With.Seasons
	}
	p.Bound.Setting = req.Then.On(p.Bound.Setting)
	var refused fault.List
	if p.Bound.Answers, refused, err = s.Check(ctx, report, req.Answers, p.Bound.Setting); err != nil {
		return p, err
	}
	if len(refused) > 0 {
		return p, &base.Refusal{Kind: base.AnswersRefused, Faults: refused}
	}
	if p.From, err = s.base.Relation(ctx, report.Table.Of); err != nil {
		return p, err
	}
	if f := p.misfitting(); f != nil {
		return p, &base.Refusal{Kind: base.DefinitionInError, Faults: fault.List{f}}
	}
	p.Bound = Bind(report, p.Bound.Answers, p.Who, p.Bound.Setting)
	return p, nil
}

// Answers understands answers, and says what they would bring.
type Answers struct {
	base   *base.Base
	strips base.Remembered[histogramOf, knownHistogram]
}

func New(base *base.Base) *Answers { return &Answers{base: base} }

// Histogram counts the records of a report's dataset by month, for the days that a
// prompt asks for; or, given a month as yyyy-MM, by its days.
func (s *Answers) Histogram(ctx context.Context, name, of, month string) (*Histogram, error) {
	report, err := s.base.Report(name)
	if err != nil {
		return nil, err
	}
	var asked *prompt.Prompt
	for _, p := range report.Prompts {
		if p.Name == of {
			asked = p
		}
	}
	if asked == nil {
		return nil, &base.Refusal{Kind: base.Unknown, Faults: fault.List{fault.New(prompt.UnknownPrompt, "no prompt %q in the report %q", english.Shorten(of), name)}}
	}
	var days civil.Period
	if month != "" {
		first, ok := civil.ParseDay(month + "-01")
		if !ok {
			return nil, &base.Refusal{Kind: base.AnswersRefused, Faults: fault.List{fault.New("not_a_month", "%q is not a month; write it like 2026-03", english.Shorten(month))}}
		}
		days = civil.Period{First: first, Last: first.Month().Last()}
	}
	key := histogramOf{s.base.Changed.Load(), name, of, month}
	if known, ok := s.strips.Get(key); ok && s.base.Config.Now().Sub(known.at) < histogramAge {
		return known.Histogram, nil
	}
	strip, err := s.strip(ctx, report, asked, days)
	if err != nil {
		return nil, err
	}
	s.strips.Put(key, knownHistogram{strip, s.base.Config.Now()})
	return strip, nil
}

// strip counts by the days of a period, or where it is open by units of all the data.
func (s *Answers) strip(ctx context.Context, report *catalog.Report, asked *prompt.Prompt, days civil.Period) (*Histogram, error) {
	unit := civil.Days
	strip := &Histogram{Unit: unit.String(), Units: []Count{}}
	var column *column.Column
	report.Criteria().Walk(func(n *criteria.Node) {
		if n.Operand.Prompt == asked && n.Column.Type.IsDated() && column == nil {
			column = n.Column
		}
	})
	of := report.Table.Of
	if column == nil || len(of.Prompts) > 0 { // which records it has depends on the answers
		return strip, nil
	}
	strip.Column = column.Label
	if !days.IsClosed() {
		var err error
		if days, err = s.base.DaysIn(ctx, of, column); err != nil || !days.IsClosed() {
			return strip, err
		}
		unit = civil.Months
		for _, longer := range []civil.Unit{civil.Quarters, civil.Years} {
			if int(days.Last.Month()-days.First.Month())/unit.Months() >= mostUnits {
				unit = longer
			}
		}
	}
	strip.Unit = unit.String()
	var starts []civil.Day
	for period, ok := unit.Around(days.First, 0, time.January); ok && period.First <= days.Last; period, ok = unit.Around(period.First, 1, time.January) {
		starts = append(starts, period.First)
		strip.Units = append(strip.Units, Count{Phrase: unit.Name(period.First), First: period.First, Last: period.Last, Spelled: period.Spelled()})
	}
	end, ok := strip.Units[len(starts)-1].Last.Next()
	if !ok {
		end = civil.MaxDay
	}
	p, err := s.readyAlone(ctx, of)
	if err != nil {
		return nil, err
	}
	err = p.looking(ctx, func(ctx context.Context, v source.View) error {
		q := p.Bound.Counting(p.Bound.Own)
		if q.Extents, err = base.ExtentsOf(ctx, v, p.From.Sql, q); err != nil {
			return err
		}
		return v.Rows(ctx, p.From.Sql.ByUnit(q, column, append(starts, end)), func(row []value.Value) error {
			i, _ := row[0].Int()
			strip.Units[i].Records, _ = row[1].Int()
			return nil
		})
	})
	return strip, err
}

// readyAlone is all the records of a dataset that asks nothing.
func (s *Answers) readyAlone(ctx context.Context, of *catalog.Dataset) (*Ready, error) {
	return s.ReadyFor(ctx, (&catalog.Query{Of: of}).Alone(), Request{})
}

// Understand reads answers without running anything. Refused answers are part
// of the result and no error.
func (s *Answers) Understand(ctx context.Context, name string, req Request) (*Reading, error) {
	report, err := s.base.Report(name)
	if err != nil {
		return nil, err
	}
	setting, err := s.settingFor(report, req.AsOf)
	if err != nil {
		return nil, err
	}
	answers, refused, err := s.Check(ctx, report, req.Answers, setting)
	if err != nil {
		return nil, err
	}
	return &Reading{AsOf: setting.AsOf, Answers: InOrder(report, answers), Refused: refused}, nil
}

// settingFor is the setting of a run of the report as of a day, "" for today.
func (s *Answers) settingFor(r *catalog.Report, asOf string) (phrase.Setting, error) {
	zone := r.Table.Of.Source.Zone
	day, err := s.base.AsOf(asOf, zone)
	return s.base.Setting(day, zone), err
}

// Check reads all answers, those to choices held to the data.
func (s *Answers) Check(ctx context.Context, r *catalog.Report, entered map[string]prompt.Entered, setting phrase.Setting) (prompt.Answers, fault.List, error) {
	answers, refused := prompt.Check(r.Answered(), entered, setting)
	more, err := s.hold(ctx, r, answers, setting)
	return answers, append(refused, more...).Capped(fault.Most), err
}

// ReportOn finds a report and works out its offers on the as-of day. Months,
// quarters and years to pick from are those that the data have; where the source
// does not answer there are none.
func (s *Answers) ReportOn(ctx context.Context, name, asOf string) (*ReportOn, error) {
	report, err := s.base.Report(name)
	if err != nil {
		return nil, err
	}
	setting, err := s.settingFor(report, asOf)
	if err != nil {
		return nil, err
	}
	on := &ReportOn{Report: report, AsOf: setting.AsOf, Offers: map[string][]prompt.OfferedPeriod{}, Units: map[string][]prompt.OfferedPeriod{}}
	for _, p := range report.Prompts {
		on.Offers[p.Name] = p.Offers(setting)
		if p.Type.Unit() == civil.NoUnit {
			continue
		}
		data, err := s.dataOf(ctx, report, p)
		if err != nil {
			slog.WarnContext(ctx, "nothing to pick from: the source did not answer", "report", name, "prompt", p.Name, "error", err)
		}
		on.Units[p.Name] = p.Units(data, setting)
	}
	return on, nil
}
