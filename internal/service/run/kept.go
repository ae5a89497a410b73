package run

import (
	"context"
	"encoding/json"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
	"pikegate/internal/service/kept"
)

// The rows of a run whose evidence is counted are kept with it: of each section all of them, whether
// they are sent or only read for its fingerprint.

// mostReadAgain is how many rows of a section are read for nothing but to be kept.
const mostReadAgain = 20_000

// keptNotes is what is kept of a run beside its rows and its receipt, which the own records have.
type keptNotes struct {
	Notes []string `json:"notes,omitempty"` // what was known before the rows were read
}

// keepRows begins to keep the rows, where that is wanted.
func (r *Run) keepRows() {
	if r.receipt.ID > 0 && r.request.Evidence {
		r.keeping = r.runs.base.Results.Begin()
	}
}

// copies begins to keep the rows that are read of a section.
func (p *part) copies() {
	if p.run.keeping != nil {
		p.got.copy = p.run.keeping.Section(p.told.Section, names(p.got.columns))
	}
}

func names(columns []*column.Column) []string {
	all := make([]string, len(columns))
	for i, c := range columns {
		all[i] = c.Name
	}
	return all
}

// keepRest reads the rows of sections that were not all sent, so that they can be kept.
func (c *counter) keepRest(ctx context.Context) error {
	if c.run.keeping == nil || !c.readsRest() {
		return nil
	}
	for _, p := range c.run.parts {
		if p.err != nil || p.got == nil || p.got.isCopied() || p.isMain() || p.told.Records == nil || *p.told.Records > mostReadAgain {
			continue
		}
		q := p.query
		q.Limit, q.Skip, q.After, q.Show = 0, 0, nil, p.got.columns
		p.copies()
		err := c.rows(ctx, p.ready.From.SQL.Select(q), func(row []value.Value) error {
			p.got.copy.Add(row)
			return nil
		})
		if err != nil {
			return err
		}
		p.got.copied = true
	}
	return nil
}

// isCopied reports whether all rows were handed to what is kept.
func (g *reading) isCopied() bool { return g.copied || g.copy != nil && g.isKnown() }

// keepResult keeps what was read, and puts on the receipt until when, or why not.
func (r *Run) keepResult(ctx context.Context) {
	if r.keeping == nil {
		return
	}
	for _, p := range r.parts {
		if p.err == nil && (p.got == nil || !p.got.isCopied()) {
			r.keeping.Drop()
			r.receipt.NotKept = "not all of its rows were read"
			return
		}
		if p.err != nil {
			r.keeping.Section(p.told.Section, nil)
		}
		told, err := p.tail()
		if err == nil {
			r.keeping.Tell(p.told.Section, told)
		}
	}
	told, err := json.Marshal(keptNotes{r.notesBefore})
	if err == nil {
		until, unkept := r.keeping.Commit(r.receipt.ID, told)
		if err = unkept; err == nil {
			r.receipt.KeptUntil = &until
			return
		}
	}
	r.receipt.NotKept = err.Error()
	if err != kept.ErrLarge {
		r.runs.base.Log.WarnContext(ctx, "the rows of a run could not be kept", "receipt", r.receipt.ID, "error", err)
	}
}
