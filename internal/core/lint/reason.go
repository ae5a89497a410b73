// Package lint finds what misleads in definitions although it fits together: conditions
// that can never hold, sorts that are missing, defaults that age. Reasoning is about what
// each condition leaves of one column.
package lint

import (
	"slices"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/value"
)

// Reasoning finds conditions that can never hold, always hold, or say what
// another one says. It works on what each condition leaves of one column, as two sets: one
// holds at least every value that the condition can accept, the other at most those that it
// always accepts.

// cut is a place between the values of a column: just before a value or just
// after it.
type cut struct {
	number decimal.Decimal // for numbers, days and instants
	text   string          // for texts
	after  bool
	end    int8 // -1 and 1 for before and after every value
}

func (a cut) compare(b cut) int {
	if a.end != b.end {
		return int(a.end) - int(b.end)
	}
	if a.end != 0 {
		return 0
	}
	if by := strings.Compare(a.text, b.text); by != 0 {
		return by
	}
	if by := a.number.Cmp(b.number); by != 0 || a.after == b.after {
		return by
	}
	if a.after {
		return 1
	}
	return -1
}

var first, last = cut{end: -1}, cut{end: 1}

type stretch struct{ from, until cut }

// set is some of the values of a column, as stretches in order that do not touch,
// and whether a missing value is among them.
type set struct {
	values  []stretch
	missing bool
}

var (
	anyValue   = set{values: []stretch{{first, last}}}
	everything = set{values: []stretch{{first, last}}, missing: true}
)

func (s set) isEmpty() bool { return len(s.values) == 0 && !s.missing }

// union joins sets.
func union(sets ...set) set {
	var all []stretch
	joined := set{}
	for _, s := range sets {
		all = append(all, s.values...)
		joined.missing = joined.missing || s.missing
	}
	slices.SortFunc(all, func(a, b stretch) int { return a.from.compare(b.from) })
	for _, v := range all {
		n := len(joined.values)
		switch {
		case v.from.compare(v.until) >= 0:
		case n > 0 && v.from.compare(joined.values[n-1].until) <= 0:
			if v.until.compare(joined.values[n-1].until) > 0 {
				joined.values[n-1].until = v.until
			}
		default:
			joined.values = append(joined.values, v)
		}
	}
	return joined
}

// meeting is what sets share.
func meeting(sets ...set) set {
	opposites := make([]set, len(sets))
	for i, s := range sets {
		opposites[i] = s.opposite()
	}
	return union(opposites...).opposite()
}

// opposite is every value that is not in the set.
func (s set) opposite() set {
	rest := set{missing: !s.missing}
	from := first
	for _, v := range s.values {
		if from.compare(v.from) < 0 {
			rest.values = append(rest.values, stretch{from, v.from})
		}
		from = v.until
	}
	if from.compare(last) < 0 {
		rest.values = append(rest.values, stretch{from, last})
	}
	return rest
}

// meet is what two sets share.
func (s set) meet(other set) set { return meeting(s, other) }

// holds reports whether every value of other is in the set.
func (s set) holds(other set) bool { return s.opposite().meet(other).isEmpty() }

// left is what a node leaves of a column: may holds at least every value that the node can
// accept, must at most those that it always accepts.
type left struct{ may, must set }

// Reason is what reasoning needs to know besides the criteria.
type Reason struct {
	Setting phrase.Setting // the day that phrases are worked out on
	Zone    *time.Location // that days are taken in
}

// Finding is something found by reasoning about a node.
type Finding struct {
	Sense Sense
	Node  *criteria.Node // what it is about
	Other *criteria.Node // what it clashes with or follows from, nil for none
	Alone bool           // it never holds by itself
	Of    *column.Column // of what always holds, the one that its conditions are on
}

// Sense is what is wrong with a node.
type Sense string

const (
	Never   Sense = "never_holds"
	Always  Sense = "always_holds"
	Follows Sense = "implied"
)

