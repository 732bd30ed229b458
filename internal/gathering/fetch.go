package gathering

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/legible"
	"ambrosa/core/picturespec"
	"ambrosa/internal/blob"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/origin"
	"ambrosa/internal/origin/page"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

const (
	fetchers  = 4   // files that are fetched side by side
	listBatch = 500 // files of a listing that are written at a time
	tries     = 5   // of a file, with pauses that double
)

// DoFetch lists an origin's files, makes a lot of those that are new or changed,
// fetches and examines them, and has the lot paired.
func (g *Gatherer) DoFetch(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	o, err := g.Store.Origin(ctx, run.Origin)
	if err != nil {
		return "", err
	}
	f := &fetch{Gatherer: g, run: run, origin: o, p: p}
	message, err := f.work(ctx)
	if ctx.Err() != nil {
		return "", ctx.Err()
	}
	pinned, wrong := "", ""
	if f.remote != nil {
		pinned = f.remote.Pinned()
		if err := f.remote.Close(); err != nil {
			g.Log.Warn("leave an origin", "run", run.ID, "error", err)
		}
	}
	var fault *origin.Fault
	if errors.As(err, &fault) {
		wrong = fault.Reason
		err = task.Failure{Reason: wrong}
		if run.LotID != 0 || f.lot != 0 {
			err = task.Failure{Reason: wrong + ". What came so far is kept, and the run can go on."}
		}
	}
	if fault != nil || err == nil {
		err = errors.Join(err, g.Store.Step(ctx, func(tx *door.Tx) error {
			return store.OriginFetched(ctx, tx, o.ID, pinned, wrong)
		}))
	}
	return message, err
}

// fetch is one fetch on its way.
type fetch struct {
	*Gatherer
	run    store.Run
	origin store.Origin
	p      *task.Progress
	lot    int64
	remote remote
	about  string // what a crawl has to say, for the run's message
}

// remote is what files are read from: a drive, or the web.
type remote interface {
	Read(ctx context.Context, address string) (io.ReadCloser, error)
	Pinned() string
	Close() error
}

// open connects to what the origin is, and returns how its files are listed;
// nil for those whose files a person chooses one by one.
func (f *fetch) open(ctx context.Context) (list func(context.Context) error, err error) {
	switch f.origin.Kind {
	case store.RecipeKind:
		client := page.New(f.Drives.Guard, time.Duration(f.origin.Recipe.PauseMS)*time.Millisecond)
		f.remote = client
		return func(ctx context.Context) error { return f.crawl(ctx, client) }, nil
	case store.PagesKind, store.LookupKind:
		f.remote = page.New(f.Drives.Guard, 0)
		return nil, nil
	}
	drive, err := f.Drives.Open(ctx, f.origin)
	if err != nil {
		return nil, err
	}
	f.remote = drive
	return func(ctx context.Context) error { return f.list(ctx, drive) }, nil
}

func (f *fetch) work(ctx context.Context) (message string, err error) {
	list, err := f.open(ctx)
	if err != nil {
		return "", err
	}
	if f.lot = f.run.LotID; f.lot == 0 {
		if list == nil {
			return "Nothing was chosen", nil
		}
		if err := list(ctx); err != nil {
			return "", err
		}
		deed := door.By(f.run.Who(), identity.LotCreate, audit.Of(identity.Origin, f.origin.ID))
		if f.lot, err = door.Get(ctx, f.Store.Door, deed, func(tx *door.Tx) (lot int64, err error) {
			lot, err = store.Listed(ctx, tx, f.run.ID, f.origin, f.origin.Name+" "+time.Now().Format("2006-01-02 15:04"))
			if lot == 0 {
				tx.Unchanged()
			}
			tx.About(audit.Of(identity.Lot, lot))
			return lot, err
		}); err != nil {
			return "", err
		}
		if f.lot == 0 {
			return strings.TrimSuffix("Nothing is new or changed, "+f.about, ", "), nil
		}
	}
	fresh, err := f.Store.FreshItems(ctx, f.run.ID)
	if err != nil {
		return "", err
	}
	f.p.Set(0, fresh)
	if err := f.examineAll(ctx, f.lot, f.p, f.bring); err != nil {
		return "", err
	}
	if err := f.archives(ctx); err != nil {
		return "", err
	}
	// Once, when archives are expanded as well.
	if err := f.Store.Step(ctx, func(tx *door.Tx) error { return store.MarkFiles(ctx, tx, f.lot) }); err != nil {
		return "", err
	}
	if err := f.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Brought(ctx, tx, f.run.ID, f.lot, f.origin)
	}); err != nil {
		return "", err
	}
	if err := f.Store.Step(ctx, func(tx *door.Tx) error {
		return store.UploadsExamined(ctx, tx, []string{store.FetchUpload(f.run.ID)}, []string{""})
	}); err != nil {
		return "", err
	}
	err = f.Store.Step(ctx, func(tx *door.Tx) error {
		_, err := f.Runs.Queue(ctx, tx, f.run.Who(), PairRun, store.About{Lot: f.lot})
		return err
	})
	of, lookErr := f.Store.SheetOfLot(ctx, f.lot)
	if lookErr == nil && of != 0 { // its rows say of each picture whether it came
		lookErr = f.Importer.Rehearse(ctx, f.run.Who(), of)
	}
	if lookErr != nil {
		return "", lookErr
	}
	message = fmt.Sprintf("%d files are new or changed", fresh)
	if f.about != "" {
		message = f.about + ", " + message
	}
	missed, missedErr := f.Store.MissedItems(ctx, f.run.ID)
	if missed > 0 {
		message += fmt.Sprintf(", %d could not be fetched and come again with the next fetch", missed)
	}
	return message, errors.Join(err, missedErr)
}

