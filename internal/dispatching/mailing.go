package dispatching

import (
	"context"
	"crypto/rand"
	"fmt"
	"strings"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/mail"
	"ambrosa/internal/origin"
	"ambrosa/internal/outlet/letter"
	"ambrosa/internal/store"
)

// Letters sends mails.
type Letters interface {
	Send(ctx context.Context, m mail.Message) error
	// Address is where others find a path of this Ambrosa.
	Address(path string) string
}

// errNoMail says that no mail can be sent from here.
func errNoMail() error {
	return origin.Faulty("no mail server is set, so no mail can be sent: whoever runs Ambrosa sets AMBROSA_SMTP", false, nil)
}

// mail sends the link to a dispatch's package, once it is packed: it was not sent before, and a
// package that nothing is in is told to nobody. What is wrong is an origin.Fault; the dispatch can
// be gone on with then, and sends the link alone.
func (d *Dispatcher) mail(ctx context.Context, who identity.Actor, of *store.Dispatch) error {
	if of.Kind != letter.Name || of.MailedAt != nil || of.Size == 0 || of.LetGoAt != nil {
		return nil
	}
	if d.Letters == nil {
		return errNoMail()
	}
	o, err := d.Store.Outlet(ctx, of.OutletID)
	if err != nil {
		return origin.Faulty("the outlet "+of.Outlet+" was forgotten meanwhile", false, err)
	}
	to, err := letter.To(o.Address)
	if err != nil {
		return err
	}
	days, err := letter.Days(o.Address)
	if err != nil {
		return err
	}
	token := rand.Text()
	if err := d.GiveLink(ctx, who, of.ID, token, days); err != nil {
		return err
	}
	message := mail.Message{ID: of.ID, At: time.Now(), To: to[0], More: to[1:],
		Subject: of.Outlet + ": " + counted(of.Pictures, "picture"),
		Text:    letterText(letter.Words(o.Address), *of, d.Letters.Address("/packages/"+token), time.Now().AddDate(0, 0, days))}
	if err := d.Store.Current(ctx); err != nil {
		return err
	}
	if err := d.Letters.Send(ctx, message); err != nil {
		return origin.Faulty("the mail could not be sent: "+err.Error(), !mail.Refused(err), err)
	}
	if err := d.Store.Do(ctx, door.By(who, identity.DispatchMailed, audit.Of(identity.Dispatch, of.ID)), func(tx *door.Tx) error {
		return store.LinkMailed(ctx, tx, of.ID)
	}); err != nil {
		return err
	}
	now := time.Now()
	of.MailedAt = &now
	return nil
}

// letterText is what a mail says: the outlet's words, what is in the package, and where it is taken.
func letterText(words string, of store.Dispatch, address string, until time.Time) string {
	var b strings.Builder
	if words != "" {
		b.WriteString(words + "\n\n")
	}
	fmt.Fprintf(&b, "%s of %s, %.1f MB", counted(of.Pictures, "picture"), counted(of.Products, "product"), float64(of.Size)/1e6)
	if of.Parts > 1 {
		fmt.Fprintf(&b, " in %d parts", of.Parts)
	}
	fmt.Fprintf(&b, ".\nTo be taken until %s:\n%s", until.Format("2 January 2006"), address)
	return b.String()
}

func counted(n int, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}
