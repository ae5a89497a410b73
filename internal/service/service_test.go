package service_test

import (
	"context"
	"database/sql"
	"fmt"
	"log/slog"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source/sourcetest"
	"pikegate/internal/store"
)

var ctx = base.WithPerson(context.Background(), base.Person{Name: "Ines", Role: "developer"})

const kiritimati = `
pikegate: 1
source: harbour
zone: Pacific/Kiritimati
---
pikegate: 1
dataset: t
source: harbour
table: t
key: [id]
columns:
  id: {type: integer}
  on: {type: date, stored: text, pattern: yyyy-MM-dd}
---
pikegate: 1
prompt: day
ask: Which day?
type: day
default: today
---
pikegate: 1
query: q
of: t
show: [id]
where: {on: {is: {prompt: day}}}
---
pikegate: 1
report: one
title: One
prompts: [day]
sections: [{table: {query: q}}]
`

func file(text string) []catalog.File { return []catalog.File{{Name: "f.yaml", Text: text}} }

// clock is the time of a service in a test, which sets it while parts of the service go on by
// themselves.
type clock struct{ at atomic.Pointer[time.Time] }

func clockAt(at time.Time) *clock {
	c := &clock{}
	c.set(at)
	return c
}

func (c *clock) Now() time.Time        { return *c.at.Load() }
func (c *clock) set(at time.Time)      { c.at.Store(&at) }
func (c *clock) move(by time.Duration) { c.set(c.Now().Add(by)) }

func open(t *testing.T, dir string, now time.Time, change ...func(*base.Config)) *service.Service {
	t.Helper()
	c := base.Config{Dir: dir, RunTime: time.Minute, Now: func() time.Time { return now }, Sources: sourcetest.Rules}
	for _, change := range change {
		change(&c)
	}
	s, err := service.Open(ctx, c)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

// variable has an environment variable hold something for a service.
func variable(name, value string) func(*base.Config) {
	return func(c *base.Config) { c.Sources = sourcetest.With(name, value) }
}

// Today is the day that clocks show in the zone of the report, unless the
// service was told another; the caller's as-of day wins over both.
func TestWhatDayItIs(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir, time.Date(2026, 11, 23, 11, 0, 0, 0, time.UTC))
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(kiritimati)})
	require.NoError(t, err)
	asked := func(asOf string) string {
		reading, err := s.Answers.Understand(ctx, "one", answer.Request{AsOf: asOf})
		require.NoError(t, err)
		return reading.Answers[0].Spelled
	}
	assert.Equal(t, "Tue 24 Nov 2026", asked(""), "on Kiritimati, 14 hours ahead, it is the next day already")
	assert.Equal(t, "Sun 1 Mar 2026", asked("1 Mar 2026"))
	assert.Equal(t, "Mon 23 Nov 2026", asked("yesterday"))
	require.NoError(t, s.Base.SetToday(ctx, civil.MustParseDay("2024-02-29")))
	assert.Equal(t, "Thu 29 Feb 2024", asked(""))
	require.NoError(t, s.Close())
	s = open(t, dir, time.Now())
	assert.Equal(t, "Thu 29 Feb 2024", asked(""), "what it was told is there after a restart")
}

func TestDefinitionsOutliveARestart(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir, time.Now())
	stored, err := s.Publisher.Put(ctx, publish.Put{Files: file(kiritimati)})
	require.NoError(t, err)
	assert.Len(t, stored.Stored, 5)
	require.NoError(t, s.Close())
	s = open(t, dir, time.Now())
	assert.Len(t, s.Base.Reports(t.Context(), ""), 1)
	stored, err = s.Publisher.Put(ctx, publish.Put{Files: file(kiritimati)})
	require.NoError(t, err)
	for _, d := range stored.Stored {
		assert.Equal(t, store.Same, d.Change, d.Name)
	}
}

