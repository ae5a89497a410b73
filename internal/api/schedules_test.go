package api_test

import (
	"database/sql"
	"fmt"
	"log/slog"
	"net"
	"net/http/httptest"
	"net/netip"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
	"pikegate/internal/deliver"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/schedule"
	"pikegate/internal/standin"
)

const days = `{pikegate: 1, source: shore, zone: Europe/Helsinki}
---
{pikegate: 1, dataset: days, title: Days, source: shore, table: days, key: [day], columns: {day: {type: integer, label: Day}}}
---
{pikegate: 1, query: days, of: days, show: [day], sort: [day]}
---
{pikegate: 1, report: days, title: Days, sections: [{table: {query: days}}]}
`

// mailed is a crew of a service with a report, whose mails a stand-in keeps.
func mailed(t *testing.T) (*crew, *service.Service, string) {
	t.Helper()
	dir := t.TempDir()
	records, err := sql.Open("sqlite3", base.RecordsPath(dir))
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	_, err = records.Exec("CREATE TABLE days (day INTEGER PRIMARY KEY); INSERT INTO days VALUES (1), (2)")
	require.NoError(t, err)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	box := filepath.Join(dir, "mail")
	post := standin.NewMail(box, slog.Default())
	go func() { _ = post.Serve(listener) }()
	t.Cleanup(func() { post.Close() })
	s := demotest.Empty(t, dir)
	config := *s.Base.Config()
	config.Mail, err = deliver.ParseServer("smtp-plain://" + listener.Addr().String())
	require.NoError(t, err)
	config.Mail.From = "reports@example.test"
	s.Base.Configure(config)
	server := httptest.NewServer(api.New(s, api.Limits{}))
	t.Cleanup(server.Close)
	c := crewOf(t, server.URL, dir)
	c.as(base.Developer, "POST", "/definitions", "/definitions", fmt.Sprintf(`{"files":[{"name":"days.yaml","text":%q}]}`, days), 200, nil)
	return c, s, box
}

// A reader makes a schedule for a report, has it run, and nobody else but developers sees it; what was
// sent stands in the mail stand-in.
func TestSchedulesByHTTP(t *testing.T) {
	c, s, box := mailed(t)
	get := func(path, role string, want int, into any) {
		t.Helper()
		c.as(role, "GET", path, routed(path), "", want, into)
	}
	send := func(method, path, role, body string, want int, into any) {
		t.Helper()
		c.as(role, method, path, routed(path), body, want, into)
	}
	get("/mail", base.Developer, 404, nil)
	config := *s.Base.Config()
	config.KeptMail = box
	s.Base.Configure(config)
	made := `{"report":"days","at":"weekdays at 06:30","zone":"Europe/Helsinki","mail":{"to":["a@example.test"],"attach":["csv"]}}`
	var told schedule.ScheduleInfo
	send("PUT", "/schedules/mine", base.Reader, made, 200, &told)
	assert.Equal(t, "weekdays at 06:30", told.At)
	assert.Len(t, told.Next, 10)
	assert.True(t, told.Own)
	send("PUT", "/schedules/mine", base.Admin, made, 409, nil)
	send("PUT", "/schedules/other", base.Reader, `{"report":"nothing","at":"weekdays at 06:30","mail":{"to":["a@example.test"]}}`, 422, nil)
	send("PUT", "/schedules/other", base.Reader, `{"report":"days","at":"31 of month at 06:30","mail":{"to":["a@example.test"]}}`, 422, nil)
	c.add(base.Admin, "Berit", "the mole is long", base.Reader)
	c.tokens["another"] = c.token("Berit", "the mole is long")
	get("/schedules/mine", "another", 404, nil)
	var list api.ScheduleList
	get("/schedules", base.Developer, 200, &list)
	assert.Len(t, list.Schedules, 1)
	assert.Empty(t, list.Schedules[0].Text, "it is another's")
	send("POST", "/schedules/mine/runs", base.Reader, "", 200, &told)
	require.Len(t, told.Last, 1)
	assert.Equal(t, "done", told.Last[0].State, told.Last[0].Problem)
	assert.Equal(t, "sent", told.Last[0].Deliveries[0].State, told.Last[0].Deliveries[0].Problem)

	get("/mail", base.Reader, 403, nil)
	var mails api.MailList
	get("/mail", base.Developer, 200, &mails)
	require.Len(t, mails.Mails, 1)
	assert.Empty(t, mails.Mails[0].Text)
	var mail standin.KeptMail
	get("/mail/"+mails.Mails[0].Name, base.Developer, 200, &mail)
	assert.Equal(t, "a@example.test", mail.To)
	assert.Contains(t, mail.Text, "Sent by the schedule mine.")
	require.Len(t, mail.Files, 1)
	get("/mail/..%2Fpikegate.db", base.Developer, 404, nil)
	get("/mail/nothing.eml", base.Developer, 404, nil)
	status, text := c.do("GET", "/metrics", "/metrics", "", "Authorization", "Bearer "+c.tokens[base.Developer])
	require.Equal(t, 200, status)
	assert.Contains(t, string(text), `pikegate_schedules_total{ended="sent",what="mail"} 1`)
	send("DELETE", "/schedules/mine", base.Admin, "", 200, nil)
	send("DELETE", "/schedules/mine", base.Reader, "", 404, nil)
}

