package api_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/store"
)

const (
	idaPassword  = "gulls over the mole"
	rolfPassword = "one boat at a time"
)

// crew are people of each role on a service, with a token for each.
type crew struct {
	*caller
	dir     string
	service *service.Service
	tokens  map[string]string
}

// newCrew is a crew of the ferry line.
func newCrew(t *testing.T) *crew {
	t.Helper()
	ferries := demotest.Start(t)
	return crewOf(t, ferries.URL, ferries.Dir)
}

// newSmallCrew is one of a service without reports.
func newSmallCrew(t *testing.T) *crew {
	t.Helper()
	dir := t.TempDir()
	s := demotest.Empty(t, dir)
	server := httptest.NewServer(api.New(s, api.Limits{}))
	t.Cleanup(server.Close)
	c := crewOf(t, server.URL, dir)
	c.service = s
	return c
}

func crewOf(t *testing.T, url, dir string) *crew {
	t.Helper()
	c := &crew{caller: newCaller(t, url), dir: dir, tokens: map[string]string{}}
	c.add("", "Ida", idaPassword, base.Admin)
	c.tokens[base.Admin] = c.token("Ida", idaPassword)
	c.add(base.Admin, "Rolf", rolfPassword, base.Reader)
	c.add(base.Admin, "Dagny", "the tide is never late", base.Developer)
	c.tokens[base.Reader] = c.token("Rolf", rolfPassword)
	c.tokens[base.Developer] = c.token("Dagny", "the tide is never late")
	return c
}

// as calls as somebody with the role, or as nobody where that is "".
func (c *crew) as(role, method, path, route, body string, want int, into any) {
	c.t.Helper()
	var headers []string
	if role != "" {
		headers = []string{"Authorization", "Bearer " + c.tokens[role]}
	}
	status, text := c.do(method, "/api/v1"+path, "/api/v1"+route, body, headers...)
	require.Equal(c.t, want, status, "%s %s as %q: %s", method, path, role, text)
	if into != nil {
		require.NoError(c.t, json.Unmarshal(text, into))
	}
}

func (c *crew) add(role, name, password, as string) {
	c.t.Helper()
	c.as(role, "POST", "/people", "/people", fmt.Sprintf(`{"name":%q,"password":%q,"role":%q}`, name, password, as), 200, nil)
}

// session signs in as a browser does.
func (c *crew) session(name, password string) *http.Cookie {
	c.t.Helper()
	answer, err := http.Post(c.url+"/api/v1/session", "application/json", strings.NewReader(fmt.Sprintf(`{"name":%q,"password":%q}`, name, password)))
	require.NoError(c.t, err)
	defer answer.Body.Close()
	require.Equal(c.t, 200, answer.StatusCode)
	require.Len(c.t, answer.Cookies(), 1)
	return answer.Cookies()[0]
}

func (c *crew) token(name, password string) string {
	c.t.Helper()
	status, text := c.do("POST", "/api/v1/account/tokens", "/api/v1/account/tokens", `{"name":"a script"}`, "Cookie", c.session(name, password).String())
	require.Equal(c.t, 200, status, "%s", text)
	var made api.MadeToken
	require.NoError(c.t, json.Unmarshal(text, &made))
	return made.Token
}

