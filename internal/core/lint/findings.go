package lint

import (
	"slices"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/summary"
)

// Found is a fault of a part of a definition. Its place is for those to add who know where
// the part stands: a condition, a prompt in the list of a report, or with neither the
// definition as a whole.
type Found struct {
	Node   *criteria.Node
	Prompt *prompt.Prompt
	Fault  *fault.Fault
}

// Fault says the finding in a sentence. beside names the condition that it clashes with or
// follows from: "the condition on line 7".
func (f Finding) Fault(beside string) *fault.Fault {
	switch {
	case f.Sense == Never && f.Alone:
		return fault.New(fault.NeverHolds, "this can never hold: no value is left")
	case f.Sense == Never:
		return fault.New(fault.NeverHolds, "this can never hold together with %s: no record matches, whatever is answered", beside)
	case f.Sense == Always:
		return fault.Warn(fault.AlwaysHolds, "together, the conditions on %q hold for every record that has a value; did you mean all?", f.Of.Name)
	}
	return fault.Warn(fault.Implied, "%s says as much already; this one changes nothing", beside)
}

// Query finds what in a query misleads its readers.
func Query(q *catalog.Query) []Found {
	var found []Found
	if len(q.Sort) == 0 && q.Summary == nil { // whose rows come in the order of its groups
		found = append(found, Found{Fault: fault.Warn(fault.NoSort, "the query %q has no sort; its records come in the order of the key", q.Name)})
	}
	if q.Summary != nil {
		for _, f := range q.Summary.Figures {
			if j := repeating(q, f); j != "" {
				found = append(found, Found{Fault: fault.Warn(fault.AddedRepeatedly, "%q takes each value of %q once for each record of the table %q that lies beside it", f.Shown.Name, f.Of.Name, j)})
			}
			if (f.Kind == summary.Sum || f.Kind == summary.Average) && f.Of != nil && f.Of.Type == column.Number {
				found = append(found, Found{Fault: fault.Warn(fault.SumOfFractions, "%q adds up binary fractions, whose sum is about right only; of a decimal it is exact", f.Shown.Name)})
			}
		}
	}
	q.Where.Walk(func(c *criteria.Node) {
		if c.Column == nil || !c.Column.Type.IsDated() {
			return
		}
		if c.Operand.Prompt != nil && q.Summary == nil && !slices.Contains(q.Show, c.Column) {
			found = append(found, Found{Node: c, Fault: fault.Warn(fault.DateNotShown, "the records are asked for by %q, which is not among the columns shown", c.Column.Name)})
		}
		for _, f := range edges(q, c) {
			found = append(found, Found{Node: c, Fault: f})
		}
	})
	return found
}

// repeating is the joined table of which several records can lie beside one with the value that a sum
// or an average takes, "" where there is none.
func repeating(q *catalog.Query, f summary.Figure) string {
	if q.Of == nil || f.Of == nil || f.Kind != summary.Sum && f.Kind != summary.Average {
		return ""
	}
	origins := q.Of.Origins()
	at := slices.IndexFunc(origins, func(o catalog.Origin) bool { return o.Name == f.Of.Name })
	for _, j := range q.Of.From.Joins {
		if at >= 0 && origins[at].Table != j.As && q.Of.HasInKey(j.As) {
			return j.Table
		}
	}
	return ""
}

// Section finds what in a section misleads its readers.
func Section(s *catalog.Section) []Found {
	var found []Found
	warn := func(f *fault.Fault) { found = append(found, Found{Fault: f}) }
	spec := s.Query.Summary
	if spec == nil {
		return nil
	}
	if f := spec.Figures[0]; s.Kind == catalog.Figure && f.Shown.Unit == "" && (f.Kind == summary.Per || f.Of != nil && (f.Of.Type == column.Decimal || f.Of.Type == column.Number)) {
		warn(fault.Warn(fault.FigureWithoutUnit, "the figure %q has no unit, and its readers do not know of what it is; give its column one", f.Shown.Label).Suggest("unit: UNIT"))
	}
	for _, f := range spec.Figures[:spec.Told()] {
		if f.Kind == summary.Share && (spec.Having != nil || spec.First > 0 && !spec.Rest) {
			warn(fault.Warn(fault.ShareWithoutWhole, "%q is of all rows, and not all are shown: those that are shown do not come to the whole", f.Shown.Name))
		}
	}
	return found
}

