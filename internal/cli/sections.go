package cli

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/rivo/uniseg"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/prompt"
	"pikegate/internal/export"
	"pikegate/internal/service/receipt"
)

// section reads a section as it comes and prints it: a figure as a line, a chart as blocks beside its
// numbers, a table as one of its own.
func (t *table) section(d *json.Decoder) error {
	var head export.Head
	var told receipt.Section
	var held [][]any // the rows of a figure or a chart
	shown := &table{w: t.w, screen: t.screen}
	tail := map[string]json.RawMessage{}
	err := members(d, func(name string) error {
		switch name {
		case "kind":
			return d.Decode(&head.Kind)
		case "label":
			return d.Decode(&head.Label)
		case "chart":
			return d.Decode(&head.Chart)
		case "columns":
			return d.Decode(&head.Columns)
		case "rows":
			if head.Kind != "table" {
				return rows(d, func(row []any) { held = append(held, row) })
			}
			fmt.Fprintf(t.w, "%s\n", strings.ToUpper(head.Label))
			shown.begin(head.Columns, nil)
			return rows(d, shown.row)
		}
		var text json.RawMessage
		err := d.Decode(&text)
		tail[name] = text
		return err
	})
	if err != nil {
		return err
	}
	text, err := json.Marshal(tail)
	if err == nil {
		err = json.Unmarshal(text, &told)
	}
	if err != nil {
		return err
	}
	switch {
	case head.Kind == "table":
		shown.under(&receipt.Receipt{Notes: told.Notes, Subtotals: told.Subtotals, Totals: told.Totals, LeftOut: told.LeftOut})
	case head.Kind == "figure":
		t.figure(head, told)
	case len(held) > 0:
		t.chart(head, held)
		t.said = nil
		t.say(told.Notes)
	}
	if told.Problem != "" {
		fmt.Fprintf(t.w, "%s is not there, or not whole: %s\n", head.Label, told.Problem)
	}
	if told.Says != "" && head.Kind != "figure" {
		fmt.Fprintf(t.w, "%s\n", told.Says)
	}
	fmt.Fprintln(t.w)
	return t.w.Flush()
}

// figure prints a figure and how it changed.
func (t *table) figure(head export.Head, told receipt.Section) {
	if told.Value == nil {
		return
	}
	fmt.Fprintf(t.w, "%s: %s\n", head.Label, strings.TrimSpace(plain(told.Value)+" "+told.Unit))
	for _, other := range told.Compare {
		before := catalog.Compared(prompt.Derivation(other.With))
		if other.First == nil {
			fmt.Fprintf(t.w, "  %s: %s\n", before, other.Spelled)
			continue
		}
		change := ""
		if other.Difference != nil && string(other.Difference) != "null" {
			change = ", " + signed(plain(other.Difference))
			if other.PerCent != nil {
				change += " (" + signed(*other.PerCent) + " %)"
			}
		}
		fmt.Fprintf(t.w, "  %s, %s: %s%s\n", before, other.Spelled, strings.TrimSpace(plain(other.Value)+" "+told.Unit), change)
	}
	if line := sparks(told.Line); line != "" {
		fmt.Fprintf(t.w, "  %s  %s to %s\n", line, told.Line[0].Of, told.Line[len(told.Line)-1].Of)
	}
	t.said = nil
	for _, note := range told.Notes {
		fmt.Fprintf(t.w, "  %s\n", note)
	}
}

// plain is a JSON value as people read it.
func plain(text json.RawMessage) string {
	if len(text) == 0 || string(text) == "null" {
		return missing
	}
	var s string
	if json.Unmarshal(text, &s) == nil {
		return s
	}
	return string(text)
}

func signed(number string) string {
	if strings.HasPrefix(number, "-") || strings.Trim(number, "0.") == "" {
		return number
	}
	return "+" + number
}

const levels = "▁▂▃▄▅▆▇█"

// mostSparks is how many points a line of blocks has at most; of longer ones the last are shown.
const mostSparks = 100

// sparks draws a line of blocks, a blank where there is no number.
func sparks(line []receipt.Point) string {
	if len(line) < 2 {
		return ""
	}
	line = line[max(0, len(line)-mostSparks):]
	most := 0.0
	for _, p := range line {
		most = max(most, amount(plain(p.Value)))
	}
	var b strings.Builder
	steps := []rune(levels)
	for _, p := range line {
		n := amount(plain(p.Value))
		switch {
		case plain(p.Value) == missing || n <= 0 || most <= 0:
			b.WriteByte(' ')
		default:
			b.WriteRune(steps[min(len(steps)-1, int(n/most*float64(len(steps))))])
		}
	}
	return b.String()
}

func amount(text string) float64 {
	n, _ := strconv.ParseFloat(text, 64) // 0 for what is missing
	return n
}

// The longest bar of a chart has so many letters: the first where there is room, the second at least.
const (
	usualBar    = 30
	shortestBar = 6
)

// bar draws a number as a bar, the most as one of a width, to an eighth of a letter.
func bar(n, most float64, width int) string {
	if most <= 0 || n <= 0 {
		return ""
	}
	eighths := int(n/most*float64(width)*8 + 0.5)
	full, rest := eighths/8, eighths%8
	b := strings.Repeat("█", full)
	if rest > 0 {
		b += string([]rune("▏▎▍▌▋▊▉")[rest-1])
	}
	return b
}

