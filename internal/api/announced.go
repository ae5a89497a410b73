package api

import (
	"encoding/json"
	"io"
	"sync"
	"time"

	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
)

// announced is where the events of a run go that tells how far it is until its first row comes.
type announced struct {
	to  io.Writer
	run *run.Run

	mu    sync.Mutex
	begun bool // the result
	ended chan struct{}
	done  chan struct{}
}

// announceEvery is how often a run tells how far it is.
const announceEvery = 400 * time.Millisecond

// announce sends the number of the receipt, and then now and then how far the run is.
func announce(to io.Writer, r *run.Run) *announced {
	a := &announced{to: to, run: r, ended: make(chan struct{}), done: make(chan struct{})}
	a.tell(struct {
		Event   string `json:"event"`
		Receipt int64  `json:"receipt"`
	}{"run", r.ID()})
	go func() {
		defer close(a.done)
		for {
			select {
			case <-a.ended:
				return
			case <-time.After(announceEvery):
				a.tell(struct {
					Event string `json:"event"`
					*receipt.Progress
				}{"progress", r.Progress()})
			}
		}
	}()
	return a
}

// tell sends an event, unless the result has begun. Where nobody reads it any more the result tells.
func (a *announced) tell(event any) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.begun {
		return
	}
	if json.NewEncoder(a.to).Encode(event) == nil {
		a.flush()
	}
}

func (a *announced) flush() {
	if f, ok := a.to.(interface{ Flush() }); ok {
		f.Flush()
	}
}

// Write sends what belongs to the result.
func (a *announced) Write(b []byte) (int, error) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.begun = true
	return a.to.Write(b)
}

// Flush sends it on its way.
func (a *announced) Flush() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.flush()
}

// failed sends why there is no result.
func (a *announced) failed(p *Problem) {
	a.tell(struct {
		Event   string   `json:"event"`
		Problem *Problem `json:"problem"`
	}{"problem", p})
}

// stop ends what is told beside the result.
func (a *announced) stop() {
	close(a.ended)
	<-a.done
}
