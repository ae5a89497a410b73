package cli

import (
	"os"
	"path/filepath"
	"strings"
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

// What is wrong with settings is told all at once.
func TestWrongSettings(t *testing.T) {
	c := newServe()
	require.NoError(t, c.ParseFlags([]string{
		"--openid-provider", "http://login.example.test", "--openid-adds", "admin", "--openid-attributes", "harbours, Role", "--openid-client", "reports", "--openid-secret-file", "none",
		"--traces", "127.0.0.1:4318", "--traces-share", "101", "--log", "loud", "--mail-server", "smtp://reports@mail.example.test:587", "--proxy-header", "X-Person",
	}))
	_, err := readSettings(c)
	require.Error(t, err)
	assert.ElementsMatch(t, strings.Split(`proxy-header and proxy-addresses: each says nothing without the other
openid-provider: "http://login.example.test" is not the address of a provider such as https://login.example.test; http is for one on this machine alone
openid-secret-file: open none: no such file or directory
openid-adds: "admin" is not reader or developer
openid-attributes: "Role" cannot be an attribute, which is called by small letters, digits and _, and neither name nor role
openid-client: it says nothing without openid-provider
mail-from: mails are from nobody; name an address, such as reports@example.test
mail-password-file: mail-server names a user, whose password stands in a file
traces: "127.0.0.1:4318" is not the address of a collector such as http://127.0.0.1:4318
traces-share: "101" is not a number from 0 to 100
log: "loud" is not one of debug, info, warn and error`, "\n"), strings.Split(err.Error(), "\n"))
	c = newServe()
	require.NoError(t, c.ParseFlags([]string{"--openid-provider", "https://login.example.test"}))
	_, err = readSettings(c)
	assert.EqualError(t, err, "openid-provider: openid-client says what the service is called there, and address where people are sent back to; it needs both")
}
