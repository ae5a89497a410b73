package people

import (
	"fmt"
	"math"
	"strings"
	"sync"
	"time"

	"pikegate/internal/core/english"
)

// TooMany puts a sign-in off after too many that were refused.
type TooMany struct{ Wait time.Duration }

func (e *TooMany) Error() string {
	return fmt.Sprintf("too many tries were refused; wait %s", english.Count(e.Seconds(), "second"))
}

// Seconds is how long to wait, 1 at least.
func (e *TooMany) Seconds() int { return max(1, int(math.Ceil(e.Wait.Seconds()))) }

// How tries are slowed down: by name and address together, by address, and by name alone. The last
// stays short, so that somebody else's tries never keep the right person out.
var slowings = []struct {
	free int           // tries that cost nothing
	most time.Duration // the longest pause
	key  func(name, address string) string
}{
	{5, time.Minute, func(name, address string) string { return "both\x00" + name + "\x00" + address }},
	{30, time.Minute, func(_, address string) string { return "address\x00" + address }},
	{30, 5 * time.Second, func(name, _ string) string { return "name\x00" + name }},
}

const (
	// forgotten is after how long without one refused tries count no more.
	forgotten = time.Hour
	mostKept  = 30_000
)

type try struct {
	failures int
	last     time.Time
}

// tries are those that were refused lately.
type tries struct {
	mu sync.Mutex
	of map[string]try
}

// wait is how long the next try has to wait; not at all where that is 0.
func (t *tries) wait(now time.Time, name, address string) (longest time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, s := range slowings {
		kept := t.of[s.key(folded(name), address)]
		if over := kept.failures - s.free; over >= 0 && now.Sub(kept.last) < forgotten {
			pause := min(time.Second<<min(over, 10), s.most)
			longest = max(longest, kept.last.Add(pause).Sub(now))
		}
	}
	return longest
}

func (t *tries) failed(now time.Time, name, address string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.of) > mostKept {
		for key, kept := range t.of {
			if now.Sub(kept.last) >= forgotten {
				delete(t.of, key)
			}
		}
		if len(t.of) > mostKept {
			clear(t.of) // a flood of names; those by address come back at once
		}
	}
	for _, s := range slowings {
		key := s.key(folded(name), address)
		kept := t.of[key]
		if now.Sub(kept.last) >= forgotten {
			kept.failures = 0
		}
		t.of[key] = try{kept.failures + 1, now}
	}
}

// right forgets the tries of a name from an address that has come in.
func (t *tries) right(name, address string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	delete(t.of, slowings[0].key(folded(name), address))
}

func folded(name string) string { return strings.ToLower(strings.TrimSpace(short(name))) }
