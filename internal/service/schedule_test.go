package service_test

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/fault"
	"pikegate/internal/deliver"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/schedule"
	"pikegate/internal/source/sourcetest"
	"pikegate/internal/standin"
)

// posts is a mail server that keeps mails in a directory.
func posts(t *testing.T) (deliver.Server, string) {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "mail")
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	server := standin.NewMail(dir, slog.Default())
	go func() { _ = server.Serve(listener) }()
	t.Cleanup(func() { server.Close() })
	to, err := deliver.ParseServer("smtp-plain://" + listener.Addr().String())
	require.NoError(t, err)
	to.From = "Lantern Sound Ferries <reports@example.test>"
	return to, dir
}

// timetabled opens a service on trips whose schedules a test has looked at, with the records beside it.
func timetabled(t *testing.T, dir string, now *clock, change func(*base.Config)) (*service.Service, *sql.DB) {
	t.Helper()
	records, err := sql.Open("sqlite3", base.RecordsPath(dir))
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	_, err = records.Exec("CREATE TABLE IF NOT EXISTS stops (id INTEGER PRIMARY KEY, harbour TEXT, [on] TEXT, n INTEGER)")
	require.NoError(t, err)
	config := base.Config{Dir: dir, RunTime: time.Minute, KeepResults: 24 * time.Hour, Sources: sourcetest.Rules, Now: now.Now, Deliveries: filepath.Join(dir, "deliveries")}
	require.NoError(t, os.MkdirAll(config.Deliveries, 0o750))
	if change != nil {
		change(&config)
	}
	s, err := service.Open(ctx, config)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s, records
}

const stopsOfADay = `{pikegate: 1, source: shore, zone: Europe/Helsinki}
---
{pikegate: 1, dataset: stops, title: Stops, source: shore, table: stops, key: [id], columns: {id: {type: integer, label: Number}, harbour: {type: text, label: Harbour}, on: {type: date, stored: text, pattern: yyyy-MM-dd, label: On}, n: {type: integer, label: Guests, unit: people}}}
---
{pikegate: 1, prompt: days, ask: When, type: period, required: true}
---
{pikegate: 1, query: stops, of: stops, show: [on, harbour, n], sort: [on], where: {on: {within: {prompt: days}}}}
---
{pikegate: 1, report: stops, title: Stops of a day, prompts: [days], sections: [{table: {query: stops, totals: [n]}}]}
`

func scheduled(at, send string) string {
	return stopsOfADay + "---\n" + fmt.Sprintf("{pikegate: 1, schedule: nightly, report: stops, answers: {days: yesterday}, at: \"%s\", zone: Europe/Helsinki, send: [%s]}\n", at, send)
}

func shown(t *testing.T, s *service.Service, name string) *schedule.ScheduleInfo {
	t.Helper()
	told, err := s.Schedules.Show(ctx, name)
	require.NoError(t, err)
	return told
}

