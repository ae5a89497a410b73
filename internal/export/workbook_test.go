package export

import (
	"bytes"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

// reading prints what another program reads of a workbook: each cell with its type and format,
// and how many charts a sheet has.
const reading = `
import json, sys, openpyxl
book = openpyxl.load_workbook(sys.argv[1])
print(json.dumps([{
    "name": sheet.title, "frozen": sheet.freeze_panes, "charts": len(sheet._charts), "filters": [t.ref for t in sheet.tables.values()],
    "rows": [[[c.data_type, str(c.value), c.number_format] if c.value is not None else None for c in row] for row in sheet.iter_rows()],
} for sheet in book]))
`

type readSheet struct {
	Name, Frozen string
	Charts       int
	Filters      []string
	Rows         [][][]string
}

// readBack reads a workbook by a program that has nothing to do with what wrote it.
func readBack(t *testing.T, book []byte) []readSheet {
	t.Helper()
	file := filepath.Join(t.TempDir(), "book.xlsx")
	require.NoError(t, os.WriteFile(file, book, 0o600))
	out, err := exec.Command("/usr/bin/python3", "-c", reading, file).CombinedOutput()
	require.NoError(t, err, "%s", out)
	var sheets []readSheet
	require.NoError(t, json.Unmarshal(out, &sheets))
	return sheets
}

const receiptText = `{"id":7,"title":"Trips","person":"Ines","as_of":"2026-11-23","zone":"Europe/Helsinki","read_back":"All trips.","rows":4,` +
	`"answers":[{"prompt":"days","given":true,"spelled":"Sun 25 Oct 2026"},{"prompt":"routes","given":false}],"notes":["1 value cannot be read."],"totals":[{"column":"fare","label":"Fare","unit":"EUR","value":"24.60"}],` +
	`"started_at":"2026-11-23T08:00:00Z","evidence":{"fingerprint":"37be"}}`

func TestWorkbook(t *testing.T) {
	helsinki, err := time.LoadLocation("Europe/Helsinki")
	require.NoError(t, err)
	var b bytes.Buffer
	w := NewWorkbook(&b, helsinki, t.TempDir(), map[string]string{"days": "Which days?"})
	defer w.Close()
	all := append(columns(t), &column.Column{Name: "id2", Type: column.Integer, Label: "No."}, &column.Column{Name: "yes", Type: column.YesNo, Label: "Yes"})
	s := w.Section(Head{Section: 1, Kind: "table", Label: "Trips: all / [of them]"}, all)
	require.NoError(t, s.Begin())
	more := [][]any{
		append(rows[0], int64(9007199254740993), int64(1)), append(rows[1], int64(5), int64(0)), append(rows[2], nil, nil), append(rows[3], int64(5), int64(3)),
		{int64(5), "=1+1", value.Chars("12345678901234567.25"), "1899-12-30 00:00:00", "18991230", int64(6), nil},
		{int64(6), strings.Repeat("ö", mostCellText+1), nil, "9999-12-31 23:59:59", "99991231", nil, nil},
	}
	for _, row := range more {
		require.NoError(t, s.Row(values(row)))
	}
	assert.Zero(t, b.Len(), "nothing is sent before the end")
	require.NoError(t, w.End([]byte(receiptText)))
	sheets := readBack(t, b.Bytes())
	require.Len(t, sheets, 2)
	trips, about := sheets[0], sheets[1]
	assert.Equal(t, "Trips  all    of them", trips.Name)
	assert.Equal(t, []any{"A2", 0, []string{"A1:G7"}}, []any{trips.Frozen, trips.Charts, trips.Filters})
	var headings []string
	for _, c := range trips.Rows[0] {
		headings = append(headings, c[1])
	}
	assert.Equal(t, []string{"No.", "Name", "Fare (EUR)", "At (Europe/Helsinki)", "On", "No. (2)", "Yes"}, headings)
	assert.Equal(t, [][]string{{"n", "1", "0"}, {"s", "O'Dell \"& Sons\"", "General"}, {"n", "12.5", "#,##0.00"}, {"d", "2026-10-25 03:30:00", "yyyy-mm-dd hh:mm:ss"},
		{"d", "2026-03-05 00:00:00", "yyyy-mm-dd"}, {"s", "9007199254740993", "General"}, {"b", "True", "General"}}, trips.Rows[1])
	assert.Equal(t, []string{"s", "20260230", "General"}, trips.Rows[2][4], "no date, as it is stored")
	assert.Nil(t, trips.Rows[3][1])
	assert.Equal(t, "two\nlines, 北浜\t\ufffd", strings.ReplaceAll(trips.Rows[4][1][1], "\r\n", "\n"))
	assert.Equal(t, []string{"s", "0001-01-01"}, trips.Rows[4][4][:2], "before the format's dates")
	assert.Equal(t, []string{"s", "3"}, trips.Rows[4][6][:2], "neither yes nor no")
	assert.Equal(t, []string{"s", "=1+1"}, trips.Rows[5][1][:2], "no formula")
	assert.Equal(t, []string{"s", "12345678901234567.25"}, trips.Rows[5][2][:2], "more digits than a number has")
	assert.Equal(t, "s", trips.Rows[5][3][0], "the format's own first days are others than it says")
	assert.Len(t, []rune(trips.Rows[6][1][1]), mostCellText)

	var told []string
	for _, row := range about.Rows {
		told = append(told, row[0][1]+": "+row[1][1])
	}
	assert.Equal(t, []string{"Report: Trips", "What it says: All trips.", "Which days?: Sun 25 Oct 2026", "routes: left unanswered", "Rows: 4", "As of: 2026-11-23",
		"Days by the clock of: Europe/Helsinki", "Run by: Ines", "Run at: 2026-11-23 10:00:00 +02:00", "Receipt: 7", "Fingerprint: 37be", "In all: Fare 24.60 EUR", "Note: 1 value cannot be read.",
		"Note: Longer than the 32767 characters that a cell holds, and cut off there: 1 text. CSV and JSON have them whole",
		"Note: Control characters, which the format cannot hold, stand as \ufffd: in 1 text. CSV and JSON have them"}, told)
}

// A cell of decimals is a number where it is one that the format holds exactly, and else the text.
func TestDecimalCells(t *testing.T) {
	s := &sheet{workbook: &Workbook{}, styles: []int{3, 3}, output: newOutput(nil, []*column.Column{{Name: "fare", Type: column.Decimal, Scale: 2}, {Name: "tax", Type: column.Decimal, Scale: 2, Stored: column.StoredText}}, time.UTC)}
	for text, want := range map[string]any{"12.5": 12.5, "-0.05": -0.05, "0": 0.0, "-0": 0.0, "000123456789012.25": 123456789012.25, "1234567890123.25": 1234567890123.25, "12345678901234.25": "12345678901234.25",
		"-1234567890123.25": -1234567890123.25, "0.125": "0.125", "NaN": "NaN", "inf": "inf", "-Infinity": "-Infinity", "0x10": "0x10", "1_0": "1_0", "1e3": "1e3", "twelve": "twelve", "": ""} {
		plain := func(cell any) any {
			if styled, is := cell.(excelize.Cell); is {
				return styled.Value
			}
			return cell
		}
		assert.Equal(t, []any{want, want, text}, []any{plain(s.cell(0, value.Digits(text))), plain(s.cell(1, value.Chars(text))), s.cell(0, value.Chars(text))}, "a text among numbers stays one")
	}
}

// Several sections are several sheets; a chart is the workbook's own, drawn of the numbers beside it.
func TestWorkbookOfSections(t *testing.T) {
	var b bytes.Buffer
	w := NewWorkbook(&b, time.UTC, t.TempDir(), nil)
	defer w.Close()
	w.mostRows = 3
	month, err := column.ParsePattern("yyyy-MM-dd")
	require.NoError(t, err)
	of := []*column.Column{{Name: "month", Type: column.Date, Stored: column.StoredText, Pattern: month, Label: "Month"}, {Name: "route", Type: column.Text, Label: "Route"}, {Name: "trips", Type: column.Integer, Label: "Trips"}}
	chart := Head{Section: 1, Kind: "chart", Label: "By month", Columns: Columns(of, time.UTC), Chart: &Chart{Kind: "column", Across: "month", Up: "trips", Split: "route", Stacked: true}}
	s := w.Section(chart, of)
	require.NoError(t, s.Begin())
	for _, row := range [][]any{{"2026-01-01", "Loop", int64(3)}, {"2026-01-01", nil, int64(4)}, {"2026-02-01", "Loop", int64(5)}} {
		require.NoError(t, s.Row(values(row)))
	}
	require.NoError(t, w.EndSection(chart, []byte(`{}`)))
	plain := Head{Section: 2, Kind: "chart", Label: "by Month", Columns: Columns(of, time.UTC), Chart: &Chart{Kind: "bar", Across: "month", Up: "trips"}}
	s = w.Section(plain, of)
	require.NoError(t, s.Begin())
	require.NoError(t, s.Row(values([]any{"2026-01-01", "Loop", int64(3)})))
	require.NoError(t, w.EndSection(plain, []byte(`{}`)))
	table := Head{Section: 3, Kind: "table", Label: "Trips"}
	s = w.Section(table, of)
	require.NoError(t, s.Begin())
	for n := range int64(30) {
		require.NoError(t, s.Row(values([]any{"2026-01-01", "Loop", n})))
	}
	require.NoError(t, w.EndSection(table, []byte(`{}`)))
	failed := Head{Section: 4, Kind: "table", Label: "About"}
	w.Section(failed, of)
	require.NoError(t, w.EndSection(failed, []byte(`{"problem":"the source is away"}`)))
	require.NoError(t, w.End([]byte(`{"title":"Trips"}`)))

	sheets := readBack(t, b.Bytes())
	require.Len(t, sheets, 2+15+2)
	first := sheets[0]
	assert.Equal(t, []any{"By month", 1, "by Month (2)", 1}, []any{first.Name, first.Charts, sheets[1].Name, sheets[1].Charts})
	var pivot []string
	for _, row := range first.Rows[:3] {
		for _, c := range row[4:7] {
			if c == nil {
				pivot = append(pivot, "")
			} else {
				pivot = append(pivot, c[1])
			}
		}
	}
	assert.Equal(t, []string{"Month", "Loop", "missing", "2026-01-01 00:00:00", "3", "4", "2026-02-01 00:00:00", "5", ""}, pivot)
	assert.Equal(t, []string{"Trips", "Trips (2)", "Trips (15)"}, []string{sheets[2].Name, sheets[3].Name, sheets[16].Name})
	assert.Len(t, sheets[3].Rows, 3, "the headings again")
	assert.Equal(t, "the source is away", sheets[17].Rows[0][0][1])
	assert.Equal(t, []string{"About (2)", "About"}, []string{sheets[17].Name, sheets[18].Name})
	assert.Contains(t, fmt.Sprint(sheets[18].Rows), "Trips has more rows than a sheet holds; it goes on in further sheets")
	book, err := excelize.OpenReader(&b)
	require.NoError(t, err)
	assert.Equal(t, "By month", book.GetSheetName(book.GetActiveSheetIndex()))
}

// A result without a row has its headings.
func TestAnEmptyWorkbook(t *testing.T) {
	var b bytes.Buffer
	w := NewWorkbook(&b, time.UTC, t.TempDir(), nil)
	defer w.Close()
	s := w.Section(Head{Label: strings.Repeat("Sailings ", 9)}, columns(t))
	require.NoError(t, s.Begin())
	require.NoError(t, w.End([]byte(`{}`)))
	sheets := readBack(t, b.Bytes())
	assert.Equal(t, "Sailings Sailings Sailings Sail", sheets[0].Name)
	assert.Len(t, sheets[0].Rows, 1)
}
