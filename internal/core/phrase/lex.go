package phrase

import (
	"strings"
	"unicode"
)

// kind is what a token is.
type kind uint8

const (
	end    kind = iota // past the last token
	number             // digits
	word               // ASCII letters, in lower case
	mark               // one of / . - , : +
	dots               // ..
	blank              // white space, however much
)

// token is a piece of the text. For a number, n is its value, at most mostNumber,
// and width its digits; for a mark, text is the one character.
type token struct {
	kind  kind
	text  string
	n     int
	width int
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
// doubled white space are gone after it. It returns false for a text that holds
// anything no date holds: control characters, other signs, other letters.
//
// One branch for each kind of token.
func lex(text string, into []token) ([]token, bool) {
	text = strings.TrimFunc(text, unicode.IsSpace)
	if len(text) > mostBytes {
		return nil, false
	}
	lower := strings.ToLower(text)
	if len(lower) != len(text) { // a letter whose cases differ in length is not ASCII
		return nil, false
	}
	for i := 0; i < len(lower); {
		if len(into) == mostTokens {
			return nil, false
		}
		c := lower[i]
		from := i
		switch {
		case isDigit(c):
			n := 0
			for i < len(lower) && isDigit(lower[i]) {
				n = min(n*10+int(lower[i]-'0'), mostNumber)
				i++
			}
			into = append(into, token{kind: number, text: lower[from:i], n: n, width: i - from})
		case isLetter(c):
			for i < len(lower) && isLetter(lower[i]) {
				i++
			}
			into = append(into, token{kind: word, text: lower[from:i]})
		case c == '.' && i+1 < len(lower) && lower[i+1] == '.':
			i += 2
			into = append(into, token{kind: dots, text: ".."})
		case c == '/' || c == '.' || c == '-' || c == ',' || c == ':' || c == '+':
			i++
			into = append(into, token{kind: mark, text: lower[from:i]})
		default:
			size := blankAt(lower[i:])
			if size == 0 {
				return nil, false
			}
			for size > 0 {
				i += size
				size = blankAt(lower[i:])
			}
			into = append(into, token{kind: blank, text: " "})
		}
	}
	return into, true
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

func isLetter(c byte) bool { return 'a' <= c && c <= 'z' }
