// Package mail sends notices by SMTP (RFC 5321), in plain text and HTML.
package mail

import (
	"bytes"
	"context"
	"fmt"
	"net/url"
	"strconv"
	"time"

	"uchi/internal/core/fault"

	"github.com/wneessen/go-mail"
)

// Server is a mail server that takes mails to others.
type Server struct {
	host           string
	port           int
	user, password string
	implicit       bool // TLS from the first byte on (RFC 8314)
	plain          bool // without TLS, on this machine alone
	from           string
}

// Parse reads where a mail server is: smtp://user@host:587, or smtps:// for TLS from the
// first byte on. Over smtp the connection changes to TLS (STARTTLS, RFC 3207), but for a
// server on this machine that does not offer it.
func Parse(address, password, from string) (*Server, error) {
	bad := func(why, value, mend string) error {
		return fault.New(fault.Invalid, "bad_mail_server", why).With(value).Mended(mend)
	}
	u, err := url.Parse(address)
	if err != nil || u.Hostname() == "" || u.Scheme != "smtp" && u.Scheme != "smtps" {
		return nil, bad("the mail server cannot be read", address, "It looks like smtp://user@mail.example:587.")
	}
	if _, has := u.User.Password(); has {
		return nil, bad("the password does not belong into the address", u.Redacted(), "Give it in UCHI_MAIL_PASSWORD.")
	}
	s := &Server{host: u.Hostname(), user: u.User.Username(), password: password,
		implicit: u.Scheme == "smtps", from: from}
	s.port = map[bool]int{true: mail.DefaultPortSSL, false: mail.DefaultPortTLS}[s.implicit]
	if p := u.Port(); p != "" {
		if s.port, err = strconv.Atoi(p); err != nil {
			return nil, bad("the port of the mail server cannot be read", address, "")
		}
	}
	s.plain = s.host == "127.0.0.1" || s.host == "localhost" || s.host == "::1"
	if from == "" {
		return nil, bad("mails need a sender", "", "Give it with --mail-from.")
	}
	if err := mail.NewMsg().From(from); err != nil {
		return nil, bad("the sender cannot be read", from, "For example: Uchi <uchi@lanternquay.example>.")
	}
	return s, nil
}

// Message is a mail to one person.
type Message struct {
	ID         string // of its own, so that a mail that is sent twice is known as one
	To         string
	Subject    string
	Text, HTML string
	Files      []File
}

// File is what hangs on a mail.
type File struct {
	Name string
	Body []byte
}

// patience is how long a mail server may take.
const patience = 20 * time.Second

// Send sends a mail.
func (s *Server) Send(ctx context.Context, m Message) error {
	msg := mail.NewMsg()
	if err := msg.From(s.from); err != nil {
		return fmt.Errorf("sender: %w", err)
	}
	if err := msg.To(m.To); err != nil {
		return fmt.Errorf("receiver: %w", err)
	}
	msg.Subject(m.Subject)
	msg.SetDate()
	msg.SetMessageIDWithValue(m.ID)
	msg.SetGenHeader("Auto-Submitted", "auto-generated") // RFC 3834
	msg.SetBodyString(mail.TypeTextPlain, m.Text)
	if m.HTML != "" {
		msg.AddAlternativeString(mail.TypeTextHTML, m.HTML)
	}
	for _, f := range m.Files {
		if err := msg.AttachReader(f.Name, bytes.NewReader(f.Body)); err != nil {
			return fmt.Errorf("attach %s: %w", f.Name, err)
		}
	}
	opts := []mail.Option{mail.WithPort(s.port), mail.WithTimeout(patience)}
	switch {
	case s.implicit:
		opts = append(opts, mail.WithSSL())
	case s.plain:
		opts = append(opts, mail.WithTLSPolicy(mail.TLSOpportunistic))
	default:
		opts = append(opts, mail.WithTLSPolicy(mail.TLSMandatory))
	}
	if s.user != "" {
		opts = append(opts, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(s.user),
			mail.WithPassword(s.password))
	}
	c, err := mail.NewClient(s.host, opts...)
	if err != nil {
		return fmt.Errorf("mail server: %w", err)
	}
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	if err := c.DialAndSendWithContext(ctx, msg); err != nil {
		return fmt.Errorf("send: %w", err)
	}
	return nil
}