// A definition in the store that does not fit any more takes its report away
// and nothing else; the report is never run without the condition that broke.
func TestABrokenDefinitionIsLeftOut(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir, time.Now())
	two := strings.NewReplacer("query: q", "query: r", "report: one", "report: two").Replace(kiritimati[strings.Index(kiritimati, "---\npikegate: 1\nquery"):])
	_, err := s.Publisher.Put(ctx, publish.Put{Files: append(file(kiritimati), catalog.File{Name: "g.yaml", Text: two})})
	require.NoError(t, err)
	require.NoError(t, s.Close())

	own, err := store.Open(filepath.Join(dir, "pikegate.db"), 0, slog.Default())
	require.NoError(t, err)
	broken := catalog.Document{Ref: catalog.Ref{Kind: catalog.KindQuery, Name: "q"}, File: "f.yaml", Line: 1,
		Text: "pikegate: 1\nquery: q\nof: t\nshow: [id]\nwhere: {gone: missing}\n"}
	_, err = own.Put(ctx, []catalog.Document{broken}, store.Save{By: "nobody", Now: time.Now()}, func([]catalog.Document) error { return nil })
	require.NoError(t, err)
	require.NoError(t, own.Close())

	s = open(t, dir, time.Now())
	var names []string
	for _, r := range s.Base.Reports(t.Context(), "") {
		names = append(names, r.Name)
	}
	assert.Equal(t, []string{"two"}, names)
	_, err = s.Runs.Prepare(ctx, "one", answer.Request{})
	var refusal *base.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Equal(t, fault.DefinitionInError, refusal.Kind)
	assert.EqualError(t, err, `f.yaml:31:28: no query "q" [unknown_query]`)
	all, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 10})
	require.NoError(t, err)
	require.Len(t, all, 1, "it is on record")
	assert.Equal(t, receipt.InError, all[0].State)
}

// Developers who publish at the same time: each sees all or nothing, and the
// catalog is the one that was stored last.
func TestPublishingAtTheSameTime(t *testing.T) {
	s := open(t, t.TempDir(), time.Now())
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(kiritimati)})
	require.NoError(t, err)
	var all sync.WaitGroup
	for n := range 8 {
		all.Go(func() {
			text := fmt.Sprintf("pikegate: 1\nreport: r%d\ntitle: R\nprompts: [day]\nsections: [{table: {query: q}}]\n", n)
			_, err := s.Publisher.Put(ctx, publish.Put{Files: file(text)})
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.Len(t, s.Base.Reports(t.Context(), ""), 9)
}

// A named period of the business is there for prompts and answers alike.
func TestASeasonOfTheBusiness(t *testing.T) {
	s := open(t, t.TempDir(), time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC))
	const season = `
---
pikegate: 1
period: summer-season
from: 1 Jun
through: 31 Aug
---
pikegate: 1
prompt: days
ask: Which days?
type: period
default: last summer-season
offer: [next summer-season]
---
pikegate: 1
query: s
of: t
show: [id]
where: {on: {within: {prompt: days}}}
---
pikegate: 1
report: seasonal
title: Seasonal
prompts: [days]
sections: [{table: {query: s}}]
`
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(kiritimati + season)})
	require.NoError(t, err)
	reading, err := s.Answers.Understand(ctx, "seasonal", answer.Request{})
	require.NoError(t, err)
	assert.Equal(t, "Mon 1 Jun 2026 through Mon 31 Aug 2026 (92 days)", reading.Answers[0].Spelled)
	on, err := s.Answers.ReportOn(ctx, "seasonal", "1 Jul 2026")
	require.NoError(t, err)
	assert.Equal(t, "2027-06-01/2027-08-31", on.Offers["days"][0].Answer.Period.String())

	_, err = s.Publisher.Put(ctx, publish.Put{Files: file("pikegate: 1\nprompt: p\nask: Which?\ntype: period\ndefault: last sumer-season\n")})
	assert.EqualError(t, err, `f.yaml:5:10: default: "last sumer-season" is not a period; write it like 1 Mar 2026 to 5 Mar 2026, Mar 2026 or last month; did you mean "last summer-season"? [outside_own_limits]`)
}

func TestTheSameNameTwiceInOneUpload(t *testing.T) {
	s := open(t, t.TempDir(), time.Now())
	_, err := s.Publisher.Put(ctx, publish.Put{Files: append(file(kiritimati), catalog.File{Name: "g.yaml", Text: "\npikegate: 1\nprompt: day\nask: Which?\ntype: day\n"})})
	assert.EqualError(t, err, "g.yaml:1:1: the prompt day is defined at f.yaml:15 already [defined_twice]")
	assert.Empty(t, s.Base.Reports(t.Context(), ""))
}

