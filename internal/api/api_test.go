package api_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"runtime"
	"slices"
	"sort"
	"strings"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/phrase"
)

var update = flag.Bool("update", false, "write console/openapi.json anew")

// caller calls a service and holds every response to the served document.
type caller struct {
	t        *testing.T
	url      string
	document map[string]any
	compiler *jsonschema.Compiler
}

// documentAddress is an absolute address, since a relative one would be a file below the clone.
const documentAddress = "https://pikegate.test/openapi.json"

func newCaller(t *testing.T, url string) *caller {
	t.Helper()
	c := &caller{t: t, url: url, compiler: jsonschema.NewCompiler()}
	answer, err := http.Get(url + "/api/v1/openapi.json")
	require.NoError(t, err)
	defer answer.Body.Close()
	document, err := jsonschema.UnmarshalJSON(answer.Body)
	require.NoError(t, err)
	c.document = document.(map[string]any)
	require.NoError(t, c.compiler.AddResource(documentAddress, document))
	return c
}

// do sends a request and returns the status and the body, which was found to
// be as the document says.
func (c *caller) do(method, path, route, body string, headers ...string) (int, []byte) {
	c.t.Helper()
	req, err := http.NewRequest(method, c.url+path, strings.NewReader(body))
	require.NoError(c.t, err)
	if body != "" {
		req.Header.Set("Content-Type", "application/json")
	}
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	answer, err := http.DefaultClient.Do(req)
	require.NoError(c.t, err)
	defer answer.Body.Close()
	text, err := io.ReadAll(answer.Body)
	require.NoError(c.t, err)
	c.hold(strings.ToLower(method), route, answer.StatusCode, answer.Header.Get("Content-Type"), text)
	return answer.StatusCode, text
}

// hold validates a response against the schema that the document has for its
// route, status and media type.
func (c *caller) hold(method, route string, status int, contentType string, body []byte) {
	c.t.Helper()
	media, _, _ := strings.Cut(contentType, ";")
	responses := c.document["paths"].(map[string]any)[route].(map[string]any)[method].(map[string]any)["responses"].(map[string]any)
	key := fmt.Sprint(status)
	if responses[key] == nil {
		key = "default"
	}
	require.Contains(c.t, responses, key, "%s %s answers %d, which the document does not know", method, route, status)
	content := responses[key].(map[string]any)["content"].(map[string]any)
	require.Contains(c.t, content, media, "%s %s answers %s with %d", method, route, media, status)
	if !strings.HasSuffix(media, "json") || media == "application/x-ndjson" {
		return
	}
	pointer := documentAddress + "#/paths/" +
		strings.NewReplacer("~", "~0", "/", "~1", "{", "%7B", "}", "%7D").Replace(route) +
		"/" + method + "/responses/" + key + "/content/" + strings.ReplaceAll(media, "/", "~1") + "/schema"
	schema, err := c.compiler.Compile(pointer)
	require.NoError(c.t, err)
	value, err := jsonschema.UnmarshalJSON(bytes.NewReader(body))
	require.NoError(c.t, err)
	require.NoError(c.t, schema.Validate(value), "%s %s: %s", method, route, body)
}

const runs = "/api/v1/reports/{report}/runs"

func (c *caller) run(report, query, body string, headers ...string) (int, []byte) {
	c.t.Helper()
	return c.do("POST", "/api/v1/reports/"+report+"/runs"+query, runs, body, headers...)
}

func problem(t *testing.T, text []byte) api.Problem {
	t.Helper()
	var p api.Problem
	require.NoError(t, json.Unmarshal(text, &p))
	return p
}

func TestTheService(t *testing.T) {
	ferries := demotest.Start(t)
	c := newCaller(t, ferries.URL)
	t.Run("the document is the one that the console is built from", func(t *testing.T) {
		const path = "../../console/openapi.json"
		got, err := json.MarshalIndent(c.document, "", "    ")
		require.NoError(t, err)
		got = append(got, '\n')
		if *update {
			require.NoError(t, os.WriteFile(path, got, 0o644))
		}
		want, err := os.ReadFile(path)
		require.NoError(t, err)
		assert.True(t, bytes.Equal(want, got), "console/openapi.json is not what the service serves; go test ./internal/api -update writes it anew")
	})
	t.Run("routes", func(t *testing.T) { testRoutes(t, newCallerFor(t, c)) })
	t.Run("records", func(t *testing.T) { testRecords(t, newCallerFor(t, c), ferries) })
	t.Run("ways of asking", func(t *testing.T) { testAsking(t, newCallerFor(t, c), ferries) })
	t.Run("choices", func(t *testing.T) { testChoices(t, newCallerFor(t, c), ferries) })
	t.Run("sources", func(t *testing.T) { testSources(t, newCallerFor(t, c)) })
	t.Run("loads", func(t *testing.T) { testLoads(t, newCallerFor(t, c), ferries) })
	t.Run("revisions", func(t *testing.T) { testRevisions(t, newCallerFor(t, c)) })
	t.Run("readings", func(t *testing.T) { testReadings(t, newCallerFor(t, c)) })
	t.Run("units to pick from", func(t *testing.T) { testUnits(t, newCallerFor(t, c), ferries) })
	t.Run("formats", func(t *testing.T) { testFormats(t, newCallerFor(t, c)) })
	t.Run("bad input", func(t *testing.T) { testBadInput(t, newCallerFor(t, c)) })
	t.Run("definitions", func(t *testing.T) { testDefinitions(t, newCallerFor(t, c)) })
	t.Run("pages", func(t *testing.T) { testPages(t, ferries.URL) })
	t.Run("streams", func(t *testing.T) { testStreams(t, ferries) })
}

