package schedule_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/service/servicetest"
)

const weekly = `pikegate: 1
schedule: weekly
report: calls
answers: {days: last week}
at: Mondays at 6:30
send: [{mail: {to: [ines@example.test]}}]
`

// A schedule of one's own tells when it runs next and what its answers will mean then.
func TestAScheduleOfOnesOwn(t *testing.T) {
	s, ines := servicetest.Open(t)
	info, err := s.Schedules.Set(ines, "weekly", weekly)
	require.NoError(t, err)
	assert.True(t, info.Own)
	require.NotEmpty(t, info.Next)
	assert.Equal(t, time.Date(2026, 11, 30, 4, 30, 0, 0, time.UTC), info.Next[0].At.UTC(), "half past six in Helsinki")
	assert.Equal(t, "Mon 23 Nov 2026 through Sun 29 Nov 2026 (7 days)", info.Next[0].Answers[0].Spelled)

	_, err = s.Schedules.Set(ines, "weekly", "pikegate: 1\nschedule: weekly\nreport: calls\nat: at times\n")
	assert.Error(t, err)
	all, err := s.Schedules.List(ines)
	require.NoError(t, err)
	assert.Len(t, all, 1, "what is refused changes nothing")
	require.NoError(t, s.Schedules.Drop(ines, "weekly"))
	_, err = s.Schedules.Show(ines, "weekly")
	assert.Error(t, err)
}
