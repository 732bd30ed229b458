package dispatching

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"time"

	"ambrosa/core/dispatch"
	"ambrosa/internal/sheetfile"
)

// sheetName is what the sheet that goes along is called.
const sheetName = "pictures.csv"

// errEmpty ends a package that no picture turned out to be in: there is none then.
var errEmpty = errors.New("nothing is in the package")

// pack writes a package: the pictures that go, and the sheet of them. One whose bytes turn out
// not to be whole, or that cannot be made, is held back. The error may be errEmpty.
func (d *Dispatcher) pack(ctx context.Context, out io.Writer, s dispatch.Settings, r *Rehearsed, step func(done, of int64)) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop() // what is prepared ahead of a package that fails
	ready, err := d.prepare(ctx, r.Outcomes, s.Rendition)
	if err != nil {
		return err
	}
	archive := zip.NewWriter(out)
	done := int64(0)
	for i := range r.Outcomes {
		o := &r.Outcomes[i]
		if o.Held != "" {
			continue
		}
		l, err := d.loaded(ctx, ready, i, o)
		if err == nil && o.Held == "" {
			err = put(ctx, archive, o, l)
		}
		if err != nil {
			return fmt.Errorf("pack %s: %w", o.Name, err)
		}
		if o.Held == "" {
			done++
			step(done, int64(r.Pictures))
		}
	}
	if done == 0 {
		return errEmpty
	}
	sheet, err := archive.CreateHeader(&zip.FileHeader{Name: sheetName, Method: zip.Deflate, Modified: time.Now()})
	if err != nil {
		return err
	}
	if err := writeSheet(sheet, r.Outcomes); err != nil {
		return err
	}
	return archive.Close()
}

// loaded waits for a picture and reads it through. One that cannot go after all is held back,
// and if its bytes are not whole, that is known from then on.
func (d *Dispatcher) loaded(ctx context.Context, ready *preparing, i int, o *dispatch.Outcome) (l payload, err error) {
	p, err := ready.of(ctx, i)
	if err != nil || p.held != "" {
		o.Held = p.held
		return l, err
	}
	o.Form = p.form
	l, damage, err := load(ctx, p)
	if err != nil || damage == "" {
		return l, err
	}
	o.Held = "its bytes are " + damage
	if o.Made != "" { // what was made is: it is made anew the next time
		return l, nil
	}
	return l, d.Store.Checked(ctx, []string{o.Sum}, []string{damage})
}

// put puts a picture into an archive. Pictures are packed as they are: they are compressed
// already.
func put(ctx context.Context, archive *zip.Writer, o *dispatch.Outcome, l payload) error {
	content, err := l.Open(ctx)
	if err != nil {
		return err
	}
	defer content.Close()
	entry, err := archive.CreateHeader(&zip.FileHeader{Name: o.Name, Method: zip.Store, Modified: time.Now()})
	if err != nil {
		return err
	}
	if err := l.copyTo(entry, content); err != nil {
		return err
	}
	o.SentSum, o.SentBytes, o.SentAt = l.sum.String(), l.size, time.Now()
	return nil
}

// columns are those of the sheet that goes along: a row a picture.
var columns = []sheetfile.Column[dispatch.Outcome]{
	{Title: "Picture", Of: func(o dispatch.Outcome) any { return o.Name }},
	{Title: "Name before", Of: func(o dispatch.Outcome) any { return o.Was }},
	{Title: "SKU", Of: func(o dispatch.Outcome) any { return o.SKU }},
	{Title: "Product", Of: func(o dispatch.Outcome) any { return o.Code }},
	{Title: "Title", Of: func(o dispatch.Outcome) any { return o.Title }},
	{Title: "Place", Of: func(o dispatch.Outcome) any { return o.Place }},
	{Title: "View", Of: func(o dispatch.Outcome) any { return o.View }},
	{Title: "Alternative text", Of: func(o dispatch.Outcome) any { return o.Alt }},
	{Title: "Credit", Of: func(o dispatch.Outcome) any { return o.Credit }},
	{Title: "Form", Of: func(o dispatch.Outcome) any { return o.Form }},
	{Title: "SHA-256", Of: func(o dispatch.Outcome) any { return o.SentSum }},
}

func writeSheet(out io.Writer, outcomes []dispatch.Outcome) error {
	at := 0
	return sheetfile.WriteCSV(out, columns, func() (o dispatch.Outcome, more bool, err error) {
		for ; at < len(outcomes); at++ {
			if outcomes[at].Held == "" {
				at++
				return outcomes[at-1], true, nil
			}
		}
		return o, false, nil
	})
}