// Find reasons about all groups of the criteria, filters included.
func (r Reason) Find(n *criteria.Node) []Finding {
	var found []Finding
	r.find(n, &found)
	return found
}

func (r Reason) find(n *criteria.Node, found *[]Finding) {
	switch {
	case n == nil:
		return
	case n.Filter != nil:
		return // its own definition tells
	case n.Logic == criteria.Condition:
		if l := r.left(n, n.Column); l.may.isEmpty() {
			*found = append(*found, Finding{Sense: Never, Node: n, Alone: true})
		}
		return
	}
	for _, child := range n.Nodes {
		r.find(child, found)
	}
	for _, col := range columnsOf(n) {
		switch n.Logic {
		case criteria.All:
			r.together(n, col, found)
		case criteria.Any:
			r.either(n, col, found)
		}
	}
}

func columnsOf(n *criteria.Node) []*column.Column {
	var columns []*column.Column
	n.Walk(func(c *criteria.Node) {
		if !slices.Contains(columns, c.Column) {
			columns = append(columns, c.Column)
		}
	})
	return columns
}

// member is one of a group, with what it leaves of the column at hand.
type member struct {
	*criteria.Node
	left
	only bool // it is about the column and no other
}

func (r Reason) members(n *criteria.Node, col *column.Column) []member {
	all := make([]member, len(n.Nodes))
	for i, child := range n.Nodes {
		all[i] = member{child, r.left(child, col), only(child, col)}
	}
	return all
}

// mostPairs is how many members of a group are held to each other one by one. Of more of
// them only what all together tell is told: nobody reads such a group by its pairs, and
// their number grows with its square.
const mostPairs = 200

// together finds members of an all that clash over a column, and those that
// another one implies.
func (r Reason) together(n *criteria.Node, col *column.Column, found *[]Finding) {
	members := r.members(n, col)
	mays := make([]set, len(members))
	for i, m := range members {
		if mays[i] = m.may; m.may.isEmpty() {
			return // told by itself
		}
	}
	clashes := meeting(mays...).isEmpty()
	if len(members) > mostPairs && !clashes {
		return
	}
	rest := everything
	for i, m := range members {
		clash := clashes && rest.meet(m.may).isEmpty()
		var other *criteria.Node
		if len(members) <= mostPairs {
			for _, before := range members[:i] {
				if before.may.meet(m.may).isEmpty() || clashByText(before.Node, m.Node, col) {
					clash, other = true, before.Node
					break
				}
			}
		}
		if clash {
			*found = append(*found, Finding{Sense: Never, Node: m.Node, Other: other})
			return
		}
		if clashes {
			rest = rest.meet(m.may)
		}
	}
	r.implied(n, members, found)
}

// either finds an any that holds for every value of a column, and members that
// another one swallows.
func (r Reason) either(n *criteria.Node, col *column.Column, found *[]Finding) {
	members := r.members(n, col)
	var musts []set
	for _, m := range members {
		if m.only {
			musts = append(musts, m.must)
		}
	}
	if union(musts...).holds(anyValue) {
		*found = append(*found, Finding{Sense: Always, Node: n, Of: col})
		return
	}
	r.implied(n, members, found)
}

// implied finds members of a group that add nothing beside another one: in an all
// those that hold wherever the other does, in an any those that hold only there. Of
// two that say the same it is the later one.
func (r Reason) implied(n *criteria.Node, members []member, found *[]Finding) {
	if len(members) > mostPairs {
		return
	}
	addsNothing := func(a, b left) bool {
		if n.Logic == criteria.Any {
			a, b = b, a
		}
		return a.must.holds(b.may)
	}
	for i, child := range members {
		for j, other := range members {
			if i == j || !child.only || !other.only || n.Logic == criteria.All && dropped(other.Node) {
				continue
			}
			if addsNothing(child.left, other.left) && !(j > i && addsNothing(other.left, child.left)) {
				*found = append(*found, Finding{Sense: Follows, Node: child.Node, Other: other.Node})
				break
			}
		}
	}
}

