package source

import (
	"errors"
	"maps"
	"slices"
	"sync"
	"time"

	"pikegate/internal/core/catalog"
)

// Pool keeps the sources of a service open. It is safe for concurrent use.
type Pool struct {
	rules Rules
	mu    sync.Mutex
	used  map[catalog.Connection]bool // by published definitions
	open  map[catalog.Connection]*opened
}

// opened is a source that is open. One that no published definition is about, since
// somebody only tries one, is closed when it was not asked for a while.
type opened struct {
	*Source
	idle *time.Timer // nil for one of a published definition
}

// idleTime is how long a source that is only tried stays open after it was asked for.
const idleTime = 2 * time.Minute

// mostTried is how many sources that are only tried stay open at once.
const mostTried = 32

// NewPool makes a pool for sources that the rules allow.
func NewPool(rules Rules) *Pool {
	return &Pool{rules: rules, open: map[catalog.Connection]*opened{}}
}

// Get is the source of a definition that is published, or leads to where a published one
// does: then it is that one, with the limits that are published. The embedded records are
// always there.
func (p *Pool) Get(c catalog.Connection) (*Source, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if !p.used[c] {
		same := slices.DeleteFunc(slices.Collect(maps.Keys(p.used)), func(k catalog.Connection) bool { return k.Place() != c.Place() })
		switch {
		case len(same) > 0:
			c = same[0]
		case c.Engine != catalog.Embedded:
			return nil, failed(Unpublished, "it is not published, and only published sources are connected to")
		}
	}
	return p.get(c)
}

// Try is Get also for a source that is about to be published.
func (p *Pool) Try(c catalog.Connection) (*Source, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.get(c)
}

func (p *Pool) get(c catalog.Connection) (*Source, error) {
	if o := p.open[c]; o != nil {
		if o.idle != nil {
			o.idle.Reset(idleTime)
		}
		return o.Source, nil
	}
	if !p.used[c] && p.tried() >= mostTried {
		return nil, failed(Full, "%d sources are being tried already", mostTried)
	}
	s, err := Open(c, p.rules)
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
func (p *Pool) Keep(used map[catalog.Connection]bool) {
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
func (p *Pool) drop(c catalog.Connection, o *opened) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.open[c] == o && o.idle != nil {
		p.close(c, o)
	}
}

func (p *Pool) close(c catalog.Connection, o *opened) {
	delete(p.open, c)
	go func() {
		if err := o.Close(); err != nil {
			p.rules.log().Warn("a source was not closed as it should be", "error", err)
		}
	}()
}

// tried is how many of the open sources are not published.
func (p *Pool) tried() (n int) {
	for _, o := range p.open {
		if o.idle != nil {
			n++
		}
	}
	return n
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
	ends := make([]error, len(p.open))
	var all sync.WaitGroup
	i := 0
	for _, o := range p.open {
		if o.idle != nil {
			o.idle.Stop()
		}
		end := &ends[i]
		i++
		all.Go(func() { *end = o.Source.Close() })
	}
	all.Wait()
	return errors.Join(ends...)
}
