package source

import (
	"errors"
	"log/slog"
	"sync"
	"time"

	"pikegate/internal/core/definition"
)

// Pool keeps the sources of a service open. It is safe for concurrent use.
type Pool struct {
	dir  string
	mu   sync.Mutex
	used map[definition.Connection]bool // by published definitions
	open map[definition.Connection]*opened
}

// opened is a source that is open. One that no published definition is about, since
// somebody only tries one, is closed when it was not asked for a while.
type opened struct {
	*Source
	idle *time.Timer // nil for one of a published definition
}

// idleTime is how long a source that is only tried stays open after it was asked for.
const idleTime = 2 * time.Minute

// NewPool makes a pool for a service whose files lie in dir.
func NewPool(dir string) *Pool {
	return &Pool{dir: dir, open: map[definition.Connection]*opened{}}
}

// Get is the source of a definition.
func (p *Pool) Get(c definition.Connection) (*Source, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if o := p.open[c]; o != nil {
		if o.idle != nil {
			o.idle.Reset(idleTime)
		}
		return o.Source, nil
	}
	s, err := Open(c, p.dir)
	if err != nil {
		return nil, err
	}
	o := &opened{Source: s}
	if !p.used[c] {
		o.idle = time.AfterFunc(idleTime, func() { p.drop(c, o) })
	}
	p.open[c] = o
	return s, nil
}

// Keep closes the sources that no published definition is about any more, once their
// runs have ended.
func (p *Pool) Keep(used map[definition.Connection]bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.used = used
	for c, o := range p.open {
		switch {
		case used[c] && o.idle != nil:
			o.idle.Stop()
			o.idle = nil
		case !used[c] && o.idle == nil:
			p.close(c, o)
		}
	}
}

// drop closes a source that was only tried, unless it is published by now.
func (p *Pool) drop(c definition.Connection, o *opened) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.open[c] == o && o.idle != nil {
		p.close(c, o)
	}
}

func (p *Pool) close(c definition.Connection, o *opened) {
	delete(p.open, c)
	go func() {
		if err := o.Close(); err != nil {
			slog.Warn("a source was not closed as it should be", "error", err)
		}
	}()
}

// Open is how many sources are open.
func (p *Pool) Open() int {
	p.mu.Lock()
	defer p.mu.Unlock()
	return len(p.open)
}

// Close closes all sources.
func (p *Pool) Close() error {
	p.mu.Lock()
	defer p.mu.Unlock()
	var all error
	for _, o := range p.open {
		if o.idle != nil {
			o.idle.Stop()
		}
		all = errors.Join(all, o.Source.Close())
	}
	return all
}