// A week goes by in which something is due four times a day: each is done once, on time, and what was
// missed while the service was down is done once when it is back.
func TestAWeekOfATimetable(t *testing.T) {
	server, box := posts(t)
	dir, now := t.TempDir(), clockAt(time.Date(2026, 10, 22, 9, 0, 0, 0, time.UTC)) // clocks go back on the 25th
	with := func(c *base.Config) { c.Mail = server }
	s, records := timetabled(t, dir, now, with)
	for day := 20; day <= 31; day++ {
		_, err := records.Exec("INSERT INTO stops ([on], harbour, n) VALUES (?, 'Holm', ?), (?, 'Skerry', 1)", fmt.Sprintf("2026-10-%02d", day), day, fmt.Sprintf("2026-10-%02d", day))
		require.NoError(t, err)
	}
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("every day at 03:30, 6:30, 12:00 and 18:00", "{mail: {to: [office@example.test]}}, {folder: {path: nightly, name: \"stops-{date}-{time}.csv\", keep: 3 days}}"))})
	require.NoError(t, err)
	for range 7 * 24 * 4 {
		require.NoError(t, s.Schedules.Look(ctx))
		now.move(15 * time.Minute)
		if at := now.Now(); at.Day() == 27 && at.Hour() == 0 && at.Minute() == 0 { // down for a day and a half
			require.NoError(t, s.Close())
			now.move(36 * time.Hour)
			s, _ = timetabled(t, dir, now, with)
		}
	}
	told := shown(t, s, "nightly")
	assert.Equal(t, "every day at 03:30, 06:30, 12:00 and 18:00", told.At)
	assert.Len(t, told.Next, 10)
	assert.Len(t, told.Last, 20)
	mails, err := standin.List(box, 1000)
	require.NoError(t, err)
	runs, err := s.Base.Store.ScheduleRuns(ctx, "nightly", 1000)
	require.NoError(t, err)
	seen := map[time.Time]bool{}
	for _, r := range runs {
		assert.False(t, seen[r.DueAt], "%s twice", r.DueAt)
		seen[r.DueAt] = true
		assert.Equal(t, "done", string(r.State), r.Problem)
		require.Len(t, r.Deliveries, 2)
		for _, d := range r.Deliveries {
			assert.Equal(t, "sent", string(d.State), d.Problem)
		}
	}
	assert.Len(t, mails, len(runs), "a mail for each, and no other")
	helsinki := s.Base.Zone()
	var days []string
	for _, r := range runs {
		days = append(days, r.DueAt.In(helsinki).Format("02 15:04"))
	}
	slices.Sort(days)
	assert.Equal(t, "22 18:00 23 03:30 23 06:30 23 12:00 23 18:00 24 03:30 24 06:30 24 12:00 24 18:00 25 03:30 25 06:30 25 12:00 25 18:00 26 03:30 26 06:30 26 12:00 26 18:00 28 12:00 28 18:00 29 03:30 29 06:30 29 12:00 29 18:00 30 03:30 30 06:30 30 12:00 30 18:00", strings.Join(days, " "))
	text, err := os.ReadFile(filepath.Join(dir, "deliveries", "nightly", "stops-2026-10-29-0630.csv"))
	require.NoError(t, err)
	assert.Equal(t, "on,harbour,n\r\n2026-10-28,Holm,28\r\n2026-10-28,Skerry,1\r\n", string(text))
	first, err := standin.Read(box, mails[len(mails)-1].Name)
	require.NoError(t, err)
	assert.Equal(t, "Stops of a day", first.Subject)
	assert.Contains(t, first.Text, "Stops on on Wed 21 Oct 2026")
	assert.Contains(t, first.Text, "2 records of all 24: 2 before, 2 inside, 20 after")
}

// What fails is tried again after a minute, five and twenty-five, and then told to the owner; one address
// that is refused keeps nothing from the others.
func TestDeliveriesThatFail(t *testing.T) {
	server, box := posts(t)
	dir, now := t.TempDir(), clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	s, _ := timetabled(t, dir, now, func(c *base.Config) { c.Mail, c.MailDomains = server, []string{"example.test"} })
	_, err := s.People.Add(ctx, "Ines", "gulls over the mole", base.Admin, people.Limits{Attributes: map[string][]string{"mail": {"ines@example.test"}}})
	require.NoError(t, err)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("every day at 12:00", `{mail: {to: [office@example.test, refused@example.test, later@example.test, else@elsewhere.test], attach: [csv, xlsx, pdf, json]}}`))})
	require.NoError(t, err)
	require.NoError(t, s.Schedules.Look(ctx))
	var seen []string
	for range 100 {
		now.move(time.Minute)
		require.NoError(t, s.Schedules.Look(ctx))
		last := shown(t, s, "nightly").Last
		if now.Now().Before(time.Date(2026, 11, 23, 10, 0, 0, 0, time.UTC)) {
			require.Empty(t, last, "12:00 in Helsinki is 10:00 in UTC")
			continue
		}
		var states []string
		for _, d := range last[0].Deliveries {
			states = append(states, d.State+" "+strconv.Itoa(d.Tries))
		}
		if state := strings.Join(states, ", "); len(seen) == 0 || seen[len(seen)-1] != state {
			seen = append(seen, state)
		}
	}
	assert.Equal(t, []string{"sent 1, failed 1, waiting 1, failed 1", "sent 1, failed 1, waiting 2, failed 1", "sent 1, failed 1, waiting 3, failed 1", "sent 1, failed 1, failed 4, failed 1"}, seen)
	told := shown(t, s, "nightly")
	assert.Contains(t, told.Problem, "mail to refused@example.test:")
	assert.Contains(t, told.Last[0].Deliveries[3].Problem, "mails go to example.test, and not to else@elsewhere.test")
	mails, err := standin.List(box, 100)
	require.NoError(t, err)
	var to []string
	for _, m := range mails {
		to = append(to, m.To+" "+m.Subject)
	}
	slices.Sort(to)
	assert.Equal(t, []string{"ines@example.test The schedule nightly failed", "ines@example.test The schedule nightly failed", "ines@example.test The schedule nightly failed", "office@example.test Stops of a day: no records"}, to)
	sent, err := standin.Read(box, mails[len(mails)-1].Name)
	require.NoError(t, err)
	var files []string
	for _, f := range sent.Files {
		files = append(files, f.Name+" "+f.Type)
		assert.Positive(t, f.Bytes)
	}
	assert.Equal(t, []string{"stops-2026-11-23.csv text/csv", "stops-2026-11-23.xlsx application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", "stops-2026-11-23.pdf application/pdf", "stops-2026-11-23.json application/json"}, files)
}

