package api_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/author"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
)

// Receipts over HTTP, in the shape that the document describes.
func TestReceipts(t *testing.T) {
	c := newCaller(t, demotest.Start(t).URL)
	get := func(path, route string, want int, into any) {
		t.Helper()
		status, text := c.do("GET", "/api/v1"+path, "/api/v1"+route, "")
		require.Equal(t, want, status, "%s", text)
		require.NoError(t, json.Unmarshal(text, into))
	}
	post := func(path, route, body string, want int, into any) {
		t.Helper()
		status, text := c.do("POST", "/api/v1"+path, "/api/v1"+route, body)
		require.Equal(t, want, status, "%s", text)
		require.NoError(t, json.Unmarshal(text, into))
	}
	const report = "/reports/{report}"
	const day = `{"answers":{"delivery-day":"25 Oct 2026"},"evidence":true,"limit":1}`
	var result struct{ Receipt receipt.Receipt }
	post("/reports/fuel-on-a-day/runs", report+"/runs", day, 200, &result)
	assert.EqualValues(t, 1, result.Receipt.ID)
	assert.EqualValues(t, 3, *result.Receipt.Records, "of which one row was sent")
	assert.Equal(t, "e3a81e20d905a2197598f97e37e404f048dafa56b9e89678d1a78d091666891b", result.Receipt.Evidence.Fingerprint, "the one that the command line tells")
	var kept receipt.Receipt
	require.Eventually(t, func() bool { // it is known to have arrived a moment after it has
		kept = receipt.Receipt{}
		get("/receipts/1", "/receipts/{receipt}", 200, &kept)
		return kept.Says == result.Receipt.Says
	}, 5*time.Second, 10*time.Millisecond)
	assert.Equal(t, result.Receipt, kept)

	var p api.Problem
	post("/reports/fuel-on-a-day/runs", report+"/runs", `{"answers":{"delivery-day":"soon"}}`, 422, &p)
	assert.Equal(t, "/api/v1/receipts/2", p.Instance)
	get("/receipts/2", "/receipts/{receipt}", 200, &kept)
	assert.Equal(t, receipt.Refused, kept.State)
	assert.EqualValues(t, "not_a_date", kept.Errors[0].Code)
	post("/reports/late-sailings/runs", report+"/runs", `{"answers":{"travel-period":"Feb 2020"},"evidence":true}`, 200, &result)
	assert.Equal(t, "Nov 2023", result.Receipt.Evidence.Empty.Nearest.Answer)
	status, text := c.run("fuel-on-a-day", "?output=csv", day)
	require.Equal(t, 200, status, "%s", text)

	var list api.ReceiptList
	get("/receipts?limit=2", "/receipts", 200, &list)
	assert.True(t, list.More)
	assert.EqualValues(t, 4, list.Receipts[0].ID)
	assert.Empty(t, list.Receipts[0].SQL, "a list tells what a list needs")
	get("/receipts?report=fuel-on-a-day&state=rows&day=today&before=4", "/receipts", 200, &list)
	get("/receipts?state=some", "/receipts", 400, &p)
	get("/receipts?day=soon", "/receipts", 422, &p)
	get("/receipts/99", "/receipts/{receipt}", 404, &p)
	assert.Equal(t, "no receipt 99", p.Detail)

	var again run.Comparison
	post("/receipts/4/again", "/receipts/{receipt}/again", `{}`, 200, &again)
	assert.True(t, again.Same, "the fingerprint of a CSV is that of a page of JSON")
	post("/receipts/4/again", "/receipts/{receipt}/again", `{"as_of":"soon"}`, 422, &p)
	post("/receipts/2/again", "/receipts/{receipt}/again", `{}`, 422, &p)

	var e answer.Explanation
	post("/reports/fuel-on-a-day/explanation", report+"/explanation", `{"answers":{"delivery-day":"25 Oct 2026"}}`, 200, &e)
	assert.Equal(t, []string{"fuel_deliveries_by_1"}, e.Indexes)
	post("/reports/none/explanation", report+"/explanation", `{}`, 404, &p)
	var m answer.Matches
	post("/reports/late-sailings/matches", report+"/matches", `{}`, 200, &m)
	assert.Equal(t, answer.Matches{Records: 226, Of: 1652}, m)
	var histogram answer.Histogram
	get("/reports/late-sailings/prompts/travel-period/histogram", report+"/prompts/{prompt}/histogram", 200, &histogram)
	assert.Len(t, histogram.Units, 39)
	var sum int64
	for _, unit := range histogram.Units {
		sum += unit.Records
	}
	assert.EqualValues(t, 61356, sum, "each record is in one month")
	get("/reports/late-sailings/prompts/minutes/histogram", report+"/prompts/{prompt}/histogram", 200, &histogram)
	assert.Empty(t, histogram.Units)
	get("/reports/late-sailings/prompts/none/histogram", report+"/prompts/{prompt}/histogram", 404, &p)
	var r author.Rehearsal
	post("/reports/late-sailings/rehearsal", report+"/rehearsal", `{"as_of":["2026-03-31"]}`, 200, &r)
	assert.Equal(t, "Sun 1 Feb 2026 through Sat 28 Feb 2026 (28 days)", r.Phrases[0].Means[0].Spelled)
	file := fmt.Sprintf(`[{"name":"q.yaml","text":%q}]`, "pikegate: 1\nquery: fuel-on-a-day\nof: fuel-deliveries\nshow: [litres]\nwhere: {delivered_at: {is: {prompt: delivery-day}}}\nsort: [delivered_at]\n")
	var versions run.Comparison
	post("/reports/fuel-on-a-day/comparison", report+"/comparison", `{"answers":{"delivery-day":"25 Oct 2026"},"after":`+file+`}`, 200, &versions)
	assert.Equal(t, 3, versions.Changed.Records, "which show other columns")
	post("/reports/fuel-on-a-day/runs", report+"/runs", `{"files":`+file+`}`, 200, &result)
	assert.Zero(t, result.Receipt.ID)
	post("/reports/fuel-on-a-day/runs", report+"/runs", `{"files":[{"name":"q.yaml","text":"pikegate: 1\nquery: fuel-on-a-day\n"}]}`, 422, &p)
	assert.EqualValues(t, "definitions_refused", p.Code)
}

