package evidence

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/value"
)

var (
	on    = &column.Column{Name: "on", Type: column.Date, Stored: column.StoredText, Pattern: column.ISODay}
	due   = &column.Column{Name: "due", Type: column.Date, Stored: column.StoredText, Pattern: column.ISODay}
	route = &column.Column{Name: "route", Type: column.Text}

	march  = civil.Period{First: civil.MustParseDay("2026-03-01"), Last: civil.MustParseDay("2026-03-31")}
	period = &criteria.Bound{Column: on, Op: criteria.Within, Periods: []civil.Period{march}}
	isDue  = &criteria.Bound{Column: due, Op: criteria.Before, Periods: []civil.Period{march}}
	is     = &criteria.Bound{Column: route, Op: criteria.Is, Texts: []string{"x"}}
	gone   = &criteria.Bound{Column: due, Op: criteria.Missing}
)

func group(l criteria.Logic, nodes ...*criteria.Bound) *criteria.Bound {
	return &criteria.Bound{Logic: l, Nodes: nodes}
}

func TestPlans(t *testing.T) {
	any := group(criteria.Any, period, is)
	nested := group(criteria.All, is, isDue)
	sort := []criteria.Sort{{Column: route}, {Column: due}}
	for name, c := range map[string]struct {
		parts []*criteria.Bound
		want  Plan
	}{
		"the period comes first":             {[]*criteria.Bound{group(criteria.All, is, period, gone)}, Plan{period, true, []*criteria.Bound{is, gone}, on}},
		"the first of two is reconciled":     {[]*criteria.Bound{group(criteria.All, isDue, period)}, Plan{isDue, true, []*criteria.Bound{period}, due}},
		"the report's own after the query's": {[]*criteria.Bound{is, nil, period}, Plan{period, true, []*criteria.Bound{is}, on}},
		"inside any it is no step":           {[]*criteria.Bound{group(criteria.All, any, gone)}, Plan{period, false, []*criteria.Bound{any, gone}, on}},
		"a nested group is one step":         {[]*criteria.Bound{group(criteria.All, nested, gone)}, Plan{isDue, false, []*criteria.Bound{nested, gone}, due}},
		"missing is no period":               {[]*criteria.Bound{gone}, Plan{nil, false, []*criteria.Bound{gone}, due}},
		"no criteria":                        {nil, Plan{Dated: due}},
	} {
		assert.Equal(t, c.want, PlanOf(c.parts, sort, []*column.Column{route, on}), name)
	}
	assert.Same(t, on, PlanOf(nil, nil, []*column.Column{route, on}).Dated, "else the first that is shown")
	assert.Nil(t, PlanOf(nil, nil, []*column.Column{route}).Dated)
}

func TestSum(t *testing.T) {
	span := func(first, last int64) Span { return Span{first, last, true} }
	groups := []Group{
		{Before, 0, 100, span(1, 40)}, {Before, 2, 10, span(5, 30)}, {Inside, 0, 7, span(50, 60)}, {Inside, 1, 5, span(51, 59)}, {Inside, 2, 3, span(52, 58)},
		{After, 1, 20, span(70, 90)}, {After, 2, 2, span(75, 80)}, {Missing, 2, 4, Span{}}, {Unreadable, 0, 1, Span{}},
	}
	p := Plan{Period: period, Alone: true, Steps: []*criteria.Bound{is, gone}, Dated: on}
	assert.Equal(t, Figures{All: 152, Classes: [6]int64{110, 15, 0, 22, 4, 1}, Left: []int64{15, 8, 3}, Result: 3, Span: span(52, 58), Data: span(1, 90),
		Earlier: span(5, 30), Later: span(75, 80), Otherwise: 19}, p.Sum(groups))

	byDay := []Group{{Inside, 2, 3, span(50, 50)}, {Inside, 2, 9, span(55, 55)}, {Inside, 1, 4, span(60, 60)}, {Inside, 2, 2, span(60, 60)}}
	assert.Equal(t, &[2]int64{3, 2}, p.Sum(byDay).OnEnds)
	assert.Equal(t, &[2]int64{9, 9}, p.Sum(byDay[1:3]).OnEnds, "first and last are one day")
	assert.Nil(t, p.Sum(append(byDay, Group{Inside, 2, 1, span(52, 53)})).OnEnds, "a group of two days does not tell how many lie on each")
	assert.Nil(t, p.Sum(byDay[2:3]).OnEnds)

	outside := *period
	outside.Op = criteria.Outside
	p.Period = &outside
	f := p.Sum(groups)
	assert.Equal(t, []int64{137, 36, 16}, f.Left, "what lies outside is kept, without a date too")
	assert.Equal(t, span(5, 80), f.Span)
	assert.False(t, f.Earlier.Any || f.Later.Any)

	p = Plan{Period: period, Steps: []*criteria.Bound{group(criteria.Any, period, is), gone}, Dated: on}
	f = p.Sum(groups)
	assert.Equal(t, []int64{44, 19}, f.Left, "a period inside a group decides nothing by itself")
	assert.EqualValues(t, 152, f.All)

	assert.Equal(t, Figures{Left: []int64{}}, Plan{}.Sum(nil), "no records at all")
}

