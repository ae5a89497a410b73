package api

import (
	"crypto/rand"
	"encoding/json"
	"io"
	"log/slog"
	"maps"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sync/semaphore"

	"pikegate/internal/core/fault"
)

// guarded lets through what is asked by a name of the service's own, and by its own pages
// or by programs; and gives every answer, refused ones included, the headers that keep it
// from being kept, framed or taken for something else.
func guarded(next http.Handler, limited *atomic.Pointer[Limits], log *slog.Logger) http.Handler {
	crossOrigin := http.NewCrossOriginProtection()
	large := semaphore.NewWeighted(mostLarge)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		maps.Copy(w.Header(), protection)
		id := r.Header.Get(requestIDHeader)
		if !requestID.MatchString(id) {
			id = rand.Text()
		}
		w.Header().Set(requestIDHeader, id)
		limits := limited.Load()
		switch {
		case !limits.isCalled(hostName(r.Host)):
			refuse(w, r, log, newProblem(http.StatusMisdirectedRequest, fault.WrongHost, "this service is not called by the name that was asked for; its admin tells it further names by the setting hosts"))
		case crossOrigin.Check(r) != nil:
			refuse(w, r, log, newProblem(http.StatusForbidden, fault.Forbidden, "another site's page sent this; call the service from its own pages or by a program"))
		default:
			body, release, err := boundBody(w, r, large)
			if err != nil {
				return // whoever asked is gone
			}
			defer release()
			timed := &timedWriter{ResponseWriter: w, to: http.NewResponseController(w), limits: limits}
			next.ServeHTTP(timed, body)
			timed.extend() // for the end, which the server writes
		}
	})
}

// isCalled tells whether a name is one that the service is called by.
func (l *Limits) isCalled(name string) bool {
	ip := net.ParseIP(name)
	return name == "localhost" || ip != nil && ip.IsLoopback() || slices.Contains(l.Hosts, name)
}

// hostName is the name in a Host header, without port, in small letters.
func hostName(host string) string {
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	return strings.ToLower(strings.TrimSuffix(strings.Trim(host, "[]"), "."))
}

// protection are the headers of every answer of the API; pages set their own content policy and how
// long they are kept. Answers share the lists of values, which nobody writes to.
var protection = http.Header{
	"Cache-Control":                {"no-store"},
	"Content-Security-Policy":      {"default-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'"},
	"Cross-Origin-Opener-Policy":   {"same-origin"},
	"Cross-Origin-Resource-Policy": {"same-origin"},
	"Referrer-Policy":              {"no-referrer"},
	"X-Content-Type-Options":       {"nosniff"},
	"X-Frame-Options":              {"DENY"},
}

func refuse(w http.ResponseWriter, r *http.Request, log *slog.Logger, p *Problem) {
	log.Warn("a request was turned away", "id", w.Header().Get(requestIDHeader),
		"method", r.Method, "path", loggedPath(r.URL.Path), "status", p.Status)
	w.Header().Set("Content-Type", p.ContentType(""))
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p) // whoever is gone needs no answer
}

// mostLarge is how many requests are served at once whose bodies are larger than largeBody,
// or do not say how large they are: bodies are kept in memory, save those of files to be
// loaded. Others wait.
const (
	mostLarge = 4
	largeBody = 1 << 20
)

// boundBody sets the time limit for reading a request's body: one for all of it or, after the
// handler called rolling, one for each part. The answer may take longer. A large body waits
// while the most that are allowed are being served; release ends its turn.
func boundBody(w http.ResponseWriter, r *http.Request, large *semaphore.Weighted) (timed *http.Request, release func(), err error) {
	if r.Body == nil || r.Body == http.NoBody {
		return r, func() {}, nil
	}
	b := &timedBody{ReadCloser: r.Body, to: http.NewResponseController(w), release: func() {}}
	if (r.ContentLength < 0 || r.ContentLength > largeBody) && !strings.HasPrefix(r.URL.Path, Prefix+"/loads/") {
		if err := large.Acquire(r.Context(), 1); err != nil {
			return nil, nil, err
		}
		b.release = sync.OnceFunc(func() { large.Release(1) })
	}
	b.extend(readTime)
	with := *r // the server goes on to use its own
	with.Body = b
	return &with, b.release, nil
}

type timedBody struct {
	io.ReadCloser
	to      *http.ResponseController
	stall   time.Duration // for each part that comes; 0 where all has one time
	until   time.Time     // the latest that stall may extend it to
	release func()        // where it counts as large
	read    int64
}

func (b *timedBody) extend(by time.Duration) {
	at := time.Now().Add(by)
	if !b.until.IsZero() && at.After(b.until) {
		at = b.until
	}
	_ = b.to.SetReadDeadline(at) // which connections of servers can
}

// timedWriter sets the time limits within which a reader must take an answer: one for each
// part, and one for all of it.
type timedWriter struct {
	http.ResponseWriter
	to     *http.ResponseController
	limits *Limits
	begun  time.Time
	set    time.Time // when the deadline was last set
}

// part is how much of an answer is to be taken in the time of a part.
const part = 32 << 10

func (w *timedWriter) Write(b []byte) (n int, err error) {
	for {
		w.extend()
		k, err := w.ResponseWriter.Write(b[n:min(n+part, len(b))])
		if n += k; err != nil || n == len(b) {
			return n, err
		}
	}
}

func (w *timedWriter) Flush() {
	w.extend()
	_ = w.to.Flush() // the next write tells what is wrong
}

// Unwrap is the writer inside, for what else it can do.
func (w *timedWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (w *timedWriter) extend() {
	now := time.Now()
	if w.begun.IsZero() {
		w.begun = now
	}
	if now.Sub(w.set) < w.limits.Stall/30 {
		return // the one that is set is late enough
	}
	w.set = now
	at := now.Add(w.limits.Stall)
	if end := w.begun.Add(w.limits.Send); at.After(end) {
		at = end
	}
	_ = w.to.SetWriteDeadline(at) // which connections of servers can
}

// rolling lets a body come for as long as whole says, as long as parts of it come within
// stall of each other.
func (b *timedBody) rolling(stall, whole time.Duration) {
	b.stall, b.until = stall, time.Now().Add(whole)
	b.extend(stall)
}

func (b *timedBody) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	b.read += int64(n)
	switch {
	case err == io.EOF:
		if b.read <= largeBody { // it did not say that it is small
			b.release()
		}
		_ = b.to.SetReadDeadline(time.Time{})
	case err == nil && b.stall > 0:
		b.extend(b.stall)
	}
	return n, err
}
