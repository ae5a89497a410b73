package criteria_test

import (
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/readback"
)

var (
	departed = &column.Column{Name: "departed_at", Label: "Departed", Type: column.Instant}
	due      = &column.Column{Name: "due_on", Label: "Due on", Type: column.Date}
	route    = &column.Column{Name: "route", Label: "Route", Type: column.Text}
	late     = &column.Column{Name: "late", Label: "Minutes late", Type: column.Integer, Unit: "min"}

	period  = &prompt.Prompt{Name: "days", Type: prompt.Period}
	routes  = &prompt.Prompt{Name: "routes", Type: prompt.Choice, Many: true}
	minutes = &prompt.Prompt{Name: "minutes", Type: prompt.Number}
	opened  = &column.Column{Name: "opened_on", Label: "Opened on", Type: column.Date}
	full    = &column.Column{Name: "full", Label: "Full", Type: column.YesNo}
	span    = &prompt.Prompt{Name: "span", Type: prompt.NumberRange, Open: prompt.OpenEnd}
	word    = &prompt.Prompt{Name: "word", Type: prompt.Text}
	whether = &prompt.Prompt{Name: "whether", Type: prompt.YesNo}
	moment  = &prompt.Prompt{Name: "moment", Type: prompt.Moment}
	moments = &prompt.Prompt{Name: "moments", Type: prompt.MomentPeriod}
	winter  = &prompt.Prompt{Name: "winter", Type: prompt.Choice, Many: true}

	setting = phrase.Setting{AsOf: civil.MustParseDay("2026-11-23")}
	clock   = criteria.Clock{Name: "Harbour time", Zone: time.UTC}
)

var fifteen = decimal.NewFromInt(15)

func on(c *column.Column, op criteria.Op, operand criteria.Operand) *criteria.Node {
	return &criteria.Node{Column: c, Op: op, Operand: operand}
}

func text(texts ...string) criteria.Operand { return criteria.Operand{Texts: texts} }

func asked(p *prompt.Prompt) criteria.Operand { return criteria.Operand{Prompt: p} }

func allOf(nodes ...*criteria.Node) *criteria.Node {
	return &criteria.Node{Logic: criteria.All, Nodes: nodes}
}

func anyOf(nodes ...*criteria.Node) *criteria.Node {
	return &criteria.Node{Logic: criteria.Any, Nodes: nodes}
}

func answers() prompt.Answers {
	return prompt.Answers{
		"days":    {Prompt: period, Given: true, Period: civil.Period{First: civil.MustParseDay("2026-06-01"), Last: civil.MustParseDay("2026-08-31")}},
		"routes":  {Prompt: routes, Given: true, Choices: []prompt.Option{{Value: "o", Label: "Outer Loop"}, {Value: "s", Label: "Skerry Run"}}},
		"minutes": {Prompt: minutes, Given: true, Number: decimal.NewFromInt(15)},
		"winter":  {Prompt: winter, Given: true, Choices: []prompt.Option{{Value: "feb", Label: "Deep winter"}, {Value: "1", Label: "January"}}},
		"span":    {Prompt: span, Given: true, Lower: &fifteen},
		"word":    {Prompt: word, Given: true, Text: "Loop"},
		"whether": {Prompt: whether, Given: true},
		"moment":  {Prompt: moment, Given: true, Moments: civil.MomentPeriod{First: civil.Moment{At: 1772721000, Size: 60}, Last: civil.Moment{At: 1772721000, Size: 60}}},
		"moments": {Prompt: moments, Given: true, Moments: civil.MomentPeriod{First: civil.Moment{At: 1772721000, Size: 60}, Last: civil.Moment{At: 1772722830, Size: 1}}},
	}
}

