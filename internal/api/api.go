// Package api is the service over HTTP: routes under /api/v1 described by an
// OpenAPI 3.1 document that is made from this code, errors as problem documents
// (RFC 9457), and the console's pages for everything else.
package api

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"reflect"
	"regexp"
	"runtime/debug"
	"strings"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"go.opentelemetry.io/otel/attribute"
	"golang.org/x/net/netutil"

	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/run"
	"pikegate/internal/traced"
)

// Version is the version of the program, set when it is built.
var Version = "0.1.0-dev"

// Prefix is where the API's routes lie.
const Prefix = "/api/v1"

// The most bytes that a request may have.
const (
	mostRunBytes        = 1 << 20
	mostDefinitionBytes = 16 << 20
)

// readTime is the longest that reading a request's body may take.
const readTime = 15 * time.Second

type routes struct {
	service *service.Service
	limits  *atomic.Pointer[Limits]
	pace    *pace
	measured
}

// Limits are who may call a service, and how slowly. What is 0 is as usual.
type Limits struct {
	Hosts []string      // names that it is called by, beside loopback ones
	Stall time.Duration // the longest until the next part of an answer is taken, or of a file comes; 30 seconds
	Send  time.Duration // the longest until all of it is; an hour
	Open  bool          // whether everybody may do everything though others than this machine reach it
	// PerMinute is how many requests each person may make in a minute, 0 for any number.
	PerMinute int
	// ProxyHeader is the header in which a proxy at one of ProxyAddresses names who signed in to it; "" for
	// none. From elsewhere it says nothing.
	ProxyHeader    string
	ProxyAddresses []netip.Prefix
}

// Handler is a service over HTTP.
type Handler struct {
	http.Handler
	limits *atomic.Pointer[Limits]
	pace   *pace
}

// Limit sets who may call the service from now on, and how slowly.
func (h *Handler) Limit(limits Limits) {
	limits.Stall, limits.Send = cmp.Or(limits.Stall, 30*time.Second), cmp.Or(limits.Send, time.Hour)
	hosts := make([]string, len(limits.Hosts))
	for i, h := range limits.Hosts {
		hosts[i] = strings.ToLower(strings.Trim(h, "[]"))
	}
	limits.Hosts = hosts // as the names in requests are held to them
	h.limits.Store(&limits)
	h.pace.set(limits.PerMinute)
}

// What the libraries keep for the whole program is set once.
func init() {
	gin.SetMode(gin.ReleaseMode)
	huma.NewError = requestProblem
	huma.DefaultArrayNullable = false // an empty list is [], never null
}

// New makes the handler of a service.
func New(s *service.Service, limits Limits) *Handler {
	h := &Handler{limits: &atomic.Pointer[Limits]{}, pace: newPace()}
	h.Limit(limits)
	engine := gin.New()
	engine.HandleMethodNotAllowed = true
	r := routes{service: s, limits: h.limits, pace: h.pace}
	r.measure()
	engine.Use(spanned, r.logged, r.recovered, r.personal)

	config := huma.DefaultConfig("Pike Gate", Version)
	config.Info.Description = "Reports with checked answers: sorted matching records, and the evidence that they are right."
	config.OpenAPIPath, config.DocsPath, config.SchemasPath = "", "", ""
	config.CreateHooks = nil // no links or members added to what the handlers return
	config.RejectUnknownQueryParameters = true
	config.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[prompt.Entered](), reflect.TypeFor[enteredShape]())
	document := humagin.New(engine, config)
	document.UseMiddleware(r.held)
	r.register(document)
	listed(document)
	refusable(document)

	var text []byte
	engine.GET(Prefix+"/openapi.json", func(c *gin.Context) {
		c.Data(http.StatusOK, "application/vnd.oai.openapi+json;version=3.1", text)
	})
	pages := consolePages()
	engine.NoRoute(func(c *gin.Context) {
		if path := c.Request.URL.Path; path == "/api" || strings.HasPrefix(path, "/api/") {
			writeProblem(c, newProblem(http.StatusNotFound, fault.NotFound, "there is nothing at "+path+"; "+Prefix+"/openapi.json lists what there is"))
			return
		}
		pages(c)
	})
	engine.NoMethod(func(c *gin.Context) {
		writeProblem(c, newProblem(http.StatusMethodNotAllowed, fault.NotFound, c.Request.Method+" is not a method of "+c.Request.URL.Path))
	})
	text, err := json.Marshal(document.OpenAPI())
	if err != nil {
		panic("api: the document cannot be written: " + err.Error())
	}
	h.Handler = guarded(engine, h.limits, s.Base.Log)
	return h
}

// Server is an HTTP server with the limits that a service wants. A response
// may take as long as its reader needs.
func Server(h http.Handler) *http.Server {
	return &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10}
}

// writeBuffer is how many bytes the system takes ahead of a reader. A part of an answer counts as
// taken when a third of them is free again: with megabytes a slow reader looks like one who does
// not read.
const writeBuffer = 256 << 10

// Listener is where a Server listens: it lets in so many connections at a time.
func Listener(at net.Listener, connections int) net.Listener {
	return netutil.LimitListener(buffering{at}, connections)
}

type buffering struct{ net.Listener }

func (l buffering) Accept() (net.Conn, error) {
	c, err := l.Listener.Accept()
	if tcp, ok := c.(*net.TCPConn); ok {
		_ = tcp.SetWriteBuffer(writeBuffer) // without it it only takes longer until a reader is missed
	}
	return c, err
}

