package service_test

import (
	"flag"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/edit"
	"pikegate/internal/core/prompt"
	"pikegate/internal/export"
	"pikegate/internal/service"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/counts"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
	"pikegate/internal/source/sourcetest"
)

// crossing is a record of the table that these tests count: a second in UTC as text, "" for
// none, or a text that is no date.
type crossing struct {
	id    int
	at    string
	party int
}

const noDate = "2026-03-99 10:00:00"

// large opens a service with a table that counts as a large one on an engine, and with a clock
// that the test sets.
func large(t *testing.T, e sourcetest.Engine, now *clock, more string, before ...func()) *service.Service {
	return largeKeeping(t, e, now, 0, more, before...)
}

// largeKeeping is the same, where results are kept for a while.
func largeKeeping(t *testing.T, e sourcetest.Engine, now *clock, results time.Duration, more string, before ...func()) *service.Service {
	t.Helper()
	for _, prepare := range before {
		prepare()
	}
	text := map[catalog.Engine]string{catalog.MariaDB: "VARCHAR(40)"}[e.Name]
	if text == "" {
		text = "TEXT"
	}
	e.Exec(t, "CREATE TABLE crossings (id INTEGER PRIMARY KEY, at "+text+", party INTEGER)")
	e.Exec(t, "CREATE INDEX crossings_by_at ON crossings (at)")
	s, err := service.Open(ctx, base.Config{Dir: t.TempDir(), RunTime: time.Minute, Sources: sourcetest.Rules, SmallTable: 20, KeepResults: results, Now: now.Now})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	at := "engine: sqlite\nfile: " + e.At.File
	if e.Name != catalog.SQLite {
		at = fmt.Sprintf("engine: %s\naddress: {env: %s}\nschema: %s", e.Name, e.At.Address.Env, e.At.Schema)
	}
	_, err = s.Publisher.Put(ctx, publish.Put{Files: file(fmt.Sprintf(`
pikegate: 1
source: sound
zone: Europe/Helsinki
%s
%s
---
pikegate: 1
dataset: crossings
source: sound
table: crossings
key: [id]
columns:
  id: {type: integer}
  at: {type: instant, stored: text, pattern: "yyyy-MM-dd HH:mm:ss"}
  party: {type: integer}
---
{pikegate: 1, prompt: days, ask: "When?", type: period, open: either}
---
{pikegate: 1, prompt: hours, ask: "When?", type: moment-period}
---
{pikegate: 1, query: crossings, of: crossings, show: [id, at, party], where: {all: [{at: {within: {prompt: days}}}, {party: {at_least: 2}}]}, sort: [at]}
---
{pikegate: 1, query: hourly, of: crossings, show: [id, at, party], where: {all: [{at: {within: {prompt: hours}}}, {party: {at_least: 2}}]}, sort: [at]}
---
{pikegate: 1, report: crossings, title: Crossings, prompts: [days], sections: [{table: {query: crossings}}]}
---
{pikegate: 1, report: hourly, title: Hourly, prompts: [hours], sections: [{table: {query: hourly}}]}
`, at, more))})
	require.NoError(t, err)
	return s
}

// settled waits until nothing is being counted.
func settled(t require.TestingT, s *service.Service) {
	for range 60_000 { // a minute: slow machines
		if s.Counts.IsIdle() {
			return
		}
		time.Sleep(time.Millisecond)
	}
	require.Fail(t, "it is still being counted")
}

var helsinki = must(time.LoadLocation("Europe/Helsinki"))

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// dayOf is the day of a crossing in Helsinki, false for none.
func dayOf(c crossing) (civil.Day, bool) {
	at, err := time.Parse(time.DateTime, c.at)
	if err != nil {
		return 0, false
	}
	return must2(civil.ParseDay(at.In(helsinki).Format(time.DateOnly))), true
}

func must2(d civil.Day, ok bool) civil.Day {
	if !ok {
		panic("no day")
	}
	return d
}

