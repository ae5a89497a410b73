package service_test

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/export"
	"pikegate/internal/service"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
	"pikegate/internal/source/sourcetest"
)

// stop is a record of the table that people see parts of.
type stop struct {
	id            int
	harbour, ship *string
	on            *string
	n             int
}

// limit is a condition on the person at one place of a report, with what it means.
type limit struct {
	name                         string
	ofDataset, ofQuery, ofReport string
	holds                        func(s stop, harbours []string) bool
	withFilter                   bool
	least                        int // of its values, for it to hold something back
}

func among(text *string, values []string) bool { return text != nil && slices.Contains(values, *text) }

var limits = []limit{
	{name: "of-a-dataset", ofDataset: "{harbour: {any_of: {person: harbours}}}", holds: func(s stop, h []string) bool { return among(s.harbour, h) }},
	{name: "of-a-query", ofQuery: "{any: [{harbour: {is: {person: harbours}}}, {ship: missing}]}", holds: func(s stop, h []string) bool { return among(s.harbour, h) || s.ship == nil }},
	{name: "of-a-report", ofReport: "{none: [{harbour: {any_of: {person: harbours}}}, {n: {at_least: 9}}]}", holds: func(s stop, h []string) bool { return !among(s.harbour, h) && s.n < 9 }},
	{name: "by-what-is-not", least: 1, ofDataset: "{harbour: {none_of: {person: harbours}}}", holds: func(s stop, h []string) bool { return !among(s.harbour, h) }},
	{name: "in-a-filter", ofReport: "{filter: yours}", withFilter: true, holds: func(s stop, h []string) bool { return among(s.harbour, h) || s.n > 8 }},
}

// stops are the definitions of a report that asks about stops, with a condition on the person or
// without.
func stops(l limit, limited bool) string {
	filter := "\n---\n{pikegate: 1, filter: yours, of: stops, where: {any: [{harbour: {any_of: {person: harbours}}}, {n: {more_than: 8}}]}}"
	if !l.withFilter {
		filter = ""
	}
	if !limited {
		l.ofDataset, l.ofQuery, l.ofReport, filter = "", "", "", ""
	}
	key := func(text string) string {
		if text == "" {
			return ""
		}
		return ", where: " + text
	}
	if l.ofQuery != "" {
		l.ofQuery += ", "
	}
	return fmt.Sprintf(`{pikegate: 1, dataset: stops, source: shore, table: stops, key: [id], columns: {id: {type: integer}, harbour: {type: text}, ship: {type: text}, on: {type: date, stored: text, pattern: yyyy-MM-dd}, n: {type: integer}}}%s
---
{pikegate: 1, dataset: some, of: stops%s}
---
{pikegate: 1, prompt: days, ask: When, type: period, open: either}
---
{pikegate: 1, prompt: ships, ask: Which ships, type: choice, many: true, choices: {of: some, value: ship, count: true}}
---
{pikegate: 1, query: q, of: some, show: [on, harbour, ship, n], sort: [on], where: {all: [{on: {within: {prompt: days}}}, %s{ship: {any_of: {prompt: ships}}}, {n: {at_least: 1}}]}}
---
{pikegate: 1, query: by-month, of: some, group: [{on: {by: month, fill: true}}], summaries: {stops: {count: records}, all: {sum: n}}, where: {all: [%s{on: {within: {prompt: days}}}]}}
---
{pikegate: 1, report: %s, title: Stops, prompts: [days, ships]%s, sections: [{table: {query: q, totals: [n]}}, {table: {query: by-month}}]}
`, filter, key(l.ofDataset), l.ofQuery, l.ofQuery, l.name, key(l.ofReport))
}

