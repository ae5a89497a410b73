package answer

import (
	"strings"

	"pikegate/internal/core/prompt"
	"pikegate/internal/core/value"
)

// Choice is a value that the data offer.
type Choice struct {
	prompt.Option
	Count int64 `json:"count,omitempty" doc:"How many records have it, where the list tells."`
}

// ChoicesRequest asks for the choices of a prompt.
type ChoicesRequest struct {
	Request        // the answers so far narrow the list; Limit and Skip page it
	Search  string // words of the label, in any case
}

// written are the choices of a list that stands in the definition, and whether there are
// further ones.
func written(p *prompt.Prompt, req ChoicesRequest) ([]Choice, bool) {
	var found []Choice
	for _, o := range p.Choices {
		if contains(o.Label, req.Search) {
			found = append(found, Choice{Option: o})
		}
	}
	from := min(req.Skip, len(found))
	through := min(from+req.Limit, len(found))
	return found[from:through], through < len(found)
}

func contains(label, search string) bool {
	return strings.Contains(value.Fold(label), value.Fold(search))
}
