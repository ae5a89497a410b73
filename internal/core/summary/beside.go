package summary

import (
	"slices"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/value"
)

// Aligned is, for each unit of another period, the unit of this one that it stands beside: the one
// at the same place, and of days a year apart the same day of the year, so that 29 February stands
// beside nothing. It is Missing where there is none.
func Aligned(by By, units, others []civil.Period, yearApart bool) []int {
	match := make([]int, len(others))
	for i, other := range others {
		match[i] = i
		if yearApart && by == Day && len(units) > 0 {
			year, month, date := other.First.Date()
			match[i] = Missing
			if day, ok := civil.DayOf(year+1, month, date); ok {
				match[i] = int(day - units[0].First)
			}
		}
		if match[i] < 0 || match[i] >= len(units) {
			match[i] = Missing
		}
	}
	return match
}

// beside is another summary as it stands beside a table: its rows by the names of their keys here.
type beside struct {
	spec  *Spec
	match [][]int
	rows  map[string]*row
	order []*row   // those rows as they come
	all   *Counted // of all of its records
	whole []decimal.Decimal
	alone int64 // records in units that have none beside them
}

// beside puts another summary beside groups.
func (s *Spec) beside(b Beside, groups []*group, names [][]string) beside {
	there := beside{spec: s, match: b.Match, rows: make(map[string]*row, len(b.Tally.groups)), all: s.nothing()}
	moved := make([]*group, 0, len(b.Tally.groups))
	for _, g := range b.Tally.groups {
		s.add(there.all, g.Counted)
		moves, ok := there.here(g.Keys)
		if !ok {
			there.alone += g.Records
			continue
		}
		if moves != nil {
			g = &group{Counted{moves, g.Records, g.Parts}, nameOf(moves, -1)}
		}
		moved = append(moved, g)
	}
	if at := s.Series.Group; s.Series.First > 0 && slices.ContainsFunc(groups, func(g *group) bool { return g.Keys[at].Unit == Others }) {
		kept := map[string]bool{}
		for _, g := range groups {
			kept[nameOf(g.Keys[at:at+1], -1)] = true
		}
		moved = s.gathered(moved, kept)
	}
	rows := s.rowsOf(moved, names)
	there.whole = s.wholes([]row{{cells: s.unnamed(there.all)}})
	for i, r := range rows {
		s.workOut(r.cells, there.whole)
		there.rows[r.name] = &rows[i]
		there.order = append(there.order, &rows[i])
	}
	return there
}

// here are the keys of a group of the other summary in units of this one, nil where they are the same; false
// where one has none.
func (b *beside) here(keys []Key) (moved []Key, ok bool) {
	for i, match := range b.match {
		if match == nil || keys[i].Unit < 0 || match[keys[i].Unit] == keys[i].Unit {
			continue
		}
		if match[keys[i].Unit] == Missing {
			return nil, false
		}
		if moved == nil {
			moved = slices.Clone(keys)
		}
		moved[i].Unit = match[keys[i].Unit]
	}
	return moved, true
}

// without are rows for the groups that only the other summary has.
func (b *beside) without(rows []row, names [][]string) (more []row) {
	for _, r := range rows {
		if there := b.rows[r.name]; there != nil {
			there.met = true
		}
	}
	for _, r := range b.order {
		if !r.met {
			more = append(more, b.spec.row(r.keys, r.name, nil, names))
		}
	}
	return more
}

// of are the cells of the other summary that stand beside a row: those of nothing where the other
// one has no such group, and none where the row's unit has none beside it.
func (b *beside) of(here *row) []value.Value {
	if r := b.rows[here.name]; r != nil {
		return r.cells
	}
	if here.rest != nil {
		cells := b.spec.unnamed(b.sumOf(here.rest))
		b.spec.notAdding(cells)
		b.spec.workOut(cells, b.whole)
		return cells
	}
	for i, match := range b.match {
		if unit := here.keys[i].Unit; match != nil && unit >= 0 && !slices.Contains(match, unit) {
			return nil
		}
	}
	return b.spec.unnamed(b.spec.nothing())
}

// total are the figures of all records of the other summary together.
func (b *beside) total() []value.Value { return b.spec.totalOf(b.all) }

// sumOf is what stands beside some rows, as one group.
func (b *beside) sumOf(rows []row) *Counted {
	all := b.spec.nothing()
	for _, r := range rows {
		if there := b.rows[r.name]; there != nil && there.of != nil {
			b.spec.add(all, *there.of)
		}
	}
	return all
}
