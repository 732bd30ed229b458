package store_test

import (
	"context"
	"testing"
	"time"

	"ambrosa/internal/door"
	"ambrosa/internal/testdb"
)

// TestEventsAfterALostConnection ends the connection that listens: whoever is told that events may
// have been missed hears every one from then on.
func TestEventsAfterALostConnection(t *testing.T) {
	s := testdb.Open(t)
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan struct{})
	t.Cleanup(func() { cancel(); <-ended })
	heard, again := make(chan door.Event, 100), make(chan struct{}, 100)
	go func() {
		defer close(ended)
		s.Listen(ctx, func(e door.Event) { heard <- e }, func() { again <- struct{}{} })
	}()
	notify := func(id int64) {
		t.Helper()
		if err := s.Step(t.Context(), func(tx *door.Tx) error {
			return tx.Announce(t.Context(), door.Event{Topic: "lot", ID: id})
		}); err != nil {
			t.Fatal(err)
		}
	}
	next := func() door.Event {
		t.Helper()
		select {
		case e := <-heard:
			return e
		case <-time.After(time.Minute):
			t.Fatal("nothing is heard")
		}
		return door.Event{}
	}
	for n := int64(1); len(heard) == 0; n++ { // until it listens for the first time
		notify(n)
		time.Sleep(10 * time.Millisecond)
	}
	for lost := range 3 {
		if _, err := testdb.Pool(s).Exec(t.Context(), `select pg_terminate_backend(pid) from pg_stat_activity
			where datname = current_database() and query like 'listen %'`); err != nil {
			t.Fatal(err)
		}
		select {
		case <-again:
		case <-time.After(time.Minute):
			t.Fatal("nobody is told that events may have been missed")
		}
		id := int64(1000 + lost)
		notify(id)
		for next().ID != id { // those of before come first
		}
	}
	if len(again) > 0 {
		t.Error("it is told oftener than the connection was lost")
	}
}
