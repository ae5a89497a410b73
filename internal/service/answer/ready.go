package answer

import (
	"context"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/readback"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
)

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
		return p, &base.Refusal{Kind: fault.AnswersRefused, Faults: refused}
	}
	if p.From, err = s.base.Relation(ctx, report.Table.Of); err != nil {
		return p, err
	}
	if f := p.misfitting(); f != nil {
		return p, &base.Refusal{Kind: fault.DefinitionInError, Faults: fault.List{f}}
	}
	p.Bound = Bind(report, p.Bound.Answers, p.Who, p.Bound.Setting)
	return p, nil
}

// Bound is a report with the answers of a run in place.
type Bound struct {
	Report  *catalog.Report
	Setting phrase.Setting
	Answers prompt.Answers
	Own     *criteria.Bound   // the criteria of the dataset itself
	Parts   []*criteria.Bound // those of the query and of the report
	Having  *criteria.Bound   // the conditions on the figures of a summary
	dropped []criteria.Dropped
	Values  map[int]compile.Values
}

// Bind puts answers that were checked in place.
func Bind(r *catalog.Report, answers prompt.Answers, who base.Person, setting phrase.Setting) Bound {
	b := Bound{Report: r, Setting: setting, Answers: answers, Values: values(r.Table.Of, answers)}
	for i, part := range r.Parts() {
		where, dropped := criteria.Bind(part, answers, attributes(who), setting)
		if b.dropped = append(b.dropped, dropped...); i == 0 {
			b.Own = where
		} else {
			b.Parts = append(b.Parts, where)
		}
	}
	if s := r.Table.Summary; s != nil {
		var dropped []criteria.Dropped
		b.Having, dropped = criteria.Bind(s.Having, answers, attributes(who), setting)
		b.dropped = append(b.dropped, dropped...)
	}
	return b
}

// Plan is how the evidence is counted.
func (b Bound) Plan() evidence.Plan {
	if b.Report.Table.Summary != nil {
		return evidence.PlanOf(b.Parts, nil, nil)
	}
	return evidence.PlanOf(b.Parts, b.Report.Table.Sort, b.Report.Table.Show)
}

// Clock is the time that days are taken in.
func (b Bound) Clock() criteria.Clock {
	from := b.Report.Table.Of.Source
	return criteria.Clock{Name: from.Clock, Zone: from.Zone}
}

// ZoneOf is the zone in which the seconds of a column's dates have their day: those of
// days and wall times are as if UTC.
func (b Bound) ZoneOf(of *column.Column) *time.Location {
	if of.Type == column.Instant {
		return b.Report.Table.Of.Source.Zone
	}
	return time.UTC
}

// Where are all the criteria, nil for none.
func (b Bound) Where() *criteria.Bound {
	return criteria.AllOf(append([]*criteria.Bound{b.Own}, b.Parts...)...)
}

// Counting is a query of the records of the dataset that the criteria hold for.
func (b Bound) Counting(where *criteria.Bound) compile.Query {
	return compile.Query{Values: b.Values, Where: where, Zone: b.Report.Table.Of.Source.Zone}
}

// Said is the read-back: what runs, in a sentence.
func (b Bound) Said() readback.Sentence {
	of := b.Report.Table.Of
	return readback.Say(readback.Subject{Title: of.Title, Given: given(of, b.Answers), Summed: b.Report.Table.Summary, Having: b.Having}, b.Where(), b.dropped, b.Report.Table.Sort, b.Clock())
}

// attributes are what conditions can compare with of a person.
func attributes(p base.Person) criteria.Person {
	return criteria.Person{criteria.PersonName: p.Name, criteria.PersonRole: p.Role}
}

// Ready is a report with answers that passed, and where its records are.
type Ready struct {
	Bound   Bound
	Answers *Answers
	From    *base.Relation
	Who     base.Person // that conditions on the person go by
	Notes   []Note
}

// Query is the query of the records: in their order, the key among the columns, where they are
// shown themselves.
func (p *Ready) Query() compile.Query {
	table := p.Bound.Report.Table
	q := p.Bound.Counting(p.Bound.Where())
	if table.Summary == nil {
		q.Show, q.Sort, q.Key, q.Ties = table.Show, table.Sort, table.Of.Key, p.From.Ties
		return q
	}
	for _, g := range table.Summary.Groups {
		if g.By.Comes() && g.Of.Type == column.Instant {
			q.Clocks = append(q.Clocks, g.Of)
		}
	}
	return q
}

// misfitting finds a column that conditions look at and that the dataset is wrong about;
// where only some values do not fit, that is noted.
func (p *Ready) misfitting() *fault.Fault {
	used := map[string]bool{}
	p.Notes = nil
	p.Bound.Report.Criteria().Walk(func(n *criteria.Node) {
		for _, c := range []*column.Column{n.Column, n.Operand.Column} {
			if c != nil {
				used[c.Name] = true
			}
		}
	})
	for _, fit := range p.From.Fits {
		f := base.Misfit(fit)
		switch {
		case f == nil || !used[fit.Column.Name]:
		case f.Warning:
			p.Notes = append(p.Notes, Note{fit.Column, f.Message})
		default:
			f.Message = "dataset " + p.Bound.Report.Table.Of.Root().Name + ": " + f.Message
			return f
		}
	}
	return nil
}

// Note is what whoever reads a result should know before reading it.
type Note struct {
	Of   *column.Column // nil for none
	Says string
}

// looking hands a snapshot of the records to use, for as long as evidence may take.
func (p *Ready) looking(ctx context.Context, use func(context.Context, source.View) error) error {
	if err := p.Answers.base.Look(ctx, p.From.Source, p.Answers.base.Config.EvidenceTime, use); err != nil {
		return p.Answers.base.Failed(p.Bound.Report.Table.Of, err)
	}
	return nil
}