// Whatever is added, changed and taken away, on every engine: what a run tells of its period is
// what a plain look at the records tells, and what it tells of other days is what a plain look
// told at the time that it names.
func TestCalendarsOfCountsTellTheTruth(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		now := clockAt(time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC))
		s := large(t, e, now, "")
		of := s.Base.Published.Load().Datasets["crossings"]
		few(t, func(t *rapid.T) {
			e.Exec(t, "DELETE FROM crossings")
			records := map[int]crossing{}
			history := map[int64]map[int]crossing{}
			next := 0
			add := func(at string) {
				next++
				c := crossing{next, at, 1 + next%3}
				records[c.id] = c
				var stored any = at
				if at == "" {
					stored = nil
				}
				e.Exec(t, "INSERT INTO crossings VALUES (?, ?, ?)", c.id, stored, c.party)
			}
			drawn := func() string {
				switch rapid.IntRange(0, 11).Draw(t, "sort") {
				case 10:
					return ""
				case 11:
					return noDate
				}
				hours := rapid.IntRange(0, 40*24).Draw(t, "hour")
				return time.Date(2026, 2, 20, 0, 30, 0, 0, time.UTC).Add(time.Duration(hours) * time.Hour).Format(time.DateTime)
			}
			for range 60 {
				add(drawn())
			}
			from := must(s.Base.Relation(ctx, of))
			counted := s.Counts.Of(of, of.Column("at"), from)
			require.NoError(t, s.Counts.Again(ctx, counted))
			history[now.Now().Unix()] = clone(records)
			for range rapid.IntRange(1, 4).Draw(t, "rounds") {
				now.move(2 * time.Minute)
				for range rapid.IntRange(0, 6).Draw(t, "changes") {
					ids := sortedKeys(records)
					switch rapid.IntRange(0, 3).Draw(t, "change") {
					case 0:
						id := rapid.SampledFrom(ids).Draw(t, "taken away")
						delete(records, id)
						e.Exec(t, "DELETE FROM crossings WHERE id = ?", id)
					case 1:
						c := records[rapid.SampledFrom(ids).Draw(t, "moved")]
						if c.at = drawn(); c.at == "" {
							c.at = noDate
						}
						records[c.id] = c
						e.Exec(t, "UPDATE crossings SET at = ? WHERE id = ?", c.at, c.id)
					default:
						add(drawn())
					}
				}
				history[now.Now().Unix()] = clone(records)
				first := civil.MustParseDay("2026-02-18") + civil.Day(rapid.IntRange(0, 50).Draw(t, "first"))
				last := first + civil.Day(rapid.IntRange(0, 12).Draw(t, "days"))
				entered := first.String() + "/" + last.String()
				period := civil.Period{First: first, Last: last}
				switch rapid.IntRange(0, 3).Draw(t, "open") {
				case 0:
					entered, period.First = "../"+last.String(), 0
				case 1:
					entered, period.Last = first.String()+"/..", 0
				}
				r := evidenceOf(t, s, "crossings", answer.Request{Answers: map[string]prompt.Entered{"days": prompt.OneText(entered)}})
				holdToScan(t, r, records, period)
				settled(t, s)
				known := s.Counts.Known(ctx, counted)
				require.NotNil(t, known)
				for d := civil.MustParseDay("2026-02-15"); d <= civil.MustParseDay("2026-04-20"); d++ {
					figure := known.Days.Within(civil.Period{First: d, Last: d})
					want := int64(0)
					for _, c := range history[figure.At.Unix()] {
						if on, ok := dayOf(c); ok && on == d {
							want++
						}
					}
					assert.Equal(t, want, figure.Records, "%s as of %s", d, figure.At)
				}
			}
		})
	})
}

// few checks a property that takes long some times, and not as often as is usual.
func few(t *testing.T, check func(*rapid.T)) {
	usual := flag.Lookup("rapid.checks").Value.String()
	require.NoError(t, flag.Set("rapid.checks", "30"))
	defer flag.Set("rapid.checks", usual)
	rapid.Check(t, check)
}

// evidenceOf runs a report with evidence.
func evidenceOf(t require.TestingT, s *service.Service, report string, req answer.Request) *receipt.Receipt {
	req.Evidence = true
	started, err := s.Runs.Prepare(ctx, report, req)
	require.NoError(t, err)
	r, err := started.Stream(ctx, export.Whole{Writer: &pausing{}})
	require.NoError(t, err)
	return r
}

