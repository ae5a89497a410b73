package catalog

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"

	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/prompt"
)

// Viewer is who a report is for.
type Viewer struct {
	criteria.Person
	Name string
	// In are the role and the groups that columns can be kept from.
	In []string
}

// Personal is what a report for a person has otherwise than as it is defined.
type Personal struct {
	For   string               // their name
	Unset []criteria.Attribute // what its conditions ask of a person, and is not set for this one
	// Limits is the same for all whom the report shows the same of, "" for who sees all of it.
	Limits string
}

// IsForEverybody reports whether there is the same of the report for all: no condition asks who runs it,
// and no column of its records is kept from anybody.
func (r *Report) IsForEverybody() bool {
	of := func(d *Dataset) bool {
		return !d.Where.IsPersonal() && !slices.ContainsFunc(d.Columns, func(c *column.Column) bool { return len(c.KeptFrom) > 0 })
	}
	query := func(q *Query) bool { return q == nil || !q.Where.IsPersonal() && of(q.Of) }
	for _, s := range r.Sections {
		if s.Where.IsPersonal() || !query(s.Query) || !query(s.Line) {
			return false
		}
	}
	for _, l := range r.Lists {
		if l.Where.IsPersonal() || !of(l.Of) {
			return false
		}
	}
	return true
}

// For is the report as there is one for a person: only the records that its conditions on the person
// leave, in each section and each list of choices, without the columns that are kept from them and
// without what would be asked of those. It is nil where nothing is left to show.
func (r *Report) For(v Viewer) *Report {
	p := &personal{viewer: v, has: map[criteria.Attribute]bool{}}
	for asked, list := range r.Lists {
		if p.isKept(list.Value) || p.isKept(list.Label) {
			p.hidden = append(p.hidden, asked)
		}
	}
	seen := *r
	seen.Lists, seen.Sections = map[*prompt.Prompt]*ChoiceList{}, nil
	for _, s := range r.Sections {
		if own := p.section(s); own != nil {
			seen.Sections = append(seen.Sections, own)
		}
	}
	for asked, list := range r.Lists {
		if !slices.Contains(p.hidden, asked) {
			seen.Lists[asked] = p.list(list, seen.Sections)
		}
	}
	switch {
	case len(seen.Sections) == 0 && len(r.Sections) > 0:
		return nil
	case !p.differs:
		return r
	}
	seen.Prompts = slices.DeleteFunc(slices.Clone(r.Prompts), func(asked *prompt.Prompt) bool { return p.isNotAskedIn(&seen, asked) })
	seen.Unasked = slices.DeleteFunc(slices.Clone(r.Unasked), func(asked *prompt.Prompt) bool { return p.isNotAskedIn(&seen, asked) })
	seen.Personal = &Personal{For: v.Name, Unset: p.unset, Limits: p.limits()}
	return &seen
}

// personal makes what a person has of a report.
type personal struct {
	viewer  Viewer
	differs bool // from what is defined
	limited bool
	has     map[criteria.Attribute]bool // the attributes that were asked for
	unset   []criteria.Attribute
	kept    []string         // the names of columns that are kept back
	hidden  []*prompt.Prompt // whose choices are of such columns
	unasked []*prompt.Prompt // of which conditions are left out
}

// isKept reports whether a column is kept from the person.
func (p *personal) isKept(c *column.Column) bool {
	if c == nil || p.viewer.Whole || !slices.ContainsFunc(c.KeptFrom, func(from string) bool { return slices.Contains(p.viewer.In, from) }) {
		return false
	}
	if p.differs = true; !slices.Contains(p.kept, c.Name) {
		p.kept = append(p.kept, c.Name)
	}
	return true
}

// shown are columns without those that are kept back.
func (p *personal) shown(all []*column.Column) []*column.Column {
	if !slices.ContainsFunc(all, p.isKept) {
		return all
	}
	return slices.DeleteFunc(slices.Clone(all), p.isKept)
}

// dataset is what there is of a dataset for the person, where further conditions on it hold too: what
// depends on the person moves from those to the records that there are.
func (p *personal) dataset(d *Dataset, further ...**criteria.Node) *Dataset {
	where := p.without(d.Where)
	own := *d
	own.Where = where
	for _, at := range append([]**criteria.Node{&own.Where}, further...) {
		(*at).Walk(func(c *criteria.Node) {
			if a := c.Operand.Person; a != "" {
				p.has[a], p.differs = true, true
			}
		})
		rows, rest, unset := (*at).For(p.viewer.Person)
		*at, own.From.Rows = rest, criteria.AllOf(own.From.Rows, rows)
		for _, a := range unset {
			if !slices.Contains(p.unset, a) {
				p.unset = append(p.unset, a)
			}
		}
		p.limited = p.limited || rows != nil
	}
	own.Columns = p.shown(d.Columns)
	own.Whole = d.Defined()
	return &own
}

