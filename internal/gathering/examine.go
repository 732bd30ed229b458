package gathering

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"ambrosa/core/legible"
	"ambrosa/core/picturespec"
	"ambrosa/internal/archive"
	"ambrosa/internal/blob"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/picture"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

// ThumbnailSize is the longer side of the thumbnails made at examination, in
// pixels.
const ThumbnailSize = blob.ThumbnailSize

// DoExamine stores, measures and lists every file of a lot's uploads; files that
// are listed already are passed over. Then the lot is paired.
func (g *Gatherer) DoExamine(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	uploads, err := g.Store.OpenUploads(ctx, run.LotID)
	if err != nil {
		return "", err
	}
	for _, u := range uploads {
		p.Add(0, g.countEntries(ctx, u))
	}
	if err := g.examineUploads(ctx, run, uploads, p); err != nil {
		return "", err
	}
	if err := g.Store.Step(ctx, func(tx *door.Tx) error {
		return errors.Join(store.MarkFiles(ctx, tx, run.LotID), store.GiveLinkRights(ctx, tx, run.LotID))
	}); err != nil {
		return "", err
	}
	err = g.Store.Step(ctx, func(tx *door.Tx) error {
		_, err := g.Runs.Queue(ctx, tx, run.Who(), PairRun, store.About{Lot: run.LotID})
		return err
	})
	done, _ := p.Get()
	return fmt.Sprintf("%d files examined", done), err
}

func (g *Gatherer) uploadPath(u store.Upload) string { return filepath.Join(g.Uploads, u.ID) }

// countEntries tells how many files an upload holds, as far as its table of
// contents tells; what has none counts as one.
func (g *Gatherer) countEntries(ctx context.Context, u store.Upload) int64 {
	name := g.uploadPath(u)
	if kind, err := typeOf(name); err != nil || kind != picturespec.Zip || !opens(kind, u.Path) {
		return 1
	}
	n, ok := archive.Count(ctx, g.Readers, name)
	if !ok {
		return 1
	}
	return min(n, int64(g.Limits.Entries))
}

// examination is a lot on its way: entries are spooled one after the other,
// decoded side by side, and written in batches.
type examination struct {
	*Gatherer
	lot     int64
	spooled chan spooledEntry
	results chan store.Examined
	p       *task.Progress
}

// source is an upload that entries come from.
type source struct {
	upload  store.Upload
	seen    map[int]bool
	next    int  // number of the next entry
	refused bool // some entry could not be stored
	problem string
	budget  *archive.Budget // of what is expanded of it
	over    bool            // it holds more than is allowed, and is not kept
}

type spooledEntry struct {
	upload string
	entry  int
	path   string
	file   blob.Spooled
}

func (g *Gatherer) examineUploads(ctx context.Context, run store.Run, uploads []store.Upload, p *task.Progress) error {
	seen, err := g.Store.SeenEntries(ctx, run.LotID)
	if err != nil {
		return err
	}
	whole, err := g.lotBudget(ctx, run.LotID)
	if err != nil {
		return err
	}
	sources := make([]*source, 0, len(uploads))
	for _, u := range uploads {
		sources = append(sources, &source{upload: u, seen: seen[u.ID], budget: g.Limits.BudgetFor(u.Bytes).Within(whole)})
	}
	err = g.examineAll(ctx, run.LotID, p, func(ctx context.Context, e *examination) error { return e.walkAll(ctx, sources) })
	if err != nil {
		return err
	}
	return g.finish(ctx, run, sources)
}

// lotBudget is how much all uploads of a lot may expand to: what its link still
// takes, where it came through one.
func (g *Gatherer) lotBudget(ctx context.Context, lot int64) (*archive.Budget, error) {
	left, name, err := g.Store.LinkLeft(ctx, lot)
	switch {
	case errors.Is(err, store.ErrNotFound):
		return archive.NewBudget(g.Limits.Entries, g.Limits.Total, ""), nil
	case err != nil:
		return nil, err
	}
	return archive.NewBudget(g.Limits.Entries, left, fmt.Sprintf("the address of %s takes, %.1f MB", name, float64(left)/1e6)), nil
}

