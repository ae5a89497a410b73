package edit_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"
	"pgregory.net/rapid"

	"pikegate/internal/core/edit"
)

// scribe writes documents by chance, in all ways in which people write them.
type scribe struct {
	*rapid.T
	comments int
}

func (s *scribe) of(label string, n int) int { return rapid.IntRange(0, n-1).Draw(s.T, label) }

var words = []string{"route", "Outer Loop", "a: b", "it's", "- x", "# no", "", "007", "12.5", "true", "null", "~", "2024-01-01", "last month",
	"[x]", "{y", "say \"so\"", "ö ß 漢", "tail ", " head", "two\nlines", "two\n\nlines\n", "a #b", "a, b", "@x", "%y", "*z", "&w", "!v", "|", ">", "?", "-", ":", "x:y", "\ttab", "\u202eback"}

func (s *scribe) word() string { return words[s.of("word", len(words))] }

func (s *scribe) scalar(inBrackets bool) string {
	w := s.word()
	quoted := func() string {
		if s.of("double", 2) == 0 || strings.ContainsAny(w, "\n\t\u202e") {
			return strconv.Quote(w)
		}
		return "'" + strings.ReplaceAll(w, "'", "''") + "'"
	}
	var read map[string]any
	in := "k: " + w
	if inBrackets {
		in = "k: [" + w + "]"
	}
	err := yaml.Unmarshal([]byte(in), &read)
	is := read["k"]
	if list, ok := is.([]any); ok && inBrackets && len(list) == 1 {
		is = list[0]
	}
	if err == nil && is == w && s.of("quote", 4) > 0 {
		return w
	}
	return quoted()
}

func (s *scribe) key(i int) string {
	return []string{"all", "any one", "where", "show", `"quoted: key"`, "of"}[i]
}

// brackets writes something in brackets, or a scalar.
func (s *scribe) brackets(depth int, inside bool) string {
	switch s.of("kind", 4) {
	case 0:
		var parts []string
		for i := range s.of("entries", 4) {
			if depth <= 0 {
				break
			}
			parts = append(parts, s.key(i)+": "+s.brackets(depth-1, true))
		}
		return "{" + strings.Join(parts, ", ") + "}"
	case 1:
		var parts []string
		for range s.of("items", 4) {
			if depth <= 0 {
				break
			}
			parts = append(parts, s.brackets(depth-1, true))
		}
		return "[" + strings.Join(parts, []string{", ", ","}[s.of("comma", 2)]) + "]"
	}
	return s.scalar(inside)
}

// tail is what stands behind a value on its line.
func (s *scribe) tail() string {
	if s.of("tail", 4) > 0 {
		return "\n"
	}
	s.comments++
	return fmt.Sprintf("  # c%d\n", s.comments)
}

// above is what stands above a line.
func (s *scribe) above(indent string) string {
	switch s.of("above", 8) {
	case 0:
		s.comments++
		return fmt.Sprintf("%s# c%d\n", indent, s.comments)
	case 1:
		return "\n"
	}
	return ""
}

// lines writes a mapping or list as lines; the first is not indented.
func (s *scribe) lines(depth, indent int) string {
	pad := strings.Repeat(" ", indent)
	isList := indent > 0 && s.of("list", 2) == 0
	var out strings.Builder
	for i := range 1 + s.of("lines", 4) {
		if i > 0 {
			out.WriteString(s.above(pad) + pad)
		}
		if isList {
			out.WriteString("-")
			if depth > 0 && s.of("deep", 2) == 0 {
				out.WriteString(" " + s.lines(depth-1, indent+2))
				continue
			}
		} else {
			out.WriteString(s.key(i) + ":")
			if depth > 0 && s.of("deep", 2) == 0 {
				step := 1 + s.of("step", 4)
				inner := strings.Repeat(" ", indent+step)
				out.WriteString(s.tail() + s.above(inner) + inner + s.lines(depth-1, indent+step))
				continue
			}
		}
		switch s.of("leaf", 8) {
		case 0:
			out.WriteString(s.tail()) // nothing
		case 1:
			inner := pad + strings.Repeat(" ", 2)
			out.WriteString(" " + []string{"|", ">", "|-", ">-"}[s.of("sign", 4)] + "\n" + inner + "SELECT a,\n" + inner + "  b -- # no comment\n\n" + inner + "FROM c\n")
		default:
			out.WriteString(" " + s.brackets(2, false) + s.tail())
		}
	}
	return out.String()
}

// paths are those of all parts of a tree.
func paths(n *edit.Node, at []string) (all [][]string) {
	for i, c := range n.Children {
		part := c.Key
		if n.Kind == edit.List {
			part = strconv.Itoa(i)
		}
		path := append(slices.Clone(at), part)
		all = append(append(all, path), paths(c.Value, path)...)
	}
	return all
}

// plain reads a text with the parser alone.
func plain(t require.TestingT, text string) any {
	var root yaml.Node
	require.NoError(t, yaml.Unmarshal([]byte(text), &root), text)
	var of func(n *yaml.Node) any
	of = func(n *yaml.Node) any {
		switch n.Kind {
		case yaml.MappingNode:
			m := map[string]any{}
			for i := 0; i < len(n.Content); i += 2 {
				m[n.Content[i].Value] = of(n.Content[i+1])
			}
			return m
		case yaml.SequenceNode:
			l := []any{}
			for _, item := range n.Content {
				l = append(l, of(item))
			}
			return l
		}
		if n.Tag == "!!null" {
			return nil
		}
		return n.Value
	}
	return of(root.Content[0])
}

