package author

import (
	"context"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/base"
)

// Rehearse works out what each phrase of a report means on the days. Nothing is run.
func (s *Author) Rehearse(ctx context.Context, name string, try Tried) (*Rehearsal, error) {
	defs, err := s.base.Beside(ctx, try.Files)
	if err != nil {
		return nil, err
	}
	ctx = base.With(ctx, defs)
	report, err := s.base.Report(ctx, name)
	if err != nil {
		return nil, err
	}
	zone := report.Main().Query.Of.Source.Zone
	r := &Rehearsal{Report: name, Phrases: []Rehearsed{}}
	for _, text := range try.AsOf {
		day, err := s.base.AsOf(ctx, text, zone)
		if err != nil {
			return nil, err
		}
		r.Days = append(r.Days, TellingDay{Day: day, Why: "asked for"})
	}
	if len(r.Days) == 0 {
		r.Days = tellingDays(s.base.Today(zone), zone)
	}
	for i := range r.Days {
		r.Days[i].Spelled = r.Days[i].Day.Spelled()
	}
	add := func(where, text string, mean func(phrase.Setting) Meaning) {
		if slices.ContainsFunc(r.Phrases, func(p Rehearsed) bool { return p.Phrase == text && p.Where == where }) {
			return
		}
		p := Rehearsed{Phrase: text, Where: where}
		for _, day := range r.Days {
			setting := s.base.Setting(ctx, day.Day, zone)
			p.Means = append(p.Means, mean(setting))
		}
		r.Phrases = append(r.Phrases, p)
	}
	for _, p := range report.Answered() {
		rehearsePrompt(p, add)
	}
	report.Walk(func(_ *catalog.Dataset, n *criteria.Node) {
		if n.Column == nil || !n.Column.Type.IsDated() {
			return
		}
		for _, text := range n.Operand.Texts {
			add("condition on "+n.Column.Label, text, func(s phrase.Setting) Meaning {
				return means(phrase.Period(text, s))
			})
		}
	})
	return r, nil
}

// Rehearsal is what each phrase of a report means on telling days.
type Rehearsal struct {
	Report  string       `json:"report" doc:"Name of the report."`
	Days    []TellingDay `json:"days" doc:"The as-of days that it was tried on."`
	Phrases []Rehearsed  `json:"phrases" doc:"Each phrase, with what it means on each of the days."`
}

// TellingDay is an as-of day that shows what a phrase means.
type TellingDay struct {
	Day     civil.Day `json:"day" doc:"The day."`
	Spelled string    `json:"spelled" doc:"The same, so that nobody can misread it."`
	Why     string    `json:"why" doc:"What is special about it."`
}

// Rehearsed is a phrase of a report.
type Rehearsed struct {
	Phrase string    `json:"phrase" doc:"As it is written."`
	Where  string    `json:"where" doc:"Where it stands."`
	Means  []Meaning `json:"means" doc:"What it means, for each of the days in their order."`
}

// Meaning is what a phrase means on one as-of day.
type Meaning struct {
	Spelled string `json:"spelled,omitempty" doc:"What it means, so that nobody can misread it."`
	Refused string `json:"refused,omitempty" doc:"Why it would be refused."`
}

// Phrase reads a phrase as a period of days as of a day, "" for today; as a single day where day
// says so.
func (s *Author) Phrase(ctx context.Context, text, asOf string, day bool) (*Meaning, error) {
	zone := s.base.Zone()
	on, err := s.base.AsOf(ctx, asOf, zone)
	if err != nil {
		return nil, err
	}
	read := phrase.Period
	if day {
		read = phrase.Day
	}
	m := means(read(text, s.base.Setting(ctx, on, zone)))
	return &m, nil
}

// means is what a phrase was read to mean.
func means(read phrase.Reading, refused *fault.Fault) Meaning {
	if refused != nil {
		return Meaning{Refused: refused.Sentence()}
	}
	return Meaning{Spelled: read.Period.Spelled()}
}

// Tried is a report as it would be run: as of days, by files that are not published.
type Tried struct {
	Files []catalog.File // beside what is published, or in its place
	AsOf  []string       // any form of a day; none for telling days around today
}

// rehearsePrompt adds the phrases of a prompt: its default, what it offers, and its
// limits.
func rehearsePrompt(p *prompt.Prompt, add func(where, text string, mean func(phrase.Setting) Meaning)) {
	if !p.Type.IsPeriod() && p.Type != prompt.Moment && p.Type != prompt.MomentPeriod && p.Type != prompt.Days {
		return
	}
	answered := func(e prompt.Entered) func(phrase.Setting) Meaning {
		return func(s phrase.Setting) Meaning {
			a, refused := p.Read(e, s)
			if len(refused) > 0 {
				return Meaning{Refused: refused[0].Sentence()}
			}
			return Meaning{Spelled: a.Spelled()}
		}
	}
	if !p.Default.IsAbsent() {
		add("default of "+p.Name, p.Default.String(), answered(p.Default))
	}
	for _, offer := range p.Offer {
		add("offered by "+p.Name, offer, answered(prompt.OneText(offer)))
	}
	for _, limit := range []struct{ where, text string }{{"earliest of ", p.Earliest}, {"latest of ", p.Latest}} {
		if limit.text != "" {
			add(limit.where+p.Name, limit.text, func(s phrase.Setting) Meaning {
				return means(phrase.Period(limit.text, s))
			})
		}
	}
}

// tellingDays are the days of the year around a day on which the meaning of phrases shows best:
// ends and starts of months and years, a leap day, and those on which clocks change.
func tellingDays(today civil.Day, zone *time.Location) []TellingDay {
	year, month, _ := today.Date()
	leap := year
	for !civil.IsLeap(leap) {
		leap--
	}
	days := []TellingDay{
		{Day: today, Why: "today"},
		{Day: civil.MustDay(year, month, civil.DaysIn(year, month)), Why: "end of a month"},
		{Day: civil.MustDay(year, time.December, 31), Why: "end of a year"},
		{Day: civil.MustDay(year, time.January, 1), Why: "start of a year"},
		{Day: civil.MustDay(year, time.March, 31), Why: "after a shorter month"},
		{Day: civil.MustDay(leap, time.February, 29), Why: "leap day"},
	}
	for _, day := range civil.ChangeDays(year, zone) {
		days = append(days, TellingDay{Day: day, Why: "clocks change"})
	}
	slices.SortStableFunc(days, func(a, b TellingDay) int { return int(a.Day - b.Day) })
	return slices.CompactFunc(days, func(a, b TellingDay) bool { return a.Day == b.Day })
}
