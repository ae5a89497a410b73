// Package service is what the product does: it keeps definitions, understands
// answers, and runs reports. The API, the command line and the console all
// come through here; what things mean is in the core.
package service

import (
	"context"
	"errors"
	"sync"

	"pikegate/internal/service/answer"
	"pikegate/internal/service/author"
	"pikegate/internal/service/base"
	"pikegate/internal/service/counts"
	"pikegate/internal/service/draft"
	"pikegate/internal/service/people"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
	"pikegate/internal/service/saved"
	"pikegate/internal/service/schedule"
)

// Service is safe for concurrent use.
type Service struct {
	Base      *base.Base
	Counts    *counts.Counts
	Answers   *answer.Answers
	Receipts  *receipt.Receipts
	Runs      *run.Runs
	Publisher *publish.Publisher
	Author    *author.Author
	Drafts    *draft.Drafts
	Saved     *saved.Saved
	People    *people.People
	Schedules *schedule.Schedules

	stopped    sync.WaitGroup  // what goes on by itself
	background context.Context // of that
	close      func() error
}

// Open opens the service on the files of a directory, and makes them where there are none.
func Open(ctx context.Context, c base.Config) (*Service, error) {
	base, err := base.Open(ctx, c)
	if err != nil {
		return nil, err
	}
	s := &Service{Base: base, Counts: counts.New(base), Receipts: receipt.New(base), Author: author.New(base)}
	if s.People, err = people.New(ctx, base); err != nil {
		return nil, errors.Join(err, base.Close())
	}
	s.Answers = answer.New(base, s.Counts)
	s.Saved = saved.New(base, s.Answers)
	s.Runs = run.New(base, s.Counts, s.Answers, s.Receipts)
	s.Publisher = publish.New(base, s.Runs)
	s.Drafts = draft.New(base, s.Publisher)
	s.Schedules = schedule.New(base, s.Runs, s.Receipts, s.People, s.Publisher)
	background, stop := context.WithCancel(context.WithoutCancel(ctx))
	s.close = sync.OnceValue(func() error {
		stop()
		s.stopped.Wait()
		s.Counts.Wait()
		s.Runs.CancelAll()
		s.Runs.AwaitEnd()
		return base.Close()
	})
	s.background = background
	s.stopped.Go(func() { s.Receipts.Prune(background) })
	s.Counts.Start(background)
	return s, nil
}

// KeepSchedules runs what schedules want at their times, until the service is closed.
func (s *Service) KeepSchedules() {
	s.stopped.Go(func() { s.Schedules.Start(s.background) })
}

// Close closes the service's files. It may be called again, which does nothing.
func (s *Service) Close() error {
	return s.close()
}