func TestFindingReports(t *testing.T) {
	ferries := demotest.Start(t)
	for search, want := range map[string]int{"": 25, "LATE": 5, "office late newest left": 1, "freight fuel": 0, "waybills day": 2,
		"latee sailngs outer loop": 2, "late sailngs": 5, "kelp point": 2, "price per litre": 2, "hazadrous": 1, "xyzzyx": 0} {
		assert.Len(t, ferries.Service.Base.Reports(t.Context(), search), want, "%q", search)
	}
	_, err := ferries.Service.Base.Report(t.Context(), "waybill-by-day")
	assert.EqualError(t, err, `no report "waybill-by-day"; did you mean "waybills-by-day"? [unknown_report]`)

	// Also among many.
	many := &strings.Builder{}
	many.WriteString(kiritimati)
	for i := range 300 {
		fmt.Fprintf(many, "---\npikegate: 1\nreport: r%d\ntitle: Crossings of vessel %d by harbour\nabout: What vessel %d did, newest first.\nshelf: Shelf %d\nprompts: [day]\nsections: [{table: {query: q}}]\n", i, i, i, i%20)
	}
	large := open(t, t.TempDir(), time.Now())
	_, err = large.Publisher.Put(ctx, publish.Put{Files: file(many.String())})
	require.NoError(t, err)
	assert.Len(t, large.Base.Reports(t.Context(), "crosings vesel 299"), 1)

	s := open(t, t.TempDir(), time.Now())
	put, err := s.Publisher.Put(ctx, publish.Put{Files: file(kiritimati)})
	require.NoError(t, err)
	assert.Contains(t, put.Findings.Error(), `the source "harbour" could not be asked whether it has what this describes: its file cannot be opened [source_not_asked]`)
	reading, err := s.Answers.Understand(ctx, "one", answer.Request{})
	require.NoError(t, err, "answers are checked without the records")
	assert.Empty(t, reading.Refused)
	_, err = s.Runs.Prepare(ctx, "one", answer.Request{})
	var failed *base.SourceError
	require.ErrorAs(t, err, &failed)
	assert.Equal(t, "harbour", failed.Source)
}

// Two developers who edit the same definition: the second save is refused with
// what the first one changed, and stores nothing.
func TestTheSecondSaveIsNotLost(t *testing.T) {
	s := open(t, t.TempDir(), time.Now())
	ref := catalog.Ref{Kind: catalog.KindPrompt, Name: "p"}
	text := "pikegate: 1\nprompt: p\nask: Which?\ntype: day\n"
	save := func(text string, saw int) error {
		_, err := s.Publisher.Put(ctx, publish.Put{Files: file(text), Base: map[catalog.Ref]int{ref: saw}})
		return err
	}
	require.NoError(t, save(text, 0))
	require.NoError(t, save(text+"latest: today\n", 1))
	err := save(text+"earliest: today\n", 1)
	var refusal *base.Refusal
	require.ErrorAs(t, err, &refusal)
	assert.Equal(t, fault.Conflict, refusal.Kind)
	assert.Regexp(t, `^the prompt p was saved as revision 2 by .* at .*, after revision 1 that this one was made from \[conflict\]\nlatest is new: "today" \[conflict\]$`, refusal.Faults.Error())
	got, err := s.Publisher.Definition(ctx, ref, 0)
	require.NoError(t, err)
	assert.Equal(t, text+"latest: today\n", got.Text)
	require.NoError(t, save(text+"earliest: today\n", 2))
}

// A search in a list of a hundred thousand choices.
func BenchmarkSearchChoices(b *testing.B) {
	dir := b.TempDir()
	records, err := sql.Open("sqlite3", base.RecordsPath(dir))
	require.NoError(b, err)
	_, err = records.Exec(`CREATE TABLE t (id INTEGER PRIMARY KEY, name TEXT NOT NULL);
		WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 100000) INSERT INTO t SELECT i, 'Passenger ' || i FROM n; CREATE INDEX by_name ON t (name)`)
	require.NoError(b, err)
	require.NoError(b, records.Close())
	s := demotest.Empty(b, dir)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(`pikegate: 1
source: s
zone: Europe/Helsinki
---
pikegate: 1
dataset: t
source: s
table: t
key: [id]
columns: {id: {type: integer}, name: {type: text}}
---
{pikegate: 1, prompt: who, ask: Who, type: choice, many: true, choices: {of: t, value: name}}
---
{pikegate: 1, query: q, of: t, show: [id], sort: [id], where: {name: {any_of: {prompt: who}}}}
---
{pikegate: 1, report: r, title: R, prompts: [who], sections: [{table: {query: q}}]}
`)})
	require.NoError(b, err)
	for b.Loop() {
		found, _, err := s.Answers.Choices(ctx, "r", "who", answer.ChoicesRequest{Search: "GER 777", Request: answer.Request{Limit: 50}})
		require.NoError(b, err)
		require.NotEmpty(b, found)
	}
}

