package edit

import (
	"strings"
)

// layout is how lines of the text are written.
func (d *Document) layout() layout {
	if i := strings.IndexByte(d.Text, '\n'); i > 0 && d.Text[i-1] == '\r' {
		return layout{"\r\n", d.inLine}
	}
	return layout{"\n", d.inLine}
}

// nl is the line break that the text has.
func (d *Document) nl() string { return d.layout().nl }

// column is how many bytes stand before a place in its line.
func (d *Document) column(at int) int { return at - lineStart(d.Text, at) }

// leads reports whether nothing but blanks stands before a place in its line.
func (d *Document) leads(at int) bool {
	return strings.TrimLeft(d.Text[lineStart(d.Text, at):at], " ") == ""
}

// put is the change that puts a text in the place of another.
func (d *Document) put(from, to int, with string) Change {
	return Change{At: from, Old: d.Text[from:to], With: with}
}

// changes is how an edit changes the text.
func (d *Document) changes(e Edit) ([]Change, error) {
	parts, err := Split(e.Path)
	if err != nil {
		return nil, err
	}
	parent, last := parts[:len(parts)-1], parts[len(parts)-1]
	of := d.Root.find(parent)
	switch e.Op {
	case Set:
		return d.set(of, of.Children[of.index(last)], e.Value), nil
	case Add:
		return d.add(parent, e, last, e.Value)
	case Remove:
		return d.remove(parent, of.index(last)), nil
	case Rename:
		c := of.Children[of.index(last)]
		was := plain
		switch d.Text[c.keyFrom] {
		case '"':
			was = double
		case '\'':
			was = single
		}
		return []Change{d.put(c.keyFrom, c.keyTo, TextOf(e.Name).written(was, asKey))}, nil
	}
	return d.move(e)
}

// set puts a value in the place of a child's.
func (d *Document) set(of *Node, c Child, value *Node) []Change {
	old := c.Value
	if of.brackets {
		text := value.flow()
		if value.Kind == Scalar || value.Kind == Nothing {
			text = value.written(old.style, inFlow)
		}
		if old.From < old.To {
			return []Change{d.put(old.From, old.To, text)}
		}
		if c.colon == 0 {
			text = ":" + " " + text
		} else {
			text = " " + text
		}
		return []Change{d.put(c.end(), c.end(), text)}
	}
	indent := d.column(c.From)
	behind := d.behind(of, c, value, indent)
	if from := c.colon; old.From == old.To || lineEnd(d.Text, from) >= old.From { // on the line of its key
		return []Change{d.put(from, max(old.To, from), behind)}
	}
	// Below its key: comments between the two stay.
	if strings.HasPrefix(behind, d.nl()) {
		start := lineStart(d.Text, old.From)
		return []Change{d.put(start, old.To, strings.TrimPrefix(behind, d.nl()))}
	}
	below := lineStart(d.Text, old.From)
	return []Change{
		d.put(below-len(d.breakBefore(below)), old.To, ""),
		{At: c.colon, With: behind},
	}
}

// breakBefore is the line break in front of a line.
func (d *Document) breakBefore(start int) string {
	if strings.HasSuffix(d.Text[:start], "\r\n") {
		return "\r\n"
	}
	if start == 0 {
		return ""
	}
	return d.Text[start-1 : start]
}

// behind is a value in the place of a child's of a block of lines, in the style of the old one.
func (d *Document) behind(of *Node, c Child, value *Node, indent int) string {
	switch was := c.Value.style; {
	case value.Kind != Scalar:
	case was == literal || was == folded:
		sign := "|"
		if was == folded {
			sign = ">"
		}
		inner := indent + 2
		if line, _ := (&places{text: d.Text}).line(min(lineEnd(d.Text, c.Value.From)+len(d.nl()), len(d.Text))); strings.TrimLeft(line, " ") != "" {
			inner = max(indent+1, len(line)-len(strings.TrimLeft(line, " ")))
		}
		if block, ok := value.asBlock(sign, inner, d.layout()); ok {
			return " " + block
		}
	case !strings.Contains(value.Text, "\n"):
		return " " + value.written(was, inBlock)
	}
	return value.behind(indent, of.Kind == List, d.layout())
}

