package civil

import (
	"archive/zip"
	"bytes"
	_ "embed"
	"fmt"
	"io"
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

// ZoneNames lists the zones that LoadZone knows, in no particular order.
func ZoneNames() []string {
	var names []string
	for name := range openZones() {
		names = append(names, name)
	}
	return names
}

const secondsPerDay = 86400

// Midnight is 00:00:00 UTC of the day, in seconds of the POSIX epoch. It is
// exact for every day, whatever clocks did on it.
func (d Day) Midnight() int64 { return int64(d-epoch) * secondsPerDay }

// FirstInstant is the first instant, in seconds of the POSIX epoch, at which
// the civil date in the zone is d or later. Where the day starts at midnight
// this is its midnight; where midnight does not exist it is the end of the
// gap, where it comes twice the earlier one, and where the zone skipped the
// day it is the first instant of the next day there is.
//
// Between two transitions the zone keeps one offset, and there the date
// reaches d at the zone's midnight; so the transitions are walked from well
// before it (no offset is a whole day) until one of them holds that instant.
func FirstInstant(d Day, zone *time.Location) int64 {
	midnight := d.Midnight()
	at := time.Unix(midnight-2*secondsPerDay, 0).In(zone)
	for {
		_, offset := at.Zone()
		_, end := at.ZoneBounds()
		if !end.IsZero() && !end.After(at) {
			// By rule-based data, ZoneBounds ends a leap year a day early, and on
			// that last day says that it ended before it began.
			end = at.Add(time.Hour)
		}
		reached := max(midnight-int64(offset), at.Unix())
		if end.IsZero() || reached < end.Unix() {
			return reached
		}
		at = end
	}
}

// DayAt is the civil date that clocks in the zone show at an instant given in
// seconds of the POSIX epoch; it is not valid outside the years 1 to 9999.
func DayAt(seconds int64, zone *time.Location) Day {
	t := time.Unix(seconds, 0).In(zone)
	_, offset := t.Zone()
	local := seconds + int64(offset)
	days := local / secondsPerDay
	if local%secondsPerDay < 0 {
		days--
	}
	d := int64(epoch) + days
	if d < int64(MinDay) || d > int64(MaxDay) {
		return 0
	}
	return Day(d)
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
