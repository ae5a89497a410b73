package load

import (
	"fmt"
	"io"
	"os"
	"regexp"
	"strconv"
	"strings"

	"github.com/xuri/excelize/v2"

	"pikegate/internal/core/record"
)

// xlsxRows is a sheet of an XLSX file.
type xlsxRows struct {
	file  *excelize.File
	sheet string
	rows  *excelize.Rows
	names []string
	line  int
	dates map[int]bool // styles by number: whether it shows dates
	shift float64      // days from the file's own start of days to 1899-12-30
	spool string
}

// openXLSX puts the file aside first: its parts stand in any order.
func openXLSX(from io.Reader, sheet string) (*xlsxRows, error) {
	spool, err := os.CreateTemp("", "load-*.xlsx")
	if err != nil {
		return nil, err
	}
	x := &xlsxRows{spool: spool.Name(), dates: map[int]bool{}}
	_, err = io.Copy(spool, from)
	if closing := spool.Close(); err == nil {
		err = closing
	}
	if err == nil {
		x.file, err = excelize.OpenFile(x.spool, excelize.Options{RawCellValue: true})
	}
	if err != nil {
		os.Remove(x.spool)
		return nil, refuse(BadFile, "this is no XLSX file that can be read: %s", err)
	}
	if err := x.start(sheet); err != nil {
		x.close()
		return nil, err
	}
	return x, nil
}

// from1904 is how many days after 1899-12-30 those are counted from that count from 1904.
const from1904 = 1462

func (x *xlsxRows) start(sheet string) error {
	if props, err := x.file.GetWorkbookProps(); err == nil && props.Date1904 != nil && *props.Date1904 {
		x.shift = from1904
	}
	sheets := x.file.GetSheetList()
	x.sheet = sheet
	if sheet == "" && len(sheets) > 0 {
		x.sheet = sheets[0]
	}
	var err error
	if x.rows, err = x.file.Rows(x.sheet); err != nil {
		return refuse(BadFile, "the file has no sheet %q; it has %s", x.sheet, strings.Join(sheets, ", "))
	}
	for len(x.names) == 0 {
		if !x.rows.Next() {
			return refuse(BadFile, "the sheet is empty")
		}
		x.line++
		if x.names, err = x.rows.Columns(); err != nil {
			return refuse(BadFile, "%s", err)
		}
	}
	for i := range x.names {
		x.names[i] = strings.TrimSpace(x.names[i])
	}
	return nil
}

// aside is what stands in a number format without being part of a date: texts in quotes,
// colours and conditions in brackets, single characters behind a backslash.
var aside = regexp.MustCompile(`"[^"]*"|\[[^\]]*\]|\\.`)

// isDate reports whether a cell is shown as a date.
func (x *xlsxRows) isDate(column int) bool {
	cell, err := excelize.CoordinatesToCellName(column, x.line)
	if err != nil {
		return false
	}
	id, err := x.file.GetCellStyle(x.sheet, cell)
	if err != nil || id == 0 {
		return false
	}
	if shows, known := x.dates[id]; known {
		return shows
	}
	style, err := x.file.GetStyle(id)
	if err != nil {
		return false
	}
	shows := style.NumFmt >= 14 && style.NumFmt <= 17 || style.NumFmt == 22 || style.NumFmt >= 27 && style.NumFmt <= 36 || style.NumFmt >= 50 && style.NumFmt <= 58
	if style.CustomNumFmt != nil {
		shows = strings.ContainsAny(strings.ToLower(aside.ReplaceAllString(*style.CustomNumFmt, "")), "yd")
	}
	x.dates[id] = shows
	return shows
}

func (x *xlsxRows) dialect() string { return "XLSX, sheet " + x.sheet }

func (x *xlsxRows) header() []string { return x.names }

func (x *xlsxRows) close() error {
	if x.rows != nil {
		x.rows.Close()
	}
	err := x.file.Close()
	os.Remove(x.spool)
	return err
}

func (x *xlsxRows) next() (row, error) {
	for x.rows.Next() {
		x.line++
		texts, err := x.rows.Columns()
		if err != nil {
			return row{}, err
		}
		if strings.Join(texts, "") == "" {
			continue // an empty line is no record
		}
		fields := make([]record.Value, max(len(texts), len(x.names))) // cells at the end can be left empty
		for i, text := range texts {
			if text == "" {
				continue
			}
			fields[i] = record.Chars(text)
			if serial, err := strconv.ParseFloat(text, 64); err == nil && x.isDate(i+1) {
				fields[i] = record.Real(serial + x.shift)
			}
		}
		return row{line: x.line, fields: fields}, nil
	}
	if err := x.rows.Error(); err != nil {
		return row{}, fmt.Errorf("the sheet cannot be read to its end: %w", err)
	}
	return row{}, io.EOF
}
