package demo_test

import (
	"bytes"
	"io"
	"net/http"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo"
	"pikegate/demo/demotest"
	"pikegate/internal/core/catalog"
	"pikegate/internal/service/publish"
	"pikegate/internal/source/sourcetest"
)

// run is what a report brings in a format; of JSON, what stands before the receipt,
// which tells of times.
func run(t *testing.T, f *demotest.Ferries, report, format, answers string) []byte {
	t.Helper()
	before, _, _ := bytes.Cut(whole(t, f, report, format, answers), []byte(`"receipt":`))
	return before
}

func whole(t *testing.T, f *demotest.Ferries, report, format, answers string) []byte {
	t.Helper()
	resp, err := http.Post(f.URL+"/api/v1/reports/"+report+"/runs?output="+format, "application/json", strings.NewReader(`{"answers":`+answers+`}`))
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, resp.StatusCode, "%s: %s", report, text)
	return text
}

// The same definitions bring the same records in the same order on every engine, byte for byte in
// every format, and the same evidence of them.
func TestTheSameOnEveryEngine(t *testing.T) {
	ours := demotest.Start(t)
	put(t, ours)
	joinsAndOwnSQL(t, ours)
	records, evidence := recordsOf(t, ours), evidenceOf(t, ours)

	for _, engine := range []catalog.Engine{catalog.Postgres, catalog.MariaDB} {
		t.Run(string(engine), func(t *testing.T) {
			t.Setenv(demo.ServerVariable, sourcetest.Address(t, engine))
			theirs := demotest.StartOn(t, engine)
			put(t, theirs)
			t.Run("records", func(t *testing.T) { sameRecords(t, records, theirs) })
			t.Run("evidence", func(t *testing.T) { sameEvidence(t, evidence, theirs) })
		})
	}
}

// question is a run: of a report, in a format, with answers.
type question struct{ report, format, answers string }

// recordsOf is what every report of a service brings, in every format.
func recordsOf(t *testing.T, f *demotest.Ferries) map[question][]byte {
	t.Helper()
	records := map[question][]byte{}
	for _, report := range f.Service.Base.Reports(t.Context(), "") {
		all := more[report.Name]
		if report.Name != "freight-of-a-shipper" { // which has no default
			all = append(all, "{}")
		}
		for _, answers := range all {
			for _, format := range []string{"csv", "ndjson", "json"} {
				records[question{report.Name, format, answers}] = run(t, f, report.Name, format, answers)
			}
		}
	}
	return records
}

func sameRecords(t *testing.T, want map[question][]byte, theirs *demotest.Ferries) {
	compared := 0
	for of, want := range want {
		got := run(t, theirs, of.report, of.format, of.answers)
		assert.True(t, bytes.Equal(want, got), "%v: %.300s... is not %.300s...", of, got, want)
		compared += len(want)
	}
	assert.Greater(t, compared, 5_000_000, "bytes")
}

// put adds reports on joined tables, on a dataset on them, and on custom SQL.
func put(t *testing.T, f *demotest.Ferries) {
	t.Helper()
	text, err := os.ReadFile("testdata/own.yaml")
	require.NoError(t, err)
	files := []catalog.File{{Name: "own.yaml", Text: string(text)}}
	found, err := f.Service.Publisher.Check(t.Context(), files)
	require.NoError(t, err)
	require.Empty(t, found, found.Error())
	_, err = f.Service.Publisher.Put(t.Context(), publish.Put{Files: files})
	require.NoError(t, err)
}

// joinsAndOwnSQL holds them to statements written by hand.
func joinsAndOwnSQL(t *testing.T, f *demotest.Ferries) {
	rows := func(report, answers string) []string {
		lines := strings.Split(strings.TrimSpace(string(run(t, f, report, "csv", answers))), "\r\n")
		return lines[1:]
	}
	got := rows("full-sailings", `{"travel-period":"Oct 2026"}`)
	want := f.Texts(t, `SELECT s.sailing_id FROM sailings s JOIN vessels v USING (vessel) WHERE s.passengers >= 300 AND departed_at >= '2026-09-30 21:00:00' AND departed_at < '2026-10-31 22:00:00'`)
	assert.Len(t, got, len(want))
	got = rows("fares-by-day", `{"travel-period":"Oct 2026","minutes":"3"}`)
	want = f.Texts(t, `SELECT travel_on || ',' || route || ',' || n || ',' || people FROM (SELECT travel_on, route, count(*) AS n, sum(party) AS people FROM bookings
		WHERE travel_on LIKE '2026-10-%' AND party >= 3 GROUP BY 1, 2) WHERE people >= 20 ORDER BY people DESC, travel_on, route`)
	assert.NotEmpty(t, want)
	assert.Equal(t, want, got)
	_, text, _ := strings.Cut(string(whole(t, f, "fares-by-day", "json", `{"travel-period":"Oct 2026","minutes":"3"}`)), `"read_back":"`)
	assert.Contains(t, text, "Days of fares by SQL of its own, given travel-period Thu 1 Oct 2026 through Sat 31 Oct 2026 (31 days) and minutes 3 min, people at least 20; sorted by")
}

// more are answers that bring many records, with the twins among them.
var more = map[string][]string{
	"waybills-by-day":       {`{"manifest-period":"2025-01-01/2025-12-31"}`},
	"freight-of-a-shipper":  {`{"manifest-period":"2025-01-01/2025-12-31","shipper":"FERN_AND_SLATE"}`, `{"manifest-period":"2025-01-01/2025-12-31","shipper":"Quai Élise"}`},
	"claims-of-a-month":     {`{"claim-month":"2025-02"}`},
	"bookings-of-a-quarter": {`{"travel-quarter":"2026-Q2","travel-routes":["Lantern Bay – Holm","Skerry Run"]}`},
	"sailings-in-figures":   {`{"travel-period":"Mar 2026","routes":["Skerry Run","Kelp Point"]}`, `{"travel-period":"1 Mar 2019 to 2 Mar 2019"}`},
	"late-in-figures":       {`{"travel-period":"29 Mar 2026","minutes":0}`, `{"travel-period":"2025-02-01/2026-03-01"}`},
	"passengers-by-month":   {`{"months-so-far":"29 Feb 2024"}`},
	"open-claims-by-age":    {`{"opened-before":"today"}`},
	"late-sailings":         {`{"travel-period":"2025-10-20/2026-11-23","minutes":"0"}`},
}
