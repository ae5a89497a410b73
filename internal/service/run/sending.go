package run

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"sync"
	"time"

	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
)

// sending is where a result goes. While the source is read, what is written goes on its
// way beside the reading, and what its reader does not take in time is put aside: first in
// memory, then in a file. So no reader, however slow, keeps a source busy. Once the source is
// read, writes go straight to the reader.
type sending struct {
	to   io.Writer
	stop func()        // makes a write to it that does not come to an end fail
	long func(int)     // is told how long the whole result is, before it is sent; nil for nobody
	took time.Duration // that reading or its end waited for it
	// recording is how long they waited for what is done first, which is no part of took.
	recording time.Duration
	n         int64        // bytes that were sent
	pump      *pump        // while the source is read; nil until there is something to send
	stay      bool         // whether the run goes on when its reader is gone
	gone      bool         // that reader is, and nothing is sent any more
	with      func() *pump // makes the pump; nil where all goes straight
	first     firstStep
	last      bool // whether the next write is the last one
}

// firstStep is what is done before anything is sent. Where it fails nothing is.
type firstStep struct {
	do  func() error // nil where nothing is to be done, or it was done
	err error
}

// now does it, where it was not done yet, and adds how long that took.
func (f *firstStep) now(took *time.Duration) error {
	if f.do != nil {
		start := time.Now()
		f.err, f.do = f.do(), nil
		*took += time.Since(start)
	}
	return f.err
}

// aside says that a source is about to be read.
func (s *sending) aside(ctx context.Context, spool base.Spool, most int64) {
	if s.to != nil {
		s.with = func() *pump { return newPump(ctx, s.to, &s.first, spool, most) }
	}
}

// drain says that the source has been read, and waits until all was sent that is there.
func (s *sending) drain() error {
	s.with = nil
	if s.pump == nil {
		return nil
	}
	_, err := s.reached(0, 0, s.ended(s.gone))
	return err
}

// ended ends the pump, and tells what sending failed with.
func (s *sending) ended(drop bool) error {
	start := time.Now()
	err := s.pump.end(drop)
	waited := time.Since(start)
	recording := min(s.pump.recording, waited) // the rest of it went on beside the reading
	s.recording += recording
	s.took += waited - recording
	s.n += s.pump.sent
	s.pump = nil
	return err
}

// drop ends the sending: what is there is not sent any more.
func (s *sending) drop() {
	s.with = nil
	if s.pump != nil {
		s.stop()
		_ = s.ended(true) // what was not sent is not wanted
	}
}

func (s *sending) Write(b []byte) (n int, err error) {
	if s.gone {
		return len(b), nil
	}
	if s.pump == nil && s.with != nil {
		s.pump = s.with()
	}
	if s.pump == nil {
		if err := s.first.now(&s.recording); err != nil {
			return 0, err
		}
	}
	start := time.Now()
	if s.pump != nil {
		n, err = s.pump.Write(b)
	} else {
		if s.last && s.n == 0 && s.long != nil { // nothing was sent before
			s.long(len(b))
		}
		n, err = s.to.Write(b)
		s.n += int64(n)
	}
	s.took += time.Since(start)
	return s.reached(len(b), n, err)
}

// reached is what a write came to: one that failed says that the reader is gone, which where the run
// goes on all the same is no failure.
func (s *sending) reached(wanted, n int, err error) (int, error) {
	if unkept := (*unkeptError)(nil); err == nil || !s.stay || errors.Is(err, base.ErrTime) || errors.As(err, &unkept) {
		return n, err
	}
	s.gone = true
	return wanted, nil
}

// Last says that the next write is the last one.
func (s *sending) Last() { s.last = true }

// Flush hands on what was written, where the receiver can be told to.
func (s *sending) Flush() {
	switch {
	case s.gone:
	case s.pump != nil:
		s.pump.flush()
	case s.first.now(&s.recording) == nil: // else the next write fails
		flush(s.to)
	}
}

func flush(w io.Writer) {
	if f, ok := w.(interface{ Flush() }); ok {
		f.Flush()
	}
}

// unsent is why a result was not sent: its reader is gone, or too slow.
func unsent(err error) error {
	if unkept := (*unkeptError)(nil); errors.As(err, &unkept) {
		return unkept
	}
	if aside := (*asideError)(nil); errors.As(err, &aside) {
		return fmt.Errorf("the result could not be put aside for its reader: %w", aside.error)
	}
	if errors.Is(err, os.ErrDeadlineExceeded) {
		return fmt.Errorf("%w: whoever asked did not take what was sent", base.ErrTime)
	}
	return fmt.Errorf("%w: %w", receipt.ErrGone, err)
}

// inMemory is how many bytes of a result wait in memory for their reader; atOnce how many
// of a file are sent at a time.
const (
	inMemory = 1 << 20
	atOnce   = 256 << 10
)

