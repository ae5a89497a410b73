package summary

import (
	"cmp"
	"errors"
	"slices"
	"strconv"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/value"
)

// Counted is a group as a database counted it.
type Counted struct {
	Keys    []Key // of each group
	Records int64
	Parts   []Part // of each figure
}

// group is a group in a tally.
type group struct {
	Counted
	name string // of its keys, see nameOf
}

// Key is what the records of a group have in common.
type Key struct {
	Value value.Value // of a group by values
	Unit  int         // of a group by dates: the number of the unit or part, from 0, or Unreadable or Missing
}

// The units of dates that are in none, and of the groups that are put together as one.
const (
	Unreadable = -1
	Missing    = -2
	Others     = -3 // of values too
)

// Part is what a database tells for a figure.
type Part struct {
	Value      value.Value     // of Least and Greatest, and of sums of binary fractions
	Sum        decimal.Decimal // of Sum and Average
	Taken      int64           // values that the figure is of; of CountDistinct, the different ones
	Missing    int64           // records without one
	Unreadable int64           // records whose value is no number or no date
}

// Table is a summary.
type Table struct {
	Rows    [][]value.Value // groups, then figures, then those of each other summary beside them
	Total   []value.Value   // of all rows together, in the place of each value; of groups none, nor of what does not add up
	Parts   []Subtotal      // of the rows with the same first group, in order
	Records int64           // that it is of
	Left    []Part          // of each figure, in all: how many values are missing or unreadable
	Alone   []int64         // of each other summary: its records in units that have none beside them
}

// Subtotal is what rows with the same first group come to.
type Subtotal struct {
	Of      value.Value // the group, as it is shown
	Rows    int
	Records int64
	Total   []value.Value // as that of the table
}

// Beside is another summary by the same specification, whose figures stand beside those of the
// table: of each group the number of the unit here that a unit there stands beside, nil for the
// same, Missing for none.
type Beside struct {
	Tally *Tally
	Match [][]int
}

// ErrTooMany is the cause where there would be more rows than MostRows.
var ErrTooMany = errors.New("there are too many groups")

// row is a row with what it is ordered by.
type row struct {
	keys  []Key
	name  string // of the keys
	cells []value.Value
	of    *Counted // nil where there are no records
	rest  []row    // of the row that is the rest, those that it is put together of
	met   bool     // of another summary: there is a row that it stands beside
}

// Tally puts together what was counted.
type Tally struct {
	spec   *Spec
	groups []*group
	at     map[string]*group
	room   []byte // that names are made in
	// Where only the first rows stand alone and there are very many groups, those that are none of
	// the first are put together as they come.
	order []criteria.Sort
	folds bool
	rest  *Counted
}

// First makes a tally of which only the first rows in an order are wanted take any number of groups:
// those of values, each of which comes once.
func (t *Tally) First(order []criteria.Sort) {
	s := t.spec
	values := !slices.ContainsFunc(s.Groups, func(g Group) bool { return g.By != Values })
	told := slices.ContainsFunc(s.Figures, func(f Figure) bool { return f.Kind.IsOfFigures() }) // by all groups, which are not known yet
	t.order, t.folds = order, s.First > 0 && s.First < MostRows && values && !told && s.Having == nil && s.Series.First == 0
}

// fold puts the groups together that are none of the first.
func (t *Tally) fold() {
	s := t.spec
	rows := s.rowsOf(t.groups, nil)
	s.sort(rows, t.order)
	if t.rest == nil {
		t.rest = s.nothing()
	}
	s.add(t.rest, *s.sumOf(rows[s.First:]))
	t.groups, t.at = t.groups[:0], map[string]*group{}
	for _, r := range rows[:s.First] {
		t.keep(&group{*r.of, r.name})
	}
}

// keep takes a group that is not there yet.
func (t *Tally) keep(g *group) { t.groups, t.at[g.name] = append(t.groups, g), g }

// Tally starts one.
func (s *Spec) Tally() *Tally { return &Tally{spec: s, at: map[string]*group{}} }

// Add adds what was counted of a group, or of a part of it.
func (t *Tally) Add(c Counted) error {
	t.room = appendName(t.room[:0], c.Keys, -1)
	known := t.at[string(t.room)]
	if known == nil {
		if len(t.groups) == MostRows {
			if !t.folds {
				return ErrTooMany
			}
			t.fold()
		}
		t.keep(&group{c, string(t.room)})
		return nil
	}
	t.spec.add(&known.Counted, c)
	return nil
}

