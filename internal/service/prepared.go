package service

import (
	"context"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/readback"
	"pikegate/internal/source"
)

// bound is a report with the answers of a run in place.
type bound struct {
	report  *catalog.Report
	setting phrase.Setting
	answers prompt.Answers
	own     *criteria.Bound   // the criteria of the dataset itself
	parts   []*criteria.Bound // those of the query and of the report
	dropped []criteria.Dropped
	values  map[int]compile.Values
}

// bind puts answers that were checked in place.
func bind(r *catalog.Report, answers prompt.Answers, who Person, setting phrase.Setting) bound {
	b := bound{report: r, setting: setting, answers: answers, values: values(r.Table.Of, answers)}
	for i, part := range r.Parts() {
		where, dropped := criteria.Bind(part, answers, attributes(who), setting)
		if b.dropped = append(b.dropped, dropped...); i == 0 {
			b.own = where
		} else {
			b.parts = append(b.parts, where)
		}
	}
	return b
}

// clock is the time that days are taken in.
func (b bound) clock() criteria.Clock {
	from := b.report.Table.Of.Source
	return criteria.Clock{Name: from.Clock, Zone: from.Zone}
}

// where are all the criteria, nil for none.
func (b bound) where() *criteria.Bound {
	return criteria.AllOf(append([]*criteria.Bound{b.own}, b.parts...)...)
}

// counting is a query of the records of the dataset that the criteria hold for.
func (b bound) counting(where *criteria.Bound) compile.Query {
	return compile.Query{Values: b.values, Where: where, Zone: b.report.Table.Of.Source.Zone}
}

func (b bound) said() readback.Sentence {
	of := b.report.Table.Of
	return readback.Say(readback.Subject{Title: of.Title, Given: given(of, b.answers)}, b.where(), b.dropped, b.report.Table.Sort, b.clock())
}

// attributes are what conditions can compare with of a person.
func attributes(p Person) criteria.Person {
	return criteria.Person{criteria.PersonName: p.Name, criteria.PersonRole: p.Role}
}

// prepared is a report with answers that passed, and where its records are.
type prepared struct {
	bound   bound
	service *Service
	from    *relation
	who     Person // that conditions on the person go by
	notes   []note
}

// query is the query of the records in their order, the key among the columns.
func (p *prepared) query() compile.Query {
	table := p.bound.report.Table
	q := p.bound.counting(p.bound.where())
	q.Show, q.Sort, q.Key = table.Show, table.Sort, table.Of.Key
	q.Ties = p.from.ties
	return q
}

// ready checks the answers to a report, for what is not a run.
func (s *Service) ready(ctx context.Context, name string, req Request) (*prepared, error) {
	report, err := s.Report(name)
	if err != nil {
		return nil, err
	}
	return s.readyOf(ctx, report, req)
}

// readyOf is ready for a report at hand. Where it fails, what it got to know is in
// the result all the same: the setting, and the answers as far as they were read.
func (s *Service) readyOf(ctx context.Context, report *catalog.Report, req Request) (*prepared, error) {
	p := &prepared{service: s, bound: bound{report: report}, who: PersonOf(ctx)}
	var err error
	if p.bound.setting, err = s.settingFor(report, req.AsOf); err != nil {
		return p, err
	}
	if req.with != nil {
		p.bound.setting.Seasons = req.with.Seasons
	}
	p.bound.setting = req.then.on(p.bound.setting)
	var refused fault.List
	if p.bound.answers, refused, err = s.check(ctx, report, req.Answers, p.bound.setting); err != nil {
		return p, err
	}
	if len(refused) > 0 {
		return p, &Refusal{Kind: AnswersRefused, Faults: refused}
	}
	if p.from, err = s.relation(ctx, report.Table.Of); err != nil {
		return p, err
	}
	if f := p.misfitting(); f != nil {
		return p, &Refusal{Kind: DefinitionInError, Faults: fault.List{f}}
	}
	p.bound = bind(report, p.bound.answers, p.who, p.bound.setting)
	return p, nil
}

// misfitting finds a column that conditions look at and that the dataset is wrong about;
// where only some values do not fit, that is noted.
func (p *prepared) misfitting() *fault.Fault {
	used := map[string]bool{}
	p.notes = nil
	p.bound.report.Criteria().Walk(func(n *criteria.Node) {
		for _, c := range []*column.Column{n.Column, n.Operand.Column} {
			if c != nil {
				used[c.Name] = true
			}
		}
	})
	for _, fit := range p.from.fits {
		f := misfit(fit)
		switch {
		case f == nil || !used[fit.Column.Name]:
		case f.Warning:
			p.notes = append(p.notes, note{fit.Column, f.Message})
		default:
			f.Message = "dataset " + p.bound.report.Table.Of.Root().Name + ": " + f.Message
			return f
		}
	}
	return nil
}

// note is what whoever reads a result should know before reading it.
type note struct {
	of   *column.Column // nil for none
	says string
}

// looking hands a snapshot of the records to use, for as long as evidence may take.
func (p *prepared) looking(ctx context.Context, use func(context.Context, source.View) error) error {
	if err := p.service.look(ctx, p.from.source, p.service.config.EvidenceTime, use); err != nil {
		return p.service.failed(p.bound.report.Table.Of, err)
	}
	return nil
}