// A mail server that is away is waited for once and not by each of many, and gets all when it is back.
func TestAMailServerThatIsAway(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := listener.Addr().String()
	require.NoError(t, listener.Close())
	server, err := deliver.ParseServer("smtp-plain://" + address)
	require.NoError(t, err)
	server.From = "reports@example.test"
	now := clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	s, _ := timetabled(t, t.TempDir(), now, func(c *base.Config) { c.Mail = server })
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("hourly", "{mail: {to: [a@example.test, b@example.test]}}"))})
	require.NoError(t, err)
	require.NoError(t, s.Schedules.Look(ctx))
	now.move(time.Hour)
	require.NoError(t, s.Schedules.Look(ctx))
	for _, d := range shown(t, s, "nightly").Last[0].Deliveries {
		assert.Equal(t, "waiting", d.State)
		assert.Nil(t, d.At)
		assert.Contains(t, d.Problem, "cannot be reached")
	}
	box := filepath.Join(t.TempDir(), "mail")
	listener, err = net.Listen("tcp", address)
	require.NoError(t, err)
	back := standin.NewMail(box, slog.Default())
	go func() { _ = back.Serve(listener) }()
	t.Cleanup(func() { back.Close() })
	now.move(time.Minute)
	require.NoError(t, s.Schedules.Look(ctx))
	for _, d := range shown(t, s, "nightly").Last[0].Deliveries {
		assert.Equal(t, "sent", d.State, d.Problem)
	}
	mails, err := standin.List(box, 10)
	require.NoError(t, err)
	assert.Len(t, mails, 2)
}

