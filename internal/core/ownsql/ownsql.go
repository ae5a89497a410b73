// Package ownsql reads SQL that a developer wrote: it takes the named placeholders
// out of it, and refuses what is not one SELECT. It knows as much of SQL as parts a
// placeholder from a cast, a text or a comment, in the dialects of all engines.
package ownsql

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"pikegate/internal/core/fault"
)

// The codes of what is wrong with SQL.
const (
	NotOneSelect = "not_one_select"
	NotClosed    = "sql_not_closed"
)

// CriteriaName is the placeholder that stands where a query's criteria go.
const CriteriaName = "criteria"

// Piece is a part of the text: as it stands, or the name of a placeholder.
type Piece struct {
	Text       string
	Name       string // "" for text
	At         int    // where it begins in the whole, in bytes
	Comparison        // that the placeholder stands in
}

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

// A Problem is what is wrong, at a place in the text in bytes.
type Problem struct {
	*fault.Fault
	At int
}

// Read takes a text apart. problems are all that keep it from being run.
func Read(text string) (pieces []Piece, problems []Problem) {
	tokens, problems := lex(text)
	problems = append(problems, refusals(tokens)...)
	end := len(tokens)
	for end > 0 && (tokens[end-1].kind == space || tokens[end-1].text == ";") {
		end-- // a semicolon at the end parts it from nothing
	}
	for i, t := range tokens[:end] {
		if t.kind == named {
			pieces = append(pieces, Piece{Name: t.text[1:], At: t.at, Comparison: comparisonAt(tokens[:end], i)})
			continue
		}
		if n := len(pieces); n > 0 && pieces[n-1].Name == "" {
			pieces[n-1].Text += t.text
			continue
		}
		pieces = append(pieces, Piece{Text: t.text, At: t.at})
	}
	return pieces, problems
}

var dollar = regexp.MustCompile(`^\$([\p{L}_][\p{L}\d_]*)?\$`)

func lex(text string) (tokens []token, problems []Problem) {
	add := func(kind tokenKind, at, end int) { tokens = append(tokens, token{kind, text[at:end], at}) }
	open := func(at int, what string) {
		problems = append(problems, Problem{fault.New(NotClosed, "%s begins here and does not end", what), at})
	}
	until := func(at int, mark, what string) int {
		if i := strings.Index(text[at:], mark); i >= 0 {
			return at + i + len(mark)
		}
		open(at-1, what)
		return len(text)
	}
	brackets := 0 // square ones, in which a colon parts the ends of a slice
	for at := 0; at < len(text); {
		c, rest := text[at], text[at:]
		end := at + 1
		switch c {
		case '[':
			brackets++
		case ']':
			brackets = max(0, brackets-1)
		}
		switch {
		case strings.HasPrefix(rest, "--"):
			if end = strings.IndexByte(rest, '\n'); end < 0 {
				end = len(rest)
			}
			end += at
			add(space, at, end)
		case strings.HasPrefix(rest, "/*"):
			end = comment(text, at)
			if end < 0 {
				open(at, "a comment")
				end = len(text)
			}
			add(space, at, end)
		case c == '\'' || c == '"' || c == '`':
			end = at + 1
			for {
				end = until(end, string(c), "a text or a name in quotes")
				if end >= len(text) || text[end] != c { // twice is one in it
					break
				}
				end++
			}
			add(quoted, at, end)
		case c == '$' && dollar.MatchString(rest):
			mark := dollar.FindString(rest)
			end = until(at+len(mark), mark, "a text between dollar signs")
			add(quoted, at, end)
		case strings.HasPrefix(rest, "::") || strings.HasPrefix(rest, ":="):
			end = at + 2
			add(sign, at, end)
		case c == ':' && len(rest) > 1 && isNameStart(rest[1:]) && brackets == 0:
			end = at + 1 + nameLength(rest[1:])
			add(named, at, end)
		case unicode.IsSpace(rune(c)):
			for end < len(text) && unicode.IsSpace(rune(text[end])) {
				end++
			}
			add(space, at, end)
		case isNameStart(rest) || c >= '0' && c <= '9':
			end = at + nameLength(rest)
			add(word, at, end)
		default:
			_, size := utf8.DecodeRuneInString(rest)
			end = at + size
			add(sign, at, end)
		}
		at = end
	}
	return tokens, problems
}

