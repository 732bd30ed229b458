// Package gathering is the use cases of what comes in: uploads are examined, origins fetched from, pages crawled, barcode services
// asked, dropped files taken, barcodes read from pictures, and
// lots read and made ready to be decided on.
package gathering

import (
	"context"
	"log/slog"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/archive"
	"ambrosa/internal/blob"
	"ambrosa/internal/contained"
	"ambrosa/internal/deciding"
	"ambrosa/internal/door"
	"ambrosa/internal/drives"
	"ambrosa/internal/importing"
	"ambrosa/internal/picture"
	"ambrosa/internal/planning"
	"ambrosa/internal/reading"
	"ambrosa/internal/receiving"
	"ambrosa/internal/shelving"
	"ambrosa/internal/store"
)

// Gatherer is the use cases of what comes in.
type Gatherer struct {
	Store    *store.Store
	Runs     store.Queue
	Blobs    *blob.Store
	Pictures *picture.Pool
	Readers  contained.Program // of archives and sheets
	Receiver *receiving.Receiver
	Drives   *drives.Opener
	Index    *reading.Index
	Importer *importing.Importer
	Decider  *deciding.Decider
	Planner  *planning.Planner
	Shelver  *shelving.Shelver
	Uploads  string // folder that complete uploads lie in, by id
	Limits   archive.Limits
	Log      *slog.Logger
}

// The kinds of runs that are queued.
const (
	ExamineRun       = "examine"
	FetchRun         = "fetch"
	LookupRun        = "lookup"
	LooseBarcodesRun = "barcodes"     // of a lot's loose files
	AllBarcodesRun   = "all barcodes" // of all of a lot's files
	PairRun          = "pair"
)

// DecisionsStand is what a run says that may not change verdicts.
const DecisionsStand = "The lot is applied, or a plan of it is under way: its verdicts stay as they are."

// queueFor queues a run about a lot, for the person who asked for it, and returns its ID.
func (g *Gatherer) queueFor(ctx context.Context, who identity.Actor, action identity.Action, kind string, lot int64) (id int64, err error) {
	err = g.Store.Do(ctx, door.By(who, action, audit.Of(identity.Lot, lot)), func(tx *door.Tx) error {
		id, err = g.Runs.Queue(ctx, tx, who, kind, store.About{Lot: lot})
		return err
	})
	return id, err
}
