package prompt

import (
	"encoding/json"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

var setting = phrase.Setting{AsOf: civil.MustParseDay("2026-11-23"), Zone: time.UTC, Now: time.Date(2026, 11, 23, 23, 59, 59, 0, time.UTC).Unix()}

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
		{Name: "month", Ask: "Which month?", Type: Month, Earliest: "Mar 2024", Latest: "today", Offer: []string{"last month"}},
		{Name: "quarters", Ask: "Which quarters?", Type: Quarter, Pair: true, Longest: Length{1, "years"}},
		{Name: "year", Ask: "Which year?", Type: Year},
		{Name: "moment", Ask: "When?", Type: Moment, Earliest: "2026-01-01", Latest: "now"},
		{Name: "shift", Ask: "Which shift?", Type: MomentPeriod, Latest: "today", Longest: Length{12, "hours"}, Shortest: Length{30, "minutes"}},
		{Name: "since-then", Ask: "Since when?", Type: MomentPeriod, Open: OpenEnd},
		{Name: "hours", Ask: "Which hours?", Type: TimeRange},
		{Name: "range", Ask: "How many?", Type: NumberRange, Least: number("0"), Unit: "min", Open: OpenEnd},
		{Name: "code", Ask: "Which code?", Type: Text, MostLetters: 6, Pattern: regexp.MustCompile(`\A(?:[A-Z]{2}\d+)\z`), PatternHelp: "two letters and digits"},
		{Name: "full", Ask: "Full?", Type: YesNo},
		{Name: "words", Ask: "Which words?", Type: Text},
		{Name: "rate", Ask: "Which rate?", Type: Choice, Choices: []Option{{"3.0", "three"}, {"10", "ten"}, {"007", "agent"}}},
		{Name: "mine", Ask: "Mine?", Type: Number, Hidden: true, Default: OneText("7")},
	}
}

