package answer

import (
	"context"
	"fmt"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/readback"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
)

// Explain tells what a run would be. It runs nothing but what answers to choices are
// held to, and the question how the database would go about it.
func (s *Answers) Explain(ctx context.Context, name string, req Request) (*Explanation, error) {
	r, err := s.ready(ctx, name, req)
	if err != nil {
		return nil, err
	}
	of := r.Bound.Section.Query.Of
	e := &Explanation{Report: name, AsOf: r.Bound.Setting.AsOf, Answers: InOrder(r.Bound.Report, r.Bound.Answers), Source: of.Source.Name, Engine: string(of.Source.At.Engine)}
	said := r.Bound.Said()
	e.ReadBack, e.ReadBackPieces = said.String(), said
	err = r.looking(ctx, func(ctx context.Context, v source.View) error {
		q := r.Query()
		q.Limit = req.Limit
		if q.Extents, err = base.ExtentsOf(ctx, v, r.From.SQL, q); err != nil {
			return err
		}
		var statement compile.Statement
		if r.Bound.Section.Query.Summary == nil {
			statement = r.From.SQL.Select(q)
		} else if summing, err := r.Summing(ctx, v, q); err == nil {
			statement = summing.Statement
		} else {
			return err
		}
		e.SQL, e.Values = statement.SQL, BoundTo(statement)
		plan, err := v.Plan(ctx, statement)
		if err != nil {
			return err
		}
		e.Plan, e.Indexes, e.ReadsWholeTable = plan.Lines, append([]string{}, plan.Indexes...), plan.Whole
		e.Reads, err = r.reads(ctx, v, plan)
		return err
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
		if q.Extents, err = base.ExtentsOf(ctx, v, p.From.SQL, q); err != nil {
			return err
		}
		if p.From.SQL.HasCriteriaInside() {
			if m.Records, err = v.Count(ctx, p.From.SQL.Count(q)); err != nil {
				return err
			}
			q.Where = inside
			m.Of, err = v.Count(ctx, p.From.SQL.Count(q))
			return err
		}
		if plan.Alone && plan.Narrows() {
			of, err := p.counted(ctx, v, plan.Period.Column)
			if err != nil {
				return err
			}
			if of != nil && of.IsIndexed() {
				return p.matches(ctx, v, of, plan, m)
			}
		}
		q.Where = inside
		return p.exactMatches(ctx, v, q, plan, m)
	})
	return m, err
}

// Explanation is what a run would be, of which nothing was run.
type Explanation struct {
	Report          string           `json:"report" doc:"Name of the report."`
	AsOf            civil.Day        `json:"as_of" doc:"The day taken for today."`
	Answers         []Understood     `json:"answers" doc:"The answers, as entered and as understood."`
	ReadBack        string           `json:"read_back" doc:"What would run, in a sentence."`
	ReadBackPieces  []readback.Piece `json:"read_back_pieces" doc:"The same sentence with its values set off."`
	Source          string           `json:"source" doc:"Name of the source."`
	Engine          string           `json:"engine" doc:"What kind of database it is."`
	SQL             string           `json:"sql" doc:"The statement that it would be sent."`
	Values          []string         `json:"values" doc:"The values bound to it, in order."`
	Plan            []string         `json:"plan" doc:"How the database says that it would run it."`
	Indexes         []string         `json:"indexes" doc:"The indexes that it would use."`
	Reads           *int64           `json:"reads,omitempty" doc:"About how many records it would read: by its own estimate, else by the counts of a large table; absent where neither tells."`
	ReadsWholeTable bool             `json:"reads_whole_table" doc:"Whether it would read some table from its first record to its last."`
}

// Matches is how many records a run would bring.
type Matches struct {
	Records   int64      `json:"records" doc:"Records that match all the answers."`
	Of        int64      `json:"of" doc:"Records that the period holds, whatever else is answered; all of the dataset where there is none."`
	About     bool       `json:"about,omitempty" doc:"Whether the numbers are about right only: those of a large period, told from counts that were made before."`
	OrMore    bool       `json:"or_more,omitempty" doc:"Whether the period holds more records than the number says, and those that match were not counted."`
	CountedAt *time.Time `json:"counted_at,omitempty" doc:"When the records of the period were counted, where that was before."`
}

// BoundTo are the values bound to a statement, in order, for people to read.
func BoundTo(s compile.Statement) []string {
	texts := make([]string, len(s.Args))
	for i, value := range s.Args {
		texts[i] = fmt.Sprint(value)
	}
	return texts
}