// chunks are the memory of what waits there, used again.
var chunks = sync.Pool{New: func() any { return new([]byte) }}

// pump sends what is written to it, in order and on its own time.
type pump struct {
	to    io.Writer
	first *firstStep // nobody else uses it meanwhile
	// Told once it has ended: how many bytes were sent, and how long that waited for what is done first.
	sent      int64
	recording time.Duration
	spool     base.Spool
	most      int64 // bytes in the file
	ctx       context.Context

	mu      sync.Mutex
	changed sync.Cond
	queue   [][]byte // to be sent before what is in the file
	held    int64    // bytes in the queue
	file    *os.File
	from    int64 // the part of the file that is not sent yet
	until   int64
	flushes bool // once all is sent
	ending  bool
	err     error
	done    chan struct{}
}

func newPump(ctx context.Context, to io.Writer, first *firstStep, spool base.Spool, most int64) *pump {
	p := &pump{to: to, first: first, spool: spool, most: most, ctx: ctx, done: make(chan struct{})}
	p.changed.L = &p.mu
	go p.run()
	return p
}

// Write keeps a copy of b to be sent. It waits only where there is no room for it.
func (p *pump) Write(b []byte) (int, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	stop := context.AfterFunc(p.ctx, func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		p.changed.Broadcast()
	})
	defer stop()
	for {
		switch {
		case p.err != nil:
			return 0, p.err
		case p.ctx.Err() != nil:
			return 0, p.ctx.Err()
		case p.from == p.until && p.held+int64(len(b)) <= inMemory:
			p.queue = append(p.queue, append((*chunks.Get().(*[]byte))[:0], b...))
			p.held += int64(len(b))
			p.changed.Broadcast()
			return len(b), nil
		case p.hasRoom(int64(len(b))):
			return p.putAside(b)
		}
		p.changed.Wait() // a disk without room makes a slow reader slow the reading down
	}
}

// hasRoom reports whether more bytes may stand in the file, all of it and what the disk has
// room for: at which is looked now and then.
func (p *pump) hasRoom(bytes int64) bool {
	const between = 64 * atOnce
	return p.until+bytes <= p.most && (p.until%between >= bytes || p.spool.Room(between) == nil)
}

func (p *pump) putAside(b []byte) (int, error) {
	if p.file == nil {
		f, err := p.spool.Create()
		if err != nil {
			return 0, &asideError{err}
		}
		p.file = f
	}
	n, err := p.file.WriteAt(b, p.until)
	if err != nil {
		return n, &asideError{err}
	}
	p.until += int64(n)
	p.changed.Broadcast()
	return n, nil
}

// asideError is why a result could not be put aside, which is no fault of its reader.
type asideError struct{ error }

func (e *asideError) Unwrap() error { return e.error }

func (p *pump) flush() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.flushes = true
	p.changed.Broadcast()
}

// end waits until all is sent, or dropped, and tells what sending failed with.
func (p *pump) end(drop bool) error {
	p.mu.Lock()
	p.ending = true
	if drop {
		p.queue, p.from = nil, p.until
	}
	p.changed.Broadcast()
	p.mu.Unlock()
	<-p.done
	if p.file != nil {
		p.file.Close()
	}
	return p.err
}

func (p *pump) run() {
	defer close(p.done)
	p.mu.Lock()
	defer p.mu.Unlock()
	buffer := []byte(nil)
	for p.err == nil {
		switch {
		case len(p.queue) > 0:
			b := p.queue[0]
			p.queue = p.queue[1:]
			p.send(b)
			p.held -= int64(len(b))
			chunks.Put(&b)
		case p.from < p.until:
			if buffer == nil {
				buffer = make([]byte, atOnce)
			}
			n, err := p.file.ReadAt(buffer[:min(atOnce, p.until-p.from)], p.from)
			if err != nil && !errors.Is(err, io.EOF) {
				p.err = &asideError{err}
				break
			}
			if p.send(buffer[:n]); p.ending && p.from == p.until { // dropped meanwhile
				break
			}
			if p.from += int64(n); p.from == p.until {
				p.from, p.until = 0, 0
				if err := p.file.Truncate(0); err != nil && p.err == nil {
					p.err = &asideError{err}
				}
			}
		case p.flushes:
			p.flushes = false
			p.mu.Unlock()
			flush(p.to)
			p.mu.Lock()
		case p.ending:
			return
		default:
			p.changed.Wait()
			continue
		}
		p.changed.Broadcast()
	}
}

// send sends bytes, while others may be written.
func (p *pump) send(b []byte) {
	p.mu.Unlock()
	err := p.first.now(&p.recording)
	if err == nil {
		var n int
		n, err = p.to.Write(b)
		p.sent += int64(n)
	}
	p.mu.Lock()
	if err != nil {
		p.err = err
	}
}
