package export

import (
	"archive/zip"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"

	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/core/value"
)

// Workbook writes a result as an XLSX workbook: a sheet for each section in order, and a last one
// that tells what ran. Nothing is sent before the end, so that a workbook is there whole or not at
// all; rows wait in files of a directory until then. Close takes those away.
type Workbook struct {
	file   *excelize.File
	zone   *time.Location
	asks   map[string]string
	styles map[string]int  // by number format
	names  map[string]bool // of sheets, in small letters
	sheet  *sheet          // the one at hand
	cut    int             // texts that are longer than a cell holds
	marred int             // texts with control characters, which the format has no place for
	split  []string        // sections that have several sheets

	mostRows int // of a sheet
}

// NewWorkbook begins a workbook. Rows that wait lie in dir; asks are what prompts ask, by name.
func NewWorkbook(to io.Writer, zone *time.Location, dir string, asks map[string]string) *Workbook {
	w := &Workbook{file: excelize.NewFile(excelize.Options{TmpDir: dir}), zone: zone, asks: asks, styles: map[string]int{}, names: map[string]bool{"about": true, "history": true}, mostRows: mostSheetRows}
	w.file.SetZipWriter(func(io.Writer) excelize.ZipWriter { return zip.NewWriter(to) }) // straight on its way
	return w
}

// Close forgets what waits.
func (w *Workbook) Close() error { return w.file.Close() }

// The limits of the format.
const (
	mostSheetRows  = 1 << 20
	mostCellText   = 32_767
	mostSheetName  = 31
	mostExact      = 15 // digits of a number
	firstSheetDay  = 61 // 1 March 1900: the format counts a 29 February before it, which there was not
	lastSheetDay   = 2_958_465
	unixSheetDay   = 25_569
	secondsADay    = 86_400
	mostMeasured   = 200   // rows that widths are taken from
	mostCharted    = 5_000 // rows that a chart is drawn of
	widest         = 60.0
	narrowest      = 9.0
	lineHeight     = 15.0 // points
	aboutWidth     = 90
	firstSheetName = "Sheet1"
)

// Section begins a sheet when its first row is there.
func (w *Workbook) Section(head Head, columns []*column.Column) Writer {
	w.sheet = &sheet{workbook: w, head: head, output: output{columns: columns, zone: w.zone, dates: make([]repeated, len(columns))}}
	for _, c := range columns {
		w.sheet.styles = append(w.sheet.styles, w.style(formatOf(c)))
	}
	return w.sheet
}

// EndSection ends the sheet; one that has not begun says why.
func (w *Workbook) EndSection(head Head, tail []byte) error {
	if s := w.sheet; s != nil && s.begun {
		w.sheet = nil
		return s.finish()
	}
	w.sheet = nil
	var told struct {
		Problem string `json:"problem"`
	}
	if err := json.Unmarshal(tail, &told); err != nil {
		return err
	}
	name, err := w.newSheet(head.Label)
	if err != nil {
		return err
	}
	return w.file.SetCellStr(name, "A1", told.Problem)
}

// End tells on a last sheet what ran, and sends the workbook.
func (w *Workbook) End(receipt []byte) error {
	if s := w.sheet; s != nil { // the only one, which nothing else is told of
		w.sheet = nil
		if err := s.finish(); err != nil {
			return err
		}
	}
	if err := w.about(receipt); err != nil {
		return err
	}
	if err := w.file.DeleteSheet(firstSheetName); err != nil {
		return err
	}
	w.file.SetActiveSheet(0)
	_, err := w.file.WriteTo(io.Discard) // its bytes go through the zip writer
	return err
}

