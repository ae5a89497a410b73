package edit_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/edit"
)

const late = `pikegate: 1
query: late-sailings
of: sailings      # by harbour time
show: [departed_at, route, vessel]

# Which of them.
where:
  all:
    - departed_at: {within: {prompt: travel-period}}
    # The loop is late by design.
    - route: {none_of: [Outer Loop, 'Skerry, Run']}   # both
    - any:
        - cancelled_at: missing
        - passengers:
            more_than: 0
sort: [departed_at descending, route]
`

const group = `    - any:
        - cancelled_at: missing
        - passengers:
            more_than: 0
`

func value(t require.TestingT, json string) *edit.Node {
	v, err := edit.Value([]byte(json))
	require.NoError(t, err)
	return v
}

func TestApply(t *testing.T) {
	for name, c := range map[string]struct {
		edit     edit.Edit
		old, new string // what stands in the text before and after
		gone     []string
	}{
		"a value":              {edit.Edit{Op: edit.Set, Path: "/of", Value: value(t, `"trips"`)}, "of: sailings      # by", "of: trips      # by", nil},
		"a value in quotes":    {edit.Edit{Op: edit.Set, Path: "/where/all/1/route/none_of/1", Value: value(t, `"x"`)}, `'Skerry, Run'`, `'x'`, nil},
		"what needs quotes":    {edit.Edit{Op: edit.Set, Path: "/where/all/1/route/none_of/0", Value: value(t, `"a, b"`)}, `[Outer Loop,`, `['a, b',`, nil},
		"a text like a number": {edit.Edit{Op: edit.Set, Path: "/of", Value: value(t, `"007"`)}, "of: sailings ", "of: '007' ", nil},
		"a number":             {edit.Edit{Op: edit.Set, Path: "/where/all/2/any/1/passengers/more_than", Value: value(t, `12.50`)}, "more_than: 0", "more_than: 12.50", nil},
		"a day":                {edit.Edit{Op: edit.Set, Path: "/where/all/2/any/1/passengers/more_than", Value: value(t, `"2024-01-01"`)}, "more_than: 0", "more_than: 2024-01-01", nil},
		"a list of several lines": {edit.Edit{Op: edit.Set, Path: "/show", Value: value(t, `"x\ny\n"`)}, "show: [departed_at, route, vessel]",
			"show: |\n  x\n  y", nil},
		"brackets for lines":     {edit.Edit{Op: edit.Set, Path: "/where", Value: value(t, `{"filter": "carried"}`)}, late[strings.Index(late, "where:")+6 : strings.Index(late, "\nsort")], " {filter: carried}", nil},
		"lines for a word":       {edit.Edit{Op: edit.Set, Path: "/where/all/2/any/0/cancelled_at", Value: value(t, `{"is": [{"a": 1}, {"b": 2}]}`)}, "cancelled_at: missing", "cancelled_at:\n            is:\n              - a: 1\n              - b: 2", nil},
		"an item at the end":     {edit.Edit{Op: edit.Add, Path: "/show/-", Value: value(t, `"fare"`)}, "vessel]", "vessel, fare]", nil},
		"an item in front":       {edit.Edit{Op: edit.Add, Path: "/show/0", Value: value(t, `"fare"`)}, "[departed_at, route", "[fare, departed_at, route", nil},
		"a condition":            {edit.Edit{Op: edit.Add, Path: "/where/all/1", Value: value(t, `{"vessel": "present"}`)}, "travel-period}}\n", "travel-period}}\n    - vessel: present\n", nil},
		"a condition at the end": {edit.Edit{Op: edit.Add, Path: "/where/all/-", Value: value(t, `{"vessel": {"is": {"prompt": "vessel"}}}`)}, "more_than: 0\n", "more_than: 0\n    - vessel: {is: {prompt: vessel}}\n", nil},
		"a key":                  {edit.Edit{Op: edit.Add, Path: "/about", Value: value(t, `"Late"`), Before: "show"}, "harbour time\n", "harbour time\nabout: Late\n", nil},
		"a key at the end":       {edit.Edit{Op: edit.Add, Path: "/about", Value: value(t, `"Late: very"`)}, "descending, route]\n", "descending, route]\nabout: 'Late: very'\n", nil},
		"take a key":             {edit.Edit{Op: edit.Remove, Path: "/of"}, "of: sailings      # by harbour time\n", "", nil},
		"take a condition":       {edit.Edit{Op: edit.Remove, Path: "/where/all/1"}, "    - route: {none_of: [Outer Loop, 'Skerry, Run']}   # both\n", "", nil},
		"take the first item":    {edit.Edit{Op: edit.Remove, Path: "/show/0"}, "[departed_at, route", "[route", nil},
		"take the last item":     {edit.Edit{Op: edit.Remove, Path: "/show/2"}, ", vessel]", "]", nil},
		"take behind a dash":     {edit.Edit{Op: edit.Remove, Path: "/where/all/2/any/0/cancelled_at"}, "- cancelled_at: missing", "- {}", nil},
		"move up":                {edit.Edit{Op: edit.Move, From: "/where/all/2", Path: "/where/all/0"}, "  all:\n", "  all:\n" + group, []string{"\n" + group[:len(group)-1]}},
		"into a group": {edit.Edit{Op: edit.Move, From: "/where/all/1", Path: "/where/all/1/any/0"}, "    - any:\n",
			"    - any:\n        - route: {none_of: [Outer Loop, 'Skerry, Run']}   # both\n", []string{"\n    - route: {none_of: [Outer Loop, 'Skerry, Run']}   # both"}},
		"out of a group": {edit.Edit{Op: edit.Move, From: "/where/all/2/any/1", Path: "/where/all/0"}, "  all:\n", "  all:\n    - passengers:\n        more_than: 0\n",
			[]string{"        - passengers:\n            more_than: 0\n"}},
		"another name": {edit.Edit{Op: edit.Rename, Path: "/where/all", Name: "any"}, "  all:", "  any:", nil},
	} {
		t.Run(name, func(t *testing.T) {
			require.Contains(t, late, c.old)
			before, err := edit.Parse(late)
			require.NoError(t, err)
			after, made, err := before.Apply(c.edit)
			require.NoError(t, err)
			want := strings.Replace(late, c.old, c.new, 1)
			for _, line := range c.gone {
				i := strings.LastIndex(want, line)
				want = want[:i] + want[i+len(line):]
			}
			assert.Equal(t, want, after.Text)
			assert.Equal(t, late, edit.Splice(after.Text, edit.Inverse(made)))
		})
	}
}

