#include "_cgo_export.h"
#include "sqlite.h"
#include <stdio.h>
#include <string.h>

static int64_t row_bytes(sqlite3_stmt *s, int width) {
	int64_t n = 0;
	for (int i = 0; i < width; i++) {
		int type = sqlite3_column_type(s, i);
		if (type == TEXT || type == BLOB) n += sqlite3_column_bytes(s, i);
	}
	return n;
}

void fill(sqlite3_stmt *s, int width, int most, cell *cells, char *room, int64_t size, filled *out) {
	memset(out, 0, sizeof *out);
	out->step = ROW;
	while (out->rows < most) {
		cell *c = cells + (int64_t)out->rows * width;
		int64_t at = out->bytes;
		for (int i = 0; i < width; i++, c++) {
			c->type = sqlite3_column_type(s, i);
			switch (c->type) {
			case INTEGER:
				c->bits = sqlite3_column_int64(s, i);
				break;
			case FLOAT: {
				double f = sqlite3_column_double(s, i);
				memcpy(&c->bits, &f, sizeof f);
				break;
			}
			case TEXT:
			case BLOB: {
				const void *p = c->type == TEXT ? (const void *)sqlite3_column_text(s, i) : sqlite3_column_blob(s, i);
				c->bits = sqlite3_column_bytes(s, i);
				if (c->bits > size - at) {
					out->needs = row_bytes(s, width);
					return;
				}
				if (c->bits > 0) memcpy(room + at, p, c->bits);
				at += c->bits;
			}
			}
		}
		out->rows++;
		out->bytes = at;
		if ((out->step = sqlite3_step(s)) != ROW) return;
	}
}

// allowed answers what a statement may do: read, and ask which columns and indexes a table has.
static int allowed(void *none, int action, const char *name, const char *b, const char *c, const char *d) {
	const int ok = 0, deny = 1, pragma = 19, read = 20, select = 21, transaction = 22, function = 31, recursive = 33;
	static const char *const asked[] = {"table_info", "index_list", "index_info"};
	if (action == read || action == select || action == transaction || action == function || action == recursive) return ok;
	for (int i = 0; action == pragma && name && i < (int)(sizeof asked / sizeof *asked); i++) {
		if (strcmp(name, asked[i]) == 0) return ok;
	}
	return deny;
}

int only_reads(sqlite3 *db) { return sqlite3_set_authorizer(db, allowed, NULL); }

// text_of is a value's characters; NULL for a value that has none.
static const char *text_of(sqlite3_value *v, int *bytes) {
	int type = sqlite3_value_type(v);
	if (type != TEXT && type != BLOB) return NULL;
	const char *text = type == TEXT ? (const char *)sqlite3_value_text(v) : sqlite3_value_blob(v);
	*bytes = sqlite3_value_bytes(v);
	return *bytes == 0 ? "" : text;
}

// text_function calls a function in Go. Of a value that is no text the result is missing.
static void text_function(sqlite3_context *c, int n, sqlite3_value **values) {
	const char *text[2] = {"", ""};
	int bytes[2] = {0, 0};
	for (int i = 0; i < n; i++) {
		if (!(text[i] = text_of(values[i], &bytes[i]))) return;
	}
	call_text_function(c, (int)(intptr_t)sqlite3_user_data(c), (char *)text[0], bytes[0], (char *)text[1], bytes[1]);
}

int add_function(sqlite3 *db, const char *name, int arguments, int number) {
	const int utf8 = 1, deterministic = 0x800;
	return sqlite3_create_function_v2(db, name, arguments, utf8 | deterministic, (void *)(intptr_t)number, text_function, NULL, NULL, NULL);
}

// What a sum is so far. Numbers whose units are more than an __int128 of them could hold are none.
typedef struct {
	__int128 units;
	int64_t taken, missing;
} sum;

static const double mostUnits = 1e30;

