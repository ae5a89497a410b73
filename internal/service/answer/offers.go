package answer

import (
	"context"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/prompt"
)

// dataOf is the run of days, from first to last, of the data that a prompt asks
// about: of the columns that the report compares with its answer. It is open where
// there are none.
func (s *Answers) dataOf(ctx context.Context, r *catalog.Report, p *prompt.Prompt) (civil.Period, error) {
	var data civil.Period
	var failed error
	r.Walk(func(of *catalog.Dataset, n *criteria.Node) {
		if n.Operand.Prompt != p || failed != nil {
			return
		}
		days, err := s.daysIn(ctx, of, n.Column)
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

// daysIn is the first and the last day of a column: of a large table that no index leads to as
// they were counted, else as they were within the last minute.
func (s *Answers) daysIn(ctx context.Context, of *catalog.Dataset, c *column.Column) (civil.Period, error) {
	if days, ok := s.reachOf(ctx, of, c); ok {
		return days, nil
	}
	return s.base.DaysIn(ctx, of, c)
}

// ReportOn finds a report and works out its offers on the as-of day. Months,
// quarters and years to pick from are those that the data have; where the source
// does not answer there are none.
func (s *Answers) ReportOn(ctx context.Context, name, asOf string) (*ReportOn, error) {
	report, err := s.base.Report(ctx, name)
	if err != nil {
		return nil, err
	}
	setting, err := s.settingFor(ctx, report, asOf)
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
			s.base.Log.WarnContext(ctx, "nothing to pick from: the source did not answer",
				"report", name, "prompt", p.Name, "error", err)
		}
		on.Units[p.Name] = p.Units(data, setting)
	}
	return on, nil
}

// ReportOn is a report with what it offers on an as-of day.
type ReportOn struct {
	*catalog.Report
	AsOf   civil.Day
	Offers map[string][]prompt.OfferedPeriod // by prompt
	Units  map[string][]prompt.OfferedPeriod // months, quarters and years to pick from, by prompt
}
