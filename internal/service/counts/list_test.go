package counts_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/service/servicetest"
)

// A source is counted by the dated columns that reports ask for: a small one whole at each run.
func TestWhatIsCountedOfASource(t *testing.T) {
	s, ines := servicetest.Open(t)
	list, err := s.Counts.List(ines, "shore", false)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, []string{"calls", "day"}, []string{list[0].Dataset, list[0].Column})
	assert.NotEmpty(t, list[0].State)
	_, err = s.Counts.List(ines, "shroe", false)
	assert.Error(t, err)
	assert.True(t, s.Counts.IsIdle())
}
