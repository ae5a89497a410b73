package demo_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/service/receipt"
)

// receiptOf runs a report with evidence, a page of it or all, and returns the receipt.
func receiptOf(t *testing.T, f *demotest.Ferries, report, answers string, limit int) *receipt.Receipt {
	t.Helper()
	page := ""
	if limit > 0 {
		page = `,"limit":` + strconv.Itoa(limit)
	}
	resp, err := http.Post(f.URL+"/api/v1/reports/"+report+"/runs?output=json", "application/json", strings.NewReader(`{"evidence":true`+page+`,"answers":`+answers+`}`))
	require.NoError(t, err)
	defer resp.Body.Close()
	var result struct{ Receipt *receipt.Receipt }
	text, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &result), "%s", text)
	require.NotNil(t, result.Receipt, "%s", text)
	return result.Receipt
}

var helsinki = func() *time.Location {
	zone, err := time.LoadLocation("Europe/Helsinki")
	if err != nil {
		panic(err)
	}
	return zone
}()

func at(text string) time.Time {
	for _, layout := range []string{"2006-01-02 15:04", "2006-01-02"} {
		if moment, err := time.ParseInLocation(layout, text, helsinki); err == nil {
			return moment
		}
	}
	panic(text)
}

func layout(layout string, zone *time.Location) func(string) (time.Time, bool) {
	return func(stored string) (time.Time, bool) {
		moment, err := time.ParseInLocation(layout, stored, zone)
		return moment.In(helsinki), err == nil && (zone == time.UTC || moment.Format(layout) == stored)
	}
}

func epoch(stored string) (time.Time, bool) {
	seconds, err := strconv.ParseInt(stored, 10, 64)
	return time.Unix(seconds, 0).In(helsinki), err == nil
}

var (
	utc    = layout("2006-01-02 15:04:05", time.UTC)
	day    = layout("2006-01-02", helsinki)
	digits = layout("20060102", helsinki)
	month  = layout("1/2/2006", helsinki)
)

// scans are the reports of the demo, each with where its days lie and what they must
// be, as one would look for them by hand: all records of the table are read, and
// their days taken apart by the standard library.
var scans = []struct {
	report, answers     string
	table, column, rest string
	read                func(stored string) (time.Time, bool)
	from, until         string // the second excluded; "" for open
}{
	{"late-sailings", "{}", "sailings", "departed_at", "minutes_late >= 15", utc, "2026-10-01", "2026-11-01"},
	{"late-sailings", `{"travel-period":"25 Oct 2026","minutes":0}`, "sailings", "departed_at", "minutes_late >= 0", utc, "2026-10-25", "2026-10-26"},
	{"late-sailings-before", "{}", "sailings", "departed_at", "minutes_late >= 15", utc, "2026-09-01", "2026-10-01"},
	{"departures-by-the-clock", "{}", "sailings", "departed_at", "1 = 1", utc, "2026-11-22 18:00", "2026-11-23 06:01"},
	{"departures-since", "{}", "sailings", "departed_at", "status = 'sailed'", utc, "2026-11-22 12:01", ""},
	{"bookings-of-a-quarter", "{}", "bookings", "travel_on", "1 = 1", day, "2026-07-01", "2026-10-01"},
	{"bookings-of-a-quarter", `{"travel-quarter":"2026-Q2","travel-routes":["Skerry Run"],"channels":["web"]}`, "bookings", "travel_on", "route = 'Skerry Run' AND channel = 'web'", day, "2026-04-01", "2026-07-01"},
	{"waybills-by-day", "{}", "waybills", "manifest_day", "1 = 1", digits, "2026-11-16", "2026-11-23"},
	{"freight-of-a-shipper", `{"manifest-period":"2025","shipper":"Quai Élise"}`, "waybills", "manifest_day", "shipper = 'Quai Élise' AND charge IS NOT NULL", digits, "2025-01-01", "2026-01-01"},
	{"fuel-on-a-day", "{}", "fuel_deliveries", "delivered_at", "1 = 1", epoch, "2026-11-22", "2026-11-23"},
	{"inspections-by-month", "{}", "inspections", "inspected_on", "1 = 1", day, "2026-08-01", "2026-11-01"},
	{"certificates-that-expire", "{}", "certificates", "valid_until", "1 = 1", day, "2026-11-23", "2027-02-22"},
	{"certificates-of-a-year", "{}", "certificates", "valid_until", "1 = 1", day, "2026-01-01", "2027-01-01"},
	{"late-by-month", "{}", "sailings", "departed_at", "minutes_late >= 15", utc, "2026-10-01", "2026-11-01"},
	{"passengers-by-day", `{"travel-period":"Q3 2026","at-least-passengers":4000}`, "sailings", "departed_at", "1 = 1", utc, "2026-07-01", "2026-10-01"},
	{"charges-by-goods", `{"travel-period":"Mar 2026"}`, "waybills", "manifest_day", "1 = 1", digits, "2026-03-01", "2026-04-01"},
	{"bookings-by-weekday", "{}", "bookings", "travel_on", "1 = 1", day, "2026-07-01", "2026-10-01"},
	{"fuel-by-harbour", `{"delivery-period":"Oct 2026"}`, "fuel_deliveries", "delivered_at", "1 = 1", epoch, "2026-10-01", "2026-11-01"},
	{"claims-of-a-month", "{}", "claims", "opened_on", "1 = 1", month, "2026-10-01", "2026-11-01"},
	{"claims-of-a-month", `{"claim-month":"Feb 2025"}`, "claims", "opened_on", "1 = 1", month, "2025-02-01", "2025-03-01"},
	{"open-claims", "{}", "claims", "opened_on", "closed_on IS NULL", month, "", "2026-08-25"},
	{"large-claims", "{}", "claims", "opened_on", "amount >= 2000", month, "2026-01-01", ""},
	{"sailings-in-figures", "{}", "sailings", "departed_at", "1 = 1", utc, "2026-10-01", "2026-11-01"},
	{"late-in-figures", "{}", "sailings", "departed_at", "minutes_late >= 15", utc, "2026-10-01", "2026-11-01"},
	{"passengers-by-month", "{}", "sailings", "departed_at", "1 = 1", utc, "2026-01-01", "2026-11-24"},
	{"charges-in-shares", "{}", "waybills", "manifest_day", "1 = 1", digits, "2026-01-01", "2026-11-24"},
	{"open-claims-by-age", "{}", "claims", "opened_on", "closed_on IS NULL", month, "", "2026-08-25"},
	{"late-sailings", `{"travel-period":"Jan 2020"}`, "sailings", "departed_at", "minutes_late >= 15", utc, "2020-01-01", "2020-02-01"},
}

