package source

// #include "sqlite.h"
import "C"

import (
	"context"
	"database/sql/driver"
	"errors"
	"io"
	"math"
	"reflect"
	"sync"
	"unsafe"

	"github.com/mattn/go-sqlite3"

	"pikegate/internal/core/value"
)

// sqliteRows reads the rows of a statement many at a time: one call into C for a batch,
// where the driver makes one for each row and memory for each value.
type sqliteRows struct {
	ctx   context.Context
	rows  driver.Rows // of the driver, which took the first step and ends the statement
	stmt  *C.sqlite3_stmt
	cells *[]C.cell
	step  C.int // what the last step returned

	mu      sync.Mutex
	stop    func() bool // the watching of ctx
	stopped bool        // the statement has ended: it must not be interrupted any more
}

func newSQLiteRows(ctx context.Context, rows driver.Rows) *sqliteRows {
	r := &sqliteRows{ctx: ctx, rows: rows, stmt: statementOf(rows), step: C.DONE, cells: cells.Get().(*[]C.cell)}
	if C.sqlite3_stmt_busy(r.stmt) != 0 {
		r.step = C.ROW
	}
	r.stop = context.AfterFunc(ctx, func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		if !r.stopped {
			C.sqlite3_interrupt(C.sqlite3_db_handle(r.stmt))
		}
	})
	return r
}

// cells are used again for other results.
var cells = sync.Pool{New: func() any { return new([]C.cell) }}

// statementOf is SQLite's own statement behind the driver's rows, which the driver does not
// hand out.
func statementOf(rows driver.Rows) *C.sqlite3_stmt {
	prepared := reflect.ValueOf(rows.(*sqlite3.SQLiteRows)).Elem().FieldByName("s").Elem()
	return (*C.sqlite3_stmt)(prepared.FieldByName("s").UnsafePointer())
}

func (r *sqliteRows) width() int { return len(r.rows.Columns()) }

func (r *sqliteRows) close() error {
	r.stop()
	r.mu.Lock()
	r.stopped = true
	r.mu.Unlock()
	cells.Put(r.cells)
	return r.rows.Close()
}

// textOfRow is how many bytes of text there is room for with each row of a batch.
const textOfRow = 64

func (r *sqliteRows) fill(b *value.Batch, most int) error {
	width := r.width()
	if need := width * most; len(*r.cells) < need {
		*r.cells = make([]C.cell, need)
	}
	for least := most * textOfRow; r.step == C.ROW; {
		if err := r.ctx.Err(); err != nil {
			return err
		}
		room := b.Room(least)
		var got C.filled
		C.fill(r.stmt, C.int(width), C.int(most), unsafe.SliceData(*r.cells), (*C.char)(unsafe.Pointer(unsafe.SliceData(room))), C.int64_t(len(room)), &got)
		r.step = got.step
		if got.rows > 0 {
			b.Keep(int(got.bytes))
			r.add(b, (*r.cells)[:int(got.rows)*width], room)
			break
		}
		least = int(got.needs) // for a row that is longer than the room was
	}
	switch err := r.ctx.Err(); {
	case r.step == C.ROW:
		return nil
	case err != nil: // which can look like an end
		return err
	case r.step == C.DONE:
		return io.EOF
	}
	return troubleOfSQLite(sqlite3.ErrNo(r.step&0xff), errors.New(C.GoString(C.sqlite3_errmsg(C.sqlite3_db_handle(r.stmt)))))
}

// add adds the values that were read, whose characters are in the room one after the other.
func (r *sqliteRows) add(b *value.Batch, cells []C.cell, room []byte) {
	for i := range cells {
		switch c := &cells[i]; c._type {
		case C.INTEGER:
			b.Add(value.Whole(int64(c.bits)))
		case C.FLOAT:
			b.Add(value.Real(math.Float64frombits(uint64(c.bits))))
		case C.TEXT, C.BLOB:
			b.Add(value.Chars(unsafe.String(unsafe.SliceData(room), int(c.bits))))
			room = room[c.bits:]
		default:
			b.Add(value.Value{})
		}
	}
}
