// Package dispatching is the use cases of dispatch: outlets are made and tried, what would go
// is rehearsed, and a dispatch hands it on, with a receipt. What goes, under which name, and
// what is held back is judged in core/dispatch.
package dispatching

import (
	"context"
	"errors"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/acting"
	"ambrosa/core/dispatch"
	"ambrosa/core/naming"
	"ambrosa/internal/blob"
	"ambrosa/internal/store"
)

// Dispatcher is the use cases of dispatch.
type Dispatcher struct {
	Store    *store.Store
	Blobs    Objects
	Pictures Maker
	Runs     store.Queue
}

// Objects is where bytes are stored.
type Objects interface {
	// Open returns the bytes of a picture; the caller closes them.
	Open(ctx context.Context, sum blob.Sum) (io.ReadCloser, int64, error)
	// Check reads a picture and says what is wrong with it: missing, damaged, or nothing.
	Check(ctx context.Context, sum blob.Sum) (damage string, err error)
	// Local returns a path under which a picture can be read, and what to call when that is done.
	Local(ctx context.Context, sum blob.Sum) (path string, done func(), err error)
	// SpoolPath is where a file in passing can be written.
	SpoolPath() (string, error)
	// SpoolFile hashes a file that lies on this machine.
	SpoolFile(path string, head int) (blob.Spooled, error)
	// KeepMade stores a spooled file as what was made of a picture in a way.
	KeepMade(ctx context.Context, made string, of blob.Sum, f blob.Spooled) error
	// OpenMade returns what was made of a picture in a way; the caller closes it.
	OpenMade(ctx context.Context, made string, of blob.Sum) (io.ReadCloser, int64, error)
	// DropMade removes what was made of a picture in a way.
	DropMade(ctx context.Context, made string, of blob.Sum) error
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
// or not at all (where nothing goes there is none), and the receipt once. It can be done again
// from any point. step hears how many pictures of how many are in.
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
		size, err = d.Blobs.WritePackage(ctx, id, func(out io.Writer) error { return d.pack(ctx, out, found.Settings, &r, step) })
		if err != nil && !errors.Is(err, errEmpty) {
			return r.Totals, err
		}
	}
	r.Totals = found.Settings.Count(r.Outcomes)
	return r.Totals, d.Store.EndDispatch(ctx, id, r.Outcomes, r.Totals, size)
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
	var recipe dispatch.BadRecipe
	switch {
	case errors.As(err, &recipe):
		return "The pictures cannot be made so: " + recipe.Error() + ".", true
	case errors.As(err, &template):
		return "The template of names cannot be read: " + template.Error() + ".", true
	case errors.Is(err, dispatch.ErrFirst):
		return "Say how many pictures of each product go.", true
	}
	return "", false
}
