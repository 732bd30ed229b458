package gathering

import (
	"bufio"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"time"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/core/picturespec"
	"ambrosa/internal/blob"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// headLength is how many first bytes tell the type of an object, bytes.
const headLength = 512

// TakeStraysIn makes a lot of objects that no row names, as those are that came after the last
// backup of a database: they are examined like any files. It returns the lot; store.ErrNotFound
// means that none of them is there as a stray.
func (g *Gatherer) TakeStraysIn(ctx context.Context, who identity.Actor, keys []string) (lot int64, err error) {
	if err := g.Store.Allowed(who, identity.StrayTake); err != nil {
		return 0, err
	}
	strays, err := g.Store.StraysOf(ctx, keys)
	if err != nil {
		return 0, err
	}
	var uploads []store.Upload
	var damaged []string // that stay where they are
	for _, s := range strays {
		u, err := g.copyStray(ctx, s)
		if errors.Is(err, blob.ErrNotFound) {
			continue
		}
		if errors.Is(err, ErrStrayDamaged) {
			damaged = append(damaged, s.Key)
			continue
		}
		if err != nil {
			return 0, err // what was copied is let go with the uploads that nobody knows
		}
		uploads = append(uploads, u)
	}
	if len(uploads) == 0 {
		if len(damaged) > 0 {
			return 0, ErrStrayDamaged
		}
		return 0, store.ErrNotFound
	}
	name := "Found in the store " + time.Now().Format("2006-01-02 15:04")
	if lot, err = g.Receiver.Open(ctx, who, store.NewLot{Name: name, Origin: "upload", Uploads: len(uploads)}); err != nil {
		return 0, err
	}
	for i := range uploads {
		uploads[i].LotID = lot
	}
	if err := g.Store.Step(ctx, func(tx *door.Tx) error { return store.AddUploads(ctx, tx, uploads) }); err != nil {
		return 0, errors.Join(err, g.Receiver.ForgetEmpty(ctx, who, lot))
	}
	if err := g.Receiver.Close(ctx, who, lot); err != nil {
		return 0, err
	}
	taken := slices.DeleteFunc(slices.Clone(keys), func(key string) bool { return slices.Contains(damaged, key) })
	return lot, g.Store.Do(ctx, door.By(who, identity.StrayTake, audit.Of(identity.Lot, lot)), func(tx *door.Tx) error {
		tx.Changed(nil, map[string]any{"objects": taken})
		return store.ForgetStrays(ctx, tx, taken)
	})
}

// copyStray copies an object among the uploads, under a name that says its type.
func (g *Gatherer) copyStray(ctx context.Context, s store.Stray) (u store.Upload, err error) {
	sum, err := blob.ParseSum(s.Sum)
	if err != nil {
		return u, err
	}
	content, size, err := g.Blobs.Open(ctx, sum)
	if err != nil {
		return u, err
	}
	defer content.Close()
	from := bufio.NewReaderSize(content, headLength)
	head, err := from.Peek(headLength)
	if err != nil && !errors.Is(err, io.EOF) {
		return u, err
	}
	u = store.Upload{ID: "stray-" + rand.Text(), Bytes: size, Path: fmt.Sprintf("%s.%s", s.Sum[:12], picturespec.TypeOf(head).Ending())}
	file, err := os.OpenFile(g.uploadPath(u), os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return u, err
	}
	hash := sha256.New()
	_, err = io.Copy(io.MultiWriter(file, hash), from)
	if err = errors.Join(err, file.Close()); err == nil && blob.Sum(hash.Sum(nil)) != sum {
		err = ErrStrayDamaged
	}
	if err != nil {
		return u, errors.Join(err, os.Remove(g.uploadPath(u)))
	}
	return u, nil
}

// ErrStrayDamaged means that the bytes of a stray object are not those that its name is the sum of.
var ErrStrayDamaged = errors.New("its bytes are not those that its name tells")
