package summary

import (
	"github.com/shopspring/decimal"

	"pikegate/internal/core/value"
)

// Change is how much a figure changed from what it was elsewhere: the difference, and in per cent of
// what it was, rounded to a digit; neither is told where one of both is missing, and no per cent of 0.
func Change(is, was value.Value) (difference value.Value, perCent string) {
	n, ok := number(is)
	before, okToo := number(was)
	if !ok || !okToo {
		return value.Value{}, ""
	}
	by := n.Sub(before)
	if !before.IsZero() {
		perCent = ratio(by.Mul(decimal.NewFromInt(100)), before.Abs(), 1).StringFixed(1)
	}
	return exact(by), perCent
}
