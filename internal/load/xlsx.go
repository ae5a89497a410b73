package load

import (
	"archive/zip"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"strconv"
	"strings"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
)

// archive is a file whose parts stand in any order.
type archive interface {
	io.ReaderAt
	Size() int64
}

// xlsxRows is a sheet of an XLSX file, read row by row: a library that holds sheets in
// memory takes thirty times the size of the file and more. Of the parts (ECMA-376 part 1,
// section 18) only cells, texts, number formats and the start of days are looked at.
type xlsxRows struct {
	limits Limits
	sheet  string
	part   io.ReadCloser
	bytes  *bounded
	reader *xml.Decoder
	texts  *sharedTexts
	dates  []bool // by style: whether it shows dates
	shift  float64
	names  []string
	line   int
	ended  bool
}

// from1904 is how many days after 1899-12-30 those are counted from that count from 1904.
const from1904 = 1462

// workbook is what xl/workbook.xml says of the sheets.
type workbook struct {
	Properties struct {
		Date1904 string `xml:"date1904,attr"`
	} `xml:"workbookPr"`
	Sheets []struct {
		Name string `xml:"name,attr"`
		ID   string `xml:"http://schemas.openxmlformats.org/officeDocument/2006/relationships id,attr"`
		// Strict is the same in files of the strict form.
		Strict string `xml:"http://purl.oclc.org/ooxml/officeDocument/relationships id,attr"`
	} `xml:"sheets>sheet"`
}

// relations are where parts refer to others.
type relations struct {
	All []struct {
		ID     string `xml:"Id,attr"`
		Type   string `xml:"Type,attr"`
		Target string `xml:"Target,attr"`
	} `xml:"Relationship"`
}

// styles are the number formats of cells.
type styles struct {
	Formats []struct {
		ID   int    `xml:"numFmtId,attr"`
		Code string `xml:"formatCode,attr"`
	} `xml:"numFmts>numFmt"`
	Cells []struct {
		Format int `xml:"numFmtId,attr"`
	} `xml:"cellXfs>xf"`
}

// book is an XLSX file that is being opened.
type book struct {
	limits Limits
	parts  map[string]*zip.File
}

// openXLSX finds the parts of the file one by the other, as the standard has them.
func openXLSX(from io.Reader, req Request) (*xlsxRows, error) {
	file, ok := from.(archive)
	if !ok {
		return nil, errors.New("load: an XLSX file is read from what can be read at any place")
	}
	b, err := openBook(file, req.Limits)
	if err != nil {
		return nil, err
	}
	at, related, err := b.workbookPart()
	if err != nil {
		return nil, err
	}
	var w workbook
	if err := b.small(at, &w); err != nil {
		return nil, err
	}
	x := &xlsxRows{limits: req.Limits, sheet: req.Sheet}
	if w.Properties.Date1904 == "1" || w.Properties.Date1904 == "true" {
		x.shift = from1904
	}
	var names []string
	part := ""
	for _, s := range w.Sheets {
		names = append(names, s.Name)
		if part == "" && (req.Sheet == "" || s.Name == req.Sheet) {
			x.sheet, part = s.Name, related.target(s.ID+s.Strict, "")
		}
	}
	if b.parts[part] == nil {
		return nil, refuse(fault.FileNotRead, "the file has no sheet %q; it has %s", english.Shorten(x.sheet), strings.Join(names, ", "))
	}
	if err := x.styled(b, related.target("", "/styles")); err != nil {
		return nil, err
	}
	if x.texts, err = readSharedTexts(b, related.target("", "/sharedStrings"), req.Spool); err != nil {
		return nil, err
	}
	if x.part, err = b.parts[part].Open(); err != nil {
		return nil, errors.Join(unreadable(err), x.close())
	}
	x.bytes = newBounded(&shallow{from: x.part}, req.Limits.Line)
	x.reader = xml.NewDecoder(x.bytes)
	if err := x.start(); err != nil {
		return nil, errors.Join(err, x.close())
	}
	return x, nil
}

