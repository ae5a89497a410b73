package run

import (
	"context"
	"fmt"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
)

// Comparison is two results of a report, held against each other by key.
type Comparison struct {
	Before    receipt.Receipt    `json:"before" doc:"The receipt of the one."`
	After     receipt.Receipt    `json:"after" doc:"The receipt of the other."`
	Same      bool               `json:"same" doc:"Whether they are the same, row by row, in the same order."`
	Key       []string           `json:"key" doc:"Labels of the columns of the key."`
	Gained    *receipt.Differing `json:"gained,omitempty" doc:"Records that only the other has; absent where the rows of one are not known."`
	Lost      *receipt.Differing `json:"lost,omitempty" doc:"Records that only the one has, likewise."`
	Changed   *receipt.Differing `json:"changed,omitempty" doc:"Records that both have and show otherwise, likewise."`
	NotByRows string             `json:"not_by_rows,omitempty" doc:"Why the rows could not be held against each other."`
}

// Nowhere is where rows go that are only counted and hashed.
type Nowhere struct{}

func (Nowhere) Begin() error { return nil }

func (Nowhere) Row([]value.Value) error { return nil }

func (Nowhere) Flush() error { return nil }

func (Nowhere) End([]byte) error { return nil }

func compare(report *catalog.Report, before, after receipt.Receipt, earlier, later *receipt.Digests) (*Comparison, error) {
	c := &Comparison{Before: before, After: after}
	for _, k := range report.Main().Query.Key() {
		c.Key = append(c.Key, k.Label)
	}
	known := func(r receipt.Receipt) bool { return r.Evidence != nil && r.Evidence.Fingerprint != "" }
	switch {
	case !known(before):
		c.NotByRows = "The first run was made without evidence, so that its rows are not known."
	case !known(after):
		c.NotByRows = "The rows of the second run could not all be read in time."
	default:
		c.Same = before.Evidence.Fingerprint == after.Evidence.Fingerprint
		if earlier == nil || later == nil || later.Many {
			c.NotByRows = "There are more rows than are kept of a result."
		}
	}
	if c.NotByRows != "" {
		return c, nil
	}
	gained, lost, changed, err := receipt.Compared(earlier, later)
	c.Gained, c.Lost, c.Changed = &gained, &lost, &changed
	return c, err
}

// Versions asks for two versions of a report to be run on the same answers.
type Versions struct {
	answer.Request
	Before []catalog.File // in place of what is published; none for that
	After  []catalog.File
}

// Again runs what a receipt tells of once more and compares: as it was, by the
// definitions and the as-of day of then; or, given a day, as of that day by the
// definitions of now. Conditions on the person are those of the one who ran it.
func (s *Runs) Again(ctx context.Context, id int64, asOf string) (*Comparison, error) {
	before, kept, err := s.receipts.Kept(ctx, id)
	if err != nil {
		return nil, err
	}
	if before.Partly {
		return nil, &base.Refusal{Kind: fault.DefinitionInError, Faults: fault.List{fault.New(fault.NotRecorded, "%s", before.Problem)}}
	}
	req := answer.Request{Answers: before.Entered, AsOf: asOf, Evidence: true, Section: before.Section}
	var report *catalog.Report
	revisions := before.Revisions
	if asOf == "" {
		req.AsOf, req.Then = before.AsOf.String(), before.Reading
		if req.With, err = s.asItWas(ctx, before); err != nil {
			return nil, err
		}
		report = req.With.Reports[before.Report]
	} else {
		revisions = s.base.Published.Load().BuiltOf(before.Report)
		if report, err = s.base.Report(before.Report); err != nil {
			return nil, err
		}
	}
	who := base.PersonOf(ctx)
	r := s.newRun(ctx, report, req)
	r.receipt.ID, r.receipt.Again, r.receipt.Revisions = s.base.Store.NextReceipt(), id, revisions
	if err := r.prepare(base.WithPerson(ctx, base.Person{Name: before.Person, Role: before.Role})); err != nil {
		return nil, r.ended(ctx, err)
	}
	r.receipt.Person, r.receipt.Role = who.Name, who.Role
	if asOf == "" && before.ZoneRules != r.receipt.ZoneRules {
		r.ready.Notes = append(r.ready.Notes, answer.Note{Says: fmt.Sprintf("The time zone rules were those of release %s then and are those of %s now.", before.ZoneRules, r.receipt.ZoneRules)})
	}
	got, err := r.stream(ctx, export.Whole{Writer: Nowhere{}})
	if err != nil {
		return nil, err
	}
	earlier, err := receipt.Unpack(kept)
	if err != nil {
		return nil, err
	}
	return compare(report, *before, r.receipt, earlier, got.digests)
}

// asItWas are the definitions that a run was made of, in the revisions of then.
func (s *Runs) asItWas(ctx context.Context, r *receipt.Receipt) (*catalog.Catalog, error) {
	var docs []catalog.Document
	for _, part := range r.Revisions {
		d, err := s.base.Store.Document(ctx, catalog.Ref{Kind: part.Kind, Name: part.Name}, part.Revision)
		if err != nil {
			return nil, base.NoSuch(d.Ref, err)
		}
		docs = append(docs, d)
	}
	zone := s.base.Zone()
	defs, broken := definition.Load(docs, r.Reading.On(s.base.Setting(r.AsOf, zone)), s.base.Config.Functions...)
	if defs.Reports[r.Report] == nil {
		faults := broken[catalog.Ref{Kind: catalog.KindReport, Name: r.Report}]
		if len(faults) == 0 {
			faults = fault.List{fault.New(fault.NotRecorded, "receipt %d does not tell which revisions it was made of", r.ID)}
		}
		return nil, &base.Refusal{Kind: fault.DefinitionInError, Faults: faults}
	}
	return defs, nil
}

// Compare runs two versions of a report and compares their rows. Neither version is
// stored, and neither run is on record.
func (s *Runs) Compare(ctx context.Context, name string, v Versions) (*Comparison, error) {
	var receipts [2]receipt.Receipt
	var rows [2]*receipt.Digests
	var report *catalog.Report
	for i, files := range [][]catalog.File{v.Before, v.After} {
		defs, err := s.base.Beside(ctx, files)
		if err != nil {
			return nil, err
		}
		if report = defs.Reports[name]; report == nil {
			return nil, base.UnknownReport(name, defs)
		}
		r, digests, err := s.Try(ctx, report, answer.Request{Answers: v.Answers, AsOf: v.AsOf, Evidence: true, With: defs}, Nowhere{})
		if err != nil {
			return nil, err
		}
		receipts[i], rows[i] = *r, digests
	}
	return compare(report, receipts[0], receipts[1], rows[0], rows[1])
}
