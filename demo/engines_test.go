package demo_test

import (
	"bytes"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo"
	"pikegate/demo/demotest"
	"pikegate/internal/core/definition"
	"pikegate/internal/source/sourcetest"
)

// run is what a report brings in a format; of JSON, what stands before the receipt,
// which tells of times.
func run(t *testing.T, f *demotest.Ferries, report, format, answers string) []byte {
	t.Helper()
	resp, err := http.Post(f.URL+"/api/v1/reports/"+report+"/runs?output="+format, "application/json", strings.NewReader(`{"answers":`+answers+`}`))
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, resp.StatusCode, "%s: %s", report, text)
	before, _, _ := bytes.Cut(text, []byte(`"receipt":`))
	return before
}

// The same definitions bring the same records in the same order on every engine,
// byte for byte in every format.
func TestTheSameOnEveryEngine(t *testing.T) {
	ours := demotest.Start(t)
	for _, engine := range []definition.Engine{definition.Postgres, definition.MariaDB} {
		t.Run(string(engine), func(t *testing.T) {
			t.Setenv(demo.ServerVariable, sourcetest.Address(t, engine))
			theirs := demotest.StartOn(t, engine)
			compared := 0
			for _, report := range ours.Service.Reports("") {
				asked := more[report.Name]
				if report.Name != "freight-of-a-shipper" { // which has no default
					asked = append(asked, "{}")
				}
				for _, answers := range asked {
					for _, format := range []string{"csv", "ndjson", "json"} {
						want, got := run(t, ours, report.Name, format, answers), run(t, theirs, report.Name, format, answers)
						assert.True(t, bytes.Equal(want, got), "%s %s %s: %.300s... is not %.300s...", report.Name, format, answers, got, want)
						compared += len(want)
					}
				}
			}
			assert.Greater(t, compared, 5_000_000, "bytes")
		})
	}
}

// more are answers that bring many records, with the twins among them.
var more = map[string][]string{
	"waybills-by-day":       {`{"manifest-period":"2025-01-01/2025-12-31"}`},
	"freight-of-a-shipper":  {`{"manifest-period":"2025-01-01/2025-12-31","shipper":"FERN_AND_SLATE"}`, `{"manifest-period":"2025-01-01/2025-12-31","shipper":"Quai Élise"}`},
	"claims-of-a-month":     {`{"claim-month":"2025-02"}`},
	"bookings-of-a-quarter": {`{"travel-quarter":"2026-Q2","travel-routes":["Lantern Bay – Holm","Skerry Run"]}`},
	"late-sailings":         {`{"travel-period":"2025-10-20/2026-11-23","minutes":"0"}`},
}
