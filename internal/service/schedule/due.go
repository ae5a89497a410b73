package schedule

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"go.opentelemetry.io/otel/attribute"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
	"pikegate/internal/store"
	"pikegate/internal/traced"
)

// pauses are how long a failed run or delivery waits before each further try.
var pauses = []time.Duration{time.Minute, 5 * time.Minute, 25 * time.Minute}

const (
	// lookEvery is how often it is looked for what is due.
	lookEvery = 5 * time.Second
	// tidyEvery is how often old times are forgotten and old files removed.
	tidyEvery = time.Hour
	// late is how long after its time a run counts as missed.
	late = 5 * time.Minute
	// atOnce is how many runs of schedules go on at once.
	atOnce = 4
	// keptDays is how long it is told what became of the times of schedules.
	keptDays = 400
)

// Start looks for what is due until ctx ends.
func (s *Schedules) Start(ctx context.Context) {
	if err := s.Settle(ctx); err != nil && ctx.Err() == nil {
		s.base.Log.ErrorContext(ctx, "what was being sent when the service ended is not told", "error", err)
	}
	for {
		if err := s.Look(ctx); err != nil && ctx.Err() == nil {
			s.base.Log.ErrorContext(ctx, "schedules could not all be looked at", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(lookEvery):
		}
	}
}

// Settle tells what was being sent when the service ended: a file is put anew, which comes to the same;
// a mail or a post may have arrived, and is not sent again.
func (s *Schedules) Settle(ctx context.Context) error {
	open, err := s.base.Store.Interrupted(ctx)
	for i := range open {
		d := &open[i]
		if d.Kind == "folder" {
			d.State = store.Waiting
		} else {
			d.State, d.EndedAt = store.Doubtful, s.now()
			d.Problem = "the service ended while it was being sent: it may have arrived, and is not sent again"
			s.counted(d.Kind, string(d.State))
		}
		err = errors.Join(err, s.base.Store.SetDelivery(ctx, d))
	}
	return err
}

// Look runs and sends all that is due by now, and waits for it.
func (s *Schedules) Look(ctx context.Context) error {
	s.turn.Lock()
	defer s.turn.Unlock()
	all, err := s.all(ctx)
	if err != nil {
		return err
	}
	byName := map[string]owned{}
	for _, o := range all {
		if byName[o.Name] = o; o.Zone != nil && o.At.PerDay() > 0 {
			err = errors.Join(err, s.claim(ctx, o))
		}
	}
	due, failed := s.base.Store.Due(ctx, s.now())
	if err = errors.Join(err, failed); failed != nil {
		return err
	}
	var group errgroup.Group
	group.SetLimit(atOnce)
	for i := range due {
		group.Go(func() error {
			o, there := byName[due[i].Schedule]
			if !there {
				o = owned{Schedule: &catalog.Schedule{Name: due[i].Schedule}, person: due[i].Person}
			}
			return s.carryOut(ctx, o, &due[i])
		})
	}
	err = errors.Join(err, group.Wait())
	if now := s.now(); now.Sub(s.tidied) >= tidyEvery {
		s.tidied = now
		err = errors.Join(err, s.base.Store.PruneSchedules(ctx, now.AddDate(0, 0, -keptDays)), s.clear(all))
	}
	return err
}

// claim puts the latest time of a schedule that has passed on record, so that it is run once, whoever
// else looks and whenever the service ends. Times before it are left.
func (s *Schedules) claim(ctx context.Context, o owned) error {
	now := s.now()
	mark, err := s.base.Store.Reached(ctx, o.Name, o.times(), now)
	if err != nil {
		return err
	}
	due, found := latest(o, mark.Reached.Unix(), now.Unix())
	if !found {
		return nil
	}
	at := time.Unix(due, 0).UTC()
	r := &store.ScheduleRun{Schedule: o.Name, DueAt: at, Person: o.person, State: store.RunClaimed, NextAt: now}
	if len(o.faults) > 0 { // its owner may not run it any more, or it cannot be read as the reports are now
		r.State, r.EndedAt, r.Problem = store.RunFailed, now, o.faults[0].Sentence()
	} else if o.SkipMissed && now.Sub(at) > late {
		r.State, r.EndedAt = store.RunSkipped, now
		r.Problem = "the service was down when it was due"
	}
	claimed, err := s.base.Store.Claim(ctx, r)
	if claimed && r.State != store.RunClaimed {
		s.counted("run", string(r.State))
	}
	if claimed && r.State == store.RunFailed {
		s.fails(ctx, o, at, r.Problem)
	}
	return err
}

// latest is the last time of a schedule after an instant that has come by now.
func latest(o owned, after, now int64) (due int64, found bool) {
	// Of many times only the last ones are looked at, from the shortest stretch that has any.
	for _, stretch := range []int64{3600, civil.SecondsPerDay, 8 * civil.SecondsPerDay, 40 * civil.SecondsPerDay, 400 * civil.SecondsPerDay} {
		from := max(after, now-stretch)
		for {
			next, ok := o.At.Next(from, o.Zone)
			if !ok || next > now {
				break
			}
			due, from, found = next, next, true
		}
		if found || from == after {
			break
		}
	}
	return due, found
}

// RunNow runs a schedule once beside its times.
func (s *Schedules) RunNow(ctx context.Context, name string) (*ScheduleInfo, error) {
	o, err := s.named(ctx, name)
	if err != nil {
		return nil, err
	}
	if len(o.faults) > 0 {
		return nil, &base.Refusal{Kind: o.faults[0].Code, Faults: o.faults}
	}
	if err := s.claim(ctx, o); err != nil {
		return nil, err
	}
	r := &store.ScheduleRun{Schedule: o.Name, DueAt: s.now(), Person: o.person, State: store.RunClaimed, NextAt: s.now()}
	if _, err := s.base.Store.Claim(ctx, r); err != nil {
		return nil, err
	}
	if err := s.Look(context.WithoutCancel(ctx)); err != nil {
		return nil, err
	}
	return s.Show(ctx, name)
}

// carryOut runs what is due, and sends what is to be sent of it.
func (s *Schedules) carryOut(ctx context.Context, o owned, r *store.ScheduleRun) (err error) {
	ctx, span := traced.Begin(ctx, "schedule", attribute.String("pikegate.schedule", o.Name), attribute.Int("pikegate.try", r.Tries+1))
	defer func() {
		if r.State == store.RunFailed {
			span.Failed()
		}
		span.End(err)
	}()
	if r.State == store.RunClaimed {
		if err := s.runOf(ctx, o, r); err != nil || r.State == store.RunClaimed {
			return err
		}
	}
	return s.send(ctx, o, r)
}

// runOf runs the report of a schedule for one of its times, with the rights that its owner has now.
func (s *Schedules) runOf(ctx context.Context, o owned, r *store.ScheduleRun) error {
	r.Tries++
	if o.Check != nil {
		return s.check(ctx, o, r)
	}
	told, err := s.result(ctx, o, r)
	if ctx.Err() != nil {
		return ctx.Err() // the service ends: it is claimed still, and run when there is one again
	}
	if err != nil {
		return s.fallsThrough(ctx, o, r, err)
	}
	now := s.now()
	r.State, r.Receipt, r.Problem, r.EndedAt = store.RunDone, told.ID, "", now
	mark, err := s.base.Store.Reached(ctx, o.Name, o.times(), now)
	if err != nil {
		return err
	}
	print := fingerprintOf(told)
	for i, to := range o.Send {
		state := store.NotWanted
		if isWanted(to.When, told, print != mark.Fingerprint) {
			state = store.Waiting
		}
		for _, recipient := range recipients(o, to, r, told) {
			d := store.Delivery{Place: i, Kind: kindOf(to), Recipient: recipient, State: state, NextAt: now}
			if state == store.NotWanted {
				d.EndedAt = now
				s.counted(d.Kind, string(state))
			}
			r.Deliveries = append(r.Deliveries, d)
		}
	}
	s.counted("run", string(r.State))
	return s.base.Store.SetRun(ctx, r, print)
}

// fallsThrough puts on record that a time of a schedule failed: it is tried again, or it was for good.
func (s *Schedules) fallsThrough(ctx context.Context, o owned, r *store.ScheduleRun, err error) error {
	problem, forGood := problemOf(err)
	r.Problem = problem
	if forGood || r.Tries > len(pauses) {
		r.State, r.EndedAt = store.RunFailed, s.now()
		s.counted("run", string(r.State))
		s.fails(ctx, o, r.DueAt, problem)
	} else {
		r.NextAt = s.now().Add(pauses[r.Tries-1])
	}
	return s.base.Store.SetRun(ctx, r, "")
}

// result runs the report, whose rows are kept to be sent.
func (s *Schedules) result(ctx context.Context, o owned, r *store.ScheduleRun) (*receipt.Receipt, error) {
	if o.Report == nil {
		return nil, refused("unknown_schedule", "there is no schedule %q any more", o.Name)
	}
	ctx, err := s.asOwner(ctx, o)
	if err != nil {
		return nil, err
	}
	started, err := s.runs.Prepare(ctx, o.Report.Name, answer.Request{Answers: o.Answers, AsOf: s.asOf(o, r.DueAt.Unix()).String(), Evidence: true})
	if err != nil {
		return nil, err
	}
	return started.Stream(ctx, export.Whole{Writer: run.Nowhere{}})
}

// asOwner is a context in which the owner of a schedule asks, with what they may now.
func (s *Schedules) asOwner(ctx context.Context, o owned) (context.Context, error) {
	who, there := s.base.PersonNow(ctx, o.person, o.role)
	if !there {
		return nil, refused("right_missing", "%s, whose schedule it is, may not sign in any more", o.person)
	}
	return base.WithPerson(ctx, who), nil
}

// fingerprintOf is the fingerprint of a result, of all its sections.
func fingerprintOf(r *receipt.Receipt) string {
	var all []string
	if r.Evidence != nil {
		all = append(all, r.Evidence.Fingerprint)
	}
	for _, section := range r.Sections {
		all = append(all, section.Fingerprint)
	}
	return strings.Join(all, " ")
}

// isWanted reports whether a result is one to be sent.
func isWanted(when catalog.When, r *receipt.Receipt, changed bool) bool {
	records := int64(r.Rows)
	if r.Records != nil {
		records = *r.Records
	}
	switch when.Kind {
	case catalog.WhenRecords:
		return records > 0
	case catalog.WhenMore:
		return records > when.More
	case catalog.WhenChanged:
		return changed
	}
	return true
}

func kindOf(to catalog.Sending) string {
	switch {
	case to.Mail != nil:
		return "mail"
	case to.Folder != nil:
		return "folder"
	}
	return "hook"
}

// recipients are who or what gets a result: a delivery each.
func recipients(o owned, to catalog.Sending, r *store.ScheduleRun, told *receipt.Receipt) []string {
	switch {
	case to.Mail != nil:
		return to.Mail.To
	case to.Folder != nil:
		at := r.DueAt.In(o.Zone)
		name := strings.NewReplacer("{as_of}", told.AsOf.String(), "{date}", at.Format("2006-01-02"), "{time}", at.Format("1504"), "{schedule}", o.Name, "{receipt}", fmt.Sprint(r.Receipt)).Replace(to.Folder.Name)
		return []string{strings.TrimPrefix(to.Folder.Path+"/", "./") + name}
	}
	return []string{to.Hook.URL}
}
