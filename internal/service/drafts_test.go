package service_test

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/demo/demotest"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/edit"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/draft"
	"pikegate/internal/service/run"
)

var (
	late = catalog.Ref{Kind: catalog.KindQuery, Name: "late-sailings"}
	odd  = base.WithPerson(context.Background(), base.Person{Name: "Odd", Role: "developer"})
)

// refusedAs is the code of what a call was refused with.
func refusedAs(t *testing.T, err error) fault.Code {
	t.Helper()
	var refusal *base.Refusal
	require.ErrorAs(t, err, &refusal)
	return refusal.Faults[0].Code
}

func set(path, text string) edit.Edit {
	return edit.Edit{Op: edit.Set, Path: path, Value: edit.TextOf(text)}
}

// found are the codes and paths of findings.
func found(all []draft.Finding) (said []string) {
	for _, f := range all {
		said = append(said, string(f.Kind)+" "+f.Name+f.Path+" "+string(f.Code))
	}
	return said
}

func TestDrafts(t *testing.T) {
	now := clockAt(time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC))
	ferries := demotest.Start(t, func(c *base.Config) { c.Now = now.Now })
	drafts := ferries.Service.Drafts
	first, err := drafts.Get(ctx, late)
	require.NoError(t, err)
	assert.Zero(t, first.Version)
	d, err := drafts.Edit(ctx, late, 0, []edit.Edit{set("/show/1", "rout"), {Op: edit.Add, Path: "/where/all/-", Value: (*edit.Node)(nil).With("passengers", edit.TextOf("present"))}})
	require.NoError(t, err)
	assert.Equal(t, strings.NewReplacer("show: [departed_at, route,", "show: [departed_at, rout,", "{prompt: minutes}}\n", "{prompt: minutes}}\n    - passengers: present\n").Replace(first.Text), d.Text)
	assert.Equal(t, []string{"query late-sailings/show/1 unknown_column"}, found(d.Findings))
	assert.Equal(t, []string{"route"}, d.Findings[0].Suggestions)
	assert.Len(t, d.Changes, 2)

	_, err = drafts.Save(ctx, late, 0, "pikegate: 1\nquery: late-sailings\n")
	assert.Equal(t, fault.DraftMovedOn, refusedAs(t, err), "a second window that goes on from the start")
	_, err = drafts.Edit(ctx, late, 1, []edit.Edit{set("/none", "x")})
	assert.Equal(t, fault.EditNotMade, refusedAs(t, err))
	back, err := drafts.Step(ctx, late, 1, true)
	require.NoError(t, err)
	assert.Equal(t, first.Text, back.Text)
	assert.Equal(t, [3]int{2, 0, 1}, [3]int{back.Version, back.Undo, back.Redo})
	_, err = drafts.Step(ctx, late, 2, true)
	assert.Equal(t, fault.EditNotMade, refusedAs(t, err))
	again, err := drafts.Step(ctx, late, 2, false)
	require.NoError(t, err)
	assert.Equal(t, d.Text, again.Text)

	broken, err := drafts.Save(ctx, late, 3, "pikegate: 1\nquery: [late\n")
	require.NoError(t, err, "what is no YAML is kept too")
	assert.True(t, broken.Stale, "what it said before")
	assert.Equal(t, []string{"query late-sailings not_yaml"}, found(broken.Findings))
	assert.Equal(t, []string{"report late-sailings/sections/0/table/query unknown_query"}, found(broken.Elsewhere)[:1])
	for i, text := range []string{"pikegate: 1\nquery: [late-s\n", "pikegate: 1\nquery: [late-sail\n"} {
		broken, err = drafts.Save(ctx, late, 4+i, text)
		require.NoError(t, err)
	}
	assert.Equal(t, 2, broken.Undo, "what is typed without a rest is one step")
	broken, err = drafts.Save(ctx, late, 6, again.Text)
	require.NoError(t, err)
	assert.Equal(t, [2]int{1, 0}, [2]int{broken.Undo, broken.Redo}, "typed back it is none")
	broken, err = drafts.Save(ctx, late, 7, "pikegate: 1\nquery: [late\n")
	require.NoError(t, err)
	reopened := ferries.Reopened(t)
	kept, err := reopened.Drafts.Get(ctx, late)
	require.NoError(t, err)
	assert.Equal(t, broken.Text, kept.Text)
	assert.Equal(t, 2, kept.Undo)

	other, err := reopened.Drafts.Get(odd, late)
	require.NoError(t, err)
	assert.Equal(t, first.Text, other.Text, "each has a copy of their own")
	assert.Equal(t, "Ines", other.Others[0].Person)
	require.NoError(t, reopened.Drafts.Drop(ctx, late))
	assert.Equal(t, fault.UnknownDefinition, refusedAs(t, reopened.Drafts.Drop(ctx, late)))
}

