package phrase

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// This file finds what may have been meant by a text that is refused: whole texts
// that would be read if they were entered instead. They are offered and never
// taken.

// mostOffered is how many texts are offered at most.
const mostOffered = 4

// offer completes the refusal of a text with what was entered, and with those of the likely
// meanings that read accepts.
func offer[R any](f *fault.Fault, text string, read func(string) (R, *fault.Fault)) *fault.Fault {
	f.Entered = english.Shorten(text)
	texts := f.Suggestions
	f.Suggestions = nil
	addReadable(f, texts, read)
	if f.Code == fault.NotADate {
		for _, texts := range meant(text) {
			if len(f.Suggestions) == 0 {
				addReadable(f, texts, read)
			}
		}
	}
	return f
}

// addReadable suggests the texts that are read; in place of one that is refused
// stands what its own refusal suggests.
func addReadable[R any](f *fault.Fault, texts []string, read func(string) (R, *fault.Fault)) {
	add := func(text string) *fault.Fault {
		_, refused := read(text)
		if refused == nil && !slices.Contains(f.Suggestions, text) && len(f.Suggestions) < mostOffered {
			f.Suggest(text)
		}
		return refused
	}
	for _, text := range texts {
		if refused := add(text); refused != nil && refused.Code != fault.EndBeforeStart {
			for _, other := range refused.Suggestions {
				add(other)
			}
		}
	}
}

// ofEnds is the refusal of two ends, of which one was refused at least: with the
// code that comes first, and offering both ends. An end that was read stays as it
// is.
func ofEnds(first, last []token, f, g *fault.Fault) *fault.Fault {
	starts, lasts := endTexts(first, f), endTexts(last, g)
	if f == nil || g != nil && slices.Index(precedence, g.Code) < slices.Index(precedence, f.Code) {
		f = g
	}
	f.Suggestions = nil
	for i := range max(len(starts), len(lasts)) {
		if len(starts) > 0 && len(lasts) > 0 {
			f.Suggest(Ends(starts[min(i, len(starts)-1)], lasts[min(i, len(lasts)-1)]))
		}
	}
	return f
}

func endTexts(side []token, f *fault.Fault) []string {
	switch {
	case f != nil:
		return f.Suggestions
	case isOpen(side):
		return []string{""}
	}
	return []string{retyped(side)}
}

// Ends writes a period of two ends, "" for an open one, as one types it.
func Ends(first, last string) string {
	switch {
	case first == "":
		return "until " + last
	case last == "":
		return "since " + first
	}
	return first + " to " + last
}

// meant lists what a text in no known form may have been meant to be, the likeliest first: with
// its words respelled, with its parts reordered, with its two ends separated. The caller keeps
// those that can be read.
func meant(text string) [][]string {
	tokens, bad := lex(typeable.Replace(text), nil)
	if bad > 0 {
		return nil
	}
	respelled, bad := lex(respelled(tokens), nil)
	if bad > 0 {
		return nil
	}
	groups := append([][]string{{retyped(respelled)}}, reordered(respelled)...)
	for _, tokens := range [][]token{respelled, tokens} {
		for _, pair := range pairs(tokens) {
			if text := joined(pair[0], pair[1]); text != "" {
				groups = append(groups, []string{text})
			}
		}
	}
	return groups
}

// typeable makes the dashes of printed text and the tabs and line ends of pasted
// text those signs that are typed for them.
var typeable = strings.NewReplacer("\t", " ", "\r", " ", "\n", " ", "\u2010", "-", "\u2011", "-", "\u2012", "-", "\u2013", "-", "\u2014", "-", "\u2212", "-")

// retyped writes tokens as a person would type them.
func retyped(tokens []token) string {
	var b strings.Builder
	for _, t := range tokens {
		_, isWeekday := weekdays[t.text]
		switch {
		case t.kind == word && (len(t.text) == 1 || monthNames[t.text] != 0 || isWeekday):
			b.WriteString(strings.ToUpper(t.text[:1]) + t.text[1:])
		default:
			b.WriteString(t.text)
		}
	}
	return b.String()
}

