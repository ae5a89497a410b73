package compile

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/value"
)

// MariaDB is the dialect of MariaDB 10.6 or later, in a session whose zone is UTC,
// whose character set is utf8mb4, and whose texts know no backslash.
type MariaDB struct{}

var mariaEnds = anchors{`\A`, `\z`}

// byCodePoint is the collation that compares texts by code point, blanks at their
// end included.
const byCodePoint = " COLLATE utf8mb4_nopad_bin"

// Name quotes by doubling.
func (MariaDB) Name(name string) string { return "`" + strings.ReplaceAll(name, "`", "``") + "`" }

// Shown is the column.
func (m MariaDB) Shown(c Column) string { return m.Name(c.Name) }

// Param says what a number is exactly. The collation of a comparison stands with the
// value, so that an index on a column of that collation serves.
func (MariaDB) Param(_ int, val any, of *Column) string {
	switch val.(type) {
	case decimal.Decimal:
		return "CAST(? AS DECIMAL(65, 30))"
	case string:
		if of != nil && of.IsText() {
			return "?" + byCodePoint
		}
	}
	return "?"
}

// Most is the placeholder.
func (MariaDB) Most(param string) string { return param }

// Many takes the array apart as a table.
func (m MariaDB) Many(c Column, whole bool, param string) string {
	element := "VARCHAR(4000) CHARACTER SET utf8mb4" + byCodePoint
	switch {
	case c.Type == column.Integer && whole:
		element = "BIGINT" // as the column is, so that an index on it serves
	case c.Type.IsNumeric():
		element = "DECIMAL(65, 30)"
	}
	return fmt.Sprintf("%s IN (SELECT chosen.v FROM JSON_TABLE(%s, '$[*]' COLUMNS (v %s PATH '$')) AS chosen)", m.Value(c), param, element)
}

// Equal names the collation of texts that have another one, on the side where it
// keeps no index of the joined table from serving.
func (MariaDB) Equal(left, right string, of, and Fact) string {
	if of.Text && and.Text && !(of.Exact && and.Exact) {
		return fmt.Sprintf("%s = CONVERT(%s USING utf8mb4)%s", left, right, byCodePoint)
	}
	return left + " = " + right
}

// Compared is the column as it is: the value beside it has the collation.
func (m MariaDB) Compared(c Column) string { return m.Name(c.Name) }

// Value gives texts the collation where the column has another one.
func (m MariaDB) Value(c Column) string {
	if !c.IsText() || c.Exact {
		return m.Name(c.Name)
	}
	return fmt.Sprintf("CONVERT(%s USING utf8mb4)%s", m.Name(c.Name), byCodePoint)
}

// Stored takes a text apart where its pattern does not sort by time.
func (m MariaDB) Stored(c Column) string {
	if c.Stored != column.StoredText || c.Pattern.Sorts() {
		return m.Name(c.Name)
	}
	return m.rewritten(c)
}

// rewritten is the value of a text in ISO form, and NULL where it is no date.
func (m MariaDB) rewritten(c Column) string {
	text := m.Value(c)
	iso, ok := mariaEnds.split(c, cutting{
		part: func(n int, sign string) string {
			if n == 2 {
				return fmt.Sprintf("SUBSTRING_INDEX(SUBSTRING_INDEX(%s, %s, 2), %s, -1)", text, sign, sign)
			}
			return fmt.Sprintf("SUBSTRING_INDEX(%s, %s, %d)", text, sign, 2-n) // 1 for the first, -1 for the third
		},
		number:  func(piece string) string { return "CAST(" + piece + " AS UNSIGNED)" },
		matches: func(regexp string) string { return text + " REGEXP " + regexp },
		iso: func(year, month, day string) string {
			return fmt.Sprintf("CONCAT(%s, '-', LPAD(%s, 2, '0'), '-', LPAD(%s, 2, '0'))", year, month, day)
		},
	})
	if ok {
		return iso
	}
	var loose string
	loose, iso = mariaEnds.rewriting(text, c.Pattern, func(text, regexp, to string) string {
		return fmt.Sprintf("REGEXP_REPLACE(%s, %s, %s)", text, regexp, to)
	})
	return fmt.Sprintf("CASE WHEN %s REGEXP %s AND %s REGEXP %s THEN %s END", text, literal(loose), iso, literal(mariaEnds.fits(isoPattern(c))), iso)
}

// Readable guards against days that MariaDB keeps and the calendar does not have,
// and against texts that are no dates.
func (m MariaDB) Readable(c Column, lower, upper bool) string {
	name := m.Value(c)
	switch {
	case c.Type.IsNumeric():
		return ""
	case c.Stored == column.EpochSeconds, c.Stored == column.EpochMillis, c.Stored == column.SerialDays:
		return inCalendar(c, name, lower, upper)
	case c.Stored == column.EightDigits:
		return fmt.Sprintf("%[1]s BETWEEN 10101 AND 99991231 AND LPAD(%[1]s, 8, '0') REGEXP %[2]s", name, literal(mariaEnds.fits(eightDigits)))
	case c.Stored == column.Native:
		days := fmt.Sprintf("DAYOFMONTH(%[1]s) BETWEEN 1 AND DAYOFMONTH(LAST_DAY(%[1]s))", name)
		if lower {
			return days
		}
		return fmt.Sprintf("YEAR(%s) > 0 AND %s", name, days)
	case !c.Pattern.Sorts():
		return "" // Stored tells already
	}
	return fmt.Sprintf("%s REGEXP %s", name, literal(mariaEnds.fits(c.Pattern)))
}

// Quickly is Readable.
func (m MariaDB) Quickly(c Column, lower, upper bool) string { return m.Readable(c, lower, upper) }

