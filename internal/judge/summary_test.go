package judge_test

import (
	"math/big"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/summary"
	"pikegate/internal/core/value"
	"pikegate/internal/judge"
	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

// summed is a summary as it is drawn: for the product, and for the judge.
type summed struct {
	spec    *summary.Spec
	units   [][]civil.Period
	names   [][]string
	groups  []judge.Group
	figures []judge.Figure
}

// worldColumns are the columns of the world by name.
func worldColumns(t *rapid.T, db sourcetest.Engine) map[string]*column.Column {
	docs, faults := definition.Split(catalog.File{Name: "w.yaml", Text: strings.TrimSuffix(strings.Replace(world, "zone:", at[db.Name]+"zone:", 1), "---\n")})
	require.Empty(t, faults)
	defs, wrong := definition.Load(docs, phrase.Setting{AsOf: civil.MustParseDay("2026-11-23"), Zone: helsinki})
	require.Empty(t, wrong)
	all := map[string]*column.Column{}
	for _, c := range defs.Datasets["t"].Columns {
		all[c.Name] = c
	}
	return all
}

// summing draws groups and figures. Its units reach over a year's end at which weeks belong to the
// other year, and over both changes of the clock.
func summing(t *rapid.T, of map[string]*column.Column) summed {
	d := summed{spec: &summary.Spec{}}
	for _, name := range rapid.Permutation([]string{"late", "route", "other", "note", "full", "day", "due", "left", "came"}).Draw(t, "groups")[:rapid.IntRange(0, 2).Draw(t, "how many")] {
		g, j := summary.Group{Of: of[name]}, judge.Group{Column: name}
		var units []civil.Period
		var names []string
		if kind := kinds[name]; kind == judge.Day || kind == judge.Instant {
			bys := summary.Bys
			if kind == judge.Day {
				bys = bys[:len(bys)-1] // which has no hours
			}
			g.By = rapid.SampledFrom(bys).Draw(t, "by")
			if j.By, names = string(g.By), g.By.Names(); !g.By.Comes() {
				units, _ = summary.Units(g.By, civil.MustParseDay("2026-03-01"), civil.MustParseDay("2027-01-05"))
				names = summary.UnitNames(g.By, units)
			}
			if g.Fill = g.By != summary.Day && rapid.Bool().Draw(t, "fill"); g.Fill {
				j.Fill = names
			}
		}
		g.Shown = g.ShownAs(name, name)
		d.spec.Groups, d.groups = append(d.spec.Groups, g), append(d.groups, j)
		d.units, d.names = append(d.units, units), append(d.names, names)
	}
	for range rapid.IntRange(1, 4).Draw(t, "figures") {
		kind := rapid.SampledFrom([]summary.Kind{summary.Count, summary.CountDistinct, summary.Sum, summary.Average, summary.Least, summary.Greatest}).Draw(t, "kind")
		from := map[summary.Kind][]string{summary.Count: {""}, summary.CountDistinct: {"route", "other", "note", "late"}}[kind]
		if from == nil {
			from = []string{"late", "seats", "fare"}
		}
		name := rapid.SampledFrom(from).Draw(t, "of")
		f := summary.Figure{Kind: kind, Of: of[name]}
		twelve := 12
		f.Shown = f.ShownAs("f", "f", map[bool]*int{true: &twelve}[kind == summary.Average])
		d.spec.Figures, d.figures = append(d.spec.Figures, f), append(d.figures, judge.Figure{Kind: string(kind), Column: name})
	}
	return d
}

// table reads the summary of the records of a query.
func (d summed) table(t *rapid.T, db sourcetest.Engine, c *compile.Compiler, q compile.Query) *summary.Table {
	q.Show, q.Sort, q.Key = nil, nil, nil
	for _, g := range d.spec.Groups {
		q.Extents[g.Of] = compile.Extent{First: 1769904000, Last: 1798761600} // more than the records hold
	}
	out := q.SortOut(d.spec)
	statement := c.Summarise(q, d.spec, d.units)
	tally := d.spec.Tally()
	err := db.Source.View(t.Context(), func(v source.View) error {
		return v.Rows(t.Context(), statement, func(row []value.Value) error {
			counted, err := c.Counting(q, d.spec, d.units).Group(row)
			if err != nil || out >= 0 && counted.Keys[out].Unit == summary.Unreadable {
				return err
			}
			return tally.Add(counted)
		})
	})
	require.NoError(t, err, statement.SQL)
	table, err := tally.Table(summary.Asked{Names: d.names})
	require.NoError(t, err)
	return table
}

// plainly are the rows of a summary as the judge has them.
func (d summed) plainly(rows [][]value.Value) []string {
	var all []string
	for _, row := range rows {
		cells := make([]string, len(row))
		for i, v := range row {
			cells[i] = v.String()
			if f, ok := v.Float(); ok { // a decimal that is held as one
				cells[i] = new(big.Rat).SetFloat64(f).FloatString(4)
			}
			if v.IsMissing() {
				cells[i] = "-"
			} else if n, ok := new(big.Rat).SetString(cells[i]); ok && i >= len(d.groups) {
				cells[i] = n.FloatString(10)
			}
		}
		all = append(all, strings.Join(cells, "|"))
	}
	slices.Sort(all)
	return all
}

// rounded are the judge's rows, its fractions to the digits that are compared.
func (d summed) rounded(rows []string) []string {
	for i, row := range rows {
		cells := strings.Split(row, "|")
		for j := len(d.groups); j < len(cells); j++ {
			if n, ok := new(big.Rat).SetString(cells[j]); ok {
				cells[j] = n.FloatString(10)
			}
		}
		rows[i] = strings.Join(cells, "|")
	}
	slices.Sort(rows)
	return rows
}

// Whatever the records, the criteria, the groups and the figures: the product's summary has what the
// judge says, and all groups together come to the figure without groups. PIKEGATE_JUDGE says for how
// long to try.
func TestSummariesAgreeWithTheJudge(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, db sourcetest.Engine) {
		table(t, db)
		check := func(t *rapid.T) {
			d := compiled(t, db, nil)
			s := summing(t, worldColumns(t, db))
			wanted := map[int]bool{}
			for _, id := range d.want() {
				wanted[id] = true
			}
			records := slices.DeleteFunc(slices.Clone(d.records), func(r judge.Record) bool { return !wanted[r["id"].(int)] })
			got := s.table(t, db, d.compiler, d.query)
			c := judge.Case{Kinds: kinds, Empty: map[string]bool{"note": true}, Zone: finland}
			require.Equal(t, s.rounded(c.Summed(records, s.groups, s.figures)), s.plainly(got.Rows), "%s\n%+v\n%+v", d.text, s.groups, s.figures)
			require.EqualValues(t, len(records), got.Records)

			whole := s
			whole.spec = &summary.Spec{Figures: s.spec.Figures}
			whole.groups, whole.units, whole.names = nil, nil, nil
			alone := whole.table(t, db, d.compiler, d.query)
			for i, f := range s.spec.Figures {
				if f.HasTotal() {
					together := [][]value.Value{{got.Total[len(s.groups)+i]}}
					require.Equal(t, whole.plainly([][]value.Value{{alone.Rows[0][i]}}), whole.plainly(together), "%s of %s", f.Kind, d.text)
				}
			}
		}
		rapid.Check(t, check)
		if long, err := time.ParseDuration(os.Getenv("PIKEGATE_JUDGE")); err == nil {
			for end := time.Now().Add(long); time.Now().Before(end); {
				rapid.Check(t, check)
			}
		}
	})
}

// Different values of records whose dates are no dates are counted once, whatever stands there.
func TestDifferentValuesOfUnreadableDays(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, db sourcetest.Engine) {
		table(t, db)
		rapid.Check(t, func(t *rapid.T) {
			of := worldColumns(t, db)
			d := compiled(t, db, nil)
			fill(t, db, []judge.Record{{"id": 1, "late": 3, "day": "soon"}, {"id": 2, "late": 3, "day": "2026-02-30"}})
			s := summed{spec: &summary.Spec{}, groups: []judge.Group{{Column: "day", By: "day"}}, names: [][]string{nil}, units: [][]civil.Period{nil}}
			g := summary.Group{Of: of["day"], By: summary.Day}
			g.Shown = g.ShownAs("day", "day")
			s.spec.Groups = []summary.Group{g}
			f := summary.Figure{Kind: summary.CountDistinct, Of: of["late"]}
			f.Shown = f.ShownAs("f", "f", nil)
			s.spec.Figures = []summary.Figure{f}
			d.query.Where = nil
			require.Equal(t, []string{"unreadable|1.0000000000"}, s.plainly(s.table(t, db, d.compiler, d.query).Rows))
		})
	})
}
