package counts

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/daycount"
	"pikegate/internal/core/value"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// job is a calendar to make or to renew.
type job struct {
	of *Of
	// anew says that somebody asked for it and waits: all is counted, at any hour and without
	// pauses. done gets what came of it.
	anew bool
	done chan error
}

// want puts a calendar in the queue of its source. The caller holds the lock.
func (c *Counts) want(k *known, j job) {
	if c.ctx == nil {
		return
	}
	k.wanted = true
	from := j.of.From.Source
	waiting, isCounted := c.queues[from]
	if j.anew {
		c.queues[from] = append([]job{j}, waiting...)
	} else {
		c.queues[from] = append(waiting, j)
	}
	if !isCounted {
		c.stopped.Go(func() { c.work(c.ctx, from) })
	}
}

// work counts what waits of a source, one calendar at a time, until nothing waits any more.
func (c *Counts) work(ctx context.Context, from *source.Source) {
	for {
		c.mu.Lock()
		waiting := c.queues[from]
		if len(waiting) == 0 || ctx.Err() != nil {
			delete(c.queues, from)
			for _, j := range waiting {
				if j.done != nil {
					j.done <- context.Cause(ctx)
				}
			}
			c.mu.Unlock()
			return
		}
		j := waiting[0]
		c.queues[from] = waiting[1:]
		c.mu.Unlock()
		err := c.count(ctx, j)
		if k, found := c.find(ctx, j.of); found == nil {
			c.mu.Lock()
			k.wanted = false
			if err != nil && ctx.Err() == nil {
				k.failed = c.base.Config().Now()
			}
			c.mu.Unlock()
			if err != nil && ctx.Err() == nil {
				c.base.Log.WarnContext(ctx, "records were not counted",
					"dataset", j.of.Dataset.Name, "column", j.of.Column.Name, "error", err)
				err = errors.Join(err, c.change(ctx, k, func(s *store.Calendar) { s.Problem = problem(j.of, err) }))
			}
		}
		if j.done != nil {
			j.done <- err
		}
	}
}

// problem is why a count was not finished, for people.
func problem(of *Of, err error) string {
	return (&base.SourceError{Source: of.Dataset.Source.Name, Err: err}).Error()
}

// count makes a calendar, goes on with one that is under way, or renews one where the data
// have changed: the last days at once, since most changes are new records, and all of it once
// it is older than the source's setting says.
func (c *Counts) count(ctx context.Context, j job) error {
	k, err := c.find(ctx, j.of)
	if err != nil {
		return err
	}
	if err := c.awaitHours(ctx, j); err != nil {
		return err
	}
	now := c.base.Config().Now()
	changes, err := c.changes(ctx, j.of)
	if err != nil {
		return err
	}
	c.mu.Lock()
	k.checked = now
	have := k.calendar
	c.mu.Unlock()
	if !j.anew && have.Began.IsZero() && !have.Counted.IsZero() {
		again := hasPassed(have.Counted, now, j.of.Dataset.Source.Counting.AgainAfter) || c.loadedSince(ctx, j.of, have.Counted)
		switch {
		case changes != "" && changes == have.Changes, changes == "" && !again:
			return nil
		case !again:
			return c.renewTail(ctx, j.of, k, changes)
		}
	}
	if j.anew || have.Began.IsZero() {
		if err := c.begin(ctx, k, now, changes); err != nil {
			return err
		}
	}
	return c.whole(ctx, j, k)
}

// begin says that all is counted anew from now on.
func (c *Counts) begin(ctx context.Context, k *known, now time.Time, changes string) error {
	return c.change(ctx, k, func(s *store.Calendar) {
		if s.Days.Newest().Sub(now) > clockSlack { // the clock was ahead then: these times mean nothing
			s.Days, s.Counted = daycount.Calendar{}, time.Time{}
		}
		s.Began, s.Changes, s.Problem = after(now, &s.Days), changes, ""
	})
}

