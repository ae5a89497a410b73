package edit

import (
	"slices"
	"strconv"
)

// Difference is a part in which a document differs from the one that it was made of.
type Difference struct {
	Path    string // where it stands in the old document; of what is new, in the new one
	NewPath string // where it stands in the new document; "" of what is gone
	Old     *Node  // nil where it is new
	New     *Node  // nil where it is gone
	Moved   bool   // whether it is an item of a list that stands behind others than it did
}

// Besides is a difference and what a third document, made of the same, has there.
type Besides struct {
	Difference
	Mine     *Node // nil where it has nothing there
	Conflict bool  // whether it was changed there too, and otherwise
}

// String is the node in one line, as YAML.
func (n *Node) String() string { return n.flow() }

// Differences are the least parts that differ between two trees. Items of lists are compared
// wherever they stand.
func Differences(old, new *Node) []Difference {
	var all []Difference
	for _, b := range Beside(old, new, old) {
		all = append(all, b.Difference)
	}
	return all
}

// Beside lays the parts in which a document differs from the one that it was made of beside what a
// third one has there, which was made of the same.
func Beside(was, is, mine *Node) []Besides {
	b := beside{takes: func(Besides) bool { return false }}
	b.compare(spot{}, was, is, mine, Edit{Op: Set, Value: is})
	return b.all
}

// Taken are the edits of the third document that take some of those parts over into it, in an order
// in which they can be made. Each part is asked about once, those too that there is nothing to do for.
func Taken(was, is, mine *Node, takes func(Besides) bool) []Edit {
	b := beside{takes: takes}
	b.compare(spot{}, was, is, mine, Edit{Op: Set, Value: is})
	return b.edits
}

type beside struct {
	takes func(Besides) bool
	all   []Besides
	edits []Edit
}

// spot is the paths of a part in the three documents.
type spot struct{ was, is, mine string }

func (s spot) entry(key string) spot {
	return spot{s.was + Path(key), s.is + Path(key), s.mine + Path(key)}
}

// compare finds what differs in a part that was and is there. put is the edit that puts the new one
// to mine.
func (b *beside) compare(at spot, was, is, mine *Node, put Edit) {
	isAll := func(k Kind) bool { return mine != nil && was.Kind == k && is.Kind == k && mine.Kind == k }
	before := len(b.all)
	switch {
	case was.Equal(is):
		return
	case isAll(Mapping):
		b.entries(at, was, is, mine)
	case isAll(List):
		b.items(at, was, is, mine)
	}
	if len(b.all) == before { // an order of keys too
		b.add(Difference{Path: at.was, NewPath: at.is, Old: was, New: is}, mine, put)
	}
}

// add adds a part that was set, added or removed, and reports whether it is taken.
func (b *beside) add(d Difference, mine *Node, take Edit) bool {
	part := Besides{Difference: d, Mine: mine, Conflict: !isSame(mine, d.Old) && !isSame(mine, d.New)}
	b.all = append(b.all, part)
	if !b.takes(part) || isSame(mine, d.New) {
		return false
	}
	b.edits = append(b.edits, take)
	return true
}

// isSame reports whether two parts say the same, or are both not there.
func isSame(a, b *Node) bool {
	if a == nil || b == nil {
		return a == b
	}
	return a.Equal(b)
}

func (b *beside) entries(at spot, was, is, mine *Node) {
	for n, c := range is.Children {
		to, here := at.entry(c.Key), mine.child(c.Key)
		put := Edit{Op: Set, Path: to.mine, Value: c.Value}
		if here == nil {
			put.Op = Add
			for _, next := range is.Children[n+1:] {
				if mine.child(next.Key) != nil {
					put.Before = next.Key
					break
				}
			}
		}
		if old := was.child(c.Key); old != nil {
			b.compare(to, old, c.Value, here, put)
		} else {
			b.add(Difference{Path: to.is, NewPath: to.is, New: c.Value}, here, put)
		}
	}
	for _, c := range was.Children {
		if is.child(c.Key) == nil {
			to := at.entry(c.Key)
			b.add(Difference{Path: to.was, Old: c.Value}, mine.child(c.Key), Edit{Op: Remove, Path: to.mine})
		}
	}
}

// child is the value of an entry, nil for none.
func (n *Node) child(key string) *Node {
	if i := n.index(key); i >= 0 {
		return n.Children[i].Value
	}
	return nil
}

