package receipt

import "github.com/prometheus/client_golang/prometheus"

// Measures are what is counted of runs that ended, for those who watch the service.
type Measures struct {
	runs *prometheus.CounterVec
	rows prometheus.Counter
	took *prometheus.HistogramVec
}

func newMeasures() Measures {
	return Measures{
		runs: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "pikegate_runs_total", Help: "Runs that ended, by report and how they ended."}, []string{"report", "state"}),
		rows: prometheus.NewCounter(prometheus.CounterOpts{Name: "pikegate_rows_total", Help: "Rows that runs brought."}),
		took: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "pikegate_run_seconds", Help: "How long runs took, by what they did: checking, recording, waiting, database, sending, counting.",
			Buckets: []float64{0.001, 0.003, 0.01, 0.03, 0.1, 0.3, 1, 3, 10, 30, 100, 300}}, []string{"part"}),
	}
}

// Collectors are all of them.
func (m Measures) Collectors() []prometheus.Collector {
	return []prometheus.Collector{m.runs, m.rows, m.took}
}

// Add counts a run that ended.
func (m Measures) Add(r *Receipt) {
	m.runs.WithLabelValues(r.Report, string(r.State)).Inc()
	m.rows.Add(float64(r.Rows))
	for part, ms := range map[string]float64{"checking": r.Time.Checking, "recording": r.Time.Recording, "waiting": r.Time.Waiting, "database": r.Time.Database, "sending": r.Time.Sending, "counting": r.Time.Counting} {
		m.took.WithLabelValues(part).Observe(ms / 1000)
	}
}