// edges finds one-sided conditions that include or leave out more than a reader would expect.
func edges(q *catalog.Query, c *criteria.Node) (found fault.List) {
	if (c.Op == criteria.From || c.Op == criteria.After) && !hasUpperSide(q.Where, c) {
		found = append(found, fault.Warn(fault.NoUpperSide, "%s has no upper side: records of days to come match too", c.Op))
	}
	if (c.Op != criteria.After && c.Op != criteria.Before) || len(c.Operand.Texts) != 1 {
		return found
	}
	d, ok := civil.ParseDay(c.Operand.Texts[0])
	month := d.Month()
	switch {
	case !ok:
	case c.Op == criteria.After && d == month.First():
		found = append(found, fault.Warn(fault.DayLeftOut, "%s leaves %s out, the first day of a month", c.Op, d.Spelled()).Suggest("from: "+d.String()))
	case c.Op == criteria.Before && d == month.Last():
		found = append(found, fault.Warn(fault.DayLeftOut, "%s leaves %s out, the last day of a month", c.Op, d.Spelled()).Suggest("through: "+d.String()))
	}
	return found
}

func hasUpperSide(where, c *criteria.Node) bool {
	found := false
	where.Walk(func(other *criteria.Node) {
		upper := slices.Contains([]criteria.Op{criteria.Through, criteria.Before, criteria.Within, criteria.Is, criteria.AnyOf}, other.Op)
		found = found || other.Column == c.Column && upper
	})
	return found
}

// Group warns of a prompt directly under any: left unanswered it takes its condition away,
// and the others then decide alone.
func Group(group *criteria.Node) []Found {
	var found []Found
	for _, c := range group.Nodes {
		if p := c.Operand.Prompt; group.Logic == criteria.Any && p != nil && !p.Required {
			found = append(found, Found{Node: c, Fault: fault.Warn(fault.OptionalUnderAny, "left unanswered, %q takes this condition out of any, and fewer records match instead of more", p.Name)})
		}
	}
	return found
}

// Default warns of a default that stays on the same days for ever; it is nil where there is
// nothing to say.
func Default(p *prompt.Prompt, setting phrase.Setting) *fault.Fault {
	if p.Type == prompt.TimeRange || !p.Type.IsPeriod() && p.Type != prompt.Moment && p.Type != prompt.MomentPeriod && p.Type != prompt.Days {
		return nil
	}
	later := setting
	var ok bool
	if later.AsOf, ok = setting.AsOf.AddDays(400); !ok {
		return nil
	}
	later.Now += 400 * 24 * 3600
	now, refused := p.Read(p.Default, setting)
	then, _ := p.Read(p.Default, later)
	if len(refused) == 0 && now.Period == then.Period && now.Moments == then.Moments && slices.Equal(now.Days, then.Days) {
		return fault.Warn(fault.DefaultAges, "the default stays on %s for ever; a phrase such as last month moves on", now.Spelled())
	}
	return nil
}

// Report warns of prompts that a report asks in vain, and of lists of choices that do not
// follow the period that is asked for beside them.
func Report(r *catalog.Report, lists map[*prompt.Prompt]*catalog.ChoiceList) []Found {
	used, periods := usedBy(r, lists)
	var found []Found
	for _, p := range r.Prompts {
		if !used[p] {
			found = append(found, Found{Prompt: p, Fault: fault.Warn(fault.PromptNotUsed, "no condition uses the prompt %q: its answer changes nothing", p.Name)})
		}
		list := lists[p]
		for _, period := range r.Prompts {
			if periods[period] && list != nil && list.Of == r.Main().Query.Of && !slices.Contains(list.Prompts, period) {
				found = append(found, Found{Prompt: p, Fault: fault.Warn(fault.ListIgnoresPeriod, "the choices for %q do not follow %q, although they come from the same records: some will match nothing", p.Name, period.Name)})
			}
		}
	}
	return found
}

// usedBy are the prompts whose answers a report needs, those of lists of choices included,
// and among them the periods that dates are compared with.
func usedBy(r *catalog.Report, lists map[*prompt.Prompt]*catalog.ChoiceList) (used, periods map[*prompt.Prompt]bool) {
	used, periods = map[*prompt.Prompt]bool{}, map[*prompt.Prompt]bool{}
	var use func(p *prompt.Prompt)
	use = func(p *prompt.Prompt) {
		if p == nil || used[p] {
			return
		}
		used[p] = true
		use(p.Base)
		if list := lists[p]; list != nil {
			for _, needed := range list.Prompts {
				use(needed)
			}
		}
	}
	for _, s := range r.Sections {
		if s.Query.Of != nil {
			for _, v := range s.Query.Of.Values {
				use(v.Prompt)
			}
		}
		if s.Query.Summary != nil {
			s.Query.Summary.Having.Walk(func(c *criteria.Node) { use(c.Operand.Prompt) })
		}
	}
	r.Walk(func(_ *catalog.Dataset, c *criteria.Node) {
		p := c.Operand.Prompt
		if use(p); p != nil && c.Column != nil && c.Column.Type.IsDated() && p.Type.IsPeriod() && p.IsAsked() {
			periods[p] = true
		}
	})
	return used, periods
}

// Unused warns of a definition that nothing builds on.
func Unused(ref catalog.Ref) *fault.Fault {
	return fault.Warn(fault.NotUsed, "nothing uses the %s", ref)
}
