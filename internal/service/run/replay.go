package run

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/kept"
	"pikegate/internal/service/receipt"
)

// of prepares to read rows of a run that is on record: those that are kept of it; else a page as its
// receipt has it, or all of them by a run of its own, which is held against it.
func (s *Runs) of(ctx context.Context, name string, req answer.Request) (*Run, error) {
	before, err := s.receipts.Find(ctx, req.Of)
	if err != nil {
		return nil, err
	}
	switch {
	case before.Report != name:
		return nil, &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownReceipt, "receipt %d is of the report %s", req.Of, before.Report)}}
	case before.Partly || before.State != receipt.Rows && before.State != receipt.NoRows:
		return nil, runAgain("there are no rows of this run to be had: it did not bring any")
	}
	held, err := s.base.Results.Find(before.ID)
	switch {
	case err == nil:
		r, err := s.replay(ctx, before, req, held)
		if err == nil {
			return r, nil
		}
		held.Close()
		if !errors.Is(err, errNotHeld) {
			return nil, err
		}
	case !errors.Is(err, kept.ErrNone):
		return nil, err
	case before.KeptUntil != nil:
		s.base.Log.WarnContext(ctx, "the kept rows of a run cannot be read", "receipt", before.ID, "error", err)
	}
	if req.Limit == 0 {
		return s.readAgain(ctx, before, req)
	}
	return s.further(ctx, before, req)
}

func runAgain(format string, args ...any) error {
	return &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.RunAgain, format+"; run it again", args...)}}
}

// readAgain prepares to read all rows of a run whose rows are not kept, as it was then. What comes is
// held against what came, and whoever reads it is told.
func (s *Runs) readAgain(ctx context.Context, before *receipt.Receipt, req answer.Request) (*Run, error) {
	was, err := s.asItWas(ctx, before)
	if err != nil {
		return nil, err
	}
	ctx = base.With(ctx, was)
	r := s.newRun(ctx, was.Reports[before.Report], answer.Request{Section: cmp.Or(req.Section, before.Section), View: seen(before, req), Answers: before.Entered, AsOf: before.AsOf.String(), Then: before.Reading})
	r.receipt.ID, r.receipt.Again, r.receipt.Revisions = s.base.Store.NextReceipt(), before.ID, before.Revisions
	r.before = before
	err = r.prepare(ctx)
	if err == nil && r.receipt.Limits != before.Limits {
		err = otherLimits()
	}
	if err != nil {
		return nil, r.ended(ctx, err)
	}
	return r, nil
}

// heldAgainst tells, of rows that were read again, whether they are those of before.
func (r *Run) heldAgainst() {
	if r.before == nil {
		return
	}
	says := "It is not known whether they are the same."
	was := ""
	if e := r.before.Evidence; e != nil {
		was = e.Fingerprint
	}
	if got := r.main.got; was != "" && got != nil && got.isKnown() {
		if says = "They are the same."; got.fingerprint.Sum() != was {
			says = "They are not the same: the data have changed since."
		}
	}
	r.receipt.Notes = append(r.receipt.Notes, fmt.Sprintf("The records of receipt %d, of %s, are not kept, and were read again. %s", r.before.ID, r.before.StartedAt.In(r.Zone).Format("2006-01-02 15:04"), says))
}

// limitsOf are the limits of a report as there is one for a person.
func limitsOf(r *catalog.Report) string {
	if r.Personal == nil {
		return ""
	}
	return r.Personal.Limits
}

// errNotHeld is the cause where what is kept of a run does not tell what is asked.
var errNotHeld = errors.New("what is kept does not tell it")

// replayed is a run whose rows are those that are kept of another one.
type replayed struct {
	held     *kept.Held
	before   *receipt.Receipt
	notes    []string
	sections []heldSection
	whole    bool // what is wanted begins with the first rows, as the run itself did
}

