// Package load brings files of records, CSV, XLSX and JSON, into the embedded SQLite
// file: in one transaction, types and dialect guessed from the first records, dates
// written in one agreed form, rows that do not fit told one by one.
package load

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"

	"github.com/mattn/go-sqlite3"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// Mode is what becomes of the records that the table has already.
type Mode string

const (
	New     Mode = "new"     // there are none: a table that is there is left as it is
	Replace Mode = "replace" // they go
	Append  Mode = "append"  // they stay
	Update  Mode = "update"  // those with the key of a new one go
)

// Modes lists them in the order of the reference.
var Modes = []Mode{New, Replace, Append, Update}

// Totals is what becomes of a row of totals at the end of a file.
type Totals string

const (
	AskTotals  Totals = ""     // the load stops and says so
	KeepTotals Totals = "keep" // it is a record like the others
	SkipTotals Totals = "skip" // it is left out
)

// Request is what to load.
type Request struct {
	Table   string
	Mode    Mode
	Key     []string // the columns that tell one record from every other
	Format  Format   // CSV where absent
	Sheet   string   // of an XLSX file; its first where absent
	Dry     bool     // guess, read everything, and leave the table as it is
	Dates   []string // COLUMN=FORM: how the dates of some columns are written
	Numbers []string // COLUMN=FORM: how the numbers of some columns are written
	Exact   []string // columns of decimals that are held as texts, for any number of digits
	// RowNumber is a column to add that counts the rows from 1; none where absent.
	RowNumber string
	Totals    Totals
	// Refuse is how many rows may be refused, MostRefused at most; where there are more,
	// nothing is loaded.
	Refuse int
	Limits Limits
	Spool  string // the directory of what is put aside; the system's where absent
}

// Report is what a load did, or would do.
type Report struct {
	Dialect  string       `json:"dialect" doc:"How the file is written."`
	Columns  []FileColumn `json:"columns" doc:"Its columns, in order."`
	Read     int64        `json:"read" doc:"How many rows the file has."`
	Loaded   int64        `json:"loaded" doc:"How many of them are in the table now."`
	Added    int64        `json:"added" doc:"How many of these the table did not have."`
	Replaced int64        `json:"replaced" doc:"How many records of the table gave way to them: all that it had where the mode is replace, those of the same key where it is update."`
	Refusals int64        `json:"refusals" doc:"How many rows do not fit."`
	Refused  []RefusedRow `json:"refused" doc:"Those that do not fit, the first 10000 of them."`
	Sample   [][]string   `json:"sample" doc:"The first rows, as they are written to the table."`
	Notes    []string     `json:"notes,omitempty" doc:"What to look at before these records are used."`
}

// FileColumn is what a column of a file is taken for.
type FileColumn struct {
	Name    string  `json:"name" doc:"Its name in the file, and in the table."`
	Type    string  `json:"type" doc:"What its values mean."`
	Written string  `json:"written,omitempty" doc:"How dates, or numbers, are written in the file."`
	Or      string  `json:"or_written,omitempty" doc:"Another way that they could be written in."`
	Scale   int     `json:"scale,omitempty" doc:"Digits after the point."`
	Exact   bool    `json:"exact,omitempty" doc:"Whether decimals are held as texts, since binary numbers have no room for their digits."`
	Share   float64 `json:"share" doc:"The share of the first values that fit, from 0 to 1."`
	Added   bool    `json:"added,omitempty" doc:"Whether it is no column of the file but that of the row numbers."`
}

// RefusedRow is a row that does not fit.
type RefusedRow struct {
	Line   int      `json:"line" doc:"Its line in the file, from 1; of JSON the number of the record."`
	Reason string   `json:"reason" doc:"Why it does not fit."`
	Column string   `json:"column,omitempty" doc:"The column whose value does not fit; absent where it is the row as a whole."`
	Fields []string `json:"fields" doc:"The row; empty where there are too many to tell them all."`
}

// Error is a load that a person can mend.
type Error struct {
	Code    fault.Code
	Message string
	Column  string  // that it is about, "" where it is about none alone
	Report  *Report // as far as it came
	Cause   error   // nil where the file itself is the cause
}

func (e *Error) Error() string { return e.Message }

func (e *Error) Unwrap() error { return e.Cause }

// in is the error of a column.
func (e *Error) in(column string) *Error {
	e.Column = column
	return e
}

func refuse(code fault.Code, format string, args ...any) *Error {
	return &Error{Code: code, Message: fmt.Sprintf(format, args...)}
}

// ErrNoRoom is the cause where the disk has no room for the records.
var ErrNoRoom = errors.New("there is no room for the records on the disk")

// MostRefused is how many rows may be refused, and are told. More of them are not some
// rows that do not fit but a file that does not.
const MostRefused = 10_000

// guessRows is how many rows are looked at before anything is written, or fewer where
// they take more than guessBytes.
const (
	guessRows  = 10_000
	guessBytes = 8 << 20
)

// keptBytes is how many bytes of refused rows are told; of further ones only why they do
// not fit.
const keptBytes = 4 << 20

// shownRows is how many rows a report shows.
const shownRows = 5

