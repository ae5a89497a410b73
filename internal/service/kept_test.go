package service_test

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/fault"
	"pikegate/internal/export"
	"pikegate/internal/service"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source/sourcetest"
)

// keeping opens the trips in a service that keeps results for an hour, by a clock that the test sets.
func keeping(t *testing.T, change func(*base.Config)) (s *service.Service, exec func(sql string), now *clock) {
	t.Helper()
	now = clockAt(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	s, records := sailing(t, func(c *base.Config) {
		c.KeepResults = time.Hour
		c.Now = now.Now
		if change != nil {
			change(c)
		}
	})
	return s, func(sql string) {
		_, err := records.Exec(sql)
		require.NoError(t, err)
	}, now
}

// csvOf is a result of a report as CSV.
func csvOf(t *testing.T, s *service.Service, report string, req answer.Request) (string, *receipt.Receipt) {
	t.Helper()
	started, err := s.Runs.Prepare(ctx, report, req)
	require.NoError(t, err)
	var out bytes.Buffer
	r, err := started.Stream(ctx, export.Whole{Writer: export.New(export.CSV, &out, started.Columns, started.Zone)})
	require.NoError(t, err)
	return strings.ReplaceAll(out.String(), "\r\n", "|"), r
}

const marchTrips = "on,route,party|2026-03-01,Outer Loop,2|2026-03-01,Kelp Point,4|2026-03-15,Outer Loop,6|2026-03-31,Outer Loop,1|"

// Whatever is asked of a run while its rows are kept is of the records that it read: pages, other
// orders and columns, all rows; though the data change, and though they are gone.
func TestOneRunOneResult(t *testing.T) {
	s, exec, now := keeping(t, nil)
	exec(`UPDATE trips SET id = id`)
	first := asked(t, s, "trips", answer.Request{Limit: 1}, "days=Mar 2026")
	id := first.Receipt.ID
	require.NotNil(t, first.Receipt.KeptUntil)
	assert.Equal(t, now.Now().Add(time.Hour), *first.Receipt.KeptUntil)
	exec(`DELETE FROM trips; INSERT INTO trips VALUES (11, '2026-03-07', 'Kelp Point', 5)`)

	next := asked(t, s, "trips", answer.Request{Limit: 2, Of: id, After: first.Receipt.Next})
	assert.Equal(t, [][]any{{"2026-03-01", "Kelp Point", 4.0}, {"2026-03-15", "Outer Loop", 6.0}}, next.Rows)
	last := asked(t, s, "trips", answer.Request{Limit: 2, Of: id, After: next.Receipt.Next})
	assert.Equal(t, [][]any{{"2026-03-31", "Outer Loop", 1.0}}, last.Rows)
	assert.Empty(t, last.Receipt.Next)

	all, told := csvOf(t, s, "trips", answer.Request{Of: id})
	assert.Equal(t, marchTrips, all)
	assert.Equal(t, []any{id, 4, first.Receipt.Evidence.Fingerprint}, []any{told.ID, told.Rows, told.Evidence.Fingerprint}, "the receipt is that of the run")
	require.NoError(t, s.Close())
	before := *s.Base.Config()
	s, err := service.Open(ctx, before)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	again, _ := csvOf(t, s, "trips", answer.Request{Of: id})
	assert.Equal(t, all, again, "kept beyond the end of the service")

	// Once they are not kept any more they are read again, and held against what they were.
	now.move(time.Hour)
	other, told := csvOf(t, s, "trips", answer.Request{Of: id})
	assert.Equal(t, "on,route,party|2026-03-07,Kelp Point,5|", other)
	assert.Equal(t, []int64{id + 1, id}, []int64{told.ID, told.Again})
	assert.Equal(t, []string{"The records of receipt 1, of 2026-11-23 11:00, are not kept, and were read again. They are not the same: the data have changed since."}, told.Notes)
	found, err := s.Receipts.Find(ctx, id)
	require.NoError(t, err)
	assert.Nil(t, found.KeptUntil, "the receipt does not promise what is gone")
	s.Base.Results.Prune()
	files, err := filepath.Glob(filepath.Join(before.Dir, "results", "*"))
	require.NoError(t, err)
	assert.Empty(t, files)
	_, told = csvOf(t, s, "trips", answer.Request{Of: told.ID})
	assert.Equal(t, []string{"The records of receipt 2, of 2026-11-23 12:00, are not kept, and were read again. It is not known whether they are the same."}, told.Notes, "a run without evidence has no fingerprint")
}

// withRecords runs SQL on the embedded records of a directory.
func withRecords(t *testing.T, dir, statements string) {
	t.Helper()
	db, err := sql.Open("sqlite3", base.RecordsPath(dir))
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec(statements)
	require.NoError(t, err)
}

// Kept rows are sorted as the database sorts them, and their columns chosen.
func TestAKeptResultSeenOtherwise(t *testing.T) {
	dir := t.TempDir()
	s := open(t, dir, time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC))
	require.NoError(t, s.Close())
	exec := func(sql string) { withRecords(t, dir, sql) }
	exec(`CREATE TABLE t (id INTEGER PRIMARY KEY, "on" TEXT, name TEXT, fee TEXT, n REAL, more TEXT);
		INSERT INTO t VALUES (1, '2/10/2026', 'b', '10.5', 3, 'x'), (2, '10/2/2026', 'B', '9.50', NULL, 'y'), (3, NULL, 'a', NULL, 0.5, 'x'), (4, '12/1/2025', 'å', '-1', 3, 'z'), (5, '2/10/2026', 'ab', '10.50', -2, NULL)`)
	s, err := service.Open(ctx, base.Config{Dir: dir, RunTime: time.Minute, KeepResults: time.Hour, Now: time.Now, Sources: sourcetest.Rules})
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	putting(t, s, `{pikegate: 1, source: own, zone: UTC}`, `{pikegate: 1, dataset: t, source: own, table: t, key: [id], columns: {id: {type: integer}, on: {type: date, stored: text, pattern: M/d/yyyy}, name: {type: text}, fee: {type: decimal, scale: 2, stored: text}, n: {type: number}, more: {type: text}}}`,
		`{pikegate: 1, query: q, of: t, show: [id, on, name, fee, n], sort: [id]}`, `{pikegate: 1, report: r, title: R, sections: [{table: {query: q, reader_may: [columns, sort, group], offer: [more]}}]}`)
	first := asked(t, s, "r", answer.Request{Limit: 2})
	id := first.Receipt.ID
	views := []answer.View{{Sort: []string{"more"}, Columns: []string{"more", "id"}}}
	for _, column := range []string{"on", "name", "fee", "n"} {
		views = append(views, answer.View{Sort: []string{column}}, answer.View{Sort: []string{column + " descending", "id"}})
	}
	for _, view := range views {
		asRead, _ := csvOf(t, s, "r", answer.Request{View: view})
		asKept, told := csvOf(t, s, "r", answer.Request{View: view, Of: id})
		assert.Equal(t, asRead, asKept, "%v", view)
		assert.Equal(t, id, told.ID)
	}
	page := asked(t, s, "r", answer.Request{Of: id, Limit: 2, Skip: 1, View: answer.View{Sort: []string{"id descending"}}})
	assert.Equal(t, "4 3", page.ids())
	groups, told := csvOf(t, s, "r", answer.Request{Of: id, View: answer.View{Group: "more"}})
	assert.Equal(t, "more,records|x,2|y,1|z,1|,1|", groups)
	assert.Equal(t, id, told.Again, "groups are no rows that are kept: they are read")
	seen := asked(t, s, "r", answer.Request{Limit: 2, View: answer.View{Sort: []string{"id descending"}}})
	assert.Equal(t, "5 4", seen.ids())
	assert.NotNil(t, seen.Receipt.KeptUntil)
	exec("DELETE FROM t")
	whole, _ := csvOf(t, s, "r", answer.Request{Of: seen.Receipt.ID})
	assert.Equal(t, []string{"5", "4", "3", "2", "1"}, firstFields(whole), "as its reader saw it")
}