// holdToScan holds what a run tells as of now to a plain look at the records.
func holdToScan(t require.TestingT, r *receipt.Receipt, records map[int]crossing, period civil.Period) {
	var inside, result int64
	var first, last, before, after, newest string // as stored, which sorts
	var onFirst, onLast int64
	for _, c := range records {
		d, ok := dayOf(c)
		if !ok {
			continue
		}
		newest = max(newest, c.at)
		fits := c.party >= 2
		switch {
		case period.First.IsValid() && d < period.First:
			if fits {
				before = max(before, c.at)
			}
		case period.Last.IsValid() && d > period.Last:
			if fits && (after == "" || c.at < after) {
				after = c.at
			}
		default:
			if inside++; fits {
				result++
				if first == "" || c.at < first {
					first = c.at
				}
				last = max(last, c.at)
			}
		}
	}
	for _, c := range records {
		d, ok := dayOf(c)
		if ok && c.party >= 2 && (!period.First.IsValid() || d >= period.First) && (!period.Last.IsValid() || d <= period.Last) {
			if a, _ := dayOf(crossing{at: first}); a == d {
				onFirst++
			}
			if b, _ := dayOf(crossing{at: last}); b == d {
				onLast++
			}
		}
	}
	e := r.Evidence
	require.Empty(t, e.NotComputed)
	assert.Equal(t, result, *r.Records)
	assert.Equal(t, inside, e.Period.Inside)
	assert.Equal(t, inside, e.ConditionCounts[0].Left)
	assert.Equal(t, result, e.ConditionCounts[1].Left)
	p := e.Period
	assert.Equal(t, *e.All, p.Before+p.Inside+p.After+p.Missing+p.Unreadable)
	near := func(want string, got *receipt.Dated) {
		if want == "" {
			assert.Nil(t, got)
			return
		}
		d, _ := dayOf(crossing{at: want})
		if assert.NotNil(t, got) {
			assert.Equal(t, d, got.Day)
		}
	}
	near(before, e.Ends.NearestBefore)
	near(after, e.Ends.NearestAfter)
	near(newest, e.CompleteUpTo)
	if result == 0 {
		assert.Nil(t, e.Ends.First)
		return
	}
	near(first, &e.Ends.First.Dated)
	near(last, &e.Ends.Last.Dated)
	assert.Equal(t, onFirst, e.Ends.First.Records)
	assert.Equal(t, onLast, e.Ends.Last.Records)
}

func clone(records map[int]crossing) map[int]crossing {
	all := map[int]crossing{}
	for id, c := range records {
		all[id] = c
	}
	return all
}

func sortedKeys(records map[int]crossing) []int {
	var ids []int
	for id := range records {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	return ids
}

// filled adds so many crossings, two hours apart from 1 Jan 2026 on, some without a date and
// one with a text that is none.
func filled(t *testing.T, e sourcetest.Engine, many int) {
	t.Helper()
	for i := range many {
		var at any = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(2*i) * time.Hour).Format(time.DateTime)
		switch {
		case i%50 == 49:
			at = nil
		case i == 30:
			at = noDate
		}
		e.Exec(t, "INSERT INTO crossings VALUES (?, ?, ?)", i+1, at, 1+i%3)
	}
}