func TestNear(t *testing.T) {
	d := civil.MustParseDay
	days := func(first, last string) civil.Period { return civil.Period{First: d(first), Last: d(last)} }
	for name, c := range map[string]struct {
		asked          civil.Period
		earlier, later civil.Day
		want           []civil.Period
	}{
		"none":                     {march, 0, 0, nil},
		"the month of the nearer":  {march, d("2026-01-20"), d("2026-04-02"), []civil.Period{days("2026-04-01", "2026-04-30"), days("2026-04-02", "2026-04-02")}},
		"equally far, the earlier": {march, d("2026-02-27"), d("2026-04-02"), []civil.Period{days("2026-02-01", "2026-02-28"), days("2026-02-27", "2026-02-27")}},
		"a year":                   {days("2020-01-01", "2020-12-31"), 0, d("2024-05-05"), []civil.Period{days("2024-01-01", "2024-12-31"), days("2024-05-05", "2024-05-05")}},
		"a week":                   {days("2026-11-16", "2026-11-22"), d("2026-11-05"), 0, []civil.Period{days("2026-11-02", "2026-11-08"), days("2026-11-05", "2026-11-05")}},
		"so many days, up to it":   {days("2026-11-15", "2026-11-17"), d("2026-11-05"), 0, []civil.Period{days("2026-11-03", "2026-11-05"), days("2026-11-05", "2026-11-05")}},
		"so many days, from it":    {days("2026-11-15", "2026-11-17"), 0, d("2026-12-01"), []civil.Period{days("2026-12-01", "2026-12-03"), days("2026-12-01", "2026-12-01")}},
		"one day":                  {days("2026-11-15", "2026-11-15"), d("2026-11-05"), 0, []civil.Period{days("2026-11-05", "2026-11-05")}},
		"an open side":             {civil.Period{First: d("2026-11-15")}, d("2026-11-05"), 0, []civil.Period{days("2026-11-05", "2026-11-05")}},
		"at the end of time":       {days("2026-11-15", "2026-11-17"), 0, civil.MaxDay, []civil.Period{{First: civil.MaxDay, Last: civil.MaxDay}}},
	} {
		assert.Equal(t, c.want, Near(c.asked, c.earlier, c.later), name)
	}
}

