package prompt

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/phrase"
)

var setting = Setting{AsOf: civil.MustParseDay("2026-11-23")}

func number(text string) *decimal.Decimal {
	d := decimal.RequireFromString(text)
	return &d
}

func prompts() []*Prompt {
	return []*Prompt{
		{Name: "travel-period", Ask: "Which days?", Type: Period, Required: true, Default: OneText("last month"), Open: OpenNone,
			Offer: []string{"yesterday", "next month"}, Earliest: "2024-01-01", Latest: "today", Longest: Length{400, "days"}},
		{Name: "weeks", Ask: "Which weeks?", Type: Period, Shortest: Length{2, "weeks"}},
		{Name: "since", Ask: "Since when?", Type: Period, Open: OpenEnd},
		{Name: "day", Ask: "Which day?", Type: Day, Order: phrase.DayFirst, Latest: "yesterday"},
		{Name: "days", Ask: "Which days?", Type: Days, Latest: "today", AtLeast: 2, AtMost: 3},
		{Name: "minutes", Ask: "How late?", Type: Number, Least: number("0"), Most: number("99.5"), Unit: "min"},
		{Name: "routes", Ask: "Which routes?", Type: Choice, Many: true, AtLeast: 1, AtMost: 2,
			Choices: []Option{{"outer", "Outer Loop"}, {"skerry", "Skerry Run"}, {"tern", "Tern Island"}}},
		{Name: "result", Ask: "Which result?", Type: Choice, Choices: []Option{{"passed", "passed"}, {"failed", "failed"}}},
	}
}

