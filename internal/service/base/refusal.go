package base

import (
	"errors"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/store"
)

// NoSuch is err, or where the store has no such definition a refusal that says so.
func NoSuch(ref catalog.Ref, err error) error {
	if !errors.Is(err, store.ErrNone) {
		return err
	}
	return &Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownDefinition, "no %s, or no such revision of it", ref)}}
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
	return &Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.InUse, "the %s is used by %s; nothing was %s", what, english.Both(names), done)}}
}

// Refusal is a request that is not carried out because of something that a
// person can mend.
type Refusal struct {
	Kind   fault.Code
	Faults fault.List
}

// Error renders one fault a line.
func (r *Refusal) Error() string { return r.Faults.Error() }
