package source

import (
	"errors"
	"log/slog"
	"sync"

	"pikegate/internal/core/definition"
)

// Pool keeps the sources of a service open. It is safe for concurrent use.
type Pool struct {
	dir  string
	mu   sync.Mutex
	open map[definition.Connection]*Source
}

// NewPool makes a pool for a service whose files lie in dir.
func NewPool(dir string) *Pool {
	return &Pool{dir: dir, open: map[definition.Connection]*Source{}}
}

// Get is the source of a definition.
func (p *Pool) Get(c definition.Connection) (*Source, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if s := p.open[c]; s != nil {
		return s, nil
	}
	s, err := Open(c, p.dir)
	if err == nil {
		p.open[c] = s
	}
	return s, err
}

// Keep closes the sources that no definition is about any more, once their runs have
// ended.
func (p *Pool) Keep(used map[definition.Connection]bool) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for c, s := range p.open {
		if !used[c] {
			delete(p.open, c)
			go func() {
				if err := s.Close(); err != nil {
					slog.Warn("a source was not closed as it should be", "error", err)
				}
			}()
		}
	}
}

// Close closes all sources.
func (p *Pool) Close() error {
	p.mu.Lock()
	defer p.mu.Unlock()
	var all error
	for _, s := range p.open {
		all = errors.Join(all, s.Close())
	}
	return all
}
