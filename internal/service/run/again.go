package run

import (
	"context"
	"fmt"
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
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
	Sections  []SectionCompared  `json:"sections,omitempty" doc:"Of a report of several sections each: what stands above is of the main one."`
}

// SectionCompared is a section of two results, held against each other by key: that of its records, or
// what its summary is grouped by.
type SectionCompared struct {
	Section int                `json:"section" doc:"Its number, from 1."`
	Label   string             `json:"label" doc:"What people read above it."`
	Known   bool               `json:"known" doc:"Whether the rows of both are known."`
	Same    bool               `json:"same" doc:"Whether they are the same, row by row, in the same order."`
	Key     []string           `json:"key" doc:"Labels of the columns of its key."`
	Gained  *receipt.Differing `json:"gained,omitempty" doc:"Rows that only the other has; absent where the sections are the same or not known."`
	Lost    *receipt.Differing `json:"lost,omitempty" doc:"Rows that only the one has, likewise."`
	Changed *receipt.Differing `json:"changed,omitempty" doc:"Rows that both have and show otherwise, likewise."`
}

// Nowhere is where rows go that are only counted and hashed.
type Nowhere struct{}

func (Nowhere) Begin() error { return nil }

func (Nowhere) Row([]value.Value) error { return nil }

func (Nowhere) Flush() error { return nil }

func (Nowhere) End([]byte) error { return nil }

// compare holds two results against each other; earlier and later are the digests of their sections.
func compare(after *Run, before receipt.Receipt, earliers, laters []*receipt.Digests) (*Comparison, error) {
	if after.several() {
		for i := range min(len(earliers), len(before.Sections)) {
			if earliers[i] != nil && earliers[i].IsEmpty() && before.Sections[i].Rows > 0 { // there were too many
				earliers[i] = nil
			}
		}
	}
	c, err := compareMain(after, before, earliers, laters)
	if err != nil || !after.several() {
		return c, err
	}
	for i, p := range after.parts {
		s := SectionCompared{Section: p.told.Section, Label: p.told.Label, Key: labelsOf(p.section().Query.Key())}
		if i < len(before.Sections) {
			was, is := before.Sections[i].Fingerprint, p.told.Fingerprint
			s.Known = was != "" && is != ""
			s.Same = s.Known && was == is
		}
		if s.Known && !s.Same && earliers[i] != nil && laters[i] != nil {
			gained, lost, changed, err := receipt.Compared(earliers[i], laters[i])
			if err != nil {
				return nil, err
			}
			s.Gained, s.Lost, s.Changed = &gained, &lost, &changed
		}
		c.Sections = append(c.Sections, s)
		c.Same = c.Same && (s.Same || !s.Known)
	}
	return c, nil
}

func labelsOf(columns []*column.Column) (labels []string) {
	for _, c := range columns {
		labels = append(labels, c.Label)
	}
	return labels
}

