package publish

import (
	"github.com/shopspring/decimal"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
	"pikegate/internal/service/run"
)

// totals adds up the columns of rows that are not sent anywhere.
type totals struct {
	run.Nowhere
	of   []*column.Column
	sums []decimal.Decimal
}

func (t *totals) Row(row []value.Value) error {
	if t.sums == nil {
		t.sums = make([]decimal.Decimal, len(t.of))
	}
	for i, c := range t.of {
		if c.Type != column.Integer && c.Type != column.Decimal {
			continue
		}
		if n, err := decimal.NewFromString(row[i].String()); err == nil {
			t.sums[i] = t.sums[i].Add(n)
		}
	}
	return nil
}

// sum is the total of the i-th column, 0 where there were no rows.
func (t *totals) sum(i int) decimal.Decimal {
	if t.sums == nil {
		return decimal.Zero
	}
	return t.sums[i].Round(int32(t.of[i].Scale))
}
