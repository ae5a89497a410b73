// Package summary works out what a query says of its records in sum: groups of them by columns
// and by units of the calendar, and figures of each group. A database counts the groups that
// occur; what is told of them, the groups without records, the conditions on figures and the
// order are worked out here, and so are the same whatever the database.
package summary

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
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

	Share Kind = "share_of_total" // of another figure, in per cent of all groups together
	Per   Kind = "per"            // one figure divided by another
)

// Kinds lists them in the order of the reference.
var Kinds = []Kind{Count, CountDistinct, Sum, Average, Least, Greatest, Share, Per}

// IsOfFigures reports whether a figure is worked out from others, and not by the database.
func (k Kind) IsOfFigures() bool { return k == Share || k == Per }

// AddsUp reports whether the figures of all groups together come to the figure of all records.
func (k Kind) AddsUp() bool { return k == Count || k == Sum }

// By is what the dates of a group have in common: a unit of the calendar, or a part of the calendar
// or of the day that comes again and again. The zero By is for values.
type By string

const (
	Values      By = ""
	Day         By = "day"
	Week        By = "week" // ISO
	Month       By = "month"
	Quarter     By = "quarter"
	Year        By = "year"
	Weekday     By = "weekday"
	MonthOfYear By = "month_of_year"
	HourOfDay   By = "hour_of_day"
)

// Bys lists them in the order of the reference, Values aside.
var Bys = []By{Day, Week, Month, Quarter, Year, Weekday, MonthOfYear, HourOfDay}

var calendar = map[By]civil.Unit{Day: civil.Days, Week: civil.Weeks, Month: civil.Months, Quarter: civil.Quarters, Year: civil.Years}

// Unit is the unit of the calendar, NoUnit where it is none.
func (b By) Unit() civil.Unit { return calendar[b] }

// Comes reports whether it is a part that comes again.
func (b By) Comes() bool { return b != Values && calendar[b] == civil.NoUnit }

// String is what it is in words: "month", "hour of day".
func (b By) String() string { return strings.ReplaceAll(string(b), "_", " ") }

// Names are the names of parts that come again, in order: Monday to Sunday, January to December,
// 00:00 to 23:00. A Key has their number there.
func (b By) Names() []string {
	var names []string
	switch b {
	case Weekday:
		for i := range 7 {
			names = append(names, time.Weekday((i+1)%7).String())
		}
	case MonthOfYear:
		for i := range 12 {
			names = append(names, time.Month(i+1).String())
		}
	case HourOfDay:
		for i := range 24 {
			names = append(names, fmt.Sprintf("%02d:00", i))
		}
	}
	return names
}

// Spec says how records are summarised.
type Spec struct {
	Groups  []Group // none for one row about all records
	Figures []Figure
	Having  *criteria.Node // which groups are shown, by their figures; nil for all

	Telling int    // how many of the figures are told, the first ones; 0 for all
	First   int    // how many rows there are, 0 for all
	Rest    bool   // the rows after them are put together in one
	Parted  bool   // what rows with the same first group come to is told too
	Series  Series // the group that makes series of the others
}

// Series are the values of a group of which there is the most of the first figure; what has another
// value is put together as others.
type Series struct {
	Group int // its place
	First int // how many there are at most, 0 for all
}

// Told is how many figures are told, the first ones.
func (s *Spec) Told() int {
	if s.Telling > 0 {
		return s.Telling
	}
	return len(s.Figures)
}

// TellingOf is the summary with one figure told, the one at a place, and the groups given. Beside it
// are worked out those only that it is of, and those that there are conditions on.
func (s *Spec) TellingOf(figure int, groups []Group) *Spec {
	order := append([]int{figure}, s.Figures[figure].From...)
	for i, f := range s.Figures {
		s.Having.Walk(func(c *criteria.Node) {
			if c.Column == f.Shown || c.Operand.Column == f.Shown {
				order = append(order, append([]int{i}, f.From...)...)
			}
		})
	}
	for i := 0; i < len(order); i++ { // each once
		order = append(order[:i+1], slices.DeleteFunc(order[i+1:], func(other int) bool { return other == order[i] })...)
	}
	only := &Spec{Groups: groups, Having: s.Having, Telling: 1}
	for _, i := range order {
		f := s.Figures[i]
		f.From = slices.Clone(f.From)
		for j, from := range f.From {
			f.From[j] = slices.Index(order, from)
		}
		only.Figures = append(only.Figures, f)
	}
	return only
}