// One answer to one prompt: what is understood, or all that is refused.
func TestAnswers(t *testing.T) {
	for _, c := range []struct{ name, prompt, answer, want string }{
		{"absent takes the default", "travel-period", ``, "Thu 1 Oct 2026 through Sat 31 Oct 2026 (31 days)"},
		{"null is left open on purpose", "travel-period", `null`, `travel-period: an answer is required: Which days?; did you mean "last month"? [answer_required]`},
		{"blank is left open on purpose", "travel-period", `" "`, `travel-period: an answer is required: Which days?; did you mean "last month"? [answer_required]`},
		{"blanks of a text count", "words", `" & "`, " & "},
		{"a tab of a text counts", "words", `"\tx"`, "\tx"},
		{"a number in another form is the same choice", "rate", `"3"`, "three"},
		{"a number in JSON is the same choice", "rate", `3.00`, "three"},
		{"a code is no number", "rate", `"7"`, `rate: "7" is not one of the choices; they are 3.0, 10 and 007 [not_a_choice]`},
		{"a code as it is", "rate", `"007"`, "agent"},
		{"a JSON number with an exponent", "minutes", `1e1`, "10 min"},
		{"a small one", "minutes", `125e-1`, "12.5 min"},
		{"one that is too large to write out", "minutes", `1e999999999`, `minutes: "1e999999999" is not a number; write it like 15 or 12.5 [not_a_number]`},
		{"a text that fits but for its blanks", "code", `" AB12"`, `code: " AB12" is not two letters and digits; did you mean "AB12"? [pattern_mismatch]`},
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
		{"a day after the latest", "travel-period", `"yesterday to tomorrow"`, `travel-period.end: Tue 24 Nov 2026 is after the latest day that can be asked for, Mon 23 Nov 2026; did you mean "22 Nov 2026 to 23 Nov 2026"? [after_latest]`},
		{"the longest passes", "travel-period", `"2024-01-01/2025-02-03"`, "Mon 1 Jan 2024 through Mon 3 Feb 2025 (400 days)"},
		{"a day longer", "travel-period", `"2024-01-01/2025-02-04"`, `travel-period: the period has 401 days; at most 400 days can be asked for; did you mean "1 Jan 2024 to 3 Feb 2025" or "2 Jan 2024 to 4 Feb 2025"? [period_too_long]`},
		{"the shortest passes", "weeks", `"2026-03-02/2026-03-15"`, "Mon 2 Mar 2026 through Sun 15 Mar 2026 (14 days)"},
		{"a day shorter", "weeks", `"2026-03-02/2026-03-14"`, `weeks: the period has 13 days; at least 2 weeks can be asked for; did you mean "2 Mar 2026 to 15 Mar 2026" or "1 Mar 2026 to 14 Mar 2026"? [period_too_short]`},
		{"no year, within the limits", "travel-period", `"5 Dec"`, `travel-period: the year is missing; did you mean "5 Dec 2025"? [incomplete_date]`},
		{"no year, and too long", "travel-period", `"1 Jan 2024 to 31 Oct"`, `travel-period: the year is missing; did you mean "1 Jan 2024 to 31 Oct 2024"? [incomplete_date]`},
		{"months beyond the limits", "quarters", `"Q3 2026 to Q2 2027"`, "Wed 1 Jul 2026 through Wed 30 Jun 2027 (365 days)"},
		{"two days beyond the limits, in two fields", "travel-period", `{"start":"yesterday","end":"tomorrow"}`, `travel-period.end: Tue 24 Nov 2026 is after the latest day that can be asked for, Mon 23 Nov 2026; did you mean "23 Nov 2026"? [after_latest]`},
		{"all of it beyond the limits", "travel-period", `"next month"`, `travel-period.end: Thu 31 Dec 2026 is after the latest day that can be asked for, Mon 23 Nov 2026; did you mean "23 Nov 2026"? [after_latest]`},
		{"beyond both limits, and too long", "travel-period", `"2020 to 2030"`, `travel-period.start: Wed 1 Jan 2020 is before the earliest day that can be asked for, Mon 1 Jan 2024; did you mean "1 Jan 2024 to 3 Feb 2025" or "20 Oct 2025 to 23 Nov 2026"? [before_earliest]`},
		{"several periods", "travel-period", `["today","yesterday"]`, "travel-period: one period is asked for, and 2 were given [not_a_date]"},
		{"day order of the prompt", "day", `"3/4/2026"`, "Fri 3 Apr 2026"},
		{"a phrase as a limit", "day", `"today"`, `day: Mon 23 Nov 2026 is after the latest day that can be asked for, Sun 22 Nov 2026; did you mean "22 Nov 2026"? [after_latest]`},
		{"several days, in order of time, each once", "days", `["yesterday","2026-03-05","22 Nov 2026"]`, "Thu 5 Mar 2026, Sun 22 Nov 2026"},
		{"a day without its year, after the latest", "day", `"Mon 23 Nov"`, `day: the year is missing; did you mean "22 Nov 2026"? [incomplete_date]`},
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
		{"an exponent in a text", "minutes", `"1e9"`, `minutes: "1e9" is not a number; write it like 15 or 12.5 [not_a_number]`},
		{"the most passes", "minutes", `99.5`, "99.5 min"},
		{"more than the most", "minutes", `99.51`, `minutes: 99.51 is more than 99.5, the most that can be asked for; did you mean "99.5"? [out_of_range]`},
		{"less than the least", "minutes", `-1`, `minutes: -1 is less than 0, the least that can be asked for; did you mean "0"? [out_of_range]`},
		{"one choice of many", "routes", `"outer"`, "Outer Loop"},
		{"several choices, one twice", "routes", `["tern","outer","tern"]`, "Tern Island, Outer Loop"},
		{"too many choices", "routes", `["tern","outer","skerry"]`, `routes: 3 were given; at most 2 can be; did you mean "tern"? [too_many_choices]`},
		{"a label for a value", "routes", `"skerry run"`, `routes: "skerry run" is not one of the choices; did you mean "skerry"? [not_a_choice]`},
		{"no choice at all", "routes", `["tern","north"]`, `routes: "north" is not one of the choices; they are outer, skerry and tern [not_a_choice]`},
		{"two for a single choice", "result", `["passed","failed"]`, `result: 2 were given; at most 1 can be; did you mean "passed"? [too_many_choices]`},
		{"a month", "month", `"2026-02"`, "Sun 1 Feb 2026 through Sat 28 Feb 2026 (28 days)"},
		{"a month by its days", "month", `{"start":"1 Feb 2024","end":"29 Feb 2024"}`, `month.start: Thu 1 Feb 2024 is before the earliest day that can be asked for, Fri 1 Mar 2024; did you mean "Mar 2024"? [before_earliest]`},
		{"the month of the latest day is whole", "month", `"this month"`, "Sun 1 Nov 2026 through Mon 30 Nov 2026 (30 days)"},
		{"the month after it", "month", `"next month"`, `month.end: Thu 31 Dec 2026 is after the latest day that can be asked for, Mon 30 Nov 2026; did you mean "Nov 2026"? [after_latest]`},
		{"a day for a month", "month", `"5 Mar 2026"`, `month: Thu 5 Mar 2026 (1 day) is not made of whole months; did you mean "Mar 2026"? [not_a_choice]`},
		{"days of two months for one", "month", `"5 Mar 2026 to 6 Apr 2026"`, `month: Thu 5 Mar 2026 through Mon 6 Apr 2026 (33 days) is not made of whole months; did you mean "Mar 2026" or "Apr 2026"? [not_a_choice]`},
		{"three months for one", "month", `"last 3 months"`, `month: one month is asked for, and 3 were given; did you mean "Aug 2026" or "Oct 2026"? [too_many_choices]`},
		{"an open side for a month", "month", `"since Mar 2026"`, `month.end: the last day is missing; did you mean "Mar 2026"? [side_required]`},
		{"quarters, first to last", "quarters", `{"start":"Q1 2026","end":"2026-Q3"}`, "Thu 1 Jan 2026 through Wed 30 Sep 2026 (273 days)"},
		{"one quarter where a pair may be", "quarters", `"last quarter"`, "Wed 1 Jul 2026 through Wed 30 Sep 2026 (92 days)"},
		{"months for quarters", "quarters", `"Feb 2026 to Apr 2026"`, `quarters: Sun 1 Feb 2026 through Thu 30 Apr 2026 (89 days) is not made of whole quarters; did you mean "Q1 2026 to Q2 2026"? [not_a_choice]`},
		{"too many quarters", "quarters", `"Q1 2025 to Q1 2026"`, `quarters: the period has 455 days; at most 1 year can be asked for; did you mean "Q1 2025 to Q4 2025" or "Q2 2025 to Q1 2026"? [period_too_long]`},
		{"a year", "year", `"2024"`, "Mon 1 Jan 2024 through Tue 31 Dec 2024 (366 days)"},
		{"a year to date", "year", `"year to date"`, `year: Thu 1 Jan 2026 through Mon 23 Nov 2026 (327 days) is not made of whole years; did you mean "2026"? [not_a_choice]`},
		{"a moment", "moment", `"22 nov 2026 6:05 pm"`, "Sun 22 Nov 2026 18:05, UTC"},
		{"the latest moment passes", "moment", `"23 Nov 2026 23:59"`, "Mon 23 Nov 2026 23:59, UTC"},
		{"a moment after the latest", "moment", `"24 Nov 2026 00:00"`, `moment: Tue 24 Nov 2026 00:00, UTC is after the latest moment that can be asked for, Mon 23 Nov 2026 23:59, UTC; did you mean "23 Nov 2026 23:59"? [after_latest]`},
		{"a moment before the earliest", "moment", `"31 Dec 2025 23:59"`, `moment: Wed 31 Dec 2025 23:59, UTC is before the earliest moment that can be asked for, Thu 1 Jan 2026 00:00, UTC; did you mean "1 Jan 2026 00:00"? [before_earliest]`},
		{"a day for a moment", "moment", `"today"`, `moment: a time of day is missing, such as 14:30; did you mean "23 Nov 2026 00:00"? [time_missing]`},
		{"two moments for one", "moment", `["now","now"]`, "moment: one moment is asked for, and more was given [not_a_date]"},
		{"moments in two fields", "shift", `{"start":"22 Nov 2026 18:00","end":"22 Nov 2026 24:00"}`, "Sun 22 Nov 2026 18:00 through Sun 22 Nov 2026 23:59, UTC (6 hours)"},
		{"24:00 as a start", "shift", `{"start":"22 Nov 2026 24:00","end":"23 Nov 2026 6:00"}`, "Mon 23 Nov 2026 00:00 through Mon 23 Nov 2026 06:00, UTC (6 hours 1 minute)"},
		{"a phrase of moments in the first field", "shift", `{"start":"last 6 hours","end":""}`, "Mon 23 Nov 2026 18:00 through Mon 23 Nov 2026 23:59, UTC (6 hours)"},
		{"moments longer than the longest", "shift", `"22 Nov 2026 18:00 to 23 Nov 2026 06:00"`, `shift: the period has 12 hours 1 minute; at most 12 hours can be asked for; did you mean "22 Nov 2026 18:00 to 23 Nov 2026 05:59" or "22 Nov 2026 18:01 to 23 Nov 2026 06:00"? [period_too_long]`},
		{"moments shorter than the shortest", "shift", `"29 minutes to now"`, `shift: the period has 29 minutes; at least 30 minutes can be asked for; did you mean "23 Nov 2026 23:30 to 23 Nov 2026 23:59"? [period_too_short]`},
		{"an open end of moments", "since-then", `{"start":"22 Nov 2026 18:00"}`, "from Sun 22 Nov 2026 18:00, UTC on"},
		{"an open end where there may be none", "shift", `"since now"`, `shift.end: the last moment is missing; did you mean "23 Nov 2026 23:30 to 23 Nov 2026 23:59"? [side_required]`},
		{"one moment for a period of them", "shift", `"22 Nov 2026 18:00"`, `shift.end: the last moment is missing; did you mean "22 Nov 2026 18:00 to 22 Nov 2026 18:29" or "22 Nov 2026 17:31 to 22 Nov 2026 18:00"? [side_required]`},
		{"one moment where the end may be open", "since-then", `"22 Nov 2026 18:00"`, "from Sun 22 Nov 2026 18:00, UTC on"},
		{"an open start of moments", "shift", `"until 22 Nov 2026 18:00"`, `shift.start: the first moment is missing; did you mean "22 Nov 2026 18:00 to 22 Nov 2026 18:29" or "22 Nov 2026 17:31 to 22 Nov 2026 18:00"? [side_required]`},
		{"moments in the wrong order", "shift", `{"start":"22 Nov 2026 18:00","end":"22 Nov 2026 17:00"}`, `shift.end: the period ends on Sun 22 Nov 2026 17:00, UTC, before it starts on Sun 22 Nov 2026 18:00, UTC; did you mean "22 Nov 2026 17:00 to 22 Nov 2026 18:00"? [end_before_start]`},
		{"both moments refused", "shift", `{"start":"5 Mar 14:00","end":"today"}`, `shift.start: the year is missing; did you mean "5 Mar 2026 14:00"? [incomplete_date]` + "\n" + `shift.end: times of day are missing, such as 14:30; did you mean "23 Nov 2026 24:00"? [time_missing]`},
		{"hours", "hours", `"22:00 to 2:00"`, "22:00 through 02:00 the next day (that minute included)"},
		{"hours in two fields", "hours", `{"start":"6:00 am","end":"9:00"}`, "06:00 through 09:00 (that minute included)"},
		{"hours without an end", "hours", `{"start":"6:00"}`, "hours.end: the last time is missing [side_required]"},
		{"hours that no clock shows", "hours", `"6:00 to 25:00"`, "hours: there is no 25:00 on a clock; times go from 00:00 to 24:00 [no_such_time]"},
		{"a range of numbers", "range", `"15 to 60.5"`, "15 through 60.5 min"},
		{"a range with points, in two fields, open", "range", `{"start":15}`, "at least 15 min"},
		{"a range by points", "range", `"15.."`, "at least 15 min"},
		{"a range that starts nowhere", "range", `"../60"`, `range.start: the first number is missing; did you mean "60 to 60"? [side_required]`},
		{"a range that ends before it starts", "range", `"60 - 15"`, `range: the range ends at 15, before it starts at 60; did you mean "15 to 60"? [end_before_start]`},
		{"a range of letters", "range", `{"start":"a","end":"-1"}`, `range.start: "a" is not a number; write it like 15 or 12.5 [not_a_number]` + "\n" + `range.end: -1 is less than 0, the least that can be asked for; did you mean "0"? [out_of_range]`},
		{"one number for a range", "range", `15`, `range: "15" is not a range of numbers; write it like 15 to 60 [not_a_number]`},
		{"a text", "code", `"AB12"`, "AB12"},
		{"a text that is too long", "code", `"AB12345"`, `code: the answer has 7 letters; at most 6 can be asked for; did you mean "AB1234"? [too_long]`},
		{"a text of another form", "code", `"12AB"`, `code: "12AB" is not two letters and digits [pattern_mismatch]`},
		{"yes", "full", `true`, "yes"},
		{"no, in words", "full", `"No"`, "no"},
		{"neither", "full", `"maybe"`, `full: "maybe" is neither yes nor no [not_a_choice]`},
		{"hidden", "mine", ``, "7"},
		{"an answer to a hidden prompt", "mine", `9`, `mine: no prompt "mine" here; this report asks for nothing [unknown_prompt]`},
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
			assert.False(t, answers[c.prompt].Given && answers[c.prompt].Prompt.IsAsked(), c.name)
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
		codes = append(codes, f.Place.Prompt+" "+string(f.Code))
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
	assert.Equal(t, "2026-11-22/2026-11-22", offers[0].Answer.Period.String())
	require.NotNil(t, offers[1].Refused, "next month lies after the latest day")
	assert.Equal(t, fault.AfterLatest, offers[1].Refused.Code)

	problems := p.Problems(setting)
	require.Len(t, problems, 1)
	assert.Equal(t, "offer", problems[0].Key)
	assert.Equal(t, 1, problems[0].Index)
	p.Latest = "when it suits"
	assert.Equal(t, "latest", p.Problems(setting)[0].Key)
}

// Derived prompts follow the answer to their base; a refusal is the base's.
func TestDerivedPrompts(t *testing.T) {
	base := &Prompt{Name: "days", Ask: "Which days?", Type: Period, Open: OpenEither}
	all := []*Prompt{base}
	for _, d := range Derivations {
		all = append(all, &Prompt{Name: strings.ReplaceAll(string(d), " ", "-"), Derived: d, Base: base, Type: Period})
	}
	for _, c := range []struct{ answer, previous, before, start, end string }{
		{"last month", "2026-09-01/2026-09-30", "2025-10-01/2025-10-31", "2026-10-01/2026-10-01", "2026-10-31/2026-10-31"},
		{"month to date", "2026-10-01/2026-10-23", "2025-11-01/2025-11-23", "2026-11-01/2026-11-01", "2026-11-23/2026-11-23"},
		{"1 Nov 2026 to 23 Nov 2026", "2026-10-09/2026-10-31", "2025-11-01/2025-11-23", "2026-11-01/2026-11-01", "2026-11-23/2026-11-23"},
	} {
		answers, refused := Check(all, map[string]Entered{"days": OneText(c.answer)}, setting)
		require.Empty(t, refused)
		got := []string{answers["previous"].Period.String(), answers["year-before"].Period.String(), answers["start-of"].Period.String(), answers["end-of"].Period.String()}
		assert.Equal(t, []string{c.previous, c.before, c.start, c.end}, got, c.answer)
	}

	answers, refused := Check(all, nil, setting)
	assert.Empty(t, refused)
	assert.False(t, answers["previous"].Given, "nothing comes from a base left unanswered")
	_, refused = Check(all, map[string]Entered{"days": OneText("since 5 Mar 2026")}, setting)
	assert.Equal(t, "days.end: with an open side there is no telling the period before it, which this report needs [side_required]\n"+
		"days.end: with an open side there is no telling the same period a year earlier, which this report needs [side_required]\n"+
		"days.end: with an open side there is no telling its last day, which this report needs [side_required]", refused.Error())
	_, refused = Check(all, map[string]Entered{"days": OneText("Jan 0001"), "previous": OneText("today")}, setting)
	assert.Equal(t, "days: the period before it, which this report needs, lies outside the years 0001 to 9999 [no_such_date]\n"+
		"days: the same period a year earlier, which this report needs, lies outside the years 0001 to 9999 [no_such_date]\n"+
		`previous: no prompt "previous" here; this report asks for days [unknown_prompt]`, refused.Error())
}

func TestUnitsToPickFrom(t *testing.T) {
	data := civil.Period{First: civil.MustParseDay("2024-02-10"), Last: civil.MustParseDay("2027-01-02")}
	for name, want := range map[string][2]string{"month": {"Nov 2026", "Mar 2024"}, "quarters": {"Q1 2027", "Q1 2024"}, "year": {"2027", "2024"}} {
		i := slices.IndexFunc(prompts(), func(p *Prompt) bool { return p.Name == name })
		units := prompts()[i].Units(data, setting)
		assert.Equal(t, want, [2]string{units[0].Phrase, units[len(units)-1].Phrase}, name)
		for _, u := range units {
			assert.Nil(t, u.Refused, u.Phrase)
		}
		assert.Empty(t, prompts()[i].Units(civil.Period{}, setting))
	}
	assert.Empty(t, prompts()[0].Units(data, setting), "a prompt for days has none")
	long := &Prompt{Type: Month}
	assert.Len(t, long.Units(civil.Period{First: civil.MinDay, Last: civil.MaxDay}, setting), mostUnits)
}

func TestShapesOfAnswers(t *testing.T) {
	for _, text := range []string{`{"from":"today"}`, `[["a"]]`, `{"start":1,"end":{}}`} {
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

// Whatever is refused, in one field or in two: what is suggested passes, put where the
// console puts it, and what the other field refuses stays the only thing refused.
func TestSuggestionsPass(t *testing.T) {
	texts := []string{"5 Mar", "5 Dec", "31 Feb 2026", "3/4/2026", "3/4/26", "Mar", "Q3", "2019", "2031", "last mnth", "yesterday to tomorrow", "next year", "5-10 Mar 2026", "since last month", "2020 to 2030",
		"until 2026", "since 5 Mar 2026", "../today", "today 25:00", "5 Mar 2026 2pm", "29 Feb to 2 Mar", "6am to 9am", "6 to 9", "now", "22 Nov 2026 18:00", "last 90 days", "last 3 years", "tomorrow", "1 Jan 0001", "31 Dec 9999", "12", "?"}
	suggested := 0
	holds := func(p *Prompt, e Entered) {
		_, refused := Check([]*Prompt{p}, map[string]Entered{p.Name: e}, setting)
		for _, f := range refused {
			for _, text := range f.Suggestions {
				mended := OneText(text)
				if e.shape == sides && f.Place.Side != "" && !strings.Contains(text, " to ") && (p.Pair || p.Type.Unit() == civil.NoUnit) {
					mended = Sides(text, e.texts[1])
					if f.Place.Side == "end" {
						mended = Sides(e.texts[0], text)
					}
				}
				_, again := Check([]*Prompt{p}, map[string]Entered{p.Name: mended}, setting)
				for _, other := range again {
					require.NotEqual(t, f.Place.Side, other.Place.Side, "%s: %q for %q: %s", p.Name, text, e, other)
					require.True(t, slices.ContainsFunc(refused, func(known *fault.Fault) bool { return known.Place.Side == other.Place.Side }), "%s: %q for %q: %s", p.Name, text, e, other)
				}
				suggested++
			}
		}
	}
	for _, p := range prompts() {
		if !p.Type.isTyped() || !p.IsAsked() {
			continue
		}
		for _, start := range texts {
			holds(p, OneText(start))
			if p.Type == Day || p.Type == Moment {
				continue
			}
			for _, end := range texts {
				holds(p, Sides(start, end))
			}
			holds(p, Sides("", start))
		}
	}
	assert.Greater(t, suggested, 1000)
}

// Blanks that do not count are said, and so are those that do.
func TestNotesOnBlanks(t *testing.T) {
	for _, c := range []struct{ prompt, text, note string }{{"words", " & ", "the blanks at its ends count"}, {"words", "a b", ""}, {"minutes", " 15 ", "the blanks around it do not count"}, {"minutes", "15", ""}, {"day", "\tyesterday", "the blanks around it do not count"}} {
		p := prompts()[slices.IndexFunc(prompts(), func(p *Prompt) bool { return p.Name == c.prompt })]
		a, refused := p.Read(OneText(c.text), setting)
		require.Empty(t, refused)
		assert.Equal(t, c.note, strings.Join(a.Notes, "; "), "%q", c.text)
	}
}
