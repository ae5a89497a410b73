package evidence

import (
	"time"

	"pikegate/internal/core/civil"
)

// Near lists the periods to offer where the one that was asked for has no records,
// given the last day before it that has some and the first day after it, either of
// which may be the zero Day: the nearest period of the same sort, then the nearest day
// alone. A calendar unit is followed by the unit of the day, any other run of days by
// as many days. Equally far, what is earlier wins.
func Near(asked civil.Period, earlier, later civil.Day) []civil.Period {
	day, before := later, false
	switch {
	case !earlier.IsValid() && !later.IsValid():
		return nil
	case !later.IsValid(), earlier.IsValid() && asked.IsClosed() && asked.First-earlier <= later-asked.Last:
		day, before = earlier, true
	}
	alone := civil.Period{First: day, Last: day}
	for _, unit := range []civil.Unit{civil.Years, civil.Quarters, civil.Months, civil.Weeks} {
		if asked.Whole(unit) != 1 {
			continue
		}
		if near, ok := unit.Around(day, 0, time.January); ok {
			return []civil.Period{near, alone}
		}
	}
	near, ok := alone, true
	switch n := asked.Days(); {
	case n == 0:
	case before:
		near.First, ok = day.AddDays(1 - n)
	default:
		near.Last, ok = day.AddDays(n - 1)
	}
	if !ok || near == alone {
		return []civil.Period{alone}
	}
	return []civil.Period{near, alone}
}
