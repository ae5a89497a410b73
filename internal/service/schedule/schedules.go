// Package schedule runs reports at the times of their schedules, and sends what they bring.
package schedule

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"sync"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
	"pikegate/internal/store"
)

// Schedules keeps the schedules going.
type Schedules struct {
	base     *base.Base
	runs     *run.Runs
	people   *people.People
	receipts *receipt.Receipts
	checks   *publish.Publisher
	turn     sync.Mutex // one looks for what is due at a time
	tidied   time.Time  // when old times and files went
	// counted tells what became of runs and deliveries, for the metrics.
	counted func(what, state string)
}

// New keeps the schedules of a service going, once Start is called.
func New(b *base.Base, runs *run.Runs, receipts *receipt.Receipts, p *people.People, checks *publish.Publisher) *Schedules {
	return &Schedules{base: b, runs: runs, receipts: receipts, people: p, checks: checks, counted: func(string, string) {}}
}

// Observe has what becomes of runs ("run") and deliveries ("mail", "folder", "hook") told. It is called
// before Start.
func (s *Schedules) Observe(counted func(what, state string)) { s.counted = counted }

// owned is a schedule with whose rights it runs.
type owned struct {
	*catalog.Schedule
	person, role string
	made         bool       // by somebody for themselves, and none of the definitions
	text         string     // of such a one
	faults       fault.List // what is wrong with it: it does not run then
}

// times are when it is due, in words.
func (o owned) times() string { return o.At.Spelled() + ", " + o.Zone.String() }

// all are all schedules, by name.
func (s *Schedules) all(ctx context.Context) ([]owned, error) {
	var all []owned
	for name, sc := range s.base.Published.Load().Schedules {
		by, err := s.base.Store.PublishedBy(ctx, catalog.Ref{Kind: catalog.KindSchedule, Name: name})
		if errors.Is(err, store.ErrNone) {
			continue // it was taken away meanwhile
		}
		if err != nil {
			return nil, err
		}
		all = append(all, owned{Schedule: sc, person: by, role: base.Admin})
	}
	rows, err := s.base.Store.Schedules(ctx)
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		all = append(all, s.read(ctx, row))
	}
	slices.SortFunc(all, func(a, b owned) int { return strings.Compare(a.Name, b.Name) })
	return all, nil
}

// read reads a schedule that somebody made, on the reports that there are for them.
func (s *Schedules) read(ctx context.Context, row store.Schedule) owned {
	o := owned{Schedule: &catalog.Schedule{Name: row.Name}, person: row.Person, role: row.Role, made: true, text: row.Text}
	who, there := s.base.PersonNow(ctx, row.Person, row.Role)
	if !there {
		o.faults = fault.List{fault.New(fault.RightMissing, "%s may not sign in any more", row.Person)}
		return o
	}
	made, faults := s.parsed(base.WithPerson(ctx, who), row.Name, row.Text)
	if o.faults = faults; made != nil {
		o.Schedule = made
	}
	if o.Zone == nil {
		o.Zone = s.base.Zone()
	}
	return o
}

// parsed reads the text of a schedule of who asks.
func (s *Schedules) parsed(ctx context.Context, name, text string) (*catalog.Schedule, fault.List) {
	on := catalog.New()
	for _, r := range s.base.Reports(ctx, "") {
		on.Reports[r.Name] = r
	}
	zone := s.base.Zone()
	d := catalog.Document{Ref: catalog.Ref{Kind: catalog.KindSchedule, Name: name}, Text: text, File: name, Line: 1}
	return definition.Schedule(d, on, s.base.Setting(ctx, s.base.Today(zone), zone))
}

// named is a schedule that there is for who asks: one of their own, for developers and admins any.
func (s *Schedules) named(ctx context.Context, name string) (owned, error) {
	all, err := s.all(ctx)
	if err != nil {
		return owned{}, err
	}
	for _, o := range all {
		if o.Name == name && s.isFor(ctx, o) {
			return o, nil
		}
	}
	f := fault.New(fault.UnknownSchedule, "no schedule %q", english.Shorten(name))
	var names []string
	for _, o := range all {
		if s.isFor(ctx, o) {
			names = append(names, o.Name)
		}
	}
	return owned{}, &base.Refusal{Kind: fault.Unknown, Faults: fault.List{f.Suggest(fault.Near(name, names))}}
}

