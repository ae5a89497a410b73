package summary

import (
	"fmt"
	"math"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/value"
)

var (
	on     = &column.Column{Name: "on", Type: column.Date, Stored: column.Native}
	route  = &column.Column{Name: "route", Type: column.Text}
	carry  = &column.Column{Name: "carried", Type: column.Integer, Unit: "persons"}
	charge = &column.Column{Name: "charge", Type: column.Decimal, Scale: 2}
	weight = &column.Column{Name: "weight", Type: column.Number}
)

// spec makes a summary of groups and figures, each shown under the name of its kind.
func spec(groups []Group, figures ...Figure) *Spec {
	s := &Spec{Groups: groups, Figures: figures}
	for i, g := range groups {
		s.Groups[i].Shown = g.ShownAs(g.Of.Name, g.Of.Name)
	}
	for i, f := range figures {
		s.Figures[i].Shown = f.ShownAs(string(f.Kind), string(f.Kind), nil)
	}
	return s
}

func namesOf(t *testing.T, by By, first, last string) []string {
	units, ok := Units(by, civil.MustParseDay(first), civil.MustParseDay(last))
	require.True(t, ok)
	return UnitNames(by, units)
}

func texts(rows [][]value.Value) (all [][]string) {
	for _, row := range rows {
		var cells []string
		for _, v := range row {
			if v.IsMissing() {
				cells = append(cells, "-")
			} else {
				cells = append(cells, v.String())
			}
		}
		all = append(all, cells)
	}
	return all
}

// tableOf makes the summary of groups that were counted.
func tableOf(s *Spec, counted []Counted, names [][]string, having *criteria.Bound, order []criteria.Sort) (*Table, error) {
	t := s.Tally()
	for _, c := range counted {
		if err := t.Add(c); err != nil {
			return nil, err
		}
	}
	return t.Table(Asked{Names: names, Having: having, Order: order})
}

func key(unit int, text string) []Key {
	k := []Key{{Unit: unit}, {}}
	if text != "" {
		k[1].Value = value.Chars(text)
	}
	return k
}

func TestUnits(t *testing.T) {
	for _, c := range []struct {
		by          By
		first, last string
		want        []string
	}{
		{Day, "2026-02-28", "2026-03-01", []string{"2026-02-28", "2026-03-01"}},
		{Week, "2026-12-31", "2027-01-04", []string{"2026-W53", "2027-W01"}},
		{Month, "2026-01-31", "2026-03-01", []string{"2026-01", "2026-02", "2026-03"}},
		{Quarter, "2026-03-31", "2026-04-01", []string{"2026-Q1", "2026-Q2"}},
		{Year, "2025-12-31", "2026-01-01", []string{"2025", "2026"}},
		{Year, "9999-12-30", "9999-12-31", []string{"9999"}},
		{Week, "9999-12-30", "9999-12-31", []string{"9999-W52"}},
		{Day, "2026-03-02", "2026-03-01", nil},
	} {
		var got []string
		got = append(got, namesOf(t, c.by, c.first, c.last)...)
		assert.Equal(t, c.want, got, "%s %s", c.by, c.first)
	}
	_, ok := Units(Day, civil.MustParseDay("2000-01-01"), civil.MustParseDay("2026-01-01"))
	assert.False(t, ok, "more than MostUnits")
}

