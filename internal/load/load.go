// Package load brings files of records, CSV and XLSX, into the embedded SQLite file:
// in one transaction, types and dialect guessed from the first records, dates written
// in one agreed form, rows that do not fit told one by one.
package load

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/record"
)

// Mode is what becomes of the records that the table has already.
type Mode string

const (
	New     Mode = "new"     // there are none: a table that is there is left as it is
	Replace Mode = "replace" // they go
	Append  Mode = "append"  // they stay
	Update  Mode = "update"  // those with the key of a new one go
)

// Request is what to load.
type Request struct {
	Table string
	Mode  Mode
	Key   []string // the columns that tell one record from every other
	XLSX  bool     // CSV where it is not
	Sheet string   // of an XLSX file; its first where absent
	Dry   bool     // guess, read everything, and leave the table as it is
	Dates []string // COLUMN=PATTERN: how the dates of some columns are written
	// Refuse is how many rows may be refused; where there are more, nothing is loaded.
	Refuse int
}

// Report is what a load did, or would do.
type Report struct {
	Dialect string       `json:"dialect" doc:"How the file is written."`
	Columns []FileColumn `json:"columns" doc:"Its columns, in order."`
	Read    int64        `json:"read" doc:"How many rows the file has."`
	Loaded  int64        `json:"loaded" doc:"How many are in the table now."`
	Refused []RefusedRow `json:"refused" doc:"Those that do not fit, the first 10000 of them."`
	Sample  [][]string   `json:"sample" doc:"The first rows, as they are written to the table."`
}

// FileColumn is what a column of a file is taken for.
type FileColumn struct {
	Name    string  `json:"name" doc:"Its name in the file, and in the table."`
	Type    string  `json:"type" doc:"What its values mean."`
	Written string  `json:"written,omitempty" doc:"How dates are written in the file."`
	Or      string  `json:"or_written,omitempty" doc:"Another way that they could be written in."`
	Scale   int     `json:"scale,omitempty" doc:"Digits after the point."`
	Share   float64 `json:"share" doc:"The share of the first values that fit, from 0 to 1."`
}

// RefusedRow is a row that does not fit.
type RefusedRow struct {
	Line   int      `json:"line" doc:"Its line in the file, from 1."`
	Reason string   `json:"reason" doc:"Why it does not fit."`
	Fields []string `json:"fields" doc:"The row."`
}

// Error is a load that a person can mend.
type Error struct {
	Code    string
	Message string
	Report  *Report // as far as it came
}

func (e *Error) Error() string { return e.Message }

// The codes of what is wrong with a file.
const (
	BadFile    = "file_not_read"
	RowRefused = "rows_refused"
	WrongTable = "table_does_not_fit"
	TwoWays    = "dates_can_be_read_two_ways"
)

// mostTold is how many refused rows are kept.
const mostTold = 10_000

// guessRows is how many rows are looked at before anything is written.
const guessRows = 10_000

// shownRows is how many rows a report shows.
const shownRows = 5

// row is a row of a file: its fields, or why it could not be read.
type row struct {
	line   int
	fields []string
	wrong  string
}

// rows reads a file; io.EOF at its end.
type rows interface {
	dialect() string
	header() []string
	next() (row, error)
	// dated reports the columns whose cells are formatted as dates.
	dated() map[int]bool
	close() error
}

// Load reads a file and writes its records to a table of the database.
func Load(ctx context.Context, db *sql.DB, from io.Reader, req Request) (*Report, error) {
	source, err := open(from, req)
	if err != nil {
		return nil, err
	}
	defer source.close()
	l := &loader{req: req, rows: source, report: &Report{Dialect: source.dialect(), Columns: []FileColumn{}, Refused: []RefusedRow{}, Sample: [][]string{}}}
	if err := l.guess(); err != nil {
		return nil, err
	}
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	if err := l.write(ctx, tx); err != nil {
		return nil, err
	}
	if n := len(l.report.Refused); n > req.Refuse {
		first := l.report.Refused[0]
		told := "1 row does not fit, in"
		if l.refused > 1 {
			told = fmt.Sprintf("%d rows do not fit, the first in", l.refused)
		}
		return nil, &Error{RowRefused, fmt.Sprintf("%s line %d: %s; nothing was loaded", told, first.Line, first.Reason), l.report}
	}
	if req.Dry {
		l.report.Loaded = 0
		return l.report, nil
	}
	return l.report, tx.Commit()
}

