package edit

import (
	"errors"
	"io"
	"strings"
	"unicode"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// Document is a text with the tree of what it says.
type Document struct {
	Text string
	Root *Node

	inLine bool // texts of several lines are written in one, in quotes
}

// errSpan is the cause where the place of a part in the text is not found.
var errSpan = errors.New("this way of writing is not edited part by part")

// Parse reads the only document of a text. It fails where the text is not YAML, where it is
// empty, and where it is written so that the places of its parts are not known.
func Parse(text string) (*Document, error) {
	var root yaml.Node
	decoder := yaml.NewDecoder(strings.NewReader(text))
	if err := decoder.Decode(&root); errors.Is(err, io.EOF) {
		return nil, errors.New("it is empty")
	} else if err != nil {
		return nil, err
	}
	if err := decoder.Decode(new(yaml.Node)); !errors.Is(err, io.EOF) {
		return nil, errors.New("there is more than one document in this text")
	}
	p := &places{text: text}
	p.lines = lineStarts(text)
	n, err := p.node(root.Content[0], -1)
	if err != nil {
		return nil, err
	}
	return &Document{Text: text, Root: n}, nil
}

// places finds where the nodes of a text stand. The parser tells where each starts; where it
// ends follows from its children, its brackets or its value.
type places struct {
	text  string
	lines []int // where each line starts
}

// lineStarts are where the lines of a text start, as YAML counts them. A byte order mark is
// in front of the first.
func lineStarts(text string) []int {
	starts := []int{0}
	if strings.HasPrefix(text, "\ufeff") {
		starts[0] = len("\ufeff")
	}
	for i, r := range text {
		switch r {
		case '\r':
			if strings.HasPrefix(text[i+1:], "\n") {
				continue
			}
		case '\n', '\u0085', '\u2028', '\u2029':
		default:
			continue
		}
		starts = append(starts, i+utf8.RuneLen(r))
	}
	return starts
}

// at is where a line and column are, both from 1 and columns in characters.
func (p *places) at(line, column int) (int, error) {
	if line < 1 || line > len(p.lines) {
		return 0, errSpan
	}
	i := p.lines[line-1]
	for range column - 1 {
		if i >= len(p.text) {
			return 0, errSpan
		}
		_, size := utf8.DecodeRuneInString(p.text[i:])
		i += size
	}
	return i, nil
}

// node places a node; indent is the column of the block that it is in, from 0, and -1 for none.
func (p *places) node(n *yaml.Node, indent int) (*Node, error) {
	from, err := p.at(n.Line, n.Column)
	if err != nil {
		return nil, err
	}
	placed := &Node{From: from}
	switch n.Kind {
	case yaml.MappingNode, yaml.SequenceNode:
		if n.Anchor != "" || n.Style&yaml.TaggedStyle != 0 {
			return nil, errSpan
		}
		return placed, p.collection(placed, n)
	case yaml.ScalarNode:
		return placed, p.scalar(placed, n, indent)
	}
	return nil, errSpan // an alias
}

// Meaning is what the first document of a text says, wherever its parts stand; nil where the text is
// not YAML or empty.
func Meaning(text string) *Node {
	var root yaml.Node
	if err := yaml.Unmarshal([]byte(text), &root); err != nil || len(root.Content) == 0 {
		return nil
	}
	return meaning(root.Content[0])
}

func meaning(n *yaml.Node) *Node {
	is := &Node{Kind: Nothing}
	switch n.Kind {
	case yaml.MappingNode:
		is.Kind = Mapping
		for i := 0; i+1 < len(n.Content); i += 2 {
			is.Children = append(is.Children, Child{Key: n.Content[i].Value, Value: meaning(n.Content[i+1])})
		}
	case yaml.SequenceNode:
		is.Kind = List
		for _, item := range n.Content {
			is.Children = append(is.Children, Child{Value: meaning(item)})
		}
	case yaml.ScalarNode:
		is.scalar(n)
	}
	return is
}

// scalar takes over what a scalar says.
func (n *Node) scalar(of *yaml.Node) {
	n.Kind, n.Text = Scalar, of.Value
	switch of.Tag {
	case "!!null":
		n.Kind, n.Text = Nothing, ""
	case "!!bool", "!!int", "!!float":
		n.Bare = true
	}
}

// scalar places a scalar.
func (p *places) scalar(placed *Node, n *yaml.Node, indent int) error {
	if n.Anchor != "" || n.Style&yaml.TaggedStyle != 0 {
		return errSpan
	}
	placed.scalar(n)
	from := placed.From
	switch {
	case n.Style&yaml.DoubleQuotedStyle != 0:
		placed.style = double
		placed.To = p.quoted(from, '"')
	case n.Style&yaml.SingleQuotedStyle != 0:
		placed.style = single
		placed.To = p.quoted(from, '\'')
	case n.Style&(yaml.LiteralStyle|yaml.FoldedStyle) != 0:
		placed.style = literal
		if n.Style&yaml.FoldedStyle != 0 {
			placed.style = folded
		}
		placed.To = p.block(from, indent, strings.TrimRight(n.Value, "\n") == "")
	default:
		placed.To = p.plain(from, n.Value)
	}
	if placed.To < 0 {
		return errSpan
	}
	return nil
}

// quoted is the end of a quoted scalar, -1 where there is none.
func (p *places) quoted(from int, quote byte) int {
	if from >= len(p.text) || p.text[from] != quote {
		return -1
	}
	for i := from + 1; i < len(p.text); i++ {
		switch c := p.text[i]; {
		case c == '\\' && quote == '"':
			i++
		case c == quote && quote == '\'' && i+1 < len(p.text) && p.text[i+1] == quote:
			i++
		case c == quote:
			return i + 1
		}
	}
	return -1
}

// plain is the end of a plain scalar: it has no escapes, so that the letters of its value
// are those of the text, with other blanks between them.
func (p *places) plain(from int, value string) int {
	i := from
	for _, r := range value {
		if isBlank(r) {
			continue
		}
		for i < len(p.text) {
			at, size := utf8.DecodeRuneInString(p.text[i:])
			if i += size; at == r {
				break
			}
			if !isBlank(at) {
				return -1
			}
		}
	}
	return i
}

func isBlank(r rune) bool { return unicode.IsSpace(r) || r == '\ufeff' }

// block is the end of a block scalar, without the break of its last line.
func (p *places) block(from, indent int, empty bool) int {
	header, next := p.line(from)
	end := next // without its break
	keeps := strings.Contains(header, "+")
	least := -1
	for _, c := range header {
		if c >= '1' && c <= '9' {
			least = max(indent, 0) + int(c-'0')
		}
	}
	end = trimBreak(p.text, from, end)
	for at := next; at < len(p.text) && !(empty && !keeps); at = next {
		var line string
		line, next = p.line(at)
		depth := len(line) - len(strings.TrimLeft(line, " "))
		blank := strings.TrimLeft(line, " ") == ""
		if least < 0 && !blank {
			if empty || depth <= indent {
				break
			}
			least = depth
		}
		if !blank && depth < least {
			break
		}
		if !blank || keeps {
			end = trimBreak(p.text, at, next)
		}
	}
	return end
}

// line is the rest of the line from a place on, without its break, and where the next starts.
func (p *places) line(from int) (line string, next int) {
	i := strings.IndexAny(p.text[from:], "\n\r")
	if i < 0 {
		return p.text[from:], len(p.text)
	}
	next = from + i + 1
	if p.text[from+i] == '\r' && strings.HasPrefix(p.text[next:], "\n") {
		next++
	}
	return p.text[from : from+i], next
}

// trimBreak is the end of a line without its break.
func trimBreak(text string, from, end int) int {
	return from + len(strings.TrimRight(text[from:end], "\r\n"))
}

// collection places a mapping or a list with all that is in it.
func (p *places) collection(placed *Node, n *yaml.Node) error {
	placed.Kind = List
	step := 1
	if n.Kind == yaml.MappingNode {
		placed.Kind, step = Mapping, 2
	}
	placed.brackets = n.Style&yaml.FlowStyle != 0
	if placed.brackets && (placed.From >= len(p.text) || strings.IndexByte("[{", p.text[placed.From]) < 0) {
		return errSpan // the mapping of one pair that [a: b] has
	}
	end := placed.From
	if placed.brackets {
		end++
	}
	for i := 0; i+step <= len(n.Content); i += step {
		c, err := p.child(placed, n, i, end)
		if err != nil {
			return err
		}
		placed.Children = append(placed.Children, c)
		end = c.end()
	}
	placed.To = end
	if !placed.brackets {
		return nil
	}
	close := p.skip(end, ",")
	if close >= len(p.text) || strings.IndexByte("]}", p.text[close]) < 0 {
		return errSpan
	}
	placed.To = close + 1
	return nil
}

// child places the i-th part of a collection, behind the one before it.
func (p *places) child(of *Node, n *yaml.Node, i, behind int) (c Child, err error) {
	column := p.column(of.From)
	if of.Kind == List {
		c.From = p.skip(behind, ",")
		if !of.brackets {
			if c.From >= len(p.text) || p.text[c.From] != '-' {
				return c, errSpan
			}
			c.colon = c.From + 1
		}
		c.Value, err = p.node(n.Content[i], column)
	} else {
		var key *Node
		if key, err = p.node(n.Content[i], column); err != nil {
			return c, err
		}
		if key.Kind != Scalar && key.Kind != Nothing || key.style == literal || key.style == folded {
			return c, errSpan
		}
		c.Key, c.From, c.keyFrom, c.keyTo = n.Content[i].Value, key.From, key.From, key.To
		if p.skip(behind, ",") != c.From { // "? key"
			return c, errSpan
		}
		if at := p.skip(key.To, ""); at < len(p.text) && p.text[at] == ':' {
			c.colon = at + 1
		} else if !of.brackets {
			return c, errSpan
		}
		c.Value, err = p.node(n.Content[i+1], column)
	}
	if err != nil {
		return c, err
	}
	if c.Value.Kind == Nothing && c.Value.To == c.Value.From { // nothing is written, and it is placed by chance
		at := max(c.colon, c.keyTo, c.From)
		c.Value.From, c.Value.To = at, at
	}
	if of.Kind == List && of.brackets {
		c.From = c.Value.From
	}
	return c, nil
}

// skip skips blanks, breaks, comments and some letters.
func (p *places) skip(i int, also string) int {
	for i < len(p.text) {
		r, size := utf8.DecodeRuneInString(p.text[i:])
		switch {
		case isBlank(r) || strings.ContainsRune(also, r):
			i += size
		case r == '#':
			_, i = p.line(i)
		default:
			return i
		}
	}
	return i
}

// column is how many bytes stand before a place in its line.
func (p *places) column(at int) int {
	return at - lineStart(p.text, at)
}

// lineStart is where the line of a place starts.
func lineStart(text string, at int) int {
	start := strings.LastIndexAny(text[:at], "\n\r") + 1
	if start == 0 && strings.HasPrefix(text, "\ufeff") {
		start = min(len("\ufeff"), at)
	}
	return start
}

// lineEnd is where the line of a place ends, before its break.
func lineEnd(text string, at int) int {
	if i := strings.IndexAny(text[at:], "\n\r"); i >= 0 {
		return at + i
	}
	return len(text)
}
