// Package standin holds small simulations of outside services: drives of
// suppliers that serve the sample data on loopback, for the demo and for tests.
package standin

import (
	"archive/zip"
	"context"
	"crypto/ed25519"
	"crypto/rand"
	"crypto/subtle"
	"encoding/pem"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net"
	"net/http"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"github.com/johannesboyne/gofakes3"
	"github.com/johannesboyne/gofakes3/backend/s3mem"
	"github.com/pkg/sftp"
	"golang.org/x/crypto/ssh"
	"golang.org/x/net/webdav"
)

// User and Password are what the drives ask for; Bucket is the object store's.
const (
	User     = "supplier"
	Password = "clover-honey"
	Bucket   = "pictures"
)

// Unpack puts an archive's files into a folder, once.
func Unpack(archive, folder string) error {
	if _, err := os.Stat(folder); err == nil {
		return nil
	}
	listing, err := zip.OpenReader(archive)
	if err != nil {
		return fmt.Errorf("unpack the sample drive: %w", err)
	}
	defer listing.Close()
	making := folder + ".new"
	if err := os.RemoveAll(making); err != nil {
		return err
	}
	for _, f := range listing.File {
		if f.FileInfo().IsDir() {
			continue
		}
		if err := unpackFile(f, filepath.Join(making, filepath.FromSlash(path.Clean("/"+f.Name)))); err != nil {
			return err
		}
	}
	return os.Rename(making, folder)
}

func unpackFile(f *zip.File, name string) error {
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	content, err := f.Open()
	if err != nil {
		return err
	}
	defer content.Close()
	file, err := os.Create(name)
	if err != nil {
		return err
	}
	_, err = io.Copy(file, content)
	return errors.Join(err, file.Close(), os.Chtimes(name, f.Modified, f.Modified))
}

// WebDAV serves a folder by WebDAV, to be read only, until ctx ends. It returns
// where it listens.
func WebDAV(ctx context.Context, address, folder string) (net.Addr, error) {
	handler := &webdav.Handler{FileSystem: webdav.Dir(folder), LockSystem: webdav.NewMemLS()}
	return serve(ctx, address, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		user, password, _ := r.BasicAuth()
		if !isSupplier(user, password) {
			w.Header().Set("WWW-Authenticate", `Basic realm="sample drive"`)
			http.Error(w, "a user name and a password are needed", http.StatusUnauthorized)
			return
		}
		switch r.Method {
		case http.MethodGet, http.MethodHead, http.MethodOptions, "PROPFIND":
			handler.ServeHTTP(w, r)
		default:
			http.Error(w, "this drive can only be read", http.StatusForbidden)
		}
	}))
}

func isSupplier(user, password string) bool {
	return subtle.ConstantTimeCompare([]byte(user+"\n"+password), []byte(User+"\n"+Password)) == 1
}

func serve(ctx context.Context, address string, handler http.Handler) (net.Addr, error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("the sample services cannot have %s: %w", address, err)
	}
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second}
	context.AfterFunc(ctx, func() { _ = server.Close() })
	go func() { _ = server.Serve(listener) }()
	return listener.Addr(), nil
}

// S3 serves a folder's files as the objects of a bucket, until ctx ends.
func S3(ctx context.Context, address, folder string) (net.Addr, error) {
	backend := s3mem.New()
	if err := backend.CreateBucket(Bucket); err != nil {
		return nil, err
	}
	err := filepath.WalkDir(folder, func(name string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return err
		}
		file, err := os.Open(name)
		if err != nil {
			return err
		}
		defer file.Close()
		info, err := file.Stat()
		if err != nil {
			return err
		}
		key, err := filepath.Rel(folder, name)
		if err != nil {
			return err
		}
		_, err = backend.PutObject(Bucket, filepath.ToSlash(key), map[string]string{}, file, info.Size(), nil)
		return err
	})
	if err != nil {
		return nil, fmt.Errorf("fill the sample bucket: %w", err)
	}
	return serve(ctx, address, gofakes3.New(backend, gofakes3.WithLogger(gofakes3.DiscardLog())).Server())
}

// SFTP serves a folder by SFTP, to be read only, until ctx ends. keyFile holds
// the host's key; it is made when there is none.
func SFTP(ctx context.Context, address, folder, keyFile string) (net.Addr, error) {
	return ServeSFTP(ctx, address, folder, keyFile, func(root *os.Root) sftp.Handlers {
		files := readOnly{root}
		return sftp.Handlers{FileGet: files, FilePut: files, FileCmd: files, FileList: files}
	})
}

// WritableSFTP is SFTP, to be written to.
func WritableSFTP(ctx context.Context, address, folder, keyFile string) (net.Addr, error) {
	return ServeSFTP(ctx, address, folder, keyFile, func(root *os.Root) sftp.Handlers {
		files := writable{readOnly{root}}
		return sftp.Handlers{FileGet: files, FilePut: files, FileCmd: files, FileList: files}
	})
}

