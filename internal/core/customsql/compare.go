package customsql

import (
	"slices"
	"strings"
)

// Op is the operator between a column and a placeholder, the column on its left.
type Op string

const (
	NoOp    Op = "" // none that can be told
	Equals  Op = "="
	Differs Op = "<>"
	Less    Op = "<"
	AtMost  Op = "<="
	More    Op = ">"
	AtLeast Op = ">="
	In      Op = "IN"              // the placeholder stands in the brackets
	Like    Op = "LIKE"            // ILIKE too
	Lower   Op = "BETWEEN"         // the placeholder is the first end
	Upper   Op = "BETWEEN ... AND" // the placeholder is the second end
)

// signs are the operators that are written as signs; the values are the same with
// their sides exchanged.
var signs = map[string]struct{ op, flipped Op }{
	"=": {Equals, Equals}, "<>": {Differs, Differs}, "!=": {Differs, Differs},
	"<": {Less, More}, "<=": {AtMost, AtLeast}, ">": {More, Less}, ">=": {AtLeast, AtMost},
}

// Comparison is what a placeholder is compared with.
type Comparison struct {
	Op Op
	// Column is the column on the other side as it is written, without its table; ""
	// where there is none or an expression stands there.
	Column string
	// Expression says that what stands on the other side is no column as it is stored:
	// a function of it, a cast, a sum.
	Expression bool
}

// comparisonAt finds the comparison that the placeholder at tokens[at] stands in.
func comparisonAt(tokens []token, at int) Comparison {
	var seen []token // without blanks
	for i, t := range tokens {
		if i == at {
			at = len(seen)
		}
		if t.kind != space {
			seen = append(seen, t)
		}
	}
	r := comparisonReader{seen}
	if r.computes(at + 1) {
		return Comparison{} // the placeholder is part of an expression
	}
	if op, operand := r.before(at); op != NoOp {
		column, plain := r.columnEnding(operand)
		return Comparison{Op: op, Column: column, Expression: !plain}
	}
	if op, operand := r.after(at + 1); op != NoOp {
		column, plain := r.columnStarting(operand)
		return Comparison{Op: op, Column: column, Expression: !plain}
	}
	return Comparison{}
}

// comparisonReader reads around a placeholder in tokens without blanks.
type comparisonReader struct{ tokens []token }

// text is a token in capital letters, "" where there is none or it is quoted.
func (r comparisonReader) text(i int) string {
	if i < 0 || i >= len(r.tokens) || r.tokens[i].kind == quoted || r.tokens[i].kind == named {
		return ""
	}
	return strings.ToUpper(r.tokens[i].text)
}

// computes reports whether an arithmetic operator stands at i.
func (r comparisonReader) computes(i int) bool {
	text := r.text(i)
	return text != "" && (strings.Contains("+-*/%|#^", text) || text == "AT" && r.text(i+1) == "TIME")
}

// before reads the operator that ends before at, and returns where its left operand
// ends.
func (r comparisonReader) before(at int) (Op, int) {
	i := at - 1
	sign := ""
	for i >= 0 && r.text(i) != "" && strings.Contains("<>=!", r.text(i)) {
		sign = r.text(i) + sign
		i--
	}
	if sign != "" {
		return signs[sign].op, i
	}
	switch r.text(i) {
	case "LIKE", "ILIKE":
		return Like, r.withoutNot(i - 1)
	case "BETWEEN":
		return Lower, r.withoutNot(i - 1)
	case "AND":
		if between := r.between(i - 1); between >= 0 {
			return Upper, r.withoutNot(between - 1)
		}
	case "(", ",":
		if open := r.listOpen(i); open >= 0 && r.text(open-1) == "IN" {
			return In, r.withoutNot(open - 2)
		}
	}
	return NoOp, 0
}

// withoutNot steps over a NOT that ends at i.
func (r comparisonReader) withoutNot(i int) int {
	if r.text(i) == "NOT" {
		return i - 1
	}
	return i
}