// add adds what was counted to what is known.
func (s *Spec) add(known *Counted, more Counted) {
	known.Records += more.Records
	for i, f := range s.Figures {
		known.Parts[i].add(f.Kind, more.Parts[i])
	}
}

// add adds a part of a group to another.
func (p *Part) add(kind Kind, more Part) {
	if !more.Sum.IsZero() { // of most kinds it is
		p.Sum = p.Sum.Add(more.Sum)
	}
	p.Taken, p.Missing, p.Unreadable = p.Taken+more.Taken, p.Missing+more.Missing, p.Unreadable+more.Unreadable
	switch {
	case kind == Least || kind == Greatest:
		sign := map[Kind]int{Least: 1, Greatest: -1}[kind]
		if p.Value.IsMissing() || !more.Value.IsMissing() && sign*compare(more.Value, p.Value) < 0 {
			p.Value = more.Value
		}
	default:
		f, _ := p.Value.Float()
		if g, ok := more.Value.Float(); ok {
			p.Value = value.Real(f + g)
		}
	}
}

// compare compares numbers by size, and texts by code point.
func compare(a, b value.Value) int {
	p, ok := number(a)
	q, okToo := number(b)
	if ok && okToo {
		return p.Cmp(q)
	}
	return a.Compare(b)
}

// Asked says which rows of a summary are wanted, and in what order.
type Asked struct {
	Names  [][]string      // those of the units or parts of each group by dates, in order
	Having *criteria.Bound // the conditions on figures, nil for none
	Order  []criteria.Sort // by columns that are Shown, then the groups in their order; what is missing comes last
	Beside []Beside        // other summaries whose figures stand beside
}

// Table makes the summary.
func (t *Tally) Table(asked Asked) (*Table, error) {
	s := t.spec
	table := &Table{Left: make([]Part, len(s.Figures))}
	groups := t.groups
	if s.Series.First > 0 {
		groups = s.gathered(groups, s.best(groups))
	}
	for _, g := range groups {
		table.add(&g.Counted)
	}
	rows := s.rowsOf(groups, asked.Names)
	others := make([]beside, len(asked.Beside))
	for i, b := range asked.Beside {
		others[i] = s.beside(b, groups, asked.Names)
		table.Alone = append(table.Alone, others[i].alone)
		rows = append(rows, others[i].without(rows, asked.Names)...)
	}
	filled, err := s.fill(rows, asked.Names)
	if err != nil {
		return nil, err
	}
	whole := s.wholes(filled)
	for _, r := range filled {
		s.workOut(r.cells, whole)
	}
	if asked.Having != nil {
		filled = slices.DeleteFunc(filled, func(r row) bool { return !s.meets(asked.Having, r.cells[len(s.Groups):]) })
	}
	if t.rest != nil {
		table.add(t.rest)
	}
	table.Total = s.told(nil, s.totalOf(s.sumOf(filled, t.rest)), others, (*beside).total)
	s.sort(filled, asked.Order)
	table.Parts = s.parts(filled, others)
	filled = s.first(filled, t.rest, whole)
	table.Rows = make([][]value.Value, len(filled))
	var room []value.Value
	if len(others) > 0 {
		room = make([]value.Value, len(filled)*s.width(len(others)))
	}
	for i := range filled {
		r := &filled[i]
		table.Rows[i] = s.told(room, r.cells, others, func(b *beside) []value.Value { return b.of(r) })
		room = room[min(len(room), s.width(len(others))):]
	}
	return table, nil
}

// add counts the records of a group.
func (t *Table) add(c *Counted) {
	t.Records += c.Records
	for i, p := range c.Parts {
		t.Left[i].Missing += p.Missing
		t.Left[i].Unreadable += p.Unreadable
	}
}

// rowsOf are the rows of groups, with cells in one piece of memory.
func (s *Spec) rowsOf(groups []*group, names [][]string) []row {
	rows, cells := make([]row, len(groups)), make([]value.Value, 0, len(groups)*(len(s.Groups)+len(s.Figures)))
	for i, g := range groups {
		from := len(cells)
		cells = s.appendCells(cells, g.Keys, names, &g.Counted)
		rows[i] = row{keys: g.Keys, name: g.name, of: &g.Counted, cells: slices.Clip(cells[from:])}
	}
	return rows
}

// row is the row of keys and their name, c being nil where they have no records.
func (s *Spec) row(keys []Key, name string, c *Counted, names [][]string) row {
	r := row{keys: keys, name: name, of: c}
	if c == nil {
		c = s.nothing()
	}
	r.cells = s.appendCells(make([]value.Value, 0, len(s.Groups)+len(s.Figures)), keys, names, c)
	return r
}