// examineAll stores, measures and lists the files of a lot that bring spools.
func (g *Gatherer) examineAll(ctx context.Context, lot int64, p *task.Progress, bring func(context.Context, *examination) error) error {
	e := &examination{Gatherer: g, lot: lot, p: p,
		spooled: make(chan spooledEntry, 2*g.Pictures.Decoders()), results: make(chan store.Examined, 64)}
	group, within := errgroup.WithContext(ctx)
	group.Go(contained.Safely(func() error {
		defer close(e.spooled)
		return bring(within, e)
	}))
	decoders, decoding := errgroup.WithContext(within)
	for range g.Pictures.Decoders() {
		decoders.Go(contained.Safely(func() error { return e.decode(decoding) }))
	}
	group.Go(func() error {
		defer close(e.results)
		return decoders.Wait()
	})
	group.Go(contained.Safely(func() error { return e.write(within) }))
	err := group.Wait()
	for left := range e.spooled {
		left.file.Remove()
	}
	return err
}

// finish records what became of uploads, and lets those go whose every byte is
// stored as a blob now; what could not be read whole is kept.
func (g *Gatherer) finish(ctx context.Context, run store.Run, sources []*source) error {
	var ids, problems []string
	for _, s := range sources {
		ids, problems = append(ids, s.upload.ID), append(problems, s.problem)
		if s.problem == "" {
			continue
		}
		if err := g.Store.Step(ctx, func(tx *door.Tx) error {
			return store.Log(ctx, tx, run.ID, s.upload.Path+": "+s.problem)
		}); err != nil {
			return err
		}
	}
	if err := g.Store.Step(ctx, func(tx *door.Tx) error {
		return store.UploadsExamined(ctx, tx, ids, problems)
	}); err != nil {
		return err
	}
	for _, s := range sources {
		if s.over || s.problem == "" && !s.refused {
			g.RemoveUpload(s.upload.ID)
		}
	}
	return nil
}

// RemoveUpload lets an upload's bytes go; what is not there is gone already.
func (g *Gatherer) RemoveUpload(id string) {
	for _, name := range []string{id, id + ".info"} {
		if err := os.Remove(filepath.Join(g.Uploads, name)); err != nil && !errors.Is(err, os.ErrNotExist) {
			g.Log.Error("remove an upload that is stored", "upload", id, "error", err)
		}
	}
}

func (e *examination) walkAll(ctx context.Context, sources []*source) error {
	for _, s := range sources {
		err := e.tried(ctx, s)
		var refused archive.Refused
		var over archive.OverBudget
		switch {
		case errors.As(err, &over):
			s.problem, s.over = over.Reason, true
		case errors.As(err, &refused):
			s.problem = refused.Reason
		case err != nil:
			return err
		}
	}
	return nil
}

// Deadly is how often the process may end while it reads one upload.
const Deadly = 2

// tried walks an upload, unless the process ended twice while it did.
func (e *examination) tried(ctx context.Context, s *source) error {
	attempt, err := door.Get(ctx, e.Store.Door, door.Step(ctx), func(tx *door.Tx) (int64, error) {
		return store.TryUpload(ctx, tx, s.upload.ID)
	})
	if err != nil {
		return err
	}
	if attempt > Deadly {
		return archive.Refused{Reason: "reading it ended the program twice, so it is not read again"}
	}
	err = e.walk(ctx, s)
	// Coming back from it is surviving it, whatever came of it.
	return errors.Join(err, e.Store.Step(context.WithoutCancel(ctx), func(tx *door.Tx) error {
		return store.SurvivedUpload(ctx, tx, s.upload.ID)
	}))
}

// walk spools an upload's files.
func (e *examination) walk(ctx context.Context, s *source) error {
	name := e.uploadPath(s.upload)
	kind, err := typeOf(name)
	if errors.Is(err, os.ErrNotExist) {
		e.Log.Error("an upload's bytes are missing", "upload", s.upload.ID, "error", err)
		return archive.Refused{Reason: "the upload's bytes are missing: drop the file again"}
	}
	if err != nil {
		return fmt.Errorf("read the upload %s: %w", s.upload.ID, err)
	}
	if opens(kind, s.upload.Path) {
		return archive.Walk(ctx, e.Readers, name, e.Limits, s.budget, func(entry archive.Entry) error { return e.visit(ctx, s, "", entry) })
	}
	if archiveName(s.upload.Path) {
		return archive.Refused{Reason: "not an archive, whatever its name says: " + kind.Name()}
	}
	if err := s.budget.Take(s.upload.Bytes); err != nil {
		return err
	}
	return e.spool(ctx, s, s.upload.Path, func() (blob.Spooled, error) { return e.Blobs.SpoolFile(name, picturespec.HeadBytes) }, false)
}

