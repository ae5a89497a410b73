package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"

	"github.com/zalando/go-keyring"
)

// Where a token is kept.
const (
	keepWhere     = "anywhere" // in the keyring where there is one, else in the file
	keepInKeyring = "keyring"
	keepInFile    = "file"
)

// keyringName is what tokens are kept as in the keyring of the system, each under the address of its
// service; inKeyring stands for it in the file.
const (
	keyringName = "pikegate"
	inKeyring   = "in the keyring"
)

// tokensFile holds the tokens that are kept, by the address of the service.
func tokensFile() string { return dataHome("tokens.json") }

// keptTokens are the tokens of the file, which is for its user alone.
func keptTokens() (map[string]string, error) {
	tokens := map[string]string{}
	text, err := os.ReadFile(tokensFile())
	if errors.Is(err, fs.ErrNotExist) {
		return tokens, nil
	}
	if err == nil {
		err = json.Unmarshal(text, &tokens)
	}
	return tokens, err
}

// keptToken is the token that is kept for a service, "" for none.
func keptToken(server string) (string, error) {
	tokens, err := keptTokens()
	if err != nil || tokens[server] != inKeyring {
		return tokens[server], err
	}
	token, err := keyring.Get(keyringName, server)
	if err != nil {
		return "", fmt.Errorf("the one for %s is in the keyring: %w", server, err)
	}
	return token, nil
}

// isKeyringThere tells whether a keyring can be asked for. Where it is reached by a message bus, one that
// does not run is not started.
func isKeyringThere() bool {
	return runtime.GOOS == "darwin" || runtime.GOOS == "windows" || os.Getenv("DBUS_SESSION_BUS_ADDRESS") != ""
}

// keepToken keeps a token for a service.
func keepToken(server, token, where string) error {
	if where == keepInKeyring || where == keepWhere && isKeyringThere() {
		err := keyring.Set(keyringName, server, token)
		if err == nil {
			return setToken(server, inKeyring)
		}
		if where == keepInKeyring {
			return err
		}
	}
	return setToken(server, token)
}

// dropToken forgets the token of a service.
func dropToken(server string) error {
	tokens, err := keptTokens()
	if err == nil && tokens[server] == inKeyring {
		if err = keyring.Delete(keyringName, server); errors.Is(err, keyring.ErrNotFound) {
			err = nil
		}
	}
	if err != nil {
		return err
	}
	return setToken(server, "")
}

// setToken puts a token into the file, or none where it is "".
func setToken(server, token string) error {
	tokens, err := keptTokens()
	if err != nil {
		return err
	}
	delete(tokens, server)
	if token != "" {
		tokens[server] = token
	}
	text, err := json.MarshalIndent(tokens, "", "  ")
	if err != nil {
		return err
	}
	file := tokensFile()
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	return writeFile(file, own, func(to io.Writer) error {
		_, err := to.Write(append(text, '\n'))
		return err
	})
}
