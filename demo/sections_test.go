package demo_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source"
)

// shown is a section as JSON.
type shown struct {
	receipt.Section
	Chart   *export.Chart
	Columns []export.Column
	Rows    [][]any
}

type sectioned struct {
	Sections []shown
	Receipt  receipt.Receipt
}

func sectionsOf(t *testing.T, f *demotest.Ferries, report, body string) (s sectioned) {
	t.Helper()
	status, text := asked(t, f, report, body)
	require.Equal(t, http.StatusOK, status, "%s", text)
	require.NoError(t, json.Unmarshal(text, &s))
	require.Len(t, s.Receipt.Sections, len(s.Sections))
	return s
}

// cellsOf are the rows of a section as texts.
func cellsOf(rows [][]any) (lines []string) {
	for _, row := range rows {
		cells := make([]string, len(row))
		for i, v := range row {
			if v == nil {
				v = "-"
			}
			if n, ok := v.(float64); ok {
				v = int64(n)
			}
			cells[i] = fmt.Sprint(v)
		}
		lines = append(lines, strings.Join(cells, "|"))
	}
	return lines
}

// Harbour days lie two or three hours before the time that departures are stored by: the month, the one
// before, and the same month a year earlier, one of each with a clock change.
const (
	marchOf    = `departed_at >= '2026-02-28 22:00:00' AND departed_at < '2026-03-31 21:00:00'`
	februaryOf = `departed_at >= '2026-01-31 22:00:00' AND departed_at < '2026-02-28 22:00:00'`
	earlierOf  = `departed_at >= '2025-02-28 22:00:00' AND departed_at < '2025-03-31 21:00:00'`
)

// The sections of a report tell what SELECTs by hand tell, and each its fingerprint.
func TestSectionsAgainstSelects(t *testing.T) {
	f := demotest.Start(t)
	s := sectionsOf(t, f, "sailings-in-figures", `{"evidence": true, "limit": 50, "answers": {"travel-period": "Mar 2026"}}`)
	require.Len(t, s.Sections, 4)
	one := func(query string) string { return f.Texts(t, query)[0] }
	number := func(text json.RawMessage) string { return strings.Trim(string(text), `"`) }
	figure := s.Sections[0]
	now, then := one(`SELECT count(*) FROM sailings WHERE `+marchOf), one(`SELECT count(*) FROM sailings WHERE `+februaryOf)
	assert.Equal(t, now, number(figure.Value))
	require.Len(t, figure.Compare, 2)
	assert.Equal(t, then, number(figure.Compare[0].Value))
	assert.Equal(t, "2026-02-01", figure.Compare[0].First.String())
	assert.Equal(t, "2026-02-28", figure.Compare[0].Last.String())
	assert.Equal(t, decimal.RequireFromString(now).Sub(decimal.RequireFromString(then)).String(), number(figure.Compare[0].Difference))
	assert.Equal(t, one(fmt.Sprintf(`SELECT printf('%%.1f', (%s - %s) * 100.0 / %s)`, now, then, then)), *figure.Compare[0].PerCent)
	assert.Equal(t, one(`SELECT count(*) FROM sailings WHERE `+earlierOf), number(figure.Compare[1].Value))
	assert.Len(t, figure.Line, 31)
	assert.Equal(t, one(`SELECT sum(passengers) FROM sailings WHERE `+marchOf), number(s.Sections[1].Value))

	day := `substr(datetime(departed_at, CASE WHEN departed_at < '2026-03-29 01:00:00' THEN '+2 hours' ELSE '+3 hours' END), 1, 10)`
	assert.ElementsMatch(t, f.Texts(t, `SELECT `+day+` || '|' || route || '|' || count(*) FROM sailings WHERE `+marchOf+` GROUP BY `+day+`, route`), cellsOf(s.Sections[2].Rows))
	assert.Equal(t, "travel-period", s.Sections[2].Chart.Prompt)

	table := s.Sections[3]
	assert.Len(t, table.Rows, 50)
	subtotals := f.Texts(t, `SELECT route || ' ' || count(*) || ' ' || sum(passengers) || ' ' || sum(vehicles) FROM sailings WHERE `+marchOf+` GROUP BY route ORDER BY route`)
	require.Len(t, table.Subtotals, len(subtotals))
	for i, want := range subtotals {
		got := table.Subtotals[i]
		assert.Equal(t, want, fmt.Sprintf("%s %d %s %s", number(got.Value), got.Records, got.Totals[0].Value, got.Totals[1].Value))
	}

	r := s.Receipt
	assert.Equal(t, 4, r.Main)
	assert.Equal(t, now, fmt.Sprint(*r.Records))
	assert.Equal(t, "Sailings departed from Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days, Harbour time); any route (routes left unanswered).", r.ReadBack)
	for _, told := range r.Sections {
		assert.Len(t, told.Fingerprint, 64, "section %d", told.Section)
		assert.Contains(t, told.SQL, "FROM \"sailings\"")
	}
	assert.Equal(t, r.Evidence.Fingerprint, r.Sections[3].Fingerprint)

	// One section alone is the same rows in the form of a table, and CSV takes the only table.
	alone := summaryOf(t, f, "sailings-in-figures?section=3", `{"evidence": true, "answers": {"travel-period": "Mar 2026"}}`)
	assert.Equal(t, s.Sections[2].Rows, alone.Rows)
	assert.Equal(t, r.Sections[2].Fingerprint, alone.Receipt.Evidence.Fingerprint)
	lines := strings.Count(string(run(t, f, "sailings-in-figures", "csv", `{"travel-period": "Mar 2026"}`)), "\r\n")
	assert.Equal(t, now, fmt.Sprint(lines-1))
	figures := string(run(t, f, "sailings-in-figures", "csv&section=1", `{"travel-period": "Mar 2026"}`))
	assert.Equal(t, "records,records_previous,records_year_before\r\n"+now+","+then+","+number(figure.Compare[1].Value)+"\r\n", figures)

	// Run again it is compared section by section.
	resp, err := http.Post(fmt.Sprintf("%s/api/v1/receipts/%d/again", f.URL, r.ID), "application/json", strings.NewReader(`{"as_of": "2026-11-20"}`))
	require.NoError(t, err)
	defer resp.Body.Close()
	var again struct {
		Same     bool
		Sections []struct{ Same, Known bool }
	}
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&again))
	assert.True(t, again.Same)
	require.Len(t, again.Sections, 4)
	for _, section := range again.Sections {
		assert.True(t, section.Same && section.Known)
	}
}

