package publish

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
	"pikegate/internal/source"
)

// totals adds up the columns of rows that are not sent anywhere.
type totals struct {
	run.Nowhere
	of   []*column.Column
	sums []decimal.Decimal
}

func (t *totals) Row(row []value.Value) error {
	if t.sums == nil {
		t.sums = make([]decimal.Decimal, len(t.of))
	}
	for i, c := range t.of {
		if c.Type != column.Integer && c.Type != column.Decimal {
			continue
		}
		if n, err := decimal.NewFromString(row[i].String()); err == nil {
			t.sums[i] = t.sums[i].Add(n)
		}
	}
	return nil
}

// sum is the total of the i-th column, 0 where there were no rows.
func (t *totals) sum(i int) decimal.Decimal {
	if t.sums == nil {
		return decimal.Zero
	}
	return t.sums[i].Round(int32(t.of[i].Scale))
}

// proved runs the proofs of a catalog that build on any of some definitions, or are
// among them, and finds those that bring something else than they say.
func (s *Publisher) proved(ctx context.Context, defs *catalog.Catalog, of []catalog.Document) fault.List {
	var found fault.List
	silent := map[string]error{} // sources that were not reached: each time would take as long
	for _, name := range slices.Sorted(maps.Keys(defs.Proofs)) {
		if ctx.Err() != nil {
			break
		}
		parts := defs.PartsOf(catalog.Ref{Kind: catalog.KindProof, Name: name})
		if slices.ContainsFunc(of, func(d catalog.Document) bool { return slices.Contains(parts, d.Ref) }) {
			found = append(found, s.prove(ctx, defs, defs.Proofs[name], silent)...)
		}
	}
	return found
}

// Checked runs proofs of what is published, all where proofs is nil, and with findings holds all that is
// published against its databases. It returns what does not hold, and what misleads.
func (s *Publisher) Checked(ctx context.Context, proofs []*catalog.Proof, findings bool) (fault.List, error) {
	release, err := s.base.Checking(ctx)
	if err != nil {
		return nil, err
	}
	defer release()
	defs := s.base.Published.Load()
	var found fault.List
	if findings {
		docs, err := s.base.Store.Published(ctx)
		if err != nil {
			return nil, err
		}
		for _, d := range docs {
			found = append(found, defs.BrokenFor(d.Ref)...)
		}
		found = append(found, s.held(ctx, docs, defs.Catalog, true)...)
	}
	if proofs == nil {
		for _, name := range slices.Sorted(maps.Keys(defs.Proofs)) {
			proofs = append(proofs, defs.Proofs[name])
		}
	}
	silent := map[string]error{}
	for _, p := range proofs {
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		found = append(found, s.prove(ctx, defs.Catalog, p, silent)...)
	}
	return found, ctx.Err()
}

// prove runs a proof. Its run is not on record.
//
// One branch for each thing that a proof expects.
func (s *Publisher) prove(ctx context.Context, defs *catalog.Catalog, p *catalog.Proof, silent map[string]error) fault.List {
	var found fault.List
	fail := func(key, format string, args ...any) {
		found = append(found, fault.New(fault.ProofFailed, format, args...).At(p.Places[key]))
	}
	of := p.Main().Query.Of.Source.Name
	unproved := func(err error) fault.List {
		if own := (*source.Error)(nil); errors.As(err, &own) && own.Trouble == source.Unreached {
			silent[of] = err
		}
		first := slices.Sorted(maps.Keys(p.Places))[0]
		return fault.List{fault.New(fault.ProofFailed, "the proof %q could not be run: %s", p.Name, err).At(p.Places[first])}
	}
	if err := silent[of]; err != nil {
		return unproved(err)
	}
	totals := &totals{of: p.Main().Query.Show}
	ctx = base.WithPerson(ctx, base.Person{Name: base.PersonOf(ctx).Name, Whole: true})
	r, digests, err := s.runs.Try(base.With(ctx, base.Tried(defs, nil)), p.Report, answer.Request{Answers: p.Answers, AsOf: p.AsOf.String(), Evidence: true, Section: 1 + slices.Index(p.Report.Sections, p.Main())}, totals)
	if err != nil {
		var refusal *base.Refusal
		if errors.As(err, &refusal) {
			err = errors.New(refusal.Faults[0].Sentence())
		}
		return unproved(err)
	}
	if p.Records != nil && int64(r.Rows) != *p.Records {
		fail("records", "the records that must come back are %d, and %d came", *p.Records, r.Rows)
	}
	if digests.Many && len(p.With)+len(p.Without) > 0 {
		return unproved(errors.New("more rows came back than keys are kept of"))
	}
	came := maps.Collect(digests.Each())
	for _, key := range p.With {
		if _, there := came[receipt.KeyText(key)]; !there {
			fail("with", "the record %s must be there, and is not", strings.Join(key, ", "))
		}
	}
	for _, key := range p.Without {
		if _, there := came[receipt.KeyText(key)]; there {
			fail("without", "the record %s must not be there, and is", strings.Join(key, ", "))
		}
	}
	for i, c := range totals.of {
		if want, ok := p.Totals[c]; ok && !want.Equal(totals.sum(i)) {
			fail("totals", "%s must come to %s, and comes to %s", c.Name, want, totals.sum(i))
		}
	}
	if is := r.Evidence.Fingerprint; p.Fingerprint != "" && is != p.Fingerprint {
		fail("fingerprint", "the fingerprint must be %s, and is %s", p.Fingerprint, is)
	}
	return found
}