// Every operation of the document has a rule, and each role gets what the rule says: who has not
// signed in 401, who may not 403, who may anything else.
func TestWhoMayDoWhat(t *testing.T) {
	c := newSmallCrew(t)
	roles := []string{"", base.Reader, base.Developer, base.Admin}
	level := map[string]int{"anybody": 0, base.Reader: 1, base.Developer: 2, base.Admin: 3}
	parameter := regexp.MustCompile(`\{[^}]*\}`)
	tried := 0
	for route, methods := range c.document["paths"].(map[string]any) {
		for method, operation := range methods.(map[string]any) {
			right, _ := operation.(map[string]any)["x-right"].(string)
			least, known := level[right]
			require.True(t, known, "%s %s has no rule", method, route)
			for i, role := range roles {
				req, err := http.NewRequest(strings.ToUpper(method), c.url+parameter.ReplaceAllString(route, "1"), strings.NewReader(`{"nothing":"of the kind"}`))
				require.NoError(t, err)
				req.Header.Set("Content-Type", "application/json")
				if role != "" {
					req.Header.Set("Authorization", "Bearer "+c.tokens[role])
				}
				answer, err := http.DefaultClient.Do(req)
				require.NoError(t, err)
				require.NoError(t, answer.Body.Close())
				tried++
				switch {
				case i >= least:
					assert.NotContains(t, []int{401, 403}, answer.StatusCode, "%s %s as %q", method, route, role)
				case i == 0:
					assert.Equal(t, 401, answer.StatusCode, "%s %s", method, route)
					assert.Contains(t, answer.Header.Get("WWW-Authenticate"), "Bearer")
				default:
					assert.Equal(t, 403, answer.StatusCode, "%s %s as %q", method, route, role)
				}
			}
		}
	}
	assert.Greater(t, tried, 250)
	var p api.Problem
	c.as("", "GET", "/reports", "/reports", "", 401, &p)
	assert.Equal(t, "sign_in_required", string(p.Code))
	c.as(base.Reader, "GET", "/sources", "/sources", "", 403, &p)
	assert.Equal(t, []string{"right_missing", "that takes the role developer, and Rolf is a reader"}, []string{string(p.Code), p.Detail})
	// What a reader may call does not let in what they may not.
	c.as(base.Reader, "POST", "/reports/query:late-sailings/runs?drafts=true", "/reports/{report}/runs", `{}`, 403, nil)
	c.as(base.Reader, "POST", "/reports/late-sailings/runs", "/reports/{report}/runs", `{"files":[{"name":"a","text":"b"}]}`, 403, nil)
}

// A cookie goes by an encrypted way alone where one is there: by a proxy in front, too.
func TestCookiesBehindAProxy(t *testing.T) {
	c := newSmallCrew(t)
	config := *c.service.Base.Config()
	config.Address = "https://reports.example.test"
	c.service.Base.Configure(config)
	handler := api.New(c.service, api.Limits{Hosts: []string{"reports.example.test"}})
	for host, secure := range map[string]bool{"reports.example.test": true, "127.0.0.1:8080": false} {
		r := httptest.NewRequest("POST", "/api/v1/session", strings.NewReader(fmt.Sprintf(`{"name":"Ida","password":%q}`, idaPassword)))
		r.Header.Set("Content-Type", "application/json")
		r.Host = host
		w := httptest.NewRecorder()
		handler.ServeHTTP(w, r)
		require.Equal(t, 200, w.Code, w.Body)
		require.Len(t, w.Result().Cookies(), 1)
		assert.Equal(t, secure, w.Result().Cookies()[0].Secure, host)
	}
}

// The log tells of each request who made it and the receipt of its run, and no answers.
func TestTheLogOfARun(t *testing.T) {
	var log bytes.Buffer
	ferries := demotest.Start(t, demotest.LogTo(slog.NewJSONHandler(&log, nil)))
	c := crewOf(t, ferries.URL, ferries.Dir)
	c.as(base.Reader, "POST", "/reports/late-sailings/runs", "/reports/{report}/runs", `{"answers":{"travel-period":"5 Nov 2026"}}`, 200, nil)
	c.as(base.Reader, "POST", "/reports/late-sailings/runs", "/reports/{report}/runs", `{"answers":{"travel-period":"5 Novembr 2026"}}`, 422, nil)
	for receipt := range 2 {
		assert.Regexp(t, fmt.Sprintf(`"path":"/api/v1/reports/late-sailings/runs","person":"Rolf","status":(200|422),[^}]*"receipt":%d[,}]`, receipt+1), log.String())
	}
	assert.NotContains(t, log.String(), "5 Nov")
}

