package criteria

import (
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/record"
)

var (
	departed = &record.Column{Name: "departed_at", Label: "Departed", Type: record.Instant}
	due      = &record.Column{Name: "due_on", Label: "Due on", Type: record.Date}
	route    = &record.Column{Name: "route", Label: "Route", Type: record.Text}
	late     = &record.Column{Name: "late", Label: "Minutes late", Type: record.Integer, Unit: "min"}

	period  = &prompt.Prompt{Name: "days", Type: prompt.Period}
	routes  = &prompt.Prompt{Name: "routes", Type: prompt.Choice, Many: true}
	minutes = &prompt.Prompt{Name: "minutes", Type: prompt.Number}
	opened  = &record.Column{Name: "opened_on", Label: "Opened on", Type: record.Date}
	full    = &record.Column{Name: "full", Label: "Full", Type: record.YesNo}
	span    = &prompt.Prompt{Name: "span", Type: prompt.NumberRange, Open: prompt.OpenEnd}
	word    = &prompt.Prompt{Name: "word", Type: prompt.Text}
	whether = &prompt.Prompt{Name: "whether", Type: prompt.YesNo}
	moment  = &prompt.Prompt{Name: "moment", Type: prompt.Moment}
	moments = &prompt.Prompt{Name: "moments", Type: prompt.MomentPeriod}
	winter  = &prompt.Prompt{Name: "winter", Type: prompt.Choice, Many: true}

	setting = prompt.Setting{AsOf: civil.MustParseDay("2026-11-23")}
	clock   = Clock{Name: "Harbour time", Zone: time.UTC}
)

var fifteen = decimal.NewFromInt(15)

func on(c *record.Column, op Op, operand Operand) *Node {
	return &Node{Column: c, Op: op, Operand: operand}
}

func text(texts ...string) Operand { return Operand{Texts: texts} }

func asked(p *prompt.Prompt) Operand { return Operand{Prompt: p} }

func allOf(nodes ...*Node) *Node { return &Node{Logic: All, Nodes: nodes} }

