package definition

import (
	"maps"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/customsql"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
)

// dialects are how the engines write SQL.
var dialects = map[catalog.Engine]customsql.Dialect{catalog.Embedded: customsql.SQLite, catalog.SQLite: customsql.SQLite, catalog.Postgres: customsql.Postgres, catalog.MariaDB: customsql.MariaDB}

// customSQL reads custom SQL and what its placeholders stand for.
//
// It reads the placeholders in the order in which each depends on the one before.
func (l *linker) customSQL(d *catalog.Dataset, n, values *yaml.Node) {
	text := l.text(n)
	reader := customsql.Reader{Dialect: customsql.SQLite, Functions: l.functions}
	if d.Source != nil {
		reader.Dialect, reader.Schema = dialects[d.Source.At.Engine], d.Source.At.Schema
	}
	pieces, problems := reader.Read(text)
	for _, p := range problems {
		if d.Source != nil { // else it is not known how the text is to be written
			l.faults = append(l.faults, p.Fault.At(l.within(n, text, p.At)))
		}
	}
	d.From.SQL, d.Values = pieces, map[int]catalog.Placeholder{}
	said := map[string]*yaml.Node{}
	if values != nil {
		if all, ok := l.open(values); ok {
			for _, p := range all.pairs {
				if !slices.ContainsFunc(pieces, func(piece customsql.Piece) bool { return piece.Name == p.key.Value }) {
					f := l.fault(p.key, fault.NoSuchPlaceholder, "the SQL has no placeholder :%s", p.key.Value)
					f.Suggest(fault.Near(p.key.Value, names(pieces)))
				}
				said[p.key.Value] = p.value
			}
		}
	}
	first := map[string]catalog.Placeholder{} // of each name, as far as its prompt and its column are known
	for i, p := range pieces {
		if p.Name == "" || p.Name == customsql.CriteriaName {
			continue
		}
		at := l.within(n, text, p.At)
		v, known := first[p.Name]
		if !known {
			v = l.placeholder(d, p, said[p.Name], at)
		} else if c := d.Column(p.Column); c != nil && said[p.Name] == nil {
			v.Column = c
		}
		if !known || first[p.Name].Column == nil {
			first[p.Name] = v
		}
		if v.Prompt == nil {
			continue // refused where it stands first
		}
		d.Values[i] = v
		if name, _ := ofPart(p.Name); slices.Contains(promptNames(name), v.Prompt.Name) {
			l.mentioned = append(l.mentioned, mention{in: l.doc.Ref, line: n.Line, column: n.Column, of: catalog.Ref{Kind: catalog.KindPrompt, Name: v.Prompt.Name}, placeholder: p.Name, at: p.At})
		}
	}
	for i, v := range d.Values {
		if v.Column == nil {
			v.Column = first[pieces[i].Name].Column
			d.Values[i] = v
		}
	}
	for _, i := range slices.Sorted(maps.Keys(d.Values)) {
		l.fitting(d, pieces[i], d.Values[i], l.within(n, text, pieces[i].At))
	}
}

// names are the names of all placeholders.
func names(pieces []customsql.Piece) []string {
	var all []string
	for _, p := range pieces {
		if p.Name != "" {
			all = append(all, p.Name)
		}
	}
	return all
}

// within is the place of a byte of a text in the file: of a block, its own line and
// column, where YAML keeps the lines; else that of the text.
func (l *linker) within(n *yaml.Node, text string, at int) fault.Place {
	place := l.place(n)
	if n.Style&yaml.LiteralStyle == 0 {
		return place
	}
	line, col := customsql.Place(text, at)
	place.Line += line
	place.Column = l.indent(place.Line) + col
	return place
}

// indent is how far a line of the document at hand is indented.
func (l *linker) indent(line int) int {
	lines := strings.Split(l.doc.Text, "\n")
	if i := line - l.doc.Line; i >= 0 && i < len(lines) {
		first := lines[i]
		return len(first) - len(strings.TrimLeft(first, " "))
	}
	return 0
}

var parts = []catalog.DayPart{catalog.NextDay, catalog.FirstDay, catalog.LastDay}

// ofPart parts the name of a placeholder from the ending that tells a part of the days of
// the answer.
func ofPart(name string) (string, catalog.DayPart) {
	for _, part := range parts {
		if stem, ok := strings.CutSuffix(name, "_"+string(part)); ok {
			return stem, part
		}
	}
	return name, ""
}

// promptNames are the prompts that the name of a placeholder can mean: SQL takes no dash.
func promptNames(name string) []string {
	return []string{name, strings.ReplaceAll(name, "_", "-")}
}

