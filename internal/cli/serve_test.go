package cli

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/phrase"
)

// The flag wins over the variable, the variable over the file, the file over
// the default.
func TestWhereASettingComesFrom(t *testing.T) {
	file := filepath.Join(t.TempDir(), "config.yaml")
	require.NoError(t, os.WriteFile(file, []byte("listen: 127.0.0.1:1\nday-order: day-first\nrun-time: 9s\nhosts: [pier.example, quay.example]\nstop-time:\n"), 0o600))
	t.Setenv("PIKEGATE_DAY_ORDER", "month-first")
	t.Setenv("PIKEGATE_RUN_TIME", "8s")
	t.Setenv("PIKEGATE_CONFIG", file)
	c := newServe()
	require.NoError(t, c.ParseFlags([]string{"--run-time", "7s"}))
	to, err := readSettings(c)
	require.NoError(t, err)
	assert.Equal(t, 7*time.Second, to.RunTime)
	assert.Equal(t, phrase.MonthFirst, to.DayOrder)
	assert.Equal(t, "127.0.0.1:1", to.listen)
	assert.Equal(t, 20*time.Second, to.grace)
	assert.Equal(t, []string{"pier.example", "quay.example"}, to.limits.Hosts)
}

// The help of serve documents every setting in its three forms.
func TestHelpListsEverySetting(t *testing.T) {
	help := settingsHelp()
	for _, s := range settings {
		assert.Contains(t, help, "--"+s.name)
		assert.Contains(t, help, variable(s.name))
		assert.Contains(t, help, s.name+":")
	}
}