func (s *Schedules) isFor(ctx context.Context, o owned) bool {
	who := base.PersonOf(ctx)
	switch {
	case o.Report != nil && !who.Sees(o.Report.Shelf):
		return false
	case o.person == who.Name:
		return true
	case who.IsLimited() && !o.made:
		return who.May(base.Developer) && s.base.SeesRef(ctx, catalog.Ref{Kind: catalog.KindSchedule, Name: o.Name})
	}
	return who.May(base.Developer) && (o.Report != nil || !who.IsLimited())
}

// ScheduleInfo is a schedule as it is listed.
type ScheduleInfo struct {
	Name    string                    `json:"name" doc:"Its name."`
	Report  string                    `json:"report" doc:"Name of the report; empty for one that checks."`
	Title   string                    `json:"title" doc:"Its title."`
	Check   string                    `json:"check,omitempty" doc:"What it checks, in words, in place of running a report; absent for one that runs one."`
	Person  string                    `json:"person" doc:"Whose it is, and with whose rights it runs."`
	Own     bool                      `json:"own" doc:"Whether it was made for its person alone, and is none of the definitions."`
	Answers map[string]prompt.Entered `json:"answers" doc:"As they were entered, by prompt."`
	At      string                    `json:"at" doc:"When it runs, so that nobody can misread it."`
	Zone    string                    `json:"zone" doc:"IANA zone whose clocks show the times."`
	Missed  string                    `json:"missed" enum:"once,skip" doc:"What becomes of times that passed while the service was down."`
	Send    []string                  `json:"send" doc:"Where results are sent, in words."`
	Problem string                    `json:"problem,omitempty" doc:"Why it does not run, or why its last time failed."`
	Text    string                    `json:"text,omitempty" doc:"Of one's own: how it is written, YAML."`
	Next    []ScheduleNext            `json:"next" doc:"When it runs next, with what its answers will mean."`
	Last    []ScheduleTime            `json:"last" doc:"When it ran last, the latest first."`
}

// ScheduleNext is a time of a schedule that is ahead.
type ScheduleNext struct {
	At      time.Time           `json:"at" doc:"When it runs."`
	AsOf    civil.Day           `json:"as_of" doc:"The day that is taken for today then."`
	Answers []answer.Understood `json:"answers" doc:"The answers, as they will be understood."`
	Problem string              `json:"problem,omitempty" doc:"Why an answer would be refused then."`
}

// ScheduleTime is a time of a schedule that has passed.
type ScheduleTime struct {
	At         time.Time  `json:"at" doc:"When it was due."`
	State      string     `json:"state" enum:"claimed,done,failed,skipped" doc:"What became of it: claimed is under way."`
	Receipt    int64      `json:"receipt,omitempty" doc:"The receipt of its run; absent where there is none."`
	Tries      int        `json:"tries" doc:"How often it was tried."`
	Problem    string     `json:"problem,omitempty" doc:"Why it failed."`
	Deliveries []Delivery `json:"deliveries" doc:"What was sent."`
}

// Delivery is what was sent to one recipient.
type Delivery struct {
	Kind      string     `json:"kind" enum:"mail,folder,hook" doc:"How."`
	Recipient string     `json:"recipient" doc:"The address, the file or the hook."`
	State     string     `json:"state" enum:"waiting,sending,sent,not_wanted,doubtful,failed" doc:"What became of it. It was not wanted where the result was not one to be sent; it is doubtful where the service ended in the middle of it: it may have arrived, and is not sent again."`
	Tries     int        `json:"tries" doc:"How often it was tried."`
	Problem   string     `json:"problem,omitempty" doc:"Why it failed, or is tried again."`
	At        *time.Time `json:"at,omitempty" doc:"When that was; absent while it waits."`
}

// How many times of a schedule are told.
const (
	toldAhead = 10
	toldPast  = 20
)

