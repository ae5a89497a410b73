package prompt

import (
	"fmt"
	"slices"
	"strings"
	"time"

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
	PatternMismatch = "pattern_mismatch"
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
func Check(prompts []*Prompt, entered map[string]Entered, s Setting) (Answers, fault.List) {
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
	f := fault.New(SideRequired, "with an open side there is no telling %s, which this report needs", what)
	if base.Period.IsClosed() {
		f = fault.New(phrase.NoSuchDate, "%s, which this report needs, lies outside the years 0001 to 9999", what)
	}
	if side == "" && !base.Period.IsClosed() {
		if side = "start"; base.Period.First.IsValid() {
			side = "end"
		}
	}
	f.Entered = fault.Shorten(strings.Join(base.Entered.texts, " to "))
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
// name a side of a period where only one is meant, and no prompt. What they suggest
// passes: in place of that side where the answer has two, else of the whole answer.
func (p *Prompt) Read(e Entered, s Setting) (Answer, fault.List) {
	a, refused := p.read(e, s)
	if p.Type.isTyped() {
		for _, f := range refused {
			f.Suggestions = p.passing(f, refused, e, s)
		}
	}
	return a, refused
}

func (p *Prompt) read(e Entered, s Setting) (Answer, fault.List) {
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
	if f := a.Prompt.within(a.Period, e, s); f != nil {
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
	single := *a.Prompt
	single.Type = Day
	for _, text := range e.texts {
		one, faults := single.Read(OneText(text), s)
		if len(faults) > 0 {
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
	if refused := a.readWholeDays(e, s); len(refused) > 0 {
		return refused
	}
	p := a.Prompt
	f := p.sides(a.Period)
	if f == nil {
		f = p.within(a.Period, e, s)
	}
	if f == nil {
		f = p.length(a.Period)
	}
	return refuseAll(f, e)
}

// refuseAll is the refusal of an answer of one or two texts, none where f is nil.
func refuseAll(f *fault.Fault, e Entered) fault.List {
	if f == nil {
		return nil
	}
	return refuse(f, strings.Join(e.texts, " to "), f.Limit)
}

// readWholeDays reads a period of days and holds it to no limit.
func (a *Answer) readWholeDays(e Entered, s Setting) fault.List {
	var r phrase.Reading
	if e.shape == sides {
		var refused fault.List
		if r, refused = readSides(e.texts[0], e.texts[1], s); len(refused) > 0 {
			return refused
		}
	} else if text, ok := single(e); ok {
		var f *fault.Fault
		if r, f = phrase.Period(text, s); f != nil {
			return fault.List{f}
		}
	} else {
		return refuse(fault.New(phrase.NotADate, "one period is asked for, and %d were given", len(e.texts)), strings.Join(e.texts, ", "), "")
	}
	a.Period, a.ToDate, a.Notes = r.Period, r.ToDate, r.Notes
	return nil
}

// readUnits reads one month, quarter or year, or a first and a last one.
func (a *Answer) readUnits(e Entered, s Setting) fault.List {
	if refused := a.readWholeDays(e, s); len(refused) > 0 {
		return refused
	}
	p, unit := a.Prompt, a.Prompt.Type.Unit()
	if f := p.sides(a.Period); f != nil {
		return refuseAll(f, e)
	}
	n := a.Period.Whole(unit)
	first, last := unit.Name(a.Period.First), unit.Name(a.Period.Last)
	switch {
	case n == 0:
		f := fault.New(NotAChoice, "%s is not made of whole %ss", a.Period.Spelled(), unit)
		switch {
		case first == last:
			f.Suggest(first)
		case p.Pair:
			f.Suggest(first + " to " + last)
		default:
			f.Suggest(first, last)
		}
		return refuseAll(f, e)
	case n > 1 && !p.Pair:
		f := fault.New(TooManyChoices, "one %s is asked for, and %d were given", unit, n).Suggest(first, last)
		f.Limit = "1"
		return refuseAll(f, e)
	}
	f := p.within(a.Period, e, s)
	if f == nil {
		f = p.length(a.Period)
	}
	return refuseAll(f, e)
}

// readSides reads a period from two fields. The first takes a whole period as
// well, where the second is empty.
func readSides(start, end string, s Setting) (phrase.Reading, fault.List) {
	read := func(text string) (phrase.Reading, *fault.Fault) { return phrase.Period(text, s) }
	first, last, refused := eachSide(start, end, read, read)
	if strings.TrimSpace(end) == "" {
		if !first.Unit {
			first.Period.Last = 0
		}
		return first, refused
	}
	if len(refused) > 0 {
		return phrase.Reading{}, refused
	}
	if !first.Period.First.IsValid() && strings.TrimSpace(start) != "" || !last.Period.Last.IsValid() {
		return phrase.Reading{}, openEnd(start, end)
	}
	r, f := phrase.Between(first, last)
	return r, ofEnds(f, start, end)
}

// eachSide reads the texts of two fields, those that are not blank.
func eachSide[R any](start, end string, readStart, readEnd func(text string) (R, *fault.Fault)) (first, last R, refused fault.List) {
	for i, side := range []struct {
		text string
		read func(text string) (R, *fault.Fault)
		into *R
	}{{start, readStart, &first}, {end, readEnd, &last}} {
		if strings.TrimSpace(side.text) == "" {
			continue
		}
		r, f := side.read(side.text)
		if f != nil {
			f.Place.Side = sideNames[i]
			refused = append(refused, f)
		}
		*side.into = r
	}
	return first, last, refused
}

func openEnd(start, end string) fault.List {
	return refuse(fault.New(phrase.NotADate, "an open period cannot be one end of another"), start+" to "+end, "")
}

// ofEnds is the refusal of two ends that do not go together; none where f is nil.
func ofEnds(f *fault.Fault, start, end string) fault.List {
	if f == nil {
		return nil
	}
	f.Place.Side = "end"
	return refuse(f, start+" to "+end, "")
}

// sides refuses an open side that must not be open.
func (p *Prompt) sides(period civil.Period) *fault.Fault {
	if period.IsClosed() {
		return nil
	}
	return p.bothSides("day", period.First.Plain(), period.Last.Plain())
}

// bothSides does so for ends as one types them, "" for an open one; what is said
// to be missing is the first or the last of their kind.
func (p *Prompt) bothSides(kind, first, last string) *fault.Fault {
	missing := func(side, which, other string) *fault.Fault {
		f := fault.New(SideRequired, "the %s %s is missing", which, kind)
		if other != "" {
			f.Suggest(other + " to " + other)
		}
		f.Place.Side, f.Limit = side, "open: "+string(p.Open)
		return f
	}
	switch {
	case first == "" && p.Open != OpenStart && p.Open != OpenEither:
		return missing("start", "first", last)
	case last == "" && p.Open != OpenEnd && p.Open != OpenEither:
		return missing("end", "last", first)
	}
	return nil
}

// within holds a period to the earliest and the latest day. Limits refuse,
// they never clip. Of months, quarters and years the one that holds the limit is
// still within it. Of one text the refusal suggests the whole period that they leave.
func (p *Prompt) within(period civil.Period, e Entered, s Setting) *fault.Fault {
	f := p.beyondLimits(period, s)
	if f != nil && e.shape != sides {
		f.Suggestions = []string{p.typed(allowed(period, p.Limits(s)))}
	}
	return f
}

func (p *Prompt) beyondLimits(period civil.Period, s Setting) *fault.Fault {
	if p.Earliest != "" {
		earliest := p.limit(p.Earliest, s).First
		switch {
		case period.First.IsValid() && period.First < earliest:
			return p.beyond(BeforeEarliest, "start", period.First, earliest, p.Earliest)
		case period.Last.IsValid() && period.Last < earliest:
			return p.beyond(BeforeEarliest, "end", period.Last, earliest, p.Earliest)
		}
	}
	if p.Latest != "" {
		latest := p.limit(p.Latest, s).Last
		switch {
		case period.Last.IsValid() && period.Last > latest:
			return p.beyond(AfterLatest, "end", period.Last, latest, p.Latest)
		case period.First.IsValid() && period.First > latest:
			return p.beyond(AfterLatest, "start", period.First, latest, p.Latest)
		}
	}
	return nil
}

func (p *Prompt) beyond(code, side string, d, limit civil.Day, written string) *fault.Fault {
	return past(code, side, d.Spelled(), "day", limit.Spelled(), written).Suggest(p.Type.Unit().Name(limit))
}

// past refuses what lies before the earliest or after the latest of its kind.
func past(code, side, entered, kind, limit, written string) *fault.Fault {
	direction := "before the earliest"
	if code == AfterLatest {
		direction = "after the latest"
	}
	f := fault.New(code, "%s is %s %s that can be asked for, %s", entered, direction, kind, limit)
	f.Place.Side, f.Limit = side, limit
	if _, isISO := civil.ParseDay(written); !isISO {
		f.Limit += " (" + written + ")"
	}
	return f
}

// limit works out a limit on the as-of day. It was checked with the
// definition, so that it reads.
func (p *Prompt) limit(text string, s Setting) civil.Period {
	unit := p.Type.Unit()
	if unit == civil.NoUnit {
		r, _ := phrase.Day(text, s)
		return r.Period
	}
	r, _ := phrase.Period(text, s)
	first, _ := unit.Around(r.Period.First, 0, time.January)
	last, _ := unit.Around(r.Period.Last, 0, time.January)
	return civil.Period{First: first.First, Last: last.Last}
}

// length holds a period to the longest and the shortest. An open side is longer
// than any limit.
func (p *Prompt) length(period civil.Period) *fault.Fault {
	if !period.IsClosed() {
		return p.openLength()
	}
	refused := func(code, most string, limit Length) *fault.Fault {
		f := fault.New(code, "the period has %s; at %s %s can be asked for", fault.Count(period.Days(), "day"), most, limit).
			Suggest(p.typed(civil.Period{First: period.First, Last: limit.lastFrom(period.First)}), p.typed(civil.Period{First: limit.firstTo(period.Last), Last: period.Last}))
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

// openLength refuses an open side where there is a longest.
func (p *Prompt) openLength() *fault.Fault {
	if p.Longest.N == 0 {
		return nil
	}
	f := fault.New(PeriodTooLong, "a period with an open side is longer than %s, the most that can be asked for", p.Longest)
	f.Limit = p.Longest.String()
	return f
}

func (a *Answer) readChoices(e Entered) fault.List {
	p := a.Prompt
	if e.shape == sides {
		return refuse(fault.New(NotAChoice, "a choice from the list is asked for, not two ends"), strings.Join(e.texts, ", "), "")
	}
	var refused fault.List
	for _, text := range e.texts {
		o, ok := p.option(text)
		if p.Listed {
			o, ok = Option{Value: text, Label: text}, true
		}
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
		if f := p.limitProblem(limit.text, p.setting(s)); f != nil {
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

// Limits are the earliest and the latest day that an answer in days can have, open
// where there is no limit.
func (p *Prompt) Limits(s Setting) civil.Period {
	var limits civil.Period
	if p.Earliest != "" {
		limits.First = p.limit(p.Earliest, p.setting(s)).First
	}
	if p.Latest != "" {
		limits.Last = p.limit(p.Latest, p.setting(s)).Last
	}
	return limits
}

// limitProblem is why a limit cannot be read, nil where it can.
func (p *Prompt) limitProblem(text string, s Setting) *fault.Fault {
	switch {
	case p.Type.Unit() != civil.NoUnit:
		r, f := phrase.Period(text, s)
		if f == nil && !r.Period.IsClosed() {
			f = fault.New(phrase.NotADate, "a limit has no open side")
		}
		return f
	case p.Type == Moment || p.Type == MomentPeriod:
		if _, f := phrase.Moment(text, s); f == nil {
			return nil
		}
	}
	_, f := phrase.Day(text, s)
	return f
}

// Problem is something wrong with one setting of a prompt.
type Problem struct {
	Key   string
	Index int // of the item, for settings that are lists
	Fault *fault.Fault
}