// The month in which clocks are set back: an hour of it comes twice, and its day has 25.
func TestSectionsWhereAnHourComesTwice(t *testing.T) {
	f := demotest.Start(t)
	s := sectionsOf(t, f, "sailings-in-figures", `{"answers": {"travel-period": "Oct 2026", "routes": ["Outer Loop", "Kelp Point"]}}`)
	const of = `departed_at >= '2026-09-30 21:00:00' AND departed_at < '2026-10-31 22:00:00' AND route IN ('Outer Loop', 'Kelp Point')`
	day := `substr(datetime(departed_at, CASE WHEN departed_at < '2026-10-25 01:00:00' THEN '+3 hours' ELSE '+2 hours' END), 1, 10)`
	want := f.Texts(t, `SELECT `+day+` || '|' || route || '|' || count(*) FROM sailings WHERE `+of+` GROUP BY `+day+`, route`)
	got := cellsOf(s.Sections[2].Rows)
	assert.Len(t, got, 62, "days without a sailing too")
	assert.ElementsMatch(t, want, slices.DeleteFunc(got, func(row string) bool { return strings.HasSuffix(row, "|0") }))
	assert.Equal(t, f.Texts(t, `SELECT count(*) FROM sailings WHERE `+of)[0], string(s.Sections[0].Value))
	line := map[string]string{}
	for _, p := range s.Sections[0].Line {
		line[p.Of] = string(p.Value)
	}
	assert.Equal(t, f.Texts(t, `SELECT count(*) FROM sailings WHERE `+of+` AND departed_at >= '2026-10-24 21:00:00' AND departed_at < '2026-10-25 22:00:00'`)[0], line["2026-10-25"])
	assert.Equal(t, f.Texts(t, `SELECT count(*) FROM sailings WHERE departed_at >= '2025-09-30 21:00:00' AND departed_at < '2025-10-31 22:00:00' AND route IN ('Outer Loop', 'Kelp Point')`)[0], string(s.Sections[0].Compare[1].Value))
}

