package definition

import (
	"fmt"
	"slices"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
)

// The codes of what is found by reasoning, and of what misleads although it fits
// together.
const (
	NeverHolds        = "never_holds"
	AlwaysHolds       = "always_holds"
	Implied           = "implied"
	NoSort            = "no_sort"
	DateNotShown      = "date_not_shown"
	NoUpperSide       = "no_upper_side"
	DayLeftOut        = "day_left_out"
	OptionalUnderAny  = "optional_under_any"
	DefaultAges       = "default_ages"
	PromptNotUsed     = "prompt_not_used"
	ListIgnoresPeriod = "list_ignores_period"
	NotUsed           = "not_used"
)

// reasoned finds what the criteria of a document can never or always mean. Other
// days bring other answers, so nothing is found again when stored definitions are
// loaded.
func (l *linker) reasoned(of *Dataset, where *criteria.Node) {
	if l.loading || of == nil || of.Source == nil || of.Source.Zone == nil || len(l.faults) > 0 || l.shaky {
		return
	}
	for _, f := range (criteria.Reason{Setting: l.setting, Zone: of.Source.Zone}).Find(where) {
		l.found(f)
	}
}

func (l *linker) found(f criteria.Finding) {
	n, ok := l.places[f.Node]
	if !ok {
		return
	}
	beside := "the conditions before it"
	if other, ok := l.places[f.Other]; ok {
		beside = fmt.Sprintf("the condition on line %d", l.place(other).Line)
	}
	switch {
	case f.Kind == criteria.Never && f.Alone:
		l.fault(n, NeverHolds, "this can never hold: no value is left")
	case f.Kind == criteria.Never:
		l.fault(n, NeverHolds, "this can never hold together with %s: no record matches, whatever is answered", beside)
	case f.Kind == criteria.Always:
		l.warn(n, AlwaysHolds, "together these hold for every record that has a value; did you mean all?")
	default:
		l.warn(n, Implied, "%s says as much already; this one changes nothing", beside)
	}
}

// looked finds what in a query misleads its readers.
func (l *linker) looked(q *Query, m *mapping) {
	if len(q.Sort) == 0 {
		l.warn(m.node, NoSort, "the query %q has no sort; its records come in the order of the key", q.Name)
	}
	q.Where.Walk(func(c *criteria.Node) {
		n := l.places[c]
		if n == nil || c.Column == nil || !c.Column.Type.IsDated() {
			return
		}
		if c.Operand.Prompt != nil && !slices.Contains(q.Show, c.Column) {
			l.warn(n, DateNotShown, "the records are asked for by %q, which is not among the columns shown", c.Column.Name)
		}
		l.edges(q, c, n)
	})
}

// edges finds one-sided conditions that leave more open, or out, than meets the eye.
func (l *linker) edges(q *Query, c *criteria.Node, n *yaml.Node) {
	if (c.Op == criteria.From || c.Op == criteria.After) && !l.hasUpperSide(q.Where, c) {
		l.warn(n, NoUpperSide, "%s has no upper side: records of days to come match too", c.Op)
	}
	if (c.Op != criteria.After && c.Op != criteria.Before) || len(c.Operand.Texts) != 1 {
		return
	}
	d, ok := civil.ParseDay(c.Operand.Texts[0])
	month := d.Month()
	switch {
	case !ok:
	case c.Op == criteria.After && d == month.First():
		l.warn(n, DayLeftOut, "%s leaves %s out, the first day of a month", c.Op, d.Spelled()).Suggest("from: " + d.String())
	case c.Op == criteria.Before && d == month.Last():
		l.warn(n, DayLeftOut, "%s leaves %s out, the last day of a month", c.Op, d.Spelled()).Suggest("through: " + d.String())
	}
}

func (l *linker) hasUpperSide(where *criteria.Node, c *criteria.Node) bool {
	found := false
	where.Walk(func(other *criteria.Node) {
		upper := slices.Contains([]criteria.Op{criteria.Through, criteria.Before, criteria.Within, criteria.Is, criteria.AnyOf}, other.Op)
		found = found || other.Column == c.Column && upper
	})
	return found
}

