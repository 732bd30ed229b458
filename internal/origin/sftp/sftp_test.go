package sftp_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	files "github.com/pkg/sftp"

	"ambrosa/internal/budget"
	"ambrosa/internal/origin/sftp"
	"ambrosa/internal/outgoing"
	"ambrosa/internal/standin"
)

// endless is a folder whose list never ends.
type endless struct{}

func (endless) Filelist(*files.Request) (files.ListerAt, error) { return endless{}, nil }

func (endless) ListAt(entries []fs.FileInfo, _ int64) (int, error) {
	for i := range entries {
		entries[i] = entry{}
	}
	return len(entries), nil
}

type entry struct{}

func (entry) Name() string       { return strings.Repeat("again and again ", 20) }
func (entry) Size() int64        { return 1 }
func (entry) Mode() fs.FileMode  { return 0o644 }
func (entry) ModTime() time.Time { return time.Unix(0, 0) }
func (entry) IsDir() bool        { return false }
func (entry) Sys() any           { return nil }

// TestAListWithoutEndEnds lists a folder whose server never stops: it is told, in bounded memory.
func TestAListWithoutEndEnds(t *testing.T) {
	key := filepath.Join(t.TempDir(), "key")
	address, err := standin.ServeSFTP(t.Context(), "127.0.0.1:0", t.TempDir(), key, func(*os.Root) files.Handlers {
		return files.Handlers{FileList: endless{}}
	})
	if err != nil {
		t.Fatal(err)
	}
	drive, err := sftp.Kind.Open(t.Context(), map[string]string{"host": address.String(), "user": standin.User, "password": standin.Password,
		"folder": "/"}, outgoing.Allow("127.0.0.1:*"))
	if err != nil {
		t.Fatal(err)
	}
	budget.Budget{Time: 30 * time.Second, Bytes: 4 << 30}.Check(t, func() { // server and client are one process
		if _, err = drive.List(t.Context(), "sets"); err == nil || !strings.Contains(err.Error(), "is longer than") {
			t.Errorf("it says %v", err)
		}
	})
	if err := drive.Close(); err != nil {
		t.Errorf("it is closed with %v", err)
	}
}
