package prompt

import (
	"fmt"
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

// The codes of refusals by a prompt's limits; those of dates stand in package
// phrase.
const (
	AnswerRequired  = "answer_required"
	SideRequired    = "side_required"
	BeforeEarliest  = "before_earliest"
	AfterLatest     = "after_latest"
	PeriodTooLong   = "period_too_long"
	PeriodTooShort  = "period_too_short"
	NotAChoice      = "not_a_choice"
	TooManyChoices  = "too_many_choices"
	TooFewChoices   = "too_few_choices"
	NotANumber      = "not_a_number"
	OutOfRange      = "out_of_range"
	AnswerTooLong   = "too_long"
	UnknownPrompt   = "unknown_prompt"
	mostAnswerBytes = 1000
	mostDigits      = 40
)

// Answer is an answer as entered and as understood. Which field holds it
// depends on the prompt's type; none does where Given is false.
type Answer struct {
	Prompt  *Prompt
	Entered Entered
	Default bool // the default was taken
	Given   bool // false: left unanswered

	Period  civil.Period // a day (first and last the same) or a period
	Days    []civil.Day  // several days, in order of time, each once
	Number  decimal.Decimal
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
	case Period:
		return a.Period.Spelled()
	case Number:
		return strings.TrimSpace(a.Number.String() + " " + a.Prompt.Unit)
	}
	labels := make([]string, len(a.Choices))
	for i, c := range a.Choices {
		labels[i] = c.Label
	}
	return strings.Join(labels, ", ")
}

// Answers are the understood answers by the name of their prompt.
type Answers map[string]*Answer

// Check reads all answers and collects all refusals. A prompt that is absent
// takes its default; a name that no prompt has is refused too. The answers are
// complete only where the list is empty.
func Check(prompts []*Prompt, entered map[string]Entered, s Setting) (Answers, fault.List) {
	answers := make(Answers, len(prompts))
	var refused fault.List
	for _, p := range prompts {
		e := entered[p.Name]
		byDefault := e.IsAbsent()
		if byDefault {
			e = p.Default
		}
		a, faults := p.Read(e, s)
		for _, f := range faults {
			f.Place.Prompt = p.Name
		}
		a.Default = byDefault && a.Given
		answers[p.Name] = &a
		refused = append(refused, faults...)
	}
	return answers, append(refused, unknown(prompts, entered)...)
}

func unknown(prompts []*Prompt, entered map[string]Entered) fault.List {
	var refused fault.List
	for name := range entered {
		if slices.ContainsFunc(prompts, func(p *Prompt) bool { return p.Name == name }) {
			continue
		}
		known := make([]string, len(prompts))
		for i, p := range prompts {
			known[i] = p.Name
		}
		f := fault.New(UnknownPrompt, "no prompt %q here; this report asks for %s", fault.Shorten(name), fault.Both(known))
		if len(known) == 0 {
			f.Message = fmt.Sprintf("no prompt %q here; this report asks for nothing", fault.Shorten(name))
		}
		if near := fault.Near(name, known); near != "" {
			f.Suggest(near)
		}
		refused = append(refused, f.At(fault.Place{Prompt: fault.Shorten(name)}))
	}
	slices.SortFunc(refused, func(a, b *fault.Fault) int { return strings.Compare(a.Place.Prompt, b.Place.Prompt) })
	return refused
}

