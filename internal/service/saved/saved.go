// Package saved keeps what readers come back to: answers under a name, and live links for
// spreadsheets and scripts.
package saved

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// Saved keeps answers and live links.
type Saved struct {
	base    *base.Base
	answers *answer.Answers
}

// New keeps them in the records of the service.
func New(base *base.Base, answers *answer.Answers) *Saved { return &Saved{base, answers} }

// Asked are answers to a report as they are to be kept: asking, so that a phrase such as "last month"
// means other days on another day, or frozen as of a day.
type Asked struct {
	Answers map[string]prompt.Entered `json:"answers,omitempty" doc:"As they are entered, by prompt."`
	View    answer.View               `json:"view,omitempty" doc:"How the main table is seen."`
	Frozen  bool                      `json:"frozen,omitempty" doc:"Whether the day to take for today is kept with them: then a phrase goes on to mean the days that it means now. Without it a phrase moves."`
	AsOf    string                    `json:"as_of,omitempty" maxLength:"1000" doc:"That day where they are frozen, in any form of a day; today where it is absent."`
}

// Keep is a request to keep answers.
type Keep struct {
	Asked
	Name string `json:"name" minLength:"1" maxLength:"80" doc:"What they are found by; the same name again replaces them."`
	Sharing
}

// Sharing is who sees answers beside who kept them.
type Sharing struct {
	Shared bool     `json:"shared,omitempty" doc:"Whether everybody sees them."`
	Groups []string `json:"groups,omitempty" maxItems:"100" doc:"Groups whose people see them: of one's own groups, for an admin of all."`
}

// Kept are answers that somebody kept.
type Kept struct {
	ID      int64                     `json:"id" doc:"Their number."`
	Report  string                    `json:"report" doc:"Name of the report."`
	Title   string                    `json:"title" doc:"Its title; its name where there is no such report any more."`
	Name    string                    `json:"name" doc:"What they are found by."`
	Person  string                    `json:"person" doc:"Who kept them."`
	Own     bool                      `json:"own" doc:"Whether that is who asks."`
	Shared  bool                      `json:"shared" doc:"Whether everybody sees them."`
	Groups  []string                  `json:"groups,omitempty" doc:"The groups whose people see them, to others than who kept them those that they are in; absent for none."`
	AsOf    string                    `json:"as_of,omitempty" doc:"The day to take for today, of those that are frozen; absent where phrases move."`
	Answers map[string]prompt.Entered `json:"answers" doc:"As they were entered, by prompt."`
	View    answer.View               `json:"view" doc:"How the main table is seen."`
	KeptAt  time.Time                 `json:"kept_at" doc:"When they were kept."`
	Problem string                    `json:"problem,omitempty" doc:"Why they do not go with the report any more."`
}

// checked holds answers to what the report asks now. It returns the day that they are frozen as of, ""
// where they move.
func (s *Saved) checked(ctx context.Context, report string, asked Asked) (asOf string, err error) {
	if !asked.Frozen && asked.AsOf != "" {
		return "", &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{fault.New(fault.InvalidRequest, "as_of is of answers that are frozen; say frozen too")}}
	}
	reading, err := s.answers.Understand(ctx, report, answer.Request{Answers: asked.Answers, AsOf: asked.AsOf})
	if err != nil {
		return "", err
	}
	if len(reading.Refused) > 0 {
		return "", &base.Refusal{Kind: fault.AnswersRefused, Faults: reading.Refused}
	}
	of, err := s.base.Report(ctx, report)
	if err == nil {
		_, _, err = answer.Seen(of, 0, asked.View)
	}
	if err == nil && asked.Frozen {
		asOf = reading.AsOf.String()
	}
	return asOf, err
}

// mostKept is how many answers a person may keep.
const mostKept = 1000

// Keep keeps answers that pass.
func (s *Saved) Keep(ctx context.Context, report string, k Keep) (*Kept, error) {
	asOf, err := s.checked(ctx, report, k.Asked)
	if err != nil {
		return nil, err
	}
	name := strings.TrimSpace(k.Name)
	if name == "" {
		return nil, &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{fault.New(fault.InvalidRequest, "answers are kept under a name, and this one is blank")}}
	}
	groups, err := s.groups(ctx, k.Groups)
	if err != nil {
		return nil, err
	}
	person := base.PersonOf(ctx).Name
	all, err := s.base.Store.AnswersFor(ctx, person, nil, "")
	if err != nil {
		return nil, err
	}
	own := slices.DeleteFunc(all, func(o store.KeptAnswers) bool { return o.Person != person })
	if len(own) >= mostKept {
		return nil, &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.Conflict, "%s are kept already; forget some of them first", english.Count(len(own), "set"))}}
	}
	answers, view, err := encoded(k.Asked)
	if err != nil {
		return nil, err
	}
	row, err := s.base.Store.KeepAnswers(ctx, store.KeptAnswers{Person: person, Report: report, Name: name, Shared: k.Shared, Groups: groups, AsOf: asOf, Answers: answers, View: view, KeptAt: s.base.Config().Now()})
	if err != nil {
		return nil, err
	}
	return s.told(ctx, row)
}

