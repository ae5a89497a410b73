package answer_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/prompt"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/servicetest"
)

func entered(days, ship string) map[string]prompt.Entered {
	return map[string]prompt.Entered{"days": prompt.OneText(days), "ship": prompt.OneText(ship)}
}

func TestAnswersAreUnderstood(t *testing.T) {
	s, ines := servicetest.Open(t)
	reading, err := s.Answers.Understand(ines, "calls", answer.Request{})
	require.NoError(t, err)
	require.Len(t, reading.Answers, 2)
	assert.Equal(t, "Sun 1 Nov 2026 through Mon 30 Nov 2026 (30 days)", reading.Answers[0].Spelled)
	reading, err = s.Answers.Understand(ines, "calls", answer.Request{AsOf: "1 Mar 2025"})
	require.NoError(t, err)
	assert.Equal(t, "Sat 1 Mar 2025 through Mon 31 Mar 2025 (31 days)", reading.Answers[0].Spelled)
	reading, err = s.Answers.Understand(ines, "calls", answer.Request{Answers: entered("31 Nov 2026", "Tern")})
	require.NoError(t, err)
	assert.Len(t, reading.Refused, 1)
	_, err = s.Answers.Understand(ines, "call", answer.Request{})
	assert.ErrorContains(t, err, `no report "call"; did you mean "calls"?`)
}

func TestWhatThereIsToPickFrom(t *testing.T) {
	s, ines := servicetest.Open(t)
	page := answer.ChoicesRequest{Request: answer.Request{Limit: 10}}
	list, more, err := s.Answers.Choices(ines, "calls", "ship", page)
	require.NoError(t, err)
	assert.False(t, more)
	var ships []string
	for _, c := range list {
		ships = append(ships, c.Value)
	}
	assert.Equal(t, []string{"Marram", "Skua", "Tern"}, ships)
}

func TestWhatMatches(t *testing.T) {
	s, ines := servicetest.Open(t)
	for ship, want := range map[string]int64{"Tern": 1, "Marram": 1, "Gull": 0} {
		got, err := s.Answers.Matches(ines, "calls", answer.Request{Answers: entered("Nov 2026", ship)})
		if ship == "Gull" {
			assert.Error(t, err, "it is none of the choices")
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, want, got.Records, ship)
		assert.EqualValues(t, 3, got.Of, "in November")
	}
}
