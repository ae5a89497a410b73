package readback

import (
	"strings"

	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
)

// Word is how an operator is said between a column of the type and what it is compared with, where
// neither answers nor values are known; note is what it does that a reader may not expect, "" for
// nothing.
func Word(op criteria.Op, t column.Type) (word, note string) {
	dated := t.IsDated()
	switch op {
	case criteria.Missing, criteria.Present:
		return "is " + string(op), ""
	case criteria.Is:
		if word = "is"; dated {
			word, note = "on", "the whole day"
		}
	case criteria.IsNot:
		if word = "is not"; dated {
			word = "not on"
		}
	case criteria.AnyOf:
		if word = "is one of"; dated {
			word = "on one of"
		}
	case criteria.NoneOf:
		if word = "is none of"; dated {
			word = "on none of"
		}
	case criteria.Within:
		word, note = "within", "both ends included"
	case criteria.Outside:
		word = "outside"
	case criteria.Before, criteria.From, criteria.Through, criteria.After:
		word, note = string(op), "that day "+oneSided[op]
	case criteria.RecursIn:
		word, note = "in", "of any year"
	case criteria.ClockWithin:
		word, note = "by the clock within", "of any day"
	default:
		word = strings.TrimSpace(wordings[op])
	}
	if _, denies := op.Denies(); denies {
		note = "records without a value stay in"
	}
	return word, note
}
