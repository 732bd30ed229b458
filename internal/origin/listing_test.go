package origin

import (
	"io/fs"
	"path"
	"testing"
	"time"

	"ambrosa/internal/budget"
)

// told is a name as a drive tells it.
type told struct {
	name string
	mode fs.FileMode
	size int64
}

func (i told) Name() string       { return i.name }
func (i told) Size() int64        { return i.size }
func (i told) Mode() fs.FileMode  { return i.mode }
func (i told) ModTime() time.Time { return time.Time{} }
func (i told) IsDir() bool        { return i.mode.IsDir() }
func (i told) Sys() any           { return nil }

func TestWhatLeadsElsewhereIsNotListed(t *testing.T) {
	got := Listed("sets/one", []fs.FileInfo{told{"a.jpg", 0, 5}, told{"..", fs.ModeDir, 0}, told{"../../etc", fs.ModeDir, 0}, told{"", 0, 1},
		told{"in/it.jpg", 0, 1}, told{"nul\x00.jpg", 0, 1}, told{"link", fs.ModeSymlink, 1}, told{"fifo", fs.ModeNamedPipe, 1},
		told{"below", fs.ModeDir, 0}, told{`..\win.jpg`, 0, 1}, told{"less", 0, -3}})
	want := []string{"sets/one/a.jpg", "sets/one/below", `sets/one/..\win.jpg`, "sets/one/less"}
	if len(got) != len(want) {
		t.Fatalf("listed: %+v", got)
	}
	for i, e := range got {
		if e.Path != want[i] || e.Folder != (i == 1) || e.Bytes < 0 {
			t.Errorf("entry %d is %+v", i, e)
		}
	}
}

// FuzzListed: whatever a drive calls something, it lies directly in the folder that was listed.
func FuzzListed(f *testing.F) {
	f.Add("", "a.jpg", uint32(0))
	f.Add("a/b", "..", uint32(fs.ModeDir))
	f.Add("a", "\xff\xfe", uint32(fs.ModeIrregular))
	f.Fuzz(func(t *testing.T, folder, name string, mode uint32) {
		folder = path.Join("top", path.Clean("/" + folder)[1:])
		budget.Of(len(folder)+len(name)).Check(t, func() {
			for _, e := range Listed(folder, []fs.FileInfo{told{name, fs.FileMode(mode), 1}}) {
				if path.Dir(e.Path) != folder || path.Base(e.Path) != name {
					t.Errorf("%q in %q is at %q", name, folder, e.Path)
				}
			}
		})
	})
}
