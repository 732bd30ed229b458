package app

import (
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"

	"golang.org/x/net/webdav"

	"ambrosa/internal/standin"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// toHandOn is a line with three products, of which two have a picture that may be handed on.
func toHandOn(t *testing.T) (l *line, lot int64) {
	t.Helper()
	l = start(t, func(c *Config) { c.Allow = []string{"127.0.0.1:*"} })
	l.products(3)
	gathered := l.gathered("spring.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-000-A_2.jpg", jpg(t, 2)},
		entry{"AT-001-A.jpg", jpg(t, 3)}))
	l.applied(l.planned(gathered.ID, "after"))
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'cleared'`)
	l.do(err)
	return l, gathered.ID
}

// below are the sums of the files below a folder, by path.
func below(t *testing.T, folder string) map[string]string {
	t.Helper()
	found := map[string]string{}
	err := filepath.WalkDir(folder, func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		content, err := os.ReadFile(path)
		name, _ := filepath.Rel(folder, path)
		found[filepath.ToSlash(name)] = fmt.Sprintf("%x", sha256.Sum256(content))
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return found
}

// receipt says of a dispatch what went under which name (name, and the sum of what went), and what
// was removed or held back ("removed", or why).
func (l *line) receipt(dispatch int64) map[string]string {
	l.t.Helper()
	var receipt struct{ Items []store.DispatchedPicture }
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/dispatches/%d/pictures", dispatch), &receipt))
	said := map[string]string{}
	for _, p := range receipt.Items {
		switch {
		case p.Removed, said[p.Name] == "removed":
			said[p.Name] = "removed"
		case p.Held != "":
			said[p.Name] = p.Held
		default:
			said[p.Name] = p.Sent
		}
	}
	return said
}

// shared serves a folder by WebDAV, to be written to; every request is shown to before first.
func shared(t *testing.T, folder string, before func(w http.ResponseWriter, r *http.Request) (answered bool)) string {
	t.Helper()
	handler := &webdav.Handler{FileSystem: webdav.Dir(folder), LockSystem: webdav.NewMemLS()}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if before == nil || !before(w, r) {
			handler.ServeHTTP(w, r)
		}
	}))
	t.Cleanup(server.Close)
	return server.URL
}

func (l *line) outlet(kind string, address map[string]string, change map[string]any) int64 {
	l.t.Helper()
	var made struct{ ID int64 }
	l.post("/api/v1/outlets", map[string]any{"name": kind, "kind": kind, "address": address, "settings": wants(change)}, &made)
	return made.ID
}

// TestADriveHasWhatTheReceiptSays puts pictures on drives of three kinds: what stands there is
// what the receipt says, only what changed goes the second time, what is not wanted any more is
// taken away where that is said, and nothing else is touched.
func TestADriveHasWhatTheReceiptSays(t *testing.T) {
	t.Parallel()
	for kind, open := range map[string]func(t *testing.T, folder string) map[string]string{
		"webdav": func(t *testing.T, folder string) map[string]string {
			return map[string]string{"address": shared(t, folder, nil), "within": "shop"}
		},
		"sftp": func(t *testing.T, folder string) map[string]string {
			at, err := standin.WritableSFTP(t.Context(), "127.0.0.1:0", folder, filepath.Join(t.TempDir(), "key"))
			if err != nil {
				t.Fatal(err)
			}
			return map[string]string{"host": at.String(), "user": standin.User, "password": standin.Password, "folder": "/", "within": "shop"}
		},
	} {
		t.Run(kind, func(t *testing.T) {
			l, lot := toHandOn(t)
			folder := t.TempDir()
			l.do(os.MkdirAll(filepath.Join(folder, "shop"), 0o755))
			l.do(os.WriteFile(filepath.Join(folder, "shop", "theirs.txt"), []byte("theirs"), 0o600))
			outlet := l.outlet(kind, open(t, folder), map[string]any{"remove": true})
			stands := func() map[string]string {
				found := map[string]string{}
				for name, sum := range below(t, folder) {
					if name != "shop/theirs.txt" {
						found[strings.TrimPrefix(name, "shop/")] = sum
					}
				}
				return found
			}
			first := l.handedOn(outlet)
			if said := l.receipt(first.ID); first.Pictures != 3 || !maps.Equal(said, stands()) {
				t.Fatalf("the receipt %+v says %v, there stands %v", first, said, stands())
			}
			if again := l.handedOn(outlet); again.Pictures != 0 || again.Removed != 0 {
				t.Errorf("nothing changed, and %+v", again)
			}
			// One may not be handed on any more, and one has another name.
			_, err := testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'restricted' where lot_id = $1 and path
				= 'AT-001-A.jpg'`, lot)
			l.do(err)
			_, err = testdb.Pool(l.Store).Exec(t.Context(), `update placement set alt = 'Another text' where place = 2`)
			l.do(err)
			third := l.handedOn(outlet)
			said := l.receipt(third.ID)
			gone := said["AT-001/AT-001-A_01.jpg"]
			delete(said, "AT-001/AT-001-A_01.jpg")
			if gone != "removed" || third.Pictures != 1 || third.Removed != 1 || len(stands()) != 2 {
				t.Errorf("%+v says %v, gone is %q, there stands %v", third, said, gone, stands())
			}
			if content, err := os.ReadFile(filepath.Join(folder, "shop", "theirs.txt")); err != nil || string(content) != "theirs" {
				t.Errorf("what is theirs: %q, %v", content, err)
			}
		})
	}
}

