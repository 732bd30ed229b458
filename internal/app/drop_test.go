package app

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"ambrosa/internal/door"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// dropper puts files as one person.
type dropper struct {
	*line
	address, name, password string
}

func (l *line) person(name string) *dropper {
	l.t.Helper()
	var made struct{ Name, Password string }
	l.post("/api/v1/drop-folder/people", map[string]string{"name": name}, &made)
	var folder struct{ Address string }
	l.do(l.Get(l.t.Context(), "/api/v1/drop-folder", &folder))
	return &dropper{l, folder.Address, made.Name, made.Password}
}

func (d *dropper) put(path string, content []byte) {
	d.t.Helper()
	request, err := http.NewRequest(http.MethodPut, d.address+path, bytes.NewReader(content))
	d.do(err)
	request.SetBasicAuth(d.name, d.password)
	response, err := http.DefaultClient.Do(request)
	d.do(err)
	said, err := io.ReadAll(response.Body)
	d.do(err)
	_ = response.Body.Close()
	if response.StatusCode != http.StatusCreated {
		d.t.Fatalf("%s: %s %s", path, response.Status, said)
	}
}

func (d *dropper) folder(path string) {
	d.t.Helper()
	request, err := http.NewRequest("MKCOL", d.address+path, nil)
	d.do(err)
	request.SetBasicAuth(d.name, d.password)
	response, err := http.DefaultClient.Do(request)
	d.do(err)
	_ = response.Body.Close()
	if response.StatusCode != http.StatusCreated {
		d.t.Fatalf("%s: %s", path, response.Status)
	}
}

func withDrop(t *testing.T, quiet time.Duration) *line {
	t.Helper()
	return open(t, Config{Database: testdb.Create(t), Data: t.TempDir(), Drop: "127.0.0.1:0", Quiet: quiet}, true)
}

// TestWhatIsDroppedBecomesALot has two people drop files of the same name; each
// gets a lot of their own, on request and by itself.
func TestWhatIsDroppedBecomesALot(t *testing.T) {
	t.Parallel()
	l := withDrop(t, time.Hour)
	l.products(3)
	mara, jo := l.person("Mara"), l.person("Jo")
	l.refused(l.Post(t.Context(), "/api/v1/drop-folder/people", map[string]string{"name": "mara"}, nil), http.StatusConflict)
	mara.folder("new")
	mara.folder("new/AT-001")
	mara.put("new/AT-001/amber.jpg", jpg(t, 1))
	mara.put("AT-000-A.jpg", jpg(t, 2))
	jo.put("AT-000-A.jpg", jpg(t, 3))
	mara.put("two.zip", zipped(t, entry{"AT-002-A.jpg", jpg(t, 4)}, entry{"empty.jpg", nil}))

	l.refused(l.Call(t.Context(), http.MethodDelete, "/api/v1/drop-folder/people/Jo", "", nil, nil), http.StatusConflict)
	var made struct{ ID int64 }
	l.post("/api/v1/drop-folder/people/Mara/lot", nil, &made)
	var lot store.Lot
	l.until("the lot", func() bool {
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/lots/%d", made.ID), &lot))
		return lot.State == "ready"
	})
	if lot.Files != 4 || lot.Paired != 3 || lot.Unusable != 1 || !strings.HasPrefix(lot.Name, "Dropped by Mara ") {
		t.Errorf("%+v", lot)
	}
	for _, f := range l.files(lot.ID).Items {
		if f.Path == "new/AT-001/amber.jpg" && f.Code != "AT-001-A" {
			t.Errorf("the folder is no clue: %+v", f)
		}
	}
	l.refused(l.Post(t.Context(), "/api/v1/drop-folder/people/Mara/lot", nil, nil), http.StatusConflict)
	var folder struct {
		People []struct {
			Name  string
			Files int
		}
	}
	l.do(l.Get(t.Context(), "/api/v1/drop-folder", &folder))
	if fmt.Sprint(folder.People) != "[{Jo 1} {Mara 0}]" {
		t.Errorf("%v", folder.People)
	}
	stored := ""
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), `select string_agg(p::text, ' ') from drop_person p`).Scan(&stored))
	if strings.Contains(stored, mara.password) {
		t.Error("a password can be read")
	}
}

func TestAQuietDropFolderBecomesALotByItself(t *testing.T) {
	t.Parallel()
	l := withDrop(t, 300*time.Millisecond)
	l.products(1)
	l.person("Mara").put("AT-000-A.jpg", jpg(t, 1))
	l.until("a lot by itself", func() bool {
		ready := 0
		l.do(
			testdb.Pool(l.Store).QueryRow(t.Context(), `select count(*) from lot l join file f on f.lot_id = l.id where l.state = 'ready'
				and f.verdict = 'paired'`).
				Scan(&ready),
		)
		return ready == 1
	})
}

