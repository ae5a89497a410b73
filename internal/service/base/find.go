package base

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
)

// Reports finds reports, sorted by shelf and title, that have all words of a search in their name,
// title, purpose or shelf, or in their columns, questions and choices. Where none has a word as it is
// typed, slips of the keys are forgiven.
func (s *Base) Reports(ctx context.Context, search string) []*catalog.Report {
	p := s.Published.Load()
	p.search.Do(func() { p.finder = newFinder(slices.Collect(maps.Values(p.Reports))) })
	who, words, of := PersonOf(ctx), strings.Fields(value.Fold(search)), p.finder
	seen := make([]*catalog.Report, 0, len(of.reports))
	for _, r := range of.reports {
		if own := s.For(ctx, r); own != nil && who.Sees(r.Shelf) {
			seen = append(seen, own)
		}
	}
	if len(words) == 0 {
		return seen
	}
	if !slices.Equal(seen, of.reports) { // what is not there for the person finds nothing, nor does it keep slips from being forgiven
		of = newFinder(seen)
	}
	return of.find(words)
}

// finder finds reports by words.
type finder struct {
	reports []*catalog.Report // by shelf and title
	texts   []string          // what each is found by, folded
	words   map[string]bool   // all words of them
}

func newFinder(reports []*catalog.Report) *finder {
	f := &finder{reports: reports, words: map[string]bool{}}
	slices.SortFunc(f.reports, func(a, b *catalog.Report) int {
		return cmp.Or(strings.Compare(a.Shelf, b.Shelf), strings.Compare(a.Title, b.Title), strings.Compare(a.Name, b.Name))
	})
	for _, r := range f.reports {
		text := value.Fold(strings.Join(foundBy(r), "\n"))
		f.texts = append(f.texts, text)
		for _, word := range wordsOf(text) {
			f.words[word] = true
		}
	}
	return f
}

// foundBy are the texts that a report is found by.
func foundBy(r *catalog.Report) []string {
	all := []string{r.Name, r.Title, r.About, r.Shelf}
	for _, s := range r.Sections {
		all = append(all, s.Label)
		for _, c := range slices.Concat(s.Shown(), s.Offers) {
			all = append(all, c.Label)
		}
	}
	for _, p := range r.Prompts {
		all = append(all, p.Ask)
		for _, c := range p.Choices {
			all = append(all, c.Label, c.Value)
		}
	}
	return all
}

func wordsOf(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// find finds the reports that have all the words, each as a part of what they are found by, or where
// no report has it so a word that it is a slip of.
func (f *finder) find(words []string) (found []*catalog.Report) {
	wanted := make([][]string, len(words))
	for i, word := range words {
		wanted[i] = []string{word}
		if !slices.ContainsFunc(f.texts, func(text string) bool { return strings.Contains(text, word) }) {
			wanted[i] = f.meant(word)
		}
	}
	for i, text := range f.texts {
		lacks := func(any []string) bool {
			return !slices.ContainsFunc(any, func(word string) bool { return strings.Contains(text, word) })
		}
		if !slices.ContainsFunc(wanted, lacks) {
			found = append(found, f.reports[i])
		}
	}
	return found
}

// meant are the words that a word can be a slip of: one slip for each four letters.
func (f *finder) meant(word string) (all []string) {
	letters := []rune(word)
	most := len(letters) / 4
	for known := range f.words {
		if apart := utf8.RuneCountInString(known) - len(letters); most > 0 && max(apart, -apart) <= most && fault.Slips(letters, []rune(known)) <= most {
			all = append(all, known)
		}
	}
	return all
}
