package source

import (
	"context"
	"slices"
	"sync"
	"time"
)

// gate lets so many runs through at once. Others wait; when one ends, the next is
// that of the person whose turn it is, so that one person's many runs do not hold up another
// person's single one.
type gate struct {
	mu      sync.Mutex
	size    int // how many may be through at once
	free    int
	room    int // how many more may wait
	waiting []*line
}

// line is what one person has waiting, first come first. The person at the front of
// the gate has the next turn, and goes to the back after it.
type line struct {
	person string
	runs   []chan struct{}
}

func newGate(atOnce, waiting int) *gate { return &gate{size: atOnce, free: atOnce, room: waiting} }

// Enter waits until it is the turn of somebody who wants to read, a run or less, for so long and no
// longer. Whoever has entered says by leave when the reading has ended. All that reads a
// source enters first.
func (s *Source) Enter(ctx context.Context, person string, longest time.Duration) (leave func(), err error) {
	if s.gate.enterAtOnce() {
		return s.gate.leave, nil
	}
	waiting, cancel := context.WithTimeout(ctx, longest)
	defer cancel()
	leave, err = s.gate.enter(waiting, person)
	if err != nil && waiting.Err() != nil && ctx.Err() == nil {
		err = failed(Full, "no turn came within %s", longest)
	}
	return leave, err
}

// Ahead is how many runs have their turn before the last one that a person has waiting, as far as
// that is known now; 0 where none waits.
func (s *Source) Ahead(person string) int { return s.gate.ahead(person) }

func (g *gate) ahead(person string) (n int) {
	g.mu.Lock()
	defer g.mu.Unlock()
	at := slices.IndexFunc(g.waiting, func(l *line) bool { return l.person == person })
	if at < 0 {
		return 0
	}
	own := len(g.waiting[at].runs)
	for i, l := range g.waiting {
		turns := own - 1 // each person has one turn a round
		if i < at {
			turns = own
		}
		n += min(len(l.runs), turns)
	}
	return n
}

// IsIdle reports whether nobody reads the source.
func (s *Source) IsIdle() bool {
	s.gate.mu.Lock()
	defer s.gate.mu.Unlock()
	return s.gate.free == s.gate.size
}

// enterAtOnce enters where nobody has to be waited for.
func (g *gate) enterAtOnce() bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.free == 0 {
		return false
	}
	g.free--
	return true
}

func (g *gate) enter(ctx context.Context, person string) (leave func(), err error) {
	g.mu.Lock()
	if g.free > 0 { // since a moment ago
		g.free--
		g.mu.Unlock()
		return g.leave, nil
	}
	if g.room == 0 {
		g.mu.Unlock()
		return nil, failed(Full, "its queue is full")
	}
	g.room--
	turn := make(chan struct{})
	at := slices.IndexFunc(g.waiting, func(l *line) bool { return l.person == person })
	if at < 0 {
		at = len(g.waiting)
		g.waiting = append(g.waiting, &line{person: person})
	}
	g.waiting[at].runs = append(g.waiting[at].runs, turn)
	g.mu.Unlock()
	select {
	case <-turn:
		return g.leave, nil
	case <-ctx.Done():
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	for i, l := range g.waiting {
		if j := slices.Index(l.runs, turn); j >= 0 {
			l.runs = slices.Delete(l.runs, j, j+1)
			if len(l.runs) == 0 {
				g.waiting = slices.Delete(g.waiting, i, i+1)
			}
			g.room++
			return nil, ctx.Err()
		}
	}
	g.next() // the turn came while we gave up; pass it on
	return nil, ctx.Err()
}

func (g *gate) leave() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.next()
}

// next gives the place of a run that ended to the one whose turn it is.
func (g *gate) next() {
	if len(g.waiting) == 0 {
		g.free++
		return
	}
	l := g.waiting[0]
	g.waiting = g.waiting[1:]
	close(l.runs[0])
	if l.runs = l.runs[1:]; len(l.runs) > 0 {
		g.waiting = append(g.waiting, l)
	}
	g.room++
}
