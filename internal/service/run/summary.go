package run

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/readback"
	"pikegate/internal/core/summary"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source"
)

// sumUp reads the groups of a summary, makes its rows of them and hands those on that are asked for.
func (p *part) sumUp(ctx context.Context, v source.View, q *compile.Query) error {
	s := p.section()
	spec := s.Query.Summary
	skip := q.Skip
	q.Limit, q.Skip = 0, 0 // which are of rows, and the query is of records
	summing, tally, err := counted(ctx, v, p.ready, *q)
	if err != nil {
		return err
	}
	p.told.SQL, p.told.Values = p.toldOf(summing.Statement)
	asked := summary.Asked{Names: summing.Names, Having: p.ready.Bound.Having, Order: s.Query.Sort}
	if asked.Beside, err = p.compared(ctx, v, summing); err != nil {
		return err
	}
	sums, err := tally.Table(asked)
	if err != nil {
		return tooMany(err)
	}
	groups := int64(len(sums.Rows))
	p.told.Groups, p.told.Records = &groups, &sums.Records
	p.leftOut(spec, sums)
	p.told.Totals = p.totalsOf(s.Shown(), sums.Total)
	p.partly(sums)
	p.told.Notes = append(p.told.Notes, p.alone(sums)...)
	if most := s.Query.Of.Source.At.Rows; most > 0 && len(sums.Rows) > most {
		return fmt.Errorf("%w: %d", receipt.ErrSize, most)
	}
	if s.Kind == catalog.Figure {
		if err := p.figure(ctx, v, sums.Rows[0]); err != nil {
			return err
		}
	}
	p.got.whole = true // what is not sent is digested all the same
	most := p.mostRows()
	for i, row := range sums.Rows {
		if i < skip || most > 0 && p.told.Rows == most {
			p.got.digest(row)
			continue
		}
		p.told.Rows++
		if err := p.got.add(row); err != nil {
			return err
		}
	}
	return p.got.begin() // where there was no row
}

// counted reads the groups of a summary, once more where a sum tells that something in it is no number.
func counted(ctx context.Context, v source.View, ready *answer.Ready, q compile.Query) (*answer.Summing, *summary.Tally, error) {
	summing, tally, err := countedOnce(ctx, v, ready, q)
	if errors.Is(err, compile.ErrDoubted) {
		q.Doubted = true
		summing, tally, err = countedOnce(ctx, v, ready, q)
	}
	return summing, tally, tooMany(err)
}

func countedOnce(ctx context.Context, v source.View, ready *answer.Ready, q compile.Query) (*answer.Summing, *summary.Tally, error) {
	summing, err := ready.Summing(ctx, v, q)
	if err != nil {
		return nil, nil, err
	}
	spec := ready.Bound.Section.Query.Summary
	tally := spec.Tally()
	if s := ready.Bound.Section; len(s.Compare) == 0 {
		tally.First(s.Query.Sort)
	}
	counting := ready.From.SQL.Counting(q, spec, summing.Units)
	err = v.Rows(ctx, summing.Statement, func(row []value.Value) error {
		group, err := counting.Group(row)
		if err != nil || summing.Out >= 0 && group.Keys[summing.Out].Unit == summary.Unreadable {
			return err
		}
		return tally.Add(group)
	})
	return summing, tally, err
}

// countedBeside reads the groups of what stands beside a section: another period, or its line.
func countedBeside(ctx context.Context, v source.View, ready *answer.Ready) (_ *answer.Summing, _ *summary.Tally, err error) {
	q := ready.Query()
	if q.Extents, err = base.ExtentsOf(ctx, v, ready.From.SQL, q); err != nil {
		return nil, nil, err
	}
	return counted(ctx, v, ready, q)
}

// tooMany is the refusal of a summary of too many rows; another error stays.
func tooMany(err error) error {
	if !errors.Is(err, summary.ErrTooMany) {
		return err
	}
	return &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{fault.New(fault.TooManyGroups, "the summary would have more than %s; ask for less, or have the report grouped by less", english.Count(summary.MostRows, "row")).Suggest("first: 100, rest: true")}}
}

