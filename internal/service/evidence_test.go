package service_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/load"
	"pikegate/internal/service"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/author"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
	"pikegate/internal/source/sourcetest"
)

// trips are a few records with all that evidence tells apart; what is asked of them
// stands in tripFiles.
const (
	trips = `CREATE TABLE trips (id INTEGER PRIMARY KEY, "on" TEXT, route TEXT, party INTEGER);
		INSERT INTO trips VALUES (1, '2026-03-01', 'Outer Loop', 2), (2, '2026-03-01', 'Kelp Point', 4), (3, '2026-03-15', 'Outer Loop', 6), (4, '2026-03-31', 'Outer Loop', 1),
			(5, '2026-02-28', 'Outer Loop', 9), (6, '2026-04-02', 'Kelp Point', 9), (7, '2026-05-05', 'Outer Loop', 3), (8, NULL, 'Outer Loop', 3), (9, '2026-02-30', 'Outer Loop', 3), (10, '2026-01-10', 'Kelp Point', 1)`
	tripFiles = `
pikegate: 1
source: harbour
zone: Europe/Helsinki
clock: Harbour time
---
pikegate: 1
dataset: trips
title: Trips
source: harbour
table: trips
key: [id]
columns:
  id: {type: integer}
  on: {type: date, stored: text, pattern: yyyy-MM-dd}
  route: {type: text}
  party: {type: integer}
---
pikegate: 1
prompt: days
ask: Which days?
type: period
default: Mar 2026
latest: 2026-12-31
---
pikegate: 1
prompt: route
ask: Which route?
type: text
---
pikegate: 1
query: trips
of: trips
show: [on, route, party]
where:
  all:
    - party: {at_least: 1}
    - on: {within: {prompt: days}}
    - route: {is: {prompt: route}}
sort: [on]
---
pikegate: 1
report: trips
title: Trips
prompts: [days, route]
sections: [{table: {query: trips}}]
`
)

// sailing opens a service with the trips. The records are written through what it
// returns beside it.
func sailing(t *testing.T, change func(*base.Config)) (*service.Service, *sql.DB) {
	t.Helper()
	dir := t.TempDir()
	config := base.Config{Dir: dir, RunTime: time.Minute, Sources: sourcetest.Rules, Now: func() time.Time { return time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC) }}
	if change != nil {
		change(&config)
	}
	records, err := sql.Open("sqlite3", base.RecordsPath(dir))
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	_, err = records.Exec(trips)
	require.NoError(t, err)
	s, err := service.Open(ctx, config)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(tripFiles)})
	require.NoError(t, err)
	return s, records
}

func answers(days, route string) map[string]prompt.Entered {
	return map[string]prompt.Entered{"days": prompt.OneText(days), "route": prompt.OneText(route)}
}

func ran(t *testing.T, s *service.Service, req answer.Request) *receipt.Receipt {
	t.Helper()
	req.Evidence = true
	started, err := s.Runs.Prepare(ctx, "trips", req)
	require.NoError(t, err)
	receipt, err := started.Stream(ctx, export.Whole{Writer: &pausing{}})
	require.NoError(t, err)
	return receipt
}

// counting is a log that counts what is sent to the databases.
type counting struct {
	mutex sync.Mutex
	sql   []string
}

// log has a service log there.
func (c *counting) log(to *base.Config) { to.Log = slog.New(c) }

// during are the statements that are sent while f runs.
func (c *counting) during(f func()) []string {
	before := c.count()
	f()
	c.mutex.Lock()
	defer c.mutex.Unlock()
	return c.sql[before:]
}

func (c *counting) count() int {
	c.mutex.Lock()
	defer c.mutex.Unlock()
	return len(c.sql)
}

func (*counting) Enabled(context.Context, slog.Level) bool { return true }

func (c *counting) Handle(_ context.Context, r slog.Record) error {
	r.Attrs(func(a slog.Attr) bool {
		if a.Key == "sql" {
			c.mutex.Lock()
			c.sql = append(c.sql, a.Value.String())
			c.mutex.Unlock()
		}
		return true
	})
	return nil
}

func (c *counting) WithAttrs([]slog.Attr) slog.Handler { return c }

func (c *counting) WithGroup(string) slog.Handler { return c }

func dated(day string) *receipt.Dated {
	d := civil.MustParseDay(day)
	return &receipt.Dated{Day: d, Spelled: d.Spelled()}
}

func number(n int64) *int64 { return &n }

