package run

import (
	"pikegate/internal/core/column"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/value"
	"pikegate/internal/service/receipt"
)

// reading is what is kept of the rows while they are read.
type reading struct {
	columns     []*column.Column // those shown, then those of the key that are not
	keys        []int            // where the columns of the key are
	whole       bool             // whether the rows are all that there are
	fingerprint *evidence.Fingerprint
	marks       *receipt.Digests
}

func newReading(r *Run) *reading {
	table := r.ready.Bound.Report.Table
	got := &reading{columns: table.Show}
	if !r.request.Evidence {
		return got
	}
	got.columns = append([]*column.Column{}, table.Show...)
	for _, k := range table.Of.Key {
		at := indexOf(got.columns, k)
		if at < 0 {
			at = len(got.columns)
			got.columns = append(got.columns, k)
		}
		got.keys = append(got.keys, at)
	}
	got.begin(table.Show)
	return got
}

func (g *reading) begin(shown []*column.Column) {
	g.fingerprint, g.marks = evidence.NewFingerprint(shown), &receipt.Digests{}
}

func (g *reading) add(row []value.Value) {
	if g.fingerprint != nil {
		g.marks.Add(row, g.keys, g.fingerprint.Add(row))
	}
}

func indexOf(columns []*column.Column, of *column.Column) int {
	for i, c := range columns {
		if c == of {
			return i
		}
	}
	return -1
}
