package difference

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// Each setting that differs is named; comments, order and the way of writing do
// not count.
func TestDifference(t *testing.T) {
	const old = "pikegate: 1\nquery: q # asked often\nshow: [a, b]\nwhere:\n  all:\n    - a: {is: 1}\n    - b: missing\nsort: []\n"
	for _, c := range []struct{ name, new, want string }{
		{"nothing", old, ""},
		{"comments and quotes", strings.NewReplacer(" # asked often", "", "is: 1", `is: "1"`, "show: [a, b]", "show:\n  - a\n  - b").Replace(old), ""},
		{"a value", strings.Replace(old, "is: 1", "is: 2", 1), `where.all[1].a.is was "1", is "2"`},
		{"an operator", strings.Replace(old, "is: 1", "is_not: 1", 1), "where.all[1].a.is_not is new: \"1\"\nwhere.all[1].a.is is gone, it was \"1\""},
		{"a longer list", strings.Replace(old, "[a, b]", "[a, b, c]", 1), `show[3] is new: "c"`},
		{"from nothing to something", strings.Replace(old, "sort: []", "sort: [a]", 1), `sort[1] is new: "a"`},
		{"an item in front", strings.Replace(old, "  all:\n", "  all:\n    - c: {is: 3}\n", 1), `where.all[1].c.is is new: "3"`},
		{"an item that moved", strings.Replace(old, "[a, b]", "[b, a]", 1), "show[2] was moved there from show[1]"},
		{"an order of keys", strings.Replace(old, "pikegate: 1\nquery: q", "query: q\npikegate: 1", 1), ""},
		{"not YAML", "{", "pikegate is gone, it was \"1\"\nquery is gone, it was \"q\"\nshow[1] is gone, it was \"a\"\nshow[2] is gone, it was \"b\"\nwhere.all[1].a.is is gone, it was \"1\"\nwhere.all[2].b is gone, it was \"missing\"\nsort is gone, it was empty"},
	} {
		var lines []string
		for _, s := range Between(old, c.new) {
			lines = append(lines, s.String())
		}
		assert.Equal(t, c.want, strings.Join(lines, "\n"), c.name)
	}
}