// entryOf is the child that holds the node at a path, and what that is a child of. The path is
// not that of the whole.
func (d *Document) entryOf(path []string) (of *Node, c Child) {
	of = d.Root.find(path[:len(path)-1])
	return of, of.Children[of.index(path[len(path)-1])]
}

// add adds a value to the node at a path.
func (d *Document) add(parent []string, e Edit, last string, value *Node) ([]Change, error) {
	of := d.Root.find(parent)
	c := Child{Key: last, Value: value}
	place, err := of.placeFor(e, last)
	if err != nil {
		return nil, err
	}
	if len(of.Children) == 0 {
		if len(parent) == 0 {
			return nil, errSpan
		}
		above, entry := d.entryOf(parent)
		return d.set(above, entry, &Node{Kind: kindOr(of.Kind, last), Children: []Child{c}}), nil
	}
	if of.brackets {
		text := c.Value.flow()
		if of.Kind == Mapping {
			text = TextOf(c.Key).written(plain, asKey) + ": " + text
		}
		if place == 0 {
			at := of.Children[0].From
			return []Change{d.put(at, at, text+", ")}, nil
		}
		at := of.Children[place-1].end()
		return []Change{d.put(at, at, ", "+text)}, nil
	}
	return d.insert(of, place, c.line(of.Kind, d.column(of.From), d.layout())), nil
}

// kindOr is a kind, or of nothing the one that a first child makes of it.
func kindOr(k Kind, last string) Kind {
	switch {
	case k != Nothing:
		return k
	case last == "-" || last == "0":
		return List
	}
	return Mapping
}

// insert puts the lines of a child in a block.
func (d *Document) insert(of *Node, place int, lines string) []Change {
	column := d.column(of.From)
	indent := strings.Repeat(" ", column)
	if place > 0 {
		at := lineEnd(d.Text, of.Children[place-1].end())
		return []Change{d.put(at, at, d.nl()+indent+lines)}
	}
	at := d.aboveComments(of.Children[0].From)
	if at == of.Children[0].From {
		return []Change{d.put(at, at, lines+d.nl()+indent)}
	}
	return []Change{d.put(at, at, indent+lines+d.nl())}
}

// aboveComments is where the comments directly above a line start, that are indented as it
// is; the place itself where there are none.
func (d *Document) aboveComments(at int) int {
	if !d.leads(at) {
		return at
	}
	first, column := at, d.column(at)
	for start := lineStart(d.Text, at); start > 0; {
		above := lineStart(d.Text, start-len(d.breakBefore(start)))
		line := d.Text[above:start]
		depth := len(line) - len(strings.TrimLeft(line, " "))
		if depth != column || !strings.HasPrefix(line[depth:], "#") {
			break
		}
		first, start = above, above
	}
	return first
}

// remove takes a child of the node at a path away.
func (d *Document) remove(parent []string, i int) []Change {
	of := d.Root.find(parent)
	c := of.Children[i]
	if len(of.Children) == 1 {
		if len(parent) == 0 {
			return []Change{d.put(of.From, of.To, "{}")}
		}
		if of.brackets {
			return []Change{d.put(of.From, of.To, (&Node{Kind: of.Kind}).flow())}
		}
		above, entry := d.entryOf(parent)
		return d.set(above, entry, &Node{Kind: of.Kind})
	}
	if of.brackets {
		return d.removeInBrackets(of, i)
	}
	end := lineEnd(d.Text, c.end())
	if d.leads(c.From) {
		start := lineStart(d.Text, c.From)
		if end < len(d.Text) {
			_, next := (&places{text: d.Text}).line(end)
			return []Change{d.put(start, next, "")}
		}
		return []Change{d.put(start-len(d.breakBefore(start)), end, "")}
	}
	// Behind a dash or a key: what is below comes up to its place.
	_, next := (&places{text: d.Text}).line(end)
	next += len(d.Text[next:]) - len(strings.TrimLeft(d.Text[next:], " "))
	return []Change{d.put(c.From, next, "")}
}

