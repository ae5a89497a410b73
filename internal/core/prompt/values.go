package prompt

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

func (a *Answer) readNumber(e Entered) fault.List {
	text, ok := single(e)
	if !ok {
		return refuse(fault.New(fault.NotANumber, "one number is asked for, and more was given"), strings.Join(e.texts, ", "), "")
	}
	n, f := a.Prompt.number(text)
	if f != nil {
		return refuse(f, text, f.Limit)
	}
	a.Number = n
	return nil
}

// number reads a number and holds it to the prompt's limits.
func (p *Prompt) number(text string) (decimal.Decimal, *fault.Fault) {
	n, ok := ParseNumber(text)
	if !ok {
		f := fault.New(fault.NotANumber, "%q is not a number; write it like 15 or 12.5", english.Shorten(text))
		if plain := strings.ReplaceAll(text, ",", ""); plain != text {
			if n, ok := ParseNumber(plain); ok {
				f.Suggest(n.String())
			}
		}
		return n, f
	}
	beyond := func(limit *decimal.Decimal, less, least string) *fault.Fault {
		f := fault.New(fault.OutOfRange, "%s is %s than %s, the %s that can be asked for", n, less, limit, least).Suggest(limit.String())
		f.Limit = limit.String()
		return f
	}
	switch {
	case p.Least != nil && n.LessThan(*p.Least):
		return n, beyond(p.Least, "less", "least")
	case p.Most != nil && n.GreaterThan(*p.Most):
		return n, beyond(p.Most, "more", "most")
	}
	return n, nil
}

// ParseNumber reads digits with an optional sign and decimal point, surrounded
// by blanks or not. There is no exponent and no grouping.
func ParseNumber(text string) (decimal.Decimal, bool) {
	text = strings.TrimSpace(text)
	bare := strings.TrimLeft(text, "+-")
	if len(text)-len(bare) > 1 || bare == "" || len(bare) > mostDigits || strings.Trim(bare, "0123456789.") != "" ||
		strings.Count(bare, ".") > 1 || strings.HasPrefix(bare, ".") || strings.HasSuffix(bare, ".") {
		return decimal.Decimal{}, false
	}
	n, err := decimal.NewFromString(text)
	return n, err == nil
}

// readRange reads the least and the greatest of a range of numbers, from two
// fields or from one text: 15 to 60, 15..60, ../60.
func (a *Answer) readRange(e Entered) fault.List {
	p := a.Prompt
	ends := e.texts
	if e.shape != sides {
		text, ok := single(e)
		if !ok {
			return refuse(fault.New(fault.NotANumber, "one range of numbers is asked for, and more was given"), strings.Join(e.texts, ", "), "")
		}
		if ends, ok = splitRange(text); !ok {
			return refuse(fault.New(fault.NotANumber, "%q is not a range of numbers; write it like 15 to 60", english.Shorten(text)), text, "")
		}
	}
	var refused fault.List
	for i, into := range []**decimal.Decimal{&a.Lower, &a.Upper} {
		if strings.TrimSpace(ends[i]) == "" {
			continue
		}
		n, f := p.number(ends[i])
		if f != nil {
			f.Place.Side = sideNames[i]
			refused = append(refused, refuse(f, ends[i], f.Limit)...)
		}
		*into = &n
	}
	if len(refused) > 0 {
		return refused
	}
	said := func(n *decimal.Decimal) string {
		if n == nil {
			return ""
		}
		return n.String()
	}
	if f := p.bothSides("number", said(a.Lower), said(a.Upper)); f != nil {
		return refuseAll(f, e)
	}
	if a.Lower != nil && a.Upper != nil && a.Upper.LessThan(*a.Lower) {
		return refuseAll(fault.New(fault.EndBeforeStart, "the range ends at %s, before it starts at %s", a.Upper, a.Lower).Suggest(said(a.Upper)+" to "+said(a.Lower)), e)
	}
	return nil
}

// splitRange finds the two ends of a range, "" for an open one.
func splitRange(text string) ([]string, bool) {
	for _, separator := range []string{" to ", " through ", " - ", "/", ".."} {
		if first, last, ok := strings.Cut(text, separator); ok {
			ends := []string{strings.Trim(first, ". "), strings.Trim(last, ". ")}
			return ends, ends[0] != "" || ends[1] != ""
		}
	}
	return nil, false
}