// items compares lists: first within the items, then which there are and in which order.
func (b *beside) items(at spot, was, is, mine *Node) {
	l := newLists(at, was, is, mine)
	parts := make([][]Besides, len(is.Children)+1) // by item of theirs; those of items that are gone
	gather := func(j, from int) {
		parts[j] = append(parts[j], b.all[from:]...)
		b.all = b.all[:from]
	}
	start := len(b.all)
	for j, c := range is.Children {
		if i := l.theirs.from[j]; i >= 0 && l.here[j] >= 0 {
			k := l.here[j]
			to := spot{nth(at.was, i), nth(at.is, j), nth(at.mine, k)}
			b.compare(to, was.Children[i].Value, c.Value, mine.Children[k].Value, Edit{Op: Set, Path: to.mine, Value: c.Value})
			gather(j, start)
		}
	}
	for j, c := range is.Children {
		i, k := l.theirs.from[j], l.here[j]
		isNew, isMoved := i < 0, i >= 0 && l.theirs.moved[i]
		if !isNew && !isMoved && (k >= 0 || was.Children[i].Value.Equal(c.Value)) {
			continue
		}
		d := Difference{Path: nth(at.is, j), NewPath: nth(at.is, j), New: c.Value, Moved: isMoved}
		if !isNew {
			d.Path, d.Old = nth(at.was, i), was.Children[i].Value
		}
		place := l.place(j)
		if isMoved {
			b.move(d, l, j, place)
		} else if b.add(d, l.mine(k), Edit{Op: Add, Path: nth(at.mine, place), Value: c.Value}) {
			l.now = slices.Insert(l.now, place, l.mark(j))
		}
		gather(j, start)
	}
	for i, c := range was.Children {
		if l.theirs.to[i] >= 0 {
			continue
		}
		k := l.own.to[i]
		stands := slices.Index(l.now, k)
		if b.add(Difference{Path: nth(at.was, i), Old: c.Value}, l.mine(k), Edit{Op: Remove, Path: nth(at.mine, stands)}) {
			l.now = slices.Delete(l.now, stands, stands+1)
		}
	}
	gather(len(is.Children), start)
	b.all = slices.Concat(b.all, slices.Concat(parts...))
}

// move adds an item that was moved to another place.
func (b *beside) move(d Difference, l *lists, j, place int) {
	k := l.here[j]
	stands := slices.Index(l.now, k)
	if stands >= 0 && stands < place {
		place-- // that of afterwards
	}
	part := Besides{Difference: d, Mine: l.mine(k), Conflict: k < 0 || l.own.moved[l.theirs.from[j]] && stands != place}
	b.all = append(b.all, part)
	if !b.takes(part) || stands < 0 || stands == place {
		return
	}
	b.edits = append(b.edits, Edit{Op: Move, From: nth(l.at, stands), Path: nth(l.at, place)})
	l.now = slices.Insert(slices.Delete(l.now, stands, stands+1), place, k)
}

// nth is the path of an item.
func nth(list string, i int) string { return list + Path(strconv.Itoa(i)) }

// lists is a list of theirs beside one of mine, both made of the same.
type lists struct {
	at          string // of mine
	theirs, own pairs
	here        []int // of each item of theirs the one of mine that was made of the same, or is new in both and the same; -1 for none
	now         []int // how mine stands by now: indexes of its items, and marks of those taken over
	items       []Child
}

func newLists(at spot, was, is, mine *Node) *lists {
	l := &lists{at: at.mine, theirs: paired(was.Children, is.Children), own: paired(was.Children, mine.Children), items: mine.Children}
	for k := range mine.Children {
		l.now = append(l.now, k)
	}
	taken := map[int]bool{}
	for j, i := range l.theirs.from {
		var k int
		if i >= 0 {
			k = l.own.to[i]
		} else {
			k = slices.IndexFunc(l.now, func(k int) bool {
				return l.own.from[k] < 0 && !taken[k] && mine.Children[k].Value.Equal(is.Children[j].Value)
			})
			taken[k] = true
		}
		l.here = append(l.here, k)
	}
	return l
}

// mine is an item of mine, nil for -1.
func (l *lists) mine(k int) *Node {
	if k < 0 {
		return nil
	}
	return l.items[k].Value
}

// mark is how an item of theirs is known in what mine is by now.
func (l *lists) mark(j int) int {
	if l.here[j] >= 0 {
		return l.here[j]
	}
	return -1 - j
}

// place is behind the item of mine that stands in front of the j-th of theirs.
func (l *lists) place(j int) int {
	for j--; j >= 0; j-- {
		if stands := slices.Index(l.now, l.mark(j)); stands >= 0 {
			return stands + 1
		}
	}
	return 0
}
