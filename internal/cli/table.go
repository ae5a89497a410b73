package cli

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/rivo/uniseg"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
	"pikegate/internal/export"
	"pikegate/internal/service/receipt"
)

// widthRows is how many rows set the widths of the columns; the rest follow as
// they come, so that memory does not grow with the result.
const widthRows = 500

const missing = "missing"

// writeTable reads a JSON result and prints it as a table with the read-back
// and the count under it.
func writeTable(from io.Reader, to io.Writer, on screen) error {
	if on.width > 0 {
		to = &wrapping{to: to, width: on.width}
	}
	t := &table{w: bufio.NewWriter(to), screen: on}
	told, err := readResult(from, t)
	if err != nil {
		t.flush()
		return err
	}
	if len(told.Sections) > 0 {
		t.said = nil
		t.say(told.Notes)
		fmt.Fprintf(t.w, "%s\n", told.ReadBack)
		if main := told.Sections[told.Main-1]; main.Records != nil {
			fmt.Fprintf(t.w, "Section %d, %s: %s.\n", main.Section, main.Label, recordsOf(told))
		}
	} else {
		t.under(told)
		fmt.Fprintf(t.w, "%s. %s\n", recordsOf(told), told.ReadBack)
	}
	sayEvidence(t.w, told)
	if told.ID > 0 {
		fmt.Fprintf(t.w, "Receipt %d.\n", told.ID)
	}
	return t.flush()
}

// under prints what stands under the rows of a table.
func (t *table) under(told *receipt.Receipt) {
	if t.widths == nil { // no row is printed yet, and the receipt knows more
		t.notes = told.Notes
	}
	within := t.interleave(told.Subtotals)
	if len(t.columns) > 0 && t.rows > 0 {
		t.release()
		fmt.Fprintln(t.w)
	}
	t.say(told.Notes)
	if !within {
		t.subtotals(told.Subtotals)
	}
	t.totals(told.Totals)
	for _, left := range told.LeftOut {
		fmt.Fprintf(t.w, "Left out of %s: %s without a value.\n", left.Label, english.Count(int(left.Missing+left.Unreadable), "record"))
	}
}

// say prints what to know before reading the rows, each note once.
func (t *table) say(notes []string) {
	for _, note := range notes {
		if !slices.Contains(t.said, note) {
			t.said = append(t.said, note)
			fmt.Fprintf(t.w, "Note: %s\n", note)
		}
	}
}

// readResult decodes a JSON result as it comes, and hands what is read to t. A result without a
// receipt is refused.
func readResult(from io.Reader, t *table) (*receipt.Receipt, error) {
	d := json.NewDecoder(from)
	d.UseNumber()
	var told *receipt.Receipt
	var columns []export.Column
	var notes []string
	err := members(d, func(key string) error {
		switch key {
		case "columns":
			return d.Decode(&columns)
		case "notes":
			return d.Decode(&notes)
		case "rows":
			t.begin(columns, notes)
			return rows(d, t.row)
		case "sections":
			return items(d, func() error { return t.section(d) })
		case "receipt":
			told = &receipt.Receipt{}
			return d.Decode(told)
		}
		return d.Decode(new(any))
	})
	if err == nil && told == nil {
		err = errCut
	}
	return told, err
}

// members hands out the names of the members of an object; read reads the value of each.
func members(d *json.Decoder, read func(name string) error) error {
	if _, err := d.Token(); err != nil {
		return err
	}
	for d.More() {
		name, err := d.Token()
		if err != nil {
			return err
		}
		if err := read(fmt.Sprint(name)); err != nil {
			return err
		}
	}
	_, err := d.Token()
	return err
}

// items reads the items of an array.
func items(d *json.Decoder, read func() error) error {
	if _, err := d.Token(); err != nil {
		return err
	}
	for d.More() {
		if err := read(); err != nil {
			return err
		}
	}
	_, err := d.Token()
	return err
}