// List lists the schedules that there are for who asks, by name, each with its next ten times and its last.
func (s *Schedules) List(ctx context.Context) ([]ScheduleInfo, error) {
	all, err := s.all(ctx)
	if err != nil {
		return nil, err
	}
	told := []ScheduleInfo{}
	for _, o := range all {
		if s.isFor(ctx, o) {
			t, err := s.told(ctx, o, toldAhead, 1)
			if err != nil {
				return nil, err
			}
			told = append(told, *t)
		}
	}
	return told, nil
}

// Show tells of a schedule, with its next ten times.
func (s *Schedules) Show(ctx context.Context, name string) (*ScheduleInfo, error) {
	o, err := s.named(ctx, name)
	if err != nil {
		return nil, err
	}
	return s.told(ctx, o, toldAhead, toldPast)
}

func (s *Schedules) told(ctx context.Context, o owned, ahead, past int) (*ScheduleInfo, error) {
	t := &ScheduleInfo{Name: o.Name, Person: o.person, Own: o.made, Answers: o.Answers, Missed: "once", Send: []string{}, Next: []ScheduleNext{}, Last: []ScheduleTime{}}
	if o.made && o.person == base.PersonOf(ctx).Name {
		t.Text = o.text
	}
	if t.Answers == nil {
		t.Answers = map[string]prompt.Entered{}
	}
	if len(o.faults) > 0 {
		t.Problem = o.faults[0].Sentence()
	}
	if o.Report != nil {
		t.Report, t.Title = o.Report.Name, o.Report.Title
	}
	if o.Check != nil {
		t.Check = o.Check.String()
	}
	if o.Zone != nil && len(o.faults) == 0 {
		t.At, t.Zone = o.At.Spelled(), o.Zone.String()
		if o.SkipMissed {
			t.Missed = "skip"
		}
		for _, to := range o.Send {
			t.Send = append(t.Send, spelled(to))
		}
		if len(o.Tell) > 0 {
			t.Send = append(t.Send, "mail to "+english.Both(o.Tell)+", where something starts to fail or all holds again")
		}
		t.Next = s.ahead(ctx, o, s.base.Config().Now().Unix(), ahead)
	}
	rows, err := s.base.Store.ScheduleRuns(ctx, o.Name, past)
	if err != nil {
		return nil, err
	}
	for _, row := range rows {
		p := timeOf(row)
		if o.Zone != nil {
			p.At = p.At.In(o.Zone)
		}
		t.Last = append(t.Last, p)
	}
	if len(t.Last) > 0 && t.Problem == "" {
		t.Problem = t.Last[0].trouble()
	}
	return t, nil
}

func timeOf(row store.ScheduleRun) ScheduleTime {
	p := ScheduleTime{At: row.DueAt, State: string(row.State), Receipt: row.Receipt, Tries: row.Tries, Problem: row.Problem, Deliveries: []Delivery{}}
	for _, d := range row.Deliveries {
		told := Delivery{Kind: d.Kind, Recipient: d.Recipient, State: string(d.State), Tries: d.Tries, Problem: d.Problem}
		if !d.EndedAt.IsZero() {
			told.At = &d.EndedAt
		}
		p.Deliveries = append(p.Deliveries, told)
	}
	return p
}

// trouble is what went wrong with a time of a schedule, "" where nothing did.
func (p ScheduleTime) trouble() string {
	if p.State == string(store.RunFailed) {
		return p.Problem
	}
	for _, d := range p.Deliveries {
		if d.State == string(store.Failed) || d.State == string(store.Doubtful) {
			return fmt.Sprintf("%s to %s: %s", d.Kind, d.Recipient, d.Problem)
		}
	}
	return ""
}

// spelled says where results are sent, and when.
func spelled(to catalog.Sending) string {
	text := ""
	switch {
	case to.Mail != nil:
		text = "mail to " + english.Both(to.Mail.To)
		if len(to.Mail.Attach) > 0 {
			text += " with " + english.Both(to.Mail.Attach)
		}
	case to.Folder != nil:
		text = "file " + to.Folder.Path + "/" + to.Folder.Name
		if to.Folder.Keep > 0 {
			text += ", kept " + english.Count(to.Folder.Keep, "day")
		}
	case to.Hook != nil:
		text = "hook " + to.Hook.URL
	}
	switch to.When.Kind {
	case catalog.WhenRecords:
		text += ", where there are records"
	case catalog.WhenChanged:
		text += ", where the records are other ones than before"
	case catalog.WhenMore:
		text += fmt.Sprintf(", where there are more than %d records", to.When.More)
	}
	return text
}

