package base

import (
	"context"
)

// Person is who asks. Every request has one.
type Person struct {
	Name string
	Role string // reader, developer or admin
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
