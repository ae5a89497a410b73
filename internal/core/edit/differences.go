package edit

import "strconv"

// Difference is a part that differs between two documents.
type Difference struct {
	Path string // a JSON pointer
	Old  *Node  // nil where it is new
	New  *Node  // nil where it is gone
}

// Differences are the least parts that differ between two trees. Lists of different lengths differ
// as a whole.
func Differences(old, new *Node) []Difference { return differences("", old, new) }

func differences(path string, old, new *Node) (all []Difference) {
	switch {
	case old.Equal(new):
		return nil
	case old.Kind == Mapping && new.Kind == Mapping:
		for _, c := range new.Children {
			at := path + Path(c.Key)
			if i := old.index(c.Key); i >= 0 {
				all = append(all, differences(at, old.Children[i].Value, c.Value)...)
			} else {
				all = append(all, Difference{Path: at, New: c.Value})
			}
		}
		for _, c := range old.Children {
			if new.index(c.Key) < 0 {
				all = append(all, Difference{Path: path + Path(c.Key), Old: c.Value})
			}
		}
		if len(all) > 0 {
			return all
		}
	case old.Kind == List && new.Kind == List && len(old.Children) == len(new.Children):
		for i, c := range new.Children {
			all = append(all, differences(path+Path(strconv.Itoa(i)), old.Children[i].Value, c.Value)...)
		}
		return all
	}
	return []Difference{{Path: path, Old: old, New: new}} // an order of keys too
}

// String is the node in one line, as YAML.
func (n *Node) String() string { return n.flow() }
