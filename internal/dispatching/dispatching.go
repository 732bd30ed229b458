// Package dispatching is the use cases of dispatch: outlets are made and tried, what would go
// is rehearsed, and a dispatch hands it on, with a receipt. What goes, under which name, and
// what is held back is judged in core/dispatch.
package dispatching

import (
	"context"
	"errors"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/dispatch"
	"ambrosa/core/identity"
	"ambrosa/core/naming"
	"ambrosa/internal/blob"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/origin"
	"ambrosa/internal/outlet"
	"ambrosa/internal/outlet/kinds"
	"ambrosa/internal/outlet/letter"
	"ambrosa/internal/store"
)

// Dispatcher is the use cases of dispatch.
type Dispatcher struct {
	Store    *store.Store
	Blobs    Objects
	Pictures Maker
	Drives   Opener
	Readers  contained.Program // of foreign workbooks
	Runs     store.Queue
	Letters  Letters // nil where no mail can be sent

	choices choices
}

// Opener connects to outlets, and keeps their secrets.
type Opener interface {
	// TakeOutlet puts settings by field into an outlet; what is wrong is an origin.Fault.
	TakeOutlet(o *store.Outlet, settings map[string]string) error
	// OpenOutlet connects; what is wrong is an origin.Fault.
	OpenOutlet(ctx context.Context, o store.Outlet) (outlet.Outlet, error)
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
	// Rendition returns the rendition of a picture of a size that is shown.
	Rendition(ctx context.Context, sum blob.Sum, size int) ([]byte, error)
	// WritePackage stores what write writes as a part of the package of a number, whole or not at all.
	WritePackage(ctx context.Context, id int64, part int, ending string, write func(io.Writer) error) (size int64, err error)
	// DropPackage removes a package, all parts of it; one that is not there is gone already.
	DropPackage(ctx context.Context, id int64) error
}

// Run is the kind of runs that are queued.
const Run = "dispatch"

// ErrUnderWay means that another dispatch to the outlet goes on.
var ErrUnderWay = errors.New("another dispatch to this outlet is under way")

// Wanted is an outlet as a person wants it.
type Wanted struct {
	Name     string            `json:"name" minLength:"1" maxLength:"200"`
	Address  map[string]string `json:"address,omitempty" doc:"By field; a secret that is left out stays"`
	Settings dispatch.Settings `json:"settings"`
	Every    int               `json:"everyMinutes,omitempty" minimum:"0" maximum:"525600" doc:"0: by hand only"`
}

// Make makes an outlet. One that is connected to is tried first. The error may be a
// naming.BadTemplate, a dispatch.BadRecipe, a dispatch.BadColumn, dispatch.ErrFirst, store.ErrTaken,
// or an origin.Fault that says what is wrong with the other side.
func (d *Dispatcher) Make(
	ctx context.Context, who identity.Actor, kind string, w Wanted,
) (id int64, err error) {
	o := store.Outlet{Kind: kind, Name: strings.TrimSpace(w.Name), Settings: wanted(kind, w.Settings), Every: w.Every}
	if _, err := w.Settings.Template(); err != nil {
		return 0, err
	}
	if err := d.take(ctx, &o, w.Address); err != nil {
		return 0, err
	}
	err = d.Store.Do(ctx, door.By(who, identity.OutletMake), func(tx *door.Tx) error {
		id, err = store.NewOutlet(ctx, tx, o)
		tx.About(audit.Of(identity.Outlet, id))
		tx.Changed(nil, map[string]any{"name": o.Name, "kind": o.Kind, "settings": o.Settings})
		return err
	})
	return id, err
}

// Change changes an outlet that has a version, but for its kind. Where its address changes, it
// is tried first. The errors are Make's, and store.ErrChanged.
func (d *Dispatcher) Change(
	ctx context.Context, who identity.Actor, id int64, version int, w Wanted,
) error {
	if _, err := w.Settings.Template(); err != nil {
		return err
	}
	o, err := d.Store.Outlet(ctx, id)
	if err != nil {
		return err
	}
	was, before := o.Address, map[string]any{"name": o.Name, "settings": o.Settings, "every": o.Every}
	o.Version, o.Name, o.Settings, o.Every = version, strings.TrimSpace(w.Name), wanted(o.Kind, w.Settings), w.Every
	if err := d.take(ctx, &o, w.Address); err != nil {
		return err
	}
	return d.Store.Do(ctx, door.By(who, identity.OutletChange, audit.Of(identity.Outlet, id)), func(tx *door.Tx) error {
		tx.Changed(before, map[string]any{"name": o.Name, "settings": o.Settings, "every": o.Every})
		return store.SetOutlet(ctx, tx, o, elsewhere(was, o.Address))
	})
}

