// Package catalog says what definitions are once they are read and linked: sources with
// their datasets, prompts, filters, queries and reports, each pointing at those that it is
// made of. It has types and what follows from them alone; how they are written is in
// definition, and what misleads about them in lint.
package catalog

import (
	"cmp"
	"slices"
	"strings"

	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

// Catalog is a set of definitions that fit together. It does not change once
// it is made.
type Catalog struct {
	Sources   map[string]*Source
	Datasets  map[string]*Dataset
	Seasons   map[string]phrase.Season // the named periods of the business
	Prompts   map[string]*prompt.Prompt
	Lists     map[*prompt.Prompt]*ChoiceList // of the prompts whose choices come from data
	Filters   map[string]*Filter
	Queries   map[string]*Query
	Reports   map[string]*Report
	Proofs    map[string]*Proof
	Schedules map[string]*Schedule
	Users     map[Ref][]Ref      // the definitions that build on each, directly
	Warnings  map[Ref]fault.List // findings that do not stop publishing
	Broken    map[Ref]bool       // definitions with errors, or made of some that have; none where all fits
}

// PartsOf lists the definitions that one is made of, itself first, what builds on others
// before them.
func (c *Catalog) PartsOf(ref Ref) []Ref {
	parts := []Ref{ref}
	for i := 0; i < len(parts); i++ {
		for of, users := range c.Users {
			if slices.Contains(users, parts[i]) && !slices.Contains(parts, of) {
				parts = append(parts, of)
			}
		}
	}
	slices.SortFunc(parts[1:], func(a, b Ref) int {
		return cmp.Or(slices.Index(Kinds, b.Kind)-slices.Index(Kinds, a.Kind), strings.Compare(a.Name, b.Name))
	})
	return parts
}

// New is a catalog with nothing in it.
func New() *Catalog {
	return &Catalog{
		Sources:   map[string]*Source{},
		Datasets:  map[string]*Dataset{},
		Seasons:   map[string]phrase.Season{},
		Prompts:   map[string]*prompt.Prompt{},
		Lists:     map[*prompt.Prompt]*ChoiceList{},
		Filters:   map[string]*Filter{},
		Queries:   map[string]*Query{},
		Reports:   map[string]*Report{},
		Proofs:    map[string]*Proof{},
		Schedules: map[string]*Schedule{},
		Users:     map[Ref][]Ref{},
		Warnings:  map[Ref]fault.List{},
		Broken:    map[Ref]bool{},
	}
}

// BuildingOn are the definitions that build on one, directly or not, in any of some catalogs.
func BuildingOn(ref Ref, among ...*Catalog) map[Ref]bool {
	found := map[Ref]bool{}
	for left := []Ref{ref}; len(left) > 0; left = left[1:] {
		for _, c := range among {
			for _, user := range c.Users[left[0]] {
				if !found[user] {
					found[user] = true
					left = append(left, user)
				}
			}
		}
	}
	return found
}
