// Package blob keeps bytes by their SHA-256 in a folder or an object store.
// A blob never changes; the same bytes twice are one blob. Which blobs are
// needed is for internal/store to say.
package blob

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"path/filepath"
	"strings"

	"gocloud.dev/blob"
	"gocloud.dev/blob/fileblob"
	_ "gocloud.dev/blob/s3blob" // s3://bucket?region=…&endpoint=…&use_path_style=true, with the keys of the environment
	"gocloud.dev/gcerrors"
)

// Sum names a blob: the SHA-256 of its bytes.
type Sum [sha256.Size]byte

func (s Sum) String() string { return hex.EncodeToString(s[:]) }

// ParseSum reads 64 hexadecimal digits.
func ParseSum(text string) (s Sum, err error) {
	if len(text) != 2*len(s) {
		return s, fmt.Errorf("%q is not a SHA-256", text)
	}
	_, err = hex.Decode(s[:], []byte(text))
	return s, err
}

// ErrNotFound means that there is no such blob.
var ErrNotFound = errors.New("no such blob")

// Store is a place for blobs and for the renditions made from them.
type Store struct {
	bucket *blob.Bucket
	folder string // where the bucket is one
	spool  string
	mark   mark
}

// Open opens a store: a folder's path, or an address of a kind that is linked
// in (s3://…). spool is a folder for files in passing.
func Open(ctx context.Context, address, spool string) (*Store, error) {
	if err := os.MkdirAll(spool, 0o700); err != nil {
		return nil, err
	}
	s := &Store{spool: spool}
	if parsed, err := url.Parse(address); err == nil && len(parsed.Scheme) > 1 {
		if !blob.DefaultURLMux().ValidBucketScheme(parsed.Scheme) {
			return nil, fmt.Errorf("open object store %s: %q is not a kind of object store that is known", parsed.Redacted(), parsed.Scheme)
		}
		if s.bucket, err = blob.OpenBucket(ctx, address); err != nil {
			// The driver's words may quote the address with its secret.
			return nil, fmt.Errorf(
				"open object store %s: %s",
				parsed.Redacted(),
				strings.ReplaceAll(err.Error(), address, parsed.Redacted()),
			)
		}
		return s, nil
	}
	bucket, err := fileblob.OpenBucket(address, &fileblob.Options{CreateDir: true, NoTempDir: true, Metadata: fileblob.MetadataDontWrite})
	if err != nil {
		return nil, fmt.Errorf("open object store in %s: %w", address, err)
	}
	s.bucket, s.folder = bucket, address
	return s, nil
}

// Close lets the store go.
func (s *Store) Close() error { return s.bucket.Close() }

func key(sum Sum) string {
	text := sum.String()
	return originals + text[:2] + "/" + text
}

func renditionKey(sum Sum, size int) string {
	text := sum.String()
	return fmt.Sprintf("renditions/%d/%s/%s.webp", size, text[:2], text)
}

// Spooled is a file in passing: its bytes, hashed as they were written.
type Spooled struct {
	Path  string
	Sum   Sum
	Bytes int64
	Head  []byte // the first bytes, to tell the type by
}

// Remove lets the spooled file go.
func (f Spooled) Remove() { _ = os.Remove(f.Path) }

// Spool writes a stream to a file of its own and hashes it. head is how many
// bytes are kept to look at.
func (s *Store) Spool(content io.Reader, head int) (Spooled, error) {
	file, err := os.CreateTemp(s.spool, "spool-*")
	if err != nil {
		return Spooled{}, err
	}
	hash := sha256.New()
	kept := &keeper{limit: head}
	n, err := io.CopyBuffer(io.MultiWriter(file, hash, kept), struct{ io.Reader }{content}, make([]byte, 256<<10))
	err = errors.Join(err, file.Close())
	if err != nil {
		_ = os.Remove(file.Name())
		return Spooled{}, err
	}
	spooled := Spooled{Path: file.Name(), Bytes: n, Head: kept.head}
	hash.Sum(spooled.Sum[:0])
	return spooled, nil
}

// SpoolFile is Spool for a file that lies on this machine: where the file
// system can, the spooled file is a second name of the same bytes.
func (s *Store) SpoolFile(path string, head int) (Spooled, error) {
	name := filepath.Join(s.spool, "spool-"+rand.Text())
	if err := os.Link(path, name); err != nil {
		file, err := os.Open(path)
		if err != nil {
			return Spooled{}, err
		}
		defer file.Close()
		return s.Spool(file, head)
	}
	file, err := os.Open(name)
	if err != nil {
		return Spooled{}, err
	}
	defer file.Close()
	hash := sha256.New()
	kept := &keeper{limit: head}
	n, err := io.CopyBuffer(io.MultiWriter(hash, kept), struct{ io.Reader }{file}, make([]byte, 256<<10))
	if err != nil {
		return Spooled{}, err
	}
	spooled := Spooled{Path: name, Bytes: n, Head: kept.head}
	hash.Sum(spooled.Sum[:0])
	return spooled, nil
}

type keeper struct {
	head  []byte
	limit int
}

func (k *keeper) Write(p []byte) (int, error) {
	k.head = append(k.head, p[:min(len(p), k.limit-len(k.head))]...)
	return len(p), nil
}