// The whole evidence of one run, figure by figure.
func TestEvidence(t *testing.T) {
	s, _ := sailing(t, nil)
	r := ran(t, s, answer.Request{Answers: answers("Mar 2026", "Outer Loop")})
	all := int64(10)
	e := r.Evidence
	assert.Len(t, e.Fingerprint, 64)
	e.Fingerprint = ""
	assert.Equal(t, &receipt.Evidence{
		All: &all,
		Period: &receipt.Reconciliation{Column: "on", Says: "on from Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)",
			Before: 2, Inside: 4, After: 2, Missing: 1, Unreadable: 1},
		ConditionCounts: []receipt.ConditionCount{
			{Says: "on from Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days)", Left: 4, TookAway: number(6), At: "query trips:8:7"},
			{Says: "party at least 1", Left: 4, TookAway: number(0), At: "query trips:7:7"},
			{Says: "route is Outer Loop", Left: 3, TookAway: number(1), At: "query trips:9:7"}},
		Ends: &receipt.Ends{Column: "on", First: &receipt.EndDay{Dated: *dated("2026-03-01"), Records: 1}, Last: &receipt.EndDay{Dated: *dated("2026-03-31"), Records: 1},
			NearestBefore: dated("2026-02-28"), NearestAfter: dated("2026-05-05")},
		CompleteUpTo: dated("2026-05-05"), Statements: 2,
	}, e)
	kept, err := s.Receipts.Find(ctx, r.ID)
	require.NoError(t, err)
	spent := kept.Time
	assert.InDelta(t, kept.TookMS, spent.Checking+spent.Recording+spent.Waiting+spent.Database+spent.Sending+spent.Counting, 0.01)
	assert.Positive(t, spent.Database)
	assert.Positive(t, spent.Counting)
	assert.Equal(t, r.Evidence.ConditionCounts, kept.Evidence.ConditionCounts, "it is on record")
}

// The rows are read by one statement, and the evidence of eight conditions counted by
// two more, the rows first; a page takes one more, which reads all rows for the
// fingerprint.
func TestStatementsOfEvidence(t *testing.T) {
	var sent counting
	s, _ := sailing(t, sent.log)
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(`
pikegate: 1
query: sieve
of: trips
show: [id]
where:
  all: [{on: {within: {prompt: days}}}, {party: {at_least: 1}}, {party: {at_most: 100}}, {route: present}, {route: {is_not: Nowhere}}, {route: {none_of: [A, B]}}, {party: {less_than: 50}}, {any: [{party: present}, {route: present}]}]
sort: [on]
---
{pikegate: 1, report: sieve, title: Sieve, prompts: [days], sections: [{table: {query: sieve}}]}
`)})
	require.NoError(t, err)
	started := func(limit int) []string {
		return sent.during(func() {
			r, err := s.Runs.Prepare(ctx, "sieve", answer.Request{Evidence: true, Limit: limit})
			require.NoError(t, err)
			receipt, err := r.Stream(ctx, export.Whole{Writer: &pausing{}})
			require.NoError(t, err)
			assert.Len(t, receipt.Evidence.ConditionCounts, 8)
			assert.EqualValues(t, 4, receipt.Evidence.ConditionCounts[7].Left)
		})
	}
	started(0) // which asks for the structure of the table, for a minute
	three := started(0)
	require.Len(t, three, 3, strings.Join(three, "\n\n"))
	assert.True(t, strings.HasPrefix(three[0], `SELECT +"id"`), "the rows wait for nothing")
	assert.Len(t, started(1), 4)
}