// A report with 20 prompts and 60 conditions is checked, said and run like any other.
func TestAReportWithManyPrompts(t *testing.T) {
	ferries := demotest.Start(t)
	var prompts, conditions, names strings.Builder
	for i := range 20 {
		fmt.Fprintf(&prompts, "---\n{pikegate: 1, prompt: least-%[1]d, ask: Least, type: number, required: true, default: %[1]d}\n", i)
		fmt.Fprintf(&names, "least-%d, ", i)
		fmt.Fprintf(&conditions, "    - passengers: {at_least: {prompt: least-%[1]d}}\n    - any: [{vehicles: {at_least: %[1]d}}, {route: {starts_with: Outer}}]\n", i)
	}
	text := "pikegate: 1\nquery: many\nof: sailings\nshow: [departed_at]\nsort: [departed_at]\nwhere:\n  all:\n" + conditions.String() +
		"---\n{pikegate: 1, report: many, title: Many, prompts: [" + strings.TrimSuffix(names.String(), ", ") + "], sections: [{table: {query: many}}]}\n" + prompts.String()
	_, err := ferries.Service.Publisher.Put(ctx, publish.Put{Files: file(text)})
	require.NoError(t, err)
	start := time.Now()
	started, err := ferries.Service.Runs.Prepare(ctx, "many", answer.Request{Limit: 100})
	require.NoError(t, err)
	var out strings.Builder
	receipt, err := started.Stream(ctx, export.Whole{Writer: export.New(export.NDJSON, &out, started.Columns, started.Zone)})
	require.NoError(t, err)
	assert.Equal(t, 100, receipt.Rows)
	assert.Len(t, receipt.Answers, 20)
	want := ferries.Texts(t, "SELECT count(*) FROM sailings WHERE passengers >= 19 AND (vehicles >= 19 OR route = 'Outer Loop')")
	assert.Equal(t, want[0], fmt.Sprint(*receipt.Records))
	t.Logf("%s", time.Since(start))
}

// What a source allows: so many rows, and so many runs at once; the answer is clear,
// and the next run works.
func TestTheLimitsOfASource(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir, time.Date(2026, 11, 23, 11, 0, 0, 0, time.UTC))
	records, err := sql.Open("sqlite3", base.RecordsPath(dir))
	require.NoError(t, err)
	defer records.Close()
	_, err = records.Exec(`CREATE TABLE t (id INTEGER PRIMARY KEY, "on" TEXT); INSERT INTO t VALUES (1, '2026-11-23'), (2, '2026-11-23'), (3, '2026-11-23')`)
	require.NoError(t, err)
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(strings.Replace(kiritimati, "zone: Pacific/Kiritimati", "zone: Europe/Helsinki\nlimits: {rows: 2, at_once: 1, waiting: 0}", 1))})
	require.NoError(t, err)
	started := func(limit int, w export.Writer) (*receipt.Receipt, error) {
		r, err := s.Runs.Prepare(ctx, "one", answer.Request{Limit: limit})
		require.NoError(t, err)
		return r.Stream(ctx, export.Whole{Writer: w})
	}
	_, err = started(0, &pausing{})
	assert.ErrorIs(t, err, receipt.ErrSize)
	assert.EqualError(t, err, "the result has more rows than its source allows: 2")
	receipt, err := started(2, &pausing{})
	require.NoError(t, err)
	assert.EqualValues(t, 3, *receipt.Records)

	first := &pausing{began: make(chan struct{}), goOn: make(chan struct{})}
	done := make(chan error)
	go func() {
		_, err := started(2, first)
		done <- err
	}()
	<-first.began
	_, err = started(2, &pausing{})
	var failed *base.SourceError
	require.ErrorAs(t, err, &failed)
	assert.EqualError(t, err, "source harbour: its queue is full")
	close(first.goOn)
	require.NoError(t, <-done)
	_, err = started(2, &pausing{})
	assert.NoError(t, err)
}

// pausing is a writer that waits in its first row, where it is told to.
type pausing struct{ began, goOn chan struct{} }

func (p *pausing) Begin() error {
	if p.began != nil {
		close(p.began)
		<-p.goOn
	}
	return nil
}

func (p *pausing) Row([]value.Value) error { return nil }

func (p *pausing) Flush() error { return nil }

func (p *pausing) End([]byte) error { return nil }
