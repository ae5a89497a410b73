// Package difference names the settings that differ between two texts of a definition.
package difference

import (
	"fmt"
	"slices"

	"go.yaml.in/yaml/v3"
)

// Change is one setting that differs between two texts of a definition.
type Change struct {
	Path string `json:"path" doc:"Where it stands, as in where.all[2].route.any_of."`
	Old  string `json:"old,omitempty" doc:"What it was; absent where it is new."`
	New  string `json:"new,omitempty" doc:"What it is now; absent where it is gone."`
}

// String says the difference in words.
func (s Change) String() string {
	switch {
	case s.Old == "":
		return fmt.Sprintf("%s is new: %s", s.Path, s.New)
	case s.New == "":
		return fmt.Sprintf("%s is gone, it was %s", s.Path, s.Old)
	}
	return fmt.Sprintf("%s was %s, is %s", s.Path, s.Old, s.New)
}

// Between names each setting that differs between two texts, in the order in
// which they stand; comments and the way of writing do not count. A text that is
// not YAML has no settings.
func Between(old, new string) []Change {
	before, after := settings(old), settings(new)
	var found []Change
	for _, a := range after {
		i := slices.IndexFunc(before, func(b Change) bool { return b.Path == a.Path })
		switch {
		case i < 0:
			found = append(found, Change{Path: a.Path, New: a.New})
		case before[i].New != a.New:
			found = append(found, Change{Path: a.Path, Old: before[i].New, New: a.New})
		}
	}
	for _, b := range before {
		if !slices.ContainsFunc(after, func(a Change) bool { return a.Path == b.Path }) {
			found = append(found, Change{Path: b.Path, Old: b.New})
		}
	}
	return found
}

// settings are the scalars of a text by their paths, as New.
func settings(text string) []Change {
	var root yaml.Node
	if err := yaml.Unmarshal([]byte(text), &root); err != nil || len(root.Content) == 0 {
		return nil
	}
	var all []Change
	var walk func(n *yaml.Node, path string)
	walk = func(n *yaml.Node, path string) {
		switch {
		case n.Kind == yaml.MappingNode && len(n.Content) > 0:
			for i := 0; i+1 < len(n.Content); i += 2 {
				name := n.Content[i].Value
				if path != "" {
					name = path + "." + name
				}
				walk(n.Content[i+1], name)
			}
		case n.Kind == yaml.SequenceNode && len(n.Content) > 0:
			for i, item := range n.Content {
				walk(item, fmt.Sprintf("%s[%d]", path, i+1))
			}
		case n.Kind == yaml.ScalarNode:
			all = append(all, Change{Path: path, New: fmt.Sprintf("%q", n.Value)})
		default:
			all = append(all, Change{Path: path, New: "empty"})
		}
	}
	walk(root.Content[0], "")
	return all
}