// What a draft changes elsewhere is told, and goes by all drafts of the same person.
func TestDraftsTogether(t *testing.T) {
	ferries := demotest.Start(t)
	drafts := ferries.Service.Drafts
	minutes := catalog.Ref{Kind: catalog.KindPrompt, Name: "minutes"}
	d, err := drafts.Edit(ctx, minutes, 0, []edit.Edit{set("/type", "text")})
	require.NoError(t, err)
	assert.Contains(t, found(d.Elsewhere), "query late-sailings/where/all/2/minutes_late/at_least/prompt type_mismatch")
	d, err = drafts.Edit(ctx, minutes, 1, []edit.Edit{set("/type", "number"), set("/ask", "How late?")})
	require.NoError(t, err)
	assert.Empty(t, d.Elsewhere)
	claims, err := drafts.Edit(ctx, catalog.Ref{Kind: catalog.KindQuery, Name: "open-claims"}, 0, []edit.Edit{set("/show/0", "opend_on")})
	require.NoError(t, err)
	assert.NotEmpty(t, claims.Findings)
	d, err = drafts.Edit(ctx, late, 0, []edit.Edit{{Op: edit.Remove, Path: "/show/6"}})
	require.NoError(t, err)
	assert.Empty(t, d.Elsewhere, "what is wrong with another draft is not its doing")
	require.NoError(t, drafts.Drop(ctx, catalog.Ref{Kind: claims.Kind, Name: claims.Name}))

	within, err := drafts.Within(ctx, "")
	require.NoError(t, err)
	on, err := ferries.Service.Answers.ReportOn(within, "late-sailings", "")
	require.NoError(t, err)
	assert.Equal(t, "How late?", on.Prompts[2].Ask)
	assert.Len(t, on.Main().Query.Show, 6)
	others, err := drafts.Within(odd, "")
	require.NoError(t, err)
	on, err = ferries.Service.Answers.ReportOn(others, "late-sailings", "")
	require.NoError(t, err)
	assert.Len(t, on.Main().Query.Show, 7)

	for _, name := range []string{"query:late-sailings", "dataset:sailings", "prompt:minutes", "report:late-sailings"} {
		r, err := ferries.Service.Runs.Prepare(within, name, answer.Request{Limit: 2, Answers: map[string]prompt.Entered{"travel-period": prompt.OneText("August 2026")}})
		if name == "dataset:sailings" || name == "prompt:minutes" {
			r, err = ferries.Service.Runs.Prepare(within, name, answer.Request{Limit: 2})
		}
		require.NoError(t, err, name)
		_, err = r.Stream(within, export.Whole{Writer: run.Nowhere{}})
		require.NoError(t, err, name)
		assert.Zero(t, r.ID(), "it is not on record")
	}
	_, err = ferries.Service.Runs.Prepare(ctx, "query:late-sailings", answer.Request{})
	assert.Equal(t, fault.UnknownReport, refusedAs(t, err), "readers know reports alone")

	// The same tables elsewhere, with fewer records.
	elsewhere := filepath.Join(t.TempDir(), "elsewhere.db")
	_, err = ferries.Records.Exec("VACUUM INTO ?", elsewhere)
	require.NoError(t, err)
	copied, err := sql.Open("sqlite3", elsewhere)
	require.NoError(t, err)
	_, err = copied.Exec("DELETE FROM sailings WHERE route != 'Outer Loop'")
	require.NoError(t, err)
	require.NoError(t, copied.Close())
	putting(t, ferries.Service, "pikegate: 1\nsource: elsewhere\nengine: sqlite\nfile: "+elsewhere+"\nzone: Europe/Helsinki\n")
	moved, err := drafts.Within(ctx, "elsewhere")
	require.NoError(t, err)
	r, err := ferries.Service.Runs.Prepare(moved, "report:late-sailings", answer.Request{Answers: map[string]prompt.Entered{"travel-period": prompt.OneText("August 2026")}})
	require.NoError(t, err)
	done, err := r.Stream(moved, export.Whole{Writer: run.Nowhere{}})
	require.NoError(t, err)
	assert.Equal(t, ferries.Texts(t, "SELECT count(*) FROM sailings WHERE departed_at >= '2026-07-31 21:00:00' AND departed_at < '2026-08-31 21:00:00' AND minutes_late >= 15 AND route = 'Outer Loop'"), []string{fmt.Sprint(done.Rows)})
	_, err = drafts.Within(ctx, "elsewere")
	assert.ErrorContains(t, err, `no source "elsewere"; did you mean "elsewhere"?`)

	counts, err := drafts.Counts(ctx, ferries.Service.Answers, late, []draft.Variant{{}, {Edits: []edit.Edit{{Op: edit.Rename, Path: "/where/all", Name: "any"}}}, {Edits: []edit.Edit{set("/none", "")}}},
		answer.Request{Answers: map[string]prompt.Entered{"travel-period": prompt.OneText("August 2026")}})
	require.NoError(t, err)
	want := ferries.Texts(t, "SELECT count(*) FROM sailings WHERE departed_at >= '2026-07-31 21:00:00' AND departed_at < '2026-08-31 21:00:00' AND minutes_late >= 15")
	assert.Equal(t, want[0], text(counts[0].Records))
	assert.Greater(t, *counts[1].Records, *counts[0].Records)
	assert.Equal(t, "there is nothing at /none", counts[2].Problem)

	effect, err := drafts.Effect(ctx, ferries.Service.Runs, 0)
	require.NoError(t, err)
	assert.Contains(t, effect.Reports, "late-sailings")
	assert.False(t, effect.Changes(), "nobody ran any")

	result, err := drafts.Publish(ctx, nil)
	require.NoError(t, err)
	assert.Len(t, result.Stored, 2)
	list, err := drafts.List(ctx, true)
	require.NoError(t, err)
	assert.Empty(t, list)
	_, err = drafts.Publish(ctx, nil)
	assert.Equal(t, fault.UnknownDefinition, refusedAs(t, err))
}