// compared reads the summaries of the periods that the section is compared with.
func (p *part) compared(ctx context.Context, v source.View, here *answer.Summing) ([]summary.Beside, error) {
	var all []summary.Beside
	for _, d := range p.section().Compare {
		other := receipt.OtherPeriod{With: string(d)}
		ready := p.other(d, &other)
		beside := summary.Beside{Tally: p.section().Query.Summary.Tally(), Match: make([][]int, len(here.Units))}
		if ready == nil {
			for i := range beside.Match { // nothing stands beside anything
				beside.Match[i] = []int{}
			}
			p.told.Compare, all = append(p.told.Compare, other), append(all, beside)
			continue
		}
		summing, tally, err := countedBeside(ctx, v, ready)
		if err != nil {
			return nil, err
		}
		other.SQL, other.Values = p.toldOf(summing.Statement)
		beside.Tally = tally
		for i, units := range here.Units {
			if units != nil {
				beside.Match[i] = summary.Aligned(p.section().Query.Summary.Groups[i].By, units, summing.Units[i], d == prompt.YearBefore)
			}
		}
		p.told.Compare, all = append(p.told.Compare, other), append(all, beside)
	}
	return all, nil
}

// other is the section with the answer of another period; nil, with why, where there is none.
func (p *part) other(d prompt.Derivation, told *receipt.OtherPeriod) *answer.Ready {
	b := p.ready.Bound
	var asked *prompt.Prompt
	if period := b.Plan().Period; period != nil {
		asked = period.Asked
	}
	if asked == nil {
		told.Spelled = "There is nothing to compare with: no period is asked for."
		return nil
	}
	answer, f := b.Answers[asked.Name].Derived(d)
	if f != nil {
		told.Spelled = "There is nothing to compare with: the period is open, or what comes before it lies outside the calendar."
		return nil
	}
	told.First, told.Last = answer.Period.Ends()
	told.Spelled = answer.Period.Spelled()
	return p.ready.With(p.section(), b.Answers.Rederived(&answer))
}

// beside says which other periods stand beside the section.
func (p *part) beside() readback.Sentence {
	var periods, names []string
	for _, d := range p.section().Compare {
		other := receipt.OtherPeriod{}
		if p.other(d, &other); other.First != nil {
			periods, names = append(periods, other.Spelled), append(names, catalog.Compared(d))
		}
	}
	return readback.Compared(periods, names)
}

// alone says what of the other periods has nothing here that it could stand beside.
func (p *part) alone(sums *summary.Table) (notes []string) {
	for i, records := range sums.Alone {
		if other := p.told.Compare[i]; records > 0 && other.First != nil {
			notes = append(notes, fmt.Sprintf("%s from %s to %s lie where this period has no day or unit beside it; they are in the total of that period and in no row.", english.Count(int(records), "record"), other.First.Spelled(), other.Last.Spelled()))
		}
	}
	return notes
}

// figure tells what a figure is, how it changed, how far the data reach, and its line.
func (p *part) figure(ctx context.Context, v source.View, row []value.Value) error {
	s := p.section()
	c, zone := s.Query.Show[0], p.run.Zone
	p.told.Value, p.told.Unit = export.ValueJSON(c, zone, row[0]), c.Unit
	if *p.told.Records == 0 {
		p.told.Notes = append(p.told.Notes, "There are no records.")
	}
	for i := range p.told.Compare {
		other := &p.told.Compare[i]
		if other.First == nil {
			continue
		}
		other.Value = export.ValueJSON(c, zone, row[1+i])
		difference, perCent := summary.Change(row[0], row[1+i])
		if other.Difference = export.ValueJSON(c, zone, difference); perCent != "" {
			other.PerCent = &perCent
		}
	}
	if err := p.reach(ctx, v); err != nil {
		return err
	}
	return p.line(ctx, v)
}

// reach says, of a figure that is compared, where the data end before the period does.
func (p *part) reach(ctx context.Context, v source.View) error {
	period := p.ready.Bound.Plan().Period
	if len(p.told.Compare) == 0 || period == nil || len(period.Periods) != 1 || !period.Periods[0].Last.IsValid() || len(p.ready.Bound.Values) > 0 {
		return nil
	}
	seconds, ok, err := base.EdgeOf(ctx, v, p.ready.From.SQL, p.ready.Bound.Counting(p.ready.Bound.Own), period.Column, true)
	if err != nil || !ok {
		return err
	}
	last := civil.DayHolding(seconds, p.ready.Bound.ZoneOf(period.Column))
	if last < period.Periods[0].Last {
		p.told.Notes = append(p.told.Notes, fmt.Sprintf("The data end on %s, before the period does.", last.Spelled()))
	}
	return nil
}