// Units without records are filled in for each value beside them, and sort in their place; what is
// unreadable or missing comes last.
func TestFill(t *testing.T) {
	s := spec([]Group{{Of: on, By: Month, Fill: true}, {Of: route}}, Figure{Kind: Count}, Figure{Kind: Sum, Of: carry}, Figure{Kind: Average, Of: carry}, Figure{Kind: Least, Of: carry})
	part := func(n int64) []Part {
		return []Part{{}, {Sum: decimal.NewFromInt(n), Taken: 2}, {Sum: decimal.NewFromInt(n), Taken: 2}, {Value: value.Whole(n)}}
	}
	units := [][]string{namesOf(t, Month, "2026-01-01", "2026-03-01"), nil}
	table, err := tableOf(s, []Counted{{key(2, "b"), 2, part(5)}, {key(Missing, "a"), 1, part(1)}, {key(0, "a"), 3, part(7)}, {key(Unreadable, "a"), 1, part(3)}}, units, nil, nil)
	require.NoError(t, err)
	assert.Equal(t, [][]string{
		{"2026-01", "a", "3", "7", "3.5", "7"}, {"2026-01", "b", "0", "0", "-", "-"},
		{"2026-02", "a", "0", "0", "-", "-"}, {"2026-02", "b", "0", "0", "-", "-"},
		{"2026-03", "a", "0", "0", "-", "-"}, {"2026-03", "b", "2", "5", "2.5", "5"},
		{"unreadable", "a", "1", "3", "1.5", "3"}, {"-", "a", "1", "1", "0.5", "1"},
	}, texts(table.Rows))
	assert.EqualValues(t, 7, table.Records)

	// Alone it is filled though there is no record; a value that occurs nowhere is not.
	alone := spec([]Group{{Of: on, By: Month, Fill: true}}, Figure{Kind: Count})
	table, err = tableOf(alone, nil, units[:1], nil, nil)
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"2026-01", "0"}, {"2026-02", "0"}, {"2026-03", "0"}}, texts(table.Rows))
	table, err = tableOf(s, nil, units, nil, nil)
	require.NoError(t, err)
	assert.Empty(t, table.Rows)
}

func TestOrder(t *testing.T) {
	s := spec([]Group{{Of: on, By: Year}, {Of: route}}, Figure{Kind: Count})
	counted := []Counted{{key(0, "b"), 2, []Part{{}}}, {key(Missing, "z"), 9, []Part{{}}}, {key(1, ""), 2, []Part{{}}}, {key(1, "B"), 10, []Part{{}}}, {key(1, "a"), 9, []Part{{}}}}
	units := [][]string{namesOf(t, Year, "2025-01-01", "2026-01-01"), nil}
	for _, c := range []struct {
		name  string
		order []criteria.Sort
		want  [][]string
	}{
		{"by the groups", nil, [][]string{{"2025", "b", "2"}, {"2026", "B", "10"}, {"2026", "a", "9"}, {"2026", "-", "2"}, {"-", "z", "9"}}},
		{"by a figure, as numbers", []criteria.Sort{{Column: s.Figures[0].Shown, Descending: true}}, [][]string{{"2026", "B", "10"}, {"2026", "a", "9"}, {"-", "z", "9"}, {"2025", "b", "2"}, {"2026", "-", "2"}}},
		{"missing last, descending too", []criteria.Sort{{Column: s.Groups[1].Shown, Descending: true}}, [][]string{{"-", "z", "9"}, {"2025", "b", "2"}, {"2026", "a", "9"}, {"2026", "B", "10"}, {"2026", "-", "2"}}},
		{"by units, the latest first", []criteria.Sort{{Column: s.Groups[0].Shown, Descending: true}}, [][]string{{"2026", "B", "10"}, {"2026", "a", "9"}, {"2026", "-", "2"}, {"2025", "b", "2"}, {"-", "z", "9"}}},
	} {
		table, err := tableOf(s, counted, units, nil, c.order)
		require.NoError(t, err)
		assert.Equal(t, c.want, texts(table.Rows), c.name)
	}
}

