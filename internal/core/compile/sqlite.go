package compile

import (
	"fmt"
	"strconv"
	"strings"
	"sync"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/value"
)

// SQLite is the dialect of SQLite 3.30 or later.
type SQLite struct{}

// Name quotes by doubling, as SQL does.
func (SQLite) Name(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// Shown takes the column's declared type off it, by which the driver would guess at
// what its values mean.
func (s SQLite) Shown(c Column) string { return "+" + s.Name(c.Name) }

// Param is SQLite's unnumbered placeholder.
func (SQLite) Param(int, any, *Column) string { return "?" }

// Most is an expression: of a placeholder by itself SQLite looks at the value, and prepares the statement
// anew for each.
func (SQLite) Most(param string) string { return param + " + 0" }

// Many takes the array apart as a table.
func (s SQLite) Many(c Column, _ bool, param string) string {
	val := "value"
	if c.Type.IsNumeric() && !c.IsExactText() {
		val = "CAST(value AS NUMERIC)"
	}
	return fmt.Sprintf("%s IN (SELECT %s FROM json_each(%s))", s.Value(c), val, param)
}

// Equal names the collation, since a column can be declared with another one.
func (SQLite) Equal(left, right string, _, _ Fact) string {
	return left + " = " + right + " COLLATE BINARY"
}

// Compared is the column as Value has it.
func (s SQLite) Compared(c Column) string { return s.Value(c) }

// Value names the collation of texts, since a column can be declared with
// another one. Decimals in texts are compared by their keys.
func (s SQLite) Value(c Column) string {
	switch {
	case c.Type == column.Text:
		return s.Name(c.Name) + " COLLATE BINARY"
	case c.IsExactText():
		return keyFunction + "(" + s.Name(c.Name) + ")"
	}
	return s.Name(c.Name)
}

// Stored takes a text apart where its pattern does not sort by time.
func (s SQLite) Stored(c Column) string {
	if c.Stored != column.StoredText || c.Pattern.Sorts() {
		return s.Name(c.Name)
	}
	return s.rewritten(c)
}

// rewritten is the value of a text in ISO form, and NULL where it is no date. It calls a function
// of ours: the same made of SQLite's own functions takes several times as long.
func (s SQLite) rewritten(c Column) string {
	return fmt.Sprintf("%s(%s, %s)", isoFunction, literal(c.Pattern.String()), s.Name(c.Name))
}

// TextFunction is a function that SQLite is given to call in statements. Its arguments and its
// value are texts; of any other argument its value is missing.
type TextFunction struct {
	Name      string
	Arguments int // 1 or 2
	// Of is its value, and false where that is missing. It keeps no argument. The second one is ""
	// where there is but one.
	Of func(first, second string) (string, bool)
}

// TextFunctions are all of them.
var TextFunctions = []TextFunction{
	{foldFunction, 1, func(text, _ string) (string, bool) { return value.Fold(text), true }},
	{keyFunction, 1, func(text, _ string) (string, bool) {
		key := value.DecimalKey(text)
		return key, key != ""
	}},
	{isoFunction, 2, isoOf},
	{unitsFunction, 2, unitsOf},
}

// unitsFunction is the name of the function that turns decimals in texts into units of their last
// digit.
const unitsFunction = "units_of"

// unitsOf is that function: a decimal as a whole number of units at a scale, where no digit is lost
// and SQLite has room for it.
func unitsOf(text, scale string) (string, bool) {
	if !value.IsPlainNumber(text) {
		return "", false
	}
	digits, err := strconv.Atoi(scale)
	n, wrong := decimal.NewFromString(text)
	if err != nil || wrong != nil {
		return "", false
	}
	units := n.Shift(int32(digits))
	if !units.IsInteger() || !units.Equal(decimal.NewFromInt(units.IntPart())) {
		return "", false
	}
	return units.String(), true
}

// isoFunction is the name of the function that turns texts into ISO form.
const isoFunction = "iso_of"

// isoOf is that function: a text in ISO form that fits a pattern.
func isoOf(pattern, text string) (string, bool) {
	p, known := patterns.Load(pattern)
	if !known {
		read, err := column.ParsePattern(strings.Clone(pattern))
		if err != nil {
			return "", false
		}
		p, _ = patterns.LoadOrStore(read.String(), read)
	}
	return p.(column.Pattern).ISO(text)
}

// patterns are those that isoOf has read, by their texts.
var patterns sync.Map

// Readable guards against what SQLite's flexible types let into a column. A text that is no date can sort between two that are; so it is read
// by SQLite and written back, and must come out the same.
func (s SQLite) Readable(c Column, lower, upper bool) string {
	name := s.Name(c.Name)
	switch {
	case c.IsExactText():
		return "" // what is none has no key
	case c.Stored == column.EightDigits:
		text := fmt.Sprintf("printf('%%08d', %s)", name)
		return fmt.Sprintf("typeof(%s) = 'integer' AND strftime('%%Y%%m%%d', substr(%s, 1, 4) || '-' || substr(%s, 5, 2) || '-' || substr(%s, 7, 2)) = %s", name, text, text, text, text)
	case c.Type.IsNumeric(), c.Stored == column.EpochSeconds, c.Stored == column.EpochMillis, c.Stored == column.SerialDays:
		// In a column declared as text, numbers would be compared as texts.
		number := fmt.Sprintf("typeof(%s) IN ('integer', 'real')", name)
		if bounds := inCalendar(c, name, lower, upper); bounds != "" {
			number += " AND " + bounds
		}
		return number
	case !c.Pattern.Sorts():
		return "" // Stored tells already
	}
	p := c.Pattern
	iso := s.iso(name, p)
	fields := name
	if p.Suffix() != "" || p.HasTime() {
		fields = fmt.Sprintf("substr(%s, 1, %d)", name, p.Width())
	}
	fits := fmt.Sprintf("strftime(%s, %s) = %s", literal(p.Strftime()), iso, fields)
	switch p.Strftime() { // SQLite's own forms, which it writes faster
	case "%Y-%m-%d":
		fits = fmt.Sprintf("date(%s) = %s", iso, fields)
	case "%Y-%m-%d %H:%M:%S":
		fits = fmt.Sprintf("datetime(%s) = %s", iso, fields)
	}
	if !p.HasTime() && p.Suffix() == "" {
		return fits
	}
	rest, suffix := fmt.Sprintf("substr(%s, %d)", name, p.Width()+1), literal(p.Suffix())
	if _, _, seconds := p.Field('s'); !seconds {
		return fmt.Sprintf("%s AND %s = %s", fits, rest, suffix)
	}
	return fmt.Sprintf("%s AND (%s = %s OR %s GLOB '.[0-9]*' AND ltrim(substr(%s, %d), '0123456789') = %s)",
		fits, rest, suffix, rest, name, p.Width()+2, suffix)
}

// Quickly asks a function of ours whether a text is a date.
func (s SQLite) Quickly(c Column, lower, upper bool) string {
	name := s.Name(c.Name)
	switch {
	case !c.Type.IsDated():
	case c.Stored == column.EightDigits:
		return fmt.Sprintf("typeof(%s) = 'integer' AND %s", name, inForm(fmt.Sprintf("printf('%%08d', %s)", name), "%Y%m%d", "", false))
	case c.Text && c.Stored == column.StoredText && c.Pattern.Sorts(): // where numbers are texts too
		_, _, seconds := c.Pattern.Field('s')
		return inForm(name, c.Pattern.Strftime(), c.Pattern.Suffix(), seconds)
	}
	return s.Readable(c, lower, upper)
}

// FormFunction is the name of the function that tells whether a text is a date in a form: of the text,
// the form as of SQLite's strftime, what stands behind it, and whether a fraction of a second may stand
// before that. SQLite's own functions tell as much, with many times the time for each call.
const FormFunction = "is_date_in"

func inForm(text, form, behind string, fraction bool) string {
	return fmt.Sprintf("%s(%s, %s, %s, %d)", FormFunction, text, literal(form), literal(behind), index(fraction))
}

// iso is the text in the form that SQLite's date functions read; the text itself
// where its pattern is that form already.
func (SQLite) iso(name string, p column.Pattern) string {
	return isoText(name, p, func(text string, at, width int) string { return fmt.Sprintf("substr(%s, %d, %d)", text, at, width) }, " || ")
}

// Order puts missing values last, and dates in the order of time. SQLite holds
// missing values for the least, so that descending order needs no word for it.
func (s SQLite) Order(c Column, descending, mayMiss bool) string {
	by, unreadable := s.Value(c), false
	if c.EmptyMissing {
		by = fmt.Sprintf("nullif(%s, '')", by)
	}
	if c.Type.IsDated() {
		by = s.Stored(c)
		unreadable = by != s.Name(c.Name)
	}
	switch {
	case descending:
		return by + " DESC"
	case mayMiss || unreadable:
		return by + " NULLS LAST"
	}
	return by
}

// Wall is ISO text or NULL: the text of a column as far as it is one, the rest
// worked out with SQLite's date functions.
func (s SQLite) Wall(c Column, shifts []civil.Shift) string {
	name := s.Name(c.Name)
	switch c.Stored {
	case column.EightDigits:
		digits := fmt.Sprintf("printf('%%08d', %s)", name)
		return fmt.Sprintf("substr(%s, 1, 4) || '-' || substr(%s, 5, 2) || '-' || substr(%s, 7, 2)", digits, digits, digits)
	case column.SerialDays:
		if c.Type == column.Datetime {
			return fmt.Sprintf("datetime(CAST(round((%s - 25569) * 86400) AS INTEGER), 'unixepoch')", name)
		}
		return fmt.Sprintf("date(%s + 2415018.5)", down(name)) // Julian day of 1899-12-30
	}
	if c.Type == column.Instant {
		return fmt.Sprintf("datetime(%s, 'unixepoch')", shifted(s.seconds(c), shifts))
	}
	return s.text(c)
}

// text is the ISO text of a column stored as text, NULL or nonsense where it is
// none.
func (s SQLite) text(c Column) string {
	if !c.Pattern.Sorts() {
		return s.rewritten(c)
	}
	return s.iso(s.Name(c.Name), c.Pattern)
}

// seconds are the stored seconds of an instant, whole.
func (s SQLite) seconds(c Column) string {
	name := s.Name(c.Name)
	switch c.Stored {
	case column.EpochSeconds:
		return down(name)
	case column.EpochMillis:
		return fmt.Sprintf("(%[1]s / 1000 - (%[1]s %% 1000 < 0))", down(name))
	}
	return fmt.Sprintf("CAST(strftime('%%s', %s) AS INTEGER)", s.text(c))
}

// down rounds a number down to a whole one.
func down(name string) string {
	return fmt.Sprintf("(CAST(%[1]s AS INTEGER) - (%[1]s < CAST(%[1]s AS INTEGER)))", name)
}

// Comparable is ISO text of one length, or for instants whole seconds.
func (s SQLite) Comparable(c Column, shifts []civil.Shift) string {
	switch c.Type {
	case column.Date:
		return fmt.Sprintf("strftime('%%Y-%%m-%%d', %s)", s.Wall(c, nil))
	case column.Datetime:
		return fmt.Sprintf("strftime('%%Y-%%m-%%d %%H:%%M:%%S', %s)", s.Wall(c, nil))
	}
	if shifts == nil {
		return s.seconds(c)
	}
	return "(" + shifted(s.seconds(c), shifts) + ")"
}

// foldFunction is the name of the function for Unicode simple folding, value.Fold.
const foldFunction = "fold_case"

// keyFunction is the name of the function for value.DecimalKey.
const keyFunction = "decimal_key"

// Fold calls the function that source adds to SQLite where there is more than
// ASCII, which SQLite folds by itself, and faster.
func (SQLite) Fold(text string) string {
	return fmt.Sprintf("CASE WHEN %s GLOB '*[^ -~]*' THEN %s(%s) ELSE upper(%s) END", text, foldFunction, text, text)
}

// Holds folds both sides with the function where case is ignored. No character of a
// value is a wildcard.
func (s SQLite) Holds(text string, op criteria.Op, values []string, fold bool, param func(any) string) string {
	if fold {
		text = s.Fold(text)
	}
	return oneOf(values, func(val string) string {
		if fold {
			val = value.Fold(val)
		}
		switch op {
		case criteria.Contains:
			return fmt.Sprintf("instr(%s, %s) > 0", text, param(val))
		case criteria.EndsWith: // cuts off as many characters as the value has
			return fmt.Sprintf("substr(%s, -length(%s)) = %s", text, param(val), param(val))
		case criteria.StartsWith:
			return fmt.Sprintf("substr(%s, 1, length(%s)) = %s", text, param(val), param(val))
		}
		return text + " = " + param(val)
	})
}

// Part leaves it to SQLite's strftime; weekdays count from Sunday, 0.
func (SQLite) Part(wall string, p criteria.Part) string {
	conversion := map[criteria.Part]string{criteria.Months: "%m", criteria.Days: "%d", criteria.Weekdays: "%w"}[p]
	return fmt.Sprintf("CAST(strftime('%s', %s) AS INTEGER)", conversion, wall)
}

// Clock leaves it to SQLite's strftime.
func (SQLite) Clock(wall string) string { return fmt.Sprintf("strftime('%%H:%%M:%%S', %s)", wall) }

// spareDigits are the digits beyond its scale that a binary fraction may have and still be added up
// without loss: some values have more than the dataset says. Decimals in texts are of such size
// that there is no room for more; those with more digits are left out, and counted.
const spareDigits = 3

// Amount is a whole number of units of the last digit, since SQLite's own fractions are binary.
func (s SQLite) Amount(c Column) (expression, fits string, tells bool) {
	name := s.Name(c.Name)
	switch {
	case c.IsExactText():
		units := fmt.Sprintf("%s(%s, '%d')", unitsFunction, name, s.Shifted(c))
		return "CAST(" + units + " AS INTEGER)", units + " IS NOT NULL", false
	case c.Type == column.Decimal:
		return fmt.Sprintf("CAST(round(%s * 1e%d) AS INTEGER)", name, s.Shifted(c)), "", false
	}
	return name, "", false
}

// SumFunction is the name of the function that SQLite adds numbers up by: of a number and how many
// digits after its point count. Its text is the sum in units of the last digit, how many numbers it is
// of, and how many values are missing.
const SumFunction = "sum_of"

// Summed adds whole numbers and decimals up in one go, with the digits that they may have beyond their
// scale. Binary fractions add up as such, and decimals in texts have a function of their own.
func (s SQLite) Summed(c Column) (expression string, shifted int) {
	if c.IsExactText() || c.Type != column.Integer && c.Type != column.Decimal {
		return "", 0
	}
	shifted = c.Scale + spareDigits
	return fmt.Sprintf("%s(%s, %d)", SumFunction, s.Name(c.Name), shifted), shifted
}

func (SQLite) Shifted(c Column) int {
	switch {
	case c.IsExactText():
		return c.Scale
	case c.Type == column.Decimal:
		return c.Scale + spareDigits
	}
	return 0
}

func (SQLite) Integer() string { return "INTEGER" }
