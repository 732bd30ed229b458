// Package postgres finds, initialises, starts and stops a PostgreSQL server of
// the project's own, for the demo and for the tests. It leaves any other
// server on the machine alone. What is in the database is for internal/store.
package postgres

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Options say where a server keeps its data and where it listens.
type Options struct {
	Folder    string // what is kept of it: data, log, password
	Port      int    // on 127.0.0.1; 0 takes a free one
	Throwaway bool   // nothing has to survive a crash: faster, for tests
}

// Server is a running server. Stop ends it.
type Server struct {
	folder, data, bin string
	port              int
	password          string
	owner             *user.User // who it runs as, when that is not the caller
	process           *exec.Cmd  // nil when an earlier start of ours was found running
	exited            chan error
}

// Start finds PostgreSQL, makes its data folder when there is none, and starts
// it, or takes over the one that an earlier, killed process left running.
func Start(ctx context.Context, o Options) (*Server, error) {
	folder, err := filepath.Abs(o.Folder)
	if err != nil {
		return nil, err
	}
	s := &Server{folder: folder, port: o.Port}
	if s.bin, err = find(); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	if err := s.chooseOwner(); err != nil {
		return nil, err
	}
	if err := s.placeData(); err != nil {
		return nil, err
	}
	if err := s.initialise(ctx); err != nil {
		return nil, err
	}
	if running, err := s.adopt(ctx); running || err != nil {
		return s, err
	}
	if s.port == 0 {
		if s.port, err = freePort(); err != nil {
			return nil, err
		}
	} else if err := portFree(s.port); err != nil {
		return nil, err
	}
	if err := s.launch(o.Throwaway); err != nil {
		return nil, err
	}
	return s, s.waitReady(ctx)
}

// find returns the newest folder of server programs, Debian's or on the PATH.
func find() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	slices.SortFunc(found, func(a, b string) int { return version(a) - version(b) })
	if len(found) > 0 {
		return filepath.Dir(found[len(found)-1]), nil
	}
	if path, err := exec.LookPath("postgres"); err == nil {
		return filepath.Dir(path), nil
	}
	return "", errors.New("no PostgreSQL server found: install the Debian package postgresql")
}

func version(path string) int {
	n, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(path))))
	return n
}

// chooseOwner picks the user to run as: PostgreSQL refuses to be root.
func (s *Server) chooseOwner() error {
	if os.Geteuid() != 0 {
		return nil
	}
	owner, err := user.Lookup("postgres")
	if err != nil {
		return fmt.Errorf("PostgreSQL does not run as root, and its own user is missing: %w", err)
	}
	s.owner = owner
	return nil
}

// placeData puts the data below the folder, or, when the server's user cannot
// reach that, beside the system's own servers with a link from the folder.
func (s *Server) placeData() error {
	link := filepath.Join(s.folder, "data")
	if target, err := os.Readlink(link); err == nil {
		s.data = target
		return os.MkdirAll(filepath.Dir(target), 0o755)
	}
	s.data = link
	if s.owner == nil || reachable(s.folder) {
		return nil
	}
	s.data = filepath.Join("/var/lib/postgresql", fmt.Sprintf("ambrosa-%x", sha256.Sum256([]byte(s.folder)))[:20], "data")
	if err := os.MkdirAll(filepath.Dir(s.data), 0o755); err != nil {
		return err
	}
	return os.Symlink(s.data, link)
}

// reachable tells whether any user may pass through a folder and its parents.
func reachable(folder string) bool {
	for at := folder; ; at = filepath.Dir(at) {
		info, err := os.Stat(at)
		if err != nil || info.Mode().Perm()&0o001 == 0 {
			return false
		}
		if at == "/" {
			return true
		}
	}
}

// initialise makes the data folder when there is none. It is made under another
// name and renamed when it is whole, so that a folder of this name always is.
func (s *Server) initialise(ctx context.Context) error {
	secret := filepath.Join(s.folder, "password")
	content, err := os.ReadFile(secret)
	s.password = string(bytes.TrimSpace(content))
	if _, made := os.Stat(filepath.Join(s.data, "PG_VERSION")); made == nil {
		if s.password == "" {
			return fmt.Errorf(
				"the database in %s is there, but its password is not: put %s back, or remove both to begin anew (%v)", s.data,
				secret, err,
			)
		}
		return nil
	}
	s.password = rand.Text()
	if err := os.WriteFile(secret, []byte(s.password+"\n"), 0o600); err != nil {
		return err
	}
	making := s.data + ".new"
	if err := os.RemoveAll(making); err != nil {
		return err
	}
	if err := os.MkdirAll(making, 0o700); err != nil {
		return err
	}
	if err := s.give(making); err != nil {
		return err
	}
	forInit, err := os.CreateTemp("", "ambrosa-password-*")
	if err != nil {
		return err
	}
	defer os.Remove(forInit.Name())
	_, err = forInit.WriteString(s.password + "\n")
	if err := errors.Join(err, forInit.Close(), s.give(forInit.Name())); err != nil {
		return err
	}
	command := s.command(ctx, "initdb", "--pgdata="+making, "--username=ambrosa", "--auth=scram-sha-256",
		"--encoding=UTF8", "--locale=C.UTF-8", "--pwfile="+forInit.Name(), "--no-sync")
	if out, err := command.CombinedOutput(); err != nil {
		_ = os.RemoveAll(making)
		return fmt.Errorf("make the database folder %s: %w: %s", s.data, err, bytes.TrimSpace(out))
	}
	return os.Rename(making, s.data)
}