// TestDemo edits every part of the demo's definitions, and takes each edit back.
func TestDemo(t *testing.T) {
	files, err := filepath.Glob("../../../demo/definitions/*.yaml")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		whole, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, text := range strings.Split(string(whole), "---\n") {
			d, err := edit.Parse(text)
			require.NoError(t, err, text)
			for _, path := range paths(d.Root, nil) {
				at := edit.Path(path...)
				same, made, err := d.Apply(edit.Edit{Op: edit.Set, Path: at, Value: d.Root.Find(at)})
				require.NoError(t, err)
				assert.Empty(t, made)
				assert.Equal(t, text, same.Text)
				for _, e := range []edit.Edit{{Op: edit.Set, Path: at, Value: edit.TextOf("it's: new")}, {Op: edit.Remove, Path: at}} {
					after, made, err := d.Apply(e)
					require.NoError(t, err, "%s of %s in\n%s", e.Op, at, text)
					assert.NotEqual(t, text, after.Text)
					assert.Equal(t, text, edit.Splice(after.Text, edit.Inverse(made)))
				}
			}
		}
	}
}

func TestWhatIsNotEdited(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		edit edit.Edit
		says string
	}{
		"nothing there":   {late, edit.Edit{Op: edit.Remove, Path: "/none"}, "there is nothing at /none"},
		"a key twice":     {late, edit.Edit{Op: edit.Add, Path: "/of", Value: edit.TextOf("x")}, `there is a key "of" already`},
		"no such place":   {late, edit.Edit{Op: edit.Add, Path: "/show/9", Value: edit.TextOf("x")}, `the list has 3 items, and no place "9"`},
		"below a text":    {late, edit.Edit{Op: edit.Add, Path: "/of/x", Value: edit.TextOf("x")}, "nothing can be added to a text"},
		"no pointer":      {late, edit.Edit{Op: edit.Remove, Path: "of"}, `a path starts with /, as in /where/all/0; this is "of"`},
		"the whole":       {late, edit.Edit{Op: edit.Remove, Path: ""}, "the whole is not changed by an edit"},
		"into itself":     {late, edit.Edit{Op: edit.Move, From: "/where", Path: "/where/all/0"}, "there is nothing at /where/all/0"},
		"another op":      {late, edit.Edit{Op: "turn", Path: "/of"}, `no edit is called "turn"`},
		"without a value": {late, edit.Edit{Op: edit.Add, Path: "/x"}, "an edit that adds has a value"},
		"a name taken":    {late, edit.Edit{Op: edit.Rename, Path: "/of", Name: "show"}, `there is a key "show" already`},
		"a comment": {"a: {b: 1}\nc:\n  - x: 1 # why\n  - y\n", edit.Edit{Op: edit.Move, From: "/c/0", Path: "/a/c"},
			"this cannot be moved with the comments in it; move it in the file"},
	} {
		t.Run(name, func(t *testing.T) {
			d, err := edit.Parse(c.text)
			require.NoError(t, err)
			_, _, err = d.Apply(c.edit)
			assert.EqualError(t, err, c.says)
		})
	}
}

func TestWhatIsNotParsed(t *testing.T) {
	for name, text := range map[string]string{
		"nothing": "# only a comment\n", "two documents": "a: 1\n---\nb: 2\n", "an alias": "a: &x 1\nb: *x\n", "a tag": "a: !!str 1\n",
		"a complex key": "? a\n: 1\n", "one pair in brackets": "a: [b: c]\n", "no YAML": "a: [b\n",
	} {
		t.Run(name, func(t *testing.T) {
			_, err := edit.Parse(text)
			assert.Error(t, err)
		})
	}
}

func TestBetween(t *testing.T) {
	for _, c := range [][2]string{{"", ""}, {"a", ""}, {"", "a"}, {"aaa", "aa"}, {"one two", "one three two"}, {"x\r\ny", "x\ny"}} {
		made := edit.Between(c[0], c[1])
		assert.Equal(t, c[1], edit.Splice(c[0], made))
		assert.Equal(t, c[0], edit.Splice(c[1], edit.Inverse(made)))
	}
}

// FuzzApply edits whatever text there is: an edit is refused, or made and taken back to the byte.
func FuzzApply(f *testing.F) {
	f.Add(late, "/where/all/0", "x")
	f.Add("a: [b, {c: d}]\r\ne: |\n  f\n", "/a/1/c", "it's\nnew")
	f.Add("\ufeffa: 'b'\n- c", "/a", "")
	f.Fuzz(func(t *testing.T, text, path, word string) {
		d, err := edit.Parse(text)
		if err != nil {
			t.Skip()
		}
		for _, op := range edit.Ops {
			after, made, err := d.Apply(edit.Edit{Op: op, Path: path, From: "/a", Name: word, Value: edit.ListOf(edit.TextOf(word))})
			if err == nil {
				assert.Equal(t, text, edit.Splice(after.Text, edit.Inverse(made)))
			}
		}
	})
}
