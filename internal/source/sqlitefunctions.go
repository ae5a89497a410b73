package source

// #include <stdlib.h>
// #include "sqlite.h"
import "C"

import (
	"fmt"
	"reflect"
	"unsafe"

	"github.com/mattn/go-sqlite3"

	"pikegate/internal/core/compile"
)

// handleOf is SQLite's own connection behind the driver's, which the driver does not hand out.
func handleOf(conn *sqlite3.SQLiteConn) *C.sqlite3 {
	return (*C.sqlite3)(reflect.ValueOf(conn).Elem().FieldByName("db").UnsafePointer())
}

// onlyReads refuses the statements of a connection that do more than read. The driver can do so too,
// with a call into Go for each column that a statement names, and for each beginning and end of a view.
func onlyReads(conn *sqlite3.SQLiteConn) error {
	if failed := C.only_reads(handleOf(conn)); failed != 0 {
		return fmt.Errorf("SQLite takes no authorizer: error %d", failed)
	}
	return nil
}

// addFunctions gives a connection the functions that statements call beside SQLite's own. The
// driver can do so too, with ten times the time for each call.
func addFunctions(conn *sqlite3.SQLiteConn) error {
	db := handleOf(conn)
	add := func(name string, add func(*C.char) C.int) error {
		text := C.CString(name)
		defer C.free(unsafe.Pointer(text))
		if failed := add(text); failed != 0 {
			return fmt.Errorf("SQLite takes no function %s: error %d", name, failed)
		}
		return nil
	}
	for number, f := range compile.TextFunctions {
		if err := add(f.Name, func(name *C.char) C.int { return C.add_function(db, name, C.int(f.Arguments), C.int(number)) }); err != nil {
			return err
		}
	}
	if err := add(compile.FormFunction, func(name *C.char) C.int { return C.add_form(db, name) }); err != nil {
		return err
	}
	return add(compile.SumFunction, func(name *C.char) C.int { return C.add_sum(db, name) })
}

//export call_text_function
func call_text_function(to *C.sqlite3_context, number C.int, first *C.char, firstBytes C.int, second *C.char, secondBytes C.int) { //nolint:revive // as C calls it
	text := func(at *C.char, bytes C.int) string {
		return unsafe.String((*byte)(unsafe.Pointer(at)), int(bytes)) // which belongs to SQLite
	}
	if result, ok := compile.TextFunctions[number].Of(text(first, firstBytes), text(second, secondBytes)); ok {
		C.give_text(to, (*C.char)(unsafe.Pointer(unsafe.StringData(result))), C.int(len(result)))
	}
}