// Read understands one answer and holds it to the prompt's limits. Refusals
// name a side of a period where only one is meant, and no prompt.
func (p *Prompt) Read(e Entered, s Setting) (Answer, fault.List) {
	a := Answer{Prompt: p, Entered: e}
	if e.shape == absent || e.shape == nothing {
		if p.Required {
			f := fault.New(AnswerRequired, "an answer is required: %s", p.Ask)
			if p.Default.shape == oneText {
				f.Suggest(p.Default.texts[0])
			}
			return a, fault.List{f}
		}
		return a, nil
	}
	for i, text := range e.texts {
		if len(text) > mostAnswerBytes {
			f := fault.New(AnswerTooLong, "the answer has %d bytes; at most %d are read", len(text), mostAnswerBytes)
			f.Entered, f.Limit = fault.Shorten(text), fmt.Sprint(mostAnswerBytes, " bytes")
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
	case Number:
		refused = a.readNumber(e)
	case Choice:
		refused = a.readChoices(e)
	}
	if len(refused) > 0 {
		a.Given = false
	}
	return a, refused
}

func sideName(e Entered, i int) string {
	if e.shape != sides {
		return ""
	}
	return [...]string{"start", "end"}[i]
}

// single is the one text of an answer to a prompt that wants just one.
func single(e Entered) (string, bool) {
	return e.texts[0], e.shape != sides && len(e.texts) == 1
}

func refuse(f *fault.Fault, entered, limit string) fault.List {
	f.Entered, f.Limit = fault.Shorten(entered), limit
	return fault.List{f}
}

func (a *Answer) readDay(e Entered, s Setting) fault.List {
	text, ok := single(e)
	if !ok {
		return refuse(fault.New(phrase.NotADate, "one day is asked for, and more was given"), strings.Join(e.texts, ", "), "")
	}
	r, f := phrase.Day(text, s)
	if f != nil {
		return fault.List{f}
	}
	a.Period, a.Notes = r.Period, r.Notes
	if f := a.Prompt.within(a.Period, s); f != nil {
		f.Place.Side = ""
		return refuse(f, text, f.Limit)
	}
	return nil
}

func (a *Answer) readDays(e Entered, s Setting) fault.List {
	if e.shape == sides {
		return refuse(fault.New(phrase.NotADate, "single days are asked for, not two ends"), strings.Join(e.texts, ", "), "")
	}
	var refused fault.List
	for _, text := range e.texts {
		one := Answer{Prompt: a.Prompt}
		if faults := one.readDay(Entered{shape: oneText, texts: []string{text}}, s); len(faults) > 0 {
			refused = append(refused, faults...)
			continue
		}
		a.Days, a.Notes = append(a.Days, one.Period.First), append(a.Notes, one.Notes...)
	}
	slices.Sort(a.Days)
	a.Days = slices.Compact(a.Days)
	if len(refused) > 0 {
		return refused
	}
	return a.Prompt.count(len(a.Days), a.Prompt.AtMost, "", e)
}

// count holds how many were given to the prompt's limits; first would pass
// where only one may be.
func (p *Prompt) count(n, most int, first string, e Entered) fault.List {
	entered := strings.Join(e.texts, ", ")
	switch {
	case most > 0 && n > most:
		f := fault.New(TooManyChoices, "%d were given; at most %d can be", n, most)
		if first != "" {
			f.Suggest(first)
		}
		return refuse(f, entered, fmt.Sprint(most))
	case n < p.AtLeast:
		return refuse(fault.New(TooFewChoices, "%d were given; at least %d must be", n, p.AtLeast), entered, fmt.Sprint(p.AtLeast))
	}
	return nil
}

func (a *Answer) readPeriod(e Entered, s Setting) fault.List {
	var r phrase.Reading
	var refused fault.List
	entered := strings.Join(e.texts, " to ")
	if e.shape == sides {
		r, refused = readSides(e.texts[0], e.texts[1], s)
	} else if text, ok := single(e); ok {
		reading, f := phrase.Period(text, s)
		if f != nil {
			refused = fault.List{f}
		}
		r = reading
	} else {
		refused = refuse(fault.New(phrase.NotADate, "one period is asked for, and %d were given", len(e.texts)), strings.Join(e.texts, ", "), "")
	}
	if len(refused) > 0 {
		return refused
	}
	a.Period, a.Notes = r.Period, r.Notes
	p := a.Prompt
	if f := p.sides(r.Period); f != nil {
		return refuse(f, entered, f.Limit)
	}
	if f := p.within(r.Period, s); f != nil {
		return refuse(f, entered, f.Limit)
	}
	if f := p.length(r.Period); f != nil {
		return refuse(f, entered, f.Limit)
	}
	return nil
}

// readSides reads a period from two fields. The first takes a whole period as
// well, where the second is empty.
func readSides(start, end string, s Setting) (phrase.Reading, fault.List) {
	var refused fault.List
	read := func(text, side string) phrase.Reading {
		if strings.TrimSpace(text) == "" {
			return phrase.Reading{}
		}
		r, f := phrase.Period(text, s)
		if f != nil {
			f.Place.Side = side
			refused = append(refused, f)
		}
		return r
	}
	first := read(start, "start")
	if strings.TrimSpace(end) == "" {
		if !first.Unit {
			first.Period.Last = 0
		}
		return first, refused
	}
	last := read(end, "end")
	if len(refused) > 0 {
		return phrase.Reading{}, refused
	}
	if !first.Period.First.IsValid() && strings.TrimSpace(start) != "" || !last.Period.Last.IsValid() {
		return phrase.Reading{}, refuse(fault.New(phrase.NotADate, "an open period cannot be one end of another"), start+" to "+end, "")
	}
	r, f := phrase.Between(first, last)
	if f != nil {
		f.Entered = fault.Shorten(start + " to " + end)
		f.Place.Side = "end"
		return r, fault.List{f}
	}
	return r, nil
}

// sides refuses an open side that must not be open.
func (p *Prompt) sides(period civil.Period) *fault.Fault {
	missing := func(side, day, other string) *fault.Fault {
		f := fault.New(SideRequired, "the %s is missing", day)
		if other != "" {
			f.Suggest(other)
		}
		f.Place.Side, f.Limit = side, "open: "+string(p.Open)
		return f
	}
	switch {
	case !period.First.IsValid() && p.Open != OpenStart && p.Open != OpenEither:
		return missing("start", "first day", period.Last.Plain()+" to "+period.Last.Plain())
	case !period.Last.IsValid() && p.Open != OpenEnd && p.Open != OpenEither:
		return missing("end", "last day", period.First.Plain()+" to "+period.First.Plain())
	}
	return nil
}

// within holds a period to the earliest and the latest day. Limits refuse,
// they never clip.
func (p *Prompt) within(period civil.Period, s Setting) *fault.Fault {
	if p.Earliest != "" {
		earliest := p.limit(p.Earliest, s)
		switch {
		case period.First.IsValid() && period.First < earliest:
			return beyond(BeforeEarliest, "start", period.First, earliest, p.Earliest)
		case period.Last.IsValid() && period.Last < earliest:
			return beyond(BeforeEarliest, "end", period.Last, earliest, p.Earliest)
		}
	}
	if p.Latest != "" {
		latest := p.limit(p.Latest, s)
		switch {
		case period.Last.IsValid() && period.Last > latest:
			return beyond(AfterLatest, "end", period.Last, latest, p.Latest)
		case period.First.IsValid() && period.First > latest:
			return beyond(AfterLatest, "start", period.First, latest, p.Latest)
		}
	}
	return nil
}

func beyond(code, side string, d, limit civil.Day, written string) *fault.Fault {
	direction := "before the earliest"
	if code == AfterLatest {
		direction = "after the latest"
	}
	f := fault.New(code, "%s is %s day that can be asked for, %s", d.Spelled(), direction, limit.Spelled()).Suggest(limit.Plain())
	f.Place.Side = side
	f.Limit = limit.Spelled()
	if _, isISO := civil.ParseDay(written); !isISO {
		f.Limit += " (" + written + ")"
	}
	return f
}

// limit works out a limit on the as-of day. It was checked with the
// definition, so that it reads.
func (p *Prompt) limit(text string, s Setting) civil.Day {
	r, _ := phrase.Day(text, s)
	return r.Period.First
}

// length holds a period to the longest and the shortest. An open side is longer
// than any limit.
func (p *Prompt) length(period civil.Period) *fault.Fault {
	if !period.IsClosed() {
		if p.Longest.N == 0 {
			return nil
		}
		f := fault.New(PeriodTooLong, "a period with an open side is longer than %s, the most that can be asked for", p.Longest)
		f.Limit = p.Longest.String()
		return f
	}
	refused := func(code, most string, limit Length) *fault.Fault {
		days := "1 day"
		if n := period.Days(); n > 1 {
			days = fmt.Sprintf("%d days", n)
		}
		f := fault.New(code, "the period has %s; at %s %s can be asked for", days, most, limit).
			Suggest(period.First.Plain() + " to " + limit.lastFrom(period.First).Plain())
		f.Limit = limit.String()
		return f
	}
	switch {
	case p.Longest.N > 0 && period.Last > p.Longest.lastFrom(period.First):
		return refused(PeriodTooLong, "most", p.Longest)
	case p.Shortest.N > 0 && period.Last < p.Shortest.lastFrom(period.First):
		return refused(PeriodTooShort, "least", p.Shortest)
	}
	return nil
}

func (a *Answer) readNumber(e Entered) fault.List {
	text, ok := single(e)
	if !ok {
		return refuse(fault.New(NotANumber, "one number is asked for, and more was given"), strings.Join(e.texts, ", "), "")
	}
	n, ok := parseNumber(text)
	if !ok {
		f := fault.New(NotANumber, "%q is not a number; write it like 15 or 12.5", fault.Shorten(text))
		if plain := strings.ReplaceAll(text, ",", ""); plain != text {
			if n, ok := parseNumber(plain); ok {
				f.Suggest(n.String())
			}
		}
		return refuse(f, text, "")
	}
	a.Number = n
	p := a.Prompt
	switch {
	case p.Least != nil && n.LessThan(*p.Least):
		return refuse(fault.New(OutOfRange, "%s is less than %s, the least that can be asked for", n, p.Least).Suggest(p.Least.String()), text, p.Least.String())
	case p.Most != nil && n.GreaterThan(*p.Most):
		return refuse(fault.New(OutOfRange, "%s is more than %s, the most that can be asked for", n, p.Most).Suggest(p.Most.String()), text, p.Most.String())
	}
	return nil
}

// parseNumber reads digits with an optional sign and decimal point, surrounded
// by blanks or not. There is no exponent and no grouping.
func parseNumber(text string) (decimal.Decimal, bool) {
	text = strings.TrimSpace(text)
	bare := strings.TrimLeft(text, "+-")
	if len(text)-len(bare) > 1 || bare == "" || len(bare) > mostDigits || strings.Trim(bare, "0123456789.") != "" ||
		strings.Count(bare, ".") > 1 || strings.HasPrefix(bare, ".") || strings.HasSuffix(bare, ".") {
		return decimal.Decimal{}, false
	}
	n, err := decimal.NewFromString(text)
	return n, err == nil
}

func (a *Answer) readChoices(e Entered) fault.List {
	p := a.Prompt
	if e.shape == sides {
		return refuse(fault.New(NotAChoice, "a choice from the list is asked for, not two ends"), strings.Join(e.texts, ", "), "")
	}
	var refused fault.List
	for _, text := range e.texts {
		o, ok := p.option(text)
		if !ok {
			refused = append(refused, p.notAChoice(text))
			continue
		}
		if !slices.Contains(a.Choices, o) {
			a.Choices = append(a.Choices, o)
		}
	}
	most := p.AtMost
	if !p.Many {
		most = 1
	}
	if len(refused) > 0 {
		return refused
	}
	return p.count(len(a.Choices), most, a.Choices[0].Value, e)
}

func (p *Prompt) notAChoice(text string) *fault.Fault {
	f := fault.New(NotAChoice, "%q is not one of the choices", fault.Shorten(text))
	f.Entered = fault.Shorten(text)
	values := make([]string, len(p.Choices))
	for i, o := range p.Choices {
		values[i] = o.Value
		if strings.EqualFold(o.Label, strings.TrimSpace(text)) {
			return f.Suggest(o.Value)
		}
	}
	if near := fault.Near(text, values); near != "" {
		f.Suggest(near)
	} else if len(values) <= 12 {
		f.Message += "; they are " + fault.Both(values)
	}
	return f
}

// Problems finds what is wrong with the prompt itself on the as-of day: a
// default or an offered period outside its own limits, a limit that is no day.
func (p *Prompt) Problems(s Setting) []Problem {
	var found []Problem
	add := func(key string, index int, f *fault.Fault) {
		found = append(found, Problem{Key: key, Index: index, Fault: f})
	}
	for _, limit := range []struct{ key, text string }{{"earliest", p.Earliest}, {"latest", p.Latest}} {
		if limit.text == "" {
			continue
		}
		if _, f := phrase.Day(limit.text, p.setting(s)); f != nil {
			add(limit.key, 0, f)
		}
	}
	if len(found) > 0 {
		return found
	}
	if !p.Default.IsAbsent() {
		if _, refused := p.Read(p.Default, s); len(refused) > 0 {
			add("default", 0, refused[0])
		}
	}
	for i, text := range p.Offer {
		if _, refused := p.Read(OneText(text), s); len(refused) > 0 {
			add("offer", i, refused[0])
		}
	}
	return found
}

// Problem is something wrong with one setting of a prompt.
type Problem struct {
	Key   string
	Index int // of the item, for settings that are lists
	Fault *fault.Fault
}
