package store

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"
	"syscall"
	"time"

	"ambrosa/core/identity"
	"ambrosa/internal/door"
)

// leaseTerm is how long a process may do background work after it last said that it is alive. One
// that is paused or cut off for longer loses its runs to another.
const leaseTerm = 18 * time.Second

// ErrNoLease means that this process holds no lease: it was away for so long that its runs were taken
// over, or it never took one.
var ErrNoLease = errors.New("this process holds no lease")

// processName tells this process from all others. It is short enough for PostgreSQL, which cuts an
// application's name after 63 bytes.
func processName() string {
	host, _ := os.Hostname()
	return fmt.Sprintf("ambrosa-%.16s-%d-%.12s", host, os.Getpid(), rand.Text())
}

// seat tells where a process runs: this boot of this machine, its space of process numbers, and its
// number there. Another process of the same seat can see whether it is alive. Empty where the system
// does not say.
func seat(pid int) string {
	boot, err := os.ReadFile("/proc/sys/kernel/random/boot_id")
	space, linkErr := os.Readlink("/proc/self/ns/pid")
	if err != nil || linkErr != nil {
		return ""
	}
	return strings.TrimSpace(string(boot)) + " " + space + " " + strconv.Itoa(pid)
}

// processEnded tells whether the process of a seat is known to have ended.
func processEnded(place string) bool {
	pid, err := strconv.Atoi(place[strings.LastIndex(place, " ")+1:])
	return err == nil && pid > 0 && place == seat(pid) && errors.Is(syscall.Kill(pid, 0), syscall.ESRCH)
}

// asProcess writes what a process keeps of itself, over the connections that never wait for the others.
func (s *Store) asProcess(ctx context.Context, work func(*door.Tx) error) error {
	return s.leases.Do(ctx, door.By(identity.Ambrosa, identity.Keep), work)
}

// TakeLease begins a lease of this process.
func (s *Store) TakeLease(ctx context.Context) error {
	return s.asProcess(ctx, func(tx *door.Tx) error {
		_, err := tx.Exec(ctx, `insert into process (name, seat, until) values ($1, $2, now() + $3::interval)
			on conflict (name) do update set until = excluded.until`, s.Name, seat(os.Getpid()), s.Lease)
		return err
	})
}

// ExtendLease says that this process is alive. ErrNoLease means that another process has ended its
// lease and taken over what it did.
func (s *Store) ExtendLease(ctx context.Context) error {
	return s.asProcess(ctx, func(tx *door.Tx) error {
		tag, err := tx.Exec(ctx, `update process set until = now() + $2::interval where name = $1`, s.Name, s.Lease)
		if err == nil && tag.RowsAffected() == 0 {
			err = ErrNoLease
		}
		return err
	})
}

// EndLease lets the lease go, with whatever this process has not finished.
func (s *Store) EndLease(ctx context.Context) error {
	return s.asProcess(ctx, func(tx *door.Tx) error { return endLease(ctx, tx, s.Name, false) })
}

// endLease takes a process's row away, and makes its runs and jobs available to others. Nothing that
// its attempts still write is taken from then on, since a later attempt has begun.
func endLease(ctx context.Context, tx *door.Tx, name string, died bool) error {
	if _, err := tx.Exec(ctx, `delete from process where name = $1`, name); err != nil {
		return fmt.Errorf("end the lease of %s: %w", name, err)
	}
	if _, err := tx.Exec(ctx, `select from run where process = $1 order by id for update`, name); err != nil {
		return fmt.Errorf("lock the runs of %s: %w", name, err)
	}
	if _, err := tx.Exec(ctx, `update run set process = null, attempt = attempt + 1, `+countDeath("$2")+` where process = $1`, name,
		died); err != nil {
		return fmt.Errorf("release the runs of %s: %w", name, err)
	}
	_, err := tx.Exec(ctx, freeJob+` and attempted_by[array_upper(attempted_by, 1)] = $1`, name)
	if err != nil {
		return fmt.Errorf("release the jobs of %s: %w", name, err)
	}
	return nil
}

