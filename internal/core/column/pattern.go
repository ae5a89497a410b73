package column

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"pikegate/internal/core/civil"
)

// Pattern is how a date is written in text: the letters of a Unicode date
// pattern (UTS 35), of which yyyy and yy, MMM, MM and M, dd and d, HH, mm and ss are
// read, with literals between them, in single quotes where they are letters. M and d
// are one or two digits, MMM is a month's English name in three letters, the others
// are as many digits as letters. Of yy, 00 to 68 are the 2000s and 69 to 99 the 1900s.
//
// Where the fields go from the largest to the smallest, each of fixed width, the
// text sorts by time, and a bound written in the pattern compares with the
// stored text as it lies there. Other patterns have to be turned into ISO form
// value by value. The zero Pattern is none.
type Pattern struct {
	source string
	pieces []Piece
	timed  bool // it has a time of day
	sorts  bool // its texts sort by time
	width  int  // bytes up to the last field where it sorts; what follows is a fixed suffix
	suffix string
}

// Piece is a field of a pattern or, with Letter 0, a literal.
type Piece struct {
	Letter  byte   // y M d H m or s
	Width   int    // digits or letters of a field, bytes of a literal
	Loose   bool   // one digit will do
	Named   bool   // the first three letters of a month's name, in any case
	Literal string // where Letter is 0
}

var fieldWidths = map[byte]int{'y': 4, 'M': 2, 'd': 2, 'H': 2, 'm': 2, 's': 2}

// ParsePattern reads a pattern and says in a sentence what is wrong with it.
func ParsePattern(source string) (Pattern, error) {
	p := Pattern{source: source}
	fields := ""
	for i := 0; i < len(source); {
		c := source[i]
		run := 1
		for i+run < len(source) && source[i+run] == c {
			run++
		}
		switch {
		case c == '\'':
			closing := strings.IndexByte(source[i+1:], '\'')
			if closing < 0 {
				return Pattern{}, fmt.Errorf("the quote in the pattern %q is not closed", source)
			}
			p.literal(source[i+1 : i+1+closing])
			i += closing + 2
			continue
		case fieldWidths[c] != 0:
			piece, err := p.field(source[i:i+run], fields)
			if err != nil {
				return Pattern{}, err
			}
			fields += string(c)
			p.pieces = append(p.pieces, piece)
		case c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z':
			return Pattern{}, fmt.Errorf("%q in the pattern %q is not a field that is read; put letters that stand for themselves in single quotes", source[i:i+run], source)
		default:
			p.literal(source[i : i+run])
		}
		i += run
	}
	has := func(letters string) bool {
		return !strings.ContainsFunc(letters, func(r rune) bool { return !strings.ContainsRune(fields, r) })
	}
	p.timed = len(fields) > 3
	if !has("yMd") || p.timed && !has("Hm") {
		return Pattern{}, fmt.Errorf("the pattern %q needs yyyy, MM and dd, and HH and mm besides where it has a time", source)
	}
	p.measure(fields)
	return p, nil
}

// field is the piece for letters of a pattern, such as MM, after the fields before it.
func (p *Pattern) field(letters, before string) (Piece, error) {
	c, run := letters[0], len(letters)
	loose := run == 1 && (c == 'M' || c == 'd')
	named, short := run == 3 && c == 'M', run == 2 && c == 'y'
	width := fieldWidths[c]
	if named || short {
		width = run
	}
	if run != width && !loose {
		return Piece{}, fmt.Errorf("%q in the pattern %q is not read; %s is", letters, p.source, strings.Repeat(string(c), fieldWidths[c]))
	}
	if strings.IndexByte(before, c) >= 0 {
		return Piece{}, fmt.Errorf("the pattern %q has %q twice", p.source, letters)
	}
	if n := len(p.pieces); n > 0 && p.pieces[n-1].Loose {
		return Piece{}, fmt.Errorf("in the pattern %q nothing parts %s from what follows it", p.source, string(p.pieces[n-1].Letter))
	}
	return Piece{Letter: c, Width: width, Loose: loose, Named: named}, nil
}

// measure tells how wide the texts are, what stands after them, and whether they sort by time.
func (p *Pattern) measure(fields string) {
	if last := p.pieces[len(p.pieces)-1]; last.Letter == 0 {
		p.suffix = last.Literal
		p.pieces = p.pieces[:len(p.pieces)-1]
	}
	p.sorts = strings.HasPrefix("yMdHms", fields)
	for _, piece := range p.pieces {
		p.width += piece.Width
		p.sorts = p.sorts && !piece.Loose && !piece.Named && (piece.Letter != 'y' || piece.Width == 4)
	}
}

