package draft

import (
	"context"
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/edit"
	"pikegate/internal/core/english"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// Theirs is a part that others changed in the revision that a draft started from.
type Theirs struct {
	Part     string  `json:"part" doc:"Names the part where it is to be taken: its path, with + in front where it is new and > where it was moved."`
	Path     string  `json:"path" doc:"Where it stood, as a JSON pointer (RFC 6901); where it is new, its place in the latest revision."`
	Was      *string `json:"was,omitempty" doc:"What stood there, as YAML; absent where it is new."`
	Theirs   *string `json:"theirs,omitempty" doc:"What stands there in the latest revision; absent where it is gone."`
	Mine     *string `json:"mine,omitempty" doc:"What stands there in the draft; absent where it is not there."`
	Moved    string  `json:"moved,omitempty" doc:"Where it stands in the latest revision, of an item of a list that was moved."`
	Conflict bool    `json:"conflict,omitempty" doc:"Whether the draft changed it too, and otherwise."`
}

// theirs lays what others changed beside what a draft has there. A text that cannot be taken apart
// is one part.
func theirs(was, is, mine string) []Theirs {
	d, err := parsedAll(was, is, mine)
	if err != nil {
		return []Theirs{{Was: &was, Theirs: &is, Mine: &mine, Conflict: mine != was}}
	}
	var all []Theirs
	for _, b := range edit.Beside(d[0].Root, d[1].Root, d[2].Root) {
		t := Theirs{Part: nameOf(b), Path: b.Path, Was: said(b.Old), Theirs: said(b.New), Mine: said(b.Mine), Conflict: b.Conflict}
		if b.Moved {
			t.Moved = b.NewPath
		}
		all = append(all, t)
	}
	return all
}

// nameOf names a part where it is to be taken.
func nameOf(b edit.Besides) string {
	switch {
	case b.Old == nil:
		return "+" + b.Path
	case b.Moved:
		return ">" + b.Path
	}
	return b.Path
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
	if !s.base.SeesRef(ctx, ref) {
		return nil, base.NoSuch(ref, store.ErrNone)
	}
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
		if len(take) == 0 {
			return store.Rewritten{Text: mine.Text, Base: latest}, nil
		}
		return taken(was.Text, is.Text, mine.Text, take, latest)
	})
}

// taken is a draft with parts of the latest revision taken over.
func taken(was, is, mine string, take []string, latest int) (to store.Rewritten, err error) {
	d, err := parsedAll(was, is, mine)
	if err != nil {
		return to, err
	}
	unknown := slices.Clone(take)
	edits := edit.Taken(d[0].Root, d[1].Root, d[2].Root, func(b edit.Besides) bool {
		unknown = slices.DeleteFunc(unknown, func(part string) bool { return part == nameOf(b) })
		return slices.Contains(take, nameOf(b))
	})
	if len(unknown) > 0 {
		return to, notEdited("others changed no part %q; nothing was changed", english.Shorten(unknown[0]))
	}
	next, made, err := d[2].Apply(edits...)
	if err != nil {
		return to, notEdited("what others changed cannot be taken: %s; nothing was changed", err)
	}
	return store.Rewritten{Text: next.Text, Made: made, Base: latest}, nil
}

// parsedAll are texts that can be edited part by part.
func parsedAll(texts ...string) ([]*edit.Document, error) {
	var all []*edit.Document
	for _, text := range texts {
		d, err := parsed(text)
		if err != nil {
			return nil, err
		}
		all = append(all, d)
	}
	return all, nil
}
