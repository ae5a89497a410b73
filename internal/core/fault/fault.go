// Package fault has the one type for everything that a person can mend: a
// refused answer, a mistake in a definition, a wrong flag.
//
// A fault prints as
//
//	late-sailings.yaml:14:9: no column "rout" in dataset "sailings"; did you mean "route"? [unknown_column]
//
// and is the same value in the API's problem documents, the command line and
// the console. Operational failures (a disk that is full, a server that does
// not answer) are ordinary wrapped errors and not faults.
package fault

import (
	"fmt"
	"strings"

	"pikegate/internal/core/english"
)

// Place tells where a fault stands. Either the file's part is set or the
// prompt's; the zero Place means the request as a whole.
type Place struct {
	File   string `json:"file,omitempty" doc:"Name of the definition file, as it was given."`
	Line   int    `json:"line,omitempty" doc:"Line in the file, from 1."`
	Column int    `json:"column,omitempty" doc:"Column in the line, or in what was entered as the answer, in characters, from 1."`
	Prompt string `json:"prompt,omitempty" doc:"Name of the prompt whose answer is meant."`
	Side   string `json:"side,omitempty" enum:"start,end" doc:"Side of a period, where only one is meant."`
}

// String renders the place as it stands in front of a message, "" for none.
func (p Place) String() string {
	switch {
	case p.File != "" && p.Line > 0:
		return fmt.Sprintf("%s:%d:%d", p.File, p.Line, p.Column)
	case p.File != "":
		return p.File
	case p.Prompt != "" && p.Side != "":
		return p.Prompt + "." + p.Side
	}
	return p.Prompt
}

// Fault is one thing that a person can mend.
type Fault struct {
	Code        Code     `json:"code" doc:"What is wrong, as a word for programs."`
	Place       Place    `json:"place" doc:"Where it stands."`
	Message     string   `json:"message" doc:"What is wrong, in a sentence."`
	Entered     string   `json:"entered,omitempty" doc:"What was entered, shortened when long."`
	Limit       string   `json:"limit,omitempty" doc:"The limit that the answer met."`
	Suggestions []string `json:"suggestions,omitempty" doc:"What would pass in its stead."`
	// Warning marks a finding that stops nothing.
	Warning bool `json:"warning,omitempty" doc:"Whether it is a warning, which stops nothing."`

	Cause error `json:"-"`
}

// New makes a fault; the place and the suggestions are added by those who know
// them.
func New(code Code, format string, args ...any) *Fault {
	return &Fault{Code: code, Message: fmt.Sprintf(format, args...)}
}

// Warn makes a warning: a finding that stops nothing.
func Warn(code Code, format string, args ...any) *Fault {
	f := New(code, format, args...)
	f.Warning = true
	return f
}

// Suggest adds what would pass; an empty text is none.
func (f *Fault) Suggest(texts ...string) *Fault {
	for _, text := range texts {
		if text != "" {
			f.Suggestions = append(f.Suggestions, text)
		}
	}
	return f
}

// At sets the place.
func (f *Fault) At(p Place) *Fault {
	f.Place = p
	return f
}

// Error renders the fault in one line: place, message, suggestions, code.
func (f *Fault) Error() string {
	var b strings.Builder
	if place := f.Place.String(); place != "" {
		b.WriteString(place)
		b.WriteString(": ")
	}
	if f.Warning {
		b.WriteString("warning: ")
	}
	b.WriteString(f.Sentence())
	b.WriteString(" [")
	b.WriteString(string(f.Code))
	b.WriteString("]")
	return b.String()
}

// Sentence renders the message with its suggestions, without place and code.
func (f *Fault) Sentence() string {
	if len(f.Suggestions) == 0 {
		return f.Message
	}
	return f.Message + "; did you mean " + english.Either(english.Quoted(f.Suggestions)) + "?"
}

func (f *Fault) Unwrap() error { return f.Cause }

// List is all that is wrong, at once, in the order in which it was met.
type List []*Fault

// Error renders one fault a line.
func (l List) Error() string {
	lines := make([]string, len(l))
	for i, f := range l {
		lines[i] = f.Error()
	}
	return strings.Join(lines, "\n")
}

// Most is how many faults are told to one who asked the service.
const Most = 100

// Capped is the list, or where it is longer than most its beginning, and how many more
// there are.
func (l List) Capped(most int) List {
	if len(l) <= most {
		return l
	}
	more := New(AndMore, "and %d more", len(l)-most)
	more.Warning = len(l[most:].Errors()) == 0
	return append(l[:most:most], more)
}

// Errors are those that are no warnings.
func (l List) Errors() List {
	var wrong List
	for _, f := range l {
		if !f.Warning {
			wrong = append(wrong, f)
		}
	}
	return wrong
}
