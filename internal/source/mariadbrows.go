package source

import (
	"context"
	"database/sql/driver"
	"encoding/binary"
	"errors"
	"io"
	"math"
	"net"
	"strconv"
	"syscall"
	"time"

	"pikegate/internal/core/value"
)

// mariaWire is a connection to MariaDB whose rows are read past the driver. Where the connection is
// encrypted there is none: then the driver reads all.
type mariaWire struct {
	net.Conn
	wire
	longest time.Duration // that a read may take
	taken   byte          // the rows that the driver has not seen since it last wrote: messages are numbered
}

func newMariaWire(c net.Conn, longest time.Duration) *mariaWire {
	w := &mariaWire{Conn: c, longest: longest}
	// The length of what follows, and a number by which the driver sees that it misses nothing. A row
	// begins with a zero behind that.
	w.wire = newWire(timely{w}, messages{header: 4, rowAt: 4, passed: func(header []byte) { header[3] -= w.taken },
		size: func(header []byte) int {
			return 4 + int(header[0]) + int(header[1])<<8 + int(header[2])<<16
		}})
	return w
}

// timely reads what a server sends, and waits for it so long and no longer.
type timely struct{ *mariaWire }

func (t timely) Read(p []byte) (int, error) {
	if err := t.Conn.SetReadDeadline(time.Now().Add(t.longest)); err != nil {
		return 0, err
	}
	return t.Conn.Read(p)
}

// Read hands the driver one message at a time.
func (w *mariaWire) Read(p []byte) (int, error) { return w.wire.Read(p) }

// Write sends what the driver says, after which messages are numbered anew.
func (w *mariaWire) Write(p []byte) (int, error) {
	w.taken = 0
	return w.Conn.Write(p)
}

// SyscallConn lets the driver look whether the server has closed the connection.
func (w *mariaWire) SyscallConn() (syscall.RawConn, error) {
	if c, ok := w.Conn.(syscall.Conn); ok {
		return c.SyscallConn()
	}
	return nil, errors.ErrUnsupported
}

// The forms in which MariaDB sends values.
type mariaForm uint8

const (
	mariaTiny mariaForm = iota + 1
	mariaShort
	mariaInt
	mariaLong
	mariaTinyPlus // of those without a sign
	mariaShortPlus
	mariaIntPlus
	mariaLongPlus
	mariaFloat
	mariaDouble
	mariaMoment
	mariaDecimal
	mariaText
)

// mariaForms are those of types, by the driver's names for them. Of a result with others the rows are
// the driver's.
var mariaForms = map[string]mariaForm{
	"TINYINT": mariaTiny, "SMALLINT": mariaShort, "MEDIUMINT": mariaInt, "INT": mariaInt, "BIGINT": mariaLong, "YEAR": mariaShort,
	"UNSIGNED TINYINT": mariaTinyPlus, "UNSIGNED SMALLINT": mariaShortPlus, "UNSIGNED MEDIUMINT": mariaIntPlus, "UNSIGNED INT": mariaIntPlus, "UNSIGNED BIGINT": mariaLongPlus,
	"FLOAT": mariaFloat, "DOUBLE": mariaDouble, "DATE": mariaMoment, "DATETIME": mariaMoment, "TIMESTAMP": mariaMoment, "DECIMAL": mariaDecimal,
	"CHAR": mariaText, "VARCHAR": mariaText, "TINYTEXT": mariaText, "TEXT": mariaText, "MEDIUMTEXT": mariaText, "LONGTEXT": mariaText,
	"ENUM": mariaText, "SET": mariaText, "JSON": mariaText, "BIT": mariaText,
	"BINARY": mariaText, "VARBINARY": mariaText, "TINYBLOB": mariaText, "BLOB": mariaText, "MEDIUMBLOB": mariaText, "LONGBLOB": mariaText,
}

// mariaRows reads the rows of a statement.
type mariaRows struct {
	ctx      context.Context
	conn     *mariaConn
	prepared driver.Stmt
	rows     driver.Rows
	values   []driver.Value
	forms    []mariaForm // of the columns
	lengths  []int       // of the texts of days and moments
	past     *mariaWire  // where the rows are read past the driver, else nil
	unwatch  func()
}

