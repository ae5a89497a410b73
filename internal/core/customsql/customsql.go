// Package customsql reads SQL that a developer wrote, as its engine takes it apart: it takes
// the named placeholders out of it, and refuses what is not one SELECT of records. What
// may be called and how it may be written are lists of what is known only to read; an account
// with no right to write is the second defence.
package customsql

import (
	"strings"
	"unicode/utf8"

	"pikegate/internal/core/fault"
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

// A Problem is what is wrong, at a place in the text in bytes.
type Problem struct {
	*fault.Fault
	At int
}

// Reader is by whose rules a text is read.
type Reader struct {
	Dialect   Dialect
	Functions []string // further ones that may be called, with their schemas where they have any
	Schema    string   // of the source, "" for the one that its address leads to
}

// Read takes a text apart. problems are all that keep it from being run.
func (r Reader) Read(text string) (pieces []Piece, problems []Problem) {
	tokens, problems := lex(text, r.Dialect)
	s := statement{dialect: r.Dialect, schema: strings.ToLower(r.Schema)}
	for _, name := range r.Functions {
		s.functions = append(s.functions, strings.ToLower(name))
	}
	for _, t := range tokens {
		if t.kind != space {
			s.tokens = append(s.tokens, t)
		}
	}
	for len(s.tokens) > 0 && s.tokens[len(s.tokens)-1].text == ";" {
		s.tokens = s.tokens[:len(s.tokens)-1]
	}
	problems = append(problems, s.check()...)
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

// Place is the line and the column, from 1, of a place in a text.
func Place(text string, at int) (line, column int) {
	before := text[:min(at, len(text))]
	line = 1 + strings.Count(before, "\n")
	return line, utf8.RuneCountInString(before[strings.LastIndexByte(before, '\n')+1:]) + 1
}
