package phrase

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// Season is a named period of the business, such as 1 Jun through 31 Aug, that
// comes back every year, or in the years listed. One that ends on an earlier day
// of the year than it starts on runs over the turn of the year.
type Season struct {
	Title         string // what people call it, "" for its name
	From, Through MonthDay
	Years         []int // of its start; none listed means every year
}

// called is what people call the season: its title, or its name where it has none.
func (s Season) called(name string) string { return cmp.Or(s.Title, name) }

// MonthDay is a day of any year.
type MonthDay struct {
	Month time.Month
	Day   int
}

// ParseMonthDay reads a day without its year, such as 1 Jun or June 1.
func ParseMonthDay(text string) (MonthDay, bool) {
	var room [8]token
	tokens, bad := lex(text, room[:0])
	if bad > 0 {
		return MonthDay{}, false
	}
	p := parser{tokens: tokens}
	found, _ := p.named()
	n, ok := found.(yearlessDay)
	if !ok || !p.done() || n.day < 1 || n.day > civil.DaysIn(2024, n.month) {
		return MonthDay{}, false
	}
	return MonthDay{n.month, n.day}, true
}

// on is the day in a year; 29 February is the 28th in a plain one.
func (m MonthDay) on(year int) (civil.Day, bool) {
	if year < 1 || year > 9999 {
		return 0, false
	}
	return civil.DayOf(year, m.Month, min(m.Day, civil.DaysIn(year, m.Month)))
}

// startingIn is the occurrence that starts in a year, and false where there is
// none.
func (s Season) startingIn(year int) (civil.Period, bool) {
	if len(s.Years) > 0 && !slices.Contains(s.Years, year) {
		return civil.Period{}, false
	}
	first, ok := s.From.on(year)
	last, okLast := s.Through.on(year)
	if okLast && last < first {
		last, okLast = s.Through.on(year + 1)
	}
	return civil.Period{First: first, Last: last}, ok && okLast
}

// near finds the latest occurrence that ended before the day, the one that
// holds it, and the earliest that starts after it.
func (s Season) near(asOf civil.Day) (last, this, next *civil.Period) {
	year, _, _ := asOf.Date()
	from, through := year-2, year+2
	if len(s.Years) > 0 {
		from, through = slices.Min(s.Years), slices.Max(s.Years)
	}
	for y := from; y <= through; y++ {
		p, ok := s.startingIn(y)
		switch {
		case !ok:
		case p.Last < asOf:
			last = &p
		case p.First <= asOf:
			this = &p
		case next == nil:
			next = &p
		}
	}
	return last, this, next
}

// seasonIn = NAME blank YYYY , where NAME is a season's: the one that starts in the year.
// It is false for any other text.
func seasonIn(tokens []token, s Setting) (Reading, *fault.Fault, bool) {
	n := len(tokens)
	if n < 3 || tokens[n-1].kind != number || tokens[n-1].width != 4 || tokens[n-2].kind != blank {
		return Reading{}, nil, false
	}
	var name strings.Builder
	for _, t := range tokens[:n-2] {
		name.WriteString(t.text)
	}
	season, known := s.Seasons[name.String()]
	if !known {
		return Reading{}, nil, false
	}
	year := tokens[n-1].n
	if p, ok := season.startingIn(year); ok {
		return Reading{Period: p, Unit: true}, nil, true
	}
	f := fault.New(fault.NoSuchDate, "no %s starts in %d", season.called(name.String()), year)
	if len(season.Years) > 0 {
		years := make([]string, len(season.Years))
		for i, y := range season.Years {
			years[i] = strconv.Itoa(y)
		}
		f.Message += "; it does in " + english.Both(years)
		f.Suggest(fmt.Sprintf("%s %d", name.String(), season.Years[len(season.Years)-1]))
	}
	return Reading{}, f, true
}

// season = which NAME , where NAME is the rest of the text, without blanks.
func (p *parser) season(which int) (node, bool) {
	var name strings.Builder
	for i := p.at; i < len(p.tokens); i++ {
		t := p.tokens[i]
		if t.kind != word && t.kind != number && !t.isMark('-') {
			return nil, false
		}
		name.WriteString(t.text)
	}
	if p.done() {
		return nil, false
	}
	p.at = len(p.tokens)
	return seasonPhrase{which, name.String()}, true
}

// seasonPhrase is the last, this or the next occurrence of a named period of the business.
type seasonPhrase struct {
	which int
	name  string
}

func (seasonPhrase) class() class { return aPhrase }

func (n seasonPhrase) read(s Setting) (Reading, *fault.Fault) {
	word := whichWords[n.which+1]
	season, ok := s.Seasons[n.name]
	if !ok {
		f := notAPeriod(word + " " + n.name)
		if near := fault.Near(n.name, slices.Sorted(maps.Keys(s.Seasons))); near != "" {
			f.Suggest(word + " " + near)
		}
		return Reading{}, f
	}
	last, this, next := season.near(s.AsOf)
	if found := [...]*civil.Period{last, this, next}[n.which+1]; found != nil {
		return Reading{Period: *found, Unit: true}, nil
	}
	lacks := [...]string{"ended before", "holds", "starts after"}[n.which+1]
	f := fault.New(fault.NoSuchDate, "no %s %s %s", season.called(n.name), lacks, s.AsOf.Spelled())
	if n.which == 0 && next != nil {
		f.Message += "; the next one is " + next.Spelled()
		f.Suggest("next " + n.name)
	}
	return Reading{}, f
}
