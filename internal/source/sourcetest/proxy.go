package sourcetest

import (
	"io"
	"math/rand/v2"
	"net"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

// Behaviour is what a Proxy does with what a server sends.
type Behaviour int

const (
	Fair    Behaviour = iota // hands it on
	Frozen                   // keeps it, and accepts connections all the same
	Cut                      // ends the connection
	Slow                     // hands it on late
	Garbled                  // changes bytes of it
)

// Proxy stands between a service and a database server, and lets the server seem silent,
// slow, broken or mad. It is safe for concurrent use.
type Proxy struct {
	Address string // to connect to in place of the server's
	server  string
	mu      sync.Mutex
	does    Behaviour
	after   int64         // bytes from the server that each connection hands on fairly first
	changed chan struct{} // closed when the behaviour changes
	open    map[net.Conn]bool
}

// NewProxy stands before a server, fair at first, until the test ends.
func NewProxy(t testing.TB, server string) *Proxy {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	p := &Proxy{Address: listener.Addr().String(), server: server, changed: make(chan struct{}), open: map[net.Conn]bool{}}
	t.Cleanup(func() {
		listener.Close()
		p.Set(Cut, 0)
		p.drop()
	})
	go func() {
		for {
			c, err := listener.Accept()
			if err != nil {
				return
			}
			go p.serve(c)
		}
	}()
	return p
}

// Set changes what it does, with connections that are there too: so many further bytes
// from the server go through each of them first.
func (p *Proxy) Set(does Behaviour, after int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.does, p.after = does, after
	close(p.changed)
	p.changed = make(chan struct{})
}

func (p *Proxy) drop() {
	p.mu.Lock()
	defer p.mu.Unlock()
	for c := range p.open {
		c.Close()
	}
}

func (p *Proxy) now() (does Behaviour, after int64, changed chan struct{}) {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.does, p.after, p.changed
}

func (p *Proxy) serve(client net.Conn) {
	defer client.Close()
	server, err := net.Dial("tcp", p.server)
	if err != nil {
		return
	}
	defer server.Close()
	p.mu.Lock()
	p.open[client] = true
	p.mu.Unlock()
	defer func() {
		p.mu.Lock()
		defer p.mu.Unlock()
		delete(p.open, client)
	}()
	go func() {
		io.Copy(server, client)
		server.Close()
	}()
	buffer := make([]byte, 16<<10)
	var through int64 // since the behaviour last changed
	_, _, before := p.now()
	for {
		n, err := server.Read(buffer)
		if n == 0 || err != nil {
			return
		}
		does, after, changed := p.now()
		if changed != before {
			through, before = 0, changed
		}
		if through += int64(n); through <= after {
			does = Fair
		}
		switch does {
		case Frozen:
			<-changed
		case Cut:
			return
		case Slow:
			time.Sleep(200 * time.Millisecond)
		case Garbled:
			for range 1 + n/20 {
				buffer[rand.IntN(n)] ^= byte(1 + rand.IntN(255))
			}
		}
		if _, err := client.Write(buffer[:n]); err != nil {
			return
		}
	}
}
