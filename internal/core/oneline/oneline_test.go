package oneline

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

func reports() []*Report {
	day := civil.MustDay(2026, time.November, 23)
	setting := phrase.Setting{AsOf: day, Zone: time.UTC, Now: civil.FirstInstant(day, time.UTC)}
	zero := decimal.Zero
	period := &prompt.Prompt{Name: "period", Ask: "Which days of travel?", Type: prompt.Period}
	routes := &prompt.Prompt{Name: "routes", Ask: "Which routes?", Type: prompt.Choice, Many: true, Listed: true}
	minutes := &prompt.Prompt{Name: "minutes", Ask: "How many minutes late?", Type: prompt.Number, Unit: "min", Least: &zero}
	people := &prompt.Prompt{Name: "people", Ask: "How many passengers?", Type: prompt.Number}
	options := func(*prompt.Prompt) []prompt.Option {
		return []prompt.Option{{Value: "OL", Label: "Outer Loop"}, {Value: "TI", Label: "Tern Island"}, {Value: "LB", Label: "Lantern Bay – Holm"}, {Value: "11", Label: "11"}}
	}
	all := []*Report{
		{Name: "late-sailings", Title: "Late sailings", Prompts: []*prompt.Prompt{period, routes, minutes}},
		{Name: "late-by-month", Title: "Late sailings by month and route", Prompts: []*prompt.Prompt{period}},
		{Name: "claims-of-a-month", Title: "Claims of a month", Shelf: "Office", Columns: []string{"Opened", "Amount"}, Prompts: []*prompt.Prompt{{Name: "month", Ask: "Which month?", Type: prompt.Month, Latest: "today"}}},
		{Name: "trips", Title: "Trips", Prompts: []*prompt.Prompt{minutes, people, {Name: "about", Ask: "About what?", Type: prompt.Text}}},
		{Name: "trips-again", Title: "Trips", Prompts: nil},
	}
	for _, r := range all {
		r.Setting, r.Options = setting, options
	}
	return all
}

// said is a reading in one text.
func said(readings []Reading) string {
	var all []string
	for _, r := range readings {
		text := r.Report.Name
		for _, u := range r.Understood {
			text += fmt.Sprintf("; %s=%s", u.Prompt.Name, u.Words)
			if u.Spelled != "" {
				text += " (" + u.Spelled + ")"
			} else {
				text += " refused: " + u.Refused
			}
		}
		if len(r.LeftOver) > 0 {
			text += "; left over: " + strings.Join(r.LeftOver, " ")
		}
		all = append(all, text)
	}
	return strings.Join(all, " | ")
}

func TestRead(t *testing.T) {
	for line, want := range map[string]string{
		"late sailings last month outer loop":                                           "late-sailings; period=last month (Thu 1 Oct 2026 through Sat 31 Oct 2026 (31 days)); routes=outer loop (OL)",
		"Late Sailings, October 2026.":                                                  "late-sailings; period=October 2026. (Thu 1 Oct 2026 through Sat 31 Oct 2026 (31 days))",
		"outer loop and tern island late sailings":                                      "late-sailings; routes=outer loop (OL); routes=tern island (TI)",
		"lantern bay holm: late sailings over 30 minutes from 1 Oct 2026 to 5 Oct 2026": "late-sailings; routes=lantern bay holm: (LB); minutes=30 minutes (30 min); period=from 1 Oct 2026 to 5 Oct 2026 (Thu 1 Oct 2026 through Mon 5 Oct 2026 (5 days))",
		"lat sailngs yesterday":                                                         "late-sailings; period=yesterday (Sun 22 Nov 2026 (1 day)); left over: lat | late-by-month; period=yesterday (Sun 22 Nov 2026 (1 day)); left over: lat",
		"sailings by month":                                                             "late-by-month",
		"claims of last month":                                                          "claims-of-a-month; month=last month (Thu 1 Oct 2026 through Sat 31 Oct 2026 (31 days))",
		"claims next month":                                                             "claims-of-a-month; month=next month refused: Thu 31 Dec 2026 is after the latest day that can be asked for, Mon 30 Nov 2026",
		"claims by amount please":                                                       "claims-of-a-month",
		"claims on the moon":                                                            "claims-of-a-month; left over: moon",
		"late sailings last mnth":                                                       "late-sailings; left over: last mnth",
		`trips "red boat" 7 passengers`:                                                 `trips; about=red boat (red boat); people=7 passengers (7)`,
		"trips 7":                                                                       "trips; left over: 7 | trips-again; left over: 7",
		"trips":                                                                         "trips | trips-again",
		"tuna":                                                                          "",
		"":                                                                              "",
		"the of and":                                                                    "",
		"sailing late":                                                                  "late-sailings",
		"late sailings 11":                                                              "late-sailings; routes=11 (11)",
		"late sailings last month last year":                                            "late-sailings; period=last month (Thu 1 Oct 2026 through Sat 31 Oct 2026 (31 days)); left over: last year",
	} {
		assert.Equal(t, want, said(Read(line, reports())), line)
	}
}

// No word is dropped: each is understood, names the report, holds others together, or is left over.
func TestNoWordIsDropped(t *testing.T) {
	vocabulary := strings.Fields("late sailings claims trips last month outer loop tern island 30 minutes 7 from to the 2026 October moon <= - \" , yesterday 1.5 ü")
	rapid.Check(t, func(rt *rapid.T) {
		words := rapid.SliceOfN(rapid.SampledFrom(vocabulary), 0, 12).Draw(rt, "words")
		line := strings.Join(words, " ")
		for _, r := range Read(line, reports()) {
			told := strings.Join(r.LeftOver, " ")
			for _, u := range r.Understood {
				told += " " + u.Words
			}
			for _, w := range wordsOf(line) {
				names := append(append(append(named(r.Report.Title), named(r.Report.Name)...), named(r.Report.Shelf)...), named(strings.Join(r.Report.Columns, " "))...)
				isName := false
				for _, n := range names {
					isName = isName || means(w.plain, n)
				}
				assert.True(rt, isName || isGlue(w.plain) || strings.Contains(told, w.text), "%q of %q is not told: %s", w.text, line, said([]Reading{r}))
			}
			for name, entered := range r.Answers {
				assert.False(rt, entered.IsAbsent(), name)
			}
		}
	})
}

// Two thousand reports that all may be meant are read in no time.
func BenchmarkRead(b *testing.B) {
	var all []*Report
	for i := range 400 {
		for _, r := range reports() {
			r.Name = fmt.Sprint(r.Name, i)
			all = append(all, r)
		}
	}
	line := strings.Repeat("late sailings last month outer loop 30 minutes claims ", 4)
	for b.Loop() {
		Read(line, all)
	}
}
