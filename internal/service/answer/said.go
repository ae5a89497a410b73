package answer

import (
	"slices"

	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/readback"
)

// SaidTogether is the read-back of several sections: what holds for all of them, in a sentence, and
// what more holds for each, "" where that is nothing.
func SaidTogether(bounds []Bound) (readback.Sentence, []string) {
	conditions := make([][]*criteria.Bound, len(bounds))
	says := make([][]string, len(bounds))
	var titles []string
	for i, b := range bounds {
		conditions[i] = b.Where().Together()
		for _, c := range conditions[i] {
			says[i] = append(says[i], readback.Criteria(c, b.Clock()).String())
		}
		title := b.Section.Query.Of.Title
		if i > 0 {
			title = english.Within(title)
		}
		if !slices.ContainsFunc(titles, func(t string) bool { return english.Within(t) == english.Within(title) }) {
			titles = append(titles, title)
		}
	}
	inAll := func(text string) bool {
		return !slices.ContainsFunc(says, func(of []string) bool { return !slices.Contains(of, text) })
	}
	leftInAll := func(p *prompt.Prompt) bool {
		return !slices.ContainsFunc(bounds, func(b Bound) bool {
			return !slices.ContainsFunc(b.dropped, func(d criteria.Dropped) bool { return d.Prompt == p })
		})
	}
	first := bounds[0]
	var common []*criteria.Bound
	for i, c := range conditions[0] {
		if inAll(says[0][i]) {
			common = append(common, c)
		}
	}
	var dropped []criteria.Dropped
	for _, d := range first.dropped {
		if leftInAll(d.Prompt) {
			dropped = append(dropped, d)
		}
	}
	all := readback.Say(readback.Subject{Title: english.Both(titles)}, criteria.AllOf(common...), dropped, nil, first.Clock())
	more := make([]string, len(bounds))
	for i, b := range bounds {
		var rest []*criteria.Bound
		for j, c := range conditions[i] {
			if !inAll(says[i][j]) {
				rest = append(rest, c)
			}
		}
		left := slices.DeleteFunc(slices.Clone(b.dropped), func(d criteria.Dropped) bool { return leftInAll(d.Prompt) })
		query := b.Section.Query
		more[i] = readback.More(readback.Subject{Given: given(query.Of, b.Answers), Summed: query.Summary, Having: b.Having}, criteria.AllOf(rest...), left, query.Sort, b.Clock()).String()
	}
	return all, more
}
