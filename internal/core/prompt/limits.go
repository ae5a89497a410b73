package prompt

import (
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

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
		f := fault.New(fault.SideRequired, "the %s %s is missing", which, kind)
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
func (p *Prompt) within(period civil.Period, e Entered, s phrase.Setting) *fault.Fault {
	f := p.beyondLimits(period, s)
	if f != nil && e.shape != sides {
		f.Suggestions = []string{p.typed(allowed(period, p.Limits(s)))}
	}
	return f
}

func (p *Prompt) beyondLimits(period civil.Period, s phrase.Setting) *fault.Fault {
	if p.Earliest != "" {
		earliest := p.limit(p.Earliest, s).First
		switch {
		case period.First.IsValid() && period.First < earliest:
			return p.beyond(fault.BeforeEarliest, "start", period.First, earliest, p.Earliest)
		case period.Last.IsValid() && period.Last < earliest:
			return p.beyond(fault.BeforeEarliest, "end", period.Last, earliest, p.Earliest)
		}
	}
	if p.Latest != "" {
		latest := p.limit(p.Latest, s).Last
		switch {
		case period.Last.IsValid() && period.Last > latest:
			return p.beyond(fault.AfterLatest, "end", period.Last, latest, p.Latest)
		case period.First.IsValid() && period.First > latest:
			return p.beyond(fault.AfterLatest, "start", period.First, latest, p.Latest)
		}
	}
	return nil
}

func (p *Prompt) beyond(code fault.Code, side string, d, limit civil.Day, written string) *fault.Fault {
	return past(code, side, d.Spelled(), "day", limit.Spelled(), written).Suggest(p.Type.Unit().Name(limit))
}

// past refuses what lies before the earliest or after the latest of its kind.
func past(code fault.Code, side, entered, kind, limit, written string) *fault.Fault {
	direction := "before the earliest"
	if code == fault.AfterLatest {
		direction = "after the latest"
	}
	f := fault.New(code, "%s is %s %s that can be asked for, %s", entered, direction, kind, limit)
	f.Place.Side, f.Limit = side, limit
	if _, isISO := civil.ParseDay(written); !isISO {
		f.Limit += " (" + written + ")"
	}
	return f
}

// Limits are the earliest and the latest day that an answer in days can have, open
// where there is no limit.
func (p *Prompt) Limits(s phrase.Setting) civil.Period {
	var limits civil.Period
	if p.Earliest != "" {
		limits.First = p.limit(p.Earliest, p.setting(s)).First
	}
	if p.Latest != "" {
		limits.Last = p.limit(p.Latest, p.setting(s)).Last
	}
	return limits
}

// limit works out a limit on the as-of day. It was checked with the
// definition, so that it reads.
func (p *Prompt) limit(text string, s phrase.Setting) civil.Period {
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
	refused := func(code fault.Code, most string, limit Length) *fault.Fault {
		f := fault.New(code, "the period has %s; at %s %s can be asked for", english.Count(period.Days(), "day"), most, limit).
			Suggest(p.typed(civil.Period{First: period.First, Last: limit.lastFrom(period.First)}), p.typed(civil.Period{First: limit.firstTo(period.Last), Last: period.Last}))
		f.Limit = limit.String()
		return f
	}
	switch {
	case p.Longest.N > 0 && period.Last > p.Longest.lastFrom(period.First):
		return refused(fault.PeriodTooLong, "most", p.Longest)
	case p.Shortest.N > 0 && period.Last < p.Shortest.lastFrom(period.First):
		return refused(fault.PeriodTooShort, "least", p.Shortest)
	}
	return nil
}

// openLength refuses an open side where there is a longest.
func (p *Prompt) openLength() *fault.Fault {
	if p.Longest.N == 0 {
		return nil
	}
	f := fault.New(fault.PeriodTooLong, "a period with an open side is longer than %s, the most that can be asked for", p.Longest)
	f.Limit = p.Longest.String()
	return f
}

// Problem is something wrong with one setting of a prompt.
type Problem struct {
	Key   string
	Index int // of the item, for settings that are lists
	Fault *fault.Fault
}

// Problems finds what is wrong with the prompt itself on the as-of day: a
// default or an offered period outside its own limits, a limit that is no day.
func (p *Prompt) Problems(s phrase.Setting) []Problem {
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

// limitProblem is why a limit cannot be read, nil where it can.
func (p *Prompt) limitProblem(text string, s phrase.Setting) *fault.Fault {
	switch {
	case p.Type.Unit() != civil.NoUnit:
		r, f := phrase.Period(text, s)
		if f == nil && !r.Period.IsClosed() {
			f = fault.New(fault.NotADate, "a limit has no open side")
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