// list writes down what the origin holds, folder by folder.
func (f *fetch) list(ctx context.Context, drive origin.Drive) error {
	if err := f.Store.Step(ctx, func(tx *door.Tx) error { return store.ForgetListing(ctx, tx, f.run.ID) }); err != nil {
		return err
	}
	now, entry := time.Now(), 0
	batch := make([]store.FetchItem, 0, listBatch)
	flush := func() error {
		err := f.Store.Step(ctx, func(tx *door.Tx) error { return store.AddListing(ctx, tx, f.run.ID, batch) })
		batch = batch[:0]
		return err
	}
	listed := 0
	for folders := []string{f.origin.Folder}; len(folders) > 0; listed++ {
		if listed == mostFolders || entry > mostEntries {
			return origin.Faulty(fmt.Sprintf("it has more than %d folders or %d files; choose a folder further down", mostFolders, mostEntries),
				false, nil)
		}
		folder := folders[len(folders)-1]
		folders = folders[:len(folders)-1]
		entries, err := again(ctx, func() ([]origin.Entry, error) { return drive.List(ctx, folder) })
		if err != nil {
			return err
		}
		for _, e := range entries {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			if e.Folder {
				if strings.Count(e.Path, "/") < maxDepth {
					folders = append(folders, e.Path)
				}
				continue
			}
			batch = append(
				batch,
				store.FetchItem{
					Entry:   entry,
					Path:    legible.Name(e.Path),
					Address: legible.Key(e.Path),
					Tag:     tagOf(e),
					Bytes:   e.Bytes,
					Fresh:   f.origin.Selection.Takes(e.Path, e.Bytes, e.Modified, now),
				},
			)
			if entry++; len(batch) == listBatch {
				if err := flush(); err != nil {
					return err
				}
			}
		}
	}
	return flush()
}

// maxDepth bounds how deep folders are followed, so that a drive whose folders
// lead back to themselves ends.
const maxDepth = 40

// How much is listed at most: a drive whose folders lead back to themselves in several ways has no end within maxDepth.
const (
	mostFolders = 100_000
	mostEntries = 2_000_000
)

// tagOf tells a file's content from another of the same path: by the drive's
// own tag, else by size and time.
func tagOf(e origin.Entry) string {
	if e.Tag != "" {
		return e.Tag
	}
	return fmt.Sprintf("%d %d", e.Bytes, e.Modified.Unix())
}

// again tries what the network may have spoilt a few times.
func again[T any](ctx context.Context, try func() (T, error)) (T, error) {
	pause := 300 * time.Millisecond
	for n := 1; ; n++ {
		value, err := try()
		var fault *origin.Fault
		if err == nil || n == tries || !errors.As(err, &fault) || !fault.Again {
			return value, err
		}
		select {
		case <-ctx.Done():
			return value, ctx.Err()
		case <-time.After(max(pause, fault.After)):
		}
		pause *= 2
	}
}

// bring fetches the fresh files, some side by side.
func (f *fetch) bring(ctx context.Context, e *examination) error {
	seen, err := f.Store.SeenEntries(ctx, f.lot)
	if err != nil {
		return err
	}
	done := seen[store.FetchUpload(f.run.ID)]
	group, within := errgroup.WithContext(ctx)
	group.SetLimit(fetchers)
	last := -1
	for within.Err() == nil {
		items, err := f.Store.FetchItems(within, f.run.ID, last, listBatch)
		if err != nil || len(items) == 0 {
			return errors.Join(group.Wait(), err)
		}
		last = items[len(items)-1].Entry
		for _, item := range items {
			if done[item.Entry] {
				f.p.Add(1, 0)
				continue
			}
			if within.Err() != nil {
				break
			}
			group.Go(contained.Safely(func() error { return f.one(within, e, item) }))
		}
	}
	return errors.Join(group.Wait(), ctx.Err())
}

