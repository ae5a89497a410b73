// Package infer tells what a column seems to be from some of its values: its type, its
// stored form and how sure that is.
package infer

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

// Guess is what a column seems to be, by its name and its values.
type Guess struct {
	column.Column
	Share float64 // of the values that are not missing, those that fit
	// Or is another pattern that fits as well; OrInstant says that a datetime may be an
	// instant by UTC: a text without a zone does not tell. Both change which records a
	// day has without anybody seeing it, so somebody has to settle them.
	Or        string
	OrInstant bool
	// ByValues says that the values alone make it a date, and its name does not.
	ByValues bool
	// OrSerial says that whole numbers could be days since 1899-12-30.
	OrSerial bool
}

// IsSettled reports whether there is no other reading that nobody would see.
func (g Guess) IsSettled() bool { return g.Or == "" && !g.OrInstant }

// dated are the forms that texts are tried for, in the order in which they are
// preferred.
var dated = patterns(map[column.Type][]string{
	column.Date:    {"yyyy-MM-dd", "yyyyMMdd", "yyyy/MM/dd", "d.M.yyyy", "M/d/yyyy", "d/M/yyyy", "MMM d yyyy", "MMM d, yyyy", "d MMM yyyy", "d-MMM-yyyy", "d-MMM-yy", "M/d/yy", "d/M/yy", "d.M.yy"},
	column.Instant: {"yyyy-MM-dd'T'HH:mm:ss'Z'", "yyyy-MM-dd'T'HH:mm'Z'", "yyyy-MM-dd HH:mm:ss'Z'"},
	column.Datetime: {"yyyy-MM-dd HH:mm:ss", "yyyy-MM-dd'T'HH:mm:ss", "yyyy-MM-dd HH:mm", "yyyy-MM-dd'T'HH:mm", "yyyy/MM/dd HH:mm:ss", "yyyy/MM/dd HH:mm", "dd.MM.yyyy HH:mm:ss", "dd.MM.yyyy HH:mm",
		"M/d/yyyy HH:mm:ss", "d/M/yyyy HH:mm:ss", "M/d/yyyy HH:mm", "d/M/yyyy HH:mm", "M/d/yy HH:mm", "d/M/yy HH:mm", "MMM d yyyy HH:mm:ss", "d MMM yyyy HH:mm:ss", "d-MMM-yyyy HH:mm:ss"},
})

type datedForm struct {
	kind    column.Type
	pattern column.Pattern
}

func patterns(sources map[column.Type][]string) []datedForm {
	var all []datedForm
	for _, kind := range []column.Type{column.Date, column.Instant, column.Datetime} {
		for _, source := range sources[kind] {
			all = append(all, datedForm{kind, column.MustPattern(source)})
		}
	}
	return all
}

// enough is the share of values that have to fit a form for it to be guessed: a few
// broken ones are to be expected.
const enough = 0.9

// enoughNumbers is the share of the texts of a file that have to be numbers.
const enoughNumbers = 0.99

// Hints in names, of English tables: of days, and of moments.
var (
	ofDays    = regexp.MustCompile(`(?i)(date|day|_on$|born|due|until|since|from)`)
	ofMoments = regexp.MustCompile(`(?i)(time|stamp|_at$|epoch|created|updated|when)`)
)

// Of looks at some values of a column. Where they are texts from a file that has
// nothing else, texts are tried for numbers too.
func Of(name string, values []value.Value, fromFile bool) Guess {
	values = slices.DeleteFunc(slices.Clone(values), func(v value.Value) bool { return v.IsMissing() || fromFile && charsOf(v) == "" })
	g := Guess{Column: column.Column{Name: name, Type: column.Text}, Share: 1}
	if len(values) == 0 {
		return g
	}
	share := func(fits func(value.Value) bool) float64 {
		n := 0
		for _, v := range values {
			if fits(v) {
				n++
			}
		}
		return float64(n) / float64(len(values))
	}
	if found, ok := guessText(name, share); ok {
		return found
	}
	if fromFile {
		if found, ok := guessPlain(name, values, share); ok {
			return found
		}
		return g
	}
	if s := share(value.Value.IsNumber); s >= enough {
		return guessNumbers(name, values, share)
	}
	if s := share(func(v value.Value) bool { return decimalText.MatchString(charsOf(v)) }); s >= enoughNumbers {
		return Guess{Column: column.Column{Name: name, Type: column.Decimal, Scale: scaleOf(values), Stored: column.StoredText}, Share: s}
	}
	return g
}

// charsOf are the characters of a text, "" for any other sort of value.
func charsOf(v value.Value) string {
	text, _ := v.Chars()
	return text
}

// isWhole reports whether a value is a whole number.
func isWhole(v value.Value) bool {
	_, ok := v.Int()
	return ok
}

func guessText(name string, share func(func(value.Value) bool) float64) (Guess, bool) {
	var best Guess
	for _, form := range dated {
		c := column.Column{Name: name, Type: form.kind, Stored: column.StoredText, Pattern: form.pattern}
		s := share(func(v value.Value) bool {
			_, _, ok := c.Moment(v)
			return ok
		})
		switch {
		case s > best.Share:
			best = Guess{Column: c, Share: s, OrInstant: c.Type == column.Datetime}
		case s == best.Share && s > 0:
			best.Or = form.pattern.String()
		}
	}
	return best, best.Share >= enough
}

