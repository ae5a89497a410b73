package judge

import (
	"fmt"
	"math/big"
	"slices"
	"strings"
	"time"
)

// Group is what records are put together by: the values of a column, or what its dates are in.
type Group struct {
	Column, By string
	Fill       []string // the units that have a row though no record is in them
}

// Figure is a figure of each group, of a column or of none.
type Figure struct{ Kind, Column string }

// Summed are the rows of a summary in no order: the groups, then the figures. A missing cell is "-";
// numbers are exact fractions.
func (c Case) Summed(records []Record, groups []Group, figures []Figure) []string {
	together := map[string][]Record{}
	beside := map[string]bool{} // combinations of the other groups, by the place of a filled one
	for _, r := range records {
		keys := make([]string, len(groups))
		for i, g := range groups {
			keys[i] = c.key(r, g)
		}
		name := strings.Join(keys, "\x00")
		together[name] = append(together[name], r)
	}
	for i, g := range groups {
		if len(g.Fill) == 0 {
			continue
		}
		clear(beside)
		for name := range together {
			keys := strings.Split(name, "\x00")
			keys[i] = ""
			beside[strings.Join(keys, "\x00")] = true
		}
		if len(groups) == 1 {
			beside[""] = true
		}
		for name := range beside {
			for _, unit := range g.Fill {
				keys := strings.Split(name, "\x00")
				keys[i] = unit
				if filled := strings.Join(keys, "\x00"); together[filled] == nil {
					together[filled] = []Record{}
				}
			}
		}
	}
	if len(groups) == 0 {
		together[""] = records
	}
	var rows []string
	for name, of := range together {
		cells := strings.Split(name, "\x00")
		if len(groups) == 0 {
			cells = nil
		}
		for _, f := range figures {
			cells = append(cells, c.figure(of, f))
		}
		rows = append(rows, strings.Join(cells, "|"))
	}
	slices.Sort(rows)
	return rows
}

// key is what a record is put into.
func (c Case) key(r Record, g Group) string {
	stored := r[g.Column]
	if stored == nil || c.Empty[g.Column] && stored == "" {
		return "-"
	}
	if g.By == "" {
		return fmt.Sprint(stored)
	}
	of, isText := c.value(g.Column, stored).(string)
	if !isText {
		return "unreadable"
	}
	at, err := time.Parse(time.DateTime, of)
	if err != nil {
		at, _ = time.Parse(time.DateOnly, of) // which value has made sure of
	}
	return UnitOf(at, g.By)
}

// UnitOf is the unit of the calendar, or the part of it, that a wall time is in.
func UnitOf(at time.Time, by string) string {
	switch by {
	case "day":
		return at.Format(time.DateOnly)
	case "week":
		year, week := at.ISOWeek()
		return fmt.Sprintf("%d-W%02d", year, week)
	case "month":
		return at.Format("2006-01")
	case "quarter":
		return fmt.Sprintf("%d-Q%d", at.Year(), (int(at.Month())+2)/3)
	case "year":
		return at.Format("2006")
	case "weekday":
		return at.Weekday().String()
	case "month_of_year":
		return at.Month().String()
	}
	return at.Format("15:00") // hour_of_day
}

// figure reads the records of a group one by one.
func (c Case) figure(of []Record, f Figure) string {
	if f.Kind == "count" {
		return fmt.Sprint(len(of))
	}
	different := map[string]bool{}
	sum, least, greatest := new(big.Rat), (*big.Rat)(nil), (*big.Rat)(nil)
	taken := int64(0)
	for _, r := range of {
		stored := r[f.Column]
		if stored == nil || c.Empty[f.Column] && stored == "" {
			continue
		}
		different[fmt.Sprint(stored)] = true
		n, ok := new(big.Rat).SetString(fmt.Sprint(stored))
		if !ok {
			continue
		}
		taken++
		sum.Add(sum, n)
		if least == nil || n.Cmp(least) < 0 {
			least = n
		}
		if greatest == nil || n.Cmp(greatest) > 0 {
			greatest = n
		}
	}
	switch {
	case f.Kind == "count_distinct":
		return fmt.Sprint(len(different))
	case f.Kind == "sum":
		return sum.RatString()
	case taken == 0:
		return "-"
	case f.Kind == "least":
		return least.RatString()
	case f.Kind == "greatest":
		return greatest.RatString()
	}
	return sum.Quo(sum, new(big.Rat).SetInt64(taken)).RatString() // average
}