// Proofs hold the main section of a report, and summaries by their groups.
func TestProofsOfSections(t *testing.T) {
	f := demotest.Start(t)
	late := f.Texts(t, `SELECT count(*) FROM sailings WHERE minutes_late >= 15 AND `+marchOf)[0]
	proof := func(late string) string {
		return `{pikegate: 1, proof: march, report: late-in-figures, as_of: 2026-11-23, answers: {travel-period: Mar 2026, minutes: 15}, expect: {records: 5, with: [others], without: [Nothing], totals: {late: ` + late + `}}}`
	}
	found, err := f.Service.Publisher.Check(t.Context(), []catalog.File{{Name: "f.yaml", Text: proof(late)}})
	require.NoError(t, err)
	assert.NotContains(t, found.Error(), "proof_failed")
	found, err = f.Service.Publisher.Check(t.Context(), []catalog.File{{Name: "f.yaml", Text: proof("1")}})
	require.NoError(t, err)
	assert.Contains(t, found.Error(), "late must come to 1, and comes to "+late)
}

// A comparison lays units beside each other, rows that only the other period has among them; the rest
// of a table is one row, of the other period too.
func TestComparedSectionsAgainstSelects(t *testing.T) {
	f := demotest.Start(t)
	s := sectionsOf(t, f, "passengers-by-month", `{"answers": {"months-so-far": "1 Jan 2026 to 15 Mar 2026"}}`)
	month := func(year, m string) string {
		return f.Texts(t, `SELECT sum(passengers) FROM sailings WHERE substr(datetime(departed_at, '+2 hours'), 1, 7) = '`+year+`-`+m+`' AND substr(datetime(departed_at, '+2 hours'), 1, 10) <= '`+year+`-03-15'`)[0]
	}
	var want []string
	for _, m := range []string{"01", "02", "03"} {
		want = append(want, "2026-"+m+"|"+month("2026", m)+"|"+month("2025", m))
	}
	assert.Equal(t, want, cellsOf(s.Sections[1].Rows))

	s = sectionsOf(t, f, "late-in-figures", `{"answers": {"travel-period": "Mar 2026"}}`)
	reasons := s.Sections[5]
	require.Len(t, reasons.Rows, 5)
	assert.Equal(t, "others", reasons.Rows[4][0])
	for column, of := range map[int]string{1: marchOf, 3: februaryOf} {
		sum := 0.0
		for _, row := range reasons.Rows {
			sum += row[column].(float64)
		}
		assert.Equal(t, f.Texts(t, `SELECT count(*) FROM sailings WHERE minutes_late >= 15 AND `+of)[0], fmt.Sprint(sum))
	}
	chart := s.Sections[3]
	series := map[any]bool{}
	for _, row := range chart.Rows {
		series[row[1]] = true
	}
	assert.Len(t, series, 6)
	assert.True(t, series["others"])

	s = sectionsOf(t, f, "charges-in-shares", `{"answers": {"months-so-far": "Mar 2026"}}`)
	all := decimal.Decimal{}
	for _, row := range s.Sections[3].Rows {
		all = all.Add(decimal.RequireFromString(row[2].(string)))
	}
	assert.True(t, all.Sub(decimal.NewFromInt(100)).Abs().LessThan(decimal.RequireFromString("0.4")), "shares, those of the others too, come to the whole: %s", all)
}

// Where nothing came before, or nothing matches, that is said and no number made up.
func TestSectionsWithoutAnything(t *testing.T) {
	f := demotest.Start(t)
	publishes(t, f.Service, `
{pikegate: 1, prompt: any-time, ask: Days, type: period, open: either}
---
{pikegate: 1, query: at-any-time, of: sailings, where: {departed_at: {within: {prompt: any-time}}}, summaries: {n: count, typical: {average: minutes_late, label: Late}, each: {per: [carried, n], label: Each}, carried: {sum: passengers}}}
---
{pikegate: 1, report: at-any-time, title: T, sections: [
  {figure: {query: at-any-time, summary: n, compare: [previous, year-before]}},
  {figure: {query: at-any-time, summary: typical, compare: previous}},
  {figure: {query: at-any-time, summary: each}}]}
`)
	s := sectionsOf(t, f, "at-any-time", `{"answers": {"any-time": {"start": "1 Mar 2026", "end": ""}}}`)
	require.Len(t, s.Sections[0].Compare, 2)
	for _, other := range s.Sections[0].Compare {
		assert.Nil(t, other.First)
		assert.Contains(t, other.Spelled, "There is nothing to compare with")
		assert.Nil(t, other.Value)
	}
	s = sectionsOf(t, f, "at-any-time", `{"answers": {}}`)
	assert.Contains(t, s.Sections[0].Compare[0].Spelled, "no period is asked for")
	s = sectionsOf(t, f, "at-any-time", `{"evidence": true, "answers": {"any-time": "Mar 2019"}}`)
	assert.Equal(t, "0", string(s.Sections[0].Value))
	assert.Nil(t, s.Sections[0].Compare[0].PerCent, "no per cent of nothing")
	assert.Equal(t, "null", string(s.Sections[1].Value), "there is no average of no records")
	assert.Equal(t, "null", string(s.Sections[2].Value), "nor a ratio")
	assert.Equal(t, []string{"There are no records."}, s.Sections[1].Notes)
	assert.Equal(t, receipt.NoRows, s.Receipt.State)
	s = sectionsOf(t, f, "at-any-time", `{"answers": {"any-time": "2028"}}`)
	require.NotEmpty(t, s.Sections[0].Notes)
	assert.Contains(t, s.Sections[0].Notes[1], "The data end on Fri 22 Jan 2027, before the period does.")
}

