package customsql

import (
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// Dialect is the SQL of an engine, by whose rules a text is taken apart. Where engines
// take the same text apart differently, the way of writing is refused: what is read here
// is what the engine reads.
type Dialect string

// The dialects.
const (
	SQLite   Dialect = "SQLite"
	Postgres Dialect = "PostgreSQL"
	MariaDB  Dialect = "MariaDB"
)

// tokenKind is what a token is.
type tokenKind uint8

const (
	word   tokenKind = iota
	quoted           // a text, or a name in quotes
	named            // a placeholder
	space            // blanks and comments
	sign
)

type token struct {
	kind tokenKind
	text string
	at   int
}

// name is what a word or a name in quotes stands for, in small letters; "" for other tokens.
func (t token) name() string {
	switch {
	case t.kind == word:
		return strings.ToLower(t.text)
	case t.kind == quoted && t.text[0] != '\'' && len(t.text) > 1:
		mark := t.text[len(t.text)-1:]
		return strings.ToLower(strings.ReplaceAll(t.text[1:len(t.text)-1], mark+mark, mark))
	}
	return ""
}

// isName reports whether the token can name something.
func (t token) isName() bool { return t.kind == word || t.kind == quoted && t.text[0] != '\'' }

// is reports whether the token is a sign or an unquoted word, given in capitals.
func (t token) is(text string) bool {
	return (t.kind == word || t.kind == sign) && strings.EqualFold(t.text, text)
}

// lexer takes a text apart.
type lexer struct {
	dialect  Dialect
	text     string
	at       int
	brackets int // square ones, in which a colon parts the ends of a slice
	tokens   []token
	problems []Problem
}

func (l *lexer) refuse(at int, code fault.Code, format string, args ...any) {
	l.problems = append(l.problems, Problem{fault.New(code, format, args...), at})
}

// add makes a token of the text up to end.
func (l *lexer) add(kind tokenKind, end int) {
	l.tokens = append(l.tokens, token{kind, l.text[l.at:end], l.at})
	l.at = end
}

// until is where a text goes on after a mark; its end where the mark does not come.
func (l *lexer) until(from int, mark, what string) int {
	if i := strings.Index(l.text[from:], mark); i >= 0 {
		return from + i + len(mark)
	}
	l.refuse(l.at, fault.SQLNotClosed, "%s begins here and does not end", what)
	return len(l.text)
}

var dollar = regexp.MustCompile(`^\$([\p{L}_][\p{L}\d_]*)?\$`)

func lex(text string, dialect Dialect) ([]token, []Problem) {
	l := &lexer{dialect: dialect, text: text}
	for l.at < len(text) {
		l.next()
	}
	return l.tokens, l.problems
}

// next reads one token.
//
// One branch for each kind of token.
func (l *lexer) next() {
	rest := l.text[l.at:]
	c := rest[0]
	r, size := utf8.DecodeRuneInString(rest)
	switch {
	case strings.HasPrefix(rest, "--"):
		l.lineComment(rest)
	case strings.HasPrefix(rest, "/*"):
		l.comment(rest)
	case c == '\'' || c == '"', c == '`' && l.dialect != Postgres:
		l.quoted(c)
	case c == '[' && l.dialect == SQLite:
		l.add(quoted, l.until(l.at+1, "]", "a name in brackets"))
	case c == '$':
		l.unknown(rest, "a dollar sign", "put a text between single quotes")
	case strings.HasPrefix(rest, "::"):
		l.add(sign, l.at+2)
	case c == ':' && len(rest) > 1 && isNameStart(rest[1:]) && l.brackets == 0:
		l.add(named, l.at+1+nameLength(rest[1:]))
	case strings.IndexByte(blanks, c) >= 0:
		l.add(space, l.at+len(rest)-len(strings.TrimLeft(rest, blanks)))
	case isNameStart(rest) || c >= '0' && c <= '9':
		l.word(nameLength(rest))
	case c < ' ' || c == 0x7f || r == utf8.RuneError || r > 0x7f:
		l.refuse(l.at, fault.SQLNotKnown, "the character %+q is none that SQL is written with; a text with it goes between single quotes", r)
		l.add(sign, l.at+size)
	case strings.HasPrefix(rest, ":="), strings.ContainsRune(foreign[l.dialect], r):
		l.unknown(rest, "the sign "+string(r), "")
	default:
		l.sign(c)
	}
}

// blanks are those that every engine takes for one.
const blanks = " \t\n\r"

// foreign are signs that mean something beside what a SELECT of records needs, or nothing:
// variables, parameters by number, comments that not every engine has.
var foreign = map[Dialect]string{
	SQLite:   "#@?\\`{}^",
	Postgres: "\\`{}",
	MariaDB:  "#@?\\[]{}",
}

// unknown refuses a way of writing and goes on after it.
func (l *lexer) unknown(rest, what, instead string) {
	said := "custom SQL for " + string(l.dialect) + " is not written with " + what
	if instead != "" {
		said += "; " + instead
	}
	l.refuse(l.at, fault.SQLNotKnown, "%s", said)
	if mark := dollar.FindString(rest); mark != "" {
		l.add(quoted, l.until(l.at+len(mark), mark, "a text between dollar signs"))
		return
	}
	l.add(sign, l.at+1)
}

func (l *lexer) sign(c byte) {
	switch c {
	case '[':
		l.brackets++
	case ']':
		l.brackets = max(0, l.brackets-1)
	}
	l.add(sign, l.at+1)
}

// lineComment is one to the end of its line. MariaDB takes two dashes for a comment only
// where a blank follows, and else for two signs.
func (l *lexer) lineComment(rest string) {
	end := strings.IndexByte(rest, '\n')
	if end < 0 {
		end = len(rest)
	}
	if l.dialect == MariaDB && len(rest) > 2 && rest[2] != ' ' && rest[2] != '\t' && rest[2] != '\n' {
		l.refuse(l.at, fault.SQLNotKnown, "put a blank after the two dashes of a comment, or between two minus signs")
	}
	if i := strings.IndexByte(rest[:end], '\r'); i >= 0 && i < len(rest)-1 && i != end-1 { // where some engines end a line
		l.refuse(l.at, fault.SQLNotKnown, "a comment has no carriage return in it")
	}
	l.add(space, l.at+end)
}

// comment is one between its marks. Engines part ways over comments within comments and
// over those whose text is run by some of them.
func (l *lexer) comment(rest string) {
	if strings.HasPrefix(rest, "/*!") || strings.HasPrefix(rest, "/*M!") || strings.HasPrefix(rest, "/*+") {
		l.refuse(l.at, fault.SQLNotKnown, "a comment does not begin with a sign that makes an engine read it")
	}
	end := l.until(l.at+2, "*/", "a comment")
	if strings.Contains(l.text[l.at+2:end], "/*") {
		l.refuse(l.at, fault.SQLNotKnown, "a comment has no other comment in it")
	}
	l.add(space, end)
}

func (l *lexer) quoted(mark byte) {
	end := l.at + 1
	for {
		end = l.until(end, string(mark), "a text or a name in quotes")
		if end >= len(l.text) || l.text[end] != mark { // twice is one in it
			break
		}
		end++
	}
	if strings.IndexByte(l.text[l.at:end], 0) >= 0 {
		l.refuse(l.at, fault.SQLNotKnown, "a text or a name in quotes has no zero byte in it")
	}
	l.add(quoted, end)
}

// word is one, and no letters that give the quotes after them another meaning, such as E'...'.
func (l *lexer) word(length int) {
	after := l.text[l.at+length:]
	glued := strings.HasPrefix(after, "'") || strings.HasPrefix(after, `"`) || strings.HasPrefix(after, "`")
	if strings.HasPrefix(after, "&'") || strings.HasPrefix(after, `&"`) {
		glued = true
	}
	if text := l.text[l.at : l.at+length]; glued && !(strings.EqualFold(text, "x") && after[0] == '\'') {
		l.refuse(l.at, fault.SQLNotKnown, "put a blank between %s and the quote after it", english.Shorten(text))
	}
	if strings.HasPrefix(after, "$") {
		l.refuse(l.at, fault.SQLNotKnown, "a name with a dollar sign in it goes between quotes")
	}
	l.add(word, l.at+length)
}

func isNameStart(text string) bool {
	r, _ := utf8.DecodeRuneInString(text)
	return unicode.IsLetter(r) || r == '_'
}

func nameLength(text string) int {
	for i, r := range text {
		if !unicode.IsLetter(r) && !unicode.IsDigit(r) && r != '_' {
			return i
		}
	}
	return len(text)
}
