package receipt

import (
	"pikegate/internal/service/base"
)

// Receipts keeps the records of runs.
type Receipts struct{ base *base.Base }

// New keeps receipts in the records of the service.
func New(base *base.Base) *Receipts { return &Receipts{base: base} }
