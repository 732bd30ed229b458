package upkeeping

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// lives does one thing at random.
func (w *world) lives(ctx context.Context, r *rand.Rand) error {
	owner := w.owners[r.IntN(len(w.owners))]
	switch r.IntN(15) {
	case 0, 1:
		return w.arrives(ctx, "content "+strconv.Itoa(r.IntN(25)))
	case 2, 3:
		return w.ends(ctx)
	case 4, 5:
		return w.places(ctx, owner, []int{0, 0, 90}[r.IntN(3)])
	case 6:
		return w.takesBack(ctx, r)
	case 7:
		return w.sweeps(ctx)
	case 8:
		q, err := w.someFindings(ctx)
		if err == nil {
			_, err = w.keeper.Hold(ctx, identity.Specialist, q, 30, "")
		}
		return err
	case 9:
		return w.purges(ctx, r)
	case 10:
		file, err := w.someFile(ctx, testdb.Pool(w.store))
		if err == nil && r.IntN(2) == 0 {
			_, err = w.keeper.Pin(ctx, identity.Specialist, []int64{file}, "kept")
		} else if err == nil {
			_, err = w.keeper.Unpin(ctx, identity.Specialist, []int64{file})
		}
		return err
	case 11:
		return w.shelves(ctx, r)
	case 12:
		return w.dispatches(ctx, r)
	case 13:
		return w.setsTerms(ctx, r)
	default:
		holdings, err := w.store.Holdings(ctx)
		if err == nil && len(holdings) > 0 {
			_, err = w.keeper.Restore(ctx, identity.Specialist, holdings[r.IntN(len(holdings))].ID, nil)
		}
		return err
	}
}

// count returns the one number of a query.
func (w *world) count(query string, args ...any) (n int64) {
	w.t.Helper()
	w.must(testdb.Pool(w.store).QueryRow(w.t.Context(), query, args...).Scan(&n))
	return n
}

// holds checks what always holds, while nobody works.
func (w *world) holds(ctx context.Context) {
	w.t.Helper()
	for {
		err := w.keeper.DropLeaving(ctx)
		if err == nil {
			break
		}
		if !errors.Is(err, errRefused) {
			w.t.Fatal(err)
		}
	}
	for owner, files := range w.shown {
		standing, err := store.Standing(ctx, testdb.Pool(w.store), []catalog.Target{owner})
		w.must(err)
		now := map[int64]bool{}
		for _, e := range standing[owner][owner] {
			now[e.File] = true
		}
		if !maps.Equal(now, files) {
			w.t.Errorf("%s shows %v, people know of %v", owner, now, files)
		}
	}
	for file, until := range w.sent {
		if until.After(time.Now()) && w.count(`select count(*) from file where id = $1`, file) == 0 {
			w.t.Errorf("file %d was sent, has to stay until %s, and is gone", file, until)
		}
	}
	// Every file has its bytes, and there are no others.
	rows, err := testdb.Pool(w.store).Query(ctx, `select distinct encode(sha256, 'hex') from file`)
	w.must(err)
	needed, err := pgx.CollectRows(rows, pgx.RowTo[string])
	w.must(err)
	var stored []string
	w.must(filepath.WalkDir(w.folder, func(path string, d fs.DirEntry, err error) error {
		if errors.Is(err, os.ErrNotExist) || err != nil || d.IsDir() {
			return nil
		}
		content, err := os.ReadFile(path)
		if sum := fmt.Sprintf("%x", sha256.Sum256(content)); sum != d.Name() {
			w.t.Errorf("%s holds what is %s", d.Name(), sum)
		}
		stored = append(stored, d.Name())
		return err
	}))
	rows, err = testdb.Pool(w.store).Query(ctx, `select encode(sha256, 'hex') from blob_arriving`)
	w.must(err)
	arriving, err := pgx.CollectRows(rows, pgx.RowTo[string])
	w.must(err)
	for _, sum := range needed {
		if !slices.Contains(stored, sum) {
			w.t.Errorf("a file's bytes are gone: %s", sum)
		}
	}
	for _, sum := range stored {
		// What was on its way when a process died is claimed until it comes again, or a day is over.
		if !slices.Contains(needed, sum) && !slices.Contains(arriving, sum) {
			w.t.Errorf("%s is stored, and no file has it", sum)
		}
	}
	if n := w.count(`select count(*) from blob b where not exists (select from file where sha256 = b.sha256)
		and not exists (select from blob_arriving where sha256 = b.sha256)`); n > 0 {
		w.t.Errorf("%d rows of bytes are of no file", n)
	}
	if n := w.count(`select count(*) from held h join reference r using (file_id) where r.until is null or r.until > now()`); n > 0 {
		w.t.Errorf("%d needed files are held", n)
	}
	// What is found is what nothing needs, reckoned anew from all that needs files.
	found := map[int64]bool{}
	w.must(w.keeper.Find(ctx, []string{"orphans"}, store.Upkeep{}, time.Now(), func(f store.Swept) error {
		found[f.File] = true
		return nil
	}))
	missed := w.count(`select count(*) from file f where not f.id = any($1) and not exists (select from held where file_id = f.id)
		and not exists (select from placement where file_id = f.id) and not exists (select from pin where file_id = f.id)
		and not exists (select from shelved where file_id = f.id)
		and not exists (select from reference where file_id = f.id and dispatch_id is not null and until > now())
		and not exists (select from lot where id = f.lot_id and state = 'ready')
		and not exists (select from plan_change c join plan p on p.id = c.plan_id, jsonb_array_elements(c.before || c.after) t,
			jsonb_array_elements(t->'pictures') x where c.state in ('planned', 'applied') and (x->>'file')::bigint = f.id
			and (p.state = 'draft' or exists (select from reference r where r.plan_change_id = c.id and r.until > now())))`,
		slices.Collect(maps.Keys(found)))
	wrong := w.count(`select count(*) from file f where f.id = any($1) and (exists (select from placement where file_id = f.id)
		or exists (select from pin where file_id = f.id) or exists (select from shelved where file_id = f.id)
		or exists (select from reference where file_id = f.id and dispatch_id is not null and until > now())
		or exists (select from lot where id = f.lot_id and state = 'ready'))`,
		slices.Collect(maps.Keys(found)))
	if missed > 0 || wrong > 0 {
		w.t.Errorf("%d orphans were missed, %d needed files were found", missed, wrong)
	}
}

