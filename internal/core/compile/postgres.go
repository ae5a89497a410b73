package compile

import (
	"fmt"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/value"
)

// Postgres is the dialect of PostgreSQL 13 or later, in a session whose zone is UTC.
// Conditions can be tried in any order there, and one value that cannot be converted
// fails the whole statement: so whatever converts looks first.
type Postgres struct{}

var postgresEnds = anchors{"^", "$"}

// Name quotes by doubling, as SQL does.
func (Postgres) Name(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// Shown is the column.
func (p Postgres) Shown(c Column) string { return p.Name(c.Name) }

// Param leaves the type of texts to what they are compared with.
func (Postgres) Param(n int, val any, _ *Column) string {
	switch val.(type) {
	case int64:
		return fmt.Sprintf("$%d::bigint", n)
	case decimal.Decimal:
		return fmt.Sprintf("$%d::numeric", n)
	}
	return fmt.Sprintf("$%d", n)
}

// Most is the placeholder.
func (Postgres) Most(param string) string { return param }

// Many makes an array of PostgreSQL's own, which an index can serve.
func (p Postgres) Many(c Column, whole bool, param string) string {
	element := "text"
	if c.Type.IsNumeric() {
		element = "numeric"
		if whole { // as the column is, so that an index on it serves
			element = "bigint"
		}
	}
	return fmt.Sprintf("%s = ANY (ARRAY(SELECT json_array_elements_text(%s::json)::%s))", p.Value(c), param, element)
}

// Equal names the collation of texts that have another one.
func (Postgres) Equal(left, right string, of, and Fact) string {
	if of.Text && and.Text && !(of.Exact && and.Exact) {
		return left + ` COLLATE "C" = ` + right + ` COLLATE "C"`
	}
	return left + " = " + right
}

// Compared is the column as Value has it.
func (p Postgres) Compared(c Column) string { return p.Value(c) }

// Value names the collation of texts, but where the column has it, so that an index
// on it serves.
func (p Postgres) Value(c Column) string {
	name := p.Name(c.Name)
	switch {
	case !c.IsText() || c.Exact:
		return name
	case c.Text:
		return name + ` COLLATE "C"`
	}
	return name + `::text COLLATE "C"`
}

// Stored takes a text apart where its pattern does not sort by time.
func (p Postgres) Stored(c Column) string {
	if c.Stored != column.StoredText || c.Pattern.Sorts() {
		return p.Value(c)
	}
	return p.rewritten(c)
}

// rewritten is the value of a text in ISO form, and NULL where it is no date.
func (p Postgres) rewritten(c Column) string {
	text := p.Value(c)
	iso, ok := postgresEnds.split(c, cutting{
		part:    func(n int, sign string) string { return fmt.Sprintf("split_part(%s, %s, %d)", text, sign, n) },
		number:  func(piece string) string { return piece + "::integer" },
		matches: func(regexp string) string { return text + " ~ " + regexp },
		iso: func(year, month, day string) string {
			return fmt.Sprintf("%s || '-' || lpad(%s, 2, '0') || '-' || lpad(%s, 2, '0')", year, month, day)
		},
	})
	if ok {
		return iso
	}
	var loose string
	loose, iso = postgresEnds.rewriting(text, c.Pattern, func(text, regexp, to string) string {
		return fmt.Sprintf("regexp_replace(%s, %s, %s, 'g')", text, regexp, to)
	})
	return fmt.Sprintf("CASE WHEN %s ~ %s AND %s ~ %s THEN %s END", text, literal(loose), iso, literal(postgresEnds.fits(isoPattern(c))), iso)
}

// isoPattern is the form that a column's texts are rewritten to.
func isoPattern(c Column) column.Pattern {
	if c.Pattern.HasTime() {
		return column.ISOTime
	}
	return column.ISODay
}

// Readable guards against what a type lets in and the calendar does not, and
// against texts that are no dates.
func (p Postgres) Readable(c Column, lower, upper bool) string {
	name := p.Value(c)
	switch {
	case c.Stored == column.EpochSeconds, c.Stored == column.EpochMillis, c.Stored == column.SerialDays:
		return inCalendar(c, name, lower, upper)
	case c.Type.IsNumeric():
		if lower && upper || c.Type == column.Integer {
			return "" // what is no number sorts before all of them or after, and no whole number is none
		}
		return p.finite(c)
	case c.Stored == column.EightDigits:
		return fmt.Sprintf("%[1]s BETWEEN 10101 AND 99991231 AND lpad(%[1]s::text, 8, '0') ~ %[2]s", name, literal(postgresEnds.fits(eightDigits)))
	case c.Stored == column.Native:
		var bounds []string
		if !lower {
			bounds = append(bounds, name+" >= '0001-01-01'")
		}
		if !upper {
			bounds = append(bounds, name+" < '10000-01-01'")
		}
		return strings.Join(bounds, " AND ")
	case !c.Pattern.Sorts():
		return "" // Stored tells already
	}
	return fmt.Sprintf("%s ~ %s", name, literal(postgresEnds.fits(c.Pattern)))
}

// Quickly is Readable.
func (p Postgres) Quickly(c Column, lower, upper bool) string { return p.Readable(c, lower, upper) }

// Order puts missing values last. PostgreSQL holds them for the greatest, so that
// ascending order needs no word for it.
func (p Postgres) Order(c Column, descending, mayMiss bool) string {
	by, unreadable := p.Value(c), false
	if c.EmptyMissing {
		by = fmt.Sprintf("nullif(%s, '')", by)
	}
	if c.Type.IsDated() {
		by = p.Stored(c)
		unreadable = by != p.Value(c)
	}
	switch {
	case descending && (mayMiss || unreadable):
		return by + " DESC NULLS LAST"
	case descending:
		return by + " DESC"
	}
	return by
}

// Wall is a timestamp, NULL where the stored value cannot be read.
func (p Postgres) Wall(c Column, shifts []civil.Shift) string {
	name := p.Value(c)
	if c.Type == column.Instant {
		return fmt.Sprintf("(timestamp '1970-01-01' + make_interval(secs => %s))", shifted(p.seconds(c), shifts))
	}
	switch c.Stored {
	case column.EightDigits:
		return p.guarded(c, fmt.Sprintf("to_timestamp(lpad(%s::text, 8, '0'), 'YYYYMMDD')::timestamp", name))
	case column.SerialDays:
		if c.Type == column.Datetime {
			return p.guarded(c, fmt.Sprintf("timestamp '1899-12-30' + make_interval(secs => round((%s)::numeric * 86400)::double precision)", name))
		}
		return p.guarded(c, fmt.Sprintf("timestamp '1899-12-30' + make_interval(days => floor(%s)::integer)", name))
	case column.Native:
		return p.guarded(c, name+"::timestamp")
	}
	return p.read(c)
}

// guarded is an expression where the stored value can be read, else NULL.
func (p Postgres) guarded(c Column, expression string) string {
	return fmt.Sprintf("CASE WHEN %s THEN %s END", p.Readable(c, false, false), expression)
}

// read is the timestamp that a text stands for.
func (p Postgres) read(c Column) string {
	if !c.Pattern.Sorts() {
		return p.rewritten(c) + "::timestamp"
	}
	iso := isoText(p.Value(c), c.Pattern, func(text string, at, width int) string { return fmt.Sprintf("substr(%s, %d, %d)", text, at, width) }, " || ")
	return p.guarded(c, fmt.Sprintf("(%s)::timestamp", iso))
}

// seconds are the stored seconds of an instant, whole.
func (p Postgres) seconds(c Column) string {
	name := p.Value(c)
	switch c.Stored {
	case column.EpochSeconds:
		return p.guarded(c, fmt.Sprintf("floor(%s)::bigint", name))
	case column.EpochMillis:
		return p.guarded(c, fmt.Sprintf("floor(%s / 1000.0)::bigint", name))
	case column.Native:
		return p.guarded(c, fmt.Sprintf("floor(extract(epoch FROM %s))::bigint", name))
	}
	return fmt.Sprintf("extract(epoch FROM %s)::bigint", p.read(c))
}

// Comparable is a date or a timestamp of whole seconds, for instants whole seconds.
func (p Postgres) Comparable(c Column, shifts []civil.Shift) string {
	switch {
	case c.Type == column.Date:
		return fmt.Sprintf("(%s)::date", p.Wall(c, nil))
	case c.Type == column.Datetime:
		return fmt.Sprintf("date_trunc('second', %s)", p.Wall(c, nil))
	case shifts == nil:
		return p.seconds(c)
	}
	return "(" + shifted(p.seconds(c), shifts) + ")"
}

// Holds asks a regular expression where case is ignored, made of the value's own
// characters: PostgreSQL's folding depends on the server's locale.
func (Postgres) Holds(text string, op criteria.Op, values []string, fold bool, param func(any) string) string {
	if fold {
		return fmt.Sprintf("%s ~ %s", text, param(postgresEnds.folded(op, values, func(r rune) string { return fmt.Sprintf(`\U%08x`, r) })))
	}
	return oneOf(values, func(val string) string {
		if op == criteria.EndsWith {
			return fmt.Sprintf("right(%s, %d) = %s", text, utf8.RuneCountInString(val), param(val))
		}
		return fmt.Sprintf("strpos(%s, %s) > 0", text, param(val))
	})
}

// foldTable is what Unicode simple folding does to the characters beyond ASCII.
var foldTable = sync.OnceValues(func() (from, to string) {
	var f, t strings.Builder
	for r := rune(utf8.RuneSelf); r <= unicode.MaxRune; r++ {
		if one := string(r); value.Fold(one) != one {
			f.WriteString(one)
			t.WriteString(value.Fold(one))
		}
	}
	return f.String(), t.String()
})

// Fold leaves ASCII to upper, and replaces what else there is character by
// character.
func (Postgres) Fold(text string) string {
	from, to := foldTable()
	return fmt.Sprintf("CASE WHEN %[1]s ~ '[^ -~]' THEN translate(upper(%[1]s), %[2]s, %[3]s) ELSE upper(%[1]s) END", text, literal(from), literal(to))
}

// Part counts weekdays from Sunday, 0.
func (Postgres) Part(wall string, p criteria.Part) string {
	return fmt.Sprintf("extract(%s FROM %s)::integer", map[criteria.Part]string{criteria.Months: "month", criteria.Days: "day", criteria.Weekdays: "dow"}[p], wall)
}

// Clock is text that compares by code point.
func (Postgres) Clock(wall string) string {
	return fmt.Sprintf(`to_char(%s, 'HH24:MI:SS') COLLATE "C"`, wall)
}

// Amount is a number with all its digits. NaN and infinities make sums that are such too.
func (p Postgres) Amount(c Column) (expression, fits string, tells bool) {
	name := p.Name(c.Name)
	switch {
	case c.Type == column.Number:
		return name + "::double precision", p.finite(c), true
	case c.Binary || c.Text:
		return name + "::numeric", p.finite(c), true
	case c.Type == column.Integer:
		return name, "", false // no whole number is none
	}
	return name, p.finite(c), true
}

// finite is a condition that a value is a number, and not NaN or an infinity.
func (p Postgres) finite(c Column) string {
	name := p.Name(c.Name)
	if c.Text {
		name += "::numeric"
	}
	return name + " - " + name + " = 0"
}

func (Postgres) Shifted(Column) int { return 0 }

// Summed is left to the sum and the counts of their own.
func (Postgres) Summed(Column) (expression string, shifted int) { return "", 0 }

func (Postgres) Integer() string { return "INTEGER" }