// Values that mean the same have the same bytes, however a database writes them; values
// that differ have others.
func TestValuesInAFingerprint(t *testing.T) {
	money := &column.Column{Type: column.Decimal, Scale: 2}
	number := &column.Column{Type: column.Number}
	instant := func(s column.Stored) *column.Column {
		return &column.Column{Type: column.Instant, Stored: s, Pattern: column.ISOTime}
	}
	bytes := func(c *column.Column, v value.Value) string { return string(AppendValue(nil, c, v)) }
	for name, same := range map[string][]string{
		"a decimal": {bytes(money, value.Digits("12.50")), bytes(money, value.Digits("12.5")), bytes(money, value.Real(12.5))},
		"a whole one": {bytes(money, value.Whole(12)), bytes(money, value.Digits("12.00")), bytes(money, value.Real(12)),
			bytes(&column.Column{Type: column.Integer}, value.Whole(12))},
		"zero":            {bytes(money, value.Whole(0)), bytes(money, value.Digits("-0.00")), bytes(money, value.Real(math.Copysign(0, -1)))},
		"a fraction":      {bytes(number, value.Real(0.1)), bytes(number, value.Digits("0.1"))},
		"a fraction of 0": {bytes(number, value.Real(0)), bytes(number, value.Real(math.Copysign(0, -1))), bytes(number, value.Whole(0))},
		"missing":         {bytes(route, value.Value{}), bytes(money, value.Value{}), bytes(&column.Column{Type: column.Text, EmptyMissing: true}, value.Chars(""))},
		"an instant": {bytes(instant(column.StoredText), value.Chars("2026-03-05 10:00:00.25")), bytes(instant(column.Native), value.Chars("2026-03-05 10:00:00.250000+00")),
			bytes(instant(column.EpochMillis), value.Whole(1772704800250)), bytes(instant(column.EpochSeconds), value.Real(1772704800.25))},
		"before 1970": {bytes(instant(column.StoredText), value.Chars("1969-12-31 23:59:59.75")), bytes(instant(column.EpochMillis), value.Whole(-250)), bytes(instant(column.EpochSeconds), value.Real(-0.25))},
		"a day":       {bytes(on, value.Chars("2026-03-05")), bytes(&column.Column{Type: column.Date, Stored: column.EightDigits}, value.Whole(20260305))},
	} {
		for _, other := range same[1:] {
			assert.Equal(t, same[0], other, name)
		}
	}
	different := []string{bytes(route, value.Chars("")), bytes(route, value.Value{}), bytes(route, value.Chars("12")), bytes(money, value.Whole(12)), bytes(money, value.Digits("12.01")),
		bytes(on, value.Chars("12")), bytes(number, value.Whole(12)), bytes(&column.Column{Type: column.YesNo}, value.Whole(1)),
		bytes(instant(column.StoredText), value.Chars("2026-03-05 10:00:00.000001")), bytes(instant(column.StoredText), value.Chars("2026-03-05 10:00:00"))}
	seen := map[string]bool{}
	for i, b := range different {
		assert.False(t, seen[b], "the %d. has the bytes of another", i)
		seen[b] = true
	}
}

// Rows and columns cannot run into each other.
func TestFingerprintsTellRowsApart(t *testing.T) {
	sum := func(columns []*column.Column, rows ...[]value.Value) string {
		f := NewFingerprint(columns)
		for _, row := range rows {
			f.Add(row)
		}
		return f.Sum()
	}
	text := func(texts ...string) (row []value.Value) {
		for _, t := range texts {
			row = append(row, value.Chars(t))
		}
		return row
	}
	two := []*column.Column{{Name: "a", Type: column.Text}, {Name: "b", Type: column.Text}}
	sums := map[string]bool{}
	for _, s := range []string{sum(two, text("x", "y")), sum(two, text("xy", "")), sum(two, text("", "xy")), sum(two, text("y", "x")), sum(two, text("x", "y"), text("x", "y")), sum(two),
		sum(two, text("x", "y"), text("z", "z")), sum(two, text("z", "z"), text("x", "y")), sum(two[:1], text("x")), sum([]*column.Column{{Name: "b", Type: column.Text}}, text("x"))} {
		assert.Len(t, s, 64)
		assert.False(t, sums[s], "%d results before it have the same fingerprint", len(sums))
		sums[s] = true
	}
	assert.Equal(t, sum(two, text("x", "y")), sum(two, append(text("x", "y"), value.Whole(7))), "what is not shown does not count")
}
