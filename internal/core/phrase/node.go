package phrase

import (
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

// node is what one production of the grammar found: a type for each, in days.go,
// parts.go and periods.go. Its numbers may still be out of their range.
type node interface {
	// class tells what the node can stand for.
	class() class
	// read asks the calendar.
	read(s Setting) (Reading, *fault.Fault)
}

// class is what a node can stand for.
type class uint8

const (
	aDay    class = iota // one day
	aPart                // a date that lacks its year, its month or its day
	aUnit                // a month, quarter, week or year by its number
	aPhrase              // a period that follows from the as-of day
)

// dated is a day, or a part of one, with what was written beside it.
type dated struct {
	date       node
	weekday    time.Weekday
	hasWeekday bool
	hasTime    bool
}

// beside is the node as one that things can be written beside.
func beside(n node) dated {
	if d, ok := n.(dated); ok {
		return d
	}
	return dated{date: n}
}

func (n dated) class() class { return n.date.class() }

func (n dated) read(s Setting) (Reading, *fault.Fault) {
	if yearless, ok := n.date.(yearlessDay); ok && n.hasWeekday {
		return Reading{}, yearless.on(n.weekday, s)
	}
	r, f := n.date.read(s)
	if f != nil {
		return Reading{}, f
	}
	d := r.Period.First
	if n.hasWeekday && d.Weekday() != n.weekday {
		return Reading{}, fault.New(fault.WeekdayMismatch, "%s is a %s and not a %s", d.Plain(), d.Weekday(), n.weekday).Suggest(d.Spelled())
	}
	if n.hasTime {
		return Reading{}, fault.New(fault.TimeNotWanted, "a day is asked for, without a time of day").Suggest(d.Plain())
	}
	return r, nil
}

// edge is one side of a period.
type edge uint8

const (
	start edge = iota
	end
)

func (e edge) String() string {
	if e == end {
		return "end"
	}
	return "start"
}

// of is the first or the last day of a period.
func (e edge) of(p civil.Period) civil.Day {
	if e == end {
		return p.Last
	}
	return p.First
}

// dayOf is the day and the month of a date with a named month or written year first, and
// its year, 0 where it has none. It is false for a date of another form.
func dayOf(n node) (day int, month time.Month, year int, ok bool) {
	switch n := beside(n).date.(type) {
	case calendarDay:
		return n.day, time.Month(n.month), n.fullYear(), n.day > 0 && n.month > 0
	case yearlessDay:
		return n.day, n.month, 0, n.day > 0
	}
	return 0, 0, 0, false
}
