package civil

import (
	"archive/zip"
	"bytes"
	_ "embed"
	"fmt"
	"io"
	"maps"
	"slices"
	"sync"
	"time"
)

// ZoneRules is the release of the IANA time zone data that is built in. The
// rules of the machine are never used, so that a result does not depend on
// where it was made. The archive is the one of the Go toolchain
// (lib/time/zoneinfo.zip), whose release stands beside it in update.bash.
const ZoneRules = "2025c"

//go:embed zoneinfo.zip
var zoneArchive []byte

var openZones = sync.OnceValue(func() map[string]*zip.File {
	r, err := zip.NewReader(bytes.NewReader(zoneArchive), int64(len(zoneArchive)))
	if err != nil {
		panic("civil: the built-in time zone archive cannot be read: " + err.Error())
	}
	files := make(map[string]*zip.File, len(r.File))
	for _, f := range r.File {
		if !f.FileInfo().IsDir() {
			files[f.Name] = f
		}
	}
	return files
})

// LoadZone returns an IANA zone by its name. "Local" and "" are refused: they
// would mean whatever the machine is set to.
func LoadZone(name string) (*time.Location, error) {
	if known, ok := loaded.Load(name); ok {
		return known.(*time.Location), nil
	}
	f := openZones()[name]
	if f == nil {
		return nil, fmt.Errorf("no time zone %q in the IANA data %s", name, ZoneRules)
	}
	r, err := f.Open()
	if err != nil {
		return nil, err
	}
	defer r.Close()
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	zone, err := time.LoadLocationFromTZData(name, data)
	if err == nil {
		loaded.Store(name, zone)
	}
	return zone, err
}

// loaded are the zones that were asked for before.
var loaded sync.Map

// ZoneNames lists the zones that LoadZone knows, sorted.
func ZoneNames() []string { return slices.Sorted(maps.Keys(openZones())) }

// SecondsPerDay is how many seconds a day has by a clock that is never put on or back.
const SecondsPerDay = 86400

// Midnight is 00:00:00 UTC of the day, in seconds of the POSIX epoch. It is
// exact for every day, whatever clocks did on it.
func (d Day) Midnight() int64 { return int64(d-epoch) * SecondsPerDay }

// FirstInstant is the first instant, in seconds of the POSIX epoch, at which
// the civil date in the zone is d or later. Where the day starts at midnight
// this is its midnight; where midnight does not exist it is the end of the
// gap, where it comes twice the earlier one, and where the zone skipped the
// day it is the first instant of the next day there is.
//
// Between two transitions the zone keeps one offset, and there the date
// reaches d at the zone's midnight; so we walk the transitions from a day before it (no offset
// is a whole day) until we reach the one that holds that instant.
func FirstInstant(d Day, zone *time.Location) int64 { return FirstShown(d.Midnight(), zone) }

// FirstShown is the first instant, in seconds of the POSIX epoch, at which clocks in the zone show a
// wall time, in seconds as if it were UTC, or a later one: the end of the gap for one that they skip,
// the first pass of one that comes twice.
func FirstShown(wall int64, zone *time.Location) int64 {
	at := time.Unix(wall-2*SecondsPerDay, 0).In(zone)
	for {
		_, offset := at.Zone()
		end, ends := changeAfter(at)
		reached := max(wall-int64(offset), at.Unix())
		if !ends || reached < end.Unix() {
			return reached
		}
		at = end
	}
}

// changeAfter is the next instant at which the zone's clocks may change, and
// false where there is none. The instant carries its zone.
func changeAfter(at time.Time) (time.Time, bool) {
	_, end := at.ZoneBounds()
	switch {
	case end.IsZero():
		return end, false
	case !end.After(at):
		// By rule-based data, ZoneBounds ends a leap year a day early, and on
		// that last day says that it ended before it began.
		return at.Add(time.Hour), true
	}
	return end, true
}

// DayHolding is the day that an instant, in seconds of the POSIX epoch, belongs
// to by FirstInstant: the latest that has begun. It differs from DayAt where
// clocks go back over midnight. Not valid outside the years 1 to 9999.
func DayHolding(seconds int64, zone *time.Location) Day {
	d := DayAt(seconds, zone)
	for d.IsValid() && d < MaxDay && FirstInstant(d+1, zone) <= seconds {
		d++
	}
	return d
}

// ChangeDays are the days of a year that do not have 24 hours in the zone.
func ChangeDays(year int, zone *time.Location) []Day {
	var found []Day
	first, last := MustDay(year, time.January, 1), MustDay(year, time.December, 31)
	for d := first; d <= last; d++ {
		if FirstInstant(d+1, zone)-FirstInstant(d, zone) != SecondsPerDay {
			found = append(found, d)
		}
	}
	return found
}

// Wall is what clocks in the zone show at an instant, in seconds as if it were
// UTC.
func Wall(seconds int64, zone *time.Location) int64 {
	_, offset := time.Unix(seconds, 0).In(zone).Zone()
	return seconds + int64(offset)
}

// WallBound is the first wall time in the zone that stands for the instant or a
// later one, in seconds as if it were UTC, where a wall time that comes twice
// stands for its first pass. In the second pass that is the end of the repeated
// time; else it is what clocks show.
func WallBound(seconds int64, zone *time.Location) int64 {
	at := time.Unix(seconds, 0).In(zone)
	_, offset := at.Zone()
	wall := seconds + int64(offset)
	if start, _ := at.ZoneBounds(); !start.IsZero() {
		_, before := start.Add(-time.Second).Zone()
		wall = max(wall, start.Unix()+int64(before))
	}
	return wall
}

