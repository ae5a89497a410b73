package edit

import (
	"fmt"
	"strconv"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// room is how long a line of a mapping or list in brackets may be; longer ones are written
// as lines below each other.
const room = 90

// slot is where a scalar stands.
type slot int

const (
	inBlock slot = iota
	inFlow
	asKey
)

// slots are documents with a text in each kind of slot, and where it is found there.
var slots = map[slot]struct {
	document string
	found    func(top []*yaml.Node) []*yaml.Node
}{
	inBlock: {"k: %[1]s\nl:\n- %[1]s\n", func(top []*yaml.Node) []*yaml.Node { return append(top[3].Content, top[1]) }},
	inFlow:  {"k: {k: %[1]s}\nl: [%[1]s]\n", func(top []*yaml.Node) []*yaml.Node { return append(top[1].Content, top[3].Content...)[1:] }},
	asKey:   {"%[1]s: v\nl: {%[1]s: v}\n", func(top []*yaml.Node) []*yaml.Node { return []*yaml.Node{top[0], top[3].Content[0]} }},
}

// written is a scalar as it is written in one line, in the style of the one that stood in its
// place where that can hold it.
func (n *Node) written(was style, in slot) string {
	switch {
	case n.Kind == Nothing:
		return "null"
	case n.Bare && n.readsAs(n.Text, in):
		return n.Text
	case was == double:
		return strconv.Quote(n.Text) // whose escapes are YAML's
	case was != single && n.readsAs(n.Text, in):
		return n.Text
	case !strings.ContainsAny(n.Text, "\n\r"):
		if quoted := "'" + strings.ReplaceAll(n.Text, "'", "''") + "'"; n.readsAs(quoted, in) {
			return quoted
		}
	}
	return strconv.Quote(n.Text)
}

// readsAs reports whether a text in a slot stands for a scalar. What readers of YAML take for
// a number or a truth does not stand for a text.
func (n *Node) readsAs(text string, in slot) bool {
	if text == "" {
		return false
	}
	var root yaml.Node
	if yaml.Unmarshal([]byte(fmt.Sprintf(slots[in].document, text)), &root) != nil || len(root.Content) != 1 {
		return false
	}
	top := root.Content[0].Content
	if len(top) != 4 || top[1].Kind == yaml.MappingNode && len(top[1].Content) != 2 || top[3].Kind != yaml.ScalarNode && len(top[3].Content) == 0 {
		return false
	}
	for _, read := range slots[in].found(top) {
		switch read.Tag {
		case "!!str", "!!timestamp":
		case "!!int", "!!float", "!!bool":
			if !n.Bare {
				return false
			}
		default:
			return false
		}
		if read.Kind != yaml.ScalarNode || read.Value != n.Text || read.Anchor != "" || read.Style&yaml.TaggedStyle != 0 || read.LineComment+read.HeadComment+read.FootComment != "" {
			return false
		}
	}
	return true
}

// flow is a node written in one line, with brackets where it has parts.
func (n *Node) flow() string {
	parts := make([]string, len(n.Children))
	for i, c := range n.Children {
		parts[i] = c.Value.flow()
		if n.Kind == Mapping {
			parts[i] = TextOf(c.Key).written(plain, asKey) + ": " + parts[i]
		}
	}
	switch n.Kind {
	case Mapping:
		return "{" + strings.Join(parts, ", ") + "}"
	case List:
		return "[" + strings.Join(parts, ", ") + "]"
	}
	return n.written(plain, inFlow)
}

// small reports whether a node reads well in one line: a scalar, or brackets without a list
// of mappings.
func (n *Node) small(left int) bool {
	switch n.Kind {
	case Mapping, List:
		return len(n.Children) == 0 || !n.hasLong() && utf8.RuneCountInString(n.flow()) <= left
	}
	return true
}

// hasLong reports whether a node has a text of several lines or a list of mappings.
func (n *Node) hasLong() bool {
	if n.Kind == Scalar && strings.Contains(n.Text, "\n") {
		return true
	}
	for _, c := range n.Children {
		if n.Kind == List && c.Value.Kind == Mapping || c.Value.hasLong() {
			return true
		}
	}
	return false
}

// behind is what stands behind a colon or a dash, with the blank or break before it; indent is
// the column of the key or the dash. Further lines are indented deeper.
func (n *Node) behind(indent int, item bool, l layout) string {
	if n.Kind == Scalar && strings.Contains(n.Text, "\n") {
		if block, ok := n.asBlock("|", indent+2, l); ok {
			return " " + block
		}
	}
	if item && n.Kind == Mapping && len(n.Children) == 1 { // a condition
		return " " + n.lines(indent+2, l)
	}
	if n.small(room - indent) {
		if n.Kind == Mapping || n.Kind == List {
			return " " + n.flow()
		}
		return " " + n.written(plain, inBlock)
	}
	if item {
		return " " + n.lines(indent+2, l)
	}
	return l.nl + strings.Repeat(" ", indent+2) + n.lines(indent+2, l)
}

// lines is a mapping or list as lines below each other, of which the first is not indented.
func (n *Node) lines(indent int, l layout) string {
	all := make([]string, len(n.Children))
	for i, c := range n.Children {
		all[i] = c.line(n.Kind, indent, l)
	}
	return strings.Join(all, l.nl+strings.Repeat(" ", indent))
}

// line is a child in a block of lines.
func (c Child) line(of Kind, indent int, l layout) string {
	if of == List {
		return "-" + c.Value.behind(indent, true, l)
	}
	return TextOf(c.Key).written(plain, asKey) + ":" + c.Value.behind(indent, false, l)
}

// layout is how lines are written.
type layout struct {
	nl     string // the line break
	inLine bool   // texts of several lines stand in one, in quotes
}

// asBlock is a text as a block of lines below a sign, | or >; false where it cannot be one.
func (n *Node) asBlock(sign string, indent int, l layout) (string, bool) {
	text := strings.TrimRight(n.Text, "\n")
	if l.inLine || text == "" || strings.HasPrefix(text, " ") || strings.HasPrefix(text, "\n") {
		return "", false
	}
	header := sign
	switch len(n.Text) - len(text) {
	case 0:
		header += "-"
	case 1:
	default:
		return "", false
	}
	lines := strings.Split(text, "\n")
	if sign == ">" {
		if len(lines) > 1 {
			return "", false
		}
		lines = wrapped(text, room-indent)
	}
	var out strings.Builder
	out.WriteString(header)
	for _, line := range lines {
		out.WriteString(l.nl)
		if line != "" {
			out.WriteString(strings.Repeat(" ", indent) + line)
		}
	}
	var read struct{ K string }
	if yaml.Unmarshal([]byte("k: "+out.String()+"\n"), &read) != nil || read.K != n.Text && read.K != n.Text+"\n" {
		return "", false
	}
	return out.String(), true
}

// wrapped is a text in lines about so long, broken at single blanks.
func wrapped(text string, width int) (lines []string) {
	line := ""
	words := strings.Split(text, " ")
	for i, word := range words {
		lone := word != "" && i > 0 && words[i-1] != "" // so that folding brings the one blank back
		if lone && line != "" && len(line)+1+len(word) > max(width, 40) {
			lines, line = append(lines, line), word
			continue
		}
		if i > 0 {
			line += " "
		}
		line += word
	}
	return append(lines, line)
}
