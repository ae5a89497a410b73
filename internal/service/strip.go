package service

import (
	"context"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/value"
	"pikegate/internal/source"
)

// Strip is how many records there are in each month of the data that a prompt asks
// about; in each quarter or year where there would be too many months; or on each day of
// one month.
type Strip struct {
	Column string  `json:"column" doc:"Label of the column that the days are those of; empty where no condition compares one."`
	Unit   string  `json:"unit" enum:"day,month,quarter,year" doc:"What is counted by."`
	Units  []Count `json:"units" doc:"In order of time, without gaps."`
}

// Count is how many records a calendar unit has.
type Count struct {
	Phrase  string    `json:"phrase" doc:"What an answer gives."`
	First   civil.Day `json:"first" doc:"First day, included."`
	Last    civil.Day `json:"last" doc:"Last day, included."`
	Spelled string    `json:"spelled" doc:"The same, so that nobody can misread it."`
	Records int64     `json:"records" doc:"How many records it has."`
}

// mostUnits is how many units of a strip there are at most, as far as years go.
const mostUnits = 120

// stripAge is how long the counts of a strip are taken for true, unless a load or a
// new definition comes first.
const stripAge = time.Minute

type stripOf struct{ report, prompt, month string }

type knownStrip struct {
	*Strip
	at time.Time
}

// Strip counts the records of a report's dataset by month, for the days that a
// prompt asks for; or, given a month as yyyy-MM, by its days.
func (s *Service) Strip(ctx context.Context, name, of, month string) (*Strip, error) {
	report, err := s.Report(name)
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
		return nil, &Refusal{Kind: Unknown, Faults: fault.List{fault.New(prompt.UnknownPrompt, "no prompt %q in the report %q", english.Shorten(of), name)}}
	}
	var days civil.Period
	if month != "" {
		first, ok := civil.ParseDay(month + "-01")
		if !ok {
			return nil, &Refusal{Kind: AnswersRefused, Faults: fault.List{fault.New("not_a_month", "%q is not a month; write it like 2026-03", english.Shorten(month))}}
		}
		days = civil.Period{First: first, Last: first.Month().Last()}
	}
	published := s.published.Load()
	if known, ok := published.strips.get(stripOf{name, of, month}); ok && s.config.Now().Sub(known.at) < stripAge {
		return known.Strip, nil
	}
	strip, err := s.strip(ctx, report, asked, days)
	if err != nil {
		return nil, err
	}
	published.strips.put(stripOf{name, of, month}, knownStrip{strip, s.config.Now()})
	return strip, nil
}

// strip counts by the days of a period, or where it is open by units of all the data.
func (s *Service) strip(ctx context.Context, report *catalog.Report, asked *prompt.Prompt, days civil.Period) (*Strip, error) {
	unit := civil.Days
	strip := &Strip{Unit: unit.String(), Units: []Count{}}
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
		if days, err = s.daysIn(ctx, of, column); err != nil || !days.IsClosed() {
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
		q := p.bound.counting(p.bound.own)
		if q.Extents, err = extentsOf(ctx, v, p.from.sql, q); err != nil {
			return err
		}
		return v.Rows(ctx, p.from.sql.ByUnit(q, column, append(starts, end)), func(row []value.Value) error {
			i, _ := row[0].Int()
			strip.Units[i].Records, _ = row[1].Int()
			return nil
		})
	})
	return strip, err
}

// readyAlone is all the records of a dataset that asks nothing.
func (s *Service) readyAlone(ctx context.Context, of *catalog.Dataset) (*prepared, error) {
	return s.readyOf(ctx, (&catalog.Query{Of: of}).Alone(), Request{})
}
