package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
	"pikegate/internal/export"
	"pikegate/internal/source"
)

// Request is what a run is asked for with.
type Request struct {
	Answers map[string]prompt.Entered
	AsOf    string // any form of a day; "" for today
	Limit   int    // most rows; 0 for all
	Skip    int    // rows to leave out first
	// Uncounted leaves it open how many records match beyond the rows of a Limit.
	Uncounted bool
}

// Understood is an answer as it was understood, for people and programs.
type Understood struct {
	Prompt  string          `json:"prompt" doc:"Name of the prompt."`
	Entered prompt.Entered  `json:"entered" doc:"The answer as it was given; the default where none was."`
	Default bool            `json:"default" doc:"Whether the default was taken."`
	Given   bool            `json:"given" doc:"Whether there is an answer; false where it was left open."`
	Spelled string          `json:"spelled" doc:"What was understood, so that nobody can misread it."`
	First   *civil.Day      `json:"first,omitempty" doc:"First day, included; absent where that side is open."`
	Last    *civil.Day      `json:"last,omitempty" doc:"Last day, included; absent where that side is open."`
	From    string          `json:"first_spelled,omitempty" doc:"The first day or moment, so that nobody can misread it; of a refused answer too, where it could be read."`
	Through string          `json:"last_spelled,omitempty" doc:"The last day or moment, likewise."`
	Days    int             `json:"days,omitempty" doc:"Number of days, where both sides are set."`
	Dates   []civil.Day     `json:"dates,omitempty" doc:"Single days, in order of time."`
	Start   string          `json:"first_instant,omitempty" doc:"Start of the first moment, RFC 3339 with the zone's offset; absent where that side is open."`
	End     string          `json:"last_instant,omitempty" doc:"Start of the last moment, likewise; the moment is included."`
	Until   string          `json:"until_instant,omitempty" doc:"End of the last moment, likewise, excluded."`
	Times   *Times          `json:"times,omitempty" doc:"A part of the day."`
	Derived string          `json:"derived,omitempty" doc:"What the answer was worked out from, for a prompt that is not asked."`
	Number  string          `json:"number,omitempty" doc:"The number."`
	Least   string          `json:"least,omitempty" doc:"The least of a range of numbers, included; absent where that side is open."`
	Most    string          `json:"most,omitempty" doc:"The greatest of a range of numbers, included; absent where that side is open."`
	Text    string          `json:"text,omitempty" doc:"The text."`
	Truth   *bool           `json:"truth,omitempty" doc:"Yes or no."`
	Choices []prompt.Option `json:"choices,omitempty" doc:"The choices, in the order in which they were given."`
	Notes   []string        `json:"notes,omitempty" doc:"What one should know of how it was read."`
}

// Times is a part of the day by the clock, both ends included; where the last is
// before the first it is on the day after.
type Times struct {
	First string `json:"first" doc:"First time of day, included: HH:MM or HH:MM:SS."`
	Last  string `json:"last" doc:"Last minute or second, included."`
}

func understood(a *prompt.Answer) Understood {
	u := Understood{Prompt: a.Prompt.Name, Entered: a.Entered, Default: a.Default, Given: a.Given, Spelled: a.Spelled(), Notes: a.Notes}
	if p := a.Prompt; p.Derived != "" {
		u.Derived = string(p.Derived) + " " + p.Base.Name
	}
	u.From, u.Through = a.Ends()
	if !a.Given {
		return u
	}
	switch a.Prompt.Type {
	default:
		u.Days = a.Period.Days()
		u.First, u.Last = a.Period.Ends()
	case prompt.Days:
		u.Dates = a.Days
	case prompt.Moment, prompt.MomentPeriod:
		if m := a.Moments.First; m.IsValid() {
			u.Start = m.Time(a.Zone).Format(time.RFC3339)
		}
		if m := a.Moments.Last; m.IsValid() {
			u.End = m.Time(a.Zone).Format(time.RFC3339)
			u.Until = time.Unix(m.End(), 0).In(a.Zone).Format(time.RFC3339)
		}
	case prompt.TimeRange:
		u.Times = &Times{First: a.Times.First(), Last: a.Times.Last()}
	case prompt.Number:
		u.Number = a.Number.String()
	case prompt.NumberRange:
		if a.Lower != nil {
			u.Least = a.Lower.String()
		}
		if a.Upper != nil {
			u.Most = a.Upper.String()
		}
	case prompt.Text:
		u.Text = a.Text
	case prompt.YesNo:
		u.Truth = &a.Truth
	case prompt.Choice:
		u.Choices = a.Choices
	}
	return u
}