// by makes an edit in a plain value, told without any of the package.
func by(root any, e edit.Edit, value any) any {
	parts := strings.Split(e.Path, "/")[1:]
	var within func(v any, parts []string) any
	within = func(v any, parts []string) any {
		last := len(parts) == 1
		if v == nil && last {
			if parts[0] == "-" {
				return []any{value}
			}
			v = map[string]any{}
		}
		if list, ok := v.([]any); ok {
			list = slices.Clone(list)
			i, err := strconv.Atoi(parts[0])
			if err != nil {
				i = len(list)
			}
			switch {
			case !last:
				list[i] = within(list[i], parts[1:])
			case e.Op == edit.Remove:
				list = slices.Delete(list, i, i+1)
			case e.Op == edit.Set:
				list[i] = value
			default:
				list = slices.Insert(list, i, value)
			}
			return list
		}
		m := v.(map[string]any)
		switch {
		case !last:
			m[parts[0]] = within(m[parts[0]], parts[1:])
		case e.Op == edit.Remove:
			delete(m, parts[0])
		case e.Op == edit.Rename:
			is := m[parts[0]]
			delete(m, parts[0])
			m[e.Name] = is
		default:
			m[parts[0]] = value
		}
		return m
	}
	return within(root, parts)
}

func at(root any, path string) any {
	for _, part := range strings.Split(path, "/")[1:] {
		if list, ok := root.([]any); ok {
			i, _ := strconv.Atoi(part)
			root = list[i]
		} else {
			root = root.(map[string]any)[part]
		}
	}
	return root
}

var comment = regexp.MustCompile(`# c\d+`)

// TestEditsByChance makes edits by chance in documents by chance. Each must do in the text what
// it does in plain values, keep every comment that is not within what it takes away, and all
// together must be taken back to the first byte.
func TestEditsByChance(t *testing.T) {
	refused, made := 0, 0
	rapid.Check(t, func(rt *rapid.T) {
		s := &scribe{T: rt}
		text := "pikegate: 1\n" + s.lines(3, 0)
		if s.of("crlf", 5) == 0 {
			text = strings.ReplaceAll(text, "\n", "\r\n")
		}
		d, err := edit.Parse(text)
		require.NoError(rt, err, text)
		var all []edit.Change
		for range 4 {
			there := paths(d.Root, nil)
			if len(there) == 0 {
				break
			}
			path := edit.Path(there[s.of("path", len(there))]...)
			e := edit.Edit{Op: edit.Ops[s.of("op", len(edit.Ops))], Path: path}
			var v any
			switch e.Op {
			case edit.Set, edit.Add:
				v = []any{s.word(), []any{s.word(), s.word()}, map[string]any{"is": s.word()}, map[string]any{"all": []any{map[string]any{"x": map[string]any{"is": s.word()}}, map[string]any{"y": "missing"}}}, []any{}}[s.of("value", 5)]
				text, err := json.Marshal(v)
				require.NoError(rt, err)
				e.Value, err = edit.Value(text)
				require.NoError(rt, err)
				if e.Op == edit.Add {
					switch n := d.Root.Find(path); n.Kind {
					case edit.List:
						e.Path += "/" + []string{"0", "-"}[s.of("end", 2)]
					case edit.Scalar:
						continue
					default:
						e.Path += "/new"
					}
				}
			case edit.Rename:
				e.Name = "new"
			case edit.Move:
				e.From = path
				rest, _, err := d.Apply(edit.Edit{Op: edit.Remove, Path: path})
				require.NoError(rt, err)
				there := paths(rest.Root, nil)
				if len(there) == 0 {
					continue
				}
				e.Path = edit.Path(there[s.of("to", len(there))]...)
				if to := rest.Root.Find(e.Path); to.Kind == edit.List {
					e.Path += "/-"
				} else if to.Kind == edit.Mapping {
					e.Path += "/new"
				} else {
					continue
				}
			}
			was := plain(rt, d.Text)
			next, changes, err := d.Apply(e)
			var refusal *edit.Error
			if errors.As(err, &refusal) {
				if strings.Contains(refusal.Reason, "file") {
					refused++
				}
				continue
			}
			require.NoError(rt, err)
			made++
			want := was
			if e.Op == edit.Move {
				v = at(want, e.From)
				want = by(want, edit.Edit{Op: edit.Remove, Path: e.From}, nil)
			}
			assert.Equal(rt, by(want, e, v), plain(rt, next.Text), "%s of %s in\n%s\ngave\n%s", e.Op, e.Path, d.Text, next.Text)
			kept := d.Text
			if e.Op == edit.Set || e.Op == edit.Remove {
				n := d.Root.Find(path)
				end := n.To + strings.IndexByte(d.Text[n.To:]+"\n", '\n')
				from := n.From
				if e.Op == edit.Remove {
					for _, c := range d.Root.Find(path[:strings.LastIndexByte(path, '/')]).Children {
						if c.Value == n {
							from = c.From
						}
					}
				}
				kept = d.Text[:from] + d.Text[end:]
			}
			for _, c := range comment.FindAllString(kept, -1) {
				assert.Contains(rt, next.Text, c, "%s of %s in\n%s\ngave\n%s", e.Op, e.Path, d.Text, next.Text)
			}
			all, d = append(all, changes...), next
		}
		assert.Equal(rt, text, edit.Splice(d.Text, edit.Inverse(all)))
	})
	assert.Less(t, refused*20, made, "of %d edits %d were refused", made+refused, refused)
}
