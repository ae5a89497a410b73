package prompt

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

const (
	mostAnswerBytes = 1000 // of an answer
	mostDigits      = 40   // of a number
)

// Answer is an answer as entered and as understood. Which field holds it
// depends on the prompt's type; none does where Given is false.
type Answer struct {
	Prompt  *Prompt
	Entered Entered
	Default bool // the default was taken
	Given   bool // false: left unanswered

	Period  civil.Period       // of days; a day starts and ends it
	ToDate  civil.Unit         // where the period was given as a unit to date
	Days    []civil.Day        // several days, in order of time, each once
	Moments civil.MomentPeriod // of moments; a single one starts and ends it
	Times   civil.TimeRange
	Zone    *time.Location // that moments were read in
	Number  decimal.Decimal
	Lower   *decimal.Decimal // of a range of numbers, nil for an open side
	Upper   *decimal.Decimal
	Text    string
	Truth   bool
	Choices []Option
	Notes   []string
}

// Spelled is what was understood, so that nobody can misread it.
func (a *Answer) Spelled() string {
	if !a.Given {
		return "left unanswered"
	}
	switch a.Prompt.Type {
	case Day:
		return a.Period.First.Spelled()
	case Days:
		spelled := make([]string, len(a.Days))
		for i, d := range a.Days {
			spelled[i] = d.Spelled()
		}
		return strings.Join(spelled, ", ")
	case Period, Month, Quarter, Year:
		return a.Period.Spelled()
	case Moment:
		return a.Moments.First.Spelled(a.Zone)
	case MomentPeriod:
		return a.Moments.Spelled(a.Zone)
	case TimeRange:
		return a.Times.Spelled()
	case Number:
		return strings.TrimSpace(a.Number.String() + " " + a.Prompt.Unit)
	case NumberRange:
		return SpelledRange(a.Lower, a.Upper, a.Prompt.Unit)
	case Text:
		return a.Text
	case YesNo:
		return map[bool]string{true: "yes", false: "no"}[a.Truth]
	}
	labels := make([]string, len(a.Choices))
	for i, c := range a.Choices {
		labels[i] = c.Label
	}
	return strings.Join(labels, ", ")
}

// Ends are the first and the last day or moment, spelled, "" where that side is
// open or the answer has none. A refused answer has those that could be read.
func (a *Answer) Ends() (first, last string) {
	if a.Prompt.Type.IsPeriod() {
		return a.Period.First.Spelled(), a.Period.Last.Spelled()
	}
	if m := a.Moments.First; m.IsValid() {
		first = m.Spelled(a.Zone)
	}
	if m := a.Moments.Last; m.IsValid() {
		last = m.Spelled(a.Zone)
	}
	return first, last
}

// Brief is the answer in few letters, fit for a button; "" where the answer as it
// was given says as much.
func (a *Answer) Brief() string {
	switch {
	case a.Given && a.Prompt.Type.IsPeriod():
		return a.Period.Brief()
	case a.Given && a.Prompt.Type == MomentPeriod:
		return a.Moments.Brief(a.Zone)
	case a.Given && a.Prompt.Type == NumberRange:
		return a.Spelled()
	}
	return ""
}

// Answers are the understood answers by the name of their prompt.
type Answers map[string]*Answer

// Check reads all answers and collects all refusals. A prompt that is absent
// takes its default; a name that no prompt has is refused too. The answers are
// complete only where the list is empty.
func Check(prompts []*Prompt, entered map[string]Entered, s phrase.Setting) (Answers, fault.List) {
	answers := make(Answers, len(prompts))
	room := make([]Answer, len(prompts))
	var refused fault.List
	for i, p := range prompts {
		if p.Derived != "" {
			continue // once the others are read
		}
		e := entered[p.Name]
		if p.Hidden {
			e = Entered{}
		}
		byDefault := e.IsAbsent()
		if byDefault {
			e = p.Default
		}
		var faults fault.List
		a := &room[i]
		*a, faults = p.Read(e, s)
		for _, f := range faults {
			f.Place.Prompt = p.Name
		}
		a.Default = byDefault && a.Given
		answers[p.Name] = a
		refused = append(refused, faults...)
	}
	for _, p := range prompts {
		if p.Derived != "" {
			a, f := p.derive(answers[p.Base.Name])
			if f != nil {
				refused = append(refused, f)
			}
			answers[p.Name] = &a
		}
	}
	return answers, append(refused, unknown(prompts, entered)...)
}

// Derived is the answer that comes from one to a period: that of the period before it, or of the same
// period a year earlier. It is an answer to the same prompt.
func (a *Answer) Derived(d Derivation) (Answer, *fault.Fault) {
	derived, f := (&Prompt{Derived: d, Base: a.Prompt}).derive(a)
	derived.Prompt = a.Prompt
	return derived, f
}

// Rederived are answers of which one is another, with those that are worked out from it.
func (all Answers) Rederived(other *Answer) Answers {
	answers := maps.Clone(all)
	answers[other.Prompt.Name] = other
	for name, a := range answers {
		if p := a.Prompt; p.Derived != "" && p.Base == other.Prompt {
			derived, _ := p.derive(other) // none where it lies outside the calendar
			answers[name] = &derived
		}
	}
	return answers
}

