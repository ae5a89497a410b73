// Package oneline reads a line such as "late sailings last month outer loop": which report it
// means, and which answers stand in it. Nothing is guessed in silence: where several reports fit
// alike all are told, and each word that was not understood is.
package oneline

import (
	"slices"
	"strings"
	"unicode"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
)

// Report is a report that a line may mean.
type Report struct {
	Name, Title, About, Shelf string
	Columns                   []string // labels
	Prompts                   []*prompt.Prompt
	Setting                   phrase.Setting
	// Options are the choices of a prompt, as far as they are known.
	Options func(p *prompt.Prompt) []prompt.Option
}

// Understood is an answer that stands in a line.
type Understood struct {
	Words   string // as they stand there
	Prompt  *prompt.Prompt
	Spelled string // what they mean; "" where they are refused
	Refused string // why they are
}

// Reading is how a line can be read.
type Reading struct {
	Report     *Report
	Answers    map[string]prompt.Entered // by prompt, as they were entered
	Understood []Understood              // in the order of the line
	LeftOver   []string                  // words that were not understood

	score int
}

// What a word counts: one of the title more than one that stands elsewhere.
const (
	ofTitle     = 10
	wholeTitle  = 8
	ofAnswer    = 4
	ofElsewhere = 3
	ofSlip      = 1 // of the title, but for a slip of the keys
	leftOver    = -6
)

// mostWords is how many words of a line are read.
const mostWords = 40

// Read tells the readings that fit best, more than one where they fit alike, none where no report
// is named.
func Read(line string, reports []*Report) []Reading {
	words := wordsOf(line)
	known := dates{}
	var best []Reading
	for _, r := range reports {
		if !r.isNamed(words) {
			continue
		}
		reading := r.read(words, known)
		switch {
		case len(best) == 0 || reading.score > best[0].score:
			best = []Reading{reading}
		case reading.score == best[0].score:
			best = append(best, reading)
		}
	}
	return best
}

// word is a word of a line.
type word struct {
	text   string // as it stands there
	plain  string // in small letters, without marks at its ends
	named  string // what tells something of it, as named has it
	glue   bool   // it only holds others together
	quoted bool   // it stands in quotation marks, as one text
	taken  bool
}

func newWord(text string) word {
	w := word{text: text, plain: plain(text), named: strings.Join(named(text), " ")}
	w.glue = isGlue(w.plain)
	return w
}

// wordsOf parts a line; what stands in double quotation marks is one word.
func wordsOf(line string) []word {
	var all []word
	for i, part := range strings.Split(line, `"`) {
		if i%2 == 1 {
			w := newWord(part)
			w.quoted = true
			all = append(all, w)
			continue
		}
		for _, text := range strings.Fields(part) {
			all = append(all, newWord(text))
		}
	}
	return all[:min(len(all), mostWords)]
}

// plain is a text in small letters, without marks at its ends.
func plain(text string) string {
	return strings.ToLower(strings.TrimFunc(text, func(r rune) bool { return unicode.IsPunct(r) && r != '-' && r != '<' && r != '>' }))
}

// glue are words that only hold others together.
var glue = setOf("a an the of in on at for from with and or by to is are was were that which all any me my show list give please only over under more less than least most about")

func isGlue(text string) bool { return text == "" || glue[text] }

func setOf(words string) map[string]bool {
	set := map[string]bool{}
	for _, w := range strings.Fields(words) {
		set[w] = true
	}
	return set
}

// named are the words of a text that tell something.
func named(text string) []string {
	var all []string
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		if w = strings.ToLower(w); !isGlue(w) {
			all = append(all, w)
		}
	}
	return all
}

// isNamed reports whether a word of the line stands in the report's title or name.
func (r *Report) isNamed(words []word) bool {
	of := append(named(r.Title), named(r.Name)...)
	return slices.ContainsFunc(words, func(w word) bool {
		return !w.glue && slices.ContainsFunc(of, func(t string) bool { return means(w.plain, t) })
	})
}

