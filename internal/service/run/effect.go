package run

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/difference"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
)

// Effect is what definitions would change in the runs that readers made lately.
type Effect struct {
	Reports []string   `json:"reports" doc:"The reports that are made of what would change."`
	Runs    []Affected `json:"runs" doc:"The latest runs of each of them, the latest first, as they are now and as they would be."`
	Left    int        `json:"left,omitempty" doc:"How many of those runs were not tried, since the time was over."`
}

// Changes reports whether any of the runs would be another one.
func (e *Effect) Changes() bool {
	return e.Left > 0 || slices.ContainsFunc(e.Runs, func(a Affected) bool { return !a.Same })
}

// Affected is a run on record, made once more by the published definitions and by others.
type Affected struct {
	Receipt   int64     `json:"receipt" doc:"The number of its receipt."`
	Report    string    `json:"report" doc:"Name of the report."`
	Person    string    `json:"person" doc:"Who ran it."`
	StartedAt time.Time `json:"started_at" doc:"When."`
	AsOf      civil.Day `json:"as_of" doc:"The day that was taken for today, and is here too."`
	Said      string    `json:"said" doc:"The read-back of then."`
	Now       string    `json:"now,omitempty" doc:"The read-back that it would have, where that is another."`
	Same      bool      `json:"same" doc:"Whether it would bring the same rows in the same order."`
	Gained    int       `json:"gained" doc:"Rows that it would bring beside those that it brings; of all sections together."`
	Lost      int       `json:"lost" doc:"Rows that it would not bring any more."`
	Changed   int       `json:"changed" doc:"Rows that it would bring with other values."`
	Keys      *Keys     `json:"keys,omitempty" doc:"The keys of the first of them, of the main section."`
	Problem   string    `json:"problem,omitempty" doc:"Why it would not run any more, or why its rows could not be held against each other."`
	Unchanged bool      `json:"unchanged,omitempty" doc:"Whether it does not run by the published definitions either."`
}

// Keys are keys of records that differ.
type Keys struct {
	Gained  [][]string `json:"gained,omitempty" doc:"Of rows gained."`
	Lost    [][]string `json:"lost,omitempty" doc:"Of rows lost."`
	Changed [][]string `json:"changed,omitempty" doc:"Of rows changed."`
}

// effectTime is how long telling an effect may take; runs that are left then are counted.
const effectTime = time.Minute

// usualRuns is how many runs of each report are tried where that is not said.
const usualRuns = 5

// Effect tells what files of definitions would change in the latest runs of every report that
// they are part of: so many of each with answers of their own. Nothing is stored.
func (s *Runs) Effect(ctx context.Context, files []catalog.File, most int) (*Effect, error) {
	tried, err := s.base.Beside(ctx, files)
	if err != nil {
		return nil, err
	}
	published, err := s.base.Documents(ctx)
	if err != nil {
		return nil, err
	}
	was := map[catalog.Ref]string{}
	for _, d := range published {
		was[d.Ref] = d.Text
	}
	docs, _ := definition.SplitAll(files)
	var changed []catalog.Ref
	for _, d := range docs {
		if len(difference.Between(was[d.Ref], d.Text)) > 0 {
			changed = append(changed, d.Ref)
		}
	}
	return s.EffectOf(ctx, tried, changed, most)
}

// EffectOf is Effect for definitions at hand, of which some differ from what is published.
func (s *Runs) EffectOf(ctx context.Context, tried *base.Published, changed []catalog.Ref, most int) (*Effect, error) {
	published := s.base.Published.Load()
	effect := &Effect{Reports: []string{}, Runs: []Affected{}}
	for _, r := range s.base.Reports(ctx, "") {
		ref := catalog.Ref{Kind: catalog.KindReport, Name: r.Name}
		if slices.ContainsFunc(slices.Concat(published.PartsOf(ref), tried.PartsOf(ref)), func(part catalog.Ref) bool { return slices.Contains(changed, part) }) {
			effect.Reports = append(effect.Reports, r.Name)
		}
	}
	slices.Sort(effect.Reports)
	var made []*receipt.Receipt
	for _, name := range effect.Reports {
		latest, err := s.latest(ctx, name, cmp.Or(most, usualRuns))
		if err != nil {
			return nil, err
		}
		made = append(made, latest...)
	}
	slices.SortFunc(made, func(a, b *receipt.Receipt) int { return cmp.Compare(b.ID, a.ID) })
	timed, cancel := context.WithTimeout(ctx, effectTime)
	defer cancel()
	for i, r := range made {
		affected, err := s.affected(timed, tried, r)
		if timed.Err() != nil && ctx.Err() == nil {
			effect.Left = len(made) - i
			break
		}
		if err != nil {
			return nil, err
		}
		effect.Runs = append(effect.Runs, *affected)
	}
	return effect, nil
}

