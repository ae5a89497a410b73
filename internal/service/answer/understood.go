package answer

import (
	"context"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

// Understand reads answers without running anything. Refused answers are part
// of the result and no error.
func (s *Answers) Understand(ctx context.Context, name string, req Request) (*Reading, error) {
	report, err := s.base.Report(ctx, name)
	if err != nil {
		return nil, err
	}
	setting, err := s.settingFor(ctx, report, req.AsOf)
	if err != nil {
		return nil, err
	}
	answers, refused, err := s.Check(ctx, report, req.Answers, setting)
	if err != nil {
		return nil, err
	}
	return &Reading{AsOf: setting.AsOf, Answers: InOrder(report, answers), Refused: refused}, nil
}

// settingFor is the setting of a run of the report as of a day, "" for today.
func (s *Answers) settingFor(ctx context.Context, r *catalog.Report, asOf string) (phrase.Setting, error) {
	zone := r.Main().Query.Of.Source.Zone
	day, err := s.base.AsOf(ctx, asOf, zone)
	return s.base.Setting(ctx, day, zone), err
}

// Check reads all answers, those to choices held to the data.
func (s *Answers) Check(ctx context.Context, r *catalog.Report, entered map[string]prompt.Entered, setting phrase.Setting) (prompt.Answers, fault.List, error) {
	answers, refused := prompt.Check(r.Answered(), entered, setting)
	more, err := s.hold(ctx, r, answers, setting)
	return answers, append(refused, more...).Capped(fault.Most), err
}

// Understood is an answer as it was understood, for people and programs.
type Understood struct {
	Prompt       string          `json:"prompt" doc:"Name of the prompt."`
	Entered      prompt.Entered  `json:"entered" doc:"The answer as it was given; the default where none was."`
	Default      bool            `json:"default" doc:"Whether the default was taken."`
	Given        bool            `json:"given" doc:"Whether there is an answer; false where it was left open."`
	Spelled      string          `json:"spelled" doc:"What was understood, so that nobody can misread it."`
	First        *civil.Day      `json:"first,omitempty" doc:"First day, included; absent where that side is open."`
	Last         *civil.Day      `json:"last,omitempty" doc:"Last day, included; absent where that side is open."`
	FirstSpelled string          `json:"first_spelled,omitempty" doc:"The first day or moment, so that nobody can misread it; of a refused answer too, where it could be read."`
	LastSpelled  string          `json:"last_spelled,omitempty" doc:"The last day or moment, likewise."`
	Days         int             `json:"days,omitempty" doc:"Number of days, where both sides are set."`
	Dates        []civil.Day     `json:"dates,omitempty" doc:"Single days, in order of time."`
	FirstInstant string          `json:"first_instant,omitempty" doc:"Start of the first moment, RFC 3339 with the zone's offset; absent where that side is open."`
	LastInstant  string          `json:"last_instant,omitempty" doc:"Start of the last moment, likewise; the moment is included."`
	UntilInstant string          `json:"until_instant,omitempty" doc:"End of the last moment, likewise, excluded."`
	Times        *Times          `json:"times,omitempty" doc:"A part of the day."`
	Derived      string          `json:"derived,omitempty" doc:"What the answer was worked out from, for a prompt that is not asked."`
	Number       string          `json:"number,omitempty" doc:"The number."`
	Least        string          `json:"least,omitempty" doc:"The least of a range of numbers, included; absent where that side is open."`
	Most         string          `json:"most,omitempty" doc:"The greatest of a range of numbers, included; absent where that side is open."`
	Text         string          `json:"text,omitempty" doc:"The text."`
	Truth        *bool           `json:"truth,omitempty" doc:"Yes or no."`
	Choices      []prompt.Option `json:"choices,omitempty" doc:"The choices, in the order in which they were given."`
	Notes        []string        `json:"notes,omitempty" doc:"What one should know of how it was read."`
}

// Times is a part of the day by the clock, both ends included; where the last is
// before the first it is on the day after.
type Times struct {
	First string `json:"first" doc:"First time of day, included: HH:MM or HH:MM:SS."`
	Last  string `json:"last" doc:"Last minute or second, included."`
}

func understood(a *prompt.Answer) Understood {
	u := Understood{Prompt: a.Prompt.Name, Entered: a.Entered, Default: a.Default, Given: a.Given, Spelled: a.Spelled(), Notes: a.Notes}
	if p := a.Prompt; p.Derived != "" {
		u.Derived = string(p.Derived) + " " + p.Base.Name
	}
	u.FirstSpelled, u.LastSpelled = a.Ends()
	if !a.Given {
		return u
	}
	switch a.Prompt.Type {
	default:
		u.Days = a.Period.Days()
		u.First, u.Last = a.Period.Ends()
	case prompt.Days:
		u.Dates = a.Days
	case prompt.Moment, prompt.MomentPeriod:
		if m := a.Moments.First; m.IsValid() {
			u.FirstInstant = civil.Stamp(m.Time(a.Zone), a.Zone)
		}
		if m := a.Moments.Last; m.IsValid() {
			u.LastInstant = civil.Stamp(m.Time(a.Zone), a.Zone)
			u.UntilInstant = civil.Stamp(time.Unix(m.End(), 0), a.Zone)
		}
	case prompt.TimeRange:
		u.Times = &Times{First: a.Times.First(), Last: a.Times.Last()}
	case prompt.Number:
		u.Number = a.Number.String()
	case prompt.NumberRange:
		if a.Lower != nil {
			u.Least = a.Lower.String()
		}
		if a.Upper != nil {
			u.Most = a.Upper.String()
		}
	case prompt.Text:
		u.Text = a.Text
	case prompt.YesNo:
		u.Truth = &a.Truth
	case prompt.Choice:
		u.Choices = a.Choices
	}
	return u
}

// Reading is how answers are understood on an as-of day, and what is wrong
// with them.
type Reading struct {
	AsOf    civil.Day
	Answers []Understood
	Refused fault.List
}

// InOrder are the answers to a report as they were understood, in the order of its prompts.
func InOrder(r *catalog.Report, answers prompt.Answers) []Understood {
	prompts := r.Answered()
	all := make([]Understood, len(prompts))
	for i, p := range prompts {
		all[i] = understood(answers[p.Name])
	}
	return all
}