// width is how many cells of a row are told, with others beside it.
func (s *Spec) width(others int) int { return len(s.Groups) + (1+others)*s.Told() }

// told are the cells of a row that are told, with those that stand beside them: in the room for them, or in
// memory of their own where there is none.
func (s *Spec) told(room, cells []value.Value, others []beside, of func(*beside) []value.Value) []value.Value {
	told := cells[:s.width(0)]
	if len(others) == 0 {
		return told
	}
	figures := s.Told()
	width := s.width(len(others))
	if room == nil {
		room = make([]value.Value, width)
	}
	all := room[:width]
	copy(all, told)
	for i := range others {
		if more := of(&others[i]); more != nil {
			copy(all[len(told)+i*figures:][:figures], more[len(s.Groups):])
		}
	}
	return all
}

// first are the first rows, as many as are wanted; the rest is put together in one where that is wanted.
func (s *Spec) first(rows []row, more *Counted, whole []decimal.Decimal) []row {
	if s.First == 0 || len(rows) <= s.First && more == nil {
		return rows
	}
	rest := rows[s.First:]
	rows = slices.Clip(rows[:s.First])
	if !s.Rest {
		return rows
	}
	keys := make([]Key, len(s.Groups))
	for i := range keys {
		keys[i].Unit = Others
	}
	others := s.row(keys, nameOf(keys, -1), s.sumOf(rest, more), nil)
	others.rest = rest
	s.notAdding(others.cells)
	s.workOut(others.cells, whole)
	return append(rows, others)
}

// parts are what rows with the same first group come to, where that is wanted.
func (s *Spec) parts(rows []row, others []beside) (parts []Subtotal) {
	if !s.Parted || len(s.Groups) == 0 {
		return nil
	}
	for from := 0; from < len(rows); {
		until := from + 1
		for until < len(rows) && nameOf(rows[until].keys[:1], -1) == nameOf(rows[from].keys[:1], -1) {
			until++
		}
		same := rows[from:until]
		parts = append(parts, Subtotal{Of: rows[from].cells[0], Rows: len(same), Records: s.sumOf(same).Records, Total: s.told(nil, s.total(same), others, func(b *beside) []value.Value { return s.totalOf(b.sumOf(same)) })})
		from = until
	}
	return parts
}

// sumOf is what rows, and more of them, come to as one group.
func (s *Spec) sumOf(rows []row, more ...*Counted) *Counted {
	all := s.nothing()
	for _, c := range more {
		if c != nil {
			s.add(all, *c)
		}
	}
	for _, r := range rows {
		if r.of != nil {
			s.add(all, *r.of)
		}
	}
	return all
}

// total are the figures of all records of rows together. Different values do not add up.
func (s *Spec) total(rows []row) []value.Value { return s.totalOf(s.sumOf(rows)) }

// unnamed are the cells of a group without its keys.
func (s *Spec) unnamed(c *Counted) []value.Value {
	return s.appendFigures(make([]value.Value, len(s.Groups), len(s.Groups)+len(s.Figures)), c)
}

func (s *Spec) totalOf(all *Counted) []value.Value {
	cells := s.unnamed(all)
	for i, f := range s.Figures {
		if !f.HasTotal() {
			cells[len(s.Groups)+i] = value.Value{}
		}
	}
	return cells
}

// notAdding takes away the figures of different values, which those of several groups do not tell.
func (s *Spec) notAdding(cells []value.Value) {
	for i, f := range s.Figures {
		if f.Kind == CountDistinct {
			cells[len(s.Groups)+i] = value.Value{}
		}
	}
}

// best are the values of the group that makes series of whose figure there is most, by their names.
func (s *Spec) best(groups []*group) map[string]bool {
	at, by := s.Series.Group, s.Figures[0]
	sums := map[string]*Counted{}
	var names []string
	for _, g := range groups {
		name := nameOf(g.Keys[at:at+1], -1)
		if sums[name] == nil {
			sums[name] = s.nothing()
			names = append(names, name)
		}
		s.add(sums[name], g.Counted)
	}
	slices.SortStableFunc(names, func(a, b string) int {
		p, _ := number(by.cell(sums[a].Records, sums[a].Parts[0]))
		q, _ := number(by.cell(sums[b].Records, sums[b].Parts[0]))
		return q.Cmp(p)
	})
	if len(names) <= s.Series.First {
		return nil
	}
	kept := map[string]bool{}
	for _, name := range names[:s.Series.First] {
		kept[name] = true
	}
	return kept
}

