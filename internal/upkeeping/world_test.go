package upkeeping

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"ambrosa/core/catalog"
	"ambrosa/core/dispatch"
	"ambrosa/core/identity"
	"ambrosa/core/plan"
	"ambrosa/internal/blob"
	"ambrosa/internal/dispatching"
	"ambrosa/internal/door"
	"ambrosa/internal/drives"
	"ambrosa/internal/outgoing"
	"ambrosa/internal/picture"
	"ambrosa/internal/planning"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
	"ambrosa/internal/vault"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// unqueued takes runs and does none.
type unqueued struct{}

func (unqueued) Queue(context.Context, *door.Tx, identity.Actor, string, store.About) (int64, error) {
	return 0, nil
}

// unmade makes no renditions: pictures are sent as they came.
type unmade struct{}

func (unmade) Make(context.Context, string, picture.Making) (picture.Made, string, error) {
	return picture.Made{}, "none", nil
}

func (unmade) Decoders() int { return 1 }

// brittle drops bytes, and refuses to now and then.
type brittle struct {
	*blob.Store
	every int64
	asked atomic.Int64
}

var errRefused = errors.New("the object store refuses")

func (b *brittle) Drop(ctx context.Context, sum blob.Sum) error {
	if b.every > 0 && b.asked.Add(1)%b.every == 0 {
		return errRefused
	}
	return b.Store.Drop(ctx, sum)
}

// world is a library that several people and runs work in at once.
type world struct {
	t      *testing.T
	store  *store.Store
	blobs  *brittle
	folder string
	keeper *Upkeeper
	plans  *planning.Planner
	sender *dispatching.Dispatcher
	owners []catalog.Target

	mu      sync.Mutex
	shown   map[catalog.Target]map[int64]bool // files that stand, as the people know it
	sent    map[int64]time.Time               // until when files have to stay that were sent, as the people know it
	killed  bool                              // it is the world of a process that will be killed: it cannot tell what it knows
	changes []int64                           // that can be taken back
}

func newWorld(t *testing.T, owners int) *world {
	t.Helper()
	w := worldOf(t, testdb.Create(t), t.TempDir())
	w.owned(owners)
	return w
}

