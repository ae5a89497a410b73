package deliver

import (
	"context"
	"errors"
	"fmt"
	"net"
	netmail "net/mail"
	"net/netip"
	"net/textproto"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/wneessen/go-mail"
)

// Server is a mail server that takes mails for others.
type Server struct {
	Host           string
	Port           int
	User, Password string
	From           string
	TLS            TLS
}

// TLS is how what is sent to a mail server is encrypted.
type TLS string

// The ways of encrypting. Nothing is encrypted to a server on this machine alone.
const (
	StartTLS TLS = "starttls"
	Always   TLS = "tls"
	Never    TLS = "none"
)

// IsSet reports whether there is a server.
func (s Server) IsSet() bool { return s.Host != "" }

// ParseServer reads the address of a mail server: smtp://user@host:587 for STARTTLS, smtps://user@host:465
// for TLS from the start, smtp-plain://127.0.0.1:2525 for a server on this machine without any.
func ParseServer(text string) (Server, error) {
	u, err := url.Parse(text)
	if err != nil || u.Hostname() == "" || u.Path != "" && u.Path != "/" || u.RawQuery != "" || u.Fragment != "" {
		return Server{}, fmt.Errorf("the address of a mail server is like smtp://user@mail.example.test:587")
	}
	if _, has := u.User.Password(); has {
		return Server{}, errors.New("the password of a mail server stands in a file of its own, and not in its address")
	}
	s := Server{Host: u.Hostname(), User: u.User.Username()}
	switch u.Scheme {
	case "smtp":
		s.TLS, s.Port = StartTLS, 587
	case "smtps":
		s.TLS, s.Port = Always, 465
	case "smtp-plain":
		s.TLS, s.Port = Never, 25
		if at, err := netip.ParseAddr(s.Host); s.Host != "localhost" && (err != nil || !at.IsLoopback()) {
			return Server{}, errors.New("mails go to another machine encrypted: write smtp:// for STARTTLS or smtps:// for TLS")
		}
	default:
		return Server{}, fmt.Errorf("a mail server is reached by smtp:// or smtps://, and this is %q", u.Scheme)
	}
	if port := u.Port(); port != "" {
		if s.Port, err = strconv.Atoi(port); err != nil || s.Port < 1 || s.Port > 65535 {
			return Server{}, fmt.Errorf("%q is no port", port)
		}
	}
	return s, nil
}

// Message is a mail to one person.
type Message struct {
	ID         string // what stands before the @ of its Message-ID
	To         string
	Subject    string
	Text, HTML string
	Files      []File
	At         time.Time
}

// mailTime is how long a mail may take to be sent.
const mailTime = 2 * time.Minute

// Send sends a mail. Refused tells of a server that will not take it, ErrDoubtful of one that broke off
// when it had all of it.
func (s Server) Send(ctx context.Context, m Message) error {
	msg := mail.NewMsg(mail.WithNoDefaultUserAgent())
	from, err := netmail.ParseAddress(s.From)
	if err != nil {
		return &Refused{"the address that mails are from cannot be read: " + err.Error()}
	}
	if err := errors.Join(msg.From(s.From), msg.To(m.To)); err != nil {
		return &Refused{err.Error()}
	}
	msg.SetMessageIDWithValue(m.ID + from.Address[strings.LastIndexByte(from.Address, '@'):])
	msg.SetDateWithValue(m.At)
	msg.Subject(m.Subject)
	msg.SetBodyString(mail.TypeTextPlain, m.Text)
	msg.AddAlternativeString(mail.TypeTextHTML, m.HTML)
	for _, f := range m.Files {
		msg.AttachFile(f.Path, mail.WithFileName(f.Name), mail.WithFileContentType(mail.ContentType(f.MediaType)))
	}
	options := []mail.Option{mail.WithPort(s.Port), mail.WithTimeout(30 * time.Second)}
	switch s.TLS {
	case Always:
		options = append(options, mail.WithSSL())
	case StartTLS:
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	default:
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	}
	if s.User != "" {
		options = append(options, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(s.User), mail.WithPassword(s.Password))
	}
	client, err := mail.NewClient(s.Host, options...)
	if err != nil {
		return &Refused{err.Error()}
	}
	ctx, cancel := context.WithTimeout(ctx, mailTime)
	defer cancel()
	return s.sorted(client.DialAndSendWithContext(ctx, msg), msg)
}

// sorted tells what kind of failure a mail met.
func (s Server) sorted(err error, msg *mail.Msg) error {
	if err == nil || msg.IsDelivered() {
		return nil // it has it, whatever went wrong when one left
	}
	var failed *mail.SendError
	var reply *textproto.Error
	switch isReply := errors.As(err, &reply); {
	case errors.As(err, &failed) && failed.Reason == mail.ErrSMTPDataClose && !isReply:
		return fmt.Errorf("%w (%s)", ErrDoubtful, err)
	case isReply && reply.Code >= 500, failed != nil && failed.ErrorCode() >= 500:
		return &Refused{said(err)}
	}
	var unreached net.Error
	if errors.As(err, &unreached) {
		return fmt.Errorf("the mail server %s:%d: %w: %s", s.Host, s.Port, ErrUnreached, said(err))
	}
	return errors.New(said(err))
}

// said is what a mail server said, without what the library tells around it.
func said(err error) string {
	text, _, _ := strings.Cut(err.Error(), ", affected recipient")
	return strings.TrimPrefix(text, "send failed: ")
}