static void sum_step(sqlite3_context *c, int n, sqlite3_value **values) {
	static const int64_t powers[] = {1, 10, 100, 1000, 10000, 100000, 1000000, 10000000, 100000000, 1000000000, 10000000000, 100000000000, 1000000000000};
	sum *s = sqlite3_aggregate_context(c, sizeof *s);
	int64_t digits = sqlite3_value_int64(values[1]);
	if (!s || digits < 0 || digits >= (int64_t)(sizeof powers / sizeof *powers)) return;
	switch (sqlite3_value_type(values[0])) {
	case MISSING:
		s->missing++;
		break;
	case INTEGER:
		s->units += (__int128)sqlite3_value_int64(values[0]) * powers[digits];
		s->taken++;
		break;
	case FLOAT: {
		double units = sqlite3_value_double(values[0]) * (double)powers[digits];
		if (units > -mostUnits && units < mostUnits) {
			__int128 whole = (__int128)units;
			double rest = units - (double)whole;
			s->units += whole + (rest >= 0.5) - (rest <= -0.5);
			s->taken++;
		}
	}
	}
}

static void sum_text(sqlite3_context *c) {
	sum *s = sqlite3_aggregate_context(c, 0), none = {0};
	if (!s) s = &none;
	char digits[48], text[96];
	char *at = digits + sizeof digits;
	*--at = 0;
	unsigned __int128 left = s->units < 0 ? -(unsigned __int128)s->units : (unsigned __int128)s->units;
	do *--at = '0' + (int)(left % 10);
	while (left /= 10);
	if (s->units < 0) *--at = '-';
	int bytes = snprintf(text, sizeof text, "%s %lld %lld", at, (long long)s->taken, (long long)s->missing);
	give_text(c, text, bytes);
}

int add_sum(sqlite3 *db, const char *name) {
	const int utf8 = 1, deterministic = 0x800;
	return sqlite3_create_function_v2(db, name, 2, utf8 | deterministic, NULL, NULL, sum_step, sum_text, NULL);
}

// number reads so many digits; -1 where others stand there.
static int number(const char *text, int digits) {
	int n = 0;
	for (int i = 0; i < digits; i++) {
		if (text[i] < '0' || text[i] > '9') return -1;
		n = 10 * n + text[i] - '0';
	}
	return n;
}

// is_date reports whether a text is a date in a form.
static int is_date(const char *text, int left, const char *form, const char *behind, int behindBytes, int fraction) {
	static const int days[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
	int year = 1, month = 1, day = 1, hour = 0, minute = 0, second = 0;
	for (; *form; form++) {
		if (*form != '%' || *++form == '%') {
			if (left < 1 || *text != *form) return 0;
			text++, left--;
			continue;
		}
		int digits = *form == 'Y' ? 4 : 2, n;
		if (left < digits || (n = number(text, digits)) < 0) return 0;
		text += digits, left -= digits;
		switch (*form) {
		case 'Y': year = n; break;
		case 'm': month = n; break;
		case 'd': day = n; break;
		case 'H': hour = n; break;
		case 'M': minute = n; break;
		case 'S': second = n; break;
		default: return 0;
		}
	}
	if (fraction && left > 1 && *text == '.' && number(text + 1, 1) >= 0) {
		do text++, left--;
		while (left > 0 && *text >= '0' && *text <= '9');
	}
	if (left != behindBytes || memcmp(text, behind, left) != 0) return 0;
	if (month < 1 || month > 12 || hour > 23 || minute > 59 || second > 59) return 0;
	int leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
	return day >= 1 && day <= days[month - 1] + (month == 2 && leap);
}

static void form_function(sqlite3_context *c, int n, sqlite3_value **values) {
	int type = sqlite3_value_type(values[0]);
	if (type == MISSING) return;
	const char *text = type == BLOB ? NULL : (const char *)sqlite3_value_text(values[0]);
	const char *form = (const char *)sqlite3_value_text(values[1]), *behind = (const char *)sqlite3_value_text(values[2]);
	sqlite3_result_int(c, text && form && behind && is_date(text, sqlite3_value_bytes(values[0]), form, behind, sqlite3_value_bytes(values[2]), sqlite3_value_int64(values[3]) != 0));
}

int add_form(sqlite3 *db, const char *name) {
	const int utf8 = 1, deterministic = 0x800;
	return sqlite3_create_function_v2(db, name, 4, utf8 | deterministic, NULL, form_function, NULL, NULL, NULL);
}

void give_text(sqlite3_context *c, const char *text, int bytes) {
	const intptr_t copied = -1; // SQLITE_TRANSIENT
	sqlite3_result_text(c, bytes == 0 ? "" : text, bytes, (void (*)(void *))copied);
}