// Reading is how answers are understood on an as-of day, and what is wrong
// with them.
type Reading struct {
	AsOf    civil.Day
	Answers []Understood
	Refused fault.List
}

// Understand reads answers without running anything. Refused answers are part
// of the result and no error.
func (s *Service) Understand(ctx context.Context, name string, req Request) (*Reading, error) {
	report, err := s.Report(name)
	if err != nil {
		return nil, err
	}
	setting, err := s.settingFor(report, req.AsOf)
	if err != nil {
		return nil, err
	}
	answers, refused, err := s.check(ctx, report, req.Answers, setting)
	if err != nil {
		return nil, err
	}
	return &Reading{AsOf: setting.AsOf, Answers: inOrder(report, answers), Refused: refused}, nil
}

// settingFor is the setting of a run of the report as of a day, "" for today.
func (s *Service) settingFor(r *definition.Report, asOf string) (phrase.Setting, error) {
	zone := r.Table.Of.Source.Zone
	day, err := s.asOf(asOf, zone)
	return s.setting(day, zone), err
}

// check reads all answers, those to choices held to the data.
func (s *Service) check(ctx context.Context, r *definition.Report, entered map[string]prompt.Entered, setting phrase.Setting) (prompt.Answers, fault.List, error) {
	answers, refused := prompt.Check(r.Answered(), entered, setting)
	more, err := s.hold(ctx, r, answers, setting)
	return answers, append(refused, more...), err
}

func inOrder(r *definition.Report, answers prompt.Answers) []Understood {
	prompts := r.Answered()
	all := make([]Understood, len(prompts))
	for i, p := range prompts {
		all[i] = understood(answers[p.Name])
	}
	return all
}

// ReportOn is a report with what it offers on an as-of day.
type ReportOn struct {
	*definition.Report
	AsOf   civil.Day
	Offers map[string][]prompt.OfferedPeriod // by prompt
	Units  map[string][]prompt.OfferedPeriod // months, quarters and years to pick from, by prompt
}