// comment is where a comment ends, which can have others in it; -1 where it does not.
func comment(text string, at int) int {
	depth := 0
	for at < len(text) {
		switch {
		case strings.HasPrefix(text[at:], "/*"):
			depth++
			at += 2
		case strings.HasPrefix(text[at:], "*/"):
			depth--
			at += 2
			if depth == 0 {
				return at
			}
		default:
			at++
		}
	}
	return -1
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

// writes are the words that a SELECT does without, and that would write, lock or
// leave the database.
var writes = []string{"INSERT", "UPDATE", "DELETE", "MERGE", "TRUNCATE", "INTO", "CREATE", "DROP", "ALTER", "GRANT", "REVOKE", "CALL", "EXECUTE", "COPY", "LOCK", "VACUUM", "ATTACH", "DETACH",
	"PRAGMA", "HANDLER", "LOAD", "OUTFILE", "DUMPFILE", "BEGIN", "COMMIT", "ROLLBACK", "PROCEDURE"}

// acts are the functions that do more than reckon.
var acts = regexp.MustCompile(`(?i)^(nextval|setval|lastval|set_config|pg_(try_)?advisory\w*|pg_(terminate|cancel)_backend|pg_reload_conf|pg_rotate_logfile|pg_sleep\w*|pg_notify|pg_read\w*|pg_ls\w*|pg_logical\w*|pg_create\w*|pg_drop\w*|pg_switch\w*|lo_\w+|dblink\w*|query_to_xml\w*|get_lock|release_lock|release_all_locks|load_file|load_extension|sleep|benchmark|sys_exec|sys_eval|writefile|edit|fts3_tokenizer)$`)

// refusals are what keeps the tokens from being one SELECT.
func refusals(tokens []token) (problems []Problem) {
	refuse := func(t token, format string, args ...any) {
		problems = append(problems, Problem{fault.New(NotOneSelect, format, args...), t.at})
	}
	var seen []token // without blanks
	for _, t := range tokens {
		if t.kind != space {
			seen = append(seen, t)
		}
	}
	for len(seen) > 0 && seen[len(seen)-1].text == ";" {
		seen = seen[:len(seen)-1]
	}
	first := slices.IndexFunc(seen, func(t token) bool { return t.text != "(" })
	if first < 0 {
		return append(problems, Problem{fault.New(NotOneSelect, "there is no SELECT here"), 0})
	}
	if start := strings.ToUpper(seen[first].text); start != "SELECT" && start != "WITH" && start != "VALUES" {
		refuse(seen[first], "custom SQL is one SELECT, and this begins with %s", fault.Shorten(seen[first].text))
		return problems
	}
	for i, t := range seen {
		called := i+1 < len(seen) && seen[i+1].text == "("
		upper := strings.ToUpper(t.text)
		switch {
		case t.text == ";":
			refuse(t, "custom SQL is one SELECT; what stands after this semicolon is another statement")
			return problems
		case (t.kind == word || t.kind == quoted) && called && acts.MatchString(strings.Trim(t.text, "\"`")):
			refuse(t, "the function %s does more than read", t.text)
		case t.kind != word || i > 0 && seen[i-1].text == ".":
		case slices.Contains(writes, upper) && !called, upper == "INTO":
			refuse(t, "custom SQL only reads, and %s does more", upper)
		case upper == "FOR" && i+1 < len(seen) && slices.Contains([]string{"SHARE", "KEY", "NO"}, strings.ToUpper(seen[i+1].text)):
			refuse(t, "custom SQL only reads, and this locks what it reads")
		case upper == "VALUE" && i > 0 && strings.EqualFold(seen[i-1].text, "NEXT"):
			refuse(t, "custom SQL only reads, and this takes a number from a sequence")
		}
	}
	return problems
}

// Place is the line and the column, from 1, of a place in a text.
func Place(text string, at int) (line, column int) {
	before := text[:min(at, len(text))]
	line = 1 + strings.Count(before, "\n")
	return line, utf8.RuneCountInString(before[strings.LastIndexByte(before, '\n')+1:]) + 1
}
