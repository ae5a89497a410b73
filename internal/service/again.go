package service

import (
	"context"
	"fmt"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
)

// Comparison is two results of a report, held against each other by key.
type Comparison struct {
	Before    Receipt    `json:"before" doc:"The receipt of the one."`
	After     Receipt    `json:"after" doc:"The receipt of the other."`
	Same      bool       `json:"same" doc:"Whether they are the same, row by row, in the same order."`
	Key       []string   `json:"key" doc:"Labels of the columns of the key."`
	Gained    *Differing `json:"gained,omitempty" doc:"Records that only the other has; absent where the rows of one are not known."`
	Lost      *Differing `json:"lost,omitempty" doc:"Records that only the one has, likewise."`
	Altered   *Differing `json:"changed,omitempty" doc:"Records that both have and show otherwise, likewise."`
	NotByRows string     `json:"not_by_rows,omitempty" doc:"Why the rows could not be held against each other."`
}

// nowhere is where rows go that are only counted and hashed.
type nowhere struct{}

func (nowhere) Begin() error { return nil }

func (nowhere) Row([]value.Value) error { return nil }

func (nowhere) HandOn() error { return nil }

func (nowhere) End([]byte) error { return nil }

// Again runs what a receipt tells of once more and compares: as it was, by the
// definitions and the as-of day of then; or, given a day, as of that day by the
// definitions of now. Conditions on the person are those of the one who ran it.
func (s *Service) Again(ctx context.Context, id int64, asOf string) (*Comparison, error) {
	before, kept, err := s.kept(ctx, id)
	if err != nil {
		return nil, err
	}
	if before.partly {
		return nil, &Refusal{Kind: DefinitionInError, Faults: fault.List{fault.New("not_recorded", "%s", before.Problem)}}
	}
	req := Request{Answers: before.Entered, AsOf: asOf, Evidence: true}
	var report *catalog.Report
	revisions := before.Revisions
	if asOf == "" {
		req.AsOf, req.then = before.AsOf.String(), before.Reading
		if req.with, err = s.asItWas(ctx, before); err != nil {
			return nil, err
		}
		report = req.with.Reports[before.Report]
	} else {
		revisions = s.published.Load().builtOf(before.Report)
		if report, err = s.Report(before.Report); err != nil {
			return nil, err
		}
	}
	who := PersonOf(ctx)
	r := s.newRun(ctx, report, req)
	r.receipt.ID, r.receipt.Again, r.receipt.Revisions = s.store.NextReceipt(), id, revisions
	if err := r.prepare(WithPerson(ctx, Person{Name: before.Person, Role: before.Role})); err != nil {
		return nil, r.ended(ctx, err)
	}
	r.receipt.Person, r.receipt.Role = who.Name, who.Role
	if asOf == "" && before.ZoneRules != r.receipt.ZoneRules {
		r.ready.notes = append(r.ready.notes, note{says: fmt.Sprintf("The time zone rules were those of release %s then and are those of %s now.", before.ZoneRules, r.receipt.ZoneRules)})
	}
	got, err := r.stream(ctx, nowhere{})
	if err != nil {
		return nil, err
	}
	earlier, err := unpack(kept)
	if err != nil {
		return nil, err
	}
	return compare(report, *before, r.receipt, earlier, got.marks)
}

// asItWas are the definitions that a run was made of, in the revisions of then.
func (s *Service) asItWas(ctx context.Context, r *Receipt) (*catalog.Catalog, error) {
	var docs []catalog.Document
	for _, part := range r.Revisions {
		d, _, err := s.store.Document(ctx, catalog.Ref{Kind: part.Kind, Name: part.Name}, part.Revision)
		if err != nil {
			return nil, noSuch(d.Ref, err)
		}
		docs = append(docs, d)
	}
	zone := s.zone()
	defs, broken := definition.Load(docs, r.Reading.on(s.setting(r.AsOf, zone)), s.config.Functions...)
	if defs.Reports[r.Report] == nil {
		faults := broken[catalog.Ref{Kind: catalog.KindReport, Name: r.Report}]
		if len(faults) == 0 {
			faults = fault.List{fault.New("not_recorded", "receipt %d does not tell which revisions it was made of", r.ID)}
		}
		return nil, &Refusal{Kind: DefinitionInError, Faults: faults}
	}
	return defs, nil
}

func compare(report *catalog.Report, before, after Receipt, earlier, later *marks) (*Comparison, error) {
	c := &Comparison{Before: before, After: after}
	for _, k := range report.Table.Of.Key {
		c.Key = append(c.Key, k.Label)
	}
	known := func(r Receipt) bool { return r.Evidence != nil && r.Evidence.Fingerprint != "" }
	switch {
	case !known(before):
		c.NotByRows = "The first run was made without evidence, so that its rows are not known."
	case !known(after):
		c.NotByRows = "The rows of the second run could not all be read in time."
	default:
		c.Same = before.Evidence.Fingerprint == after.Evidence.Fingerprint
		if earlier == nil || later == nil || later.many {
			c.NotByRows = "There are more rows than are kept of a result."
		}
	}
	if c.NotByRows != "" {
		return c, nil
	}
	gained, lost, changed, err := compared(earlier, later)
	c.Gained, c.Lost, c.Altered = &gained, &lost, &changed
	return c, err
}

// Versions asks for two versions of a report to be run on the same answers.
type Versions struct {
	Request
	Before []catalog.File // in place of what is published; none for that
	After  []catalog.File
}

// Compare runs two versions of a report and compares their rows. Neither version is
// stored, and neither run is on record.
func (s *Service) Compare(ctx context.Context, name string, v Versions) (*Comparison, error) {
	var receipts [2]Receipt
	var rows [2]*marks
	var report *catalog.Report
	for i, files := range [][]catalog.File{v.Before, v.After} {
		defs, err := s.beside(ctx, files)
		if err != nil {
			return nil, err
		}
		if report = defs.Reports[name]; report == nil {
			return nil, unknownReport(name, defs)
		}
		req := Request{Answers: v.Answers, AsOf: v.AsOf, Evidence: true, with: defs}
		r := s.newRun(ctx, report, req)
		if err := r.prepare(ctx); err != nil {
			return nil, err
		}
		got, err := r.read(ctx, nowhere{})
		if err != nil {
			return nil, err
		}
		r.ends()
		if _, err := r.finished(got); err != nil {
			return nil, err
		}
		receipts[i], rows[i] = r.receipt, got.marks
	}
	return compare(report, receipts[0], receipts[1], rows[0], rows[1])
}

// beside are the published definitions with those of files in their place.
func (s *Service) beside(ctx context.Context, files []catalog.File) (*catalog.Catalog, error) {
	if len(files) == 0 {
		return s.published.Load().Catalog, nil
	}
	release, err := s.checking(ctx)
	if err != nil {
		return nil, err
	}
	defer release()
	stored, err := s.store.Published(ctx)
	if err != nil {
		return nil, err
	}
	zone := s.zone()
	_, defs, found := definition.Check(files, stored, s.setting(s.Today(zone), zone), s.config.Functions...)
	if wrong := found.Errors(); len(wrong) > 0 {
		return nil, &Refusal{Kind: DefinitionsRefused, Faults: wrong}
	}
	return defs, nil
}
