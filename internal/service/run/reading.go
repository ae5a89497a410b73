package run

import (
	"slices"

	"pikegate/internal/core/column"
	"pikegate/internal/core/evidence"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service/kept"
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
	before      int              // rows of the run before these
	order       []*column.Column // what the rows are sorted by, where pages go on from their last row
	places      []int            // where those columns are
	last        []value.Value    // of the row that ends the page, those values
	limit, rows int              // of the page
	shown       []*column.Column // that the fingerprint is of
	fingerprint *evidence.Fingerprint
	digests     *receipt.Digests
	copy        *kept.Rows   // where rows are kept; nil for nowhere
	copied      bool         // whether all of them were read to be kept, beyond those that were sent
	held        *value.Batch // rows of a page of which it is not known yet whether they are kept; nil where none wait for that
	pace        pace
}

// Rows of a page wait until it has ended, to be kept where they turn out to be all that there are; not
// more than so many, and so many bytes.
const (
	mostHeld    = 1000
	bytesOfHeld = 1 << 20
)

// newReading is where the rows of a section go. Of one of several sections the fingerprint is of all
// rows that it has, where they are all read.
func newReading(p *part, to export.Writer) *reading {
	table := p.section().Query
	shown := p.section().Shown()
	got := &reading{to: to, columns: slices.Clone(shown)}
	viewed := p.isMain() && p.ready.Published != nil // the fingerprint is of the records as they are published
	if evidence := p.run.request.Evidence || p.run.before != nil; !viewed && (evidence || p.run.several() && (table.Summary != nil || p.mostRows() == 0)) {
		if evidence {
			got.keys = got.with(table.Key())
		}
		got.keep(shown)
	}
	if p.run.keeping != nil && table.Summary == nil {
		got.with(p.ofView())
	}
	if got.limit = p.mostRows(); got.limit > 0 && table.Summary == nil {
		got.order = p.ready.Query().SortedBy()
		got.places, got.last = got.with(got.order), make([]value.Value, len(got.order))
	}
	got.pace = paceOf(p, got.columns)
	return got
}

// ofView are the columns that a reader may choose among or sort by, as the section is published.
func (p *part) ofView() []*column.Column {
	s := p.section()
	if p.isMain() && p.ready.Published != nil {
		s = p.ready.Published
	}
	return slices.Concat(s.Query.Show, s.Query.Of.Key, s.Offers)
}

// with adds columns to those that are read, and tells where each of them is.
func (g *reading) with(columns []*column.Column) []int {
	at := make([]int, len(columns))
	for i, c := range columns {
		if at[i] = slices.Index(g.columns, c); at[i] < 0 {
			at[i] = len(g.columns)
			g.columns = append(g.columns, c)
		}
	}
	return at
}

// keep starts the fingerprint and the digests.
func (g *reading) keep(shown []*column.Column) {
	g.shown = shown
	g.fingerprint, g.digests = evidence.NewFingerprint(shown), &receipt.Digests{}
}

// isKnown reports whether all rows are read, and their fingerprint is made.
func (g *reading) isKnown() bool { return g.whole && g.fingerprint != nil }

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
	if g.rows++; g.rows == g.limit {
		for i, at := range g.places {
			g.last[i] = row[at].Clone()
		}
	}
	g.broken = g.to.Row(row)
	return g.broken
}

// digest keeps what stands for a row, or holds the row back until it is known whether that is wanted.
func (g *reading) digest(row []value.Value) {
	g.pace.row(row)
	switch {
	case g.fingerprint == nil && g.copy == nil:
	case g.rows == 0 && g.limit > 0 && g.limit <= mostHeld && !g.whole:
		g.held = &value.Batch{}
		g.held.Reset(len(row), g.limit)
		g.held.AddRow(row)
	case g.held != nil && g.held.Bytes() < bytesOfHeld:
		g.held.AddRow(row)
	default:
		g.release()
		g.keepRow(row)
	}
}

// release keeps the rows that were held back.
func (g *reading) release() {
	if held := g.held; held != nil {
		g.held = nil
		for i := range held.Len() {
			g.keepRow(held.Row(i))
		}
	}
}

// settle is called once it is known whether the rows are all that there are: of a page nothing is kept.
func (g *reading) settle() {
	if g.whole {
		g.release()
		return
	}
	g.held, g.fingerprint, g.digests, g.copy = nil, nil, nil, nil
}

func (g *reading) keepRow(row []value.Value) {
	if g.copy != nil {
		g.copy.Add(row)
	}
	if g.fingerprint != nil {
		g.digests.Add(row, g.keys, g.fingerprint.Add(row))
	}
}

// flush sends the rows on their way.
func (g *reading) flush() error {
	g.broken = g.to.Flush()
	return g.broken
}
