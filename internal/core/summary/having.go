package summary

import (
	"slices"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/value"
)

// meets reports whether figures meet a condition. A comparison with a missing figure does not hold,
// and what denies one holds.
func (s *Spec) meets(b *criteria.Bound, figures []value.Value) bool {
	all := func(nodes []*criteria.Bound, want bool) bool {
		return !slices.ContainsFunc(nodes, func(n *criteria.Bound) bool { return s.meets(n, figures) != want })
	}
	switch b.Logic {
	case criteria.All:
		return all(b.Nodes, true)
	case criteria.Any:
		return !all(b.Nodes, false)
	case criteria.None:
		return all(b.Nodes, false)
	}
	v := s.figure(b.Column, figures)
	n, known := number(v)
	if b.Other != nil {
		other, ok := number(s.figure(b.Other, figures))
		with := *b
		with.Numbers = []decimal.Decimal{other}
		b, known = &with, known && ok
	}
	switch b.Op {
	case criteria.Missing:
		return v.IsMissing()
	case criteria.Present:
		return !v.IsMissing()
	case criteria.IsNot, criteria.NoneOf:
		return !known || !isOneOf(n, b.Numbers)
	case criteria.Outside:
		return !known || !isWithin(n, b)
	}
	return known && holds(n, b)
}

// figure is the value of the figure that is shown as a column.
func (s *Spec) figure(shown *column.Column, figures []value.Value) value.Value {
	return figures[slices.IndexFunc(s.Figures, func(f Figure) bool { return f.Shown == shown })]
}

// holds reports whether a comparison with a number holds.
func holds(n decimal.Decimal, b *criteria.Bound) bool {
	switch b.Op {
	case criteria.Is, criteria.AnyOf:
		return isOneOf(n, b.Numbers)
	case criteria.Within:
		return isWithin(n, b)
	case criteria.LessThan:
		return n.LessThan(b.Numbers[0])
	case criteria.AtMost:
		return n.LessThanOrEqual(b.Numbers[0])
	case criteria.AtLeast:
		return n.GreaterThanOrEqual(b.Numbers[0])
	}
	return n.GreaterThan(b.Numbers[0]) // MoreThan
}

func isOneOf(n decimal.Decimal, numbers []decimal.Decimal) bool {
	return slices.ContainsFunc(numbers, n.Equal)
}

func isWithin(n decimal.Decimal, b *criteria.Bound) bool {
	return (b.Lower == nil || n.GreaterThanOrEqual(*b.Lower)) && (b.Upper == nil || n.LessThanOrEqual(*b.Upper))
}