func compareMain(run *Run, before receipt.Receipt, earliers, laters []*receipt.Digests) (*Comparison, error) {
	after := run.receipt
	c := &Comparison{Before: before, After: after, Key: labelsOf(run.main.section().Query.Key())}
	if run.ready.Published != nil {
		c.Key = labelsOf(run.ready.Published.Query.Key())
	}
	at := slices.Index(run.parts, run.main)
	earlier, later := earliers[at], laters[at]
	known := func(r receipt.Receipt) bool { return r.Evidence != nil && r.Evidence.Fingerprint != "" }
	switch {
	case before.Evidence == nil:
		c.NotByRows = "The first run was made without evidence, so that its rows are not known."
	case !known(before):
		c.NotByRows = "Not all rows of the first run were read, so that they are not known."
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
// definitions of now. It is run for who asks, with what there is of the report for them.
func (s *Runs) Again(ctx context.Context, id int64, asOf string) (*Comparison, error) {
	before, kept, err := s.receipts.Kept(ctx, id)
	if err != nil {
		return nil, err
	}
	if before.Partly {
		return nil, &base.Refusal{Kind: fault.DefinitionInError, Faults: fault.List{fault.New(fault.NotRecorded, "%s", before.Problem)}}
	}
	req := answer.Request{Answers: before.Entered, AsOf: asOf, Evidence: true, Section: before.Section, View: before.ViewOf()}
	var report *catalog.Report
	revisions := before.Revisions
	if asOf == "" {
		req.AsOf, req.Then = before.AsOf.String(), before.Reading
		was, err := s.asItWas(ctx, before)
		if err != nil {
			return nil, err
		}
		ctx = base.With(ctx, was)
		report = was.Reports[before.Report]
	} else {
		revisions = s.base.Published.Load().BuiltOf(before.Report)
		if report, err = s.base.Report(ctx, before.Report); err != nil {
			return nil, err
		}
	}
	who := base.PersonOf(ctx)
	r := s.newRun(ctx, report, req)
	r.receipt.ID, r.receipt.Again, r.receipt.Revisions = s.base.Store.NextReceipt(), id, revisions
	if err := r.prepare(ctx); err != nil {
		return nil, r.ended(ctx, err)
	}
	if r.receipt.Limits != before.Limits {
		r.ready.Notes = append(r.ready.Notes, answer.Note{Says: fmt.Sprintf("This run is for %s, and receipt %d was for %s: not the same records, or columns, are there for both.", who.Name, id, before.Person)})
	}
	if asOf == "" && before.ZoneRules != r.receipt.ZoneRules {
		r.ready.Notes = append(r.ready.Notes, answer.Note{Says: fmt.Sprintf("The time zone rules were those of release %s then and are those of %s now.", before.ZoneRules, r.receipt.ZoneRules)})
	}
	if _, err := r.stream(ctx, export.Whole{Writer: Nowhere{}}); err != nil {
		return nil, err
	}
	earlier, err := receipt.Unpack(kept, len(r.parts))
	if err != nil {
		return nil, err
	}
	return compare(r, *before, earlier, r.digests())
}

// asItWas are the definitions that a run was made of, in the revisions of then.
func (s *Runs) asItWas(ctx context.Context, r *receipt.Receipt) (*base.Published, error) {
	var docs []catalog.Document
	for _, part := range r.Revisions {
		d, err := s.base.Store.Document(ctx, catalog.Ref{Kind: part.Kind, Name: part.Name}, part.Revision)
		if err != nil {
			return nil, base.NoSuch(d.Ref, err)
		}
		docs = append(docs, d)
	}
	zone := s.base.Zone()
	defs, broken := definition.Load(docs, r.Reading.On(s.base.Setting(ctx, r.AsOf, zone)), s.base.Config().Functions...)
	if defs.Reports[r.Report] == nil {
		faults := broken[catalog.Ref{Kind: catalog.KindReport, Name: r.Report}]
		if len(faults) == 0 {
			faults = fault.List{fault.New(fault.NotRecorded, "receipt %d does not tell which revisions it was made of", r.ID)}
		}
		return nil, &base.Refusal{Kind: fault.DefinitionInError, Faults: faults}
	}
	return base.Tried(defs, broken), nil
}

// Compare runs two versions of a report and compares their rows. Neither version is
// stored, and neither run is on record.
func (s *Runs) Compare(ctx context.Context, name string, v Versions) (*Comparison, error) {
	var runs [2]*Run
	for i, files := range [][]catalog.File{v.Before, v.After} {
		defs, err := s.base.Beside(ctx, files)
		if err != nil {
			return nil, err
		}
		ctx := base.With(ctx, defs)
		report, err := s.base.Report(ctx, name)
		if err != nil {
			return nil, err
		}
		r, _, err := s.tried(ctx, report, answer.Request{Answers: v.Answers, AsOf: v.AsOf, Evidence: true}, Nowhere{})
		if err != nil {
			return nil, err
		}
		runs[i] = r
	}
	earlier := runs[0].digests()
	return compare(runs[1], runs[0].receipt, slices.Concat(earlier, make([]*receipt.Digests, len(runs[1].parts)))[:len(runs[1].parts)], runs[1].digests())
}