func newCallerFor(t *testing.T, c *caller) *caller {
	copied := *c
	copied.t = t
	return &copied
}

func testRoutes(t *testing.T, c *caller) {
	for _, path := range []string{"/healthz", "/readyz"} {
		status, text := c.do("GET", path, path, "")
		assert.Equal(t, 200, status)
		assert.JSONEq(t, `{"status":"ok"}`, string(text))
	}
	status, text := c.do("GET", "/api/v1/about", "/api/v1/about", "")
	assert.Equal(t, 200, status)
	assert.Contains(t, string(text), `"today":"2026-11-23","person":"local developer","role":"developer"`)

	var list api.ReportList
	_, text = c.do("GET", "/api/v1/reports?search=LATE+harbour+newest+left", "/api/v1/reports", "")
	require.NoError(t, json.Unmarshal(text, &list))
	assert.Equal(t, []api.ReportSummary{{Name: "late-sailings", Title: "Late sailings", About: "Sailings that left late, newest first.", Shelf: "Harbour office", Revision: 1}}, list.Reports)
	_, text = c.do("GET", "/api/v1/reports?search=nothing+like+it", "/api/v1/reports", "")
	assert.JSONEq(t, `{"reports":[]}`, string(text))

	var info api.ReportInfo
	_, text = c.do("GET", "/api/v1/reports/late-sailings?as_of=2026-03-01", "/api/v1/reports/{report}", "")
	require.NoError(t, json.Unmarshal(text, &info))
	assert.Equal(t, "2026-03-01", info.AsOf.String())
	assert.Equal(t, "Sun 1 Feb 2026 through Sat 28 Feb 2026 (28 days)", info.Prompts[0].Offers[2].Spelled)
	assert.Len(t, info.Prompts[1].Choices, 8)

	var u api.Understanding
	_, text = c.do("POST", "/api/v1/reports/late-sailings/answers", "/api/v1/reports/{report}/answers", `{"answers":{"travel-period":"Mar 26","minutes":"x","routes":null}}`)
	require.NoError(t, json.Unmarshal(text, &u))
	assert.Len(t, u.Errors, 2)
	assert.True(t, u.Answers[1].Entered.IsAbsent() || !u.Answers[1].Given)
}

// The records of each report are those of a SELECT that uses none of the
// product's code: bounds by the time package, conditions by hand.
func testRecords(t *testing.T, c *caller, ferries *demotest.Ferries) {
	zone, err := civil.LoadZone("Europe/Helsinki")
	require.NoError(t, err)
	local := func(day string, after int) time.Time {
		d, err := time.Parse(time.DateOnly, day)
		require.NoError(t, err)
		return time.Date(d.Year(), d.Month(), d.Day()+after, 0, 0, 0, 0, zone)
	}
	utc := func(at time.Time) string { return at.UTC().Format(time.DateTime) }
	for _, period := range [][2]string{
		{"2026-06-01", "2026-08-31"}, {"2026-03-29", "2026-03-29"}, {"2026-10-25", "2026-10-25"}, {"2025-10-26", "2025-10-26"}, {"2026-10-24", "2026-10-26"},
		{"2026-11-23", "2026-11-23"}, {"2024-02-29", "2024-02-29"}, {"2020-01-01", "2020-12-31"},
	} {
		first, last := period[0], period[1]
		t.Run(first+" to "+last, func(t *testing.T) {
			answers := fmt.Sprintf(`{"answers":{"travel-period":{"start":%q,"end":%q},"routes":["Outer Loop","Lantern Bay – Holm"],"minutes":5}}`, first, last)
			same(t, c, "late-sailings", answers, ferries, `SELECT departed_at, route, vessel, passengers, vehicles, minutes_late, reason FROM sailings
				WHERE departed_at >= ? AND departed_at < ? AND route IN ('Outer Loop', 'Lantern Bay – Holm') AND minutes_late >= 5
				ORDER BY departed_at DESC, route, sailing_id`, utc(local(first, 0)), utc(local(last, 1)))
			days := strings.ReplaceAll(first+"/"+last, "-", "")
			answers = fmt.Sprintf(`{"answers":{"manifest-period":%q,"goods":["timber"]}}`, first+" to "+last)
			same(t, c, "waybills-by-day", answers, ferries, `SELECT manifest_day, waybill_id, shipper, goods, kilos, charge FROM waybills
				WHERE manifest_day BETWEEN ? AND ? AND goods = 'timber' ORDER BY manifest_day, shipper, waybill_id`, days[:8], days[9:])
			same(t, c, "fuel-on-a-day", fmt.Sprintf(`{"answers":{"delivery-day":%q}}`, first), ferries, `SELECT delivered_at, harbour, litres, price_per_litre FROM fuel_deliveries
				WHERE delivered_at >= ? AND delivered_at < ? ORDER BY delivered_at, delivery_id`, local(first, 0).Unix(), local(first, 1).Unix())
		})
	}
}

