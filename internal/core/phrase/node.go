package phrase

import (
	"time"

	"pikegate/internal/core/civil"
)

// node is what the parser found, before any calendar is asked: numbers may
// still be out of their range. Which fields count depends on the form.
type node struct {
	form     form
	year     int
	twoDigit bool // the year had two digits; year is it as written
	month    int
	day      int
	unit     civil.Unit
	n        int // how many units; for thisUnit -1, 0, 1: last, this, next

	weekday time.Weekday // where hasWeekday
	flags   flag
	parts   [3]part // for digits
	name    string  // for seasonOf
}

type part struct{ n, width int }

type flag uint8

const (
	hasWeekday flag = 1 << iota
	hasTime
	isFiscal // a quarter or year of the business
)

// form is the production of the grammar that a node came from.
type form uint8

const (
	nothing    form = iota
	written         // a day with year, month and day known
	digits          // three numbers, year last: the day order decides
	weekDay         // ISO week date: year, n the week, day the weekday from 1
	ordinal         // ISO ordinal date: year, day
	unitOf          // a month, quarter, week or year by its number: unit, year, n
	partial         // a date that lacks its year (month and day set), or more
	shifted         // n units from today, back when negative
	startOf         // first day of this, last or next unit
	endOf           // last day of it
	thisUnit        // this, last or next unit as a period
	runOf           // n complete units before (negative) or after the current one
	unitToDate      // from the first day of the unit through today
	daysToDate      // n days that end today
	seasonOf        // this, last or next occurrence of a named period of the business
)

// isDay reports whether the node stands for one day.
func (n node) isDay() bool {
	switch n.form {
	case written, digits, weekDay, ordinal, shifted, startOf, endOf:
		return true
	}
	return false
}
