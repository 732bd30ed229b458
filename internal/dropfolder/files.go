package dropfolder

import (
	"context"
	"encoding/xml"
	"net/http"
	"net/url"
	"os"
	"path"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/net/webdav"
)

// encode makes a text fit for a file name.
func encode(text string) string { return "p-" + url.PathEscape(text) }

// files is a folder whose names are found without regard to case, and whose
// entries hold the properties that file managers set (RFC 4918, section 4).
type files struct {
	root webdav.Dir
	room *atomic.Int64 // bytes that still fit

	mu    sync.Mutex
	props map[string]map[xml.Name]webdav.Property
}

func newFiles(folder string, room *atomic.Int64) *files {
	return &files{root: webdav.Dir(folder), room: room, props: map[string]map[xml.Name]webdav.Property{}}
}

// find returns the path under which something stands that is named with other
// letters' case; parts that are not there stay as they are.
func (f *files) find(name string) string {
	name = path.Clean("/" + name)
	if _, err := os.Lstat(string(f.root) + name); err == nil || name == "/" {
		return name
	}
	found := ""
	for part := range strings.SplitSeq(strings.Trim(name, "/"), "/") {
		found += "/" + f.like(found, part)
	}
	return found
}

func (f *files) like(folder, part string) string {
	if _, err := os.Lstat(string(f.root) + folder + "/" + part); err == nil {
		return part
	}
	entries, err := os.ReadDir(string(f.root) + folder)
	if err != nil {
		return part
	}
	for _, entry := range entries {
		if strings.EqualFold(entry.Name(), part) {
			return entry.Name()
		}
	}
	return part
}

func (f *files) Mkdir(ctx context.Context, name string, mode os.FileMode) error {
	return f.root.Mkdir(ctx, f.find(name), 0o700)
}

func (f *files) OpenFile(ctx context.Context, name string, flag int, _ os.FileMode) (webdav.File, error) {
	name = f.find(name)
	file, err := f.root.OpenFile(ctx, name, flag, 0o600)
	if err != nil {
		return nil, err
	}
	return &opened{file, f, name}, nil
}

func (f *files) RemoveAll(ctx context.Context, name string) error {
	name = f.find(name)
	err := f.root.RemoveAll(ctx, name)
	if err == nil {
		f.forget(name)
	}
	return err
}

func (f *files) Rename(ctx context.Context, from, to string) error {
	from = f.find(from)
	target := f.find(to)
	if target == from {
		target = path.Dir(from) + "/" + path.Base(to) // only the case changes
		target = path.Clean(target)
	}
	err := f.root.Rename(ctx, from, target)
	if err == nil {
		f.move(from, target)
	}
	return err
}

func (f *files) Stat(ctx context.Context, name string) (os.FileInfo, error) {
	return f.root.Stat(ctx, f.find(name))
}

func below(folder, name string) bool { return name == folder || strings.HasPrefix(name, folder+"/") }

func (f *files) forget(name string) {
	f.mu.Lock()
	defer f.mu.Unlock()
	for at := range f.props {
		if below(name, at) {
			delete(f.props, at)
		}
	}
}

func (f *files) move(from, to string) {
	f.forget(to)
	f.mu.Lock()
	defer f.mu.Unlock()
	for at, props := range f.props {
		if below(from, at) {
			delete(f.props, at)
			f.props[to+strings.TrimPrefix(at, from)] = props
		}
	}
}

// opened is a file with the properties that were set on it.
type opened struct {
	webdav.File
	files *files
	name  string
}

// Write takes what fits.
func (o *opened) Write(p []byte) (int, error) {
	if o.files.room.Add(-int64(len(p))) < 0 {
		return 0, errFull
	}
	return o.File.Write(p)
}

// maxProperties and maxProperty bound what is kept for one file: how many, and
// the bytes of each.
const (
	maxProperties = 100
	maxProperty   = 16 << 10
)

func (o *opened) DeadProps() (map[xml.Name]webdav.Property, error) {
	o.files.mu.Lock()
	defer o.files.mu.Unlock()
	props := make(map[xml.Name]webdav.Property, len(o.files.props[o.name]))
	for name, property := range o.files.props[o.name] {
		props[name] = property
	}
	return props, nil
}

func (o *opened) Patch(patches []webdav.Proppatch) ([]webdav.Propstat, error) {
	o.files.mu.Lock()
	defer o.files.mu.Unlock()
	kept := map[xml.Name]webdav.Property{}
	for name, property := range o.files.props[o.name] {
		kept[name] = property
	}
	answer := webdav.Propstat{Status: http.StatusOK}
	for _, patch := range patches {
		for _, property := range patch.Props {
			answer.Props = append(answer.Props, webdav.Property{XMLName: property.XMLName})
			switch {
			case patch.Remove:
				delete(kept, property.XMLName)
			case len(property.InnerXML) > maxProperty:
				answer.Status = http.StatusInsufficientStorage
			default:
				kept[property.XMLName] = property
			}
		}
	}
	if len(kept) > maxProperties {
		answer.Status = http.StatusInsufficientStorage
	}
	if answer.Status == http.StatusOK { // all of them or none (RFC 4918, section 9.2)
		o.files.props[o.name] = kept
	}
	return []webdav.Propstat{answer}, nil
}