// read reads a line as one of the report: dates first, the longest before others, then choices and
// numbers, then what names the report.
func (r *Report) read(line []word, known dates) Reading {
	words := slices.Clone(line)
	reading := Reading{Report: r, Answers: map[string]prompt.Entered{}}
	at := map[int]Understood{} // by the first word
	take := func(p *prompt.Prompt, from, count int, said, entered prompt.Entered) {
		u := Understood{Words: spanOf(words, from, count), Prompt: p}
		if a, refused := p.Read(said, r.Setting); len(refused) > 0 {
			u.Refused = refused[0].Message
		} else {
			u.Spelled = a.Spelled()
		}
		at[from] = u
		reading.Answers[p.Name] = entered
		reading.score += ofAnswer * count
		for i := from; i < from+count; i++ {
			words[i].taken = true
		}
	}
	r.dates(words, known, take)
	r.choices(words, take)
	r.numbers(words, take)
	r.texts(words, take)
	reading.score += r.names(words)
	for i, w := range words {
		if u, ok := at[i]; ok {
			reading.Understood = append(reading.Understood, u)
		}
		if !w.taken && !w.glue {
			reading.LeftOver = append(reading.LeftOver, w.text)
			reading.score += leftOver
		}
	}
	return reading
}

func spanOf(words []word, from, count int) string {
	var all []string
	for _, w := range words[from : from+count] {
		all = append(all, w.text)
	}
	return strings.Join(all, " ")
}

// taker takes words for the answer to a prompt. said is what they say, entered the answer with it,
// which may have been said by other words too.
type taker func(p *prompt.Prompt, from, count int, said, entered prompt.Entered)

// spans hands out runs of words that are not taken, the longest first and those of one length from
// the left, until use takes one.
func spans(words []word, most int, use func(from, count int) bool) bool {
	for count := min(most, len(words)); count > 0; count-- {
		for from := 0; from+count <= len(words); from++ {
			if slices.ContainsFunc(words[from:from+count], func(w word) bool { return w.taken }) {
				continue
			}
			if use(from, count) {
				return true
			}
		}
	}
	return false
}

// longestDate is how many words a date may have.
const longestDate = 12

// dates gives each prompt that asks for days or moments the longest date that there is.
func (r *Report) dates(words []word, known dates, take taker) {
	for _, p := range r.Prompts {
		if !p.IsAsked() || !p.Type.IsPeriod() && p.Type != prompt.Moment && p.Type != prompt.MomentPeriod {
			continue
		}
		spans(words, longestDate, func(from, count int) bool {
			text := trimmed(spanOf(words, from, count))
			if words[from].glue && words[from].plain != "from" || words[from+count-1].glue || !known.isDate(p.Type, text, r.Setting) {
				return false
			}
			take(p, from, count, prompt.OneText(text), prompt.OneText(text))
			return true
		})
	}
}

// trimmed is a text without commas and the like at its end.
func trimmed(text string) string { return strings.TrimRight(text, ",;.!?") }

// dates remembers which texts are dates: many reports ask for days alike.
type dates map[asked]bool

// asked is a text beside what it is read by.
type asked struct {
	as   prompt.Type
	zone string
	day  civil.Day
	text string
}

// isDate reports whether a text is a date that a type of prompts takes, within their limits or not.
func (d dates) isDate(as prompt.Type, text string, s phrase.Setting) bool {
	if as != prompt.Moment && as != prompt.MomentPeriod && as != prompt.Day {
		as = prompt.Period
	}
	key := asked{as, s.Zone.String(), s.AsOf, text}
	is, known := d[key]
	if known {
		return is
	}
	var refused *fault.Fault
	switch as {
	case prompt.Moment:
		_, refused = phrase.Moment(text, s)
	case prompt.MomentPeriod:
		_, refused = phrase.MomentPeriod(text, s)
	case prompt.Day:
		_, refused = phrase.Day(text, s)
	default:
		_, refused = phrase.Period(text, s)
	}
	d[key] = refused == nil
	return refused == nil
}

// longestChoice is how many words a choice may have.
const longestChoice = 8

// choices gives each prompt of choices those whose label or value stands in the line: one, or all
// that do.
func (r *Report) choices(words []word, take taker) {
	for _, p := range r.Prompts {
		if p.Type != prompt.Choice || !p.IsAsked() {
			continue
		}
		known := map[string]string{} // values by what names them
		for _, o := range r.Options(p) {
			known[strings.Join(named(o.Value), " ")] = o.Value
			known[strings.Join(named(o.Label), " ")] = o.Value
		}
		delete(known, "")
		var values []string
		for spans(words, longestChoice, func(from, count int) bool {
			if words[from].glue || words[from+count-1].glue || !p.Many && len(values) > 0 {
				return false
			}
			value, isKnown := known[saidBy(words[from:from+count])]
			if !isKnown {
				return false
			}
			values = append(values, value)
			if p.Many {
				take(p, from, count, prompt.SeveralTexts(values[len(values)-1:]), prompt.SeveralTexts(values))
			} else {
				take(p, from, count, prompt.OneText(values[0]), prompt.OneText(values[0]))
			}
			return true
		}) {
		}
	}
}

