package bench

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"

	"ambrosa/internal/client"
	"ambrosa/internal/testdb"
)

func must(b *testing.B, err error) {
	b.Helper()
	if err != nil {
		b.Fatal(err)
	}
}

// program is Ambrosa with a database and a folder of its own.
type program struct {
	b                *testing.B
	address          string
	database, folder string
	process          *exec.Cmd
	connection       *pgx.Conn
}

func start(b *testing.B, environment ...string) *program {
	b.Helper()
	return startOn(b, testdb.Create(b), environment...)
}

// startOn is start on a database that is there already.
func startOn(b *testing.B, database string, environment ...string) *program {
	b.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	must(b, err)
	address := listener.Addr().String()
	must(b, listener.Close())
	p := &program{b: b, address: "http://" + address, database: database, folder: b.TempDir()}
	p.process = exec.Command(binary, "serve")
	p.process.Env = append(
		os.Environ(),
		"AMBROSA_DATABASE="+p.database,
		"AMBROSA_DATA="+p.folder,
		"AMBROSA_LISTEN="+address,
		"AMBROSA_ALLOW=127.0.0.1:*",
	)
	p.process.Env = append(p.process.Env, environment...)
	p.process.Stderr = os.Stderr
	must(b, p.process.Start())
	b.Cleanup(func() {
		if p.connection != nil {
			_ = p.connection.Close(context.Background())
		}
	})
	ended := make(chan error, 1)
	go func() { ended <- p.process.Wait() }()
	b.Cleanup(func() {
		_ = p.process.Process.Signal(syscall.SIGTERM)
		<-ended
	})
	p.until("the program", func() bool {
		select {
		case err := <-ended:
			ended <- err
			b.Fatalf("the program ended as it started: %v", err)
		default:
		}
		response, err := http.Get(p.address + "/readyz")
		if err == nil {
			_ = response.Body.Close()
		}
		return err == nil
	})
	return p
}

func (p *program) until(what string, reached func() bool) {
	p.b.Helper()
	for end := time.Now().Add(10 * time.Minute); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if reached() {
			return
		}
	}
	p.b.Fatalf("waited in vain for %s", what)
}

func (p *program) query(text string, into ...any) {
	p.b.Helper()
	ctx := context.Background()
	var err error
	if p.connection == nil {
		p.connection, err = pgx.Connect(ctx, p.database)
		must(p.b, err)
	}
	if len(into) == 0 {
		_, err = p.connection.Exec(ctx, text)
	} else {
		err = p.connection.QueryRow(ctx, text).Scan(into...)
	}
	must(p.b, err)
}

// gather uploads an archive by tus and waits until its lot is ready.
func (p *program) gather(name string) {
	p.b.Helper()
	file, err := os.Open(name)
	must(p.b, err)
	defer file.Close()
	info, err := file.Stat()
	must(p.b, err)
	lot, err := client.Client{Address: p.address}.Gather(context.Background(), "large.zip", file, info.Size())
	must(p.b, err)
	p.until("the lot", func() bool {
		state := ""
		p.query(fmt.Sprintf(`select state from lot where id = %d`, lot), &state)
		return state == "ready"
	})
}

// resident sums up the resident memory of a process and its children, bytes.
func resident(pid int) (sum int64) {
	children, _ := os.ReadFile(fmt.Sprintf("/proc/%d/task/%d/children", pid, pid))
	pids := append(strings.Fields(string(children)), strconv.Itoa(pid))
	if found, err := exec.Command("pgrep", "-P", strconv.Itoa(pid)).Output(); err == nil {
		pids = append(strings.Fields(string(found)), strconv.Itoa(pid))
	}
	for _, id := range pids {
		status, _ := os.ReadFile("/proc/" + id + "/status")
		for line := range strings.Lines(string(status)) {
			if strings.HasPrefix(line, "VmRSS:") {
				kilobytes, _ := strconv.ParseInt(strings.Fields(line)[1], 10, 64)
				sum += kilobytes << 10
			}
		}
	}
	return sum
}