// testAsking holds each way of asking to a SELECT written by hand, as of Monday
// 23 November 2026.
func testAsking(t *testing.T, c *caller, ferries *demotest.Ferries) {
	const inspections = "SELECT inspected_on, vessel, area, result, due_on FROM inspections WHERE inspected_on BETWEEN ? AND ? ORDER BY inspected_on DESC, vessel, inspection_id"
	for _, ends := range []string{`"Aug 2026 to Oct 2026"`, `"last 3 months"`, `{"start":"Aug 2026","end":"2026-10"}`, `{"start":"1 Aug 2026","end":"31 Oct 2026"}`} {
		same(t, c, "inspections-by-month", `{"answers":{"inspection-months":`+ends+`}}`, ferries, inspections, "2026-08-01", "2026-10-31")
	}
	const bookings = `SELECT travel_on, booking_id, route, party, fare, booked_on, channel FROM bookings
		WHERE travel_on BETWEEN ? AND ? AND channel IN ('agent', 'counter') ORDER BY travel_on, route, booking_id`
	same(t, c, "bookings-of-a-quarter", `{"answers":{"travel-quarter":"Q1 2024","channels":["agent","counter"]}}`, ferries, bookings, "2024-01-01", "2024-03-31")
	same(t, c, "certificates-of-a-year", `{"answers":{"expiry-year":"2028"}}`, ferries,
		"SELECT valid_until, holder, kind, valid_from FROM certificates WHERE valid_until LIKE '2028-%' ORDER BY valid_until, holder, certificate_id")
	same(t, c, "certificates-that-expire", `{"answers":{}}`, ferries,
		"SELECT valid_until, holder, kind, valid_from FROM certificates WHERE valid_until BETWEEN '2026-11-23' AND '2027-02-21' ORDER BY valid_until, holder, certificate_id")
	same(t, c, "inspections-due-in-january", `{}`, ferries,
		"SELECT due_on, vessel, area, inspected_on FROM inspections WHERE substr(due_on, 6, 2) = '01' ORDER BY due_on, vessel, inspection_id")

	const departures = "SELECT departed_at, route, vessel, passengers, status FROM sailings WHERE departed_at >= ? AND departed_at < ? ORDER BY departed_at, route, sailing_id"
	same(t, c, "departures-by-the-clock", `{"answers":{"departure-moments":"25 Oct 2026 03:30 to 25 Oct 2026 03:44"}}`, ferries, departures, "2026-10-25 00:30:00", "2026-10-25 01:45:00")
	same(t, c, "departures-by-the-clock", `{"answers":{"departure-moments":"last 6 hours"}}`, ferries, departures, "2026-11-23 16:00:00", "2026-11-23 22:00:00")
	same(t, c, "departures-by-the-clock", `{"answers":{"departure-moments":{"start":"24 Oct 2026 00:00","end":"26 Oct 2026 24:00"},"part-of-day":"23:30 to 04:00"}}`, ferries,
		`SELECT departed_at, route, vessel, passengers, status FROM sailings WHERE departed_at >= '2026-10-23 21:00:00' AND departed_at < '2026-10-26 22:00:00'
		AND (departed_at < '2026-10-25 01:00:00' AND (substr(departed_at, 12) >= '20:30:00' OR substr(departed_at, 12) < '01:01:00') AND departed_at < '2026-10-25 01:00:00'
			OR departed_at >= '2026-10-25 01:00:00' AND (substr(departed_at, 12) >= '21:30:00' OR substr(departed_at, 12) < '02:01:00'))
		ORDER BY departed_at, route, sailing_id`)
	same(t, c, "departures-since", `{"answers":{"deck-moment":"22 Nov 2026 12:35"}}`, ferries,
		"SELECT departed_at, route, vessel, status FROM sailings WHERE departed_at >= '2026-11-22 10:36:00' AND status = 'sailed' ORDER BY departed_at, route, sailing_id")

	for asked, before := range map[string][2]string{"Oct 2026": {"2026-08-31 21:00:00", "2026-09-30 21:00:00"}, "month to date": {"2026-09-30 21:00:00", "2026-10-23 21:00:00"},
		"10 Nov 2026 to 12 Nov 2026": {"2026-11-06 22:00:00", "2026-11-09 22:00:00"}} {
		same(t, c, "late-sailings-before", fmt.Sprintf(`{"answers":{"travel-period":%q,"minutes":5}}`, asked), ferries,
			`SELECT departed_at, route, vessel, passengers, vehicles, minutes_late, reason FROM sailings
			WHERE departed_at >= ? AND departed_at < ? AND minutes_late >= 5 ORDER BY departed_at DESC, route, sailing_id`, before[0], before[1])
	}

	status, text := newCallerFor(t, c).do("GET", "/api/v1/reports/large-claims", "/api/v1/reports/{report}", "")
	assert.Equal(t, 200, status)
	assert.Contains(t, string(text), `"ask":"Claims opened after which day?"`, "in the report's own words")

	// An old system's days, some of them broken: taken apart here, not in SQL.
	_, text = newCallerFor(t, c).run("claims-of-a-month", "?output=json", `{"answers":{"claim-month":"Feb 2026"}}`)
	var got struct{ Rows [][]any }
	require.NoError(t, json.Unmarshal(text, &got))
	var want []string
	for _, id := range ferries.Texts(t, "SELECT claim_id || ' ' || opened_on FROM claims ORDER BY claim_id") {
		number, day, _ := strings.Cut(id, " ")
		if at, err := time.Parse("1/2/2006", day); err == nil && at.Year() == 2026 && at.Month() == time.February {
			want = append(want, at.Format(time.DateOnly)+fmt.Sprintf(" %5s", number))
		}
	}
	sort.Strings(want)
	require.NotEmpty(t, want)
	require.Len(t, got.Rows, len(want))
	for i, row := range got.Rows {
		assert.Equal(t, want[i], fmt.Sprintf("%s %5.0f", row[0], row[1]))
	}
}

