// Package traced tells OpenTelemetry what the service does, in spans. They go where Start says, and until
// then nowhere. None holds an answer, a statement or a record: what a span says is the name of a report,
// the number of a receipt, how many rows there were.
package traced

import (
	"context"
	"log/slog"
	"net/http"
	"sync/atomic"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/sdk/resource"
	sdktrace "go.opentelemetry.io/otel/sdk/trace"
	"go.opentelemetry.io/otel/trace"
)

const name = "pikegate"

// on tells that spans are sent. Until then each costs nothing but asking this.
var on atomic.Bool

// IsOn reports whether spans are sent to anybody.
func IsOn() bool { return on.Load() }

// Start has a share of all spans, from 0 to 1, sent to a collector: to endpoint/v1/traces, by OTLP over
// HTTP. A caller that sent a trace of its own decides for its spans. stop sends those that wait.
//
// Spans are sent beside what they tell of. Where the collector is away they are dropped, and that is logged
// once a minute at most.
func Start(
	endpoint string, share float64, version string, log *slog.Logger,
) (stop func(context.Context) error, err error) {
	client, err := newCollector(endpoint)
	if err != nil {
		return nil, err
	}
	exporter, err := otlptrace.New(context.Background(), client)
	if err != nil {
		return nil, err
	}
	provider := sdktrace.NewTracerProvider(
		sdktrace.WithBatcher(exporter),
		sdktrace.WithSampler(sdktrace.ParentBased(sdktrace.TraceIDRatioBased(share))),
		sdktrace.WithResource(resource.NewSchemaless(
			attribute.String("service.name", name),
			attribute.String("service.version", version),
		)),
	)
	otel.SetTracerProvider(provider)
	otel.SetTextMapPropagator(propagation.TraceContext{})
	var told atomic.Int64
	otel.SetErrorHandler(otel.ErrorHandlerFunc(func(err error) {
		if now := time.Now().Unix(); now-told.Swap(now) >= 60 {
			log.Warn("traces could not be sent", "err", err)
		}
	}))
	on.Store(true)
	return func(ctx context.Context) error {
		on.Store(false)
		return provider.Shutdown(ctx)
	}, nil
}

// Span is a stretch of time in which something is done. The zero Span tells nobody.
type Span struct{ of trace.Span }

// Begin begins a span within that of ctx. What it tells comes in pairs, a name and a text or a number.
func Begin(ctx context.Context, what string, about ...attribute.KeyValue) (context.Context, Span) {
	if !on.Load() {
		return ctx, Span{}
	}
	ctx, of := otel.Tracer(name).Start(ctx, what, trace.WithAttributes(about...))
	return ctx, Span{of}
}

// BeginRequest begins the span of a request, within that of its caller where it sent one.
func BeginRequest(r *http.Request, what string, about ...attribute.KeyValue) (context.Context, Span) {
	ctx := otel.GetTextMapPropagator().Extract(r.Context(), propagation.HeaderCarrier(r.Header))
	ctx, of := otel.Tracer(name).Start(ctx, what, trace.WithSpanKind(trace.SpanKindServer), trace.WithAttributes(about...))
	return ctx, Span{of}
}

// Says adds to what a span tells.
func (s Span) Says(about ...attribute.KeyValue) {
	if s.of != nil {
		s.of.SetAttributes(about...)
	}
}

// Failed says that what a span tells of did not succeed. The error itself stays in the log and on the
// receipt, since it may hold what was asked.
func (s Span) Failed() {
	if s.of != nil {
		s.of.SetStatus(codes.Error, "")
	}
}

// End ends a span; where it did not succeed, that is said.
func (s Span) End(err error) {
	if s.of == nil {
		return
	}
	if err != nil {
		s.Failed()
	}
	s.of.End()
}

// ID is the id of the trace that ctx is in, "" where none is sent.
func ID(ctx context.Context) string {
	if of := trace.SpanContextFromContext(ctx); of.IsSampled() {
		return of.TraceID().String()
	}
	return ""
}