// A result is sent where it is what the schedule wants, and what is too large for a mail is linked.
func TestWhatIsSentWhen(t *testing.T) {
	server, box := posts(t)
	now := clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	s, records := timetabled(t, t.TempDir(), now, func(c *base.Config) {
		c.Mail, c.MailBytes, c.Address = server, 500, "https://reports.example.test"
	})
	var send []string
	for i, when := range []string{"always", "records", "changed", "records more than 1"} {
		send = append(send, fmt.Sprintf("{mail: {to: [to-%d@example.test], when: %s, attach: pdf}}", i, when))
	}
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("hourly", strings.Join(send, ", ")))})
	require.NoError(t, err)
	require.NoError(t, s.Schedules.Look(ctx))
	states := func() string {
		now.move(time.Hour)
		require.NoError(t, s.Schedules.Look(ctx))
		var all []string
		for _, d := range shown(t, s, "nightly").Last[0].Deliveries {
			all = append(all, d.State)
		}
		return strings.Join(all, " ")
	}
	assert.Equal(t, "sent not_wanted sent not_wanted", states(), "the first result is another one than none")
	assert.Equal(t, "sent not_wanted not_wanted not_wanted", states())
	_, err = records.Exec("INSERT INTO stops ([on], harbour, n) VALUES ('2026-11-22', 'Holm', 1)")
	require.NoError(t, err)
	assert.Equal(t, "sent sent sent not_wanted", states())
	_, err = records.Exec("INSERT INTO stops ([on], harbour, n) VALUES ('2026-11-22', '<b>Skerry</b>', 2)")
	require.NoError(t, err)
	assert.Equal(t, "sent sent sent sent", states())
	assert.Equal(t, "sent sent not_wanted sent", states())
	mails, err := standin.List(box, 1)
	require.NoError(t, err)
	m, err := standin.Read(box, mails[0].Name)
	require.NoError(t, err)
	assert.Empty(t, m.Files)
	assert.Contains(t, m.Text, "bytes, and a mail takes 500. The result is here: https://reports.example.test/receipts/5")
	assert.Contains(t, m.Text, "In all: Guests 3 people.")
	raw, err := os.ReadFile(filepath.Join(box, mails[0].Name))
	require.NoError(t, err)
	assert.NotContains(t, string(raw), "<b>Skerry</b>\r\n<", "a value is no markup")
	assert.Contains(t, string(raw), "&lt;b&gt;Skerry")
}

// A schedule runs with what its owner may at the time: one who may no more, or whose report is gone, is
// told so.
func TestTheOwnerOfASchedule(t *testing.T) {
	server, _ := posts(t)
	now := clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	s, records := timetabled(t, t.TempDir(), now, func(c *base.Config) { c.Mail = server })
	_, err := records.Exec("INSERT INTO stops ([on], harbour, n) VALUES ('2026-11-22', 'Holm', 1), ('2026-11-22', 'Skerry', 1)")
	require.NoError(t, err)
	for name, role := range map[string]string{"Ines": base.Admin} {
		_, err = s.People.Add(ctx, name, "gulls over the mole", role, people.Limits{})
		require.NoError(t, err)
	}
	_, err = s.People.Add(ctx, "Solveig", "gulls over the mole", base.Reader, people.Limits{Attributes: map[string][]string{"harbours": {"Holm"}}})
	require.NoError(t, err)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(strings.Replace(stopsOfADay, "sections:", "where: {harbour: {any_of: {person: harbours}}}, shelf: Quay, sections:", 1))})
	require.NoError(t, err)
	solveig := func() context.Context {
		who, there := s.Base.PersonNow(t.Context(), "Solveig", base.Admin)
		require.True(t, there)
		return base.WithPerson(t.Context(), who)
	}
	_, err = s.Schedules.Set(solveig(), "mine", `{pikegate: 1, schedule: mine, report: stops, answers: {days: yesterday}, at: hourly, send: [{mail: {to: [solveig@example.test]}}]}`)
	require.NoError(t, err)
	last := func() schedule.ScheduleTime {
		now.move(time.Hour)
		require.NoError(t, s.Schedules.Look(ctx))
		told, err := s.Schedules.Show(base.WithPerson(t.Context(), base.Person{Name: "Ines", Role: base.Admin}), "mine")
		require.NoError(t, err)
		return told.Last[0]
	}
	p := last()
	require.Equal(t, "done", p.State, p.Problem)
	r, err := s.Receipts.Find(solveig(), p.Receipt)
	require.NoError(t, err)
	assert.Equal(t, 1, r.Rows, "Holm alone")
	assert.Equal(t, "Solveig", r.Person)
	shelves := []string{"Elsewhere"}
	_, err = s.People.Set(ctx, "Solveig", people.PersonChange{Shelves: &shelves})
	require.NoError(t, err)
	now.move(time.Hour)
	require.NoError(t, s.Schedules.Look(ctx))
	told, err := s.Schedules.Show(base.WithPerson(t.Context(), base.Person{Name: "Ines", Role: base.Admin}), "mine")
	require.NoError(t, err)
	assert.Contains(t, told.Problem, `no report "stops"`)
	assert.Empty(t, told.Next)
	assert.Equal(t, "failed", told.Last[0].State, "and each time that was due tells it")
	_, err = s.Schedules.Show(base.WithPerson(t.Context(), base.Person{Name: "Arvid", Role: base.Reader}), "mine")
	assert.Equal(t, fault.UnknownSchedule, refusedAs(t, err))
	away := true
	_, err = s.People.Set(ctx, "Solveig", people.PersonChange{Away: &away})
	require.NoError(t, err)
	told, err = s.Schedules.Show(base.WithPerson(t.Context(), base.Person{Name: "Ines", Role: base.Admin}), "mine")
	require.NoError(t, err)
	assert.Contains(t, told.Problem, "Solveig may not sign in any more")
	require.NoError(t, s.Schedules.Drop(base.WithPerson(t.Context(), base.Person{Name: "Ines", Role: base.Admin}), "mine"))
}

