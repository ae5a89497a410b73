// Package judge holds what conditions mean to a plain evaluator of its own, for
// tests: it reads criteria as they are written, decoded from YAML, and records as
// they are stored. It knows no SQL and shares no code with what it judges.
package judge

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Record is one stored record: nil for a missing value, else an int, a float64 or
// a string.
type Record map[string]any

// Type is what the values of a column mean.
type Type string

const (
	Whole   Type = "integer"
	Real    Type = "decimal"
	Text    Type = "text"
	Day     Type = "date"    // stored as 2006-01-02
	Instant Type = "instant" // stored in UTC as 2006-01-02 15:04:05
	Truth   Type = "yes-no"  // stored as 0 or 1
)

// Case is what conditions are judged by.
type Case struct {
	Kinds   map[string]Type
	Empty   map[string]bool // texts of which the empty one is missing
	Zone    *time.Location
	Answers map[string]string // by prompt; ranges as A/B; absent where left open
	Filters map[string]any
}

// Holds reports whether the criteria, as decoded from YAML, hold for a record.
// Where a prompt was left open its condition falls away; ok is false where
// nothing remains.
func (c Case) Holds(criteria any, r Record) (holds, ok bool) {
	key, value := only(criteria.(map[string]any))
	switch key {
	case "all", "any", "none":
		some, all, left := false, true, false
		for _, child := range value.([]any) {
			if holds, ok := c.Holds(child, r); ok {
				left, some, all = true, some || holds, all && holds
			}
		}
		return map[string]bool{"all": all, "any": some, "none": !some}[key], left
	case "filter":
		return c.Holds(c.Filters[value.(string)], r)
	}
	return c.condition(key, value, r)
}

func only(m map[string]any) (string, any) {
	for key, value := range m {
		return key, value
	}
	return "", nil
}

func (c Case) condition(column string, value any, r Record) (holds, ok bool) {
	stored := c.value(column, r[column])
	if word, isWord := value.(string); isWord {
		missing := r[column] == nil || c.Empty[column] && r[column] == ""
		return missing == (word == "missing"), true
	}
	parts := value.(map[string]any)
	fold := parts["ignore_case"] == "true"
	for op, operand := range parts {
		if op == "ignore_case" {
			continue
		}
		given, ok := c.operand(column, operand, r)
		if !ok {
			return false, false
		}
		if o, isMap := operand.(map[string]any); isMap && o["column"] != nil && c.Kinds[column] == Instant && stored != nil && given[0] != nil {
			stored, given = r[column], []any{r[o["column"].(string)]} // in UTC, where no hour comes twice
		}
		denied := map[string]string{"is_not": "is", "none_of": "any_of", "outside": "within"}
		if positive := denied[op]; positive != "" {
			return !c.compare(positive, stored, given, fold), true
		}
		return c.compare(op, stored, given, fold), true
	}
	panic("judge: a condition without an operator")
}

// value is a stored value as it compares: a float64 for numbers, a string for the
// rest, nil for a missing or unreadable one; instants are their wall time.
func (c Case) value(column string, stored any) any {
	switch v := stored.(type) {
	case int:
		return float64(v)
	case string:
		layout := map[Type]string{Day: time.DateOnly, Instant: time.DateTime}[c.Kinds[column]]
		switch {
		case layout == "" && v == "" && c.Empty[column]:
			return nil
		case layout == "":
			return v
		}
		at, err := time.Parse(layout, v)
		if err != nil {
			return nil
		}
		if layout == time.DateTime {
			return at.In(c.Zone).Format(time.DateTime)
		}
		return v
	}
	return stored
}

// operand are the values to compare with, in the form of value; false where they
// were left open.
func (c Case) operand(column string, operand any, r Record) ([]any, bool) {
	switch o := operand.(type) {
	case []any:
		all := make([]any, len(o))
		for i, item := range o {
			all[i] = c.literal(column, item.(string))
		}
		return all, true
	case map[string]any:
		if other, ok := o["column"]; ok {
			name := other.(string)
			return []any{c.value(name, r[name])}, true
		}
		if parts, ok := o["months"]; ok {
			return parts.([]any), true
		}
		answer, given := c.Answers[o["prompt"].(string)]
		if !given {
			return nil, false
		}
		first, last, two := strings.Cut(answer, "/")
		switch side := o["side"]; {
		case side == "start":
			return []any{c.literal(column, first)}, first != ".."
		case side == "end":
			return []any{c.literal(column, last)}, last != ".."
		case two:
			return []any{c.literal(column, first), c.literal(column, last)}, true
		}
		return []any{c.literal(column, answer)}, true
	}
	if first, last, two := strings.Cut(operand.(string), "/"); two && c.Kinds[column] != Text {
		return []any{c.literal(column, first), c.literal(column, last)}, true
	}
	return []any{c.literal(column, operand.(string))}, true
}

