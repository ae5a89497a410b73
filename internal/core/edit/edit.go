package edit

import (
	"fmt"
	"slices"
	"strconv"
)

// Op is what an edit does.
type Op string

// What edits do.
const (
	Set    Op = "set"    // puts another value in the place of one
	Add    Op = "add"    // adds an entry to a mapping, or an item to a list in front of the one at its path; "-" is behind the last
	Remove Op = "remove" // takes an entry or an item away
	Move   Op = "move"   // takes one away and adds it at another path, which is that of afterwards
	Rename Op = "rename" // gives the key of an entry another name
)

// Ops lists what edits do.
var Ops = []Op{Set, Add, Remove, Move, Rename}

// Edit is one change of a document. Paths are JSON pointers (RFC 6901).
type Edit struct {
	Op     Op
	Path   string
	From   string // of a move: where it is taken from
	Value  *Node  // of set and add
	Name   string // of a rename: the new key
	Before string // of an add or a move to a mapping: the key that it comes in front of; "" for the end
}

// Error is an edit that was not made.
type Error struct {
	Edit   Edit
	Reason string
}

func (e *Error) Error() string { return e.Reason }

func refuse(e Edit, format string, args ...any) error {
	return &Error{Edit: e, Reason: fmt.Sprintf(format, args...)}
}

// A Change is bytes of a text that others take the place of.
type Change struct {
	At   int    `json:"at"`  // in bytes
	Old  string `json:"old"` // what stands there
	With string `json:"with"`
}

// Splice makes changes in their order, each in what the one before left.
func Splice(text string, changes []Change) string {
	for _, c := range changes {
		text = text[:c.At] + c.With + text[c.At+len(c.Old):]
	}
	return text
}

// Inverse is what takes changes back.
func Inverse(changes []Change) []Change {
	back := make([]Change, len(changes))
	for i, c := range changes {
		back[len(changes)-1-i] = Change{At: c.At, Old: c.With, With: c.Old}
	}
	return back
}

// Between is the one change from a text to another, none where they are the same: what they
// start and end with alike is left out.
func Between(old, new string) []Change {
	if old == new {
		return nil
	}
	start := 0
	for start < min(len(old), len(new)) && old[start] == new[start] {
		start++
	}
	end := 0
	for end < min(len(old), len(new))-start && old[len(old)-1-end] == new[len(new)-1-end] {
		end++
	}
	return []Change{{At: start, Old: old[start : len(old)-end], With: new[start : len(new)-end]}}
}

// Apply makes edits, each in what the one before left. Where one cannot be made none is. The
// changes are those of the text; Inverse takes them back.
func (d *Document) Apply(edits ...Edit) (*Document, []Change, error) {
	var all []Change
	for _, e := range edits {
		next, made, err := d.apply(e)
		if err != nil {
			return nil, nil, err
		}
		all = append(all, made...)
		d = next
	}
	return d, all, nil
}

// apply makes one edit, and holds what comes of it to what was to come.
func (d *Document) apply(e Edit) (*Document, []Change, error) {
	want, err := meant(d.Root, e)
	if err != nil {
		return nil, nil, err
	}
	if want.Equal(d.Root) {
		return d, nil, nil
	}
	inLine := *d
	inLine.inLine = true
	ways := []func(Edit) ([]Change, error){d.changes, inLine.changes}
	if e.Op == Move {
		ways = append(ways, inLine.movedAnew)
	}
	for _, way := range ways {
		made, wrong := way(e)
		if wrong != nil {
			err = wrong
			continue
		}
		next, wrong := Parse(Splice(d.Text, made))
		if wrong == nil && next.Root.Equal(want) {
			return next, made, nil
		}
	}
	if err == nil {
		err = refuse(e, "this cannot be changed without changing more of the text; change it in the file")
	}
	return nil, nil, err
}

// meant is what a tree means with an edit made in it.
func meant(root *Node, e Edit) (*Node, error) {
	switch e.Op {
	case Set:
		return at(root, e, e.Path, func(n *Node, i int, _ string) error {
			if i < 0 {
				return refuse(e, "there is nothing at %s", e.Path)
			}
			n.Children[i].Value = e.Value
			return nil
		})
	case Add:
		return added(root, e, e.Value)
	case Remove:
		return at(root, e, e.Path, func(n *Node, i int, _ string) error {
			if i < 0 {
				return refuse(e, "there is nothing at %s", e.Path)
			}
			n.Children = slices.Delete(n.Children, i, i+1)
			return nil
		})
	case Rename:
		return at(root, e, e.Path, func(n *Node, i int, _ string) error {
			switch {
			case i < 0 || n.Kind != Mapping:
				return refuse(e, "there is no key at %s", e.Path)
			case n.Children[i].Key != e.Name && n.index(e.Name) >= 0:
				return refuse(e, "there is a key %q already", e.Name)
			}
			n.Children[i].Key = e.Name
			return nil
		})
	case Move:
		moved := root.Find(e.From)
		if moved == nil || e.From == "" {
			return nil, refuse(e, "there is nothing at %s", e.From)
		}
		rest, err := meant(root, Edit{Op: Remove, Path: e.From})
		if err != nil {
			return nil, err
		}
		return added(rest, e, moved)
	}
	return nil, refuse(e, "no edit is called %q", e.Op)
}

// added is a tree with a value more.
func added(root *Node, e Edit, value *Node) (*Node, error) {
	if value == nil {
		return nil, refuse(e, "an edit that adds has a value")
	}
	return at(root, e, e.Path, func(n *Node, i int, last string) error {
		place, err := n.placeFor(e, last)
		if err != nil {
			return err
		}
		child := Child{Value: value}
		if n.Kind != List {
			n.Kind, child.Key = Mapping, last
		}
		n.Children = slices.Insert(n.Children, place, child)
		return nil
	})
}

// placeFor is the index at which a child is to come.
func (n *Node) placeFor(e Edit, last string) (int, error) {
	switch n.Kind {
	case List:
		if last == "-" {
			return len(n.Children), nil
		}
		i, err := strconv.Atoi(last)
		if err != nil || i < 0 || i > len(n.Children) {
			return 0, refuse(e, "the list has %d items, and no place %q", len(n.Children), last)
		}
		return i, nil
	case Mapping, Nothing:
		if n.index(last) >= 0 {
			return 0, refuse(e, "there is a key %q already", last)
		}
		if i := n.index(e.Before); e.Before != "" && i >= 0 {
			return i, nil
		}
		return len(n.Children), nil
	}
	return 0, refuse(e, "nothing can be added to a text")
}

// at changes the parent of a path in a copy of a tree. The index is -1 where the parent has no such child.
func at(root *Node, e Edit, path string, change func(parent *Node, i int, last string) error) (*Node, error) {
	parts, err := Split(path)
	if err != nil {
		return nil, refuse(e, "%s", err)
	}
	if len(parts) == 0 {
		return nil, refuse(e, "the whole is not changed by an edit")
	}
	copied := *root
	n := &copied
	for _, part := range parts[:len(parts)-1] {
		i := n.index(part)
		if i < 0 {
			return nil, refuse(e, "there is nothing at %s", path)
		}
		n.Children = slices.Clone(n.Children)
		child := *n.Children[i].Value
		n.Children[i].Value = &child
		n = &child
	}
	n.Children = slices.Clone(n.Children)
	last := parts[len(parts)-1]
	return &copied, change(n, n.index(last), last)
}