// A format that there is not is refused, whoever names it, and never answered with another.
func TestFormats(t *testing.T) {
	ferries := demotest.Start(t)
	ask := func(query, accept string) (*http.Response, []byte) {
		req, err := http.NewRequest("POST", ferries.URL+"/api/v1/reports/late-in-figures/runs"+query, strings.NewReader(`{}`))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Accept", accept)
		answer, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer answer.Body.Close()
		text, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return answer, text
	}
	for _, c := range []struct{ query, accept, says string }{
		{"?output=docx", "", `there is no output \"docx\"; the formats are json, csv, ndjson, xlsx, pdf and events`},
		{"", "text/html, image/png;q=0.5", "no result is sent as text/html, image/png;q=0.5; the formats are"},
	} {
		answer, text := ask(c.query, c.accept)
		assert.Equal(t, 406, answer.StatusCode, "%s", text)
		assert.Contains(t, string(text), c.says)
	}
	for accept, want := range map[string]string{"*/*": "application/json", "text/html, */*;q=0.8": "application/json", "application/json;q=0.2, " + export.MediaTypes[export.XLSX]: export.MediaTypes[export.XLSX]} {
		answer, _ := ask("", accept)
		assert.Equal(t, []any{200, want}, []any{answer.StatusCode, answer.Header.Get("Content-Type")}, accept)
	}
	for query, want := range map[string][2]any{
		"?output=csv&section=6&separator=semicolon&mark=true": {200, "\ufeffreason;late"}, "?output=json&separator=tab": {400, "say something of CSV"},
		"?output=csv&section=6&separator=pipe": {400, "expected value to be one of"}, "?output=csv&dates=dd.MM": {400, "needs yyyy, MM and dd"}, "?output=csv&dates=dd.MM.yyyy+HH:mm": {400, "is to be of a day"},
	} {
		answer, text := ask(query, "")
		assert.Equal(t, want[0], answer.StatusCode, query)
		assert.Contains(t, string(text), want[1], query)
	}
	answer, text := ask("", "application/pdf")
	assert.Equal(t, []any{200, "application/pdf", "%PDF-"}, []any{answer.StatusCode, answer.Header.Get("Content-Type"), string(text[:5])})
	_, text = ask("?output=xlsx", "")
	book, err := excelize.OpenReader(bytes.NewReader(text))
	require.NoError(t, err)
	assert.Equal(t, []string{"Late sailings", "Minutes late on average", "Passengers who waited", "Late sailings by day", "Reasons", "Reasons (2)", "About"}, book.GetSheetList())
	_, text = ask("?output=xlsx&section=6", "")
	book, err = excelize.OpenReader(bytes.NewReader(text))
	require.NoError(t, err)
	assert.Equal(t, []string{"Reasons", "About"}, book.GetSheetList())
}
