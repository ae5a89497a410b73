package demo_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/core/catalog"
	"pikegate/internal/service"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
)

// asked sends a request to run a report, with more of a query where that stands behind its name, and
// returns what came back.
func asked(t *testing.T, f *demotest.Ferries, report, body string) (status int, text []byte) {
	t.Helper()
	report, more, _ := strings.Cut(report, "?")
	if more != "" {
		more = "&" + more
	}
	resp, err := http.Post(f.URL+"/api/v1/reports/"+report+"/runs?output=json"+more, "application/json", strings.NewReader(body))
	require.NoError(t, err)
	defer resp.Body.Close()
	text, err = io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, text
}

// summed is a summary as JSON.
type summed struct {
	Rows    [][]any
	Receipt receipt.Receipt
}

func summaryOf(t *testing.T, f *demotest.Ferries, report, body string) (s summed) {
	t.Helper()
	status, text := asked(t, f, report, body)
	require.Equal(t, http.StatusOK, status, "%s", text)
	require.NoError(t, json.Unmarshal(text, &s))
	return s
}

// The summaries of the demo tell what SELECTs by hand tell. The clock of the harbour is two or three
// hours ahead of the one that departures are stored by, so months are parted by hand here.
func TestSummariesAgainstSelects(t *testing.T) {
	f := demotest.Start(t)
	read := func(report, answers string) (lines []string) {
		all, err := csv.NewReader(strings.NewReader(string(run(t, f, report, "csv", answers)))).ReadAll()
		require.NoError(t, err)
		for _, line := range all[1:] {
			lines = append(lines, strings.Join(line, "|"))
		}
		return lines
	}
	months := `CASE WHEN departed_at < '2026-03-31 21:00:00' THEN '2026-03' WHEN departed_at < '2026-04-30 21:00:00' THEN '2026-04' ELSE '2026-05' END`
	assert.Equal(t, f.Texts(t, `SELECT `+months+` || '|' || route || '|' || count(*) || '|' || count(DISTINCT vessel) || '|' || sum(passengers) || '|' ||
			printf('%.1f', round(avg(minutes_late), 1)) || '|' || max(minutes_late)
		FROM sailings WHERE departed_at >= '2026-02-28 22:00:00' AND departed_at < '2026-05-31 21:00:00' AND minutes_late >= 25 GROUP BY `+months+`, route ORDER BY `+months+`, count(*) DESC, route`),
		read("late-by-month", `{"travel-period": "Mar 2026 to May 2026", "minutes": "25"}`))
	assert.Equal(t, f.Texts(t, `SELECT goods || '|' || count(*) || '|' || sum(kilos) || '|' || printf('%.2f', sum(round(charge * 100)) / 100.0) || '|' || printf('%.1f', 100 * sum(charge) / (SELECT sum(charge) FROM waybills WHERE manifest_day BETWEEN '20260301' AND '20260331')) || '|' || printf('%.2f', avg(charge)) || '|' || count(DISTINCT shipper)
		FROM waybills WHERE manifest_day BETWEEN '20260301' AND '20260331' GROUP BY goods ORDER BY sum(round(charge * 100)) DESC`),
		read("charges-by-goods", `{"travel-period": "Mar 2026"}`))
	weekday := `CASE strftime('%w', travel_on) WHEN '1' THEN 'Monday' WHEN '2' THEN 'Tuesday' WHEN '3' THEN 'Wednesday' WHEN '4' THEN 'Thursday' WHEN '5' THEN 'Friday' WHEN '6' THEN 'Saturday' ELSE 'Sunday' END`
	bookings := f.Texts(t, `SELECT channel || '|' || `+weekday+` || '|' || count(*) || '|' || printf('%.1f', 100.0 * count(*) / (SELECT count(*) FROM bookings WHERE travel_on BETWEEN '2026-07-01' AND '2026-09-30')) || '|' || sum(party) || '|' ||
			printf('%.2f', sum(round(fare * 100)) / 100.0) || '|' || printf('%.2f', sum(fare) / sum(party))
		FROM bookings WHERE travel_on BETWEEN '2026-07-01' AND '2026-09-30' GROUP BY channel, strftime('%w', travel_on) ORDER BY channel, (strftime('%w', travel_on) + 6) % 7`)
	require.NotEmpty(t, bookings)
	assert.Equal(t, bookings, read("bookings-by-weekday", `{"travel-quarter": "2026-Q3"}`))
	quarter := `CASE WHEN delivered_at < unixepoch('2026-06-30 21:00:00') THEN '2026-Q2' ELSE '2026-Q3' END`
	assert.Equal(t, f.Texts(t, `SELECT `+quarter+` || '|' || harbour || '|' || count(*) || '|' || sum(litres) FROM fuel_deliveries
		WHERE delivered_at >= unixepoch('2026-03-31 21:00:00') AND delivered_at < unixepoch('2026-09-30 21:00:00') GROUP BY `+quarter+`, harbour ORDER BY 1`),
		beginnings(read("fuel-by-harbour", `{"delivery-period": "Q2 2026 to Q3 2026"}`), 4))
	days := read("passengers-by-day", `{"travel-period": "25 Oct 2026 to 26 Oct 2026"}`) // clocks go back on the first of them
	assert.Equal(t, f.Texts(t, `SELECT '2026-10-25|' || count(*) || '|' || sum(passengers) || '|' || sum(vehicles) FROM sailings WHERE departed_at >= '2026-10-24 21:00:00' AND departed_at < '2026-10-25 22:00:00'`), days[:1])
	assert.Len(t, days, 2)
	assert.Empty(t, read("passengers-by-day", `{"travel-period": "25 Oct 2026", "at-least-passengers": "1000000"}`))
	// Days without a sailing are shown where nothing is asked of their passengers.
	assert.Equal(t, []string{"2023-01-01|0|0|0", "2023-01-02|0|0|0"}, read("passengers-by-day", `{"travel-period": "1 Jan 2023 to 2 Jan 2023"}`))
}

