// Package difference names the settings that differ between two texts of a definition.
package difference

import (
	"fmt"
	"slices"
	"strconv"

	"pikegate/internal/core/edit"
)

// Change is one setting that differs between two texts of a definition.
type Change struct {
	Path string `json:"path" doc:"Where it stands, as in where.all[2].route.any_of; of what is gone, where it stood."`
	Old  string `json:"old,omitempty" doc:"What it was; absent where it is new."`
	New  string `json:"new,omitempty" doc:"What it is now; absent where it is gone."`
	From string `json:"from,omitempty" doc:"Where it stood, of an item of a list that was moved and says the same."`
}

// String says the difference in words.
func (s Change) String() string {
	switch {
	case s.From != "":
		return fmt.Sprintf("%s was moved there from %s", s.Path, s.From)
	case s.Old == "":
		return fmt.Sprintf("%s is new: %s", s.Path, s.New)
	case s.New == "":
		return fmt.Sprintf("%s is gone, it was %s", s.Path, s.Old)
	}
	return fmt.Sprintf("%s was %s, is %s", s.Path, s.Old, s.New)
}

// Between names each setting that differs between two texts, roughly in the order in which they
// stand; an item of a list is the same one wherever it stands. Comments, the way of writing and the
// order of keys do not count. A text that is not YAML has no settings.
func Between(old, new string) []Change {
	before, after := edit.Meaning(old), edit.Meaning(new)
	if before == nil || after == nil {
		return between(before, after, "", "")
	}
	var found []Change
	for _, d := range edit.Differences(before, after) {
		old, new := spelled(before, d.Path), spelled(after, d.NewPath)
		if d.Moved {
			found = append(found, Change{Path: new, From: old})
			continue
		}
		found = append(found, between(d.Old, d.New, old, new)...)
	}
	return found
}

// spelled is a path as it is told, such as where.all[2].route.
func spelled(root *edit.Node, pointer string) string {
	parts, _ := edit.Split(pointer)
	path := ""
	for n, part := range parts {
		path = within(path, root, part)
		if root = root.Find(edit.Path(part)); root == nil && n < len(parts)-1 {
			return ""
		}
	}
	return path
}

// within is the path of a part of what stands at a path.
func within(path string, of *edit.Node, part string) string {
	if of.Kind == edit.List {
		i, _ := strconv.Atoi(part)
		return fmt.Sprintf("%s[%d]", path, i+1)
	}
	if path == "" {
		return part
	}
	return path + "." + part
}

// between names the settings that differ between two parts, nil for none, that stand at two paths.
func between(old, new *edit.Node, oldPath, newPath string) []Change {
	before, after := settings(old, ""), settings(new, "")
	var found []Change
	for _, a := range after {
		i := slices.IndexFunc(before, func(b setting) bool { return b.path == a.path })
		switch {
		case i < 0:
			found = append(found, Change{Path: under(newPath, a.path), New: a.value})
		case before[i].value != a.value:
			found = append(found, Change{Path: under(newPath, a.path), Old: before[i].value, New: a.value})
		}
	}
	for _, b := range before {
		if !slices.ContainsFunc(after, func(a setting) bool { return a.path == b.path }) {
			found = append(found, Change{Path: under(oldPath, b.path), Old: b.value})
		}
	}
	return found
}

// under is a path within another one.
func under(path, inner string) string {
	if path == "" || inner == "" || inner[0] == '[' {
		return path + inner
	}
	return path + "." + inner
}

// setting is a scalar by its path.
type setting struct{ path, value string }

// settings are the scalars of a part, nil for none.
func settings(n *edit.Node, path string) []setting {
	switch {
	case n == nil:
		return nil
	case n.Kind == edit.Scalar:
		return []setting{{path, strconv.Quote(n.Text)}}
	case len(n.Children) == 0:
		return []setting{{path, "empty"}}
	}
	var all []setting
	for i, c := range n.Children {
		part := c.Key
		if n.Kind == edit.List {
			part = strconv.Itoa(i)
		}
		all = append(all, settings(c.Value, within(path, n, part))...)
	}
	return all
}
