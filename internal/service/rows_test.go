package service_test

import (
	"bytes"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/value"
	"pikegate/internal/export"
	"pikegate/internal/service"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/receipt"
	"pikegate/internal/service/run"
	"pikegate/internal/source/sourcetest"
)

// shore opens a service on a source called shore, whose records statements write, at ten
// in the morning of 23 Nov 2026 in Helsinki.
func shore(t *testing.T, statements ...string) *service.Service {
	t.Helper()
	dir := t.TempDir()
	records, err := sql.Open("sqlite3", base.RecordsPath(dir))
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	for _, s := range statements {
		_, err = records.Exec(s)
		require.NoError(t, err, s)
	}
	s := open(t, dir, time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC))
	putting(t, s, "{pikegate: 1, source: shore, zone: Europe/Helsinki}")
	return s
}

// putting puts documents and returns what was found.
func putting(t *testing.T, s *service.Service, documents ...string) string {
	t.Helper()
	result, err := s.Publisher.Put(ctx, publish.Put{Files: file(strings.Join(documents, "\n---\n"))})
	require.NoError(t, err)
	return result.Findings.Error()
}

// refusing puts documents that are refused and returns why.
func refusing(t *testing.T, s *service.Service, documents ...string) string {
	t.Helper()
	_, err := s.Publisher.Put(ctx, publish.Put{Files: file(strings.Join(documents, "\n---\n"))})
	var refused *base.Refusal
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, fault.DefinitionsRefused, refused.Kind)
	return refused.Error()
}

// got is a result as a reader gets it.
type got struct {
	Rows    [][]any          `json:"rows"`
	Notes   []string         `json:"notes"`
	Receipt *receipt.Receipt `json:"receipt"`
}

// ids are the first values of the rows.
func (g got) ids() string {
	all := make([]string, len(g.Rows))
	for i, row := range g.Rows {
		all[i] = fmt.Sprint(row[0])
	}
	return strings.Join(all, " ")
}

// asked runs a report with evidence, on answers NAME=VALUE.
func asked(t *testing.T, s *service.Service, report string, req answer.Request, given ...string) got {
	t.Helper()
	req.Evidence, req.Answers = true, map[string]prompt.Entered{}
	for _, g := range given {
		name, value, _ := strings.Cut(g, "=")
		req.Answers[name] = prompt.OneText(value)
	}
	started, err := s.Runs.Prepare(ctx, report, req)
	require.NoError(t, err)
	var out bytes.Buffer
	_, err = started.Stream(ctx, export.Whole{Writer: export.New(export.JSON, &out, started.Columns, started.Zone, started.Notes()...)})
	require.NoError(t, err)
	var g got
	require.NoError(t, json.Unmarshal(out.Bytes(), &g))
	return g
}

// A day asked for in custom SQL is whole, to its last moment.
func TestWholeDaysInCustomSQL(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY, at TEXT)", `INSERT INTO calls VALUES
		(1, '2026-03-04 21:59:59'), (2, '2026-03-04 22:00:00'), (3, '2026-03-05 12:00:00'), (4, '2026-03-06 21:59:59'), (5, '2026-03-06 21:59:59.9'), (6, '2026-03-06 22:00:00')`)
	calls := `{pikegate: 1, dataset: calls, source: shore, key: [id], columns: {id: {type: integer}, at: {type: instant, stored: text, pattern: "yyyy-MM-dd HH:mm:ss"}}, sql: "SELECT id, at FROM calls WHERE %s"}`
	rest := `{pikegate: 1, prompt: start-date, ask: From, type: day, required: true}
