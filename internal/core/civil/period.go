package civil

import "fmt"

// Period is a run of days, first and last included. A zero side is open; the
// zero Period is open on both sides and holds every day.
type Period struct {
	First Day `json:"first"`
	Last  Day `json:"last"`
}

// IsOrdered reports whether the period does not end before it starts; an open
// side is always in order.
func (p Period) IsOrdered() bool {
	return !p.First.IsValid() || !p.Last.IsValid() || p.First <= p.Last
}

// Ends are the first and the last day, nil where that side is open.
func (p Period) Ends() (first, last *Day) {
	if p.First.IsValid() {
		first = &p.First
	}
	if p.Last.IsValid() {
		last = &p.Last
	}
	return first, last
}

// IsClosed reports whether both sides are set.
func (p Period) IsClosed() bool { return p.First.IsValid() && p.Last.IsValid() }

// Days is the number of days, 0 where a side is open.
func (p Period) Days() int {
	if !p.IsClosed() {
		return 0
	}
	return int(p.Last-p.First) + 1
}

// String is the ISO form with a slash, an open side as two dots.
func (p Period) String() string {
	first, last := "..", ".."
	if p.First.IsValid() {
		first = p.First.String()
	}
	if p.Last.IsValid() {
		last = p.Last.String()
	}
	return first + "/" + last
}

// Brief is the period in few letters, what both ends share said once: "1–31 Oct
// 2026", "28 Sep – 4 Oct 2026", "Sun 22 Nov 2026"; the spelled form where a side is
// open.
func (p Period) Brief() string {
	switch {
	case !p.IsClosed():
		return p.Spelled()
	case p.First == p.Last:
		return p.First.Spelled()
	}
	year, month, day := p.First.Date()
	lastYear, lastMonth, _ := p.Last.Date()
	switch {
	case year != lastYear:
		return p.First.Plain() + " – " + p.Last.Plain()
	case month != lastMonth:
		return fmt.Sprintf("%d %s – %s", day, month.String()[:3], p.Last.Plain())
	}
	return fmt.Sprintf("%d–%s", day, p.Last.Plain())
}

// Spelled is the period so that nobody can misread it: "Mon 1 Jun 2026 through
// Mon 31 Aug 2026 (92 days)".
func (p Period) Spelled() string {
	switch {
	case p.IsClosed() && p.First == p.Last:
		return p.First.Spelled() + " (1 day)"
	case p.IsClosed():
		return fmt.Sprintf("%s through %s (%d days)", p.First.Spelled(), p.Last.Spelled(), p.Days())
	case p.First.IsValid():
		return "from " + p.First.Spelled() + " on"
	case p.Last.IsValid():
		return "through " + p.Last.Spelled()
	}
	return "any day"
}
