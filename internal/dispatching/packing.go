package dispatching

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"ambrosa/core/dispatch"
	"ambrosa/core/identity"
	"ambrosa/internal/door"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// What goes along with the pictures of a package, beside its sheet.
const (
	renamedName = "renamed.csv" // for redirects: old and new names
	goneName    = "gone.csv"    // what is not wanted any more
)

// errEmpty ends a package that nothing turned out to be in: there is none then.
var errEmpty = errors.New("nothing is in the package")

// pack packs what goes, part by part, and records what became of it.
func (d *Dispatcher) pack(ctx context.Context, who identity.Actor, to store.Dispatch, r *Rehearsed, step func(done, of int64)) error {
	end := store.Ending{Gone: r.Gone, Slot: func(s dispatch.Sent) string { return s.Name }}
	if r.Pictures+len(r.Gone) > 0 {
		var err error
		if end.Size, end.Parts, err = d.packParts(ctx, to, r, step); err != nil {
			// What was packed so far is none; if it cannot be dropped now, it goes with its term.
			_ = d.Blobs.DropPackage(context.WithoutCancel(ctx), to.ID)
			return err
		}
	}
	end.Outcomes = r.Outcomes
	return d.end(ctx, who, to, end)
}

// packing is a package on its way: where it is among the pictures that may go.
type packing struct {
	*Dispatcher
	how     dispatch.Settings
	r       *Rehearsed
	ready   *preparing
	step    func(done, of int64)
	next    int      // of the outcomes
	waiting *payload // of the next one, which did not fit into the part before
	done    int64    // pictures that are packed
	whole   bool     // all are, with the sheets
}

// packParts packs all parts, and returns their bytes and how many there are; 0 where nothing went.
func (d *Dispatcher) packParts(
	ctx context.Context, to store.Dispatch, r *Rehearsed, step func(done, of int64),
) (size int64, parts int, err error) {
	ctx, stop := context.WithCancel(ctx)
	defer stop() // what is prepared ahead of a package that fails
	p := &packing{Dispatcher: d, how: to.Settings, r: r, step: step}
	if p.ready, err = d.prepare(ctx, to.OutletID, r.Outcomes, to.Settings.Rendition); err != nil {
		return 0, 0, err
	}
	for !p.whole {
		written, err := d.Blobs.WritePackage(ctx, to.ID, parts+1, to.Settings.Package.Ending(),
			func(out io.Writer) error { return p.part(ctx, out) })
		if errors.Is(err, errEmpty) {
			return 0, 0, nil
		}
		if err != nil {
			return 0, 0, err
		}
		size, parts = size+written, parts+1
	}
	return size, parts, nil
}

// part writes the next part: the pictures that fit, and behind the last the sheets of all. One whose
// bytes turn out not to be whole, that cannot be made, or may not go any more, is held back. The
// error may be errEmpty.
func (p *packing) part(ctx context.Context, out io.Writer) error {
	to := archiveTo(out, p.how.Package, p.Blobs.SpoolPath)
	holds := int64(0)
	for ; p.next < len(p.r.Outcomes); p.next++ {
		o := &p.r.Outcomes[p.next]
		l, err := p.payload(ctx, o)
		if err != nil {
			return fmt.Errorf("pack %s: %w", o.Name, err)
		}
		if o.Held != "" {
			continue
		}
		takes := p.how.Package.Takes(o.Name, l.size)
		if p.how.Package.Full(holds, takes) {
			p.waiting = &l
			return to.Close()
		}
		if err := put(ctx, to, o, l); err != nil {
			return fmt.Errorf("pack %s: %w", o.Name, err)
		}
		holds += takes
		p.done++
		p.step(p.done, int64(p.r.Pictures))
	}
	if p.done == 0 && len(p.r.Gone) == 0 {
		p.whole = true
		return errEmpty
	}
	if p.how.Package.Most > 0 && holds > 0 {
		// The sheets are written to nowhere first: where they do not fit, they are a part of their own.
		counting := &measuring{how: p.how.Package}
		if err := p.writeSheets(ctx, counting, p.how, p.r); err != nil {
			return err
		}
		if p.how.Package.Full(holds, counting.takes) {
			return to.Close()
		}
	}
	p.whole = true
	return errors.Join(p.writeSheets(ctx, to, p.how, p.r), to.Close())
}

// measuring is an archive that only counts what its files would take.
type measuring struct {
	how   dispatch.PackageSettings
	takes int64
}