// What others ran, and what they keep, does not exist for a reader.
func TestReadersSeeTheirOwn(t *testing.T) {
	c := newCrew(t)
	const body = `{"answers":{"travel-period":"yesterday"},"evidence":true}`
	var ran struct{ Receipt receipt.Receipt }
	c.as(base.Developer, "POST", "/reports/late-sailings/runs", "/reports/{report}/runs", body, 200, &ran)
	theirs := ran.Receipt.ID
	c.as(base.Reader, "POST", "/reports/late-sailings/runs", "/reports/{report}/runs", body, 200, &ran)
	assert.Equal(t, []any{"Rolf", base.Reader}, []any{ran.Receipt.Person, ran.Receipt.Role})
	c.as(base.Reader, "POST", "/reports/late-sailings/runs?output=csv", "/reports/{report}/runs", body, 200, nil)
	var done api.AuditList
	c.as(base.Admin, "GET", "/audit?limit=1", "/audit", "", 200, &done)
	assert.Equal(t, []string{"Rolf", "export", fmt.Sprintf("late-sailings as csv, receipt %d", ran.Receipt.ID+1)}, []string{done.Entries[0].Person, done.Entries[0].Action, done.Entries[0].Subject})
	var there, nowhere api.Problem
	path := func(id int64) string { return fmt.Sprintf("/receipts/%d", id) }
	c.as(base.Reader, "GET", path(theirs), "/receipts/{receipt}", "", 404, &there)
	c.as(base.Reader, "GET", path(999), "/receipts/{receipt}", "", 404, &nowhere)
	assert.Equal(t, strings.ReplaceAll(nowhere.Detail, "999", fmt.Sprint(theirs)), there.Detail, "the same as for what there is not")
	c.as(base.Reader, "POST", path(theirs)+"/again", "/receipts/{receipt}/again", `{}`, 404, nil)
	c.as(base.Reader, "POST", path(theirs)+"/cancel", "/receipts/{receipt}/cancel", "", 404, nil)
	c.as(base.Reader, "POST", "/reports/late-sailings/runs", "/reports/{report}/runs", fmt.Sprintf(`{"of":%d}`, theirs), 404, nil)
	var list api.ReceiptList
	c.as(base.Reader, "GET", "/receipts?person=Dagny", "/receipts", "", 200, &list)
	require.Len(t, list.Receipts, 2)
	assert.Equal(t, "Rolf", list.Receipts[0].Person)
	c.as(base.Developer, "GET", path(ran.Receipt.ID), "/receipts/{receipt}", "", 200, nil)
}

// A reader can be limited to shelves: reports of others are for them as if they were not.
func TestShelves(t *testing.T) {
	c := newCrew(t)
	var ran, kept struct {
		ID      int64
		Receipt receipt.Receipt
	}
	const body = `{"answers":{"travel-period":"yesterday"},"evidence":true}`
	c.as(base.Reader, "POST", "/reports/late-sailings/runs", "/reports/{report}/runs", body, 200, &ran)
	c.as(base.Developer, "POST", "/reports/late-sailings/kept", "/reports/{report}/kept", `{"name":"shared","shared":true}`, 200, &kept)
	var made api.MadeLink
	c.as(base.Reader, "POST", "/reports/late-sailings/links", "/reports/{report}/links", `{"name":"a sheet","format":"csv","answers":{"travel-period":"yesterday"}}`, 200, &made)
	var p api.Problem
	c.as(base.Admin, "PUT", "/people/Rolf", "/people/{person}", `{"shelves":["Claims desk"]}`, 200, nil)
	c.as(base.Admin, "PUT", "/people/Ida", "/people/{person}", `{"shelves":["Claims desk"]}`, 422, &p)
	assert.Contains(t, p.Detail, "shelves limit readers and developers")
	c.as(base.Admin, "PUT", "/people/Rolf", "/people/{person}", `{"role":"admin"}`, 422, nil)

	var list api.ReportList
	c.as(base.Reader, "GET", "/reports", "/reports", "", 200, &list)
	require.Len(t, list.Reports, 4)
	for _, r := range list.Reports {
		assert.Equal(t, "Claims desk", r.Shelf)
	}
	c.as(base.Reader, "GET", "/reports?search=late", "/reports", "", 200, &list)
	assert.Empty(t, list.Reports)
	for _, call := range [][3]string{
		{"GET", "", ""}, {"POST", "/answers", `{}`}, {"POST", "/matches", `{}`}, {"POST", "/runs", body}, {"POST", "/kept", `{"name":"x"}`}, {"POST", "/links", `{"name":"x","format":"csv"}`},
		{"POST", "/prompts/routes/choices", `{}`}, {"GET", "/prompts/travel-period/histogram", ""},
	} {
		route := strings.NewReplacer("/routes/", "/{prompt}/", "/travel-period/", "/{prompt}/").Replace(call[1])
		var hidden, none api.Problem
		c.as(base.Reader, call[0], "/reports/late-sailings"+call[1], "/reports/{report}"+route, call[2], 404, &hidden)
		c.as(base.Reader, call[0], "/reports/late-sailing-x"+call[1], "/reports/{report}"+route, call[2], 404, &none)
		assert.Equal(t, strings.ReplaceAll(none.Detail, "late-sailing-x", "late-sailings"), hidden.Detail, "the same as for what there is not")
		assert.NotContains(t, none.Detail, "did you mean", "nor is it suggested")
	}
	var line struct{ Report string }
	c.as(base.Reader, "POST", "/line", "/line", `{"text":"late sailings last month"}`, 200, &line)
	assert.NotEqual(t, "late-sailings", line.Report)
	c.as(base.Reader, "GET", fmt.Sprintf("/receipts/%d", ran.Receipt.ID), "/receipts/{receipt}", "", 404, nil)
	c.as(base.Reader, "POST", "/reports/open-claims/runs", "/reports/{report}/runs", fmt.Sprintf(`{"of":%d}`, ran.Receipt.ID), 404, nil)
	c.as(base.Reader, "GET", fmt.Sprintf("/kept/%d", kept.ID), "/kept/{kept}", "", 404, nil)
	var receipts api.ReceiptList
	c.as(base.Reader, "GET", "/receipts", "/receipts", "", 200, &receipts)
	assert.Empty(t, receipts.Receipts)
	var all api.KeptList
	c.as(base.Reader, "GET", "/kept", "/kept", "", 200, &all)
	assert.Empty(t, all.Kept)
	var links api.LinkList
	c.as(base.Reader, "GET", "/links", "/links", "", 200, &links)
	assert.Empty(t, links.Links)
	c.as("", "GET", strings.TrimPrefix(made.Path, "/api/v1"), "/live/{token}", "", 404, nil)

	c.as(base.Admin, "PUT", "/people/Rolf", "/people/{person}", `{"shelves":[]}`, 200, nil)
	c.as(base.Reader, "GET", fmt.Sprintf("/receipts/%d", ran.Receipt.ID), "/receipts/{receipt}", "", 200, nil)
	c.as("", "GET", strings.TrimPrefix(made.Path, "/api/v1"), "/live/{token}", "", 200, nil)
}

