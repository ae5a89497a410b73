package record

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// Guess is what a column seems to be, by its name and its values.
type Guess struct {
	Column
	Share float64 // of the values that are not missing, those that fit
	Or    string  // another pattern that fits as well, "" for none
}

// dated are the forms that texts are tried for, in the order in which they are
// preferred.
var dated = []struct {
	kind    Type
	pattern string
}{
	{Date, "yyyy-MM-dd"}, {Date, "yyyyMMdd"}, {Instant, "yyyy-MM-dd'T'HH:mm:ss'Z'"}, {Datetime, "yyyy-MM-dd HH:mm:ss"}, {Datetime, "yyyy-MM-dd'T'HH:mm:ss"}, {Datetime, "yyyy-MM-dd HH:mm"},
	{Datetime, "yyyy-MM-dd'T'HH:mm"}, {Date, "yyyy/MM/dd"}, {Date, "d.M.yyyy"}, {Datetime, "dd.MM.yyyy HH:mm"}, {Date, "M/d/yyyy"}, {Date, "d/M/yyyy"}, {Datetime, "M/d/yyyy HH:mm"}, {Datetime, "d/M/yyyy HH:mm"},
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

// GuessOf looks at some values of a column. Where they are texts from a file that has
// nothing else, texts are tried for numbers too.
func GuessOf(name string, values []Value, fromFile bool) Guess {
	values = slices.DeleteFunc(slices.Clone(values), func(v Value) bool { return v.IsMissing() || fromFile && v.text == "" })
	g := Guess{Column: Column{Name: name, Type: Text}, Share: 1}
	if len(values) == 0 {
		return g
	}
	share := func(fits func(Value) bool) float64 {
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
	if share(func(v Value) bool { return v.sort == whole }) >= enough {
		return guessWhole(name, share)
	}
	if s := share(func(v Value) bool { return v.sort == whole || v.sort == real || v.sort == digits }); s >= enough {
		return Guess{Column: Column{Name: name, Type: Decimal, Scale: scaleOf(values)}, Share: s}.orNumber()
	}
	return g
}

func guessText(name string, share func(func(Value) bool) float64) (Guess, bool) {
	var best Guess
	for _, form := range dated {
		pattern, err := ParsePattern(form.pattern)
		if err != nil {
			panic(err)
		}
		c := Column{Name: name, Type: form.kind, Stored: StoredText, Pattern: pattern}
		s := share(func(v Value) bool {
			_, _, ok := c.Moment(v)
			return ok
		})
		switch {
		case s > best.Share:
			best = Guess{Column: c, Share: s}
		case s == best.Share && s > 0:
			best.Or = form.pattern
		}
	}
	return best, best.Share >= enough
}

// guessWhole tells whole numbers from days and moments that lie as such.
func guessWhole(name string, share func(func(Value) bool) float64) Guess {
	between := func(least, most int64) bool {
		return share(func(v Value) bool { return int64(v.bits) >= least && int64(v.bits) <= most }) >= enough
	}
	for _, form := range []struct {
		kind        Type
		stored      Stored
		least, most int64
		hint        *regexp.Regexp
	}{
		{Date, EightDigits, 18000101, 21991231, ofDays}, {Instant, EpochSeconds, 300_000_000, 4_200_000_000, ofMoments}, {Instant, EpochMillis, 300_000_000_000, 4_200_000_000_000, ofMoments},
		{Date, SerialDays, 20_000, 80_000, ofDays},
	} {
		c := Column{Name: name, Type: form.kind, Stored: form.stored}
		if !form.hint.MatchString(name) || !between(form.least, form.most) {
			continue
		}
		if s := share(func(v Value) bool { _, _, ok := c.Moment(v); return ok }); s >= enough {
			return Guess{Column: c, Share: s}
		}
	}
	return Guess{Column: Column{Name: name, Type: Integer}, Share: share(func(v Value) bool { return v.sort == whole })}
}

var (
	wholeText   = regexp.MustCompile(`^-?(0|[1-9][0-9]{0,17})$`)
	decimalText = regexp.MustCompile(`^-?(0|[1-9][0-9]*)\.[0-9]+$`)
	leadingZero = regexp.MustCompile(`^-?0[0-9]`)
	truthText   = regexp.MustCompile(`(?i)^(yes|no|true|false)$`)
)

// guessPlain tries texts for numbers and truths.
func guessPlain(name string, values []Value, share func(func(Value) bool) float64) (Guess, bool) {
	if slices.ContainsFunc(values, func(v Value) bool { return leadingZero.MatchString(v.text) }) {
		return Guess{}, false // which a number would lose
	}
	fit := 0.0
	all := func(forms ...*regexp.Regexp) bool {
		fit = share(func(v Value) bool {
			return slices.ContainsFunc(forms, func(form *regexp.Regexp) bool { return form.MatchString(v.text) })
		})
		return fit >= enoughNumbers
	}
	switch {
	case all(wholeText):
		var numbers []Value
		for _, v := range values {
			if n, err := strconv.ParseInt(v.text, 10, 64); err == nil {
				numbers = append(numbers, Whole(n))
			}
		}
		g := GuessOf(name, numbers, false)
		g.Share *= fit
		return g, true
	case all(wholeText, decimalText):
		return Guess{Column: Column{Name: name, Type: Decimal, Scale: scaleOf(values)}, Share: fit}.orNumber(), true
	case all(truthText):
		return Guess{Column: Column{Name: name, Type: YesNo}, Share: fit}, true
	}
	return Guess{}, false
}

// scaleOf is the most digits after the point.
func scaleOf(values []Value) int {
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
		g.Type, g.Scale = Number, 0
	}
	return g
}
