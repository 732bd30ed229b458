package app

import (
	"fmt"
	"net"
	"net/http"
	"strings"
	"testing"
	"time"

	"ambrosa/internal/mail"
	"ambrosa/internal/standin"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// TestTheEndOfARunIsSaidAndMailed applies a plan of which one product changed
// in between, and finds in the message and in the mailbox what was done and what
// was not.
func TestTheEndOfARunIsSaidAndMailed(t *testing.T) {
	t.Parallel()
	box := new(standin.Mailbox)
	smtp, _, err := box.Open(t.Context(), "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	l := start(t, func(c *Config) {
		c.SMTP, c.From, c.Pages = "smtp://"+smtp.String(), "ambrosa@example.com", "http://pages.example/"
	})
	l.products(3)
	for _, wrong := range []string{"nobody", "a@b.c\r\nBcc: x@y.z", "<a@example.com>"} {
		l.refused(l.Put(t.Context(), "/api/v1/mailing", map[string]any{"address": wrong, "version": 1}, nil), http.StatusUnprocessableEntity)
	}
	l.do(l.Put(t.Context(), "/api/v1/mailing", map[string]any{"address": "specialist@example.com", "version": 1}, nil))
	lot := l.gathered(
		"spring ünder.zip",
		zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)}, entry{"AT-002-A.jpg", jpg(t, 3)}),
	)
	id := l.planned(lot.ID, "after")
	hold, err := testdb.Pool(l.Store).Begin(t.Context())
	l.do(err)
	_, err = hold.Exec(t.Context(), `select from product where code = 'AT-000' for update`)
	l.do(err)
	l.do(l.Apply(t.Context(), id))
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update product set version = version + 1 where code = 'AT-001'`)
	l.do(err)
	l.do(hold.Rollback(t.Context()))
	l.until("the plan to be applied", func() bool { return l.plan(id).State == "applied" && l.idle(id) })
	var messages struct{ Items []store.Message }
	newest := func() store.Message {
		l.do(l.Get(t.Context(), "/api/v1/messages", &messages))
		return messages.Items[0]
	}
	l.until("the mail to be sent", func() bool { return newest().MailState == "sent" })
	m := newest()
	if m.Title != "Applied: plan of spring ünder.zip, but for 1 product" ||
		!strings.Contains(m.Body, "2 products are as planned: 2 pictures added") ||
		!strings.Contains(m.Body, "AT-001: the product changed since the plan was made") ||
		m.Plan != id ||
		m.ReadAt != nil {
		t.Errorf("%+v", m)
	}
	mails := box.Mails()
	if len(mails) != 1 || mails[0].Subject != m.Title || mails[0].To != "specialist@example.com" ||
		!strings.Contains(mails[0].Text, m.Body) ||
		!strings.Contains(mails[0].Text, fmt.Sprintf("http://pages.example/plans/%d", id)) {
		t.Errorf("%+v", mails)
	}
	waiting := func() (n int) {
		var w store.Waiting
		l.do(l.Get(t.Context(), "/api/v1/waiting", &w))
		return w.Messages
	}
	if waiting() != 1 {
		t.Errorf("%d messages wait", waiting())
	}
	l.post(fmt.Sprintf("/api/v1/messages/%d/read", m.ID), nil, nil)
	l.reverted(id)
	l.until("the second mail", func() bool { return len(box.Mails()) == 2 })
	if m := newest(); m.Title != "Taken back: plan of spring ünder.zip, 2 products" || strings.Contains(m.Body, "Not done") ||
		waiting() != 1 {
		t.Errorf("%q, %d wait", m.Title, waiting())
	}
}

// TestMailIsTriedAgain applies a plan while no mail server answers; the message
// waits, and is sent when one does.
func TestMailIsTriedAgain(t *testing.T) {
	t.Parallel()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := listener.Addr().String()
	_ = listener.Close()
	l := start(t, func(c *Config) { c.SMTP, c.From = "smtp://"+address, "ambrosa@example.com" })
	l.products(1)
	l.do(l.Put(t.Context(), "/api/v1/mailing", map[string]any{"address": "specialist@example.com", "version": 1}, nil))
	l.applied(l.planned(l.gathered("one.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)})).ID, "after"))
	l.until("a first try", func() (tried bool) {
		l.do(
			testdb.Pool(l.Store).QueryRow(t.Context(), `select exists (select from river_job where kind = 'mail' and attempt
				>= 1 and state = 'retryable')`).
				Scan(&tried),
		)
		return tried
	})
	state := func() string {
		var messages struct{ Items []store.Message }
		l.do(l.Get(t.Context(), "/api/v1/messages", &messages))
		return messages.Items[0].MailState
	}
	if got := state(); got != "waiting" {
		t.Errorf("the mail is %s", got)
	}
	box := new(standin.Mailbox)
	if _, _, err := box.Open(t.Context(), address, "127.0.0.1:0"); err != nil {
		t.Fatal(err)
	}
	l.until("the mail to be sent", func() bool { return state() == "sent" && len(box.Mails()) == 1 })
}

// TestMailThatCannotBeSent tells a server that is away for now from an address
// that is refused for good.
func TestMailThatCannotBeSent(t *testing.T) {
	t.Parallel()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	address := listener.Addr().String()
	_ = listener.Close()
	sender, err := mail.Open("smtp://"+address, "ambrosa@example.com", "")
	if err != nil {
		t.Fatal(err)
	}
	if err := sender.Send(t.Context(), mail.Message{ID: 1, At: time.Now(), To: "a@example.com", Subject: "x", Text: "y"}); err == nil ||
		mail.Refused(err) {
		t.Errorf("nobody listens, and it says %v", err)
	}
	if err := sender.Send(t.Context(), mail.Message{ID: 1, At: time.Now(), To: "nonsense", Subject: "x", Text: "y"}); !mail.Refused(err) {
		t.Errorf("no address, and it says %v", err)
	}
	for _, wrong := range []string{"", "127.0.0.1:25", "http://example.com", "smtp://"} {
		if _, err := mail.Open(wrong, "ambrosa@example.com", ""); err == nil {
			t.Errorf("%q is taken for a mail server's address", wrong)
		}
	}
}
