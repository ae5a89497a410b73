package export

import (
	"fmt"
	"slices"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
)

// drawn writes the sheet of a chart: its rows, and beside them the chart as the workbook's own. A
// chart of several series has their numbers side by side too, as it is drawn from.
func (s *sheet) drawn() error {
	name, err := s.workbook.newSheet(s.head.Label)
	if err != nil {
		return err
	}
	f := s.workbook.file
	grid := grid{name: name, file: f}
	s.wide = s.widths()
	for i, width := range s.wide {
		grid.wide(i+1, width)
	}
	if err := f.SetRowHeight(name, 1, s.headingHeight()); err != nil {
		return err
	}
	grid.row(1, 1, s.headings())
	for i, cells := range s.waiting {
		grid.row(1, i+2, cells)
	}
	if err := f.SetPanes(name, &frozen); err != nil {
		return err
	}
	series, right := s.series(&grid)
	if grid.err != nil {
		return grid.err
	}
	at, err := excelize.CoordinatesToCellName(right+2, 2)
	if err != nil || len(series) == 0 {
		return err
	}
	return f.AddChart(name, at, &excelize.Chart{
		Type: s.chartType(), Series: series, Legend: excelize.ChartLegend{Position: "bottom"},
		Title:     excelize.ChartTitle{Paragraph: []excelize.RichTextRun{{Text: s.head.Label}}},
		Dimension: excelize.ChartDimension{Width: 860, Height: 420},
	})
}

// chartType is the workbook's word for how a chart is drawn.
func (s *sheet) chartType() excelize.ChartType {
	stacked := s.head.Chart.Stacked
	switch s.head.Chart.Kind {
	case "line":
		return excelize.Line
	case "area":
		if stacked {
			return excelize.AreaStacked
		}
		return excelize.Area
	case "share":
		return excelize.ColPercentStacked
	case "bar":
		if stacked {
			return excelize.BarStacked
		}
		return excelize.Bar
	}
	if stacked {
		return excelize.ColStacked
	}
	return excelize.Col
}

// grid writes cells one by one; the first failure stays.
type grid struct {
	name string
	file *excelize.File
	err  error
}

func (g *grid) row(column, row int, cells []any) {
	for i, cell := range cells {
		g.cell(column+i, row, cell)
	}
}

func (g *grid) cell(column, row int, cell any) {
	at, err := excelize.CoordinatesToCellName(column, row)
	styled, isStyled := cell.(excelize.Cell)
	if isStyled {
		cell = styled.Value
	}
	if err == nil && cell != nil {
		err = g.file.SetCellValue(g.name, at, cell)
	}
	if err == nil && isStyled && styled.StyleID > 0 {
		err = g.file.SetCellStyle(g.name, at, at, styled.StyleID)
	}
	if g.err == nil {
		g.err = err
	}
}

func (g *grid) wide(column int, width float64) {
	name, err := excelize.ColumnNumberToName(column)
	if err == nil {
		err = g.file.SetColWidth(g.name, name, name, width)
	}
	if g.err == nil {
		g.err = err
	}
}

// read is a cell as a text.
func read(cell any) string {
	switch c := cell.(type) {
	case nil:
		return "missing"
	case excelize.Cell:
		return fmt.Sprint(c.Value)
	}
	return fmt.Sprint(cell)
}

// place is a part of a column as charts name it, row by row from first through last.
func (g *grid) place(column, first, last int) string {
	from, err := excelize.CoordinatesToCellName(column, first, true)
	to, wrong := excelize.CoordinatesToCellName(column, last, true)
	if g.err == nil && (err != nil || wrong != nil) {
		g.err = fmt.Errorf("column %d has no name", column)
	}
	if first == last {
		to = ""
	} else {
		to = ":" + to
	}
	return "'" + g.name + "'!" + from + to
}

// series are those of the chart, and the last column that is taken.
func (s *sheet) series(g *grid) (all []excelize.ChartSeries, right int) {
	chart := s.head.Chart
	find := func(name string) int {
		return slices.IndexFunc(s.head.Columns, func(c Column) bool { return c.Name == name })
	}
	across, up, split := find(chart.Across), find(chart.Up), find(chart.Split)
	right = len(s.columns)
	last := len(s.waiting) + 1
	if across < 0 || up < 0 {
		return nil, right
	}
	if split < 0 {
		drawn := []int{up}
		for _, other := range chart.Compare {
			if i := find(other.Up); i >= 0 {
				drawn = append(drawn, i)
			}
		}
		for _, i := range drawn {
			all = append(all, excelize.ChartSeries{Name: g.place(i+1, 1, 1), Categories: g.place(across+1, 2, last), Values: g.place(i+1, 2, last)})
		}
		return all, right
	}
	rows, columns := map[string]int{}, map[string]int{}
	left := right + 2
	g.wide(left, s.wide[across])
	g.cell(left, 1, excelize.Cell{StyleID: s.workbook.heading(), Value: s.labels()[across]})
	for _, cells := range s.waiting {
		unit, of := read(cells[across]), read(cells[split])
		if _, known := rows[unit]; !known {
			rows[unit] = len(rows) + 2
			g.cell(left, rows[unit], cells[across])
		}
		if _, known := columns[of]; !known {
			columns[of] = left + 1 + len(columns)
			g.wide(columns[of], min(max(float64(utf8.RuneCountInString(of))+2.5, narrowest), widest))
			g.cell(columns[of], 1, excelize.Cell{StyleID: s.workbook.heading(), Value: of})
		}
		g.cell(columns[of], rows[unit], cells[up])
	}
	last, right = len(rows)+1, left+len(columns)
	for column := left + 1; column <= right; column++ {
		all = append(all, excelize.ChartSeries{Name: g.place(column, 1, 1), Categories: g.place(left, 2, last), Values: g.place(column, 2, last)})
	}
	return all, right
}
