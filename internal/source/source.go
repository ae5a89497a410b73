// Package source reads business records out of the databases that hold them:
// SQLite files, PostgreSQL and MariaDB. It never writes to one: every statement
// runs in a transaction that only reads, on a connection that only reads.
package source

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"regexp"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/value"
)

// Source is one database. It is safe for concurrent use; each View has a connection
// of its own.
type Source struct {
	engine
	gate *gate
	log  *slog.Logger
}

// engine is what differs between databases.
type engine interface {
	// Dialect is the SQL that it understands.
	Dialect() compile.Dialect
	// Close ends the connections, once they are given back.
	Close() error
	// view hands one snapshot to use.
	view(ctx context.Context, use func(session) error) error
	// catalog is where the database describes itself.
	inspection() inspection
}

// session is one snapshot of a database.
type session interface {
	rows(ctx context.Context, s compile.Statement) (cursor, error)
}

// cursor is the result of a statement that runs.
type cursor interface {
	width() int
	// fill adds rows to the batch: one at least, no more than most, and fewer where they are long. It
	// returns io.EOF where there are none after them.
	fill(b *value.Batch, most int) error
	close() error
}

// Open opens the source of a definition, as far as the rules allow it. Nothing is read
// before the first View: a database that does not answer is no error here.
func Open(c catalog.Connection, rules Rules) (*Source, error) {
	var e engine
	var err error
	switch c.Engine {
	case catalog.Postgres:
		e, err = openPostgres(c, rules)
	case catalog.MariaDB:
		e, err = openMariaDB(c, rules)
	default:
		e = &sqlite{path: rules.path(cmp.Or(c.File, EmbeddedFile)), atOnce: c.AtOnce, rules: rules}
	}
	if err != nil {
		return nil, err
	}
	return &Source{engine: e, gate: newGate(c.AtOnce, c.Waiting), log: rules.log()}, nil
}

// EmbeddedFile is the file of the embedded records, in the directory of the service.
const EmbeddedFile = "records.db"

// View is one snapshot of a database: whatever is read through it belongs to
// the same moment.
type View struct {
	session    session
	inspection inspection
	dialect    compile.Dialect
	log        *slog.Logger
}

// Dialect is the SQL that the database understands.
func (v View) Dialect() compile.Dialect { return v.dialect }

// View hands one snapshot to use and ends it afterwards. When ctx ends, the
// statement that runs is stopped in the database. An error of use is returned as it
// is.
func (s *Source) View(ctx context.Context, use func(View) error) error {
	return s.view(ctx, func(now session) error { return use(View{now, s.inspection(), s.Dialect(), s.log}) })
}

// The rows that are read before they are handed on: few at first, so that the first
// of them wait for no others, then many.
const (
	firstBatch = 128
	laterBatch = 512
)

// batches are used again for other results.
var batches = sync.Pool{New: func() any { return &value.Batch{} }}

// selects is how a statement that reads begins.
var selects = regexp.MustCompile(`(?i)^[\s(]*(SELECT|WITH|EXPLAIN|VALUES)\b`)

// Rows runs the statement and hands each row to use. The row is used again for later
// ones. While use has rows, the next ones are read, as many as two batches hold: a
// slow use slows the reading down. An error of use ends the reading and is returned
// as it is.
func (v View) Rows(ctx context.Context, s compile.Statement, use func(row []value.Value) error) error {
	if !strings.HasPrefix(s.SQL, "SELECT ") && !selects.MatchString(s.SQL) {
		return failed(Other, "only a SELECT is run")
	}
	v.log.DebugContext(ctx, "a statement is sent", "sql", s.SQL)
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	c, err := v.session.rows(ctx, s)
	if err != nil {
		return err
	}
	all := func(b *value.Batch) error {
		for i := range b.Len() {
			if err := use(b.Row(i)); err != nil {
				return err
			}
		}
		return nil
	}
	// Also where use panics: what is left is not read to its end.
	ended := false
	defer func() {
		if !ended {
			cancel()
			_ = c.close()
		}
	}()
	first := batches.Get().(*value.Batch)
	defer batches.Put(first)
	switch end := read(c, first, firstBatch); {
	case end == nil:
		err = v.readAhead(ctx, cancel, c, first, all)
	case errors.Is(end, io.EOF):
		err = all(first)
	default:
		err = end
	}
	if err != nil {
		return err
	}
	ended = true
	return c.close()
}

// read fills a batch anew; io.EOF where the result ends in it.
func read(c cursor, b *value.Batch, most int) error {
	b.Reset(c.width(), most)
	return c.fill(b, most)
}

// bytesOfBatch is how many bytes of text a batch has when no further row is added to it.
const bytesOfBatch = 256 << 10

// each fills a batch with rows that come one by one; io.EOF where there are no more.
func each(b *value.Batch, most int, next func(*value.Batch) error) error {
	for n := 0; n < most && b.Bytes() < bytesOfBatch; n++ {
		if err := next(b); err != nil {
			return err
		}
	}
	return nil
}