// saidBy is what words tell together.
func saidBy(words []word) string {
	said := ""
	for _, w := range words {
		switch {
		case w.named == "":
		case said == "":
			said = w.named
		default:
			said += " " + w.named
		}
	}
	return said
}

// numbers gives prompts that ask for a number those that stand in the line; where several ask for
// one the word behind it has to be the unit of the one that is meant.
func (r *Report) numbers(words []word, take taker) {
	var asked []*prompt.Prompt
	for _, p := range r.Prompts {
		if p.Type == prompt.Number && p.IsAsked() {
			asked = append(asked, p)
		}
	}
	for i := range words {
		if words[i].taken || len(asked) == 0 || !isNumber(words[i].plain) {
			continue
		}
		count := 1
		meant := slices.IndexFunc(asked, func(p *prompt.Prompt) bool {
			return i+1 < len(words) && !words[i+1].taken && isUnit(words[i+1].plain, p)
		})
		if meant >= 0 {
			count = 2
		} else if len(asked) == 1 {
			meant = 0
		} else {
			continue
		}
		said := prompt.OneText(words[i].plain)
		take(asked[meant], i, count, said, said)
		asked = slices.Delete(slices.Clone(asked), meant, meant+1)
	}
}

func isNumber(text string) bool {
	return text != "" && strings.Trim(text, "0123456789.,") == "" && unicode.IsDigit(rune(text[0]))
}

// isUnit reports whether a word is the unit of a prompt, or one of its question.
func isUnit(text string, p *prompt.Prompt) bool {
	unit := strings.ToLower(p.Unit)
	return text != "" && !isGlue(text) && (unit != "" && strings.HasPrefix(text, unit) || slices.Contains(named(p.Ask), text))
}

// texts gives the first prompt that asks for a text what stands in quotation marks.
func (r *Report) texts(words []word, take taker) {
	for _, p := range r.Prompts {
		if p.Type != prompt.Text || !p.IsAsked() {
			continue
		}
		for i, w := range words {
			if w.quoted && !w.taken {
				take(p, i, 1, prompt.OneText(w.text), prompt.OneText(w.text))
				break
			}
		}
	}
}

// names takes the words that name the report, and tells what they count.
func (r *Report) names(words []word) (score int) {
	title := append(named(r.Title), named(r.Name)...)
	elsewhere := append(named(r.About), named(r.Shelf)...)
	for _, label := range r.Columns {
		elsewhere = append(elsewhere, named(label)...)
	}
	for i := range words {
		w := &words[i]
		if w.taken || w.glue {
			continue
		}
		is := func(t string) bool { return means(w.plain, t) }
		switch {
		case slices.ContainsFunc(title, func(t string) bool { return isSame(w.plain, t) }):
			w.taken = true
			score += ofTitle
		case slices.ContainsFunc(title, is):
			w.taken = true
			score += ofSlip
		case slices.ContainsFunc(elsewhere, is):
			w.taken = true
			score += ofElsewhere
		}
	}
	for _, t := range named(r.Title) {
		if !slices.ContainsFunc(words, func(w word) bool { return means(w.plain, t) }) {
			return score
		}
	}
	return score + wholeTitle
}

// isSame reports whether two words are the same, or one of them in the plural.
func isSame(a, b string) bool { return a == b || a+"s" == b || a == b+"s" }

// shortest is how many letters a word has in which a slip of the keys is forgiven.
const shortest = 5

// means reports whether a typed word stands for another one: the same, one of them in the plural,
// or one slip of the keys away.
func means(typed, word string) bool {
	if isSame(typed, word) {
		return true
	}
	a, b := []rune(typed), []rune(word)
	return len(b) >= shortest && len(a) >= shortest-1 && max(len(a), len(b))-min(len(a), len(b)) <= 1 && fault.Slips(a, b) == 1
}