// testChoices holds the choices that come from the data to SELECTs, and the answers
// to them.
func testChoices(t *testing.T, c *caller, ferries *demotest.Ferries) {
	const route = "/api/v1/reports/{report}/prompts/{prompt}/choices"
	list := func(body string) api.ChoiceList {
		status, text := c.do("POST", "/api/v1/reports/freight-of-a-shipper/prompts/shipper/choices", route, body)
		require.Equal(t, 200, status, string(text))
		var l api.ChoiceList
		require.NoError(t, json.Unmarshal(text, &l))
		return l
	}
	var got []string
	for _, choice := range list(`{"limit":1000,"answers":{"manifest-period":"5 Nov 2026"}}`).Choices {
		got = append(got, fmt.Sprint(choice.Value, " ", choice.Count))
	}
	assert.Equal(t, ferries.Texts(t, "SELECT shipper || ' ' || count(*) FROM waybills WHERE manifest_day = '20261105' GROUP BY shipper ORDER BY shipper"), got)
	first, second := list(`{"limit":2}`), list(`{"limit":2,"skip":2}`)
	assert.True(t, first.More)
	assert.Equal(t, list(`{"limit":4}`).Choices, append(first.Choices, second.Choices...))
	for _, choice := range list(`{"search":"O'D%"}`).Choices {
		assert.Contains(t, choice.Label, "%", "a wildcard is a plain character")
	}
	status, _ := c.do("POST", "/api/v1/reports/freight-of-a-shipper/prompts/weight/choices", route, `{}`)
	assert.Equal(t, 404, status)

	status, text := c.run("freight-of-a-shipper", "", `{"answers":{"shipper":"cockle"}}`)
	assert.Equal(t, 422, status)
	assert.Equal(t, `shipper: "cockle" is not one of the choices that the other answers leave; did you mean "Cockle Row Bakery"? [not_a_choice]`, problem(t, text).Errors[0].Error())
	same(t, c, "freight-of-a-shipper", `{"answers":{"shipper":"Cockle Row Bakery","manifest-period":"Oct 2026","weight":"50 to 500"}}`, ferries, `SELECT manifest_day, waybill_id, goods, kilos, charge FROM waybills
		WHERE manifest_day LIKE '202610%' AND shipper = 'Cockle Row Bakery' AND kilos BETWEEN 50 AND 500 AND charge IS NOT NULL ORDER BY manifest_day DESC, waybill_id`)
}

// testRevisions goes through the life of a definition.
func testRevisions(t *testing.T, c *caller) {
	const route = "/api/v1/definitions/{kind}/{name}"
	const path = "/api/v1/definitions/prompt/late-at-night"
	first := "# Kept.\npikegate: 1\nprompt: late-at-night\nask: Which night?\ntype: day\n"
	second := strings.Replace(first, "type: day", "type: day\nlatest: today", 1)
	put := func(text, more string) (int, []byte) {
		body := strings.TrimSuffix(upload(text), "}") + more + "}"
		return c.do("POST", "/api/v1/definitions", "/api/v1/definitions", body)
	}
	base := func(n int) string {
		return fmt.Sprintf(`,"base":[{"kind":"prompt","name":"late-at-night","revision":%d}]`, n)
	}
	status, text := put(first, base(0))
	require.Equal(t, 200, status, string(text))
	_, text = put(second, `,"draft":true`)
	assert.Contains(t, string(text), `"change":"changed","revision":2,"difference":[{"path":"latest","new":"\"today\""}]`)

	get := func(part string) string {
		status, text := c.do("GET", path+part, route+strings.Split(part, "?")[0], "")
		require.Equal(t, 200, status, string(text))
		return string(text)
	}
	var d api.DefinitionText
	require.NoError(t, json.Unmarshal([]byte(get("")), &d))
	assert.Equal(t, api.DefinitionText{Kind: "prompt", Name: "late-at-night", Revision: 1, Text: first}, d, "a draft leaves what is published")
	assert.JSONEq(t, `{"settings":[{"path":"latest","new":"\"today\""}]}`, get("/difference?from=1&to=2"))
	assert.JSONEq(t, `{"settings":[]}`, get("/difference?from=1&to=1"))

	status, text = put(first, base(1))
	assert.Equal(t, 409, status)
	var codes []string
	for _, f := range problem(t, text).Errors {
		codes = append(codes, string(f.Code)+": "+f.Message[:min(len(f.Message), 40)])
	}
	assert.Equal(t, []string{"conflict: the prompt late-at-night was saved as re", `conflict: latest is new: "today"`}, codes)

	status, _ = c.do("POST", path+"/publish", route+"/publish", `{}`)
	assert.Equal(t, 200, status)
	require.NoError(t, json.Unmarshal([]byte(get("")), &d))
	assert.Equal(t, second, d.Text)
	assert.Regexp(t, `"revision":2,"saved_at":"[^"]+","saved_by":"local developer","published":true\},\{"revision":1,`, get("/revisions"))
	assert.JSONEq(t, `{"users":[]}`, get("/uses"))
	status, text = c.do("DELETE", "/api/v1/definitions/dataset/sailings", route, "")
	assert.Equal(t, 409, status)
	assert.Contains(t, problem(t, text).Detail, "the dataset sailings is used by query departures-by-the-clock, ")
	status, _ = c.do("DELETE", path, route, "")
	assert.Equal(t, 200, status)
	status, _ = c.do("GET", path, route, "")
	assert.Equal(t, 404, status)
	status, _ = c.do("POST", path+"/publish", route+"/publish", `{"revision":9}`)
	assert.Equal(t, 404, status)
}

