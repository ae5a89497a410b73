package receipt

import (
	"pikegate/internal/service/base"
)

// Receipts keeps the records of runs.
type Receipts struct{ base *base.Base }

func New(base *base.Base) *Receipts { return &Receipts{base: base} }