// A text that cannot be read keeps what it said before, with what is wrong with it.
func TestTheLastForm(t *testing.T) {
	drafts := demotest.Start(t).Service.Drafts
	d, err := drafts.Edit(ctx, late, 0, []edit.Edit{set("/sort/1", "vessel")})
	require.NoError(t, err)
	require.False(t, d.Stale)
	said, sound := d.Form, d.Text
	for _, broken := range []string{"[", "{", "- x: ["} {
		d, err = drafts.Save(ctx, late, d.Version, broken+sound)
		require.NoError(t, err)
		assert.True(t, d.Stale)
		assert.Equal(t, said, d.Form)
		assert.Equal(t, fault.NotYAML, d.Findings[0].Code)
	}
	_, err = drafts.Edit(ctx, late, d.Version, []edit.Edit{set("/sort/1", "route")})
	assert.ErrorContains(t, err, "the text cannot be edited part by part")
	d, err = drafts.Save(ctx, late, d.Version, sound)
	require.NoError(t, err)
	assert.False(t, d.Stale)
	_, err = drafts.Save(ctx, catalog.Ref{Kind: catalog.KindQuery, Name: "never"}, 0, "[")
	require.NoError(t, err)
	d, err = drafts.Get(ctx, catalog.Ref{Kind: catalog.KindQuery, Name: "never"})
	require.NoError(t, err)
	assert.Nil(t, d.Form, "it never said anything")
}

