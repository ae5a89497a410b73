package service_test

import (
	"context"
	"math/rand/v2"
	"os"
	"runtime/debug"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"pikegate/demo"
	"pikegate/demo/demotest"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/difference"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/author"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/service/run"
)

// fuzzTime is how long tests by chance go on: briefly, or as long as PIKEGATE_FUZZ says.
func fuzzTime(t *testing.T) time.Duration {
	t.Helper()
	text := os.Getenv("PIKEGATE_FUZZ")
	if text == "" {
		return 4 * time.Second
	}
	d, err := time.ParseDuration(text)
	require.NoError(t, err)
	return d
}

// mutate changes a few lines of a file of definitions in the ways in which people break them.
func mutate(random *rand.Rand, text string) string {
	lines := strings.Split(text, "\n")
	for range 1 + random.IntN(4) {
		i, j := random.IntN(len(lines)), random.IntN(len(lines))
		words := strings.FieldsFunc(lines[i], func(r rune) bool { return strings.ContainsRune(" :,[]{}", r) })
		others := strings.FieldsFunc(lines[j], func(r rune) bool { return strings.ContainsRune(" :,[]{}", r) })
		switch random.IntN(10) {
		case 0:
			lines = append(lines[:i], lines[i+1:]...)
			if len(lines) == 0 {
				return ""
			}
		case 1:
			lines = append(lines[:i], append([]string{lines[j]}, lines[i:]...)...)
		case 2:
			lines[i], lines[j] = lines[j], lines[i]
		case 3:
			lines[i] = strings.Repeat(" ", random.IntN(8)) + strings.TrimSpace(lines[i])
		case 4:
			lines[i] = lines[i][:random.IntN(len(lines[i])+1)]
		case 5, 6, 7:
			if len(words) > 0 && len(others) > 0 {
				lines[i] = strings.Replace(lines[i], words[random.IntN(len(words))], others[random.IntN(len(others))], 1)
			}
		case 8:
			if len(words) > 0 {
				odd := []string{"null", "[]", "{}", "''", "-1", "99999999999999999999", "true", "*a", "&a", "!!int x", "2026-02-30", "\"\\0\"", "{prompt: travel-period}", "[[]]", "~"}
				lines[i] = strings.Replace(lines[i], words[random.IntN(len(words))], odd[random.IntN(len(odd))], 1)
			}
		case 9:
			return strings.Join(lines[:i], "\n")
		}
	}
	return strings.Join(lines, "\n")
}

// Whatever is broken in definitions: they are checked, tried, compared and stored as drafts
// with findings or errors for people, and nothing panics.
func TestDefinitionsThatAreBrokenByChance(t *testing.T) {
	ferries := demotest.Start(t)
	files := demo.Definitions(catalog.Embedded)
	seed := uint64(time.Now().UnixNano())
	random := rand.New(rand.NewPCG(seed, 0))
	doing, tried := "", []catalog.File(nil)
	defer func() {
		if cause := recover(); cause != nil {
			for i, f := range tried {
				t.Logf("--- %d %s\n%s", i, f.Name, f.Text)
			}
			t.Fatalf("seed %d: %s panics: %v\n%s", seed, doing, cause, debug.Stack())
		}
	}()
	s, n := ferries.Service, 0
	reports := s.Base.Reports(t.Context(), "")
	who := base.WithPerson(context.Background(), base.Person{Name: "Ines", Role: "developer"})
	for until := time.Now().Add(fuzzTime(t)); time.Now().Before(until); n++ {
		tried = slices.Clone(files)
		for range 1 + random.IntN(3) {
			i := random.IntN(len(tried))
			if tried[i].Text = mutate(random, tried[i].Text); random.IntN(8) == 0 && len(tried) > 1 {
				tried = slices.Delete(tried, i, i+1)
			}
		}
		doing = "reading"
		_, _, _ = definition.Check(tried, nil, phrase.Setting{AsOf: demotest.AsOf})
		_ = difference.Between(files[0].Text, tried[0].Text)
		name := reports[random.IntN(len(reports))].Name
		switch one := tried[random.IntN(len(tried))]; random.IntN(20) {
		case 0:
			doing = "check"
			_, _ = s.Publisher.Check(who, []catalog.File{one})
		case 1:
			doing = "put"
			_, _ = s.Publisher.Put(who, publish.Put{Files: []catalog.File{one}, Draft: random.IntN(2) == 0})
		case 2:
			doing = "run of " + name
			if started, err := s.Runs.Prepare(who, name, answer.Request{Files: tried, Limit: 1, Answers: map[string]prompt.Entered{"travel-period": prompt.OneText("last month")}}); err == nil {
				_, _ = started.Stream(who, export.Whole{Writer: &pausing{}})
			}
		case 3:
			doing = "comparison of " + name
			_, _ = s.Runs.Compare(who, name, run.Versions{After: tried})
		case 4:
			doing = "rehearsal of " + name
			_, _ = s.Author.Rehearse(who, name, author.Tried{Files: tried})
		}
	}
	t.Logf("%d sets of files", n)
}