func typeOf(name string) (picturespec.Type, error) {
	file, err := os.Open(name)
	if err != nil {
		return picturespec.Unknown, err
	}
	head := make([]byte, picturespec.HeadBytes)
	n, err := io.ReadFull(file, head)
	if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
		err = nil
	}
	return picturespec.TypeOf(head[:n]), errors.Join(err, file.Close())
}

// opens tells whether a file is looked into as an archive: documents of office
// programs are archives too, but not of pictures.
func opens(kind picturespec.Type, name string) bool {
	switch strings.ToLower(path.Ext(name)) {
	case ".xlsx", ".docx", ".pptx", ".ods", ".odt", ".odp", ".jar", ".epub":
		return false
	}
	return kind == picturespec.Zip || kind == picturespec.Archive
}

func (e *examination) visit(ctx context.Context, s *source, outer string, entry archive.Entry) error {
	if entry.Problem != "" {
		s.refused = true
		return e.report(
			ctx,
			store.Examined{Upload: s.upload.ID, Entry: s.take(), Path: outer + entry.Path, Bytes: entry.Bytes, Problem: entry.Problem},
		)
	}
	return e.spool(ctx, s, outer+entry.Path, func() (blob.Spooled, error) {
		content, err := entry.Open()
		if err != nil {
			return blob.Spooled{}, err
		}
		defer content.Close()
		return e.Blobs.Spool(content, picturespec.HeadBytes)
	}, outer == "")
}

// take gives out the number of the next entry. Entries come in the same order
// whenever an archive is walked, so a number names the same entry again.
func (s *source) take() int {
	s.next++
	return s.next - 1
}

func (e *examination) spool(ctx context.Context, s *source, name string, read func() (blob.Spooled, error), mayOpen bool) error {
	number := s.take()
	if s.seen[number] {
		e.p.Add(1, 0)
		return nil
	}
	file, err := read()
	if ctx.Err() != nil {
		file.Remove()
		return ctx.Err()
	}
	var over archive.OverBudget
	if errors.As(err, &over) {
		return over
	}
	if blob.IsOwn(err) {
		return fmt.Errorf("keep %s in passing: %w", name, err) // nothing is wrong with the file
	}
	if err != nil {
		s.refused = true
		reason := "the file is damaged in the archive: " + legible.Short(legible.Name(err.Error()), 300)
		if errors.Is(err, archive.ErrTooLarge) {
			reason = "the file expands to more than is allowed"
		}
		return e.report(ctx, store.Examined{Upload: s.upload.ID, Entry: number, Path: name, Problem: reason})
	}
	if mayOpen && opens(picturespec.TypeOf(file.Head), name) {
		defer file.Remove()
		return e.openInner(ctx, s, name, file)
	}
	select {
	case e.spooled <- spooledEntry{s.upload.ID, number, name, file}:
		return nil
	case <-ctx.Done():
		file.Remove()
		return ctx.Err()
	}
}

func archiveName(name string) bool {
	switch strings.ToLower(path.Ext(name)) {
	case ".zip", ".7z", ".rar", ".tar", ".gz", ".tgz", ".bz2", ".xz", ".zst":
		return true
	}
	return false
}

// openInner walks an archive within the archive; those within it are refused.
func (e *examination) openInner(ctx context.Context, s *source, name string, spooled blob.Spooled) error {
	err := archive.Walk(
		ctx, e.Readers, spooled.Path, e.Limits, s.budget,
		func(entry archive.Entry) error { return e.visit(ctx, s, name+"/", entry) },
	)
	var refused archive.Refused
	if errors.As(err, &refused) {
		s.refused = true
		return e.report(
			ctx,
			store.Examined{Upload: s.upload.ID, Entry: s.take(), Path: name, Bytes: spooled.Bytes, Problem: refused.Reason},
		)
	}
	return err
}

