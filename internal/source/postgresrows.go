package source

import (
	"context"
	"encoding/binary"
	"io"
	"strconv"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgproto3"
	"github.com/jackc/pgx/v5/pgtype"

	"pikegate/internal/core/value"
)

// postgresMessages are those of PostgreSQL: their sort, and their length with that of the length.
var postgresMessages = messages{header: 1 + 4, size: func(header []byte) int { return 1 + int(binary.BigEndian.Uint32(header[1:])) }, row: 'D'}

// wireKey is what the driver keeps the wire of a connection by.
const wireKey = "wire"

// wired has the connection that is made by a configuration read through a wire.
func wired(to *pgconn.Config) {
	var last *wire // of several addresses that are tried one after the other
	to.BuildFrontend = func(r io.Reader, w io.Writer) *pgproto3.Frontend {
		one := newWire(r, postgresMessages)
		last = &one
		return pgproto3.NewFrontend(last, w)
	}
	to.AfterConnect = func(_ context.Context, c *pgconn.PgConn) error {
		c.CustomData()[wireKey] = last
		return nil
	}
}

// postgresRows reads the rows of a statement, as the text that the server sends.
type postgresRows struct {
	reader *pgconn.ResultReader
	wire   *wire
	types  []uint32
}

func (r *postgresRows) width() int { return len(r.types) }

func (r *postgresRows) close() error {
	_, err := r.reader.Close()
	return explainPostgres(err)
}

func (r *postgresRows) fill(b *value.Batch, most int) error { return each(b, most, r.next) }

func (r *postgresRows) next(b *value.Batch) error {
	if row := r.wire.takeRow(); row != nil {
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

// take takes a row apart: how many values it has, and each with its length, which is below 0 for a
// missing one.
func (r *postgresRows) take(b *value.Batch, row []byte) error {
	text := b.Copy(row)
	if len(row) < 2 || int(binary.BigEndian.Uint16(row)) != len(r.types) {
		return errUnreadable
	}
	at := 2
	for i := range r.types {
		if len(row)-at < 4 {
			return errUnreadable
		}
		size := int(int32(binary.BigEndian.Uint32(row[at:])))
		at += 4
		switch {
		case size > len(row)-at:
			return errUnreadable
		case size < 0:
			b.Add(value.Value{})
			continue
		}
		if err := r.add(b, i, text[at:at+size]); err != nil {
			return err
		}
		at += size
	}
	return nil
}

// add adds a value of a column.
func (r *postgresRows) add(b *value.Batch, column int, text string) error {
	switch r.types[column] {
	case pgtype.Int4OID, pgtype.Int8OID, pgtype.Int2OID:
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil {
			return errUnreadable
		}
		b.Add(value.Whole(n))
	case pgtype.NumericOID:
		b.Add(value.Digits(text))
	case pgtype.Float8OID, pgtype.Float4OID:
		f, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return errUnreadable
		}
		b.Add(value.Real(f))
	case pgtype.BoolOID:
		b.Add(truth(text == "t"))
	default:
		b.Add(value.Chars(text))
	}
	return nil
}
