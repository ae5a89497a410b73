package cli

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The flag wins over the variable, the variable over the file, the file over
// the default.
func TestWhereASettingComesFrom(t *testing.T) {
	file := filepath.Join(t.TempDir(), "config.yaml")
	require.NoError(t, os.WriteFile(file, []byte("listen: 127.0.0.1:1\nday-order: day-first\nrun-time: 9s\n"), 0o600))
	t.Setenv("PIKEGATE_DAY_ORDER", "month-first")
	t.Setenv("PIKEGATE_RUN_TIME", "8s")
	t.Setenv("PIKEGATE_CONFIG", file)
	c := newServe()
	require.NoError(t, c.ParseFlags([]string{"--run-time", "7s"}))
	v, err := readSettings(c)
	require.NoError(t, err)
	for name, want := range map[string]string{"run-time": "7s", "day-order": "month-first", "listen": "127.0.0.1:1", "stop-time": "20s"} {
		assert.Equal(t, want, v.GetString(name), name)
	}
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
