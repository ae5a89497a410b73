package catalog

import (
	"regexp"
	"slices"
)

// Kind is what a document defines.
type Kind string

const (
	KindSource  Kind = "source"
	KindDataset Kind = "dataset"
	KindPeriod  Kind = "period"
	KindPrompt  Kind = "prompt"
	KindFilter  Kind = "filter"
	KindQuery   Kind = "query"
	KindReport  Kind = "report"
	KindProof   Kind = "proof"
	// KindSchedule is a report with the times at which it is run and where its results are sent.
	KindSchedule Kind = "schedule"
)

// Kinds lists them in the order in which they build on each other.
var Kinds = []Kind{KindSource, KindDataset, KindPeriod, KindPrompt, KindFilter, KindQuery, KindReport, KindProof, KindSchedule}

// Ref names one definition.
type Ref struct {
	Kind Kind
	Name string
}

// String is the kind and the name: "report late-sailings".
func (r Ref) String() string { return string(r.Kind) + " " + r.Name }

// IsValid reports whether a definition can be called so.
func (r Ref) IsValid() bool { return slices.Contains(Kinds, r.Kind) && IsName(r.Name) }

// mostName is how many letters a name has at most.
const mostName = 100

// IsName reports whether a text is a name: small letters and digits, parted by - or _.
func IsName(text string) bool { return len(text) <= mostName && identifier.MatchString(text) }

// Document is one definition as it was written.
type Document struct {
	Ref
	Text string // the YAML, comments and all
	File string // where it came from, for places
	Line int    // the line of the file that the text starts on
	// Revision is its number among those that are stored, 0 for one that is not.
	Revision int
}

// RefsOf are the names of documents.
func RefsOf(docs []Document) []Ref {
	refs := make([]Ref, len(docs))
	for i, d := range docs {
		refs[i] = d.Ref
	}
	return refs
}

var identifier = regexp.MustCompile(`^[a-z][a-z0-9]*([-_][a-z0-9]+)*$`)

// File is a definition file as it was given.
type File struct {
	Name string `json:"name" doc:"Name of the file, for messages." example:"late-sailings.yaml"`
	Text string `json:"text" doc:"The YAML in it: one or more documents."`
}
