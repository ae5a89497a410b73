package source

import (
	"io"
	"math"
)

// wire stands between a driver and its server, and knows where each message of the server begins. Most
// of them are rows, which are taken from here straight into a batch: the driver would take each apart
// first. All others are the driver's, which gets one at a time, so that it never has bytes of the rows
// behind them.
type wire struct {
	from    io.Reader
	form    messages
	buffer  []byte
	at, end int // the bytes of buffer that nobody has had yet
	begun   int // how many bytes the driver still has to get of a message that it has begun to read
}

// messages are how the messages of a server begin.
type messages struct {
	header int                     // bytes
	size   func(header []byte) int // of the message with its header; less than that for what no server says
	rowAt  int                     // the place of the byte that tells a row
	row    byte                    // what it is
	passed func(header []byte)     // what is done with a message that the driver gets; nil for nothing
}

const wireBuffer = 64 << 10

func newWire(from io.Reader, form messages) wire {
	return wire{from: from, form: form, buffer: make([]byte, wireBuffer)}
}

// Read hands the driver what there is of the message that it reads, and nothing of the next one.
func (w *wire) Read(p []byte) (int, error) {
	if w.begun == 0 {
		if err := w.fetch(w.form.header); err != nil {
			return 0, err
		}
		header := w.buffer[w.at : w.at+w.form.header]
		if w.form.passed != nil {
			w.form.passed(header)
		}
		if w.begun = w.form.size(header); w.begun < w.form.header {
			w.begun = math.MaxInt // the driver is to see all that comes
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

// fetch reads until there are so many bytes, which the buffer has room for.
func (w *wire) fetch(least int) error {
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

// takeRow is the next message without its header where that is a row, until the next one is asked for.
// It is nil where the driver has to go on: with another message, with a row that is longer than the
// buffer, or with an error, which it meets again.
func (w *wire) takeRow() []byte {
	if w.begun > 0 || w.fetch(w.form.header) != nil {
		return nil
	}
	size := w.form.size(w.buffer[w.at:])
	if size <= w.form.rowAt || size < w.form.header || size > len(w.buffer) || w.fetch(size) != nil || w.buffer[w.at+w.form.rowAt] != w.form.row {
		return nil
	}
	row := w.buffer[w.at+w.form.header : w.at+size]
	w.at += size
	return row
}