// whole counts in slices until all is counted that was not since the count began.
func (c *Counts) whole(ctx context.Context, j job, k *known) error {
	for {
		started := time.Now()
		finished, err := c.slice(ctx, j.of, k)
		if err != nil || finished {
			return err
		}
		if err := c.pause(ctx, j, time.Since(started)); err != nil {
			return err
		}
	}
}

// clockSlack is how far counts may lie ahead of the clock for it to be believed to be the same.
const clockSlack = time.Minute

// after is a time after all that was counted, so that what is counted anew is told from it even
// where the clock stands still.
func after(now time.Time, days *daycount.Calendar) time.Time {
	now = now.Truncate(time.Millisecond)
	if newest := days.Newest(); !now.After(newest) {
		return newest.Add(time.Millisecond)
	}
	return now
}

// changes is what the database says of the state of the records; "" where it says nothing.
func (c *Counts) changes(ctx context.Context, of *Of) (signs string, err error) {
	err = c.base.Look(ctx, of.From.Source, c.base.Config().RunTime, func(ctx context.Context, v source.View) error {
		signs, err = v.Changes(ctx, slices.Sorted(maps.Values(of.Dataset.From.Tables()))...)
		return err
	})
	return signs, err
}

// loadedSince reports whether the service itself loaded the table after a time.
func (c *Counts) loadedSince(ctx context.Context, of *Of, at time.Time) bool {
	at = at.Truncate(time.Second)
	if of.Dataset.Source.At.File != "" || !of.Dataset.Source.At.IsSQLite() {
		return false
	}
	loaded, err := c.base.Store.LoadedAt(ctx, of.Dataset.From.Table)
	return err == nil && loaded != nil && !loaded.At.Before(at)
}

// How a calendar is counted in slices.
const (
	sliceTime   = 250 * time.Millisecond // about how long a slice takes
	firstSlice  = 16                     // days of the first statement of a slice; later ones have as many as the time allows
	largestRun  = 128                    // days of one statement
	mostUnindex = 20_000                 // days that are counted in one pass where no index serves
	tailDays    = 3                      // days before the last known one that new records can still come to
)

// slice counts for about sliceTime the days that were not counted since the count began. It
// reports whether all is counted.
func (c *Counts) slice(ctx context.Context, of *Of, k *known) (finished bool, err error) {
	c.mu.Lock()
	began, days := k.calendar.Began, k.calendar.Days.Clone()
	c.mu.Unlock()
	at := c.base.Config().Now() // before the snapshot, so that no figure is said to be newer than it is
	if at.Before(began) {
		at = began
	}
	err = c.base.Look(ctx, of.From.Source, c.base.Config().RunTime, func(ctx context.Context, v source.View) error {
		reach, err := c.reach(ctx, v, of)
		if err != nil {
			return err
		}
		if !of.IsIndexed() && reach.IsClosed() {
			finished = true
			return c.onePass(ctx, v, of, reach, &days, at)
		}
		start, size := time.Now(), firstSlice
		for reach.IsClosed() && time.Since(start) < sliceTime {
			next := days.OldestBefore(reach, began)
			if !next.IsValid() {
				break
			}
			run := civil.Period{First: next, Last: min(reach.Last, next+civil.Day(size)-1)}
			before := time.Now()
			if err := onDays(ctx, v, of, run, &days, at); err != nil {
				return err
			}
			if took := time.Since(before); took < sliceTime/8 {
				size = min(2*size, largestRun)
			} else if took > sliceTime/2 {
				size = max(size/2, 1)
			}
		}
		if reach.IsClosed() && days.OldestBefore(reach, began).IsValid() {
			return nil
		}
		finished = true
		return offDays(ctx, v, of, reach, &days, at)
	})
	if err != nil {
		return false, err
	}
	return finished, c.change(ctx, k, func(s *store.Calendar) {
		if s.Days = days; finished {
			s.Began, s.Counted = time.Time{}, at
		}
	})
}

// reach is from the first through the last day of the data, in a snapshot.
func (c *Counts) reach(ctx context.Context, v source.View, of *Of) (civil.Period, error) {
	return base.DaysOf(ctx, v, of.From.SQL, of.Dataset, of.Column)
}

