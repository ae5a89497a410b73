package run

import (
	"context"
	"encoding/json"
	"errors"
	"math"
	"slices"

	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/store"
)

// ended puts on record that a run has no whole result, and why.
func (r *Run) ended(ctx context.Context, err error) error {
	r.receipt.State, r.receipt.Problem = receipt.StateOf(err), err.Error()
	var refusal *base.Refusal
	if errors.As(err, &refusal) {
		for _, f := range refusal.Faults {
			r.receipt.Errors = append(r.receipt.Errors, *f)
		}
	}
	if r.receipt.ID == 0 {
		return err
	}
	if _, unkept := r.finished(nil); unkept != nil {
		r.runs.base.Log.ErrorContext(ctx, "a receipt could not be kept",
			"receipt", r.receipt.ID, "state", r.receipt.State, "error", unkept)
	}
	return &receipt.RunError{Receipt: r.receipt.ID, Err: err}
}

// finished puts the end of the run on record, where it is to be, and returns the
// receipt.
func (r *Run) finished(got *reading) ([]byte, error) {
	t := &r.receipt.Time
	t.Checking, t.Recording, t.Waiting = receipt.Milliseconds(r.checking), receipt.Milliseconds(r.sent.recording), receipt.Milliseconds(r.waiting)
	t.Sending, t.Counting = receipt.Milliseconds(r.sent.took), receipt.Milliseconds(r.counting)
	t.Database = receipt.Milliseconds(max(0, r.atSource-r.counting))
	r.receipt.TookMS = math.Round(1000*(t.Checking+t.Recording+t.Waiting+t.Database+t.Sending+t.Counting)) / 1000
	r.receipt.Says = r.receipt.State.Says()
	if !r.kept {
		r.receipt.Notes = append(r.receipt.Notes, r.Notes()...)
	}
	text, err := json.Marshal(&r.receipt)
	if err != nil {
		return nil, err
	}
	if r.receipt.ID == 0 {
		return text, nil
	}
	var kept []byte
	if got != nil {
		kept = packed(r.digests())
	}
	if len(text) > receipt.MostRefused && r.receipt.State == receipt.Refused {
		if text, err = json.Marshal(r.receipt.Shortened()); err != nil {
			return nil, err
		}
	}
	var head []byte // of a receipt that is small a list shows as much as it likes
	if len(text) > receipt.MostHead {
		if head, err = r.receipt.Head(); err != nil {
			return nil, err
		}
	}
	row := r.receipt.Row(text, head, kept)
	if row.Begun = r.kept; !r.kept {
		r.kept = true
		r.runs.receipts.Ended.Add(&r.receipt)
		if r.begun != nil {
			return text, r.begun.End(row)
		}
	}
	return text, r.runs.base.Store.Keep(row)
}

// digests are those of the sections, in order; nil for one whose rows are not all known.
func (r *Run) digests() []*receipt.Digests {
	all := make([]*receipt.Digests, len(r.parts))
	for i, p := range r.parts {
		if p.got != nil && p.err == nil {
			all[i] = p.got.digests
		}
	}
	return all
}

// packed are the digests of sections as they are kept, nil where there are none.
func packed(all []*receipt.Digests) []byte {
	switch {
	case !slices.ContainsFunc(all, func(d *receipt.Digests) bool { return d != nil }):
		return nil
	case len(all) == 1:
		return all[0].Packed()
	}
	return receipt.PackedAll(all)
}

// begin begins the run: it is on record before anything of its result is sent, and before anybody finds
// it as one that is under way.
func (r *Run) begin() {
	if r.receipt.ID == 0 {
		return
	}
	starting := r.receipt
	starting.ReadBackPieces = nil // the sentence says as much
	r.begun = r.runs.base.Store.Begin(func() (store.Receipt, error) {
		text, err := json.Marshal(&starting)
		return starting.Row(text, nil, nil), err
	})
	r.sent.first.do = r.onRecord
	if r.request.Evidence { // before which the rows are sent
		go func() { _ = r.begun.OnRecord() }() // the first write is told
	}
}

// onRecord waits until it is on record that the run has begun.
func (r *Run) onRecord() error {
	if r.kept { // its end is
		return nil
	}
	if err := r.begun.OnRecord(); err != nil {
		return &unkeptError{err}
	}
	return nil
}

// unkeptError is why a run could not be put on record, which is no fault of who reads its result.
type unkeptError struct{ error }

func (e *unkeptError) Error() string { return "keep the receipt: " + e.error.Error() }

func (e *unkeptError) Unwrap() error { return e.error }

// ends tells whether records came back, where all went well.
func (r *Run) ends() {
	r.receipt.State = receipt.Rows
	known := r.receipt.Records != nil
	if r.several() && known && *r.receipt.Records == 0 || r.receipt.Rows == 0 && (!known || *r.receipt.Records == 0) {
		r.receipt.State = receipt.NoRows
	}
}
