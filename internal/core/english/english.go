// Package english has what the sentences of messages are made of: lists of words, numbers
// of things, texts in quotes.
package english

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Either joins texts as "a", "a or b", "a, b or c".
func Either(texts []string) string { return join(texts, " or ") }

// Both joins texts as "a", "a and b", "a, b and c".
func Both(texts []string) string { return join(texts, " and ") }

func join(texts []string, last string) string {
	if len(texts) < 2 {
		return strings.Join(texts, "")
	}
	n := len(texts) - 1
	return strings.Join(texts[:n], ", ") + last + texts[n]
}

// Quoted puts each text in quotes.
func Quoted(texts []string) []string {
	quoted := make([]string, len(texts))
	for i, text := range texts {
		quoted[i] = fmt.Sprintf("%q", text)
	}
	return quoted
}

// Count says a number of things: "1 letter", "40 letters".
func Count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %ss", n, one)
}

// Title is a text that begins with a capital letter.
func Title(text string) string {
	if text == "" {
		return ""
	}
	r, size := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(r)) + text[size:]
}

// Within is a text as it stands within a sentence: its first letter is small, unless the second is
// large too.
func Within(text string) string {
	first, size := utf8.DecodeRuneInString(text)
	second, _ := utf8.DecodeRuneInString(text[size:])
	if unicode.IsUpper(first) && !unicode.IsUpper(second) {
		return string(unicode.ToLower(first)) + text[size:]
	}
	return text
}

// Shorten cuts a text for quoting it in a message: at most 60 characters.
func Shorten(text string) string {
	const most = 60
	n := 0
	for i := range text {
		if n == most {
			return text[:i] + "…"
		}
		n++
	}
	return text
}

// GroupedDigits is a number in digits with commas between groups of three before its point; what is
// none stays as it is.
func GroupedDigits(text string) string {
	before, after, hasPoint := strings.Cut(text, ".")
	n, err := strconv.ParseInt(before, 10, 64)
	if err != nil || strings.HasPrefix(before, "-0") || strings.HasPrefix(before, "+") {
		return text
	}
	if hasPoint {
		return Grouped(n) + "." + after
	}
	return Grouped(n)
}

// Grouped is a number with commas between groups of three digits: "1,200,000".
func Grouped(n int64) string {
	text := strconv.FormatInt(n, 10)
	sign := 0
	if n < 0 {
		sign = 1
	}
	for at := len(text) - 3; at > sign; at -= 3 {
		text = text[:at] + "," + text[at:]
	}
	return text
}
