package compile

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/value"
)

// What dialects share.

func literal(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }

// oneOf joins what is said of each value by OR.
func oneOf(values []string, say func(string) string) string {
	said := make([]string, len(values))
	for i, val := range values {
		said[i] = say(val)
	}
	if len(said) == 1 {
		return said[0]
	}
	return "(" + strings.Join(said, " OR ") + ")"
}

// shifted adds to the seconds what the shift that they lie in says, found by
// halves.
func shifted(seconds string, shifts []civil.Shift) string {
	if len(shifts) == 1 {
		return fmt.Sprintf("%s + %d", seconds, shifts[0].Add)
	}
	half := len(shifts) / 2
	return fmt.Sprintf("CASE WHEN %s < %d THEN %s ELSE %s END", seconds, shifts[half].From, shifted(seconds, shifts[:half]), shifted(seconds, shifts[half:]))
}

// isoText is an expression for a text in ISO form, yyyy-MM-dd or yyyy-MM-dd
// HH:mm:ss, made of the fields of its pattern, which sorts by time: without its
// suffix and fraction, and without seconds where the pattern has none. cut cuts a
// text out of another, from 1; joint joins texts.
func isoText(name string, p column.Pattern, cut func(text string, at, width int) string, joint string) string {
	switch p.Strftime() {
	case "%Y-%m-%d":
		if p.Suffix() == "" {
			return name
		}
	case "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%dT%H:%M":
		return cut(name, 1, p.Width())
	}
	var parts []string
	for _, f := range []struct {
		letter byte
		before string
	}{{'y', ""}, {'M', "-"}, {'d', "-"}, {'H', " "}, {'m', ":"}, {'s', ":"}} {
		if at, width, ok := p.Field(f.letter); ok {
			if f.before != "" {
				parts = append(parts, literal(f.before))
			}
			parts = append(parts, cut(name, at+1, width))
		}
	}
	return strings.Join(parts, joint)
}

// anchors are how a dialect of regular expressions writes the two ends of a text.
type anchors struct{ start, end string }

// The days that there are, year by year and month by month, from the year 1 on,
// as regular expressions of two dialects take them: without looking ahead, which takes
// PostgreSQL a third longer. %[1]s is what stands between year and month, %[2]s what
// stands between month and day.
const validDay = `(([1-9][0-9]{3}|0[1-9][0-9]{2}|00[1-9][0-9]|000[1-9])%[1]s(((0[13578]|1[02])%[2]s(0[1-9]|[12][0-9]|3[01]))|((0[469]|11)%[2]s(0[1-9]|[12][0-9]|30))|(02%[2]s(0[1-9]|1[0-9]|2[0-8])))|` +
	`([0-9]{2}(0[48]|[2468][048]|[13579][26])|(0[48]|[2468][048]|[13579][26])00)%[1]s02%[2]s29)`

// fits is a regular expression for the texts of a pattern that sorts by time.
func (a anchors) fits(p column.Pattern) string {
	var b strings.Builder
	pieces := p.Pieces()
	b.WriteString(a.start)
	between := func(i int) (string, int) {
		if pieces[i].Letter == 0 {
			return plain(pieces[i].Literal), i + 1
		}
		return "", i
	}
	i := 0
	for ; pieces[i].Letter == 0; i++ {
		b.WriteString(plain(pieces[i].Literal))
	}
	first, i := between(i + 1)
	second, i := between(i + 1)
	fmt.Fprintf(&b, validDay, first, second)
	for i++; i < len(pieces); i++ {
		switch pieces[i].Letter {
		case 0:
			b.WriteString(plain(pieces[i].Literal))
		case 'H':
			b.WriteString("([01][0-9]|2[0-3])")
		default:
			b.WriteString("[0-5][0-9]")
		}
	}
	if _, _, seconds := p.Field('s'); seconds {
		b.WriteString("([.][0-9]+)?")
	}
	b.WriteString(plain(p.Suffix()) + a.end)
	return b.String()
}