// Of a page of a large table what lies on its days is counted, and no more than the page is read of its
// rows; all of them where they are sent, where they are to be kept, and for whole evidence.
func TestPagesOfLargeTables(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		now := clockAt(time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC))
		s := largeKeeping(t, e, now, time.Hour, "")
		text := map[catalog.Engine]string{catalog.MariaDB: "VARCHAR(20)"}[e.Name]
		if text == "" {
			text = "TEXT"
		}
		e.Exec(t, "CREATE TABLE legs (id INTEGER PRIMARY KEY, sailed "+text+", party INTEGER)")
		e.Exec(t, "CREATE INDEX legs_by_day ON legs (sailed)")
		for i := range 60 {
			e.Exec(t, "INSERT INTO legs VALUES (?, ?, ?)", i, fmt.Sprintf("2026-02-%02d", 24+i/10), i%5) // February has 28 days
		}
		e.Exec(t, "INSERT INTO legs VALUES (60, '2026-02-28 ', 4), (61, '2026-02-25x', 4), (62, NULL, 4)")
		_, err := s.Publisher.Put(ctx, publish.Put{Files: file(`
{pikegate: 1, dataset: legs, source: sound, table: legs, key: [id], columns: {id: {type: integer}, sailed: {type: date, stored: text, pattern: yyyy-MM-dd}, party: {type: integer}}}
---
{pikegate: 1, query: legs, of: legs, show: [id, sailed], where: {all: [{sailed: {within: {prompt: days}}}, {party: {at_least: 1}}, {party: {at_most: 3}}]}, sort: [sailed]}
---
{pikegate: 1, report: legs, title: Legs, prompts: [days], sections: [{table: {query: legs}}]}
`)})
		require.NoError(t, err)
		req := entered("days", "25 Feb 2026 to 3 Mar 2026")
		evidenceOf(t, s, "legs", req)
		settled(t, s)

		all := evidenceOf(t, s, "legs", req)
		require.EqualValues(t, 24, *all.Records)
		assert.NotEmpty(t, all.Evidence.Fingerprint)
		assert.NotNil(t, all.KeptUntil)
		req.Limit = 2
		page := evidenceOf(t, s, "legs", req)
		assert.Equal(t, "not all of its rows were read", page.NotKept)
		assert.Equal(t, 2, page.Rows)
		require.NotNil(t, page.Evidence.Ends)
		assert.EqualValues(t, []int64{6, 6}, []int64{page.Evidence.Ends.First.Records, page.Evidence.Ends.Last.Records})
		assert.Equal(t, 4, page.Evidence.Statements, "the period, the records beside it, and the newest")
		again, err := s.Runs.Again(ctx, page.ID, "")
		require.NoError(t, err)
		assert.Equal(t, "Not all rows of the first run were read, so that they are not known.", again.NotByRows)
		page.Evidence.Fingerprint = all.Evidence.Fingerprint // of a page there is none
		page.Evidence.Read, all.Evidence.Read = nil, nil
		assert.Equal(t, all.Evidence, page.Evidence)

		req.Limit = 25
		ends := evidenceOf(t, s, "legs", req)
		assert.Equal(t, all.Evidence.Fingerprint, ends.Evidence.Fingerprint, "a page that has all rows")
		assert.NotNil(t, ends.KeptUntil)
		again, err = s.Runs.Again(ctx, ends.ID, "")
		require.NoError(t, err)
		assert.True(t, again.Same && again.NotByRows == "")

		req.Limit, req.Keep = 2, true
		keeping := evidenceOf(t, s, "legs", req)
		assert.NotNil(t, keeping.KeptUntil)
		assert.Equal(t, all.Evidence.Fingerprint, keeping.Evidence.Fingerprint)
		req.Keep, req.Whole = false, true
		whole := evidenceOf(t, s, "legs", req)
		assert.Equal(t, all.Evidence.Fingerprint, whole.Evidence.Fingerprint)
		assert.Equal(t, whole.Evidence.Ends, page.Evidence.Ends)
		assert.Equal(t, whole.Evidence.ConditionCounts, page.Evidence.ConditionCounts)
		assert.EqualValues(t, 12, whole.Evidence.Period.Unreadable)
	})
}

