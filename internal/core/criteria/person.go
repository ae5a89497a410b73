package criteria

import (
	"regexp"
	"slices"

	"pikegate/internal/core/column"
)

// Attribute is something known of the person who runs a query: their name, their role, or what an
// admin set for them.
type Attribute string

// What is known of every person.
const (
	PersonName Attribute = "name"
	PersonRole Attribute = "role"
)

// AttributePattern is how attributes are called, as a regular expression.
const AttributePattern = "^[a-z][a-z0-9_]{0,39}$"

var attribute = regexp.MustCompile(AttributePattern)

// IsAttribute reports whether an attribute can be called so: small letters, digits and _.
func IsAttribute(text string) bool { return attribute.MatchString(text) }

// Everything is the value of an attribute that stands for every value.
const Everything = "*"

// Person is who a query is for.
type Person struct {
	// Has are the values of each attribute that is set.
	Has map[Attribute][]string
	// Whole says that attributes that are not set hold nothing back.
	Whole bool
}

// IsPersonal reports whether a condition of the tree asks who runs it.
func (n *Node) IsPersonal() bool {
	personal := false
	n.Walk(func(c *Node) { personal = personal || c.Operand.Person != "" })
	return personal
}

// Together are the conditions and groups that all have to hold, one by one, those of filters too; none
// for nil.
func (n *Node) Together() []*Node {
	switch {
	case n == nil:
		return nil
	case n.Filter != nil && n.IsPersonal():
		return n.Filter.Where.Together()
	case n.Filter != nil || n.Logic != All:
		return []*Node{n}
	}
	var all []*Node
	for _, child := range n.Nodes {
		all = append(all, child.Together()...)
	}
	return all
}

// Without is the tree without some of its conditions, as if they were left unanswered: a group of which
// nothing is left goes too. It is the tree itself where none is left out.
func (n *Node) Without(leaves func(*Node) bool) *Node {
	switch {
	case n == nil:
		return nil
	case n.Filter != nil:
		inside := n.Filter.Where.Without(leaves)
		if inside == n.Filter.Where {
			return n
		}
		return inside
	case n.Logic == Condition:
		if leaves(n) {
			return nil
		}
		return n
	}
	own := &Node{Logic: n.Logic}
	same := true
	for _, child := range n.Nodes {
		left := child.Without(leaves)
		if same = same && left == child; left != nil {
			own.Nodes = append(own.Nodes, left)
		}
	}
	switch {
	case same:
		return n
	case len(own.Nodes) == 0:
		return nil
	}
	return own
}

// For parts a tree into what depends on the person, with what is known of them in its place, and what
// holds for everybody. Both are nil where nothing is left. unset are the attributes that are not set:
// what depends on one of them holds for no record, or where the person sees the whole for every one.
func (n *Node) For(p Person) (own *Bound, others *Node, unset []Attribute) {
	if !n.IsPersonal() {
		return nil, n, nil
	}
	var owns []*Bound
	var rest []*Node
	for _, part := range n.Together() {
		if !part.IsPersonal() {
			rest = append(rest, part)
			continue
		}
		bound, lacks := part.of(p)
		owns, unset = append(owns, bound), append(unset, lacks...)
	}
	if len(rest) > 0 {
		others = &Node{Logic: All, Nodes: rest}
	}
	if len(rest) == 1 {
		others = rest[0]
	}
	return AllOf(owns...), others, unset
}

// of is one of the conditions that hold together, with what is known of a person in its place.
func (n *Node) of(p Person) (*Bound, []Attribute) {
	var any *column.Column
	var unset []Attribute
	n.Walk(func(c *Node) {
		any = c.Column
		if a := c.Operand.Person; a != "" && p.Has[a] == nil && !slices.Contains(unset, a) {
			unset = append(unset, a)
		}
	})
	if len(unset) > 0 {
		if p.Whole {
			return nil, unset
		}
		return never(any), unset
	}
	bound, truth := n.held(p)
	switch truth {
	case always:
		return nil, nil
	case impossible:
		return never(any), nil
	}
	return bound, nil
}

// never holds for no record.
func never(c *column.Column) *Bound {
	return &Bound{Logic: None, Nodes: []*Bound{{Column: c, Op: Missing}, {Column: c, Op: Present}}}
}

// truth is what is known of a condition before any record is seen.
type truth int

const (
	depends truth = iota
	always
	impossible
)

// held puts what is known of a person in its place, and leaves out what it decides.
func (n *Node) held(p Person) (*Bound, truth) {
	switch {
	case n.Filter != nil:
		return n.Filter.Where.held(p)
	case n.Logic != Condition:
		return n.heldGroup(p)
	case n.Operand.Person == "":
		r := binder{}
		return r.condition(n), depends
	}
	values := p.Has[n.Operand.Person]
	b := &Bound{Column: n.Column, Op: AnyOf, IgnoreCase: n.IgnoreCase, At: n.At}
	for _, v := range values {
		b.AddText(v)
	}
	denied := n.Op == IsNot || n.Op == NoneOf
	every, none := slices.Contains(values, Everything), len(values) == 0
	switch {
	case every && !denied, none && denied:
		return nil, always
	case every, none, len(b.Texts)+len(b.Numbers) < len(values): // some are no numbers
		return nil, impossible
	case denied:
		b.Op = NoneOf
	}
	return b, depends
}

func (n *Node) heldGroup(p Person) (*Bound, truth) {
	group := &Bound{Logic: n.Logic}
	decides, result := always, always // of any
	switch n.Logic {
	case All:
		decides, result = impossible, impossible
	case None:
		result = impossible
	}
	for _, child := range n.Nodes {
		bound, truth := child.held(p)
		if truth == decides {
			return nil, result
		}
		if truth == depends {
			group.Nodes = append(group.Nodes, bound)
		}
	}
	if len(group.Nodes) > 0 {
		return group, depends
	}
	if n.Logic == Any {
		return nil, impossible
	}
	return nil, always // of all and none: nothing stands against it
}
