package dispatching

import (
	"bytes"
	"context"
	"errors"
	"io"
	"os"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"ambrosa/core/dispatch"
	"ambrosa/core/identity"
	"ambrosa/core/picturespec"
	"ambrosa/internal/door"
	"ambrosa/internal/origin"
	"ambrosa/internal/outlet"
	"ambrosa/internal/store"
)

const (
	side     = 4 // pictures that are sent side by side
	tries    = 4 // of one picture, where it may go by itself
	inARow   = 5 // pictures refused one after the other end a dispatch: the others would be, too
	firstGap = time.Second
)

// sending hands pictures on to a place that is connected to.
type sending struct {
	*Dispatcher
	to   store.Dispatch
	slot func(dispatch.Sent) string
	out  outlet.Outlet

	mu      sync.Mutex
	line    int // of the receipt
	done    int64
	row     int   // refused one after the other
	refused error // the last that was

	quiet time.Time // until when the other side asks for nothing to be sent
}

// send sends what goes, and then deletes what is gone. Each picture is in the receipt as soon as it went, so that what goes
// on after a break sends none twice. refused says why the other side refused one. The error is an origin.Fault where the
// other side is not fit to go on with.
func (d *Dispatcher) send(
	ctx context.Context, who identity.Actor, to store.Dispatch, r *Rehearsed, step func(done, of int64),
) (refused string, err error) {
	o, err := d.Store.Outlet(ctx, to.OutletID)
	if errors.Is(err, store.ErrNotFound) {
		return "", origin.Faulty("the outlet "+to.Outlet+" was forgotten meanwhile", false, err)
	}
	if err != nil {
		return "", err
	}
	s := &sending{Dispatcher: d, to: to, slot: slot(o)}
	if s.line, err = d.Store.DispatchedSoFar(ctx, to.ID); err != nil {
		return "", err
	}
	if r.Pictures+len(r.Gone) > 0 {
		if s.out, err = d.Drives.OpenOutlet(ctx, o); err != nil {
			return "", err
		}
		defer s.out.Close()
		if err := d.Store.Step(ctx, func(tx *door.Tx) error {
			return store.PinOutlet(ctx, tx, o.ID, s.out.Pinned())
		}); err != nil {
			return "", err
		}
		of := int64(r.Pictures + len(r.Gone))
		if err := s.all(ctx, r, func() { step(s.done, of) }); err != nil {
			return "", err
		}
	}
	held := r.Outcomes[:0:0]
	for _, o := range r.Outcomes {
		if o.Held != "" {
			held = append(held, o)
		}
	}
	if s.refused != nil {
		refused = s.refused.Error()
	}
	return refused, d.end(ctx, who, to, store.Ending{Outcomes: held, Slot: s.slot})
}

// all sends the pictures side by side, and then removes what is gone. The earlier name of a picture that was not sent under
// its new one stays.
func (s *sending) all(ctx context.Context, r *Rehearsed, step func()) error {
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	ready, err := s.prepare(ctx, s.to.OutletID, r.Outcomes, s.to.Settings.Rendition)
	if err != nil {
		return err
	}
	group, going := errgroup.WithContext(ctx)
	group.SetLimit(side)
	for i := range r.Outcomes {
		o := &r.Outcomes[i]
		if o.Held != "" {
			continue
		}
		group.Go(func() error { return s.one(going, ready, i, o, step) })
	}
	if err := group.Wait(); err != nil {
		return err
	}
	moved, err := s.Store.EarlierNames(ctx, s.to.ID)
	if err != nil {
		return err
	}
	for _, gone := range r.Gone {
		if r.moves[gone.Name] && !moved[gone.Name] {
			continue
		}
		if err := s.remove(ctx, gone, step); err != nil {
			return err
		}
	}
	return nil
}