// plain is a regular expression for a text as it is.
func plain(text string) string {
	var b strings.Builder
	for _, r := range text {
		switch {
		case strings.ContainsRune(`\^`, r):
			b.WriteString(`\` + string(r))
		case strings.ContainsRune(`.[]{}()*+?|$`, r):
			b.WriteString("[" + string(r) + "]")
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// rewriting turns the texts of any pattern into their ISO form, by functions that the two
// dialects share; replace is REGEXP_REPLACE with a text, an expression and what takes its
// place, of all matches.
func (a anchors) rewriting(text string, p column.Pattern, replace func(text, regexp, to string) string) (loose, iso string) {
	loose, to := a.loosely(p)
	iso = replace(text, literal(loose), literal(to))
	for _, piece := range p.Pieces() {
		switch {
		case piece.Named:
			iso = fmt.Sprintf("lower(%s)", iso)
			for m := 1; m <= 12; m++ {
				iso = fmt.Sprintf("replace(%s, '-0%s-', '-%02d-')", iso, column.MonthNames[3*m-3:3*m], m)
			}
		case piece.Letter == 'y' && piece.Width == 2:
			iso = replace(replace(iso, literal(a.start+"([0-5][0-9]|6[0-8])-"), `'20\1-'`), literal(a.start+"(69|[7-9][0-9])-"), `'19\1-'`)
		}
	}
	return loose, replace(iso, "'-0([0-9]{2})'", `'-\1'`)
}

// cutting is how a dialect cuts a text at a sign: part is the n-th piece, from 1; number is a
// piece as a number; matches is whether the text matches an expression; iso joins year, month
// and day.
type cutting struct {
	part    func(n int, sign string) string
	number  func(piece string) string
	matches func(regexp string) string
	iso     func(year, month, day string) string
}

// split is the ISO form of a date whose fields are parted by one and the same sign, as in
// M/d/yyyy: it is cut at the signs, which takes a fraction of the time of regular expressions.
// False for any other pattern.
func (a anchors) split(c Column, by cutting) (string, bool) {
	pieces := c.Pattern.Pieces()
	if c.Pattern.HasTime() || c.Pattern.Suffix() != "" || len(pieces) != 5 || pieces[1].Literal == "" || pieces[1].Literal != pieces[3].Literal {
		return "", false
	}
	field := map[byte]string{}
	for i := 0; i < 5; i += 2 {
		if pieces[i].Letter == 0 || pieces[i].Named || pieces[i].Letter == 'y' && pieces[i].Width == 2 {
			return "", false
		}
		field[pieces[i].Letter] = by.part(i/2+1, literal(pieces[1].Literal))
	}
	loose, _ := a.loosely(c.Pattern)
	year, month, day := by.number(field['y']), by.number(field['M']), by.number(field['d'])
	days := fmt.Sprintf("CASE WHEN %[2]s IN (4, 6, 9, 11) THEN 30 WHEN %[2]s <> 2 THEN 31 WHEN %[1]s %% 4 = 0 AND (%[1]s %% 100 <> 0 OR %[1]s %% 400 = 0) THEN 29 ELSE 28 END", year, month)
	return fmt.Sprintf("CASE WHEN %s THEN CASE WHEN %s > 0 AND %s BETWEEN 1 AND 12 AND %s BETWEEN 1 AND %s THEN %s END END",
		by.matches(literal(loose)), year, month, day, days, by.iso(field['y'], field['M'], field['d'])), true
}

// loosely is a regular expression for the texts of any pattern, and what replaces
// them by their ISO form, save that a field of one digit lacks its zero, a month can be
// a name and a year can lack its century.
func (a anchors) loosely(p column.Pattern) (regexp, iso string) {
	var b strings.Builder
	at := map[byte]int{}
	b.WriteString(a.start)
	for _, piece := range p.Pieces() {
		switch {
		case piece.Letter == 0:
			b.WriteString(plain(piece.Literal))
			continue
		case piece.Loose:
			b.WriteString("([0-9]{1,2})")
		case piece.Named:
			b.WriteString("([A-Za-z]{3})")
		default:
			fmt.Fprintf(&b, "([0-9]{%d})", piece.Width)
		}
		at[piece.Letter] = len(at) + 1
	}
	b.WriteString(plain(p.Suffix()) + a.end)
	iso = fmt.Sprintf(`\%d-0\%d-0\%d`, at['y'], at['M'], at['d'])
	if p.HasTime() {
		seconds := "00"
		if n := at['s']; n > 0 {
			seconds = fmt.Sprintf(`\%d`, n)
		}
		iso += fmt.Sprintf(` \%d:\%d:%s`, at['H'], at['m'], seconds)
	}
	return b.String(), iso
}

// folded is a regular expression for texts that fold to the same as one of the
// values, escape being how a character is written by its code point.
//
// One branch for each way of comparing texts.
func (a anchors) folded(op criteria.Op, values []string, escape func(rune) string) string {
	all := make([]string, len(values))
	for i, val := range values {
		var b strings.Builder
		for _, r := range val {
			variants := slices.Collect(value.Twins(r))
			if len(variants) > 1 {
				b.WriteByte('[')
			}
			for _, v := range variants {
				if v < 0x80 && (v >= 'a' && v <= 'z' || v >= 'A' && v <= 'Z' || v >= '0' && v <= '9' || v == ' ') {
					b.WriteRune(v)
				} else {
					b.WriteString(escape(v))
				}
			}
			if len(variants) > 1 {
				b.WriteByte(']')
			}
		}
		all[i] = b.String()
	}
	text := "(" + strings.Join(all, "|") + ")"
	switch op {
	case criteria.Contains:
		return text
	case criteria.EndsWith:
		return text + a.end
	case criteria.StartsWith:
		return a.start + text
	}
	return a.start + text + a.end
}

// eightDigits is how an integer such as 20260305 reads as text.
var eightDigits = func() column.Pattern {
	p, err := column.ParsePattern("yyyyMMdd")
	if err != nil {
		panic(err)
	}
	return p
}()

// inCalendar is a condition that a number stands for a date of the calendar, as far as
// the bounds do not say so already; "" where they do, or where the column has no such
// numbers. NaN and infinities, which sort after or before all numbers, are outside.
func inCalendar(c Column, name string, lower, upper bool) string {
	least, beyond, ok := c.Range()
	var bounds []string
	if ok && !lower {
		bounds = append(bounds, fmt.Sprintf("%s >= %d", name, least))
	}
	if ok && !upper {
		bounds = append(bounds, fmt.Sprintf("%s < %d", name, beyond))
	}
	return strings.Join(bounds, " AND ")
}