// ReportOn finds a report and works out its offers on the as-of day. Months,
// quarters and years to pick from are those that the data have; where the source
// does not answer there are none.
func (s *Service) ReportOn(ctx context.Context, name, asOf string) (*ReportOn, error) {
	report, err := s.Report(name)
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

// Receipt is the record of a run.
type Receipt struct {
	Report    string           `json:"report" doc:"Name of the report."`
	Title     string           `json:"title" doc:"Its title."`
	Person    string           `json:"person" doc:"Who ran it."`
	AsOf      civil.Day        `json:"as_of" doc:"The day taken for today."`
	Zone      string           `json:"zone" doc:"IANA zone that days were taken in."`
	Clock     string           `json:"clock" doc:"What people call that zone's time."`
	Answers   []Understood     `json:"answers" doc:"The answers, as entered and as understood."`
	ReadBack  string           `json:"read_back" doc:"What ran, in a sentence."`
	Pieces    []criteria.Piece `json:"read_back_pieces" doc:"The same sentence with its values set off."`
	State     State            `json:"state" enum:"rows,no_rows" doc:"Whether records came back."`
	Rows      int              `json:"rows" doc:"How many rows this result holds."`
	Records   *int64           `json:"records,omitempty" doc:"How many records match in all; absent where that was not asked for and is not known from the rows."`
	StartedAt time.Time        `json:"started_at" doc:"When the run started."`
	TookMS    float64          `json:"took_ms" doc:"How long it took, in milliseconds."`
}

// State tells how a run ended.
type State string

const (
	Rows   State = "rows"
	NoRows State = "no_rows"
)

// Run is a report whose answers were checked: it only has to be streamed.
type Run struct {
	Columns []*record.Column
	Zone    *time.Location

	service *Service
	of      *definition.Dataset
	from    *relation
	query   compile.Query
	receipt Receipt

	uncounted bool
}

// attributes are what conditions can compare with of a person.
func attributes(p Person) criteria.Person {
	return criteria.Person{criteria.PersonName: p.Name, criteria.PersonRole: p.Role}
}

// Prepare checks the answers of a run and compiles its query. Nothing has been
// read yet.
func (s *Service) Prepare(ctx context.Context, name string, req Request) (*Run, error) {
	report, err := s.Report(name)
	if err != nil {
		return nil, err
	}
	table := report.Table
	from := table.Of.Source
	setting, err := s.settingFor(report, req.AsOf)
	if err != nil {
		return nil, err
	}
	answers, refused, err := s.check(ctx, report, req.Answers, setting)
	if err != nil {
		return nil, err
	}
	if len(refused) > 0 {
		return nil, &Refusal{Kind: AnswersRefused, Faults: refused}
	}
	relation, err := s.relation(ctx, table.Of)
	if err != nil {
		return nil, err
	}
	where, dropped := criteria.Bind(report.Criteria(), answers, attributes(PersonOf(ctx)), setting)
	said := criteria.Say(criteria.Subject{Title: table.Of.Title, Given: given(table.Of, answers)}, where, dropped, table.Sort, criteria.Clock{Name: from.Clock, Zone: from.Zone})
	return &Run{
		Columns: table.Show,
		Zone:    from.Zone,
		service: s,
		of:      table.Of,
		from:    relation,
		query: compile.Query{Values: values(table.Of, answers), Show: table.Show, Where: where, Sort: table.Sort, Key: table.Of.Key,
			Zone: from.Zone, Limit: req.Limit, Skip: req.Skip},
		uncounted: req.Uncounted,
		receipt: Receipt{Report: name, Title: report.Title, Person: PersonOf(ctx).Name, AsOf: setting.AsOf, Zone: from.Zone.String(), Clock: from.Clock,
			Answers: inOrder(report, answers), ReadBack: said.String(), Pieces: said},
	}, nil
}

// ErrTime is the cause where a run took longer than it may.
var ErrTime = errors.New("the run took longer than it may")

// ErrSize is the cause where a result has more rows than its source allows.
var ErrSize = errors.New("the result has more rows than its source allows")

// SourceError is a source that did not answer, or not with what was asked.
type SourceError struct {
	Source string
	Err    error
}

func (e *SourceError) Error() string { return fmt.Sprintf("source %s: %s", e.Source, e.Err) }

func (e *SourceError) Unwrap() error { return e.Err }

// Stream reads the records and writes them to w, which is begun only when the
// first record is there or it is known that there is none. Where it returns an
// error the result is not whole.
func (r *Run) Stream(ctx context.Context, w export.Writer) (*Receipt, error) {
	limit := r.service.config.RunTime
	if own := r.of.Source.At.Time; own > 0 {
		limit = min(limit, own)
	}
	leave, err := r.from.Enter(ctx, r.receipt.Person)
	if err != nil {
		return nil, r.service.failed(r.of, err)
	}
	defer leave()
	ctx, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("%w: %s", ErrTime, limit))
	defer cancel()
	receipt := r.receipt
	receipt.StartedAt = r.service.config.Now().UTC()
	start := time.Now()
	most := -1 // the number of the first row that is one too many
	if n := r.of.Source.At.Rows; n > 0 {
		most = n + 1
	}
	var unsent error // what w failed with: the one who reads is gone
	err = r.from.View(ctx, func(v source.View) error {
		extents, err := extentsOf(ctx, v, r.from.sql, r.query)
		if err != nil {
			return err
		}
		r.query.Extents = extents
		err = v.Rows(ctx, r.from.sql.Select(r.query), func(row []record.Value) error {
			if receipt.Rows == 0 {
				if unsent = w.Begin(); unsent != nil {
					return unsent
				}
			}
			if receipt.Rows++; receipt.Rows == most {
				return fmt.Errorf("%w: %d", ErrSize, most-1)
			}
			unsent = w.Row(row)
			return unsent
		})
		if err != nil {
			return err
		}
		all := int64(r.query.Skip + receipt.Rows)
		switch {
		case r.query.Limit == 0, receipt.Rows < r.query.Limit && (receipt.Rows > 0 || r.query.Skip == 0):
		case r.uncounted:
			return nil
		default:
			all, err = v.Count(ctx, r.from.sql.Count(r.query))
		}
		receipt.Records = &all
		return err
	})
	switch {
	case err == nil:
	case ctx.Err() != nil:
		return nil, context.Cause(ctx)
	case unsent != nil:
		return nil, unsent
	case errors.Is(err, ErrSize):
		return nil, err
	default:
		return nil, r.service.failed(r.of, err)
	}
	if receipt.Rows == 0 {
		if err := w.Begin(); err != nil {
			return nil, err
		}
	}
	receipt.State = Rows
	if receipt.Rows == 0 && (receipt.Records == nil || *receipt.Records == 0) {
		receipt.State = NoRows
	}
	receipt.TookMS = float64(time.Since(start).Microseconds()) / 1000
	text, err := json.Marshal(receipt)
	if err != nil {
		return nil, err
	}
	return &receipt, w.End(text)
}
