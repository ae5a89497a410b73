package cli

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/mattn/go-runewidth"

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
func writeTable(from io.Reader, to io.Writer, colour bool) error {
	t := &table{w: bufio.NewWriter(to), colour: colour}
	told, err := readResult(from, t.begin, t.row)
	if err != nil {
		t.flush()
		return err
	}
	if t.widths == nil { // no row is printed yet, and the receipt knows more
		t.notes = told.Notes
	}
	if len(t.columns) > 0 && t.rows > 0 {
		t.release()
		fmt.Fprintln(t.w)
	}
	t.say(told.Notes)
	t.totals(told.Totals)
	for _, left := range told.LeftOut {
		fmt.Fprintf(t.w, "Left out of %s: %s without a value.\n", left.Label, english.Count(int(left.Missing+left.Unreadable), "record"))
	}
	fmt.Fprintf(t.w, "%s. %s\n", recordsOf(told), told.ReadBack)
	sayEvidence(t.w, told)
	if told.ID > 0 {
		fmt.Fprintf(t.w, "Receipt %d.\n", told.ID)
	}
	return t.flush()
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

// readResult decodes a JSON result as it comes. A result without a receipt is
// refused.
//
// It follows the stream part by part, since nothing of it is held in memory.
func readResult(from io.Reader, begin func([]export.Column, []string), row func([]any)) (*receipt.Receipt, error) {
	d := json.NewDecoder(from)
	d.UseNumber()
	if _, err := d.Token(); err != nil {
		return nil, err
	}
	var told *receipt.Receipt
	var columns []export.Column
	var notes []string
	for d.More() {
		key, err := d.Token()
		if err != nil {
			return nil, err
		}
		switch key {
		case "columns":
			if err := d.Decode(&columns); err != nil {
				return nil, err
			}
		case "notes":
			if err := d.Decode(&notes); err != nil {
				return nil, err
			}
		case "rows":
			begin(columns, notes)
			if _, err := d.Token(); err != nil {
				return nil, err
			}
			for d.More() {
				var values []any
				if err := d.Decode(&values); err != nil {
					return nil, err
				}
				row(values)
			}
			if _, err := d.Token(); err != nil {
				return nil, err
			}
		case "receipt":
			told = &receipt.Receipt{}
			if err := d.Decode(told); err != nil {
				return nil, err
			}
		}
	}
	if _, err := d.Token(); err != nil {
		return nil, err
	}
	if told == nil {
		return nil, errCut
	}
	return told, nil
}

// table prints rows under headings, numbers to the right.
type table struct {
	w       *bufio.Writer
	colour  bool
	columns []export.Column
	notes   []string // that came before the rows
	said    []string // notes that are printed
	rows    int
	held    [][]string // the first rows, until the widths are set
	widths  []int
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
		t.widths[i] = runewidth.StringWidth(headings[i])
		for _, cells := range t.held {
			t.widths[i] = max(t.widths[i], runewidth.StringWidth(cells[i]))
		}
		rule[i] = strings.Repeat("─", t.widths[i])
	}
	t.print(headings, true)
	t.print(rule, true)
	for _, cells := range t.held {
		t.print(cells, false)
	}
	t.held = nil
}

func (t *table) print(cells []string, head bool) {
	for i, cell := range cells {
		if i > 0 {
			t.w.WriteString("  ")
		}
		gap := strings.Repeat(" ", max(0, t.widths[i]-runewidth.StringWidth(cell)))
		shown := cell
		if t.colour && !head && cell == missing {
			shown = "\x1b[2m" + cell + "\x1b[0m"
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
	said := make([]string, len(totals))
	for i, total := range totals {
		said[i] = total.Label + " " + total.Value
		if total.Unit != "" {
			said[i] += " " + total.Unit
		}
	}
	if len(said) > 0 {
		fmt.Fprintf(t.w, "In all: %s.\n", strings.Join(said, ", "))
	}
}
