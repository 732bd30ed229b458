package blob

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"sync"
	"syscall"
	"time"

	"gocloud.dev/gcerrors"
)

// marker is the object that tells which library a store is of.
const marker = "ambrosa-library"

// ErrElsewhere means that the store is not the one of the library: a disk that is not mounted, another
// bucket, or nothing at all. Nothing is written into it.
var ErrElsewhere = errors.New("the object store is not there, or is that of another library")

// IsFull tells whether an error is that of a disk with no room left.
func IsFull(err error) bool { return errors.Is(err, syscall.ENOSPC) || errors.Is(err, syscall.EDQUOT) }

// IsOwn tells whether an error is this machine's, in writing what was read: not that of what was read.
func IsOwn(err error) bool {
	var file *fs.PathError
	return IsFull(err) || errors.Is(err, syscall.EROFS) || errors.As(err, &file) && file.Op != "read"
}

// mark is what the store is told by, and when it was last seen.
type mark struct {
	mu   sync.Mutex
	text string
	seen time.Time
}

// lookAgain is how long a marker that was seen in a bucket is taken to be there. In a folder it is
// looked at each time.
const lookAgain = 5 * time.Second

// NewMark makes a mark for a library that has none yet, or returns the one that its store has.
func (s *Store) NewMark(ctx context.Context) (string, error) {
	found, err := s.readMark(ctx)
	if err != nil || found != "" {
		return found, err
	}
	text := rand.Text()
	if err := s.bucket.WriteAll(ctx, marker, []byte(text), nil); err != nil {
		return "", fmt.Errorf("mark the object store: %w", err)
	}
	return text, nil
}

func (s *Store) readMark(ctx context.Context) (string, error) {
	content, err := s.bucket.ReadAll(ctx, marker)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return "", nil
	}
	if err != nil {
		return "", fmt.Errorf("look which library the object store is of: %w", err)
	}
	return string(content), nil
}

// Expect has the store written to only as long as it has this mark.
func (s *Store) Expect(text string) {
	s.mark.mu.Lock()
	defer s.mark.mu.Unlock()
	s.mark.text, s.mark.seen = text, time.Time{}
}

// There returns ErrElsewhere when the store has not the mark that is expected.
func (s *Store) There(ctx context.Context) error {
	s.mark.mu.Lock()
	expected, seen := s.mark.text, s.mark.seen
	s.mark.mu.Unlock()
	if expected == "" || s.folder == "" && time.Since(seen) < lookAgain {
		return nil
	}
	found, err := s.readMark(ctx)
	if err != nil {
		return err
	}
	if found != expected {
		return ErrElsewhere
	}
	s.mark.mu.Lock()
	s.mark.seen = time.Now()
	s.mark.mu.Unlock()
	return nil
}