func anyOf(nodes ...*Node) *Node { return &Node{Logic: Any, Nodes: nodes} }

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
		node *Node
		want string
	}{
		{"nothing", nil, "Sailings without any condition."},
		{"a period on instants", on(departed, Within, asked(period)), "Sailings departed from Mon 1 Jun 2026 through Mon 31 Aug 2026 (92 days, Harbour time)."},
		{"a period on days", on(due, Within, text("June 2026")), "Sailings due from Mon 1 Jun 2026 through Tue 30 Jun 2026 (30 days)."},
		{"one day", on(due, Is, text("today")), "Sailings due on Mon 23 Nov 2026 (the whole day)."},
		{"one of several days", on(due, AnyOf, text("today", "1 Dec 2026")), "Sailings due on one of Mon 23 Nov 2026, Tue 1 Dec 2026."},
		{"open end", on(due, Within, text("since 1 Jun 2026")), "Sailings due from Mon 1 Jun 2026 on (that day included)."},
		{"open start", on(due, Within, text("until 1 Jun 2026")), "Sailings due through Mon 1 Jun 2026 (that day included)."},
		{"from", on(departed, From, text("today")), "Sailings departed from Mon 23 Nov 2026 on (that day included, Harbour time)."},
		{"through", on(due, Through, text("today")), "Sailings due through Mon 23 Nov 2026 (that day included)."},
		{"before", on(due, Before, text("today")), "Sailings due before Mon 23 Nov 2026 (that day left out)."},
		{"after", on(due, After, text("today")), "Sailings due after Mon 23 Nov 2026 (that day left out)."},
		{"numbers", allOf(on(late, AtLeast, asked(minutes)), on(late, AtMost, text("60"))), "Sailings minutes late at least 15 min, and minutes late at most 60 min."},
		{"choices by their labels", on(route, AnyOf, asked(routes)), "Sailings route is one of Outer Loop, Skerry Run."},
		{"one text", on(route, Is, text("o")), "Sailings route is o."},
		{"missing and present", allOf(on(due, Missing, Operand{}), on(route, Present, Operand{})), "Sailings due on is missing, and route is present."},
		{"any on top", anyOf(on(route, Is, text("o")), on(late, AtLeast, text("9"))), "Sailings either (route is o or minutes late at least 9 min)."},
		{"all within any within all", allOf(on(due, Present, Operand{}), anyOf(on(route, Is, text("o")), allOf(on(route, Is, text("s")), on(late, Is, text("0")))), on(late, Present, Operand{})),
			"Sailings due on is present, either (route is o or (route is s, and minutes late is 0 min)), and minutes late is present."},
		{"every January", on(departed, RecursIn, Operand{Recurs: Recurrence{Months, []int{1}}}), "Sailings departed in January of any year (Harbour time)."},
		{"months that are asked for", on(departed, RecursIn, Operand{Prompt: winter, Recurs: Recurrence{Part: Months}}), "Sailings departed in January or February of any year (Harbour time)."},
		{"parts of any year", allOf(on(due, RecursIn, Operand{Recurs: Recurrence{Quarters, []int{1, 4}}}), on(due, RecursIn, Operand{Recurs: Recurrence{Days, []int{1, 15, 31}}}), on(due, RecursIn, Operand{Recurs: Recurrence{Weekdays, []int{0, 1}}})),
			"Sailings due in the first quarter or the fourth quarter of any year, due on day 1, 15 or 31 of any month, and due on a Sunday or a Monday of any week."},
		{"a part of the day", on(departed, ClockWithin, Operand{Times: civil.TimeRange{From: 6 * 3600, Until: 9*3600 + 60, Size: 60}}), "Sailings departed by the clock from 06:00 through 09:00 of any day (that minute included, Harbour time)."},
		{"over midnight", on(departed, ClockWithin, Operand{Times: civil.TimeRange{From: 22 * 3600, Until: 2 * 3600, Size: 1}}), "Sailings departed by the clock from 22:00:00 through 01:59:59 the next day, any day (that second included, Harbour time)."},
		{"a moment", on(departed, Is, asked(moment)), "Sailings departed at Thu 5 Mar 2026 14:30 (the whole of that minute, Harbour time)."},
		{"moments", allOf(on(departed, From, asked(moment)), on(departed, Through, asked(moment)), on(departed, Before, asked(moment)), on(departed, After, asked(moment))),
			"Sailings departed from Thu 5 Mar 2026 14:30 on (that minute included, Harbour time), departed through Thu 5 Mar 2026 14:30 (that minute included, Harbour time), " +
				"departed before Thu 5 Mar 2026 14:30 (that minute left out, Harbour time), and departed after Thu 5 Mar 2026 14:30 (that minute left out, Harbour time)."},
		{"a period of moments", on(departed, Within, asked(moments)), "Sailings departed from Thu 5 Mar 2026 14:30 through Thu 5 Mar 2026 15:00:30 (that second included, Harbour time)."},
		{"denials keep missing values, and say so", allOf(on(route, IsNot, text("o")), on(route, NoneOf, text("o", "s")), on(late, Outside, text("15", "60")), on(due, IsNot, text("today")), on(departed, Outside, text("June 2026"))),
			"Sailings route is not o (a missing one too), route is not one of o, s (a missing one too), minutes late not 15 through 60 min (a missing one too), due not on Mon 23 Nov 2026 (the whole day) (a missing one too), " +
				"and departed not from Mon 1 Jun 2026 through Tue 30 Jun 2026 (30 days, Harbour time) (a missing one too)."},
		{"none", &Node{Logic: None, Nodes: []*Node{on(route, Is, text("o")), on(late, LessThan, text("15"))}}, "Sailings none of (route is o or minutes late less than 15 min)."},
		{"ranges", allOf(on(late, Within, text("15", "60")), on(late, Within, asked(span)), on(late, AtMost, Operand{Prompt: span, Side: EndSide}), on(late, MoreThan, text("3"))),
			"Sailings minutes late 15 through 60 min, minutes late at least 15 min, and minutes late more than 3 min; any minutes late (span left unanswered)."},
		{"texts", allOf(on(route, Contains, text("%")), on(route, StartsWith, asked(word)), &Node{Column: route, Op: EndsWith, Operand: text("x"), IgnoreCase: true}),
			"Sailings route contains %, route starts with Loop, and route ends with x in any case."},
		{"another column", allOf(on(due, After, Operand{Column: opened}), on(due, IsNot, Operand{Column: opened}), on(route, Is, Operand{Person: PersonName})),
			"Sailings due after the record's opened on, due not the same as the record's opened on (a missing one too), and route is Ada."},
		{"yes or no", allOf(on(full, Is, text("yes")), on(full, IsNot, asked(whether))), "Sailings full is yes, and full is not no (a missing one too)."},
		{"a side of a period", on(due, From, Operand{Prompt: period, Side: EndSide}), "Sailings due from Mon 31 Aug 2026 on (that day included)."},
		{"a filter", &Node{Filter: &Filter{Name: "f", Where: on(route, Is, text("o"))}}, "Sailings route is o."},
	} {
		bound, dropped := Bind(c.node, answers(), Person{PersonName: "Ada"}, setting)
		assert.Equal(t, c.want, Say(Subject{Title: "Sailings"}, bound, dropped, nil, clock).String(), c.name)
	}
}

func TestReadBackOfTheOrder(t *testing.T) {
	order := []Sort{{departed, true}, {due, false}, {late, true}, {late, false}, {route, false}, {route, true}}
	assert.Equal(t, "Sailings without any condition; sorted by departed, newest first, then due on, oldest first, then minutes late, greatest first, "+
		"then minutes late, least first, then route, A to Z, then route, Z to A.", Say(Subject{Title: "Sailings"}, nil, nil, order, clock).String())
}

