package cli

import (
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is packaged is made of the commands as they are.
func TestPackaging(t *testing.T) {
	t.Setenv("HOME", "/root")
	t.Setenv("XDG_DATA_HOME", "")
	for file, args := range map[string][]string{
		"man/pikegate.1":            {"manual"},
		"completions/pikegate.bash": {"completion", "bash"},
		"completions/_pikegate":     {"completion", "zsh"},
		"completions/pikegate.fish": {"completion", "fish"},
	} {
		var out bytes.Buffer
		require.Equal(t, exitDone, Main(args, strings.NewReader(""), &out, io.Discard), args)
		kept, err := os.ReadFile(filepath.Join("../../packaging", file))
		require.NoError(t, err)
		assert.True(t, string(kept) == out.String(), "packaging/%s is not what the commands say; tools/packages makes it anew", file)
	}
}

// The files of earlier versions are moved to the data home, once, and it is said.
func TestTheDataHome(t *testing.T) {
	user := t.TempDir()
	t.Setenv("HOME", user)
	t.Setenv("XDG_DATA_HOME", "relative, which is to be ignored")
	t.Setenv("XDG_CACHE_HOME", "")
	old, home := filepath.Join(user, ".cache/pikegate/data"), filepath.Join(user, ".local/share/pikegate/data")
	assert.Equal(t, home, dataHome("data"))
	var said bytes.Buffer
	require.NoError(t, settle(home, &said))
	assert.Empty(t, said.String(), "there is nothing to be moved")
	require.NoError(t, os.MkdirAll(old, 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(old, "pikegate.db"), []byte("x"), 0o600))
	require.NoError(t, settle(filepath.Join(user, "elsewhere"), &said))
	assert.Empty(t, said.String(), "a directory that was named is the user's own concern")
	require.NoError(t, settle(home, &said))
	assert.Equal(t, "pikegate: the files in "+old+" were moved to "+home+"\n", said.String())
	assert.FileExists(t, filepath.Join(home, "pikegate.db"))
	assert.NoDirExists(t, old)
	require.NoError(t, os.MkdirAll(old, 0o700))
	said.Reset()
	require.NoError(t, settle(home, &said))
	assert.Empty(t, said.String(), "what is there stays")
	t.Setenv("XDG_DATA_HOME", filepath.Join(user, "share"))
	assert.Equal(t, filepath.Join(user, "share/pikegate/demo"), dataHome("demo"))
}

// A page for man(1) has no line that the formatter would take for a request of its own.
func TestManualText(t *testing.T) {
	assert.Equal(t, "a\\-b \\ec\n\\&.SH\n\\&'x", manualText("a-b \\c\n.SH\n'x"))
}
