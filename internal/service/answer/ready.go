package answer

import (
	"context"
	"fmt"
	"strings"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
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
	report, err := s.base.Report(ctx, name)
	if err != nil {
		return nil, err
	}
	return s.ReadyFor(ctx, report, req)
}

// ReadyFor is ready for a report at hand. Where it fails, what it got to know is in
// the result all the same: the setting, and the answers as far as they were read.
func (s *Answers) ReadyFor(ctx context.Context, report *catalog.Report, req Request) (*Ready, error) {
	own := s.base.For(ctx, report)
	if own == nil {
		return &Ready{Answers: s, Bound: Bound{Report: report, Section: report.Main()}}, s.base.NoReport(ctx, report.Name)
	}
	report = own
	p := &Ready{Answers: s, Bound: Bound{Report: report, Section: report.Main()}}
	section, err := SectionOf(report, req.Section)
	if err != nil {
		return p, err
	}
	if !req.View.IsEmpty() {
		p.Published = section
		if report, section, err = viewed(report, section, req.View); err != nil {
			return p, err
		}
		p.Bound.Report = report
	}
	if p.Bound.Setting, err = s.settingFor(ctx, report, req.AsOf); err != nil {
		return p, err
	}
	p.Bound.Setting = req.Then.On(p.Bound.Setting)
	var refused fault.List
	if p.Bound.Answers, refused, err = s.Check(ctx, report, req.Answers, p.Bound.Setting); err != nil {
		return p, err
	}
	if len(refused) > 0 {
		return p, &base.Refusal{Kind: fault.AnswersRefused, Faults: refused}
	}
	return p, p.on(ctx, section)
}

// on makes ready for a section of the report.
func (p *Ready) on(ctx context.Context, section *catalog.Section) (err error) {
	p.Bound.Section = section
	if p.From, err = p.Answers.base.Relation(ctx, section.Query.Of); err != nil {
		return err
	}
	if f := p.misfitting(); f != nil {
		return &base.Refusal{Kind: fault.DefinitionInError, Faults: fault.List{f}}
	}
	p.Bound = Bind(p.Bound.Report, section, p.Bound.Answers, p.Bound.Setting)
	return nil
}

// For is the report ready for another section, with the same answers.
func (p *Ready) For(ctx context.Context, section *catalog.Section) (*Ready, error) {
	other := &Ready{Answers: p.Answers, Bound: p.Bound}
	return other, other.on(ctx, section)
}

// With is the report ready for the same section with other answers, which were worked out from those
// that were checked.
func (p *Ready) With(section *catalog.Section, answers prompt.Answers) *Ready {
	other := *p
	other.Bound = Bind(p.Bound.Report, section, answers, p.Bound.Setting)
	return &other
}

// AsPublished is what is bound, without what a reader changed of it.
func (p *Ready) AsPublished() Bound {
	if p.Published == nil {
		return p.Bound
	}
	return p.With(p.Published, p.Bound.Answers).Bound
}

// OnlyTable chooses, in place of a number, the only table of a report.
const OnlyTable = -1

// SectionOf is the section of a report of some number, from 1; the main one for 0.
func SectionOf(r *catalog.Report, number int) (*catalog.Section, error) {
	refuse := func(code fault.Code, format string, args ...any) error {
		return &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(code, format, args...)}}
	}
	switch {
	case number == 0:
		return r.Main(), nil
	case number > len(r.Sections):
		return nil, refuse(fault.UnknownSection, "the report has %s, and no section %d", english.Count(len(r.Sections), "section"), number)
	case number > 0:
		return r.Sections[number-1], nil
	}
	var tables []*catalog.Section
	var numbers []string
	for i, s := range r.Sections {
		numbers = append(numbers, fmt.Sprintf("%d %s", i+1, s.Kind))
		if s.Kind == catalog.Table {
			tables = append(tables, s)
		}
	}
	if len(tables) != 1 {
		f := fault.New(fault.SectionNotChosen, "this format has room for one section, and the report has %s (%s); choose one by its number", english.Count(len(tables), "table"), strings.Join(numbers, ", "))
		return nil, &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{f.Suggest("section=1")}}
	}
	return tables[0], nil
}

// Bound is a section of a report with the answers of a run in place.
type Bound struct {
	Report  *catalog.Report
	Section *catalog.Section
	Setting phrase.Setting
	Answers prompt.Answers
	Own     *criteria.Bound   // the criteria of the dataset itself
	Parts   []*criteria.Bound // those of the query and of the report
	Having  *criteria.Bound   // the conditions on the figures of a summary
	dropped []criteria.Dropped
	Values  map[int]compile.Values
}

