package value

import (
	"iter"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Fold is a text after Unicode simple case folding: texts that differ in case
// alone fold to the same. Each character becomes the least of those that it folds
// together with.
func Fold(text string) string {
	return strings.Map(func(r rune) rune {
		if r < utf8.RuneSelf {
			// The ASCII letters but k and s fold with ASCII alone.
			if r >= 'a' && r <= 'z' {
				return r - 'a' + 'A'
			}
			return r
		}
		least := r
		for twin := range Twins(r) {
			least = min(least, twin)
		}
		return least
	}, text)
}

// AfterPrefix is the least text, by code point, that is after every text that
// starts with the prefix; "" where there is none.
func AfterPrefix(prefix string) string {
	runes := []rune(prefix)
	for i := len(runes) - 1; i >= 0; i-- {
		switch next := runes[i] + 1; {
		case next > unicode.MaxRune:
			continue
		case next == 0xD800: // surrogates are no characters
			return string(runes[:i]) + "\uE000"
		default:
			return string(runes[:i]) + string(next)
		}
	}
	return ""
}

// Twins are the characters that fold to the same as one, itself included.
func Twins(r rune) iter.Seq[rune] {
	return func(yield func(rune) bool) {
		for twin := r; yield(twin); {
			if twin = unicode.SimpleFold(twin); twin == r {
				return
			}
		}
	}
}

// Variants are all the texts that fold to the same as the text, and false where
// there are more than most.
func Variants(text string, most int) ([]string, bool) {
	all := []string{""}
	for _, r := range text {
		var longer []string
		for _, start := range all {
			for twin := range Twins(r) {
				longer = append(longer, start+string(twin))
			}
		}
		if all = longer; len(all) > most {
			return nil, false
		}
	}
	return all, true
}

const hex = "0123456789abcdef"

// AppendJSON appends a text as a JSON string (RFC 8259). Bytes that are not
// UTF-8 become U+FFFD.
func AppendJSON(b []byte, s string) []byte {
	b = append(b, '"')
	from := 0
	for i := 0; i < len(s); {
		c := s[i]
		if c >= utf8.RuneSelf {
			r, size := utf8.DecodeRuneInString(s[i:])
			if r == utf8.RuneError && size == 1 {
				b = append(append(b, s[from:i]...), `\ufffd`...)
				from = i + 1
			}
			i += size
			continue
		}
		if c >= ' ' && c != '"' && c != '\\' {
			i++
			continue
		}
		b = append(b, s[from:i]...)
		switch c {
		case '"', '\\':
			b = append(b, '\\', c)
		case '\n':
			b = append(b, '\\', 'n')
		default:
			b = append(b, '\\', 'u', '0', '0', hex[c>>4], hex[c&15])
		}
		i++
		from = i
	}
	return append(append(b, s[from:]...), '"')
}
