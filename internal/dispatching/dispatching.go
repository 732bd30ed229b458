// Package dispatching is the use cases of dispatch: outlets are made and tried, what would go
// is rehearsed, and a dispatch hands it on, with a receipt. What goes, under which name, and
// what is held back is judged in core/dispatch.
package dispatching

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/acting"
	"ambrosa/core/dispatch"
	"ambrosa/core/naming"
	"ambrosa/internal/blob"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// Dispatcher is the use cases of dispatch.
type Dispatcher struct {
	Store *store.Store
	Blobs Objects
	Runs  store.Queue
}

// Objects is where bytes are stored.
type Objects interface {
	// Open returns the bytes of a picture; the caller closes them.
	Open(ctx context.Context, sum blob.Sum) (io.ReadCloser, int64, error)
	// WritePackage stores what write writes as the package of a number, whole or not at all.
	WritePackage(ctx context.Context, id int64, write func(io.Writer) error) (size int64, err error)
	// DropPackage removes a package; one that is not there is gone already.
	DropPackage(ctx context.Context, id int64) error
}

// Run is the kind of runs that are queued.
const Run = "dispatch"

// ErrUnderWay means that another dispatch to the outlet goes on.
var ErrUnderWay = errors.New("another dispatch to this outlet is under way")

// Make makes an outlet. The error may be a naming.BadTemplate, dispatch.ErrFirst or store.ErrTaken.
func (d *Dispatcher) Make(ctx context.Context, who acting.Actor, name string, settings dispatch.Settings) (id int64, err error) {
	if _, err := settings.Template(); err != nil {
		return 0, err
	}
	err = d.Store.Within(ctx, func(tx pgx.Tx) error {
		id, err = store.NewOutlet(ctx, tx, who, strings.TrimSpace(name), settings)
		return err
	})
	return id, err
}

// Change changes an outlet that has a version; the errors are Make's, and store.ErrChanged.
func (d *Dispatcher) Change(
	ctx context.Context, _ acting.Actor, id int64, version int, name string, settings dispatch.Settings,
) error {
	if _, err := settings.Template(); err != nil {
		return err
	}
	return d.Store.SetOutlet(ctx, id, version, strings.TrimSpace(name), settings)
}

// Rehearsed is what would go.
type Rehearsed struct {
	dispatch.Totals
	Outcomes []dispatch.Outcome `json:"-"`
}

// Rehearse says what would go by settings now, to an outlet or (0) to a new one. The error may
// be a naming.BadTemplate or dispatch.ErrFirst.
func (d *Dispatcher) Rehearse(ctx context.Context, outlet int64, settings dispatch.Settings) (r Rehearsed, err error) {
	names, err := settings.Template()
	if err != nil {
		return r, err
	}
	items, err := d.Store.ToDispatch(ctx, settings)
	if err != nil {
		return r, err
	}
	before, err := d.Store.SentTo(ctx, outlet)
	if err != nil {
		return r, err
	}
	r.Outcomes = settings.Rehearse(settings.Chosen(items), names, before, time.Now())
	r.Totals = settings.Count(r.Outcomes)
	return r, nil
}

// Dispatch has what an outlet wants handed on. version is the outlet's as the person saw it;
// another one is store.ErrChanged. It may be ErrUnderWay.
func (d *Dispatcher) Dispatch(ctx context.Context, who acting.Actor, outlet int64, version int) (run int64, err error) {
	err = d.Store.Within(ctx, func(tx pgx.Tx) error {
		to, err := store.LockOutlet(ctx, tx, outlet)
		if err != nil {
			return err
		}
		if to.Version != version {
			return store.ErrChanged
		}
		busy, err := store.DispatchUnderWay(ctx, tx, outlet)
		if err != nil {
			return err
		}
		if busy {
			return ErrUnderWay
		}
		id, err := store.NewDispatch(ctx, tx, who, to)
		if err != nil {
			return err
		}
		run, err = d.Runs.Queue(ctx, tx, who, Run, store.About{Dispatch: id})
		return err
	})
	return run, err
}

// Do does a dispatch: everything is judged again at this moment, the package is written whole
// or not at all (where nothing goes there is none), and the receipt once. It can be done again from any point. step hears how many
// pictures of how many are in.
func (d *Dispatcher) Do(ctx context.Context, id int64, step func(done, of int64)) (dispatch.Totals, error) {
	found, err := d.Store.Dispatch(ctx, id)
	if err != nil || found.EndedAt != nil {
		return dispatch.Totals{Products: found.Products, Pictures: found.Pictures, Held: found.Held, Bytes: found.Bytes}, err
	}
	r, err := d.Rehearse(ctx, found.OutletID, found.Settings)
	if err != nil {
		return r.Totals, err
	}
	// What is there just so, and is not wanted again, is none of this dispatch.
	r.Outcomes = slices.DeleteFunc(r.Outcomes, func(o dispatch.Outcome) bool { return o.Held == "" && !o.Goes(found.Settings) })
	size := int64(0)
	if r.Pictures > 0 {
		size, err = d.Blobs.WritePackage(ctx, id, func(out io.Writer) error { return d.pack(ctx, out, &r, step) })
		if err != nil && !errors.Is(err, errEmpty) {
			return r.Totals, err
		}
	}
	r.Totals = found.Settings.Count(r.Outcomes)
	return r.Totals, d.Store.EndDispatch(ctx, id, r.Outcomes, r.Totals, size)
}

