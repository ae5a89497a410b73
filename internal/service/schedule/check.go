package schedule

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/deliver"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// holds stands for what is found where nothing is, so that it is known that it was looked.
const holds = "all holds"

// mostFound is how many findings are told of one time.
const mostFound = 50

// check checks what a schedule wants, with the rights that its owner has now. Its time has failed where
// something does not hold; what only misleads is said. Who is to be told is told when something is found
// that was not found the time before, and when nothing is found any more.
func (s *Schedules) check(ctx context.Context, o owned, r *store.ScheduleRun) error {
	found, err := s.found(ctx, o)
	if ctx.Err() != nil {
		return ctx.Err() // as for a report
	}
	if err != nil {
		return s.fallsThrough(ctx, o, r, err)
	}
	mark, err := s.base.Store.Reached(ctx, o.Name, o.times(), s.now())
	if err != nil {
		return err
	}
	before := strings.Split(mark.Fingerprint, "\n")
	var now []string
	begins := false
	for _, f := range found {
		place := placeOf(f)
		now = append(now, place)
		begins = begins || !slices.Contains(before, place)
	}
	print := strings.Join(now, "\n")
	if print == "" {
		print = holds
	}
	r.State, r.EndedAt, r.Problem = store.RunDone, s.now(), ""
	if len(found) > 0 {
		r.Problem = problemsOf(found)
	}
	if wrong := found.Errors(); len(wrong) > 0 {
		r.State = store.RunFailed
		s.base.Log.ErrorContext(ctx, "a schedule found what does not hold",
			"schedule", o.Name, "found", len(wrong), "new", begins)
	}
	s.counted("run", string(r.State))
	if begins || len(found) == 0 && mark.Fingerprint != "" && mark.Fingerprint != holds {
		for _, to := range s.checkTold(ctx, o) {
			r.Deliveries = append(r.Deliveries, store.Delivery{Kind: "mail", Recipient: to, State: store.Waiting, NextAt: s.now()})
		}
	}
	return s.base.Store.SetRun(ctx, r, print)
}

// found is what does not hold.
func (s *Schedules) found(ctx context.Context, o owned) (fault.List, error) {
	ctx, err := s.asOwner(ctx, o)
	if err != nil {
		return nil, err
	}
	if who := base.PersonOf(ctx); !who.May(base.Developer) {
		return nil, refused(fault.RightMissing, "to check what is published takes the role developer, and %s is a %s", who.Name, who.Role)
	}
	if who := base.PersonOf(ctx); who.IsLimited() && o.Check.Proofs == nil {
		return nil, refused(fault.RightMissing, "to check all that is published takes a developer who is not limited to shelves, and %s is", who.Name)
	}
	return s.checks.Checked(ctx, o.Check.Proofs, o.Check.Findings)
}

// placeOf tells a finding from others, whatever figures stand in it.
func placeOf(f *fault.Fault) string {
	return fmt.Sprintf("%s:%d:%d %s", f.Place.File, f.Place.Line, f.Place.Column, f.Code)
}

// problemsOf says what was found: how much, and each on a line of its own.
func problemsOf(found fault.List) string {
	wrong := len(found.Errors())
	var much []string
	if wrong == 1 {
		much = append(much, "1 thing does not hold")
	} else if wrong > 0 {
		much = append(much, fmt.Sprintf("%d things do not hold", wrong))
	}
	if warnings := len(found) - wrong; warnings > 0 {
		much = append(much, english.Count(warnings, "warning"))
	}
	lines := []string{english.Both(much) + ":"}
	sorted := append(found.Errors(), slices.DeleteFunc(slices.Clone(found), func(f *fault.Fault) bool { return !f.Warning })...)
	for _, f := range sorted.Capped(mostFound) {
		lines = append(lines, f.Error())
	}
	return strings.Join(lines, "\n")
}

// checkTold are the addresses of who is told: the owner's, and those of the schedule.
func (s *Schedules) checkTold(ctx context.Context, o owned) (all []string) {
	for _, to := range append([]string{s.addressOf(ctx, o.person)}, o.Tell...) {
		if to != "" && !slices.Contains(all, to) {
			all = append(all, to)
		}
	}
	return all
}

// checkMail tells what was found.
func (p *parcel) checkMail(ctx context.Context, d *store.Delivery) error {
	config := p.s.base.Config()
	switch {
	case !config.Mail.IsSet():
		return &deliver.Refused{Why: "the service has no mail server: the setting mail-server names one"}
	case !slices.Contains(p.s.checkTold(ctx, p.o), d.Recipient):
		return &deliver.Refused{Why: "the schedule sends it there no more"}
	}
	if f := p.s.unmailed(d.Recipient); f != nil {
		return &deliver.Refused{Why: f.Message}
	}
	m := &message{Title: p.o.Name + ": all holds again", ReadBack: fmt.Sprintf("This schedule checks %s. It finds nothing any more.", p.o.Check), Schedule: p.o.Name}
	if lines := strings.Split(p.run.Problem, "\n"); len(lines) > 1 {
		m.Title = p.o.Name + ": " + strings.TrimSuffix(lines[0], ":")
		m.ReadBack = fmt.Sprintf("This schedule checks %s.", p.o.Check)
		m.Notes = lines[1:]
	}
	m.Evidence = "It is told again when something else starts to fail, and when all holds again."
	sent := m.to("")
	sent.ID, sent.To, sent.At = fmt.Sprintf("pikegate-%d-%d", p.run.ID, d.ID), d.Recipient, config.Now()
	return p.mailed(ctx, sent)
}
