package answer

import (
	"context"
	"maps"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/oneline"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/base"
)

// Line is how a line such as "late sailings last month" was read.
type Line struct {
	Report     string                    `json:"report" doc:"Name of the report that is meant; empty where several fit alike, or none does."`
	Title      string                    `json:"title,omitempty" doc:"Its title."`
	Answers    map[string]prompt.Entered `json:"answers" doc:"The answers that stand in the line, as entered, by prompt."`
	Understood []LineWords               `json:"understood" doc:"What was understood, in the order of the line."`
	LeftOver   []string                  `json:"left_over" doc:"Words that were not understood."`
	Fits       []ReportName              `json:"fits" doc:"Where several reports fit alike: those."`
}

// LineWords are words of a line that are an answer.
type LineWords struct {
	Words   string `json:"words" doc:"As they stand there."`
	Prompt  string `json:"prompt" doc:"Name of the prompt that they answer."`
	Ask     string `json:"ask" doc:"What it asks."`
	Spelled string `json:"spelled,omitempty" doc:"What they mean; absent where they are refused."`
	Refused string `json:"refused,omitempty" doc:"Why they are refused."`
}

// ReportName is a report by name and title.
type ReportName struct {
	Name  string `json:"name" doc:"Name of the report."`
	Title string `json:"title" doc:"Its title."`
}

// longestLine is how many bytes of a line are read.
const longestLine = 500

// How many choices from data are looked through, and how long that may take.
const (
	mostOptions = 2000
	optionsTime = 2 * time.Second
)

// Line reads a line: which report it means, and which answers stand in it. Nothing is run.
func (s *Answers) Line(ctx context.Context, text, asOf string) (*Line, error) {
	if len(text) > longestLine {
		return nil, &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{fault.New(fault.TooLong, "the line has %d bytes; at most %d are read", len(text), longestLine)}}
	}
	published, who := s.base.In(ctx).Reports, base.PersonOf(ctx)
	var all []*oneline.Report
	for _, name := range slices.Sorted(maps.Keys(published)) {
		r := s.base.For(ctx, published[name])
		if r == nil || !who.Sees(r.Shelf) {
			continue
		}
		setting, err := s.settingFor(ctx, r, asOf)
		if err != nil {
			return nil, err
		}
		of := &oneline.Report{Name: name, Title: r.Title, About: r.About, Shelf: r.Shelf, Prompts: r.Prompts, Setting: setting}
		for _, section := range r.Sections {
			for _, c := range section.Shown() {
				of.Columns = append(of.Columns, c.Label)
			}
		}
		known := map[*prompt.Prompt][]prompt.Option{}
		of.Options = func(p *prompt.Prompt) []prompt.Option {
			if _, isKnown := known[p]; !isKnown {
				known[p] = s.options(ctx, r, p, setting)
			}
			return known[p]
		}
		all = append(all, of)
	}
	line := &Line{Answers: map[string]prompt.Entered{}, Understood: []LineWords{}, LeftOver: []string{}, Fits: []ReportName{}}
	readings := oneline.Read(text, all)
	if len(readings) != 1 {
		for _, r := range readings {
			line.Fits = append(line.Fits, ReportName{r.Report.Name, r.Report.Title})
		}
		return line, nil
	}
	r := readings[0]
	line.Report, line.Title, line.Answers = r.Report.Name, r.Report.Title, r.Answers
	line.LeftOver = append(line.LeftOver, r.LeftOver...)
	for _, u := range r.Understood {
		words := LineWords{Words: u.Words, Prompt: u.Prompt.Name, Ask: u.Prompt.Ask, Spelled: u.Spelled, Refused: english.Title(u.Refused)}
		if label := labelOf(r.Report.Options, u.Prompt, u.Spelled); label != "" {
			words.Spelled = label
		}
		line.Understood = append(line.Understood, words)
	}
	return line, nil
}

// labelOf is what people read of a choice.
func labelOf(options func(*prompt.Prompt) []prompt.Option, p *prompt.Prompt, value string) string {
	if p.Type != prompt.Choice {
		return ""
	}
	for _, o := range options(p) {
		if o.Value == value {
			return o.Label
		}
	}
	return ""
}

// options are the choices of a prompt, from the data too; none where the source does not tell
// them soon enough: then no word is taken for one.
func (s *Answers) options(ctx context.Context, r *catalog.Report, p *prompt.Prompt, setting phrase.Setting) []prompt.Option {
	if !p.Listed {
		return p.Choices
	}
	looking, cancel := context.WithTimeout(ctx, optionsTime)
	defer cancel()
	found, err := s.listed(looking, r.Lists[p], prompt.Answers{}, setting, compile.Listing{Query: compile.Query{Limit: mostOptions}})
	if err != nil {
		return nil
	}
	options := make([]prompt.Option, len(found))
	for i, c := range found {
		options[i] = c.Option
	}
	return options
}