// TestHalfAFileIsNeverSeen: a drive that breaks off in the middle has no half file under a
// picture's name, what went is in the receipt, and the run goes on from there.
func TestHalfAFileIsNeverSeen(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	folder := t.TempDir()
	var broken atomic.Bool
	puts := atomic.Int64{}
	address := shared(t, folder, func(w http.ResponseWriter, r *http.Request) bool {
		if r.Method != http.MethodPut || !broken.Load() || puts.Add(1) == 1 {
			return false
		}
		half := make([]byte, r.ContentLength/2)
		_, _ = io.ReadFull(r.Body, half)
		_ = os.WriteFile(filepath.Join(folder, filepath.FromSlash(strings.TrimPrefix(r.URL.Path, "/"))), half, 0o600)
		panic(http.ErrAbortHandler)
	})
	outlet := l.outlet("webdav", map[string]string{"address": address}, map[string]any{"names": "[sku]_[place]"})
	broken.Store(true)
	d := l.handedOn(outlet)
	whole := map[string]bool{}
	for _, sum := range l.receipt(d.ID) {
		whole[sum] = true
	}
	for name, sum := range below(t, folder) {
		if !strings.HasSuffix(name, ".part") && !whole[sum] {
			t.Errorf("%s stands there with bytes that nothing says went", name)
		}
	}
	if d.Pictures != 1 || d.Held != 2 {
		t.Errorf("%+v %v", d, l.receipt(d.ID))
	}
	broken.Store(false)
	if again := l.handedOn(outlet); again.Pictures != 2 || again.Held != 0 {
		t.Errorf("when it is whole again: %+v", again)
	}
	names := slices.Sorted(maps.Keys(below(t, folder)))
	if !slices.Equal(names, []string{"AT-000-A_1.jpg", "AT-000-A_2.jpg", "AT-001-A_1.jpg"}) {
		t.Errorf("there stand %v", names)
	}
}

// shopAddress is how the sample shop is described.
func shopAddress(at string) map[string]string {
	return map[string]string{"address": "http://" + at + "/interface/[sku]/[place]", "method": "PUT", "body": "a form (multipart)",
		"field": "file", "values": "product = [code]\ntitle = [title]\nname = [file]\ntext = [text]", "key": standin.ShopKey,
		"done": "state = done", "remove": "http://" + at + "/interface/[sku]/[place]", "test": "http://" + at + "/interface", "rate": "1000"}
}

