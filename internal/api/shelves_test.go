package api_test

import (
	"database/sql"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/api"
	"pikegate/internal/service/base"
)

// Definitions of two shelves on one dataset: those of Quay, and those of Bridge.
const quayShelf = `{pikegate: 1, source: shore, zone: Europe/Helsinki}
---
{pikegate: 1, dataset: calls, title: Calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}, on: {type: date, stored: text, pattern: yyyy-MM-dd}, ship: {type: text}}}
---
{pikegate: 1, prompt: days, ask: When, type: period, required: true}
---
{pikegate: 1, query: calls, of: calls, show: [on, ship], sort: [on], where: {on: {within: {prompt: days}}}}
---
{pikegate: 1, query: own-calls, of: calls, show: [on, ship], sort: [on], where: {on: {within: {prompt: days}}}}
---
{pikegate: 1, report: calls-of-the-quay, title: Calls of the quay, shelf: Quay, prompts: [days], sections: [{table: {query: calls}}]}
---
{pikegate: 1, report: own-calls, title: Own calls, shelf: Quay, prompts: [days], sections: [{table: {query: own-calls}}]}
---
{pikegate: 1, proof: quay-in-march, report: calls-of-the-quay, as_of: 2026-04-01, answers: {days: Mar 2026}, expect: {records: 1}}
---
{pikegate: 1, schedule: quay-daily, report: calls-of-the-quay, answers: {days: yesterday}, at: daily at 06:00, send: [{mail: {to: [a@example.test]}}]}
`

const bridgeShelf = `{pikegate: 1, report: calls-of-the-bridge, title: Calls of the xylophone, about: "", shelf: Bridge, prompts: [days], sections: [{table: {query: calls}}]}
---
{pikegate: 1, proof: bridge-in-march, report: calls-of-the-bridge, as_of: 2026-04-01, answers: {days: Mar 2026}, expect: {records: 1}}
---
{pikegate: 1, schedule: bridge-daily, report: calls-of-the-bridge, answers: {days: yesterday}, at: daily at 07:00, send: [{mail: {to: [a@example.test]}}]}
---
{pikegate: 1, schedule: checks-daily, check: all, at: daily at 07:00, zone: Europe/Helsinki}
`

// differing is what differs between two services for other reasons than what lies in them.
var differing = regexp.MustCompile(`"[^"]*\d{4}-\d\d-\d\dT[^"]*"|"[a-z]+_ms":[0-9.]+`)