// without are conditions without those that ask about a column that is kept back.
func (p *personal) without(n *criteria.Node) *criteria.Node {
	return n.Without(func(c *criteria.Node) bool {
		asked := c.Operand.Prompt
		if asked == nil || !p.isKept(c.Column) && !isOf(p.hidden, asked) {
			return false
		}
		p.unasked = append(p.unasked, asked)
		return true
	})
}

// isOf reports whether a prompt is one of some, or is worked out from one.
func isOf(some []*prompt.Prompt, asked *prompt.Prompt) bool {
	return slices.Contains(some, asked) || asked.Base != nil && slices.Contains(some, asked.Base)
}

// section is what there is of a section, nil where there is nothing.
func (p *personal) section(s *Section) *Section {
	own := *s
	own.Where = p.without(s.Where)
	if own.Query = p.query(s.Query, &own.Where); own.Query == nil {
		return nil
	}
	if s.Line != nil {
		own.Line = p.query(s.Line)
	}
	own.Totals, own.Offers = p.shown(s.Totals), p.shown(s.Offers)
	if s.Subtotals != nil && p.isKept(s.Subtotals.Of) {
		own.Subtotals = nil
	}
	return &own
}

// list is what there is of a list of choices: of records that some section on the same ones has.
func (p *personal) list(l *ChoiceList, sections []*Section) *ChoiceList {
	own := *l
	own.Where = p.without(l.Where)
	own.Of = p.dataset(l.Of, &own.Where)
	some := &criteria.Bound{Logic: criteria.Any}
	for _, s := range sections {
		if of := s.Query.Of; of.Defined().Root() == l.Of.Root() {
			if of.From.Rows == nil {
				return &own
			}
			some.Nodes = append(some.Nodes, of.From.Rows)
		}
	}
	if len(some.Nodes) > 0 {
		own.Of.From.Rows = criteria.AllOf(own.Of.From.Rows, some)
	}
	return &own
}

// query is what there is of a query, nil where there is nothing.
func (p *personal) query(q *Query, further ...**criteria.Node) *Query {
	own := *q
	own.Where = p.without(q.Where)
	if s := q.Summary; s != nil {
		for _, g := range s.Groups {
			if p.isKept(g.Of) {
				return nil
			}
		}
		for _, f := range s.Figures {
			if p.isKept(f.Of) {
				return nil
			}
		}
	} else if own.Show = p.shown(q.Show); len(own.Show) == 0 && len(q.Show) > 0 {
		return nil
	}
	for _, held := range q.Of.Values {
		if held.Prompt != nil && isOf(p.hidden, held.Prompt) {
			return nil
		}
	}
	if slices.ContainsFunc(q.Sort, func(s criteria.Sort) bool { return p.isKept(s.Column) }) {
		own.Sort = slices.DeleteFunc(slices.Clone(q.Sort), func(s criteria.Sort) bool { return p.isKept(s.Column) })
	}
	own.Of = p.dataset(q.Of, append(further, &own.Where)...)
	return &own
}

// isNotAskedIn reports whether a prompt has nothing left in a report that it is asked for.
func (p *personal) isNotAskedIn(r *Report, asked *prompt.Prompt) bool {
	if !slices.Contains(p.hidden, asked) && !slices.ContainsFunc(p.unasked, func(u *prompt.Prompt) bool { return u == asked || u.Base == asked }) {
		return false
	}
	used := false
	r.Walk(func(_ *Dataset, c *criteria.Node) {
		of := c.Operand.Prompt
		used = used || of == asked || of != nil && of.Base == asked
	})
	return !used
}

// limits is the same for all whom there is the same of the report for.
func (p *personal) limits() string {
	if !p.limited && len(p.kept) == 0 {
		return ""
	}
	var parts []string
	for a := range p.has {
		parts = append(parts, fmt.Sprintf("%s=%q", a, slices.Sorted(slices.Values(p.viewer.Has[a]))))
	}
	for _, name := range p.kept {
		parts = append(parts, "without "+name)
	}
	slices.Sort(parts)
	sum := sha256.Sum256(fmt.Append(nil, parts))
	return hex.EncodeToString(sum[:12])
}

// Unlimited is a dataset with all its records, whoever asks: without its conditions on the person.
func (d *Dataset) Unlimited() *Dataset {
	if !d.Where.IsPersonal() {
		return d
	}
	p := &personal{viewer: Viewer{Person: criteria.Person{Whole: true}}, has: map[criteria.Attribute]bool{}}
	return p.dataset(d)
}