// A changed row, or one that is added, moved or taken away, changes the fingerprint;
// the same answers again tell which.
func TestRunningAgain(t *testing.T) {
	s, records := sailing(t, nil)
	first := ran(t, s, answer.Request{Answers: answers("Mar 2026", "")})
	same, err := s.Runs.Again(ctx, first.ID, "")
	require.NoError(t, err)
	assert.True(t, same.Same)
	assert.Equal(t, first.ID, same.After.Again)
	assert.Equal(t, first.Evidence.Fingerprint, ran(t, s, answer.Request{Answers: answers("Mar 2026", ""), Limit: 1}).Evidence.Fingerprint, "a page stands for all")

	_, err = records.Exec(`UPDATE trips SET party = 7 WHERE id = 3; DELETE FROM trips WHERE id = 4; INSERT INTO trips VALUES (11, '2026-03-20', 'Kelp Point', 1)`)
	require.NoError(t, err)
	c, err := s.Runs.Again(ctx, first.ID, "")
	require.NoError(t, err)
	assert.False(t, c.Same)
	assert.Equal(t, []string{"id"}, c.Key)
	assert.Equal(t, &receipt.Differing{Records: 1, Keys: [][]string{{"11"}}}, c.Gained)
	assert.Equal(t, &receipt.Differing{Records: 1, Keys: [][]string{{"4"}}}, c.Lost)
	assert.Equal(t, &receipt.Differing{Records: 1, Keys: [][]string{{"3"}}}, c.Changed)

	// As it was: by the revisions of then. As of today: by those of now.
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(strings.Replace(tripFiles[strings.Index(tripFiles, "\npikegate: 1\nquery"):strings.Index(tripFiles, "---\npikegate: 1\nreport")], "at_least: 1", "at_least: 6", 1))})
	require.NoError(t, err)
	c, err = s.Runs.Again(ctx, first.ID, "")
	require.NoError(t, err)
	assert.EqualValues(t, 4, *c.After.Records)
	c, err = s.Runs.Again(ctx, first.ID, "today")
	require.NoError(t, err)
	assert.EqualValues(t, 1, *c.After.Records)
	assert.Equal(t, 3, c.Lost.Records)

	started, err := s.Runs.Prepare(ctx, "trips", answer.Request{})
	require.NoError(t, err)
	bare, err := started.Stream(ctx, export.Whole{Writer: &pausing{}})
	require.NoError(t, err)
	assert.Nil(t, bare.Evidence)
	c, err = s.Runs.Again(ctx, bare.ID, "")
	require.NoError(t, err)
	assert.Equal(t, "The first run was made without evidence, so that its rows are not known.", c.NotByRows)
}

// Why there are no records: the condition, the pair, what would be without, and where
// the nearest are.
func TestWhyEmpty(t *testing.T) {
	s, records := sailing(t, nil)
	why := func(days, route string) *receipt.WhyEmpty {
		r := ran(t, s, answer.Request{Answers: answers(days, route)})
		assert.Equal(t, receipt.NoRows, r.State)
		require.Empty(t, r.Evidence.NotComputed)
		return r.Evidence.Empty
	}
	w := why("Jul 2026", "")
	assert.Equal(t, "No record is left once on from Wed 1 Jul 2026 through Fri 31 Jul 2026 (31 days).", w.Says)
	assert.Equal(t, &receipt.Nearest{Prompt: "days", Answer: "May 2026", First: civil.MustParseDay("2026-05-01"), Last: civil.MustParseDay("2026-05-31"),
		Spelled: "Fri 1 May 2026 through Sun 31 May 2026 (31 days)", Records: 1}, w.Nearest)

	w = why("May 2026", "Kelp Point")
	assert.Equal(t, 3, w.Step)
	assert.Equal(t, []receipt.Pair{{One: "on from Fri 1 May 2026 through Sun 31 May 2026 (31 days)", Other: "route is Kelp Point"}}, w.Pairs)
	assert.Equal(t, []receipt.WithoutCondition{{Says: "on from Fri 1 May 2026 through Sun 31 May 2026 (31 days)", Records: 3}, {Says: "route is Kelp Point", Records: 1}}, w.Without)
	assert.Equal(t, "Apr 2026", w.Nearest.Answer)

	w = why("May 2026", "Nowhere")
	assert.Equal(t, "No record is left once route is Nowhere. No period has a record that the other conditions hold for.", w.Says)
	assert.Nil(t, w.Nearest)

	// An operator that leaves out the day that it is answered with is offered the day
	// beside that of the nearest record.
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(`
{pikegate: 1, prompt: since, ask: Since, type: day}
---
{pikegate: 1, query: since, of: trips, show: [on], where: {on: {after: {prompt: since}}}, sort: [on]}
---
{pikegate: 1, report: since, title: Since, prompts: [since], sections: [{table: {query: since}}]}
---
{pikegate: 1, query: until, of: trips, show: [on], where: {on: {before: {prompt: since}}}, sort: [on]}
---
{pikegate: 1, report: until, title: Until, prompts: [since], sections: [{table: {query: until}}]}
`)})
	require.NoError(t, err)
	for report, c := range map[string]struct{ asked, answer, spelled string }{
		"since": {"2026-05-05", "2026-05-04", "Tue 5 May 2026 (1 day)"}, "until": {"2026-01-10", "2026-01-11", "Sat 10 Jan 2026 (1 day)"},
	} {
		started, err := s.Runs.Prepare(ctx, report, answer.Request{Answers: map[string]prompt.Entered{"since": prompt.OneText(c.asked)}, Evidence: true})
		require.NoError(t, err)
		r, err := started.Stream(ctx, export.Whole{Writer: &pausing{}})
		require.NoError(t, err)
		near := r.Evidence.Empty.Nearest
		assert.Equal(t, []any{c.answer, c.spelled, int64(1)}, []any{near.Answer, near.Spelled, near.Records}, report)
	}

	// A period that the prompt would refuse is not offered; a day of it may be.
	_, err = records.Exec("DELETE FROM trips; INSERT INTO trips VALUES (1, '2027-02-01', 'Outer Loop', 2), (2, '2026-12-20', 'Outer Loop', 2)")
	require.NoError(t, err)
	assert.Equal(t, "2026-12-20", why("2026-08-01 to 2026-08-20", "").Nearest.Answer)
	_, err = records.Exec("DELETE FROM trips")
	require.NoError(t, err)
	assert.Equal(t, "The dataset has no records at all.", why("May 2026", "").Says)
}