---
{pikegate: 1, prompt: end-date, ask: Through, type: day, required: true}
---
{pikegate: 1, query: calls, of: calls, show: [id], sort: [id]}
---
{pikegate: 1, report: calls, title: Calls, prompts: [start-date, end-date], sections: [{table: {query: calls}}]}`
	assert.Equal(t, `f.yaml:1:161: the column "at" has a time of day and :end_date is the start of its day: <= loses the rest of that day; did you mean "at < :end_date_next_day"? [last_day_lost]`,
		refusing(t, s, fmt.Sprintf(calls, "at >= :start_date AND at <= :end_date"), rest))
	for _, where := range []string{"at >= :start_date AND at < :end_date_next_day", ":start_date <= at AND at < :end_date_next_day", "at >= :start_date_first AND NOT (at >= :end_date_next_day)", "at BETWEEN :start_date AND '9' AND at < :end_date_next_day"} {
		putting(t, s, fmt.Sprintf(calls, where), rest)
		assert.Equal(t, "2 3 4 5", asked(t, s, "calls", answer.Request{}, "start-date=5 Mar 2026", "end-date=6 Mar 2026").ids(), where)
	}
}

// A placeholder that stands beside two columns has the stored form of each.
func TestAPlaceholderBesideTwoColumns(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY, day INTEGER, at INTEGER)", "INSERT INTO calls VALUES (1, 20260305, 1772661600), (2, 20260305, 1772661599), (3, 20260304, 1772661600)")
	putting(t, s, `{pikegate: 1, dataset: calls, source: shore, sql: "SELECT id, day, at FROM calls WHERE day = :d AND at >= :d", key: [id], columns: {id: {type: integer}, day: {type: date, stored: yyyymmdd}, at: {type: instant, stored: epoch-seconds}}}`, "{pikegate: 1, prompt: d, ask: When, type: day, required: true}",
		"{pikegate: 1, query: calls, of: calls, show: [id]}", "{pikegate: 1, report: calls, title: Calls, prompts: [d], sections: [{table: {query: calls}}]}")
	assert.Equal(t, "1", asked(t, s, "calls", answer.Request{}, "d=5 Mar 2026").ids())
}

// A dataset that says of its dates what they are not is refused when it is put, and where
// that comes later when it is run; where some values do not fit, their share is told.
func TestFormsThatTheDataDoNotHave(t *testing.T) {
	text := "INSERT INTO calls (id, day) SELECT value, (value % 12 + 1) || '/' || (value % 28 + 1) || '/2026' FROM generated"
	const generated = "CREATE TABLE generated AS WITH RECURSIVE n(value) AS (SELECT 1 UNION ALL SELECT value + 1 FROM n WHERE value < 100) SELECT value FROM n"
	dataset := "{pikegate: 1, dataset: calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}, day: {type: %s}}}"
	for _, c := range []struct{ fill, said, want string }{
		{text, "date, stored: text, pattern: d/M/yyyy", `f.yaml:1:107: most values of the column "day" cannot be read as a date in the pattern d/M/yyyy: 53 of 100 that were looked at, such as "1/13/2026", "2/14/2026" and "3/15/2026"; did you mean "{type: date, stored: text, pattern: M/d/yyyy}"? [stored_otherwise]`},
		{text, "instant, stored: epoch-seconds", `most values of the column "day" cannot be read as an instant stored as epoch-seconds: 100 of 100 that were looked at`},
		{text, "integer", `most values of the column "day" cannot be read as a whole number: 100 of 100`},
		{"INSERT INTO calls SELECT value, 1772661600000 + value FROM generated", "instant, stored: epoch-seconds", `did you mean "{type: instant, stored: epoch-milliseconds}"? [stored_otherwise]`},
		{"INSERT INTO calls SELECT value, 1772661600 + value FROM generated", "instant, stored: epoch-milliseconds", `all values of the column "day" that were looked at would be of January 1970; they look like seconds; did you mean "{type: instant, stored: epoch-seconds}"?`},
		{"INSERT INTO calls SELECT value, '1772661600' FROM generated", "instant, stored: epoch-seconds", "most values"},
	} {
		s := shore(t, generated, "CREATE TABLE calls (id INTEGER PRIMARY KEY, day)", c.fill)
		assert.Contains(t, refusing(t, s, fmt.Sprintf(dataset, c.said)), c.want, c.said)
	}

	query := `{pikegate: 1, query: calls, of: calls, show: [id, day], where: {day: {within: {prompt: days}}}, sort: [day]}
