package phrase

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// kind is what a token is.
type kind uint8

const (
	noToken kind = iota // past the last one
	number              // digits
	word                // ASCII letters, in lower case
	mark                // one of / . - , : +
	dots                // ..
	blank               // white space, however much
)

// token is a piece of the text. For a number, n is its value, at most mostNumber,
// and width its digits; for a mark, text is the one character. The column is where it
// starts in the text, in characters from 1.
type token struct {
	kind   kind
	text   string
	n      int
	width  int
	column int
}

func (t token) isMark(c byte) bool { return t.kind == mark && t.text[0] == c }

func (t token) isWord(w string) bool { return t.kind == word && t.text == w }

// Longer texts and texts of more tokens are no dates, so that reading takes
// bounded time whatever is handed in.
const (
	mostBytes  = 160
	mostTokens = 64
)

// mostNumber stands for any larger number: more minutes, or anything else, than the
// calendar has.
const mostNumber = 9_999_999_999

// lex cuts a text into tokens, appended to into. Case and surrounding or
// doubled white space are gone after it. Of a text that holds anything no date holds
// (control characters, other signs, other letters) bad is the column, else 0; a text
// without tokens is bad at 1.
//
// One branch for each kind of token.
func lex(text string, into []token) (tokens []token, bad int) {
	trimmed := strings.TrimLeftFunc(text, unicode.IsSpace)
	column := 1 + utf8.RuneCountInString(text[:len(text)-len(trimmed)])
	trimmed = strings.TrimRightFunc(trimmed, unicode.IsSpace)
	if len(trimmed) > mostBytes || trimmed == "" {
		return nil, 1
	}
	for i := 0; i < len(trimmed); {
		if len(into) == mostTokens {
			return nil, column
		}
		c := trimmed[i]
		from := i
		switch {
		case isDigit(c):
			n := 0
			for i < len(trimmed) && isDigit(trimmed[i]) {
				n = min(n*10+int(trimmed[i]-'0'), mostNumber)
				i++
			}
			into = append(into, token{kind: number, text: trimmed[from:i], n: n, width: i - from, column: column})
		case isLetter(c):
			for i < len(trimmed) && isLetter(trimmed[i]) {
				i++
			}
			into = append(into, token{kind: word, text: strings.ToLower(trimmed[from:i]), column: column})
		case c == '.' && i+1 < len(trimmed) && trimmed[i+1] == '.':
			i += 2
			into = append(into, token{kind: dots, text: "..", column: column})
		case c == '/' || c == '.' || c == '-' || c == ',' || c == ':' || c == '+':
			i++
			into = append(into, token{kind: mark, text: trimmed[from:i], column: column})
		default:
			size := blankAt(trimmed[i:])
			if size == 0 {
				return nil, column
			}
			for size > 0 {
				i += size
				size = blankAt(trimmed[i:])
			}
			into = append(into, token{kind: blank, text: " ", column: column})
		}
		column += utf8.RuneCountInString(trimmed[from:i])
	}
	return into, 0
}

// blankAt is the length in bytes of the blank that s starts with, 0 for none.
// Tabs and line ends inside a text are control characters and no blanks.
func blankAt(s string) int {
	for i, r := range s {
		switch {
		case i > 0:
			return i
		case !unicode.Is(unicode.Zs, r):
			return 0
		}
	}
	return len(s)
}

func isDigit(c byte) bool { return '0' <= c && c <= '9' }

func isLetter(c byte) bool { return 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' }