// gathered are groups of which those of no kept series are put together as others; all of them where
// kept is nil.
func (s *Spec) gathered(groups []*group, kept map[string]bool) []*group {
	if kept == nil {
		return groups
	}
	t := s.Tally()
	at := s.Series.Group
	for _, c := range groups {
		copied := Counted{Keys: slices.Clone(c.Keys), Records: c.Records, Parts: slices.Clone(c.Parts)}
		if !kept[nameOf(c.Keys[at:at+1], -1)] {
			copied.Keys[at] = Key{Unit: Others}
		}
		_ = t.Add(copied) // there are no more of them than there were
	}
	return t.groups
}

// nothing is a group without records.
func (s *Spec) nothing() *Counted { return &Counted{Parts: make([]Part, len(s.Figures))} }

// appendFigures adds the figures of a group as they are shown.
func (s *Spec) appendFigures(cells []value.Value, c *Counted) []value.Value {
	for i, f := range s.Figures {
		cells = append(cells, f.cell(c.Records, c.Parts[i]))
	}
	return cells
}

// appendCells adds the keys and the figures of a group as they are shown.
func (s *Spec) appendCells(cells []value.Value, keys []Key, names [][]string, c *Counted) []value.Value {
	for i, g := range s.Groups {
		var cell value.Value
		switch k := keys[i]; {
		case k.Unit == Others:
			cell = value.Chars("others")
		case g.By == Values:
			cell = k.Value
		case k.Unit >= 0:
			cell = value.Chars(names[i][k.Unit])
		case k.Unit == Unreadable:
			cell = value.Chars("unreadable")
		}
		cells = append(cells, cell)
	}
	return s.appendFigures(cells, c)
}

// cell is a figure of a group as it is shown.
func (f Figure) cell(records int64, p Part) value.Value {
	switch f.Kind {
	case Count:
		return value.Whole(records)
	case CountDistinct:
		return value.Whole(p.Taken)
	case Least, Greatest:
		return p.Value
	case Share, Per:
		return value.Value{} // which workOut replaces
	}
	total, isFraction := p.Value.Float()
	switch {
	case f.Kind == Average && p.Taken == 0:
		return value.Value{}
	case isFraction && f.Kind == Average && f.Shown.Type == column.Number:
		return value.Real(total / float64(p.Taken))
	case isFraction && f.Kind == Sum:
		return p.Value
	case isFraction:
		return exact(ratio(decimal.NewFromFloat(total), decimal.NewFromInt(p.Taken), f.Shown.Scale))
	case f.Kind == Average:
		return exact(ratio(p.Sum, decimal.NewFromInt(p.Taken), f.Shown.Scale))
	}
	return exact(p.Sum)
}

// exact is a number as a value: whole where it is and 64 bits hold it, else in digits.
func exact(n decimal.Decimal) value.Value {
	if n.IsInteger() && n.Equal(decimal.NewFromInt(n.IntPart())) {
		return value.Whole(n.IntPart())
	}
	return value.Digits(n.String())
}

// ratio is a number divided by another, rounded half to even at a scale.
func ratio(n, by decimal.Decimal, scale int) decimal.Decimal {
	quotient, rest := n.QuoRem(by, int32(scale)) // towards zero, with the rest that is left
	unit := decimal.New(int64(n.Sign()*by.Sign()), int32(-scale))
	switch twice := rest.Abs().Mul(decimal.NewFromInt(2)).Cmp(by.Abs().Mul(decimal.New(1, int32(-scale)))); {
	case twice > 0, twice == 0 && !quotient.Shift(int32(scale)).Mod(decimal.NewFromInt(2)).IsZero():
		return quotient.Add(unit)
	}
	return quotient
}

// wholes are, for each share, what all groups together come to, those that are not shown included.
func (s *Spec) wholes(rows []row) []decimal.Decimal {
	all := make([]decimal.Decimal, len(s.Figures))
	for at, f := range s.Figures {
		if f.Kind != Share {
			continue
		}
		for _, r := range rows {
			n, _ := number(r.cells[len(s.Groups)+f.From[0]])
			all[at] = all[at].Add(n)
		}
	}
	return all
}