// elsewhere tells whether an address leads to another place than before: nothing of us stands
// there, as far as is known.
func elsewhere(was, is map[string]string) bool {
	for _, field := range []string{"address", "host", "bucket", "folder", "within"} {
		if was[field] != is[field] {
			return true
		}
	}
	return false
}

// wanted is what an outlet wants of what a person asked for: to where pictures stand, only what
// changed goes.
func wanted(kind string, settings dispatch.Settings) dispatch.Settings {
	settings.Changed = settings.Changed || !kinds.Packed(kind)
	return settings
}

// take puts an address into an outlet, and tries it where that makes a difference.
func (d *Dispatcher) take(ctx context.Context, o *store.Outlet, address map[string]string) error {
	before, secrets := o.Address, string(o.Secrets)
	if err := d.Drives.TakeOutlet(o, address); err != nil {
		return err
	}
	if o.Kind == letter.Name && d.Letters == nil {
		return errNoMail()
	}
	if kinds.Packed(o.Kind) || maps.Equal(before, o.Address) && secrets == string(o.Secrets) {
		return nil
	}
	pinned, err := d.try(ctx, *o)
	o.Pinned = pinned
	return err
}

// trying is how long an outlet may take to be tried.
const trying = time.Minute

// try connects to an outlet, and tells whether pictures could be put there.
func (d *Dispatcher) try(ctx context.Context, o store.Outlet) (pinned string, err error) {
	ctx, cancel := context.WithTimeout(ctx, trying)
	defer cancel()
	to, err := d.Drives.OpenOutlet(ctx, o)
	if err != nil {
		return "", err
	}
	return to.Pinned(), errors.Join(to.Test(ctx), to.Close())
}

// Try tells whether pictures could be put at an outlet now; what is wrong is an origin.Fault.
func (d *Dispatcher) Try(ctx context.Context, id int64) error {
	o, err := d.Store.Outlet(ctx, id)
	if err != nil || kinds.Packed(o.Kind) {
		return err
	}
	_, err = d.try(ctx, o)
	return err
}

// ownSlot returns what tells where a picture stands at an outlet; nil where that is its name.
func ownSlot(o store.Outlet) func(dispatch.Sent) string {
	if kind, ok := kinds.Of(o.Kind); ok && kind.Slot != nil {
		return kind.Slot(o.Address)
	}
	return nil
}

// slot is ownSlot, or that of a name.
func slot(o store.Outlet) func(dispatch.Sent) string {
	if own := ownSlot(o); own != nil {
		return own
	}
	return func(s dispatch.Sent) string { return s.Name }
}

// Rehearsed is what would go.
type Rehearsed struct {
	dispatch.Totals
	Settings dispatch.Settings  `json:"-"` // as they are meant at that outlet
	Outcomes []dispatch.Outcome `json:"-"`
	Gone     []dispatch.Sent    `json:"-"` // what stands there and is not wanted any more
	Massive  bool               `json:"-"` // that is so much of it that a person is to say it is meant
	Renaming bool               `json:"-"` // so many get new names there that a person is asked first

	moves map[string]bool // earlier names of pictures that get new ones
}

// Rehearse says what would go by settings now, to an outlet or (0) to a new one. The error may
// be a naming.BadTemplate, a dispatch.BadRecipe, dispatch.ErrFirst or dispatch.ErrViews.
func (d *Dispatcher) Rehearse(ctx context.Context, outlet int64, settings dispatch.Settings) (r Rehearsed, err error) {
	return d.rehearse(ctx, outlet, settings, d.items)
}

