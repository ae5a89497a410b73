package compile

import (
	"database/sql"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/criteria"
	"pikegate/internal/core/record"
)

// The judge's own form of a condition tree: it is drawn first, evaluated as it
// stands, and only then said to the product.
type tree struct {
	logic    string // "", all, any
	children []tree
	column   string // late, route, day
	op       string
	values   []string
}

type stored struct {
	id    int
	late  *int
	route *string
	day   *string
}

func drawTree(depth int) *rapid.Generator[tree] {
	return rapid.Custom(func(t *rapid.T) tree {
		if depth > 0 && rapid.IntRange(0, 2).Draw(t, "group") > 0 {
			n := tree{logic: rapid.SampledFrom([]string{"all", "any"}).Draw(t, "logic")}
			for range rapid.IntRange(1, 3).Draw(t, "children") {
				n.children = append(n.children, drawTree(depth-1).Draw(t, "child"))
			}
			return n
		}
		n := tree{column: rapid.SampledFrom([]string{"late", "route", "day"}).Draw(t, "column")}
		ops := map[string][]string{
			"late": {"is", "any_of", "at_least", "at_most", "missing", "present"}, "route": {"is", "any_of", "missing", "present"},
			"day": {"within", "from", "through", "before", "after", "is", "any_of", "missing", "present"},
		}[n.column]
		n.op = rapid.SampledFrom(ops).Draw(t, "op")
		count := map[string]int{"missing": 0, "present": 0, "within": 2, "any_of": 2}[n.op]
		if n.op != "missing" && n.op != "present" {
			count = max(count, 1)
		}
		for range count {
			n.values = append(n.values, drawValue(t, n.column))
		}
		if n.op == "within" {
			slices.Sort(n.values)
		}
		return n
	})
}

func drawValue(t *rapid.T, column string) string {
	switch column {
	case "late":
		return strconv.Itoa(rapid.IntRange(-2, 4).Draw(t, "late"))
	case "route":
		return rapid.SampledFrom([]string{"", "a", "A", "a ", "b'", "%", "é"}).Draw(t, "route")
	}
	return fmt.Sprintf("2026-%02d-%02d", rapid.IntRange(2, 3).Draw(t, "month"), rapid.IntRange(1, 28).Draw(t, "day"))
}

func drawRows(t *rapid.T) []stored {
	rows := make([]stored, rapid.IntRange(0, 30).Draw(t, "rows"))
	for i := range rows {
		rows[i].id = i + 1
		if rapid.IntRange(0, 4).Draw(t, "has late") > 0 {
			v := rapid.IntRange(-2, 4).Draw(t, "late")
			rows[i].late = &v
		}
		if rapid.IntRange(0, 4).Draw(t, "has route") > 0 {
			v := drawValue(t, "route")
			rows[i].route = &v
		}
		if rapid.IntRange(0, 4).Draw(t, "has day") > 0 {
			v := drawValue(t, "day")
			rows[i].day = &v
		}
	}
	return rows
}

// holds is the judge: two-valued logic over values as they are drawn.
func holds(n tree, r stored) bool {
	switch n.logic {
	case "all":
		return !slices.ContainsFunc(n.children, func(c tree) bool { return !holds(c, r) })
	case "any":
		return slices.ContainsFunc(n.children, func(c tree) bool { return holds(c, r) })
	}
	if n.column == "late" {
		return holdsFor(n, r.late != nil, func(i int) int {
			v, _ := strconv.Atoi(n.values[i])
			return *r.late - v
		})
	}
	text := r.route
	if n.column == "day" {
		text = r.day
	}
	return holdsFor(n, text != nil, func(i int) int { return strings.Compare(*text, n.values[i]) })
}

func holdsFor(n tree, present bool, compare func(i int) int) bool {
	if n.op == "missing" || !present {
		return n.op == "missing" && !present
	}
	switch n.op {
	case "present":
		return true
	case "is":
		return compare(0) == 0
	case "any_of":
		return compare(0) == 0 || compare(1) == 0
	case "within":
		return compare(0) >= 0 && compare(1) <= 0
	case "from", "at_least":
		return compare(0) >= 0
	case "through", "at_most":
		return compare(0) <= 0
	case "before":
		return compare(0) < 0
	default:
		return compare(0) > 0
	}
}

// said is the tree in the product's form.
func said(n tree) *criteria.Node {
	if n.logic != "" {
		g := &criteria.Node{Logic: criteria.Logic(n.logic)}
		for _, c := range n.children {
			g.Nodes = append(g.Nodes, said(c))
		}
		return g
	}
	columns := map[string]*record.Column{"late": late, "route": route, "day": day}
	values := n.values
	if n.op == "within" {
		values = []string{n.values[0] + "/" + n.values[1]}
	}
	return on(columns[n.column], criteria.Op(n.op), values...)
}

// Any tree of conditions over any records returns what the judge says, sorted
// as the judge sorts: by late, missing last, then by id.
func TestAnyCriteriaAgreeWithTheJudge(t *testing.T) {
	db, err := sql.Open("sqlite3", ":memory:")
	require.NoError(t, err)
	db.SetMaxOpenConns(1)
	defer db.Close()
	_, err = db.Exec(`CREATE TABLE t (id INTEGER PRIMARY KEY, late INTEGER, "the ""route""" TEXT, day TEXT)`)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		rows, n := drawRows(t), drawTree(3).Draw(t, "tree")
		_, err := db.Exec("DELETE FROM t")
		require.NoError(t, err)
		for _, r := range rows {
			_, err := db.Exec("INSERT INTO t VALUES (?, ?, ?, ?)", r.id, r.late, r.route, r.day)
			require.NoError(t, err)
		}
		descending := rapid.Bool().Draw(t, "descending")
		var fitting []stored
		for _, r := range rows {
			if holds(n, r) {
				fitting = append(fitting, r)
			}
		}
		slices.SortStableFunc(fitting, func(a, b stored) int {
			switch {
			case a.late == nil || b.late == nil:
				return missingLast(a.late == nil, b.late == nil)
			case descending:
				return *b.late - *a.late
			}
			return *a.late - *b.late
		})
		want := []int{}
		for _, r := range fitting {
			want = append(want, r.id)
		}
		s := sqlite.Select(Query{Table: "t", Show: []*record.Column{id}, Where: bound(said(n)), Sort: []criteria.Sort{{Column: late, Descending: descending}},
			Key: []*record.Column{id}, Zone: helsinki})
		got := []int{}
		found, err := db.Query(s.SQL, s.Args...)
		require.NoError(t, err, s.SQL)
		defer found.Close()
		for found.Next() {
			var v int
			require.NoError(t, found.Scan(&v))
			got = append(got, v)
		}
		require.Equal(t, want, got, s.SQL)
	})
}

func missingLast(a, b bool) int {
	switch {
	case a == b:
		return 0
	case a:
		return 1
	}
	return -1
}