// clauses are the words that end an expression.
var clauses = []string{"AND", "OR", "WHERE", "ON", "HAVING", "WHEN", "SELECT", "THEN", "ELSE", "CASE", "NOT"}

// between finds the BETWEEN whose first end ends at i; -1 where there is none.
func (r comparisonReader) between(i int) int {
	for depth := 0; i >= 0; i-- {
		switch text := r.text(i); {
		case text == ")":
			depth++
		case text == "(":
			if depth--; depth < 0 {
				return -1
			}
		case depth == 0 && text == "BETWEEN":
			return i
		case depth == 0 && slices.Contains(clauses, text):
			return -1
		}
	}
	return -1
}

// listOpen finds the bracket that opens the list in which i stands; -1 where there is
// none.
func (r comparisonReader) listOpen(i int) int {
	for depth := 0; i >= 0; i-- {
		switch r.text(i) {
		case ")":
			depth++
		case "(":
			if depth == 0 {
				return i
			}
			depth--
		}
	}
	return -1
}

// after reads the operator that starts at i, behind the placeholder, and returns where
// its right operand starts.
func (r comparisonReader) after(i int) (Op, int) {
	for r.text(i) == "::" { // a cast of the placeholder
		i += 2
	}
	sign := ""
	for i < len(r.tokens) && r.text(i) != "" && strings.Contains("<>=!", r.text(i)) {
		sign += r.text(i)
		i++
	}
	return signs[sign].flipped, i
}

// keeping are the functions whose result is one of their arguments as it is stored.
var keeping = []string{"COALESCE", "IFNULL", "NULLIF", "MAX", "MIN", "GREATEST", "LEAST"}

// columnEnding reads the operand that ends at i. plain is false where it is not a
// column as it is stored.
func (r comparisonReader) columnEnding(i int) (column string, plain bool) {
	if r.text(i-1) == "COLLATE" {
		i -= 2
	}
	if r.text(i) == ")" {
		open := r.listOpen(i - 1)
		if open < 0 {
			return "", false
		}
		start := open - 1
		switch function := r.text(open - 1); {
		case slices.Contains(keeping, function):
			start--
		case isWord(function) && !slices.Contains(clauses, function):
			return "", false
		}
		column, plain = r.columnStarting(open + 1)
		return column, plain && !r.computes(start)
	}
	name, ok := r.name(i)
	if !ok {
		return "", false
	}
	start := i
	for r.text(start-1) == "." {
		start -= 2
	}
	if r.text(i) == "END" || r.computes(start-1) || r.text(start-1) == "::" || r.isLiteral(start-1) {
		return "", false
	}
	return name, true
}

// isLiteral reports whether a number or a text stands at i, as in INTERVAL 1 DAY.
func (r comparisonReader) isLiteral(i int) bool {
	if i < 0 {
		return false
	}
	t := r.tokens[i]
	return t.kind == quoted && t.text[0] == '\'' || t.kind == word && !isNameStart(t.text)
}

// columnStarting reads the operand that starts at i, as columnEnding does.
func (r comparisonReader) columnStarting(i int) (column string, plain bool) {
	for r.text(i+1) == "." {
		i += 2
	}
	name, ok := r.name(i)
	if !ok || r.computes(i+1) || r.text(i+1) == "::" {
		return "", false
	}
	if r.text(i+1) == "(" {
		if slices.Contains(keeping, r.text(i)) {
			return r.columnStarting(i + 2)
		}
		return "", false
	}
	return name, true
}

// name is the column that a token names.
func (r comparisonReader) name(i int) (string, bool) {
	if i < 0 || i >= len(r.tokens) {
		return "", false
	}
	switch t := r.tokens[i]; t.kind {
	case word:
		return t.text, isWord(t.text)
	case quoted:
		if q := t.text[:1]; (q == `"` || q == "`") && len(t.text) > 1 {
			return strings.ReplaceAll(t.text[1:len(t.text)-1], q+q, q), true
		}
	}
	return "", false
}

// isWord reports whether a text is a name and not a number or a sign.
func isWord(text string) bool { return isNameStart(text) }
