package run

import (
	"bytes"
	"context"
	"fmt"
	"log/slog"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/core/identity"
	"ambrosa/internal/covering"
	"ambrosa/internal/database"
	"ambrosa/internal/dispatching"
	"ambrosa/internal/door"
	"ambrosa/internal/gathering"
	"ambrosa/internal/postgres"
	"ambrosa/internal/receiving"
	"ambrosa/internal/store"
	"ambrosa/internal/task"
	"ambrosa/internal/testdb"
	"ambrosa/internal/upkeeping"
)

// pausedDatabase names the database of a process that a test pauses.
const pausedDatabase = "AMBROSA_PAUSED_DATABASE"

func TestMain(m *testing.M) {
	if address := os.Getenv(pausedDatabase); address != "" {
		if err := bePaused(address); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		os.Exit(0)
	}
	testdb.Main(m)
}

// bePaused works until the process is ended.
func bePaused(address string) error {
	ctx := context.Background()
	r, err := newRunner(ctx, address, slog.New(slog.NewTextHandler(os.Stderr, nil)))
	if err != nil {
		return err
	}
	if err := r.Start(ctx); err != nil {
		return err
	}
	select {}
}

// The kinds of run of these tests count to a number, and keep each step as a row: a step that is done
// twice is two rows.
const (
	steps    = 120
	stepTime = 20 * time.Millisecond
)

func init() {
	register(Kind{Name: "test steps", Action: identity.SweepBegin,
		Doing: "Counting", Leads: ToCatalog, work: (*Runner).countSteps})
}

// countSteps does the steps that are not done yet. Each is looked at before it is written, as a sending
// that cannot be part of a transaction is.
func (r *Runner) countSteps(ctx context.Context, run store.Run, p *task.Progress) (string, error) {
	for n := range steps {
		var done bool
		if err := testdb.Pool(r.Store).QueryRow(ctx, `select exists (select from step where run = $1 and n =
			$2)`, run.ID, n).Scan(&done); err != nil {
			return "", fmt.Errorf("look at step %d: %w", n, errAway(err))
		}
		if !done {
			if !pause(ctx, stepTime) {
				return "", ctx.Err()
			}
			err := r.Store.Step(ctx, func(tx *door.Tx) error {
				_, err := tx.Exec(ctx, `insert into step (run, n, process) values ($1, $2, $3)`, run.ID, n, r.Store.Name)
				return err
			})
			if err != nil {
				return "", fmt.Errorf("keep step %d: %w", n, err)
			}
		}
		p.Set(int64(n+1), steps)
	}
	return "counted", nil
}

// errAway marks any error of a plain query as the database's.
func errAway(err error) error { return fmt.Errorf("%w: %w", database.ErrAway, err) }

func newRunner(ctx context.Context, address string, log *slog.Logger) (*Runner, error) {
	s, err := store.Open(ctx, address)
	if err != nil {
		return nil, err
	}
	s.Lease = 3 * time.Second
	r := &Runner{Store: s, Log: log, Terms: Terms{Upload: time.Hour, Refused: 1000 * time.Hour}}
	r.Gatherer = &gathering.Gatherer{Store: s, Runs: r, Receiver: &receiving.Receiver{Store: s, Runs: r}, Uploads: os.TempDir()}
	r.Upkeeper = &upkeeping.Upkeeper{Store: s, Runs: r}
	r.Dispatcher = &dispatching.Dispatcher{Store: s, Runs: r}
	r.Coverer = &covering.Coverer{Store: s}
	return r, r.Open()
}

// working starts a process's work within this process.
func working(t *testing.T, address string) *Runner {
	t.Helper()
	var log bytes.Buffer
	r, err := newRunner(t.Context(), address, slog.New(slog.NewTextHandler(&log, nil)))
	if err != nil {
		t.Fatal(err)
	}
	if err := r.Start(t.Context()); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		stopping, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		_ = r.Stop(stopping)
		r.Store.Close()
		if t.Failed() {
			t.Logf("the process said: %s", log.String())
		}
	})
	return r
}