// rows hands out rows.
func rows(d *json.Decoder, row func([]any)) error {
	return items(d, func() error {
		var values []any
		err := d.Decode(&values)
		row(values)
		return err
	})
}

// table prints rows under headings, numbers to the right.
type table struct {
	w       *bufio.Writer
	screen  screen
	columns []export.Column
	notes   []string // that came before the rows
	said    []string // notes that are printed
	rows    int
	held    [][]string // the first rows, until the widths are set
	widths  []int
	blocks  bool // each record takes lines of its own, a column each: they do not fit beside each other
}

func (t *table) begin(columns []export.Column, notes []string) { t.columns, t.notes = columns, notes }

func (t *table) row(values []any) {
	cells := make([]string, len(t.columns))
	for i, v := range values {
		cells[i] = cellText(t.columns[i], v)
	}
	t.rows++
	if t.widths != nil {
		t.print(cells, false)
		return
	}
	t.held = append(t.held, cells)
	if len(t.held) == widthRows {
		t.release()
	}
}

// release sets the widths and prints what was held back.
func (t *table) release() {
	if t.widths != nil {
		return
	}
	t.say(t.notes)
	headings, rule := make([]string, len(t.columns)), make([]string, len(t.columns))
	t.widths = make([]int, len(t.columns))
	for i, c := range t.columns {
		headings[i] = heading(c)
		t.widths[i] = uniseg.StringWidth(headings[i])
		for _, cells := range t.held {
			t.widths[i] = max(t.widths[i], uniseg.StringWidth(cells[i]))
		}
	}
	t.fit()
	for i := range rule {
		rule[i] = strings.Repeat("─", t.widths[i])
	}
	if !t.blocks {
		t.print(headings, true)
		t.print(rule, true)
	}
	for _, cells := range t.held {
		t.print(cells, false)
	}
	t.held = nil
}

// narrowest is the least width of a column whose texts are broken.
const narrowest = 9

// fit makes columns narrower, the widest first, until the table fits on the screen: texts and headings
// are broken, numbers are not. Where that does not do, each record takes lines of its own.
func (t *table) fit() {
	if t.screen.width == 0 {
		return
	}
	least := make([]int, len(t.columns))
	over := -t.screen.width - 2
	for i, c := range t.columns {
		over += t.widths[i] + 2
		if least[i] = narrowest; isNumeric(c) {
			least[i] = 5
		}
		for _, cells := range t.held {
			if isNumeric(c) {
				least[i] = max(least[i], uniseg.StringWidth(cells[i]))
			}
		}
	}
	for ; over > 0; over-- {
		widest := -1
		for i := range t.columns {
			if t.widths[i] > least[i] && (widest < 0 || t.widths[i] > t.widths[widest]) {
				widest = i
			}
		}
		if widest < 0 {
			t.blocks = true
			return
		}
		t.widths[widest]--
	}
}

// print prints a row; cells that are wider than their columns go on in further lines.
func (t *table) print(cells []string, head bool) {
	if t.blocks {
		t.block(cells)
		return
	}
	lines, most := make([][]string, len(cells)), 0
	for i, cell := range cells {
		lines[i] = broken(cell, t.widths[i], t.widths[i])
		most = max(most, len(lines[i]))
	}
	for n := range most {
		row := make([]string, len(cells))
		for i := range lines {
			if n < len(lines[i]) {
				row[i] = lines[i][n]
			}
		}
		t.printLine(row, head)
	}
}

// block prints a record, a column in each line.
func (t *table) block(cells []string) {
	wide := 0
	for _, c := range t.columns {
		wide = max(wide, uniseg.StringWidth(heading(c)))
	}
	for i, c := range t.columns {
		label := heading(c)
		fmt.Fprintf(t.w, "%s%s  %s\n", label, strings.Repeat(" ", wide-uniseg.StringWidth(label)), t.coloured(cells[i]))
	}
	t.w.WriteByte('\n')
}