// placeholder finds what one stands for: by its name, and by what is said of it.
func (l *linker) placeholder(d *catalog.Dataset, p customsql.Piece, said *yaml.Node, at fault.Place) catalog.Placeholder {
	var v catalog.Placeholder
	var named *yaml.Node // the prompt, where it is said
	name, part := ofPart(p.Name)
	v.Part = part
	col := p.Column
	if said != nil {
		if said.Kind == yaml.MappingNode {
			m, _ := l.mapping(said, placeholderKeys)
			if n := m.take("prompt"); n != nil {
				name, named = l.text(n), n
			}
			if n := m.take("column"); n != nil {
				col = l.text(n)
				l.columnOf(d, n, col)
			}
			l.finish(m)
		} else {
			col = l.text(said)
			l.columnOf(d, said, col)
		}
	}
	v.Column = d.Column(col)
	for _, spelled := range promptNames(name) {
		if v.Prompt == nil {
			if l.leadsBack(catalog.Ref{Kind: catalog.KindPrompt, Name: spelled}) {
				l.refuse(at, fault.Circle, "the choices of the prompt %q come from this dataset, whose SQL takes its answer: it leads back to itself", spelled)
				return v
			}
			v.Prompt = l.catalog.Prompts[spelled]
		}
	}
	if v.Prompt == nil {
		f := l.refuse(at, fault.UnknownPrompt, "the placeholder :%s stands for no prompt that there is; one such as this would do", p.Name)
		f.Suggest(proposed(strings.ReplaceAll(name, "_", "-"), v, p.Op == customsql.In))
		return v
	}
	ref := catalog.Ref{Kind: catalog.KindPrompt, Name: v.Prompt.Name}
	l.uses(ref)
	if named != nil {
		l.mentions(named, ref)
	}
	if !slices.Contains(d.Prompts, v.Prompt) {
		d.Prompts = append(d.Prompts, v.Prompt)
	}
	return v
}

// refuse is fault for a place within a text.
func (l *linker) refuse(at fault.Place, code fault.Code, format string, args ...any) *fault.Fault {
	f := fault.New(code, format, args...).At(at)
	l.faults = append(l.faults, f)
	return f
}

// fitting refuses a placeholder that does not go with its prompt, or with what it is
// compared with.
//
// One branch for each type of prompt: together they are the table of what goes with what.
func (l *linker) fitting(d *catalog.Dataset, p customsql.Piece, v catalog.Placeholder, at fault.Place) {
	kind := v.Prompt.Type
	if !v.Prompt.Required && v.Prompt.IsAsked() || v.Prompt.Open != prompt.OpenNone && v.Prompt.Open != "" {
		l.refuse(at, fault.NeedsAnswer, "custom SQL needs an answer for :%s, and the prompt %q can be left open; make it required, with both sides", p.Name, v.Prompt.Name)
	}
	isPeriod := slices.Contains([]prompt.Type{prompt.Period, prompt.Month, prompt.Quarter, prompt.Year}, kind)
	isDated := isPeriod || kind == prompt.Day || kind == prompt.Days
	many := kind == prompt.Days || kind == prompt.Choice && v.Prompt.Many
	switch {
	case isPeriod && v.Part == catalog.WholeAnswer:
		l.refuse(at, fault.TypeMismatch, "a period is two days: write :%[1]s_first, and :%[1]s_next_day for the day after its last", p.Name)
	case !isPeriod && kind != prompt.Day && v.Part != catalog.WholeAnswer:
		l.refuse(at, fault.TypeMismatch, "an answer of type %s has no days", kind)
	case slices.Contains([]prompt.Type{prompt.Moment, prompt.MomentPeriod, prompt.TimeRange, prompt.NumberRange}, kind):
		l.refuse(at, fault.TypeMismatch, "custom SQL takes days, numbers, texts and choices; use an answer of type %s in the where of a query", kind)
	case many && p.Op != customsql.In:
		l.refuse(at, fault.CountMismatch, "the prompt %q takes many answers; put :%s in the brackets of an IN", v.Prompt.Name, p.Name)
	case isDated && (v.Column == nil || !v.Column.Type.IsDated()):
		l.refuse(at, fault.TypeMismatch, "name the column whose stored form :%[1]s takes, as in values: {%[1]s: COLUMN}", p.Name)
	case v.Column != nil && v.Column.IsExactText() && p.Op != customsql.NoOp:
		l.refuse(at, fault.NotComparable, "the column %q holds decimals as text, which SQL compares letter by letter; leave this condition to the where of a query", v.Column.Name)
	case isDated:
		l.comparing(p, v, at)
	}
}

// nextDayOf is the placeholder for the day after an answer; several days have none.
func nextDayOf(v catalog.Placeholder, stem string) string {
	if v.Prompt.Type == prompt.Days {
		return ""
	}
	return ":" + stem + "_next_day"
}