// What is told of a large table from its calendar is what a look at all of it tells: for
// moments too, whose edges part days, and in the histogram and the count before the run.
func TestLargeTablesTellTheSame(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		now := clockAt(time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC))
		s := large(t, e, now, "")
		filled(t, e, 400)
		first := evidenceOf(t, s, "crossings", entered("days", "5 Jan 2026 to 9 Jan 2026"))
		assert.Nil(t, first.Evidence.Period, "nothing was counted yet")
		assert.Equal(t, []string{"the records outside the period: they were not counted yet; that is done in the background"}, first.Evidence.NotComputed)
		settled(t, s)
		h, err := s.Answers.Histogram(ctx, "crossings", "days", "2026-01")
		require.NoError(t, err)
		require.NotNil(t, h.CountedAt)
		assert.Equal(t, now.Now(), *h.CountedAt)
		assert.EqualValues(t, 11, h.Units[0].Records, "1 Jan 2026: 00:00 in Helsinki to 22:00 UTC")
		assert.EqualValues(t, 12, h.Units[1].Records)
		m, err := s.Answers.Matches(ctx, "crossings", entered("days", "2 Jan 2026"))
		require.NoError(t, err)
		assert.Equal(t, &answer.Matches{Records: 8, Of: 12}, m, "a small period is counted")

		list, err := s.Counts.List(ctx, "sound", false)
		require.NoError(t, err)
		require.Len(t, list, 1)
		assert.Equal(t, counts.Counted, list[0].State)
		assert.EqualValues(t, 400, *list[0].Records)
		assert.EqualValues(t, 8, *list[0].Missing)
		assert.EqualValues(t, 1, *list[0].Unreadable)
		assert.Equal(t, "2026-01-01", list[0].First.String())
		_, err = s.Counts.List(ctx, "sond", false)
		assert.ErrorContains(t, err, `no source "sond"`)

		// A trial of drafts is told by what is known of the same records, and has nothing counted.
		within, err := s.Drafts.Within(ctx, "")
		require.NoError(t, err)
		req := entered("days", "2 Jan 2026")
		req.Evidence = true
		trial, err := s.Runs.Prepare(within, "query:crossings", req)
		require.NoError(t, err)
		tried, err := trial.Stream(within, export.Whole{Writer: &pausing{}})
		require.NoError(t, err)
		require.NotNil(t, tried.Evidence.Period, "%v", tried.Evidence.NotComputed)
		require.NotNil(t, tried.Evidence.Period.CountedAt)
		assert.Equal(t, now.Now(), *tried.Evidence.Period.CountedAt)
		begun, err := s.Drafts.Edit(ctx, catalog.Ref{Kind: catalog.KindDataset, Name: "crossings"}, 0, []edit.Edit{{Op: edit.Set, Path: "/columns/at/type", Value: edit.TextOf("datetime")}})
		require.NoError(t, err)
		require.Empty(t, begun.Findings)
		within, err = s.Drafts.Within(ctx, "")
		require.NoError(t, err)
		trial, err = s.Runs.Prepare(within, "query:crossings", req)
		require.NoError(t, err)
		tried, err = trial.Stream(within, export.Whole{Writer: &pausing{}})
		require.NoError(t, err)
		assert.Equal(t, []string{"the records outside the period: records are counted in the background for what is published, and this is a draft"}, tried.Evidence.NotComputed)
		require.NoError(t, s.Drafts.Drop(ctx, catalog.Ref{Kind: catalog.KindDataset, Name: "crossings"}))

		asked := map[string][]string{
			"crossings": {"5 Jan 2026 to 9 Jan 2026", "../9 Jan 2026", "9 Jan 2026/..", "1 Dec 2025", "2026"},
			"hourly":    {"5 Jan 2026 07:00 to 5 Jan 2026 20:00", "5 Jan 2026 07:00 to 9 Jan 2026 20:30", "5 Jan 2026 00:00 to 9 Jan 2026 24:00", "last 6 hours"},
		}
		prompted := map[string]string{"crossings": "days", "hourly": "hours"}
		told := map[string]*receipt.Receipt{}
		for report, answers := range asked {
			for _, given := range answers {
				told[given] = evidenceOf(t, s, report, entered(prompted[report], given))
			}
		}
		for report, answers := range asked {
			for _, given := range answers {
				sized := told[given]
				req := entered(prompted[report], given)
				req.Whole = true
				whole := evidenceOf(t, s, report, req)
				if p := sized.Evidence.Period; assert.NotNil(t, p, "%s: %v", given, sized.Evidence.NotComputed) {
					require.NotNil(t, p.CountedAt, given)
					assert.Equal(t, now.Now(), *p.CountedAt, given)
					p.CountedAt = nil
				}
				assert.Nil(t, whole.Evidence.Period.CountedAt)
				if empty := whole.Evidence.Empty; empty != nil { // pairs and what is without a condition are of the whole table
					assert.Equal(t, empty.Step, sized.Evidence.Empty.Step, given)
					assert.Equal(t, empty.Nearest, sized.Evidence.Empty.Nearest, given)
					sized.Evidence.Empty, whole.Evidence.Empty = nil, nil
				}
				if read := sized.Evidence.Read; e.Name == catalog.MariaDB {
					require.NotNil(t, read, given)
					assert.GreaterOrEqual(t, read.Rows, int64(sized.Rows), given)
					if given == "5 Jan 2026 to 9 Jan 2026" { // whose records are fewer than those around it
						assert.Less(t, read.Evidence, whole.Evidence.Read.Evidence)
					}
				} else {
					assert.Nil(t, read)
				}
				sized.Evidence.Statements, whole.Evidence.Statements = 0, 0
				sized.Evidence.Read, whole.Evidence.Read = nil, nil
				assert.Equal(t, whole.Evidence, sized.Evidence, given)
			}
		}
		e.Exec(t, "DROP TABLE crossings")
		now.move(2 * time.Minute)
		started, err := s.Runs.Prepare(ctx, "crossings", entered("days", "2 Jan 2026"))
		if err == nil {
			_, err = started.Stream(ctx, export.Whole{Writer: &pausing{}})
		}
		assert.Error(t, err, "the table is gone")
	})
}