// derive works out the answer of a derived prompt from that of its base; there is
// none where the base was left unanswered. A refusal is the base's.
func (p *Prompt) derive(base *Answer) (Answer, *fault.Fault) {
	a := Answer{Prompt: p}
	if base == nil || !base.Given {
		return a, nil
	}
	var ok bool
	side := ""
	switch p.Derived {
	case Previous:
		a.Period, ok = base.Period.Previous(base.ToDate)
	case YearBefore:
		a.Period, ok = base.Period.YearBefore(base.ToDate)
	case StartOf:
		a.Period, ok, side = civil.Period{First: base.Period.First, Last: base.Period.First}, base.Period.First.IsValid(), "start"
	case EndOf:
		a.Period, ok, side = civil.Period{First: base.Period.Last, Last: base.Period.Last}, base.Period.Last.IsValid(), "end"
	}
	if a.Given = ok; ok {
		return a, nil
	}
	what := map[Derivation]string{Previous: "the period before it", YearBefore: "the same period a year earlier", StartOf: "its first day", EndOf: "its last day"}[p.Derived]
	f := fault.New(fault.SideRequired, "with an open side there is no telling %s, which this report needs", what)
	if base.Period.IsClosed() {
		f = fault.New(fault.NoSuchDate, "%s, which this report needs, lies outside the years 0001 to 9999", what)
	}
	if side == "" && !base.Period.IsClosed() {
		if side = "start"; base.Period.First.IsValid() {
			side = "end"
		}
	}
	f.Entered = english.Shorten(strings.Join(base.Entered.texts, " to "))
	return a, f.At(fault.Place{Prompt: p.Base.Name, Side: side})
}

func unknown(prompts []*Prompt, entered map[string]Entered) fault.List {
	var refused fault.List
	for name := range entered {
		if slices.ContainsFunc(prompts, func(p *Prompt) bool { return p.Name == name && p.IsAsked() }) {
			continue
		}
		var known []string
		for _, p := range prompts {
			if p.IsAsked() {
				known = append(known, p.Name)
			}
		}
		f := fault.New(fault.UnknownPrompt, "no prompt %q here; this report asks for %s", english.Shorten(name), english.Both(known))
		if len(known) == 0 {
			f.Message = fmt.Sprintf("no prompt %q here; this report asks for nothing", english.Shorten(name))
		}
		f.Suggest(fault.Near(name, known))
		refused = append(refused, f.At(fault.Place{Prompt: english.Shorten(name)}))
	}
	slices.SortFunc(refused, func(a, b *fault.Fault) int { return strings.Compare(a.Place.Prompt, b.Place.Prompt) })
	return refused
}

// Read understands one answer and holds it to the prompt's limits. Refusals
// name a side of a period where only one is meant, and no prompt. What they suggest
// passes: in place of that side where the answer has two, else of the whole answer.
func (p *Prompt) Read(e Entered, s phrase.Setting) (Answer, fault.List) {
	a, refused := p.read(e, s)
	if p.Type.isTyped() {
		for _, f := range refused {
			f.Suggestions = p.passing(f, refused, e, s)
		}
	}
	return a, refused
}

// read reads an answer: one branch for each type of prompt.
func (p *Prompt) read(e Entered, s phrase.Setting) (Answer, fault.List) {
	a := Answer{Prompt: p, Entered: e}
	if e.shape == absent || e.shape == nothing {
		if p.Required {
			f := fault.New(fault.AnswerRequired, "an answer is required: %s", p.Ask)
			if p.Default.shape == oneText {
				f.Suggest(p.Default.texts[0])
			}
			return a, fault.List{f}
		}
		return a, nil
	}
	for i, text := range e.texts {
		if strings.Contains(text, "\x00") {
			f := fault.New(fault.NotText, "the answer has a zero byte in it, which no text has")
			f.Entered, f.Place.Side = english.Shorten(text), sideName(e, i)
			return a, fault.List{f}
		}
		if len(text) > mostAnswerBytes {
			f := fault.New(fault.TooLong, "the answer has %d bytes; at most %d are read", len(text), mostAnswerBytes)
			f.Entered, f.Limit = english.Shorten(text), fmt.Sprint(mostAnswerBytes, " bytes")
			f.Place.Side = sideName(e, i)
			return a, fault.List{f}
		}
	}
	a.Given = true
	var refused fault.List
	switch s := p.setting(s); p.Type {
	case Day:
		refused = a.readDay(e, s)
	case Days:
		refused = a.readDays(e, s)
	case Period:
		refused = a.readPeriod(e, s)
	case Month, Quarter, Year:
		refused = a.readUnits(e, s)
	case Moment, MomentPeriod:
		refused = a.readMoments(e, s)
	case TimeRange:
		refused = a.readTimes(e)
	case Number:
		refused = a.readNumber(e)
	case NumberRange:
		refused = a.readRange(e)
	case Text:
		refused = a.readText(e)
	case YesNo:
		refused = a.readYesNo(e)
	case Choice:
		refused = a.readChoices(e)
	}
	if len(refused) > 0 {
		a.Given = false
	}
	if p.Type != Text && p.Type != Choice && slices.ContainsFunc(e.texts, func(t string) bool { return t != strings.TrimSpace(t) }) {
		a.Notes = append(a.Notes, "the blanks around it do not count")
	}
	return a, refused
}

func sideName(e Entered, i int) string {
	if e.shape != sides {
		return ""
	}
	return sideNames[i]
}

var sideNames = [...]string{"start", "end"}

// single is the one text of an answer to a prompt that wants just one.
func single(e Entered) (string, bool) {
	return e.texts[0], e.shape != sides && len(e.texts) == 1
}

func refuse(f *fault.Fault, entered, limit string) fault.List {
	f.Entered, f.Limit = english.Shorten(entered), limit
	return fault.List{f}
}

// refuseAll is the refusal of an answer of one or two texts, none where f is nil.
func refuseAll(f *fault.Fault, e Entered) fault.List {
	if f == nil {
		return nil
	}
	return refuse(f, strings.Join(e.texts, " to "), f.Limit)
}