// shores opens a service on stops.
func shores(t *testing.T, change func(*base.Config)) (*service.Service, *sql.DB) {
	t.Helper()
	dir := t.TempDir()
	records, err := sql.Open("sqlite3", filepath.Join(dir, filepath.Base(base.RecordsPath(dir))))
	require.NoError(t, err)
	t.Cleanup(func() { records.Close() })
	_, err = records.Exec("CREATE TABLE stops (id INTEGER PRIMARY KEY, harbour TEXT, ship TEXT, [on] TEXT, n INTEGER); CREATE INDEX stops_on ON stops ([on])")
	require.NoError(t, err)
	config := base.Config{Dir: dir, RunTime: time.Minute, Sources: sourcetest.Rules, Now: func() time.Time { return time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC) }}
	change(&config)
	s, err := service.Open(ctx, config)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	putting(t, s, "{pikegate: 1, source: shore, zone: Europe/Helsinki}")
	return s, records
}

// told is all that a service tells of a report on some answers, as one text.
func told(t require.TestingT, ctx context.Context, s *service.Service, report string, given map[string]prompt.Entered) string {
	var all []string
	tell := func(what string, v any, err error) {
		require.NoError(t, err, what)
		text, err := json.MarshalIndent(v, "", " ")
		require.NoError(t, err)
		all = append(all, what+": "+string(text))
	}
	on, err := s.Answers.ReportOn(ctx, report, "")
	require.NoError(t, err)
	tell("units to pick from", on.Units, nil)
	list, more, err := s.Answers.Choices(ctx, report, "ships", answer.ChoicesRequest{Request: answer.Request{Answers: given, Limit: 50}})
	tell("choices", []any{list, more}, err)
	histogram, err := s.Answers.Histogram(ctx, report, "days", "")
	tell("histogram", histogram, err)
	if given["ships"].IsAbsent() { // else they may be none of the choices
		matches, err := s.Answers.Matches(ctx, report, answer.Request{Answers: given})
		tell("matches", matches, err)
	}
	for _, req := range []answer.Request{{Evidence: true}, {Evidence: true, Section: 1, Limit: 2}, {Evidence: true, Section: 2}} {
		req.Answers = given
		r, err := s.Runs.Prepare(ctx, report, req)
		if err != nil {
			all = append(all, err.Error())
			continue
		}
		var out bytes.Buffer
		var shape export.Result = export.Whole{Writer: export.New(export.JSON, &out, r.Columns, r.Zone)}
		if r.Several() {
			shape = export.NewSections(export.JSON, &out, r.Zone)
		}
		_, err = r.Stream(ctx, shape)
		require.NoError(t, err)
		var body any
		require.NoError(t, json.Unmarshal(out.Bytes(), &body), out.String())
		tell("run", without(body), nil)
	}
	return strings.Join(all, "\n")
}

// beside is what differs between a person's part of records and records that are no more.
var beside = []string{"at", "id", "limits", "started_at", "sql", "values", "took_ms", "time", "revisions", "read_back", "read_back_pieces", "kept_until", "person"}

// without is what JSON says without what differs.
func without(v any) any {
	switch v := v.(type) {
	case []any:
		v = slices.DeleteFunc(v, func(item any) bool { // what is known of some records of the table is told to who sees all
			text, _ := item.(string)
			return strings.Contains(text, "that were looked at")
		})
		for i := range v {
			v[i] = without(v[i])
		}
		return v
	case string:
		return strings.Replace(v, `, such as "x"; no condition`, "; no condition", 1)
	case map[string]any:
		for _, name := range beside {
			delete(v, name)
		}
		for name := range v {
			v[name] = without(v[name])
			if list, ok := v[name].([]any); ok && len(list) == 0 {
				delete(v, name)
			}
		}
	}
	return v
}