// A session is a cookie that pages cannot read; it ends when one signs out, everywhere if one will,
// with another password, and when its person is sent away. So do tokens, and live links with them.
func TestSignIn(t *testing.T) {
	c := newCrew(t)
	cookie := c.session("rolf", rolfPassword)
	assert.True(t, cookie.HttpOnly)
	assert.Equal(t, http.SameSiteLaxMode, cookie.SameSite)
	with := func(cookie *http.Cookie, method, path, route, body string, want int) []byte {
		t.Helper()
		status, text := c.do(method, "/api/v1"+path, "/api/v1"+route, body, "Cookie", cookie.Name+"="+cookie.Value)
		require.Equal(t, want, status, "%s", text)
		return text
	}
	var told api.Account
	require.NoError(t, json.Unmarshal(with(cookie, "GET", "/account", "/account", "", 200), &told))
	assert.Equal(t, "Rolf", told.Person)
	require.Len(t, told.Passes, 3, "the token, the session that it was made in, and this one")
	assert.True(t, told.Passes[0].Own)
	with(cookie, "DELETE", "/session", "/session", "", 200)
	with(cookie, "GET", "/account", "/account", "", 401)
	one, other := c.session("Rolf", rolfPassword), c.session("Rolf", rolfPassword)
	with(one, "DELETE", "/session?everywhere=true", "/session", "", 200)
	with(other, "GET", "/account", "/account", "", 401)

	var made api.MadeLink
	c.as(base.Reader, "POST", "/reports/late-sailings/links", "/reports/{report}/links", `{"name":"a sheet","format":"csv","answers":{"travel-period":"yesterday"}}`, 200, &made)
	live := strings.TrimPrefix(made.Path, "/api/v1")
	c.as("", "GET", live, "/live/{token}", "", 200, nil)
	c.as(base.Admin, "PUT", "/people/Rolf", "/people/{person}", `{"away":true}`, 200, nil)
	c.as(base.Reader, "GET", "/account", "/account", "", 401, nil)
	c.as("", "GET", live, "/live/{token}", "", 404, nil)
	var p api.Problem
	c.as("", "POST", "/session", "/session", fmt.Sprintf(`{"name":"Rolf","password":%q}`, rolfPassword), 401, &p)
	away := p.Detail
	c.as("", "POST", "/session", "/session", `{"name":"Nobody","password":"none of all these"}`, 401, &p)
	assert.Equal(t, []string{"sign_in_refused", away}, []string{string(p.Code), p.Detail}, "who is away, who there is not and who errs are told the same")

	// The last admin stays one.
	c.as(base.Admin, "PUT", "/people/Ida", "/people/{person}", `{"role":"reader"}`, 409, &p)
	assert.Equal(t, "Ida is the only admin who can sign in; make another one first", p.Detail)
	c.as(base.Admin, "PUT", "/account/password", "/account/password", fmt.Sprintf(`{"before":%q,"password":"the mole is full of gulls"}`, idaPassword), 200, nil)
	c.as(base.Admin, "GET", "/people", "/people", "", 401, nil)
	c.session("Ida", "the mole is full of gulls")
}

