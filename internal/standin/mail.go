// Package standin has small stand-ins for services outside: a mail server that delivers nothing and
// keeps each mail as a file.
package standin

import (
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"time"

	"github.com/emersion/go-smtp"
)

// Mail is a mail server that keeps what it is sent in a directory, one file for each mail and recipient.
// Recipients whose address begins with "refused" are refused, and with "later" put off.
type Mail struct {
	dir    string
	log    *slog.Logger
	server *smtp.Server
	count  atomic.Int64
}

// mostMail is how large a mail may be.
const mostMail = 64 << 20

// NewMail makes a mail server that keeps mails in a directory, and logs those that it cannot keep.
func NewMail(dir string, log *slog.Logger) *Mail {
	m := &Mail{dir: dir, log: log}
	m.server = smtp.NewServer(m)
	m.server.Domain = "localhost"
	m.server.MaxMessageBytes = mostMail
	m.server.ReadTimeout, m.server.WriteTimeout = time.Minute, time.Minute
	return m
}

// Serve takes mails until Close.
func (m *Mail) Serve(l net.Listener) error {
	if err := os.MkdirAll(m.dir, 0o700); err != nil {
		return err
	}
	if err := m.server.Serve(l); err != nil && !errors.Is(err, smtp.ErrServerClosed) {
		return err
	}
	return nil
}

// Close ends it.
func (m *Mail) Close() error { return m.server.Close() }

// NewSession is go-smtp's interface for whoever connects.
func (m *Mail) NewSession(*smtp.Conn) (smtp.Session, error) { return &session{of: m}, nil }

type session struct {
	of   *Mail
	from string
	to   []string
}

func (s *session) Reset() { s.from, s.to = "", nil }

func (s *session) Logout() error { return nil }

func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	s.from = from
	return nil
}

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	switch {
	case strings.HasPrefix(to, "refused"):
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "nobody is called so here"}
	case strings.HasPrefix(to, "later"):
		return &smtp.SMTPError{Code: 450, EnhancedCode: smtp.EnhancedCode{4, 2, 1}, Message: "come again later"}
	}
	s.to = append(s.to, to)
	return nil
}

// Data keeps the mail, whole or not at all.
func (s *session) Data(r io.Reader) error {
	text, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	for _, to := range s.to {
		name := fmt.Sprintf("%s-%03d.eml", time.Now().UTC().Format("20060102T150405.000000"), s.of.count.Add(1)%1000)
		kept := append([]byte("Return-Path: <"+s.from+">\r\nDelivered-To: "+to+"\r\n"), text...)
		unfinished := filepath.Join(s.of.dir, "."+name)
		if err = os.WriteFile(unfinished, kept, 0o600); err == nil {
			err = os.Rename(unfinished, filepath.Join(s.of.dir, name))
		}
		if err != nil {
			s.of.log.Error("the mail stand-in could not keep a mail", "err", err)
			return err
		}
	}
	return nil
}
