// Package answer understands what end users answer to a report's prompts, and says what the
// answers would bring: choices, histograms, how many records match, the SQL. It runs no
// report.
package answer

import (
	"pikegate/internal/service/base"
	"pikegate/internal/service/counts"
)

// Answers understands answers, and says what they would bring.
type Answers struct {
	base       *base.Base
	counts     *counts.Counts
	histograms base.Remembered[histogramOf, knownHistogram]
}

// New understands answers to the reports that are published.
func New(base *base.Base, counts *counts.Counts) *Answers {
	return &Answers{base: base, counts: counts}
}