// One answer to one prompt: what is understood, or all that is refused.
func TestAnswers(t *testing.T) {
	for _, c := range []struct{ name, prompt, answer, want string }{
		{"absent takes the default", "travel-period", ``, "Thu 1 Oct 2026 through Sat 31 Oct 2026 (31 days)"},
		{"null is left open on purpose", "travel-period", `null`, `travel-period: an answer is required: Which days?; did you mean "last month"? [answer_required]`},
		{"blank is left open on purpose", "travel-period", `" "`, `travel-period: an answer is required: Which days?; did you mean "last month"? [answer_required]`},
		{"optional left open", "day", `null`, "left unanswered"},
		{"period in one text", "travel-period", `"1 Mar 2026 to 5 Mar 2026"`, "Sun 1 Mar 2026 through Thu 5 Mar 2026 (5 days)"},
		{"period in two fields", "travel-period", `{"start":"1 Mar 2026","end":"2026-03-05"}`, "Sun 1 Mar 2026 through Thu 5 Mar 2026 (5 days)"},
		{"whole months in two fields", "travel-period", `{"start":"Mar 2026","end":"Apr 2026"}`, "Sun 1 Mar 2026 through Thu 30 Apr 2026 (61 days)"},
		{"whole phrase in the first field", "travel-period", `{"start":"last month","end":""}`, "Thu 1 Oct 2026 through Sat 31 Oct 2026 (31 days)"},
		{"one day", "travel-period", `"yesterday"`, "Sun 22 Nov 2026 (1 day)"},
		{"a side missing", "travel-period", `{"start":"1 Mar 2026"}`, `travel-period.end: the last day is missing; did you mean "1 Mar 2026 to 1 Mar 2026"? [side_required]`},
		{"the other side missing", "travel-period", `{"end":"5 Mar 2026"}`, `travel-period.start: the first day is missing; did you mean "5 Mar 2026 to 5 Mar 2026"? [side_required]`},
		{"an open side where it may be", "since", `{"start":"1 Mar 2026","end":null}`, "from Sun 1 Mar 2026 on"},
		{"an open side where it may not be", "since", `"until 1 Mar 2026"`, `since.start: the first day is missing; did you mean "1 Mar 2026 to 1 Mar 2026"? [side_required]`},
		{"end before start", "travel-period", `{"start":"5 Mar 2026","end":"1 Mar 2026"}`, `travel-period.end: the period ends on Sun 1 Mar 2026, before it starts on Thu 5 Mar 2026; did you mean "1 Mar 2026 to 5 Mar 2026"? [end_before_start]`},
		{"both fields refused", "travel-period", `{"start":"5 Mar","end":"30 Feb 2026"}`, `travel-period.start: the year is missing; did you mean "5 Mar 2026"? [incomplete_date]` + "\n" +
			`travel-period.end: there is no 30 February 2026; the month has 28 days; did you mean "28 Feb 2026"? [no_such_date]`},
		{"an open period as an end", "travel-period", `{"start":"until 5 Mar 2026","end":"6 Mar 2026"}`, "travel-period: an open period cannot be one end of another [not_a_date]"},
		{"the earliest day passes", "travel-period", `"2024-01-01"`, "Mon 1 Jan 2024 (1 day)"},
		{"a day before the earliest", "travel-period", `"2023-12-31"`, `travel-period.start: Sun 31 Dec 2023 is before the earliest day that can be asked for, Mon 1 Jan 2024; did you mean "1 Jan 2024"? [before_earliest]`},
		{"the latest day passes", "travel-period", `"today"`, "Mon 23 Nov 2026 (1 day)"},
		{"a day after the latest", "travel-period", `"yesterday to tomorrow"`, `travel-period.end: Tue 24 Nov 2026 is after the latest day that can be asked for, Mon 23 Nov 2026; did you mean "23 Nov 2026"? [after_latest]`},
		{"the longest passes", "travel-period", `"2024-01-01/2025-02-03"`, "Mon 1 Jan 2024 through Mon 3 Feb 2025 (400 days)"},
		{"a day longer", "travel-period", `"2024-01-01/2025-02-04"`, `travel-period: the period has 401 days; at most 400 days can be asked for; did you mean "1 Jan 2024 to 3 Feb 2025"? [period_too_long]`},
		{"the shortest passes", "weeks", `"2026-03-02/2026-03-15"`, "Mon 2 Mar 2026 through Sun 15 Mar 2026 (14 days)"},
		{"a day shorter", "weeks", `"2026-03-02/2026-03-14"`, `weeks: the period has 13 days; at least 2 weeks can be asked for; did you mean "2 Mar 2026 to 15 Mar 2026"? [period_too_short]`},
		{"several periods", "travel-period", `["today","yesterday"]`, "travel-period: one period is asked for, and 2 were given [not_a_date]"},
		{"day order of the prompt", "day", `"3/4/2026"`, "Fri 3 Apr 2026"},
		{"a phrase as a limit", "day", `"today"`, `day: Mon 23 Nov 2026 is after the latest day that can be asked for, Sun 22 Nov 2026; did you mean "22 Nov 2026"? [after_latest]`},
		{"several days, in order of time, each once", "days", `["yesterday","2026-03-05","22 Nov 2026"]`, "Thu 5 Mar 2026, Sun 22 Nov 2026"},
		{"days, each refused", "days", `["5 Mar","tomorrow","today"]`, `days: the year is missing; did you mean "5 Mar 2026"? [incomplete_date]` + "\n" +
			`days: Tue 24 Nov 2026 is after the latest day that can be asked for, Mon 23 Nov 2026; did you mean "23 Nov 2026"? [after_latest]`},
		{"too few days", "days", `"today"`, "days: 1 were given; at least 2 must be [too_few_choices]"},
		{"too many days", "days", `["1 Nov 2026","2 Nov 2026","3 Nov 2026","4 Nov 2026"]`, "days: 4 were given; at most 3 can be [too_many_choices]"},
		{"two ends for several days", "days", `{"start":"today","end":"today"}`, "days: single days are asked for, not two ends [not_a_date]"},
		{"two ends for a day", "day", `{"start":"today","end":"today"}`, "day: one day is asked for, and more was given [not_a_date]"},
		{"a number", "minutes", `15`, "15 min"},
		{"a number as text, with blanks", "minutes", `" 12.50 "`, "12.5 min"},
		{"letters for a number", "minutes", `"fifteen"`, `minutes: "fifteen" is not a number; write it like 15 or 12.5 [not_a_number]`},
		{"grouping", "minutes", `"1,000"`, `minutes: "1,000" is not a number; write it like 15 or 12.5; did you mean "1000"? [not_a_number]`},
		{"an exponent", "minutes", `1e9`, `minutes: "1e9" is not a number; write it like 15 or 12.5 [not_a_number]`},
		{"the most passes", "minutes", `99.5`, "99.5 min"},
		{"more than the most", "minutes", `99.51`, `minutes: 99.51 is more than 99.5, the most that can be asked for; did you mean "99.5"? [out_of_range]`},
		{"less than the least", "minutes", `-1`, `minutes: -1 is less than 0, the least that can be asked for; did you mean "0"? [out_of_range]`},
		{"one choice of many", "routes", `"outer"`, "Outer Loop"},
		{"several choices, one twice", "routes", `["tern","outer","tern"]`, "Tern Island, Outer Loop"},
		{"too many choices", "routes", `["tern","outer","skerry"]`, `routes: 3 were given; at most 2 can be; did you mean "tern"? [too_many_choices]`},
		{"a label for a value", "routes", `"skerry run"`, `routes: "skerry run" is not one of the choices; did you mean "skerry"? [not_a_choice]`},
		{"no choice at all", "routes", `["tern","north"]`, `routes: "north" is not one of the choices; they are outer, skerry and tern [not_a_choice]`},
		{"two for a single choice", "result", `["passed","failed"]`, `result: 2 were given; at most 1 can be; did you mean "passed"? [too_many_choices]`},
		{"an endless answer", "minutes", `"` + strings.Repeat("9", 1001) + `"`, "minutes: the answer has 1001 bytes; at most 1000 are read [too_long]"},
	} {
		entered := map[string]Entered{}
		if c.answer != "" {
			var e Entered
			require.NoError(t, json.Unmarshal([]byte(c.answer), &e), c.name)
			entered[c.prompt] = e
		}
		var of []*Prompt
		for _, p := range prompts() {
			if p.Name == c.prompt {
				of = append(of, p)
			}
		}
		answers, refused := Check(of, entered, setting)
		got := answers[c.prompt].Spelled()
		if len(refused) > 0 {
			got = refused.Error()
			assert.False(t, answers[c.prompt].Given, c.name)
		}
		assert.Equal(t, c.want, got, c.name)
	}
}