// TestAShopIsGivenWhatChanged hands pictures on to the sample shop, which at first is busy, and
// says so: each goes once, with its name and text; another lead takes the place of the first;
// what is refused is held back with what the shop said.
func TestAShopIsGivenWhatChanged(t *testing.T) {
	t.Parallel()
	l, lot := toHandOn(t)
	shop, err := standin.OpenShop(t.TempDir())
	l.do(err)
	busy := atomic.Int64{}
	refuse := atomic.Value{}
	refuse.Store("")
	shop.Before = func(w http.ResponseWriter, r *http.Request) bool {
		if r.Method == http.MethodGet {
			return false
		}
		if busy.Add(-1) >= 0 {
			w.Header().Set("Retry-After", "1")
			http.Error(w, "busy", http.StatusTooManyRequests)
			return true
		}
		if bad := refuse.Load().(string); bad != "" && strings.Contains(r.URL.Path, bad) {
			http.Error(w, "<html>The picture is <b>too wide</b></html>", http.StatusUnprocessableEntity)
			return true
		}
		return false
	}
	at, err := shop.Serve(t.Context(), "127.0.0.1:0")
	l.do(err)
	bad := shopAddress(at.String())
	bad["key"] = "Bearer wrong"
	wrong := map[string]any{"name": "x", "kind": "shop", "address": bad, "settings": wants(nil)}
	l.refused(l.Post(t.Context(), "/api/v1/outlets", wrong, nil), http.StatusUnprocessableEntity)
	outlet := l.outlet("shop", shopAddress(at.String()), map[string]any{"remove": true, "names": "[sku]-[place]"})
	if text := l.text(`select address::text || secrets::text from outlet`); strings.Contains(text, "clover") {
		t.Errorf("the key stands in the database: %s", text)
	}
	var shown store.Outlet
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/outlets/%d", outlet), &shown))
	if _, is := shown.Address["key"]; is {
		t.Error("the key is shown")
	}
	has := func() (all []string) {
		for _, p := range shop.Pictures() {
			all = append(all, fmt.Sprintf("%s/%s %s %s", p.SKU, p.Place, p.Name, l.path(lot, p.Bytes)))
		}
		return all
	}
	busy.Store(2)
	first := l.handedOn(outlet)
	want := []string{"AT-000-A/1 AT-000-A-1.jpg AT-000-A.jpg", "AT-000-A/2 AT-000-A-2.jpg AT-000-A_2.jpg",
		"AT-001-A/1 AT-001-A-1.jpg AT-001-A.jpg"}
	if first.Pictures != 3 || shop.Puts != 3 || !slices.Equal(has(), want) {
		t.Errorf("%+v after %d puts: %q", first, shop.Puts, has())
	}
	// The two change places: both go, nothing is removed. One that is refused says why.
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update placement set place = 3 - place
		where product_id = (select id from product where code = 'AT-000')`)
	l.do(err)
	second := l.handedOn(outlet)
	if second.Pictures != 2 || second.Removed != 0 || len(has()) != 3 || !strings.HasSuffix(has()[0], "AT-000-A_2.jpg") {
		t.Errorf("changed places: %+v, %q", second, has())
	}
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update placement set alt = 'new ' || place`)
	l.do(err)
	refuse.Store("AT-001")
	third := l.handedOn(outlet)
	if said := l.receipt(third.ID)["AT-001-A-1.jpg"]; third.Pictures != 2 || third.Held != 1 || !strings.Contains(said, "too wide") {
		t.Errorf("one is refused: %+v, %q", third, said)
	}
	refuse.Store("")
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'restricted' where lot_id = $1 and path = 'AT-000-A.jpg'`, lot)
	l.do(err)
	fourth := l.handedOn(outlet)
	if fourth.Pictures != 1 || fourth.Removed != 1 || len(has()) != 2 {
		t.Errorf("one may not go any more: %+v, %q, %v", fourth, has(), l.receipt(fourth.ID))
	}
	if before := shop.Puts; l.handedOn(outlet).Pictures != 0 || shop.Puts != before {
		t.Error("nothing changed, and something went")
	}
}

// path is the path of the file of a lot that has these bytes.
func (l *line) path(lot int64, content []byte) string {
	sum := sha256.Sum256(content)
	return strings.TrimSpace(l.text(fmt.Sprintf(`select coalesce(max(path), 'others') from file where lot_id = %d and sha256 = '\x%x'`,
		lot, sum)))
}

// TestOutletsThatCannotBe are refused when they are made, with what is wrong.
func TestOutletsThatCannotBe(t *testing.T) {
	t.Parallel()
	l := start(t, func(c *Config) { c.Allow = []string{"127.0.0.1:*"} })
	full := shared(t, t.TempDir(), func(w http.ResponseWriter, r *http.Request) bool {
		if r.Method == http.MethodPut {
			w.WriteHeader(http.StatusInsufficientStorage)
		}
		return r.Method == http.MethodPut
	})
	mangles := shared(t, t.TempDir(), func(w http.ResponseWriter, r *http.Request) bool {
		if r.Method == http.MethodGet {
			_, _ = w.Write([]byte("<html>Please log in</html>"))
		}
		return r.Method == http.MethodGet
	})
	away := httptest.NewServer(http.RedirectHandler("http://169.254.169.254/latest", http.StatusFound))
	t.Cleanup(away.Close)
	secure := httptest.NewTLSServer(http.NotFoundHandler())
	t.Cleanup(secure.Close)
	shop := func(at, change string) map[string]string {
		a := map[string]string{"address": at + "/[sku]", "test": at + "/"}
		if name, value, is := strings.Cut(change, "="); is {
			a[name] = value
		}
		return a
	}
	for what, c := range map[string]struct {
		kind    string
		address map[string]string
		words   string
	}{
		"no such kind":      {"pigeon", nil, "no kind of outlet"},
		"full":              {"webdav", map[string]string{"address": full}, "is full"},
		"other bytes":       {"webdav", map[string]string{"address": mangles}, "other bytes than were sent"},
		"private":           {"webdav", map[string]string{"address": "http://10.1.2.3/"}, "private address"},
		"nobody":            {"webdav", map[string]string{"address": "http://127.0.0.1:1/"}, "refuses the connection"},
		"led away":          {"shop", shop(away.URL, ""), "leads to another address"},
		"a certificate":     {"shop", shop(secure.URL, ""), "certificate"},
		"no template":       {"shop", shop(away.URL, "values=alt = [nothing]"), "no field"},
		"no header":         {"shop", shop(away.URL, "headers=X-Alt [text]"), "is no header"},
		"removes too many":  {"shop", shop(away.URL, "remove="+away.URL+"/[sku]"), "has to tell it from others"},
		"removes elsewhere": {"shop", shop(away.URL, "remove=http://other.example/[sku]/[place]"), "leads elsewhere"},
		"no address":        {"shop", map[string]string{}, "missing"},
	} {
		body := map[string]any{"name": what, "kind": c.kind, "address": c.address, "settings": wants(nil)}
		err := l.Post(t.Context(), "/api/v1/outlets", body, nil)
		if err == nil || !strings.Contains(err.Error(), "422") || !strings.Contains(err.Error(), c.words) {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// TestTwoAtOnce: of two people who hand on to one outlet at once, one is told; each picture goes
// once.
func TestTwoAtOnce(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	shop, err := standin.OpenShop(t.TempDir())
	l.do(err)
	at, err := shop.Serve(t.Context(), "127.0.0.1:0")
	l.do(err)
	outlet := l.outlet("shop", shopAddress(at.String()), nil)
	answers := make(chan error, 6)
	for range cap(answers) {
		go func() {
			to := fmt.Sprintf("/api/v1/outlets/%d/dispatch", outlet)
			answers <- l.Post(context.WithoutCancel(t.Context()), to, map[string]any{"version": 1}, nil)
		}()
	}
	taken := 0
	for range cap(answers) {
		if err := <-answers; err == nil {
			taken++
		} else if !strings.Contains(err.Error(), "409") {
			t.Error(err)
		}
	}
	l.until("the dispatches to end", func() bool { return !l.busy() })
	if taken == 0 || shop.Puts != 3 {
		t.Errorf("%d were taken, %d pictures were put", taken, shop.Puts)
	}
}

// TestWhatEndsMeanwhileDoesNotGo: while a dispatch goes on, the rights of some end and others are
// taken off their product: what had not gone by then does not go, and the receipt says why.
func TestWhatEndsMeanwhileDoesNotGo(t *testing.T) {
	t.Parallel()
	l := start(t, func(c *Config) { c.Allow = []string{"127.0.0.1:*"} })
	const all = 24
	l.products(all)
	var files []entry
	for n := range all {
		files = append(files, entry{fmt.Sprintf("AT-%03d-A.jpg", n), jpg(t, n+1)})
	}
	lot := l.gathered("spring.zip", zipped(t, files...))
	l.applied(l.planned(lot.ID, "after"))
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'cleared'`)
	l.do(err)
	shop, err := standin.OpenShop(t.TempDir())
	l.do(err)
	var ended atomic.Bool
	shop.Before = func(_ http.ResponseWriter, r *http.Request) bool {
		if r.Method == http.MethodPut && !ended.Swap(true) {
			_, err := testdb.Pool(l.Store).Exec(context.WithoutCancel(t.Context()), `update file set expires = '2020-01-01' where path < 'AT-012'`)
			if err == nil {
				_, err = testdb.Pool(l.Store).Exec(context.WithoutCancel(t.Context()), `delete from placement where product_id in (
					select id from product where code >= 'AT-012')`)
			}
			if err != nil {
				t.Error(err)
			}
		}
		return false
	}
	at, err := shop.Serve(t.Context(), "127.0.0.1:0")
	l.do(err)
	d := l.handedOn(l.outlet("shop", shopAddress(at.String()), nil))
	reasons := map[string]int{}
	for _, said := range l.receipt(d.ID) {
		if len(said) != 64 {
			reasons[said]++
		}
	}
	// Four go side by side, so some were on their way.
	if d.Pictures != len(shop.Pictures()) || d.Pictures > 8 || d.Pictures+d.Held != all || len(reasons) != 2 ||
		reasons["its rights ended on 1 January 2020"] < 4 || reasons["it does not stand there any more"] != 12 {
		t.Errorf("%+v, the shop has %d: %v", d, len(shop.Pictures()), reasons)
	}
}