// removeInBrackets takes a child away with one of the commas beside it.
func (d *Document) removeInBrackets(of *Node, i int) []Change {
	c := of.Children[i]
	from, to := c.From, c.end()
	if i > 0 {
		before := of.Children[i-1].end()
		comma := before + strings.IndexByte(d.Text[before:], ',')
		if between := d.Text[before:from]; !strings.Contains(between, "#") {
			return []Change{d.put(before, to, "")}
		}
		return []Change{d.put(from, to, ""), {At: comma, Old: ","}}
	}
	next := of.Children[1].From
	if between := d.Text[to:next]; !strings.Contains(between, "#") {
		return []Change{d.put(from, next, "")}
	}
	comma := to + strings.IndexByte(d.Text[to:], ',')
	return []Change{{At: comma, Old: ","}, d.put(from, to, "")}
}

// taken is the text of a child of a block, with the comment behind it.
func (d *Document) taken(c Child) string {
	return strings.TrimRight(d.Text[c.From:lineEnd(d.Text, c.end())], " ")
}

// hasComment reports whether a text of lines may have comments.
func hasComment(text string) bool { return strings.Contains(text, "#") }

// move takes a child away and adds it elsewhere, as it is written.
func (d *Document) move(e Edit) ([]Change, error) {
	return d.moved(e, func(rest *Document, of *Node, c Child, parent []string, last string) ([]Change, error) {
		inBrackets := func() ([]Change, error) {
			if !of.brackets && hasComment(d.taken(c)) {
				return nil, refuse(e, "the comment beside it would be lost in brackets; move it in the file")
			}
			return rest.add(parent, e, last, c.Value)
		}
		to := rest.Root.find(parent)
		if to == nil || to.brackets && len(to.Children) > 0 || of.brackets {
			return inBrackets()
		}
		place, err := to.placeFor(e, last)
		if err != nil {
			return nil, err
		}
		if len(to.Children) == 0 {
			if len(parent) == 0 {
				return nil, errSpan
			}
			above, entry := rest.entryOf(parent)
			if above.brackets {
				return inBrackets()
			}
			column := rest.column(entry.From) + 2
			lines := d.relined(of, c, kindOr(to.Kind, last), last, column)
			return []Change{rest.put(entry.colon, max(entry.Value.To, entry.colon), rest.nl()+strings.Repeat(" ", column)+lines)}, nil
		}
		return rest.insert(to, place, d.relined(of, c, to.Kind, last, rest.column(to.From))), nil
	})
}

// movedAnew is move for what cannot stay as it is written.
func (d *Document) movedAnew(e Edit) ([]Change, error) {
	return d.moved(e, func(rest *Document, of *Node, c Child, parent []string, last string) ([]Change, error) {
		if !of.brackets && hasComment(d.taken(c)) {
			return nil, refuse(e, "this cannot be moved with the comments in it; move it in the file")
		}
		return rest.add(parent, e, last, c.Value)
	})
}

// moved takes a child away and has it added to the rest.
func (d *Document) moved(e Edit, add func(rest *Document, of *Node, c Child, parent []string, last string) ([]Change, error)) ([]Change, error) {
	from, err := Split(e.From)
	if err != nil {
		return nil, err
	}
	of := d.Root.find(from[:len(from)-1])
	i := of.index(from[len(from)-1])
	first := d.remove(from[:len(from)-1], i)
	rest, err := Parse(Splice(d.Text, first))
	if err != nil {
		return nil, err
	}
	to, err := Split(e.Path)
	if err != nil {
		return nil, err
	}
	then, err := add(rest, of, of.Children[i], to[:len(to)-1], to[len(to)-1])
	return append(first, then...), err
}

// relined is a child of a block as it is written, at another column and as a child of another
// kind of node.
func (d *Document) relined(of *Node, c Child, as Kind, key string, column int) string {
	text := d.taken(c)
	head := ""
	switch {
	case of.Kind == Mapping && as == Mapping && c.Key == key, of.Kind == List && as == List:
	case of.Kind == List:
		text, head = strings.TrimPrefix(text, "-"), TextOf(key).written(plain, asKey)+":"
	case as == List:
		text, head = d.Text[c.colon:c.From+len(text)], "-"
	default:
		text, head = d.Text[c.colon:c.From+len(text)], TextOf(key).written(plain, asKey)+":"
	}
	shift := column - d.column(c.From)
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		switch {
		case i == 0 || strings.TrimSpace(line) == "":
		case shift > 0:
			lines[i] = strings.Repeat(" ", shift) + line
		default:
			lines[i] = line[min(-shift, len(line)-len(strings.TrimLeft(line, " "))):]
		}
	}
	return head + strings.Join(lines, "\n")
}