// A revision that somebody published meanwhile is laid beside the draft, part by part.
func TestTheirs(t *testing.T) {
	ferries := demotest.Start(t)
	drafts := ferries.Service.Drafts
	_, err := drafts.Edit(ctx, late, 0, []edit.Edit{set("/where/all/2/minutes_late/at_least", "10"), set("/sort/1", "vessel")})
	require.NoError(t, err)
	_, err = drafts.Edit(odd, late, 0, []edit.Edit{set("/where/all/2/minutes_late/at_least", "20"), {Op: edit.Remove, Path: "/show/6"}})
	require.NoError(t, err)
	_, err = drafts.Publish(odd, []catalog.Ref{late})
	require.NoError(t, err)
	_, err = drafts.Publish(ctx, []catalog.Ref{late})
	assert.Equal(t, fault.Conflict, refusedAs(t, err))

	d, err := drafts.Get(ctx, late)
	require.NoError(t, err)
	require.Len(t, d.Theirs, 2)
	assert.Equal(t, []string{"/show/6", "/show/6", "reason", "reason"}, []string{d.Theirs[0].Part, d.Theirs[0].Path, *d.Theirs[0].Was, *d.Theirs[0].Mine})
	assert.False(t, d.Theirs[0].Conflict)
	hot := d.Theirs[1]
	assert.Equal(t, []string{"/where/all/2/minutes_late/at_least", "{prompt: minutes}", "'20'", "'10'"}, []string{hot.Path, *hot.Was, *hot.Theirs, *hot.Mine})
	assert.True(t, hot.Conflict)
	_, err = drafts.Take(ctx, late, d.Version, []string{"/show/5"})
	assert.ErrorContains(t, err, `others changed no part "/show/5"; nothing was changed`)
	d, err = drafts.Take(ctx, late, d.Version, []string{"/show/6"})
	require.NoError(t, err)
	assert.Contains(t, d.Text, "show: [departed_at, route, vessel, passengers, vehicles, minutes_late]")
	assert.Contains(t, d.Text, "at_least: '10'}")
	assert.Empty(t, d.Theirs)
	back, err := drafts.Step(ctx, late, d.Version, true)
	require.NoError(t, err)
	assert.Len(t, back.Theirs, 2, "what was taken back is not lost when it is published")
	d, err = drafts.Step(ctx, late, back.Version, false)
	require.NoError(t, err)
	assert.Empty(t, d.Theirs)
	_, err = drafts.Publish(ctx, nil)
	assert.NoError(t, err)
}

func TestNewDrafts(t *testing.T) {
	s := demotest.Start(t).Service
	ref := catalog.Ref{Kind: catalog.KindFilter, Name: "public-routes"}
	_, err := s.Drafts.Get(ctx, ref)
	assert.Equal(t, fault.UnknownDefinition, refusedAs(t, err))
	d, err := s.Drafts.Save(ctx, ref, 0, "pikegate: 1\nfilter: public-routes\nof: sailings\nwhere: {passengers: {more_than: 0}}\n")
	require.NoError(t, err)
	assert.Equal(t, []string{"filter public-routes not_used"}, found(d.Findings))
	words, err := s.Drafts.Words(ctx, "sailings")
	require.NoError(t, err)
	assert.Equal(t, []string{"public-routes"}, words.Filters)
	words, err = s.Drafts.Words(ctx, "sailing")
	require.NoError(t, err)
	assert.Contains(t, words.Problem, `did you mean "sailings"?`)
	_, err = s.Drafts.Save(ctx, catalog.Ref{Kind: catalog.KindFilter, Name: "Public Routes"}, 0, "")
	assert.Equal(t, fault.NotAnIdentifier, refusedAs(t, err))
	_, err = s.Drafts.Save(ctx, ref, 1, strings.Repeat("#", 2<<20))
	assert.Equal(t, fault.DefinitionTooLarge, refusedAs(t, err))
	d, err = s.Drafts.Save(ctx, ref, 1, d.Text+"---\n"+d.Text)
	require.NoError(t, err)
	assert.Equal(t, fault.TooMany, d.Findings[0].Code)

	hijack := catalog.Ref{Kind: catalog.KindQuery, Name: "mine"}
	d, err = s.Drafts.Save(ctx, hijack, 0, "pikegate: 1\nquery: late-sailings\nof: sailings\nshow: [route]\nsort: [route]\n")
	require.NoError(t, err)
	assert.Equal(t, fault.NameTaken, d.Findings[0].Code)
	_, err = s.Drafts.Publish(ctx, []catalog.Ref{hijack})
	assert.Equal(t, fault.Conflict, refusedAs(t, err), "a new definition does not take the place of another")
	require.NoError(t, s.Drafts.Drop(ctx, hijack))

	_, err = s.Drafts.Edit(ctx, late, 0, []edit.Edit{set("/query", "tardy-sailings")})
	require.NoError(t, err)
	_, err = s.Drafts.Publish(ctx, []catalog.Ref{late})
	assert.ErrorContains(t, err, "the text names the query tardy-sailings, and this is the query late-sailings; rename it")
}

