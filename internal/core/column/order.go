package column

import (
	"cmp"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/value"
)

// Order compares two values of the column as rows are sorted by them: dates by time, numbers by size
// and exactly, texts by code point. What is missing comes last either way, and behind the dates that
// can be read come those that cannot.
func (c *Column) Order(a, b value.Value, descending bool) int {
	if a.IsMissing() || b.IsMissing() {
		return last(a.IsMissing(), b.IsMissing())
	}
	sign := 1
	if descending {
		sign = -1
	}
	if c.Type.IsDated() {
		_, p, ok := c.Micros(a)
		_, q, okToo := c.Micros(b)
		if !ok || !okToo {
			return last(!ok, !okToo)
		}
		return sign * cmp.Compare(p, q)
	}
	n, isWhole := a.Int()
	if m, isWholeToo := b.Int(); isWhole && isWholeToo {
		return sign * cmp.Compare(n, m)
	}
	p, ok := c.exact(a)
	q, okToo := c.exact(b)
	if ok && okToo {
		return sign * p.Cmp(q)
	}
	return sign * a.Compare(b)
}

// last puts the one that it holds for behind the other.
func last(a, b bool) int {
	switch {
	case a && !b:
		return 1
	case b && !a:
		return -1
	}
	return 0
}

// exact is a value as an exact number, false where it is none.
func (c *Column) exact(v value.Value) (decimal.Decimal, bool) {
	if n, ok := v.Int(); ok {
		return decimal.NewFromInt(n), true
	}
	text, isText := v.Chars()
	if !v.IsNumber() && (!isText || c.Type != Decimal || !value.IsPlainNumber(text)) {
		return decimal.Decimal{}, false
	}
	n, err := decimal.NewFromString(v.String())
	return n, err == nil
}