// What people make for themselves sends mails, not too often, and takes no name of another.
func TestSchedulesOfOnesOwn(t *testing.T) {
	now := clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	s, _ := timetabled(t, t.TempDir(), now, func(c *base.Config) { c.MailDomains = []string{"example.test"} })
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("hourly", "{mail: {to: [a@example.test]}}"))})
	require.NoError(t, err)
	arvid := base.WithPerson(t.Context(), base.Person{Name: "Arvid", Role: base.Reader})
	text := func(name, at, send string) string {
		return fmt.Sprintf(`{pikegate: 1, schedule: %s, report: stops, answers: {days: yesterday}, at: %q, send: [%s]}`, name, at, send)
	}
	mail := "{mail: {to: [a@example.test]}}"
	_, err = s.Schedules.Set(arvid, "mine", text("mine", "hourly", mail))
	require.NoError(t, err)
	for _, c := range []struct {
		name, text string
		want       fault.Code
	}{
		{"nightly", text("nightly", "hourly", mail), fault.NameTaken},
		{"My own", text("mine", "hourly", mail), fault.WrongValue},
		{"other", text("other", "every 5 minutes", mail), fault.TooMany},
		{"other", text("other", "hourly", "{folder: {name: x.csv}}"), fault.WrongValue},
		{"other", text("other", "hourly", "{mail: {to: [a@elsewhere.test]}}"), fault.WrongValue},
		{"other", text("other", "whenever", mail), fault.NotATimetable},
		{"other", strings.Replace(text("other", "hourly", mail), "report: stops", "report: nothing", 1), fault.UnknownReport},
		{"other", strings.Replace(text("other", "hourly", mail), "yesterday", "someday", 1), fault.NotADate},
		{"other", "{", fault.NotYAML},
	} {
		_, err := s.Schedules.Set(arvid, c.name, c.text)
		assert.Equal(t, c.want, refusedAs(t, err), c.text)
	}
	berit := base.WithPerson(t.Context(), base.Person{Name: "Berit", Role: base.Reader})
	_, err = s.Schedules.Set(berit, "mine", text("mine", "hourly", mail))
	assert.Equal(t, fault.NameTaken, refusedAs(t, err))
	assert.Equal(t, fault.UnknownSchedule, refusedAs(t, s.Schedules.Drop(berit, "mine")))
	list, err := s.Schedules.List(arvid)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.True(t, list[0].Own)
	require.NoError(t, s.Schedules.Drop(arvid, "mine"))
	assert.Equal(t, fault.UnknownSchedule, refusedAs(t, s.Schedules.Drop(arvid, "mine")))
	assert.Equal(t, fault.Conflict, refusedAs(t, s.Schedules.Drop(ctx, "nightly")))
}