// dayZone is the zone whose day is taken for today.
func (o owned) dayZone() *time.Location {
	if o.Report == nil {
		return o.Zone
	}
	return o.Report.Main().Query.Of.Source.Zone
}

// asOf is the day that is taken for today at an instant: where the service was told a day for today, so
// many days from that as lie between now and then.
func (s *Schedules) asOf(o owned, at int64) civil.Day {
	zone := o.dayZone()
	day, now := civil.DayAt(at, zone), civil.DayAt(s.base.Config().Now().Unix(), zone)
	fixed := s.base.FixedToday()
	switch apart := fixed - now; {
	case !fixed.IsValid(), day > now && apart >= -1 && apart <= 1: // it was told the day that it is, perhaps by other clocks
		return day
	}
	return fixed + day - now
}

// ahead are the next times after an instant, with what the answers will mean.
func (s *Schedules) ahead(ctx context.Context, o owned, after int64, n int) []ScheduleNext {
	all := []ScheduleNext{}
	for range n {
		at, ok := o.At.Next(after, o.Zone)
		if !ok {
			break
		}
		after = at
		next := ScheduleNext{At: time.Unix(at, 0).In(o.Zone), AsOf: s.asOf(o, at)}
		if next.Answers = []answer.Understood{}; o.Report == nil {
			all = append(all, next)
			continue
		}
		setting := s.base.Setting(ctx, next.AsOf, o.dayZone())
		if !s.base.FixedToday().IsValid() {
			setting.Now = at
		}
		answers, refused := prompt.Check(o.Report.Answered(), o.Answers, setting)
		if next.Answers = answer.InOrder(o.Report, answers); len(refused) > 0 {
			next.Problem = refused[0].Sentence()
		}
		all = append(all, next)
	}
	return all
}

// How many schedules somebody may make, and how often one of theirs may run.
const (
	mostOwn    = 20
	mostPerDay = 96
)

// Set makes a schedule of who asks, or puts it in the place of theirs of the same name.
func (s *Schedules) Set(ctx context.Context, name, text string) (*ScheduleInfo, error) {
	if !catalog.IsName(name) {
		return nil, refused(fault.WrongValue, "a schedule is called by small letters and digits, parted by - or _, and this is %q", english.Shorten(name))
	}
	who := base.PersonOf(ctx)
	rows, err := s.base.Store.Schedules(ctx)
	if err != nil {
		return nil, err
	}
	own := 0
	for _, row := range rows {
		switch {
		case row.Name == name && row.Person != who.Name:
			return nil, taken(name)
		case row.Name != name && row.Person == who.Name:
			own++
		}
	}
	if s.base.Published.Load().Schedules[name] != nil {
		return nil, taken(name)
	}
	if own >= mostOwn {
		return nil, &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.Conflict, "you have %d schedules already; drop some of them first", own)}}
	}
	made, faults := s.parsed(ctx, name, text)
	if len(faults) == 0 {
		faults = s.unfit(made)
	}
	if len(faults) > 0 {
		for _, f := range faults {
			f.Place = fault.Place{Prompt: f.Place.Prompt} // it was put together of a form, and has no lines
		}
		return nil, &base.Refusal{Kind: fault.DefinitionsRefused, Faults: faults}
	}
	row := store.Schedule{Name: name, Person: who.Name, Role: who.Role, Text: text, MadeAt: s.base.Config().Now()}
	if err := s.base.Store.SetSchedule(ctx, row, s.entry(ctx, "set a schedule", name)); err != nil {
		return nil, err
	}
	if _, err := s.base.Store.Reached(ctx, name, owned{Schedule: made}.times(), s.now()); err != nil {
		return nil, err
	}
	return s.Show(ctx, name)
}