// workOut works out the figures of a row that are of others. What is divided by 0, or by what is
// missing, is missing.
func (s *Spec) workOut(cells []value.Value, whole []decimal.Decimal) {
	first := len(s.Groups)
	for at, f := range s.Figures {
		if !f.Kind.IsOfFigures() {
			continue
		}
		n, known := number(cells[first+f.From[0]])
		by := whole[at]
		if f.Kind == Share {
			n = n.Mul(decimal.NewFromInt(100))
		} else {
			var knownToo bool
			by, knownToo = number(cells[first+f.From[1]])
			known = known && knownToo
		}
		if known && !by.IsZero() {
			cells[first+at] = exact(ratio(n, by, f.Shown.Scale))
		}
	}
}

// fill adds a row for each unit of a filled group that has no records, for each combination of the
// other groups that occurs.
func (s *Spec) fill(rows []row, names [][]string) ([]row, error) {
	for at, g := range s.Groups {
		if !g.Fill || g.By == Values {
			continue
		}
		type others struct {
			keys []Key
			has  []bool // by units
		}
		var occurring []*others
		by := map[string]*others{}
		occur := func(name string, keys []Key) *others {
			o := &others{keys, make([]bool, len(names[at]))}
			by[name], occurring = o, append(occurring, o)
			return o
		}
		if len(s.Groups) == 1 { // where nothing stands beside it, it is filled though there is no record at all
			occur(nameOf(make([]Key, 1), at), make([]Key, 1))
		}
		var name []byte
		for _, r := range rows {
			name = appendName(name[:0], r.keys, at)
			o := by[string(name)]
			if o == nil {
				o = occur(string(name), r.keys)
			}
			if unit := r.keys[at].Unit; unit >= 0 {
				o.has[unit] = true
			}
		}
		for _, o := range occurring {
			for unit := range names[at] {
				if o.has[unit] {
					continue
				}
				keys := slices.Clone(o.keys)
				keys[at] = Key{Unit: unit}
				rows = append(rows, s.row(keys, nameOf(keys, -1), nil, names))
			}
			if len(rows) > MostRows {
				return nil, ErrTooMany
			}
		}
	}
	return rows, nil
}

// nameOf is a text that tells apart the keys of groups, all but one of them.
func nameOf(keys []Key, but int) string { return string(appendName(nil, keys, but)) }

func appendName(b []byte, keys []Key, but int) []byte {
	for i, k := range keys {
		if i == but {
			continue
		}
		b = strconv.AppendInt(b, int64(k.Unit), 10)
		if k.Value.IsMissing() {
			b = append(b, '-')
		}
		from := len(b)
		b = k.Value.Append(append(b, ' '))
		b = strconv.AppendInt(append(b, ' '), int64(len(b)-from), 10)
	}
	return b
}

// sort sorts rows by columns that are shown, then by the groups in order.
func (s *Spec) sort(rows []row, order []criteria.Sort) {
	shown := s.Shown()
	at := make([]int, len(order))
	for i, o := range order {
		at[i] = slices.Index(shown, o.Column)
	}
	slices.SortStableFunc(rows, func(a, b row) int {
		for i, o := range order {
			if c := s.compare(at[i], a, b, o.Descending); c != 0 {
				return c
			}
		}
		for i := range s.Groups {
			if c := s.compare(i, a, b, false); c != 0 {
				return c
			}
		}
		return 0
	})
}

// compare compares two rows by a column; what is missing comes last either way, and behind what can
// be read comes what cannot.
func (s *Spec) compare(at int, a, b row, descending bool) int {
	sign := 1
	if descending {
		sign = -1
	}
	if at < len(s.Groups) && (s.Groups[at].By != Values || a.keys[at].Unit == Others || b.keys[at].Unit == Others) {
		x, y := a.keys[at].Unit, b.keys[at].Unit
		if x < 0 || y < 0 {
			return cmp.Compare(max(0, -x), max(0, -y))
		}
		return sign * cmp.Compare(x, y)
	}
	return s.shownAt(at).Order(a.cells[at], b.cells[at], descending)
}

func (s *Spec) shownAt(at int) *column.Column {
	if at < len(s.Groups) {
		return s.Groups[at].Shown
	}
	return s.Figures[at-len(s.Groups)].Shown
}

// number is a value as an exact number, false where it is none.
func number(v value.Value) (decimal.Decimal, bool) {
	n, err := Exactly(v)
	return n, err == nil && v.IsNumber()
}

// Exactly is what a value says as an exact number, characters too.
func Exactly(v value.Value) (decimal.Decimal, error) {
	if n, ok := v.Int(); ok {
		return decimal.NewFromInt(n), nil
	}
	text, ok := v.Digits()
	if !ok {
		text = v.String()
	}
	return decimal.NewFromString(text)
}