// A section that fails says so in its place, and the others stand; where all fail the run does.
func TestSectionsThatFail(t *testing.T) {
	f := demotest.Start(t)
	publishes(t, f.Service, `
{pikegate: 1, prompt: long-days, ask: Days, type: period, default: 1 Jan 1900 to 31 Dec 2026}
---
{pikegate: 1, query: by-long-days, of: sailings, where: {departed_at: {within: {prompt: long-days}}}, group: [{departed_at: {by: day}}], summaries: {n: count}}
---
{pikegate: 1, query: long-sailings, of: sailings, where: {departed_at: {within: {prompt: long-days}}}, show: [departed_at, route], sort: [departed_at]}
---
{pikegate: 1, report: partly, title: T, sections: [
  {chart: {query: by-long-days, kind: column, across: departed_at, up: n}},
  {figure: {query: long-sailings, summary: count}},
  {table: {query: long-sailings}}]}
---
{pikegate: 1, report: not-at-all, title: T, sections: [
  {chart: {query: by-long-days, kind: column, across: departed_at, up: n}},
  {chart: {query: by-long-days, kind: line, across: departed_at, up: n}}]}
`)
	for _, format := range []string{"json", "events"} {
		text := whole(t, f, "partly", format, `{}`)
		assert.Contains(t, string(text), `"code":"too_many_groups"`)
		assert.Contains(t, string(text), `has more than 4000 days`)
	}
	s := sectionsOf(t, f, "partly", `{"limit": 3, "evidence": true}`)
	assert.Equal(t, fault.TooManyGroups, s.Sections[0].Code)
	assert.Empty(t, s.Sections[0].Rows)
	records := f.Texts(t, `SELECT count(*) FROM sailings WHERE departed_at < '2026-12-31 22:00:00'`)[0]
	assert.Equal(t, records, string(s.Sections[1].Value))
	assert.Len(t, s.Sections[2].Rows, 3)
	assert.Equal(t, records, fmt.Sprint(*s.Receipt.Records))
	assert.Empty(t, s.Receipt.Evidence.NotComputed)
	require.Len(t, s.Receipt.Notes, 1)
	assert.Contains(t, s.Receipt.Notes[0], "Section 1 (N by day) is not there, or not whole: ")
	assert.Equal(t, receipt.Rows, s.Receipt.State)

	// So does one whose table is gone.
	_, err := f.Records.Exec(`CREATE TABLE passing (id INTEGER PRIMARY KEY, on_day TEXT)`)
	require.NoError(t, err)
	publishes(t, f.Service, `
{pikegate: 1, dataset: passing, source: harbour, table: passing, key: [id], columns: {id: {type: integer}, on_day: {type: text}}}
---
{pikegate: 1, query: passing, of: passing, show: [id], sort: [id]}
---
{pikegate: 1, report: passing, title: T, sections: [{table: {query: long-sailings}}, {figure: {query: passing, summary: count}}, {figure: {query: long-sailings, summary: count}}]}
`)
	s = sectionsOf(t, f, "passing", `{"limit": 1}`)
	assert.Equal(t, "0", string(s.Sections[1].Value))
	_, err = f.Records.Exec(`DROP TABLE passing`)
	require.NoError(t, err)
	s = sectionsOf(t, f, "passing", `{"limit": 1}`)
	assert.NotEmpty(t, s.Sections[1].Problem)
	assert.Equal(t, records, string(s.Sections[2].Value))

	status, text := asked(t, f, "not-at-all", `{}`)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "%s", text)
	assert.Contains(t, string(text), "too_many_groups")

	for body, want := range map[string]string{
		`sailings-in-figures?section=9`: "unknown_section",
		`late-in-figures?section=0`:     "invalid_request",
	} {
		_, text := asked(t, f, body, `{}`)
		assert.Contains(t, string(text), `"code":"`+want+`"`, body)
	}
	resp, err := http.Post(f.URL+"/api/v1/reports/not-at-all/runs?output=csv", "application/json", strings.NewReader(`{}`))
	require.NoError(t, err)
	defer resp.Body.Close()
	var problem struct{ Errors []fault.Fault }
	require.NoError(t, json.NewDecoder(resp.Body).Decode(&problem))
	assert.Equal(t, "this format has room for one section, and the report has 0 tables (1 chart, 2 chart); choose one by its number", problem.Errors[0].Message)
}