// comparing refuses a comparison of a dated column with a day that would lose part of
// the day, or take in part of another one. A placeholder stands for the start of its
// day.
//
// One branch for each comparison that misleads: together they are the table of what is refused.
func (l *linker) comparing(p customsql.Piece, v catalog.Placeholder, at fault.Place) {
	c, stem := v.Column, strings.TrimSuffix(p.Name, "_"+string(v.Part))
	left := c.Name
	if p.Column != "" {
		left = p.Column
	}
	next := nextDayOf(v, stem)
	mend := func(f *fault.Fault, operator, placeholder string) {
		if placeholder != "" {
			f.Suggest(left + " " + operator + " " + placeholder)
		}
	}
	beyond := func() {
		f := l.refuse(at, fault.DayTooMany, ":%s is the first day after the period and %s takes it in; leave it out", p.Name, p.Op)
		mend(f, "<", ":"+p.Name)
	}
	switch {
	case p.Op == customsql.Like:
		l.refuse(at, fault.NotComparable, "LIKE compares texts, and :%s is a day", p.Name)
	case c.Stored == column.StoredText && c.Pattern.String() != "" && !c.Pattern.Sorts():
		l.refuse(at, fault.NotComparable, "the texts of the column %q, in the pattern %s, do not sort by time, so SQL cannot compare them with :%s; leave this condition to the where of a query", c.Name, c.Pattern, p.Name)
	case c.HoldsWholeDays():
		switch {
		case v.Part == catalog.NextDay && (p.Op == customsql.AtMost || p.Op == customsql.Upper):
			beyond()
		case v.Part == catalog.LastDay && p.Op == customsql.Less:
			mend(l.mislead(at, fault.LastDayLost, "< :%s leaves out the last day of the period", p.Name), "<=", ":"+p.Name)
		case v.Part == catalog.FirstDay && p.Op == customsql.More:
			mend(l.mislead(at, fault.LastDayLost, "> :%s leaves out the first day of the period", p.Name), ">=", ":"+p.Name)
		}
	case p.Expression:
		l.refuse(at, fault.NotComparable, "the column %q has a time of day, and what :%s is compared with is an expression, so it cannot be told whether whole days come out; compare the column itself, or give :%s the form of a date column by values", c.Name, p.Name, p.Name)
	case p.Op == customsql.NoOp && v.Part != catalog.FirstDay && v.Part != catalog.NextDay:
		f := l.refuse(at, fault.NotComparable, "the column %q has a time of day, and it cannot be told what :%s is compared with here; say whether the start of the day is meant or that of the day after", c.Name, p.Name)
		f.Suggest(":"+stem+"_first", next)
	case v.Part == catalog.NextDay && (p.Op == customsql.AtMost || p.Op == customsql.Upper):
		beyond()
	case p.Op == customsql.AtMost, p.Op == customsql.Upper, v.Part == catalog.LastDay && p.Op == customsql.Less:
		f := l.refuse(at, fault.LastDayLost, "the column %q has a time of day and :%s is the start of its day: %s loses the rest of that day", c.Name, p.Name, p.Op)
		mend(f, "<", next)
	case p.Op == customsql.More:
		f := l.refuse(at, fault.LastDayLost, "the column %q has a time of day and :%s is the start of its day: > loses what happened at that moment and keeps the rest of the day", c.Name, p.Name)
		mend(f, ">=", ":"+p.Name)
		if v.Part != catalog.NextDay {
			mend(f, ">=", next)
		}
	case p.Op == customsql.Differs:
		f := l.refuse(at, fault.LastDayLost, "the column %q has a time of day and :%s is the start of its day: <> leaves out only what happened at that moment", c.Name, p.Name)
		f.Suggest("NOT (" + left + " >= :" + p.Name + " AND " + left + " < " + next + ")")
	case p.Op == customsql.Equals, p.Op == customsql.In:
		f := l.refuse(at, fault.LastDayLost, "the column %q has a time of day and :%s is the start of its day: %s finds only what happened at that moment", c.Name, p.Name, p.Op)
		if next == "" {
			f.Message += "; leave this condition to the where of a query"
		} else {
			mend(f, ">=", ":"+p.Name+" AND "+left+" < "+next)
		}
	}
}

// mislead is warn for a place within a text.
func (l *linker) mislead(at fault.Place, code fault.Code, format string, args ...any) *fault.Fault {
	f := fault.Warn(code, format, args...).At(at)
	l.warnings = append(l.warnings, f)
	return f
}

// proposed is a prompt for a placeholder, as it is written in YAML.
func proposed(name string, v catalog.Placeholder, in bool) string {
	kind := "text"
	switch {
	case v.Part != catalog.WholeAnswer:
		kind = "period"
	case in:
		kind = "choice, many: true, choices: [...]"
	case v.Column != nil && v.Column.Type.IsDated():
		kind = "day"
	case v.Column != nil && v.Column.Type.IsNumeric():
		kind = "number"
	case v.Column != nil && v.Column.Type == column.YesNo:
		kind = "yes-no"
	}
	return "{pikegate: 1, prompt: " + name + ", ask: " + strings.ReplaceAll(name, "-", " ") + ", type: " + kind + ", required: true}"
}
