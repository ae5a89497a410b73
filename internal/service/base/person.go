package base

import (
	"context"
	"slices"
)

// Person is who asks. Every request has one, whose name is "" for somebody who is not known.
type Person struct {
	Name string
	Role string // one of Roles
	Pass int64  // the session or token that let them in; 0 for none
	// Shelves are those whose reports there are for them; all where it is empty.
	Shelves []string
}

// Sees tells whether the reports of a shelf are there for the person.
func (p Person) Sees(shelf string) bool {
	return len(p.Shelves) == 0 || slices.Contains(p.Shelves, shelf)
}

// What people may do: run reports, write and publish definitions too, and keep people too.
const (
	Reader    = "reader"
	Developer = "developer"
	Admin     = "admin"
)

// Roles from the one that may do least to the one that may do most.
var Roles = []string{Reader, Developer, Admin}

// May tells whether the person may do what a role may.
func (p Person) May(role string) bool {
	return slices.Index(Roles, p.Role) >= slices.Index(Roles, role)
}

// Lower is that of two roles which may do less.
func Lower(a, b string) string {
	return Roles[max(0, min(slices.Index(Roles, a), slices.Index(Roles, b)))]
}

type personKey struct{}

// WithPerson tells who asks.
func WithPerson(ctx context.Context, p Person) context.Context {
	return context.WithValue(ctx, personKey{}, p)
}

// PersonOf is who asks; the zero Person where nobody said.
func PersonOf(ctx context.Context) Person {
	p, _ := ctx.Value(personKey{}).(Person)
	return p
}