// testReadings holds what the service understands to what the reader says, which
// the command line prints as well, text by text.
func testReadings(t *testing.T, c *caller) {
	const text = `pikegate: 1
prompt: any-days
ask: Which days?
type: period
open: either
---
pikegate: 1
query: any-days
of: claims
show: [claim_id]
where: {opened_on: {within: {prompt: any-days}}}
---
pikegate: 1
report: any-days
title: Any days
prompts: [any-days]
sections: [{table: {query: any-days}}]
`
	status, _ := c.do("POST", "/api/v1/definitions", "/api/v1/definitions", upload(text))
	require.Equal(t, 200, status)
	asOf := civil.MustParseDay("2026-11-23")
	for _, text := range []string{"5 Mar 2026", "5 Mar 26", "2026-W10", "Q1 2026", "last 3 months", "7 days to date", "since 5 Mar 2026", "../today", "Mar 2026 to May 2026", "1/2/26 - 13/2/26",
		"3/4/2026", "5 Mar", "30 Feb 2026", "Fri 5 Mar 2026", "5 Mar 2026 2pm", "lst mnth", "5 Mar 2026 to 1 Mar 2026", "this fiscal year", "soon"} {
		r, f := phrase.Period(text, phrase.Setting{AsOf: asOf})
		body, _ := json.Marshal(map[string]any{"answers": map[string]any{"any-days": text}})
		_, got := c.do("POST", "/api/v1/reports/any-days/answers", "/api/v1/reports/{report}/answers", string(body))
		var u api.Understanding
		require.NoError(t, json.Unmarshal(got, &u))
		if f != nil {
			require.Len(t, u.Errors, 1, text)
			assert.Equal(t, [2]string{string(f.Code), f.Sentence()}, [2]string{string(u.Errors[0].Code), u.Errors[0].Sentence()}, text)
			continue
		}
		require.Empty(t, u.Errors, text)
		first, last := r.Period.Ends()
		assert.Equal(t, [2]*civil.Day{first, last}, [2]*civil.Day{u.Answers[0].First, u.Answers[0].Last}, text)
		assert.Equal(t, r.Notes, u.Answers[0].Notes, text)
	}
}

// testUnits holds the months, quarters and years to pick from to what the data
// have.
func testUnits(t *testing.T, c *caller, ferries *demotest.Ferries) {
	units := func(report string) (phrases []string, first map[string]any) {
		status, text := newCallerFor(t, c).do("GET", "/api/v1/reports/"+report, "/api/v1/reports/{report}", "")
		require.Equal(t, 200, status)
		var info struct {
			Prompts []struct{ Units []map[string]any }
		}
		require.NoError(t, json.Unmarshal(text, &info))
		for _, u := range info.Prompts[0].Units {
			phrases = append(phrases, u["phrase"].(string))
		}
		return phrases, info.Prompts[0].Units[0]
	}
	years, _ := units("certificates-of-a-year")
	assert.Equal(t, ferries.Texts(t, "SELECT DISTINCT substr(valid_until, 1, 4) FROM certificates ORDER BY 1 DESC"), years)
	quarters, latest := units("bookings-of-a-quarter")
	assert.Equal(t, "Q1 2027", quarters[0])
	assert.Equal(t, map[string]any{"phrase": "Q1 2027", "first": "2027-01-01", "last": "2027-03-31", "days": "1 Jan – 31 Mar 2027", "spelled": "Fri 1 Jan 2027 through Wed 31 Mar 2027 (90 days)"}, latest)
	months, latest := units("claims-of-a-month")
	assert.Equal(t, []string{"Nov 2026", "Oct 2026", "Sep 2026"}, months[:3], "none after the latest that can be asked for")
	assert.Equal(t, "2026-11-30", latest["last"], "the month that holds the limit is whole")
}

// same compares a run, as JSON, with a SELECT, row by row and in order.
func same(t *testing.T, c *caller, report, answers string, ferries *demotest.Ferries, query string, args ...any) {
	t.Helper()
	status, text := newCallerFor(t, c).run(report, "?output=json", answers)
	require.Equal(t, 200, status, string(text))
	var got struct {
		Rows    [][]any
		Receipt struct {
			Rows  int
			State string
		}
	}
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	require.NoError(t, d.Decode(&got))
	rows, err := ferries.Records.Query(query, args...)
	require.NoError(t, err)
	defer rows.Close()
	names, err := rows.Columns()
	require.NoError(t, err)
	var want [][]any
	for rows.Next() {
		values := make([]any, len(names))
		for i := range values {
			values[i] = new(any)
		}
		require.NoError(t, rows.Scan(values...))
		for i := range values {
			values[i] = shown(names[i], *values[i].(*any))
		}
		want = append(want, values)
	}
	require.NoError(t, rows.Err())
	assert.Len(t, got.Rows, len(want), report)
	for i := range min(len(want), len(got.Rows)) {
		require.Equal(t, want[i], got.Rows[i], "%s, row %d", report, i)
	}
	assert.Equal(t, len(want), got.Receipt.Rows)
	assert.Equal(t, len(want) == 0, got.Receipt.State == "no_rows")
}

// shown is a stored value as JSON has to show it.
func shown(column string, value any) any {
	zone, _ := time.LoadLocation("Europe/Helsinki")
	switch v := value.(type) {
	case int64:
		if column == "delivered_at" {
			return time.Unix(v, 0).In(zone).Format(time.RFC3339)
		}
		return json.Number(fmt.Sprint(v))
	case float64:
		return fmt.Sprintf("%.*f", map[string]int{"charge": 2, "fare": 2, "price_per_litre": 3}[column], v)
	case string:
		switch column {
		case "departed_at":
			at, _ := time.Parse(time.DateTime, v)
			return at.In(zone).Format(time.RFC3339)
		case "manifest_day":
			return v[:4] + "-" + v[4:6] + "-" + v[6:]
		}
	}
	return value
}

