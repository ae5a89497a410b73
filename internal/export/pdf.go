package export

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"codeberg.org/go-pdf/fpdf"
	"golang.org/x/image/font/sfnt"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/core/value"
)

// The font, under the SIL Open Font License: see fonts/LICENSE.md.
var (
	//go:embed fonts/SourceSans3-Regular.ttf
	regularFont []byte
	//go:embed fonts/SourceSans3-Semibold.ttf
	boldFont []byte
)

// mostPaper is how many rows of a section a PDF shows; the other formats have all.
const mostPaper = 20_000

// Paper writes a result as a PDF: what ran on the first page, then the sections, figures and charts
// drawn, tables with their headings on each page. It is laid out at the end, and sent as a whole.
type Paper struct {
	to       io.Writer
	zone     *time.Location
	asks     map[string]string
	sections []*paperSection
	open     *paperSection // the one at hand
	most     int           // mostPaper, but in tests
	font     *sfnt.Font
	buffer   sfnt.Buffer
	known    map[rune]bool // whether the font has a character
	foreign  int           // texts with characters that it has not
}

// NewPaper begins a PDF; asks are what prompts ask, by name.
func NewPaper(to io.Writer, zone *time.Location, asks map[string]string) (*Paper, error) {
	font, err := sfnt.Parse(regularFont)
	return &Paper{most: mostPaper, to: to, zone: zone, asks: asks, font: font, known: map[rune]bool{}}, err
}

// paperSection is a section with its rows as people read them.
type paperSection struct {
	output
	paper *Paper
	head  Head
	told  toldSection
	rows  [][]string
	more  int // rows beyond those that are shown
}

// Section takes the rows of a section.
func (p *Paper) Section(head Head, columns []*column.Column) Writer {
	p.open = &paperSection{paper: p, head: head, output: output{columns: columns, zone: p.zone, dates: make([]repeated, len(columns))}}
	return p.open
}

// EndSection ends the section, which may not have begun.
func (p *Paper) EndSection(head Head, tail []byte) error {
	s := p.open
	if s == nil {
		s = &paperSection{paper: p, head: head}
	}
	p.open = nil
	p.sections = append(p.sections, s)
	return json.Unmarshal(tail, &s.told)
}

// End lays the result out and sends it.
func (p *Paper) End(receipt []byte) error {
	r, err := readRan(receipt)
	if err != nil {
		return err
	}
	if s := p.open; s != nil { // the only one, of which the receipt tells
		s.told.Totals, s.told.Subtotals = r.Totals, r.Subtotals
		s.head.Label = ""
		p.sections, p.open = append(p.sections, s), nil
	}
	l := newLayout(p, r, "P")
	if slices.ContainsFunc(p.sections, l.isWide) {
		l = newLayout(p, r, "L")
	}
	l.first()
	for _, row := range inRows(p.sections) {
		l.row(row)
	}
	if p.foreign > 0 {
		l.note(fmt.Sprintf("The font lacks characters of %s, which stand as \u25a1; CSV and XLSX have them.", english.Count(p.foreign, "text")))
	}
	return l.pdf.Output(p.to)
}

func (s *paperSection) Begin() error { return nil }

func (s *paperSection) Flush() error { return nil }

func (s *paperSection) End([]byte) error { return nil }

// Row takes a row.
func (s *paperSection) Row(values []value.Value) error {
	if len(s.rows) == s.paper.most {
		s.more++
		return nil
	}
	cells := make([]string, len(s.columns))
	for i := range s.columns {
		cells[i] = s.cell(i, values[i])
	}
	s.rows = append(s.rows, cells)
	return nil
}

const (
	missing   = "missing"
	totalText = "in all"
)

// cell is a value as people read it: days with their weekday, times as clocks showed them.
func (s *paperSection) cell(i int, v value.Value) string {
	if v.IsMissing() {
		return missing
	}
	c := s.columns[i]
	if c.Type.IsDated() {
		day, micros, ok := c.Micros(v)
		zone := time.UTC
		switch {
		case ok && c.Type == column.Date:
			return day.Spelled()
		case ok && c.Type == column.Instant:
			zone = s.zone
			fallthrough
		case ok:
			at := time.UnixMicro(micros).In(zone)
			return at.Format("Mon 2 Jan 2006 ") + civil.ClockAt(at)
		}
	}
	s.room = s.appendPlain(s.room[:0], i, v)
	return s.paper.drawable(string(s.room))
}

