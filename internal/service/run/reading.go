package run

import (
	"slices"

	"pikegate/internal/core/column"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service/receipt"
)

// reading is where the rows go while they are read: on to their reader, and into what is kept
// of them.
type reading struct {
	to          export.Writer
	begun       bool
	broken      error            // what to failed with: the one who reads is gone, or too slow
	columns     []*column.Column // those shown, then those of the key that are not
	keys        []int            // where the columns of the key are
	whole       bool             // whether the rows are all that there are
	fingerprint *evidence.Fingerprint
	digests     *receipt.Digests
}

func newReading(r *Run, to export.Writer) *reading {
	table := r.ready.Bound.Report.Table
	got := &reading{to: to, columns: table.Show}
	if !r.request.Evidence {
		return got
	}
	got.columns = slices.Clone(table.Show)
	for _, k := range table.Of.Key {
		at := slices.Index(got.columns, k)
		if at < 0 {
			at = len(got.columns)
			got.columns = append(got.columns, k)
		}
		got.keys = append(got.keys, at)
	}
	got.keep(table.Show)
	return got
}

// keep starts the fingerprint and the digests.
func (g *reading) keep(shown []*column.Column) {
	g.fingerprint, g.digests = evidence.NewFingerprint(shown), &receipt.Digests{}
}

// begin begins what is sent, once.
func (g *reading) begin() error {
	if !g.begun {
		g.begun, g.broken = true, g.to.Begin()
	}
	return g.broken
}

// add hands a row on, and keeps its digest.
func (g *reading) add(row []value.Value) error {
	if err := g.begin(); err != nil {
		return err
	}
	g.digest(row)
	g.broken = g.to.Row(row)
	return g.broken
}

func (g *reading) digest(row []value.Value) {
	if g.fingerprint != nil {
		g.digests.Add(row, g.keys, g.fingerprint.Add(row))
	}
}

// flush sends the rows on their way.
func (g *reading) flush() error {
	g.broken = g.to.Flush()
	return g.broken
}