func testFormats(t *testing.T, c *caller) {
	const body = `{"answers":{"travel-period":"2026-10-25","minutes":0,"routes":"Skerry Run"}}`
	_, asJSON := c.run("late-sailings", "", body)
	var result struct {
		Columns []struct{ Name, Type, Label string }
		Rows    [][]any
		Receipt map[string]any
	}
	require.NoError(t, json.Unmarshal(asJSON, &result))
	require.NotEmpty(t, result.Rows)
	assert.Equal(t, "Sailings departed on Sun 25 Oct 2026 (the whole day, Harbour time), route is one of Skerry Run, and minutes late at least 0 min; "+
		"sorted by departed, newest first, then route, A to Z.", strings.Replace(result.Receipt["read_back"].(string), "route is Skerry", "route is one of Skerry", 1))

	_, asCSV := c.run("late-sailings", "", body, "Accept", "text/csv")
	read, err := csv.NewReader(bytes.NewReader(asCSV)).ReadAll()
	require.NoError(t, err)
	assert.Len(t, read, len(result.Rows)+1)
	assert.Equal(t, "departed_at", read[0][0])
	assert.Equal(t, result.Rows[0][0], read[1][0])

	_, lines := c.run("late-sailings", "?output=ndjson", body)
	assert.Equal(t, len(result.Rows), bytes.Count(lines, []byte("\n")))

	// Pages of rows put together are the whole; the count is of all records.
	var pages [][]any
	for len(pages) < len(result.Rows) {
		_, text := c.run("late-sailings", "", fmt.Sprintf(`{"limit":7,"skip":%d,%s`, len(pages), body[1:]))
		var page struct {
			Rows    [][]any
			Receipt struct{ Records int }
		}
		require.NoError(t, json.Unmarshal(text, &page))
		require.NotEmpty(t, page.Rows)
		assert.Equal(t, len(result.Rows), page.Receipt.Records)
		pages = append(pages, page.Rows...)
	}
	assert.Equal(t, result.Rows, pages)
}

func testBadInput(t *testing.T, c *caller) {
	for _, b := range []struct {
		name, report, body string
		status             int
		code, errors       string
	}{
		{"unknown report", "late-sailing", `{}`, 404, "unknown", `no report "late-sailing"; did you mean "late-sailings"? [unknown_report]`},
		{"unknown prompt", "late-sailings", `{"answers":{"rotes":"Outer Loop"}}`, 422, "answers_refused", `rotes: no prompt "rotes" here; this report asks for travel-period, routes and minutes; did you mean "routes"? [unknown_prompt]`},
		{"missing answer", "fuel-on-a-day", `{"answers":{"delivery-day":null}}`, 422, "answers_refused", `delivery-day: an answer is required: Which day of delivery?; did you mean "yesterday"? [answer_required]`},
		{"no such date", "fuel-on-a-day", `{"answers":{"delivery-day":"31 Jun 2026"}}`, 422, "answers_refused", `delivery-day: there is no 31 June 2026; the month has 30 days; did you mean "30 Jun 2026"? [no_such_date]`},
		{"end before start", "late-sailings", `{"answers":{"travel-period":"5 Mar 2026 to 1 Mar 2026"}}`, 422, "answers_refused", `travel-period: the period ends on Sun 1 Mar 2026, before it starts on Thu 5 Mar 2026; did you mean "1 Mar 2026 to 5 Mar 2026"? [end_before_start]`},
		{"not a choice, and letters for a number", "late-sailings", `{"answers":{"routes":["Outer Lop"],"minutes":"ten"}}`, 422, "answers_refused",
			`routes: "Outer Lop" is not one of the choices; did you mean "Outer Loop"? [not_a_choice]` + "\n" + `minutes: "ten" is not a number; write it like 15 or 12.5 [not_a_number]`},
		{"as-of day that is none", "late-sailings", `{"as_of":"someday"}`, 422, "answers_refused", `as of: "someday" is not a date; write it like 5 Mar 2026, 2026-03-05 or yesterday [not_a_date]`},
		{"mistyped member", "late-sailings", `{"answer":{}}`, 400, "invalid_request", `body.answer: unexpected property [invalid_request]`},
		{"an answer of no shape", "late-sailings", `{"answers":{"minutes":{"from":1}}}`, 400, "invalid_request", `minutes: an answer is a text, a number, true, false, a list of those, or an object with start and end [invalid_request]`},
		{"not JSON", "late-sailings", `{"answers":`, 400, "invalid_request", ""},
		{"a 10 MB answer", "late-sailings", `{"answers":{"minutes":"` + strings.Repeat("9", 10<<20) + `"}}`, 413, "too_large", ""},
		{"a long answer", "late-sailings", `{"answers":{"minutes":"` + strings.Repeat("9", 5000) + `"}}`, 422, "answers_refused", `minutes: the answer has 5000 bytes; at most 1000 are read [too_long]`},
	} {
		status, text := c.run(b.report, "", b.body)
		p := problem(t, text)
		assert.Equal(t, b.status, status, "%s: %s", b.name, text)
		assert.EqualValues(t, b.code, p.Code, b.name)
		if b.errors != "" {
			var lines []string
			for _, f := range p.Errors {
				lines = append(lines, f.Error())
			}
			assert.Equal(t, b.errors, strings.Join(lines, "\n"), b.name)
		}
	}
	status, text := c.run("late-sailings", "?output=docx", `{}`)
	assert.Equal(t, 406, status, string(text))
	status, text = c.run("late-sailings", "?outputs=csv", `{}`)
	assert.Equal(t, 400, status, string(text))
}

func upload(files ...string) string {
	var list []map[string]string
	for i, text := range files {
		list = append(list, map[string]string{"name": fmt.Sprintf("f%d.yaml", i+1), "text": text})
	}
	body, _ := json.Marshal(map[string]any{"files": list})
	return string(body)
}

