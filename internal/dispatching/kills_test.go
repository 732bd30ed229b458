package dispatching

import (
	"bufio"
	"context"
	"crypto/sha256"
	"fmt"
	"math/rand/v2"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"golang.org/x/net/webdav"

	"ambrosa/core/dispatch"
	"ambrosa/core/identity"
	"ambrosa/internal/blob"
	"ambrosa/internal/door"
	"ambrosa/internal/drives"
	"ambrosa/internal/outgoing"
	"ambrosa/internal/picture"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
	"ambrosa/internal/vault"
)

// What a process that is to be killed works in.
const (
	killedDatabase = "AMBROSA_KILLED_DATABASE"
	killedFolder   = "AMBROSA_KILLED_FOLDER"
)

// alive is what such a process says when it begins to work.
const alive = "alive"

// noPictures makes none: these go as they came.
type noPictures struct{}

func (noPictures) Make(context.Context, string, picture.Making) (picture.Made, string, error) {
	return picture.Made{}, "none", nil
}

func (noPictures) Decoders() int { return 2 }

// noRuns queues nothing: the tests do what is queued.
type noRuns struct{}

func (noRuns) Queue(context.Context, *door.Tx, identity.Actor, string, store.About) (int64, error) {
	return 0, nil
}

func dispatcherOf(t *testing.T, database, folder string) *Dispatcher {
	t.Helper()
	s, err := store.Open(t.Context(), database)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	blobs, err := blob.Open(t.Context(), filepath.Join(folder, "blobs"), filepath.Join(folder, "spool"))
	if err != nil {
		t.Fatal(err)
	}
	secrets, err := vault.Open("", filepath.Join(folder, "key"))
	if err != nil {
		t.Fatal(err)
	}
	return &Dispatcher{Store: s, Blobs: blobs, Pictures: noPictures{}, Runs: noRuns{},
		Drives: &drives.Opener{Vault: secrets, Guard: outgoing.Allow("127.0.0.1:*")}}
}

// stock fills a library with products of a picture each, and returns their sums.
func stock(t *testing.T, d *Dispatcher, folder string, pictures int) map[string]bool {
	t.Helper()
	random := rand.NewChaCha8([32]byte{9})
	sums := map[string]bool{}
	exec := func(text string, args ...any) {
		t.Helper()
		if _, err := testdb.Pool(d.Store).Exec(t.Context(), text, args...); err != nil {
			t.Fatal(err)
		}
	}
	exec(`insert into lot (name, state) values ('studio', 'applied')`)
	exec(`insert into upload (id, lot_id, path, bytes) values ('u', (select max(id) from lot), 'a.zip', 1)`)
	content := make([]byte, 40_000)
	for n := range pictures {
		_, _ = random.Read(content)
		raw := sha256.Sum256(content)
		sum := fmt.Sprintf("%x", raw)
		sums[sum] = true
		path := filepath.Join(folder, "blobs", "originals", sum[:2], sum)
		if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, content, 0o600); err != nil {
			t.Fatal(err)
		}
		exec(`with b as (insert into blob (sha256, bytes, type) values ($1, $2, 'image/jpeg')),
			p as (insert into product (code) values ('P' || $3) returning id),
			f as (insert into file (lot_id, upload_id, entry, path, bytes, sha256, verdict, rights)
				values ((select max(id) from lot), 'u', $4, $3 || '.jpg', $2, $1, 'loose', 'cleared') returning id)
			insert into placement (product_id, file_id, place) select p.id, f.id, 1 from p, f`, raw[:], len(content), strconv.Itoa(n), n)
	}
	return sums
}

