package base

import (
	"cmp"
	"context"
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/criteria"
	"pikegate/internal/store"
)

// Person is who asks. Every request has one, whose name is "" for somebody who is not known.
type Person struct {
	Name string
	Role string // one of Roles
	Pass int64  // the session or token that let them in; 0 for none
	// Shelves are those whose reports there are for them; all where it is empty.
	Shelves []string
	// Groups are those that they are in, and Attributes what was set for them and for those.
	Groups     []string
	Attributes map[string][]string
	// Whole says that no condition on the person holds anything back, as for a proof.
	Whole bool
	// By is who sees a report as this person does; "" where they ask themselves.
	By string
}

// Asks is who asks, as themselves or as somebody else.
func (p Person) Asks() string { return cmp.Or(p.By, p.Name) }

// viewer is the person as somebody whom reports are for. Where nobody signs in, nothing is held back by
// what is not known.
func (s *Base) viewer(p Person) catalog.Viewer {
	v := catalog.Viewer{Name: p.Name, In: append([]string{p.Role}, p.Groups...)}
	v.Whole = p.Whole
	if p.Whole {
		return v
	}
	v.Has = map[criteria.Attribute][]string{criteria.PersonName: {p.Name}, criteria.PersonRole: {p.Role}}
	for a, values := range p.Attributes {
		v.Has[criteria.Attribute(a)] = values
	}
	return v
}

// For is a report as there is one for who asks, nil where nothing of it is left to show.
func (s *Base) For(ctx context.Context, r *catalog.Report) *catalog.Report {
	if r == nil || r.IsForEverybody() {
		return r
	}
	v := s.viewer(PersonOf(ctx))
	if !s.SignIn.Load() {
		v.Whole = true
	}
	return r.For(v)
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

// PersonNow is a person as they are now, with a role no higher than one that they had; false for who is
// there no more.
func (s *Base) PersonNow(ctx context.Context, name, role string) (Person, bool) {
	if !s.SignIn.Load() {
		return Person{Name: name, Role: role}, true
	}
	row, err := s.Store.PersonNamed(ctx, name)
	if err != nil || !row.AwayAt.IsZero() {
		return Person{}, false
	}
	p, err := s.PersonIn(ctx, row)
	p.Role = Lower(role, p.Role)
	return p, err == nil
}

// PersonIn is a person on record with all that they and their groups may.
func (s *Base) PersonIn(ctx context.Context, row store.Person) (Person, error) {
	groups, err := s.Store.GroupsOf(ctx, row.ID)
	p := Person{Name: row.Name, Role: row.Role, Shelves: slices.Clone(row.Shelves), Attributes: map[string][]string{}}
	add := func(attributes map[string][]string) {
		for a, values := range attributes {
			p.Attributes[a] = append(append([]string{}, p.Attributes[a]...), values...)
		}
	}
	add(row.Attributes)
	for _, g := range groups {
		p.Groups = append(p.Groups, g.Name)
		if g.Role != "" && Lower(g.Role, p.Role) == p.Role {
			p.Role = g.Role
		}
		p.Shelves = append(p.Shelves, g.Shelves...)
		add(g.Attributes)
	}
	if p.Role == Admin { // who says what there is for whom
		p.Shelves = nil
	}
	return p, err
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