// writing is a reader that does something at its first row.
type writing struct {
	pausing
	then func() error
}

func (w *writing) Row([]value.Value) error { return w.then() }

// Every way for a run to end is a state of its own, with words of its own, on record.
func TestStates(t *testing.T) {
	states := map[receipt.State]int{}
	state := func(want receipt.State, problem string, s *service.Service, started func(ctx context.Context) error) {
		t.Helper()
		own, cancel := context.WithCancel(ctx)
		defer cancel()
		err := started(context.WithValue(own, cancelKey{}, cancel))
		all, _, errHistory := s.Receipts.History(ctx, receipt.Wanted{Most: 1})
		require.NoError(t, errHistory)
		require.Len(t, all, 1)
		assert.Equal(t, want, all[0].State, "%v", err)
		assert.Contains(t, all[0].Problem, problem)
		assert.Equal(t, want.Says(), all[0].Says)
		if states[want]++; problem != "" {
			var kept *receipt.RunError
			require.ErrorAs(t, err, &kept)
			assert.Equal(t, all[0].ID, kept.Receipt)
		}
	}
	started := func(s *service.Service, report string, req answer.Request, w *writing) func(context.Context) error {
		return func(ctx context.Context) error {
			r, err := s.Runs.Prepare(ctx, report, req)
			if err != nil {
				return err
			}
			if cancel, ok := ctx.Value(cancelKey{}).(context.CancelFunc); ok && w.then == nil {
				w.then = func() error { cancel(); return ctx.Err() }
			}
			_, err = r.Stream(ctx, export.Whole{Writer: w})
			return err
		}
	}
	fine := func() *writing { return &writing{then: func() error { return nil }} }
	s, _ := sailing(t, nil)
	state(receipt.Rows, "", s, started(s, "trips", answer.Request{}, fine()))
	state(receipt.NoRows, "", s, started(s, "trips", answer.Request{Answers: answers("2020", "")}, fine()))
	state(receipt.Refused, "there is no 30 February 2026", s, started(s, "trips", answer.Request{Answers: answers("30 Feb 2026", "")}, fine()))
	state(receipt.Refused, "as of:", s, started(s, "trips", answer.Request{AsOf: "soon"}, fine()))
	state(receipt.Cancelled, "whoever asked went away", s, started(s, "trips", answer.Request{}, &writing{then: func() error { return errors.New("broken pipe") }}))
	state(receipt.Cancelled, "context canceled", s, started(s, "trips", answer.Request{}, &writing{}))

	slow := strings.Replace(tripFiles[strings.Index(tripFiles, "\npikegate: 1\ndataset"):], "table: trips", "sql: |\n  WITH RECURSIVE n(id) AS (SELECT 1 UNION ALL SELECT id + 1 FROM n WHERE id < 100000000)\n  SELECT id, '2026-03-01' AS \"on\", 'x' AS route, 1 AS party FROM n", 1)
	s, _ = sailing(t, func(c *base.Config) { c.RunTime = 200 * time.Millisecond })
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(slow)})
	require.NoError(t, err)
	state(receipt.CutByTime, "the run took longer than it may: 200ms", s, started(s, "trips", answer.Request{}, fine()))
	cut, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 1})
	require.NoError(t, err)
	assert.GreaterOrEqual(t, cut[0].TookMS, 200.0, "the time that it took is told all the same")

	s, _ = sailing(t, nil)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(strings.Replace(tripFiles[:strings.Index(tripFiles, "---")], "clock:", "limits: {at_once: 1, waiting: 0}\nclock:", 1))})
	require.NoError(t, err)
	second, err := s.Runs.Prepare(ctx, "trips", answer.Request{Limit: 1, Uncounted: true})
	require.NoError(t, err)
	third, err := s.Runs.Prepare(ctx, "trips", answer.Request{}) // whose receipt is the last
	require.NoError(t, err)
	state(receipt.SourceBusy, "its queue is full", s, func(ctx context.Context) (busy error) {
		_, err := second.Stream(ctx, export.Whole{Writer: &writing{then: func() error {
			_, busy = third.Stream(ctx, export.Whole{Writer: fine()})
			return nil
		}}})
		return errors.Join(busy, err)
	})

	s, records := sailing(t, nil)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(strings.Replace(tripFiles[:strings.Index(tripFiles, "---")], "clock:", "limits: {rows: 2}\nclock:", 1))})
	require.NoError(t, err)
	state(receipt.CutBySize, "the result has more rows than its source allows: 2", s, started(s, "trips", answer.Request{}, fine()))
	_, err = records.Exec("DROP TABLE trips")
	require.NoError(t, err)
	state(receipt.SourceNotReady, "no such table: trips", s, started(s, "trips", answer.Request{}, fine()))
	for _, known := range receipt.States {
		switch known.State {
		case receipt.Running, receipt.Interrupted, receipt.InError, receipt.FailedByService: // provoked elsewhere; the last is for what nobody foresees
		default:
			assert.Positive(t, states[known.State], known.State)
		}
	}
}

