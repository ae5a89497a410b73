// Package prompt has the questions to end users: what an answer may be, what
// it was understood as, and why it was refused.
package prompt

import (
	"fmt"

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
	Number Type = "number" // a decimal number
	Choice Type = "choice" // of a list, one or many
)

// Types lists them in the order of the reference.
var Types = []Type{Day, Days, Period, Number, Choice}

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

	Order    phrase.DayOrder // days and periods; the service's where unset
	Open     Open            // periods
	Offer    []string        // periods: phrases to pick from
	Earliest string          // days and periods: a day or a phrase for one, "" for no limit
	Latest   string
	Longest  Length // periods; the zero Length is no limit
	Shortest Length

	Least *decimal.Decimal // numbers; nil for no limit
	Most  *decimal.Decimal
	Unit  string

	Choices []Option // choices
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

// LengthUnit is what a length counts: days, weeks, months or years.
type LengthUnit string

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
	var next civil.Day
	var ok bool
	switch l.Unit {
	case "days":
		next, ok = first.AddDays(l.N)
	case "weeks":
		next, ok = first.AddDays(7 * l.N)
	case "months":
		next, ok = first.AddMonths(l.N)
	case "years":
		next, ok = first.AddMonths(12 * l.N)
	}
	if !ok {
		return civil.MaxDay
	}
	return next - 1
}

// Setting is what answers depend on besides their text.
type Setting = phrase.Setting

func (p *Prompt) setting(s Setting) Setting {
	if p.Order != phrase.AnyOrder {
		s.Order = p.Order
	}
	return s
}

// Option finds a choice by its value.
func (p *Prompt) option(value string) (Option, bool) {
	for _, o := range p.Choices {
		if o.Value == value {
			return o, true
		}
	}
	return Option{}, false
}

// OfferedPeriod is a phrase that a prompt offers, with the days it stands for.
type OfferedPeriod struct {
	Phrase  string
	Reading phrase.Reading
	Refused *fault.Fault // where the phrase cannot be taken on this as-of day
}

// Offers works out what the prompt offers on the as-of day.
func (p *Prompt) Offers(s Setting) []OfferedPeriod {
	offers := make([]OfferedPeriod, len(p.Offer))
	for i, text := range p.Offer {
		a, refused := p.Read(OneText(text), s)
		offers[i] = OfferedPeriod{Phrase: text, Reading: phrase.Reading{Period: a.Period, Notes: a.Notes}}
		if len(refused) > 0 {
			offers[i].Refused = refused[0]
		}
	}
	return offers
}