// ServeSFTP serves a folder over SFTP by handlers until ctx ends; the key of the host is kept in keyFile.
func ServeSFTP(ctx context.Context, address, folder, keyFile string, handlers func(*os.Root) sftp.Handlers) (net.Addr, error) {
	signer, err := hostKey(keyFile)
	if err != nil {
		return nil, err
	}
	config := &ssh.ServerConfig{PasswordCallback: func(c ssh.ConnMetadata, password []byte) (*ssh.Permissions, error) {
		if !isSupplier(c.User(), string(password)) {
			return nil, errors.New("wrong")
		}
		return nil, nil
	}}
	config.AddHostKey(signer)
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, err
	}
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("the sample services cannot have %s: %w", address, err), root.Close())
	}
	context.AfterFunc(ctx, func() { _ = errors.Join(listener.Close(), root.Close()) })
	go func() {
		for {
			connection, err := listener.Accept()
			if err != nil {
				return
			}
			context.AfterFunc(ctx, func() { _ = connection.Close() })
			go session(connection, config, handlers(root))
		}
	}()
	return listener.Addr(), nil
}

func hostKey(file string) (ssh.Signer, error) {
	content, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		_, private, err := ed25519.GenerateKey(rand.Reader)
		if err != nil {
			return nil, err
		}
		block, err := ssh.MarshalPrivateKey(private, "sample drive")
		if err != nil {
			return nil, err
		}
		content = pem.EncodeToMemory(block)
		if err := os.WriteFile(file, content, 0o600); err != nil {
			return nil, err
		}
	} else if err != nil {
		return nil, err
	}
	return ssh.ParsePrivateKey(content)
}

func session(connection net.Conn, config *ssh.ServerConfig, handlers sftp.Handlers) {
	defer connection.Close()
	_, channels, requests, err := ssh.NewServerConn(connection, config)
	if err != nil {
		return
	}
	go ssh.DiscardRequests(requests)
	for offered := range channels {
		if offered.ChannelType() != "session" {
			_ = offered.Reject(ssh.UnknownChannelType, "only sessions")
			continue
		}
		channel, asked, err := offered.Accept()
		if err != nil {
			return
		}
		go func() {
			for request := range asked {
				_ = request.Reply(request.Type == "subsystem" && strings.HasSuffix(string(request.Payload), "sftp"), nil)
			}
		}()
		server := sftp.NewRequestServer(channel, handlers)
		go func() {
			_ = server.Serve()
			_ = server.Close()
		}()
	}
}

// readOnly gives out what is below a folder, and nothing else.
type readOnly struct{ root *os.Root }

func inside(name string) string {
	if name = strings.Trim(path.Clean("/"+name), "/"); name == "" {
		return "."
	}
	return name
}

func (r readOnly) Fileread(request *sftp.Request) (io.ReaderAt, error) {
	return r.root.Open(inside(request.Filepath))
}

func (readOnly) Filewrite(*sftp.Request) (io.WriterAt, error) { return nil, os.ErrPermission }

func (readOnly) Filecmd(*sftp.Request) error { return os.ErrPermission }

func (r readOnly) Filelist(request *sftp.Request) (sftp.ListerAt, error) {
	file, err := r.root.Open(inside(request.Filepath))
	if err != nil {
		return nil, err
	}
	defer file.Close()
	if request.Method == "List" {
		infos, err := file.Readdir(-1)
		return listing(infos), err
	}
	info, err := file.Stat()
	return listing{info}, err
}

// writable takes files below a folder, too.
type writable struct{ readOnly }

func (w writable) Filewrite(request *sftp.Request) (io.WriterAt, error) {
	return w.root.OpenFile(inside(request.Filepath), os.O_CREATE|os.O_TRUNC|os.O_WRONLY, 0o644)
}

func (w writable) Filecmd(request *sftp.Request) error {
	switch request.Method {
	case "Mkdir":
		return w.root.Mkdir(inside(request.Filepath), 0o755)
	case "Rename":
		return w.root.Rename(inside(request.Filepath), inside(request.Target))
	case "Remove", "Rmdir":
		return w.root.Remove(inside(request.Filepath))
	case "Setstat":
		return nil
	}
	return sftp.ErrSSHFxOpUnsupported
}

// PosixRename renames over a file that is there.
func (w writable) PosixRename(request *sftp.Request) error {
	return w.root.Rename(inside(request.Filepath), inside(request.Target))
}

type listing []os.FileInfo

func (l listing) ListAt(into []os.FileInfo, from int64) (int, error) {
	if from >= int64(len(l)) {
		return 0, io.EOF
	}
	n := copy(into, l[from:])
	if int(from)+n == len(l) {
		return n, io.EOF
	}
	return n, nil
}
