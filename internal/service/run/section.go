package run

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/summary"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source"
)

// part is a section of a run.
type part struct {
	run     *Run
	ready   *answer.Ready
	told    receipt.Section
	got     *reading
	query   compile.Query // of its records
	meter   *meter        // of the main section
	unready error         // why it cannot be read
	err     error         // why it is not there, or not whole
}

func (r *Run) newPart(number int, ready *answer.Ready) *part {
	s := ready.Bound.Section
	p := &part{run: r, ready: ready}
	p.told = receipt.Section{Section: number, Kind: string(s.Kind), Query: s.From.Name, Label: labelOf(s), Better: string(s.Better)}
	return p
}

// labelOf is what stands above a section.
func labelOf(s *catalog.Section) string {
	switch {
	case s.Label != "":
		return s.Label
	case s.Kind == catalog.Table && s.Query.Summary == nil:
		return s.Query.Of.Title
	}
	spec := s.Query.Summary
	label := english.Title(spec.Figures[0].Shown.Label)
	if s.Kind == catalog.Figure {
		return label
	}
	if s.Kind == catalog.Table {
		label = english.Title(s.Query.Of.Title)
	}
	var by []string
	for _, g := range spec.Groups {
		if g.By == summary.Values {
			by = append(by, english.Within(g.Of.Label))
		} else {
			by = append(by, g.By.String())
		}
	}
	if len(by) == 0 {
		return label
	}
	return label + " by " + english.Both(by)
}

func (p *part) section() *catalog.Section { return p.ready.Bound.Section }

func (p *part) isMain() bool { return p == p.run.main }

// mostRows is how many of its rows are wanted, 0 for all: figures and charts are wanted whole.
func (p *part) mostRows() int {
	if p.section().Kind == catalog.Table || !p.run.several() {
		return p.run.request.Limit
	}
	return 0
}

// read reads the section and hands it on.
func (p *part) read(ctx context.Context, v source.View, q *compile.Query) (err error) {
	start := time.Now()
	defer func() { p.told.TookMS = receipt.Milliseconds(time.Since(start)) }()
	sql := p.ready.From.SQL
	if q.Extents, err = base.ExtentsOf(ctx, v, sql, *q); err != nil {
		return err
	}
	if p.section().Query.Summary != nil {
		return p.sumUp(ctx, v, q)
	}
	q.Show = p.got.columns
	statement := sql.Select(*q)
	p.told.SQL, p.told.Values = p.toldOf(statement)
	most := p.section().Query.Of.Source.At.Rows
	err = v.Rows(ctx, statement, func(row []value.Value) error {
		if p.told.Rows++; most > 0 && p.told.Rows > most {
			return fmt.Errorf("%w: %d", receipt.ErrSize, most)
		}
		return p.got.add(row)
	})
	if err != nil {
		return err
	}
	return p.got.begin() // where there was no row
}

// countRest tells how many records match in all, where the rows tell it, or counts them
// where that was asked for and the evidence does not.
func (p *part) countRest(ctx context.Context, v source.View, q compile.Query) error {
	if p.told.Groups != nil {
		return nil // a summary knows what it is of
	}
	got, rows := p.got, p.told.Rows
	last := q.Limit == 0 || rows < q.Limit && (rows > 0 || q.Skip == 0) // there are no rows after these
	got.whole = last && got.before == 0
	all := int64(got.before + rows)
	q.Skip, q.After = 0, nil
	switch {
	case last:
	case p.run.request.Evidence && p.isMain() || p.run.request.Uncounted:
		return nil
	default:
		if p.isMain() {
			c := p.run.counter(v, q)
			if err := c.size(ctx); err != nil {
				return err
			}
			if page, err := c.isPage(ctx); err != nil || page {
				return err // more than are counted for a page
			}
		}
		var err error
		if all, err = v.Count(ctx, p.ready.From.SQL.Count(q)); err != nil {
			return err
		}
	}
	p.told.Records = &all
	return nil
}

// failed says in the section's place why it is not there, or not whole.
func (p *part) failed(err error) {
	p.err = err
	of := p.section().Query.Of
	if !errors.Is(err, receipt.ErrSize) && !errors.Is(err, base.ErrTime) {
		err = p.run.runs.base.Failed(of, err)
	}
	p.told.Problem = err.Error()
	var refusal *base.Refusal
	switch {
	case errors.As(err, &refusal):
		p.told.Code, p.told.Problem = refusal.Faults[0].Code, refusal.Faults[0].Sentence()
	case errors.Is(err, base.ErrTime):
		p.told.Code = fault.CutByTime
	case errors.Is(err, receipt.ErrSize):
		p.told.Code = fault.CutBySize
	default:
		p.told.Code = fault.SourceFailed
	}
	p.err = err
}

