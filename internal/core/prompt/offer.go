package prompt

import (
	"slices"
	"strings"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

// passing keeps of the suggested answers those that the prompt accepts, since phrases are
// suggested without regard to its limits. Where none passes, it takes what their refusals
// suggest. all are the
// refusals of the answer.
func (p *Prompt) passing(f *fault.Fault, all fault.List, e Entered, s phrase.Setting) []string {
	var kept []string
	// try answers with the text, and returns the refusals that are new.
	try := func(text string) fault.List {
		_, refused := p.read(p.with(e, f.Place.Side, text), s)
		refused = slices.DeleteFunc(refused, func(again *fault.Fault) bool {
			return again.Place.Side != f.Place.Side && slices.ContainsFunc(all, func(known *fault.Fault) bool { return known.Place.Side == again.Place.Side })
		})
		if len(refused) == 0 && !slices.Contains(kept, text) {
			kept = append(kept, text)
		}
		return refused
	}
	var further []string
	for _, text := range f.Suggestions {
		for _, again := range try(text) {
			if e.shape != sides || again.Place.Side == f.Place.Side {
				further = append(further, again.Suggestions...)
			}
		}
	}
	if len(kept) == 0 {
		for _, text := range further {
			try(text)
		}
	}
	return kept
}

// with is the answer with a suggested text: in place of one of two sides, where it
// is one, else in place of all.
func (p *Prompt) with(e Entered, side, text string) Entered {
	i := slices.Index(sideNames[:], side)
	isOne := p.Type.Unit() != civil.NoUnit && !p.Pair
	if e.shape != sides || i < 0 || isOne || isWhole(text) {
		return OneText(text)
	}
	texts := slices.Clone(e.texts)
	texts[i] = text
	return Entered{shape: sides, texts: texts}
}

// isWhole reports whether a suggested text has two ends.
func isWhole(text string) bool { return strings.Contains(text, " to ") }

// typed writes a period as one types it for the prompt, by its units.
func (p *Prompt) typed(period civil.Period) string {
	name := func(d civil.Day) string {
		if !d.IsValid() {
			return ""
		}
		return p.Type.Unit().Name(d)
	}
	first, last := name(period.First), name(period.Last)
	if first == last {
		return first
	}
	return phrase.Ends(first, last)
}

// allowed is what the limits leave of a period, and where they leave nothing, the
// limit that it lies beyond.
func allowed(period, limits civil.Period) civil.Period {
	if limits.First.IsValid() && period.First.IsValid() {
		period.First = max(period.First, limits.First)
	}
	if limits.Last.IsValid() && period.Last.IsValid() {
		period.Last = min(period.Last, limits.Last)
	}
	switch {
	case period.IsOrdered():
	case period.First == limits.First:
		period.Last = period.First
	default:
		period.First = period.Last
	}
	return period
}