// Keep stores a spooled file under its sum and removes it from the spool. In a
// folder it is moved, so the bytes are written once.
func (s *Store) Keep(ctx context.Context, f Spooled) error {
	defer f.Remove()
	if err := s.There(ctx); err != nil {
		return err
	}
	name := key(f.Sum)
	if exists, err := s.bucket.Exists(ctx, name); err != nil || exists {
		return err
	}
	return s.moveIn(ctx, name, f)
}

// moveIn stores a spooled file under a name. In a folder it is moved, so the bytes are written
// once.
func (s *Store) moveIn(ctx context.Context, name string, f Spooled) error {
	if s.folder != "" {
		target := filepath.Join(s.folder, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
			return err
		}
		if err := os.Rename(f.Path, target); err == nil {
			return nil
		}
	}
	file, err := os.Open(f.Path)
	if err != nil {
		return err
	}
	defer file.Close()
	return s.bucket.Upload(ctx, name, file, &blob.WriterOptions{ContentType: "application/octet-stream"})
}

// Has tells whether a blob is stored.
func (s *Store) Has(ctx context.Context, sum Sum) (bool, error) {
	return s.bucket.Exists(ctx, key(sum))
}

// Open returns a blob's bytes; the caller closes them.
func (s *Store) Open(ctx context.Context, sum Sum) (io.ReadCloser, int64, error) {
	return s.open(ctx, key(sum))
}

func (s *Store) open(ctx context.Context, name string) (io.ReadCloser, int64, error) {
	reader, err := s.bucket.NewReader(ctx, name, nil)
	if gcerrors.Code(err) == gcerrors.NotFound {
		return nil, 0, fmt.Errorf("%s: %w", name, ErrNotFound)
	}
	if err != nil {
		return nil, 0, err
	}
	return reader, reader.Size(), nil
}

// Local returns a path under which a blob's bytes can be read, and what to call
// when that is done.
func (s *Store) Local(ctx context.Context, sum Sum) (path string, done func(), err error) {
	if s.folder != "" {
		path = filepath.Join(s.folder, filepath.FromSlash(key(sum)))
		if _, err := os.Stat(path); err != nil {
			return "", nil, fmt.Errorf("%s: %w", sum, ErrNotFound)
		}
		return path, func() {}, nil
	}
	content, _, err := s.Open(ctx, sum)
	if err != nil {
		return "", nil, err
	}
	defer content.Close()
	spooled, err := s.Spool(content, 0)
	if err != nil {
		return "", nil, err
	}
	return spooled.Path, spooled.Remove, nil
}

// Check reads a blob and says what is wrong with it: "missing", "damaged", or "" for
// nothing. An error means that it could not be asked for.
func (s *Store) Check(ctx context.Context, sum Sum) (damage string, err error) {
	content, _, err := s.Open(ctx, sum)
	switch {
	case errors.Is(err, ErrNotFound):
		return "missing", nil
	case err != nil:
		return "", err
	}
	defer content.Close()
	hash := sha256.New()
	if _, err := io.CopyBuffer(hash, struct{ io.Reader }{content}, make([]byte, 256<<10)); err != nil {
		return "", err
	}
	if [sha256.Size]byte(hash.Sum(nil)) != sum {
		return "damaged", nil
	}
	return "", nil
}

// Mend stores a spooled file under its sum in the stead of what is there, and removes it
// from the spool.
func (s *Store) Mend(ctx context.Context, f Spooled) error {
	if err := s.There(ctx); err != nil {
		return err
	}
	if err := s.bucket.Delete(ctx, key(f.Sum)); err != nil && gcerrors.Code(err) != gcerrors.NotFound {
		return err
	}
	return s.Keep(ctx, f)
}

// The longer sides of renditions, in pixels: of those that lists show, and of those that
// pictures are looked at in.
const (
	ThumbnailSize = 320
	ViewSize      = 1600
)

// Drop removes a blob with all renditions made of it; what is not there is gone already.
func (s *Store) Drop(ctx context.Context, sum Sum) error {
	names := []string{key(sum)}
	for _, size := range []int{ThumbnailSize, ViewSize} {
		names = append(names, renditionKey(sum, size))
	}
	for _, name := range names {
		if err := s.bucket.Delete(ctx, name); err != nil && gcerrors.Code(err) != gcerrors.NotFound {
			return fmt.Errorf("drop %s: %w", name, err)
		}
	}
	return nil
}

// PutRendition stores a rendition of a blob.
func (s *Store) PutRendition(ctx context.Context, sum Sum, size int, content []byte) error {
	if err := s.There(ctx); err != nil {
		return err
	}
	return s.bucket.WriteAll(ctx, renditionKey(sum, size), content, &blob.WriterOptions{ContentType: "image/webp"})
}

// Rendition returns a rendition's bytes, or ErrNotFound.
func (s *Store) Rendition(ctx context.Context, sum Sum, size int) ([]byte, error) {
	content, err := s.bucket.ReadAll(ctx, renditionKey(sum, size))
	if gcerrors.Code(err) == gcerrors.NotFound {
		return nil, ErrNotFound
	}
	return content, err
}
