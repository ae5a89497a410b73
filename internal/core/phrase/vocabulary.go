package phrase

import (
	"strings"
	"time"

	"pikegate/internal/core/civil"
)

var (
	monthNames = map[string]time.Month{"sept": time.September}
	weekdays   = map[string]time.Weekday{}
	unitWords  = map[string]civil.Unit{}

	// spellings are the words that a mistyped one may have been meant to be.
	spellings = []string{"today", "yesterday", "tomorrow", "ago", "this", "last", "next", "start", "end",
		"since", "until", "through", "from", "date", "fiscal", "now", "minute", "minutes", "hour", "hours"}
)

func init() {
	for m := time.January; m <= time.December; m++ {
		name := strings.ToLower(m.String())
		monthNames[name], monthNames[name[:3]] = m, m
		spellings = append(spellings, name)
	}
	for d := time.Sunday; d <= time.Saturday; d++ {
		name := strings.ToLower(d.String())
		weekdays[name], weekdays[name[:3]] = d, d
		spellings = append(spellings, name)
	}
	for u := civil.Days; u <= civil.Years; u++ {
		one, many := u.String(), u.String()+"s"
		unitWords[one], unitWords[many] = u, u
		spellings = append(spellings, one, many)
	}
}

// whichWords are the words for the unit before the current one, it, and the one
// after it, as a node counts them from -1.
var whichWords = [...]string{"last", "this", "next"}

// MonthNamed finds a month by its English name, short or long, in any case.
func MonthNamed(name string) (time.Month, bool) {
	m, ok := monthNames[strings.ToLower(name)]
	return m, ok
}

// WeekdayNamed finds a weekday by its English name, short or long, in any case.
func WeekdayNamed(name string) (time.Weekday, bool) {
	d, ok := weekdays[strings.ToLower(name)]
	return d, ok
}

// knownWords are read but too short to be guessed at.
var knownWords = map[string]bool{"to": true, "of": true, "in": true, "w": true, "q": true, "t": true, "z": true,
	"at": true, "am": true, "pm": true, "utc": true, "gmt": true, "st": true, "nd": true, "rd": true, "th": true}

func isKnown(w string) bool {
	if knownWords[w] || monthNames[w] != 0 || unitWords[w] != civil.NoUnit {
		return true
	}
	if _, ok := weekdays[w]; ok {
		return true
	}
	for _, s := range spellings {
		if s == w {
			return true
		}
	}
	return false
}