// Averages are exact, rounded half to even; sums that 64 bits do not hold stay exact.
func TestExactFigures(t *testing.T) {
	for _, c := range []struct {
		sum   string
		of    int64
		scale int
		want  string
	}{
		{"5", 2, 0, "2"}, {"7", 2, 0, "4"}, {"-5", 2, 0, "-2"}, {"-7", 2, 0, "-4"}, {"1", 3, 4, "0.3333"}, {"2", 3, 4, "0.6667"}, {"-2", 3, 4, "-0.6667"},
		{"0.25", 1, 1, "0.2"}, {"0.35", 1, 1, "0.4"}, {"0.251", 1, 1, "0.3"}, {"0", 7, 2, "0"}, {"99999999999999999999.99", 3, 2, "33333333333333333333.33"},
	} {
		sum, err := decimal.NewFromString(c.sum)
		require.NoError(t, err)
		assert.Equal(t, c.want, ratio(sum, decimal.NewFromInt(c.of), c.scale).String(), "%s by %d at %d", c.sum, c.of, c.scale)
	}
	large, err := decimal.NewFromString("92233720368547758080")
	require.NoError(t, err)
	f := Figure{Kind: Sum, Of: carry, Shown: carry}
	assert.Equal(t, value.Digits("92233720368547758080"), f.cell(1, Part{Sum: large, Taken: 1}))
	assert.Equal(t, value.Whole(math.MaxInt64), f.cell(1, Part{Sum: decimal.NewFromInt(math.MaxInt64), Taken: 1}))
	fraction := Figure{Kind: Average, Of: weight}
	fraction.Shown = fraction.ShownAs("f", "f", nil)
	assert.Equal(t, value.Real(0.25), fraction.cell(2, Part{Value: value.Real(0.5), Taken: 2}))
}

func TestHaving(t *testing.T) {
	s := spec([]Group{{Of: route}}, Figure{Kind: Count}, Figure{Kind: Average, Of: charge}, Figure{Kind: Sum, Of: charge})
	count, average, sum := s.Figures[0].Shown, s.Figures[1].Shown, s.Figures[2].Shown
	number := func(text string) decimal.Decimal {
		n, err := decimal.NewFromString(text)
		require.NoError(t, err)
		return n
	}
	counted := []Counted{
		{[]Key{{Value: value.Chars("none")}}, 4, []Part{{}, {}, {}}},
		{[]Key{{Value: value.Chars("some")}}, 2, []Part{{}, {Sum: number("2.50"), Taken: 2}, {Sum: number("2.50"), Taken: 2}}},
	}
	low, high := number("1.25"), number("2")
	on := func(c *column.Column, op criteria.Op, numbers ...string) *criteria.Bound {
		b := &criteria.Bound{Column: c, Op: op}
		for _, n := range numbers {
			b.Numbers = append(b.Numbers, number(n))
		}
		return b
	}
	group := func(logic criteria.Logic, nodes ...*criteria.Bound) *criteria.Bound {
		return &criteria.Bound{Logic: logic, Nodes: nodes}
	}
	for _, c := range []struct {
		name   string
		having *criteria.Bound
		want   string
	}{
		{"at least", on(count, criteria.AtLeast, "3"), "none"},
		{"at most", on(count, criteria.AtMost, "2"), "some"},
		{"less than", on(count, criteria.LessThan, "2"), ""},
		{"more than", on(count, criteria.MoreThan, "1"), "none some"},
		{"is, whatever the digits", on(average, criteria.Is, "1.250"), "some"},
		{"what is missing is not", on(average, criteria.IsNot, "1.25"), "none"},
		{"any of", on(count, criteria.AnyOf, "1", "4"), "none"},
		{"none of", on(count, criteria.NoneOf, "1", "4"), "some"},
		{"missing", on(average, criteria.Missing), "none"},
		{"present", on(average, criteria.Present), "some"},
		{"within", &criteria.Bound{Column: average, Op: criteria.Within, Lower: &low, Upper: &high}, "some"},
		{"outside", &criteria.Bound{Column: average, Op: criteria.Outside, Lower: &low}, "none"},
		{"another figure", &criteria.Bound{Column: count, Op: criteria.LessThan, Other: sum}, "some"},
		{"a missing one", &criteria.Bound{Column: count, Op: criteria.MoreThan, Other: average}, "some"},
		{"all", group(criteria.All, on(count, criteria.AtLeast, "2"), on(average, criteria.Present)), "some"},
		{"any", group(criteria.Any, on(count, criteria.AtLeast, "3"), on(average, criteria.Present)), "none some"},
		{"none", group(criteria.None, on(count, criteria.AtLeast, "3"), on(count, criteria.Is, "1")), "some"},
	} {
		table, err := tableOf(s, counted, [][]string{nil}, c.having, nil)
		require.NoError(t, err)
		got := ""
		for _, row := range texts(table.Rows) {
			if got != "" {
				got += " "
			}
			got += row[0]
		}
		assert.Equal(t, c.want, got, c.name)
		assert.EqualValues(t, 6, table.Records, "what is not shown was counted all the same")
	}
}

