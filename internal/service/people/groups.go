package people

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// Group is several people and what they may together, beside what each of them may.
type Group struct {
	Name    string   `json:"name" doc:"Its name."`
	Role    string   `json:"role,omitempty" enum:"reader,developer,admin" doc:"What its people may do at least; absent where it gives none."`
	Members []string `json:"members" doc:"Its people, by name."`
	Limits
}

// Groups lists all groups by name.
func (p *People) Groups(ctx context.Context) ([]Group, error) {
	rows, err := p.base.Store.Groups(ctx)
	all := make([]Group, len(rows))
	for i, row := range rows {
		all[i] = Group{Name: row.Name, Role: row.Role, Members: []string{}, Limits: Limits{Shelves: row.Shelves, Attributes: row.Attributes}}
		for _, m := range row.Members {
			all[i].Members = append(all[i].Members, m.Name)
		}
	}
	return all, err
}

// mostMembers is how many people a group has at most.
const mostMembers = 10_000

// SetGroup adds a group, or puts one in the place of that of its name.
func (p *People) SetGroup(ctx context.Context, g Group) (*Group, error) {
	name, err := nameOf(g.Name)
	if err != nil {
		return nil, err
	}
	if slices.Contains(base.Roles, name) {
		return nil, refused(fault.PersonRefused, "%s is a role; call the group otherwise, so that columns can be kept from the one and not from the other", name)
	}
	if err := limited(base.Reader, g.Shelves); err != nil {
		return nil, err
	}
	attributes, err := attributesOf(g.Attributes)
	if err != nil {
		return nil, err
	}
	if len(g.Members) > mostMembers {
		return nil, refused(fault.PersonRefused, "a group has up to %d people", mostMembers)
	}
	row := store.Group{Name: name, Role: g.Role, Shelves: listed(g.Shelves), Attributes: attributes}
	told := Group{Name: name, Role: g.Role, Members: []string{}, Limits: Limits{Shelves: row.Shelves, Attributes: attributes}}
	for _, m := range g.Members {
		person, err := p.named(ctx, m)
		if err != nil {
			return nil, err
		}
		row.Members = append(row.Members, person)
		told.Members = append(told.Members, person.Name)
	}
	slices.Sort(told.Members)
	said := strings.Join(told.Members, ", ") + "; " + g.Role + "; shelves " + strings.Join(row.Shelves, " | ") + "; " + attributeText(attributes)
	return &told, p.base.Store.SetGroup(ctx, row, p.entry(ctx, "set group", name+": "+said))
}

// DropGroup drops a group. Its people keep what they may themselves.
func (p *People) DropGroup(ctx context.Context, name string) error {
	err := p.base.Store.DropGroup(ctx, name, p.entry(ctx, "drop group", name))
	if errors.Is(err, store.ErrNone) {
		err = &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownGroup, "no group is called %q", english.Shorten(name))}}
	}
	return err
}

// Most attributes and values of one person or group, and letters of a value.
const (
	mostAttributes = 100
	mostValues     = 1000
	mostLetters    = 200
)

// attributesOf are attributes as they are kept.
func attributesOf(all map[string][]string) (map[string][]string, error) {
	kept := map[string][]string{}
	for _, a := range slices.Sorted(maps.Keys(all)) {
		values := listed(all[a])
		switch {
		case len(all) > mostAttributes, len(values) > mostValues:
			return nil, refused(fault.PersonRefused, "up to %d attributes are kept, each with up to %d values", mostAttributes, mostValues)
		case !criteria.IsAttribute(a):
			return nil, refused(fault.PersonRefused, "an attribute is called by small letters, digits and _, and this is %q", english.Shorten(a))
		case a == string(criteria.PersonName), a == string(criteria.PersonRole):
			return nil, refused(fault.PersonRefused, "the %s of a person is known, and is not set as an attribute", a)
		case slices.ContainsFunc(values, func(v string) bool { return utf8.RuneCountInString(v) > mostLetters }):
			return nil, refused(fault.PersonRefused, "a value of the attribute %s has more than %d letters", a, mostLetters)
		}
		kept[a] = values
	}
	return kept, nil
}

// attributeText is attributes for the record of what was done.
func attributeText(all map[string][]string) string {
	var texts []string
	for _, a := range slices.Sorted(maps.Keys(all)) {
		texts = append(texts, a+"="+strings.Join(all[a], " | "))
	}
	return strings.Join(texts, "; ")
}