// Load reads a file and writes its records to a table of the database: all of them, save
// rows that may be refused, or none. It takes some 64 MiB, however large the file is. An
// XLSX file has to be an io.ReaderAt with a Size too, as bytes.Reader is.
func Load(ctx context.Context, db *sql.DB, from io.Reader, req Request) (*Report, error) {
	req.Limits = req.Limits.orUsual()
	if err := CheckTable(req.Table); err != nil {
		return nil, err
	}
	source, err := open(from, req)
	if err != nil {
		return nil, err
	}
	defer source.close()
	l := &loader{req: req, rows: source, report: &Report{Dialect: source.dialect(), Columns: []FileColumn{}, Refused: []RefusedRow{}, Sample: [][]string{}}}
	if err := l.guess(ctx); err != nil {
		return nil, err
	}
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return nil, aborted(err)
	}
	defer tx.Rollback()
	if err := l.write(ctx, tx); err != nil {
		return nil, aborted(err)
	}
	if l.report.Refusals > int64(req.Refuse) && !req.Dry {
		first := l.report.Refused[0]
		told := "1 row does not fit, in"
		if l.report.Refusals > 1 {
			told = fmt.Sprintf("%d rows do not fit, the first in", l.report.Refusals)
		}
		return nil, &Error{Code: fault.RowsRefused, Message: fmt.Sprintf("%s line %d: %s; nothing was loaded", told, first.Line, first.Reason), Column: first.Column, Report: l.report}
	}
	if req.Dry {
		l.report.Loaded, l.report.Added, l.report.Replaced = 0, 0, 0
		return l.report, nil
	}
	return l.report, aborted(tx.Commit())
}

// aborted gives an error of the database that is no fault of a row its cause. SQLite has
// taken the whole transaction back by then, or does when it is rolled back.
func aborted(err error) error {
	var own sqlite3.Error
	if errors.As(err, &own) && (own.Code == sqlite3.ErrFull || own.Code == sqlite3.ErrIoErr) {
		return fmt.Errorf("%w: %w", ErrNoRoom, err)
	}
	return err
}

// refusedBy is why the table does not take a row; "" where the row is not to blame, and
// nothing more can be written.
func refusedBy(err error) string {
	var own sqlite3.Error
	if !errors.As(err, &own) {
		return ""
	}
	switch {
	case own.ExtendedCode == sqlite3.ErrConstraintUnique, own.ExtendedCode == sqlite3.ErrConstraintPrimaryKey:
		return "a record with the same key is there already"
	case own.ExtendedCode == sqlite3.ErrConstraintNotNull:
		return "a value is missing in a column of the table that needs one"
	case own.Code == sqlite3.ErrMismatch, own.Code == sqlite3.ErrConstraint:
		return "a value is not of the kind that its column in the table holds"
	}
	return ""
}

type loader struct {
	req     Request
	rows    rows
	columns []field
	names   []string // of the columns in the table, that of row numbers first
	first   []row    // those that were looked at
	report  *Report
	sums    []float64 // of the numbers of each column, for a row of totals
	number  int64     // of the row at hand
	kept    int       // bytes of the refused rows that are told
}

// put writes a row, or tells why it does not fit.
func (l *loader) put(ctx context.Context, insert *sql.Stmt, r row, values []any) error {
	l.report.Read++
	column, reason := l.values(r, values)
	if reason == "" {
		if _, err := insert.ExecContext(ctx, values...); err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if reason = refusedBy(err); reason == "" {
				return err
			}
		}
	}
	if reason != "" {
		if l.report.Refusals++; l.report.Refusals <= MostRefused {
			l.report.Refused = append(l.report.Refused, l.told(r, column, reason))
		}
		if !l.req.Dry && l.report.Refusals > MostRefused {
			return &Error{Code: fault.RowsRefused, Message: fmt.Sprintf("more than %d rows do not fit, the first in line %d: %s; nothing was loaded", MostRefused, l.report.Refused[0].Line, l.report.Refused[0].Reason), Report: l.report}
		}
		return nil
	}
	l.add(values)
	if l.report.Loaded++; len(l.report.Sample) < shownRows {
		l.report.Sample = append(l.report.Sample, shown(values))
	}
	return nil
}

// told is a refused row with its fields, as long as there is room for them.
func (l *loader) told(r row, column, reason string) RefusedRow {
	refused := RefusedRow{Line: r.line, Column: column, Reason: reason, Fields: []string{}}
	for _, f := range r.fields {
		l.kept += len(f.String())
	}
	if l.kept <= keptBytes {
		refused.Fields = r.texts()
	}
	return refused
}

// each hands out the rows of the file in order, and with the last one that it is.
func (l *loader) each(ctx context.Context, use func(r row, last bool) error) error {
	var held *row // the one before, which may be the last
	hand := func(r row) error {
		before := held
		held = &r
		if before == nil {
			return nil
		}
		return use(*before, false)
	}
	for _, r := range l.first {
		if err := hand(r); err != nil {
			return err
		}
	}
	l.first = nil
	for {
		r, err := l.rows.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
		if own := (*Error)(nil); errors.As(err, &own) {
			return err
		}
		if err != nil {
			return &Error{Code: fault.FileNotRead, Message: fmt.Sprintf("after %d rows: %s; nothing was loaded", l.report.Read+1, err), Report: l.report, Cause: err}
		}
		if err := hand(l.plain(r)); err != nil {
			return err
		}
	}
	if held == nil {
		return nil
	}
	return use(*held, true)
}

// totalled says what becomes of a last row that looks like totals; keep is false where it
// is to be left out.
func (l *loader) totalled(r row) (keep bool, err error) {
	if l.req.Totals == KeepTotals || !l.isTotals(r) {
		return true, nil
	}
	if l.req.Totals == SkipTotals {
		l.note("The row of totals in line %d was left out.", r.line)
		return false, nil
	}
	said := fmt.Sprintf("line %d looks like a row of totals: %s", r.line, english.Shorten(joined(r.texts())))
	if l.req.Dry {
		l.note("%s; say by --totals whether to keep it as a record or to skip it.", said)
		return true, nil
	}
	return false, &Error{Code: fault.RowOfTotals, Message: said + "; say by --totals whether to keep it as a record or to skip it; nothing was loaded"}
}