// coloured is a cell as it is shown: a missing value is faint.
func (t *table) coloured(cell string) string {
	if t.screen.colour && cell == missing {
		return "\x1b[2m" + cell + "\x1b[0m"
	}
	return cell
}

func (t *table) printLine(cells []string, head bool) {
	for i, cell := range cells {
		if i > 0 {
			t.w.WriteString("  ")
		}
		gap := strings.Repeat(" ", max(0, t.widths[i]-uniseg.StringWidth(cell)))
		shown := cell
		if !head {
			shown = t.coloured(cell)
		}
		switch {
		case isNumeric(t.columns[i]):
			t.w.WriteString(gap + shown)
		case i == len(cells)-1:
			t.w.WriteString(shown)
		default:
			t.w.WriteString(shown + gap)
		}
	}
	t.w.WriteByte('\n')
}

func (t *table) flush() error {
	if t.rows > 0 {
		t.release()
	}
	return t.w.Flush()
}

func heading(c export.Column) string {
	if c.Unit == "" {
		return c.Label
	}
	return c.Label + " (" + c.Unit + ")"
}

func isNumeric(c export.Column) bool { return c.Type == "integer" || c.Type == "decimal" }

// cellText is a value as people read it: days with their weekday, no control
// characters, a missing value by name.
func cellText(c export.Column, v any) string {
	if v == nil {
		return missing
	}
	text := fmt.Sprint(v)
	switch c.Type {
	case "date":
		if d, ok := civil.ParseDay(text); ok {
			return d.Spelled()
		}
	case "datetime":
		if at, err := time.Parse("2006-01-02T15:04:05", text); err == nil {
			return instantText(at, "UTC")
		}
	case "instant":
		if at, err := time.Parse(time.RFC3339, text); err == nil {
			return instantText(at, c.Zone)
		}
	}
	return strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return ' '
		}
		return r
	}, text)
}

// instantText is the day and what clocks in the zone showed.
func instantText(at time.Time, zone string) string {
	if z, err := civil.LoadZone(zone); err == nil {
		at = at.In(z)
	}
	return at.Format("Mon _2 Jan 2006 ") + civil.ClockAt(at)
}

// totals prints the totals of columns in a line.
func (t *table) totals(totals []receipt.Total) {
	if len(totals) > 0 {
		fmt.Fprintf(t.w, "In all: %s.\n", totalsText(totals))
	}
}

// interleave puts subtotals behind the rows that they are of, where all rows are held; each stands in
// the first column, and its totals under what they are of.
func (t *table) interleave(all []receipt.Subtotal) bool {
	rows := 0
	for _, s := range all {
		rows += int(s.Rows)
	}
	if rows == 0 || rows != len(t.held) {
		return false
	}
	var held [][]string
	for _, s := range all {
		held, t.held = append(held, t.held[:s.Rows]...), t.held[s.Rows:]
		cells := make([]string, len(t.columns))
		for i, c := range t.columns {
			for _, total := range s.Totals {
				if total.Column == c.Name {
					cells[i] = total.Value
				}
			}
		}
		cells[0] = fmt.Sprintf("= %s, %d", plain(s.Value), s.Records)
		held = append(held, cells)
	}
	t.held = held
	return true
}

// subtotals prints the totals of the rows that lie together, a line for each.
func (t *table) subtotals(all []receipt.Subtotal) {
	for _, s := range all {
		fmt.Fprintf(t.w, "%s, %s: %s.\n", plain(s.Value), english.Count(int(s.Records), "record"), totalsText(s.Totals))
	}
}

func totalsText(totals []receipt.Total) string {
	said := make([]string, len(totals))
	for i, total := range totals {
		said[i] = strings.TrimSpace(total.Label + " " + total.Value + " " + total.Unit)
	}
	return strings.Join(said, ", ")
}