// A hook can tell that a post is ours, new, and whether it had it before; one that never answers or leads
// elsewhere gets nothing else.
func TestHooks(t *testing.T) {
	now := clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	var mu sync.Mutex
	var attempts []string
	answers := []int{500, 302, 200}
	hook := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		defer mu.Unlock()
		body, _ := io.ReadAll(r.Body)
		at, _ := strconv.ParseInt(r.Header.Get(deliver.TimeHeader), 10, 64)
		want := deliver.Signature([]byte("a secret of both"), r.Header.Get(deliver.IDHeader), time.Unix(at, 0), body)
		attempts = append(attempts, fmt.Sprint(r.Header.Get(deliver.IDHeader), " ", r.Header.Get(deliver.AttemptHeader), " ", want == r.Header.Get(deliver.SignatureHeader), " ", json.Valid(body), " ", r.URL.Path))
		w.Header().Set("Location", "/elsewhere")
		w.WriteHeader(answers[0])
		answers = answers[1:]
	}))
	defer hook.Close()
	host := strings.TrimPrefix(hook.URL, "http://")
	s, _ := timetabled(t, t.TempDir(), now, func(c *base.Config) {
		c.HookHosts, c.Sources = []string{host}, sourcetest.With("HOOK", "a secret of both")
	})
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("hourly", fmt.Sprintf("{hook: {url: %q, secret: {env: HOOK}}}, {hook: {url: 'http://169.254.0.1/', secret: {env: HOOK}}}", hook.URL+"/late")))})
	require.NoError(t, err)
	require.NoError(t, s.Schedules.Look(ctx))
	now.move(time.Hour)
	require.NoError(t, s.Schedules.Look(ctx))
	last := shown(t, s, "nightly").Last[0]
	assert.Equal(t, "waiting", last.Deliveries[0].State)
	assert.Contains(t, last.Deliveries[0].Problem, "500")
	assert.Equal(t, "failed", last.Deliveries[1].State)
	assert.Contains(t, last.Deliveries[1].Problem, "hook-hosts")
	now.move(time.Minute)
	require.NoError(t, s.Schedules.Look(ctx))
	assert.Equal(t, "failed", shown(t, s, "nightly").Last[0].Deliveries[0].State, "it leads elsewhere, where nothing is sent")
	assert.Equal(t, []string{"1-1 1 true true /late", "1-1 2 true true /late"}, attempts)
}

// A file appears whole, in the directory that is named, and nowhere else.
func TestFolders(t *testing.T) {
	now := clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	dir, outside := t.TempDir(), t.TempDir()
	s, _ := timetabled(t, dir, now, nil)
	deliveries := filepath.Join(dir, "deliveries")
	for _, path := range []string{"../out", "/out", "a/../../b", "a:b"} {
		_, err := s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("hourly", fmt.Sprintf("{folder: {path: %q, name: x.csv}}", path)))})
		assert.Equal(t, fault.WrongValue, refusedAs(t, err), path)
	}
	for _, name := range []string{"../x.csv", "a/x.csv", ".x.csv", "x.exe", "{nothing}.csv", "x"} {
		_, err := s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("hourly", fmt.Sprintf("{folder: {name: %q}}", name)))})
		assert.Contains(t, []fault.Code{fault.WrongValue, fault.NoSuchPlaceholder}, refusedAs(t, err), name)
	}
	require.NoError(t, os.Symlink(outside, filepath.Join(deliveries, "link")))
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(scheduled("hourly", `{folder: {path: link, name: x.csv}}, {folder: {path: kept, name: "{schedule}-{as_of}-{receipt}.json", keep: 1 day}}`))})
	require.NoError(t, err)
	require.NoError(t, s.Schedules.Look(ctx))
	now.move(time.Hour)
	require.NoError(t, s.Schedules.Look(ctx))
	last := shown(t, s, "nightly").Last[0]
	assert.Equal(t, "waiting", last.Deliveries[0].State, last.Deliveries[0].Problem)
	assert.Equal(t, "sent", last.Deliveries[1].State, last.Deliveries[1].Problem)
	entries, err := os.ReadDir(outside)
	require.NoError(t, err)
	assert.Empty(t, entries)
	file := filepath.Join(deliveries, "kept", "nightly-2026-11-23-1.json")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.True(t, json.Valid(text))
	other := filepath.Join(deliveries, "kept", "somebody-elses.json")
	require.NoError(t, os.WriteFile(other, []byte("{}"), 0o600))
	old := now.Now().Add(-48 * time.Hour)
	require.NoError(t, os.Chtimes(file, old, old))
	require.NoError(t, os.Chtimes(other, old, old))
	now.move(time.Hour) // they are looked for once an hour
	require.NoError(t, s.Schedules.Look(ctx))
	assert.NoFileExists(t, file)
	assert.FileExists(t, other)
}