func queue(t *testing.T, s *store.Store, r *Runner) (run int64) {
	t.Helper()
	err := s.Step(t.Context(), func(tx *door.Tx) (err error) {
		run, err = r.Queue(t.Context(), tx, identity.Specialist, "test steps", store.About{})
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return run
}

func until(t *testing.T, limit time.Duration, what string, reached func() bool) {
	t.Helper()
	for end := time.Now().Add(limit); time.Now().Before(end); time.Sleep(5 * time.Millisecond) {
		if reached() {
			return
		}
	}
	t.Fatalf("waited in vain for %s", what)
}

// counted waits for steps of a run; -1 while the database is away.
func counted(ctx context.Context, address string, run int64) int {
	connection, err := pgx.Connect(ctx, address)
	if err != nil {
		return -1
	}
	defer connection.Close(ctx)
	n := -1
	_ = connection.QueryRow(ctx, `select count(*) from step where run = $1`, run).Scan(&n)
	return n
}

// once checks that a run has ended well, each of its steps done once.
func once(t *testing.T, address string, run int64) {
	t.Helper()
	until(t, 40*time.Second, "the run's end", func() bool {
		connection, err := pgx.Connect(t.Context(), address)
		if err != nil {
			return false
		}
		defer connection.Close(t.Context())
		state := ""
		err = connection.QueryRow(t.Context(), `select state from run where id = $1`, run).Scan(&state)
		return err == nil && (state == "done" || state == "failed")
	})
	connection, err := pgx.Connect(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	defer connection.Close(t.Context())
	var state, message string
	var rows, different int
	err = connection.QueryRow(t.Context(), `select state, message, (select count(*) from step where run = r.id),
		(select count(distinct n) from step where run = r.id) from run r where id = $1`, run).Scan(&state, &message, &rows, &different)
	if err != nil || state != "done" || rows != steps || different != steps {
		t.Errorf("the run is %s (%s): %d steps are kept, %d different, of %d: %v", state, message, rows, different, steps, err)
	}
}

func stepTable(t *testing.T, address string) {
	t.Helper()
	connection, err := pgx.Connect(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	defer connection.Close(t.Context())
	if _, err := connection.Exec(t.Context(), `create table step (run bigint, n int, process text)`); err != nil {
		t.Fatal(err)
	}
}

// TestTheDatabaseIsRestarted restarts PostgreSQL in the middle of a run: it goes on and ends, and the
// next one, which is longer than a lease, is done once, by one attempt.
func TestTheDatabaseIsRestarted(t *testing.T) {
	t.Parallel()
	folder, err := os.MkdirTemp("", "ambrosa-restarted-*")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	options := postgres.Options{Folder: filepath.Join(folder, "postgres"), Throwaway: true}
	server, err := postgres.Start(t.Context(), options)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = server.Stop(); _ = os.RemoveAll(folder) }) // whichever runs then
	address := server.URL("postgres")
	migrating, err := store.Open(t.Context(), address)
	if err != nil {
		t.Fatal(err)
	}
	if err := migrating.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	migrating.Close()
	stepTable(t, address)
	r := working(t, address)
	other := working(t, address)
	first := queue(t, r.Store, r)
	until(t, 10*time.Second, "some steps", func() bool { return counted(t.Context(), address, first) > 10 })
	if err := server.Stop(); err != nil {
		t.Fatal(err)
	}
	options.Port = portOf(t, address)
	if server, err = postgres.Start(t.Context(), options); err != nil {
		t.Fatal(err)
	}
	once(t, address, first)
	second := queue(t, other.Store, other)
	once(t, address, second)
	var attempts int
	err = testdb.Pool(r.Store).QueryRow(t.Context(), `select attempt from run where id = $1`, second).Scan(&attempts)
	if err != nil || attempts != 1 {
		t.Errorf("the run after the restart took %d attempts: %v", attempts, err)
	}
}

func portOf(t *testing.T, address string) int {
	t.Helper()
	u, err := url.Parse(address)
	if err != nil {
		t.Fatal(err)
	}
	port, err := strconv.Atoi(u.Port())
	if err != nil {
		t.Fatal(err)
	}
	return port
}

// TestSessionsAreEnded ends all sessions of a process, again and again, while it does a run.
func TestSessionsAreEnded(t *testing.T) {
	t.Parallel()
	address := testdb.Create(t)
	stepTable(t, address)
	r := working(t, address)
	run := queue(t, r.Store, r)
	for _, from := range []int{10, 40, 80} {
		until(t, 20*time.Second, "some steps", func() bool { return counted(t.Context(), address, run) >= from })
		connection, err := pgx.Connect(t.Context(), address)
		if err != nil {
			t.Fatal(err)
		}
		_, err = connection.Exec(t.Context(), `select pg_terminate_backend(pid) from pg_stat_activity where application_name = $1`, r.Store.Name)
		if err != nil {
			t.Fatal(err)
		}
		_ = connection.Close(t.Context())
	}
	once(t, address, run)
}

// TestAProcessIsPaused stops a process with a signal that none can catch, in the middle of a run and
// for longer than its lease: another does the rest, and what the paused one writes when it wakes is
// refused.
func TestAProcessIsPaused(t *testing.T) {
	t.Parallel()
	address := testdb.Create(t)
	stepTable(t, address)
	var said bytes.Buffer
	paused := exec.Command(os.Args[0])
	paused.Env = append(os.Environ(), pausedDatabase+"="+address)
	paused.Stderr = &said
	if err := paused.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		_ = paused.Process.Kill()
		_ = paused.Wait()
		if t.Failed() {
			t.Logf("the paused process said: %s", said.String())
		}
	})
	queuer, err := newRunner(t.Context(), address, slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(queuer.Store.Close)
	run := queue(t, queuer.Store, queuer)
	until(t, 20*time.Second, "some steps", func() bool { return counted(t.Context(), address, run) >= 10 })
	if err := paused.Process.Signal(syscall.SIGSTOP); err != nil {
		t.Fatal(err)
	}
	began := time.Now()
	other := working(t, address)
	until(t, 30*time.Second, "another process to go on", func() bool {
		var n int
		err := testdb.Pool(other.Store).QueryRow(t.Context(), `select count(*) from step where process = $1`, other.Store.Name).Scan(&n)
		return err == nil && n > 0
	})
	t.Logf("taken up after %s, with a lease of %s", time.Since(began).Round(time.Millisecond), other.Store.Lease)
	if err := paused.Process.Signal(syscall.SIGCONT); err != nil {
		t.Fatal(err)
	}
	once(t, address, run)
	// It may work again, as a process that lost its lease and took a new one.
	next := queue(t, other.Store, other)
	once(t, address, next)
}

// TestTwoProcesses has two processes do many runs: each is done once, by one attempt.
func TestTwoProcesses(t *testing.T) {
	t.Parallel()
	address := testdb.Create(t)
	stepTable(t, address)
	one, two := working(t, address), working(t, address)
	var runs []int64
	for range 8 {
		runs = append(runs, queue(t, one.Store, one), queue(t, two.Store, two))
	}
	for _, run := range runs {
		once(t, address, run)
	}
	var most int
	if err := testdb.Pool(one.Store).QueryRow(t.Context(), `select max(attempt) from run`).Scan(&most); err != nil || most != 1 {
		t.Errorf("a run took %d attempts: %v", most, err)
	}
}

// TestAnAttemptThatWasTakenOver writes nothing any more, in whichever way it tries.
func TestAnAttemptThatWasTakenOver(t *testing.T) {
	t.Parallel()
	s := testdb.Open(t)
	ctx := t.Context()
	if err := s.TakeLease(ctx); err != nil {
		t.Fatal(err)
	}
	var id int64
	if err := s.Step(ctx, func(tx *door.Tx) (err error) {
		id, err = store.NewRun(ctx, tx, identity.Specialist, "test steps", store.About{})
		return err
	}); err != nil {
		t.Fatal(err)
	}
	begin := func() (attempt door.Attempt) {
		t.Helper()
		if err := s.Step(ctx, func(tx *door.Tx) (err error) {
			_, attempt, err = store.StartRun(ctx, tx, s.Name, id)
			return err
		}); err != nil {
			t.Fatal(err)
		}
		attempt.Who, attempt.Action = identity.Specialist, identity.SweepBegin
		return attempt
	}
	first, second := begin(), begin()
	if second.Number != first.Number+1 {
		t.Fatalf("%+v", second)
	}
	old, now := door.WithAttempt(ctx, first), door.WithAttempt(ctx, second)
	for name, write := range map[string]func(context.Context) error{
		"progress": func(ctx context.Context) error {
			_, err := door.Get(ctx, s.Door, door.Step(ctx), func(tx *door.Tx) (bool, error) {
				return store.Progress(ctx, tx, id, 1, 2)
			})
			return err
		},
		"log": func(ctx context.Context) error {
			return s.Step(ctx, func(tx *door.Tx) error { return store.Log(ctx, tx, id, "line") })
		},
		"release": func(ctx context.Context) error {
			return s.Step(ctx, func(tx *door.Tx) error { return store.ReleaseRun(ctx, tx, s.Name, id, false) })
		},
		"current": s.Current,
		"end": func(ctx context.Context) error {
			return s.Step(ctx, func(tx *door.Tx) error { return store.EndRun(ctx, tx, id, "done", "") })
		},
	} {
		if err := write(old); err == nil || err.Error() != door.ErrSuperseded.Error() {
			t.Errorf("%s of an attempt that was taken over: %v", name, err)
		}
	}
	if err := s.Step(now, func(tx *door.Tx) error { return store.Log(now, tx, id, "line") }); err != nil {
		t.Errorf("the attempt that stands could not write: %v", err)
	}
}