func newMariaRows(ctx context.Context, conn *mariaConn, prepared driver.Stmt, rows driver.Rows, unwatch func()) *mariaRows {
	r := &mariaRows{ctx: ctx, conn: conn, prepared: prepared, rows: rows, unwatch: unwatch}
	r.values = make([]driver.Value, len(rows.Columns()))
	r.forms, r.lengths = make([]mariaForm, len(r.values)), make([]int, len(r.values))
	r.past, _ = conn.wire.(*mariaWire)
	for i := range r.values {
		name := rows.(driver.RowsColumnTypeDatabaseTypeName).ColumnTypeDatabaseTypeName(i)
		if r.forms[i] = mariaForms[name]; r.forms[i] == mariaMoment {
			decimals, _, _ := rows.(driver.RowsColumnTypePrecisionScale).ColumnTypePrecisionScale(i)
			r.lengths[i] = momentLength(name, decimals)
		}
		if r.forms[i] == 0 || r.forms[i] == mariaMoment && r.lengths[i] == 0 {
			r.past = nil
		}
	}
	return r
}

// momentLength is how long a day or a moment is as a text, 0 for what no server has.
func momentLength(name string, decimals int64) int {
	const unspecified = 31
	switch {
	case name == "DATE":
		return len(time.DateOnly)
	case decimals == 0 || decimals == unspecified:
		return len(time.DateTime)
	case decimals <= 6:
		return len(time.DateTime) + 1 + int(decimals)
	}
	return 0
}

func (r *mariaRows) width() int { return len(r.values) }

func (r *mariaRows) close() (err error) {
	defer guarded(r.conn.log, &err)
	if r.ctx.Err() != nil {
		// The driver would read the result to its end, from a server that may not send it.
		_ = r.conn.wire.Close()
	}
	r.unwatch()
	// It reads what is left, which is nothing unless the server says that more results follow.
	// The driver has deadlines of its own for that, which are those of a statement.
	late := time.AfterFunc(endTime, func() { _ = r.conn.wire.Close() })
	defer late.Stop()
	err = r.rows.Close()
	if closing := r.prepared.Close(); err == nil {
		err = closing
	}
	return explainMariaDB(err, false)
}

func (r *mariaRows) fill(b *value.Batch, most int) error { return each(b, most, r.next) }

func (r *mariaRows) next(b *value.Batch) error {
	if r.past != nil {
		if row := r.past.takeRow(); row != nil {
			r.past.taken++
			return r.take(b, row)
		}
	}
	return r.driven(b)
}

// take takes a row apart: a zero, two bits and one for each column that is missing, and the values, in
// the byte order of small ends.
func (r *mariaRows) take(b *value.Batch, row []byte) error {
	text := b.Copy(row)
	at := 1 + (len(r.forms)+2+7)/8
	if at > len(row) {
		return errUnreadable
	}
	missing := row[1:at]
	for i, form := range r.forms {
		if missing[(i+2)/8]>>((i+2)%8)&1 == 1 {
			b.Add(value.Value{})
			continue
		}
		size, ok := mariaSizes[form], true
		if size == 0 {
			size, at, ok = lengthAt(row, at)
		}
		if !ok || size > len(row)-at {
			return errUnreadable
		}
		switch form {
		case mariaDecimal:
			b.Add(value.Digits(text[at : at+size]))
		case mariaText:
			b.Add(value.Chars(text[at : at+size]))
		case mariaMoment:
			if !addMoment(b, row[at:at+size], r.lengths[i]) {
				return errUnreadable
			}
		default:
			b.Add(mariaNumber(form, row[at:at+size]))
		}
		at += size
	}
	return nil
}

// mariaSizes are how many bytes values have, where all have the same.
var mariaSizes = [...]int{mariaTiny: 1, mariaShort: 2, mariaInt: 4, mariaLong: 8, mariaTinyPlus: 1, mariaShortPlus: 2, mariaIntPlus: 4, mariaLongPlus: 8, mariaFloat: 4, mariaDouble: 8, mariaText: 0}

