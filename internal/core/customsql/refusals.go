package customsql

import (
	"slices"
	"strings"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// writes are the words that a SELECT does without, and that would write, lock, leave the
// database or read what is no record.
var writes = []string{"INSERT", "UPDATE", "DELETE", "MERGE", "TRUNCATE", "INTO", "CREATE", "DROP", "ALTER", "GRANT", "REVOKE", "CALL", "EXECUTE", "COPY", "LOCK", "VACUUM", "ATTACH", "DETACH",
	"PRAGMA", "HANDLER", "LOAD", "OUTFILE", "DUMPFILE", "BEGIN", "COMMIT", "ROLLBACK", "PROCEDURE", "TABLE", "TABLESAMPLE"}

// statement reads the tokens of one SELECT, without blanks.
type statement struct {
	dialect   Dialect
	functions []string // of the company's own, in small letters
	schema    string   // of the source, in small letters; "" where it has none of its own
	tokens    []token
	defined   map[int]bool // the names of WITH, which may have columns in brackets
	problems  []Problem
}

func (s *statement) refuse(t token, code fault.Code, format string, args ...any) {
	s.problems = append(s.problems, Problem{fault.New(code, format, args...), t.at})
}

// at is a token, one of nothing where there is none.
func (s *statement) at(i int) token {
	if i < 0 || i >= len(s.tokens) {
		return token{kind: space}
	}
	return s.tokens[i]
}

// check finds what keeps the tokens from being one SELECT that only reads records.
func (s *statement) check() []Problem {
	first := slices.IndexFunc(s.tokens, func(t token) bool { return t.text != "(" })
	if first < 0 {
		return []Problem{{fault.New(fault.NotOneSelect, "there is no SELECT here"), 0}}
	}
	if t := s.tokens[first]; !t.is("SELECT") && !t.is("WITH") && !t.is("VALUES") {
		s.refuse(t, fault.NotOneSelect, "custom SQL is one SELECT, and this begins with %s", english.Shorten(t.text))
		return s.problems
	}
	s.define()
	for i, t := range s.tokens {
		if t.text == ";" {
			s.refuse(t, fault.NotOneSelect, "custom SQL is one SELECT; what stands after this semicolon is another statement")
			return s.problems
		}
		s.word(i, t)
		if s.at(i+1).text == "(" && t.isName() {
			s.called(i)
		}
		if t.is("FROM") && !s.isPartOfAnother(i) {
			s.tables(i + 1)
		}
		s.systemName(i)
	}
	return s.problems
}

// word refuses words that do more than read.
func (s *statement) word(i int, t token) {
	upper := strings.ToUpper(t.text)
	called, next := s.at(i+1).text == "(", s.at(i+1)
	switch {
	case t.kind != word || s.at(i-1).text == ".":
	case slices.Contains(writes, upper) && (!called || upper == "TABLE"), upper == "INTO":
		s.refuse(t, fault.NotOneSelect, "custom SQL only reads, and %s does more", upper)
	case upper == "FOR" && (next.is("SHARE") || next.is("KEY") || next.is("NO")):
		s.refuse(t, fault.NotOneSelect, "custom SQL only reads, and this locks what it reads")
	case (upper == "VALUE" || upper == "VALUES") && (s.at(i-1).is("NEXT") || s.at(i-1).is("PREVIOUS")):
		s.refuse(t, fault.NotOneSelect, "custom SQL only reads, and this takes a number from a sequence")
	}
}

// define notes the names that WITH gives to queries: WITH [RECURSIVE] NAME [(COLUMNS)] AS
// [[NOT] MATERIALIZED] (QUERY), and more of them after commas.
func (s *statement) define() {
	s.defined = map[int]bool{}
	for i := range s.tokens {
		if !s.at(i).is("WITH") {
			continue
		}
		at := i + 1
		if s.at(at).is("RECURSIVE") {
			at++
		}
		for s.at(at).isName() {
			name := at
			if at++; s.at(at).text == "(" {
				at = s.closing(at) + 1
			}
			if !s.at(at).is("AS") {
				break
			}
			s.defined[name] = true
			for at++; s.at(at).is("NOT") || s.at(at).is("MATERIALIZED"); at++ {
			}
			if s.at(at).text != "(" {
				break
			}
			if at = s.closing(at) + 1; s.at(at).text != "," {
				break
			}
			at++
		}
	}
}

// closing is the place of the bracket that closes the one at i; the end where none does.
func (s *statement) closing(i int) int {
	depth := 0
	for ; i < len(s.tokens); i++ {
		switch s.tokens[i].text {
		case "(":
			depth++
		case ")":
			if depth--; depth == 0 {
				return i
			}
		}
	}
	return i
}

// beforeBrackets are the words that stand before brackets and call nothing.
var beforeBrackets = []string{"SELECT", "AND", "OR", "NOT", "IN", "ANY", "ALL", "SOME", "EXISTS", "CASE", "WHEN", "THEN", "ELSE", "ON", "USING", "WHERE", "HAVING", "BY", "FROM", "JOIN", "UNION", "EXCEPT",
	"INTERSECT", "VALUES", "AS", "GROUP", "LIKE", "BETWEEN", "IS", "LIMIT", "OFFSET", "DISTINCT"}

// beforeBracketsOf are further ones of an engine.
var beforeBracketsOf = map[Dialect][]string{
	SQLite:   {"GLOB", "REGEXP", "MATCH"},
	Postgres: {"ILIKE", "LATERAL", "ROW", "ARRAY", "ROLLUP", "CUBE", "INTERVAL", "ZONE"},
	MariaDB:  {"XOR", "DIV", "MOD", "REGEXP", "RLIKE", "INTERVAL", "ROW", "MATCH", "AGAINST"},
}

// afterOthers are words that call nothing where they follow others, and else could be
// functions of somebody's.
var afterOthers = map[string][]string{"OVER": {")"}, "FILTER": {")"}, "SETS": {"GROUPING"}, "MATERIALIZED": {"AS", "NOT"}}

// isSyntax reports whether the word at i stands before brackets without calling anything.
func (s *statement) isSyntax(i int) bool {
	upper := strings.ToUpper(s.tokens[i].text)
	return s.tokens[i].kind == word && (slices.Contains(beforeBrackets, upper) || slices.Contains(beforeBracketsOf[s.dialect], upper) ||
		slices.Contains(afterOthers[upper], strings.ToUpper(s.at(i-1).text)))
}

// called refuses a function that is none of those which only compute.
func (s *statement) called(i int) {
	start := i // of the whole name, with its schema
	for s.at(start-1).text == "." && s.at(start-2).isName() {
		start -= 2
	}
	t, before := s.tokens[i], s.at(start-1)
	switch {
	case s.defined[i], before.is("AS"), before.text == "::": // a name that is given here, a type
		return
	case start == i && s.isSyntax(i):
		return
	}
	var parts []string
	for j := start; j <= i; j += 2 {
		parts = append(parts, s.tokens[j].name())
	}
	whole := strings.Join(parts, ".")
	if slices.Contains(s.functions, whole) || len(parts) == 1 && isKnown(s.dialect, whole) || len(parts) == 2 && s.dialect == Postgres && parts[0] == "pg_catalog" && isKnown(s.dialect, parts[1]) {
		return
	}
	f := fault.New(fault.SQLNotAllowed, "the function %s is none of those that custom SQL for %s may call; if it only computes, the admin of the service adds it to the setting functions", english.Shorten(whole), s.dialect)
	if len(parts) == 1 {
		f.Suggest(fault.Near(whole, slices.Sorted(known(s.dialect))))
	}
	s.problems = append(s.problems, Problem{f, t.at})
}

// isPartOfAnother reports whether the FROM at i belongs to a function or a comparison:
// EXTRACT(day FROM x), IS DISTINCT FROM.
func (s *statement) isPartOfAnother(i int) bool {
	if s.at(i - 1).is("DISTINCT") {
		return s.at(i-2).is("IS") || s.at(i-2).is("NOT") && s.at(i-3).is("IS")
	}
	depth := 0
	for j := i - 1; j >= 0; j-- {
		switch t := s.tokens[j]; {
		case t.text == ")":
			depth++
		case t.text == "(" && depth > 0:
			depth--
		case t.text == "(":
			name := s.at(j - 1)
			return slices.ContainsFunc([]string{"EXTRACT", "SUBSTRING", "TRIM", "OVERLAY"}, name.is)
		case t.is("SELECT") && depth == 0:
			return false
		}
	}
	return false
}

// ends are the words that end what stands after FROM.
var ends = []string{"WHERE", "GROUP", "ORDER", "HAVING", "LIMIT", "OFFSET", "FETCH", "UNION", "EXCEPT", "INTERSECT", "WINDOW", "FOR"}

// tables holds the tables after FROM to the source's own schema: those at the start, after
// commas and after JOIN, within brackets around joins too.
//
// It follows the grammar of FROM, whose parts are too small to stand alone.
func (s *statement) tables(i int) {
	var open []bool // the brackets around, and whether they hold joins
	within, wanted := 0, true
	for ; i < len(s.tokens); i++ {
		t := s.tokens[i]
		switch {
		case t.text == "(":
			next := s.at(i + 1)
			joins := wanted && within == 0 && !next.is("SELECT") && !next.is("WITH") && !next.is("VALUES")
			if open = append(open, joins); !joins {
				within++
				wanted = false
			}
		case t.text == ")":
			if len(open) == 0 {
				return
			}
			if !open[len(open)-1] {
				within--
			}
			open = open[:len(open)-1]
		case within > 0:
		case t.text == "," || t.is("JOIN") || t.is("STRAIGHT_JOIN"):
			wanted = true
		case t.kind == word && slices.Contains(ends, strings.ToUpper(t.text)):
			return
		case wanted && (t.is("LATERAL") || t.is("ONLY")):
		case wanted && t.isName():
			wanted = false
			if s.at(i+1).text == "." && t.name() != s.schema {
				s.refuse(t, fault.SQLNotAllowed, "the table %s.%s is in a schema of its own; custom SQL reads the tables of the source's own schema", t.text, s.at(i+2).text)
			}
		}
	}
}

// systemSchemas are where engines keep what is no record.
var systemSchemas = map[Dialect][]string{
	Postgres: {"information_schema"},
	MariaDB:  {"information_schema", "mysql", "performance_schema", "sys"},
}

// systemPrefixes are how the names of what engines keep for themselves begin.
var systemPrefixes = map[Dialect][]string{SQLite: {"sqlite_", "pragma_"}, Postgres: {"pg_"}}

// systemName refuses names of what an engine keeps for itself, wherever they stand.
func (s *statement) systemName(i int) {
	t := s.tokens[i]
	name := t.name()
	if name == "" {
		return
	}
	own := slices.ContainsFunc(systemPrefixes[s.dialect], func(start string) bool { return strings.HasPrefix(name, start) })
	if s.dialect == Postgres && (name == "pg_catalog" || s.at(i+1).text == "(" && isKnown(s.dialect, name)) {
		own = s.at(i+1).text == "." && s.at(i+3).text != "(" && name == "pg_catalog"
	}
	if own || slices.Contains(systemSchemas[s.dialect], name) && s.at(i+1).text == "." {
		s.refuse(t, fault.SQLNotAllowed, "%s is what %s keeps for itself; custom SQL reads the tables of the source's own schema", english.Shorten(t.text), s.dialect)
	}
}