// What a person is told of a report is what anybody is told of the records that there are for them,
// cut out by hand.
func TestRowsOfAPerson(t *testing.T) {
	whole, records := shores(t, func(c *base.Config) { c.People, c.SmallTable = true, 3 })
	cut, those := shores(t, func(*base.Config) {})
	for _, l := range limits {
		putting(t, whole, stops(l, true))
		putting(t, cut, stops(l, false))
		whole.Base.Forget()
		few(t, func(rt *rapid.T) {
			word := func(name string, of ...string) *string {
				if w := rapid.SampledFrom(append(of, "")).Draw(rt, name); w != "" {
					return &w
				}
				return nil
			}
			names := []string{"Holm", "Skerry", "holm", "Ås"}
			var all []stop
			unreadable := 0 // few enough for the dataset to be right about the column
			for id := range rapid.IntRange(0, 12).Draw(rt, "records") {
				all = append(all, stop{id, word("harbour", names...), word("ship", "Tern", "Gull"), word("on", "2026-01-31", "2026-02-01", "2026-03-05", "2025-12-31", "x"), rapid.IntRange(0, 10).Draw(rt, "n")})
				if last := &all[len(all)-1]; last.on != nil && *last.on == "x" {
					if unreadable++; unreadable > 2 {
						last.on = nil
					}
				}
			}
			harbours := rapid.SliceOfNDistinct(rapid.SampledFrom(names), l.least, -1, rapid.ID).Draw(rt, "harbours")
			for _, db := range []*sql.DB{records, those} {
				_, err := db.Exec("DELETE FROM stops")
				require.NoError(rt, err)
			}
			for _, s := range all {
				into := []*sql.DB{records}
				if l.holds(s, harbours) {
					into = append(into, those)
				}
				for _, db := range into {
					_, err := db.Exec("INSERT INTO stops VALUES (?, ?, ?, ?, ?)", s.id, s.harbour, s.ship, s.on, s.n)
					require.NoError(rt, err)
				}
			}
			whole.Base.Forget()
			cut.Base.Forget()
			given := map[string]prompt.Entered{}
			if days := rapid.SampledFrom([]string{"", "Feb 2026", "since 2026-02-01", "until 2026-01-31"}).Draw(rt, "days"); days != "" {
				given["days"] = prompt.OneText(days)
			}
			if ship := rapid.SampledFrom([]string{"", "", "Tern"}).Draw(rt, "ships"); ship != "" {
				given["ships"] = prompt.OneText(ship)
			}
			reader := func(has map[string][]string) context.Context {
				return base.WithPerson(context.Background(), base.Person{Name: "Solveig", Role: base.Reader, Attributes: has})
			}
			assert.Equal(rt, told(rt, reader(nil), cut, l.name, given), told(rt, reader(map[string][]string{"harbours": harbours}), whole, l.name, given))
		})
	}
}