func TestAllRefusalsComeAtOnce(t *testing.T) {
	_, refused := Check(prompts(), map[string]Entered{
		"travel-period": OneText("soon"), "minutes": OneText("x"), "rotes": OneText("outer"), "zz": OneText("1"),
	}, setting)
	var codes []string
	for _, f := range refused {
		codes = append(codes, f.Place.Prompt+" "+f.Code)
	}
	assert.Equal(t, []string{"travel-period not_a_date", "minutes not_a_number", "rotes unknown_prompt", "zz unknown_prompt"}, codes)
	assert.Equal(t, []string{"routes"}, refused[2].Suggestions)
	assert.Equal(t, "soon", refused[0].Entered)
}

func TestARefusalNamesItsLimit(t *testing.T) {
	_, refused := Check(prompts(), map[string]Entered{"travel-period": OneText("tomorrow")}, setting)
	require.Len(t, refused, 1)
	assert.Equal(t, "Mon 23 Nov 2026 (today)", refused[0].Limit)
	assert.Equal(t, "tomorrow", refused[0].Entered)
}

func TestOffersAndProblems(t *testing.T) {
	p := prompts()[0]
	offers := p.Offers(setting)
	assert.Nil(t, offers[0].Refused)
	assert.Equal(t, "2026-11-22/2026-11-22", offers[0].Reading.Period.String())
	require.NotNil(t, offers[1].Refused, "next month lies after the latest day")
	assert.Equal(t, AfterLatest, offers[1].Refused.Code)

	problems := p.Problems(setting)
	require.Len(t, problems, 1)
	assert.Equal(t, "offer", problems[0].Key)
	assert.Equal(t, 1, problems[0].Index)
	p.Latest = "when it suits"
	assert.Equal(t, "latest", p.Problems(setting)[0].Key)
}

func TestShapesOfAnswers(t *testing.T) {
	for _, text := range []string{`true`, `{"from":"today"}`, `[["a"]]`, `{"start":1,"end":{}}`} {
		var e Entered
		assert.Error(t, json.Unmarshal([]byte(text), &e), text)
	}
	for _, text := range []string{`"5 Mar 2026"`, `["a","b"]`, `{"end":"b","start":"a"}`, `null`} {
		var e Entered
		require.NoError(t, json.Unmarshal([]byte(text), &e))
		back, err := json.Marshal(e)
		require.NoError(t, err)
		assert.JSONEq(t, text, string(back))
	}
}
