package summary

import (
	"cmp"
	"errors"
	"slices"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
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

// Key is what the records of a group have in common.
type Key struct {
	Value value.Value // of a group by values
	Unit  int         // of a group by units: the number of the unit, from 0, or Unreadable or Missing
}

// The units of dates that are in none.
const (
	Unreadable = -1
	Missing    = -2
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
	Rows    [][]value.Value // as Shown says
	Records int64           // that it is of
	Left    []Part          // of each figure, in all: how many values are missing or unreadable
}

// ErrTooMany is the cause where there would be more rows than MostRows.
var ErrTooMany = errors.New("there are too many groups")

// row is a row with what it is ordered by.
type row struct {
	keys  []Key
	cells []value.Value
}

// Table makes the summary of what was counted. units are the units of each group by units. Rows are
// those that meet the conditions on their figures, nil for all, sorted by columns that are Shown,
// then by the groups in their order; what is missing comes last.
func (s *Spec) Table(counted []Counted, units [][]civil.Period, having *criteria.Bound, order []criteria.Sort) (*Table, error) {
	t := &Table{Left: make([]Part, len(s.Figures))}
	rows := make([]row, 0, len(counted))
	for _, c := range counted {
		t.Records += c.Records
		r := row{keys: c.Keys, cells: s.keyCells(c.Keys, units)}
		for i, f := range s.Figures {
			r.cells = append(r.cells, f.cell(c.Records, c.Parts[i]))
			t.Left[i].Missing += c.Parts[i].Missing
			t.Left[i].Unreadable += c.Parts[i].Unreadable
		}
		rows = append(rows, r)
	}
	filled, err := s.fill(rows, units)
	if err != nil {
		return nil, err
	}
	if having != nil {
		filled = slices.DeleteFunc(filled, func(r row) bool { return !s.meets(having, r.cells[len(s.Groups):]) })
	}
	s.sort(filled, order)
	t.Rows = make([][]value.Value, len(filled))
	for i, r := range filled {
		t.Rows[i] = r.cells
	}
	return t, nil
}

// keyCells are the keys as they are shown.
func (s *Spec) keyCells(keys []Key, units [][]civil.Period) []value.Value {
	cells := make([]value.Value, len(keys), len(keys)+len(s.Figures))
	for i, g := range s.Groups {
		switch k := keys[i]; {
		case g.By == civil.NoUnit:
			cells[i] = k.Value
		case k.Unit >= 0:
			cells[i] = value.Chars(nameOf(g.By, units[i][k.Unit]))
		case k.Unit == Unreadable:
			cells[i] = value.Chars("unreadable")
		}
	}
	return cells
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
		return exact(ratio(decimal.NewFromFloat(total), p.Taken, f.Shown.Scale))
	case f.Kind == Average:
		return exact(ratio(p.Sum, p.Taken, f.Shown.Scale))
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

// ratio is a sum divided by how many it is of, rounded half to even at a scale.
func ratio(sum decimal.Decimal, of int64, scale int) decimal.Decimal {
	n := decimal.NewFromInt(of)
	quotient, rest := sum.QuoRem(n, int32(scale)) // towards zero, with the rest that is left
	unit := decimal.New(int64(rest.Sign()), int32(-scale))
	switch twice := rest.Abs().Mul(decimal.NewFromInt(2)).Cmp(n.Mul(decimal.New(1, int32(-scale)))); {
	case twice > 0, twice == 0 && !quotient.Shift(int32(scale)).Mod(decimal.NewFromInt(2)).IsZero():
		return quotient.Add(unit)
	}
	return quotient
}

// fill adds a row for each unit of a filled group that has no records, for each combination of the
// other groups that occurs.
func (s *Spec) fill(rows []row, units [][]civil.Period) ([]row, error) {
	if len(rows) > MostRows {
		return nil, ErrTooMany
	}
	for at, g := range s.Groups {
		if !g.Fill || g.By == civil.NoUnit {
			continue
		}
		type others struct {
			keys []Key
			has  map[int]bool
		}
		var occurring []*others
		by := map[string]*others{}
		if len(s.Groups) == 1 { // where nothing stands beside it, it is filled though there is no record at all
			occurring = append(occurring, &others{make([]Key, 1), map[int]bool{}})
			by[nameOfOthers(make([]Key, 1), at)] = occurring[0]
		}
		for _, r := range rows {
			name := nameOfOthers(r.keys, at)
			if by[name] == nil {
				by[name] = &others{r.keys, map[int]bool{}}
				occurring = append(occurring, by[name])
			}
			by[name].has[r.keys[at].Unit] = true
		}
		for _, o := range occurring {
			for unit := range units[at] {
				if o.has[unit] {
					continue
				}
				keys := slices.Clone(o.keys)
				keys[at] = Key{Unit: unit}
				rows = append(rows, s.without(keys, units))
			}
			if len(rows) > MostRows {
				return nil, ErrTooMany
			}
		}
	}
	return rows, nil
}

// without is the row of a group without records.
func (s *Spec) without(keys []Key, units [][]civil.Period) row {
	r := row{keys: keys, cells: s.keyCells(keys, units)}
	for _, f := range s.Figures {
		r.cells = append(r.cells, f.cell(0, Part{}))
	}
	return r
}

// nameOfOthers is a text that tells apart the keys beside one.
func nameOfOthers(keys []Key, but int) string {
	var b strings.Builder
	for i, k := range keys {
		if i == but {
			continue
		}
		text := k.Value.String()
		b.WriteString(decimal.NewFromInt(int64(k.Unit)).String())
		if k.Value.IsMissing() {
			b.WriteString(" missing")
		}
		b.WriteByte(' ')
		b.WriteString(decimal.NewFromInt(int64(len(text))).String())
		b.WriteByte(' ')
		b.WriteString(text)
	}
	return b.String()
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
	if at < len(s.Groups) && s.Groups[at].By != civil.NoUnit {
		x, y := a.keys[at].Unit, b.keys[at].Unit
		if x < 0 || y < 0 {
			return cmp.Compare(max(0, -x), max(0, -y))
		}
		return sign * cmp.Compare(x, y)
	}
	x, y := a.cells[at], b.cells[at]
	if x.IsMissing() || y.IsMissing() {
		return cmp.Compare(truth(x.IsMissing()), truth(y.IsMissing()))
	}
	shown := s.shownAt(at)
	if shown.Type.IsDated() {
		_, p, ok := shown.Micros(x)
		_, q, okToo := shown.Micros(y)
		if !ok || !okToo {
			return cmp.Compare(truth(!ok), truth(!okToo))
		}
		return sign * cmp.Compare(p, q)
	}
	if p, ok := number(x); ok {
		if q, ok := number(y); ok {
			return sign * p.Cmp(q)
		}
	}
	return sign * x.Compare(y)
}

func (s *Spec) shownAt(at int) *column.Column {
	if at < len(s.Groups) {
		return s.Groups[at].Shown
	}
	return s.Figures[at-len(s.Groups)].Shown
}

func truth(yes bool) int {
	if yes {
		return 1
	}
	return 0
}

// number is a value as an exact number, false where it is none.
func number(v value.Value) (decimal.Decimal, bool) {
	if n, ok := v.Int(); ok {
		return decimal.NewFromInt(n), true
	}
	if f, ok := v.Float(); ok {
		n, err := decimal.NewFromString(value.Real(f).String())
		return n, err == nil
	}
	if text, ok := v.Digits(); ok {
		n, err := decimal.NewFromString(text)
		return n, err == nil
	}
	return decimal.Decimal{}, false
}