// What a person may not see of a report is nowhere in it, and what was seen by others stays theirs.
func TestWhatIsKeptFromPeople(t *testing.T) {
	s, records := shores(t, func(c *base.Config) { c.People = true })
	_, err := records.Exec("INSERT INTO stops VALUES (1, 'Holm', 'Tern', '2026-01-31', 7), (2, 'Skerry', 'Gull', '2026-02-01', 5), (3, 'Holm', 'Gull', '2026-02-02', 4)")
	require.NoError(t, err)
	found := putting(t, s, strings.NewReplacer("ship: {type: text}", "ship: {type: text, kept_from: [reader, guests]}", "n: {type: integer}}", "n: {type: integer, kept_from: [guests]}}").Replace(stops(limits[0], true)))
	assert.NotContains(t, found, "error")
	who := func(name, role string, groups []string, harbours ...string) context.Context {
		return base.WithPerson(t.Context(), base.Person{Name: name, Role: role, Groups: groups, Attributes: map[string][]string{"harbours": harbours}})
	}
	run := func(ctx context.Context, req answer.Request) (got, error) {
		req.Evidence = true
		r, err := s.Runs.Prepare(ctx, "of-a-dataset", req)
		if err != nil {
			return got{}, err
		}
		var out bytes.Buffer
		_, err = r.Stream(ctx, export.Whole{Writer: export.New(export.JSON, &out, r.Columns, r.Zone, r.Notes()...)})
		require.NoError(t, err)
		var g got
		require.NoError(t, json.Unmarshal(out.Bytes(), &g))
		return g, nil
	}
	solveig, tove, ines := who("Solveig", base.Reader, nil, "Holm"), who("Tove", base.Developer, nil, "Holm", "Skerry"), who("Ines", base.Admin, nil, "*")
	first := answer.Request{Section: 1}
	g, err := run(solveig, first)
	require.NoError(t, err)
	assert.Equal(t, [][]any{{"2026-01-31", "Holm", 7.0}, {"2026-02-02", "Holm", 4.0}}, g.Rows, "without the ship")
	assert.Equal(t, int64(2), *g.Receipt.Evidence.All)
	assert.Contains(t, g.Receipt.ReadBack, "that are there for Solveig,")
	assert.Empty(t, g.Receipt.SQL)
	_, _, err = s.Answers.Choices(solveig, "of-a-dataset", "ships", answer.ChoicesRequest{Request: answer.Request{Limit: 9}})
	assert.Equal(t, fault.UnknownPrompt, refusedAs(t, err), "the question would list the ships")
	_, err = run(solveig, answer.Request{Section: 1, Answers: map[string]prompt.Entered{"ships": prompt.OneText("Tern")}})
	assert.Equal(t, fault.UnknownPrompt, refusedAs(t, err))

	whole, err := run(ines, first)
	require.NoError(t, err)
	assert.Len(t, whole.Rows, 3)
	assert.Len(t, whole.Rows[0], 4)
	assert.Empty(t, whole.Receipt.Limits)
	assert.NotContains(t, whole.Receipt.ReadBack, "there for")
	assert.Contains(t, whole.Receipt.SQL, "stops")
	limited, err := run(tove, first)
	require.NoError(t, err)
	assert.Len(t, limited.Rows, 3, "Tove has both harbours")
	assert.Contains(t, fmt.Sprint(limited.Receipt.Values), "Skerry", "a developer sees what was asked of the database")

	_, err = run(who("Arvid", base.Reader, []string{"guests"}, "Holm"), answer.Request{Section: 2})
	assert.Equal(t, fault.UnknownSection, refusedAs(t, err), "what sums up a column that is kept back is not there")
	unset, err := run(base.WithPerson(t.Context(), base.Person{Name: "Berit", Role: base.Reader}), first)
	require.NoError(t, err)
	assert.Empty(t, unset.Rows)
	assert.Contains(t, fmt.Sprint(unset.Notes, unset.Receipt.Notes), "No records are there for Berit: harbours is not set for them.")

	// The rows of another's run, or of one's own that was made with other rights, are not handed out.
	_, err = run(ines, answer.Request{Section: 1, Of: g.Receipt.ID, Limit: 1})
	assert.Equal(t, fault.RunAgain, refusedAs(t, err))
	moved := who("Solveig", base.Reader, nil, "Skerry")
	for _, limit := range []int{0, 1} {
		_, err = run(moved, answer.Request{Section: 1, Of: g.Receipt.ID, Limit: limit})
		assert.Equal(t, fault.RunAgain, refusedAs(t, err), limit)
	}
	same, err := run(solveig, answer.Request{Section: 1, Of: g.Receipt.ID, Limit: 9})
	require.NoError(t, err)
	assert.Equal(t, g.Rows, same.Rows)
	c, err := s.Runs.Again(ines, g.Receipt.ID, "")
	require.NoError(t, err)
	assert.False(t, c.Same)
	assert.Contains(t, fmt.Sprint(c.After.Notes), "This run is for Ines, and receipt")

	// A proof is about all records, whoever has it run.
	putting(t, s, `{pikegate: 1, proof: all, report: of-a-dataset, as_of: 2026-11-23, answers: {}, expect: {records: 3}}`)
}