// optional warns of a prompt directly under any: left unanswered it takes its
// condition away, and the others then decide alone.
func (l *linker) optional(group *criteria.Node) {
	for _, c := range group.Nodes {
		p := c.Operand.Prompt
		if n := l.places[c]; group.Logic == criteria.Any && p != nil && !p.Required && n != nil {
			l.warn(n, OptionalUnderAny, "left unanswered, %q takes this condition out of any, and fewer records match instead of more", p.Name)
		}
	}
}

// ages warns of a default that stays on the same days for ever.
func (l *linker) ages(p *prompt.Prompt, n *yaml.Node) {
	if n == nil || p.Type == prompt.TimeRange || !p.Type.IsPeriod() && p.Type != prompt.Moment && p.Type != prompt.MomentPeriod && p.Type != prompt.Days {
		return
	}
	later := l.setting
	var ok bool
	if later.AsOf, ok = l.setting.AsOf.AddDays(400); !ok {
		return
	}
	later.Now += 400 * 24 * 3600
	now, refused := p.Read(p.Default, l.setting)
	then, _ := p.Read(p.Default, later)
	if len(refused) == 0 && now.Period == then.Period && now.Moments == then.Moments && slices.Equal(now.Days, then.Days) {
		l.warn(n, DefaultAges, "the default stays on %s for ever; a phrase such as last month moves on", now.Spelled())
	}
}

// unused warns of prompts that a report asks in vain, and of lists of choices that
// do not follow the period that is asked for beside them.
func (l *linker) unused(r *Report, prompts *yaml.Node) {
	if r.Table == nil || prompts == nil || l.broken[Ref{KindQuery, r.Table.Name}] {
		return
	}
	used := map[*prompt.Prompt]bool{}
	var use func(all []*prompt.Prompt)
	use = func(all []*prompt.Prompt) {
		for _, p := range all {
			if used[p] {
				continue
			}
			if used[p] = true; p.Base != nil {
				use([]*prompt.Prompt{p.Base})
			}
			if list := l.catalog.Lists[p]; list != nil {
				use(list.Prompts)
			}
		}
	}
	periods := map[*prompt.Prompt]bool{}
	if r.Table.Of != nil {
		for _, v := range r.Table.Of.Values {
			if v.Prompt != nil {
				use([]*prompt.Prompt{v.Prompt})
			}
		}
	}
	r.Criteria().Walk(func(c *criteria.Node) {
		if p := c.Operand.Prompt; p != nil {
			use([]*prompt.Prompt{p})
			if c.Column != nil && c.Column.Type.IsDated() && p.Type.IsPeriod() && p.IsAsked() {
				periods[p] = true
			}
		}
	})
	for i, n := range prompts.Content {
		p := l.catalog.Prompts[n.Value]
		if p == nil || !slices.Contains(r.Prompts, p) {
			continue
		}
		if !used[p] {
			l.warn(n, PromptNotUsed, "no condition uses the prompt %q: its answer changes nothing", p.Name)
		}
		list := l.catalog.Lists[p]
		for _, period := range r.Prompts {
			if periods[period] && list != nil && list.Of == r.Table.Of && !slices.Contains(list.Prompts, period) {
				l.warn(prompts.Content[i], ListIgnoresPeriod, "the choices for %q do not follow %q, although they come from the same records: some will match nothing", p.Name, period.Name)
			}
		}
	}
}

// needless warns of parts that nothing uses.
func (l *linker) needless() {
	for ref, d := range l.refs {
		what := ref.Kind
		if l.used[ref] || what == KindReport || what == KindProof || what == KindSource || what == KindPeriod || l.broken[ref] {
			continue
		}
		f := fault.New(NotUsed, "nothing uses the %s", ref).At(fault.Place{File: d.File, Line: d.Line, Column: 1})
		f.Warning = true
		l.catalog.Warnings[ref] = append(l.catalog.Warnings[ref], f)
	}
}