// synonyms are words that are not read, with those that are.
var synonyms = map[string]string{
	"past": "last", "previous": "last", "prev": "last", "current": "this", "coming": "next", "following": "next",
	"thru": "through", "till": "until", "til": "until", "wtd": "week to date", "mtd": "month to date", "qtd": "quarter to date", "ytd": "year to date",
	"beginning": "start", "ending": "end", "noon": "12:00", "hrs": "hours", "hr": "hour", "mins": "minutes", "min": "minute",
	"a": "1", "an": "1", "one": "1", "two": "2", "three": "3", "four": "4", "five": "5", "six": "6",
	"seven": "7", "eight": "8", "nine": "9", "ten": "10", "eleven": "11", "twelve": "12",
}

// respelled writes the text with mistyped words mended, words that mean the same
// as those that are read, and nothing but blanks beside a month's name.
//
// One branch for each habit of writing.
func respelled(tokens []token) string {
	isMonth := func(i int) bool { return i >= 0 && i < len(tokens) && monthNames[tokens[i].text] != 0 }
	has := func(words ...string) bool {
		return slices.ContainsFunc(tokens, func(t token) bool { return t.kind == word && slices.Contains(words, t.text) })
	}
	isBetween := tokens[0].isWord("between")
	isSince := tokens[0].isWord("from") && !has("to", "through", "thru", "till", "until")
	var b strings.Builder
	for i, t := range tokens {
		switch {
		case isBetween && i == 0:
			b.WriteString("from")
		case isBetween && t.isWord("and"):
			b.WriteString("to")
		case isSince && i == 0:
			b.WriteString("since")
		case t.isWord("the"), t.isWord("on"), t.isWord("of") && i > 1 && !tokens[i-2].isWord("start") && !tokens[i-2].isWord("end") && synonyms[tokens[i-2].text] == "":
		case t.kind == word:
			b.WriteString(respelledWord(t.text))
		case t.kind == mark && t.text != "+" && t.text != ":" && (isMonth(i-1) || isMonth(i+1)):
			b.WriteByte(' ')
		default:
			b.WriteString(t.text)
		}
	}
	return b.String()
}

func respelledWord(w string) string {
	if other, ok := synonyms[w]; ok {
		return other
	}
	if len(w) > 2 && !isKnown(w) {
		if near := fault.Near(w, spellings); near != "" {
			return near
		}
	}
	return w
}

// reordered are the forms that the words and numbers of the text have in another
// order, or with other marks between them.
//
// One branch for each order that people write dates in.
func reordered(tokens []token) [][]string {
	var parts []token
	for _, t := range tokens {
		if t.kind == number || t.kind == word {
			parts = append(parts, t)
		}
	}
	switch shape(parts) {
	case "MY", "QDY":
		return [][]string{{retyped(parts[:len(parts)-1]) + " " + parts[len(parts)-1].text}}
	case "YM", "YQD":
		return [][]string{{retyped(parts[1:]) + " " + parts[0].text}}
	case "WDY":
		return [][]string{{fmt.Sprintf("%s-W%02d", parts[2].text, parts[1].n)}}
	case "YWD":
		return [][]string{{fmt.Sprintf("%s-W%02d", parts[0].text, parts[2].n)}}
	case "YMD":
		return [][]string{{dayText(parts[2].n, monthNames[parts[1].text], parts[0].n)}}
	case "YDD":
		return [][]string{{dayText(parts[2].n, time.Month(parts[1].n), parts[0].n)}}
	case "DY":
		return [][]string{{monthText(time.Month(parts[0].n), parts[1].n)}}
	case "DU", "YU", "NU", "DW", "YW", "NW":
		count := parts[0].text + " " + parts[1].text
		return [][]string{{"last " + count, count + " to date"}, {count + " ago", "in " + count}}
	}
	if p := (parser{tokens: tokens}); p.words("start", "of") || p.words("end", "of") {
		found, _ := thing(trim(tokens[p.at:]))
		if n, ok := found.(numberedUnit); ok {
			side := start
			if tokens[0].isWord("end") {
				side = end
			}
			if whole, ok := n.period(); ok {
				return [][]string{{side.of(whole).Plain()}}
			}
		}
	}
	return nil
}

