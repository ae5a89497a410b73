package receipt

import (
	"pikegate/internal/service/base"
)

// Receipts keeps the records of runs.
type Receipts struct {
	base  *base.Base
	Ended Measures // of the runs that ended since the service started
}

// New keeps receipts in the records of the service.
func New(base *base.Base) *Receipts { return &Receipts{base: base, Ended: newMeasures()} }