// SpelledRange says a range of numbers, nil for an open side.
func SpelledRange(lower, upper *decimal.Decimal, unit string) string {
	var said string
	switch {
	case lower == nil && upper == nil:
		return "any number"
	case upper == nil:
		said = "at least " + lower.String()
	case lower == nil:
		said = "at most " + upper.String()
	default:
		said = lower.String() + " through " + upper.String()
	}
	return strings.TrimSpace(said + " " + unit)
}

func (a *Answer) readText(e Entered) fault.List {
	text, ok := single(e)
	if !ok {
		return refuse(fault.New(fault.PatternMismatch, "one text is asked for, and more was given"), strings.Join(e.texts, ", "), "")
	}
	p := a.Prompt
	if n := utf8.RuneCountInString(text); p.MostLetters > 0 && n > p.MostLetters {
		f := fault.New(fault.TooLong, "the answer has %d letters; at most %d can be asked for", n, p.MostLetters).Suggest(string([]rune(text)[:p.MostLetters]))
		return refuse(f, text, english.Count(p.MostLetters, "letter"))
	}
	if p.Pattern != nil && !p.Pattern.MatchString(text) {
		f := fault.New(fault.PatternMismatch, "%q is not %s", english.Shorten(text), p.PatternHelp)
		if trimmed := strings.TrimSpace(text); p.Pattern.MatchString(trimmed) {
			f.Suggest(trimmed)
		}
		return refuse(f, text, p.PatternHelp)
	}
	a.Text = text // with the blanks at its ends, which can be what is looked for
	if text != strings.TrimSpace(text) {
		a.Notes = append(a.Notes, "the blanks at its ends count")
	}
	return nil
}

func (a *Answer) readYesNo(e Entered) fault.List {
	text, ok := single(e)
	truth, known := ParseYesNo(text)
	if !ok || !known {
		return refuse(fault.New(fault.NotAChoice, "%q is neither yes nor no", english.Shorten(strings.Join(e.texts, ", "))), strings.Join(e.texts, ", "), "")
	}
	a.Truth = truth
	return nil
}

// ParseYesNo reads yes, no, true or false, in any case.
func ParseYesNo(text string) (truth, ok bool) {
	switch strings.ToLower(strings.TrimSpace(text)) {
	case "yes", "true":
		return true, true
	case "no", "false":
		return false, true
	}
	return false, false
}

// count holds how many were given to the prompt's limits; first would pass
// where only one may be.
func (p *Prompt) count(n, most int, first string, e Entered) fault.List {
	entered := strings.Join(e.texts, ", ")
	switch {
	case most > 0 && n > most:
		f := fault.New(fault.TooManyChoices, "%d were given; at most %d can be", n, most)
		if first != "" {
			f.Suggest(first)
		}
		return refuse(f, entered, fmt.Sprint(most))
	case n < p.AtLeast:
		return refuse(fault.New(fault.TooFewChoices, "%d were given; at least %d must be", n, p.AtLeast), entered, fmt.Sprint(p.AtLeast))
	}
	return nil
}

func (a *Answer) readChoices(e Entered) fault.List {
	p := a.Prompt
	if e.shape == sides {
		return refuse(fault.New(fault.NotAChoice, "a choice from the list is asked for, not two ends"), strings.Join(e.texts, ", "), "")
	}
	var refused fault.List
	for _, text := range e.texts {
		o, ok := p.option(text)
		if p.Listed {
			o, ok = Option{Value: text, Label: text}, true
		}
		if !ok {
			refused = append(refused, p.notAChoice(text))
			continue
		}
		if !slices.Contains(a.Choices, o) {
			a.Choices = append(a.Choices, o)
		}
	}
	most := p.AtMost
	if !p.Many {
		most = 1
	}
	if len(refused) > 0 {
		return refused
	}
	return p.count(len(a.Choices), most, a.Choices[0].Value, e)
}

func (p *Prompt) notAChoice(text string) *fault.Fault {
	f := fault.New(fault.NotAChoice, "%q is not one of the choices", english.Shorten(text))
	f.Entered = english.Shorten(text)
	values := make([]string, len(p.Choices))
	for i, o := range p.Choices {
		values[i] = o.Value
		if strings.EqualFold(o.Label, strings.TrimSpace(text)) {
			return f.Suggest(o.Value)
		}
	}
	if near := fault.Near(text, values); near != "" {
		f.Suggest(near)
	} else if len(values) <= 12 {
		f.Message += "; they are " + english.Both(values)
	}
	return f
}
