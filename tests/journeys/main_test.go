// Package journeys goes the whole way as people do: through the real program,
// the real database and the real browser, with the sample data.
package journeys

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/demo"
	"ambrosa/internal/client"
	"ambrosa/internal/testdb"
	"ambrosa/internal/testprogram"
)

// scratch is a folder for what all tests share; binary is in it, or where make
// test has built it.
var scratch, binary, samples string

func TestMain(m *testing.M) {
	var err error
	if scratch, err = os.MkdirTemp("", "ambrosa-journeys-*"); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	samples = filepath.Join(scratch, "samples")
	folder, temporary := testprogram.Folder(testprogram.Main, testprogram.Decode, testprogram.Draw)
	binary = filepath.Join(folder, testprogram.Main)
	testdb.Main(m, append(temporary, scratch)...)
}

// drawn makes the sample archives once for all tests.
var drawn = sync.OnceValue(func() error {
	if out, err := exec.Command(binary+"-draw", samples).CombinedOutput(); err != nil {
		return fmt.Errorf("draw the samples: %w: %s", err, out)
	}
	return os.WriteFile(filepath.Join(samples, ".complete"), nil, 0o600)
})

// instance is the program with a database and a folder of its own.
type instance struct {
	t                        *testing.T
	database, folder, listen string
	process                  *exec.Cmd
	log                      bytes.Buffer
	asking                   sync.Mutex // held while the connection is in use
	connection               *pgx.Conn  // by which the test looks at the database
}

// newInstance has a database of its own, made before it, so that it goes after the program ended.
func newInstance(t *testing.T, database string) *instance {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	i := &instance{t: t, database: database, folder: t.TempDir(), listen: listener.Addr().String()}
	t.Cleanup(func() {
		i.stop(syscall.SIGTERM)
		if i.connection != nil {
			_ = i.connection.Close(context.Background())
		}
		if t.Failed() {
			t.Logf("the program said: %s", i.log.String())
		}
	})
	return i
}

func (i *instance) url() string { return "http://" + i.listen }

func (i *instance) start() {
	i.t.Helper()
	i.process = exec.Command(binary, "serve")
	i.process.Env = append(
		os.Environ(),
		"AMBROSA_DATABASE="+i.database,
		"AMBROSA_DATA="+i.folder,
		"AMBROSA_LISTEN="+i.listen,
		"AMBROSA_ALLOW=127.0.0.1:*",
	)
	i.process.Stderr = &i.log
	if err := i.process.Start(); err != nil {
		i.t.Fatal(err)
	}
	i.until("the program to be ready", func() bool {
		response, err := http.Get(i.url() + "/readyz")
		if err != nil {
			return false
		}
		_ = response.Body.Close()
		return response.StatusCode == http.StatusOK
	})
}

func (i *instance) stop(signal syscall.Signal) {
	if i.process == nil {
		return
	}
	_ = i.process.Process.Signal(signal)
	_ = i.process.Wait()
	i.process = nil
}

// kill ends the program as a power cut would, and starts it again.
func (i *instance) killAndStart() {
	i.t.Helper()
	i.stop(syscall.SIGKILL)
	i.start()
}

// seeded is a database and a folder with the sample data, made once: tests get
// copies.
var seeded struct {
	sync.Once
	database, folder string
}

// newSeeded starts the program on the sample data.
func newSeeded(t *testing.T) *instance {
	t.Helper()
	seeded.Do(func() {
		if err := drawn(); err != nil {
			t.Fatal(err)
		}
		first := newInstance(t, testdb.Create(t))
		first.folder = filepath.Join(scratch, "seeded")
		if err := errors.Join(os.MkdirAll(first.folder, 0o700), os.Symlink(samples, filepath.Join(first.folder, "samples"))); err != nil {
			t.Fatal(err)
		}
		first.start()
		if err := demo.Seed(context.Background(), first.url(), first.folder, io.Discard); err != nil {
			t.Fatal(err)
		}
		first.stop(syscall.SIGTERM)
		seeded.database, seeded.folder = testdb.Keep(t, first.database), first.folder
	})
	if seeded.database == "" {
		t.Fatal("the sample data could not be made")
	}
	i := newInstance(t, testdb.CopyOf(t, seeded.database))
	if err := os.CopyFS(filepath.Join(i.folder, "blobs"), os.DirFS(filepath.Join(seeded.folder, "blobs"))); err != nil {
		t.Fatal(err)
	}
	i.start()
	return i
}

func (i *instance) until(what string, reached func() bool) {
	i.t.Helper()
	for end := time.Now().Add(3 * time.Minute); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if reached() {
			return
		}
	}
	i.t.Fatalf("waited in vain for %s", what)
}

func (i *instance) client() client.Client { return client.Client{Address: i.url()} }

func (i *instance) post(path string, body, into any) {
	i.t.Helper()
	if err := i.client().Post(i.t.Context(), path, body, into); err != nil {
		i.t.Fatal(err)
	}
}

// rows returns a query's answer as text, a line a row.
func (i *instance) rows(query string) string {
	i.t.Helper()
	ctx := context.Background()
	i.asking.Lock()
	defer i.asking.Unlock()
	if i.connection == nil || i.connection.IsClosed() {
		var err error
		if i.connection, err = pgx.Connect(ctx, i.database); err != nil {
			i.t.Fatal(err)
		}
	}
	found, err := i.connection.Query(ctx, `select coalesce(string_agg(line::text, e'\n'), '') from (`+query+`) line`)
	if err != nil {
		i.t.Fatal(err)
	}
	text, err := pgx.CollectExactlyOneRow(found, pgx.RowTo[string])
	if err != nil {
		i.t.Fatal(err)
	}
	return text
}

// endState is all that a person would see, without ids and times.
func (i *instance) endState() string {
	return i.rows(
		`select f.path, f.verdict, encode(f.sha256, 'hex'), f.place, f.problem, v.sku from file f left join variant v on v.id = f.variant_id
			order by f.path, f.entry`,
	) + "\n" +
		i.rows(
			`select p.code, v.sku, pl.place, f.path, pl.alt from placement pl join product p on p.id = pl.product_id left
				join variant v on v.id = pl.variant_id join file f on f.id = pl.file_id order by 1, 2, 3`,
		) + "\n" +
		i.rows(`select kind, state from run order by id`) + "\n" + i.rows(
		`select state, count(*) from plan_change group by 1 order by 1`,
	)
}