// What was missed is left where the schedule says so, and is tried while a source is away.
func TestMissedAndFailedRuns(t *testing.T) {
	now := clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	dir := t.TempDir()
	s, records := timetabled(t, dir, now, nil)
	text := strings.Replace(scheduled("hourly", "{folder: {name: x.csv}}"), "zone: Europe/Helsinki, send", "zone: Europe/Helsinki, missed: skip, send", 1)
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(text)})
	require.NoError(t, err)
	require.NoError(t, s.Schedules.Look(ctx))
	now.move(150 * time.Minute)
	require.NoError(t, s.Schedules.Look(ctx))
	told := shown(t, s, "nightly")
	require.Len(t, told.Last, 1)
	assert.Equal(t, "skipped", told.Last[0].State)
	assert.Equal(t, "skip", told.Missed)
	_, err = records.Exec("ALTER TABLE stops RENAME TO gone")
	require.NoError(t, err)
	s.Base.Forget()
	now.move(30 * time.Minute)
	require.NoError(t, s.Schedules.Look(ctx))
	first := shown(t, s, "nightly").Last[0]
	assert.Equal(t, "claimed", first.State)
	assert.NotEmpty(t, first.Problem)
	_, err = records.Exec("ALTER TABLE gone RENAME TO stops")
	require.NoError(t, err)
	s.Base.Forget()
	now.move(time.Minute)
	require.NoError(t, s.Schedules.Look(ctx))
	mended := shown(t, s, "nightly").Last[0]
	assert.Equal(t, "done", mended.State, mended.Problem)
	assert.Equal(t, 2, mended.Tries)
	assert.Equal(t, "sent", mended.Deliveries[0].State)
	again, err := s.Schedules.RunNow(ctx, "nightly")
	require.NoError(t, err)
	assert.Equal(t, "done", again.Last[0].State)
	assert.Len(t, again.Last, 3)
}

