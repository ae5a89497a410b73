package receipt

import (
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// MostRefused is how many bytes are kept of a run that was refused, mostHead how many are
// listed of any.
const (
	MostRefused = 64 << 10
	MostHead    = 8 << 10
)

// beginning is that of a sentence that is too long for a list.
func beginning(text string) string {
	const most = 500
	if len(text) <= most {
		return text
	}
	return strings.ToValidUTF8(text[:most], "") + "…"
}

// Wanted is which receipts to list; what is not set leaves all.
type Wanted struct {
	Report, Person string
	State          State
	Day            string // any form of a day, on which they started; "" for all
	Before         int64  // the number that they are below
	Most           int
}

// notKnownToHaveArrived is said of a run that went well and whose result may not have come
// through: the service ended, or was killed, while it was on its way.
const notKnownToHaveArrived = "All was read and sent; it is not known to have arrived."

// History lists receipts, the latest first, without their SQL, revisions and evidence. More reports whether there are further
// ones.
func (s *Receipts) History(ctx context.Context, w Wanted) (all []Receipt, more bool, err error) {
	wanted := store.Wanted{Report: w.Report, Person: w.Person, State: string(w.State), Before: w.Before, Most: w.Most + 1}
	if w.Day != "" {
		zone := s.base.Zone()
		day, err := s.base.AsOf(ctx, w.Day, zone)
		if err != nil {
			return nil, false, err
		}
		wanted.From, wanted.Until = time.Unix(civil.FirstInstant(day, zone), 0), time.Unix(civil.FirstInstant(day+1, zone), 0)
	}
	if who := base.PersonOf(ctx); who.Role == base.Reader {
		wanted.Person = who.Name
	}
	rows, err := s.base.Store.Receipts(ctx, wanted)
	if err != nil {
		return nil, false, err
	}
	if len(rows) > w.Most {
		rows, more = rows[:w.Most], true
	}
	rows = slices.DeleteFunc(rows, func(row store.Receipt) bool { return s.base.IsHidden(ctx, row.Report) })
	all = make([]Receipt, len(rows))
	for i, row := range rows {
		r := &all[i]
		r.read(row)
		s.stillKept(r)
		r.Revisions, r.ReadBackPieces, r.SQL, r.Values, r.Evidence = nil, nil, "", nil, nil // of those that were kept without a head
	}
	return all, more, nil
}

// stillKept says nothing of rows that were kept and went meanwhile.
func (s *Receipts) stillKept(r *Receipt) {
	if _, ok := s.base.Results.Until(r.ID); !ok {
		r.KeptUntil = nil
	}
}

// Find finds the record of a run.
func (s *Receipts) Find(ctx context.Context, id int64) (*Receipt, error) {
	r, _, err := s.Kept(ctx, id)
	return r, err
}

// Kept finds the record of a run and what is kept of its rows. A reader finds their own: those of
// others, and of reports that are not there for them, are as if they were not.
func (s *Receipts) Kept(ctx context.Context, id int64) (*Receipt, []byte, error) {
	row, err := s.base.Store.Receipt(ctx, id)
	who := base.PersonOf(ctx)
	if errors.Is(err, store.ErrNone) || err == nil && (who.Role == base.Reader && row.Person != who.Asks() || s.base.IsHidden(ctx, row.Report)) {
		return nil, nil, &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownReceipt, "no receipt %d", id)}}
	}
	if err != nil {
		return nil, nil, err
	}
	r := &Receipt{}
	r.read(*row)
	s.stillKept(r)
	return r, row.Digests, nil
}