// A section that takes too long is cut by time in its place.
func TestASectionCutByTime(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, source.EmbeddedFile), nil, 0o600))
	s := demotest.Limited(t, dir, 300*time.Millisecond)
	publishes(t, s, `
{pikegate: 1, source: own, zone: UTC}
---
{pikegate: 1, dataset: slow, source: own, key: [n], columns: {n: {type: integer}}, sql: "WITH RECURSIVE a(n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM a WHERE n < 100000000) SELECT n FROM a"}
---
{pikegate: 1, dataset: quick, source: own, key: [n], columns: {n: {type: integer}}, sql: "SELECT 7 AS n"}
---
{pikegate: 1, query: slowly, of: slow, summaries: {most: {greatest: n}}}
---
{pikegate: 1, query: quickly, of: quick, summaries: {most: {greatest: n}}}
---
{pikegate: 1, report: both, title: T, sections: [{figure: {query: slowly, summary: most}}, {figure: {query: quickly, summary: most}}]}
`)
	r, err := s.Runs.Prepare(t.Context(), "both", answerOf())
	require.NoError(t, err)
	var out bytes.Buffer
	_, err = r.Stream(t.Context(), export.NewSections(export.JSON, r.Sending(&out, func() {}, nil), r.Zone))
	require.NoError(t, err)
	var told sectioned
	require.NoError(t, json.Unmarshal(out.Bytes(), &told))
	assert.Equal(t, fault.CutByTime, told.Sections[0].Code)
	assert.Equal(t, "7", string(told.Sections[1].Value))
}

// What a reader changes of a table is no change of which records there are.
func TestAReadersView(t *testing.T) {
	f := demotest.Start(t)
	const sent = `"evidence": true, "limit": 5, "answers": {"travel-period": "Mar 2026"}`
	published := sectionsOf(t, f, "sailings-in-figures", `{`+sent+`}`)
	view := sectionsOf(t, f, "sailings-in-figures", `{`+sent+`, "view": {"columns": ["vessel", "passengers", "arrived_at"], "sort": ["passengers descending"]}}`)
	table := view.Sections[3]
	assert.Equal(t, "Sorted by passengers, greatest first.", table.Says)
	assert.Equal(t, f.Texts(t, `SELECT passengers FROM sailings WHERE `+marchOf+` ORDER BY passengers DESC LIMIT 5`), columnOf(table.Rows, 1))
	assert.Equal(t, []string{"vessel", "passengers", "arrived_at"}, namesOf(table.Columns))
	assert.Len(t, table.Totals, 1, "of the columns that are there")
	assert.Empty(t, table.Subtotals, "whose rows do not lie together")
	r := view.Receipt
	assert.Equal(t, published.Receipt.ReadBack, r.ReadBack)
	assert.Equal(t, *published.Receipt.Records, *r.Records)
	assert.Equal(t, published.Receipt.Evidence.Fingerprint, r.Evidence.Fingerprint)
	assert.Equal(t, []string{"passengers descending"}, r.View.Sort)
	next := summaryOf(t, f, "sailings-in-figures", fmt.Sprintf(`{"of": %d, "limit": 5, "after": %q}`, view.Receipt.ID, view.Receipt.Next))
	assert.Equal(t, f.Texts(t, `SELECT passengers FROM sailings WHERE `+marchOf+` ORDER BY passengers DESC LIMIT 5 OFFSET 5`), columnOf(next.Rows, 1), "further pages are of the same view")

	grouped := sectionsOf(t, f, "sailings-in-figures", `{`+sent+`, "view": {"group": "route", "sort": ["passengers descending"]}}`)
	assert.Equal(t, f.Texts(t, `SELECT route || '|' || count(*) || '|' || sum(passengers) || '|' || sum(vehicles) FROM sailings WHERE `+marchOf+` GROUP BY route ORDER BY sum(passengers) DESC LIMIT 5`), cellsOf(grouped.Sections[3].Rows))
	assert.Equal(t, published.Receipt.Evidence.Fingerprint, grouped.Receipt.Evidence.Fingerprint)

	for view, want := range map[string]string{
		`{"columns": ["status"]}`:             `"code":"unknown_column","place":{},"message":"the table offers no column \"status\""`,
		`{"sort": ["vesel"]}`:                 `"suggestions":["vessel"]`,
		`{"by": "week"}`:                      `no group is named`,
		`{"group": "departed_at"}`:            `dates are grouped by one of day, week`,
		`{"group": "route", "by": "month"}`:   `only dates are grouped by month`,
		`{"group": "vessel", "by": "nights"}`: `"code":"invalid_request"`,
	} {
		_, text := asked(t, f, "sailings-in-figures", `{"view": `+view+`}`)
		assert.Contains(t, string(text), want, view)
	}
	_, text := asked(t, f, "late-sailings", `{"view": {"sort": ["route"]}}`)
	assert.Contains(t, string(text), `"code":"view_not_allowed"`)
}