// Where nobody signs in, what is not known of anybody holds nothing back, and that is said.
func TestConditionsOnNobody(t *testing.T) {
	s, records := shores(t, func(*base.Config) {})
	_, err := records.Exec("INSERT INTO stops VALUES (1, 'Holm', 'Tern', '2026-01-31', 7), (2, 'Skerry', 'Gull', '2026-02-01', 5)")
	require.NoError(t, err)
	putting(t, s, stops(limits[0], true))
	g := asked(t, s, "of-a-dataset", answer.Request{Section: 1})
	assert.Len(t, g.Rows, 2)
	assert.Contains(t, fmt.Sprint(g.Notes, g.Receipt.Notes), "Conditions on harbours of whoever runs it hold nothing back here.")
}

// What a group gives its people holds for them, beside what each has, and ends with it.
func TestGroups(t *testing.T) {
	s, _ := shores(t, func(*base.Config) {})
	admin := base.WithPerson(t.Context(), base.Person{Name: "Ines", Role: base.Admin})
	for _, p := range []struct{ name, role string }{{"Ines", base.Admin}, {"Arvid", base.Reader}, {"Solveig", base.Reader}} {
		_, err := s.People.Add(admin, p.name, "gulls over the mole", p.role, people.Limits{Attributes: map[string][]string{"ships": {"Tern"}}})
		require.NoError(t, err)
	}
	_, err := s.People.SetGroup(admin, people.Group{Name: "Holm office", Role: base.Developer, Members: []string{"arvid", "Solveig"}, Limits: people.Limits{Attributes: map[string][]string{"harbours": {"Holm"}, "ships": {"Gull"}}}})
	require.NoError(t, err)
	_, err = s.People.SetGroup(admin, people.Group{Name: "claims", Members: []string{"Arvid"}, Limits: people.Limits{Shelves: []string{"Claims desk"}}})
	require.NoError(t, err)
	arvid, there := s.Base.PersonNow(admin, "ARVID", base.Admin)
	require.True(t, there)
	assert.Equal(t, base.Person{Name: "Arvid", Role: base.Developer, Shelves: []string{"Claims desk"}, Groups: []string{"claims", "Holm office"}, Attributes: map[string][]string{"harbours": {"Holm"}, "ships": {"Tern", "Gull"}}}, arvid)
	_, err = s.People.SetGroup(admin, people.Group{Name: "holm OFFICE", Members: []string{"Solveig"}})
	require.NoError(t, err)
	arvid, _ = s.Base.PersonNow(admin, "Arvid", base.Admin)
	assert.Equal(t, base.Person{Name: "Arvid", Role: base.Reader, Shelves: []string{"Claims desk"}, Groups: []string{"claims"}, Attributes: map[string][]string{"ships": {"Tern"}}}, arvid)
	groups, err := s.People.Groups(admin)
	require.NoError(t, err)
	assert.Len(t, groups, 2)
	require.NoError(t, s.People.DropGroup(admin, "claims"))
	assert.Equal(t, fault.UnknownGroup, refusedAs(t, s.People.DropGroup(admin, "claims")))
	for name, g := range map[string]people.Group{
		"a role":              {Name: "reader"},
		"no name":             {Name: " "},
		"a name as attribute": {Name: "g", Limits: people.Limits{Attributes: map[string][]string{"name": {"x"}}}},
		"a wrong attribute":   {Name: "g", Limits: people.Limits{Attributes: map[string][]string{"Har bour": {"x"}}}},
		"a long value":        {Name: "g", Limits: people.Limits{Attributes: map[string][]string{"h": {strings.Repeat("x", 201)}}}},
	} {
		_, err := s.People.SetGroup(admin, g)
		assert.Equal(t, fault.PersonRefused, refusedAs(t, err), name)
	}
	_, err = s.People.SetGroup(admin, people.Group{Name: "g", Members: []string{"Nobody"}})
	assert.Equal(t, fault.UnknownPerson, refusedAs(t, err))
	list, err := s.People.List(admin)
	require.NoError(t, err)
	assert.Equal(t, []string{"holm OFFICE"}, list[2].Groups)
	_, wrong, err := s.People.Verify(admin)
	require.NoError(t, err)
	assert.Zero(t, wrong)
}