func TestTooManyRows(t *testing.T) {
	s := spec([]Group{{Of: on, By: Day, Fill: true}, {Of: route}}, Figure{Kind: Count})
	var counted []Counted
	for i := range 60 {
		counted = append(counted, Counted{key(0, string(rune('a'+i))), 1, []Part{{}}})
	}
	_, err := tableOf(s, counted, [][]string{namesOf(t, Day, "2020-01-01", "2026-01-01"), nil}, nil, nil)
	assert.ErrorIs(t, err, ErrTooMany)
}

func TestLeftOut(t *testing.T) {
	s := spec(nil, Figure{Kind: Sum, Of: carry})
	table, err := tableOf(s, []Counted{{nil, 9, []Part{{Sum: decimal.NewFromInt(4), Taken: 2, Missing: 5, Unreadable: 2}}}}, nil, nil, nil)
	require.NoError(t, err)
	assert.Equal(t, []Part{{Missing: 5, Unreadable: 2}}, table.Left)
	assert.Equal(t, [][]string{{"4"}}, texts(table.Rows))
}

// Shares are of all groups, those that are not shown included; ratios are exact; what is divided by
// nothing is missing.
func TestFiguresOfFigures(t *testing.T) {
	s := spec([]Group{{Of: route}}, Figure{Kind: Count}, Figure{Kind: Sum, Of: charge}, Figure{Kind: Sum, Of: carry}, Figure{Kind: Share, From: []int{0}}, Figure{Kind: Per, From: []int{1, 2}}, Figure{Kind: Per, From: []int{2, 0}})
	group := func(name string, records int64, charge string, carried int64) Counted {
		n, err := decimal.NewFromString(charge)
		require.NoError(t, err)
		return Counted{[]Key{{Value: value.Chars(name)}}, records, []Part{{}, {Sum: n, Taken: 1}, {Sum: decimal.NewFromInt(carried), Taken: 1}, {}, {}, {}}}
	}
	having := &criteria.Bound{Column: s.Figures[0].Shown, Op: criteria.AtLeast, Numbers: []decimal.Decimal{decimal.NewFromInt(2)}}
	table, err := tableOf(s, []Counted{group("a", 1, "10.00", 3), group("b", 2, "-10.00", 3), group("c", 5, "0.05", 0)}, [][]string{nil}, having, nil)
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"b", "2", "-10", "3", "25", "-3.33", "1.5"}, {"c", "5", "0.05", "0", "62.5", "-", "0"}}, texts(table.Rows))
	assert.Equal(t, [][]string{{"-", "7", "-9.95", "3", "-", "-", "-"}}, texts([][]value.Value{table.Total}), "of the rows that are shown")
	table, err = tableOf(s, nil, [][]string{nil}, nil, nil)
	require.NoError(t, err)
	assert.Empty(t, table.Rows)
	// Sums of binary fractions have shares too.
	f := spec([]Group{{Of: route}}, Figure{Kind: Sum, Of: weight}, Figure{Kind: Share, From: []int{0}})
	table, err = tableOf(f, []Counted{{[]Key{{Value: value.Chars("a")}}, 1, []Part{{Value: value.Real(0.5), Taken: 1}, {}}}, {[]Key{{}}, 1, []Part{{Value: value.Real(1.5), Taken: 1}, {}}}}, [][]string{nil}, nil, nil)
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"a", "0.5", "25"}, {"-", "1.5", "75"}}, texts(table.Rows))
}

