// Package dropfolder is a WebDAV server (RFC 4918) that file managers mount:
// each person has a folder of their own, and what they drop there becomes a lot
// when it has been quiet for a time. Names keep their case and are found without
// regard to it. Making lots of what was dropped is for internal/app.
package dropfolder

import (
	"context"
	"errors"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"sync"
	"time"

	"golang.org/x/net/webdav"
)

// Server takes what people drop.
type Server struct {
	// Folder holds a folder for each person, by name.
	Folder string
	// Admit tells whether a password is a person's.
	Admit func(ctx context.Context, person, password string) bool
	Log   *slog.Logger

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
	p.handler.ServeHTTP(w, r)
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
	p.files, p.locks = newFiles(folder), newLocks()
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
func folderOf(name string) string { return filepath.Base(encode(name)) }

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
	err = filepath.WalkDir(filepath.Join(s.Folder, folderOf(name)), func(_ string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		info, err := entry.Info()
		if errors.Is(err, os.ErrNotExist) {
			return nil
		}
		if err == nil {
			w.Files++
			w.Bytes += info.Size()
		}
		return err
	})
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
