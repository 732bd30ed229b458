package dispatching

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"time"

	"golang.org/x/sync/errgroup"

	"ambrosa/core/dispatch"
	"ambrosa/core/picturespec"
	"ambrosa/internal/blob"
	"ambrosa/internal/door"
	"ambrosa/internal/picture"
	"ambrosa/internal/store"
)

// Maker makes renditions, many at once.
type Maker interface {
	// Make makes one of the picture at path; problem says why it cannot be made.
	Make(ctx context.Context, path string, making picture.Making) (made picture.Made, problem string, err error)
	// Decoders is how many are made at once.
	Decoders() int
}

// prepared is a picture that can go, or why it cannot after all.
type prepared struct {
	held string
	form string // in words
	sum  blob.Sum
	size int64
	open func(context.Context) (io.ReadCloser, int64, error)
}

// preparing makes ready what goes, ahead of whoever hands it on.
type preparing struct {
	*Dispatcher
	outlet int64 // that they go to
	recipe dispatch.RenditionRecipe
	known  map[[2]string]store.Rendition // by how it is made, and of what
	ready  []chan struct{}
	made   []prepared
	failed []error
}

// prepare begins to make the pictures that go ready, in their order, as many at once as there
// are decoders; it ends with ctx. What was made before is not made again.
func (d *Dispatcher) prepare(
	ctx context.Context, outlet int64, outcomes []dispatch.Outcome, recipe dispatch.RenditionRecipe,
) (*preparing, error) {
	p := &preparing{Dispatcher: d, outlet: outlet, recipe: recipe, known: map[[2]string]store.Rendition{},
		ready: make([]chan struct{}, len(outcomes)), made: make([]prepared, len(outcomes)), failed: make([]error, len(outcomes))}
	var ways, sums []string
	for i, o := range outcomes {
		p.ready[i] = make(chan struct{})
		if o.Held == "" && o.Made != "" {
			ways, sums = append(ways, o.Made), append(sums, o.Sum)
		}
	}
	kept, err := door.Get(ctx, d.Store.Door, door.Step(ctx), func(tx *door.Tx) ([]store.Rendition, error) {
		return store.Renditions(ctx, tx, ways, sums)
	})
	if err != nil {
		return nil, err
	}
	for _, r := range kept {
		p.known[[2]string{r.Made, r.Sum}] = r
	}
	go func() {
		workers := &errgroup.Group{}
		workers.SetLimit(max(1, d.Pictures.Decoders()))
		for i, o := range outcomes {
			workers.Go(func() error {
				defer close(p.ready[i])
				if p.failed[i] = ctx.Err(); p.failed[i] == nil && o.Held == "" {
					p.made[i], p.failed[i] = p.one(ctx, o)
				}
				return nil
			})
		}
		_ = workers.Wait() // each tells its own error
	}()
	return p, nil
}

// of returns a picture of a number when it is ready.
func (p *preparing) of(ctx context.Context, i int) (prepared, error) {
	select {
	case <-p.ready[i]:
		return p.made[i], p.failed[i]
	case <-ctx.Done():
		return prepared{}, ctx.Err()
	}
}

func (p *preparing) one(ctx context.Context, o dispatch.Outcome) (prepared, error) {
	sum, err := blob.ParseSum(o.Sum)
	if err != nil {
		return prepared{}, err
	}
	if o.Made == "" {
		open := func(ctx context.Context) (io.ReadCloser, int64, error) { return p.Blobs.Open(ctx, sum) }
		return prepared{form: o.Form, sum: sum, size: o.Bytes, open: open}, nil
	}
	if r, kept := p.known[[2]string{o.Made, o.Sum}]; kept {
		if ready, err := p.kept(o, r); err != nil || p.whole(ctx, ready) {
			return ready, err
		}
	}
	r, held, err := p.make(ctx, o, sum)
	if err != nil || held != "" {
		return prepared{held: held}, err
	}
	return p.kept(o, r)
}

// kept is a rendition that is stored.
func (p *preparing) kept(o dispatch.Outcome, r store.Rendition) (prepared, error) {
	result, err := blob.ParseSum(r.Result)
	if err != nil {
		return prepared{}, err
	}
	of, err := blob.ParseSum(r.Sum)
	form := p.recipe.Words([2]int{r.PictureWidth, r.PictureHeight}, [2]int{r.Width, r.Height})
	if r.Quality > 0 && p.recipe.Most > 0 {
		form += fmt.Sprintf(", at quality %d", r.Quality)
	}
	if o.Frames > 1 {
		form += fmt.Sprintf(", the first of %d frames", o.Frames)
	}
	return prepared{form: form, sum: result, size: r.Bytes, open: func(ctx context.Context) (io.ReadCloser, int64, error) {
		return p.Blobs.OpenMade(ctx, o.Made, of)
	}}, err
}

// whole tells whether what was made once is still there as it was.
func (p *preparing) whole(ctx context.Context, r prepared) bool {
	damage, err := readThrough(ctx, r, io.Discard)
	return err == nil && damage == ""
}