// entered is a request with one answer.
func entered(prompted, text string) answer.Request {
	return answer.Request{Answers: map[string]prompt.Entered{prompted: prompt.OneText(text)}}
}

// Nothing is counted where the source says so, nor outside its hours; a count that was cut off
// goes on when the service starts again.
func TestHowASourceIsCounted(t *testing.T) {
	for more, want := range map[string]string{
		"counting: off": "the records outside the period: the source says that its records are not counted in the background",
		"counting: {share: 0, from: \"20:00\", through: \"06:00\"}": "the records outside the period: they were not counted yet; that is done in the background",
	} {
		e := sourcetest.Open(t, catalog.SQLite)
		now := clockAt(time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC))
		s := large(t, e, now, more)
		filled(t, e, 100)
		for range 2 {
			r := evidenceOf(t, s, "crossings", entered("days", "2 Jan 2026"))
			assert.Equal(t, []string{want}, r.Evidence.NotComputed, more)
			time.Sleep(20 * time.Millisecond)
		}
		list, err := s.Counts.List(ctx, "sound", false)
		require.NoError(t, err)
		assert.Contains(t, []counts.State{counts.Off, counts.Waiting}, list[0].State)
	}
	for text, want := range map[string]string{
		"counting: {share: 2}":                            "a share is 1 or 0",
		"counting: {from: \"20:00\"}":                     "hours have a beginning and an end",
		"counting: {from: \"25:00\", through: \"06:00\"}": "there is no 25:00 on a clock",
		"counting: {again_after: 1s}":                     "a length of time such as 24h or 30m is wanted here",
		"counting: never":                                 "keys with values are wanted here",
		"counting: {often: true}":                         `no key "often" here`,
	} {
		s := shore(t)
		assert.Contains(t, refusing(t, s, "{pikegate: 1, source: other, zone: Europe/Helsinki, "+strings.ReplaceAll(text, "\n", " ")+"}"), want)
	}
}

// Pages go on from the last row, on every engine, with missing values last and either way of
// each column: put together they are the whole, at the same cost at any depth, and a change
// between them is told.
func TestPagesGoOn(t *testing.T) {
	t.Parallel()
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		now := clockAt(time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC))
		s := large(t, e, now, "")
		filled(t, e, 120)
		for i, sort := range []string{"[at]", "[at descending]", "[party, at descending]", "[party descending, at]", "[]", "[at, party descending, id descending]"} {
			name := fmt.Sprintf("paged-%d", i)
			putting(t, s, fmt.Sprintf("{pikegate: 1, query: %[1]s, of: crossings, show: [id], sort: %[2]s}", name, sort),
				fmt.Sprintf("{pikegate: 1, report: %[1]s, title: Paged, sections: [{table: {query: %[1]s}}]}", name))
			whole := asked(t, s, name, answer.Request{}).ids()
			page := asked(t, s, name, answer.Request{Limit: 7})
			of, all := page.Receipt.ID, []string{page.ids()}
			for page.Receipt.Next != "" {
				page = asked(t, s, name, answer.Request{Limit: 7, Of: of, After: page.Receipt.Next})
				assert.NotContains(t, page.Receipt.SQL, "OFFSET", sort)
				assert.False(t, page.Receipt.DataChanged)
				if len(page.Rows) > 0 {
					all = append(all, page.ids())
				}
			}
			assert.Equal(t, whole, strings.Join(all, " "), "sorted by %s", sort)
			assert.Len(t, strings.Fields(whole), 120)
		}
		first := asked(t, s, "paged-0", answer.Request{Limit: 7})
		time.Sleep(1100 * time.Millisecond) // as long as servers take to tell of a change
		e.Exec(t, "INSERT INTO crossings VALUES (1000, '2026-01-01 01:00:00', 2)")
		time.Sleep(1100 * time.Millisecond)
		next := asked(t, s, "paged-0", answer.Request{Limit: 7, Of: first.Receipt.ID, After: first.Receipt.Next})
		assert.True(t, next.Receipt.DataChanged || next.Receipt.Records != nil && *next.Receipt.Records != *first.Receipt.Records, "%s, then %s", first.Receipt.Changes, next.Receipt.Changes)
		_, err := s.Runs.Prepare(ctx, "paged-0", answer.Request{Limit: 7, After: first.Receipt.Next})
		assert.ErrorContains(t, err, "say too of which, by of with the number of its receipt [run_again]")
		for _, wrong := range []string{"x", "e30x", "eyJyb3dzIjotMX0", "eyJyb3dzIjozLCJ2YWx1ZXMiOlsiYSJdfQ", "eyJyb3dzIjozLCJ2YWx1ZXMiOlsiYSIsImIiXX0"} {
			_, err := s.Runs.Prepare(ctx, "paged-0", answer.Request{Limit: 7, Of: first.Receipt.ID, After: wrong})
			assert.ErrorContains(t, err, "run it again [run_again]", wrong)
		}
	})
}