// line tells what a figure is in each unit of its line.
func (p *part) line(ctx context.Context, v source.View) error {
	s := *p.section()
	if s.Line == nil {
		return nil
	}
	s.Query, s.Compare = s.Line, nil
	ready := p.ready.With(&s, p.ready.Bound.Answers)
	summing, tally, err := countedBeside(ctx, v, ready)
	if err != nil {
		return err
	}
	sums, err := tally.Table(summary.Asked{Names: summing.Names})
	if err != nil {
		return tooMany(err)
	}
	for _, row := range sums.Rows {
		if !row[0].IsMissing() {
			p.told.Line = append(p.told.Line, receipt.Point{Of: row[0].String(), Value: export.ValueJSON(s.Line.Show[1], p.run.Zone, row[1])})
		}
	}
	return nil
}

// leftOut tells which figures leave records out, since they have no value.
func (p *part) leftOut(spec *summary.Spec, sums *summary.Table) {
	for i, left := range sums.Left[:spec.Told()] {
		if left.Missing == 0 && left.Unreadable == 0 {
			continue
		}
		f := spec.Figures[i]
		p.told.LeftOut = append(p.told.LeftOut, receipt.LeftOut{Figure: f.Shown.Name, Label: f.Shown.Label, Missing: left.Missing, Unreadable: left.Unreadable})
		if left.Unreadable > 0 {
			p.told.Notes = append(p.told.Notes, fmt.Sprintf("%s leaves out %s whose %s cannot be read.", f.Shown.Label, english.Count(int(left.Unreadable), "record"), f.Of.Label))
		}
	}
}

// totalsOf are the totals that the section wants, of columns with what they come to. Those of a
// comparison stand behind the columns of the section itself.
func (p *part) totalsOf(columns []*column.Column, come []value.Value) (totals []receipt.Total) {
	s := p.section()
	wanted := func(i int) bool {
		c := columns[i]
		if own := len(s.Query.Show); i >= own { // of a comparison
			spec := s.Query.Summary
			c = s.Query.Show[len(spec.Groups)+(i-own)%spec.Told()]
		}
		return slices.ContainsFunc(s.Totals, func(t *column.Column) bool { return t.Name == c.Name })
	}
	for i, c := range columns {
		if come[i].IsMissing() || !wanted(i) {
			continue
		}
		text := []byte(nil)
		if c.Type == column.Decimal {
			text, _ = c.AppendDecimal(nil, come[i])
		} else {
			text = come[i].Append(nil)
		}
		totals = append(totals, receipt.Total{Column: c.Name, Label: c.Label, Unit: c.Unit, Value: string(text)})
	}
	return totals
}

// partly tells what the rows with the same first group come to.
func (p *part) partly(sums *summary.Table) {
	s := p.section()
	if s.Subtotals == nil {
		return
	}
	shown := s.Shown()
	for _, same := range sums.Parts {
		p.told.Subtotals = append(p.told.Subtotals, receipt.Subtotal{Column: s.Subtotals.Shown.Name, Value: export.ValueJSON(s.Subtotals.Shown, p.run.Zone, same.Of),
			Rows: int64(same.Rows), Records: same.Records, Totals: p.totalsOf(shown, same.Total)})
	}
}

// totals adds the columns of all records up, where the section wants that: in one statement, by what
// has subtotals.
func (p *part) totals(ctx context.Context, v source.View, q compile.Query) error {
	s := p.section()
	if s.Query.Summary != nil || len(s.Totals) == 0 { // a summary has told
		return nil
	}
	q.Show, q.Limit, q.Skip, q.After = nil, 0, 0, nil
	own := *s
	query := *s.Query
	query.Summary = summary.Sums(s.Totals)
	var order []criteria.Sort
	if s.Subtotals != nil {
		query.Summary.Groups, query.Summary.Parted = []summary.Group{*s.Subtotals}, true
		order = []criteria.Sort{{Column: s.Subtotals.Shown, Descending: s.Query.Sort[0].Descending}}
	}
	query.Show, query.Sort = query.Summary.Shown(), nil
	own.Query = &query
	summed := &part{run: p.run, ready: p.ready.With(&own, p.ready.Bound.Answers)}
	summing, tally, err := counted(ctx, v, summed.ready, q)
	if err != nil {
		return err
	}
	sums, err := tally.Table(summary.Asked{Names: summing.Names, Order: order})
	if err != nil {
		return tooMany(err)
	}
	p.told.Totals = summed.totalsOf(query.Show, sums.Total)
	if summed.partly(sums); s.Subtotals != nil {
		p.told.Subtotals = summed.told.Subtotals
		for i := range p.told.Subtotals {
			p.told.Subtotals[i].Rows = p.told.Subtotals[i].Records // each is a row
		}
	}
	return nil
}