// Bind puts answers that were checked in place.
func Bind(r *catalog.Report, section *catalog.Section, answers prompt.Answers, setting phrase.Setting) Bound {
	b := Bound{Report: r, Section: section, Setting: setting, Answers: answers, Values: values(section.Query.Of, answers)}
	for i, part := range section.Parts() {
		where, dropped := criteria.Bind(part, answers, setting)
		if b.dropped = append(b.dropped, dropped...); i == 0 {
			b.Own = where
		} else {
			b.Parts = append(b.Parts, where)
		}
	}
	if s := section.Query.Summary; s != nil {
		var dropped []criteria.Dropped
		b.Having, dropped = criteria.Bind(s.Having, answers, setting)
		b.dropped = append(b.dropped, dropped...)
	}
	return b
}

// Plan is how the evidence is counted.
func (b Bound) Plan() evidence.Plan {
	if b.Section.Query.Summary != nil {
		return evidence.PlanOf(b.Parts, nil, nil)
	}
	return evidence.PlanOf(b.Parts, b.Section.Query.Sort, b.Section.Query.Show)
}

// Clock is the time that days are taken in.
func (b Bound) Clock() criteria.Clock {
	from := b.Section.Query.Of.Source
	return criteria.Clock{Name: from.Clock, Zone: from.Zone}
}

// ZoneOf is the zone in which the seconds of a column's dates have their day: those of
// days and wall times are as if UTC.
func (b Bound) ZoneOf(of *column.Column) *time.Location {
	if of.Type == column.Instant {
		return b.Section.Query.Of.Source.Zone
	}
	return time.UTC
}

// Where are all the criteria, nil for none.
func (b Bound) Where() *criteria.Bound {
	return criteria.AllOf(append([]*criteria.Bound{b.Own}, b.Parts...)...)
}

// Counting is a query of the records of the dataset that the criteria hold for.
func (b Bound) Counting(where *criteria.Bound) compile.Query {
	return compile.Query{Values: b.Values, Where: where, Zone: b.Section.Query.Of.Source.Zone}
}

// Said is the read-back: what runs, in a sentence.
func (b Bound) Said() readback.Sentence {
	of := b.Section.Query.Of
	return readback.Say(readback.Subject{Title: of.Title, For: b.forWhom(), Given: given(of, b.Answers), Summed: b.Section.Query.Summary, Having: b.Having}, b.Where(), b.dropped, b.Section.Query.Sort, b.Clock())
}

// forWhom is the person whom only some of the records are there for, "" where all are.
func (b Bound) forWhom() string {
	if b.Section.Query.Of.IsLimited() {
		return b.Report.Personal.For
	}
	return ""
}

// Ready is a report with answers that passed, and where its records are.
type Ready struct {
	Bound   Bound
	Answers *Answers
	From    *base.Relation
	Notes   []Note
	// Published is the section as it is published, where a reader has a view of it; else nil.
	Published *catalog.Section
}

// Query is the query of the records: in their order, the key among the columns, where they are
// shown themselves.
func (p *Ready) Query() compile.Query {
	table := p.Bound.Section.Query
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
	p.Notes = p.personal()
	p.Bound.Section.Criteria().Walk(func(n *criteria.Node) {
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
			f.Message = "dataset " + p.Bound.Section.Query.Of.Root().Name + ": " + f.Message
			return f
		}
	}
	return nil
}

// personal notes what conditions ask of the person and is not set.
func (p *Ready) personal() []Note {
	of := p.Bound.Report.Personal
	if of == nil || len(of.Unset) == 0 {
		return nil
	}
	asked := english.Both(named(of.Unset))
	if p.Bound.Section.Query.Of.IsLimited() {
		return []Note{{Says: fmt.Sprintf("No records are there for %s: %s is not set for them. Ask an admin.", of.For, asked)}}
	}
	return []Note{{Says: fmt.Sprintf("Conditions on %s of whoever runs it hold nothing back here.", asked)}}
}

func named(attributes []criteria.Attribute) []string {
	names := make([]string, len(attributes))
	for i, a := range attributes {
		names[i] = string(a)
	}
	return names
}

// Note is what whoever reads a result should know before reading it.
type Note struct {
	Of   *column.Column // nil for none
	Says string
}

// looking hands a snapshot of the records to use, for as long as evidence may take.
func (p *Ready) looking(ctx context.Context, use func(context.Context, source.View) error) error {
	if err := p.Answers.base.Look(ctx, p.From.Source, p.Answers.base.Config().EvidenceTime, use); err != nil {
		return p.Answers.base.Failed(p.Bound.Section.Query.Of, err)
	}
	return nil
}