// shape is a letter for each word and number: D one or two digits, Y four, N any
// other number, M a month's name, Q a q, W a week, U another unit, - anything else.
func shape(parts []token) string {
	letters := make([]byte, len(parts))
	for i, t := range parts {
		switch {
		case t.kind == number && t.width <= 2:
			letters[i] = 'D'
		case t.kind == number && t.width == 4:
			letters[i] = 'Y'
		case t.kind == number:
			letters[i] = 'N'
		case monthNames[t.text] != 0:
			letters[i] = 'M'
		case t.isWord("q"):
			letters[i] = 'Q'
		case t.isWord("w"), unitWords[t.text] == civil.Weeks:
			letters[i] = 'W'
		case unitWords[t.text] != civil.NoUnit:
			letters[i] = 'U'
		default:
			letters[i] = '-'
		}
	}
	return string(letters)
}

// dayText writes a day of which not all may be known or real; year 0 is left out.
func dayText(day int, month time.Month, year int) string {
	if month < 1 || month > 12 {
		return ""
	}
	if year == 0 {
		return fmt.Sprintf("%d %s", day, month.String()[:3])
	}
	return fmt.Sprintf("%d %s %04d", day, month.String()[:3], year)
}

func monthText(month time.Month, year int) string {
	if m, ok := civil.MonthOf(year, month); ok {
		return civil.Months.Name(m.First())
	}
	return ""
}

// pairs are the two ends that the text may be made of: as it is split, and at each
// dash that has no blank on both sides.
func pairs(tokens []token) [][2][]token {
	var found [][2][]token
	if len(tokens) == 0 {
		return nil
	}
	if first, last, ok := split(tokens); ok {
		found = append(found, [2][]token{first, last})
	}
	for i, t := range tokens {
		if t.isMark('-') && i > 0 && i+1 < len(tokens) {
			found = append(found, [2][]token{trim(tokens[:i]), trim(tokens[i+1:])})
		}
	}
	return found
}

// joined writes two ends as a period, "" where they cannot be ends. One that is
// only the number of a day, or a time of day, takes the rest from the other: 5 to 10
// Mar 2026, March 5-10, 2026, 5 Mar 2026 06:00 to 09:00.
func joined(first, last []token) string {
	n, okFirst := thing(first)
	m, okLast := thing(last)
	var from, through string
	if day, _, ok := bareDay(first); ok && okLast {
		if _, month, year, ok := dayOf(m); ok {
			return ended(dayText(day, month, year), retyped(last))
		}
	}
	if lastDay, lastYear, ok := bareDay(last); ok && okFirst {
		if day, month, year, ok := dayOf(n); ok {
			year = max(lastYear, year)
			return ended(dayText(day, month, year), dayText(lastDay, month, year))
		}
	}
	switch {
	case okFirst && okLast:
		from, through = retyped(first), retyped(last)
	case okFirst && beside(n).hasTime:
		from, through = sameDay(first, timeText(last))
	}
	return ended(from, through)
}

// ended writes a period of two ends, "" where one of them is not known.
func ended(first, last string) string {
	if first == "" || last == "" {
		return ""
	}
	return Ends(first, last)
}

// sameDay writes a moment, and another on the same day at a time of its own.
func sameDay(moment []token, time string) (first, last string) {
	for i := 1; i < len(moment) && time != ""; i++ {
		p := parser{tokens: moment, at: i}
		if c, ok := p.time(loosely, false); ok && p.offset(loosely, &c) && p.done() && c.typed() != "" {
			day := retyped(trim(moment[:i])) + " "
			return day + c.typed(), day + time
		}
	}
	return "", ""
}

// bareDay = dayNumber [ [ "," ] YYYY ] .
//
// The year is 0 where it is missing.
func bareDay(tokens []token) (day, year int, ok bool) {
	p := parser{tokens: tokens}
	day, ok = p.dayNumber()
	if !ok || p.done() {
		return day, 0, ok
	}
	p.comma()
	written := p.peek(0)
	p.at++
	return day, written.n, written.width == 4 && p.done()
}

// typedEdge is the first or the last day of a period phrase, as one types it.
func typedEdge(n node, p civil.Period, e edge) string {
	if unit, ok := n.(currentUnit); ok {
		if text := unit.typed(e); text != "" {
			return text
		}
	}
	return e.of(p).Plain()
}
