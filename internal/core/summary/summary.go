// Package summary works out what a query says of its records in sum: groups of them by columns
// and by units of the calendar, and figures of each group. A database counts the groups that
// occur; what is told of them, the groups without records, the conditions on figures and the
// order are worked out here, and so are the same whatever the database.
package summary

import (
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
)

// Kind is what a figure tells of the records of a group.
type Kind string

const (
	Count         Kind = "count"          // how many there are
	CountDistinct Kind = "count_distinct" // how many different values a column has in them
	Sum           Kind = "sum"
	Average       Kind = "average"
	Least         Kind = "least"
	Greatest      Kind = "greatest"
)

// Kinds lists them in the order of the reference.
var Kinds = []Kind{Count, CountDistinct, Sum, Average, Least, Greatest}

// Spec says how records are summarised.
type Spec struct {
	Groups  []Group // none for one row about all records
	Figures []Figure
	Having  *criteria.Node // which groups are shown, by their figures; nil for all
}

// Group is what records are put together by: the values of a column, or the units of the calendar
// that its dates are in.
type Group struct {
	Of    *column.Column
	By    civil.Unit     // NoUnit for values
	Fill  bool           // units without records are shown too
	Shown *column.Column // what the group is shown as
}

// Figure is a figure of each group.
type Figure struct {
	Kind  Kind
	Of    *column.Column // nil for Count
	Shown *column.Column // what it is shown as; the scale of an average is the scale of this
}

// Shown are the columns of the result: the groups', then the figures'.
func (s *Spec) Shown() []*column.Column {
	all := s.Keys()
	for _, f := range s.Figures {
		all = append(all, f.Shown)
	}
	return all
}

// Keys are the columns of the result that tell its rows apart.
func (s *Spec) Keys() []*column.Column {
	all := make([]*column.Column, len(s.Groups))
	for i, g := range s.Groups {
		all[i] = g.Shown
	}
	return all
}

// ShownAs is what a group is shown as, under a name: days as dates, longer units as texts in
// ISO 8601 form or like it (2026-W10, 2026-03, 2026-Q1, 2026), values as they are.
func (g Group) ShownAs(name, label string) *column.Column {
	c := &column.Column{Name: name, Label: label, Type: column.Text}
	switch g.By {
	case civil.NoUnit:
		*c = *g.Of
		c.Name, c.Label = name, label
	case civil.Days:
		c.Type, c.Stored, c.Pattern = column.Date, column.StoredText, column.ISODay
	}
	return c
}

// averageDigits is how many more digits an average has than what it is of.
const averageDigits = 2

// ShownAs is what a figure is shown as, under a name. Counts are whole numbers; a sum has the
// type of its column; an average is a decimal with two digits more, or with as many as its scale
// says, and of binary fractions one of these; the least and the greatest are values of the column.
func (f Figure) ShownAs(name, label string, scale *int) *column.Column {
	c := &column.Column{Name: name, Label: label, Type: column.Integer}
	switch f.Kind {
	case Sum:
		c.Type, c.Scale, c.Unit = f.Of.Type, f.Of.Scale, f.Of.Unit
	case Average:
		c.Type, c.Scale, c.Unit = column.Decimal, f.Of.Scale+averageDigits, f.Of.Unit
		if scale != nil {
			c.Scale = *scale
		} else if f.Of.Type == column.Number {
			c.Type, c.Scale = column.Number, 0
		}
	case Least, Greatest:
		*c = *f.Of.Compared()
		c.Name, c.Label = name, label
	}
	return c
}

// Takes reports whether a figure can be told of a column.
func (k Kind) Takes(c *column.Column) bool {
	switch k {
	case CountDistinct:
		return c.Type == column.Text || c.Type == column.Integer || c.Type == column.YesNo
	case Sum, Average:
		return c.Type.IsNumeric()
	case Least, Greatest:
		return c.Type != column.YesNo && !c.IsExactText()
	}
	return false
}

// MostRows is how many rows a summary has at most, and MostUnits how many units of the calendar a
// group.
const (
	MostRows  = 100_000
	MostUnits = 4_000
)

// Units are the units of the calendar that days from one through another are in, the first and
// the last of them whole; false where there are more than MostUnits.
func Units(by civil.Unit, first, last civil.Day) ([]civil.Period, bool) {
	var all []civil.Period
	for d := first; d.IsValid() && d <= last; {
		unit, ok := by.Around(d, 0, 1)
		if !ok { // at an end of the calendar
			unit = civil.Period{First: d, Last: last}
		}
		if len(all) == MostUnits {
			return nil, false
		}
		all = append(all, unit)
		if d, ok = unit.Last.Next(); !ok {
			break
		}
	}
	return all, true
}

// nameOf is a unit of the calendar as it is shown.
func nameOf(by civil.Unit, unit civil.Period) string {
	iso := unit.First.String()
	switch by {
	case civil.Months:
		return iso[:len("2026-03")]
	case civil.Quarters:
		return iso[:len("2026-")] + by.Name(unit.First)[:len("Q1")]
	case civil.Weeks, civil.Years:
		return by.Name(unit.First)
	}
	return iso
}
