package api_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
	"pikegate/internal/service/base"
	"pikegate/internal/service/saved"
	"pikegate/internal/store"
)

// calls is a caller that decodes what comes back.
func calls(t *testing.T, c *caller) func(method, path, route, body string, want int, into any) {
	return func(method, path, route, body string, want int, into any) {
		t.Helper()
		status, text := c.do(method, "/api/v1"+path, "/api/v1"+route, body)
		require.Equal(t, want, status, "%s", text)
		if into != nil {
			require.NoError(t, json.Unmarshal(text, into))
		}
	}
}

// Answers are kept under a name: asking, so that a phrase moves, or frozen; own, or shared.
func TestKeptAnswers(t *testing.T) {
	ferries := demotest.Start(t)
	call := calls(t, newCaller(t, ferries.URL))
	keep := func(body string, want int, into any) {
		t.Helper()
		call("POST", "/reports/late-sailings/kept", "/reports/{report}/kept", body, want, into)
	}
	const kept = "/kept/{kept}"
	var asking, frozen saved.Kept
	keep(`{"name":"Outer Loop lately","answers":{"travel-period":"last month","routes":["Outer Loop"]}}`, 200, &asking)
	assert.Equal(t, []any{int64(1), "Late sailings", true, false, ""}, []any{asking.ID, asking.Title, asking.Own, asking.Shared, asking.AsOf})
	keep(`{"name":"October","answers":{"travel-period":"last month"},"frozen":true,"shared":true}`, 200, &frozen)
	assert.Equal(t, "2026-11-23", frozen.AsOf)
	keep(`{"name":"October","answers":{"travel-period":"last month"},"frozen":true,"shared":true,"as_of":"1 Nov 2026"}`, 200, &frozen)
	assert.Equal(t, []any{int64(2), "2026-11-01"}, []any{frozen.ID, frozen.AsOf}, "the same name again replaces them")
	var p api.Problem
	keep(`{"name":"wrong","answers":{"travel-period":"lst month"}}`, 422, &p)
	assert.Equal(t, "travel-period", p.Errors[0].Place.Prompt)
	keep(`{"name":"wrong","view":{"sort":["none"]}}`, 422, &p)
	call("POST", "/reports/sailings-in-figures/kept", "/reports/{report}/kept", `{"name":"By passengers","view":{"sort":["passengers descending"]}}`, 200, nil)
	keep(`{"name":"wrong","as_of":"1 Nov 2026"}`, 422, &p)
	keep(`{"name":" "}`, 422, &p)
	call("POST", "/reports/none/kept", "/reports/{report}/kept", `{"name":"x"}`, 404, &p)

	var list api.KeptList
	call("GET", "/kept?report=late-sailings", "/kept", "", 200, &list)
	require.Len(t, list.Kept, 2)
	assert.Equal(t, []string{"October", "Outer Loop lately"}, []string{list.Kept[0].Name, list.Kept[1].Name})
	assert.Equal(t, `"last month"`, string(mustJSON(t, list.Kept[1].Answers["travel-period"])))

	// Another person sees what is shared, and forgets nothing of it.
	tove := base.WithPerson(t.Context(), base.Person{Name: "Tove", Role: "reader"})
	others, err := ferries.Service.Saved.List(tove, "")
	require.NoError(t, err)
	require.Len(t, others, 1)
	assert.Equal(t, []any{"October", false}, []any{others[0].Name, others[0].Own})
	assert.ErrorContains(t, ferries.Service.Saved.Forget(tove, 2), "only they forget them")
	assert.ErrorContains(t, ferries.Service.Saved.Forget(tove, 1), "no kept answers 1")

	// What goes with no report any more is said, and nothing is lost.
	for report, says := range map[string]string{"late-sailings": "The report has changed, and does not ask for moon any more.", "of-before": "The report is gone, or in error."} {
		row, err := ferries.Service.Base.Store.KeepAnswers(t.Context(), store.KeptAnswers{Person: "local developer", Report: report, Name: "old", Answers: []byte(`{"moon":"full"}`), View: []byte(`{}`)})
		require.NoError(t, err)
		var old saved.Kept
		call("GET", fmt.Sprintf("/kept/%d", row.ID), kept, "", 200, &old)
		assert.Equal(t, []string{says, `"full"`}, []string{old.Problem, string(mustJSON(t, old.Answers["moon"]))})
	}
	call("DELETE", "/kept/1", kept, "", 200, nil)
	call("GET", "/kept/1", kept, "", 404, &p)
	assert.EqualValues(t, "unknown_kept", p.Errors[0].Code)
	call("DELETE", "/kept/1", kept, "", 404, &p)
}

