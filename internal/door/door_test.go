package door_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"ambrosa/core/audit"
	"ambrosa/core/identity"
	"ambrosa/internal/database"
	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// pins are rows that these tests write: of one kind, with nothing that depends on them.
const pins = `create table thing (id int primary key, n int not null default 0)`

func open(t *testing.T) *store.Store {
	t.Helper()
	s := testdb.Open(t)
	exec(t, s, pins)
	exec(t, s, `insert into thing (id) select generate_series(1, 100)`)
	return s
}

func exec(t *testing.T, s *store.Store, sql string, args ...any) {
	t.Helper()
	if _, err := testdb.Pool(s).Exec(t.Context(), sql, args...); err != nil {
		t.Fatal(err)
	}
}

func number(t *testing.T, s *store.Store, sql string, args ...any) (n int) {
	t.Helper()
	if err := testdb.Pool(s).QueryRow(t.Context(), sql, args...).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

var pin = door.By(identity.Specialist, identity.FilePin, audit.Of(identity.File, 7))

// bump counts a thing up.
func bump(ctx context.Context, tx *door.Tx, id int) error {
	_, err := tx.Exec(ctx, `update thing set n = n + 1 where id = $1`, id)
	return err
}

// TestAChangeAndItsRecord are written together, by whom, to what.
func TestAChangeAndItsRecord(t *testing.T) {
	t.Parallel()
	s := open(t)
	ctx := door.WithRequest(t.Context(), "REQ1")
	if err := s.Do(ctx, pin, func(tx *door.Tx) error {
		tx.About(audit.Of(identity.Lot, 3), audit.Of(identity.Lot, 3))
		tx.Changed(map[string]int{"n": 0}, map[string]int{"n": 1})
		return bump(ctx, tx, 1)
	}); err != nil {
		t.Fatal(err)
	}
	for what, about := range map[string]audit.Subject{"the file": audit.Of(identity.File, 7), "the lot": audit.Of(identity.Lot, 3),
		"all": {}} {
		lines, err := s.Record(t.Context(), store.RecordFilter{About: about, Limit: 10})
		if err != nil || len(lines) != 1 {
			t.Fatalf("%s: %v, %+v", what, err, lines)
		}
		l := lines[0]
		if l.Who.Name != "specialist" || l.Who.ID == 0 || l.Action != identity.FilePin || l.Request != "REQ1" || l.Abouts != 2 ||
			l.About[0].Kind != identity.File || l.About[0].ID != 7 || string(l.Before) != `{"n": 0}` || string(l.After) != `{"n": 1}` {
			t.Errorf("%s: %+v", what, l)
		}
	}
	for what, f := range map[string]store.RecordFilter{
		"another file":   {About: audit.Of(identity.File, 8)},
		"another action": {Action: identity.FileUnpin},
		"another actor":  {Actor: 999},
		"later":          {From: time.Now().Add(time.Hour)},
		"earlier":        {Until: time.Now().Add(-time.Hour)},
	} {
		f.Limit = 10
		if lines, err := s.Record(t.Context(), f); err != nil || len(lines) != 0 {
			t.Errorf("%s: %v, %+v", what, err, lines)
		}
	}
}

// TestNothingIsRecordedOfNothing: of work that fails, that changes nothing, or that is a part of something else.
func TestNothingIsRecordedOfNothing(t *testing.T) {
	t.Parallel()
	s := open(t)
	failed := errors.New("it failed")
	fails := func(tx *door.Tx) error { return errors.Join(bump(t.Context(), tx, 1), failed) }
	if err := s.Do(t.Context(), pin, fails); !errors.Is(err, failed) {
		t.Error(err)
	}
	if err := s.Do(t.Context(), pin, func(tx *door.Tx) error { tx.Unchanged(); return nil }); err != nil {
		t.Error(err)
	}
	if err := s.Step(t.Context(), func(tx *door.Tx) error { return bump(t.Context(), tx, 2) }); err != nil {
		t.Error(err)
	}
	if n := number(t, s, `select count(*) from record`); n != 0 {
		t.Errorf("%d lines", n)
	}
	if n := number(t, s, `select sum(n) from thing`); n != 1 {
		t.Errorf("%d changes", n)
	}
}

// TestWhoMayNotChangesNothing asks before a transaction is begun.
func TestWhoMayNotChangesNothing(t *testing.T) {
	t.Parallel()
	s := open(t)
	var refused identity.Refused
	for _, who := range []identity.Actor{{Kind: identity.Supplier, Name: "Lindmoor"}, identity.Ambrosa, {}} {
		err := s.Do(t.Context(), door.By(who, identity.FilePin), func(tx *door.Tx) error { return bump(t.Context(), tx, 1) })
		if !errors.As(err, &refused) || refused.Action != identity.FilePin {
			t.Errorf("%+v: %v", who, err)
		}
	}
	if n := number(t, s, `select sum(n) from thing`); n != 0 {
		t.Errorf("%d changes", n)
	}
}

// TestOthersInTheWayAreWaitedFor forces a deadlock, and serialization failures: the work is done again, and
// nobody is told.
func TestOthersInTheWayAreWaitedFor(t *testing.T) {
	t.Parallel()
	s := open(t)
	exec(t, s, fmt.Sprintf(`alter database %s set deadlock_timeout = '20ms'`, pgx.Identifier{databaseOf(t, s)}.Sanitize()))
	var tries sync.Map
	both := func(first, second int) func() error {
		return func() error {
			return s.Do(t.Context(), pin, func(tx *door.Tx) error {
				n, _ := tries.LoadOrStore(first, new(int))
				*n.(*int)++
				if err := bump(t.Context(), tx, first); err != nil {
					return err
				}
				time.Sleep(100 * time.Millisecond)
				return bump(t.Context(), tx, second)
			})
		}
	}
	var wait sync.WaitGroup
	for _, work := range []func() error{both(1, 2), both(2, 1)} {
		wait.Go(func() {
			if err := work(); err != nil {
				t.Error(err)
			}
		})
	}
	wait.Wait()
	one, _ := tries.Load(1)
	two, _ := tries.Load(2)
	if tried := *one.(*int) + *two.(*int); tried < 3 {
		t.Errorf("no deadlock was met: %d tries", tried)
	}
	if n := number(t, s, `select min(n) * 10 + max(n) from thing where id <= 2`); n != 22 {
		t.Errorf("the things were counted %d", n)
	}
	if n := number(t, s, `select count(*) from record`); n != 2 {
		t.Errorf("%d lines", n)
	}

	serialization, tried := &pgconn.PgError{Code: "40001", Message: "could not serialize access"}, 0
	err := s.Do(t.Context(), pin, func(tx *door.Tx) error {
		if tried++; tried < 3 {
			return serialization
		}
		return bump(t.Context(), tx, 3)
	})
	if err != nil || tried != 3 {
		t.Errorf("after %d tries: %v", tried, err)
	}
	tried = 0
	if err := s.Do(t.Context(), pin, func(*door.Tx) error { tried++; return serialization }); !database.IsTransient(err) || tried > 10 {
		t.Errorf("it was tried %d times: %v", tried, err)
	}
}

func databaseOf(t *testing.T, s *store.Store) (name string) {
	t.Helper()
	if err := testdb.Pool(s).QueryRow(t.Context(), `select current_database()`).Scan(&name); err != nil {
		t.Fatal(err)
	}
	return name
}

// TestWhatCannotBeRecordedIsNotDone: the record's table refuses, and so nothing is changed; the process ends between
// the change and its record, and neither is there.
func TestWhatCannotBeRecordedIsNotDone(t *testing.T) {
	t.Parallel()
	s := open(t)
	exec(t, s, `create function refuses() returns trigger language plpgsql as $$ begin raise exception 'the record is full'; end $$;
		create trigger refuses before insert on record execute function refuses()`)
	err := s.Do(t.Context(), pin, func(tx *door.Tx) error { return bump(t.Context(), tx, 1) })
	if err == nil || !strings.Contains(err.Error(), "record is full") || !strings.Contains(err.Error(), "file.pin") {
		t.Errorf("it was done: %v", err)
	}
	exec(t, s, `drop trigger refuses on record; create function dies() returns trigger language plpgsql as $$
		begin perform pg_terminate_backend(pg_backend_pid()); return new; end $$;
		create trigger dies before insert on record for each row execute function dies()`)
	if err := s.Do(t.Context(), pin, func(tx *door.Tx) error { return bump(t.Context(), tx, 1) }); !database.IsAway(err) {
		t.Errorf("the session was ended: %v", err)
	}
	if n := number(t, s, `select sum(n) from thing`); n != 0 {
		t.Errorf("%d changes", n)
	}
	if n := number(t, s, `select count(*) from record`); n != 0 {
		t.Errorf("%d lines", n)
	}
}

// TestTheRecordIsOnlyAppendedTo tries to change it, past the door.
func TestTheRecordIsOnlyAppendedTo(t *testing.T) {
	t.Parallel()
	s := open(t)
	if err := s.Do(t.Context(), pin, func(tx *door.Tx) error { return bump(t.Context(), tx, 1) }); err != nil {
		t.Fatal(err)
	}
	for _, sql := range []string{`update record set action = 'file.unpin'`, `delete from record`, `truncate record cascade`,
		`delete from record_subject`, `update record_subject set subject_id = 8`, `delete from actor`} {
		if _, err := testdb.Pool(s).Exec(t.Context(), sql); err == nil {
			t.Errorf("%s was possible", sql)
		}
	}
}

// TestReadingCannotWrite reaches for a function of the database that writes, from where only reading is meant.
func TestReadingCannotWrite(t *testing.T) {
	t.Parallel()
	s := open(t)
	var n int
	err := s.Reader().QueryRow(t.Context(), `update thing set n = 1 where id = 1 returning n`).Scan(&n)
	if err == nil || !strings.Contains(err.Error(), "read-only") {
		t.Errorf("it wrote %d: %v", n, err)
	}
}

// TestPartsCanFailAlone: what a part wrote is taken back, what it was about stays told.
func TestPartsCanFailAlone(t *testing.T) {
	t.Parallel()
	s := open(t)
	failed := errors.New("it failed")
	if err := s.Do(t.Context(), pin, func(tx *door.Tx) error {
		if err := tx.Part(t.Context(), func(part *door.Tx) error {
			part.About(audit.Of(identity.Product, 5))
			return errors.Join(bump(t.Context(), part, 1), failed)
		}); !errors.Is(err, failed) {
			t.Error(err)
		}
		return bump(t.Context(), tx, 2)
	}); err != nil {
		t.Fatal(err)
	}
	if n := number(t, s, `select sum(n * id) from thing`); n != 2 {
		t.Errorf("%d", n)
	}
}

// TestActorsHaveOneNumber also when many who are new come at the same moment.
func TestActorsHaveOneNumber(t *testing.T) {
	t.Parallel()
	s := open(t)
	var wait sync.WaitGroup
	for n := range 30 {
		wait.Go(func() {
			who := identity.Actor{Kind: identity.Supplier, Name: fmt.Sprint("supplier ", n%3)}
			up := func(tx *door.Tx) error { return bump(t.Context(), tx, n+1) }
			if err := s.Do(t.Context(), door.By(who, identity.LinkHandIn), up); err != nil {
				t.Error(err)
			}
		})
	}
	wait.Wait()
	if n := number(t, s, `select count(*) from actor where kind = 'supplier'`); n != 3 {
		t.Errorf("%d suppliers", n)
	}
	if n := number(t, s, `select count(distinct actor_id) from record`); n != 3 {
		t.Errorf("%d did something", n)
	}
}

// BenchmarkDoor measures what the door costs beside the transaction: one write with its record, beside the same write
// without.
func BenchmarkDoor(b *testing.B) {
	s := testdb.Open(b)
	if _, err := testdb.Pool(s).Exec(b.Context(), pins+`; insert into thing (id) select generate_series(1, 100)`); err != nil {
		b.Fatal(err)
	}
	b.Run("with its record", func(b *testing.B) {
		for b.Loop() {
			if err := s.Do(b.Context(), pin, func(tx *door.Tx) error { return bump(b.Context(), tx, 1) }); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("alone", func(b *testing.B) {
		for b.Loop() {
			if err := pgx.BeginFunc(b.Context(), testdb.Pool(s), func(tx pgx.Tx) error {
				_, err := tx.Exec(b.Context(), `update thing set n = n + 1 where id = $1`, 1)
				return err
			}); err != nil {
				b.Fatal(err)
			}
		}
	})
}