func (c Case) literal(column, text string) any {
	switch kind := c.Kinds[column]; {
	case text == "..":
		return nil
	case kind == Whole || kind == Real:
		n, _ := strconv.ParseFloat(text, 64)
		return n
	case kind == Truth:
		return map[string]float64{"yes": 1, "no": 0}[text]
	}
	return text
}

// compare is two-valued: nothing compares with a missing value. Days compare with
// instants by the day that clocks show.
//
// One branch for each operator: it is written to be held against the definitions of the words.
func (c Case) compare(op string, stored any, given []any, fold bool) bool {
	if stored == nil {
		return false
	}
	text, isText := stored.(string)
	if op == "recurs_in" {
		return slices.Contains(given, any(strings.TrimPrefix(text[5:7], "0")))
	}
	order := func(i int) (int, bool) {
		if given[i] == nil {
			return 0, false
		}
		if !isText {
			return cmp.Compare(stored.(float64), given[i].(float64)), true
		}
		a, b := text, given[i].(string)
		if fold {
			a, b = folded(a), folded(b)
		}
		if len(b) == len(time.DateOnly) && len(a) == len(time.DateTime) && b[4] == '-' {
			a = a[:10]
		}
		return strings.Compare(a, b), true
	}
	is := func(i int, fits func(order int) bool) bool {
		o, ok := order(i)
		return ok && fits(o)
	}
	switch op {
	case "is", "any_of":
		for i := range given {
			if is(i, func(o int) bool { return o == 0 }) {
				return true
			}
		}
		return false
	case "within":
		low, hasLow := order(0)
		high, hasHigh := order(len(given) - 1)
		return (!hasLow || low >= 0) && (!hasHigh || high <= 0)
	case "from", "at_least":
		return is(0, func(o int) bool { return o >= 0 })
	case "through", "at_most":
		return is(0, func(o int) bool { return o <= 0 })
	case "before", "less_than":
		return is(0, func(o int) bool { return o < 0 })
	case "after", "more_than":
		return is(0, func(o int) bool { return o > 0 })
	}
	part := given[0].(string)
	if fold {
		text, part = folded(text), folded(part)
	}
	switch op {
	case "contains":
		return strings.Contains(text, part)
	case "starts_with":
		return strings.HasPrefix(text, part)
	case "ends_with":
		return strings.HasSuffix(text, part)
	}
	panic("judge: no operator " + op)
}

// folded is good for the letters that the tests use.
func folded(text string) string { return strings.ToLower(strings.ToUpper(text)) }

// Order compares two records as a sort asks: by each column, missing values last
// either way. Texts of dates and instants sort as they are stored.
func (c Case) Order(a, b Record, columns []string, descending []bool) int {
	for i, name := range columns {
		va, vb := a[name], b[name]
		if c.Kinds[name] != Day && c.Kinds[name] != Instant {
			va, vb = c.value(name, va), c.value(name, vb)
		}
		if c.Empty[name] {
			va, vb = orNil(va), orNil(vb)
		}
		way := 0
		switch {
		case va == nil || vb == nil:
			if (va == nil) != (vb == nil) {
				if va == nil {
					return 1
				}
				return -1
			}
			continue
		case c.Kinds[name] == Whole || c.Kinds[name] == Real || c.Kinds[name] == Truth:
			way = cmp.Compare(va.(float64), vb.(float64))
		default:
			way = strings.Compare(va.(string), vb.(string))
		}
		if descending[i] {
			way = -way
		}
		if way != 0 {
			return way
		}
	}
	return 0
}

func orNil(v any) any {
	if v == "" {
		return nil
	}
	return v
}