func (c *measuring) Picture(name string, size int64) (io.Writer, error) {
	c.takes += c.how.Takes(name, size)
	return io.Discard, nil
}

func (c *measuring) Sheet(name string, write func(io.Writer) error) error {
	var size length
	if err := write(&size); err != nil {
		return err
	}
	c.takes += c.how.Takes(name, int64(size))
	return nil
}

func (c *measuring) Close() error { return nil }

// length counts the bytes that are written.
type length int64

func (l *length) Write(p []byte) (int, error) {
	*l += length(len(p))
	return len(p), nil
}

// payload is that of the outcome which is next, unless that is held back.
func (p *packing) payload(ctx context.Context, o *dispatch.Outcome) (l payload, err error) {
	if o.Held != "" {
		return l, nil
	}
	if p.waiting != nil {
		l, p.waiting = *p.waiting, nil
		return l, nil
	}
	return p.loaded(ctx, p.ready, p.next, o)
}

// writeSheets writes what goes along: the sheet of the pictures, and those of what has another
// name and of what is not wanted any more, where there is any.
func (d *Dispatcher) writeSheets(ctx context.Context, to archive, s dispatch.Settings, r *Rehearsed) error {
	if s.Sheet.Format == dispatch.CSV || s.Sheet.Format == dispatch.Workbook {
		ending, err := sheetEnding(s.Sheet, r.Outcomes)
		if err != nil {
			return err
		}
		err = to.Sheet("pictures."+ending, func(out io.Writer) error { return d.writeTable(ctx, out, s.Sheet, r.Outcomes) })
		if err != nil {
			return err
		}
	}
	renamed := func(o dispatch.Outcome) bool { return o.Held == "" && o.Was != "" && o.Was != o.Name }
	if slices.ContainsFunc(r.Outcomes, renamed) {
		if err := writeSheet(to, renamedName, renamedColumns, r.Outcomes, renamed); err != nil {
			return err
		}
	}
	if len(r.Gone) == 0 {
		return nil
	}
	return writeSheet(to, goneName, goneColumns, r.Gone, func(dispatch.Sent) bool { return true })
}

// loaded waits for a picture and reads it through. One that cannot go after all is held back,
// and if its bytes are not whole, that is known from then on.
func (d *Dispatcher) loaded(ctx context.Context, ready *preparing, i int, o *dispatch.Outcome) (l payload, err error) {
	p, err := ready.of(ctx, i)
	if err != nil || p.held != "" {
		o.Held = p.held
		return l, err
	}
	if err := d.check(ctx, ready.outlet, o); err != nil || o.Held != "" {
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
	return l, d.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Checked(ctx, tx, []string{o.Sum}, []string{damage})
	})
}

// put puts a picture into an archive.
func put(ctx context.Context, to archive, o *dispatch.Outcome, l payload) error {
	content, err := l.Open(ctx)
	if err != nil {
		return err
	}
	defer content.Close()
	entry, err := to.Picture(o.Name, l.size)
	if err != nil {
		return err
	}
	if err := l.copyTo(entry, content); err != nil {
		return err
	}
	o.SentSum, o.SentBytes, o.SentAt = l.sum.String(), l.size, time.Now()
	return nil
}

// renamedColumns are those of the sheet for redirects.
var renamedColumns = []sheetfile.Column[dispatch.Outcome]{
	{Title: "Old", Of: func(o dispatch.Outcome) any { return o.Was }},
	{Title: "New", Of: func(o dispatch.Outcome) any { return o.Name }},
}

// goneColumns are those of the sheet of what is not wanted any more.
var goneColumns = []sheetfile.Column[dispatch.Sent]{
	{Title: "Picture", Of: func(s dispatch.Sent) any { return s.Name }},
	{Title: "SKU", Of: func(s dispatch.Sent) any { return s.SKU }},
	{Title: "Product", Of: func(s dispatch.Sent) any { return s.Code }},
}

// writeSheet writes a sheet of some rows into an archive.
func writeSheet[Row any](to archive, name string, columns []sheetfile.Column[Row], rows []Row, is func(Row) bool) error {
	return to.Sheet(name, func(out io.Writer) error {
		at := 0
		return sheetfile.WriteCSV(out, columns, func() (row Row, more bool, err error) {
			for ; at < len(rows); at++ {
				if is(rows[at]) {
					at++
					return rows[at-1], true, nil
				}
			}
			return row, false, nil
		})
	})
}