func TestRename(t *testing.T) {
	s := demotest.Start(t).Service
	stored, err := s.Publisher.Rename(ctx, catalog.Ref{Kind: catalog.KindPrompt, Name: "travel-period"}, "days-of-travel")
	require.NoError(t, err)
	assert.Greater(t, len(stored), 5)
	for _, d := range stored {
		assert.LessOrEqual(t, d.Revision, 2)
	}
	docs, err := s.Publisher.Definitions(ctx)
	require.NoError(t, err)
	for _, d := range docs {
		assert.NotContains(t, d.Text, "travel-period", d.Ref.String())
	}
	_, err = s.Runs.Prepare(ctx, "late-sailings", answer.Request{Answers: map[string]prompt.Entered{"days-of-travel": prompt.OneText("August 2026")}})
	assert.NoError(t, err)
	_, err = s.Publisher.Rename(ctx, late, "sailings-by-month")
	require.NoError(t, err, "a report has that name, and no query")
	_, err = s.Publisher.Rename(ctx, late, "none")
	assert.Equal(t, fault.UnknownDefinition, refusedAs(t, err))
}

// What definitions would change is told by the runs that readers made.
func TestEffect(t *testing.T) {
	ferries := demotest.Start(t)
	made := func(month string) {
		r, err := ferries.Service.Runs.Prepare(ctx, "late-sailings", answer.Request{Answers: map[string]prompt.Entered{"travel-period": prompt.OneText(month)}})
		require.NoError(t, err)
		_, err = r.Stream(ctx, export.Whole{Writer: run.Nowhere{}})
		require.NoError(t, err)
	}
	for _, month := range []string{"August 2026", "July 2026", "July 2026"} {
		made(month)
	}
	got, err := ferries.Service.Publisher.Definition(ctx, late, 0)
	require.NoError(t, err)
	effectOf := func(old, new string) *run.Effect {
		require.Contains(t, got.Text, old)
		effect, err := ferries.Service.Runs.Effect(ctx, file(strings.Replace(got.Text, old, new, 1)), 0)
		require.NoError(t, err)
		return effect
	}
	assert.Empty(t, effectOf("show: [", "show:  [").Reports, "another way to write it changes nothing")
	effect := effectOf("    - minutes_late: {at_least: {prompt: minutes}}\n", "    - minutes_late: {more_than: {prompt: minutes}}\n")
	require.Len(t, effect.Runs, 2, "one for each answer")
	lost := ferries.Texts(t, "SELECT count(*) FROM sailings WHERE departed_at >= '2026-07-31 21:00:00' AND departed_at < '2026-08-31 21:00:00' AND minutes_late = 15")
	august := effect.Runs[1]
	assert.Equal(t, lost[0], text(new(int64(august.Lost))))
	assert.Zero(t, august.Gained+august.Changed)
	assert.Contains(t, august.Now, "minutes late more than 15 min")
	assert.True(t, effect.Changes())
	effect = effectOf("vehicles, ", "")
	assert.Positive(t, effect.Runs[0].Changed)
	assert.Zero(t, effect.Runs[0].Lost+effect.Runs[0].Gained)
	effect = effectOf("sort: [departed_at descending, route]", "sort: [departed_at, route]")
	assert.False(t, effect.Runs[0].Same)
	assert.Zero(t, effect.Runs[0].Changed+effect.Runs[0].Lost+effect.Runs[0].Gained)

	routes, err := ferries.Service.Publisher.Definition(ctx, catalog.Ref{Kind: catalog.KindPrompt, Name: "routes"}, 0)
	require.NoError(t, err)
	effect, err = ferries.Service.Runs.Effect(ctx, file(routes.Text+"required: true\n"), 1)
	require.NoError(t, err)
	require.Len(t, effect.Runs, 1)
	assert.Equal(t, "an answer is required: Which routes?", effect.Runs[0].Problem)
	_, err = ferries.Service.Runs.Effect(ctx, file("pikegate: 1\nquery: x\n"), 1)
	assert.Error(t, err)
}

func text(n *int64) string { return strconv.FormatInt(*n, 10) }