// TestHistories has several people and runs work on one library at random: bytes arrive
// while the same ones are purged, files are placed, replaced, reverted, pinned, held, restored
// and sent, terms are changed, purges break off and are done again, and the object store refuses
// now and then. Many files have the same bytes, in several holdings.
// Never is a needed file gone, never an orphan missed, and the bytes that are stored are
// those that files have. AMBROSA_HISTORIES says how many histories of ten steps there are, in
// libraries of 240 each.
func TestHistories(t *testing.T) {
	histories := library
	if n, err := strconv.Atoi(os.Getenv("AMBROSA_HISTORIES")); err == nil {
		histories = n
	}
	for seed := range max(1, histories/library) {
		t.Run(fmt.Sprint("library ", seed), func(t *testing.T) { histories240(t, uint64(seed)) })
	}
}

// library is how many histories there are in one.
const library = 240

func histories240(t *testing.T, seed uint64) {
	const people, steps, checks = 6, 10, 4
	w := newWorld(t, 8)
	ctx := t.Context()
	for round := range uint64(checks) {
		var group sync.WaitGroup
		for person := range uint64(people) {
			group.Go(func() {
				r := rand.New(rand.NewPCG(seed*checks+round, person))
				for range library / people / checks * steps {
					err := w.lives(ctx, r)
					if errors.Is(err, store.ErrNotFound) || errors.Is(err, store.ErrChanged) {
						continue // somebody was quicker
					}
					if w.must(err); err != nil {
						return
					}
				}
			})
		}
		group.Wait()
		w.holds(ctx)
	}
	t.Logf("%d files, %d went, %d bytes freed", w.count(`select count(*) from file`), w.count(`select count(*) from receipt_file`),
		w.count(`select coalesce(sum(freed), 0)::bigint from receipt`))
	if w.count(`select count(*) from receipt_file`) == 0 || w.count(`select count(*) from dispatch_picture where sent_at is not null`) == 0 {
		t.Error("nothing was ever purged, or sent")
	}
}
