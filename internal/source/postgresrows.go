package source

import (
	"context"
	"encoding/binary"
	"io"
	"math"
	"strconv"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgproto3"
	"github.com/jackc/pgx/v5/pgtype"

	"pikegate/internal/core/value"
)

// postgresWire stands between the driver and its server, and knows where each message of the server
// begins. Most of them are rows, which are taken from here straight into a batch: the driver would
// take each apart first. All others are the driver's, which gets one at a time, so that it never has
// bytes of the rows behind them.
type postgresWire struct {
	from    io.Reader
	buffer  []byte
	at, end int // the bytes of buffer that nobody has had yet
	begun   int // how many bytes the driver still has to get of a message that it has begun to read
}

const (
	wireBuffer    = 64 << 10
	messageHeader = 1 + 4 // its sort, and its length with that of the length
	rowMessage    = 'D'
)

// wireKey is what the driver keeps the wire of a connection by.
const wireKey = "wire"

// wired has the connection that is made by a configuration read through a wire.
func wired(to *pgconn.Config) {
	var last *postgresWire // of several addresses that are tried one after the other
	to.BuildFrontend = func(r io.Reader, w io.Writer) *pgproto3.Frontend {
		last = &postgresWire{from: r, buffer: make([]byte, wireBuffer)}
		return pgproto3.NewFrontend(last, w)
	}
	to.AfterConnect = func(_ context.Context, c *pgconn.PgConn) error {
		c.CustomData()[wireKey] = last
		return nil
	}
}

// Read hands the driver what there is of the message that it reads, and nothing of the next one.
func (w *postgresWire) Read(p []byte) (int, error) {
	if w.begun == 0 {
		if err := w.fetch(messageHeader); err != nil {
			return 0, err
		}
		if w.begun = 1 + w.length(); w.begun < messageHeader {
			w.begun = math.MaxInt // no server says that: the driver is to see all that comes
		}
	}
	var n int
	var err error
	if w.at < w.end {
		n = copy(p, w.buffer[w.at:min(w.end, w.at+w.begun)])
		w.at += n
	} else {
		n, err = w.from.Read(p[:min(len(p), w.begun)])
	}
	w.begun -= n
	return n, err
}

// length is what the next message says of its length.
func (w *postgresWire) length() int { return int(binary.BigEndian.Uint32(w.buffer[w.at+1:])) }

// fetch reads until there are so many bytes, which the buffer has room for.
func (w *postgresWire) fetch(least int) error {
	if w.end-w.at >= least {
		return nil
	}
	if w.at == w.end || len(w.buffer)-w.at < least {
		w.end = copy(w.buffer, w.buffer[w.at:w.end])
		w.at = 0
	}
	n, err := io.ReadAtLeast(w.from, w.buffer[w.end:], least-(w.end-w.at))
	w.end += n
	return err
}

// row is the next message where that is a row, until the next one is asked for. It is nil where the
// driver has to go on: with another message, with a row that is longer than the buffer, or with an
// error, which it meets again.
func (w *postgresWire) row() []byte {
	if w.begun > 0 || w.fetch(messageHeader) != nil || w.buffer[w.at] != rowMessage {
		return nil
	}
	size := 1 + w.length()
	if size < messageHeader || size > len(w.buffer) || w.fetch(size) != nil {
		return nil
	}
	row := w.buffer[w.at+messageHeader : w.at+size]
	w.at += size
	return row
}

// postgresRows reads the rows of a statement, as the text that the server sends.
type postgresRows struct {
	reader *pgconn.ResultReader
	wire   *postgresWire
	types  []uint32
}

func (r *postgresRows) width() int { return len(r.types) }

func (r *postgresRows) close() error {
	_, err := r.reader.Close()
	return explainPostgres(err)
}

func (r *postgresRows) fill(b *value.Batch, most int) error { return each(b, most, r.next) }

func (r *postgresRows) next(b *value.Batch) error {
	if row := r.wire.row(); row != nil {
		return r.take(b, row)
	}
	if !r.reader.NextRow() {
		if err := r.close(); err != nil {
			return err
		}
		return io.EOF
	}
	for i, text := range r.reader.Values() {
		if text == nil {
			b.Add(value.Value{})
		} else if err := r.add(b, i, b.Copy(text)); err != nil {
			return err
		}
	}
	return nil
}

// errRow is a row that says it is longer than it is, or has other columns.
var errRow = failed(Lost, "its server sent what cannot be read")

// take takes a row apart: how many values it has, and each with its length, which is below 0 for a
// missing one.
func (r *postgresRows) take(b *value.Batch, row []byte) error {
	rest := b.Copy(row)
	number := func(bytes int) (n uint32, ok bool) {
		if len(rest) < bytes {
			return 0, false
		}
		for i := range bytes {
			n = n<<8 | uint32(rest[i])
		}
		rest = rest[bytes:]
		return n, true
	}
	if n, ok := number(2); !ok || int(n) != len(r.types) {
		return errRow
	}
	for i := range r.types {
		n, ok := number(4)
		size := int(int32(n))
		switch {
		case !ok || size > len(rest):
			return errRow
		case size < 0:
			b.Add(value.Value{})
			continue
		}
		if err := r.add(b, i, rest[:size]); err != nil {
			return err
		}
		rest = rest[size:]
	}
	return nil
}

// add adds a value of a column.
func (r *postgresRows) add(b *value.Batch, column int, text string) error {
	switch r.types[column] {
	case pgtype.Int4OID, pgtype.Int8OID, pgtype.Int2OID:
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil {
			return errRow
		}
		b.Add(value.Whole(n))
	case pgtype.NumericOID:
		b.Add(value.Digits(text))
	case pgtype.Float8OID, pgtype.Float4OID:
		f, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return errRow
		}
		b.Add(value.Real(f))
	case pgtype.BoolOID:
		b.Add(truth(text == "t"))
	default:
		b.Add(value.Chars(text))
	}
	return nil
}