// rehearse does so with what read chooses.
func (d *Dispatcher) rehearse(
	ctx context.Context, outlet int64, settings dispatch.Settings,
	read func(context.Context, dispatch.Settings) ([]dispatch.Item, error),
) (r Rehearsed, err error) {
	names, err := settings.Template()
	if err != nil {
		return r, err
	}
	var to store.Outlet
	if outlet > 0 {
		if to, err = d.Store.Outlet(ctx, outlet); err != nil {
			return r, err
		}
		settings = wanted(to.Kind, settings)
	}
	items, err := read(ctx, settings)
	if err != nil {
		return r, err
	}
	before, err := d.Store.SentTo(ctx, outlet)
	if err != nil {
		return r, err
	}
	except, err := d.Store.Exceptions(ctx, outlet, nil)
	if err != nil {
		return r, err
	}
	now := time.Now()
	r.Settings = settings
	if r.Outcomes, err = settings.Rehearse(ctx, settings.Chosen(items), names, before, except, now); err != nil {
		return r, err
	}
	dispatch.HoldCrowded(r.Outcomes, ownSlot(to))
	r.Gone = dispatch.Gone(r.Outcomes, before, ownSlot(to))
	r.Totals = settings.Count(r.Outcomes)
	// Earlier names of renamed pictures do not count as pictures that nobody wants. A package is written anew each time, and a
	// shop with addresses of its own keeps them: neither has names to move.
	if outlet > 0 && !kinds.Packed(to.Kind) && ownSlot(to) == nil {
		r.moves = dispatch.Moves(r.Outcomes)
		r.Renaming = dispatch.Massive(r.Renamed, len(before))
	}
	for _, g := range r.Gone {
		if !r.moves[g.Name] {
			r.Totals.Gone++
		}
	}
	r.Massive = dispatch.Massive(r.Totals.Gone, len(before))
	return r, nil
}

// Going is what a person says who has something handed on.
type Going struct {
	Version  int  `json:"version" doc:"Of the outlet as it was seen"`
	TakeAway int  `json:"takeAway,omitempty" minimum:"0" doc:"How many may be taken away there at once, where that is much of what stands"`
	Rename   int  `json:"rename,omitempty" minimum:"0" doc:"How many may get new names there at once, where that is much of what is there"`
	Again    bool `json:"again,omitempty" doc:"What stands there just so goes again, too"`
}

// Dispatch has what an outlet wants handed on. An outlet in another version than the person saw is
// store.ErrChanged. It may be ErrUnderWay.
func (d *Dispatcher) Dispatch(ctx context.Context, who identity.Actor, outlet int64, how Going) (run int64, err error) {
	err = d.Store.Do(ctx, door.By(who, identity.OutletSend, audit.Of(identity.Outlet, outlet)), func(tx *door.Tx) error {
		to, err := store.LockOutlet(ctx, tx, outlet)
		if err != nil {
			return err
		}
		if to.Version != how.Version {
			return store.ErrChanged
		}
		if how.Again {
			if err := store.AllAgain(ctx, tx, outlet); err != nil {
				return err
			}
		}
		run, err = d.begin(ctx, tx, who, to, how)
		return err
	})
	return run, err
}

// begin queues a dispatch to an outlet that is locked.
func (d *Dispatcher) begin(ctx context.Context, tx *door.Tx, who identity.Actor, to store.Outlet, how Going) (run int64, err error) {
	busy, err := store.DispatchUnderWay(ctx, tx, to.ID)
	if err != nil {
		return 0, err
	}
	if busy {
		return 0, ErrUnderWay
	}
	if err := store.CloseDispatches(ctx, tx, to.ID); err != nil {
		return 0, err
	}
	id, err := store.NewDispatch(ctx, tx, to, how.TakeAway, how.Rename)
	if err != nil {
		return 0, err
	}
	tx.About(audit.Of(identity.Outlet, to.ID), audit.Of(identity.Dispatch, id))
	return d.Runs.Queue(ctx, tx, who, Run, store.About{Dispatch: id})
}