// heldSection is a section of which rows are kept.
type heldSection struct {
	number  int
	section *catalog.Section
	told    receipt.Section
	at      []int // where its columns are among those that are kept
	rows    int
	order   []order // what a reader has it sorted by, and the key behind it
}

// order is a column that kept rows are sorted by.
type order struct {
	column     *column.Column
	at         int
	descending bool
}

// replay prepares to hand out rows that are kept. No source is asked.
func (s *Runs) replay(ctx context.Context, before *receipt.Receipt, req answer.Request, held *kept.Held) (*Run, error) {
	if req.Limit > 0 && before.View != nil && req.View.IsEmpty() {
		return nil, errNotHeld // its pages go on in the order that its database has
	}
	published := s.base.Published.Load()
	if !slices.Equal(before.Revisions, published.BuiltOf(before.Report)) {
		var err error
		if published, err = s.asItWas(ctx, before); err != nil {
			return nil, fmt.Errorf("%w: %w", errNotHeld, err)
		}
	}
	report := s.base.For(ctx, published.Reports[before.Report])
	if report == nil || limitsOf(report) != before.Limits {
		return nil, otherLimits()
	}
	view := seen(before, req)
	if view.Group != "" {
		return nil, errNotHeld // groups are none of the rows
	}
	number := cmp.Or(req.Section, before.Section)
	report, section, err := answer.Seen(report, number, view)
	if err != nil {
		return nil, err
	}
	req.Section = number
	r := s.newRun(ctx, report, req)
	r.ready.Bound.Section = section
	r.Columns, r.Zone = section.Shown(), section.Query.Of.Source.Zone
	r.replayed = &replayed{held: held, before: before, whole: req.Skip == 0 && req.After == ""}
	var told keptNotes
	if err := json.Unmarshal(held.Told(), &told); err != nil {
		return nil, fmt.Errorf("%w: %w", errNotHeld, err)
	}
	r.replayed.notes = told.Notes
	for i, of := range report.Sections {
		if !r.several() && of != section {
			continue
		}
		h, err := heldOf(held, i+1, of, view, of == section)
		if err != nil {
			return nil, err
		}
		if h.told.Problem != "" && !r.several() {
			return nil, errNotHeld // perhaps it can be read now
		}
		r.replayed.sections = append(r.replayed.sections, *h)
	}
	if !r.replayed.whole {
		if r.several() {
			return nil, r.sectionWanted()
		}
		r.from, err = readPlace(req.After)
	}
	return r, err
}

// heldOf finds a section among what is kept.
func heldOf(held *kept.Held, number int, of *catalog.Section, view answer.View, isViewed bool) (*heldSection, error) {
	names, rows, told, ok := held.Section(number)
	if !ok {
		return nil, errNotHeld
	}
	h := &heldSection{number: number, section: of, rows: rows}
	if len(told) > 0 {
		if err := json.Unmarshal(told, &h.told); err != nil {
			return nil, fmt.Errorf("%w: %w", errNotHeld, err)
		}
	}
	if h.told.Problem != "" {
		return h, nil
	}
	for _, c := range of.Shown() {
		at := slices.Index(names, c.Name)
		if at < 0 {
			return nil, errNotHeld
		}
		h.at = append(h.at, at)
	}
	if !isViewed || len(view.Sort) == 0 {
		return h, nil
	}
	by := slices.Clone(of.Query.Sort)
	for _, c := range of.Query.Of.Key {
		by = append(by, criteria.Sort{Column: c})
	}
	for _, s := range by {
		at := slices.Index(names, s.Column.Name)
		if at < 0 {
			return nil, errNotHeld
		}
		h.order = append(h.order, order{s.Column, at, s.Descending})
	}
	return h, nil
}

