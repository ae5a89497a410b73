package edit

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// anyNode is a small node by chance, of few texts, so that many are alike.
func anyNode(t *rapid.T, depth int) *Node {
	texts := rapid.SampledFrom([]string{"", "a", "ab", "1", "s\x01a", "a\x00"})
	n := &Node{Kind: rapid.SampledFrom([]Kind{Mapping, List, Scalar, Scalar, Nothing}).Draw(t, "kind")}
	switch n.Kind {
	case Scalar:
		n.Text, n.Bare = texts.Draw(t, "text"), rapid.Bool().Draw(t, "bare")
	case Mapping, List:
		for range rapid.IntRange(0, 2*depth).Draw(t, "parts") {
			c := Child{Value: anyNode(t, depth-1)}
			if n.Kind == Mapping {
				c.Key = texts.Draw(t, "key")
			}
			n.Children = append(n.Children, c)
		}
	}
	return n
}

// Items have the same number where they mean the same, however they are written, and only there.
func TestItemsAreNumberedByWhatTheySay(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		a, b := anyNode(rt, 2), anyNode(rt, 2)
		was, is := idsOf([]Child{{Value: a}, {Value: b}}, []Child{{Value: b}, {Value: a}})
		assert.Equal(rt, a.Equal(b), was[0] == was[1])
		assert.Equal(rt, []int{was[1], was[0]}, is)
	})
}
