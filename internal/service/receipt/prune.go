package receipt

import (
	"context"
	"fmt"
	"time"

	"pikegate/internal/load"
)

// pruneEvery is how often old receipts go.
const pruneEvery = time.Hour

// pruner is what is known of the deleting of old receipts since the service started.
type pruner struct {
	started time.Time // by a clock that nobody sets
	steps   int       // so many hours of it had theirs
}

// A clock that is wrong once must not delete the receipts of years. So only a small
// share goes in an hour; and where the clock shows a time long after the latest run, it is
// believed only when the service has seen it for a day.
const (
	trustedAhead = 31 * 24 * time.Hour
	trustedAfter = 24 * time.Hour
)

// share is how many of the receipts may go in the n-th hour, from 1: in a day twice as many as
// come in one where all days are alike, and one at least.
func share(all int64, keepDays, n int) int64 {
	day := 2*all/int64(keepDays) + 1
	return (day*int64((n-1)%24+1)+23)/24 - (day*int64((n-1)%24)+23)/24
}

// roomWarning is the share of the room for the own records from which on it is told that
// there is little left.
const roomWarning = 0.8

func percent(part, whole int64) string { return fmt.Sprintf("%d %%", 100*part/whole) }

// Prune deletes old receipts now and then, and tells when there is little room, until ctx
// ends.
func (s *Receipts) Prune(ctx context.Context) {
	pruner := &pruner{started: time.Now()}
	for {
		s.tellRoom(ctx)
		s.base.Results.Prune()
		if s.base.Config().KeepDays > 0 {
			s.pruneOnce(ctx, pruner)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(pruneEvery):
		}
	}
}

func (s *Receipts) pruneOnce(ctx context.Context, p *pruner) {
	all, latest, err := s.base.Store.Counted(ctx)
	now := s.base.Config().Now()
	if err == nil && all > 0 && now.Sub(latest) > trustedAhead && time.Since(p.started) < trustedAfter {
		s.base.Log.WarnContext(ctx, "no old receipt is deleted yet: the clock is far ahead of the latest run",
			"latest", latest, "now", now)
		return
	}
	var gone int64
	if err == nil {
		p.steps++
		gone, err = s.base.Store.Prune(ctx, now.AddDate(0, 0, -s.base.Config().KeepDays), share(all, s.base.Config().KeepDays, p.steps))
	}
	switch {
	case ctx.Err() != nil:
	case err != nil:
		s.base.Log.ErrorContext(ctx, "old receipts could not be deleted", "error", err)
	case gone > 0:
		s.base.Log.InfoContext(ctx, "old receipts are deleted", "receipts", gone)
	}
}

// tellRoom warns where the service's own records have little room left.
func (s *Receipts) tellRoom(ctx context.Context) {
	if notice := s.Notice(ctx); notice != "" {
		s.base.Log.WarnContext(ctx, notice)
	}
}

// Notice is what whoever keeps the service should know; "" where that is nothing.
func (s *Receipts) Notice(ctx context.Context) string {
	taken, most, err := s.base.Store.Room(ctx)
	if err != nil || most == 0 || float64(taken) < roomWarning*float64(most) {
		return ""
	}
	return fmt.Sprintf("the service's own records take %s of the %s that they may: keep receipts for fewer days (receipt-days), or give them more room (own-size)", percent(taken, most), load.Size(most))
}