// drawn is what a chart has at a place along its axis.
type drawn struct {
	at      string
	numbers map[string]string // by series
	sum     float64           // of them
	others  []string          // of the other periods
}

// chart prints a chart: for each place along its axis a bar and the numbers.
func (t *table) chart(head export.Head, rows [][]any) {
	c := head.Chart
	at := func(name string) int {
		return slices.IndexFunc(head.Columns, func(col export.Column) bool { return col.Name == name })
	}
	across, up, split := at(c.Across), at(c.Up), at(c.Split)
	var places []*drawn
	known := map[string]*drawn{}
	var series []string
	for _, row := range rows {
		place := cellText(head.Columns[across], row[across])
		one := ""
		if split >= 0 {
			one = cellText(head.Columns[split], row[split])
		}
		if !slices.Contains(series, one) {
			series = append(series, one)
		}
		p := known[place]
		if p == nil {
			p = &drawn{at: place, numbers: map[string]string{}}
			places, known[place] = append(places, p), p
		}
		p.numbers[one] = cellText(head.Columns[up], row[up])
		p.sum += amount(p.numbers[one])
		if split < 0 {
			for _, other := range c.Compare {
				p.others = append(p.others, cellText(head.Columns[at(other.Up)], row[at(other.Up)]))
			}
		}
	}
	unit := head.Columns[up].Unit
	if c.Kind == "share" {
		unit = strings.TrimSpace(unit + ", and in per cent of each")
	}
	if unit != "" {
		unit = " (" + unit + ")"
	}
	fmt.Fprintf(t.w, "%s%s\n", strings.ToUpper(head.Label), unit)
	if split >= 0 {
		slices.SortStableFunc(series, func(a, b string) int { return lastly(a) - lastly(b) })
		for i, one := range series {
			fmt.Fprintf(t.w, "%s %s", map[bool]string{true: "", false: ", "}[i == 0]+letter(i), one)
		}
		fmt.Fprintln(t.w)
	}
	t.bars(head, places, series)
}

// lastly puts what is no value of its own behind those that are.
func lastly(series string) int {
	return map[string]int{missing: 1, "unreadable": 2, "others": 3}[series]
}

func letter(i int) string { return string(rune('a' + i)) }

// bars prints the places of a chart under each other.
func (t *table) bars(head export.Head, places []*drawn, series []string) {
	most, wide, numberWidth := 0.0, 0, 0
	bars := len(series) == 1 || head.Chart.AddsUp
	sums := make([]string, len(places))
	for i, p := range places {
		exact, isWhole := int64(0), true
		for _, n := range p.numbers {
			whole, err := strconv.ParseInt(n, 10, 64)
			exact, isWhole = exact+whole, isWhole && err == nil
			numberWidth = max(numberWidth, len(n))
		}
		switch {
		case len(series) == 1:
			sums[i] = p.numbers[series[0]]
		case isWhole:
			sums[i] = strconv.FormatInt(exact, 10)
		default:
			sums[i] = strconv.FormatFloat(p.sum, 'f', 2, 64)
		}
		most, wide, numberWidth = max(most, p.sum), max(wide, uniseg.StringWidth(p.at)), max(numberWidth, len(sums[i]))
	}
	barWidth := usualBar
	if numbers := len(series); t.screen.width > 0 {
		if numbers == 1 {
			numbers = len(head.Chart.Compare)
		}
		barWidth = max(shortestBar, min(usualBar, t.screen.width-wide-4-numberWidth-numbers*(numberWidth+2)))
	}
	line := func(place, sum, blocks string, numbers []string) {
		text := place + strings.Repeat(" ", wide-uniseg.StringWidth(place))
		if bars {
			text += fmt.Sprintf("  %*s  %s%s", numberWidth, sum, blocks, strings.Repeat(" ", barWidth-utf8.RuneCountInString(blocks)))
		}
		for _, n := range numbers {
			text += fmt.Sprintf("  %*s", numberWidth, n)
		}
		fmt.Fprintln(t.w, strings.TrimRight(text, " "))
	}
	if len(series) > 1 || len(head.Chart.Compare) > 0 {
		var letters []string
		for i := range series {
			if len(series) > 1 {
				letters = append(letters, letter(i))
			}
		}
		if len(series) == 1 {
			for range head.Chart.Compare {
				letters = append(letters, "then")
			}
		}
		line("", "", "", letters)
	}
	for i, p := range places {
		var numbers []string
		for _, one := range series {
			switch n := p.numbers[one]; {
			case len(series) == 1:
			case n == missing || n == "":
				numbers = append(numbers, "-")
			case head.Chart.Kind == "share" && p.sum > 0:
				numbers = append(numbers, strconv.FormatFloat(100*amount(n)/p.sum, 'f', 1, 64))
			default:
				numbers = append(numbers, n)
			}
		}
		line(p.at, sums[i], bar(p.sum, most, barWidth), append(numbers, p.others...))
	}
}