// one sends a picture. What the other side refuses is held back with its reason.
func (s *sending) one(ctx context.Context, ready *preparing, i int, o *dispatch.Outcome, step func()) error {
	if err := ctx.Err(); err != nil {
		return err
	}
	l, err := s.loaded(ctx, ready, i, o)
	if err != nil || o.Held != "" {
		return err
	}
	picture := outlet.Picture{Item: o.Whole(), Name: o.Name, Was: o.Was, Type: string(picturespec.TypeOfEnding(o.Name)),
		Sum: l.sum.String(), Size: l.size,
		Open: func(ctx context.Context) (io.ReadSeekCloser, error) { return l.seekable(ctx, s.Blobs) }}
	// Noted before it is written: whatever ends this process, no picture is there that nobody knows of.
	if err := s.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Sending(ctx, tx, s.to, *o, s.slot)
	}); err != nil {
		return err
	}
	answer, err := s.again(ctx, func() (string, error) { return s.out.Put(ctx, picture) })
	if err != nil {
		return s.refusal(ctx, o, err)
	}
	o.SentSum, o.SentBytes, o.SentAt, o.Answer = picture.Sum, picture.Size, time.Now(), answer
	s.mu.Lock()
	defer s.mu.Unlock()
	s.row = 0
	s.line++
	if err := s.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Handed(ctx, tx, s.to, s.line, *o, s.slot)
	}); err != nil {
		return err
	}
	s.done++
	step()
	return nil
}

// refusal holds a picture back that the other side refused; so many in a row end it all.
func (s *sending) refusal(ctx context.Context, o *dispatch.Outcome, err error) error {
	var fault *origin.Fault
	if ctx.Err() != nil || !errors.As(err, &fault) {
		return err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	s.refused = err
	if s.row++; s.row >= inARow {
		return err
	}
	o.Held = "refused there: " + fault.Reason
	return nil
}

// remove takes a picture away; one that the other side keeps stays known as standing there.
func (s *sending) remove(ctx context.Context, gone dispatch.Sent, step func()) error {
	if err := s.Store.Current(ctx); err != nil {
		return err
	}
	answer, err := s.again(ctx, func() (string, error) { return s.out.Remove(ctx, gone) })
	var fault *origin.Fault
	switch {
	case errors.As(err, &fault) && ctx.Err() == nil:
		s.refused = err
		return nil
	case err != nil:
		return err
	}
	s.line++
	if err := s.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Removed(ctx, tx, s.to, s.line, gone, s.slot(gone), answer)
	}); err != nil {
		return err
	}
	s.done++
	step()
	return nil
}

// again does what may go wrong by itself some times, each after a longer wait. A wait that the other side
// asks for holds for all that is sent to it, not only for the picture that was answered so.
func (s *sending) again(ctx context.Context, do func() (string, error)) (answer string, err error) {
	gap := firstGap
	for try := 1; ; try++ {
		if err := s.untilWanted(ctx); err != nil {
			return "", err
		}
		answer, err = do()
		var fault *origin.Fault
		if err == nil || !errors.As(err, &fault) {
			return answer, err
		}
		s.slow(fault.After)
		if !fault.Again || try == tries {
			return answer, err
		}
		select {
		case <-time.After(gap):
		case <-ctx.Done():
			return "", ctx.Err()
		}
		gap *= 2
	}
}

// slow keeps everything back for as long as the other side asks for.
func (s *sending) slow(wait time.Duration) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if until := time.Now().Add(min(wait, origin.MaxWait)); wait > 0 && until.After(s.quiet) {
		s.quiet = until
	}
}

// untilWanted waits as long as the other side asked for nothing to be sent.
func (s *sending) untilWanted(ctx context.Context) error {
	for {
		s.mu.Lock()
		wait := time.Until(s.quiet)
		s.mu.Unlock()
		if wait <= 0 {
			return ctx.Err()
		}
		select {
		case <-time.After(wait):
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// seekable opens a payload so that it can be read from its beginning again: a large one lies in
// the spool meanwhile.
func (l payload) seekable(ctx context.Context, objects Objects) (io.ReadSeekCloser, error) {
	if l.content != nil {
		return readable{bytes.NewReader(l.content)}, nil
	}
	content, err := l.Open(ctx)
	if err != nil {
		return nil, err
	}
	defer content.Close()
	path, err := objects.SpoolPath()
	if err != nil {
		return nil, err
	}
	file, err := os.OpenFile(path, os.O_RDWR, 0)
	if err != nil {
		return nil, err
	}
	err = l.copyTo(file, content)
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		return nil, errors.Join(err, file.Close(), os.Remove(path))
	}
	return spooledFile{file}, nil
}

// readable is content in memory, which needs no closing.
type readable struct{ *bytes.Reader }

func (readable) Close() error { return nil }

// spooledFile is removed when it is closed.
type spooledFile struct{ *os.File }

func (f spooledFile) Close() error { return errors.Join(f.File.Close(), os.Remove(f.Name())) }