// A developer or an admin sees a report as a person gets it, and does nothing else as them.
func TestSeenAs(t *testing.T) {
	c, _, _ := mailed(t)
	as := func(method, path, role, who string) int {
		status, _ := c.do(method, "/api/v1"+path, "/api/v1"+routed(path), "", "Authorization", "Bearer "+c.tokens[role], api.AsHeader, who)
		return status
	}
	report := "/reports/days"
	assert.Equal(t, 200, as("GET", report, base.Developer, "Rolf"))
	assert.Equal(t, 200, as("GET", "/reports", base.Admin, "%52olf"))
	assert.Equal(t, 403, as("GET", report, base.Reader, "Ida"))
	assert.Equal(t, 404, as("GET", report, base.Developer, "Nobody"))
	assert.Equal(t, 403, as("GET", "/account", base.Developer, "Rolf"))
	assert.Equal(t, 403, as("POST", "/schedules/mine/runs", base.Admin, "Rolf"))
	status, text := c.do("POST", "/api/v1/reports/days/runs", "/api/v1/reports/{report}/runs", `{}`, "Authorization", "Bearer "+c.tokens[base.Developer], api.AsHeader, "Rolf")
	require.Equal(t, 200, status, "%s", text)
	assert.Contains(t, string(text), `"as":"Rolf"`)
}

var names = regexp.MustCompile(`^/(schedules|mail|reports)/[^/]+`)

// routed is the path as the document has it.
func routed(path string) string {
	return names.ReplaceAllStringFunc(path, func(found string) string {
		kind := strings.Split(found, "/")[1]
		return "/" + kind + "/{" + strings.TrimSuffix(kind, "s") + "}"
	})
}

// Each person has requests of their own: who makes too many waits, and others do not.
func TestThePaceOfAPerson(t *testing.T) {
	dir := t.TempDir()
	s := demotest.Empty(t, dir)
	server := httptest.NewServer(api.New(s, api.Limits{PerMinute: 30}))
	t.Cleanup(server.Close)
	c := crewOf(t, server.URL, dir)
	refused := 0
	for range 40 {
		status, _ := c.do("GET", "/api/v1/reports", "/api/v1/reports", "", "Authorization", "Bearer "+c.tokens[base.Reader])
		if status == 429 {
			refused++
		}
	}
	assert.InDelta(t, 10, refused, 4)
	c.as(base.Developer, "GET", "/reports", "/reports", "", 200, nil)
}

// A proxy whose address is named says who has signed in there; from elsewhere the header says nothing.
func TestASignInAtAProxy(t *testing.T) {
	for _, near := range []bool{true, false} {
		dir := t.TempDir()
		s := demotest.Empty(t, dir)
		network := netip.MustParsePrefix(map[bool]string{true: "127.0.0.0/8", false: "10.0.0.0/8"}[near])
		server := httptest.NewServer(api.New(s, api.Limits{ProxyHeader: "Remote-User", ProxyAddresses: []netip.Prefix{network}}))
		t.Cleanup(server.Close)
		c := crewOf(t, server.URL, dir)
		ask := func(name string) (int, string) {
			status, text := c.do("GET", "/api/v1/reports", "/api/v1/reports", "", "Remote-User", name)
			return status, string(text)
		}
		status, _ := ask("rolf")
		assert.Equal(t, map[bool]int{true: 200, false: 401}[near], status)
		status, text := ask("Nobody")
		assert.Equal(t, 401, status)
		assert.Equal(t, near, strings.Contains(text, "signed in as somebody who is not known here"), text)
		status, _ = c.do("GET", "/api/v1/people", "/api/v1/people", "", "Remote-User", "Rolf")
		assert.Equal(t, map[bool]int{true: 403, false: 401}[near], status)
		status, _ = c.do("DELETE", "/api/v1/session", "/api/v1/session", "", "Remote-User", "Rolf")
		assert.Equal(t, map[bool]int{true: 200, false: 401}[near], status)
	}
}
