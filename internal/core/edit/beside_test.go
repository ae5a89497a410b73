package edit_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/edit"
)

func read(t require.TestingT, text string) *edit.Document {
	d, err := edit.Parse(text)
	require.NoError(t, err, text)
	return d
}

// take takes over what others changed, but for conflicts where those are left.
func take(t require.TestingT, was, is, mine *edit.Document, conflicts bool) *edit.Document {
	edits := edit.Taken(was.Root, is.Root, mine.Root, func(b edit.Besides) bool { return conflicts || !b.Conflict })
	next, _, err := mine.Apply(edits...)
	require.NoError(t, err, "%+v in\n%s", edits, mine.Text)
	return next
}

// Two developers change one definition: what each did stays, and only what both did otherwise is in conflict.
func TestBeside(t *testing.T) {
	replaced := func(pairs ...string) *edit.Document {
		for i := 0; i < len(pairs); i += 2 {
			require.Contains(t, late, pairs[i])
		}
		return read(t, strings.NewReplacer(pairs...).Replace(late))
	}
	const loop = "    # The loop is late by design.\n    - route: {none_of: [Outer Loop, 'Skerry, Run']}   # both\n"
	const first = "    - departed_at: {within: {prompt: travel-period}}\n"
	for name, c := range map[string]struct {
		is, mine *edit.Document
		want     []string
		comes    string // the text with all taken but conflicts
	}{
		"a condition each": {replaced(first, first+"    - vessel: present\n"), replaced("more_than: 0\n", "more_than: 0\n    - minutes_late: {at_least: 5}\n"),
			[]string{"+/where/all/1"}, replaced(first, first+"    - vessel: present\n", "more_than: 0\n", "more_than: 0\n    - minutes_late: {at_least: 5}\n").Text},
		"a column each, and one gone": {replaced("departed_at, route, vessel]", "departed_at, vessel, fare]"), replaced("[departed_at, route", "[reason, departed_at, route"),
			[]string{"+/show/2", "/show/1 gone"}, replaced("departed_at, route, vessel]", "reason, departed_at, vessel, fare]").Text},
		"within a condition that moved in mine": {replaced("travel-period", "travel-days"), replaced(first, "", loop, loop+first),
			[]string{"/where/all/0/departed_at/within/prompt"}, replaced(first, "", loop, loop+strings.Replace(first, "period", "days", 1)).Text},
		"a condition that was changed is gone": {replaced(loop, ""), replaced("Outer Loop", "Inner Loop"),
			[]string{"/where/all/1 gone, conflict"}, replaced("Outer Loop", "Inner Loop").Text},
		"a condition that is gone was changed": {replaced("Outer Loop", "Inner Loop"), replaced(loop, ""),
			[]string{"/where/all/1 conflict"}, replaced(loop, "").Text},
		"one that moved, beside a new one": {replaced(first, "", loop, loop+first), replaced(first, first+"    - vessel: present\n"),
			[]string{"/where/all/0 moved to /where/all/1"}, replaced(first, "    - vessel: present\n", loop, loop+first).Text},
		"the same new one": {replaced("vessel]", "vessel, fare]"), replaced("vessel]", "vessel, fare]"), []string{"+/show/3"}, replaced("vessel]", "vessel, fare]").Text},
		"a key of theirs, one of mine": {replaced("of: sailings ", "title: Late\nof: sailings "), replaced("sort: [", "first: 10\nsort: ["),
			[]string{"+/title"}, replaced("of: sailings ", "title: Late\nof: sailings ", "sort: [", "first: 10\nsort: [").Text},
		"both set it": {replaced("of: sailings", "of: trips"), replaced("of: sailings", "of: calls"), []string{"/of conflict"}, replaced("of: sailings", "of: calls").Text},
	} {
		t.Run(name, func(t *testing.T) {
			was := read(t, late)
			var told []string
			for _, b := range edit.Beside(was.Root, c.is.Root, c.mine.Root) {
				said := b.Path
				if b.Old == nil {
					said = "+" + said
				}
				if b.New == nil {
					said += " gone"
				}
				if b.Moved {
					said += " moved to " + b.NewPath
				}
				if b.Conflict {
					said += " conflict"
				}
				told = append(told, strings.ReplaceAll(said, "gone conflict", "gone, conflict"))
			}
			assert.Equal(t, c.want, told)
			assert.Equal(t, c.comes, take(t, was, c.is, c.mine, false).Text)
		})
	}
}

// shuffled makes some edits by chance in a list of conditions, with values of its own.
func (s *scribe) shuffled(d *edit.Document, own string) *edit.Document {
	for n := range 1 + s.of("edits", 5) {
		count := len(d.Root.Find("/all").Children)
		place := func() string { return fmt.Sprintf("/all/%d", s.of("place", count)) }
		text, err := json.Marshal(map[string]any{[]string{"route", "fare"}[s.of("column", 2)]: map[string]any{"is": fmt.Sprint(own, n)}})
		require.NoError(s.T, err)
		e := edit.Edit{Op: edit.Add, Path: "/all/-", Value: value(s.T, string(text))}
		if count > 1 {
			switch s.of("what", 5) {
			case 0:
				e.Path = place()
			case 1:
				e = edit.Edit{Op: edit.Remove, Path: place()}
			case 2:
				e = edit.Edit{Op: edit.Set, Path: place(), Value: e.Value}
			case 3:
				e = edit.Edit{Op: edit.Move, From: place(), Path: fmt.Sprintf("/all/%d", s.of("to", count-1))}
			}
		}
		next, _, err := d.Apply(e)
		require.NoError(s.T, err)
		d = next
	}
	return d
}

// TestBesideByChance takes all that others changed into what nobody changed, which must become
// theirs; and into what was changed too, of which nothing must be lost.
func TestBesideByChance(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		s := &scribe{T: rt}
		text := "pikegate: 1\nall:\n"
		for range 1 + s.of("items", 8) {
			text += fmt.Sprintf("  - %s: {is: w%d}\n", []string{"route", "fare"}[s.of("column", 2)], s.of("word", 4))
		}
		was := read(rt, text)
		is, mine := s.shuffled(was, "theirs"), s.shuffled(was, "mine")
		assert.Equal(rt, is.Root.String(), take(rt, was, is, was, true).Root.String(), "from\n%s", text)
		both := take(rt, was, is, mine, false)
		values := func(d *edit.Document, like string) (all []string) {
			d.Root.Walk(func(_ string, n *edit.Node) {
				if n.Kind == edit.Scalar && strings.HasPrefix(n.Text, like) {
					all = append(all, n.Text)
				}
			})
			slices.Sort(all)
			return all
		}
		assert.Equal(rt, values(mine, "mine"), values(both, "mine"), "from\n%s\ntheirs\n%s\nmine\n%s", text, is.Text, mine.Text)
		untouched := values(is, "theirs")
		for _, b := range edit.Beside(was.Root, is.Root, mine.Root) {
			if b.Conflict && b.New != nil {
				untouched = slices.DeleteFunc(untouched, func(v string) bool { return strings.Contains(b.New.String(), v) })
			}
		}
		assert.Subset(rt, values(both, "theirs"), untouched, "from\n%s\ntheirs\n%s\nmine\n%s", text, is.Text, mine.Text)
	})
}
