package draft

import (
	"context"
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/edit"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// Theirs is a part that others changed in the revision that a draft started from.
type Theirs struct {
	Path     string  `json:"path" doc:"The part, as a JSON pointer (RFC 6901)."`
	Was      *string `json:"was,omitempty" doc:"What stood there, as YAML; absent where it is new."`
	Theirs   *string `json:"theirs,omitempty" doc:"What stands there in the latest revision; absent where it is gone."`
	Mine     *string `json:"mine,omitempty" doc:"What stands there in the draft; absent where it is not there."`
	Conflict bool    `json:"conflict,omitempty" doc:"Whether the draft changed it too, and otherwise."`

	there *edit.Node // the part in the latest revision, nil where it is gone
}

// theirs lays what others changed beside what a draft has there. A text that cannot be taken apart
// is one part.
func theirs(was, is, mine string) []Theirs {
	before, err := edit.Parse(was)
	after, wrong := edit.Parse(is)
	own, broken := edit.Parse(mine)
	if err != nil || wrong != nil || broken != nil {
		return []Theirs{{Was: &was, Theirs: &is, Mine: &mine, Conflict: mine != was}}
	}
	var all []Theirs
	for _, d := range edit.Differences(before.Root, after.Root) {
		here := own.Root.Find(d.Path)
		all = append(all, Theirs{
			Path: d.Path, Was: said(d.Old), Theirs: said(d.New), Mine: said(here),
			Conflict: !same(here, d.Old) && !same(here, d.New),
			there:    d.New,
		})
	}
	return all
}

func same(a, b *edit.Node) bool {
	if a == nil || b == nil {
		return a == b
	}
	return a.Equal(b)
}

// said is a part as YAML in one line, nil for none.
func said(n *edit.Node) *string {
	if n == nil {
		return nil
	}
	text := n.String()
	return &text
}

// Take makes a draft go on from the latest revision, with the parts of it that take names; what it
// does not name stays as the draft has it.
func (s *Drafts) Take(ctx context.Context, ref catalog.Ref, version int, take []string) (*Draft, error) {
	revisions, err := s.base.Store.Revisions(ctx, ref)
	if err != nil {
		return nil, base.NoSuch(ref, err)
	}
	latest := revisions[0].Number
	is, err := s.base.Store.Document(ctx, ref, latest)
	if err != nil {
		return nil, err
	}
	return s.change(ctx, ref, version, func(mine store.Draft) (to store.Rewritten, err error) {
		was, err := s.base.Store.Document(ctx, ref, mine.Base)
		if err != nil {
			return to, err
		}
		if mine.Text == was.Text || slices.Contains(take, "") {
			return store.Rewritten{Text: is.Text, Made: edit.Between(mine.Text, is.Text), Base: latest}, nil
		}
		to = store.Rewritten{Text: mine.Text, Base: latest}
		for _, t := range theirs(was.Text, is.Text, mine.Text) {
			if !slices.Contains(take, t.Path) {
				continue
			}
			d, err := parsed(to.Text)
			if err != nil {
				return to, err
			}
			after, made, err := d.Apply(taking(d, t))
			if err != nil {
				return to, notEdited("%s cannot be taken: %s; nothing was changed", t.Path, err)
			}
			to.Text, to.Made = after.Text, append(to.Made, made...)
		}
		return to, nil
	})
}

// taking is the edit of a draft that takes a part over from the latest revision.
func taking(d *edit.Document, t Theirs) edit.Edit {
	e := edit.Edit{Op: edit.Set, Path: t.Path, Value: t.there}
	switch {
	case t.there == nil:
		e.Op = edit.Remove
	case d.Root.Find(t.Path) == nil:
		e.Op = edit.Add
	}
	return e
}
