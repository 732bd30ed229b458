package dispatching

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"time"

	"ambrosa/core/dispatch"
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

// pack packs what goes, and records what became of it.
func (d *Dispatcher) pack(ctx context.Context, to store.Dispatch, r *Rehearsed, step func(done, of int64)) (err error) {
	size := int64(0)
	if r.Pictures+len(r.Gone) > 0 {
		size, err = d.Blobs.WritePackage(ctx, to.ID, func(out io.Writer) error { return d.write(ctx, out, to.Settings, r, step) })
		if err != nil && !errors.Is(err, errEmpty) {
			return err
		}
	}
	return d.Store.EndDispatch(ctx, to.ID, store.Ending{Outcomes: r.Outcomes, Gone: r.Gone, Size: size,
		Slot: func(s dispatch.Sent) string { return s.Name }})
}

// write writes a package: the pictures that go, and the sheets of them. One whose bytes turn out
// not to be whole, that cannot be made, or may not go any more, is held back. The error may be
// errEmpty.
func (d *Dispatcher) write(ctx context.Context, out io.Writer, s dispatch.Settings, r *Rehearsed, step func(done, of int64)) error {
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
	if done == 0 && len(r.Gone) == 0 {
		return errEmpty
	}
	return errors.Join(d.writeSheets(ctx, archive, s, r), archive.Close())
}

// writeSheets writes what goes along: the sheet of the pictures, and those of what has another
// name and of what is not wanted any more, where there is any.
func (d *Dispatcher) writeSheets(ctx context.Context, archive *zip.Writer, s dispatch.Settings, r *Rehearsed) error {
	if s.Sheet.Format == dispatch.CSV || s.Sheet.Format == dispatch.Workbook {
		out, err := archive.CreateHeader(&zip.FileHeader{Name: "pictures." + s.Sheet.Format, Method: zip.Deflate, Modified: time.Now()})
		if err == nil {
			err = d.writeTable(ctx, out, s.Sheet, r.Outcomes)
		}
		if err != nil {
			return err
		}
	}
	renamed := func(o dispatch.Outcome) bool { return o.Held == "" && o.Was != "" && o.Was != o.Name }
	if slices.ContainsFunc(r.Outcomes, renamed) {
		if err := writeSheet(archive, renamedName, renamedColumns, r.Outcomes, renamed); err != nil {
			return err
		}
	}
	if len(r.Gone) == 0 {
		return nil
	}
	return writeSheet(archive, goneName, goneColumns, r.Gone, func(dispatch.Sent) bool { return true })
}

// loaded waits for a picture and reads it through. One that cannot go after all is held back,
// and if its bytes are not whole, that is known from then on.
func (d *Dispatcher) loaded(ctx context.Context, ready *preparing, i int, o *dispatch.Outcome) (l payload, err error) {
	p, err := ready.of(ctx, i)
	if err != nil || p.held != "" {
		o.Held = p.held
		return l, err
	}
	if err := d.check(ctx, o); err != nil || o.Held != "" {
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
func writeSheet[Row any](archive *zip.Writer, name string, columns []sheetfile.Column[Row], rows []Row, is func(Row) bool) error {
	out, err := archive.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate, Modified: time.Now()})
	if err != nil {
		return err
	}
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
}
