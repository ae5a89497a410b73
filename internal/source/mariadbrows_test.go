package source

import (
	"bytes"
	"io"
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/value"
)

func packet(number byte, body []byte) []byte {
	return append([]byte{byte(len(body)), byte(len(body) >> 8), byte(len(body) >> 16), number}, body...)
}

// The messages that the driver reads are numbered as if the rows beside them had never come, anew after
// each time that it writes.
func TestMessagesOfMariaDB(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		here, there := net.Pipe()
		w := newMariaWire(here, time.Minute)
		defer w.Close()
		var sent, rows, others [][]byte
		for n := range rapid.IntRange(1, 600).Draw(t, "messages") {
			body := append([]byte{0}, rapid.SliceOfN(rapid.Byte(), 0, 20).Draw(t, "body")...)
			if rapid.IntRange(0, 9).Draw(t, "sort") == 0 {
				body[0] = 0xfe
				others = append(others, packet(byte(len(others)), body))
			} else {
				rows = append(rows, body)
			}
			sent = append(sent, packet(byte(n), body))
		}
		go func() {
			_, _ = there.Write(bytes.Join(sent, nil))
			there.Close()
		}()
		var gotRows, gotOthers [][]byte
		for {
			if row := w.takeRow(); row != nil {
				w.taken++
				gotRows = append(gotRows, bytes.Clone(row))
				continue
			}
			header := make([]byte, 4)
			if _, err := io.ReadFull(w, header); err != nil {
				break
			}
			body := make([]byte, header[0])
			_, err := io.ReadFull(w, body)
			require.NoError(t, err)
			gotOthers = append(gotOthers, append(header, body...))
		}
		require.Equal(t, rows, gotRows)
		require.Equal(t, others, gotOthers)
	})
	here, there := net.Pipe()
	w := newMariaWire(here, time.Minute)
	w.taken = 7
	go func() { _, _ = there.Read(make([]byte, 10)) }()
	_, err := w.Write([]byte("x"))
	require.NoError(t, err)
	assert.Zero(t, w.taken)
}

// A row that lies of its lengths or its columns is told, whatever it says.
func TestRowsOfMariaDBThatLie(t *testing.T) {
	r := &mariaRows{forms: []mariaForm{mariaInt, mariaText, mariaMoment}, lengths: []int{0, 0, 10}}
	var b value.Batch
	b.Reset(3, 10)
	require.NoError(t, r.take(&b, []byte("\x00\x00\xf9\xff\xff\xff\x03abc\x04\xea\x07\x02\x1e")))
	require.NoError(t, r.take(&b, []byte("\x00\x08\x01\x00\x00\x00\x00")))
	assert.Equal(t, []value.Value{value.Whole(-7), value.Chars("abc"), value.Chars("2026-02-30")}, b.Row(0))
	assert.Equal(t, []value.Value{value.Whole(1), {}, value.Chars("0000-00-00")}, b.Row(1))
	long := append([]byte("\x00\x04\xfc\x2c\x01"), bytes.Repeat([]byte("x"), 300)...)
	require.NoError(t, r.take(&b, append(long, 0)))
	for _, row := range []string{"", "\x00", "\x00\x00", "\x00\x00\x01\x00\x00", "\x00\x00\x01\x00\x00\x00", "\x00\x00\x01\x00\x00\x00\x02a", "\x00\x00\x01\x00\x00\x00\xfb", "\x00\x00\x01\x00\x00\x00\xfc\x01",
		"\x00\x00\x01\x00\x00\x00\xfd\xff\xff\xff", "\x00\x00\x01\x00\x00\x00\xfe\x00\x00\x00\x00\x00\x00\x00\x00", "\x00\x00\x01\x00\x00\x00\x01a\x03\xea\x07\x02", "\x00\x00\x01\x00\x00\x00\x01a\x04\xff\xff\x02\x1e", "\x00\x00\x01\x00\x00\x00\x01a\x04\xea\x07\x02"} {
		assert.ErrorIs(t, r.take(&b, []byte(row)), errUnreadable, "%q", row)
	}
}