func unreadable(err error) error {
	var own *Error
	if errors.As(err, &own) {
		return err
	}
	return refuse(fault.FileNotRead, "this is no XLSX file that can be read: %s", err)
}

// mostParts is how many parts an XLSX file may have, mostList how many bytes their list.
const (
	mostParts = 10_000
	mostList  = 4 << 20
)

// freeRatio is how much a file may unpack to, whatever the ratio.
const freeRatio = 16 << 20

// openBook opens the list of parts, once it is known to be small, and adds up their sizes.
func openBook(file archive, limits Limits) (*book, error) {
	if err := checkList(file); err != nil {
		return nil, err
	}
	z, err := zip.NewReader(file, file.Size())
	if err != nil {
		return nil, unreadable(err)
	}
	b := &book{limits: limits, parts: map[string]*zip.File{}}
	var unpacked uint64
	for _, f := range z.File {
		unpacked += f.UncompressedSize64 // which reading it is held to
		if f.UncompressedSize64 > uint64(limits.Unpacked) || unpacked > uint64(limits.Unpacked) {
			return nil, refuse(fault.UnpacksTooLarge, "the file unpacks to more than %s; nothing was loaded", Size(limits.Unpacked))
		}
		b.parts[strings.TrimPrefix(f.Name, "/")] = f
	}
	if unpacked > freeRatio && unpacked > uint64(limits.Ratio)*uint64(file.Size()) {
		return nil, refuse(fault.UnpacksTooLarge, "the file unpacks to more than %d times its size; nothing was loaded", limits.Ratio)
	}
	return b, nil
}

// checkList looks at the end record of a ZIP archive (APPNOTE 4.3.16), which says how long
// the list of its parts is.
func checkList(file archive) error {
	const record, comment = 22, 1<<16 - 1
	end := make([]byte, min(file.Size(), record+comment))
	if _, err := file.ReadAt(end, file.Size()-int64(len(end))); err != nil && !errors.Is(err, io.EOF) {
		return unreadable(err)
	}
	at := strings.LastIndex(string(end), "PK\x05\x06")
	if at < 0 || at+record > len(end) {
		return unreadable(errors.New("it is no ZIP archive"))
	}
	number := func(at, bytes int) (n int) {
		for i := range bytes {
			n |= int(end[at+i]) << (8 * i)
		}
		return n
	}
	if number(at+10, 2) > mostParts || number(at+12, 4) > mostList || number(at+16, 4) == 1<<32-1 {
		return refuse(fault.UnpacksTooLarge, "the file has more than %d parts; nothing was loaded", mostParts)
	}
	return nil
}

// mostSmall is how many bytes a part may have that is read whole.
const mostSmall = 8 << 20

// small reads a part that is read whole.
func (b *book) small(name string, into any) error {
	f := b.parts[name]
	if f == nil {
		return unreadable(fmt.Errorf("it has no part %s", english.Shorten(name)))
	}
	if f.UncompressedSize64 > mostSmall {
		return refuse(fault.UnpacksTooLarge, "the part %s is larger than %s; nothing was loaded", english.Shorten(name), Size(mostSmall))
	}
	part, err := f.Open()
	if err != nil {
		return unreadable(err)
	}
	defer part.Close()
	if err := xml.NewDecoder(&shallow{from: part}).Decode(into); err != nil {
		return unreadable(err)
	}
	return nil
}

// related are the parts that a part refers to.
type related struct {
	relations
	dir string
}

// target is a part by its id, or by the end of its type; "" where there is none.
func (r related) target(id, kind string) string {
	for _, to := range r.All {
		if id != "" && to.ID == id || kind != "" && strings.HasSuffix(to.Type, kind) {
			if strings.HasPrefix(to.Target, "/") {
				return path.Clean(to.Target)[1:]
			}
			return path.Join(r.dir, to.Target)
		}
	}
	return ""
}