// numbered are the forms of dates that lie as numbers: those that any value between two
// makes plausible where the name says so too, and those between which all values have to
// be where it does not; none where values alone do not tell.
var numbered = []struct {
	kind           column.Type
	stored         column.Stored
	hint           *regexp.Regexp
	least, most    float64
	surely, surest float64
}{
	{column.Date, column.EightDigits, ofDays, 18000101, 21991231, 18000101, 21991231},
	{column.Instant, column.EpochSeconds, ofMoments, 300e6, 4_200e6, 946_684_800, 2_208_988_800},
	{column.Instant, column.EpochMillis, ofMoments, 300e9, 4_200e9, 946_684_800e3, 2_208_988_800e3},
	{column.Date, column.SerialDays, ofDays, 20_000, 80_000, 0, 0},
	{column.Datetime, column.SerialDays, ofMoments, 20_000, 80_000, 0, 0},
}

// guessNumbers tells plain numbers from days and moments that lie as such.
//
// The forms are tried in the order of how sure each is.
func guessNumbers(name string, values []value.Value, share func(func(value.Value) bool) float64) Guess {
	fractions := share(func(v value.Value) bool { f, ok := v.AsFloat(); return ok && f != math.Trunc(f) }) > 0
	between := func(least, most float64) float64 {
		return share(func(v value.Value) bool { f, ok := v.AsFloat(); return ok && f >= least && f <= most })
	}
	for _, form := range numbered {
		hinted := form.hint.MatchString(name) || form.stored == column.SerialDays && fractions && (ofDays.MatchString(name) || ofMoments.MatchString(name))
		if form.stored == column.SerialDays && fractions != (form.kind == column.Datetime) {
			continue
		}
		if hinted && between(form.least, form.most) < enough || !hinted && (form.surest == 0 || between(form.surely, form.surest) < 1) {
			continue
		}
		c := column.Column{Name: name, Type: form.kind, Stored: form.stored}
		s := share(func(v value.Value) bool { _, _, ok := c.Moment(v); return ok })
		if s == 1 || hinted && s >= enough {
			return Guess{Column: c, Share: s, ByValues: !hinted}
		}
	}
	if fractions || share(isWhole) < enough {
		return Guess{Column: column.Column{Name: name, Type: column.Decimal, Scale: scaleOf(values)}, Share: share(value.Value.IsNumber)}.orNumber()
	}
	return Guess{Column: column.Column{Name: name, Type: column.Integer}, Share: share(isWhole), OrSerial: between(firstSerial, lastSerial) == 1}
}

// Serial days from 2000 to 2050.
const firstSerial, lastSerial = 36_526, 54_788

var (
	wholeText   = regexp.MustCompile(`^-?(0|[1-9][0-9]{0,17})$`)
	decimalText = regexp.MustCompile(`^-?(0|[1-9][0-9]*)\.[0-9]+$`)
	leadingZero = regexp.MustCompile(`^-?0[0-9]`)
	truthText   = regexp.MustCompile(`(?i)^(yes|no|true|false)$`)
)

// guessPlain tries texts for numbers and truths.
func guessPlain(name string, values []value.Value, share func(func(value.Value) bool) float64) (Guess, bool) {
	if slices.ContainsFunc(values, func(v value.Value) bool { return leadingZero.MatchString(charsOf(v)) }) {
		return Guess{}, false // which a number would lose
	}
	fit := 0.0
	all := func(forms ...*regexp.Regexp) bool {
		fit = share(func(v value.Value) bool {
			return slices.ContainsFunc(forms, func(form *regexp.Regexp) bool { return form.MatchString(charsOf(v)) })
		})
		return fit >= enoughNumbers
	}
	switch {
	case all(wholeText):
		var numbers []value.Value
		for _, v := range values {
			if n, err := strconv.ParseInt(charsOf(v), 10, 64); err == nil {
				numbers = append(numbers, value.Whole(n))
			}
		}
		g := Of(name, numbers, false)
		g.Share *= fit
		return g, true
	case all(wholeText, decimalText):
		g := Guess{Column: column.Column{Name: name, Type: column.Decimal, Scale: scaleOf(values)}, Share: fit}
		if slices.ContainsFunc(values, func(v value.Value) bool { return decimalText.MatchString(charsOf(v)) && !value.IsExactly(charsOf(v)) }) {
			g.Stored = column.StoredText // which keeps the digits that a binary fraction would lose
			return g, true
		}
		return g.orNumber(), true
	case all(truthText):
		return Guess{Column: column.Column{Name: name, Type: column.YesNo}, Share: fit}, true
	}
	return Guess{}, false
}

// scaleOf is the most digits after the point.
func scaleOf(values []value.Value) int {
	most := 0
	for _, v := range values {
		if text := v.String(); decimalText.MatchString(text) {
			most = max(most, len(text)-strings.IndexByte(text, '.')-1)
		}
	}
	return most
}

// orNumber makes a decimal of many digits a binary fraction.
func (g Guess) orNumber() Guess {
	if g.Scale > 6 {
		g.Type, g.Scale = column.Number, 0
	}
	return g
}