type cancelKey struct{}

// handing is a reader that does something when the rows are handed on.
type handing struct {
	pausing
	then func()
}

func (h *handing) Flush() error {
	h.then()
	return nil
}

// The rows and the evidence are of one snapshot, whatever happens in between. Where the
// engine has none, as MariaDB's older tables have not, a change is told.
func TestDataThatChangeMeanwhile(t *testing.T) {
	changed := func(s *service.Service, change func()) *receipt.Receipt {
		started, err := s.Runs.Prepare(ctx, "trips", answer.Request{Evidence: true})
		require.NoError(t, err)
		r, err := started.Stream(ctx, export.Whole{Writer: &handing{then: change}})
		require.NoError(t, err)
		require.Empty(t, r.Evidence.NotComputed)
		return r
	}
	const more = `INSERT INTO trips VALUES (100, '2026-03-20', 'Outer Loop', 2)`
	s, records := sailing(t, nil)
	_, err := records.Exec("PRAGMA journal_mode = WAL") // so that one can write while others read
	require.NoError(t, err)
	r := changed(s, func() {
		_, err := records.Exec(more)
		require.NoError(t, err)
	})
	assert.False(t, r.Evidence.DataChanged)
	assert.EqualValues(t, 10, *r.Evidence.All)

	for engine, snapshots := range map[string]bool{"InnoDB": true, "MyISAM": false} {
		t.Run(engine, func(t *testing.T) {
			db := sourcetest.Open(t, catalog.MariaDB)
			db.Exec(t, "CREATE TABLE trips (id INTEGER PRIMARY KEY, `on` VARCHAR(10), route VARCHAR(20), party INTEGER) ENGINE="+engine)
			db.Exec(t, trips[strings.Index(trips, "INSERT"):])
			s := open(t, t.TempDir(), time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
			at := fmt.Sprintf("engine: mariadb\naddress: {env: %s}\nschema: %s\nclock:", sourcetest.Variables[catalog.MariaDB], db.At.Schema)
			_, err := s.Publisher.Put(ctx, publish.Put{Files: file(strings.Replace(tripFiles, "clock:", at, 1))})
			require.NoError(t, err)
			r := changed(s, func() { db.Exec(t, more) })
			assert.Equal(t, !snapshots, r.Evidence.DataChanged)
			assert.EqualValues(t, 4, *r.Records, "the rows that were sent")
		})
	}
}

// What cannot be counted in time says so; the rows stand.
func TestEvidenceInTime(t *testing.T) {
	s, _ := sailing(t, func(c *base.Config) { c.EvidenceTime = time.Nanosecond })
	r := ran(t, s, answer.Request{Limit: 2})
	assert.Equal(t, receipt.Rows, r.State)
	assert.Equal(t, 2, r.Rows)
	assert.Equal(t, []string{"where the records lie: it took longer than evidence may"}, r.Evidence.NotComputed)
	assert.Nil(t, r.Records)
	assert.Nil(t, r.Evidence.All)
	assert.NotEmpty(t, ran(t, s, answer.Request{}).Evidence.Fingerprint, "which costs nothing where all rows were sent")
}

// A proof that brings something else stops publishing, is found at a check, and says
// what came.
func TestProofs(t *testing.T) {
	s, records := sailing(t, nil)
	first := ran(t, s, answer.Request{Answers: answers("Mar 2026", "Outer Loop")})
	proof := fmt.Sprintf(`pikegate: 1
proof: march
report: trips
as_of: 2026-11-23
answers: {days: Mar 2026, route: Outer Loop}
expect:
  records: 3
  with: [1, 3]
  without: [2]
  totals: {party: 9}
  fingerprint: %s
`, first.Evidence.Fingerprint)
	checked := func(text string) string {
		found, err := s.Publisher.Check(ctx, file(text))
		require.NoError(t, err)
		return found.Error()
	}
	assert.Empty(t, checked(proof))
	wrong := strings.NewReplacer("records: 3", "records: 4", "with: [1, 3]", "with: [1, 5]", "without: [2]", "without: [3]", "party: 9", "party: 10", "fingerprint: "+first.Evidence.Fingerprint[:1], "fingerprint: 0").Replace(proof)
	if first.Evidence.Fingerprint[0] == '0' {
		wrong = strings.Replace(wrong, "fingerprint: 0", "fingerprint: 1", 1)
	}
	found := checked(wrong)
	for _, want := range []string{
		"f.yaml:7:12: the records that must come back are 4, and 3 came [proof_failed]", "f.yaml:8:9: the record 5 must be there, and is not [proof_failed]",
		"f.yaml:9:12: the record 3 must not be there, and is [proof_failed]", "f.yaml:10:11: party must come to 10, and comes to 9 [proof_failed]",
		"f.yaml:11:16: the fingerprint must be ", "and is " + first.Evidence.Fingerprint + " [proof_failed]",
	} {
		assert.Contains(t, found, want)
	}
	assert.Equal(t, `f.yaml:7:12: the proof "march" could not be run: there is no 30 February 2026; the month has 28 days; did you mean "28 Feb 2026"? [proof_failed]`,
		checked(strings.Replace(proof[:strings.Index(proof, "  with:")], "days: Mar 2026", "days: 30 Feb 2026", 1)))

	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(proof)})
	require.NoError(t, err)
	query := strings.Replace(tripFiles[strings.Index(tripFiles, "\npikegate: 1\nquery"):strings.Index(tripFiles, "---\npikegate: 1\nreport")], "at_least: 1", "at_least: 2", 1)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(query)})
	var refusal *base.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Contains(t, err.Error(), "the records that must come back are 3, and 2 came [proof_failed]")
	assert.EqualValues(t, 3, *ran(t, s, answer.Request{Answers: answers("Mar 2026", "Outer Loop")}).Records, "what was published stays")
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(query), Draft: true})
	require.NoError(t, err, "a draft is stored with what is wrong")
	assert.Error(t, s.Publisher.Publish(ctx, catalog.Ref{Kind: catalog.KindQuery, Name: "trips"}, 0))

	_, err = records.Exec("UPDATE trips SET party = 3 WHERE id = 3")
	require.NoError(t, err)
	assert.Contains(t, checked(proof), "party must come to 9, and comes to 6 [proof_failed]")
	all, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 100})
	require.NoError(t, err)
	assert.Len(t, all, 2, "proofs are no runs")
}