// IsIndexed reports whether an index serves a look for some days of the column.
func (of *Of) IsIndexed() bool { return of.From.Leads[of.Column.Name] && of.Column.HasPlainBounds() }

// onDays counts the days of a period, and takes them over.
func onDays(ctx context.Context, v source.View, of *Of, p civil.Period, into *daycount.Calendar, at time.Time) error {
	for from := p.First; from <= p.Last; from += largestRun {
		run := civil.Period{First: from, Last: min(p.Last, from+largestRun-1)}
		var counted []daycount.Day
		err := v.Rows(ctx, of.From.SQL.OnDays(of.query, of.Column, starts(run)), func(row []value.Value) error {
			n := compile.ReadCounted(row)
			counted = append(counted, daycount.Day{Day: run.First + civil.Day(n.Run), Records: n.Readable, Unreadable: n.All - n.Readable})
			return nil
		})
		if err != nil {
			return err
		}
		into.Set(run, counted, at)
	}
	return nil
}

// starts are the days of a period and the one after it, not valid after the last that there is.
func starts(p civil.Period) []civil.Day {
	all := make([]civil.Day, 0, p.Days()+1)
	for d := p.First; d <= p.Last; d++ {
		all = append(all, d)
	}
	after, _ := p.Last.Next()
	return append(all, after)
}

// offDays counts what is on no day between the first and the last one of the data.
func offDays(ctx context.Context, v source.View, of *Of, reach civil.Period, into *daycount.Calendar, at time.Time) error {
	beside := daycount.Beside{At: at}
	err := v.Rows(ctx, of.From.SQL.OffDays(of.query, of.Column, reach.First, reach.Last), func(row []value.Value) error {
		if n := compile.ReadCounted(row); n.Run == 2 {
			beside.Missing = n.All
		} else {
			beside.Unreadable += n.All
		}
		return nil
	})
	if err != nil {
		return err
	}
	outside(reach, into, at)
	into.SetBeside(beside)
	return nil
}

// outside notes that no record has a date outside the reach of the data.
func outside(reach civil.Period, into *daycount.Calendar, at time.Time) {
	if !reach.IsClosed() {
		into.Set(civil.Period{}, nil, at)
		return
	}
	if reach.First > civil.MinDay {
		into.Set(civil.Period{First: civil.MinDay, Last: reach.First - 1}, nil, at)
	}
	if reach.Last < civil.MaxDay {
		into.Set(civil.Period{First: reach.Last + 1, Last: civil.MaxDay}, nil, at)
	}
}

// onePass counts all records by one statement.
func (c *Counts) onePass(ctx context.Context, v source.View, of *Of, reach civil.Period, into *daycount.Calendar, at time.Time) error {
	if reach.Days() > mostUnindex {
		return fmt.Errorf("its dates go over %d days, and no index leads to them; at most %d are counted without one", reach.Days(), mostUnindex)
	}
	beside := daycount.Beside{At: at}
	var counted []daycount.Day
	err := v.Rows(ctx, of.From.SQL.ByDay(of.query, of.Column, starts(reach)), func(row []value.Value) error {
		run, _ := row[0].Int()
		n, _ := row[1].Int()
		switch run {
		case compile.RunMissing:
			beside.Missing = n
		case compile.RunUnreadable:
			beside.Unreadable = n
		default:
			counted = append(counted, daycount.Day{Day: reach.First + civil.Day(run), Records: n})
		}
		return nil
	})
	if err != nil {
		return err
	}
	into.Set(civil.Period{}, counted, at)
	into.SetBeside(beside)
	return nil
}

