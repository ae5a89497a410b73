package receipt

import (
	"fmt"
	"time"
)

// pruneEvery is how often old receipts go.
const pruneEvery = time.Hour

// pruner is what is known of the deleting of old receipts since the service started.
type pruner struct {
	started time.Time // by a clock that nobody sets
	steps   int       // so many hours of it had theirs
}

// A clock that is wrong for one start must not cost the receipts of years. So only a small
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
