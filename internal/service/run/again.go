package run

import (
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/value"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/receipt"
)

// Comparison is two results of a report, held against each other by key.
type Comparison struct {
	Before    receipt.Receipt    `json:"before" doc:"The receipt of the one."`
	After     receipt.Receipt    `json:"after" doc:"The receipt of the other."`
	Same      bool               `json:"same" doc:"Whether they are the same, row by row, in the same order."`
	Key       []string           `json:"key" doc:"Labels of the columns of the key."`
	Gained    *receipt.Differing `json:"gained,omitempty" doc:"Records that only the other has; absent where the rows of one are not known."`
	Lost      *receipt.Differing `json:"lost,omitempty" doc:"Records that only the one has, likewise."`
	Altered   *receipt.Differing `json:"changed,omitempty" doc:"Records that both have and show otherwise, likewise."`
	NotByRows string             `json:"not_by_rows,omitempty" doc:"Why the rows could not be held against each other."`
}

// Nowhere is where rows go that are only counted and hashed.
type Nowhere struct{}

func (Nowhere) Begin() error { return nil }

func (Nowhere) Row([]value.Value) error { return nil }

func (Nowhere) HandOn() error { return nil }

func (Nowhere) End([]byte) error { return nil }

func compare(report *catalog.Report, before, after receipt.Receipt, earlier, later *receipt.Digests) (*Comparison, error) {
	c := &Comparison{Before: before, After: after}
	for _, k := range report.Table.Of.Key {
		c.Key = append(c.Key, k.Label)
	}
	known := func(r receipt.Receipt) bool { return r.Evidence != nil && r.Evidence.Fingerprint != "" }
	switch {
	case !known(before):
		c.NotByRows = "The first run was made without evidence, so that its rows are not known."
	case !known(after):
		c.NotByRows = "The rows of the second run could not all be read in time."
	default:
		c.Same = before.Evidence.Fingerprint == after.Evidence.Fingerprint
		if earlier == nil || later == nil || later.Many {
			c.NotByRows = "There are more rows than are kept of a result."
		}
	}
	if c.NotByRows != "" {
		return c, nil
	}
	gained, lost, changed, err := receipt.Compared(earlier, later)
	c.Gained, c.Lost, c.Altered = &gained, &lost, &changed
	return c, err
}

// Versions asks for two versions of a report to be run on the same answers.
type Versions struct {
	answer.Request
	Before []catalog.File // in place of what is published; none for that
	After  []catalog.File
}