func testDefinitions(t *testing.T, c *caller) {
	const route = "/api/v1/definitions"
	const day = "pikegate: 1\nprompt: some-day\nask: Which day?\ntype: day\n"
	other := strings.Replace(day, "some-day", "other-day", 1)
	put := func(files ...string) (int, []byte) { return c.do("POST", route, route, upload(files...)) }
	status, text := put(day)
	assert.Equal(t, 200, status)
	assert.JSONEq(t, `{"definitions":[{"kind":"prompt","name":"some-day","change":"new","revision":1}],
		"findings":[{"code":"not_used","message":"nothing uses the prompt some-day","place":{"file":"f1.yaml","line":1,"column":1},"warning":true}]}`, string(text))
	_, text = put(day)
	assert.Contains(t, string(text), `"change":"same","revision":1`)

	const check = "/api/v1/definitions/check"
	status, text = c.do("POST", check, check, upload(strings.Replace(other, "type: day", "type: dya", 1), "pikegate: 1\nquery: heavy\nof: waybills\nshow: [waybill_id]\nwhere: {kilos: {at_least: 9}}\nsort: [waybill_id]\n"))
	assert.Equal(t, 200, status)
	var checked api.FindingList
	require.NoError(t, json.Unmarshal(text, &checked))
	var findings []string
	for _, f := range checked.Findings {
		findings = append(findings, f.Error())
	}
	assert.Equal(t, []string{`f1.yaml:4:7: "dya" is not one of day, days, period, month, quarter, year, moment, moment-period, time-range, number, number-range, text, yes-no and choice; did you mean "day"? [wrong_value]`,
		`f2.yaml:1:1: warning: nothing uses the query heavy [not_used]`,
		`f2.yaml:1:1: warning: the table "waybills" has about 120000 records and no index that starts with "kilos": a search by it reads them all [no_index]`}, findings)

	for _, b := range []struct{ name, text, want string }{
		{"mistyped key", strings.Replace(other, "ask:", "aks:", 1), `f1.yaml:3:1: no key "aks" here; did you mean "ask"? [unknown_key]`},
		{"tab", other + "\tdefault: today\n", `f1.yaml:5:1: a tab indents this line; indent with blanks [tab_in_indentation]`},
		{"breaks a stored report", "pikegate: 1\nprompt: routes\nask: Which?\ntype: day\n", `late-sailings.yaml:45:32: an answer of type day, as the prompt "routes" asks for, does not go with any_of on the column "route" of type text [type_mismatch]
sailings-in-figures.yaml:9:32: an answer of type day, as the prompt "routes" asks for, does not go with any_of on the column "route" of type text [type_mismatch]
sailings-in-figures.yaml:18:32: an answer of type day, as the prompt "routes" asks for, does not go with any_of on the column "route" of type text [type_mismatch]`},
	} {
		status, text := put(day, b.text)
		assert.Equal(t, 422, status)
		p := problem(t, text)
		assert.EqualValues(t, "definitions_refused", p.Code)
		var lines []string
		for _, f := range p.Errors {
			lines = append(lines, strings.Replace(f.Error(), "f2.yaml", "f1.yaml", 1))
		}
		assert.Equal(t, b.want, strings.Join(slices.Compact(lines), "\n"), b.name)
	}
	_, text = put(day)
	assert.Contains(t, string(text), `"change":"same","revision":1`, "nothing was stored by what was refused")
	status, _ = c.do("POST", route, route, upload(strings.Repeat("#", 17<<20)))
	assert.Equal(t, 413, status)
}

func testPages(t *testing.T, url string) {
	get := func(path string, headers ...string) *http.Response {
		req, err := http.NewRequest("GET", url+path, nil)
		require.NoError(t, err)
		for i := 0; i+1 < len(headers); i += 2 {
			req.Header.Set(headers[i], headers[i+1])
		}
		answer, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		t.Cleanup(func() { answer.Body.Close() })
		return answer
	}
	unknown := get("/api/v2/none")
	assert.Equal(t, 404, unknown.StatusCode)
	assert.Equal(t, "application/problem+json", unknown.Header.Get("Content-Type"))
	assert.Equal(t, 404, get("/assets/none.js").StatusCode)
	page := get("/reports/late-sailings", "X-Request-Id", "of-my-own")
	assert.Equal(t, "of-my-own", page.Header.Get("X-Request-Id"))
	assert.Regexp(t, "^[0-9A-Z]{26}$", get("/", "X-Request-Id", "not an id").Header.Get("X-Request-Id"))
	t.Run("the console's first page", func(t *testing.T) {
		if page.StatusCode == http.StatusNotFound {
			t.Skip("the console is not built: make build")
		}
		assert.Contains(t, page.Header.Get("Content-Security-Policy"), "default-src 'self'")
	})
	foreign, err := http.NewRequest("POST", url+"/api/v1/definitions", strings.NewReader(upload("x")))
	require.NoError(t, err)
	foreign.Header.Set("Origin", "http://elsewhere.example")
	foreign.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(foreign)
	require.NoError(t, err)
	answer.Body.Close()
	assert.Equal(t, "application/problem+json", answer.Header.Get("Content-Type"))
	assert.Equal(t, 403, answer.StatusCode, "another site's page cannot use a reader's browser to write")
}