// drawable is a text whose characters the font has; others become a square.
func (p *Paper) drawable(text string) string {
	plain := strings.Map(func(r rune) rune {
		switch {
		case r < ' ' || r == 0x7f:
			return ' '
		case r < 0x7f || p.has(r):
			return r
		}
		return '\u25a1'
	}, text)
	if strings.ContainsRune(plain, '\u25a1') && !strings.ContainsRune(text, '\u25a1') {
		p.foreign++
	}
	return plain
}

func (p *Paper) has(r rune) bool {
	known, ok := p.known[r]
	if !ok {
		glyph, err := p.font.GlyphIndex(&p.buffer, r)
		known = err == nil && glyph != 0 && r <= 0xFFFF // beyond which the library draws nothing
		p.known[r] = known
	}
	return known
}

// inRows puts figures that follow each other side by side, up to three; all else stands by itself.
func inRows(sections []*paperSection) (rows [][]*paperSection) {
	const across = 3
	for _, s := range sections {
		last := len(rows) - 1
		if s.head.Kind == "figure" && last >= 0 && rows[last][0].head.Kind == "figure" && len(rows[last]) < across {
			rows[last] = append(rows[last], s)
			continue
		}
		rows = append(rows, []*paperSection{s})
	}
	return rows
}

// layout lays a PDF out, in millimetres.
type layout struct {
	pdf    *fpdf.Fpdf
	paper  *Paper
	ran    *ran
	left   float64 // the margins
	width  float64 // between them
	bottom float64 // where the text ends
}

// Colours of the theme.
type ink [3]int

var (
	inkText  = ink{0x1d, 0x2a, 0x2c}
	inkQuiet = ink{0x5b, 0x6a, 0x6b}
	inkDeep  = ink{0x12, 0x4b, 0x52}
	inkLine  = ink{0xd9, 0xd5, 0xc8}
	inkTint  = ink{0xe3, 0xee, 0xec}
	inkAmber = ink{0xb8, 0x69, 0x0a}
)

const (
	margin   = 15.0
	textSize = 9.5 // points
	smallest = 6.5
	padding  = 1.2
	family   = "sans"
)

// newLayout begins a layout, "P" for upright pages, "L" for lying ones.
func newLayout(p *Paper, r *ran, orientation string) *layout {
	pdf := fpdf.New(orientation, "mm", "A4", "")
	pdf.AddUTF8FontFromBytes(family, "", regularFont)
	pdf.AddUTF8FontFromBytes(family, "B", boldFont)
	pdf.SetTitle(r.Title, true)
	pdf.SetAuthor(r.Person, true)
	pdf.SetCreator("Pike Gate", true)
	pdf.SetSubject(r.ReadBack, true)
	pdf.SetLang("en")
	pdf.SetCreationDate(r.StartedAt)
	pdf.SetModificationDate(r.StartedAt)
	pdf.SetMargins(margin, margin, margin)
	pdf.SetAutoPageBreak(false, 0)
	pdf.SetCellMargin(padding)
	width, height := pdf.GetPageSize()
	l := &layout{pdf: pdf, paper: p, ran: r, left: margin, width: width - 2*margin, bottom: height - margin - 3}
	pdf.AliasNbPages("{all}")
	pdf.SetFooterFunc(func() {
		pdf.SetY(height - margin + 2)
		l.font("", 8, inkQuiet)
		told := p.drawable(r.Title)
		if r.ID > 0 {
			told += fmt.Sprintf(" \u00b7 receipt %d", r.ID)
		}
		told += " \u00b7 " + r.StartedAt.In(p.zone).Format("2 Jan 2006 15:04 ") + p.zone.String()
		pdf.CellFormat(l.width-30, 5, told, "", 0, "L", false, 0, "")
		pdf.CellFormat(30, 5, fmt.Sprintf("page %d of {all}", pdf.PageNo()), "", 0, "R", false, 0, "")
	})
	pdf.AddPage()
	return l
}

func (l *layout) font(style string, size float64, colour ink) {
	l.pdf.SetFont(family, style, size)
	l.pdf.SetTextColor(colour[0], colour[1], colour[2])
}

func (l *layout) fill(colour ink) { l.pdf.SetFillColor(colour[0], colour[1], colour[2]) }

func (l *layout) stroke(colour ink, width float64) {
	l.pdf.SetDrawColor(colour[0], colour[1], colour[2])
	l.pdf.SetLineWidth(width)
}

