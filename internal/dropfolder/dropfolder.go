// Package dropfolder is a WebDAV server (RFC 4918) that file managers mount:
// each person has a folder of their own, and what they drop there becomes a lot
// when it has been quiet for a time. Names keep their case and are found without
// regard to it. Making lots of what was dropped is for internal/app.
package dropfolder

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/net/webdav"
)

// Server takes what people drop.
type Server struct {
	// Folder holds a folder for each person, by name.
	Folder string
	// Admit tells whether a password is a person's.
	Admit func(ctx context.Context, person, password string) bool
	// Quota bounds what one person has dropped that is no lot yet, in bytes.
	Quota int64
	Log   *slog.Logger

	slow refusals

	mu     sync.Mutex
	people map[string]*person
	server *http.Server
}

// person is one person's folder as it is served.
type person struct {
	handler *webdav.Handler
	files   *files
	locks   *locks
	using   sync.RWMutex // held while a request runs; taken whole to take what was dropped

	mu     sync.Mutex
	active time.Time // of the last change

	measured atomic.Bool
	room     atomic.Int64 // bytes that still fit, while it is measured
}

// ErrBusy means that something is being written just now.
var ErrBusy = errors.New("something is being written just now")

// Serve answers at a listener until Close.
func (s *Server) Serve(listener net.Listener) {
	s.server = &http.Server{Handler: s, ReadHeaderTimeout: 20 * time.Second, IdleTimeout: 5 * time.Minute}
	go func() {
		if err := s.server.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
			s.Log.Error("the drop folder is not served any more", "error", err)
		}
	}()
}

// Close ends serving.
func (s *Server) Close() error {
	if s.server == nil {
		return nil
	}
	return s.server.Close()
}

// ServeHTTP answers one request.
func (s *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	name, password, _ := r.BasicAuth()
	if name == "" || !s.Admit(r.Context(), name, password) {
		if name != "" && !s.slow.wait(r.Context(), name) {
			http.Error(w, "Too many wrong passwords. Wait a little.", http.StatusTooManyRequests)
			return
		}
		w.Header().Set("WWW-Authenticate", `Basic realm="Ambrosa drop folder", charset="UTF-8"`)
		http.Error(w, "Your name and your password of the drop folder are needed.", http.StatusUnauthorized)
		return
	}
	p, err := s.of(name)
	if err != nil {
		s.Log.Error("open a drop folder", "person", name, "error", err)
		http.Error(w, "The drop folder cannot be opened. Nothing is lost; try again.", http.StatusInternalServerError)
		return
	}
	p.using.RLock()
	defer p.using.RUnlock()
	switch r.Method {
	case http.MethodPut, http.MethodDelete, "MKCOL", "COPY", "MOVE":
		p.touch()
		defer p.touch()
	}
	if r.Method == "MOVE" && p.changesCaseOnly(w, r) {
		return
	}
	if r.Method == "PROPFIND" || r.Method == "PROPPATCH" || r.Method == "LOCK" {
		body, ok := wellFormed(w, r)
		if !ok || (r.Method == "LOCK" && p.locksShared(w, r, body)) {
			return
		}
	}
	if !p.conditionsHold(w, r) {
		return
	}
	switch r.Method {
	case http.MethodGet, http.MethodHead:
		asFile(w.Header())
	case http.MethodPut, "COPY":
		if err := p.measure(filepath.Join(s.Folder, folderOf(name)), s.Quota); err != nil {
			s.Log.Error("measure a drop folder", "person", name, "error", err)
			http.Error(w, "The drop folder cannot be read. Nothing is lost; try again.", http.StatusInternalServerError)
			return
		}
		if p.room.Load() < max(0, r.ContentLength) {
			http.Error(w, "The drop folder is full: make a lot of what is there first.", http.StatusInsufficientStorage)
			return
		}
	case http.MethodDelete, "MOVE":
		defer p.measured.Store(false)
	}
	p.handler.ServeHTTP(w, r)
	if r.Method == http.MethodPut && p.room.Load() < 0 {
		// It did not fit, and half a file is none.
		if err := p.files.RemoveAll(r.Context(), r.URL.Path); err != nil {
			s.Log.Error("remove a file that did not fit", "person", name, "error", err)
		}
		p.measured.Store(false)
	}
}