// Wrong passwords are slowed down where they come from, and the right person gets in.
func TestWrongPasswordsInBursts(t *testing.T) {
	c := newSmallCrew(t)
	try := func(name, password string) (int, string) {
		answer, err := http.Post(c.url+"/api/v1/session", "application/json", strings.NewReader(fmt.Sprintf(`{"name":%q,"password":%q}`, name, password)))
		require.NoError(t, err)
		defer answer.Body.Close()
		return answer.StatusCode, answer.Header.Get("Retry-After")
	}
	for range 5 {
		status, _ := try("Rolf", "not the right one")
		require.Equal(t, 401, status)
	}
	status, wait := try("Rolf", rolfPassword)
	assert.Equal(t, []any{429, "1"}, []any{status, wait}, "the right one too, for a second")
	status, _ = try("Dagny", "the tide is never late")
	assert.Equal(t, 200, status, "somebody else is not slowed down")
	require.Eventually(t, func() bool { status, _ = try("Rolf", rolfPassword); return status == 200 }, 5*time.Second, 200*time.Millisecond)
	var list api.AuditList
	c.as(base.Admin, "GET", "/audit", "/audit", "", 200, &list)
	refused := 0
	for _, e := range list.Entries {
		if e.Action == "sign-in refused" && e.Person == "Rolf" {
			refused++
		}
	}
	assert.Equal(t, 5, refused)
}