// Order puts missing values last. MariaDB holds them for the least, so that
// descending order needs no word for it.
func (m MariaDB) Order(c Column, descending, mayMiss bool) string {
	by := m.Value(c)
	if c.EmptyMissing {
		by, mayMiss = fmt.Sprintf("nullif(%s, '')", by), mayMiss || !descending
	}
	if c.Stored == column.StoredText && !c.Pattern.Sorts() {
		by, mayMiss = m.rewritten(c), true
	}
	switch {
	case descending:
		return by + " DESC"
	case mayMiss:
		return fmt.Sprintf("%s IS NULL, %s", by, by)
	}
	return by
}

// Wall is a date with a time, NULL where the stored value cannot be read.
func (m MariaDB) Wall(c Column, shifts []civil.Shift) string {
	name := m.Value(c)
	if c.Type == column.Instant {
		return fmt.Sprintf("TIMESTAMPADD(SECOND, %s, '1970-01-01')", shifted(m.seconds(c), shifts))
	}
	switch c.Stored {
	case column.EightDigits:
		return fmt.Sprintf("CAST(LPAD(%s, 8, '0') AS DATETIME)", name)
	case column.SerialDays:
		if c.Type == column.Datetime {
			return fmt.Sprintf("TIMESTAMPADD(SECOND, ROUND(%s * 86400), '1899-12-30')", name)
		}
		return fmt.Sprintf("TIMESTAMPADD(DAY, FLOOR(%s), '1899-12-30')", name)
	case column.Native:
		return fmt.Sprintf("CAST(%s AS DATETIME)", name)
	}
	return m.read(c)
}

// read is the date that a text stands for.
func (m MariaDB) read(c Column) string {
	if !c.Pattern.Sorts() {
		return fmt.Sprintf("CAST(%s AS DATETIME)", m.rewritten(c))
	}
	iso := isoText(m.Value(c), c.Pattern, func(text string, at, width int) string { return fmt.Sprintf("SUBSTRING(%s, %d, %d)", text, at, width) }, ", ")
	return fmt.Sprintf("CAST(CONCAT(%s) AS DATETIME)", iso)
}

// seconds are the stored seconds of an instant, whole.
func (m MariaDB) seconds(c Column) string {
	name := m.Value(c)
	switch c.Stored {
	case column.EpochSeconds:
		return fmt.Sprintf("FLOOR(%s)", name)
	case column.EpochMillis:
		return fmt.Sprintf("FLOOR(%s / 1000)", name)
	case column.Native:
		return fmt.Sprintf("TIMESTAMPDIFF(SECOND, '1970-01-01', %s)", m.toTheSecond(name))
	}
	return fmt.Sprintf("TIMESTAMPDIFF(SECOND, '1970-01-01', %s)", m.read(c))
}

// toTheSecond cuts a fraction off, which would count upwards before 1970.
func (MariaDB) toTheSecond(moment string) string { return fmt.Sprintf("CAST(%s AS DATETIME)", moment) }

// Comparable is a date, or a date with a time of whole seconds; for instants whole
// seconds.
func (m MariaDB) Comparable(c Column, shifts []civil.Shift) string {
	switch {
	case c.Type == column.Date:
		return fmt.Sprintf("CAST(%s AS DATE)", m.Wall(c, nil))
	case c.Type == column.Datetime:
		return m.toTheSecond(m.Wall(c, nil))
	case shifts == nil:
		return m.seconds(c)
	}
	return "(" + shifted(m.seconds(c), shifts) + ")"
}

// Holds asks a regular expression where case is ignored, made of the value's own
// characters.
func (MariaDB) Holds(text string, op criteria.Op, values []string, fold bool, param func(any) string) string {
	if fold {
		return fmt.Sprintf("%s REGEXP %s", text, param(mariaEnds.folded(op, values, func(r rune) string { return fmt.Sprintf(`\x{%x}`, r) })))
	}
	return oneOf(values, func(val string) string {
		if op == criteria.EndsWith {
			return fmt.Sprintf("RIGHT(%s, %d) = %s%s", text, utf8.RuneCountInString(val), param(val), byCodePoint)
		}
		return fmt.Sprintf("LOCATE(%s%s, %s) > 0", param(val), byCodePoint, text)
	})
}

// Fold is not to be had in MariaDB: a definition that needs it is refused.
func (MariaDB) Fold(text string) string { return text }

// Part counts weekdays from Sunday, 0.
func (MariaDB) Part(wall string, p criteria.Part) string {
	if p == criteria.Weekdays {
		return fmt.Sprintf("DAYOFWEEK(%s) - 1", wall)
	}
	return fmt.Sprintf("%s(%s)", map[criteria.Part]string{criteria.Months: "MONTH", criteria.Days: "DAYOFMONTH"}[p], wall)
}

// Clock is text.
func (MariaDB) Clock(wall string) string { return fmt.Sprintf("DATE_FORMAT(%s, '%%H:%%i:%%s')", wall) }

// Amount is a number with all its digits: of a binary fraction the shortest that it stands for.
func (m MariaDB) Amount(c Column) (expression, fits string, tells bool) {
	name := m.Name(c.Name)
	if c.Type == column.Number || !c.Binary && !c.Text {
		return name, "", false
	}
	return fmt.Sprintf("CAST(%s AS DECIMAL(65, %d))", name, value.MostScale), "", false
}

func (MariaDB) Shifted(Column) int { return 0 }

// Summed is left to the sum and the counts of their own.
func (MariaDB) Summed(Column) (expression string, shifted int) { return "", 0 }

func (MariaDB) Integer() string { return "SIGNED" }