func TestReadBack(t *testing.T) {
	for _, c := range []struct {
		name string
		node *criteria.Node
		want string
	}{
		{"nothing", nil, "Sailings without any condition."},
		{"a period on instants", on(departed, criteria.Within, asked(period)), "Sailings departed from Mon 1 Jun 2026 through Mon 31 Aug 2026 (92 days, Harbour time)."},
		{"a period on days", on(due, criteria.Within, text("June 2026")), "Sailings due from Mon 1 Jun 2026 through Tue 30 Jun 2026 (30 days)."},
		{"one day", on(due, criteria.Is, text("today")), "Sailings due on Mon 23 Nov 2026 (the whole day)."},
		{"one of several days", on(due, criteria.AnyOf, text("today", "1 Dec 2026")), "Sailings due on one of Mon 23 Nov 2026, Tue 1 Dec 2026."},
		{"open end", on(due, criteria.Within, text("since 1 Jun 2026")), "Sailings due from Mon 1 Jun 2026 on (that day included)."},
		{"open start", on(due, criteria.Within, text("until 1 Jun 2026")), "Sailings due through Mon 1 Jun 2026 (that day included)."},
		{"from", on(departed, criteria.From, text("today")), "Sailings departed from Mon 23 Nov 2026 on (that day included, Harbour time)."},
		{"through", on(due, criteria.Through, text("today")), "Sailings due through Mon 23 Nov 2026 (that day included)."},
		{"before", on(due, criteria.Before, text("today")), "Sailings due before Mon 23 Nov 2026 (that day left out)."},
		{"after", on(due, criteria.After, text("today")), "Sailings due after Mon 23 Nov 2026 (that day left out)."},
		{"numbers", allOf(on(late, criteria.AtLeast, asked(minutes)), on(late, criteria.AtMost, text("60"))), "Sailings minutes late at least 15 min, and minutes late at most 60 min."},
		{"choices by their labels", on(route, criteria.AnyOf, asked(routes)), "Sailings route is one of Outer Loop, Skerry Run."},
		{"one text", on(route, criteria.Is, text("o")), "Sailings route is o."},
		{"missing and present", allOf(on(due, criteria.Missing, criteria.Operand{}), on(route, criteria.Present, criteria.Operand{})), "Sailings due on is missing, and route is present."},
		{"any on top", anyOf(on(route, criteria.Is, text("o")), on(late, criteria.AtLeast, text("9"))), "Sailings either (route is o or minutes late at least 9 min)."},
		{"all within any within all", allOf(on(due, criteria.Present, criteria.Operand{}), anyOf(on(route, criteria.Is, text("o")), allOf(on(route, criteria.Is, text("s")), on(late, criteria.Is, text("0")))), on(late, criteria.Present, criteria.Operand{})),
			"Sailings due on is present, either (route is o or (route is s, and minutes late is 0 min)), and minutes late is present."},
		{"every January", on(departed, criteria.RecursIn, criteria.Operand{Recurs: criteria.Recurrence{criteria.Months, []int{1}}}), "Sailings departed in January of any year (Harbour time)."},
		{"months that are asked for", on(departed, criteria.RecursIn, criteria.Operand{Prompt: winter, Recurs: criteria.Recurrence{Part: criteria.Months}}), "Sailings departed in January or February of any year (Harbour time)."},
		{"parts of any year", allOf(on(due, criteria.RecursIn, criteria.Operand{Recurs: criteria.Recurrence{criteria.Quarters, []int{1, 4}}}), on(due, criteria.RecursIn, criteria.Operand{Recurs: criteria.Recurrence{criteria.Days, []int{1, 15, 31}}}), on(due, criteria.RecursIn, criteria.Operand{Recurs: criteria.Recurrence{criteria.Weekdays, []int{0, 1}}})),
			"Sailings due in the first quarter or the fourth quarter of any year, due on day 1, 15 or 31 of any month, and due on a Sunday or a Monday of any week."},
		{"a part of the day", on(departed, criteria.ClockWithin, criteria.Operand{Times: civil.TimeRange{From: 6 * 3600, Until: 9*3600 + 60, Size: 60}}), "Sailings departed by the clock from 06:00 through 09:00 of any day (that minute included, Harbour time)."},
		{"over midnight", on(departed, criteria.ClockWithin, criteria.Operand{Times: civil.TimeRange{From: 22 * 3600, Until: 2 * 3600, Size: 1}}), "Sailings departed by the clock from 22:00:00 through 01:59:59 the next day, any day (that second included, Harbour time)."},
		{"a moment", on(departed, criteria.Is, asked(moment)), "Sailings departed at Thu 5 Mar 2026 14:30 (the whole of that minute, Harbour time)."},
		{"moments", allOf(on(departed, criteria.From, asked(moment)), on(departed, criteria.Through, asked(moment)), on(departed, criteria.Before, asked(moment)), on(departed, criteria.After, asked(moment))),
			"Sailings departed from Thu 5 Mar 2026 14:30 on (that minute included, Harbour time), departed through Thu 5 Mar 2026 14:30 (that minute included, Harbour time), " +
				"departed before Thu 5 Mar 2026 14:30 (that minute left out, Harbour time), and departed after Thu 5 Mar 2026 14:30 (that minute left out, Harbour time)."},
		{"a period of moments", on(departed, criteria.Within, asked(moments)), "Sailings departed from Thu 5 Mar 2026 14:30 through Thu 5 Mar 2026 15:00:30 (that second included, Harbour time)."},
		{"denials keep missing values, and say so", allOf(on(route, criteria.IsNot, text("o")), on(route, criteria.NoneOf, text("o", "s")), on(late, criteria.Outside, text("15", "60")), on(due, criteria.IsNot, text("today")), on(departed, criteria.Outside, text("June 2026"))),
			"Sailings route is not o (a missing one too), route is not one of o, s (a missing one too), minutes late not 15 through 60 min (a missing one too), due not on Mon 23 Nov 2026 (the whole day) (a missing one too), " +
				"and departed not from Mon 1 Jun 2026 through Tue 30 Jun 2026 (30 days, Harbour time) (a missing one too)."},
		{"none", &criteria.Node{Logic: criteria.None, Nodes: []*criteria.Node{on(route, criteria.Is, text("o")), on(late, criteria.LessThan, text("15"))}}, "Sailings none of (route is o or minutes late less than 15 min)."},
		{"ranges", allOf(on(late, criteria.Within, text("15", "60")), on(late, criteria.Within, asked(span)), on(late, criteria.AtMost, criteria.Operand{Prompt: span, Side: criteria.EndSide}), on(late, criteria.MoreThan, text("3"))),
			"Sailings minutes late 15 through 60 min, minutes late at least 15 min, and minutes late more than 3 min; any minutes late (span left unanswered)."},
		{"texts", allOf(on(route, criteria.Contains, text("%")), on(route, criteria.StartsWith, asked(word)), &criteria.Node{Column: route, Op: criteria.EndsWith, Operand: text("x"), IgnoreCase: true}),
			"Sailings route contains %, route starts with Loop, and route ends with x in any case."},
		{"another column", allOf(on(due, criteria.After, criteria.Operand{Column: opened}), on(due, criteria.IsNot, criteria.Operand{Column: opened})),
			"Sailings due after the record's opened on, and due not the same as the record's opened on (a missing one too)."},
		{"yes or no", allOf(on(full, criteria.Is, text("yes")), on(full, criteria.IsNot, asked(whether))), "Sailings full is yes, and full is not no (a missing one too)."},
		{"a side of a period", on(due, criteria.From, criteria.Operand{Prompt: period, Side: criteria.EndSide}), "Sailings due from Mon 31 Aug 2026 on (that day included)."},
		{"a filter", &criteria.Node{Filter: &criteria.Filter{Name: "f", Where: on(route, criteria.Is, text("o"))}}, "Sailings route is o."},
	} {
		bound, dropped := criteria.Bind(c.node, answers(), setting)
		assert.Equal(t, c.want, readback.Say(readback.Subject{Title: "Sailings"}, bound, dropped, nil, clock).String(), c.name)
	}
}