func (p *Pattern) literal(text string) {
	if n := len(p.pieces); n > 0 && p.pieces[n-1].Letter == 0 {
		p.pieces[n-1].Literal += text
		p.pieces[n-1].Width += len(text)
		return
	}
	p.pieces = append(p.pieces, Piece{Width: len(text), Literal: text})
}

// String is the pattern as it was written.
func (p Pattern) String() string { return p.source }

// HasTime reports whether the pattern has a time of day.
func (p Pattern) HasTime() bool { return p.timed }

// Sorts reports whether texts in the pattern sort by time.
func (p Pattern) Sorts() bool { return p.sorts }

// Pieces are the parts of the pattern up to its last field; they are not to be
// changed.
func (p Pattern) Pieces() []Piece { return p.pieces }

// The forms that values of other patterns are turned into.
var ISODay, ISOTime = MustPattern("yyyy-MM-dd"), MustPattern("yyyy-MM-dd HH:mm:ss")

// MustPattern is ParsePattern for patterns that stand in the program; it panics on a wrong one.
func MustPattern(source string) Pattern {
	p, err := ParsePattern(source)
	if err != nil {
		panic(err)
	}
	return p
}

// Suffix is the literal after the last field, "Z" for instance; values may
// carry a fraction before it.
func (p Pattern) Suffix() string { return p.suffix }

// Strftime is the pattern up to its last field in the conversions of C's
// strftime, which SQL functions of that name share.
func (p Pattern) Strftime() string {
	conversions := map[byte]string{'y': "%Y", 'M': "%m", 'd': "%d", 'H': "%H", 'm': "%M", 's': "%S"}
	var b strings.Builder
	for _, piece := range p.pieces {
		if piece.Letter != 0 {
			b.WriteString(conversions[piece.Letter])
		} else {
			b.WriteString(strings.ReplaceAll(piece.Literal, "%", "%%"))
		}
	}
	return b.String()
}

// AppendDay appends a day in the pattern, which has no time of day.
func (p Pattern) AppendDay(b []byte, d civil.Day) []byte {
	year, month, day := d.Date()
	for _, piece := range p.pieces {
		n := day
		switch piece.Letter {
		case 0:
			b = append(b, piece.Literal...)
			continue
		case 'y':
			n = year
			if piece.Width == 2 {
				n %= 100
			}
		case 'M':
			if n = int(month); piece.Named {
				b = append(b, month.String()[:3]...)
				continue
			}
		}
		digits := strconv.Itoa(n)
		if !piece.Loose {
			b = append(b, zeros[:max(0, piece.Width-len(digits))]...)
		}
		b = append(b, digits...)
	}
	return append(b, p.suffix...)
}

const zeros = "0000"

// Width is the length in bytes up to the last field.
func (p Pattern) Width() int { return p.width }

// Field is the place of a field (one of y M d H m s) in the text, from 0, and
// false where the pattern has none.
func (p Pattern) Field(letter byte) (at, width int, ok bool) {
	for _, piece := range p.pieces {
		if piece.Letter == letter {
			return at, piece.Width, true
		}
		at += piece.Width
	}
	return 0, 0, false
}

// render writes an instant, in seconds of the POSIX epoch and read as UTC, up
// to the last field: short enough to sort before any fraction or suffix.
// Seconds that the pattern does not hold are rounded up, so that the bound
// stays the first value at or after the instant. A pattern that does not sort is
// compared in ISO form, and gets its bound in that.
func (p Pattern) render(seconds int64) string {
	switch {
	case !p.sorts && p.timed:
		return ISOTime.render(seconds)
	case !p.sorts:
		return ISODay.render(seconds)
	}
	if _, _, ok := p.Field('s'); !ok && p.timed && seconds%60 != 0 {
		seconds += 60 - (seconds%60+60)%60
	}
	t := time.Unix(seconds, 0).UTC()
	year, month, day := t.Date()
	b := make([]byte, 0, p.width)
	for _, piece := range p.pieces {
		var n int
		switch piece.Letter {
		case 'y':
			b = append(b, byte('0'+year/1000%10), byte('0'+year/100%10))
			n = year % 100
		case 'M':
			n = int(month)
		case 'd':
			n = day
		case 'H':
			n = t.Hour()
		case 'm':
			n = t.Minute()
		case 's':
			n = t.Second()
		default:
			b = append(b, piece.Literal...)
			continue
		}
		b = append(b, byte('0'+n/10), byte('0'+n%10))
	}
	return string(b)
}

