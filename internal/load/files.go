package load

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/xuri/excelize/v2"
)

// csvRows is a CSV file.
type csvRows struct {
	reader *csv.Reader
	comma  rune
	names  []string
}

// commas are what parts fields, in the order in which they are preferred.
var commas = []struct {
	mark rune
	name string
}{{',', "commas"}, {';', "semicolons"}, {'\t', "tabs"}, {'|', "upright strokes"}}

// sniffed is how many bytes are looked at to tell what parts fields.
const sniffed = 64 << 10

func openCSV(from io.Reader) (*csvRows, error) {
	buffered := bufio.NewReaderSize(from, sniffed)
	start, err := buffered.Peek(sniffed)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
		return nil, &Error{BadFile, err.Error(), nil}
	}
	if bytes.HasPrefix(start, []byte("\xef\xbb\xbf")) {
		_, _ = buffered.Discard(3)
		start = start[3:]
	}
	if bytes.HasPrefix(start, []byte("\xff\xfe")) || bytes.HasPrefix(start, []byte("\xfe\xff")) {
		return nil, &Error{BadFile, "the file is written in UTF-16; save it in UTF-8", nil}
	}
	if len(bytes.TrimSpace(start)) == 0 {
		return nil, &Error{BadFile, "the file is empty", nil}
	}
	r := &csvRows{comma: comma(start)}
	r.reader = csv.NewReader(buffered)
	r.reader.Comma, r.reader.FieldsPerRecord = r.comma, -1
	names, err := r.reader.Read()
	if err != nil {
		return nil, &Error{BadFile, fmt.Sprintf("the first line, which names the columns, cannot be read: %s", err), nil}
	}
	for _, n := range names {
		r.names = append(r.names, strings.TrimSpace(n))
	}
	return r, nil
}

// comma is the mark that parts the first lines into as many fields each, and the most.
func comma(start []byte) rune {
	best, most := ',', 1
	for _, c := range commas {
		r := csv.NewReader(bytes.NewReader(start))
		r.Comma, r.FieldsPerRecord = c.mark, -1
		first, err := r.Read()
		if err != nil {
			continue
		}
		same := true
		for range 20 {
			fields, err := r.Read()
			if err != nil {
				break
			}
			same = same && len(fields) == len(first)
		}
		if len(first) > most && (same || best == ',' && most == 1) {
			best, most = c.mark, len(first)
		}
	}
	return best
}

func (r *csvRows) dialect() string {
	for _, c := range commas {
		if c.mark == r.comma {
			return "CSV, fields parted by " + c.name
		}
	}
	return "CSV"
}

func (r *csvRows) header() []string { return r.names }

func (r *csvRows) dated() map[int]bool { return nil }

func (r *csvRows) close() error { return nil }

func (r *csvRows) next() (row, error) {
	fields, err := r.reader.Read()
	var broken *csv.ParseError
	switch {
	case errors.As(err, &broken):
		return row{line: broken.StartLine, fields: fields, wrong: "the line is not CSV: " + broken.Err.Error()}, nil
	case err != nil:
		return row{}, err
	}
	line, _ := r.reader.FieldPos(0)
	return row{line: line, fields: fields}, nil
}

// xlsxRows is a sheet of an XLSX file.
type xlsxRows struct {
	file   *excelize.File
	sheet  string
	rows   *excelize.Rows
	names  []string
	line   int
	isDate map[int]bool
	spool  string
}

// openXLSX puts the file aside first: its parts stand in any order.
func openXLSX(from io.Reader, sheet string) (*xlsxRows, error) {
	spool, err := os.CreateTemp("", "load-*.xlsx")
	if err != nil {
		return nil, err
	}
	x := &xlsxRows{spool: spool.Name()}
	_, err = io.Copy(spool, from)
	if closing := spool.Close(); err == nil {
		err = closing
	}
	if err == nil {
		x.file, err = excelize.OpenFile(x.spool, excelize.Options{RawCellValue: true})
	}
	if err != nil {
		os.Remove(x.spool)
		return nil, &Error{BadFile, fmt.Sprintf("this is no XLSX file that can be read: %s", err), nil}
	}
	if err := x.start(sheet); err != nil {
		x.close()
		return nil, err
	}
	return x, nil
}

func (x *xlsxRows) start(sheet string) error {
	sheets := x.file.GetSheetList()
	x.sheet = sheet
	if sheet == "" && len(sheets) > 0 {
		x.sheet = sheets[0]
	}
	var err error
	if x.rows, err = x.file.Rows(x.sheet); err != nil {
		return &Error{BadFile, fmt.Sprintf("the file has no sheet %q; it has %s", x.sheet, strings.Join(sheets, ", ")), nil}
	}
	for len(x.names) == 0 {
		if !x.rows.Next() {
			return &Error{BadFile, "the sheet is empty", nil}
		}
		x.line++
		if x.names, err = x.rows.Columns(); err != nil {
			return &Error{BadFile, err.Error(), nil}
		}
	}
	x.isDate = map[int]bool{}
	for i := range x.names {
		x.names[i] = strings.TrimSpace(x.names[i])
		for line := x.line + 1; line <= x.line+10 && !x.isDate[i]; line++ {
			x.isDate[i] = x.formatted(i+1, line)
		}
	}
	return nil
}

// formatted reports whether a cell is shown as a date.
func (x *xlsxRows) formatted(column, line int) bool {
	cell, err := excelize.CoordinatesToCellName(column, line)
	if err != nil {
		return false
	}
	id, err := x.file.GetCellStyle(x.sheet, cell)
	if err != nil || id == 0 {
		return false
	}
	style, err := x.file.GetStyle(id)
	if err != nil {
		return false
	}
	if style.CustomNumFmt != nil {
		return strings.ContainsAny(strings.ToLower(*style.CustomNumFmt), "yd")
	}
	return style.NumFmt >= 14 && style.NumFmt <= 17 || style.NumFmt == 22
}

func (x *xlsxRows) dialect() string { return "XLSX, sheet " + x.sheet }

func (x *xlsxRows) header() []string { return x.names }

func (x *xlsxRows) dated() map[int]bool { return x.isDate }

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
		fields, err := x.rows.Columns()
		if err != nil {
			return row{}, err
		}
		if len(fields) == 0 {
			continue // an empty line is no record
		}
		for len(fields) < len(x.names) {
			fields = append(fields, "") // cells at the end that were left empty
		}
		return row{line: x.line, fields: fields}, nil
	}
	if err := x.rows.Error(); err != nil {
		return row{}, err
	}
	return row{}, io.EOF
}