// one fetches a file. A fault of the network that stays ends the run, which can
// go on later; any other fault is the file's own.
func (f *fetch) one(ctx context.Context, e *examination, item store.FetchItem) error {
	file, err := again(ctx, func() (blob.Spooled, error) { return f.spoolRemote(ctx, item) })
	var fault *origin.Fault
	var large moreThanSaid
	switch {
	case ctx.Err() != nil:
		file.Remove()
		return ctx.Err()
	case errors.As(err, &fault) && !fault.Again, errors.As(err, &large):
		return e.report(
			ctx,
			store.Examined{Upload: store.FetchUpload(f.run.ID), Entry: item.Entry, Path: item.Path, Bytes: item.Bytes, Missed: true,
				Problem: "it could not be fetched: " + err.Error()},
		)
	case err != nil:
		return err
	}
	if opens(picturespec.TypeOf(file.Head), item.Path) {
		return f.keepArchive(ctx, item, file)
	}
	select {
	case e.spooled <- spooledEntry{store.FetchUpload(f.run.ID), item.Entry, item.Path, file}:
		return nil
	case <-ctx.Done():
		file.Remove()
		return ctx.Err()
	}
}

// readFrom is where a file is read from: where its larger rendition is, if there is one.
func (f *fetch) readFrom(ctx context.Context, item store.FetchItem) string {
	named, better := legible.FromKey(item.Address), item.Said[store.SaidLarger]
	client, web := f.remote.(*page.Client)
	if better == "" || !web {
		return named
	}
	there, err := client.Measure(ctx, better)
	if err != nil || there.Problem != "" {
		return named
	}
	here, err := client.Measure(ctx, named)
	if err == nil && here.Problem == "" && here.Width*here.Height >= there.Width*there.Height {
		return named
	}
	return better
}

var errTooLarge = errors.New("it is larger than files may be")

// spoolRemote reads a file from the other side: no more than it said that there
// is, and no more than files may have.
func (f *fetch) spoolRemote(ctx context.Context, item store.FetchItem) (blob.Spooled, error) {
	content, err := f.remote.Read(ctx, f.readFrom(ctx, item))
	if err != nil {
		return blob.Spooled{}, err
	}
	limit, tooLarge := int64(maxFetched), errTooLarge
	if item.Bytes > 0 && item.Bytes < limit {
		limit, tooLarge = item.Bytes, fmt.Errorf("it is larger than the %d bytes that its origin says", item.Bytes)
	}
	file, err := f.Blobs.Spool(io.LimitReader(content, limit+1), picturespec.HeadBytes)
	if err == nil && file.Bytes > limit {
		file.Remove()
		err = moreThanSaid{tooLarge}
	}
	return file, errors.Join(err, content.Close())
}

// maxFetched bounds a file that is fetched, as an upload is.
const maxFetched = 4 << 30

// moreThanSaid is a file that is larger than it may be.
type moreThanSaid struct{ error }

// keepArchive puts an archive among the uploads, where it is examined as if a
// person had handed it in.
func (f *fetch) keepArchive(ctx context.Context, item store.FetchItem, file blob.Spooled) error {
	u := store.Upload{ID: fmt.Sprintf("%s-%d", store.FetchUpload(f.run.ID), item.Entry), LotID: f.lot, Path: item.Path, Bytes: file.Bytes}
	if err := os.Rename(file.Path, f.uploadPath(u)); err != nil {
		file.Remove()
		return fmt.Errorf("keep the archive %s: %w", path.Base(item.Path), err)
	}
	f.p.Add(1, 0)
	return f.Store.Step(ctx, func(tx *door.Tx) error { return store.AddUploads(ctx, tx, []store.Upload{u}) })
}

// archives examines the archives that were fetched.
func (f *fetch) archives(ctx context.Context) error {
	uploads, err := f.Store.OpenUploads(ctx, f.lot)
	if err != nil {
		return err
	}
	var open []store.Upload
	for _, u := range uploads {
		if u.ID != store.FetchUpload(f.run.ID) {
			open = append(open, u)
			f.p.Add(0, f.countEntries(ctx, u))
		}
	}
	run := f.run
	run.LotID = f.lot
	return f.examineUploads(ctx, run, open, f.p)
}
