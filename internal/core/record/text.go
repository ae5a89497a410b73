package record

import (
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
		for next := unicode.SimpleFold(r); next != r; next = unicode.SimpleFold(next) {
			least = min(least, next)
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

// Variants are all the texts that fold to the same as the text, and false where
// there are more than most.
func Variants(text string, most int) ([]string, bool) {
	all := []string{""}
	for _, r := range text {
		var longer []string
		for _, start := range all {
			longer = append(longer, start+string(r))
			for next := unicode.SimpleFold(r); next != r; next = unicode.SimpleFold(next) {
				longer = append(longer, start+string(next))
			}
		}
		if all = longer; len(all) > most {
			return nil, false
		}
	}
	return all, true
}