// worldOf opens a library of a database and a folder.
func worldOf(t *testing.T, database, folder string) *world {
	t.Helper()
	s, err := store.Open(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	blobs, err := blob.Open(t.Context(), filepath.Join(folder, "blobs"), filepath.Join(folder, "spool"))
	if err != nil {
		t.Fatal(err)
	}
	w := &world{t: t, store: s, blobs: &brittle{Store: blobs, every: 7}, folder: filepath.Join(folder, "blobs", "originals"),
		plans: &planning.Planner{Store: s, Runs: unqueued{}}, shown: map[catalog.Target]map[int64]bool{}, sent: map[int64]time.Time{}}
	secrets, err := vault.Open("", filepath.Join(folder, "key"))
	if err != nil {
		t.Fatal(err)
	}
	w.sender = &dispatching.Dispatcher{Store: s, Blobs: blobs, Pictures: unmade{}, Runs: unqueued{},
		Drives: &drives.Opener{Vault: secrets, Guard: outgoing.Allow("127.0.0.1:*")}}
	w.keeper = &Upkeeper{Store: s, Blobs: w.blobs, Runs: unqueued{}}
	return w
}

// owned makes products.
func (w *world) owned(n int) {
	w.t.Helper()
	for i := range n {
		var id int64
		w.must(testdb.Pool(w.store).QueryRow(w.t.Context(), `insert into product (code, title) values ($1, $1) returning id`, fmt.Sprint("P", i)).
			Scan(&id))
		w.owners = append(w.owners, catalog.Product(id))
		w.shown[catalog.Product(id)] = map[int64]bool{}
	}
}

func (w *world) must(err error) {
	if err != nil {
		w.t.Helper()
		if refused := (*pgconn.PgError)(nil); errors.As(err, &refused) {
			w.t.Log(refused.Detail, refused.Where)
		}
		w.t.Error(err)
	}
}

// arrives has bytes of a content arrive as a file of a lot of its own, as an examination
// stores them.
func (w *world) arrives(ctx context.Context, content string) error {
	var lot int64
	var upload string
	if err := testdb.Pool(w.store).QueryRow(ctx, `with l as (insert into lot (name, state) values ('lot', 'ready') returning id)
		insert into upload (id, lot_id, path, bytes) select gen_random_uuid()::text, id, 'a.jpg', 1 from l returning lot_id, id`).
		Scan(&lot, &upload); err != nil {
		return err
	}
	spooled, err := w.blobs.Spool(strings.NewReader(content), 16)
	if err != nil {
		return err
	}
	if err := w.store.Step(ctx, func(tx *door.Tx) error {
		return store.ClaimBytes(ctx, tx, lot, spooled.Sum[:])
	}); err != nil {
		return err
	}
	found := store.Examined{Upload: upload, Path: content + ".jpg", Bytes: spooled.Bytes, Sum: spooled.Sum[:]}
	_, err = w.store.KnownBlob(ctx, spooled.Sum[:])
	switch {
	case errors.Is(err, store.ErrNotFound):
		if err := w.blobs.Keep(ctx, spooled); err != nil {
			return err
		}
		found.Blob = &store.BlobRow{Sum: spooled.Sum[:], Bytes: spooled.Bytes, Type: "image/jpeg", Frames: 1, Orientation: 1}
	case err != nil:
		return err
	default:
		spooled.Remove()
	}
	if err := w.store.Step(ctx, func(tx *door.Tx) error {
		return store.AddFiles(ctx, tx, lot, []store.Examined{found})
	}); err != nil {
		return err
	}
	_, err = testdb.Pool(w.store).Exec(ctx, `update file set rights = 'cleared' where lot_id = $1`, lot)
	return err
}

// ends has an open lot applied, as far as its needs go.
func (w *world) ends(ctx context.Context) error {
	_, err := testdb.Pool(w.store).Exec(ctx, `with l as (update lot set state = 'applied' where id = (
			select id from lot where state = 'ready' and exists (select from file where lot_id = lot.id) order by random() limit 1)
			returning id)
		delete from reference where lot_id in (select id from l)`)
	return err
}

// someFile returns one, which stays until a transaction ends.
func (w *world) someFile(ctx context.Context, db store.DB) (id int64, err error) {
	err = db.QueryRow(ctx, `select id from file where id = (select id from file order by random() limit 1) for key share`).Scan(&id)
	if errors.Is(err, pgx.ErrNoRows) {
		err = store.ErrNotFound
	}
	return id, err
}

// places puts a file on an owner in the stead of what stands there, by a plan; days is the
// term of its way back.
func (w *world) places(ctx context.Context, owner catalog.Target, days int) error {
	w.mu.Lock() // one person at a time plans, so that the model is what they know
	defer w.mu.Unlock()
	var file, change, id int64
	var before, after plan.Arrangement
	err := w.store.Step(ctx, func(tx *door.Tx) (err error) {
		if file, err = w.someFile(ctx, tx); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `update upkeep_setting set way_back_days = $1`, days); err != nil {
			return err
		}
		now, err := store.LockOwner(ctx, tx, owner)
		if err != nil {
			return err
		}
		standing, err := store.Standing(ctx, tx, []catalog.Target{owner})
		if err != nil {
			return err
		}
		before, after = standing[owner], plan.Arrangement{owner: {{File: file}}}
		if id, err = store.NewPlan(ctx, tx, "hand", plan.Instead); err != nil {
			return err
		}
		draft := store.Drafted{Owner: owner, Version: now, Before: before, After: after, Difference: plan.Diff(before, after)}
		if err := store.WriteDrafted(ctx, tx, id, []store.Drafted{draft}, false); err != nil {
			return err
		}
		change, err = store.ChangeOf(ctx, tx, id, owner)
		return err
	})
	if err != nil {
		return err
	}
	if err := w.plans.ApplyChange(ctx, identity.Specialist, change); err != nil {
		return err
	}
	w.shown[owner] = map[int64]bool{file: true}
	w.changes = append(w.changes, change)
	return w.store.Step(ctx, func(tx *door.Tx) error { return store.MovePlan(ctx, tx, id, "applied", "draft") })
}

// dispatches sends what stands to an outlet of its own, as a package, and learns until when it has to stay; or, as often,
// that time has passed for what was sent before.
func (w *world) dispatches(ctx context.Context, r *rand.Rand) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if !w.killed && r.IntN(2) == 0 {
		return w.timePasses(ctx)
	}
	name := fmt.Sprint("shop ", r.Uint64())
	outlet, err := w.sender.Make(ctx, identity.Specialist, "package", dispatching.Wanted{Name: name,
		Settings: dispatch.Settings{Pictures: dispatch.All, Names: "[sku]_[place]"}})
	if err != nil {
		return err
	}
	if _, err := w.sender.Dispatch(ctx, identity.Specialist, outlet, dispatching.Going{Version: 1}); err != nil {
		return err
	}
	var id int64
	if err := testdb.Pool(w.store).QueryRow(ctx, `select id from dispatch where outlet_id = $1`, outlet).Scan(&id); err != nil {
		return err
	}
	if _, err := w.sender.Do(ctx, identity.Specialist, id, func(int64, int64) {}); err != nil {
		return err
	}
	return w.knowsSent(ctx)
}