// asFile has browsers keep what is here as a file, and never show it as a page of
// this place.
func asFile(h http.Header) {
	h.Set("Content-Disposition", "attachment")
	h.Set("Content-Security-Policy", "sandbox; default-src 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
}

// errFull means that a person's folder holds as much as it may.
var errFull = errors.New("the drop folder is full")

// measure looks how much room a folder has, unless that is known.
func (p *person) measure(folder string, quota int64) error {
	if p.measured.Load() {
		return nil
	}
	_, bytes, err := measure(folder)
	if err == nil {
		p.room.Store(quota - bytes)
		p.measured.Store(true)
	}
	return err
}

// measure counts the files in a folder and below, and their bytes.
func measure(folder string) (files int, bytes int64, err error) {
	err = filepath.WalkDir(folder, func(_ string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		info, err := entry.Info()
		if errors.Is(err, os.ErrNotExist) {
			return nil
		}
		if err == nil {
			files++
			bytes += info.Size()
		}
		return err
	})
	return files, bytes, err
}

// changesCaseOnly moves something to its own name in another case, which is for
// the handler a move onto itself: it would remove the target first.
func (p *person) changesCaseOnly(w http.ResponseWriter, r *http.Request) bool {
	to, err := url.Parse(r.Header.Get("Destination"))
	all := p.files
	if err != nil || path.Clean(to.Path) == path.Clean(r.URL.Path) || all.find(to.Path) != all.find(r.URL.Path) {
		return false
	}
	locked, err := p.locks.Create(time.Now(), webdav.LockDetails{Root: path.Clean(r.URL.Path), Duration: time.Minute})
	if err != nil {
		http.Error(w, "It is locked.", webdav.StatusLocked)
		return true
	}
	defer func() { _ = p.locks.Unlock(time.Now(), locked) }()
	if err := all.Rename(r.Context(), r.URL.Path, to.Path); err != nil {
		http.Error(w, "It cannot be renamed: something of that name is there, or its folder is not.", http.StatusConflict)
		return true
	}
	w.WriteHeader(http.StatusCreated)
	return true
}

// empty serves a folder in which nothing is yet.
func (p *person) empty(folder string) {
	p.measured.Store(false)
	p.files, p.locks = newFiles(folder, &p.room), newLocks()
	p.handler = &webdav.Handler{FileSystem: p.files, LockSystem: p.locks}
}

func (p *person) touch() {
	p.mu.Lock()
	p.active = time.Now()
	p.mu.Unlock()
}

// of returns a person's folder; it is made when there is none.
func (s *Server) of(name string) (*person, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if p := s.people[name]; p != nil {
		return p, nil
	}
	folder := filepath.Join(s.Folder, folderOf(name))
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, err
	}
	p := &person{active: time.Now()}
	p.empty(folder)
	if s.people == nil {
		s.people = map[string]*person{}
	}
	s.people[name] = p
	return p, nil
}

// folderOf makes a file name of a person's name that is no other's.
func folderOf(name string) string {
	if encoded := encode(name); len(encoded) <= maxFolder {
		return encoded
	}
	return fmt.Sprintf("p-%x", sha256.Sum256([]byte(name)))
}

// maxFolder is how long a folder's name may be, bytes (file systems take 255).
const maxFolder = 200

// Waiting is what a person dropped and has not become a lot yet.
type Waiting struct {
	Files   int       `json:"files"`
	Bytes   int64     `json:"bytes"`
	Changed time.Time `json:"changed" doc:"When it last changed"`
}

// Waiting tells what a person's folder holds.
func (s *Server) Waiting(name string) (w Waiting, err error) {
	p, err := s.of(name)
	if err != nil {
		return w, err
	}
	p.mu.Lock()
	w.Changed = p.active
	p.mu.Unlock()
	w.Files, w.Bytes, err = measure(filepath.Join(s.Folder, folderOf(name)))
	return w, err
}

// Take moves all that a person dropped to another folder, which must not be
// there yet, and leaves them an empty one. ErrBusy means that something is being
// written just now.
func (s *Server) Take(name, to string) error {
	p, err := s.of(name)
	if err != nil {
		return err
	}
	if !p.using.TryLock() {
		return ErrBusy
	}
	defer p.using.Unlock()
	folder := filepath.Join(s.Folder, folderOf(name))
	if err := errors.Join(os.MkdirAll(filepath.Dir(to), 0o700), os.Rename(folder, to), os.Mkdir(folder, 0o700)); err != nil {
		return err
	}
	p.empty(folder)
	return nil
}