// ISO is a text that fits the pattern in ISO form, yyyy-MM-dd or yyyy-MM-dd HH:mm:ss; false for
// any other text.
func (p Pattern) ISO(text string) (string, bool) {
	_, seconds, ok := p.parse(text)
	if !ok {
		return "", false
	}
	if p.timed {
		return ISOTime.render(seconds), true
	}
	return ISODay.render(seconds), true
}

// TextsOf are all the texts that the pattern reads as a day: fields of one or two digits can
// be written in both ways. It is false for patterns with a time of day or with names of months,
// which have too many.
func (p Pattern) TextsOf(d civil.Day) (texts []string, ok bool) {
	if p.timed {
		return nil, false
	}
	year, month, day := d.Date()
	texts = []string{""}
	for _, piece := range p.pieces {
		n := map[byte]int{'y': year, 'M': int(month), 'd': day}[piece.Letter]
		written := []string{piece.Literal}
		switch {
		case piece.Named:
			return nil, false
		case piece.Letter == 'y' && piece.Width == 2:
			if civil.FullYear(year%100) != year {
				return nil, true
			}
			n = year % 100
			fallthrough
		case piece.Letter != 0:
			written = []string{fmt.Sprintf("%0*d", piece.Width, n)}
			if piece.Loose && n < 10 {
				written = append(written, strconv.Itoa(n))
			}
		}
		longer := make([]string, 0, len(texts)*len(written))
		for _, text := range texts {
			for _, w := range written {
				longer = append(longer, text+w)
			}
		}
		texts = longer
	}
	for i := range texts {
		texts[i] += p.Suffix()
	}
	return texts, true
}

// parse reads a stored text. A fraction of a second may stand before the
// suffix; it does not move the second.
//
// One branch for each field of a pattern.
func (p Pattern) parse(text string) (day civil.Day, seconds int64, ok bool) {
	var field ['y' + 1]int
	rest := text
	for _, piece := range p.pieces {
		if piece.Letter == 0 {
			if rest, ok = strings.CutPrefix(rest, piece.Literal); !ok {
				return 0, 0, false
			}
			continue
		}
		if piece.Named {
			month := monthNamed(rest)
			if month == 0 {
				return 0, 0, false
			}
			field['M'], rest = month, rest[piece.Width:]
			continue
		}
		n, digits := 0, 0
		for digits < piece.Width && digits < len(rest) && rest[digits]-'0' <= 9 {
			n = n*10 + int(rest[digits]-'0')
			digits++
		}
		if digits < piece.Width && !(piece.Loose && digits == 1) {
			return 0, 0, false
		}
		if piece.Letter == 'y' && piece.Width == 2 {
			n = civil.FullYear(n)
		}
		field[piece.Letter], rest = n, rest[digits:]
	}
	day, ok = civil.DayOf(field['y'], time.Month(field['M']), field['d'])
	if !ok || field['H'] > 23 || field['m'] > 59 || field['s'] > 59 || !p.endsWell(rest) {
		return 0, 0, false
	}
	return day, day.Midnight() + int64(field['H']*3600+field['m']*60+field['s']), true
}

// MonthNames are the names of the months as MMM has them, one after the other.
const MonthNames = "janfebmaraprmayjunjulaugsepoctnovdec"

// monthNamed is the month whose name a text starts with, 0 for none.
func monthNamed(text string) int {
	if len(text) < 3 {
		return 0
	}
	if i := strings.Index(MonthNames, strings.ToLower(text[:3])); i >= 0 && i%3 == 0 {
		return i/3 + 1
	}
	return 0
}

// endsWell reports whether what follows the last field is the suffix, with a
// fraction before it where there are seconds.
func (p Pattern) endsWell(rest string) bool {
	if rest == p.suffix {
		return true
	}
	if _, _, ok := p.Field('s'); !ok || !p.sorts || len(rest) < 2 || rest[0] != '.' {
		return false
	}
	i := 1
	for i < len(rest) && rest[i] >= '0' && rest[i] <= '9' {
		i++
	}
	return i > 1 && rest[i:] == p.suffix
}