// only reports whether a node is about the column and no other.
func only(n *criteria.Node, col *column.Column) bool {
	columns := columnsOf(n)
	return len(columns) == 1 && columns[0] == col
}

// dropped reports whether some of the node falls away where a prompt is left
// unanswered.
func dropped(n *criteria.Node) bool {
	optional := false
	n.Walk(func(c *criteria.Node) {
		p := c.Operand.Prompt
		optional = optional || p != nil && (!p.Required || p.Open != "" && p.Open != prompt.OpenNone)
	})
	return optional
}

func (r Reason) left(n *criteria.Node, col *column.Column) left {
	switch {
	case n == nil: // of a filter that has faults, which it tells itself
		return left{may: everything}
	case n.Filter != nil:
		return r.left(n.Filter.Where, col)
	case n.Logic == criteria.Condition && n.Column != col:
		return left{may: everything}
	case n.Logic == criteria.Condition:
		return r.condition(n)
	}
	mays, musts := make([]set, len(n.Nodes)), make([]set, len(n.Nodes))
	for i, child := range n.Nodes {
		l := r.left(child, col)
		mays[i], musts[i] = l.may, l.must
	}
	switch n.Logic {
	case criteria.All:
		return left{meeting(mays...), meeting(musts...)}
	case criteria.None:
		return left{may: union(musts...).opposite(), must: union(mays...).opposite()}
	}
	return left{union(mays...), union(musts...)}
}

// condition is what one condition leaves of its column.
func (r Reason) condition(n *criteria.Node) left {
	if denied, ok := n.Op.Denies(); ok {
		positive := *n
		positive.Op = denied
		l := r.condition(&positive)
		return left{may: l.must.opposite(), must: l.may.opposite()}
	}
	c, o := n.Column, n.Operand
	switch {
	case n.Op == criteria.Missing:
		return exactly(set{missing: true, values: standIn(c)})
	case n.Op == criteria.Present:
		return exactly(set{missing: true, values: standIn(c)}.opposite())
	case o.Prompt != nil:
		return left{may: r.allowed(n)}
	case c.Type == column.Text && len(o.Texts) > 0 && !slices.Contains(o.Texts, "") && (n.IgnoreCase || n.Op == criteria.Contains || n.Op == criteria.EndsWith):
		return left{may: set{values: emptyText, missing: true}.opposite()}
	// Without texts it is compared with another column, with who runs it, or with what cannot be read.
	case len(o.Texts) == 0, n.IgnoreCase, n.Op == criteria.RecursIn, n.Op == criteria.ClockWithin, n.Op == criteria.Contains, n.Op == criteria.EndsWith:
		return left{may: anyValue}
	}
	b := &criteria.Bound{Column: c, Op: n.Op}
	b.SetTexts(o.Texts, r.Setting)
	if c.Type.IsNumeric() && len(b.Numbers) == 0 && b.Lower == nil {
		return left{may: anyValue} // nor can these
	}
	return exactly(r.values(b).meet(set{values: standIn(c)}.opposite()))
}

func exactly(s set) left { return left{may: s, must: s} }

var emptyText = []stretch{{cut{}, cut{after: true}}}

// standIn is the empty text where it stands for a missing value.
func standIn(c *column.Column) []stretch {
	if !c.EmptyMissing {
		return nil
	}
	return emptyText
}