// firstFields are those of the rows of csvOf.
func firstFields(text string) (all []string) {
	for _, row := range strings.Split(strings.TrimSuffix(text, "|"), "|")[1:] {
		field, _, _ := strings.Cut(row, ",")
		all = append(all, field)
	}
	return all
}

// All sections of a run are kept, those that failed with what was said of them.
func TestKeptSections(t *testing.T) {
	s, exec, _ := keeping(t, nil)
	putting(t, s, `{pikegate: 1, query: by-route, of: trips, where: {on: {within: {prompt: days}}}, group: [route], summaries: {records: count}}`, `{pikegate: 1, report: both, title: Both, prompts: [days, route], sections: [{figure: {query: trips, summary: count}}, {table: {query: trips}}, {chart: {query: by-route, kind: bar, across: route, up: records}}, {table: {query: trips, where: {party: {at_least: 4}}}}]}`)
	result := func(req answer.Request) (told struct {
		Sections []struct {
			receipt.Section
			Rows [][]any `json:"rows"`
		} `json:"sections"`
		Receipt receipt.Receipt `json:"receipt"`
	}) {
		r, err := s.Runs.Prepare(ctx, "both", req)
		require.NoError(t, err)
		var out bytes.Buffer
		_, err = r.Stream(ctx, export.NewSections(export.JSON, r.Sending(&out, func() {}, nil), r.Zone))
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(out.Bytes(), &told))
		return told
	}
	first := result(answer.Request{Evidence: true, Limit: 1, Answers: answers("Mar 2026", "")})
	require.Empty(t, first.Receipt.NotKept)
	exec("DELETE FROM trips")
	whole := result(answer.Request{Of: first.Receipt.ID})
	assert.Equal(t, [][]any{{4.0}}, whole.Sections[0].Rows)
	assert.Len(t, whole.Sections[1].Rows, 4)
	assert.Equal(t, [][]any{{"Kelp Point", 1.0}, {"Outer Loop", 3.0}}, whole.Sections[2].Rows)
	assert.Equal(t, []any{2, 2, 1}, []any{len(whole.Sections[3].Rows), whole.Sections[3].Section.Rows, first.Sections[3].Section.Rows})
	again := result(answer.Request{Of: first.Receipt.ID, Limit: 1})
	for i := range first.Sections {
		assert.Equal(t, first.Sections[i].Rows, again.Sections[i].Rows, "as it was shown")
	}
	assert.Equal(t, []any{first.Receipt.ID, first.Receipt.Rows, true}, []any{again.Receipt.ID, again.Receipt.Rows, again.Receipt.Next != ""})
	one, _ := csvOf(t, s, "both", answer.Request{Of: first.Receipt.ID, Section: 4})
	assert.Equal(t, "on,route,party|2026-03-01,Kelp Point,4|2026-03-15,Outer Loop,6|", one)
	_, err := s.Runs.Prepare(ctx, "both", answer.Request{Of: first.Receipt.ID, Limit: 5, Skip: 1})
	assert.ErrorContains(t, err, "choose it by its number")
}

