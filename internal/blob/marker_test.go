package blob

import (
	"bytes"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"testing/iotest"
)

// TestNothingIsWrittenElsewhere takes the folder of a store away, as a disk that is not mounted any more,
// and puts another one in its place: nothing is written into either.
func TestNothingIsWrittenElsewhere(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "blobs")
	s, err := Open(t.Context(), folder, t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	mark, err := s.NewMark(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	if again, err := s.NewMark(t.Context()); err != nil || again != mark {
		t.Errorf("a store that is marked is %q, and was %q: %v", again, mark, err)
	}
	s.Expect(mark)
	keep := func(content string) error {
		f, err := s.Spool(strings.NewReader(content), 0)
		if err != nil {
			t.Fatal(err)
		}
		return errors.Join(s.Keep(t.Context(), f))
	}
	if err := keep("one"); err != nil {
		t.Fatal(err)
	}
	if err := os.Rename(folder, folder+" away"); err != nil {
		t.Fatal(err)
	}
	if err := os.Mkdir(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	for name, write := range map[string]func() error{
		"keep":      func() error { return keep("two") },
		"rendition": func() error { return s.PutRendition(t.Context(), Sum{}, ViewSize, []byte("x")) },
		"there":     func() error { return s.There(t.Context()) },
	} {
		if err := write(); !errors.Is(err, ErrElsewhere) {
			t.Errorf("%s in an empty mount point: %v", name, err)
		}
	}
	if entries, err := os.ReadDir(folder); err != nil || len(entries) > 0 {
		t.Errorf("something was written into an empty mount point: %v %v", entries, err)
	}
	if err := errors.Join(os.Remove(folder), os.Rename(folder+" away", folder)); err != nil {
		t.Fatal(err)
	}
	if err := keep("two"); err != nil {
		t.Errorf("when it is there again: %v", err)
	}
}

// TestWhoseFault tells errors of this machine from those of what is read.
func TestWhoseFault(t *testing.T) {
	for _, c := range []struct {
		err error
		own bool
	}{
		{&fs.PathError{Op: "write", Path: "spool", Err: syscall.ENOSPC}, true},
		{fmt.Errorf("store: %w", &fs.PathError{Op: "open", Path: "spool", Err: syscall.EACCES}), true},
		{syscall.EDQUOT, true},
		{errors.New("zip: checksum error"), false},
		{&fs.PathError{Op: "read", Path: "upload", Err: syscall.EIO}, false},
		{nil, false},
	} {
		if got := IsOwn(c.err); got != c.own {
			t.Errorf("%v is this machine's: %v", c.err, got)
		}
	}
}

// TestDamagedBytesAreNeverHadAsAWhole reads sound and damaged bytes of many lengths.
func TestDamagedBytesAreNeverHadAsAWhole(t *testing.T) {
	for _, length := range []int{0, 1, 100, 32 << 10, 64 << 10, 64<<10 + 1, 1 << 20} {
		content := make([]byte, length)
		for i := range content {
			content[i] = byte(i * 7 / 3)
		}
		sum := Sum(sha256.Sum256(content))
		got, err := io.ReadAll(Verified(io.NopCloser(bytes.NewReader(content)), sum, func() { t.Error("sound bytes are told damaged") }))
		if err != nil || !bytes.Equal(got, content) {
			t.Errorf("%d sound bytes: %d came, %v", length, len(got), err)
		}
		for name, other := range map[string][]byte{"longer": append(bytes.Clone(content), 1), "shorter": content[:length/2],
			"changed": append(bytes.Clone(content[:length/2]), make([]byte, length-length/2)...)} {
			if bytes.Equal(other, content) {
				continue
			}
			told := false
			got, err := io.ReadAll(Verified(io.NopCloser(iotest.HalfReader(bytes.NewReader(other))), sum, func() { told = true }))
			if !errors.Is(err, ErrDamaged) || !told || len(got) >= len(other) && len(other) > 0 {
				t.Errorf("%d bytes, %s: %d of %d came, %v", length, name, len(got), len(other), err)
			}
		}
	}
}
