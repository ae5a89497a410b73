package api

import (
	"math"
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"golang.org/x/time/rate"

	"pikegate/internal/core/fault"
)

// pace limits how many requests each person makes.
type pace struct {
	mu        sync.Mutex
	perMinute int // 0 for any number
	of        map[string]*rate.Limiter
}

// mostPaced is of how many people it is known at once how much they asked lately.
const mostPaced = 10_000

func newPace() *pace { return &pace{of: map[string]*rate.Limiter{}} }

// set sets how many requests each person may make in a minute, 0 for any number.
func (p *pace) set(perMinute int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.perMinute != perMinute {
		p.perMinute = perMinute
		clear(p.of)
	}
}

// wait is how long a person has to wait for the next request, 0 for not at all. A minute's requests may come
// at once.
func (p *pace) wait(name string) time.Duration {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.perMinute == 0 {
		return 0
	}
	l := p.of[name]
	if l == nil {
		if len(p.of) >= mostPaced {
			clear(p.of)
		}
		l = rate.NewLimiter(rate.Limit(float64(p.perMinute)/60), p.perMinute)
		p.of[name] = l
	}
	r := l.Reserve()
	wait := r.Delay()
	if wait > 0 {
		r.Cancel() // it is refused, and takes nothing of what comes
	}
	return wait
}

// tooFast refuses a request of somebody who makes too many.
func tooFast(c *gin.Context, wait time.Duration) {
	c.Header("Retry-After", strconv.Itoa(int(math.Ceil(wait.Seconds()))))
	writeProblem(c, newProblem(http.StatusTooManyRequests, fault.TooManyRequests, "that is more requests than one person may make; Retry-After says when the next one is taken"))
}
