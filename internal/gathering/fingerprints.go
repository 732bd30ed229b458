package gathering

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"time"

	"ambrosa/internal/blob"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
)

// refreshFor is how long fingerprints are refreshed at a time: timetables wait for it.
const refreshFor = 10 * time.Second

// refreshAtOnce is how many of them are written at a time.
const refreshAtOnce = 100

// RefreshFingerprints computes fingerprints and tints from thumbnails, where an earlier version of Ambrosa computed them in
// another way. It stops after refreshFor; the rest follows the next time. Until then such a picture looks like no other.
func (g *Gatherer) RefreshFingerprints(ctx context.Context) error {
	end := time.Now().Add(refreshFor)
	var last []byte
	for time.Now().Before(end) {
		sums, err := g.Store.OutdatedFingerprints(ctx, last, refreshAtOnce)
		if err != nil || len(sums) == 0 {
			return err
		}
		last = sums[len(sums)-1]
		looks := make([]store.Fingerprinted, 0, len(sums))
		for _, sum := range sums {
			look, err := g.fingerprintOf(ctx, blob.Sum(sum))
			if err != nil {
				return err
			}
			looks = append(looks, look)
		}
		if err := g.Store.Step(ctx, func(tx *door.Tx) error { return store.SetFingerprints(ctx, tx, looks) }); err != nil {
			return err
		}
	}
	return nil
}

// fingerprintOf computes a picture's fingerprint and tint; none if its thumbnail is missing or cannot be decoded.
func (g *Gatherer) fingerprintOf(ctx context.Context, sum blob.Sum) (store.Fingerprinted, error) {
	look := store.Fingerprinted{Sum: sum[:]}
	thumbnail, err := g.Blobs.Rendition(ctx, sum, ThumbnailSize)
	if errors.Is(err, blob.ErrNotFound) {
		return look, g.Blobs.There(ctx) // it is missing only where this is the right store
	}
	if err != nil {
		return look, err
	}
	file, err := g.Blobs.Spool(bytes.NewReader(thumbnail), 0)
	if err != nil {
		return look, err
	}
	defer file.Remove()
	result, err := g.Pictures.Look(ctx, file.Path)
	if err != nil {
		return look, fmt.Errorf("look at the thumbnail of %x: %w", sum, err)
	}
	if result.Problem == "" {
		look.Fingerprint, look.Tint = int64(result.Fingerprint), result.Tint
	}
	return look, nil
}
