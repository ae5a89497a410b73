package export

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/core/prompt"
)

// paperTable is a table on its way to the paper.
type paperTable struct {
	*layout
	of     *paperSection
	size   float64 // of its text, in points
	widths []float64
}

// table lays a table out, its headings on each page.
func (l *layout) table(s *paperSection) {
	if len(s.columns) == 0 || s.told.Problem != "" && len(s.rows) == 0 {
		return
	}
	t := &paperTable{layout: l, of: s, size: textSize}
	for t.widths = t.natural(); sum(t.widths) > l.width && t.size > smallest; t.widths = t.natural() {
		t.size -= 0.5
	}
	t.squeeze()
	t.headings()
	within, left := s.told.Subtotals, 0
	if len(within) > 0 {
		left = within[0].Rows
	}
	for _, row := range s.rows {
		t.line(row, "", inkText)
		if left--; left == 0 {
			t.subtotal(within[0])
			if within = within[1:]; len(within) > 0 {
				left = within[0].Rows
			}
		}
	}
	if len(s.told.Totals) > 0 {
		t.line(t.sums(english.Title(totalText), s.told.Totals), "B", inkText)
	}
	if len(s.rows) == 0 {
		l.font("", textSize, inkQuiet)
		l.text("No records.", textSize)
	}
	if s.more > 0 {
		shown := int64(len(s.rows))
		l.note(fmt.Sprintf("These are the first %s of %s rows. CSV and XLSX have them all.",
			english.Grouped(shown), english.Grouped(shown+int64(s.more))))
	}
}

// isWide reports whether a table wants more than the width of a page.
func (l *layout) isWide(s *paperSection) bool {
	t := &paperTable{layout: l, of: s, size: textSize}
	return s.head.Kind == "table" && sum(t.natural()) > l.width
}

func sum(all []float64) (total float64) {
	for _, n := range all {
		total += n
	}
	return total
}

// mostWide is how wide a column is at most before its texts are broken, in millimetres.
const mostWide = 70.0

// natural are the widths of the columns by what is in the first rows.
func (t *paperTable) natural() []float64 {
	widths := make([]float64, len(t.of.columns))
	for i, label := range t.labels() {
		t.font("B", t.size, inkText)
		for _, word := range strings.Fields(label) {
			widths[i] = max(widths[i], t.pdf.GetStringWidth(word))
		}
		widths[i] = max(widths[i], min(t.pdf.GetStringWidth(label), 22))
		t.font("", t.size, inkText)
		for _, row := range t.of.rows[:min(len(t.of.rows), mostMeasured)] {
			widths[i] = max(widths[i], t.pdf.GetStringWidth(row[i]))
		}
		widths[i] = min(widths[i], mostWide) + 2*padding + 0.4
	}
	return widths
}

// squeeze takes width from the widest columns until the table fits; one that takes most of the width
// is spread over all of it.
func (t *paperTable) squeeze() {
	if more := t.width / sum(t.widths); more > 1 && more < 1.8 {
		for i := range t.widths {
			t.widths[i] *= more
		}
	}
	for range 1000 {
		over := sum(t.widths) - t.width
		if over <= 0 {
			break
		}
		widest := slices.Index(t.widths, slices.Max(t.widths))
		t.widths[widest] -= min(over, 1)
	}
}

func (t *paperTable) labels() []string {
	all := make([]string, len(t.of.columns))
	for i, c := range t.of.columns {
		all[i] = t.paper.drawable(c.Label)
		if c.Unit != "" {
			all[i] += " (" + t.paper.drawable(c.Unit) + ")"
		}
	}
	return all
}

func isToTheRight(c *column.Column) bool { return c.Type.IsNumeric() }

// cells breaks the cells of a row into lines, and tells how many the row takes.
func (t *paperTable) cells(row []string) (lines [][]string, most int) {
	lines = make([][]string, len(row))
	for i, cell := range row {
		lines[i] = t.split(cell, t.widths[i])
		most = max(most, len(lines[i]))
	}
	return lines, most
}

func (t *paperTable) lineHeight() float64 { return t.size * 0.47 }

// headings write the labels of the columns, over a line.
func (t *paperTable) headings() {
	t.font("B", t.size, inkDeep)
	lines, most := t.cells(t.labels())
	t.write(lines, most, "B", inkDeep)
	t.stroke(inkDeep, 0.3)
	y := t.pdf.GetY()
	t.pdf.Line(t.left, y, t.left+sum(t.widths), y)
	t.pdf.SetY(y + 0.6)
}