func columnOf(rows [][]any, at int) (texts []string) {
	for _, row := range rows {
		texts = append(texts, cellsOf([][]any{{row[at]}})...)
	}
	return texts
}

func namesOf(columns []export.Column) (names []string) {
	for _, c := range columns {
		names = append(names, c.Name)
	}
	return names
}

// Each section is sent when it is whole: its head, its rows, and what is told of it.
func TestSectionsAsEvents(t *testing.T) {
	f := demotest.Start(t)
	var events []string
	lines := bufio.NewScanner(bytes.NewReader(whole(t, f, "sailings-in-figures", "events", `{"travel-period": "1 Mar 2026"}`)))
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		var e struct{ Event string }
		require.NoError(t, json.Unmarshal(lines.Bytes(), &e))
		if len(events) == 0 || events[len(events)-1] != e.Event {
			events = append(events, e.Event)
		}
	}
	assert.Equal(t, strings.Fields(strings.Repeat("section row section_end ", 4)+"receipt"), events)
}

// What misleads about a section is found when it is put.
func TestFindingsAboutSections(t *testing.T) {
	f := demotest.Start(t)
	found, err := f.Service.Publisher.Check(t.Context(), []catalog.File{{Name: "f.yaml", Text: `
{pikegate: 1, query: q, of: fuel-deliveries, where: {delivered_at: {within: {prompt: delivery-period}}}, summaries: {n: count, each: {per: [litres, n]}, litres: {sum: litres}}}
---
{pikegate: 1, report: r, title: R, prompts: [delivery-period], sections: [{figure: {query: q, summary: each}}]}
`}})
	require.NoError(t, err)
	assert.NotContains(t, found.Error(), "figure_without_unit", "litres are its unit")
	found, err = f.Service.Publisher.Check(t.Context(), []catalog.File{{Name: "f.yaml", Text: `
{pikegate: 1, query: q, of: sailings, group: [{departed_at: {by: year}}, vessel], summaries: {n: count, reasons: {count_distinct: reason}}}
---
{pikegate: 1, query: many, of: bookings, group: [{travel_on: {by: year}}, booking_id], summaries: {n: count}}
---
{pikegate: 1, report: r, title: R, sections: [{chart: {query: many, kind: column, across: travel_on, up: n, split: booking_id}}]}
`}})
	require.NoError(t, err)
	assert.Regexp(t, `\d+ of 1000 records that were looked at have no "reason": figures of it leave out most of what they seem to be of \[mostly_missing\]`, found.Error())
	assert.Contains(t, found.Error(), `the chart is split by "booking_id", which has more than 12 values; it draws those of which there is most, and puts the rest together as others [many_series]`)
	_, err = f.Service.Publisher.Put(t.Context(), publish.Put{Files: []catalog.File{{Name: "f.yaml", Text: `
{pikegate: 1, query: q, of: sailings, group: [route], summaries: {n: count}}
---
{pikegate: 1, report: r, title: R, sections: [{chart: {query: q, kind: line, across: route, up: n}}]}
`}}})
	assert.ErrorContains(t, err, "between values there is nothing that a line could show")
}

func answerOf() answer.Request { return answer.Request{} }
