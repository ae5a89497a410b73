// Package author serves those who write definitions: it looks into sources, loads files of
// records into the embedded ones, and tells what the phrases of a report mean on other days.
package author

import (
	"cmp"

	"golang.org/x/sync/semaphore"

	"pikegate/internal/service/base"
)

// Author helps those who write definitions: to look into sources, to load files, to see
// what phrases mean.
type Author struct {
	base        *base.Base
	uploads     chan struct{}       // one for each file that is being taken in
	loading     *semaphore.Weighted // of one: a load at a time
	inspections *semaphore.Weighted
}

// New serves authors by the settings of the service.
func New(base *base.Base) *Author {
	c := base.Config()
	return &Author{base: base, uploads: make(chan struct{}, cmp.Or(c.Uploads, usualUploads)), loading: semaphore.NewWeighted(1), inspections: semaphore.NewWeighted(int64(cmp.Or(c.Inspections, usualInspections)))}
}

// usualInspections is how many tables are looked at at once, since each takes some tens of
// MiB; others wait.
const usualInspections = 2