// beginnings are the first fields of lines.
func beginnings(lines []string, fields int) (all []string) {
	for _, line := range lines {
		all = append(all, strings.Join(strings.Split(line, "|")[:fields], "|"))
	}
	return all
}

// A summary has the evidence of its records, pages of its rows, and a receipt that can be run again.
func TestASummaryHasItsEvidence(t *testing.T) {
	f := demotest.Start(t)
	whole := summaryOf(t, f, "late-by-month", `{"evidence": true, "answers": {"travel-period": "Q3 2026"}}`)
	r := whole.Receipt
	assert.Equal(t, "Sailings departed from Wed 1 Jul 2026 through Wed 30 Sep 2026 (92 days, Harbour time), and minutes late at least 15 min; late sailings (the number of records), vessels (the number of different values of vessel), "+
		"the sum of passengers, minutes late on average (the average of minutes late) and most minutes late (the greatest minutes late) for each month of departed and route; sorted by departed, oldest first, then late sailings, greatest first.", r.ReadBack)
	require.NotNil(t, r.Groups)
	assert.EqualValues(t, len(whole.Rows), *r.Groups)
	require.NotNil(t, r.Evidence)
	assert.Empty(t, r.Evidence.NotComputed)
	assert.EqualValues(t, *r.Records, r.Evidence.ConditionCounts[1].Left, "the records that it is of")
	total := 0.0
	for _, row := range whole.Rows {
		total += row[2].(float64)
	}
	assert.EqualValues(t, *r.Records, total)
	assert.Len(t, r.Evidence.Fingerprint, 64)

	totals := f.Texts(t, `SELECT count(*) || ' ' || sum(passengers) || ' ' || max(minutes_late) FROM sailings WHERE departed_at >= '2026-06-30 21:00:00' AND departed_at < '2026-09-30 21:00:00' AND minutes_late >= 15`)
	told := map[string]string{}
	for _, total := range r.Totals {
		told[total.Column] = total.Value
	}
	assert.Equal(t, totals[0], told["late"]+" "+told["carried"]+" "+told["worst"])
	assert.NotEmpty(t, told["typical"], "the average of all records")
	assert.Len(t, told, 4)

	// Pages of it are the same rows, and know the whole.
	var rows [][]any
	body := `{"evidence": true, "limit": 7, "answers": {"travel-period": "Q3 2026"}}`
	page := summaryOf(t, f, "late-by-month", body)
	assert.Equal(t, r.Evidence.Fingerprint, page.Receipt.Evidence.Fingerprint)
	first := page.Receipt.ID
	for rows = page.Rows; page.Receipt.Next != ""; rows = append(rows, page.Rows...) {
		page = summaryOf(t, f, "late-by-month", fmt.Sprintf(`{"of": %d, "limit": 7, "after": %q}`, first, page.Receipt.Next))
	}
	assert.Equal(t, whole.Rows, rows)

	// Figures say what they leave out.
	left := summaryOf(t, f, "passengers-by-day", `{"answers": {"travel-period": "Oct 2026"}}`).Receipt
	missing := f.Texts(t, `SELECT count(*) FROM sailings WHERE departed_at >= '2026-09-30 21:00:00' AND departed_at < '2026-10-31 22:00:00' AND passengers IS NULL`)
	require.NotEmpty(t, left.LeftOut)
	assert.Equal(t, "carried", left.LeftOut[0].Figure)
	assert.Equal(t, missing[0], fmt.Sprint(left.LeftOut[0].Missing))
	assert.Equal(t, "Passengers", left.LeftOut[0].Label)

	// Run again it is compared by its groups.
	resp, err := http.Post(fmt.Sprintf("%s/api/v1/receipts/%d/again", f.URL, r.ID), "application/json", strings.NewReader(`{}`))
	require.NoError(t, err)
	defer resp.Body.Close()
	var again struct {
		Same bool
		Key  []string
	}
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&again))
	assert.True(t, again.Same)
	assert.Equal(t, []string{"Departed", "Route"}, again.Key)
}