// The evidence of each report of the demo equals what a plain look at all records of
// its table finds, and adds up.
func TestTheEvidenceIsTrue(t *testing.T) {
	f := demotest.Start(t)
	for _, s := range scans {
		t.Run(s.report+" "+s.answers, func(t *testing.T) {
			r := receiptOf(t, f, s.report, s.answers, 2)
			e := r.Evidence
			require.Empty(t, e.NotComputed)
			assert.False(t, e.DataChanged)
			want := receipt.Reconciliation{Column: e.Period.Column, Says: e.Period.Says}
			var all, result int64
			var first, last, earlier, later, newest time.Time
			onDay := map[string]int64{}
			rows, err := f.Records.Query(fmt.Sprintf(`SELECT CAST(%s AS TEXT), coalesce(%s, 0) FROM %s`, s.column, s.rest, s.table))
			require.NoError(t, err)
			defer rows.Close()
			for rows.Next() {
				var stored *string
				var rest bool
				require.NoError(t, rows.Scan(&stored, &rest))
				if all++; stored == nil {
					want.Missing++
					continue
				}
				moment, ok := s.read(*stored)
				if !ok {
					want.Unreadable++
					continue
				}
				if moment.After(newest) {
					newest = moment
				}
				switch {
				case s.from != "" && moment.Before(at(s.from)):
					if want.Before++; rest && moment.After(earlier) {
						earlier = moment
					}
				case s.until != "" && !moment.Before(at(s.until)):
					if want.After++; rest && (later.IsZero() || moment.Before(later)) {
						later = moment
					}
				default:
					if want.Inside++; !rest {
						continue
					}
					result++
					onDay[moment.Format(time.DateOnly)]++
					if first.IsZero() || moment.Before(first) {
						first = moment
					}
					if moment.After(last) {
						last = moment
					}
				}
			}
			require.NoError(t, rows.Err())
			assert.Equal(t, want, *e.Period)
			assert.Equal(t, all, *e.All)
			assert.Equal(t, all, want.Before+want.Inside+want.After+want.Missing+want.Unreadable)
			assert.Equal(t, result, *r.Records)
			assert.Equal(t, want.Inside, e.ConditionCounts[0].Left)
			assert.Equal(t, result, e.ConditionCounts[len(e.ConditionCounts)-1].Left)
			left := all
			for _, step := range e.ConditionCounts {
				assert.Equal(t, left-step.Left, *step.TookAway)
				left = step.Left
			}
			assert.Equal(t, newest.Format(time.DateOnly), e.CompleteUpTo.Day.String())
			near := func(want time.Time, got *receipt.Dated) {
				if want.IsZero() {
					assert.Nil(t, got)
				} else if assert.NotNil(t, got) {
					assert.Equal(t, want.Format(time.DateOnly), got.Day.String())
					if strings.Contains(got.Spelled, ":") {
						assert.Contains(t, got.Spelled, want.Format("15:04"))
					}
				}
			}
			near(earlier, e.Ends.NearestBefore)
			near(later, e.Ends.NearestAfter)
			if result == 0 {
				assert.Equal(t, receipt.NoRows, r.State)
				require.NotNil(t, e.Empty)
				assert.Equal(t, 1, e.Empty.Step)
				assert.Positive(t, e.Empty.Nearest.Records)
				return
			}
			near(first, &e.Ends.First.Dated)
			near(last, &e.Ends.Last.Dated)
			assert.Equal(t, onDay[first.Format(time.DateOnly)], e.Ends.First.Records)
			assert.Equal(t, onDay[last.Format(time.DateOnly)], e.Ends.Last.Records)
		})
	}
	looked := map[string]bool{"inspections-due-in-january": true} // which has no period
	for _, s := range scans {
		looked[s.report] = true
	}
	assert.Len(t, looked, len(f.Service.Base.Reports(t.Context(), "")), "no report of the demo is left out")
}