func open(from io.Reader, req Request) (rows, error) {
	if req.XLSX {
		return openXLSX(from, req.Sheet)
	}
	return openCSV(from)
}

type loader struct {
	req     Request
	rows    rows
	columns []record.Guess
	first   []row // those that were looked at
	report  *Report
	refused int
}

// guess looks at the first rows.
func (l *loader) guess() error {
	for len(l.first) < guessRows {
		r, err := l.rows.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return &Error{BadFile, err.Error(), nil}
		}
		l.first = append(l.first, r)
	}
	names := l.rows.header()
	dated := l.rows.dated()
	var err error
	for _, d := range l.req.Dates {
		if name, _, _ := strings.Cut(d, "="); !slices.Contains(names, name) {
			return &Error{WrongTable, fmt.Sprintf("the file has no column %q for its dates", name), nil}
		}
	}
	for i, name := range names {
		if name == "" {
			return &Error{BadFile, fmt.Sprintf("column %d has no name in the first line", i+1), nil}
		}
		if slices.Contains(names[:i], name) {
			return &Error{BadFile, fmt.Sprintf("the first line names the column %q twice", name), nil}
		}
		var values []record.Value
		for _, r := range l.first {
			if r.wrong == "" && i < len(r.fields) {
				values = append(values, record.Chars(r.fields[i]))
			}
		}
		g := record.GuessOf(name, values, true)
		if dated[i] && g.Type.IsNumeric() {
			g = record.Guess{Column: record.Column{Name: name, Type: record.Date, Stored: record.SerialDays}, Share: 1}
			if slices.ContainsFunc(values, func(v record.Value) bool { return strings.Contains(v.String(), ".") }) {
				g.Type = record.Datetime
			}
		}
		if g, err = l.written(g); err != nil {
			return err
		}
		l.columns = append(l.columns, g)
		written := string(g.Stored)
		if g.Stored == record.StoredText {
			written = g.Pattern.String()
		}
		l.report.Columns = append(l.report.Columns, FileColumn{Name: name, Type: string(g.Type), Written: written, Or: g.Or, Scale: g.Scale, Share: g.Share})
	}
	for _, k := range l.req.Key {
		if !slices.Contains(names, k) {
			return &Error{WrongTable, fmt.Sprintf("the file has no column %q for the key", k), nil}
		}
	}
	return nil
}

// written takes what was said of a column's dates; where they can be read in two ways
// and nothing was said, they are not guessed.
func (l *loader) written(g record.Guess) (record.Guess, error) {
	for _, d := range l.req.Dates {
		name, source, _ := strings.Cut(d, "=")
		if name != g.Name {
			continue
		}
		pattern, err := record.ParsePattern(source)
		if err != nil {
			return g, &Error{WrongTable, err.Error(), nil}
		}
		g = record.Guess{Column: record.Column{Name: name, Type: record.Date, Stored: record.StoredText, Pattern: pattern}, Share: 1}
		if pattern.HasTime() {
			g.Type = record.Datetime
		}
		return g, nil
	}
	if g.Or != "" && !l.req.Dry {
		return g, &Error{TwoWays, fmt.Sprintf("the dates of the column %q can be read as %s or as %s; say which, as in --dates %q; nothing was loaded", g.Name, g.Pattern, g.Or, g.Name+"="+g.Pattern.String()), nil}
	}
	return g, nil
}

// types are what SQLite's columns are declared as.
var types = map[record.Type]string{record.Integer: "INTEGER", record.YesNo: "INTEGER", record.Decimal: "REAL", record.Number: "REAL"}