// lengthAt is a length, and where what is so long begins. A length of one byte is below 0xfb; else that
// byte says of how many further ones it is.
func lengthAt(row []byte, at int) (size, from int, ok bool) {
	if at >= len(row) {
		return 0, 0, false
	}
	var bytes int
	switch first := row[at]; first {
	case 0xfc:
		bytes = 2
	case 0xfd:
		bytes = 3
	default:
		return int(first), at + 1, first < 0xfb // no row that fits the buffer has longer ones
	}
	if at++; len(row)-at < bytes {
		return 0, 0, false
	}
	for i := bytes - 1; i >= 0; i-- {
		size = size<<8 | int(row[at+i])
	}
	return size, at + bytes, true
}

// mariaNumber is a number.
func mariaNumber(form mariaForm, bytes []byte) value.Value {
	switch form {
	case mariaTiny:
		return value.Whole(int64(int8(bytes[0])))
	case mariaShort:
		return value.Whole(int64(int16(binary.LittleEndian.Uint16(bytes))))
	case mariaInt:
		return value.Whole(int64(int32(binary.LittleEndian.Uint32(bytes))))
	case mariaLong:
		return value.Whole(int64(binary.LittleEndian.Uint64(bytes)))
	case mariaTinyPlus:
		return value.Whole(int64(bytes[0]))
	case mariaShortPlus:
		return value.Whole(int64(binary.LittleEndian.Uint16(bytes)))
	case mariaIntPlus:
		return value.Whole(int64(binary.LittleEndian.Uint32(bytes)))
	case mariaLongPlus:
		return unsigned(binary.LittleEndian.Uint64(bytes))
	case mariaFloat:
		return single(math.Float32frombits(binary.LittleEndian.Uint32(bytes)))
	}
	return value.Real(math.Float64frombits(binary.LittleEndian.Uint64(bytes)))
}

// addMoment adds a day or a moment as a text of a length; false for one that there is not. Its bytes are
// a year of two, a month and a day, hours, minutes and seconds, and microseconds of four: what there is
// none of at the end may be missing.
func addMoment(b *value.Batch, bytes []byte, length int) bool {
	text := [26]byte([]byte("0000-00-00 00:00:00.000000"))
	two := func(at, n int) bool {
		text[at], text[at+1] = byte('0'+n/10%10), byte('0'+n%10)
		return n < 100
	}
	ok := len(bytes) == 0 || len(bytes) == 4 || len(bytes) == 7 || len(bytes) == 11
	if len(bytes) >= 4 {
		year := int(binary.LittleEndian.Uint16(bytes))
		ok = two(0, year/100) && two(2, year%100) && two(5, int(bytes[2])) && two(8, int(bytes[3])) && ok
	}
	if len(bytes) >= 7 {
		ok = two(11, int(bytes[4])) && two(14, int(bytes[5])) && two(17, int(bytes[6])) && ok
	}
	if len(bytes) >= 11 {
		micros := int(binary.LittleEndian.Uint32(bytes[7:]))
		ok = two(20, micros/10_000) && two(22, micros/100%100) && two(24, micros%100) && ok
	}
	b.AddChars(text[:length])
	return ok
}

// unsigned is a whole number without a sign.
func unsigned(n uint64) value.Value {
	if n > math.MaxInt64 {
		return value.Digits(strconv.FormatUint(n, 10))
	}
	return value.Whole(int64(n))
}

// single is a short binary fraction, as near as its few digits say.
func single(n float32) value.Value {
	f, _ := strconv.ParseFloat(strconv.FormatFloat(float64(n), 'g', -1, 32), 64)
	return value.Real(f)
}

// driven adds the row that the driver reads.
func (r *mariaRows) driven(b *value.Batch) (err error) {
	defer guarded(r.conn.log, &err)
	if err := r.rows.Next(r.values); err != nil {
		if stopped := r.ctx.Err(); stopped != nil {
			return stopped
		}
		if errors.Is(err, io.EOF) {
			return io.EOF
		}
		return explainMariaDB(err, false)
	}
	for i, val := range r.values {
		switch v := val.(type) {
		case int64:
			b.Add(value.Whole(v))
		case []byte:
			if r.forms[i] == mariaDecimal || r.forms[i] == mariaLongPlus { // of those the largest come as texts
				b.AddDigits(v)
			} else {
				b.AddChars(v)
			}
		case float64:
			b.Add(value.Real(v))
		case float32:
			b.Add(single(v))
		case string:
			b.Add(value.Chars(v))
		default:
			b.Add(value.Value{})
		}
	}
	return nil
}
