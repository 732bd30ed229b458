package gathering

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"sync"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/legible"
	"ambrosa/internal/door"
	"ambrosa/internal/dropfolder"
	"ambrosa/internal/store"
)

// Dropped makes lots of what people drop.
type Dropped struct {
	*Gatherer
	Server *dropfolder.Server
	Quiet  time.Duration // how long nothing has to change before a lot is made

	mu sync.Mutex // held while a lot is made, so that none is taken for left over
}

func (d *Dropped) taken() string { return filepath.Join(d.Server.Folder, "taken") }

// Watch makes a lot of each person's files when they have been quiet, until ctx
// ends. First it goes on with what was taken before and not brought to its end.
func (d *Dropped) Watch(ctx context.Context) {
	begin := min(5*time.Second, d.Quiet/2+time.Millisecond)
	pause := begin
	leftOver := true
	for {
		var err error
		if leftOver {
			err = d.goOn(ctx)
			leftOver = err != nil
		}
		if err = errors.Join(err, d.takeQuiet(ctx)); err != nil && ctx.Err() == nil {
			d.Log.Error("look into the drop folder", "error", err, "again", pause)
			pause = min(2*pause, longestPause)
		} else {
			pause = begin
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(pause):
		}
	}
}

// longestPause is between two looks at a drop folder that fail.
const longestPause = 10 * time.Minute

// takeQuiet makes lots of the files of those who have been quiet.
func (d *Dropped) takeQuiet(ctx context.Context) error {
	people, failed := d.Store.DropPeople(ctx)
	for _, name := range people {
		waiting, err := d.Server.Waiting(name)
		if err != nil || waiting.Files == 0 || time.Since(waiting.Changed) < d.Quiet {
			failed = errors.Join(failed, err)
			continue
		}
		if _, err := d.Take(ctx, name); err != nil && !errors.Is(err, dropfolder.ErrBusy) {
			failed = errors.Join(failed, err)
		}
	}
	return failed
}

// TakeNow is Take, because somebody asks for it.
func (d *Dropped) TakeNow(ctx context.Context, who identity.Actor, name string) (lot int64, err error) {
	if err := d.Store.Allowed(who, identity.DropTake); err != nil {
		return 0, err
	}
	if lot, err = d.Take(ctx, name); err != nil {
		return lot, err
	}
	return lot, d.Store.Do(ctx, door.By(who, identity.DropTake, audit.Of(identity.Lot, lot)), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]string{"dropped by": name})
		return nil
	})
}

// Take makes a lot of what a person dropped, and returns it. ErrNotFound means
// that there is nothing, dropfolder.ErrBusy that something is being written.
func (d *Dropped) Take(ctx context.Context, name string) (lot int64, err error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	waiting, err := d.Server.Waiting(name)
	if err != nil {
		return 0, err
	}
	if waiting.Files == 0 {
		return 0, store.ErrNotFound
	}
	if lot, err = d.newLot(ctx, identity.Actor{Kind: identity.DropPerson, Name: name}, "Dropped by "+name); err != nil {
		return 0, err
	}
	folder := filepath.Join(d.taken(), strconv.FormatInt(lot, 10))
	if err := d.Server.Take(name, folder); err != nil {
		return 0, errors.Join(err, d.Receiver.ForgetEmpty(ctx, identity.Ambrosa, lot))
	}
	return lot, d.gather(ctx, lot, folder)
}

// goOn takes up what a process that died had taken. What cannot be taken up is
// left for the next time, and stops nothing else.
func (d *Dropped) goOn(ctx context.Context) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	entries, err := os.ReadDir(d.taken())
	if err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	var failed error
	for _, entry := range entries {
		lot, err := strconv.ParseInt(entry.Name(), 10, 64)
		if err != nil {
			continue
		}
		failed = errors.Join(failed, d.takeUp(ctx, lot, filepath.Join(d.taken(), entry.Name())))
	}
	empty, err := d.Store.EmptyDropLots(ctx)
	if err != nil {
		return errors.Join(failed, err)
	}
	for _, lot := range empty {
		if _, err := os.Stat(filepath.Join(d.taken(), strconv.FormatInt(lot, 10))); err == nil {
			continue // it waits for what is there
		}
		failed = errors.Join(failed, d.Receiver.ForgetEmpty(ctx, identity.Ambrosa, lot))
	}
	return failed
}

// takeUp gathers a folder into the lot that it was taken for; where that lot is
// gone, or is another by now, into a new one.
func (d *Dropped) takeUp(ctx context.Context, lot int64, folder string) error {
	waits, err := d.Store.WaitsForDrop(ctx, lot)
	if err != nil {
		return err
	}
	if !waits {
		held, err := holdsFiles(folder)
		if err != nil {
			return err
		}
		if !held {
			return os.RemoveAll(folder)
		}
		if lot, err = d.newLot(ctx, identity.Ambrosa, "Dropped before"); err != nil {
			return err
		}
		to := filepath.Join(d.taken(), strconv.FormatInt(lot, 10))
		if err := os.Rename(folder, to); err != nil {
			return errors.Join(err, d.Receiver.ForgetEmpty(ctx, identity.Ambrosa, lot))
		}
		folder = to
	}
	return d.gather(ctx, lot, folder)
}

// newLot opens a lot for what was dropped.
func (d *Dropped) newLot(ctx context.Context, who identity.Actor, name string) (int64, error) {
	name += " " + time.Now().Format("2006-01-02 15:04")
	return d.Receiver.Open(ctx, who, store.NewLot{Name: name, Origin: "drop", Uploads: 1})
}

// holdsFiles tells whether there is a file in a folder or below.
func holdsFiles(folder string) (held bool, err error) {
	err = filepath.WalkDir(folder, func(_ string, entry fs.DirEntry, err error) error {
		if err == nil && entry.Type().IsRegular() {
			held = true
			return filepath.SkipAll
		}
		return err
	})
	return held, err
}

// gather moves a folder's files among the uploads of a lot and has it examined.
// It may be broken off anywhere and called again: a file is recorded before it
// is moved, and found again as long as it is not.
func (d *Dropped) gather(ctx context.Context, lot int64, folder string) error {
	g := d.Gatherer
	var uploads []store.Upload
	var files []string
	flush := func() error {
		if err := g.Store.Step(ctx, func(tx *door.Tx) error { return store.AddUploads(ctx, tx, uploads) }); err != nil {
			return err
		}
		for i, u := range uploads {
			if err := os.Rename(files[i], g.uploadPath(u)); err != nil {
				return err
			}
		}
		uploads, files = uploads[:0], files[:0]
		return nil
	}
	err := filepath.WalkDir(folder, func(name string, entry fs.DirEntry, err error) error {
		if err != nil || !entry.Type().IsRegular() {
			return err
		}
		info, err := entry.Info()
		if err != nil {
			return err
		}
		path, err := filepath.Rel(folder, name)
		if err != nil {
			return err
		}
		sum := sha256.Sum256([]byte(path))
		uploads = append(
			uploads,
			store.Upload{
				ID:    fmt.Sprintf("drop-%d-%x", lot, sum[:12]),
				LotID: lot,
				Path:  legible.Name(filepath.ToSlash(path)),
				Bytes: info.Size(),
			},
		)
		if files = append(files, name); len(files) == listBatch {
			return flush()
		}
		return nil
	})
	if err == nil {
		err = flush()
	}
	if err != nil {
		return fmt.Errorf("take what was dropped: %w", err)
	}
	if err := g.Receiver.Close(ctx, identity.Ambrosa, lot); err != nil {
		return err
	}
	return os.RemoveAll(folder)
}