// Two versions on the same answers: what becomes of the rows when a condition changes.
func TestComparingVersions(t *testing.T) {
	s, _ := sailing(t, nil)
	query := tripFiles[strings.Index(tripFiles, "\npikegate: 1\nquery"):strings.Index(tripFiles, "---\npikegate: 1\nreport")]
	c, err := s.Runs.Compare(ctx, "trips", run.Versions{Request: answer.Request{Answers: answers("Mar 2026", "Outer Loop")},
		After: file(strings.Replace(query, "  all:", "  any:", 1))})
	require.NoError(t, err)
	assert.EqualValues(t, 3, *c.Before.Records)
	assert.EqualValues(t, 10, *c.After.Records)
	assert.Equal(t, 7, c.Gained.Records)
	assert.Zero(t, c.Lost.Records)
	_, err = s.Runs.Compare(ctx, "trips", run.Versions{After: file(strings.Replace(query, "at_least", "at_lest", 1))})
	assert.ErrorContains(t, err, "at_lest")
	all, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 10})
	require.NoError(t, err)
	assert.Empty(t, all)

	started, err := s.Runs.Prepare(ctx, "trips", answer.Request{Files: file(strings.Replace(query, "at_least: 1", "at_least: 4", 1))})
	require.NoError(t, err)
	r, err := started.Stream(ctx, export.Whole{Writer: &pausing{}})
	require.NoError(t, err)
	assert.EqualValues(t, 2, *r.Records, "tried before it is published")
	assert.Zero(t, r.ID)
}

