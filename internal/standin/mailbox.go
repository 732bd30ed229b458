package standin

import (
	"context"
	"fmt"
	"html/template"
	"io"
	"mime"
	"net"
	"net/http"
	"net/mail"
	"slices"
	"strings"
	"sync"
	"time"

	"mime/quotedprintable"

	"github.com/emersion/go-smtp"
)

// Mailbox takes every mail that is handed to it over SMTP, and shows it on a
// page. Nothing leaves the machine.
type Mailbox struct {
	mu    sync.Mutex
	mails []Mail
}

// Mail is a mail that arrived.
type Mail struct {
	At       time.Time
	From, To string
	Subject  string
	Text     string
}

const (
	mailsKept = 200     // the newest
	mailBytes = 1 << 20 // a mail
)

// Open takes mail at one address and shows it at another, until ctx ends.
func (m *Mailbox) Open(ctx context.Context, smtpAddress, pageAddress string) (smtpAt, pageAt net.Addr, err error) {
	listener, err := net.Listen("tcp", smtpAddress)
	if err != nil {
		return nil, nil, fmt.Errorf("the sample mailbox's address %s is taken by another program: %w", smtpAddress, err)
	}
	server := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &mailSession{box: m}, nil }))
	server.Domain, server.MaxMessageBytes, server.MaxRecipients = "localhost", mailBytes, 20
	server.ReadTimeout, server.WriteTimeout = 30*time.Second, 30*time.Second
	go func() { _ = server.Serve(listener) }()
	context.AfterFunc(ctx, func() { _ = server.Close() })
	pageAt, err = serve(ctx, pageAddress, http.HandlerFunc(m.show))
	return listener.Addr(), pageAt, err
}

// Mails returns what arrived, the newest first.
func (m *Mailbox) Mails() []Mail {
	m.mu.Lock()
	defer m.mu.Unlock()
	return slices.Clone(m.mails)
}

type mailSession struct {
	box *Mailbox
	to  []string
}

func (s *mailSession) Mail(string, *smtp.MailOptions) error { return nil }

func (s *mailSession) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = append(s.to, to)
	return nil
}

func (s *mailSession) Reset() { s.to = nil }

func (s *mailSession) Logout() error { return nil }

// Data reads a mail as RFC 5322 has it; only plain text is shown.
func (s *mailSession) Data(r io.Reader) error {
	read, err := mail.ReadMessage(r)
	if err != nil {
		return &smtp.SMTPError{Code: 554, Message: "this is not a mail"}
	}
	words := new(mime.WordDecoder)
	subject, err := words.DecodeHeader(read.Header.Get("Subject"))
	if err != nil {
		subject = read.Header.Get("Subject")
	}
	var body io.Reader = read.Body
	if strings.EqualFold(read.Header.Get("Content-Transfer-Encoding"), "quoted-printable") {
		body = quotedprintable.NewReader(body)
	}
	text, err := io.ReadAll(body)
	if err != nil {
		return err
	}
	s.box.mu.Lock()
	defer s.box.mu.Unlock()
	s.box.mails = slices.Insert(
		s.box.mails,
		0,
		Mail{
			At:      time.Now(),
			From:    read.Header.Get("From"),
			To:      strings.Join(s.to, ", "),
			Subject: subject,
			Text:    strings.ReplaceAll(string(text), "\r\n", "\n"),
		},
	)
	s.box.mails = s.box.mails[:min(len(s.box.mails), mailsKept)]
	return nil
}

var mailboxPage = template.Must(
	template.New("mailbox").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><title>Sample mailbox</title>
<style>body{font:15px/1.5 sans-serif;max-width:46rem;margin:2rem auto;padding:0 1rem;color:#222;background:#fafaf8}
article{background:#fff;border:1px solid #ddd;padding:.8rem 1rem;margin:1rem 0}
h2{font-size:1rem;margin:0}p{margin:.2rem 0;color:#555}pre{white-space:pre-wrap;font:inherit;margin:.6rem 0 0}</style>
<h1>Sample mailbox</h1><p>Whatever Ambrosa mails while the sample data is shown arrives here, and goes nowhere else.</p>
{{range .}}<article><h2>{{.Subject}}</h2><p>to {{.To}}, {{.At.Format "2 Jan 15:04:05"}}</p><pre>{{.Text}}</pre></article>
{{else}}<p>No mail yet.</p>{{end}}</html>`),
)

func (m *Mailbox) show(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.Header().Set("X-Content-Type-Options", "nosniff")
	_ = mailboxPage.Execute(w, m.Mails())
}