// Answers that are shared with a group are there for its people, as long as they are in it.
func TestAnswersOfAGroup(t *testing.T) {
	c := newCrew(t)
	group := func(name, members string) {
		t.Helper()
		c.as(base.Admin, "PUT", "/groups", "/groups", fmt.Sprintf(`{"name":%q,"members":[%s]}`, name, members), 200, nil)
	}
	group("Quay", `"Rolf","Dagny"`)
	group("Office", `"Rolf"`)
	keep := func(role, name, groups string, want int, into any) {
		t.Helper()
		c.as(role, "POST", "/reports/late-sailings/kept", "/reports/{report}/kept", fmt.Sprintf(`{"name":%q,"answers":{"travel-period":"last month"},"groups":[%s]}`, name, groups), want, into)
	}
	names := func(role string) (found []string) {
		t.Helper()
		var list api.KeptList
		c.as(role, "GET", "/kept", "/kept", "", 200, &list)
		for _, k := range list.Kept {
			found = append(found, fmt.Sprintf("%s of %s for %s", k.Name, k.Person, strings.Join(k.Groups, ", ")))
		}
		return found
	}
	var kept saved.Kept
	keep(base.Reader, "together", `"quay","Office","Quay"`, 200, &kept)
	assert.Equal(t, []string{"Quay", "Office"}, kept.Groups)
	keep(base.Reader, "alone", ``, 200, nil)
	keep(base.Admin, "for the quay", `"Quay"`, 200, nil) // who is not in it
	assert.Equal(t, []string{"alone of Rolf for ", "for the quay of Ida for Quay", "together of Rolf for Quay, Office"}, names(base.Reader))
	assert.Equal(t, []string{"for the quay of Ida for Quay", "together of Rolf for Quay"}, names(base.Developer))
	assert.Equal(t, []string{"for the quay of Ida for Quay"}, names(base.Admin))
	path := fmt.Sprintf("/kept/%d", kept.ID)
	c.as(base.Developer, "GET", path, "/kept/{kept}", "", 200, nil)
	c.as(base.Admin, "GET", path, "/kept/{kept}", "", 404, nil)
	var p api.Problem
	for _, name := range []string{"Ofice", "none"} { // one that there is, and one that there is not
		keep(base.Developer, "x", fmt.Sprintf("%q", name), 422, &p)
		assert.Equal(t, fmt.Sprintf("you are in no group that is called %q", name), p.Errors[0].Message)
		assert.Empty(t, p.Errors[0].Suggestions)
	}
	group("Quay", `"Rolf"`)
	assert.Empty(t, names(base.Developer))
	c.as(base.Developer, "GET", path, "/kept/{kept}", "", 404, nil)
	var about api.About
	c.as(base.Reader, "GET", "/about", "/about", "", 200, &about)
	assert.Equal(t, []string{"Office", "Quay"}, about.Groups)
}

func mustJSON(t *testing.T, v any) []byte {
	t.Helper()
	text, err := json.Marshal(v)
	require.NoError(t, err)
	return text
}

// A live link sends the records of one report and one set of answers to whoever has its address, until
// it is revoked.
func TestLiveLinks(t *testing.T) {
	ferries := demotest.Start(t)
	call := calls(t, newCaller(t, ferries.URL))
	const make, link = "/reports/{report}/links", "/links/{link}"
	read := func(path string) (int, string) {
		answer, err := http.Get(ferries.URL + path)
		require.NoError(t, err)
		defer answer.Body.Close()
		text, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		return answer.StatusCode, string(text)
	}
	var made api.MadeLink
	call("POST", "/reports/fuel-on-a-day/links?separator=semicolon&decimal=comma", make, `{"name":"Fuel sheet","format":"csv","answers":{"delivery-day":"25 Oct 2026"}}`, 200, &made)
	status, text := read(made.Path)
	assert.Equal(t, 200, status)
	assert.Equal(t, "delivered_at;harbour;litres;price_per_litre\r\n2026-10-25T02:42:48+03:00;Kelp Point;22281;0,902", text[:strings.Index(text, "\r\n2026-10-25T15")])
	var second api.MadeLink
	call("POST", "/reports/late-sailings/links", make, `{"name":"October","format":"json","frozen":true,"answers":{"travel-period":"last month"}}`, 200, &second)
	status, text = read(second.Path)
	assert.Equal(t, 200, status)
	assert.Contains(t, text, `"as_of":"2026-11-23"`)
	var list api.LinkList
	call("GET", "/links", "/links", "", 200, &list)
	require.Len(t, list.Links, 2)
	assert.Equal(t, []any{"October", "Fuel sheet", int64(1)}, []any{list.Links[0].Name, list.Links[1].Name, list.Links[1].Uses})
	require.NotNil(t, list.Links[1].UsedAt)
	assert.NotContains(t, string(mustJSON(t, list)), strings.TrimPrefix(made.Path, "/api/v1/live/"), "the token is told once")

	var p api.Problem
	call("POST", "/reports/late-in-figures/links", make, `{"name":"x","format":"csv","section":99}`, 404, &p)
	assert.EqualValues(t, "unknown_section", p.Errors[0].Code)
	call("POST", "/reports/late-sailings/links?separator=tab", make, `{"name":"x","format":"json"}`, 400, &p)
	call("POST", "/reports/late-sailings/links", make, `{"name":"x","format":"csv","answers":{"minutes":"ten"}}`, 422, &p)
	tove := base.WithPerson(t.Context(), base.Person{Name: "Tove", Role: "reader"})
	assert.ErrorContains(t, ferries.Service.Saved.Revoke(tove, 1), "no live link 1", "somebody else's")
	none, err := ferries.Service.Saved.Links(tove)
	require.NoError(t, err)
	assert.Empty(t, none)

	call("DELETE", "/links/1", link, "", 200, nil)
	status, text = read(made.Path)
	assert.Equal(t, 410, status)
	assert.Contains(t, text, "this live link was revoked on")
	call("DELETE", "/links/1", link, "", 200, nil)
	call("DELETE", "/links/9", link, "", 404, &p)
	status, text = read("/api/v1/live/nothing")
	assert.Equal(t, 404, status)
	assert.Contains(t, text, "there is no such live link")
}