// TestAnOutletGoesByItself: one with a timetable goes when its time has come, once, and says when
// it goes next; one by hand does not.
func TestAnOutletGoesByItself(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	var due, byHand struct{ ID int64 }
	timed := aPackage("Nightly", wants(nil))
	timed["everyMinutes"] = 1440
	l.post("/api/v1/outlets", timed, &due)
	l.post("/api/v1/outlets", aPackage("By hand", wants(nil)), &byHand)
	l.do(l.Runner.Dispatcher.Due(t.Context()))
	if n := strings.TrimSpace(l.text(`select count(*)::text from dispatch`)); n != "0" {
		t.Errorf("%s went before their time", n)
	}
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update outlet set next_at = now() - interval '1 minute' where every_minutes > 0`)
	l.do(err)
	for range 3 {
		l.do(l.Runner.Dispatcher.Due(t.Context()))
	}
	l.until("it to be handed on", func() bool {
		return strings.TrimSpace(l.text(`select count(*)::text from dispatch where ended_at is not null`)) == "1"
	})
	var shown store.Outlet
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/outlets/%d", due.ID), &shown))
	got := l.text(`select outlet || ' ' || actor_name(actor_id) from dispatch`)
	if !strings.HasPrefix(got, "Nightly") || shown.NextAt == nil || shown.Last == nil {
		t.Errorf("%q, %+v", got, shown)
	}
}
