package prompt

import (
	"slices"
	"strings"

	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

func (a *Answer) readDay(e Entered, s phrase.Setting) fault.List {
	text, ok := single(e)
	if !ok {
		return refuse(fault.New(fault.NotADate, "one day is asked for, and more was given"), strings.Join(e.texts, ", "), "")
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

func (a *Answer) readDays(e Entered, s phrase.Setting) fault.List {
	if e.shape == sides {
		return refuse(fault.New(fault.NotADate, "single days are asked for, not two ends"), strings.Join(e.texts, ", "), "")
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

func (a *Answer) readPeriod(e Entered, s phrase.Setting) fault.List {
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

// readWholeDays reads a period of days and holds it to no limit.
func (a *Answer) readWholeDays(e Entered, s phrase.Setting) fault.List {
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
		return refuse(fault.New(fault.NotADate, "one period is asked for, and %d were given", len(e.texts)), strings.Join(e.texts, ", "), "")
	}
	a.Period, a.ToDate, a.Notes = r.Period, r.ToDate, r.Notes
	return nil
}

// readUnits reads one month, quarter or year, or a first and a last one.
func (a *Answer) readUnits(e Entered, s phrase.Setting) fault.List {
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
		f := fault.New(fault.NotAChoice, "%s is not made of whole %ss", a.Period.Spelled(), unit)
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
		f := fault.New(fault.TooManyChoices, "one %s is asked for, and %d were given", unit, n).Suggest(first, last)
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
func readSides(start, end string, s phrase.Setting) (phrase.Reading, fault.List) {
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
	return refuse(fault.New(fault.NotADate, "an open period cannot be one end of another"), start+" to "+end, "")
}

// ofEnds is the refusal of two ends that do not go together; none where f is nil.
func ofEnds(f *fault.Fault, start, end string) fault.List {
	if f == nil {
		return nil
	}
	f.Place.Side = "end"
	return refuse(f, start+" to "+end, "")
}
