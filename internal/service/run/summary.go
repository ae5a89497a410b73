package run

import (
	"context"
	"errors"
	"fmt"

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
