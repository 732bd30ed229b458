package contained

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"testing"
	"time"
)

// held is what a child that swells holds on to.
var held [][]byte

// TestMain lets the test binary be a child that behaves in different ways.
func TestMain(m *testing.M) {
	switch os.Getenv("AMBROSA_TEST_CHILD") {
	case "well":
		fmt.Println("done", os.Args[len(os.Args)-1])
		os.Exit(0)
	case "swells":
		if err := Limit(128<<20, time.Minute); err != nil {
			os.Exit(3)
		}
		for {
			piece := make([]byte, 8<<20)
			for i := range piece {
				piece[i] = 1
			}
			held = append(held, piece)
		}
	case "spins":
		if err := Limit(512<<20, time.Second); err != nil {
			os.Exit(3)
		}
		for n := 0; ; n++ {
		}
	case "is silent":
		time.Sleep(time.Hour)
	case "panics":
		panic("as a broken library would")
	}
	os.Exit(m.Run())
}

func child(t *testing.T, ctx context.Context, how string, silence time.Duration) (said string, err error) {
	t.Helper()
	program, err := Find([]string{"env", "AMBROSA_TEST_CHILD=" + how, os.Args[0]})
	if err != nil {
		t.Fatal(err)
	}
	c, err := program.In(t.TempDir()).Start(ctx, silence, "argument")
	if err != nil {
		t.Fatal(err)
	}
	text, readErr := io.ReadAll(c)
	return string(text), c.Close(readErr == nil)
}

// TestChildrenStayInBounds starts children that behave in every way: how each
// ended is told apart, and none outlives its call.
func TestChildrenStayInBounds(t *testing.T) {
	if said, err := child(t, t.Context(), "well", time.Minute); err != nil || said != "done argument\n" {
		t.Errorf("%q, %v", said, err)
	}
	for how, want := range map[string]error{"swells": ErrMemory, "spins": ErrFailed, "panics": ErrFailed} {
		if said, err := child(t, t.Context(), how, time.Minute); !errors.Is(err, want) {
			t.Errorf("one that %s: %q, %v", how, said, err)
		}
	}
	if _, err := child(t, t.Context(), "is silent", 300*time.Millisecond); !errors.Is(err, ErrSilent) {
		t.Errorf("one that is silent: %v", err)
	}
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	begun := time.Now()
	if _, err := child(t, ctx, "is silent", time.Hour); err == nil || time.Since(begun) > 30*time.Second {
		t.Errorf("one whose context ends: %v after %v", err, time.Since(begun))
	}
}

func TestAPanicIsAnError(t *testing.T) {
	err := Safely(func() error {
		var list []int
		_ = list[len(os.Args)+5]
		return nil
	})()
	var caught *Panic
	if !errors.As(err, &caught) || !strings.Contains(caught.Stack, "TestAPanicIsAnError") ||
		!strings.Contains(fmt.Sprint(caught.Value), "out of range") {
		t.Errorf("%v", err)
	}
	if err := Safely(func() error { return io.EOF })(); err != io.EOF {
		t.Errorf("an error stays: %v", err)
	}
}