// People, tokens, and the record of what was done, which tells when it was changed.
func TestPeople(t *testing.T) {
	server := httptest.NewServer(api.New(demotest.Empty(t, t.TempDir()), api.Limits{}))
	t.Cleanup(server.Close)
	c := newCaller(t, server.URL)
	status, text := c.do("POST", "/api/v1/people", "/api/v1/people", `{"name":"Rolf","password":"one boat at a time","role":"reader"}`)
	require.Equal(t, 422, status)
	assert.Contains(t, problem(t, text).Detail, "the first person is an admin")
	status, _ = c.do("GET", "/api/v1/account", "/api/v1/account", "")
	assert.Equal(t, 409, status, "nobody has to sign in")

	crew := newSmallCrew(t)
	var p api.Problem
	for body, want := range map[string]string{
		`{"name":"Bo","password":"short","role":"reader"}`:                "10 to 200 letters",
		`{"name":"Bo","password":"Sunshine123!","role":"reader"}`:         "tried first",
		`{"name":"Bosse","password":"bosse bosse bo","role":"reader"}`:    "own name",
		`{"name":"Bo","password":"aaaaaaaaaaaa","role":"reader"}`:         "five different",
		`{"name":"a\nb","password":"one boat at a time","role":"reader"}`: "on one line",
	} {
		crew.as(base.Admin, "POST", "/people", "/people", body, 422, &p)
		assert.Contains(t, p.Detail, want)
	}
	crew.as(base.Admin, "POST", "/people", "/people", `{"name":"ROLF","password":"two boats at a time","role":"reader"}`, 409, &p)
	assert.Equal(t, "name_taken", string(p.Errors[0].Code))
	crew.as(base.Admin, "PUT", "/people/Nobody", "/people/{person}", `{"role":"reader"}`, 404, &p)
	assert.Equal(t, "unknown_person", string(p.Errors[0].Code))
	crew.as(base.Reader, "DELETE", "/account/passes/999", "/account/passes/{pass}", "", 404, &p)
	assert.Equal(t, "unknown_token", string(p.Errors[0].Code))

	// A token lets do no more than its person may, nor than it was made for.
	crew.as(base.Reader, "POST", "/account/tokens", "/account/tokens", `{"name":"more","role":"developer"}`, 422, &p)
	var less api.MadeToken
	crew.as(base.Developer, "POST", "/account/tokens", "/account/tokens", `{"name":"less","role":"reader","days":1}`, 200, &less)
	crew.tokens["less"] = less.Token
	crew.as("less", "GET", "/sources", "/sources", "", 403, nil)
	session := crew.session("Dagny", "the tide is never late")
	with := func(want int) {
		t.Helper()
		status, _ := crew.do("GET", "/api/v1/sources", "/api/v1/sources", "", "Cookie", session.Name+"="+session.Value)
		assert.Equal(t, want, status)
	}
	with(200)
	crew.as(base.Admin, "PUT", "/people/Dagny", "/people/{person}", `{"role":"reader"}`, 200, nil)
	with(403)
	crew.as(base.Developer, "GET", "/sources", "/sources", "", 403, nil)
	crew.as(base.Developer, "DELETE", fmt.Sprintf("/account/passes/%d", less.ID), "/account/passes/{pass}", "", 200, nil)
	crew.as("less", "GET", "/reports", "/reports", "", 401, nil)

	var list api.PersonList
	crew.as(base.Admin, "GET", "/people", "/people", "", 200, &list)
	assert.Equal(t, []string{"Dagny", "Ida", "Rolf"}, []string{list.People[0].Name, list.People[1].Name, list.People[2].Name})

	var whole api.Verified
	crew.as(base.Admin, "GET", "/audit/verify", "/audit/verify", "", 200, &whole)
	assert.Zero(t, whole.Wrong)
	assert.Greater(t, whole.Entries, int64(10))
	_, err := openOwn(t, crew.dir).Exec(`UPDATE audit SET person = 'Somebody' WHERE id = 3`)
	require.ErrorContains(t, err, "only added to")
	_, err = openOwn(t, crew.dir).Exec(`DROP TRIGGER audit_stays; UPDATE audit SET person = 'Somebody' WHERE id = 3`)
	require.NoError(t, err)
	crew.as(base.Admin, "GET", "/audit/verify", "/audit/verify", "", 200, &whole)
	assert.Equal(t, int64(3), whole.Wrong)
}

// Whoever watches the service is told what ran, how it ended and who came in, in the text format of
// Prometheus.
func TestMetrics(t *testing.T) {
	c := newCrew(t)
	c.as(base.Reader, "POST", "/reports/late-sailings/runs", "/reports/{report}/runs", `{"answers":{"travel-period":"yesterday"}}`, 200, nil)
	c.as(base.Reader, "POST", "/reports/late-sailings/runs", "/reports/{report}/runs", `{"answers":{"travel-period":"never"}}`, 422, nil)
	c.as("", "POST", "/session", "/session", `{"name":"Rolf","password":"another one"}`, 401, nil)
	read := func(role string, want int) string {
		t.Helper()
		status, text := c.do("GET", "/metrics", "/metrics", "", "Authorization", "Bearer "+c.tokens[role])
		require.Equal(t, want, status)
		return string(text)
	}
	read(base.Reader, 403)
	text := read(base.Developer, 200)
	for _, line := range []string{
		`pikegate_runs_total{report="late-sailings",state="rows"} 1`, `pikegate_runs_total{report="late-sailings",state="refused"} 1`,
		`pikegate_sign_ins_total{ended="done"} 3`, `pikegate_sign_ins_total{ended="refused"} 1`, `pikegate_run_seconds_count{part="database"} 2`, "pikegate_runs_under_way 0",
	} {
		assert.Contains(t, text, line+"\n")
	}
	assert.Regexp(t, `pikegate_own_records_bytes [1-9]`, text)
	assert.Contains(t, text, "go_goroutines ")
}

// openOwn opens the service's own records beside it.
func openOwn(t *testing.T, dir string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite3", store.DSN(filepath.Join(dir, "pikegate.db")))
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return db
}