// A section that failed is kept as what was said of it; by itself it is read again.
func TestAKeptSectionThatFailed(t *testing.T) {
	s, exec, _ := keeping(t, nil)
	exec("CREATE TABLE tides (id INTEGER PRIMARY KEY, height REAL); INSERT INTO tides VALUES (1, 2.5)")
	putting(t, s, `{pikegate: 1, dataset: tides, source: harbour, table: tides, key: [id], columns: {id: {type: integer}, height: {type: number}}}`, `{pikegate: 1, query: tides, of: tides, show: [id, height], sort: [id]}`,
		`{pikegate: 1, report: both, title: Both, prompts: [days, route], sections: [{table: {query: trips}}, {table: {query: tides}}]}`)
	exec("ALTER TABLE tides RENAME TO ebbs")
	result := func(req answer.Request) string {
		r, err := s.Runs.Prepare(ctx, "both", req)
		require.NoError(t, err)
		var out bytes.Buffer
		_, err = r.Stream(ctx, export.NewSections(export.JSON, r.Sending(&out, func() {}, nil), r.Zone))
		require.NoError(t, err)
		return out.String()
	}
	var first struct{ Receipt receipt.Receipt }
	require.NoError(t, json.Unmarshal([]byte(result(answer.Request{Evidence: true, Answers: answers("Mar 2026", "")})), &first))
	require.NotNil(t, first.Receipt.KeptUntil, first.Receipt.NotKept)
	problem := first.Receipt.Sections[1].Problem
	require.NotEmpty(t, problem)
	whole := result(answer.Request{Of: first.Receipt.ID})
	assert.Contains(t, whole, "Kelp Point")
	assert.Contains(t, whole, string(mustJSON(t, problem)))
	exec("ALTER TABLE ebbs RENAME TO tides")
	alone, told := csvOf(t, s, "both", answer.Request{Of: first.Receipt.ID, Section: 2})
	assert.Equal(t, "id,height|1,2.5|", alone)
	assert.Equal(t, first.Receipt.ID, told.Again)
}