// line writes a row, on a new page under the headings where this one is full.
func (t *paperTable) line(row []string, style string, colour ink) {
	t.font(style, t.size, colour)
	lines, most := t.cells(row)
	const fewest = 12 // lines that are kept together; a longer cell goes on on the next page
	if t.pdf.GetY()+float64(min(most, fewest))*t.lineHeight()+1 > t.bottom {
		t.pdf.AddPage()
		t.headings()
	}
	t.write(lines, most, style, colour)
	t.stroke(inkLine, 0.15)
	y := t.pdf.GetY() + 0.4
	t.pdf.Line(t.left, y, t.left+sum(t.widths), y)
	t.pdf.SetY(y + 0.4)
}

func (t *paperTable) write(lines [][]string, most int, style string, colour ink) {
	for n := range most {
		if t.pdf.GetY()+t.lineHeight() > t.bottom+2 {
			t.pdf.AddPage()
			t.headings()
		}
		t.pdf.SetX(t.left)
		for i, of := range lines {
			align := "L"
			if isToTheRight(t.of.columns[i]) {
				align = "R"
			}
			shown := colour
			if at(of, n) == missing {
				shown = inkQuiet
			}
			t.font(style, t.size, shown)
			t.pdf.CellFormat(t.widths[i], t.lineHeight(), at(of, n), "", 0, align, false, 0, "")
		}
		t.pdf.Ln(t.lineHeight())
	}
}

// subtotal writes what rows come to that lie together.
func (t *paperTable) subtotal(s toldSubtotal) {
	t.line(t.sums(plainJSON(s.Value), s.Totals), "B", inkQuiet)
}

// sums is a row of totals under a name, which stands in the first column that has no total.
func (t *paperTable) sums(name string, totals []toldTotal) []string {
	row := make([]string, len(t.of.columns))
	for i, c := range t.of.columns {
		for _, total := range totals {
			if total.Column == c.Name {
				row[i] = total.Value
			}
		}
	}
	if free := slices.Index(row, ""); free >= 0 {
		row[free] = t.paper.drawable(name)
	}
	return row
}

// plainJSON is a JSON value as people read it.
func plainJSON(text json.RawMessage) string {
	if len(text) == 0 || string(text) == "null" {
		return missing
	}
	var s string
	if json.Unmarshal(text, &s) == nil {
		return s
	}
	return string(text)
}

const (
	figureHeight = 26.0
	changeSize   = 8.0 // points
)

// figures lays figures out side by side: each with what it is and how it changed.
func (l *layout) figures(row []*paperSection) {
	const gap = 4.0
	width := (l.width - gap*float64(len(row)-1)) / float64(len(row))
	l.font("", changeSize, inkQuiet)
	changes := make([][]string, len(row))
	tall := figureHeight
	for i, s := range row {
		for _, told := range s.changes() {
			changes[i] = append(changes[i], l.split(l.paper.drawable(told), width-4)...)
		}
		tall = max(tall, 19+float64(len(changes[i]))*4)
	}
	l.room(tall + 2)
	top := l.pdf.GetY()
	for i, s := range row {
		x := l.left + float64(i)*(width+gap)
		l.stroke(inkLine, 0.2)
		l.pdf.Rect(x, top, width, tall, "D")
		l.pdf.SetXY(x+2, top+2)
		l.font("", textSize, inkQuiet)
		l.pdf.CellFormat(width-4, 5, at(l.split(l.paper.drawable(s.head.Label), width-4), 0), "", 2, "L", false, 0, "")
		if s.told.Problem != "" {
			l.font("", textSize-1, inkAmber)
			l.pdf.MultiCell(width-4, 4, l.paper.drawable(s.told.Problem), "", "L", false)
			continue
		}
		l.font("B", 18, inkText)
		l.pdf.CellFormat(width-4, 9, l.paper.drawable(strings.TrimSpace(english.GroupedDigits(plainJSON(s.told.Value))+" "+s.told.Unit)), "", 2, "L", false, 0, "")
		l.font("", changeSize, inkQuiet)
		for _, told := range changes[i] {
			l.pdf.SetX(x + 2)
			l.pdf.CellFormat(width-4, 4, told, "", 2, "L", false, 0, "")
		}
	}
	l.pdf.SetXY(l.left, top+tall)
}

// changes say how a figure changed against other periods.
func (s *paperSection) changes() (all []string) {
	for _, other := range s.told.Compare {
		before := catalog.Compared(prompt.Derivation(other.With))
		if other.First == "" {
			all = append(all, before+": "+other.Spelled)
			continue
		}
		change := english.GroupedDigits(plainJSON(other.Difference))
		if change != missing && !strings.HasPrefix(change, "-") {
			change = "+" + change
		}
		text := fmt.Sprintf("%s: %s, %s", before, english.GroupedDigits(plainJSON(other.Value)), change)
		if other.PerCent != nil {
			text += " (" + *other.PerCent + " %)"
		}
		all = append(all, text, other.Spelled)
	}
	return all
}