func TestReadBackOfTheOrder(t *testing.T) {
	order := []criteria.Sort{{departed, true}, {due, false}, {late, true}, {late, false}, {route, false}, {route, true}}
	assert.Equal(t, "Sailings without any condition; sorted by departed, newest first, then due on, oldest first, then minutes late, greatest first, "+
		"then minutes late, least first, then route, A to Z, then route, Z to A.", readback.Say(readback.Subject{Title: "Sailings"}, nil, nil, order, clock).String())
}

func TestUnansweredConditionsAreDropped(t *testing.T) {
	given := answers()
	given["routes"].Given = false
	bound, dropped := criteria.Bind(allOf(on(departed, criteria.Within, asked(period)), anyOf(on(route, criteria.AnyOf, asked(routes)))), given, setting)
	assert.Len(t, bound.Nodes, 1, "the group that held nothing else is dropped too")
	assert.Equal(t, []criteria.Dropped{{route, routes}}, dropped)
	assert.Equal(t, "Sailings departed from Mon 1 Jun 2026 through Mon 31 Aug 2026 (92 days, Harbour time); any route (routes left unanswered).",
		readback.Say(readback.Subject{Title: "Sailings"}, bound, dropped, nil, clock).String())

	bound, dropped = criteria.Bind(on(route, criteria.AnyOf, asked(routes)), given, setting)
	assert.Nil(t, bound)
	assert.Len(t, dropped, 1)
}

func TestSpansOfTheLastDay(t *testing.T) {
	last := civil.StartOf(civil.MaxDay)
	for _, c := range []struct {
		op   criteria.Op
		want criteria.Span
	}{
		{criteria.Within, criteria.Span{From: last}}, {criteria.Is, criteria.Span{From: last}}, {criteria.From, criteria.Span{From: last}}, {criteria.Through, criteria.Span{}}, {criteria.Before, criteria.Span{Until: last}}, {criteria.After, criteria.Span{Empty: true}},
	} {
		b, _ := criteria.Bind(on(due, c.op, text("9999-12-31")), nil, setting)
		assert.Equal(t, []criteria.Span{c.want}, b.Spans(), "%s the last day that there is", c.op)
	}
}