// TestKills kills processes (with a signal that none can catch) at any moment of putting pictures
// on a drive: no half file is ever seen under a picture's name, what goes on sends the rest, and
// the receipt has each picture once, as it stands there. AMBROSA_KILLS says how many.
func TestKills(t *testing.T) {
	if os.Getenv(killedDatabase) != "" {
		t.Skip("this is the one to be killed")
	}
	kills := 20
	if n, err := strconv.Atoi(os.Getenv("AMBROSA_KILLS")); err == nil {
		kills = n
	}
	database, folder, drive := testdb.Create(t), t.TempDir(), t.TempDir()
	server := httptest.NewServer(&webdav.Handler{FileSystem: webdav.Dir(drive), LockSystem: webdav.NewMemLS()})
	t.Cleanup(server.Close)
	d := dispatcherOf(t, database, folder)
	const pictures = 600
	sums := stock(t, d, folder, pictures)
	settings := dispatch.Settings{Pictures: dispatch.All, Names: "[sku]"}
	outlet, err := d.Make(t.Context(), identity.Specialist, "webdav", Wanted{Name: "drive", Address: map[string]string{"address": server.URL},
		Settings: settings})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := d.Dispatch(t.Context(), identity.Specialist, outlet, Going{Version: 1}); err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(5, 8))
	broken := 0
	for range kills {
		killed(t, database, folder, time.Duration(10+r.IntN(120))*time.Millisecond)
		whole, parts := seen(t, drive, sums)
		if broken += parts; whole == pictures {
			break
		}
	}
	done, err := d.Do(t.Context(), identity.Specialist, 1, func(int64, int64) {})
	if err != nil || done.EndedAt == nil || done.Pictures != pictures {
		t.Fatalf("%+v, %v", done, err)
	}
	whole, _ := seen(t, drive, sums)
	var once, standing int
	err = testdb.Pool(d.Store).QueryRow(t.Context(), `select count(distinct (product_id, name, sent)), (select count(*) from outlet_picture)
		from dispatch_picture where held = ''`).Scan(&once, &standing)
	if err != nil || whole != pictures || once != pictures || standing != pictures {
		t.Errorf("%d are there, the receipt has %d, %d are known to stand: %v", whole, once, standing, err)
	}
	t.Logf("half files that nobody sees, after %d kills: %d", kills, broken)
}

// seen counts the whole pictures on the drive, and the files in passing; others are errors.
func seen(t *testing.T, drive string, sums map[string]bool) (whole, parts int) {
	t.Helper()
	entries, err := os.ReadDir(drive)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		if strings.HasSuffix(e.Name(), ".part") {
			parts++
			continue
		}
		content, err := os.ReadFile(filepath.Join(drive, e.Name()))
		if err != nil {
			t.Fatal(err)
		}
		if !sums[fmt.Sprintf("%x", sha256.Sum256(content))] {
			t.Fatalf("%s is there, and is no picture: %d bytes", e.Name(), len(content))
		}
		whole++
	}
	return whole, parts
}

// killed starts a process that hands on, and kills it some time after it began.
func killed(t *testing.T, database, folder string, after time.Duration) {
	t.Helper()
	process := exec.Command(os.Args[0], "-test.run=^TestToBeKilled$")
	process.Env = append(os.Environ(), killedDatabase+"="+database, killedFolder+"="+folder)
	out, err := process.StdoutPipe()
	if err != nil {
		t.Fatal(err)
	}
	if err := process.Start(); err != nil {
		t.Fatal(err)
	}
	said := bufio.NewScanner(out)
	for said.Scan() && said.Text() != alive {
	}
	time.Sleep(after)
	_ = process.Process.Kill() // it may have ended
	_ = process.Wait()
}

// TestToBeKilled is the process that hands on until it is killed.
func TestToBeKilled(t *testing.T) {
	database := os.Getenv(killedDatabase)
	if database == "" {
		t.Skip("it is begun by TestKills")
	}
	d := dispatcherOf(t, database, os.Getenv(killedFolder))
	fmt.Println(alive)
	if _, err := d.Do(t.Context(), identity.Specialist, 1, func(int64, int64) {}); err != nil {
		t.Fatal(err)
	}
}