// The histogram counts by one statement beside the two that look for the ends of the data,
// and is taken for true for a minute, or until a load.
func TestHistograms(t *testing.T) {
	now := clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	var log counting
	s, records := sailing(t, func(c *base.Config) {
		c.Now = now.Now
		log.log(c)
	})
	var histogram *answer.Histogram
	asked := func() (n int) {
		for _, sent := range log.during(func() {
			var err error
			histogram, err = s.Answers.Histogram(ctx, "trips", "days", "")
			require.NoError(t, err)
		}) {
			if !strings.Contains(sent, "pragma_") && !strings.Contains(sent, "LIMIT 1000") && !strings.Contains(sent, "AS one") { // which ask for the table itself
				n++
			}
		}
		return n
	}
	counts := func() (all []string) {
		for _, u := range histogram.Units {
			all = append(all, fmt.Sprintf("%s %d", u.Phrase, u.Records))
		}
		return all
	}
	assert.Equal(t, 3, asked())
	assert.Equal(t, []string{"Jan 2026 1", "Feb 2026 1", "Mar 2026 4", "Apr 2026 1", "May 2026 1"}, counts())
	assert.Equal(t, "Thu 1 Jan 2026 through Sat 31 Jan 2026 (31 days)", histogram.Units[0].Spelled)
	_, err := records.Exec("INSERT INTO trips VALUES (20, '1999-12-31', 'x', 1)")
	require.NoError(t, err)
	assert.Zero(t, asked())
	now.move(61 * time.Second)
	assert.Equal(t, 3, asked())
	assert.Equal(t, "quarter", histogram.Unit, "so many months are counted by quarters")
	assert.Equal(t, "Q4 1999 1", counts()[0])
	_, err = s.Author.Load(ctx, strings.NewReader("id,on,route,party\n30,2026-06-01,x,1\n"), -1, load.Request{Table: "trips", Mode: load.Append})
	require.NoError(t, err)
	assert.Equal(t, 3, asked())
	assert.Equal(t, "Q2 2026 3", counts()[len(histogram.Units)-1])
	assert.Equal(t, &receipt.Loaded{At: now.Now(), By: "Ines", Rows: 1}, ran(t, s, answer.Request{}).Evidence.Loaded)
	_, err = s.Answers.Histogram(ctx, "trips", "dys", "")
	assert.ErrorContains(t, err, `no prompt "dys"`)
	histogram, err = s.Answers.Histogram(ctx, "trips", "days", "2026-03")
	require.NoError(t, err)
	assert.Len(t, histogram.Units, 31)
	assert.Equal(t, []string{"1 Mar 2026 2", "2 Mar 2026 0"}, counts()[:2])
	assert.Equal(t, "31 Mar 2026 1", counts()[30])
	_, err = s.Answers.Histogram(ctx, "trips", "days", "2026-13")
	assert.EqualError(t, err, `"2026-13" is not a month; write it like 2026-03 [not_a_month]`)
}

// What will match is told without running it, and what a run would be is explained.
func TestBeforeTheRun(t *testing.T) {
	s, _ := sailing(t, nil)
	m, err := s.Answers.Matches(ctx, "trips", answer.Request{Answers: answers("Mar 2026", "Outer Loop")})
	require.NoError(t, err)
	assert.Equal(t, &answer.Matches{Records: 3, Of: 4}, m)
	e, err := s.Answers.Explain(ctx, "trips", answer.Request{Answers: answers("Mar 2026", "Outer Loop")})
	require.NoError(t, err)
	assert.Contains(t, e.ReadBack, "Trips party at least 1, on from Sun 1 Mar 2026 through Tue 31 Mar 2026 (31 days), and route is Outer Loop")
	assert.Equal(t, []string{"1", "2026-03-01", "2026-04-01", "Outer Loop"}, e.Values)
	assert.Contains(t, strings.Join(e.Plan, "\n"), "SCAN trips")
	assert.True(t, e.ReadsWholeTable)
	assert.Empty(t, e.Indexes)
	all, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 10})
	require.NoError(t, err)
	assert.Empty(t, all, "nothing was run")
}