// values are those for which a bound condition holds.
func (r Reason) values(b *criteria.Bound) set {
	var all []set
	add := func(from, until cut) { all = append(all, set{values: []stretch{{from, until}}}) }
	switch {
	case b.Column.Type.IsDated():
		for _, s := range b.Spans() {
			if s.Empty {
				continue
			}
			from, until := first, last
			if s.From.IsSet() {
				from = cut{number: decimal.NewFromInt(r.at(b.Column, s.From))}
			}
			if s.Until.IsSet() {
				until = cut{number: decimal.NewFromInt(r.at(b.Column, s.Until))}
			}
			add(from, until)
		}
	case b.Column.Type == column.YesNo:
		n := decimal.NewFromInt(map[bool]int64{true: 1}[b.Truth])
		add(cut{number: n}, cut{number: n, after: true})
	case b.Column.Type.IsNumeric():
		return numbersOf(b)
	case b.Op == criteria.StartsWith:
		until := last
		if after := value.AfterPrefix(b.Texts[0]); after != "" {
			until = cut{text: after}
		}
		add(cut{text: b.Texts[0]}, until)
	default:
		for _, text := range b.Texts {
			add(cut{text: text}, cut{text: text, after: true})
		}
	}
	return union(all...)
}

func (r Reason) at(c *column.Column, e civil.Edge) int64 {
	if c.Type == column.Instant {
		return e.Instant(r.Zone)
	}
	return e.Wall(r.Zone)
}

func numbersOf(b *criteria.Bound) set {
	whole := b.Column.Type == column.Integer
	before := func(n decimal.Decimal) cut { // the cut before n and all that is greater
		if whole {
			n = n.Ceil()
		}
		return cut{number: n}
	}
	after := func(n decimal.Decimal) cut {
		if whole {
			return cut{number: n.Floor().Add(decimal.NewFromInt(1))}
		}
		return cut{number: n, after: true}
	}
	var all []set
	add := func(from, until cut) { all = append(all, set{values: []stretch{{from, until}}}) }
	switch b.Op {
	case criteria.LessThan:
		add(first, before(b.Numbers[0]))
	case criteria.AtMost:
		add(first, after(b.Numbers[0]))
	case criteria.AtLeast:
		add(before(b.Numbers[0]), last)
	case criteria.MoreThan:
		add(after(b.Numbers[0]), last)
	case criteria.Within:
		from, until := first, last
		if b.Lower != nil {
			from = before(*b.Lower)
		}
		if b.Upper != nil {
			until = after(*b.Upper)
		}
		add(from, until)
	default:
		for _, n := range b.Numbers {
			add(before(n), after(n))
		}
	}
	return union(all...)
}

// allowed are the values that a condition can let through, whatever its prompt's
// limits allow as an answer.
func (r Reason) allowed(n *criteria.Node) set {
	p := n.Operand.Prompt
	if p.Base != nil {
		return anyValue
	}
	b := &criteria.Bound{Column: n.Column, Op: n.Op}
	switch {
	case p.Type == prompt.Choice && !p.Listed && !n.IgnoreCase && (n.Op == criteria.Is || n.Op == criteria.AnyOf):
		for _, o := range p.Choices {
			b.AddText(o.Value)
		}
		return r.values(b)
	case p.Type == prompt.Number || p.Type == prompt.NumberRange:
		return anyNumber(n.Op, b, p)
	case p.Type.IsPeriod() || p.Type == prompt.Days:
		limits := p.Limits(r.Setting)
		switch n.Op {
		case criteria.From, criteria.After:
			limits.Last = 0
		case criteria.Through, criteria.Before:
			limits.First = 0
		}
		b.Op, b.Periods = criteria.Within, []civil.Period{limits}
		return r.values(b)
	}
	return anyValue
}

// anyNumber is what an operator lets through of numbers between the limits.
func anyNumber(op criteria.Op, b *criteria.Bound, p *prompt.Prompt) set {
	lower, upper := p.Least, p.Most
	switch op {
	case criteria.LessThan, criteria.AtMost:
		lower = nil
	case criteria.AtLeast, criteria.MoreThan:
		upper = nil
	}
	b.Op, b.Lower, b.Upper = criteria.Within, lower, upper
	return numbersOf(b)
}

