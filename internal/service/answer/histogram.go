package answer

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
	"pikegate/internal/service/base"
	"pikegate/internal/source"
)

// Histogram counts the records of a report's dataset by month, for the days that a
// prompt asks for; or, given a month as yyyy-MM, by its days.
func (s *Answers) Histogram(ctx context.Context, name, of, month string) (*Histogram, error) {
	report, err := s.base.Report(ctx, name)
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
		return nil, &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownPrompt, "no prompt %q in the report %q", english.Shorten(of), name)}}
	}
	var days civil.Period
	if month != "" {
		first, ok := civil.ParseDay(month + "-01")
		if !ok {
			return nil, &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{fault.New(fault.NotAMonth, "%q is not a month; write it like 2026-03", english.Shorten(month))}}
		}
		days = civil.Period{First: first, Last: first.Month().Last()}
	}
	key := histogramOf{s.base.Changed.Load(), name, of, month}
	if known, ok := s.histograms.Get(key); ok && s.base.Config().Now().Sub(known.at) < histogramAge {
		return known.Histogram, nil
	}
	histogram, err := s.histogram(ctx, report, asked, days)
	if err != nil {
		return nil, err
	}
	s.histograms.Put(key, knownHistogram{histogram, s.base.Config().Now()})
	return histogram, nil
}

// histogram counts by the days of a period, or where it is open by units of all the data.
//
// Its steps share the units that they fill.
func (s *Answers) histogram(ctx context.Context, report *catalog.Report, asked *prompt.Prompt, days civil.Period) (*Histogram, error) {
	unit := civil.Days
	histogram := &Histogram{Unit: unit.String(), Units: []Count{}}
	var column *column.Column
	var of *catalog.Dataset
	report.Walk(func(on *catalog.Dataset, n *criteria.Node) {
		if n.Operand.Prompt == asked && n.Column.Type.IsDated() && column == nil {
			of, column = on, n.Column
		}
	})
	if column == nil || len(of.Prompts) > 0 { // which records it has depends on the answers
		return histogram, nil
	}
	histogram.Column = column.Label
	if !days.IsClosed() {
		var err error
		if days, err = s.daysIn(ctx, of, column); err != nil || !days.IsClosed() {
			return histogram, err
		}
		unit = civil.Months
		for _, longer := range []civil.Unit{civil.Quarters, civil.Years} {
			if int(days.Last.Month()-days.First.Month())/unit.Months() >= mostUnits {
				unit = longer
			}
		}
	}
	histogram.Unit = unit.String()
	var starts []civil.Day
	for period, ok := unit.Around(days.First, 0, time.January); ok && period.First <= days.Last; period, ok = unit.Around(period.First, 1, time.January) {
		starts = append(starts, period.First)
		histogram.Units = append(histogram.Units, Count{Phrase: unit.Name(period.First), First: period.First, Last: period.Last, Spelled: period.Spelled()})
	}
	end, ok := histogram.Units[len(starts)-1].Last.Next()
	if !ok {
		end = civil.MaxDay
	}
	p, err := s.readyAlone(ctx, of)
	if err != nil {
		return nil, err
	}
	err = p.looking(ctx, func(ctx context.Context, v source.View) error {
		counted, err := p.counted(ctx, v, column)
		if err != nil {
			return err
		}
		if counted != nil {
			s.fromCalendar(ctx, counted, append(starts, end), histogram)
			return nil
		}
		q := p.Bound.Counting(p.Bound.Own)
		if q.Extents, err = base.ExtentsOf(ctx, v, p.From.SQL, q); err != nil {
			return err
		}
		return v.Rows(ctx, p.From.SQL.ByUnit(q, column, append(starts, end)), func(row []value.Value) error {
			i, _ := row[0].Int()
			histogram.Units[i].Records, _ = row[1].Int()
			return nil
		})
	})
	return histogram, err
}

// readyAlone is all the records of a dataset that asks nothing.
func (s *Answers) readyAlone(ctx context.Context, of *catalog.Dataset) (*Ready, error) {
	return s.ReadyFor(ctx, (&catalog.Query{Of: of}).Alone(), Request{})
}

// Histogram is how many records there are in each month of the data that a prompt asks
// about; in each quarter or year where there would be too many months; or on each day of
// one month.
type Histogram struct {
	Column string  `json:"column" doc:"Label of the column that the days are those of; empty where no condition compares one."`
	Unit   string  `json:"unit" enum:"day,month,quarter,year" doc:"What is counted by."`
	Units  []Count `json:"units" doc:"In order of time, without gaps."`
	// Of a large table the records are counted in the background.
	CountedAt *time.Time `json:"counted_at,omitempty" doc:"When they were counted, where that was not just now; the oldest count in them."`
	Counting  bool       `json:"counting,omitempty" doc:"Whether they are being counted for the first time, so that there are none yet."`
}

// Count is how many records a calendar unit has.
type Count struct {
	Phrase  string    `json:"phrase" doc:"What an answer gives."`
	First   civil.Day `json:"first" doc:"First day, included."`
	Last    civil.Day `json:"last" doc:"Last day, included."`
	Spelled string    `json:"spelled" doc:"The same, so that nobody can misread it."`
	Records int64     `json:"records" doc:"How many records it has."`
}

// mostUnits is how many units a histogram has at most, as long as years are long enough.
const mostUnits = 120

// histogramAge is how long the counts of a histogram are believed, unless a load or a
// new definition comes first.
const histogramAge = time.Minute

type histogramOf struct {
	changed               int64 // how often what is published or its data had changed
	report, prompt, month string
}

type knownHistogram struct {
	*Histogram
	at time.Time
}