// make makes a rendition, and keeps it; held says why there is none. The bytes that it is made
// of are read through first.
func (p *preparing) make(ctx context.Context, o dispatch.Outcome, sum blob.Sum) (r store.Rendition, held string, err error) {
	damage, err := p.Blobs.Check(ctx, sum)
	if err != nil {
		return r, "", err
	}
	if damage != "" {
		return r, "its bytes are " + damage, p.Store.Step(ctx, func(tx *door.Tx) error {
			return store.Checked(ctx, tx, []string{o.Sum}, []string{damage})
		})
	}
	path, done, err := p.Blobs.Local(ctx, sum)
	if err != nil {
		return r, "", err
	}
	defer done()
	to, err := p.Blobs.SpoolPath()
	if err != nil {
		return r, "", err
	}
	made, problem, err := p.Pictures.Make(ctx, path, picture.Making{To: to, Recipe: p.recipe, Write: p.recipe.Writes(*o.Item)})
	spooled := blob.Spooled{Path: to}
	if err != nil || problem != "" {
		spooled.Remove()
		return r, "it cannot be made: " + problem, err
	}
	content, err := p.Blobs.SpoolFile(to, picturespec.HeadBytes)
	spooled.Remove()
	if err != nil {
		return r, "", err
	}
	r = store.Rendition{Made: o.Made, Sum: o.Sum, Result: content.Sum.String(), Bytes: content.Bytes, Width: made.Width, Height: made.Height,
		PictureWidth: made.PictureWidth, PictureHeight: made.PictureHeight, Quality: made.Quality}
	// Its row comes first: one whose object never came is made anew, and lets it go with its term.
	if err := p.Store.Step(ctx, func(tx *door.Tx) error { return store.KeepRendition(ctx, tx, r) }); err != nil {
		content.Remove()
		return r, "", err
	}
	return r, "", p.Blobs.KeepMade(ctx, o.Made, sum, content)
}

// inMemory is how large a picture is kept in memory once it was read whole; larger ones are
// read again.
const inMemory = 32 << 20

// payload is a picture's bytes as they go, read through once and found whole.
type payload struct {
	prepared
	content []byte // nil for a large one
}

// load reads a picture through; damage says that its bytes are missing, or not what they were.
func load(ctx context.Context, p prepared) (l payload, damage string, err error) {
	l.prepared = p
	if p.size > inMemory {
		damage, err = readThrough(ctx, p, io.Discard)
		return l, damage, err
	}
	var kept bytes.Buffer
	kept.Grow(int(p.size))
	damage, err = readThrough(ctx, p, &kept)
	l.content = kept.Bytes()
	return l, damage, err
}

// Open returns the bytes; the caller closes them.
func (l payload) Open(ctx context.Context) (io.ReadCloser, error) {
	if l.content != nil {
		return io.NopCloser(bytes.NewReader(l.content)), nil
	}
	content, _, err := l.open(ctx)
	return content, err
}

// copyTo copies a payload's content; one that is another by now is an error.
func (l payload) copyTo(to io.Writer, content io.Reader) error {
	hash := sha256.New()
	if _, err := io.CopyBuffer(io.MultiWriter(hash, to), struct{ io.Reader }{content}, make([]byte, 256<<10)); err != nil {
		return err
	}
	if blob.Sum(hash.Sum(nil)) != l.sum {
		return errors.New("its bytes are others by now")
	}
	return nil
}

func readThrough(ctx context.Context, p prepared, to io.Writer) (damage string, err error) {
	content, _, err := p.open(ctx)
	switch {
	case errors.Is(err, blob.ErrNotFound):
		return "missing", nil
	case err != nil:
		return "", err
	}
	defer content.Close()
	hash := sha256.New()
	if _, err := io.CopyBuffer(io.MultiWriter(hash, to), struct{ io.Reader }{content}, make([]byte, 256<<10)); err != nil {
		return "", err
	}
	if blob.Sum(hash.Sum(nil)) != p.sum {
		return "damaged", nil
	}
	return "", nil
}

// renditionTerm is how long renditions are kept that nobody uses; they are made anew when they
// are needed.
const renditionTerm = 90 * 24 * time.Hour

// LetRenditionsGo removes the renditions that are past their term, or whose file is gone.
func (d *Dispatcher) LetRenditionsGo(ctx context.Context) error {
	past, err := d.Store.RenditionsPast(ctx, renditionTerm)
	if err != nil {
		return err
	}
	for _, r := range past {
		of, err := blob.ParseSum(r.Sum)
		if err != nil {
			return err
		}
		drop := func(ctx context.Context) error { return d.Blobs.DropMade(ctx, r.Made, of) }
		if err := d.Store.Step(ctx, func(tx *door.Tx) error { return store.LetRenditionGo(ctx, tx, r, drop) }); err != nil {
			return err
		}
	}
	return nil
}