func TestWhatExcludesMissing(t *testing.T) {
	for _, c := range []struct {
		name string
		node *criteria.Node
		want bool
	}{
		{"a condition on it", on(due, criteria.From, text("today")), true},
		{"missing itself", on(due, criteria.Missing, criteria.Operand{}), false},
		{"another column", on(late, criteria.Present, criteria.Operand{}), false},
		{"one of all", allOf(on(late, criteria.Present, criteria.Operand{}), on(due, criteria.Present, criteria.Operand{})), true},
		{"one of any", anyOf(on(late, criteria.Present, criteria.Operand{}), on(due, criteria.Present, criteria.Operand{})), false},
		{"each of any", anyOf(on(due, criteria.From, text("today")), on(due, criteria.Present, criteria.Operand{})), true},
	} {
		bound, _ := criteria.Bind(c.node, nil, setting)
		assert.Equal(t, c.want, bound.Excludes(due), c.name)
	}
}

func TestWhatOperatorsTake(t *testing.T) {
	day, days := &prompt.Prompt{Type: prompt.Day}, &prompt.Prompt{Type: prompt.Days}
	for _, c := range []struct {
		op       criteria.Op
		p        *prompt.Prompt
		on       column.Type
		ok, many bool
	}{
		{criteria.Within, period, column.Instant, true, false}, {criteria.Within, day, column.Date, false, false}, {criteria.Within, period, column.Text, false, false},
		{criteria.Is, day, column.Instant, true, false}, {criteria.Is, period, column.Date, false, false}, {criteria.Is, routes, column.Text, false, true}, {criteria.AnyOf, routes, column.Text, true, false},
		{criteria.AnyOf, days, column.Instant, true, false}, {criteria.Is, days, column.Date, false, true}, {criteria.AnyOf, days, column.Text, false, false}, {criteria.Within, days, column.Date, false, false},
		{criteria.Within, moments, column.Instant, true, false}, {criteria.Within, moments, column.Date, false, false}, {criteria.From, moment, column.Datetime, true, false}, {criteria.Is, moment, column.Date, false, false},
		{criteria.ClockWithin, &prompt.Prompt{Type: prompt.TimeRange}, column.Instant, true, false}, {criteria.ClockWithin, period, column.Instant, false, false},
		{criteria.Within, &prompt.Prompt{Type: prompt.Quarter}, column.Date, true, false}, {criteria.Within, &prompt.Prompt{Type: prompt.Year}, column.Text, false, false},
		{criteria.Within, span, column.Integer, true, false}, {criteria.Outside, span, column.Date, false, false}, {criteria.Contains, word, column.Text, true, false}, {criteria.Is, word, column.Integer, false, false},
		{criteria.Is, whether, column.YesNo, true, false}, {criteria.AnyOf, whether, column.YesNo, false, false}, {criteria.NoneOf, routes, column.Text, true, false}, {criteria.IsNot, routes, column.Text, false, true},
		{criteria.AtLeast, minutes, column.Decimal, true, false}, {criteria.AtLeast, minutes, column.Text, false, false}, {criteria.From, routes, column.Date, false, false},
	} {
		ok, many := c.op.Takes(c.p, "", c.on)
		assert.Equal(t, c.ok, ok, "%s %s on %s", c.op, c.p.Type, c.on)
		assert.Equal(t, c.many, many, "%s %s on %s", c.op, c.p.Type, c.on)
	}
}

// The words above a field are those of the read-back.
func TestLabels(t *testing.T) {
	day := &prompt.Prompt{Type: prompt.Day}
	for _, c := range []struct {
		op   criteria.Op
		p    *prompt.Prompt
		want []string
	}{
		{criteria.After, day, []string{"after, that day left out"}}, {criteria.Before, moment, []string{"before, that minute left out"}}, {criteria.From, day, []string{"from, that day included"}}, {criteria.Is, day, []string{""}},
		{criteria.Within, period, []string{"from, that day included", "through, that day included"}}, {criteria.Within, moments, []string{"from, that minute included", "through, that minute included"}},
		{criteria.Within, &prompt.Prompt{Type: prompt.Month, Pair: true}, []string{"from the start of", "through the end of"}}, {criteria.Within, &prompt.Prompt{Type: prompt.Year}, []string{""}},
		{criteria.Within, span, []string{"at least", "at most"}}, {criteria.LessThan, minutes, []string{"less than"}}, {criteria.Contains, word, []string{"contains"}},
		{criteria.ClockWithin, &prompt.Prompt{Type: prompt.TimeRange}, []string{"from, minute included", "through, minute included"}},
	} {
		assert.Equal(t, c.want, readback.Labels(c.op, c.p), "%s %s", c.op, c.p.Type)
	}
}