// renewTail counts the last days anew, from shortly before the last one that was known.
func (c *Counts) renewTail(ctx context.Context, of *Of, k *known, changes string) error {
	if !of.IsIndexed() {
		return nil // it would cost as much as all of it
	}
	c.mu.Lock()
	days := k.calendar.Days.Clone()
	c.mu.Unlock()
	at := c.base.Config().Now()
	err := c.base.Look(ctx, of.From.Source, c.base.Config().RunTime, func(ctx context.Context, v source.View) error {
		reach, err := c.reach(ctx, v, of)
		if err != nil || !reach.IsClosed() {
			return err
		}
		tail := civil.Period{First: max(reach.First, min(days.Reach().Last, reach.Last)-tailDays+1), Last: reach.Last}
		if tail.Days() > largestRun*tailDays {
			return nil // not new records but other data: the whole count will tell
		}
		if err := onDays(ctx, v, of, tail, &days, at); err != nil {
			return err
		}
		outside(civil.Period{First: civil.MinDay, Last: reach.Last}, &days, at)
		return nil
	})
	if err != nil {
		return err
	}
	return c.change(ctx, k, func(s *store.Calendar) { s.Days, s.Changes = days, changes })
}

// awaitHours waits until the source may be counted, where that is said by hours.
func (c *Counts) awaitHours(ctx context.Context, j job) error {
	set := j.of.Dataset.Source.Counting
	for !j.anew && set.Hours.IsValid() && !isWithin(set.Hours, c.base.Config().Now().In(j.of.Dataset.Source.Zone)) {
		if err := sleep(ctx, time.Minute); err != nil {
			return err
		}
	}
	return nil
}

// isWithin reports whether a clock shows a time in a range, which may go over midnight.
func isWithin(r civil.TimeRange, now time.Time) bool {
	at := now.Hour()*3600 + now.Minute()*60 + now.Second()
	if r.OverMidnight() {
		return at >= r.From || at < r.Until
	}
	return at >= r.From && at < r.Until
}

// pause leaves the source to others for as long as the last slice took, and where counting
// has no place of its own until nobody reads.
func (c *Counts) pause(ctx context.Context, j job, took time.Duration) error {
	if j.anew {
		return ctx.Err()
	}
	if err := sleep(ctx, took); err != nil {
		return err
	}
	for j.of.Dataset.Source.Counting.Share == 0 && !j.of.From.Source.IsIdle() {
		if err := sleep(ctx, sliceTime); err != nil {
			return err
		}
	}
	return c.awaitHours(ctx, j)
}

func sleep(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return context.Cause(ctx)
	case <-time.After(d):
		return nil
	}
}

// Again counts a calendar anew, and waits for it.
func (c *Counts) Again(ctx context.Context, of *Of) error {
	k, err := c.find(ctx, of)
	if err != nil {
		return err
	}
	done := make(chan error, 1)
	c.mu.Lock()
	if c.ctx == nil {
		c.mu.Unlock()
		return errors.New("nothing is counted here")
	}
	c.want(k, job{of: of, anew: true, done: done})
	c.mu.Unlock()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		return context.Cause(ctx)
	}
}

// mostRecounted is how many days a run counts anew itself; where more differ, all is counted in
// the background.
const mostRecounted = 400

// Recount counts the days of some periods anew in a run's snapshot, which has other records of
// them than were known, and tells how many statements that took.
func (c *Counts) Recount(ctx context.Context, v source.View, of *Of, periods []civil.Period) (statements int, err error) {
	k, err := c.find(ctx, of)
	if err != nil {
		return 0, err
	}
	at := c.base.Config().Now()
	reach, err := c.reach(ctx, v, of)
	if err != nil {
		return 2, err
	}
	c.mu.Lock()
	days := k.calendar.Days.Clone()
	c.mu.Unlock()
	statements = 2
	for _, p := range periods {
		if !p.First.IsValid() {
			p.First = reach.First
		}
		if !p.Last.IsValid() {
			p.Last = reach.Last
		}
		if p.IsClosed() && p.Last < p.First {
			continue // beyond all data
		}
		if p.Days() > mostRecounted || !p.IsClosed() {
			return statements, c.change(ctx, k, func(s *store.Calendar) {
				if s.Began.IsZero() {
					s.Began = after(at, &s.Days)
				}
			})
		}
		if err := onDays(ctx, v, of, p, &days, at); err != nil {
			return statements, err
		}
		statements += (p.Days() + largestRun - 1) / largestRun
	}
	return statements, c.change(ctx, k, func(s *store.Calendar) { s.Days = days })
}