func (e *examination) report(ctx context.Context, found store.Examined) error {
	select {
	case e.results <- found:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// decode measures spooled files and stores their bytes.
func (e *examination) decode(ctx context.Context) error {
	for s := range e.spooled {
		found, err := e.examine(ctx, s)
		if err != nil {
			s.file.Remove()
			return fmt.Errorf("examine %s: %w", s.path, err)
		}
		if err := e.report(ctx, found); err != nil {
			return err
		}
	}
	return nil
}

func (e *examination) examine(ctx context.Context, s spooledEntry) (store.Examined, error) {
	found := store.Examined{Upload: s.upload, Entry: s.entry, Path: s.path, Bytes: s.file.Bytes, Sum: s.file.Sum[:]}
	// From here on the bytes stay, whatever is purged meanwhile.
	if err := e.Store.Step(ctx, func(tx *door.Tx) error {
		return store.ClaimBytes(ctx, tx, e.lot, s.file.Sum[:])
	}); err != nil {
		return store.Examined{}, err
	}
	known, err := e.Store.KnownBlob(ctx, s.file.Sum[:])
	switch {
	case err == nil:
		found.Problem = known.Problem
		return found, e.mend(ctx, s.file, known)
	case !errors.Is(err, store.ErrNotFound):
		return found, err
	}
	measured := picture.Result{Type: picturespec.TypeOf(s.file.Head)}
	if measured.Problem = refusal(measured.Type, s.path); measured.Problem == "" {
		if measured, err = e.Pictures.Examine(ctx, s.file.Path, ThumbnailSize); err != nil {
			return found, err
		}
	}
	if measured.Cause != "" {
		e.Log.Info("a picture cannot be decoded", "path", s.path, "problem", measured.Problem, "cause", measured.Cause)
	}
	if found.Problem = measured.Problem; !measured.Type.Kept(s.path) {
		s.file.Remove()
		found.Sum = nil
		return found, nil
	}
	if err := e.Blobs.Keep(ctx, s.file); err != nil {
		return found, fmt.Errorf("store the file: %w", err)
	}
	if len(measured.Rendition) > 0 {
		if err := e.Blobs.PutRendition(ctx, s.file.Sum, ThumbnailSize, measured.Rendition); err != nil {
			return found, fmt.Errorf("store the thumbnail: %w", err)
		}
	}
	found.Blob = blobRow(s.file, measured)
	return found, nil
}

// mend stores bytes again that were found missing or damaged; of others that are stored
// already it lets the spooled file go.
func (e *examination) mend(ctx context.Context, file blob.Spooled, known store.BlobRow) error {
	defer file.Remove()
	if known.Damage == "" {
		return nil
	}
	if err := e.Blobs.Mend(ctx, file); err != nil {
		return fmt.Errorf("store bytes again that were %s: %w", known.Damage, err)
	}
	return e.Store.Step(ctx, func(tx *door.Tx) error {
		return store.Checked(ctx, tx, []string{file.Sum.String()}, []string{""})
	})
}

func refusal(kind picturespec.Type, name string) string {
	if kind == picturespec.Zip && !archiveName(name) {
		return "a document, not a picture"
	}
	return kind.Refusal()
}

// write puts results into the database, many at a time.
func (e *examination) write(ctx context.Context) error {
	var batch []store.Examined
	flush := func() error {
		if len(batch) == 0 {
			return nil
		}
		if err := e.Store.Step(ctx, func(tx *door.Tx) error { return store.AddFiles(ctx, tx, e.lot, batch) }); err != nil {
			return fmt.Errorf("write examined files: %w", err)
		}
		e.p.Add(int64(len(batch)), 0)
		batch = batch[:0]
		return nil
	}
	ticker := time.NewTicker(200 * time.Millisecond)
	defer ticker.Stop()
	for {
		select {
		case found, more := <-e.results:
			if !more {
				return flush()
			}
			if batch = append(batch, found); len(batch) >= 200 {
				if err := flush(); err != nil {
					return err
				}
			}
		case <-ticker.C:
			if err := flush(); err != nil {
				return err
			}
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}