// Proofs and findings are checked at the times of a schedule: who is to be told is told when something
// starts to fail and when all holds again, and not in between.
func TestChecksOnATimetable(t *testing.T) {
	server, box := posts(t)
	now := clockAt(time.Date(2026, 10, 22, 3, 0, 0, 0, time.UTC))
	s, records := timetabled(t, t.TempDir(), now, func(c *base.Config) { c.Mail = server })
	exec := func(query string) {
		t.Helper()
		_, err := records.Exec(query)
		require.NoError(t, err)
	}
	exec("INSERT INTO stops ([on], harbour, n) VALUES ('2026-10-20', 'Holm', 20), ('2026-10-21', 'Skerry', 1)")
	_, err := s.People.Add(ctx, "Ines", "gulls over the mole", base.Admin, people.Limits{Attributes: map[string][]string{"mail": {"ines@example.test"}}})
	require.NoError(t, err)
	ines := base.WithPerson(ctx, base.Person{Name: "Ines", Role: base.Admin})
	_, err = s.Publisher.Put(ines, publish.Put{Files: file(stopsOfADay + `---
{pikegate: 1, proof: twentieth, report: stops, as_of: 2026-10-22, answers: {days: 20 Oct 2026}, expect: {records: 1, totals: {n: 20}}}
---
{pikegate: 1, proof: both, report: stops, as_of: 2026-10-22, answers: {days: Oct 2026}, expect: {records: 2}}
---
{pikegate: 1, schedule: proofs, check: proofs, at: daily at 07:00, zone: Europe/Helsinki, tell: [office@example.test, ines@example.test]}
---
{pikegate: 1, schedule: twentieth, check: [twentieth], at: daily at 07:00, zone: Europe/Helsinki}
---
{pikegate: 1, schedule: everything, check: all, at: daily at 07:00, zone: Europe/Helsinki}
`)})
	require.NoError(t, err)
	require.NoError(t, s.Schedules.Look(ctx))
	day := func() (subjects []string) {
		t.Helper()
		before, err := standin.List(box, 1000)
		require.NoError(t, err)
		now.move(24 * time.Hour)
		require.NoError(t, s.Schedules.Look(ctx))
		mails, err := standin.List(box, 1000)
		require.NoError(t, err)
		for _, m := range mails[:len(mails)-len(before)] {
			read, err := standin.Read(box, m.Name)
			require.NoError(t, err)
			subjects = append(subjects, read.To+" "+read.Subject)
		}
		slices.Sort(subjects)
		return subjects
	}
	states := func() (all []string) {
		for _, name := range []string{"proofs", "twentieth", "everything"} {
			told := shown(t, s, name)
			all = append(all, told.Last[0].State)
		}
		return all
	}
	assert.Empty(t, day())
	assert.Equal(t, []string{"done", "done", "done"}, states())
	told := shown(t, s, "proofs")
	assert.Equal(t, []string{"", "all proofs", "every day at 07:00"}, []string{told.Report, told.Check, told.At})
	assert.Equal(t, []string{"mail to office@example.test and ines@example.test, where something starts to fail or all holds again"}, told.Send)
	assert.Equal(t, "the proof twentieth", shown(t, s, "twentieth").Check)

	exec("INSERT INTO stops ([on], harbour, n) VALUES ('2026-10-22', 'Holm', 5)")
	assert.Equal(t, []string{"ines@example.test everything: 1 thing does not hold", "ines@example.test proofs: 1 thing does not hold", "office@example.test proofs: 1 thing does not hold"}, day())
	assert.Equal(t, []string{"failed", "done", "failed"}, states())
	assert.Contains(t, shown(t, s, "proofs").Problem, "the records that must come back are 2, and 3 came")
	exec("INSERT INTO stops ([on], harbour, n) VALUES ('2026-10-23', 'Holm', 5)")
	assert.Empty(t, day(), "the same thing fails, with another figure")
	exec("UPDATE stops SET n = 21 WHERE [on] = '2026-10-20'")
	assert.Equal(t, []string{"ines@example.test everything: 2 things do not hold", "ines@example.test proofs: 2 things do not hold", "ines@example.test twentieth: 1 thing does not hold", "office@example.test proofs: 2 things do not hold"}, day())
	mails, err := standin.List(box, 1000)
	require.NoError(t, err)
	mail, err := standin.Read(box, mails[0].Name)
	require.NoError(t, err)
	assert.Contains(t, mail.Text, "n must come to 20, and comes to 21")
	assert.NotContains(t, mail.Text, "Receipt")
	exec("UPDATE stops SET n = 20 WHERE [on] = '2026-10-20'")
	exec("DELETE FROM stops WHERE [on] > '2026-10-21'")
	assert.Equal(t, []string{"ines@example.test everything: all holds again", "ines@example.test proofs: all holds again", "ines@example.test twentieth: all holds again", "office@example.test proofs: all holds again"}, day())
	assert.Empty(t, day())

	// A finding of the databases, which no proof looks at.
	exec("ALTER TABLE stops RENAME COLUMN harbour TO port")
	now.move(10 * time.Minute) // what is known of a table is known for a while
	assert.Contains(t, strings.Join(day(), "; "), "ines@example.test everything: ")
	assert.Contains(t, shown(t, s, "everything").Problem, "harbour")
	exec("ALTER TABLE stops RENAME COLUMN port TO harbour")
	now.move(10 * time.Minute)
	day()

	// With the rights of whose it is.
	_, err = s.People.Add(ines, "Tove", "the tide is never late", base.Admin, people.Limits{})
	require.NoError(t, err)
	_, err = s.People.Set(ines, "Ines", people.PersonChange{Role: base.Reader})
	require.NoError(t, err)
	day()
	assert.Equal(t, "to check what is published takes the role developer, and Ines is a reader", shown(t, s, "proofs").Problem)
	_, err = s.Schedules.Set(ines, "mine", "{pikegate: 1, schedule: mine, check: proofs, at: daily at 07:00, zone: Europe/Helsinki}")
	assert.ErrorContains(t, err, "a schedule of one's own runs a report")
}
