package base

import (
	"sync"
)

// mostRemembered is how many answers to questions of readers are remembered at most, so
// that nobody fills the memory by asking for ever other ones.
const mostRemembered = 1000

// Remembered is what is known by a key that readers choose. The zero value is empty; it is
// safe for concurrent use. Where it is full, it is emptied: what is asked for again comes
// back.
type Remembered[K comparable, V any] struct {
	mu    sync.Mutex
	known map[K]V
}

// Get is what is known by a key, and false for nothing.
func (r *Remembered[K, V]) Get(key K) (V, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	v, ok := r.known[key]
	return v, ok
}

// Put remembers a value by a key.
func (r *Remembered[K, V]) Put(key K, v V) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.known == nil || len(r.known) >= mostRemembered {
		r.known = map[K]V{}
	}
	r.known[key] = v
}

func (r *Remembered[K, V]) clear() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.known = nil
}