// room begins a page where less than so much of this one is left.
func (l *layout) room(height float64) {
	if l.pdf.GetY()+height > l.bottom {
		l.pdf.AddPage()
	}
}

// text writes a text over the whole width.
func (l *layout) text(text string, size float64) {
	height := size * 0.48
	for _, part := range l.split(l.paper.drawable(text), l.width) {
		l.room(height)
		l.pdf.SetX(l.left)
		l.pdf.CellFormat(l.width, height, part, "", 1, "L", false, 0, "")
	}
}

// split breaks a text into lines of a width, by the font that is set.
func (l *layout) split(text string, width float64) []string {
	if text == "" {
		return []string{""}
	}
	if l.pdf.GetStringWidth(text) <= width-2*padding {
		return []string{text}
	}
	return l.pdf.SplitText(text, width)
}

func (l *layout) note(text string) {
	l.font("", textSize-0.5, inkAmber)
	l.text(text, textSize)
}

// first tells on the first page what ran, as a sentence and answer by answer.
func (l *layout) first() {
	r := l.ran
	l.font("B", 20, inkText)
	l.text(r.Title, 20)
	l.pdf.Ln(1.5)
	l.readBack()
	l.pdf.Ln(2)
	for _, told := range r.lines(l.paper.zone, l.paper.asks)[2:] {
		l.told(told)
	}
	if e := r.Evidence; e != nil && e.Ends != nil && e.Ends.First != nil && e.Ends.Last != nil {
		l.told(line{"First and last", e.Ends.First.Spelled + ", " + e.Ends.Last.Spelled})
	}
	for _, note := range r.Notes {
		l.note(note)
	}
	l.pdf.Ln(4)
}

// readBack is the sentence that says what ran, on the one tinted ground.
func (l *layout) readBack() {
	l.font("", 11, inkText)
	lines := l.split(l.paper.drawable(l.ran.ReadBack), l.width-6)
	const height = 5.4
	l.fill(inkTint)
	y := l.pdf.GetY()
	l.pdf.Rect(l.left, y, l.width, float64(len(lines))*height+4, "F")
	l.fill(inkDeep)
	l.pdf.Rect(l.left, y, 1.2, float64(len(lines))*height+4, "F")
	l.pdf.SetY(y + 2)
	for _, text := range lines {
		l.pdf.SetX(l.left + 3)
		l.pdf.CellFormat(l.width-6, height, text, "", 1, "L", false, 0, "")
	}
	l.pdf.SetY(y + float64(len(lines))*height + 4)
}

// told writes a thing that is told, behind its name.
func (l *layout) told(told line) {
	const name, height = 52.0, 4.7
	l.font("", textSize, inkText)
	value := l.split(l.paper.drawable(fmt.Sprint(told.value)), l.width-name)
	l.font("", textSize, inkQuiet)
	labels := l.split(l.paper.drawable(told.label), name)
	for i := range max(len(value), len(labels)) {
		l.room(height)
		l.pdf.SetX(l.left)
		l.font("", textSize, inkQuiet)
		l.pdf.CellFormat(name, height, at(labels, i), "", 0, "L", false, 0, "")
		l.font("", textSize, inkText)
		l.pdf.CellFormat(l.width-name, height, at(value, i), "", 1, "L", false, 0, "")
	}
}

func at(lines []string, i int) string {
	if i < len(lines) {
		return lines[i]
	}
	return ""
}

// row lays sections out that stand side by side.
func (l *layout) row(row []*paperSection) {
	switch row[0].head.Kind {
	case "figure":
		l.figures(row)
	case "chart":
		l.headed(row[0], chartHeight)
		l.chart(row[0])
	default:
		l.headed(row[0], 20)
		l.table(row[0])
	}
	for _, s := range row {
		for _, note := range s.told.Notes {
			l.note(note)
		}
	}
	l.pdf.Ln(5)
}

// headed writes the label of a section, with room for so much under it, and what is told of it.
func (l *layout) headed(s *paperSection, below float64) {
	l.room(below + 8)
	if s.head.Label != "" {
		l.font("B", 12, inkText)
		l.text(s.head.Label, 12)
	}
	if s.told.Says != "" {
		l.font("", textSize, inkQuiet)
		l.text(s.told.Says, textSize)
	}
	if s.told.Problem != "" {
		l.note(s.told.Problem)
	}
	l.pdf.Ln(1)
}