func mustJSON(t *testing.T, v any) []byte {
	t.Helper()
	text, err := json.Marshal(v)
	require.NoError(t, err)
	return text
}

// What cannot be kept does not fail the run, and is said.
func TestResultsThatAreNotKept(t *testing.T) {
	s, _, now := keeping(t, func(c *base.Config) { c.ResultBytes, c.ResultsBytes = 1000, 1100 })
	r := ran(t, s, answer.Request{Answers: answers("Mar 2026", "")})
	require.NotNil(t, r.KeptUntil, r.NotKept)
	now.move(time.Minute)
	second := ran(t, s, answer.Request{Answers: answers("Mar 2026", "")})
	require.NotNil(t, second.KeptUntil)
	_, ok := s.Base.Results.Until(r.ID)
	assert.False(t, ok, "the oldest goes where there is no room for both")
	dir := filepath.Join(s.Base.Config().Dir, "results")
	require.NoError(t, os.RemoveAll(dir))
	third := ran(t, s, answer.Request{Answers: answers("Mar 2026", "")})
	assert.Contains(t, third.NotKept, "no such file or directory")
	_, told := csvOf(t, s, "trips", answer.Request{Of: second.ID})
	assert.Contains(t, told.Notes[0], "They are the same.")
	small, _, _ := keeping(t, func(c *base.Config) { c.ResultBytes = 10 })
	assert.Equal(t, "it is larger than what is kept of a run", ran(t, small, answer.Request{}).NotKept)
	files, err := os.ReadDir(filepath.Join(small.Base.Config().Dir, "results"))
	require.NoError(t, err)
	assert.Empty(t, files)
}

// leaving is a reader that is gone once the first rows came.
type leaving struct {
	at  int
	run func()
	n   int
}

func (l *leaving) Write(b []byte) (int, error) {
	if l.n++; l.n == l.at {
		l.run()
	}
	if l.n >= l.at {
		return 0, errors.New("broken pipe")
	}
	return len(b), nil
}

// A run that is to go on does so when its reader leaves, and is found by its receipt; while it goes
// on it tells how far it is, and it can be cancelled.
func TestARunThatGoesOn(t *testing.T) {
	s, _, _ := keeping(t, nil)
	r, err := s.Runs.Prepare(ctx, "trips", answer.Request{Evidence: true, Answers: answers("Mar 2026", "")})
	require.NoError(t, err)
	r.Stays()
	id := r.ID()
	var seen *receipt.Receipt
	to := r.Sending(&leaving{at: 1, run: func() { seen, _ = s.Runs.Receipt(ctx, id) }}, func() {}, nil)
	_, err = r.Stream(ctx, export.Whole{Writer: export.New(export.Events, to, r.Columns, r.Zone)})
	require.NoError(t, err)
	require.NotNil(t, seen.Progress, "while it was under way")
	found, err := s.Runs.Receipt(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, []any{receipt.Rows, "All was read and sent; it is not known to have arrived."}, []any{found.State, found.Says})
	all, _ := csvOf(t, s, "trips", answer.Request{Of: id})
	assert.Equal(t, marchTrips, all)
	_, err = s.Runs.Cancel(ctx, id)
	assert.ErrorContains(t, err, fmt.Sprintf("run %d has ended", id))

	// Somebody else's run is none for a reader; one's own ends.
	r, err = s.Runs.Prepare(ctx, "trips", answer.Request{Evidence: true})
	require.NoError(t, err)
	_, err = r.Stream(ctx, export.Whole{Writer: &handing{then: func() {
		_, err := s.Runs.Cancel(base.WithPerson(ctx, base.Person{Name: "Tove", Role: "reader"}), r.ID())
		assert.ErrorContains(t, err, "no receipt")
		within, stop := context.WithTimeout(ctx, 10*time.Millisecond) // the run cannot end before this returns
		defer stop()
		_, err = s.Runs.Cancel(within, r.ID())
		assert.ErrorIs(t, err, context.DeadlineExceeded)
	}}})
	var stopped *receipt.Stopped
	require.ErrorAs(t, err, &stopped)
	found, err = s.Runs.Receipt(ctx, r.ID())
	require.NoError(t, err)
	assert.Equal(t, []any{receipt.Cancelled, "Ines cancelled it"}, []any{found.State, found.Problem})
	_, err = s.Runs.Cancel(ctx, 999)
	var none *base.Refusal
	require.ErrorAs(t, err, &none)
	assert.Equal(t, fault.Unknown, none.Kind)
}