// sheetName is what the sheet that goes along is called.
const sheetName = "pictures.csv"

// errEmpty ends a package that no picture turned out to be in: there is none then.
var errEmpty = errors.New("nothing is in the package")

// pack writes a package: the pictures that go, and the sheet of them. One whose bytes turn out
// not to be whole is held back, and known to be so from then on. The error may be errEmpty.
func (d *Dispatcher) pack(ctx context.Context, out io.Writer, r *Rehearsed, step func(done, of int64)) error {
	archive := zip.NewWriter(out)
	done := int64(0)
	for i := range r.Outcomes {
		o := &r.Outcomes[i]
		if o.Held != "" {
			continue
		}
		damage, err := d.put(ctx, archive, o)
		if err != nil {
			return fmt.Errorf("pack %s: %w", o.Name, err)
		}
		if damage != "" {
			o.Held = "its bytes are " + damage
			if err := d.Store.Checked(ctx, []string{o.Sum}, []string{damage}); err != nil {
				return err
			}
			continue
		}
		done++
		step(done, int64(r.Pictures))
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

// put puts a picture into an archive; damage says that its bytes are missing, or not what they
// were. They are read before they are put, as what is in an archive cannot be taken out again.
func (d *Dispatcher) put(ctx context.Context, archive *zip.Writer, o *dispatch.Outcome) (damage string, err error) {
	sum, err := blob.ParseSum(o.Sum)
	if err != nil {
		return "", err
	}
	var kept bytes.Buffer
	if damage, err := d.read(ctx, sum, &kept, o.Bytes); err != nil || damage != "" {
		return damage, err
	}
	// Pictures are packed as they are: they are compressed already.
	entry, err := archive.CreateHeader(&zip.FileHeader{Name: o.Name, Method: zip.Store, Modified: time.Now()})
	if err != nil {
		return "", err
	}
	if o.Bytes <= inMemory {
		_, err = kept.WriteTo(entry)
		return "", err
	}
	damage, err = d.read(ctx, sum, entry, 0)
	if err == nil && damage != "" {
		err = fmt.Errorf("its bytes are %s by now", damage)
	}
	return "", err
}

// inMemory is how large a picture is kept in memory while it is looked whether it is whole;
// larger ones are read twice.
const inMemory = 32 << 20

// read reads a picture, and says what is wrong with it. Of one that may be kept in memory, or
// whose size is not asked about, it writes the bytes.
func (d *Dispatcher) read(ctx context.Context, sum blob.Sum, to io.Writer, size int64) (damage string, err error) {
	content, _, err := d.Blobs.Open(ctx, sum)
	switch {
	case errors.Is(err, blob.ErrNotFound):
		return "missing", nil
	case err != nil:
		return "", err
	}
	defer content.Close()
	hash := sha256.New()
	if size > inMemory {
		to = io.Discard
	}
	if _, err := io.Copy(io.MultiWriter(hash, to), content); err != nil {
		return "", err
	}
	if blob.Sum(hash.Sum(nil)) != sum {
		return "damaged", nil
	}
	return "", nil
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
	{Title: "SHA-256", Of: func(o dispatch.Outcome) any { return o.Sum }},
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

// packageTerm is how long packages are kept to be taken; their receipts stay.
const packageTerm = 30 * 24 * time.Hour

// LetPackagesGo removes the packages that are past their term.
func (d *Dispatcher) LetPackagesGo(ctx context.Context) error {
	past, err := d.Store.PackagesPast(ctx, packageTerm)
	if err != nil {
		return err
	}
	for _, id := range past {
		if err := d.Blobs.DropPackage(ctx, id); err != nil {
			return err
		}
		if err := d.Store.LetPackageGo(ctx, id); err != nil {
			return err
		}
	}
	return nil
}

// Wrong tells whether an error is about what a person wrote, and says it in words.
func Wrong(err error) (words string, is bool) {
	var template naming.BadTemplate
	switch {
	case errors.As(err, &template):
		return "The template of names cannot be read: " + template.Error() + ".", true
	case errors.Is(err, dispatch.ErrFirst):
		return "Say how many pictures of each product go.", true
	}
	return "", false
}