// stream hands out the rows that are kept.
func (r *replayed) stream(ctx context.Context, run *Run, to export.Result) (*receipt.Receipt, error) {
	defer r.held.Close()
	told := *r.before
	told.Sections = slices.Clone(told.Sections)
	sent, before := 0, max(run.request.Skip, run.from.Rows)
	for i := range r.sections {
		h := &r.sections[i]
		head := HeadOf(h.number, h.section, run.Zone)
		if h.told.Problem == "" {
			w := to.Section(head, h.section.Shown())
			n, err := h.stream(ctx, r.held, run, w)
			if err != nil {
				return nil, err
			}
			h.told.Rows = n
			if len(h.order) > 0 {
				h.told.Subtotals, told.Subtotals = nil, nil // which are of rows that lie together
			}
			if !run.several() || h.number == told.Main {
				sent = n
				if told.Next = ""; before+sent < h.rows && run.request.Limit > 0 {
					told.Next = place{Rows: before + sent}.String()
				}
			}
		}
		if run.several() {
			if i < len(told.Sections) {
				told.Sections[i].Rows = h.told.Rows
			}
			text, err := json.Marshal(&h.told)
			if err == nil {
				err = to.EndSection(head, text)
			}
			if err != nil {
				return nil, unsent(err)
			}
		}
	}
	told.Rows, told.Limit, told.Skip = sent, run.request.Limit, run.request.Skip
	if !r.whole {
		told.ID, told.PageOf, told.Evidence = 0, r.before.ID, nil
	}
	text, err := json.Marshal(&told)
	if err == nil {
		err = to.End(text)
	}
	if err != nil {
		return nil, unsent(err)
	}
	return &told, nil
}

// stream hands out the rows of a section, and tells how many.
func (h *heldSection) stream(ctx context.Context, held *kept.Held, run *Run, w export.Writer) (n int, err error) {
	begun := false
	shown := make([]value.Value, len(h.at))
	hand := func(row []value.Value) error {
		if !begun {
			begun = true
			if err := w.Begin(); err != nil {
				return unsent(err)
			}
		}
		for i, at := range h.at {
			shown[i] = row[at]
		}
		if n++; n%tellEvery == 0 && ctx.Err() != nil {
			return context.Cause(ctx)
		}
		if err := w.Row(shown); err != nil {
			return unsent(err)
		}
		if n == h.most(run) {
			return errEnough
		}
		return nil
	}
	skip := max(run.request.Skip, run.from.Rows)
	if len(h.order) == 0 {
		err = held.Rows(h.number, skip, hand)
	} else {
		err = h.sorted(held, skip, hand)
	}
	if err != nil && !errors.Is(err, errEnough) {
		return n, err
	}
	err = nil
	if !begun {
		err = w.Begin()
	}
	if err == nil {
		err = w.Flush()
	}
	if err != nil {
		return n, unsent(err)
	}
	return n, nil
}

// most is how many of its rows are wanted, 0 for all: figures and charts are wanted whole.
func (h *heldSection) most(run *Run) int {
	if h.section.Kind == catalog.Table || !run.several() {
		return run.request.Limit
	}
	return 0
}

// errEnough says that no more rows are wanted.
var errEnough = errors.New("enough rows")

// sorted hands out the rows in the order of a reader, from the one after skip.
func (h *heldSection) sorted(held *kept.Held, skip int, hand func([]value.Value) error) error {
	all := make([][]value.Value, 0, h.rows)
	err := held.Rows(h.number, 0, func(row []value.Value) error {
		own := make([]value.Value, len(row))
		for i, v := range row {
			own[i] = v.Clone()
		}
		all = append(all, own)
		return nil
	})
	if err != nil {
		return err
	}
	slices.SortStableFunc(all, func(a, b []value.Value) int {
		for _, o := range h.order {
			if c := o.column.Order(a[o.at], b[o.at], o.descending); c != 0 {
				return c
			}
		}
		return 0
	})
	for _, row := range all[min(skip, len(all)):] {
		if err := hand(row); err != nil {
			return err
		}
	}
	return nil
}

// ReadAt is when the rows were read, where that was before.
func (r *Run) ReadAt() (time.Time, bool) {
	if r.replayed == nil {
		return time.Time{}, false
	}
	return r.replayed.before.StartedAt, true
}
