package cli

import (
	"crypto/tls"
	"os"
	"sync"
	"time"
)

// certificate is one of files, which are read again when they change: a new one serves from the next
// connection on, without a restart.
type certificate struct {
	cert, key string

	mu   sync.Mutex
	read time.Time // the latest change of the files that were read
	held *tls.Certificate
}

// changed is when the files were changed last.
func (c *certificate) changed() (latest time.Time, err error) {
	for _, file := range []string{c.cert, c.key} {
		info, err := os.Stat(file)
		if err != nil {
			return latest, err
		}
		if at := info.ModTime(); at.After(latest) {
			latest = at
		}
	}
	return latest, nil
}

// get is the certificate as it is now. Where the files cannot be read, the one before goes on.
func (c *certificate) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	at, err := c.changed()
	if err == nil && (c.held == nil || !at.Equal(c.read)) {
		var pair tls.Certificate
		if pair, err = tls.LoadX509KeyPair(c.cert, c.key); err == nil {
			c.held, c.read = &pair, at
		}
	}
	if c.held != nil {
		return c.held, nil
	}
	return nil, err
}

// config is how connections are encrypted. It fails where the files cannot be read.
func (c *certificate) config() (*tls.Config, error) {
	if _, err := c.get(nil); err != nil {
		return nil, err
	}
	return &tls.Config{MinVersion: tls.VersionTLS12, GetCertificate: c.get}, nil
}
