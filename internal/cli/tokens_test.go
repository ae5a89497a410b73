package cli

import (
	"errors"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/zalando/go-keyring"
)

// A token lies in the keyring where there is one, else in a file for its user alone; and is found and
// forgotten where it lies.
func TestWhereTokensAreKept(t *testing.T) {
	t.Setenv("XDG_DATA_HOME", t.TempDir())
	const server, other = "https://reports.example.test", "http://127.0.0.1:8080"
	found := func(server string) string {
		t.Helper()
		token, err := keptToken(server)
		require.NoError(t, err)
		return token
	}
	file := func() string {
		t.Helper()
		info, err := os.Stat(tokensFile())
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
		text, err := os.ReadFile(tokensFile())
		require.NoError(t, err)
		return string(text)
	}
	assert.Empty(t, found(server))

	keyring.MockInit()
	t.Setenv("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nowhere")
	require.NoError(t, keepToken(server, "SECRET", keepWhere))
	require.NoError(t, keepToken(other, "ANOTHER", keepInFile))
	assert.Equal(t, []string{"SECRET", "ANOTHER"}, []string{found(server), found(other)})
	assert.NotContains(t, file(), "SECRET")
	assert.Contains(t, file(), "ANOTHER")
	require.NoError(t, dropToken(server))
	assert.Empty(t, found(server))
	_, err := keyring.Get(keyringName, server)
	assert.ErrorIs(t, err, keyring.ErrNotFound)

	// Without a message bus none is asked for; one that does not answer is no reason to keep nothing.
	t.Setenv("DBUS_SESSION_BUS_ADDRESS", "")
	require.NoError(t, keepToken(server, "SECRET", keepWhere))
	assert.Contains(t, file(), "SECRET")
	t.Setenv("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nowhere")
	keyring.MockInitWithError(errors.New("locked"))
	require.NoError(t, keepToken(server, "NEWER", keepWhere))
	assert.Equal(t, "NEWER", found(server))
	assert.EqualError(t, keepToken(server, "NEWEST", keepInKeyring), "locked")
	assert.Equal(t, "NEWER", found(server), "what was there stays")

	// Where it is gone from the keyring, that is said.
	require.NoError(t, setToken(other, inKeyring))
	_, err = keptToken(other)
	assert.EqualError(t, err, "the one for "+other+" is in the keyring: locked")
}