// freeJob makes jobs available again that are under way, those that the rest of the condition says.
const freeJob = `update river_job set state = 'available', scheduled_at = now(), max_attempts = greatest(max_attempts, attempt + 1)
	where state = 'running'`

// Unfinished is a run that nobody does, and that no job of the queue leads to.
type Unfinished struct {
	ID   int64
	Kind string
}

// Rescue ends the leases of processes that have died or do not extend them, so that what they did can
// be taken up, and returns their names.
func (s *Store) Rescue(ctx context.Context) (ended []string, err error) {
	type holder struct {
		Name, Seat string
		Over       bool
	}
	holders, err := list[holder](ctx, s.control, `select name, seat, until < now() as over from process where name <> $1`, s.Name)
	if err != nil {
		return nil, err
	}
	for _, h := range holders {
		if !h.Over && !processEnded(h.Seat) {
			continue
		}
		// A paused process may hold rows by a transaction that it will never end.
		if err := s.asProcess(ctx, func(tx *door.Tx) error {
			_, err := tx.Exec(ctx, `select pg_terminate_backend(pid) from pg_stat_activity where application_name = $1
				and datname = current_database()`, h.Name)
			return err
		}); err != nil {
			return ended, fmt.Errorf("end the sessions of %s: %w", h.Name, err)
		}
		err := s.asProcess(ctx, func(tx *door.Tx) error {
			_, err := number(ctx, tx, `select 1 from process where name = $1 and (until < now() or $2) for update skip locked`, h.Name, !h.Over)
			if err != nil {
				return err
			}
			return endLease(ctx, tx, h.Name, true)
		})
		if errors.Is(err, ErrNotFound) {
			continue // another process was first, or it is alive after all
		}
		if err != nil {
			return ended, err
		}
		ended = append(ended, h.Name)
	}
	return ended, s.freeJobs(ctx)
}

// freeJobs makes jobs available that a process took which holds no lease: one that ended between
// taking a job and beginning its run.
func (s *Store) freeJobs(ctx context.Context) error {
	return s.asProcess(ctx, func(tx *door.Tx) error {
		_, err := tx.Exec(ctx, freeJob+` and attempted_at < now() - $1::interval
			and not exists (select from process p where p.name = attempted_by[array_upper(attempted_by, 1)])`, s.Lease)
		return err
	})
}

// Unfinished returns runs that are to go on, that no process does, and that no job leads to: the job
// was lost with the answer of the database that was to end it.
func (s *Store) Unfinished(ctx context.Context, doing []int64) ([]Unfinished, error) {
	if err := s.asProcess(ctx, func(tx *door.Tx) error {
		_, err := tx.Exec(ctx, freeJob+` and kind = 'run' and attempted_by[array_upper(attempted_by, 1)] = $1
			and attempted_at < now() - $2::interval and (args->>'run')::bigint <> all($3)`, s.Name, s.Lease, doing)
		return err
	}); err != nil {
		return nil, err
	}
	return list[Unfinished](ctx, s.control, `select r.id, r.kind from run r
		where r.state in ('queued', 'running', 'stopping')
			and not exists (select from process p where p.name = r.process)
			and not exists (select from river_job j where `+leadsTo+` = r.id)
		order by r.id limit 1000`)
}

// leadsTo is the run that a job of the queue, j, is for that is not ended.
const leadsTo = `j.kind = 'run' and j.state in ('available', 'running', 'scheduled', 'retryable', 'pending') and (j.args->>'run')::bigint`

// AdoptRun locks a run that Unfinished returned, and tells whether it is unfinished still.
func AdoptRun(ctx context.Context, tx *door.Tx, id int64) (bool, error) {
	var still bool
	err := tx.QueryRow(ctx, `select state in ('queued', 'running', 'stopping') and not exists (select from river_job j
			where `+leadsTo+` = run.id)
		from run where id = $1 for update`, id).Scan(&still)
	return still, err
}
