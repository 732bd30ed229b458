package blob

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"
	"time"

	"gocloud.dev/blob"
	"gocloud.dev/gcerrors"
)

const originals = "originals/"

// Object is something that lies where blobs are kept.
type Object struct {
	Key     string
	Sum     Sum  // as its name has it
	Named   bool // its name is that of a blob; else it is none of ours
	Bytes   int64
	Written time.Time
}

// Parts are how many parts the blobs are listed in, by the first byte of their sums; one more
// part is what lies beside them.
const Parts = 256

// List calls for each object of a part, in the order of their keys.
func (s *Store) List(ctx context.Context, part int, each func(Object) error) error {
	options := &blob.ListOptions{Prefix: fmt.Sprintf(originals+"%02x/", part)}
	if part == Parts {
		options = &blob.ListOptions{Prefix: originals, Delimiter: "/"}
	}
	objects := s.bucket.List(options)
	for {
		o, err := objects.Next(ctx)
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return fmt.Errorf("list %s: %w", options.Prefix, err)
		}
		if o.IsDir {
			if ours(o.Key) {
				continue
			}
			// What lies in a folder that no blob has is told as one thing.
			o.Size, o.ModTime = 0, time.Time{}
		}
		found := Object{Key: o.Key, Bytes: o.Size, Written: o.ModTime}
		if sum, err := ParseSum(path.Base(o.Key)); err == nil && key(sum) == o.Key {
			found.Sum, found.Named = sum, true
		}
		if err := each(found); err != nil {
			return err
		}
	}
}

// ours tells whether a folder is one of the parts.
func ours(folder string) bool {
	name := strings.TrimSuffix(strings.TrimPrefix(folder, originals), "/")
	return len(name) == 2 && strings.Trim(name, "0123456789abcdef") == ""
}

// DropForeign removes an object that is no blob, beside the blobs.
func (s *Store) DropForeign(ctx context.Context, name string) error {
	sum, err := ParseSum(path.Base(name))
	if !strings.HasPrefix(name, originals) || strings.HasSuffix(name, "/") || err == nil && key(sum) == name {
		return fmt.Errorf("%q is not a foreign object", name)
	}
	if err := s.bucket.Delete(ctx, name); err != nil && gcerrors.Code(err) != gcerrors.NotFound {
		return fmt.Errorf("drop %s: %w", name, err)
	}
	return nil
}