func (b *book) relatedTo(part string) (related, error) {
	r := related{dir: path.Dir(part)}
	err := b.small(path.Join(r.dir, "_rels", path.Base(part)+".rels"), &r.relations)
	return r, err
}

// workbookPart is the part that lists the sheets, and what it refers to.
func (b *book) workbookPart() (string, related, error) {
	whole := related{}
	if err := b.small("_rels/.rels", &whole.relations); err != nil {
		return "", related{}, err
	}
	at := whole.target("", "/officeDocument")
	r, err := b.relatedTo(at)
	return at, r, err
}

// aside is what stands in a number format without being part of a date: texts in quotes,
// colours and conditions in brackets, single characters behind a backslash.
var aside = regexp.MustCompile(`"[^"]*"|\[[^\]]*\]|\\.`)

// styled tells which styles show dates: formats of their own by their letters, the built-in
// ones by their number (section 18.8.30).
func (x *xlsxRows) styled(b *book, part string) error {
	if part == "" {
		return nil
	}
	var s styles
	if err := b.small(part, &s); err != nil {
		return err
	}
	own := map[int]bool{}
	for _, f := range s.Formats {
		own[f.ID] = strings.ContainsAny(strings.ToLower(aside.ReplaceAllString(f.Code, "")), "yd")
	}
	for _, c := range s.Cells {
		n := c.Format
		shows, isOwn := own[n]
		if !isOwn {
			shows = n >= 14 && n <= 17 || n == 22 || n >= 27 && n <= 36 || n >= 50 && n <= 58
		}
		x.dates = append(x.dates, shows)
	}
	return nil
}

// start reads up to the line that names the columns.
func (x *xlsxRows) start() error {
	for len(x.names) == 0 {
		r, err := x.next()
		if errors.Is(err, io.EOF) {
			return refuse(fault.FileNotRead, "the sheet is empty")
		}
		if err != nil {
			return unreadable(err)
		}
		for _, f := range r.fields {
			x.names = append(x.names, strings.TrimSpace(f.String()))
		}
	}
	return nil
}

func (x *xlsxRows) dialect() string { return "XLSX, sheet " + x.sheet }

func (x *xlsxRows) header() []string { return x.names }

func (x *xlsxRows) close() error {
	var all error
	if x.part != nil {
		all = x.part.Close()
	}
	return errors.Join(all, x.texts.close())
}

// next reads the next row that has something in it.
//
// It follows the XML token by token, since nothing of it is held in memory.
func (x *xlsxRows) next() (row, error) {
	for {
		t, err := x.reader.Token()
		if end, isEnd := t.(xml.EndElement); errors.Is(err, io.EOF) || isEnd && end.Name.Local == "sheetData" || x.ended {
			x.ended = true // what follows the rows is of no interest
			return row{}, io.EOF
		}
		if err != nil {
			return row{}, x.limits.row(x.line, fmt.Errorf("the sheet cannot be read to its end: %w", err))
		}
		x.bytes.next(x.reader.InputOffset())
		at, isElement := t.(xml.StartElement)
		switch {
		case !isElement:
		case at.Name.Local == "row":
			x.line++
			if n, err := strconv.Atoi(attribute(at, "r")); err == nil && n > 0 {
				x.line = n
			}
			fields, err := x.cells()
			if err != nil {
				return row{}, x.limits.row(x.line-1, err)
			}
			if len(fields) > 0 {
				return row{line: x.line, fields: append(fields, make([]value.Value, max(0, len(x.names)-len(fields)))...)}, nil // cells at the end can be left empty
			}
		case at.Name.Local != "worksheet" && at.Name.Local != "sheetData":
			if err := x.reader.Skip(); err != nil {
				return row{}, x.limits.row(x.line, err)
			}
		}
	}
}

func attribute(e xml.StartElement, name string) string {
	for _, a := range e.Attr {
		if a.Name.Local == name && a.Name.Space == "" {
			return a.Value
		}
	}
	return ""
}