// groups are those that answers are to be shared with, as they are called: groups that the person is in, for
// an admin any.
func (s *Saved) groups(ctx context.Context, names []string) ([]string, error) {
	who := base.PersonOf(ctx)
	may := who.Groups
	if who.May(base.Admin) && len(names) > 0 {
		all, err := s.base.Store.Groups(ctx)
		if err != nil {
			return nil, err
		}
		may = nil
		for _, g := range all {
			may = append(may, g.Name)
		}
	}
	groups := []string{}
	for _, name := range names {
		at := slices.IndexFunc(may, func(g string) bool { return strings.EqualFold(g, strings.TrimSpace(name)) })
		if at < 0 {
			return nil, &base.Refusal{Kind: fault.AnswersRefused, Faults: fault.List{fault.New(fault.UnknownGroup, "you are in no group that is called %q", english.Shorten(name)).Suggest(fault.Near(name, may))}}
		}
		if !slices.Contains(groups, may[at]) {
			groups = append(groups, may[at])
		}
	}
	return groups, nil
}

// among are the groups of both lists.
func among(some, others []string) []string {
	return slices.DeleteFunc(slices.Clone(some), func(g string) bool { return !slices.Contains(others, g) })
}

func encoded(asked Asked) (answers, view []byte, err error) {
	if asked.Answers == nil {
		asked.Answers = map[string]prompt.Entered{}
	}
	if answers, err = json.Marshal(asked.Answers); err == nil {
		view, err = json.Marshal(asked.View)
	}
	return answers, view, err
}

func (s *Saved) told(ctx context.Context, row store.KeptAnswers) (*Kept, error) {
	k := &Kept{ID: row.ID, Report: row.Report, Title: row.Report, Name: row.Name, Person: row.Person, Own: row.Person == base.PersonOf(ctx).Name, Shared: row.Shared, AsOf: row.AsOf, KeptAt: row.KeptAt}
	if k.Groups = row.Groups; !k.Own {
		k.Groups = among(row.Groups, base.PersonOf(ctx).Groups)
	}
	if err := errors.Join(json.Unmarshal(row.Answers, &k.Answers), json.Unmarshal(row.View, &k.View)); err != nil {
		return nil, fmt.Errorf("kept answers %d cannot be read: %w", row.ID, err)
	}
	report, err := s.base.Report(ctx, row.Report)
	if err != nil {
		k.Problem = "The report is gone, or in error."
		return k, nil
	}
	k.Title, k.Problem = report.Title, changed(report, k.Answers)
	return k, nil
}

// changed says which answers go with no question of a report; "" where they all do.
func changed(report *catalog.Report, answers map[string]prompt.Entered) string {
	var gone []string
	for name := range answers {
		if !slices.ContainsFunc(report.Prompts, func(p *prompt.Prompt) bool { return p.Name == name }) {
			gone = append(gone, name)
		}
	}
	if len(gone) == 0 {
		return ""
	}
	slices.Sort(gone)
	return fmt.Sprintf("The report has changed, and does not ask for %s any more.", english.Both(gone))
}

// List lists the answers that the person kept or others share with them, by name: of a report, or of all
// where that is "".
func (s *Saved) List(ctx context.Context, report string) ([]Kept, error) {
	rows, err := s.base.Store.AnswersFor(ctx, base.PersonOf(ctx).Name, base.PersonOf(ctx).Groups, report)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(k store.KeptAnswers) bool { return s.base.IsHidden(ctx, k.Report) })
	return each(ctx, rows, s.told)
}

// each tells all rows.
func each[Row, Told any](ctx context.Context, rows []Row, tell func(context.Context, Row) (*Told, error)) ([]Told, error) {
	all := make([]Told, len(rows))
	for i, row := range rows {
		told, err := tell(ctx, row)
		if err != nil {
			return nil, err
		}
		all[i] = *told
	}
	return all, nil
}

// Find finds answers that the person sees, by their number.
func (s *Saved) Find(ctx context.Context, id int64) (*Kept, error) {
	row, err := s.base.Store.AnswersKept(ctx, id)
	who := base.PersonOf(ctx)
	isTheirs := row.Shared || row.Person == who.Name || len(among(row.Groups, who.Groups)) > 0
	if errors.Is(err, store.ErrNone) || err == nil && (!isTheirs || s.base.IsHidden(ctx, row.Report)) {
		return nil, unknown(fault.UnknownKept, "no kept answers %d", id)
	}
	if err != nil {
		return nil, err
	}
	return s.told(ctx, row)
}

func unknown(code fault.Code, format string, id int64) error {
	return &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(code, format, id)}}
}

// Forget forgets one's own answers; others than readers forget those that are shared, too.
func (s *Saved) Forget(ctx context.Context, id int64) error {
	k, err := s.Find(ctx, id)
	if err != nil {
		return err
	}
	if !k.Own && base.PersonOf(ctx).Role == "reader" {
		return &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.Conflict, "%s keeps these answers; only they forget them", k.Person)}}
	}
	return s.base.Store.DeleteAnswers(ctx, id)
}
