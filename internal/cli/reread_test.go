package cli

import (
	"bytes"
	"context"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// logged is a log that a test reads while the service writes it.
type logged struct {
	mu   sync.Mutex
	text bytes.Buffer
}

func (l *logged) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(p)
}

func (l *logged) says(text string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return strings.Contains(l.text.String(), text)
}

// A service that runs takes over the settings that it may when it is told to read them again, all or none,
// and says which ones wait for its next start.
func TestSettingsAreReadAgain(t *testing.T) {
	for _, name := range quiet {
		assert.True(t, slices.ContainsFunc(settings, func(s setting) bool { return s.name == name }), name)
	}
	free, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	address := free.Addr().String()
	require.NoError(t, free.Close())
	file := filepath.Join(t.TempDir(), "settings.yaml")
	text := "listen: " + address + "\ndata: " + t.TempDir() + "\n"
	config := func(more string) { require.NoError(t, os.WriteFile(file, []byte(text+more), 0o600)) }
	config("")
	ctx, stop := context.WithCancel(t.Context())
	var log logged
	c := newServe()
	c.SetArgs([]string{"--config", file})
	c.SetErr(&log)
	ended := make(chan error, 1)
	go func() { ended <- c.ExecuteContext(ctx) }()
	asked := func(host string) int {
		req, err := http.NewRequest("GET", "http://"+address+"/healthz", nil)
		require.NoError(t, err)
		req.Host = host
		answer, err := http.DefaultClient.Do(req)
		if err != nil {
			return 0
		}
		answer.Body.Close()
		return answer.StatusCode
	}
	require.Eventually(t, func() bool { return asked("127.0.0.1") == 200 }, 30*time.Second, 20*time.Millisecond)
	assert.Equal(t, 421, asked("pier.example"))

	again := func(says string) {
		t.Helper()
		require.NoError(t, syscall.Kill(os.Getpid(), syscall.SIGHUP))
		require.Eventually(t, func() bool { return log.says(says) }, 30*time.Second, 20*time.Millisecond, says)
	}
	config("hosts: pier.example\nconnections: 7\naddress: https://quay.example\n")
	again(`"changed":"hosts address","for the next start":"connections"`)
	assert.Equal(t, []int{200, 200, 200}, []int{asked("pier.example"), asked("quay.example"), asked("127.0.0.1")})

	// What is wrong changes nothing, and is said whole.
	config("run-time: soon\nhosts: other.example\nrequests-per-minute: many\n")
	again(`requests-per-minute: \"many\" is not a whole number`)
	assert.True(t, log.says(`run-time: \"soon\" is not a length of time`))
	assert.Equal(t, []int{200, 421}, []int{asked("pier.example"), asked("other.example")})
	config("hosts: other.example\nlog: warn\n")
	require.NoError(t, syscall.Kill(os.Getpid(), syscall.SIGHUP))
	require.Eventually(t, func() bool { return asked("other.example") == 200 }, 30*time.Second, 20*time.Millisecond)
	assert.Equal(t, 421, asked("pier.example"), "a name that is said no more")
	stop()
	assert.NoError(t, <-ended)
}
