package load

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"slices"
	"strings"

	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
)

// Format is how a file is written.
type Format string

const (
	CSV    Format = "csv"
	XLSX   Format = "xlsx"
	JSON   Format = "json"   // a list of objects
	NDJSON Format = "ndjson" // an object on each line
)

// Formats lists them in the order of the reference.
var Formats = []Format{CSV, XLSX, JSON, NDJSON}

// row is a row of a file: its fields, or why it could not be read. Fields are characters
// of a file or numbers in digits of JSON; the date cells of a spreadsheet come as binary
// fractions, their serial days.
type row struct {
	line   int
	fields []value.Value
	wrong  string
}

func (r row) texts() []string {
	texts := make([]string, len(r.fields))
	for i, f := range r.fields {
		texts[i] = f.String()
	}
	return texts
}

func joined(texts []string) string {
	return strings.Join(slices.DeleteFunc(slices.Clone(texts), func(t string) bool { return t == "" }), ", ")
}

// rows reads a file; io.EOF at its end. The header is known once guessRows rows are read.
type rows interface {
	dialect() string
	header() []string
	next() (row, error)
	close() error
}

// sniffed is how many bytes are looked at to tell how a file is written.
const sniffed = 64 << 10

// kinds are files that are told by their first bytes, and what to do with them.
var kinds = []struct{ start, says string }{
	{"PK\x03\x04", "an XLSX workbook or another ZIP archive; a workbook is loaded by its name, which ends in .xlsx"},
	{"\xd0\xcf\x11\xe0", "a workbook in the old .xls form; open it in a spreadsheet program and save it as .xlsx"},
	{"%PDF", "a PDF document; save the records as CSV or XLSX"},
	{"\x1f\x8b", "compressed by gzip; unpack it"},
	{"SQLite format 3", "an SQLite database; describe it as a source of its own"},
	{"PAR1", "a Parquet file; save the records as CSV"},
	{"\x89PNG", "a picture"},
	{"\xff\xfe", "written in UTF-16; save it in UTF-8"},
	{"\xfe\xff", "written in UTF-16; save it in UTF-8"},
}

// open opens a file: one branch for each format.
func open(from io.Reader, req Request) (rows, error) {
	buffered := bufio.NewReaderSize(from, sniffed)
	start, err := buffered.Peek(sniffed)
	if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, bufio.ErrBufferFull) {
		return nil, refuse(fault.FileNotRead, "%s", err)
	}
	if len(bytes.TrimSpace(start)) == 0 {
		return nil, refuse(fault.FileNotRead, "the file is empty")
	}
	for _, k := range kinds {
		if bytes.HasPrefix(start, []byte(k.start)) && !(req.Format == XLSX && k.start == "PK\x03\x04") {
			return nil, refuse(fault.FileNotRead, "the file is %s", k.says)
		}
	}
	if req.Format == XLSX {
		return openXLSX(from, req)
	}
	if bytes.IndexByte(start, 0) >= 0 {
		return nil, refuse(fault.FileNotRead, "the file is no text: it holds bytes that no text has; save the records as CSV, XLSX or JSON")
	}
	if bytes.HasPrefix(start, []byte("\xef\xbb\xbf")) {
		_, _ = buffered.Discard(3)
		start = start[3:]
	}
	if req.Format == JSON || req.Format == NDJSON {
		return openJSON(buffered, req.Format, req.Limits)
	}
	if text := strings.Join(strings.Fields(string(start[:min(len(start), 200)])), ""); strings.HasPrefix(text, `[{"`) || strings.HasPrefix(text, `{"`) {
		return nil, refuse(fault.FileNotRead, "the file looks like JSON; it is loaded by its name, which ends in .json or .ndjson")
	}
	return openCSV(buffered, start, req.Limits)
}
