package base

import (
	"errors"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/store"
)

func NoSuch(ref catalog.Ref, err error) error {
	if !errors.Is(err, store.ErrNone) {
		return err
	}
	return &Refusal{Kind: Unknown, Faults: fault.List{fault.New("unknown_definition", "no %s, or no such revision of it", ref)}}
}

// mostUsers is how many users of a definition a refusal names.
const mostUsers = 10

// InUse refuses to change what others build on, and names the first of them.
func InUse(what, done string, users []catalog.Ref) error {
	names := make([]string, min(len(users), mostUsers))
	for i := range names {
		names[i] = users[i].String()
	}
	if more := len(users) - len(names); more > 0 {
		names = append(names, english.Count(more, "other"))
	}
	return &Refusal{Kind: Conflicting, Faults: fault.List{fault.New("in_use", "the %s is used by %s; nothing was %s", what, english.Both(names), done)}}
}

// RefusalKind is the kind of a refusal.
type RefusalKind string

const (
	Unknown            RefusalKind = "unknown"             // no report of that name
	DefinitionInError  RefusalKind = "definition_in_error" // a report that is stored and does not fit any more
	AnswersRefused     RefusalKind = "answers_refused"     // answers that do not pass
	DefinitionsRefused RefusalKind = "definitions_refused" // files that do not pass
	Conflicting        RefusalKind = "conflict"            // somebody else's work would be lost
	LoadRefused        RefusalKind = "load_refused"        // a file that cannot be loaded
)

// Refusal is a request that is not carried out because of something that a
// person can mend.
type Refusal struct {
	Kind   RefusalKind
	Faults fault.List
}

func (r *Refusal) Error() string { return r.Faults.Error() }