// What phrases mean on telling days, before they are published too.
func TestRehearsal(t *testing.T) {
	s, _ := sailing(t, nil)
	r, err := s.Author.Rehearse(ctx, "trips", author.Tried{Files: file("pikegate: 1\nprompt: days\nask: Which days?\ntype: period\ndefault: last month\noffer: [yesterday]\nlatest: today\n")})
	require.NoError(t, err)
	means := map[string]string{}
	for i, d := range r.Days {
		means[d.Day.String()+" "+d.Why] = r.Phrases[0].Means[i].Spelled
	}
	assert.Equal(t, "Mon 1 Jan 2024 through Wed 31 Jan 2024 (31 days)", means["2024-02-29 leap day"])
	assert.Equal(t, "Sun 1 Feb 2026 through Sat 28 Feb 2026 (28 days)", means["2026-03-29 clocks change"])
	assert.Equal(t, "Sun 1 Feb 2026 through Sat 28 Feb 2026 (28 days)", means["2026-03-31 after a shorter month"])
	assert.Equal(t, "Sun 1 Nov 2026 through Mon 30 Nov 2026 (30 days)", means["2026-12-31 end of a year"])
	var phrases []string
	for _, p := range r.Phrases {
		phrases = append(phrases, p.Where+": "+p.Phrase)
	}
	assert.Equal(t, []string{"default of days: last month", "offered by days: yesterday", "latest of days: today"}, phrases)
	r, err = s.Author.Rehearse(ctx, "trips", author.Tried{AsOf: []string{"1 Mar 2026"}})
	require.NoError(t, err)
	assert.Equal(t, []author.TellingDay{{Day: civil.MustParseDay("2026-03-01"), Spelled: "Sun 1 Mar 2026", Why: "asked for"}}, r.Days)
}

// History by report, person, state and day, in pages, and no longer than it is kept.
func TestHistory(t *testing.T) {
	now := clockAt(time.Date(2026, 11, 22, 21, 30, 0, 0, time.UTC)) // 23:30 in the harbour
	dir := ""
	s, _ := sailing(t, func(c *base.Config) {
		dir = c.Dir
		c.Now, c.KeepDays = now.Now, 400
	})
	ran(t, s, answer.Request{})
	now.move(time.Hour)
	ran(t, s, answer.Request{Answers: answers("2020", "")})
	_, err := s.Runs.Prepare(base.WithPerson(ctx, base.Person{Name: "Tove"}), "trips", answer.Request{Answers: answers("soon", "")})
	require.Error(t, err)
	numbers := func(w receipt.Wanted) (all []int64) {
		w.Most = 2
		found, more, err := s.Receipts.History(ctx, w)
		require.NoError(t, err)
		for _, r := range found {
			all = append(all, r.ID)
		}
		if more {
			all = append(all, 0)
		}
		return all
	}
	assert.Equal(t, []int64{3, 2, 0}, numbers(receipt.Wanted{}))
	assert.Equal(t, []int64{1}, numbers(receipt.Wanted{Before: 2}))
	assert.Equal(t, []int64{3}, numbers(receipt.Wanted{Person: "Tove"}))
	assert.Equal(t, []int64{2}, numbers(receipt.Wanted{State: receipt.NoRows}))
	assert.Equal(t, []int64{1}, numbers(receipt.Wanted{State: receipt.Rows}))
	assert.Equal(t, []int64{1}, numbers(receipt.Wanted{Day: "22 Nov 2026"}))
	assert.Equal(t, []int64{3, 2}, numbers(receipt.Wanted{Day: "today"}))
	assert.Nil(t, numbers(receipt.Wanted{Report: "other"}))
	require.NoError(t, s.Close())

	now.set(now.Now().AddDate(0, 0, 20))
	s, err = service.Open(ctx, base.Config{Dir: dir, RunTime: time.Minute, KeepDays: 20, Now: func() time.Time { return now.Now().Add(-30 * time.Minute) }})
	require.NoError(t, err)
	defer s.Close()
	require.Eventually(t, func() bool { return len(numbers(receipt.Wanted{})) == 2 }, 5*time.Second, 10*time.Millisecond, "the first is more than 20 days old")
	_, err = s.Receipts.Find(ctx, 1)
	assert.EqualError(t, err, "no receipt 1 [unknown_receipt]")
}