func taken(name string) error {
	return &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.NameTaken, "there is a schedule %q already; call yours otherwise", name)}}
}

func refused(code fault.Code, format string, args ...any) error {
	return &base.Refusal{Kind: fault.DefinitionsRefused, Faults: fault.List{fault.New(code, format, args...)}}
}

// unfit is what a schedule has that nobody makes for themselves.
func (s *Schedules) unfit(made *catalog.Schedule) (found fault.List) {
	if n := made.At.PerDay(); n > mostPerDay {
		found = append(found, fault.New(fault.TooMany, "it would run %d times a day, and one of your own may %d times", n, mostPerDay))
	}
	if made.Check != nil {
		found = append(found, fault.New(fault.WrongValue, "a schedule of one's own runs a report; proofs and definitions are checked by those that developers publish"))
	}
	for _, to := range made.Send {
		if to.Mail == nil {
			found = append(found, fault.New(fault.WrongValue, "a schedule of one's own sends mails; into folders and to hooks results are sent by those that developers publish"))
			continue
		}
		for _, address := range to.Mail.To {
			if f := s.unmailed(address); f != nil {
				found = append(found, f)
			}
		}
	}
	return found
}

// unmailed refuses an address that no mails may go to, nil for one that they may.
func (s *Schedules) unmailed(address string) *fault.Fault {
	domains := s.base.Config().MailDomains
	_, domain, _ := strings.Cut(address, "@")
	if len(domains) == 0 || slices.ContainsFunc(domains, func(d string) bool { return strings.EqualFold(d, domain) }) {
		return nil
	}
	return fault.New(fault.WrongValue, "mails go to %s, and not to %s", english.Both(domains), english.Shorten(address))
}

// Drop drops a schedule of who asks; an admin drops anybody's.
func (s *Schedules) Drop(ctx context.Context, name string) error {
	o, err := s.named(ctx, name)
	if err != nil {
		return err
	}
	who := base.PersonOf(ctx)
	switch {
	case !o.made:
		return &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.Conflict, "the schedule %q is a definition; it is deleted as such", name)}}
	case o.person != who.Name && !who.May(base.Admin):
		return &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.Conflict, "the schedule %q is %s's, who drops it, or an admin does", name, o.person)}}
	}
	return s.base.Store.DropSchedule(ctx, name, s.entry(ctx, "drop a schedule", name))
}

func (s *Schedules) entry(ctx context.Context, action, subject string) store.AuditEntry {
	return store.AuditEntry{At: s.base.Config().Now(), Person: base.PersonOf(ctx).Name, Action: action, Subject: subject}
}

// now is the time to the second, as times of schedules are.
func (s *Schedules) now() time.Time { return s.base.Config().Now().UTC().Truncate(time.Second) }

// addressOf is where a person can be written to, "" where that is not known.
func (s *Schedules) addressOf(ctx context.Context, name string) string {
	who, there := s.base.PersonNow(ctx, name, base.Admin)
	if !there {
		return ""
	}
	for _, text := range who.Attributes["mail"] {
		if a, err := mail.ParseAddress(text); err == nil {
			return a.Address
		}
	}
	return ""
}

// fails tells the owner of a schedule of what went wrong for good.
func (s *Schedules) fails(ctx context.Context, o owned, due time.Time, problem string) {
	s.base.Log.ErrorContext(ctx, "a schedule failed",
		"schedule", o.Name, "due", due, "person", o.person, "problem", problem)
	to := s.addressOf(ctx, o.person)
	if to == "" || !s.base.Config().Mail.IsSet() {
		return
	}
	if err := s.base.Config().Mail.Send(ctx, s.failureMail(o, due, to, problem)); err != nil {
		s.base.Log.WarnContext(ctx, "could not notify the owner of a failed schedule",
			"schedule", o.Name, "error", err)
	}
}

// problemOf is why something failed, in a sentence, and whether it would fail again.
func problemOf(err error) (says string, forGood bool) {
	var refusal *base.Refusal
	if errors.As(err, &refusal) && len(refusal.Faults) > 0 {
		return refusal.Faults[0].Sentence(), true
	}
	return cmp.Or(err.Error(), "it failed"), false
}