// Group is what records are put together by: the values of a column, or what its dates are in.
type Group struct {
	Of    *column.Column
	By    By
	Fill  bool           // units without records are shown too
	Shown *column.Column // what the group is shown as
}

// Refused is why records cannot be put together so, "" where they can.
func (g Group) Refused() string {
	dated := g.Of.Type.IsDated()
	switch {
	case dated && g.By == Values:
		return fmt.Sprintf("dates are grouped by one of %s", english.Both(named(Bys)))
	case !dated && g.By != Values:
		return fmt.Sprintf("only dates are grouped by %s; the column %q is of type %s", g.By, g.Of.Name, g.Of.Type)
	case g.By == HourOfDay && g.Of.Type == column.Date:
		return fmt.Sprintf("the column %q has no time of day", g.Of.Name)
	case g.Of.Type == column.Decimal || g.Of.Type == column.Number:
		return fmt.Sprintf("records are not grouped by numbers with fractions; the column %q is of type %s", g.Of.Name, g.Of.Type)
	}
	return ""
}

func named(bys []By) (names []string) {
	for _, by := range bys {
		names = append(names, string(by))
	}
	return names
}

// Figure is a figure of each group.
type Figure struct {
	Kind  Kind
	Of    *column.Column // nil for Count, and for figures of figures
	From  []int          // the figures that it is of: of Share one, of Per two
	Shown *column.Column // what it is shown as; the scale of an average is the scale of this
}

// HasTotal reports whether the figure of all rows together can be told from theirs. Shares are of all groups,
// shown or not, and ratios can be of what does not add up.
func (f Figure) HasTotal() bool { return f.Kind != CountDistinct && f.Kind != Share && f.Kind != Per }

// Sums is the summary that adds columns up.
func Sums(columns []*column.Column) *Spec {
	s := &Spec{}
	for _, c := range columns {
		f := Figure{Kind: Sum, Of: c}
		f.Shown = f.ShownAs(c.Name, c.Label, nil)
		s.Figures = append(s.Figures, f)
	}
	return s
}

// Shown are the columns of the result: the groups', then the figures'.
func (s *Spec) Shown() []*column.Column {
	all := s.Keys()
	for _, f := range s.Figures[:s.Told()] {
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
	case Values:
		*c = *g.Of
		c.Name, c.Label = name, label
	case Day:
		c.Type, c.Stored, c.Pattern = column.Date, column.StoredText, column.ISODay
	}
	return c
}

// averageDigits is how many more digits an average has than what it is of.
const averageDigits = 2

// ShownAs is what a figure is shown as, under a name. Counts are whole numbers; a sum has the
// type of its column; an average is a decimal with two digits more, or with as many as its scale
// says, and of binary fractions one of these; the least and the greatest are values of the column;
// shares and ratios are decimals too.
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
	case Share:
		c.Type, c.Scale, c.Unit = column.Decimal, shareDigits, "%"
	case Per:
		c.Type, c.Scale = column.Decimal, perDigits
	}
	if scale != nil && f.Kind.IsOfFigures() {
		c.Scale = *scale
	}
	return c
}

// shareDigits and perDigits are the digits of shares and ratios whose scale is not said.
const (
	shareDigits = 1
	perDigits   = 2
)

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
func Units(by By, first, last civil.Day) ([]civil.Period, bool) {
	var all []civil.Period
	for d := first; d.IsValid() && d <= last; {
		unit, ok := by.Unit().Around(d, 0, time.January)
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

// UnitNames are units of the calendar as they are shown.
func UnitNames(by By, units []civil.Period) []string {
	names := make([]string, len(units))
	for i, u := range units {
		switch iso := u.First.String(); by {
		case Month:
			names[i] = iso[:len("2026-03")]
		case Quarter:
			names[i] = iso[:len("2026-")] + by.Unit().Name(u.First)[:len("Q1")]
		case Week, Year:
			names[i] = by.Unit().Name(u.First)
		default:
			names[i] = iso
		}
	}
	return names
}