// ends tells, once the rows are there, what they are.
func (p *part) ends() {
	if p.got != nil && p.got.fingerprint != nil && p.got.whole && p.err == nil {
		p.told.Fingerprint = p.got.fingerprint.Sum()
	}
	if p.section().Query.Of == p.run.ready.Bound.Section.Query.Of {
		return // the receipt tells the notes of its records
	}
	for _, n := range p.ready.Notes {
		p.told.Notes = append(p.told.Notes, n.Says)
	}
}

// tail is what stands behind the rows of the section: how they were come by is told by the receipt.
func (p *part) tail() ([]byte, error) {
	told := p.told
	told.SQL, told.Values, told.TookMS = "", nil, 0
	told.Compare = slices.Clone(told.Compare)
	for i := range told.Compare {
		told.Compare[i].SQL, told.Compare[i].Values = "", nil
	}
	return json.Marshal(&told)
}

// toldOf is a statement with its values, as they are on the receipt; nothing for a reader where it would
// tell them what limits the records that are there for them.
func (p *part) toldOf(s compile.Statement) (string, []string) {
	if p.section().Query.Of.IsLimited() && p.run.receipt.Role == base.Reader {
		return "", nil
	}
	return s.SQL, answer.BoundTo(s)
}

// head is what stands before them.
func (p *part) head() export.Head { return HeadOf(p.told.Section, p.section(), p.run.Zone) }

// HeadOf is what stands before the rows of the section of some number.
func HeadOf(number int, s *catalog.Section, zone *time.Location) export.Head {
	h := export.Head{Section: number, Kind: string(s.Kind), Query: s.From.Name, Label: labelOf(s), Columns: export.Columns(s.Shown(), zone)}
	if s.Kind == catalog.Chart {
		h.Chart = chartOf(s)
	}
	return h
}

// chartOf says how a chart is drawn.
func chartOf(s *catalog.Section) *export.Chart {
	spec, d := s.Query.Summary, s.Drawn
	c := &export.Chart{Kind: string(d.As), Across: spec.Groups[d.Across].Shown.Name, By: string(spec.Groups[d.Across].By), Up: spec.Figures[0].Shown.Name, Stacked: d.Stacked, AddsUp: spec.Figures[0].Kind.AddsUp()}
	if d.Split >= 0 {
		c.Split = spec.Groups[d.Split].Shown.Name
	}
	if p := narrowing(s, spec.Groups[d.Across]); p != nil {
		c.Prompt = p.Name
	}
	for i, with := range s.Compare {
		c.Compare = append(c.Compare, export.Other{With: string(with), Up: s.Shown()[len(spec.Groups)+1+i].Name})
	}
	return c
}

// narrowing is the prompt that an answer to narrows a section to one group: a period that the group's
// dates are to lie in, or choices that its values are to be among; nil where there is none.
func narrowing(s *catalog.Section, g summary.Group) (found *prompt.Prompt) {
	s.Criteria().Walk(func(c *criteria.Node) {
		p := c.Operand.Prompt
		switch {
		case found != nil || p == nil || !p.IsAsked() || c.Column != g.Of || c.Operand.Side != "":
		case c.Op == criteria.Within && p.Type == prompt.Period && g.By.Unit() != civil.NoUnit,
			(c.Op == criteria.AnyOf || c.Op == criteria.Is) && p.Type == prompt.Choice && g.By == summary.Values:
			found = p
		}
	})
	return found
}

// takes takes what was told of the main section for what the receipt says.
func (r *Run) takes(told *receipt.Section) {
	t := &r.receipt
	t.SQL, t.Values, t.Rows, t.Records, t.Groups = told.SQL, told.Values, told.Rows, told.Records, told.Groups
	t.LeftOut, t.Totals, t.Subtotals = told.LeftOut, told.Totals, told.Subtotals
}

// several reports whether all sections are wanted, in a form that has them all.
func (r *Run) several() bool { return r.request.Section == 0 && !r.ready.Bound.Report.IsOneTable() }