// timePasses ends the time that what was sent has to stay.
func (w *world) timePasses(ctx context.Context) error {
	if _, err := testdb.Pool(w.store).Exec(ctx, `update reference set until = now() where dispatch_id is not null`); err != nil {
		return err
	}
	return w.knowsSent(ctx)
}

// knowsSent learns until when what was sent has to stay.
func (w *world) knowsSent(ctx context.Context) error {
	rows, err := testdb.Pool(w.store).Query(ctx, `select file_id, until from reference where dispatch_id is not null`)
	if err != nil {
		return err
	}
	var file int64
	var until time.Time
	_, err = pgx.ForEachRow(rows, []any{&file, &until}, func() error {
		w.sent[file] = until
		return nil
	})
	return err
}

// setsTerms has the steward set other terms.
func (w *world) setsTerms(ctx context.Context, r *rand.Rand) error {
	now, err := w.store.Upkeep(ctx)
	if err != nil {
		return err
	}
	now.WayBackDays, now.HoldDays, now.LyingDays = []int{0, 1, 90}[r.IntN(3)], 1+r.IntN(60), r.IntN(30)
	return w.store.Step(ctx, func(tx *door.Tx) error { return store.SetUpkeep(ctx, tx, now) })
}

// takesBack reverts one of the changes.
func (w *world) takesBack(ctx context.Context, r *rand.Rand) error {
	w.mu.Lock()
	defer w.mu.Unlock()
	if len(w.changes) == 0 {
		return nil
	}
	at := r.IntN(len(w.changes))
	change := w.changes[at]
	w.changes = slices.Delete(w.changes, at, at+1)
	if _, err := w.plans.RevertChange(ctx, identity.Specialist, change); err != nil {
		return err
	}
	for _, owner := range w.owners {
		standing, err := store.Standing(ctx, testdb.Pool(w.store), []catalog.Target{owner})
		if err != nil {
			return err
		}
		w.shown[owner] = map[int64]bool{}
		for _, e := range standing[owner][owner] {
			w.shown[owner][e.File] = true
		}
	}
	return nil
}

// sweeps finds what nothing needs.
func (w *world) sweeps(ctx context.Context) error {
	var id int64
	err := w.store.Step(ctx, func(tx *door.Tx) (err error) {
		id, err = store.NewSweep(ctx, tx, Kinds)
		return err
	})
	if err == nil {
		_, err = w.keeper.DoSweep(ctx, identity.Specialist, id, func(int64) {})
	}
	return err
}

func (w *world) someFindings(ctx context.Context) (store.FindingFilter, error) {
	found, err := w.store.Findings(ctx, store.FindingFilter{Kind: "orphans"}, "bytes", 0, 4)
	q := store.FindingFilter{}
	for _, f := range found {
		q.IDs = append(q.IDs, f.ID)
	}
	if len(found) == 0 {
		err = errors.Join(err, store.ErrNotFound)
	}
	return q, err
}

// purges has all that is held go. The process may die in between: what it was doing is
// broken off, and done again.
func (w *world) purges(ctx context.Context, r *rand.Rand) error {
	holdings, err := w.store.Holdings(ctx)
	if err != nil || len(holdings) == 0 {
		return err
	}
	var ids []int64
	for _, h := range holdings {
		ids = append(ids, h.ID)
	}
	var receipt int64
	err = w.store.Step(ctx, func(tx *door.Tx) (err error) {
		receipt, err = store.NewReceipt(ctx, tx, ids)
		return err
	})
	if err != nil {
		return err
	}
	dying, die := context.WithTimeout(ctx, time.Duration(r.IntN(12))*time.Millisecond)
	err = w.keeper.DoPurge(dying, identity.Specialist, receipt, func(int64) {})
	die()
	for tries := 0; err != nil && tries < 20; tries++ {
		if !errors.Is(err, errRefused) && dying.Err() == nil {
			return err
		}
		err = w.keeper.DoPurge(ctx, identity.Specialist, receipt, func(int64) {})
	}
	return err
}
