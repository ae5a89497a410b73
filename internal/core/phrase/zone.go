package phrase

import (
	"regexp"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
)

var offset = regexp.MustCompile(`(?i)^(utc|gmt|z)? ?[+-] ?\d{1,2}(:?\d\d)?$`)

// Zone reads the name of an IANA zone. Where it is none the refusal offers those that the
// text may mean: PST offers America/Los_Angeles.
func Zone(text string) (*time.Location, *fault.Fault) {
	zone, err := civil.LoadZone(text)
	if err == nil {
		return zone, nil
	}
	f := fault.New(fault.UnknownZone, "%s", err)
	switch meant := civil.ZonesMeant(text); {
	case len(meant) > 0:
		f.Suggest(meant...)
	case offset.MatchString(text):
		f.Message = "\"" + text + "\" is an offset, which summer time moves; name the zone of a place, such as Europe/Helsinki, or UTC"
	default:
		f.Suggest(fault.Near(text, civil.ZoneNames()))
	}
	return nil, f
}