// newSheet makes a sheet of a name that the format takes and that no other has.
func (w *Workbook) newSheet(label string) (string, error) {
	name := strings.Map(func(r rune) rune {
		if strings.ContainsRune(`[]:*?/\`, r) || r < ' ' {
			return ' '
		}
		return r
	}, label)
	name = strings.Trim(strings.TrimSpace(name), "'")
	if name == "" {
		name = "Records"
	}
	is := shortened(name, mostSheetName)
	for n := 2; w.names[strings.ToLower(is)] || is == firstSheetName; n++ {
		end := fmt.Sprintf(" (%d)", n)
		is = shortened(name, mostSheetName-len(end)) + end
	}
	w.names[strings.ToLower(is)] = true
	_, err := w.file.NewSheet(is)
	return is, err
}

// shortened is the beginning of a text, so long as the format counts: in units of UTF-16.
func shortened(text string, most int) string {
	units := 0
	for i, r := range text {
		if units++; r > 0xFFFF {
			units++
		}
		if units > most {
			return strings.TrimSpace(text[:i])
		}
	}
	return text
}

// style is the one of a number format; "" for none.
func (w *Workbook) style(format string) int {
	if format == "" {
		return 0
	}
	id, known := w.styles[format]
	if !known {
		var alignment *excelize.Alignment // of numbers to the right, as usual
		if strings.HasPrefix(format, "yyyy") {
			alignment = &excelize.Alignment{Horizontal: "left"}
		}
		id, _ = w.file.NewStyle(&excelize.Style{CustomNumFmt: &format, Alignment: alignment})
		w.styles[format] = id
	}
	return id
}

// heading is the style of headings.
func (w *Workbook) heading() int {
	id, known := w.styles["heading"]
	if !known {
		id, _ = w.file.NewStyle(&excelize.Style{
			Font: &excelize.Font{Bold: true, Color: "124B52", Family: "Calibri", Size: lineHeight - 4}, Fill: excelize.Fill{Type: "pattern", Pattern: 1, Color: []string{"E3EEEC"}},
			Border: []excelize.Border{{Type: "bottom", Style: 1, Color: "124B52"}}, Alignment: &excelize.Alignment{Vertical: "top", WrapText: true},
		})
		w.styles["heading"] = id
	}
	return id
}

// sheet is a section on its way to a sheet. The first rows wait, for the widths of columns; those
// of a chart all do.
type sheet struct {
	output
	workbook *Workbook
	head     Head
	styles   []int // of its columns
	begun    bool
	stream   *excelize.StreamWriter
	waiting  [][]any
	wide     []float64 // its columns
	row      int       // the last that is written, from 1
	sheets   int       // of this section
}

func (s *sheet) Begin() error {
	s.begun = true
	return nil
}

// Flush waits for the end: nothing is sent before it.
func (s *sheet) Flush() error { return nil }

// End is told to the workbook.
func (s *sheet) End([]byte) error { return nil }

// Row takes a row.
func (s *sheet) Row(values []value.Value) error {
	cells := make([]any, len(s.columns))
	for i := range s.columns {
		cells[i] = s.cell(i, values[i])
	}
	if s.stream == nil {
		s.waiting = append(s.waiting, cells)
		if len(s.waiting) < s.mostWaiting() {
			return nil
		}
		return s.open()
	}
	return s.write(cells)
}

func (s *sheet) mostWaiting() int {
	if s.head.Kind == "chart" {
		return mostCharted
	}
	return mostMeasured
}

// open begins a sheet of the section and writes what waits.
func (s *sheet) open() (err error) {
	name, err := s.workbook.newSheet(s.head.Label)
	if err != nil {
		return err
	}
	if s.stream, err = s.workbook.file.NewStreamWriter(name); err != nil {
		return err
	}
	if s.sheets++; s.sheets == 1 {
		s.wide = s.widths()
	}
	for i, width := range s.wide {
		if err := s.stream.SetColWidth(i+1, i+1, width); err != nil {
			return err
		}
	}
	if err := s.stream.SetPanes(&frozen); err != nil {
		return err
	}
	s.row = 1
	if err := s.stream.SetRow("A1", s.headings(), excelize.RowOpts{Height: s.headingHeight()}); err != nil {
		return err
	}
	waited := s.waiting
	s.waiting = nil // they may need further sheets
	for _, cells := range waited {
		if err := s.write(cells); err != nil {
			return err
		}
	}
	return nil
}

// frozen keeps the first row in sight.
var frozen = excelize.Panes{Freeze: true, YSplit: 1, TopLeftCell: "A2", ActivePane: "bottomLeft"}

// write writes a row; where a sheet is full it goes on in a further one.
func (s *sheet) write(cells []any) error {
	if s.row == s.workbook.mostRows {
		if s.sheets == 1 {
			s.workbook.split = append(s.workbook.split, s.head.Label)
		}
		if err := s.close(); err != nil {
			return err
		}
		if err := s.open(); err != nil {
			return err
		}
	}
	s.row++
	return s.stream.SetRow("A"+strconv.Itoa(s.row), cells)
}

// close ends a sheet: its rows can be filtered by their headings.
func (s *sheet) close() error {
	if len(s.columns) > 0 && s.row > 1 {
		last, err := excelize.CoordinatesToCellName(len(s.columns), s.row)
		if err != nil {
			return err
		}
		plain := false
		if err := s.stream.AddTable(&excelize.Table{Range: "A1:" + last, ShowRowStripes: &plain}); err != nil {
			return err
		}
	}
	return s.stream.Flush()
}

// finish ends the section.
func (s *sheet) finish() error {
	if s.head.Chart != nil && s.stream == nil && len(s.waiting) > 0 {
		return s.drawn()
	}
	if s.stream == nil {
		if err := s.open(); err != nil {
			return err
		}
	}
	return s.close()
}

// labels are the headings of the columns, no two alike; with a unit where they have one, and the
// clock of times.
func (s *sheet) labels() []string {
	var all []string
	for _, c := range s.columns {
		label := c.Label
		if c.Unit != "" {
			label += " (" + c.Unit + ")"
		}
		if c.Type == column.Instant {
			label += " (" + s.zone.String() + ")"
		}
		is := label
		for n := 2; slices.Contains(all, is); n++ {
			is = fmt.Sprintf("%s (%d)", label, n)
		}
		all = append(all, is)
	}
	return all
}

func (s *sheet) headings() []any {
	var cells []any
	for _, label := range s.labels() {
		cells = append(cells, excelize.Cell{StyleID: s.workbook.heading(), Value: label})
	}
	return cells
}

// headingHeight is that of the headings, which may be longer than their columns are wide.
func (s *sheet) headingHeight() float64 {
	most := 1.0
	for i, label := range s.labels() {
		most = max(most, linesOf(label, s.wide[i]-1))
	}
	return most * lineHeight
}

// linesOf is about how many lines a text takes in a width of so many characters.
func linesOf(text string, width float64) float64 {
	return math.Ceil(max(1, float64(utf8.RuneCountInString(text))) / max(width, 1))
}

// widths are those of the columns, by what is in the first rows, in characters.
func (s *sheet) widths() []float64 {
	all := make([]float64, len(s.columns))
	for i, label := range s.labels() {
		longest := min(utf8.RuneCountInString(label), 24)
		for _, cells := range s.waiting {
			longest = max(longest, utf8.RuneCountInString(s.shown(i, cells[i])))
		}
		all[i] = min(max(float64(longest)+2.5, narrowest), widest)
	}
	return all
}

// shown is about how a cell of the i-th column reads.
func (s *sheet) shown(i int, cell any) string {
	_, isStyled := cell.(excelize.Cell)
	switch {
	case cell == nil:
		return ""
	case isStyled && s.columns[i].Type.IsDated():
		return formatOf(s.columns[i])
	}
	return read(cell)
}

// formatOf is the number format of a column, "" for the usual one.
func formatOf(c *column.Column) string {
	switch c.Type {
	case column.Date:
		return "yyyy-mm-dd"
	case column.Datetime, column.Instant:
		return "yyyy-mm-dd hh:mm:ss"
	case column.Integer:
		return "0"
	case column.Decimal:
		if c.Scale == 0 {
			return "0"
		}
		return "#,##0." + strings.Repeat("0", min(c.Scale, 30))
	}
	return ""
}

// cell is a value of the i-th column as the format has it: a number, a date, true or false, or a
// text, which is never a formula. What the format cannot hold exactly is written as text.
func (s *sheet) cell(i int, v value.Value) any {
	if v.IsMissing() {
		return nil
	}
	c := s.columns[i]
	switch c.Type {
	case column.Integer:
		if n, ok := v.Int(); ok && n < 1e15 && n > -1e15 {
			return excelize.Cell{StyleID: s.styles[i], Value: n}
		}
	case column.Number:
		if n, ok := v.Int(); ok && n < 1e15 && n > -1e15 {
			return n
		}
		if f, ok := v.Float(); ok && !math.IsNaN(f) && !math.IsInf(f, 0) {
			return f
		}
	case column.Decimal:
		text, fits := c.AppendDecimal(s.room[:0], v)
		s.room = text
		if exact := string(text); fits && (v.IsNumber() || c.IsExactText()) && value.IsPlainNumber(exact) && digitsIn(exact) <= mostExact {
			if f, err := strconv.ParseFloat(exact, 64); err == nil {
				return excelize.Cell{StyleID: s.styles[i], Value: f}
			}
		}
	case column.YesNo:
		if n, ok := v.Int(); ok && (n == 0 || n == 1) {
			return n == 1
		}
	case column.Date, column.Datetime, column.Instant:
		if serial, ok := s.serial(c, v); ok {
			return excelize.Cell{StyleID: s.styles[i], Value: serial}
		}
	}
	s.room = s.appendPlain(s.room[:0], i, v)
	text := string(s.room)
	if strings.ContainsFunc(text, func(r rune) bool { return r < ' ' && r != '\t' && r != '\n' && r != '\r' }) {
		s.workbook.marred++
	}
	if len(text) > mostCellText {
		if short := shortened(text, mostCellText); short != text {
			s.workbook.cut++
			text = short
		}
	}
	return text
}

// digitsIn is how many digits a plain number has, without zeros at its beginning.
func digitsIn(number string) (n int) {
	for i := range len(number) {
		if c := number[i]; c >= '1' && c <= '9' || c == '0' && n > 0 {
			n++
		}
	}
	return n
}

// serial is a date as the format counts it, in days; false for one that it cannot count.
func (s *sheet) serial(c *column.Column, v value.Value) (float64, bool) {
	day, micros, ok := c.Micros(v)
	switch {
	case !ok:
		return 0, false
	case c.Type == column.Date:
		micros = day.Midnight() * 1e6
	case c.Type == column.Instant:
		_, offset := time.UnixMicro(micros).In(s.zone).Zone()
		micros += int64(offset) * 1e6
	}
	serial := unixSheetDay + float64(micros)/(secondsADay*1e6)
	return serial, serial >= firstSheetDay && serial < lastSheetDay+1
}

// about tells on a last sheet what ran: the report, what it says, each answer, the receipt.
func (w *Workbook) about(text []byte) error {
	r, err := readRan(text)
	if err != nil {
		return err
	}
	const name = "About"
	if _, err := w.file.NewSheet(name); err != nil {
		return err
	}
	var rows [][2]any
	told := append(r.lines(w.zone, w.asks), totalLines(english.Title(totalText), r.Totals)...)
	for _, s := range r.Sections {
		told = append(told, totalLines(s.Label+", "+totalText, s.Totals)...)
	}
	for _, l := range told {
		rows = append(rows, [2]any{l.label, l.value})
	}
	for _, s := range r.Sections {
		if s.Says != "" {
			rows = append(rows, [2]any{s.Label, s.Says})
		}
		for _, note := range append(slices.Clone(s.Notes), s.Problem) {
			if note != "" {
				rows = append(rows, [2]any{s.Label, note})
			}
		}
	}
	for _, note := range r.Notes {
		rows = append(rows, [2]any{"Note", note})
	}
	for _, label := range w.split {
		rows = append(rows, [2]any{"Note", fmt.Sprintf("%s has more rows than a sheet holds; it goes on in further sheets", label)})
	}
	if w.cut > 0 {
		rows = append(rows, [2]any{"Note", fmt.Sprintf("Longer than the %d characters that a cell holds, and cut off there: %s. CSV and JSON have them whole", mostCellText, english.Count(w.cut, "text"))})
	}
	if w.marred > 0 {
		rows = append(rows, [2]any{"Note", fmt.Sprintf("Control characters, which the format cannot hold, stand as \ufffd: in %s. CSV and JSON have them", english.Count(w.marred, "text"))})
	}
	wrapped, err := w.file.NewStyle(&excelize.Style{Alignment: &excelize.Alignment{WrapText: true, Vertical: "top", Horizontal: "left"}})
	if err != nil {
		return err
	}
	if err := w.file.SetColWidth(name, "A", "A", 24); err != nil {
		return err
	}
	if err := w.file.SetColWidth(name, "B", "B", aboutWidth); err != nil {
		return err
	}
	for i, row := range rows {
		at := strconv.Itoa(i + 1)
		if err := w.file.SetSheetRow(name, "A"+at, &[]any{row[0], row[1]}); err != nil {
			return err
		}
		if err := w.file.SetRowHeight(name, i+1, min(409, lineHeight*linesOf(fmt.Sprint(row[1]), aboutWidth))); err != nil {
			return err
		}
	}
	last := strconv.Itoa(len(rows))
	if err := w.file.SetCellStyle(name, "A1", "A"+last, w.heading()); err != nil {
		return err
	}
	return w.file.SetCellStyle(name, "B1", "B"+last, wrapped)
}