// readAhead hands on what is read while the next batches are being read.
func (v View) readAhead(
	ctx context.Context, cancel func(), c cursor, first *value.Batch, use func(*value.Batch) error,
) error {
	type filled struct {
		batch *value.Batch
		end   error
	}
	full, free := make(chan filled, 2), make(chan *value.Batch, 2)
	second := batches.Get().(*value.Batch)
	defer batches.Put(second) // after the other reader has ended
	free <- second
	go func() {
		defer close(full)
		defer func() {
			if cause := recover(); cause != nil { // which would end the whole service here
				v.log.ErrorContext(ctx, "reading rows panicked", "cause", cause, "stack", string(debug.Stack()))
				full <- filled{nil, failed(Other, "reading its rows failed: %v", cause)}
			}
		}()
		for {
			select {
			case b := <-free:
				err := read(c, b, laterBatch)
				full <- filled{b, err}
				if err != nil {
					return
				}
			case <-ctx.Done():
				return
			}
		}
	}()
	// The cursor is free again only when the other reader has ended, which it does at once
	// where use failed or panicked.
	done := false
	defer func() {
		if !done {
			cancel()
		}
		for range full {
		}
	}()
	if err := use(first); err != nil {
		return err
	}
	free <- first
	for f := range full {
		if f.end != nil && !errors.Is(f.end, io.EOF) {
			return f.end
		}
		if err := use(f.batch); err != nil {
			return err
		}
		if f.end != nil {
			done = true
			return nil
		}
		free <- f.batch
	}
	return ctx.Err()
}

// One runs a statement that returns one value, missing where it returns none.
func (v View) One(ctx context.Context, s compile.Statement) (val value.Value, err error) {
	err = v.Rows(ctx, s, func(row []value.Value) error {
		val = row[0].Clone() // the row's memory is used again
		return nil
	})
	return val, err
}

// Numbers runs a statement that returns one row of whole numbers.
func (v View) Numbers(ctx context.Context, s compile.Statement) (all []int64, err error) {
	err = v.Rows(ctx, s, func(row []value.Value) error {
		for _, val := range row {
			n, _ := val.Int()
			all = append(all, n)
		}
		return nil
	})
	return all, err
}

// Count runs a statement that returns one number.
func (v View) Count(ctx context.Context, s compile.Statement) (int64, error) {
	all, err := v.Numbers(ctx, s)
	if err != nil {
		return 0, err
	}
	return all[0], nil
}

// Trouble is what is the matter with a source that did not do what it was asked. It is a
// value for programs; Advice says what people can do.
type Trouble string

const (
	Unreached   Trouble = "unreached"   // no connection to its server, or no file
	Refused     Trouble = "refused"     // the account, or what it may do
	Forbidden   Trouble = "forbidden"   // by the settings of the service
	Unpublished Trouble = "unpublished" // only published sources are connected to
	Unset       Trouble = "unset"       // its address or password is not to be had
	Changed     Trouble = "changed"     // the database has not what the statement names
	Lost        Trouble = "lost"        // the connection broke off
	Locked      Trouble = "locked"      // by somebody else
	TooLong     Trouble = "too_long"    // the statement took longer than it may
	Unfit       Trouble = "unfit"       // a value that cannot be converted
	Full        Trouble = "full"        // its queue
	Other       Trouble = "other"
)

var advice = map[Trouble]string{
	Unreached:   "it cannot be reached; see that its server runs and that the address is right, and try again",
	Refused:     "it refuses the account; see that its user and password are right and that it may read the tables",
	Forbidden:   "ask the admin of the service to allow it in its settings",
	Unpublished: "publish the source first",
	Unset:       "its address or password is not to be had; set what the source's definition refers to",
	Changed:     "the dataset has to be brought in line with the database",
	Lost:        "it went away; try again later, and tell whoever keeps the service if it stays so",
	Locked:      "somebody holds a lock on the records; try again when they are done",
	TooLong:     "the statement took longer than the source allows; ask for fewer days, or for a longer time",
	Unfit:       "the database could not convert a value; see that the dataset says of its columns what they are",
	Full:        "as many runs as the source allows run and wait already; try again in a moment",
	Other:       "try again later, and tell whoever keeps the service if it stays so",
}

// Advice is what people can do about it, as the second half of a sentence.
func (t Trouble) Advice() string { return advice[t] }

// Error is a source that did not do what it was asked. Its message names no secret
// and no address.
type Error struct {
	Trouble Trouble
	// Code is the database's own: the SQLSTATE of PostgreSQL and MariaDB, "" where there is none.
	Code string
	Near string // the part of the statement that the database names, "" where it names none
	Err  error
}

func (e *Error) Error() string { return e.Err.Error() }

func (e *Error) Unwrap() error { return e.Err }

func failed(trouble Trouble, format string, args ...any) *Error {
	return &Error{Trouble: trouble, Err: fmt.Errorf(format, args...)}
}

// openTime is the longest that a connection may take to be made, or to begin a
// transaction; closeTime the longest that a source waits for its connections to end.
const (
	openTime  = 10 * time.Second
	closeTime = 5 * time.Second
)

// mostRow is the most bytes that a row of a result may have, beyond which the source fails
// rather than fill the memory.
const mostRow = 16 << 20

// errSilent is what a server fails with that does not answer within openTime.
var errSilent = failed(Unreached, "its server does not answer")

// errUnreadable is what a server fails with whose rows say that they are longer than they are, or have
// other columns, or that sends what no driver expects.
var errUnreadable = failed(Lost, "its server sent what cannot be read")

// silent tells a server that did not answer in time from a caller who ended it.
func silent(ctx, within context.Context, err error) error {
	if err != nil && within.Err() != nil && ctx.Err() == nil {
		return errSilent
	}
	return err
}

// closing waits for a close that may hang, for so long and no longer.
func closing(end func() error) error {
	done := make(chan error, 1)
	go func() { done <- end() }()
	select {
	case err := <-done:
		return err
	case <-time.After(closeTime):
		return errors.New("its connections did not end in time")
	}
}