// Of a report without a period the condition counts and the ends are told; nothing is reconciled.
func TestEvidenceWithoutAPeriod(t *testing.T) {
	f := demotest.Start(t)
	e := receiptOf(t, f, "inspections-due-in-january", "{}", 10).Evidence
	require.Empty(t, e.NotComputed)
	assert.Nil(t, e.Period)
	want := f.Texts(t, "SELECT due_on FROM inspections WHERE due_on LIKE '%-01-%' ORDER BY due_on")
	assert.EqualValues(t, len(want), e.ConditionCounts[0].Left)
	assert.Equal(t, want[0], e.Ends.First.Day.String())
	assert.Equal(t, want[len(want)-1], e.Ends.Last.Day.String())
}

// evidenceOf is the evidence of the demo's reports, of all their records.
func evidenceOf(t *testing.T, f *demotest.Ferries) map[question]string {
	t.Helper()
	evidence := map[question]string{}
	add := func(report, answers string) {
		evidence[question{report: report, answers: answers}] = evidenceText(t, f, report, answers, 0)
	}
	add("full-sailings", `{"travel-period":"Oct 2026"}`)
	add("fares-by-day", `{"travel-period":"Oct 2026","minutes":"3"}`)
	add("inspections-due-in-january", "{}")
	add("late-by-month", `{"travel-period":"Q3 2026"}`)
	add("passengers-by-day", `{"travel-period":"Oct 2026","at-least-passengers":"4000"}`)
	add("charges-by-goods", `{"travel-period":"2026-03"}`)
	for _, s := range scans {
		add(s.report, s.answers)
	}
	for report, all := range more {
		for _, answers := range all {
			add(report, answers)
		}
	}
	return evidence
}

// sameEvidence holds a service to evidence, fingerprint included, whether all is asked for or, of reports
// without answers, a page.
func sameEvidence(t *testing.T, want map[question]string, theirs *demotest.Ferries) {
	for of, want := range want {
		assert.Equal(t, want, evidenceText(t, theirs, of.report, of.answers, 0), "%v", of)
		if of.answers == "{}" {
			assert.Equal(t, want, evidenceText(t, theirs, of.report, of.answers, 1), "%v, a page of one row", of)
		}
	}
}

// evidenceText is the evidence of a run, without what differs by how it was read.
func evidenceText(t *testing.T, f *demotest.Ferries, report, answers string, limit int) string {
	t.Helper()
	e := receiptOf(t, f, report, answers, limit).Evidence
	require.NotNil(t, e, report)
	require.Empty(t, e.NotComputed, report)
	require.Len(t, e.Fingerprint, 64)
	e.Statements, e.Read = 0, nil // which differ: the rows are read again for the fingerprint of a page
	text, err := json.Marshal(e)
	require.NoError(t, err)
	return string(text)
}
