package upkeeping

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/catalog"
	"ambrosa/core/identity"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// What a process that is to be killed works in.
const (
	killedDatabase = "AMBROSA_KILLED_DATABASE"
	killedFolder   = "AMBROSA_KILLED_FOLDER"
	killedSeed     = "AMBROSA_KILLED_SEED"
)

// alive is what such a process says whenever it has done something.
const alive = "alive"

// TestKills kills processes (with a signal that none can catch) while they work in one library,
// at any moment of arriving, placing, holding, restoring and purging: what another process
// finds then is whole, and what was begun ends. AMBROSA_KILLS says how many.
func TestKills(t *testing.T) {
	if os.Getenv(killedDatabase) != "" {
		t.Skip("this is the one to be killed")
	}
	kills := 12
	if n, err := strconv.Atoi(os.Getenv("AMBROSA_KILLS")); err == nil {
		kills = n
	}
	database, folder := testdb.Create(t), t.TempDir()
	w := worldOf(t, database, folder)
	w.owned(8)
	r := rand.New(rand.NewPCG(5, 8))
	begun := 0
	for n := range kills {
		w.kills(database, folder, n, 5+r.IntN(120), time.Duration(r.IntN(20))*time.Millisecond)
		begun += int(w.count(`select count(*) from receipt where ended_at is null`))
		w.goesOn(t.Context())
		w.holds(t.Context())
		if r.IntN(2) == 0 {
			w.must(w.timePasses(t.Context()))
		}
		if t.Failed() {
			t.Fatalf("after %d kills", n+1)
		}
	}
	t.Logf("%d kills, %d purges broken off; %d files, %d went", kills, begun, w.count(`select count(*) from file`),
		w.count(`select count(*) from receipt_file`))
	if w.count(`select count(*) from receipt_file`) == 0 {
		t.Error("nothing was ever purged")
	}
}

// kills starts a process that works in the library, and kills it some time after it did so many things: a busy machine takes longer.
func (w *world) kills(database, folder string, seed, deeds int, after time.Duration) {
	w.t.Helper()
	process := exec.Command(os.Args[0], "-test.run=^TestToBeKilled$")
	process.Env = append(os.Environ(), killedDatabase+"="+database, killedFolder+"="+folder, fmt.Sprintf("%s=%d", killedSeed, seed))
	out, err := process.StdoutPipe()
	if err != nil {
		w.t.Fatal(err)
	}
	var problems strings.Builder
	process.Stderr = &problems
	if err := process.Start(); err != nil {
		w.t.Fatal(err)
	}
	said := bufio.NewScanner(out)
	for done := 0; done < deeds && said.Scan(); {
		if said.Text() == alive {
			done++
		}
	}
	time.Sleep(after)
	w.must(process.Process.Kill())
	err = process.Wait()
	if state := process.ProcessState; state.Exited() {
		w.t.Fatalf("it ended by itself: %v\n%s", err, problems.String())
	}
	// What it had begun in the database is undone as soon as the server misses it.
	deadline := time.Now().Add(20 * time.Second)
	for w.count(`select count(*) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()
		and application_name like 'ambrosa-%-`+strconv.Itoa(process.Process.Pid)+`-%'`) > 0 && time.Now().Before(deadline) {
		time.Sleep(5 * time.Millisecond)
	}
}

// goesOn does what runs do that are taken up after a process has died, and learns what stands.
func (w *world) goesOn(ctx context.Context) {
	w.t.Helper()
	rows, err := testdb.Pool(w.store).Query(ctx, `select id from receipt where ended_at is null order by id`)
	w.must(err)
	receipts, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	w.must(err)
	for _, receipt := range receipts {
		for err = errRefused; errors.Is(err, errRefused); {
			err = w.keeper.DoPurge(ctx, identity.Specialist, receipt, func(int64) {})
		}
		w.must(err)
	}
	w.must(w.knowsSent(ctx))
	for _, owner := range w.owners {
		standing, err := store.Standing(ctx, testdb.Pool(w.store), []catalog.Target{owner})
		w.must(err)
		w.shown[owner] = map[int64]bool{}
		for _, e := range standing[owner][owner] {
			w.shown[owner][e.File] = true
		}
	}
}

// TestToBeKilled is the process that works until it is killed.
func TestToBeKilled(t *testing.T) {
	database := os.Getenv(killedDatabase)
	if database == "" {
		t.Skip("it is begun by TestKills")
	}
	seed, err := strconv.ParseUint(os.Getenv(killedSeed), 10, 64)
	if err != nil {
		t.Fatal(err)
	}
	w := worldOf(t, database, os.Getenv(killedFolder))
	w.known(t.Context())
	w.killed = true
	var group sync.WaitGroup
	for person := range uint64(4) {
		group.Go(func() {
			r := rand.New(rand.NewPCG(seed, person))
			for end := time.Now().Add(time.Minute); time.Now().Before(end); {
				err := w.livesHere(t.Context(), r)
				if errors.Is(err, store.ErrNotFound) || errors.Is(err, store.ErrChanged) {
					continue
				}
				if err == nil {
					fmt.Println(alive)
				} else {
					fmt.Fprintln(os.Stderr, err)
					os.Exit(1)
				}
			}
		})
	}
	group.Wait()
}

// livesHere does one thing at random, more often what upkeep does.
func (w *world) livesHere(ctx context.Context, r *rand.Rand) error {
	if r.IntN(2) == 0 {
		return w.lives(ctx, r)
	}
	switch r.IntN(4) {
	case 0:
		return w.sweeps(ctx)
	case 1:
		q, err := w.someFindings(ctx)
		if err == nil {
			_, err = w.keeper.Hold(ctx, identity.Specialist, q, 30, "")
		}
		return err
	default:
		return w.purges(ctx, r)
	}
}

// known learns which products there are, and what they show.
func (w *world) known(ctx context.Context) {
	w.t.Helper()
	rows, err := testdb.Pool(w.store).Query(ctx, `select id from product order by id`)
	w.must(err)
	ids, err := pgx.CollectRows(rows, pgx.RowTo[int64])
	w.must(err)
	for _, id := range ids {
		w.owners = append(w.owners, catalog.Product(id))
	}
	w.goesOn(ctx)
}