// A report that may read so many records refuses a longer period before anything is read, and
// offers what is left of it.
func TestTheMostThatAReportReads(t *testing.T) {
	e := sourcetest.Open(t, catalog.SQLite)
	now := clockAt(time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC))
	s := large(t, e, now, "")
	filled(t, e, 400)
	putting(t, s, "{pikegate: 1, report: dear, title: Dear, prompts: [days], limits: {read: 0.06 thousand}, sections: [{table: {query: crossings}}]}")
	refused := func() string {
		_, err := s.Runs.Prepare(ctx, "dear", entered("days", "5 Jan 2026 to 20 Jan 2026"))
		require.Error(t, err)
		return err.Error()
	}
	assert.Contains(t, refused(), "days: this would read more than 60 records, and the report may read 60; ask for less, by a shorter period [reads_too_much]")
	evidenceOf(t, s, "dear", entered("days", "5 Jan 2026 to 8 Jan 2026"))
	settled(t, s)
	assert.Contains(t, refused(), `days: this would read 188 records, and the report may read 60; ask for less, by a shorter period; did you mean "2026-01-16 to 2026-01-20"? [reads_too_much]`)
	evidenceOf(t, s, "dear", entered("days", "2026-01-16 to 2026-01-20"))
	assert.Contains(t, refusing(t, s, "{pikegate: 1, report: dearer, title: Dear, prompts: [days], limits: {read: many}, sections: [{table: {query: crossings}}]}"), "a number of records such as 5 million or 200000 is wanted here")
}

// A clock that was ahead for a while costs the counts of that while, and nothing is told to have
// been counted in the future; new records are found by the signs that the database gives.
func TestACalendarAndItsClock(t *testing.T) {
	t.Parallel()
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		today := time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)
		now := clockAt(today.AddDate(70, 0, 0))
		s := large(t, e, now, "")
		filled(t, e, 100)
		told := func() *receipt.Reconciliation {
			evidenceOf(t, s, "crossings", entered("days", "2 Jan 2026"))
			settled(t, s)
			return evidenceOf(t, s, "crossings", entered("days", "2 Jan 2026")).Evidence.Period
		}
		assert.Equal(t, now.Now(), *told().CountedAt)
		now.set(today)
		time.Sleep(1100 * time.Millisecond) // as long as servers take to tell of a change
		e.Exec(t, "INSERT INTO crossings VALUES (1000, '2026-02-01 10:00:00', 2)")
		time.Sleep(1100 * time.Millisecond)
		p := told()
		assert.Equal(t, now.Now(), *p.CountedAt)
		assert.EqualValues(t, 75, p.After)

		now.move(2 * time.Minute)
		e.Exec(t, "INSERT INTO crossings VALUES (1001, '2026-02-02 10:00:00', 2)")
		time.Sleep(1100 * time.Millisecond)
		assert.EqualValues(t, 76, told().After, "the last days are counted anew at once")
	})
}
