package source

import (
	"bytes"
	"encoding/binary"
	"io"
	"testing"
	"testing/iotest"

	"github.com/jackc/pgx/v5/pgtype"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/value"
)

func message(sort byte, body []byte) []byte {
	return append(binary.BigEndian.AppendUint32([]byte{sort}, uint32(4+len(body))), body...)
}

// Whatever pieces a server's bytes come in, each row is handed out once, in its place among the
// messages that the driver reads, and so is a row that is longer than the buffer.
func TestMessagesOfPostgreSQL(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var sent bytes.Buffer
		var want, got [][]byte
		for range rapid.IntRange(1, 40).Draw(t, "messages") {
			size := rapid.OneOf(rapid.IntRange(0, 200), rapid.SampledFrom([]int{wireBuffer - 5, wireBuffer - 4, wireBuffer, 3 * wireBuffer})).Draw(t, "size")
			m := message(rapid.SampledFrom([]byte("DDDDCNZ")).Draw(t, "sort"), bytes.Repeat([]byte{byte(size)}, size))
			sent.Write(m)
			want = append(want, m)
		}
		var from io.Reader = &sent
		if rapid.Bool().Draw(t, "in pieces") {
			from = iotest.HalfReader(from)
		}
		w := newWire(from, postgresMessages)
		for {
			if row := w.takeRow(); row != nil {
				got = append(got, message('D', row))
				continue
			}
			header := make([]byte, postgresMessages.header)
			if _, err := io.ReadFull(&w, header); err == io.EOF {
				break
			}
			body := make([]byte, binary.BigEndian.Uint32(header[1:])-4)
			_, err := io.ReadFull(&w, body)
			require.NoError(t, err)
			got = append(got, append(header, body...))
		}
		require.Equal(t, want, got)
	})
}

// A row that lies of its lengths or its columns is told, whatever it says.
func TestRowsOfPostgreSQLThatLie(t *testing.T) {
	r := &postgresRows{types: []uint32{pgtype.Int4OID, pgtype.TextOID}}
	var b value.Batch
	b.Reset(2, 10)
	require.NoError(t, r.take(&b, []byte("\x00\x02\x00\x00\x00\x02-7\x00\x00\x00\x03abc")))
	require.NoError(t, r.take(&b, []byte("\x00\x02\x00\x00\x00\x019\xff\xff\xff\xff")))
	assert.Equal(t, []value.Value{value.Whole(-7), value.Chars("abc")}, b.Row(0))
	assert.Equal(t, []value.Value{value.Whole(9), {}}, b.Row(1))
	for _, row := range []string{"", "\x00", "\x00\x01\x00\x00\x00\x017", "\x00\x02\x00\x00\x00\x027", "\x00\x02\x00\x00\x00\x01x\x00\x00\x00\x00",
		"\x00\x02\x00\x00\x00\x017\x00\x00", "\x00\x02\x00\x00\x00\x017\x7f\xff\xff\xffabc", "\x00\x02\x00\x00\x00\x00\x00\x00\x00\x00"} {
		assert.ErrorIs(t, r.take(&b, []byte(row)), errUnreadable, "%q", row)
	}
}

// What no server says of a message's length is handed to the driver, which knows what to do.
func TestAMessageWithoutALength(t *testing.T) {
	sent := []byte("D\x00\x00\x00\x00and what comes behind it")
	w := newWire(bytes.NewReader(sent), postgresMessages)
	assert.Nil(t, w.takeRow())
	got, err := io.ReadAll(&w)
	require.NoError(t, err)
	assert.Equal(t, sent, got)
}