// latest are the receipts of the latest runs of a report that brought a result, each with answers
// of its own.
func (s *Runs) latest(ctx context.Context, name string, most int) ([]*receipt.Receipt, error) {
	const looked = 200
	all, _, err := s.receipts.History(ctx, receipt.Wanted{Report: name, Most: looked})
	if err != nil {
		return nil, err
	}
	var found []*receipt.Receipt
	seen := map[string]bool{}
	for _, r := range all {
		said := r.AsOf.String() + r.ReadBack
		if r.State != receipt.Rows && r.State != receipt.NoRows || r.Partly || r.Again > 0 || seen[said] {
			continue
		}
		seen[said] = true
		whole, err := s.receipts.Find(ctx, r.ID)
		if err != nil {
			return nil, err
		}
		if found = append(found, whole); len(found) == most {
			break
		}
	}
	return found, nil
}

// affected runs what a receipt tells of by the published definitions and by others.
func (s *Runs) affected(ctx context.Context, tried *base.Published, r *receipt.Receipt) (*Affected, error) {
	a := &Affected{Receipt: r.ID, Report: r.Report, Person: r.Person, StartedAt: r.StartedAt, AsOf: r.AsOf, Said: r.ReadBack}
	before, err := s.asAnswered(ctx, s.base.Published.Load(), r)
	if err != nil {
		a.Unchanged, a.Problem = true, problemOf(err)
		a.Same = true
		return a, ctx.Err()
	}
	after, err := s.asAnswered(ctx, tried, r)
	if err != nil {
		a.Problem = problemOf(err)
		return a, ctx.Err()
	}
	if now := after.receipt.ReadBack; now != before.receipt.ReadBack {
		a.Now = now
	}
	later := after.digests()
	earlier := slices.Concat(before.digests(), make([]*receipt.Digests, len(later)))[:len(later)]
	c, err := compare(after, before.receipt, earlier, later)
	if err != nil {
		return nil, err
	}
	a.Same, a.Problem = c.Same && len(before.parts) == len(after.parts), c.NotByRows
	add := func(to *int, d *receipt.Differing) [][]string {
		if d == nil {
			return nil
		}
		*to += d.Records
		return d.Keys
	}
	a.Keys = &Keys{Gained: add(&a.Gained, c.Gained), Lost: add(&a.Lost, c.Lost), Changed: add(&a.Changed, c.Changed)}
	for _, section := range c.Sections {
		if section.Section != after.receipt.Main {
			add(&a.Gained, section.Gained)
			add(&a.Lost, section.Lost)
			add(&a.Changed, section.Changed)
		}
	}
	if a.Same {
		a.Keys = nil
	}
	return a, nil
}

// problemOf is why a run did not come to a result, in a sentence.
func problemOf(err error) string {
	var refusal *base.Refusal
	if errors.As(err, &refusal) {
		return refusal.Faults[0].Sentence()
	}
	return err.Error()
}

// asAnswered runs a report with the answers of a receipt, for its person and as of its day. It is
// not on record.
func (s *Runs) asAnswered(ctx context.Context, by *base.Published, r *receipt.Receipt) (*Run, error) {
	reader, there := s.base.PersonNow(ctx, r.Person, r.Role)
	if !there {
		return nil, fmt.Errorf("%s may not sign in any more", r.Person)
	}
	ctx = base.WithPerson(base.With(ctx, by), reader)
	report, err := s.base.Report(ctx, r.Report)
	if err != nil {
		return nil, err
	}
	req := answer.Request{Answers: r.Entered, AsOf: r.AsOf.String(), Then: r.Reading, Section: r.Section, View: r.ViewOf(), Evidence: true}
	run, _, err := s.tried(ctx, report, req, Nowhere{})
	return run, err
}
