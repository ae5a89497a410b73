// What internal/source has in C: rows that are read many at a time, and functions of texts
// that are written in Go.

#pragma once

#include <stdint.h>

// Parts of SQLite's interface, which the driver brings. They are weak so that this package can
// be linked by itself before the driver is there.
#define WEAK __attribute__((weak))
typedef struct sqlite3 sqlite3;
typedef struct sqlite3_stmt sqlite3_stmt;
typedef struct sqlite3_context sqlite3_context;
typedef struct sqlite3_value sqlite3_value;
WEAK int sqlite3_step(sqlite3_stmt *);
WEAK int sqlite3_stmt_busy(sqlite3_stmt *);
WEAK int sqlite3_column_type(sqlite3_stmt *, int);
WEAK int64_t sqlite3_column_int64(sqlite3_stmt *, int);
WEAK double sqlite3_column_double(sqlite3_stmt *, int);
WEAK const unsigned char *sqlite3_column_text(sqlite3_stmt *, int);
WEAK const void *sqlite3_column_blob(sqlite3_stmt *, int);
WEAK int sqlite3_column_bytes(sqlite3_stmt *, int);
WEAK sqlite3 *sqlite3_db_handle(sqlite3_stmt *);
WEAK const char *sqlite3_errmsg(sqlite3 *);
WEAK void sqlite3_interrupt(sqlite3 *);
WEAK int sqlite3_create_function_v2(sqlite3 *, const char *, int, int, void *, void (*)(sqlite3_context *, int, sqlite3_value **),
	void (*)(sqlite3_context *, int, sqlite3_value **), void (*)(sqlite3_context *), void (*)(void *));
WEAK int sqlite3_set_authorizer(sqlite3 *, int (*)(void *, int, const char *, const char *, const char *, const char *), void *);
WEAK void *sqlite3_user_data(sqlite3_context *);
WEAK int sqlite3_value_type(sqlite3_value *);
WEAK const void *sqlite3_value_blob(sqlite3_value *);
WEAK const unsigned char *sqlite3_value_text(sqlite3_value *);
WEAK int sqlite3_value_bytes(sqlite3_value *);
WEAK void sqlite3_result_int(sqlite3_context *, int);
WEAK int64_t sqlite3_value_int64(sqlite3_value *);
WEAK double sqlite3_value_double(sqlite3_value *);
WEAK void *sqlite3_aggregate_context(sqlite3_context *, int);
WEAK void sqlite3_result_text(sqlite3_context *, const char *, int, void (*)(void *));

enum { ROW = 100, DONE = 101 };                      // what sqlite3_step returns
enum { INTEGER = 1, FLOAT = 2, TEXT = 3, BLOB = 4, MISSING = 5 }; // the types of values

// A value: a whole number, the bits of a fraction, or the length of characters, which follow
// those of the value before.
typedef struct {
	int64_t bits, type;
} cell;

// Rows that were read: how many, the bytes of their characters, and what the last step
// returned. Where there was no room for the first row, the bytes that it needs.
typedef struct {
	int rows, step;
	int64_t bytes, needs;
} filled;

// fill reads the row at hand and those after it, as many as there is room for.
void fill(sqlite3_stmt *, int width, int most, cell *cells, char *room, int64_t size, filled *);

// only_reads refuses every statement of a connection that does more than read.
int only_reads(sqlite3 *);

// add_function gives a database the function of texts that has a number in Go.
int add_function(sqlite3 *, const char *name, int arguments, int number);

// add_sum gives a database the function that adds numbers up without loss, of a number and how many
// digits after the point count: its text is the sum in units of the last digit, how many numbers it is
// of, and how many values are missing, parted by blanks.
int add_sum(sqlite3 *, const char *name);

// add_form gives a database the function that tells whether a text is a date in a form: of the text, the
// form with %Y, %m, %d, %H, %M and %S in it, what stands behind, and whether a fraction of a second
// may stand before that. Of a missing text the result is missing.
int add_form(sqlite3 *, const char *name);

// give_text makes a text the result of a function.
void give_text(sqlite3_context *, const char *text, int bytes);