// TestATakingBrokenOffGoesOn starts with what a process left that died while it
// took what was dropped: one file recorded and not moved, one not recorded, and
// a lot that nothing came for.
func TestATakingBrokenOffGoesOn(t *testing.T) {
	t.Parallel()
	config := Config{Database: testdb.Create(t), Data: t.TempDir(), Drop: "127.0.0.1:0", Quiet: time.Hour}
	ctx := context.Background()
	s, err := store.Open(ctx, config.Database)
	if err != nil {
		t.Fatal(err)
	}
	lot, err := door.Get(ctx, s.Door, door.Step(ctx), func(tx *door.Tx) (int64, error) {
		return store.CreateLot(ctx, tx, store.NewLot{Name: "Dropped", Origin: "drop", Uploads: 1})
	})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := door.Get(ctx, s.Door, door.Step(ctx), func(tx *door.Tx) (int64, error) {
		return store.CreateLot(ctx, tx, store.NewLot{Name: "Dropped, and nothing came", Origin: "drop", Uploads: 1})
	}); err != nil {
		t.Fatal(err)
	}
	taken := filepath.Join(config.Data, "drop", "taken", strconv.FormatInt(lot, 10))
	put(t, taken, "a.jpg", jpg(t, 1))
	put(t, taken, "below/b.jpg", jpg(t, 2))
	sum := sha256.Sum256([]byte("a.jpg"))
	if err := s.Step(ctx, func(tx *door.Tx) error {
		return store.AddUploads(ctx, tx, []store.Upload{{ID: fmt.Sprintf("drop-%d-%x", lot, sum[:12]), LotID: lot, Path: "a.jpg",
			Bytes: int64(len(jpg(t, 1)))}})
	}); err != nil {
		t.Fatal(err)
	}
	s.Close()
	l := open(t, config, true)
	l.until("the lot", func() bool {
		files, lots := 0, 0
		l.do(
			testdb.Pool(l.Store).QueryRow(ctx, `select (select count(*) from file where verdict = 'loose'), (select count(*) from lot)`).
				Scan(&files, &lots),
		)
		return files == 2 && lots == 1
	})
	if _, err := os.Stat(taken); !os.IsNotExist(err) {
		t.Errorf("what was taken is still there: %v", err)
	}
}

// TestWhatWasTakenForALotThatIsGone starts over with another database and what
// the last one had taken: it comes to new lots, and nothing is lost or repeated.
func TestWhatWasTakenForALotThatIsGone(t *testing.T) {
	t.Parallel()
	data := t.TempDir()
	put := func(path string, content []byte) {
		file := filepath.Join(data, "drop", "taken", path)
		if err := errors.Join(os.MkdirAll(filepath.Dir(file), 0o755), os.WriteFile(file, content, 0o644)); err != nil {
			t.Fatal(err)
		}
	}
	put("1/AT-000-A.jpg", jpg(t, 1)) // a lot that will be another's
	put("77/deep/AT-001-A.jpg", jpg(t, 2))
	if err := os.MkdirAll(filepath.Join(data, "drop", "taken", "78", "empty"), 0o755); err != nil {
		t.Fatal(err)
	}
	database := testdb.Create(t)
	first := open(t, Config{Database: database, Data: data}, true)
	first.products(3)
	first.gathered("other.zip", zipped(t, entry{"AT-002-A.jpg", jpg(t, 3)}))
	l := open(t, Config{Database: database, Data: data, Drop: "127.0.0.1:0", Quiet: time.Hour}, true)
	var lots struct{ Items []store.Lot }
	l.until("two new lots", func() bool {
		l.do(l.Get(t.Context(), "/api/v1/lots", &lots))
		ready := 0
		for _, lot := range lots.Items {
			if lot.State == "ready" {
				ready++
			}
		}
		return ready == 3
	})
	for _, lot := range lots.Items {
		if lot.Files != 1 || lot.Paired != 1 {
			t.Errorf("%s: %d files, %d paired", lot.Name, lot.Files, lot.Paired)
		}
	}
	l.until("all folders to be gone", func() bool {
		left, err := os.ReadDir(filepath.Join(data, "drop", "taken"))
		return err == nil && len(left) == 0
	})
	if strings.Contains(l.log.String(), "level=ERROR") {
		t.Errorf("the log complains: %s", l.log)
	}
}