func (l *loader) write(ctx context.Context, tx *sql.Tx) error {
	if err := l.table(ctx, tx); err != nil {
		return err
	}
	name := compile.SQLite{}.Name
	names := make([]string, len(l.columns))
	for i, c := range l.columns {
		names[i] = name(c.Name)
	}
	statement := fmt.Sprintf("INSERT INTO %s (%s) VALUES (%s)", name(l.req.Table), strings.Join(names, ", "), strings.TrimSuffix(strings.Repeat("?, ", len(names)), ", "))
	if l.req.Mode == Update {
		var sets []string
		for i, c := range l.columns {
			if !slices.Contains(l.req.Key, c.Name) {
				sets = append(sets, names[i]+" = excluded."+names[i])
			}
		}
		conflict := " ON CONFLICT (" + quoted(l.req.Key) + ") DO "
		if len(sets) == 0 {
			statement += conflict + "NOTHING"
		} else {
			statement += conflict + "UPDATE SET " + strings.Join(sets, ", ")
		}
	}
	insert, err := tx.PrepareContext(ctx, statement)
	if err != nil {
		return &Error{WrongTable, fmt.Sprintf("the table %q does not take these columns: %s", l.req.Table, err), nil}
	}
	defer insert.Close()
	values := make([]any, len(l.columns))
	put := func(r row) error {
		l.report.Read++
		reason := l.values(r, values)
		if reason == "" {
			if _, err := insert.ExecContext(ctx, values...); err != nil {
				if ctx.Err() != nil {
					return ctx.Err()
				}
				reason = refusedBy(err)
			}
		}
		if reason != "" {
			if l.refused++; l.refused <= mostTold {
				l.report.Refused = append(l.report.Refused, RefusedRow{r.line, reason, append([]string{}, r.fields...)})
			}
			return nil
		}
		if l.report.Loaded++; len(l.report.Sample) < shownRows {
			l.report.Sample = append(l.report.Sample, shown(values))
		}
		return nil
	}
	for _, r := range l.first {
		if err := put(r); err != nil {
			return err
		}
	}
	l.first = nil
	for {
		r, err := l.rows.next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return &Error{BadFile, fmt.Sprintf("after %d rows: %s; nothing was loaded", l.report.Read, err), l.report}
		}
		if err := put(r); err != nil {
			return err
		}
	}
}

// refusedBy is why the table does not take a row.
func refusedBy(err error) string {
	switch text := err.Error(); {
	case strings.Contains(text, "UNIQUE constraint"):
		return "a record with the same key is there already"
	case strings.Contains(text, "datatype mismatch"), strings.Contains(text, "cannot store"):
		return "a value is not of the kind that its column in the table holds"
	default:
		return text
	}
}

func quoted(names []string) string {
	all := make([]string, len(names))
	for i, n := range names {
		all[i] = compile.SQLite{}.Name(n)
	}
	return strings.Join(all, ", ")
}

// table makes the table, where it is to be replaced or is not there.
func (l *loader) table(ctx context.Context, tx *sql.Tx) error {
	name := compile.SQLite{}.Name(l.req.Table)
	var there int
	if err := tx.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name = ?", l.req.Table).Scan(&there); err != nil {
		return err
	}
	if l.req.Mode == Update && len(l.req.Key) == 0 {
		return &Error{WrongTable, "to update records, name the columns of their key", nil}
	}
	if there > 0 && l.req.Mode == New {
		return &Error{WrongTable, fmt.Sprintf("the table %q is there already; say by the mode whether its records go (replace), stay (append), or those of the same key go (update)", l.req.Table), nil}
	}
	if there > 0 && l.req.Mode != Replace {
		return nil
	}
	if there > 0 {
		if _, err := tx.ExecContext(ctx, "DROP TABLE "+name); err != nil {
			return err
		}
	}
	columns := make([]string, len(l.columns))
	for i, c := range l.columns {
		kind := types[c.Type]
		if kind == "" {
			kind = "TEXT"
		}
		columns[i] = compile.SQLite{}.Name(c.Name) + " " + kind
	}
	if len(l.req.Key) > 0 {
		columns = append(columns, "PRIMARY KEY ("+quoted(l.req.Key)+")")
	}
	_, err := tx.ExecContext(ctx, fmt.Sprintf("CREATE TABLE %s (%s) STRICT", name, strings.Join(columns, ", ")))
	return err
}