// Unwall is the instant that a wall time in the zone stands for: the first pass
// of one that comes twice, and for one that clocks skip the last instant before
// the jump. Seconds are as if UTC, and of the POSIX epoch.
func Unwall(wall int64, zone *time.Location) int64 {
	at := time.Unix(wall-SecondsPerDay, 0).In(zone)
	for {
		_, offset := at.Zone()
		end, ends := changeAfter(at)
		reached := wall - int64(offset)
		if !ends || reached < end.Unix() {
			return reached
		}
		if _, next := end.Zone(); wall < end.Unix()+int64(next) {
			return end.Unix() - 1
		}
		at = end
	}
}

// Readings are the instants at which clocks in the zone show a wall time, in
// order: none where they skip it, several where it comes again. Seconds are as if
// UTC, and of the POSIX epoch.
func Readings(wall int64, zone *time.Location) []int64 {
	var found []int64
	for at := time.Unix(wall-SecondsPerDay, 0).In(zone); at.Unix() <= wall+SecondsPerDay; {
		_, offset := at.Zone()
		end, ends := changeAfter(at)
		if is := wall - int64(offset); is >= at.Unix() && (!ends || is < end.Unix()) {
			found = append(found, is)
		}
		if !ends {
			break
		}
		at = end
	}
	return found
}

// Shift is what turns stored seconds into a wall time, from one stored value on:
// wall = stored + Add.
type Shift struct{ From, Add int64 }

// Shifts turn stored seconds into wall times of a zone, for the instants from
// first through last, in order. Stored seconds are instants, or wall times of
// the zone stored where that is set. With byDay the day of the wall time is the
// one that the instant belongs to by FirstInstant, even where clocks go back over
// midnight; else the wall time is what clocks showed.
func Shifts(first, last int64, stored, zone *time.Location, byDay bool) []Shift {
	if stored == nil {
		stored = time.UTC
	}
	var shifts []Shift
	add := func(at, change int64) {
		from := WallBound(at, stored)
		if n := len(shifts); n == 0 || shifts[n-1].Add != change {
			shifts = append(shifts, Shift{from, change})
		}
	}
	for at := first; at <= last; {
		next := last + 1
		for _, z := range []*time.Location{stored, zone} {
			if end, ends := changeAfter(time.Unix(at, 0).In(z)); ends {
				next = min(next, end.Unix())
			}
		}
		wall, own := Wall(at, zone), Wall(at, stored)
		if begun := DayHolding(at, zone).Midnight(); byDay && wall < begun {
			// Clocks have gone back to the day before: until they come round to
			// midnight again, the instants are the first of the day that has begun.
			add(at, begun-own)
			if again := at + begun - wall; again < next {
				next = again
			}
		} else {
			add(at, wall-own)
		}
		at = next
	}
	return shifts
}

// DayAt is the civil date that clocks in the zone show at an instant given in
// seconds of the POSIX epoch; it is not valid outside the years 1 to 9999.
func DayAt(seconds int64, zone *time.Location) Day {
	t := time.Unix(seconds, 0).In(zone)
	_, offset := t.Zone()
	local := seconds + int64(offset)
	days := local / SecondsPerDay
	if local%SecondsPerDay < 0 {
		days--
	}
	d := int64(epoch) + days
	if d < int64(MinDay) || d > int64(MaxDay) {
		return 0
	}
	return Day(d)
}

// ClockAt is the time of day that clocks show: "15:04", with seconds and their
// fraction where there are any, and with the offset where they show it twice. The
// instant carries its zone.
func ClockAt(at time.Time) string {
	layout := "15:04"
	if at.Second() != 0 || at.Nanosecond() != 0 {
		layout += ":05.999999"
	}
	if IsRepeated(at) {
		layout += " -07:00"
	}
	return at.Format(layout)
}

// IsRepeated reports whether clocks show the wall time of an instant twice, as
// in the hour that autumn repeats; then it takes the offset to tell which pass
// is meant. The instant carries its zone.
func IsRepeated(at time.Time) bool {
	_, offset := at.Zone()
	start, end := at.ZoneBounds()
	if !start.IsZero() {
		_, before := start.Add(-time.Second).Zone()
		if at.Sub(start) < time.Duration(before-offset)*time.Second {
			return true
		}
	}
	if !end.IsZero() && end.After(at) {
		_, after := end.Zone()
		return end.Sub(at) <= time.Duration(offset-after)*time.Second
	}
	return false
}

// AppendStamp appends an instant in RFC 3339 with the zone's offset. That form has no
// room for the seconds of an offset, as local mean times and Liberia's had them: such an
// instant is written in UTC.
func AppendStamp(b []byte, at time.Time, zone *time.Location) []byte {
	local := at.In(zone)
	if _, offset := local.Zone(); offset%60 != 0 {
		local = at.UTC()
	}
	return local.AppendFormat(b, time.RFC3339Nano)
}

// Stamp is AppendStamp as a string.
func Stamp(at time.Time, zone *time.Location) string { return string(AppendStamp(nil, at, zone)) }