// Totals of records are of all of them, whatever page is shown, and part of the evidence.
func TestTotalsOfRecords(t *testing.T) {
	f := demotest.Start(t)
	want := f.Texts(t, `SELECT sum(kilos) || ' ' || printf('%.2f', sum(round(charge * 100)) / 100.0) FROM waybills WHERE manifest_day BETWEEN '20260301' AND '20260331'`)
	for _, limit := range []int{0, 3} {
		r := receiptOf(t, f, "waybills-by-day", `{"manifest-period":"Mar 2026"}`, limit)
		require.Len(t, r.Totals, 2)
		assert.Equal(t, want[0], r.Totals[0].Value+" "+r.Totals[1].Value)
		assert.Equal(t, "kg", r.Totals[0].Unit)
	}
	assert.Empty(t, summaryOf(t, f, "waybills-by-day", `{"answers": {"manifest-period":"Mar 2026"}}`).Receipt.Totals)
}

// A summary that would be too long is refused with what to do, and nothing is read for it.
func TestSummariesThatAreTooLong(t *testing.T) {
	f := demotest.Start(t)
	publishes(t, f.Service, `
{pikegate: 1, prompt: any-days, ask: Days, type: period}
---
{pikegate: 1, query: by-any-day, of: sailings, where: {departed_at: {within: {prompt: any-days}}}, group: [{departed_at: {by: day}}], summaries: {n: count}}
---
{pikegate: 1, report: by-any-day, title: T, sections: [{table: {query: by-any-day}}]}
---
{pikegate: 1, query: by-each, of: sailings, where: {departed_at: {within: {prompt: any-days}}}, group: [{departed_at: {by: day, fill: true}}, sailing_id], summaries: {n: count}}
---
{pikegate: 1, report: by-each, title: T, sections: [{table: {query: by-each}}]}
`)
	status, text := asked(t, f, "by-any-day", `{"answers": {"any-days": "1 Jan 1900 to 31 Dec 2026"}}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, string(text), `"code":"too_many_groups","place":{"prompt":"any-days"},"message":"1 Jan 1900 to 31 Dec 2026 has more than 4000 days: ask for a shorter period, or have the report grouped by a longer unit"`)
	status, text = asked(t, f, "by-each", `{"answers": {"any-days": "Mar 2026"}}`)
	assert.Equal(t, http.StatusOK, status, "%.300s", text)
	status, text = asked(t, f, "by-each", `{"answers": {"any-days": "2026"}}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, string(text), "the summary would have more than 100000 rows; ask for less, or have the report grouped by less")
}

func publishes(t *testing.T, s *service.Service, text string) {
	t.Helper()
	_, err := s.Publisher.Put(t.Context(), publish.Put{Files: []catalog.File{{Name: "f.yaml", Text: text}}})
	require.NoError(t, err)
}
