package standin

import (
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"mime"
	"mime/multipart"
	"mime/quotedprintable"
	"net"
	"net/http"
	netmail "net/mail"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Mail is a mail server that keeps what it is sent, and shows it on a page.
type Mail struct {
	Refuse func(to string) error // refuses mails, nil takes all

	mu   sync.Mutex
	list []Kept
}

// Kept is a mail that was sent.
type Kept struct {
	At                time.Time
	To, From, Subject string
	Text, HTML        string
	Files             []File
}

// File is what hangs on a mail.
type File struct {
	Name string
	Body []byte
}

// Sent lists the mails, oldest first.
func (m *Mail) Sent() []Kept {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]Kept{}, m.list...)
}

// Serve takes mails on a listener until the context ends.
func (m *Mail) Serve(ctx context.Context, l net.Listener) error {
	s := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{mail: m}, nil }))
	s.Domain, s.ReadTimeout, s.WriteTimeout, s.MaxMessageBytes = "localhost", time.Minute, time.Minute, 1<<20
	context.AfterFunc(ctx, func() { s.Close() }) //nolint:errcheck // it ends
	if err := s.Serve(l); err != nil && ctx.Err() == nil {
		return fmt.Errorf("take mails: %w", err)
	}
	return nil
}

type session struct {
	mail *Mail
	to   string
}

// Mail implements smtp.Session.
func (s *session) Mail(string, *smtp.MailOptions) error { return nil }

// Rcpt implements smtp.Session.
func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = to
	if s.mail.Refuse != nil {
		return s.mail.Refuse(to)
	}
	return nil
}

// Data implements smtp.Session.
func (s *session) Data(r io.Reader) error {
	msg, err := netmail.ReadMessage(r)
	if err != nil {
		return fmt.Errorf("read a mail: %w", err)
	}
	var words mime.WordDecoder
	k := Kept{At: time.Now(), To: s.to}
	k.Subject, _ = words.DecodeHeader(msg.Header.Get("Subject"))
	k.From, _ = words.DecodeHeader(msg.Header.Get("From"))
	kind, params, err := mime.ParseMediaType(msg.Header.Get("Content-Type"))
	if err != nil {
		return fmt.Errorf("read a mail: %w", err)
	}
	if !strings.HasPrefix(kind, "multipart/") {
		b, err := io.ReadAll(quotedprintable.NewReader(msg.Body))
		if err != nil {
			return fmt.Errorf("read a mail: %w", err)
		}
		k.Text = string(b)
	} else if err := k.parts(multipart.NewReader(msg.Body, params["boundary"])); err != nil {
		return err
	}
	s.mail.mu.Lock()
	defer s.mail.mu.Unlock()
	s.mail.list = append(s.mail.list, k)
	return nil
}

func (k *Kept) parts(r *multipart.Reader) error {
	for {
		p, err := r.NextPart()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return fmt.Errorf("read a mail: %w", err)
		}
		kind, params, err := mime.ParseMediaType(p.Header.Get("Content-Type"))
		if err != nil {
			return fmt.Errorf("read a mail: %w", err)
		}
		if strings.HasPrefix(kind, "multipart/") {
			if err := k.parts(multipart.NewReader(p, params["boundary"])); err != nil {
				return err
			}
			continue
		}
		body := io.Reader(p) // which undoes quoted-printable
		if strings.EqualFold(p.Header.Get("Content-Transfer-Encoding"), "base64") {
			body = base64.NewDecoder(base64.StdEncoding, p)
		}
		b, err := io.ReadAll(body)
		if err != nil {
			return fmt.Errorf("read a mail: %w", err)
		}
		if name := p.FileName(); name != "" {
			var words mime.WordDecoder // as many programs write names (RFC 2047)
			if plain, err := words.DecodeHeader(name); err == nil {
				name = plain
			}
			k.Files = append(k.Files, File{name, b})
			continue
		}
		if strings.HasPrefix(p.Header.Get("Content-Type"), "text/html") {
			k.HTML = string(b)
		} else {
			k.Text = string(b)
		}
	}
}

// Reset implements smtp.Session.
func (s *session) Reset() { s.to = "" }

// Logout implements smtp.Session.
func (*session) Logout() error { return nil }

var page = template.Must(template.New("").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><title>Mails of the demo</title>
<style>body{font:14px system-ui;margin:24px auto;max-width:760px;color:#222;background:#f6f3ec}article{background:#fff;border:1px solid #ddd5c4;border-radius:8px;margin:0 0 18px;padding:12px 18px}
header{color:#666;border-bottom:1px solid #eee;padding-bottom:8px;margin-bottom:10px}iframe{border:0;width:100%;height:330px}</style>
<h1>Mails of the demo</h1>{{range .}}<article><header>{{.At.Format "2006-01-02 15:04:05"}} · to {{.To}} · from {{.From}}<br><b>{{.Subject}}</b>{{range .Files}}<br>{{.Name}}, {{len .Body}} bytes{{end}}</header>
{{if .HTML}}<iframe sandbox="allow-popups" title="{{.Subject}}" srcdoc="{{.HTML}}"></iframe>{{else}}<pre>{{.Text}}</pre>{{end}}</article>{{else}}<p>None was sent yet.</p>{{end}}`))

// ServeHTTP shows the mails, newest first.
func (m *Mail) ServeHTTP(w http.ResponseWriter, _ *http.Request) {
	list := m.Sent()
	for i, j := 0, len(list)-1; i < j; i, j = i+1, j-1 {
		list[i], list[j] = list[j], list[i]
	}
	var out bytes.Buffer
	if err := page.Execute(&out, list); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Write(out.Bytes()) //nolint:errcheck // the reader is gone
}
