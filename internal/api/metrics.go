package api

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"pikegate/internal/core/fault"
	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
)

// measured is what is told to those who watch the service.
type measured struct {
	registry *prometheus.Registry
	signIns  *prometheus.CounterVec
	sent     *prometheus.CounterVec
}

func (r *routes) measure() {
	m := measured{registry: prometheus.NewRegistry(), signIns: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "pikegate_sign_ins_total", Help: "Sign-ins by how they ended: done, refused, put_off."}, []string{"ended"}),
		sent: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "pikegate_schedules_total", Help: "What schedules did: runs, and what was sent by mail, into a folder or to a hook, by how it ended."}, []string{"what", "ended"})}
	r.service.Schedules.Observe(func(what, state string) { m.sent.WithLabelValues(what, state).Inc() })
	m.registry.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), m.signIns, m.sent)
	m.registry.MustRegister(r.service.Receipts.Ended.Collectors()...)
	m.registry.MustRegister(
		prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "pikegate_own_records_bytes", Help: "How much the service's own records take."}, func() float64 {
			taken, _, err := r.service.Base.Store.Room(context.Background())
			if err != nil {
				return -1 // they cannot be read, which /readyz tells too
			}
			return float64(taken)
		}),
		prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "pikegate_runs_under_way", Help: "Runs that have begun and not ended."}, func() float64 { return float64(r.service.Runs.UnderWay()) }),
	)
	r.measured = m
}

// countSignIn counts a try to sign in.
func (m measured) countSignIn(err error) {
	ended := "done"
	var refusal *base.Refusal
	var openid people.OpenIDRefusal
	switch {
	case errors.As(err, &refusal) && refusal.Kind == fault.SignInRefused, errors.As(err, &openid) && openid != people.OpenIDAway && openid != people.OpenIDBusy:
		ended = "refused"
	case err != nil:
		ended = "put_off"
	}
	m.signIns.WithLabelValues(ended).Inc()
}

func (r routes) registerMetrics(api huma.API) {
	o := huma.Operation{OperationID: "metrics", Method: http.MethodGet, Path: "/metrics", Summary: "What is counted of the service, in the text format of Prometheus"}
	o.Responses = map[string]*huma.Response{"200": {Description: "The figures.", Content: map[string]*huma.MediaType{"text/plain": {Schema: &huma.Schema{Type: huma.TypeString}}}}}
	handler := promhttp.HandlerFor(r.measured.registry, promhttp.HandlerOpts{DisableCompression: true})
	huma.Register(api, o, func(context.Context, *struct{}) (*huma.StreamResponse, error) {
		return &huma.StreamResponse{Body: func(ctx huma.Context) {
			c := humagin.Unwrap(ctx)
			handler.ServeHTTP(c.Writer, c.Request)
		}}, nil
	})
}