func (s *Server) give(path string) error {
	if s.owner == nil {
		return nil
	}
	uid, gid := s.ids()
	return os.Chown(path, int(uid), int(gid))
}

func (s *Server) ids() (uid, gid uint32) {
	u, _ := strconv.ParseUint(s.owner.Uid, 10, 32)
	g, _ := strconv.ParseUint(s.owner.Gid, 10, 32)
	return uint32(u), uint32(g)
}

func (s *Server) command(ctx context.Context, name string, args ...string) *exec.Cmd {
	command := exec.CommandContext(ctx, filepath.Join(s.bin, name), args...)
	command.Dir = "/"
	command.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	if s.owner != nil {
		uid, gid := s.ids()
		command.SysProcAttr.Credential = &syscall.Credential{Uid: uid, Gid: gid}
	}
	return command
}

// adopt takes over a server that already runs on this data folder.
func (s *Server) adopt(ctx context.Context) (bool, error) {
	content, err := os.ReadFile(filepath.Join(s.data, "postmaster.pid"))
	if err != nil {
		return false, nil
	}
	lines := strings.Split(string(content), "\n")
	pid, _ := strconv.Atoi(strings.TrimSpace(lines[0]))
	if len(lines) < 4 || pid <= 0 || syscall.Kill(pid, 0) != nil {
		return false, nil
	}
	port, err := strconv.Atoi(strings.TrimSpace(lines[3]))
	if err != nil {
		return false, nil
	}
	wanted := s.port
	s.port = port
	if err := s.ping(ctx); err != nil {
		s.port = wanted
		return false, nil // the pid is another program's by now
	}
	return true, nil
}

func (s *Server) launch(throwaway bool) error {
	log, err := os.OpenFile(filepath.Join(s.folder, "postgres.log"), os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o644)
	if err != nil {
		return err
	}
	defer log.Close()
	args := []string{"-D", s.data, "-p", strconv.Itoa(s.port), "-c", "listen_addresses=127.0.0.1",
		"-c", "unix_socket_directories=", "-c", "max_connections=400", "-c", "shared_buffers=256MB", "-c", "jit=off"}
	if throwaway {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off")
	}
	s.process = s.command(context.Background(), "postgres", args...)
	s.process.Stdout, s.process.Stderr = log, log
	if err := s.process.Start(); err != nil {
		return fmt.Errorf("start PostgreSQL: %w", err)
	}
	s.exited = make(chan error, 1)
	go func() { s.exited <- s.process.Wait() }()
	return nil
}

func (s *Server) waitReady(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	for {
		if s.ping(ctx) == nil {
			return nil
		}
		select {
		case err := <-s.exited:
			log, _ := os.ReadFile(filepath.Join(s.folder, "postgres.log"))
			return fmt.Errorf("PostgreSQL ended as it started (%v): %s", err, bytes.TrimSpace(log))
		case <-ctx.Done():
			return fmt.Errorf("PostgreSQL on port %d does not answer: %w", s.port, ctx.Err())
		case <-time.After(25 * time.Millisecond):
		}
	}
}

func (s *Server) ping(ctx context.Context) error {
	connection, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return err
	}
	return connection.Close(ctx)
}

// URL returns the address of a database on the server, for pgx.
func (s *Server) URL(database string) string {
	u := url.URL{
		Scheme:   "postgres",
		User:     url.UserPassword("ambrosa", s.password),
		Host:     net.JoinHostPort("127.0.0.1", strconv.Itoa(s.port)),
		Path:     "/" + database,
		RawQuery: "sslmode=disable",
	}
	return u.String()
}

// Create makes a database when there is none of that name.
func (s *Server) Create(ctx context.Context, database string) error {
	connection, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return err
	}
	defer connection.Close(ctx)
	var exists bool
	if err := connection.QueryRow(ctx, `select exists (select from pg_database where datname = $1)`, database).Scan(&exists); err != nil ||
		exists {
		return err
	}
	_, err = connection.Exec(ctx, "create database "+pgx.Identifier{database}.Sanitize())
	return err
}

// Stop ends the server: it closes its connections and writes everything out.
func (s *Server) Stop() error {
	if s.process == nil {
		command := s.command(context.Background(), "pg_ctl", "stop", "-D", s.data, "-m", "fast", "-w")
		if out, err := command.CombinedOutput(); err != nil {
			return fmt.Errorf("stop PostgreSQL: %w: %s", err, bytes.TrimSpace(out))
		}
		return nil
	}
	_ = s.process.Process.Signal(syscall.SIGINT)
	select {
	case <-s.exited:
		return nil
	case <-time.After(30 * time.Second):
		_ = s.process.Process.Kill()
		return errors.New("PostgreSQL did not stop within 30 seconds and was ended")
	}
}

func portFree(port int) error {
	listener, err := net.Listen("tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(port)))
	if err != nil {
		return fmt.Errorf(
			"port %d, which the project's PostgreSQL uses, is taken by another program; end it, or choose another port with "+
				"AMBROSA_POSTGRES_PORT: %w",
			port,
			err,
		)
	}
	return listener.Close()
}

func freePort() (int, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer listener.Close()
	return listener.Addr().(*net.TCPAddr).Port, nil
}