// Units stand beside those at the same place, days a year apart beside the same day; 29 February stands
// beside nothing, and so does what a longer period has more.
func TestAligned(t *testing.T) {
	units := func(by By, first, last string) []civil.Period {
		all, ok := Units(by, civil.MustParseDay(first), civil.MustParseDay(last))
		require.True(t, ok)
		return all
	}
	leap, before := units(Day, "2024-02-27", "2024-03-02"), units(Day, "2023-02-27", "2023-03-02")
	assert.Equal(t, []int{0, 1, 3, 4}, Aligned(Day, leap, before, true))
	assert.Equal(t, []int{0, 1, Missing, 2, 3}, Aligned(Day, units(Day, "2025-02-27", "2025-03-02"), leap, true))
	assert.Equal(t, []int{0, 1, 2, 3}, Aligned(Day, leap, before, false))
	assert.Equal(t, []int{0, 1, Missing}, Aligned(Day, units(Day, "2026-02-01", "2026-02-02"), units(Day, "2026-01-01", "2026-01-03"), false))
	// 2026 has 53 ISO weeks and 2027 52, and the year begins within one.
	weeks := Aligned(Week, units(Week, "2027-01-01", "2027-12-31"), units(Week, "2026-01-01", "2026-12-31"), true)
	assert.Len(t, weeks, 53)
	assert.Equal(t, 52, weeks[52])
	assert.Equal(t, []int{0, 1, 2}, Aligned(Month, units(Month, "2026-01-01", "2026-03-15"), units(Month, "2025-01-01", "2025-03-15"), true))
	assert.Empty(t, Aligned(Day, leap, nil, true))
}

// Another period's figures stand beside the rows, groups that only it has get rows, and its totals are
// of all it has, what has no place included.
func TestBeside(t *testing.T) {
	s := spec([]Group{{Of: on, By: Day, Fill: true}, {Of: route}}, Figure{Kind: Count}, Figure{Kind: Share, From: []int{0}})
	s.Parted = true
	counted := func(unit int, route string, n int64) Counted { return Counted{key(unit, route), n, []Part{{}, {}}} }
	other := s.Tally()
	for _, c := range []Counted{counted(0, "b", 2), counted(1, "a", 5), counted(2, "a", 7)} {
		require.NoError(t, other.Add(c))
	}
	here := s.Tally()
	for _, c := range []Counted{counted(0, "a", 1), counted(1, "a", 3)} {
		require.NoError(t, here.Add(c))
	}
	table, err := here.Table(Asked{Names: [][]string{{"1st", "2nd"}, nil}, Beside: []Beside{{other, [][]int{{0, 1, Missing}, nil}}}})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"1st", "a", "1", "25", "0", "-"}, {"1st", "b", "0", "0", "2", "14.3"}, {"2nd", "a", "3", "75", "5", "35.7"}, {"2nd", "b", "0", "0", "0", "-"}}, texts(table.Rows))
	assert.Equal(t, [][]string{{"-", "-", "4", "-", "14", "-"}}, texts([][]value.Value{table.Total}))
	assert.Equal(t, []int64{7}, table.Alone)
	require.Len(t, table.Parts, 2)
	assert.Equal(t, Subtotal{Of: value.Chars("1st"), Rows: 2, Records: 1, Total: table.Parts[0].Total}, table.Parts[0])
	assert.Equal(t, [][]string{{"-", "-", "1", "-", "2", "-"}}, texts([][]value.Value{table.Parts[0].Total})[:1])
}

