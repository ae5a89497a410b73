package service

import (
	"context"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/readback"
	"pikegate/internal/source"
)

// Explanation is what a run would be, of which nothing was run.
type Explanation struct {
	Report   string           `json:"report" doc:"Name of the report."`
	AsOf     civil.Day        `json:"as_of" doc:"The day taken for today."`
	Answers  []Understood     `json:"answers" doc:"The answers, as entered and as understood."`
	ReadBack string           `json:"read_back" doc:"What would run, in a sentence."`
	Pieces   []readback.Piece `json:"read_back_pieces" doc:"The same sentence with its values set off."`
	Source   string           `json:"source" doc:"Name of the source."`
	Engine   string           `json:"engine" doc:"What kind of database it is."`
	SQL      string           `json:"sql" doc:"The statement that it would be sent."`
	Values   []string         `json:"values" doc:"The values bound to it, in order."`
	Plan     []string         `json:"plan" doc:"How the database says that it would run it."`
	Indexes  []string         `json:"indexes" doc:"The indexes that it would use."`
	Whole    bool             `json:"reads_whole_table" doc:"Whether it would read some table from its first record to its last."`
}

// Explain tells what a run would be. It runs nothing but what answers to choices are
// held to, and the question how the database would go about it.
func (s *Service) Explain(ctx context.Context, name string, req Request) (*Explanation, error) {
	r, err := s.ready(ctx, name, req)
	if err != nil {
		return nil, err
	}
	of := r.bound.report.Table.Of
	e := &Explanation{Report: name, AsOf: r.bound.setting.AsOf, Answers: inOrder(r.bound.report, r.bound.answers), Source: of.Source.Name, Engine: string(of.Source.At.Engine)}
	said := r.bound.said()
	e.ReadBack, e.Pieces = said.String(), said
	err = r.looking(ctx, func(ctx context.Context, v source.View) error {
		q := r.query()
		q.Limit = req.Limit
		if q.Extents, err = extentsOf(ctx, v, r.from.sql, q); err != nil {
			return err
		}
		statement := r.from.sql.Select(q)
		e.SQL, e.Values = statement.SQL, boundTo(statement)
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

// Matches is how many records a run would bring.
type Matches struct {
	Records int64 `json:"records" doc:"Records that match all the answers."`
	Of      int64 `json:"of" doc:"Records that the period holds, whatever else is answered; all of the dataset where there is none."`
}

// Matches counts the records that a run would bring, without running it.
func (s *Service) Matches(ctx context.Context, name string, req Request) (*Matches, error) {
	p, err := s.ready(ctx, name, req)
	if err != nil {
		return nil, err
	}
	plan := evidence.PlanOf(p.bound.parts, nil, nil)
	inside := p.bound.own
	if plan.Alone {
		inside = criteria.AllOf(p.bound.own, plan.Period)
	}
	m := &Matches{}
	err = p.looking(ctx, func(ctx context.Context, v source.View) error {
		q := p.bound.counting(p.bound.where())
		if q.Extents, err = extentsOf(ctx, v, p.from.sql, q); err != nil {
			return err
		}
		if p.from.sql.HasCriteriaInside() {
			if m.Records, err = v.Count(ctx, p.from.sql.Count(q)); err != nil {
				return err
			}
			q.Where = inside
			m.Of, err = v.Count(ctx, p.from.sql.Count(q))
			return err
		}
		q.Where = inside
		row, err := v.Numbers(ctx, p.from.sql.Among(q, criteria.AllOf(plan.Steps...)))
		if err == nil {
			m.Of, m.Records = row[0], row[1]
		}
		return err
	})
	return m, err
}
