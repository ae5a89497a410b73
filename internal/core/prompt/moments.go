package prompt

import (
	"strings"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

// readMoments reads one moment, or a period of them from one field or two.
func (a *Answer) readMoments(e Entered, s phrase.Setting) fault.List {
	a.Zone = s.Zone
	var r phrase.MomentReading
	var refused fault.List
	p := a.Prompt
	text, one := single(e)
	switch {
	case p.Type == Moment && one:
		r, refused = refusable(phrase.Moment(text, s))
	case p.Type == Moment:
		return refuse(fault.New(fault.NotADate, "one moment is asked for, and more was given"), strings.Join(e.texts, ", "), "")
	case one:
		r, refused = refusable(phrase.MomentStart(text, s))
	case e.shape == sides:
		r, refused = readMomentSides(e.texts[0], e.texts[1], s)
	default:
		return refuse(fault.New(fault.NotADate, "one period is asked for, and %d were given", len(e.texts)), strings.Join(e.texts, ", "), "")
	}
	if len(refused) > 0 {
		return refused
	}
	if p.Type == MomentPeriod && !r.Unit {
		r.Period.Last = civil.Moment{} // a single moment is where a period starts
	}
	a.Moments, a.Notes = r.Period, r.Notes
	var f *fault.Fault
	if p.Type == MomentPeriod {
		f = p.bothSides("moment", typed(r.Period.First, s), typed(r.Period.Last, s))
	}
	if f == nil {
		f = p.withinMoments(r.Period, e, s)
	}
	if f == nil && p.Type == MomentPeriod {
		f = p.momentLength(r.Period, s)
	}
	return refuseAll(f, e)
}

func refusable[R any](r R, f *fault.Fault) (R, fault.List) {
	if f == nil {
		return r, nil
	}
	return r, fault.List{f}
}

func typed(m civil.Moment, s phrase.Setting) string {
	if !m.IsValid() {
		return ""
	}
	return phrase.Typed(m, s.Zone)
}

// readMomentSides reads a period of moments from two fields. The first takes a
// whole period as well, where the second is empty.
func readMomentSides(start, end string, s phrase.Setting) (phrase.MomentReading, fault.List) {
	first, last, refused := eachSide(start, end,
		func(text string) (phrase.MomentReading, *fault.Fault) { return phrase.MomentStart(text, s) },
		func(text string) (phrase.MomentReading, *fault.Fault) { return phrase.MomentEnd(text, s) })
	if strings.TrimSpace(end) == "" {
		return first, refused
	}
	if len(refused) > 0 {
		return phrase.MomentReading{}, refused
	}
	if !first.Period.First.IsValid() && strings.TrimSpace(start) != "" || !last.Period.Last.IsValid() {
		return phrase.MomentReading{}, openEnd(start, end)
	}
	r, f := phrase.BetweenMoments(first, last, s.Zone)
	return r, ofEnds(f, start, end)
}

// withinMoments holds moments to the earliest and the latest. A limit that is a
// day holds the whole day. Of one text the refusal suggests the whole period.
func (p *Prompt) withinMoments(period civil.MomentPeriod, e Entered, s phrase.Setting) *fault.Fault {
	refuse := func(code fault.Code, side string, m, limit civil.Moment, written string) *fault.Fault {
		if p.Type == Moment {
			side = ""
		}
		f := past(code, side, m.Spelled(s.Zone), "moment", limit.Spelled(s.Zone), written)
		switch {
		case p.Type == Moment || e.shape == sides:
			return f.Suggest(phrase.Typed(limit, s.Zone))
		case code == fault.BeforeEarliest:
			period.First = limit
		default:
			period.Last = limit
		}
		return f.Suggest(phrase.Ends(typed(period.First, s), typed(period.Last, s)))
	}
	if p.Earliest != "" {
		earliest := momentLimit(p.Earliest, s).First
		switch {
		case period.First.IsValid() && period.First.At < earliest.At:
			return refuse(fault.BeforeEarliest, "start", period.First, earliest, p.Earliest)
		case period.Last.IsValid() && period.Last.At < earliest.At:
			return refuse(fault.BeforeEarliest, "end", period.Last, earliest, p.Earliest)
		}
	}
	if p.Latest != "" {
		latest := momentLimit(p.Latest, s).Last
		switch {
		case period.Last.IsValid() && period.Last.At > latest.At:
			return refuse(fault.AfterLatest, "end", period.Last, latest, p.Latest)
		case period.First.IsValid() && period.First.At > latest.At:
			return refuse(fault.AfterLatest, "start", period.First, latest, p.Latest)
		}
	}
	return nil
}

// momentLimit works out a limit of moments: a moment, or the first and the last
// minute of a day. It was checked with the definition, so that it reads.
func momentLimit(text string, s phrase.Setting) civil.MomentPeriod {
	if r, f := phrase.Moment(text, s); f == nil {
		return r.Period
	}
	r, _ := phrase.Day(text, s)
	return civil.MomentPeriod{First: civil.Moment{At: civil.FirstInstant(r.Period.First, s.Zone), Size: 60},
		Last: civil.Moment{At: civil.FirstInstant(r.Period.First+1, s.Zone) - 60, Size: 60}}
}

// momentLength holds a period of moments to the longest and the shortest.
func (p *Prompt) momentLength(period civil.MomentPeriod, s phrase.Setting) *fault.Fault {
	if !period.IsClosed() {
		return p.openLength()
	}
	refused := func(code fault.Code, most string, limit Length) *fault.Fault {
		first := civil.Moment{At: period.Last.End() - limit.seconds(), Size: period.First.Size}
		last := civil.Moment{At: period.First.At + limit.seconds() - period.Last.Size, Size: period.Last.Size}
		f := fault.New(code, "the period has %s; at %s %s can be asked for", civil.Duration(period.Seconds()), most, limit).
			Suggest(phrase.Ends(typed(period.First, s), typed(last, s)), phrase.Ends(typed(first, s), typed(period.Last, s)))
		f.Limit = limit.String()
		return f
	}
	switch {
	case p.Longest.N > 0 && period.Seconds() > p.Longest.seconds():
		return refused(fault.PeriodTooLong, "most", p.Longest)
	case p.Shortest.N > 0 && period.Seconds() < p.Shortest.seconds():
		return refused(fault.PeriodTooShort, "least", p.Shortest)
	}
	return nil
}

// readTimes reads a part of the day, from one field or two.
func (a *Answer) readTimes(e Entered) fault.List {
	text, ok := single(e)
	if e.shape == sides {
		for i, side := range e.texts {
			if strings.TrimSpace(side) == "" {
				f := fault.New(fault.SideRequired, "the %s time is missing", [...]string{"first", "last"}[i])
				f.Place.Side = sideNames[i]
				return refuse(f, strings.TrimSpace(e.texts[1-i]), "")
			}
		}
		text, ok = strings.TrimSpace(e.texts[0])+" to "+strings.TrimSpace(e.texts[1]), true
	}
	if !ok {
		return refuse(fault.New(fault.NotADate, "one range of times is asked for, and more was given"), strings.Join(e.texts, ", "), "")
	}
	var f *fault.Fault
	if a.Times, f = phrase.TimeRange(text); f != nil {
		return fault.List{f}
	}
	return nil
}