// clashByText reports whether two conditions on a text can never hold together,
// by what sets of texts cannot tell: ends, parts, and case that is ignored.
func clashByText(a, b *criteria.Node, col *column.Column) bool {
	if !isText(a, col) || !isText(b, col) {
		return false
	}
	for _, pair := range [][2]*criteria.Node{{a, b}, {b, a}} {
		if points, ok := pointsOf(pair[0]); ok {
			one, other := accepting(pair[0]), accepting(pair[1])
			return !slices.ContainsFunc(points, func(text string) bool { return one(text) && other(text) })
		}
	}
	x, okX := textual(a)
	y, okY := textual(b)
	return okX && okY && !x.goesWith(y)
}

// isText reports whether a node is one condition of literals on the text column.
func isText(n *criteria.Node, col *column.Column) bool {
	o := n.Operand
	return n.Logic == criteria.Condition && n.Filter == nil && n.Column == col && col.Type == column.Text && o.Prompt == nil && o.Column == nil && o.Person == ""
}

// pointsOf are all the texts for which a condition can hold, where they can be
// listed.
func pointsOf(n *criteria.Node) ([]string, bool) {
	if n.Op != criteria.Is && n.Op != criteria.AnyOf {
		return nil, false
	}
	if !n.IgnoreCase {
		return n.Operand.Texts, true
	}
	var all []string
	for _, text := range n.Operand.Texts {
		variants, ok := value.Variants(text, 4096)
		if !ok {
			return nil, false
		}
		all = append(all, variants...)
	}
	return all, true
}

// accepting tells of a text whether a condition of literals holds for it, at a cost that does
// not grow with a list of values.
func accepting(n *criteria.Node) func(text string) bool {
	if denied, ok := n.Op.Denies(); ok {
		positive := *n
		positive.Op = denied
		accepts := accepting(&positive)
		return func(text string) bool { return !accepts(text) }
	}
	isMissing := func(text string) bool { return text == "" && n.Column.EmptyMissing }
	switch n.Op {
	case criteria.Missing:
		return isMissing
	case criteria.Present:
		return func(text string) bool { return !isMissing(text) }
	}
	folded := func(text string) string {
		if n.IgnoreCase {
			return value.Fold(text)
		}
		return text
	}
	given := make(map[string]bool, len(n.Operand.Texts))
	for _, text := range n.Operand.Texts {
		given[folded(text)] = true
	}
	fits := map[criteria.Op]func(text, part string) bool{criteria.StartsWith: strings.HasPrefix, criteria.EndsWith: strings.HasSuffix, criteria.Contains: strings.Contains}[n.Op]
	return func(text string) bool {
		text = folded(text)
		if isMissing(text) || fits == nil {
			return given[text] && !isMissing(text)
		}
		for part := range given {
			if fits(text, part) {
				return true
			}
		}
		return false
	}
}

// textPart is a way in which a text can be: with a start, an end or a part; in any
// case where fold is set.
type textPart struct {
	op   criteria.Op
	text string
	fold bool
}

// textual is the way that a condition leaves, where it is one of those.
func textual(n *criteria.Node) (textPart, bool) {
	switch n.Op {
	case criteria.StartsWith, criteria.EndsWith, criteria.Contains:
		return textPart{n.Op, n.Operand.Texts[0], n.IgnoreCase}, true
	}
	return textPart{}, false
}

// goesWith reports whether a text can be both. Where either ignores case both may.
func (a textPart) goesWith(b textPart) bool {
	x, y := a.text, b.text
	if a.fold || b.fold {
		x, y = value.Fold(x), value.Fold(y)
	}
	switch {
	case a.op == criteria.StartsWith && b.op == criteria.StartsWith:
		return strings.HasPrefix(x, y) || strings.HasPrefix(y, x)
	case a.op == criteria.EndsWith && b.op == criteria.EndsWith:
		return strings.HasSuffix(x, y) || strings.HasSuffix(y, x)
	}
	return true
}