// cells reads those of a row, up to the last one that is not empty.
func (x *xlsxRows) cells() (fields []value.Value, err error) {
	column, length := 0, int64(0)
	for {
		t, err := x.reader.Token()
		if err != nil {
			return nil, err
		}
		switch t := t.(type) {
		case xml.EndElement: // of the row: those of cells are read with them
			return fields, nil
		case xml.StartElement:
			if t.Name.Local != "c" {
				if err := x.reader.Skip(); err != nil {
					return nil, err
				}
				continue
			}
			column++
			if at := attribute(t, "r"); at != "" {
				if column, err = columnOf(at); err != nil {
					return nil, err
				}
			}
			if column > x.limits.Columns {
				return nil, x.limits.columns(x.line, column)
			}
			v, err := x.cell(t, column)
			if err != nil {
				return nil, err
			}
			if v.IsMissing() {
				continue
			}
			if length += int64(len(v.String())); length > x.limits.Line {
				return nil, errLine
			}
			for len(fields) < column {
				fields = append(fields, value.Value{})
			}
			fields[column-1] = v
		}
	}
}

// columnOf is the number of the column of a cell such as B2, from 1.
func columnOf(at string) (n int, err error) {
	letters := strings.TrimRight(at, "0123456789")
	for _, c := range letters {
		if c < 'A' || c > 'Z' || n > 1000 {
			n = 0
			break
		}
		n = 26*n + int(c-'A') + 1
	}
	if n == 0 {
		return 0, fmt.Errorf("there is no cell %q", english.Shorten(at))
	}
	return n, nil
}

// cell reads the value of a cell: a date where it is shown as one, else its characters.
func (x *xlsxRows) cell(c xml.StartElement, column int) (value.Value, error) {
	text, err := textIn(x.reader, "v", "is")
	if err != nil {
		return value.Value{}, err
	}
	switch attribute(c, "t") {
	case "s":
		n, err := strconv.Atoi(strings.TrimSpace(text))
		if err != nil {
			return value.Value{}, fmt.Errorf("a cell refers to no text: %w", err)
		}
		if text, err = x.texts.get(n); err != nil {
			return value.Value{}, err
		}
	case "", "n":
		style, _ := strconv.Atoi(attribute(c, "s")) // none is the first
		if serial, err := strconv.ParseFloat(text, 64); err == nil && style < len(x.dates) && style >= 0 && x.dates[style] {
			return value.Real(serial + x.shift), nil
		}
	}
	if int64(len(text)) > x.limits.Field {
		return value.Value{}, x.limits.long(x.line, column)
	}
	if text == "" {
		return value.Value{}, nil
	}
	return value.Chars(text), nil
}

// textIn is the text of an element that was begun: what stands in its children, of some
// names where any are given, spoken forms left out.
func textIn(d *xml.Decoder, of ...string) (string, error) {
	var b strings.Builder
	depth, taken := 0, false
	for {
		t, err := d.Token()
		if err != nil {
			return "", err
		}
		switch t := t.(type) {
		case xml.StartElement:
			name := t.Name.Local
			if name == "rPh" || depth == 0 && len(of) > 0 && name != of[0] && name != of[len(of)-1] {
				if err := d.Skip(); err != nil {
					return "", err
				}
				continue
			}
			depth++
			taken = name == "t" || name == "v"
		case xml.EndElement:
			if depth == 0 {
				return unescaped(b.String()), nil
			}
			depth--
			taken = false
		case xml.CharData:
			if taken {
				b.Write(t)
			}
		}
	}
}

// escape is how a character stands in a text that XML has no room for (section 22.9.2.19).
var escape = regexp.MustCompile(`_x[0-9A-Fa-f]{4}_`)

func unescaped(text string) string {
	if !strings.Contains(text, "_x") {
		return text
	}
	return escape.ReplaceAllStringFunc(text, func(e string) string {
		n, _ := strconv.ParseUint(e[2:6], 16, 16) // its digits were matched
		return string(rune(n))
	})
}