---
{pikegate: 1, prompt: days, ask: When, type: period, default: this year}
---
{pikegate: 1, report: calls, title: Calls, prompts: [days], sections: [{table: {query: calls}}]}`
	s := shore(t, generated, "CREATE TABLE calls (id INTEGER PRIMARY KEY, day)", text)
	_, err := s.Publisher.Put(ctx, publish.Put{Offline: true, Files: file(fmt.Sprintf(dataset, "date, stored: text, pattern: d/M/yyyy") + "\n---\n" + query)})
	require.NoError(t, err, "without asking the database")
	_, err = s.Runs.Prepare(ctx, "calls", answer.Request{})
	var refused *base.Refusal
	require.ErrorAs(t, err, &refused)
	assert.Equal(t, fault.DefinitionInError, refused.Kind)
	assert.Contains(t, refused.Error(), `dataset calls: most values of the column "day" cannot be read as a date in the pattern d/M/yyyy: 53 of 100`)

	s = shore(t, generated, "CREATE TABLE calls (id INTEGER PRIMARY KEY, day)", text, "UPDATE calls SET day = 'n/a' WHERE id IN (7, 70)", "UPDATE calls SET day = 'soon' WHERE id = 50")
	assert.Contains(t, putting(t, s, fmt.Sprintf(dataset, "date, stored: text, pattern: M/d/yyyy"), query), `f.yaml:1:107: warning: 3 % of the values of the column "day" that were looked at cannot be read as a date in the pattern M/d/yyyy, such as "n/a" and "soon"; no condition finds them [stored_otherwise]`)
	g := asked(t, s, "calls", answer.Request{})
	assert.Len(t, g.Rows, 97)
	assert.Equal(t, []string{`3 % of the values of the column "day" that were looked at cannot be read as a date in the pattern M/d/yyyy, such as "n/a" and "soon"; no condition finds them`}, g.Notes, "before the rows")
	assert.Equal(t, []string{`day: 3 records whose value cannot be read as a date in the pattern M/d/yyyy, such as "n/a" and "soon"; no condition on days finds them.`}, g.Receipt.Notes)
}

// What is put is held against the database: tables, columns, and on servers the types
// that they have; where it cannot be asked that is said.
func TestPutAsksTheDatabase(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY, ship TEXT)")
	assert.Equal(t, `f.yaml:1:53: the source "shore" has no table "cals"; did you mean "calls"? [no_such_table]`,
		refusing(t, s, "{pikegate: 1, dataset: calls, source: shore, table: cals, key: [id], columns: {id: {type: integer}}}"))
	assert.Contains(t, refusing(t, s, "{pikegate: 1, dataset: calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}, shop: {type: text}}}"), `the table "calls" has no column "shop"; did you mean "ship"? [no_such_column]`)
	_, err := s.Publisher.Put(ctx, publish.Put{Offline: true, Files: file("{pikegate: 1, dataset: calls, source: shore, table: later, key: [id], columns: {id: {type: integer}}}")})
	require.NoError(t, err)
	putting(t, s, "{pikegate: 1, dataset: calls, source: shore, table: later, key: [id], columns: {id: {type: integer}}}")

	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		e.Exec(t, fmt.Sprintf("CREATE TABLE calls (id INTEGER PRIMARY KEY, ship %s, party %[1]s)", map[catalog.Engine]string{catalog.SQLite: "TEXT", catalog.Postgres: "text", catalog.MariaDB: "VARCHAR(20)"}[e.Name]))
		for i := range 5 {
			e.Exec(t, "INSERT INTO calls VALUES (?, 'Ångra', 'many')", i)
		}
		at := "file: " + e.At.File
		if e.Name != catalog.SQLite {
			at = fmt.Sprintf("address: {env: %s}, schema: %s", e.At.Address.Env, e.At.Schema)
		}
		s := shore(t)
		putting(t, s, fmt.Sprintf("{pikegate: 1, source: far, zone: Europe/Helsinki, engine: %s, %s}", e.Name, at))
		const columns = "key: [id], columns: {id: {type: integer}, party: {type: integer}}}"
		assert.Contains(t, refusing(t, s, "{pikegate: 1, dataset: calls, source: far, table: calls, "+columns), "[stored_otherwise]")
		if e.Name == catalog.Postgres {
			assert.Contains(t, refusing(t, s, "{pikegate: 1, dataset: calls, source: far, sql: \"SELECT id, party FROM calls\", "+columns), `the column "party" is said to be a whole number, and the database cannot compare what the SQL brings with one: operator does not exist: text >= bigint (SQLSTATE 42883) [stored_otherwise]`)
		}
	})
}

// A key that does not tell records apart is told, by put and by the run, and pages bring
// each record once all the same.
func TestAKeyThatDoesNotTellRecordsApart(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		text := map[catalog.Engine]string{catalog.SQLite: "TEXT", catalog.Postgres: "text", catalog.MariaDB: "VARCHAR(20)"}[e.Name]
		e.Exec(t, fmt.Sprintf("CREATE TABLE towns (state %s, town %[1]s, people INTEGER)", text))
		e.Exec(t, "CREATE INDEX towns_by_people ON towns (people)")
		for i := range 500 {
			e.Exec(t, "INSERT INTO towns VALUES (?, ?, ?)", fmt.Sprintf("S%d", i*7%5), fmt.Sprintf("T%03d", i*131%500), i%3)
		}
		at := "file: " + e.At.File
		if e.Name != catalog.SQLite {
			at = fmt.Sprintf("address: {env: %s}, schema: %s", e.At.Address.Env, e.At.Schema)
		}
		s := shore(t)
		found := putting(t, s, fmt.Sprintf("{pikegate: 1, source: far, zone: Europe/Helsinki, engine: %s, %s}", e.Name, at),
			"{pikegate: 1, dataset: towns, source: far, table: towns, key: [state], columns: {state: {type: text}, town: {type: text}, people: {type: integer}}}",
			"{pikegate: 1, query: towns, of: towns, show: [town, people], sort: [people descending]}", "{pikegate: 1, report: towns, title: Towns, sections: [{table: {query: towns}}]}")
		assert.Regexp(t, `warning: the key does not tell records apart: 100 records of "towns" have the same "state", "S\d"; rows are still brought once each, but runs cannot be compared by it \[key_not_unique\]`, found)
		seen := map[string]int{}
		whole := asked(t, s, "towns", answer.Request{})
		assert.Equal(t, []string{"500 rows share their key with another: it does not tell records apart, and runs cannot be compared by it."}, whole.Receipt.Notes)
		var paged []string
		for skip := 0; skip < 500; skip += 40 {
			page := asked(t, s, "towns", answer.Request{Limit: 40, Skip: skip})
			assert.Equal(t, whole.Receipt.Evidence.Fingerprint, page.Receipt.Evidence.Fingerprint, "the fingerprint is that of the whole, of the last page too")
			assert.EqualValues(t, 500, *page.Receipt.Records)
			paged = append(paged, page.ids())
			for _, row := range page.Rows {
				seen[fmt.Sprint(row[0])]++
			}
		}
		assert.Len(t, seen, 500)
		assert.Equal(t, whole.ids(), strings.Join(paged, " "))
	})
}

// Decimals come whole, however many digits the dataset gives them.
func TestNoDigitIsLost(t *testing.T) {
	s := shore(t, "CREATE TABLE fares (id INTEGER PRIMARY KEY, fare REAL, exact TEXT)", "INSERT INTO fares VALUES (1, 1.25, '12345678901234567.89'), (2, 1.2, '-0.5'), (3, 3, NULL)")
	putting(t, s, "{pikegate: 1, dataset: fares, source: shore, table: fares, key: [id], columns: {id: {type: integer}, fare: {type: decimal, scale: 1, label: Fare}, exact: {type: decimal, scale: 2, stored: text}}}",
		"{pikegate: 1, prompt: fare, ask: How much, type: number}", "{pikegate: 1, query: fares, of: fares, show: [id, fare, exact], where: {all: [{fare: {is: {prompt: fare}}}]}, sort: [exact]}",
		"{pikegate: 1, report: fares, title: Fares, prompts: [fare], sections: [{table: {query: fares}}]}")
	g := asked(t, s, "fares", answer.Request{})
	assert.Equal(t, [][]any{{2.0, "1.2", "-0.50"}, {1.0, "1.25", "12345678901234567.89"}, {3.0, "3.0", nil}}, g.Rows)
	assert.Equal(t, []receipt.MoreDigits{{Column: "Fare", Scale: 1, Records: 1}}, g.Receipt.Evidence.MoreDigits)
	assert.Equal(t, []string{"Fare: 1 value with more digits than its scale of 1, shown whole."}, g.Receipt.Notes)
	assert.Equal(t, "1", asked(t, s, "fares", answer.Request{}, "fare=1.25").ids())
	assert.Equal(t, "2", asked(t, s, "fares", answer.Request{}, "fare=1.2").ids())
}

// Numbers that stand for days outside the calendar are unreadable: no condition finds
// them, and the data do not reach to them.
func TestDaysOutsideTheCalendar(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY, day REAL, at INTEGER)", "INSERT INTO calls VALUES (1, 46086, 1772661600), (2, 99999999, 99999999999999), (3, 46087, 1772748000), (4, 46088, 1772834400), (5, 46089, 1772920800)")
	for column, stored := range map[string]string{"day": "date, stored: serial-days", "at": "instant, stored: epoch-seconds"} {
		putting(t, s, fmt.Sprintf("{pikegate: 1, dataset: calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}, %s: {type: %s}}}", column, stored), "{pikegate: 1, prompt: days, ask: When, type: period, open: either}",
			fmt.Sprintf("{pikegate: 1, query: calls, of: calls, show: [id], where: {%s: {within: {prompt: days}}}}", column), "{pikegate: 1, report: calls, title: Calls, prompts: [days], sections: [{table: {query: calls}}]}")
		g := asked(t, s, "calls", answer.Request{}, "days=since 6 Mar 2026")
		assert.Equal(t, "3 4 5", g.ids(), column)
		assert.EqualValues(t, 1, g.Receipt.Evidence.Period.Unreadable, column)
		assert.Equal(t, "2026-03-08", g.Receipt.Evidence.CompleteUpTo.Day.String(), column)
		history, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 10})
		require.NoError(t, err)
		assert.NotEmpty(t, history)
	}
}

// Whatever is offered where there are no records brings some, in whatever order the
// conditions stand.
func TestWhatIsOfferedBringsRecords(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY, day TEXT, ship TEXT)", `INSERT INTO calls VALUES (1, '2012-12-28', 'Marram'), (2, '2013-06-01', 'Tern'), (3, '2015-03-01', 'Marram'), (4, '2015-03-02', 'Tern'), (5, '2016-05-05', 'Marram'), (6, '2012-01-05', 'Tern'), (7, '2020-02-29', 'Skua')`)
	putting(t, s, "{pikegate: 1, dataset: calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}, day: {type: date, stored: text, pattern: yyyy-MM-dd}, ship: {type: text}}}",
		"{pikegate: 1, prompt: day, ask: When, type: day}", "{pikegate: 1, prompt: days, ask: When, type: period, open: either}", "{pikegate: 1, prompt: ship, ask: Which, type: text}")
	r := rand.New(rand.NewPCG(20, 26))
	conditions := []string{"{day: {before: 2013-01-01}}", "{day: {within: 2015}}", "{day: {after: 2012-06-01}}", "{day: {outside: Mar 2015}}", "{day: {is: {prompt: day}}}", "{day: {from: {prompt: day}}}", "{day: {before: {prompt: day}}}",
		"{day: {within: {prompt: days}}}", "{day: {through: {prompt: days, side: end}}}", "{ship: {is: {prompt: ship}}}", "{none: [{ship: {is: Tern}}]}", "{any: [{day: {within: {prompt: days}}}, {ship: {is: Skua}}]}"}
	days := []string{"2015-01-01", "2012-12-29", "2011-05-05", "2030-01-01"}
	periods := []string{"2014", "1 Jan 2013 to 5 Jan 2013", "2031-Q1", "since 2025-01-01", "until 2011-01-01", "May 2012"}
	offered := 0
	for range 150 {
		r.Shuffle(len(conditions), func(i, j int) { conditions[i], conditions[j] = conditions[j], conditions[i] })
		query := fmt.Sprintf("{pikegate: 1, query: calls, of: calls, show: [id], sort: [day], where: {all: [%s]}}", strings.Join(conditions[:1+r.IntN(4)], ", "))
		_, err := s.Publisher.Put(ctx, publish.Put{Files: file(query + "\n---\n{pikegate: 1, report: calls, title: Calls, prompts: [day, days, ship], sections: [{table: {query: calls}}]}")})
		if err != nil {
			continue // conditions that can never hold together
		}
		given := map[string]string{"day": days[r.IntN(len(days))], "days": periods[r.IntN(len(periods))], "ship": []string{"Marram", "Tern"}[r.IntN(2)]}
		started := func() got {
			return asked(t, s, "calls", answer.Request{}, "day="+given["day"], "days="+given["days"], "ship="+given["ship"])
		}
		why := started().Receipt.Evidence.Empty
		if why == nil || why.Nearest == nil {
			continue
		}
		offered++
		require.Positive(t, why.Nearest.Records, query)
		if name := why.Nearest.Prompt; name != "" {
			given[name] = why.Nearest.Answer
			require.EqualValues(t, why.Nearest.Records, len(started().Rows), "%s %v", query, given)
		}
	}
	assert.Greater(t, offered, 15)
}

// A run again as it was reads the answers as they were read then: by its moment, its day
// order and the start of its business year.
func TestRunningAgainReadsTheSame(t *testing.T) {
	dir := t.TempDir()
	records, err := sql.Open("sqlite3", base.RecordsPath(dir))
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	_, err = records.Exec("CREATE TABLE calls (id INTEGER PRIMARY KEY, at INTEGER)")
	require.NoError(t, err)
	start := time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)
	_, err = records.Exec(`WITH RECURSIVE n(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i < 1459)
		INSERT INTO calls SELECT i + 1, ? + i * 12 * 3600 FROM n UNION ALL SELECT 5000 + i, ? + i * 3600 + 1800 FROM n WHERE i < 24`, start.AddDate(-1, 0, 0).Unix(), start.Unix())
	require.NoError(t, err)
	config := base.Config{Dir: dir, RunTime: time.Minute, Now: func() time.Time { return start.Add(10 * time.Hour) }, DayOrder: phrase.DayFirst, FiscalStart: time.July}
	s, err := service.Open(ctx, config)
	require.NoError(t, err)
	putting(t, s, "{pikegate: 1, source: shore, zone: Europe/Helsinki}", "{pikegate: 1, dataset: calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}, at: {type: instant, stored: epoch-seconds}}}",
		"{pikegate: 1, prompt: moments, ask: When, type: moment-period}", "{pikegate: 1, prompt: days, ask: When, type: period}",
		"{pikegate: 1, query: calls, of: calls, show: [id], where: {all: [{at: {within: {prompt: moments}}}, {at: {within: {prompt: days}}}]}}", "{pikegate: 1, report: calls, title: Calls, prompts: [moments, days], sections: [{table: {query: calls}}]}")
	first := []got{asked(t, s, "calls", answer.Request{}, "moments=last 6 hours"), asked(t, s, "calls", answer.Request{}, "days=3/4/2026 to 5/4/2026"), asked(t, s, "calls", answer.Request{}, "days=this fiscal year")}
	assert.Equal(t, "5004 5005 5006 5007 5008 5009", strings.TrimPrefix(first[0].ids(), "731 "))
	require.NoError(t, s.Close())

	config.Now, config.DayOrder, config.FiscalStart = func() time.Time { return start.Add(15 * time.Hour) }, phrase.MonthFirst, time.April
	s, err = service.Open(ctx, config)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	for _, g := range first {
		c, err := s.Runs.Again(ctx, g.Receipt.ID, "")
		require.NoError(t, err)
		assert.True(t, c.Same, g.Receipt.ReadBack)
		assert.Equal(t, []int{0, 0}, []int{c.Gained.Records, c.Lost.Records})
	}
	today, err := s.Runs.Again(ctx, first[0].Receipt.ID, "today")
	require.NoError(t, err)
	assert.Equal(t, 6, today.Gained.Records, "as of today it goes by the moment of now")
}

// How far the data reach is not told where only what was asked for is known of them.
func TestHowFarTheDataReach(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY, day TEXT)", "INSERT INTO calls VALUES (1, '2026-03-05'), (2, '2026-09-09')")
	const columns = "key: [id], columns: {id: {type: integer}, day: {type: date, stored: text, pattern: yyyy-MM-dd}}}"
	rest := []string{"{pikegate: 1, prompt: days, ask: When, type: period, required: true}", "{pikegate: 1, query: calls, of: calls, show: [id, day], sort: [day]}", "{pikegate: 1, report: calls, title: Calls, prompts: [days], sections: [{table: {query: calls}}]}"}
	for dataset, told := range map[string]bool{
		`{pikegate: 1, dataset: calls, source: shore, sql: "SELECT id, day FROM calls WHERE day >= :days_first AND day < :days_next_day", ` + columns:                                 false,
		"{pikegate: 1, dataset: all, source: shore, table: calls, " + columns + "\n---\n{pikegate: 1, dataset: calls, of: all, where: {day: {within: {prompt: days}}}}":               false,
		"{pikegate: 1, dataset: all, source: shore, table: calls, " + columns + "\n---\n{pikegate: 1, dataset: calls, of: all, where: {all: [{id: {at_least: 0}}, {id: {present}}]}}": true,
		`{pikegate: 1, dataset: calls, source: shore, sql: "SELECT id, day FROM calls", ` + columns:                                                                                   true,
	} {
		_, err := s.Publisher.Put(ctx, publish.Put{Files: file(strings.Join(append([]string{strings.ReplaceAll(dataset, "{id: {present}}", "{id: present}")}, rest...), "\n---\n"))})
		if err != nil && told { // whose report has a prompt that nothing uses, which is a finding only
			require.NoError(t, err)
		}
		g := asked(t, s, "calls", answer.Request{}, "days=Mar 2026")
		assert.Equal(t, told, g.Receipt.Evidence.CompleteUpTo != nil, dataset)
	}
}

// A receipt that cannot be read to its end keeps nobody from the others.
func TestReceiptsThatCannotBeRead(t *testing.T) {
	dir := ""
	s, _ := sailing(t, func(c *base.Config) { dir = c.Dir })
	for range 3 {
		ran(t, s, answer.Request{Answers: answers("Mar 2026", "")})
	}
	own, err := sql.Open("sqlite3", filepath.Join(dir, "pikegate.db"))
	require.NoError(t, err)
	defer own.Close()
	_, err = own.Exec(`UPDATE receipts SET body = CAST(replace(CAST(body AS TEXT), '"as_of":"2026-11-23"', '"as_of":"248073-06-01"') AS BLOB) WHERE id = 2; UPDATE receipts SET body = CAST('{' AS BLOB) WHERE id = 1`)
	require.NoError(t, err)
	all, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 10})
	require.NoError(t, err)
	require.Len(t, all, 3)
	assert.Equal(t, []string{"trips", "trips", "trips"}, []string{all[0].Report, all[1].Report, all[2].Report})
	r, err := s.Receipts.Find(ctx, 2)
	require.NoError(t, err)
	assert.Equal(t, []any{int64(2), receipt.Rows, "Ines", `What is kept of this run cannot be read to its end: civil: "248073-06-01" is not a day in the form YYYY-MM-DD`}, []any{r.ID, r.State, r.Person, r.Problem})
	_, err = s.Runs.Again(ctx, 2, "")
	assert.ErrorContains(t, err, "What is kept of this run cannot be read to its end")
	_, err = s.Runs.Again(ctx, 3, "")
	require.NoError(t, err)
}

// panicking is a reader that panics at its n-th row.
type panicking struct {
	pausing
	n int
}

func (p *panicking) Row([]value.Value) error {
	if p.n--; p.n == 0 {
		panic("out of the blue")
	}
	return nil
}

// A run that panics says so on its receipt and gives its place in the queue back.
func TestARunThatPanics(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY)", "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 2000) INSERT INTO calls SELECT i FROM n")
	putting(t, s, "{pikegate: 1, source: shore, zone: Europe/Helsinki, limits: {at_once: 1, waiting: 0}}", "{pikegate: 1, dataset: calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}}}",
		"{pikegate: 1, query: calls, of: calls, show: [id]}", "{pikegate: 1, report: calls, title: Calls, sections: [{table: {query: calls}}]}")
	for _, row := range []int{1, 500} {
		started, err := s.Runs.Prepare(ctx, "calls", answer.Request{})
		require.NoError(t, err)
		func() {
			defer func() {
				p, ok := recover().(*run.Panicked)
				require.True(t, ok)
				assert.Equal(t, started.ID(), p.Receipt)
				assert.Contains(t, string(p.Stack), "panicking")
			}()
			_, _ = started.Stream(ctx, export.Whole{Writer: &panicking{n: row}})
		}()
		r, err := s.Receipts.Find(ctx, started.ID())
		require.NoError(t, err)
		assert.Equal(t, receipt.FailedByService, r.State)
		assert.Equal(t, "the service failed: out of the blue", r.Problem)
	}
	assert.Len(t, asked(t, s, "calls", answer.Request{}).Rows, 2000)
}

// A check of SQL with a placeholder that stands for nothing tells so.
func TestCheckingAnUnknownPlaceholder(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY)")
	found, err := s.Publisher.Check(ctx, file(`{pikegate: 1, dataset: calls, source: shore, sql: "SELECT id FROM calls WHERE id = :nobody", key: [id], columns: {id: {type: integer}}}`))
	require.NoError(t, err)
	assert.Contains(t, found.Error(), "the placeholder :nobody stands for no prompt that there is")
}

// One run has one receipt: further rows of it are read by the answers, the day and the
// moment of then, and leave no receipt of their own.
func TestFurtherRowsOfARun(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY)", "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 50) INSERT INTO calls SELECT i FROM n")
	dataset := "{pikegate: 1, dataset: calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}}}"
	putting(t, s, dataset, "{pikegate: 1, prompt: least, ask: From, type: number}", "{pikegate: 1, query: calls, of: calls, show: [id], where: {id: {at_least: {prompt: least}}}}", "{pikegate: 1, report: calls, title: Calls, prompts: [least], sections: [{table: {query: calls}}]}")
	first := asked(t, s, "calls", answer.Request{Limit: 20}, "least=11")
	next := asked(t, s, "calls", answer.Request{Limit: 20, Skip: 20, Of: first.Receipt.ID})
	assert.Equal(t, "31 32 33 34 35 36 37 38 39 40 41 42 43 44 45 46 47 48 49 50", next.ids())
	assert.Equal(t, []int64{0, first.Receipt.ID}, []int64{next.Receipt.ID, next.Receipt.PageOf})
	all, _, err := s.Receipts.History(ctx, receipt.Wanted{Most: 10})
	require.NoError(t, err)
	assert.Len(t, all, 1)
	_, err = s.Runs.Prepare(ctx, "calls", answer.Request{Limit: 20, Of: 99})
	assert.ErrorContains(t, err, "no receipt 99")
	putting(t, s, strings.Replace(dataset, "source", "title: All calls, source", 1))
	_, err = s.Runs.Prepare(ctx, "calls", answer.Request{Limit: 20, Skip: 20, Of: first.Receipt.ID})
	assert.ErrorContains(t, err, "the report has changed since; run it again [run_again]")
}

// ending is a reader whose last byte cannot be handed on, or that asks at its end.
type ending struct {
	pausing
	end func() error
}

func (e *ending) End([]byte) error { return e.end() }

// That a result was read whole does not say that it arrived: as long as it is on its way,
// and for good where the service ends meanwhile, the receipt says so.
func TestAResultOnItsWay(t *testing.T) {
	s, _ := sailing(t, nil)
	started, err := s.Runs.Prepare(ctx, "trips", answer.Request{Answers: answers("Mar 2026", "")})
	require.NoError(t, err)
	said := func() string {
		r, err := s.Receipts.Find(ctx, started.ID())
		require.NoError(t, err)
		assert.Equal(t, receipt.Rows, r.State)
		return r.Says
	}
	_, err = started.Stream(ctx, export.Whole{Writer: &ending{end: func() error {
		assert.Equal(t, "All was read and sent; it is not known to have arrived.", said())
		return nil
	}}})
	require.NoError(t, err)
	assert.Equal(t, "Records came back.", said())

	// A reader that leaves while the end is on its way is on record as gone.
	left, err := s.Runs.Prepare(ctx, "trips", answer.Request{Answers: answers("Mar 2026", "")})
	require.NoError(t, err)
	_, err = left.Stream(ctx, export.Whole{Writer: &ending{end: func() error { return io.ErrClosedPipe }}})
	require.ErrorIs(t, err, receipt.ErrGone)
	r, err := s.Receipts.Find(ctx, left.ID())
	require.NoError(t, err)
	assert.Equal(t, receipt.Cancelled, r.State)
	assert.Contains(t, r.Problem, "closed pipe")
}

// first is a reader that asks something before the first bytes of a result are its own.
type first struct {
	ask func()
	n   int
}

func (f *first) Write(b []byte) (int, error) {
	if f.n == 0 {
		f.ask()
	}
	f.n += len(b)
	return len(b), nil
}

// Nothing of a result is sent before its run is on record: a long one as under way, a short one with
// its end.
func TestOnRecordBeforeAnythingIsSent(t *testing.T) {
	s := shore(t, "CREATE TABLE calls (id INTEGER PRIMARY KEY)", "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 100000) INSERT INTO calls SELECT i FROM n")
	putting(t, s, "{pikegate: 1, dataset: calls, source: shore, table: calls, key: [id], columns: {id: {type: integer}}}",
		"{pikegate: 1, query: calls, of: calls, show: [id]}", "{pikegate: 1, report: calls, title: Calls, sections: [{table: {query: calls}}]}")
	for limit, state := range map[int]string{0: "running", 10: "rows"} {
		started, err := s.Runs.Prepare(ctx, "calls", answer.Request{Limit: limit, Uncounted: true})
		require.NoError(t, err)
		reader := &first{ask: func() {
			r, err := s.Base.Store.Receipt(ctx, started.ID())
			if assert.NoError(t, err) {
				assert.Equal(t, state, r.State)
			}
		}}
		result, closed := started.In(export.CSV, export.CSVForm{}, started.Sending(reader, func() {}, nil))
		_, err = started.Stream(ctx, result)
		require.NoError(t, err)
		closed()
		assert.Positive(t, reader.n)
		r, err := s.Base.Store.Receipt(ctx, started.ID())
		require.NoError(t, err)
		assert.Equal(t, "rows", r.State)
	}
}
