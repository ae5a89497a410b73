package base

import (
	"fmt"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/infer"
	"pikegate/internal/source"
)

// leastUnfit is how many values of a column have to be otherwise before its dataset is
// taken to be wrong about it.
const leastUnfit = 3

// Misfit is what is wrong with a column whose values do not all fit: an error where most
// do not, else a warning; nil where all fit.
func Misfit(fit source.Fit) *fault.Fault {
	if fit.Unfit == 0 {
		return meansOtherwise(fit)
	}
	share := decimal.NewFromInt(int64(100*fit.Unfit)).DivRound(decimal.NewFromInt(int64(fit.Looked)), 1)
	few := english.Both(english.Quoted(Shortened(fit.Examples)))
	var f *fault.Fault
	if 2*fit.Unfit > fit.Looked && fit.Unfit >= leastUnfit {
		f = fault.New(fault.StoredOtherwise, "most values of the column %q cannot be read as %s: %d of %d that were looked at, such as %s", fit.Column.Name, fit.Column.Wants(), fit.Unfit, fit.Looked, few)
	} else {
		f = fault.Warn(fault.StoredOtherwise, "%s %% of the values of the column %q that were looked at cannot be read as %s, such as %s; no condition finds them", share, fit.Column.Name, fit.Column.Wants(), few)
	}
	if seems := fit.Seems; seems.Type != column.Text && seems.Share > 1-float64(fit.Unfit)/float64(fit.Looked) {
		f.Suggest(definitionOf(seems))
	}
	return f
}

// meansOtherwise warns of values that fit and are plausible only in another form: seconds
// that are said to be milliseconds all lie in January 1970.
func meansOtherwise(fit source.Fit) *fault.Fault {
	if fit.Column.Stored != column.EpochMillis || fit.Seems.Stored != column.EpochSeconds || fit.Looked == 0 {
		return nil
	}
	f := fault.New(fault.StoredOtherwise, "all values of the column %q that were looked at would be of January 1970; they look like seconds", fit.Column.Name)
	return f.Suggest(definitionOf(fit.Seems))
}

// definitionOf is how a dataset says what a column seems to be.
func definitionOf(g infer.Guess) string {
	text := "type: " + string(g.Type)
	if g.Type == column.Decimal {
		text += fmt.Sprintf(", scale: %d", g.Scale)
	}
	if g.Stored != "" {
		text += ", stored: " + string(g.Stored)
	}
	if g.Pattern.String() != "" {
		text += ", pattern: " + g.Pattern.String()
	}
	return "{" + text + "}"
}

// Shortened cuts each text for quoting it in a message.
func Shortened(texts []string) []string {
	short := make([]string, len(texts))
	for i, text := range texts {
		short[i] = english.Shorten(text)
	}
	return short
}