// The first rows stand alone and the rest in one; series beyond the most are put together as others, and
// those of another period the same way.
func TestTheFirstAndTheRest(t *testing.T) {
	group := func(name string, n int64, sum float64) Counted {
		return Counted{[]Key{{Value: value.Chars(name)}}, n, []Part{{}, {Sum: decimal.NewFromFloat(sum), Taken: n}, {Taken: n}}}
	}
	s := spec([]Group{{Of: route}}, Figure{Kind: Count}, Figure{Kind: Average, Of: carry}, Figure{Kind: CountDistinct, Of: route})
	s.First, s.Rest = 1, true
	all := s.Tally()
	for _, c := range []Counted{group("a", 1, 8), group("b", 4, 4), group("c", 2, 8)} {
		require.NoError(t, all.Add(c))
	}
	order := []criteria.Sort{{Column: s.Figures[0].Shown, Descending: true}}
	table, err := all.Table(Asked{Names: [][]string{nil}, Order: order, Beside: []Beside{{all, [][]int{nil}}}})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"b", "4", "1", "4", "4", "1", "4"}, {"others", "3", "5.33", "-", "3", "5.33", "-"}}, texts(table.Rows), "different values of several groups are not told")
	s.Rest = false
	table, err = all.Table(Asked{Names: [][]string{nil}, Order: order})
	require.NoError(t, err)
	assert.Len(t, table.Rows, 1)
	assert.Equal(t, "7", table.Total[1].String(), "the total is of all")

	of := spec([]Group{{Of: on, By: Day}, {Of: route}}, Figure{Kind: Count})
	of.Series = Series{Group: 1, First: 2}
	series, other := of.Tally(), of.Tally()
	for _, c := range []struct {
		unit  int
		route string
		n     int64
	}{{0, "a", 1}, {0, "b", 5}, {0, "c", 2}, {1, "a", 1}, {1, "c", 9}, {1, "d", 3}} {
		require.NoError(t, series.Add(Counted{key(c.unit, c.route), c.n, []Part{{}}}))
		require.NoError(t, other.Add(Counted{key(c.unit, c.route), 10 * c.n, []Part{{}}}))
	}
	table, err = series.Table(Asked{Names: [][]string{{"1st", "2nd"}, nil}, Beside: []Beside{{other, [][]int{{0, 1}, nil}}}})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"1st", "b", "5", "50"}, {"1st", "c", "2", "20"}, {"1st", "others", "1", "10"}, {"2nd", "c", "9", "90"}, {"2nd", "others", "4", "40"}}, texts(table.Rows))
	assert.Equal(t, int64(21), table.Records)
}

func TestChange(t *testing.T) {
	for _, c := range []struct{ is, was, difference, perCent string }{
		{"12", "10", "2", "20.0"}, {"9", "10", "-1", "-10.0"}, {"1", "3", "-2", "-66.7"}, {"5", "0", "5", ""}, {"0", "0", "0", ""}, {"5", "-10", "15", "150.0"}, {"0.30", "0.1", "0.2", "200.0"},
	} {
		difference, perCent := Change(value.Digits(c.is), value.Digits(c.was))
		assert.Equal(t, []string{c.difference, c.perCent}, []string{difference.String(), perCent}, "%+v", c)
	}
	difference, perCent := Change(value.Value{}, value.Whole(3))
	assert.True(t, difference.IsMissing())
	assert.Empty(t, perCent)
}

// Of more groups than a table has the first stand alone all the same, where they are wanted, and what is
// told of all is of all.
func TestVeryManyGroups(t *testing.T) {
	s := spec([]Group{{Of: route}}, Figure{Kind: Count}, Figure{Kind: Sum, Of: carry})
	s.First, s.Rest = 2, true
	order := []criteria.Sort{{Column: s.Figures[0].Shown, Descending: true}}
	all := s.Tally()
	all.First(order)
	records, most := int64(0), int64(0)
	for i := range int64(2*MostRows + 50) {
		n := (i * 7919) % 1_000_003
		records, most = records+n, max(most, n)
		require.NoError(t, all.Add(Counted{[]Key{{Value: value.Chars(fmt.Sprint(i))}}, n, []Part{{}, {Sum: decimal.NewFromInt(1), Missing: 1}}}))
	}
	table, err := all.Table(Asked{Names: [][]string{nil}, Order: order})
	require.NoError(t, err)
	require.Len(t, table.Rows, 3)
	assert.Equal(t, records, table.Records)
	assert.EqualValues(t, 2*MostRows+50, table.Left[1].Missing)
	shown, _ := table.Rows[0][1].Int()
	next, _ := table.Rows[1][1].Int()
	rest, _ := table.Rows[2][1].Int()
	assert.Equal(t, records, shown+next+rest)
	assert.Greater(t, shown, next)
	assert.Equal(t, most, shown)
	assert.Equal(t, fmt.Sprint(2*MostRows+48), table.Rows[2][2].String())
	assert.Equal(t, fmt.Sprint(records), table.Total[1].String())
}