func TestUnansweredConditionsAreDropped(t *testing.T) {
	given := answers()
	given["routes"].Given = false
	bound, dropped := Bind(allOf(on(departed, Within, asked(period)), anyOf(on(route, AnyOf, asked(routes)))), given, nil, setting)
	assert.Len(t, bound.Nodes, 1, "the group that held nothing else is dropped too")
	assert.Equal(t, []Dropped{{route, routes}}, dropped)
	assert.Equal(t, "Sailings departed from Mon 1 Jun 2026 through Mon 31 Aug 2026 (92 days, Harbour time); any route (routes left unanswered).",
		Say(Subject{Title: "Sailings"}, bound, dropped, nil, clock).String())

	bound, dropped = Bind(on(route, AnyOf, asked(routes)), given, nil, setting)
	assert.Nil(t, bound)
	assert.Len(t, dropped, 1)
}

func TestSpansOfTheLastDay(t *testing.T) {
	last := civil.StartOf(civil.MaxDay)
	for _, c := range []struct {
		op   Op
		want Span
	}{
		{Within, Span{From: last}}, {Is, Span{From: last}}, {From, Span{From: last}}, {Through, Span{}}, {Before, Span{Until: last}}, {After, Span{Empty: true}},
	} {
		b, _ := Bind(on(due, c.op, text("9999-12-31")), nil, nil, setting)
		assert.Equal(t, []Span{c.want}, b.Spans(), "%s the last day that there is", c.op)
	}
}

func TestWhatExcludesMissing(t *testing.T) {
	for _, c := range []struct {
		name string
		node *Node
		want bool
	}{
		{"a condition on it", on(due, From, text("today")), true},
		{"missing itself", on(due, Missing, Operand{}), false},
		{"another column", on(late, Present, Operand{}), false},
		{"one of all", allOf(on(late, Present, Operand{}), on(due, Present, Operand{})), true},
		{"one of any", anyOf(on(late, Present, Operand{}), on(due, Present, Operand{})), false},
		{"each of any", anyOf(on(due, From, text("today")), on(due, Present, Operand{})), true},
	} {
		bound, _ := Bind(c.node, nil, nil, setting)
		assert.Equal(t, c.want, bound.Excludes(due), c.name)
	}
}

func TestWhatOperatorsTake(t *testing.T) {
	day, days := &prompt.Prompt{Type: prompt.Day}, &prompt.Prompt{Type: prompt.Days}
	for _, c := range []struct {
		op       Op
		p        *prompt.Prompt
		on       record.Type
		ok, many bool
	}{
		{Within, period, record.Instant, true, false}, {Within, day, record.Date, false, false}, {Within, period, record.Text, false, false},
		{Is, day, record.Instant, true, false}, {Is, period, record.Date, false, false}, {Is, routes, record.Text, false, true}, {AnyOf, routes, record.Text, true, false},
		{AnyOf, days, record.Instant, true, false}, {Is, days, record.Date, false, true}, {AnyOf, days, record.Text, false, false}, {Within, days, record.Date, false, false},
		{Within, moments, record.Instant, true, false}, {Within, moments, record.Date, false, false}, {From, moment, record.Datetime, true, false}, {Is, moment, record.Date, false, false},
		{ClockWithin, &prompt.Prompt{Type: prompt.TimeRange}, record.Instant, true, false}, {ClockWithin, period, record.Instant, false, false},
		{Within, &prompt.Prompt{Type: prompt.Quarter}, record.Date, true, false}, {Within, &prompt.Prompt{Type: prompt.Year}, record.Text, false, false},
		{Within, span, record.Integer, true, false}, {Outside, span, record.Date, false, false}, {Contains, word, record.Text, true, false}, {Is, word, record.Integer, false, false},
		{Is, whether, record.YesNo, true, false}, {AnyOf, whether, record.YesNo, false, false}, {NoneOf, routes, record.Text, true, false}, {IsNot, routes, record.Text, false, true},
		{AtLeast, minutes, record.Decimal, true, false}, {AtLeast, minutes, record.Text, false, false}, {From, routes, record.Date, false, false},
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
		op   Op
		p    *prompt.Prompt
		want []string
	}{
		{After, day, []string{"after, that day left out"}}, {Before, moment, []string{"before, that minute left out"}}, {From, day, []string{"from, that day included"}}, {Is, day, []string{""}},
		{Within, period, []string{"from, that day included", "through, that day included"}}, {Within, moments, []string{"from, that minute included", "through, that minute included"}},
		{Within, &prompt.Prompt{Type: prompt.Month, Pair: true}, []string{"from the start of", "through the end of"}}, {Within, &prompt.Prompt{Type: prompt.Year}, []string{""}},
		{Within, span, []string{"at least", "at most"}}, {LessThan, minutes, []string{"less than"}}, {Contains, word, []string{"contains"}},
		{ClockWithin, &prompt.Prompt{Type: prompt.TimeRange}, []string{"from, minute included", "through, minute included"}},
	} {
		assert.Equal(t, c.want, Labels(allOf(on(late, Present, Operand{}), on(departed, c.op, asked(c.p))), c.p), "%s %s", c.op, c.p.Type)
	}
}
