// Package prompt has the questions to end users: what an answer may be, what
// it was understood as, and why it was refused.
package prompt

import (
	"fmt"
	"regexp"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

// Type is the kind of answer that a prompt asks for.
type Type string

const (
	Day    Type = "day"    // one day
	Days   Type = "days"   // several single days
	Period Type = "period" // first and last day
	// One calendar unit, or the first and the last of several.
	Month   Type = "month"
	Quarter Type = "quarter"
	Year    Type = "year"

	Moment       Type = "moment"        // a day with a time of day
	MomentPeriod Type = "moment-period" // first and last moment
	TimeRange    Type = "time-range"    // a part of every day by the clock

	Number      Type = "number"       // a decimal number
	NumberRange Type = "number-range" // the least and the greatest, both included
	Text        Type = "text"
	YesNo       Type = "yes-no"
	Choice      Type = "choice" // of a list, one or many
)

// Types lists them in the order of the reference.
var Types = []Type{Day, Days, Period, Month, Quarter, Year, Moment, MomentPeriod, TimeRange, Number, NumberRange, Text, YesNo, Choice}

var units = map[Type]civil.Unit{Month: civil.Months, Quarter: civil.Quarters, Year: civil.Years}

// Unit is the calendar unit that a prompt of the type asks for, NoUnit for the
// others.
func (t Type) Unit() civil.Unit { return units[t] }

// IsPeriod reports whether an answer is a run of whole days.
func (t Type) IsPeriod() bool { return t == Day || t == Period || t.Unit() != civil.NoUnit }

// isTyped reports whether an answer is read from the forms of days, moments and times.
func (t Type) isTyped() bool {
	return t.IsPeriod() || t == Moment || t == MomentPeriod || t == TimeRange
}

// Derivation is how the answer to a derived prompt comes from another's.
type Derivation string

const (
	Previous   Derivation = "previous"    // the period just before it
	YearBefore Derivation = "year-before" // the same period a year earlier
	StartOf    Derivation = "start of"    // its first day
	EndOf      Derivation = "end of"      // its last day
)

// Derivations lists them in the order of the reference.
var Derivations = []Derivation{Previous, YearBefore, StartOf, EndOf}

// Open tells which sides of a period may be left open.
type Open string

const (
	OpenNone   Open = "none"
	OpenStart  Open = "start"
	OpenEnd    Open = "end"
	OpenEither Open = "either"
)

// OpenSides lists them in the order of the reference.
var OpenSides = []Open{OpenNone, OpenStart, OpenEnd, OpenEither}

// Prompt is a reusable question. Which limits apply depends on the type.
type Prompt struct {
	Name string
	Ask  string // the question, as people read it
	Help string
	Type Type

	Required bool    // some answer must be given
	Default  Entered // taken where the prompt is absent from the answers; may be Absent

	// A derived prompt is not asked: its answer is worked out from that of another
	// one, which is not derived itself. Type is that of the result.
	Derived Derivation
	Base    *Prompt

	// Hidden prompts are not asked: their default is always taken.
	Hidden bool

	Pair bool // months, quarters, years: the first and the last are asked for

	Order    phrase.DayOrder // all that have days; the service's where unset
	Open     Open            // periods and ranges
	Offer    []string        // periods: phrases to pick from
	Earliest string          // a day or a phrase for one (moments: or a moment; units: or a unit), "" for no limit
	Latest   string
	Longest  Length // periods; the zero Length is no limit
	Shortest Length

	Least *decimal.Decimal // numbers; nil for no limit
	Most  *decimal.Decimal
	Unit  string

	MostLetters int            // texts; 0 for no limit
	Pattern     *regexp.Regexp // texts; what the whole text must match, nil for no limit
	PatternHelp string         // the pattern in words

	Choices []Option // choices
	// Listed choices come from the data: whoever has them holds answers to them.
	Listed  bool
	Many    bool
	AtLeast int // how many, of days and where Many; 0 for no limit
	AtMost  int
}

// Option is one of the values that a choice offers.
type Option struct {
	Value string `json:"value" doc:"What an answer gives."`
	Label string `json:"label" doc:"What people read."`
}

// Length is a length of the calendar, such as 400 days or 3 months.
type Length struct {
	N    int
	Unit LengthUnit
}

// LengthUnit is what a length counts: days, weeks, months or years; of moments
// minutes, hours, days or weeks.
type LengthUnit string

// lengthSeconds has the units that lengths of moments are counted in, a day as 24
// hours.
var lengthSeconds = map[LengthUnit]int64{"minutes": 60, "hours": 3600, "days": 86400, "weeks": 7 * 86400}

// IsOfMoments reports whether a period of moments can be held to the unit, and
// IsOfDays whether one of days can.
func (u LengthUnit) IsOfMoments() bool { return lengthSeconds[u] > 0 }

// IsOfDays reports whether a period of days can be held to the unit.
func (u LengthUnit) IsOfDays() bool { return u != "minutes" && u != "hours" }

// seconds is the length as a run of moments.
func (l Length) seconds() int64 { return int64(l.N) * lengthSeconds[l.Unit] }

// String is the length as it is written in a definition.
func (l Length) String() string {
	if l.N == 1 {
		return fmt.Sprintf("1 %s", l.Unit[:len(l.Unit)-1])
	}
	return fmt.Sprintf("%d %s", l.N, l.Unit)
}

// lastFrom is the last day of a period of this length that starts on first;
// the last day of the calendar where it would end after that.
func (l Length) lastFrom(first civil.Day) civil.Day {
	next, ok := l.shift(first, 1)
	if !ok {
		return civil.MaxDay
	}
	return next - 1
}

// firstTo is the first day of a period of this length that ends on last; the first
// day of the calendar where it would start before that.
func (l Length) firstTo(last civil.Day) civil.Day {
	first, ok := l.shift(last+1, -1)
	if !ok {
		return civil.MinDay
	}
	return first
}

// shift moves a day by n times the length.
func (l Length) shift(d civil.Day, n int) (civil.Day, bool) {
	switch l.Unit {
	case "days":
		return d.AddDays(n * l.N)
	case "weeks":
		return d.AddDays(n * 7 * l.N)
	case "months":
		return d.AddMonths(n * l.N)
	}
	return d.AddMonths(n * 12 * l.N)
}

func (p *Prompt) setting(s phrase.Setting) phrase.Setting {
	if p.Order != phrase.AnyOrder {
		s.Order = p.Order
	}
	return s
}

// IsAsked reports whether people are asked: not for a derived or hidden prompt.
func (p *Prompt) IsAsked() bool { return p.Derived == "" && !p.Hidden }

// Option finds a choice by its value.
func (p *Prompt) option(value string) (Option, bool) {
	for _, same := range []func(a, b string) bool{func(a, b string) bool { return a == b }, SameNumber} {
		for _, o := range p.Choices {
			if same(o.Value, value) {
				return o, true
			}
		}
	}
	return Option{}, false
}

// SameNumber reports whether two texts are the same number, however many zeros are
// written after the point: 3 and 3.0. Digits that begin with a zero are a code.
func SameNumber(a, b string) bool {
	x, isNumber := ParseNumber(a)
	y, also := ParseNumber(b)
	return isNumber && also && x.Equal(y) && isCanonical(a) && isCanonical(b)
}

func isCanonical(text string) bool {
	digits := strings.TrimLeft(strings.TrimSpace(text), "+-")
	return len(digits) == 1 || digits[0] != '0' || digits[1] == '.'
}

// OfferedPeriod is a phrase that a prompt offers, with the answer that it gives.
type OfferedPeriod struct {
	Phrase  string
	Answer  Answer
	Refused *fault.Fault // where the phrase cannot be taken on this as-of day
}

// Offers works out what the prompt offers on the as-of day.
func (p *Prompt) Offers(s phrase.Setting) []OfferedPeriod {
	offers := make([]OfferedPeriod, len(p.Offer))
	for i, text := range p.Offer {
		offers[i] = p.offered(text, s)
	}
	return offers
}

func (p *Prompt) offered(text string, s phrase.Setting) OfferedPeriod {
	a, refused := p.Read(OneText(text), s)
	o := OfferedPeriod{Phrase: text, Answer: a}
	if len(refused) > 0 {
		o.Refused = refused[0]
	}
	return o
}

// mostUnits is how many months, quarters or years are listed at most.
const mostUnits = 1200

// Units lists the months, quarters or years to pick from, the latest first: those
// from the first through the last day of the data that pass the prompt's limits.
func (p *Prompt) Units(data civil.Period, s phrase.Setting) []OfferedPeriod {
	unit := p.Type.Unit()
	if unit == civil.NoUnit || !data.IsClosed() {
		return nil
	}
	var listed []OfferedPeriod
	for u, ok := unit.Around(data.Last, 0, time.January); ok && u.Last >= data.First && len(listed) < mostUnits; u, ok = unit.Around(u.First, -1, time.January) {
		if p.beyondLimits(u, p.setting(s)) == nil {
			listed = append(listed, p.offered(unit.Name(u.First), s))
		}
	}
	return listed
}