// Due begins what is to go by itself now. An outlet to which something is under way waits for its
// next time.
func (d *Dispatcher) Due(ctx context.Context) error {
	for {
		err := d.Store.Do(ctx, door.By(identity.Due, identity.OutletSend), func(tx *door.Tx) error {
			to, err := store.DueOutlet(ctx, tx)
			if err != nil {
				return err
			}
			if _, err = d.begin(ctx, tx, identity.Due, to, Going{}); errors.Is(err, ErrUnderWay) {
				tx.Unchanged()
				err = nil
			}
			return err
		})
		if errors.Is(err, store.ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
	}
}

// Done is what a dispatch came to.
type Done struct {
	store.Dispatch
	Refused string // why the other side refused one, of those that it did
	Left    int    // not wanted there any more, and left: so many that nobody said they are meant
	Renamed int    // earlier names that were deleted there, as the pictures have new ones
	Kept    int    // kept their names: so many would get new ones that a person is asked first
}

// Do does a dispatch: everything is judged again at this moment, and each picture again when it
// is its turn. A package is written whole or not at all (where nothing goes there is none), and
// its receipt at the end; what goes to a place that is connected to is in the receipt as it went.
// It can be done again from any point: nothing goes twice. step hears how many pictures of how
// many went. The error may be an origin.Fault.
func (d *Dispatcher) Do(ctx context.Context, who identity.Actor, id int64, step func(done, of int64)) (done Done, err error) {
	done.Dispatch, err = d.Store.Dispatch(ctx, id)
	if err != nil {
		return done, err
	}
	if done.EndedAt != nil {
		return done, d.mail(ctx, who, &done.Dispatch)
	}
	// What is to be handed on is its own, and judged picture by picture: it may change on the way.
	r, err := d.rehearse(ctx, done.OutletID, done.Settings, d.Store.ToDispatch)
	if err != nil {
		return done, err
	}
	if r.Renaming && r.Renamed > done.RenameUpTo {
		done.Kept, done.Settings.Rename = r.Renamed, false
		if r, err = d.rehearse(ctx, done.OutletID, done.Settings, d.Store.ToDispatch); err != nil {
			return done, err
		}
	}
	// What is there just so, and is not wanted again, is none of this dispatch.
	r.Outcomes = slices.DeleteFunc(r.Outcomes, func(o dispatch.Outcome) bool { return o.Held == "" && !o.Goes(done.Settings) })
	left, leave := r.Totals.Gone, !done.Settings.Remove || r.Massive && r.Totals.Gone > done.TakeAway
	if kinds.Packed(done.Kind) {
		if leave {
			r.Gone = nil
		}
		err = d.pack(ctx, who, done.Dispatch, &r, step)
	} else {
		if err := d.keepMoves(ctx, id, &r, leave); err != nil {
			return done, err
		}
		done.Refused, err = d.send(ctx, who, done.Dispatch, &r, step)
	}
	if err != nil {
		return done, err
	}
	if done.Settings.Remove && leave {
		done.Left = left
	}
	if done.Dispatch, err = d.Store.Dispatch(ctx, id); err != nil {
		return done, err
	}
	if done.Renamed, err = d.Store.CountMoved(ctx, id); err != nil {
		return done, err
	}
	return done, d.mail(ctx, who, &done.Dispatch)
}

// keepMoves adds the earlier names that a dispatch which goes on has still to delete, and (leave) lets go of all else that
// is not wanted at the outlet.
func (d *Dispatcher) keepMoves(ctx context.Context, id int64, r *Rehearsed, leave bool) error {
	if r.moves != nil {
		sent, err := d.Store.EarlierNames(ctx, id)
		if err != nil {
			return err
		}
		maps.Copy(r.moves, sent)
	}
	if leave {
		r.Gone = slices.DeleteFunc(r.Gone, func(g dispatch.Sent) bool { return !r.moves[g.Name] })
	}
	return nil
}

// check tells again, when it is a picture's turn, whether it may go; one that may not is held
// back.
func (d *Dispatcher) check(ctx context.Context, outlet int64, o *dispatch.Outcome) error {
	now, stands, err := d.Store.StillStands(ctx, *o.Item)
	if err != nil {
		return err
	}
	if !stands {
		o.Held = "it does not stand there any more"
		return nil
	}
	o.Rights, o.Because = now, ""
	var except dispatch.Exceptions
	if may, _ := now.MayBeHandedOn(time.Now()); !may {
		if except, err = d.Store.Exceptions(ctx, outlet, []string{o.Sum}); err != nil {
			return err
		}
	}
	o.Gate(except, time.Now())
	return nil
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
		if err := d.Store.Do(ctx, door.By(identity.Due, identity.PackageDrop, audit.Of(identity.Dispatch, id)), func(tx *door.Tx) error {
			return store.LetPackageGo(ctx, tx, id)
		}); err != nil {
			return err
		}
	}
	return nil
}

// Wrong tells whether an error is about what a person wrote, and says it in words.
func Wrong(err error) (words string, is bool) {
	var template naming.BadTemplate
	var recipe dispatch.BadRecipe
	var fault *origin.Fault
	var column dispatch.BadColumn
	switch {
	case errors.As(err, &column):
		return "The sheet cannot be written: " + column.Error() + ".", true
	case errors.As(err, &fault):
		return strings.ToUpper(fault.Reason[:1]) + fault.Reason[1:] + ".", true
	case errors.As(err, &recipe):
		return "The pictures cannot be made so: " + recipe.Error() + ".", true
	case errors.As(err, &template):
		return "The template of names cannot be read: " + template.Error() + ".", true
	case errors.Is(err, dispatch.ErrFirst):
		return "Say how many pictures of each product go.", true
	case errors.Is(err, dispatch.ErrViews):
		return "Say which views go.", true
	}
	return "", false
}