// What lies on other shelves does not exist for a developer who is limited to some: each call answers as it
// does on a service without it.
func TestDevelopersOfAShelf(t *testing.T) {
	whole, cut := newSmallCrew(t), newSmallCrew(t)
	put := func(c *crew, text string) {
		t.Helper()
		c.as(base.Admin, "POST", "/definitions", "/definitions", fmt.Sprintf(`{"files":[{"name":"shore.yaml","text":%q}]}`, text), 200, nil)
	}
	const run = `{"answers":{"days":"Mar 2026"},"as_of":"2026-04-01","evidence":true}`
	for _, c := range []*crew{whole, cut} {
		records, err := sql.Open("sqlite3", base.RecordsPath(c.dir))
		require.NoError(t, err)
		_, err = records.Exec("CREATE TABLE calls (id INTEGER PRIMARY KEY, [on] TEXT, ship TEXT); INSERT INTO calls VALUES (1, '2026-03-05', 'Tern')")
		require.NoError(t, errors.Join(err, records.Close()))
		put(c, quayShelf)
		c.as(base.Admin, "POST", "/reports/calls-of-the-quay/runs", "/reports/{report}/runs", run, 200, nil)
	}
	put(whole, bridgeShelf)
	whole.as(base.Admin, "POST", "/reports/calls-of-the-bridge/runs", "/reports/{report}/runs", run, 200, nil)
	whole.as(base.Admin, "POST", "/reports/calls-of-the-bridge/kept", "/reports/{report}/kept", `{"name":"march","shared":true,"answers":{"days":"Mar 2026"}}`, 200, nil)
	whole.as(base.Admin, "PUT", "/drafts/report/calls-of-the-bridge", "/drafts/{kind}/{name}", `{"version":0,"text":"pikegate: 1\nreport: calls-of-the-bridge\ntitle: Other\nshelf: Bridge\n"}`, 200, nil)
	whole.as(base.Admin, "PUT", "/people/Dagny", "/people/{person}", `{"shelves":["Quay"]}`, 200, nil)

	near := `{"files":[{"name":"near.yaml","text":"pikegate: 1\nproof: p\nreport: calls-of-the-bridges\nas_of: 2026-04-01\nexpect: {records: 1}\n"}]}`
	other := `{"files":[{"name":"q.yaml","text":"{pikegate: 1, query: calls, of: calls, show: [on], sort: [on], where: {on: {within: {prompt: days}}}}"}]}`
	wrong := `{"files":[{"name":"q.yaml","text":"{pikegate: 1, query: calls, of: calls, show: [on], sort: [on]}"}]}`
	calls := [][3]string{
		{"GET", "/reports", ""}, {"GET", "/reports?search=xylophone", ""}, {"GET", "/reports?search=xylophon", ""}, {"GET", "/reports?search=bridge", ""}, {"GET", "/reports?search=cals", ""},
		{"POST", "/line", `{"text":"calls of the bridge last month"}`}, {"POST", "/line", `{"text":"xylophone last month"}`},
		{"GET", "/reports/calls-of-the-bridge", ""}, {"POST", "/reports/calls-of-the-bridge/runs", run}, {"POST", "/reports/calls-of-the-bridge/explanation", run}, {"POST", "/reports/calls-of-the-bridge/matches", run},
		{"POST", "/reports/calls-of-the-bridge/runs?drafts=true", run}, {"POST", "/reports/report:calls-of-the-bridge/runs?drafts=true", run}, {"POST", "/reports/calls-of-the-bridge/rehearsal", `{}`}, {"POST", "/reports/calls-of-the-bridge/comparison", `{}`},
		{"GET", "/definitions", ""}, {"GET", "/definitions/report/calls-of-the-bridge", ""}, {"GET", "/definitions/report/calls-of-the-bridge?revision=1", ""}, {"GET", "/definitions/report/calls-of-the-bridge/revisions", ""},
		{"GET", "/definitions/report/calls-of-the-bridge/difference", ""}, {"GET", "/definitions/report/calls-of-the-bridge/uses", ""}, {"GET", "/definitions/proof/bridge-in-march", ""}, {"GET", "/definitions/schedule/bridge-daily", ""}, {"GET", "/definitions/schedule/checks-daily", ""},
		{"GET", "/definitions/query/calls/uses", ""}, {"GET", "/definitions/dataset/calls/uses", ""}, {"GET", "/definitions/prompt/days/uses", ""},
		{"DELETE", "/definitions/report/calls-of-the-bridge", ""}, {"DELETE", "/definitions/proof/bridge-in-march", ""}, {"POST", "/definitions/report/calls-of-the-bridge/publish", `{"revision":1}`}, {"POST", "/definitions/report/calls-of-the-bridge/rename", `{"name":"x"}`},
		{"POST", "/definitions/check", near}, {"POST", "/definitions", near}, {"POST", "/definitions/check", other}, {"POST", "/definitions/check", wrong}, {"POST", "/definitions/effect", other},
		{"GET", "/drafts", ""}, {"GET", "/drafts?everybody=true", ""}, {"GET", "/drafts/report/calls-of-the-bridge", ""}, {"GET", "/drafts/query/calls", ""}, {"POST", "/drafts/report/calls-of-the-bridge/undo", `{"version":1}`}, {"POST", "/drafts/report/calls-of-the-bridge/take", `{"version":1,"take":[]}`},
		{"PUT", "/drafts/query/calls", `{"version":0,"text":"{pikegate: 1, query: calls, of: calls, show: [on], sort: [on]}"}`}, {"GET", "/drafts/query/calls", ""}, {"POST", "/drafts/check", ""}, {"POST", "/drafts/effect", `{}`}, {"DELETE", "/drafts/query/calls", ""},
		{"GET", "/receipts", ""}, {"GET", "/receipts/2", ""}, {"POST", "/receipts/2/again", `{}`}, {"GET", "/receipts?report=calls-of-the-bridge", ""}, {"GET", "/kept", ""}, {"GET", "/kept/1", ""}, {"GET", "/links", ""},
		{"GET", "/schedules", ""}, {"GET", "/schedules/bridge-daily", ""}, {"GET", "/schedules/checks-daily", ""}, {"POST", "/schedules/bridge-daily/runs", ""}, {"DELETE", "/schedules/bridge-daily", ""},
		{"GET", "/sources", ""}, {"GET", "/sources/shore/tables", ""},
	}
	answer := func(c *crew, call [3]string) string {
		t.Helper()
		route := routeOf(c, call[1])
		status, text := c.do(call[0], "/api/v1"+call[1], route, call[2], "Authorization", "Bearer "+c.tokens[base.Developer])
		return fmt.Sprint(status, " ", differing.ReplaceAllString(string(text), "…"))
	}
	for _, call := range calls {
		assert.Equal(t, answer(cut, call), answer(whole, call), "%v", call)
	}

	// What they may not change: what reports of other shelves are built of, and what would lie on these.
	var p api.Problem
	refused := func(text string, want string) {
		t.Helper()
		p = api.Problem{}
		whole.as(base.Developer, "POST", "/definitions", "/definitions", fmt.Sprintf(`{"files":[{"name":"x.yaml","text":%q}]}`, text), 403, &p)
		require.NotEmpty(t, p.Errors)
		assert.Equal(t, want, p.Errors[0].Message)
	}
	refused(`{pikegate: 1, query: calls, of: calls, show: [on], sort: [on], where: {on: {within: {prompt: days}}}}`, "reports of other shelves than yours are built on the query calls; whoever has those too changes it")
	refused(`{pikegate: 1, prompt: days, ask: Wen, type: period, required: true}`, "reports of other shelves than yours are built on the prompt days; whoever has those too changes it")
	refused(`{pikegate: 1, report: mine, title: Mine, shelf: Bridge, prompts: [days], sections: [{table: {query: calls}}]}`, "the report mine would lie on a shelf that is none of yours")
	refused(`{pikegate: 1, report: own-calls, title: Own, shelf: Bridge, prompts: [days], sections: [{table: {query: own-calls}}]}`, "the report own-calls would lie on a shelf that is none of yours")
	refused(`{pikegate: 1, report: calls-of-the-bridge, title: Mine, shelf: Quay, prompts: [days], sections: [{table: {query: calls}}]}`, "the name of the report calls-of-the-bridge is taken; give yours another one")
	refused(`{pikegate: 1, schedule: checks, check: all, at: daily at 07:00, zone: Europe/Helsinki}`, "the schedule checks is of a report that is not there for you")
	whole.as(base.Developer, "DELETE", "/definitions/query/calls", "/definitions/{kind}/{name}", "", 403, nil)
	whole.as(base.Developer, "POST", "/definitions/query/calls/rename", "/definitions/{kind}/{name}/rename", `{"name":"x"}`, 403, nil)
	whole.as(base.Developer, "PUT", "/drafts/report/calls-of-the-bridge", "/drafts/{kind}/{name}", `{"version":0,"text":"x"}`, 409, &p)
	status, _ := whole.do("GET", "/metrics", "/metrics", "", "Authorization", "Bearer "+whole.tokens[base.Developer])
	assert.Equal(t, 403, status)
	status, text := whole.do("POST", "/api/v1/loads/calls?mode=append", "/api/v1/loads/{table}", "id,on,ship\n9,2026-03-09,Tern\n", "Authorization", "Bearer "+whole.tokens[base.Developer])
	assert.Contains(t, string(text), "reports of other shelves than yours are built on the table calls", "%d", status)
	// And what they may.
	mine := `{pikegate: 1, query: own-calls, of: calls, show: [ship, on], sort: [on], where: {on: {within: {prompt: days}}}}
---
{pikegate: 1, report: mine, title: Mine, shelf: Quay, prompts: [days], sections: [{table: {query: calls}}]}
`
	whole.as(base.Developer, "POST", "/definitions", "/definitions", fmt.Sprintf(`{"files":[{"name":"x.yaml","text":%q}]}`, quayShelf[:strings.Index(quayShelf, "---")]+"---\n"+mine), 200, nil)
	whole.as(base.Developer, "POST", "/reports/mine/runs", "/reports/{report}/runs", run, 200, nil)

	// Nobody is seen as with more than they have themselves.
	whole.as(base.Admin, "PUT", "/people/Rolf", "/people/{person}", `{"shelves":["Bridge"]}`, 200, nil)
	status, text = whole.do("GET", "/api/v1/reports", "/api/v1/reports", "", "Authorization", "Bearer "+whole.tokens[base.Developer], api.AsHeader, "Rolf")
	assert.Equal(t, 200, status)
	assert.JSONEq(t, `{"reports":[]}`, string(text))
	whole.as(base.Admin, "PUT", "/people/Rolf", "/people/{person}", `{"shelves":[]}`, 200, nil)
	status, text = whole.do("GET", "/api/v1/reports", "/api/v1/reports", "", "Authorization", "Bearer "+whole.tokens[base.Developer], api.AsHeader, "Rolf")
	assert.Equal(t, 200, status)
	assert.NotContains(t, string(text), "bridge")
}

// routeOf is the route of the document that a path is of.
func routeOf(c *crew, path string) string {
	path, _, _ = strings.Cut("/api/v1"+path, "?")
	best := ""
	for route := range c.document["paths"].(map[string]any) {
		pattern := regexp.MustCompile("^" + regexp.MustCompile(`\\\{[^}]*\\\}`).ReplaceAllString(regexp.QuoteMeta(route), `[^/]+`) + "$")
		if pattern.MatchString(path) && (best == "" || strings.Count(route, "{") < strings.Count(best, "{")) {
			best = route
		}
	}
	require.NotEmpty(c.t, best, path)
	return best
}