// On each engine the records of a person are cut out the same, of tables, of joined ones and of custom
// SQL that takes its criteria inside, by texts and by numbers.
func TestRowsOfAPersonOnEachEngine(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		s := large(t, e, clockAt(time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)), `---
{pikegate: 1, dataset: of-parties, of: crossings, where: {party: {any_of: {person: parties}}}}
---
{pikegate: 1, dataset: joined, source: sound, table: crossings, joins: [{table: crews, key: [number], on: {number: party}}], key: [id], columns: {id: {type: integer}, at: {type: instant, stored: text, pattern: "yyyy-MM-dd HH:mm:ss"}, crew: {type: text, table: crews}, party: {type: integer}}}
---
{pikegate: 1, dataset: of-crews, of: joined, where: {crew: {any_of: {person: crews}}}}
---
{pikegate: 1, dataset: written, source: sound, key: [id], columns: {id: {type: integer}, at: {type: instant, stored: text, pattern: "yyyy-MM-dd HH:mm:ss"}, party: {type: integer}}, sql: "SELECT id, at, party FROM crossings WHERE :criteria AND party < 9"}
---
{pikegate: 1, dataset: of-written, of: written, where: {party: {any_of: {person: parties}}}}
---
{pikegate: 1, query: q1, of: of-parties, show: [id], where: {at: {within: {prompt: days}}}, sort: [id]}
---
{pikegate: 1, query: q2, of: of-crews, show: [id], where: {at: {within: {prompt: days}}}, sort: [id]}
---
{pikegate: 1, query: q3, of: of-written, show: [id], where: {at: {within: {prompt: days}}}, sort: [id]}
---
{pikegate: 1, report: table, title: T, sections: [{table: {query: q1}}]}
---
{pikegate: 1, report: joined, title: J, sections: [{table: {query: q2}}]}
---
{pikegate: 1, report: written, title: W, sections: [{table: {query: q3}}]}
`, func() {
			text := map[bool]string{true: "VARCHAR(40)", false: "TEXT"}[e.Name == catalog.MariaDB]
			e.Exec(t, "CREATE TABLE crews (number INTEGER PRIMARY KEY, crew "+text+")")
			e.Exec(t, "INSERT INTO crews VALUES (1, 'ebb'), (2, 'flood'), (3, 'slack')")
		})
		filled(t, e, 60) // parties 1, 2, 3 in turn
		_, err := s.People.Add(ctx, "Ines", "gulls over the mole", base.Admin, people.Limits{})
		require.NoError(t, err)
		solveig := base.WithPerson(t.Context(), base.Person{Name: "Solveig", Role: base.Reader, Attributes: map[string][]string{"parties": {"2"}, "crews": {"flood"}}})
		for _, report := range []string{"table", "joined", "written"} {
			for _, days := range []string{"", "1 Jan 2026 to 2 Jan 2026"} {
				req := answer.Request{Evidence: true, Answers: map[string]prompt.Entered{}}
				if days != "" {
					req.Answers["days"] = prompt.OneText(days)
				}
				r, err := s.Runs.Prepare(solveig, report, req)
				require.NoError(t, err)
				var out bytes.Buffer
				told, err := r.Stream(solveig, export.Whole{Writer: export.New(export.CSV, &out, r.Columns, r.Zone)})
				require.NoError(t, err, report)
				rows := strings.Fields(out.String())[1:]
				for _, id := range rows {
					n, err := strconv.Atoi(id)
					require.NoError(t, err)
					assert.Equal(t, 2, 1+(n-1)%3, "%s: record %d is of another party", report, n)
				}
				assert.Equal(t, int64(20), *told.Evidence.All, "%s %s", report, days)
				assert.Equal(t, map[bool]int{true: 20, false: 8}[days == ""], len(rows), "%s %s", report, days)
				assert.Nil(t, told.Evidence.Read)
			}
		}
	})
}
