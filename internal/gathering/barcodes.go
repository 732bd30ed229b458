package gathering

import (
	"context"
	"errors"
	"fmt"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"ambrosa/core/identity"
	"ambrosa/core/legible"
	"ambrosa/core/lot"
	"ambrosa/internal/blob"
	"ambrosa/internal/contained"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
)

// ReadBarcodes queues reading the barcodes in the pictures of all of a lot's files;
// those of its loose files are read by themselves after pairing.
func (g *Gatherer) ReadBarcodes(ctx context.Context, who identity.Actor, lot int64) (int64, error) {
	return g.queueFor(ctx, who, identity.LotScan, AllBarcodesRun, lot)
}

// DoReadBarcodes looks for barcodes in the pictures of a lot's loose files that were not
// looked at before, and has the lot read again when it finds any.
func (g *Gatherer) DoReadBarcodes(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	pictures, err := g.Store.UnlookedBlobs(ctx, run.LotID, run.Kind == AllBarcodesRun)
	if err != nil {
		return "", err
	}
	p.Set(0, int64(len(pictures)))
	var found atomic.Int64
	group, within := errgroup.WithContext(ctx)
	group.SetLimit(g.Pictures.Decoders())
	for _, picture := range pictures {
		group.Go(contained.Safely(func() error {
			n, err := g.lookAt(within, picture.Sum)
			found.Add(int64(n))
			p.Add(1, 0)
			return err
		}))
	}
	if err := group.Wait(); err != nil {
		return "", err
	}
	// A process that died may have recorded some and not read the lot with them.
	waiting, err := g.Store.CodesToHeed(ctx, run.LotID)
	if err != nil {
		return "", err
	}
	if waiting > 0 {
		if err := g.Index.ReadLot(ctx, run.LotID, func(int64, int64) {}); errors.Is(err, lot.ErrApplied) {
			return DecisionsStand, nil
		} else if err != nil {
			return "", err
		}
	}
	return fmt.Sprintf("%d barcodes in %d pictures", found.Load(), len(pictures)), nil
}

// maxCode bounds the text of a code in a picture, bytes (QR codes hold up to
// 2,953, ISO/IEC 18004).
const maxCode = 3_000

// lookAt reads and records the barcodes of a picture, and returns how many there
// are.
func (g *Gatherer) lookAt(ctx context.Context, bytes []byte) (int, error) {
	var sum blob.Sum
	copy(sum[:], bytes)
	path, done, err := g.Blobs.Local(ctx, sum)
	if err != nil {
		return 0, err
	}
	defer done()
	result, err := g.Pictures.Codes(ctx, path)
	if err != nil {
		return 0, err
	}
	codes := make([]store.Code, 0, len(result.Codes))
	for _, c := range result.Codes {
		codes = append(codes, store.Code{Text: legible.Short(legible.Name(c.Text), maxCode), Format: c.Format, Points: c.Points})
	}
	return len(codes), g.Store.Step(ctx, func(tx *door.Tx) error { return store.SetCodes(ctx, tx, bytes, codes) })
}