const allBookings = `
pikegate: 1
dataset: all-bookings
source: harbour
table: bookings
key: [booking_id]
columns:
  booking_id: {type: integer}
  channel: {type: text}
  travel_on: {type: date, stored: text, pattern: yyyy-MM-dd}
---
pikegate: 1
query: all-bookings
of: all-bookings
show: [booking_id, travel_on, channel]
---
pikegate: 1
report: all-bookings
title: All bookings
sections: [{table: {query: all-bookings}}]
---
pikegate: 1
dataset: gone
source: harbour
table: gone
key: [id]
columns: {id: {type: integer}}
---
pikegate: 1
query: gone
of: gone
show: [id]
---
pikegate: 1
report: gone
title: Gone
sections: [{table: {query: gone}}]
`

func testStreams(t *testing.T, ferries *demotest.Ferries) {
	c := newCaller(t, ferries.URL)
	status, text := c.do("POST", "/api/v1/definitions", "/api/v1/definitions", strings.Replace(upload(allBookings), "{", `{"offline":true,`, 1))
	require.Equal(t, 200, status, string(text))

	status, text = c.run("gone", "?output=csv", `{}`)
	assert.Equal(t, 502, status, "a source that fails before the first record is a problem, and no empty result")
	p := problem(t, text)
	assert.EqualValues(t, "source_failed", p.Code)
	assert.Contains(t, p.Detail, "no such table: gone")

	// Memory does not grow with the result: 200,000 records, read slowly enough
	// that they would pile up, and looked at all along.
	answer, err := http.Post(ferries.URL+"/api/v1/reports/all-bookings/runs?output=json", "application/json", strings.NewReader(`{}`))
	require.NoError(t, err)
	var before, now runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&before)
	var most uint64
	read := int64(0)
	for err == nil {
		var n int64
		n, err = io.CopyN(io.Discard, answer.Body, 1<<20)
		read += n
		runtime.GC()
		runtime.ReadMemStats(&now)
		most = max(most, now.HeapAlloc)
	}
	answer.Body.Close()
	assert.ErrorIs(t, err, io.EOF, "the whole result came")
	assert.Greater(t, read, int64(4<<20))
	assert.Less(t, most, before.HeapAlloc+(2<<20))

	// A reader that goes away frees the database: the run is over soon after.
	ctx, cancel := context.WithCancel(context.Background())
	req, err := http.NewRequestWithContext(ctx, "POST", ferries.URL+"/api/v1/reports/all-bookings/runs?output=csv", strings.NewReader(`{}`))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	answer, err = http.DefaultClient.Do(req)
	require.NoError(t, err)
	_, err = io.ReadFull(answer.Body, make([]byte, 1000))
	require.NoError(t, err)
	cancel()
	answer.Body.Close()
	// A snapshot that is still read keeps the log from being truncated.
	_, err = ferries.Records.Exec("UPDATE routes SET minutes = minutes")
	require.NoError(t, err)
	require.Eventually(t, func() bool {
		var busy, frames, moved int
		require.NoError(t, ferries.Records.QueryRow("PRAGMA wal_checkpoint(TRUNCATE)").Scan(&busy, &frames, &moved))
		return busy == 0
	}, 5*time.Second, 20*time.Millisecond)

	// A stream that the service breaks off cannot be taken for a whole one.
	broken := httptest.NewServer(breaking(api.New(ferries.Service, api.Limits{})))
	defer broken.Close()
	for _, output := range []string{"csv", "json", "ndjson"} {
		answer, err := http.Post(broken.URL+"/api/v1/reports/all-bookings/runs?output="+output, "application/json", strings.NewReader(`{}`))
		require.NoError(t, err)
		assert.Equal(t, 200, answer.StatusCode)
		_, err = io.Copy(io.Discard, answer.Body)
		answer.Body.Close()
		assert.ErrorIs(t, err, io.ErrUnexpectedEOF, output)
	}
}

// breaking ends each request's time when 100,000 bytes of its answer are out.
func breaking(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx, cancel := context.WithCancel(r.Context())
		defer cancel()
		h.ServeHTTP(&cutting{ResponseWriter: w, left: 100_000, cut: cancel}, r.WithContext(ctx))
	})
}

type cutting struct {
	http.ResponseWriter
	left int
	cut  func()
}

func (c *cutting) Write(b []byte) (int, error) {
	if c.left -= len(b); c.left < 0 {
		c.cut()
	}
	return c.ResponseWriter.Write(b)
}

func (c *cutting) Unwrap() http.ResponseWriter { return c.ResponseWriter }

func TestARunThatTakesTooLong(t *testing.T) {
	ferries := demotest.Start(t)
	require.NoError(t, ferries.Service.Close()) // one service at a time has the directory
	slow := demotest.Limited(t, ferries.Dir, time.Nanosecond)
	server := httptest.NewServer(api.New(slow, api.Limits{}))
	defer server.Close()
	status, text := newCaller(t, server.URL).run("late-sailings", "", `{}`)
	assert.Equal(t, 504, status)
	p := problem(t, text)
	assert.EqualValues(t, "cut_by_time", p.Code)
	assert.Equal(t, "the run took longer than it may: 1ns; ask for fewer days, or run it again later", p.Detail)
}

func TestServeStopsWhenToldTo(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	entered, release := make(chan bool), make(chan bool)
	server := api.Server(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		close(entered)
		<-release
		io.WriteString(w, "whole")
	}))
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() {
		ended <- api.Serve(ctx, server, func() error { return server.Serve(listener) }, 5*time.Second, slog.Default())
	}()
	answered := make(chan string, 1)
	go func() {
		answer, err := http.Get("http://" + listener.Addr().String())
		if err != nil {
			answered <- err.Error()
			return
		}
		defer answer.Body.Close()
		text, _ := io.ReadAll(answer.Body)
		answered <- string(text)
	}()
	<-entered
	stop()
	close(release)
	assert.Equal(t, "whole", <-answered, "a request in flight finishes")
	assert.NoError(t, <-ended)
}
