package run

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/summary"
	"pikegate/internal/core/value"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source"
)

// sumUp reads the groups of a summary, makes its rows of them and hands those on that are asked for.
func (r *Run) sumUp(ctx context.Context, v source.View, q *compile.Query, got *reading) error {
	table := r.ready.Bound.Report.Table
	skip := q.Skip
	q.Limit, q.Skip = 0, 0 // which are of rows, and the query is of records
	summing, err := r.ready.Summing(ctx, v, *q)
	if err != nil {
		return err
	}
	r.receipt.SQL, r.receipt.Values = summing.Statement.SQL, answer.BoundTo(summing.Statement)
	tally := table.Summary.Tally()
	err = v.Rows(ctx, summing.Statement, func(row []value.Value) error {
		group, err := r.ready.From.SQL.Counted(table.Summary, summing.Units, row)
		if err == nil {
			err = tally.Add(group)
		}
		return err
	})
	var sums *summary.Table
	if err == nil {
		sums, err = tally.Table(summing.Names, r.ready.Bound.Having, table.Sort)
	}
	if errors.Is(err, summary.ErrTooMany) {
		return &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{fault.New(fault.TooManyGroups, "the summary would have more than %s; ask for less, or have the report grouped by less", english.Count(summary.MostRows, "row"))}}
	}
	if err != nil {
		return err
	}
	groups := int64(len(sums.Rows))
	r.receipt.Groups, r.receipt.Records = &groups, &sums.Records
	r.leftOut(table.Summary, sums)
	r.totals(table.Show, sums.Total)
	if most := table.Of.Source.At.Rows; most > 0 && len(sums.Rows) > most {
		return fmt.Errorf("%w: %d", receipt.ErrSize, most)
	}
	got.whole = true // what is not sent is digested all the same
	for i, row := range sums.Rows {
		if i < skip || r.request.Limit > 0 && r.receipt.Rows == r.request.Limit {
			got.digest(row)
			continue
		}
		r.receipt.Rows++
		if err := got.add(row); err != nil {
			return err
		}
	}
	return got.begin() // where there was no row
}

// leftOut tells which figures leave records out, since they have no value.
func (r *Run) leftOut(spec *summary.Spec, sums *summary.Table) {
	for i, left := range sums.Left {
		if left.Missing == 0 && left.Unreadable == 0 {
			continue
		}
		f := spec.Figures[i]
		r.receipt.LeftOut = append(r.receipt.LeftOut, receipt.LeftOut{Figure: f.Shown.Name, Label: f.Shown.Label, Missing: left.Missing, Unreadable: left.Unreadable})
		if left.Unreadable > 0 {
			r.receipt.Notes = append(r.receipt.Notes, fmt.Sprintf("%s leaves out %s whose %s cannot be read.", f.Shown.Label, english.Count(int(left.Unreadable), "record"), f.Of.Label))
		}
	}
}

// totals tells the totals that the report wants, of columns with what they come to.
func (r *Run) totals(columns []*column.Column, come []value.Value) {
	for i, c := range columns {
		if !slices.ContainsFunc(r.ready.Bound.Report.Totals, func(wanted *column.Column) bool { return wanted.Name == c.Name }) || come[i].IsMissing() {
			continue
		}
		text := []byte(nil)
		if c.Type == column.Decimal {
			text, _ = c.AppendDecimal(nil, come[i])
		} else {
			text = come[i].Append(nil)
		}
		r.receipt.Totals = append(r.receipt.Totals, receipt.Total{Column: c.Name, Label: c.Label, Unit: c.Unit, Value: string(text)})
	}
}

// totals adds the columns of all records up, where the report wants that.
func (c *counter) totals(ctx context.Context) error {
	report := c.run.ready.Bound.Report
	if report.Table.Summary != nil || len(report.Totals) == 0 { // a summary has told
		return nil
	}
	spec := summary.Sums(report.Totals)
	sql := c.run.ready.From.SQL
	return c.rows(ctx, sql.Summarise(c.query, spec, nil), func(row []value.Value) error {
		tally := spec.Tally()
		counted, err := sql.Counted(spec, nil, row)
		if err == nil {
			err = tally.Add(counted)
		}
		if err != nil {
			return err
		}
		sums, err := tally.Table(nil, nil, nil)
		if err == nil {
			c.run.totals(spec.Shown(), sums.Total)
		}
		return err
	})
}