func writeProblem(c *gin.Context, p *Problem) {
	c.Header("Content-Type", p.ContentType(""))
	c.AbortWithStatusJSON(p.Status, p)
}

var requestID = regexp.MustCompile(`^[A-Za-z0-9_-]{1,64}$`)

// requestIDHeader has the id of a request, the caller's own where it sent a usable one.
const requestIDHeader = "X-Request-Id"

// spanned tells of each request as a span, by its route.
func spanned(c *gin.Context) {
	if !traced.IsOn() {
		c.Next()
		return
	}
	route := cmp.Or(c.FullPath(), "a page")
	ctx, span := traced.BeginRequest(c.Request, c.Request.Method+" "+route, attribute.String("http.request.method", c.Request.Method), attribute.String("http.route", route),
		attribute.String("pikegate.request", c.Writer.Header().Get(requestIDHeader)))
	c.Request = c.Request.WithContext(ctx)
	defer func() {
		if span.Says(attribute.Int("http.response.status_code", c.Writer.Status())); c.Writer.Status() >= http.StatusInternalServerError {
			span.Failed()
		}
		span.End(nil)
	}()
	c.Next()
}

// noted is where a request is logged, and what its line in the log tells of it beside the request itself.
type noted struct {
	log     *slog.Logger
	receipt int64
}

type notedKey struct{}

// note notes the receipt of a request's run for its line in the log.
func note(ctx context.Context, receipt int64) {
	if n, ok := ctx.Value(notedKey{}).(*noted); ok && receipt > 0 {
		n.receipt = receipt
	}
}

// logOf is where a request is logged.
func logOf(ctx context.Context) *slog.Logger {
	if n, ok := ctx.Value(notedKey{}).(*noted); ok {
		return n.log
	}
	return slog.Default()
}

// logged writes one line for each request.
func (r routes) logged(c *gin.Context) {
	start := time.Now()
	ended := false
	n := &noted{log: r.service.Base.Log}
	c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), notedKey{}, n))
	defer func() {
		if !n.log.Enabled(c.Request.Context(), slog.LevelInfo) {
			return
		}
		told := []any{"id", c.Writer.Header().Get(requestIDHeader), "method", c.Request.Method, "path", loggedPath(c.Request.URL.Path), "person", base.PersonOf(c.Request.Context()).Name, "status", c.Writer.Status(),
			"bytes", c.Writer.Size(), "ms", float64(time.Since(start).Microseconds()) / 1000, "whole", ended}
		if n.receipt > 0 {
			told = append(told, "receipt", n.receipt)
		}
		if trace := traced.ID(c.Request.Context()); trace != "" {
			told = append(told, "trace", trace)
		}
		n.log.Info("request", told...)
	}()
	c.Next()
	ended = true
}

// recovered answers a panic with a problem. A response that was broken off on
// purpose stays broken off, so that its reader notices.
func (r routes) recovered(c *gin.Context) {
	defer func() {
		cause := recover()
		if cause == nil {
			return
		}
		if cause == http.ErrAbortHandler {
			panic(cause)
		}
		stack, receipt := debug.Stack(), int64(0)
		if run, ok := cause.(*run.Panicked); ok {
			cause, stack, receipt = run.Cause, run.Stack, run.Receipt
		}
		r.service.Base.Log.Error("a request panicked", "id", c.Writer.Header().Get(requestIDHeader),
			"receipt", receipt, "cause", fmt.Sprint(cause), "stack", string(stack))
		if c.Writer.Written() {
			panic(http.ErrAbortHandler)
		}
		p := newProblem(http.StatusInternalServerError, fault.Failed, "the service failed to do this; its log has the cause")
		if receipt > 0 {
			p.Instance = receiptPath(receipt)
		}
		writeProblem(c, p)
	}()
	c.Next()
}

// enteredShape stands for an answer in the document: it is whatever a person
// may give.
type enteredShape struct{}

// Schema is a text, a number, a truth, a list, two ends, or null.
func (enteredShape) Schema(huma.Registry) *huma.Schema {
	scalar := func() *huma.Schema {
		return &huma.Schema{OneOf: []*huma.Schema{{Type: huma.TypeString}, {Type: huma.TypeNumber}}}
	}
	side := &huma.Schema{OneOf: []*huma.Schema{{Type: huma.TypeString, Nullable: true}, {Type: huma.TypeNumber}}}
	return &huma.Schema{
		Description: "A text, a number, true or false, a list of texts and numbers, the two ends of a period or range, or null for an answer left open on purpose.",
		OneOf: []*huma.Schema{
			{Type: huma.TypeString, Nullable: true},
			{Type: huma.TypeNumber},
			{Type: huma.TypeBoolean},
			{Type: huma.TypeArray, Items: scalar()},
			{Type: huma.TypeObject, Properties: map[string]*huma.Schema{"start": side, "end": side}, AdditionalProperties: false},
		},
	}
}

// Serve serves until ctx ends, then lets requests in flight finish for a while.
func Serve(ctx context.Context, server *http.Server, serve func() error, grace time.Duration, log *slog.Logger) error {
	failed := make(chan error, 1)
	go func() { failed <- serve() }()
	select {
	case err := <-failed:
		return err
	case <-ctx.Done():
	}
	log.Info("stopping; requests in flight may finish", "within", grace.String())
	late, cancel := context.WithTimeout(context.WithoutCancel(ctx), grace)
	defer cancel()
	if err := server.Shutdown(late); errors.Is(err, context.DeadlineExceeded) {
		return server.Close()
	} else if err != nil {
		return err
	}
	return nil
}
