package postgres

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
)

// TestMain lets the test binary start a server as another user does.
func TestMain(m *testing.M) {
	if folder := os.Getenv("AMBROSA_TEST_POSTGRES_FOLDER"); folder != "" {
		if err := keepAndReadAgain(context.Background(), folder); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		os.Exit(0)
	}
	os.Exit(m.Run())
}

// keepAndReadAgain writes a row, stops the server, starts it again and reads
// the row.
func keepAndReadAgain(ctx context.Context, folder string) error {
	for _, step := range []string{"create table kept as select 42 as answer", "select answer from kept"} {
		s, err := Start(ctx, Options{Folder: folder})
		if err != nil {
			return err
		}
		if err := errors.Join(s.Create(ctx, "ambrosa"), query(ctx, s, step), s.Stop()); err != nil {
			return err
		}
	}
	return nil
}

func query(ctx context.Context, s *Server, text string) error {
	connection, err := pgx.Connect(ctx, s.URL("ambrosa"))
	if err != nil {
		return err
	}
	defer connection.Close(ctx)
	_, err = connection.Exec(ctx, text)
	return err
}

// open is a folder that every user may pass through.
func open(t *testing.T) string {
	t.Helper()
	folder, err := os.MkdirTemp("", "ambrosa-postgres-test-*")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	if err := os.Chmod(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	return folder
}

func TestDataOutlivesTheServer(t *testing.T) {
	if err := keepAndReadAgain(t.Context(), filepath.Join(open(t), "postgres")); err != nil {
		t.Fatal(err)
	}
}

// TestBelowAClosedHomeFolder is a checkout that the server's own user cannot
// reach.
func TestBelowAClosedHomeFolder(t *testing.T) {
	closed := filepath.Join(open(t), "home")
	if err := os.Mkdir(closed, 0o700); err != nil {
		t.Fatal(err)
	}
	folder := filepath.Join(closed, "project", "postgres")
	if err := keepAndReadAgain(t.Context(), folder); err != nil {
		t.Fatal(err)
	}
	if target, err := os.Readlink(filepath.Join(folder, "data")); err == nil {
		t.Logf("the data is in %s", target)
		if err := os.RemoveAll(filepath.Dir(target)); err != nil {
			t.Error(err)
		}
	} else if os.Geteuid() == 0 {
		t.Errorf("root's data is where the server's user cannot reach it: %v", err)
	}
}

// TestAsAnOrdinaryUser runs all of it as a user who may do nothing special.
func TestAsAnOrdinaryUser(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("the other tests run as an ordinary user already")
	}
	const nobody = 65534
	folder := open(t)
	binary := filepath.Join(folder, "test")
	source, err := os.Open(os.Args[0])
	if err != nil {
		t.Fatal(err)
	}
	defer source.Close()
	target, err := os.OpenFile(binary, os.O_CREATE|os.O_WRONLY, 0o755)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := io.Copy(target, source); err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(target.Close(), os.Chown(folder, nobody, nobody)); err != nil {
		t.Fatal(err)
	}
	command := exec.Command(binary)
	command.Dir = folder
	command.Env = append(os.Environ(), "AMBROSA_TEST_POSTGRES_FOLDER="+filepath.Join(folder, "postgres"), "HOME="+folder)
	command.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: nobody, Gid: nobody}}
	if out, err := command.CombinedOutput(); err != nil {
		t.Errorf("%v: %s", err, out)
	}
}

// TestAServerLeftRunningIsTakenOver is a start after the program was killed.
func TestAServerLeftRunningIsTakenOver(t *testing.T) {
	folder := filepath.Join(open(t), "postgres")
	first, err := Start(t.Context(), Options{Folder: folder, Throwaway: true})
	if err != nil {
		t.Fatal(err)
	}
	second, err := Start(t.Context(), Options{Folder: folder})
	if err != nil {
		t.Fatal(err)
	}
	if first.URL("x") != second.URL("x") {
		t.Errorf("a second server: %s beside %s", second.URL("x"), first.URL("x"))
	}
	if err := second.Stop(); err != nil {
		t.Fatal(err)
	}
	select {
	case <-first.exited:
	case <-time.After(30 * time.Second):
		t.Error("the server taken over did not stop")
	}
}

func TestATakenPortIsNamed(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	address, _ := listener.Addr().(*net.TCPAddr)
	_, err = Start(t.Context(), Options{Folder: filepath.Join(open(t), "postgres"), Port: address.Port})
	if err == nil || !strings.Contains(err.Error(), fmt.Sprintf("port %d", address.Port)) ||
		!strings.Contains(err.Error(), "AMBROSA_POSTGRES_PORT") {
		t.Errorf("says %v", err)
	}
}

// TestALostPasswordLosesNoData expects that a database whose password file is
// gone is not made anew over the old one.
func TestALostPasswordLosesNoData(t *testing.T) {
	folder := filepath.Join(open(t), "postgres")
	if err := keepAndReadAgain(t.Context(), folder); err != nil {
		t.Fatal(err)
	}
	secret := filepath.Join(folder, "password")
	content, err := os.ReadFile(secret)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Remove(secret); err != nil {
		t.Fatal(err)
	}
	if _, err := Start(t.Context(), Options{Folder: folder}); err == nil || !strings.Contains(err.Error(), secret) {
		t.Errorf("says %v", err)
	}
	if err := os.WriteFile(secret, content, 0o600); err != nil {
		t.Fatal(err)
	}
	s, err := Start(t.Context(), Options{Folder: folder})
	if err != nil {
		t.Fatal(err)
	}
	if err := errors.Join(query(t.Context(), s, "select answer from kept"), s.Stop()); err != nil {
		t.Error(err)
	}
}

// TestAnInitialisationBrokenOffIsBegunAgain leaves a half made data folder.
func TestAnInitialisationBrokenOffIsBegunAgain(t *testing.T) {
	folder := filepath.Join(open(t), "postgres")
	half := filepath.Join(folder, "data.new")
	if err := errors.Join(os.MkdirAll(half, 0o700), os.WriteFile(filepath.Join(half, "PG_VERSION"), []byte("15\n"), 0o600),
		os.WriteFile(filepath.Join(folder, "password"), []byte("of before\n"), 0o600)); err != nil {
		t.Fatal(err)
	}
	if err := keepAndReadAgain(t.Context(), folder); err != nil {
		t.Fatal(err)
	}
}
