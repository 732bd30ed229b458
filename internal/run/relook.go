package run

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"time"

	"ambrosa/internal/blob"
	"ambrosa/internal/store"
)

// compareFor is how long at a time fingerprints are computed anew: timetables wait for it.
const compareFor = 10 * time.Second

// compareAtOnce is how many of them are recorded at a time.
const compareAtOnce = 100

// CompareAnew computes anew the fingerprints and tints that an earlier version of Ambrosa computed in another way, from
// the thumbnails, for compareFor; what is left follows the next time. Until then a picture looks like no other.
func (r *Runner) CompareAnew(ctx context.Context) error {
	end := time.Now().Add(compareFor)
	var last []byte
	for time.Now().Before(end) {
		sums, err := r.Store.OldLooks(ctx, last, compareAtOnce)
		if err != nil || len(sums) == 0 {
			return err
		}
		last = sums[len(sums)-1]
		looks := make([]store.NewLook, 0, len(sums))
		for _, sum := range sums {
			look, err := r.lookAnew(ctx, blob.Sum(sum))
			if err != nil {
				return err
			}
			looks = append(looks, look)
		}
		if err := r.Store.SetLooks(ctx, looks); err != nil {
			return err
		}
	}
	return nil
}

// lookAnew tells what a picture is compared by; nothing, where its thumbnail is missing or cannot be decoded.
func (r *Runner) lookAnew(ctx context.Context, sum blob.Sum) (store.NewLook, error) {
	look := store.NewLook{Sum: sum[:]}
	thumbnail, err := r.Blobs.Rendition(ctx, sum, ThumbnailSize)
	if errors.Is(err, blob.ErrNotFound) {
		return look, r.Blobs.There(ctx) // it is missing only where this is the right store
	}
	if err != nil {
		return look, err
	}
	file, err := r.Blobs.Spool(bytes.NewReader(thumbnail), 0)
	if err != nil {
		return look, err
	}
	defer file.Remove()
	result, err := r.Pictures.Look(ctx, file.Path)
	if err != nil {
		return look, fmt.Errorf("look at the thumbnail of %x: %w", sum, err)
	}
	if result.Problem == "" {
		look.Fingerprint, look.Tint = int64(result.Fingerprint), result.Tint
	}
	return look, nil
}
