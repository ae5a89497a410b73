// Package edit changes a YAML text part by part and leaves every other byte as it was:
// comments, order and style stay.
//
//	before, _ := edit.Parse("query: late  # ours\nshow: [route, vessel]\n")
//	after, undo, err := before.Apply(edit.Edit{Op: edit.Add, Path: "/show/-", Value: edit.TextOf("fare")})
//	// after.Text is "query: late  # ours\nshow: [route, vessel, fare]\n"
//	// edit.Splice(after.Text, undo) is the first text, byte for byte
//
// An edit is compared with what it was to do: the changed text is read again, and must mean
// what the tree of the text before means with the edit made in it. What cannot be written so
// is refused and changes nothing.
package edit

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
)

// Kind is what a node is.
type Kind string

// The kinds of nodes.
const (
	Mapping Kind = "mapping"
	List    Kind = "list"
	Scalar  Kind = "scalar"
	Nothing Kind = "nothing" // null, or no text at all where a value could be
)

// Node is a part of a document: a mapping, a list or a scalar. From and To are where it
// stands in the text, in bytes; of one that is to be written they are 0.
type Node struct {
	Kind     Kind
	Text     string  // of a scalar: its value, without quotes
	Bare     bool    // a scalar that is a number or true or false, and is written without quotes
	Children []Child // of a mapping or a list
	From, To int

	brackets bool  // a mapping or list in brackets
	style    style // of a scalar
}

// Child is an entry of a mapping or an item of a list.
type Child struct {
	Key   string // of an entry
	Value *Node
	// From is where it starts in the text: at its key, or at the dash of its item.
	From           int
	keyFrom, keyTo int
	colon          int // behind its colon; 0 where it has none
}

// end is where the child ends in the text.
func (c Child) end() int { return max(c.Value.To, c.colon, c.keyTo) }

// style is how a scalar is written.
type style int

const (
	plain style = iota
	single
	double
	literal
	folded
)

// TextOf is a scalar to be written.
func TextOf(text string) *Node { return &Node{Kind: Scalar, Text: text} }

// ListOf is a list to be written.
func ListOf(items ...*Node) *Node {
	n := &Node{Kind: List}
	for _, item := range items {
		n.Children = append(n.Children, Child{Value: item})
	}
	return n
}

// With is the mapping with another entry; of a nil node a new mapping.
func (n *Node) With(key string, value *Node) *Node {
	all := &Node{Kind: Mapping}
	if n != nil {
		all.Children = slices.Clone(n.Children)
	}
	all.Children = append(all.Children, Child{Key: key, Value: value})
	return all
}

// Equal reports whether two nodes mean the same, however they are written.
func (n *Node) Equal(other *Node) bool {
	if n.Kind != other.Kind || n.Text != other.Text || len(n.Children) != len(other.Children) {
		return false
	}
	for i, c := range n.Children {
		if c.Key != other.Children[i].Key || !c.Value.Equal(other.Children[i].Value) {
			return false
		}
	}
	return true
}

// appendMeaning appends bytes that are those of another node where both are Equal, and only there.
func (n *Node) appendMeaning(b []byte) []byte {
	b = append(b, n.Kind[0])
	b = append(binary.AppendUvarint(b, uint64(len(n.Text))), n.Text...)
	b = binary.AppendUvarint(b, uint64(len(n.Children)))
	for _, c := range n.Children {
		b = append(binary.AppendUvarint(b, uint64(len(c.Key))), c.Key...)
		b = c.Value.appendMeaning(b)
	}
	return b
}

// index finds a child by the last part of a path; -1 where there is none.
func (n *Node) index(part string) int {
	if n.Kind == List {
		if i, err := strconv.Atoi(part); err == nil && i >= 0 && i < len(n.Children) && strconv.Itoa(i) == part {
			return i
		}
		return -1
	}
	return slices.IndexFunc(n.Children, func(c Child) bool { return c.Key == part })
}

// Find finds the node at a path, a JSON pointer (RFC 6901) such as /where/all/0; nil where there is none.
func (n *Node) Find(path string) *Node {
	parts, err := Split(path)
	if err != nil {
		return nil
	}
	return n.find(parts)
}

func (n *Node) find(parts []string) *Node {
	for _, part := range parts {
		i := n.index(part)
		if i < 0 {
			return nil
		}
		n = n.Children[i].Value
	}
	return n
}

var (
	unescaped = strings.NewReplacer("~1", "/", "~0", "~")
	escaped   = strings.NewReplacer("~", "~0", "/", "~1")
)

// Split takes a JSON pointer apart.
func Split(path string) ([]string, error) {
	if path == "" {
		return nil, nil
	}
	if path[0] != '/' {
		return nil, fmt.Errorf("a path starts with /, as in /where/all/0; this is %q", path)
	}
	parts := strings.Split(path[1:], "/")
	for i, p := range parts {
		parts[i] = unescaped.Replace(p)
	}
	return parts, nil
}

// Path is the JSON pointer of parts.
func Path(parts ...string) string {
	var path strings.Builder
	for _, p := range parts {
		path.WriteString("/" + escaped.Replace(p))
	}
	return path.String()
}

// Value reads a value to be written from JSON, the entries in their order.
func Value(text []byte) (*Node, error) {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	n, err := valueOf(d)
	if err != nil {
		return nil, err
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return nil, errors.New("there is more than one value here")
	}
	return n, nil
}

func valueOf(d *json.Decoder) (*Node, error) {
	token, err := d.Token()
	if err != nil {
		return nil, err
	}
	switch is := token.(type) {
	case json.Delim:
		n := &Node{Kind: List}
		if is == '{' {
			n.Kind = Mapping
		}
		for d.More() {
			var c Child
			if n.Kind == Mapping {
				key, err := d.Token()
				if err != nil {
					return nil, err
				}
				c.Key = key.(string)
			}
			if c.Value, err = valueOf(d); err != nil {
				return nil, err
			}
			n.Children = append(n.Children, c)
		}
		_, err = d.Token()
		return n, err
	case string:
		return TextOf(is), nil
	case nil:
		return &Node{Kind: Nothing}, nil
	}
	return &Node{Kind: Scalar, Text: fmt.Sprint(token), Bare: true}, nil
}

// At is the path of the deepest part that a place is in, its line and column from 1 and columns in
// characters; whether it is at the key of that part; "" for the whole.
func (d *Document) At(line, column int) (path string, key bool) {
	at, err := (&places{text: d.Text, lines: lineStarts(d.Text)}).at(line, column)
	if err != nil {
		return "", false
	}
	n := d.Root
	for {
		i := slices.IndexFunc(n.Children, func(c Child) bool { return c.From <= at && at < max(c.end(), c.From+1) })
		if i < 0 {
			return path, key
		}
		c := n.Children[i]
		if n.Kind == List {
			path += Path(strconv.Itoa(i))
		} else {
			path += Path(c.Key)
		}
		key = at < max(c.keyTo, c.colon) && at < max(c.Value.From, c.keyTo)
		n = c.Value
	}
}

// Walk hands out every part with its path, what holds others before them.
func (n *Node) Walk(use func(path string, n *Node)) { n.walk("", use) }

func (n *Node) walk(path string, use func(string, *Node)) {
	use(path, n)
	for i, c := range n.Children {
		part := c.Key
		if n.Kind == List {
			part = strconv.Itoa(i)
		}
		c.Value.walk(path+Path(part), use)
	}
}
