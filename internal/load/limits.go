package load

import (
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode"
	"unicode/utf8"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// Limits are how much a file may hold. What is 0 is as Usual has it.
type Limits struct {
	Unpacked int64 // bytes of the parts of an XLSX file together
	Ratio    int   // how many times as large they may be as the file
	Columns  int   // of a row
	Field    int64 // bytes
	Line     int64 // bytes of a row
}

// Usual are limits that the files of an ordinary team are far from.
var Usual = Limits{Unpacked: 2 << 30, Ratio: 200, Columns: mostColumns, Field: 1 << 20, Line: 8 << 20}

// mostColumns is how many columns a table of SQLite has at most.
const mostColumns = 2000

func (l Limits) orUsual() Limits {
	or := func(v *int64, usual int64) {
		if *v <= 0 {
			*v = usual
		}
	}
	ratio, columns := int64(l.Ratio), int64(l.Columns)
	or(&l.Unpacked, Usual.Unpacked)
	or(&ratio, int64(Usual.Ratio))
	or(&columns, int64(Usual.Columns))
	or(&l.Field, Usual.Field)
	or(&l.Line, Usual.Line)
	l.Ratio, l.Columns = int(ratio), int(min(columns, mostColumns))
	return l
}

// bounded is a reader that ends with errLine where a decoder wants more than a row may
// have. After each row the decoder's offset is where the next one begins.
type bounded struct {
	from  io.Reader
	line  int64
	read  int64
	until int64
}

var errLine = errors.New("a row is longer than it may be")

// ahead is how much decoders read beyond what they hand on.
const ahead = 64 << 10

func newBounded(from io.Reader, line int64) *bounded {
	return &bounded{from: from, line: line, until: line + ahead}
}

// next says that a row begins at an offset.
func (b *bounded) next(offset int64) { b.until = offset + b.line + ahead }

func (b *bounded) Read(p []byte) (int, error) {
	if b.read >= b.until {
		return 0, errLine
	}
	n, err := b.from.Read(p[:min(int64(len(p)), b.until-b.read)])
	b.read += int64(n)
	return n, err
}

// mostDepth is how deep the elements of an XML part stand in each other at most.
const mostDepth = 100

// shallow is XML whose elements do not stand too deep in each other, for decoders that
// keep each that is open.
type shallow struct {
	from  io.Reader
	depth int
	last  byte
}

var errDeep = errors.New("its elements stand too deep in each other")

func (s *shallow) Read(p []byte) (int, error) {
	n, err := s.from.Read(p)
	for _, c := range p[:n] {
		switch {
		case s.last == '<' && c == '/', s.last == '/' && c == '>':
			s.depth = max(0, s.depth-1)
		case s.last == '<' && c != '?' && c != '!':
			if s.depth++; s.depth > mostDepth {
				return 0, errDeep
			}
		}
		s.last = c
	}
	return n, err
}

// fields refuses rows that have too many fields or too long ones.
func (l Limits) fields(line int, fields []string) error {
	if len(fields) > l.Columns {
		return l.columns(line, len(fields))
	}
	for i, f := range fields {
		if int64(len(f)) > l.Field {
			return l.long(line, i+1)
		}
	}
	return nil
}

func (l Limits) columns(line, n int) error {
	return refuse(fault.TooManyColumns, "line %d has %d columns, and a file may have %d; nothing was loaded", line, n, l.Columns)
}

func (l Limits) long(line, field int) error {
	return refuse(fault.FieldTooLong, "field %d of line %d is longer than %s; nothing was loaded", field, line, Size(l.Field))
}

// row is the error of a row that is too long, err where it is another.
func (l Limits) row(after int, err error) error {
	if errors.Is(err, errLine) {
		return refuse(fault.FieldTooLong, "the row after line %d is longer than %s; nothing was loaded", after, Size(l.Line))
	}
	return err
}

// Size is a number of bytes, for people.
func Size(n int64) string {
	for _, unit := range []struct {
		bytes int64
		name  string
	}{{1 << 30, "GiB"}, {1 << 20, "MiB"}, {1 << 10, "KiB"}} {
		if n >= unit.bytes && n%unit.bytes == 0 {
			return fmt.Sprintf("%d %s", n/unit.bytes, unit.name)
		}
	}
	return fmt.Sprintf("%d bytes", n)
}

// mostName is how many bytes the name of a table or of a column may have.
const mostName = 200

// nameFault is what is wrong with a name of a table or of a column; "" for nothing.
func nameFault(name string) string {
	switch {
	case strings.TrimSpace(name) == "":
		return "is empty"
	case len(name) > mostName:
		return fmt.Sprintf("is longer than %d bytes", mostName)
	case !utf8.ValidString(name):
		return "is not UTF-8"
	case strings.ContainsFunc(name, unicode.IsControl):
		return "has a character in it that is not shown"
	}
	return ""
}

// CheckTable refuses a name that no loaded table may have: one that would be read as
// something of SQLite's own, or as a table of another database.
func CheckTable(name string) error {
	wrong := nameFault(name)
	lower := strings.ToLower(name)
	switch {
	case wrong != "":
	case strings.TrimSpace(name) != name:
		wrong = "begins or ends with a blank"
	case strings.ContainsAny(name, ".\"`'[];"):
		wrong = "has a dot, a quote, a bracket or a semicolon in it"
	case strings.HasPrefix(lower, "sqlite_"), strings.HasPrefix(lower, "pragma_"), strings.HasPrefix(lower, "json_"), strings.HasPrefix(lower, "fts"), strings.HasPrefix(lower, "rtree"),
		lower == "dbstat", lower == "generate_series", lower == "main", lower == "temp":
		wrong = "is one that SQLite has for itself"
	}
	if wrong != "" {
		return refuse(fault.TableDoesNotFit, "a table cannot be called %q: the name %s", english.Shorten(name), wrong)
	}
	return nil
}
