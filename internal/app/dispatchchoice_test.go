package app

import (
	"archive/tar"
	"crypto/sha256"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"slices"
	"strings"
	"testing"

	"ambrosa/core/identity"
	"ambrosa/internal/standin"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// wouldGo are the names under which pictures of settings would go, with how each stands.
func (l *line) wouldGo(outlet int64, change map[string]any, only string) (names []string) {
	l.t.Helper()
	var view struct {
		Wrong string
		Items []struct{ Name, Held, Because string }
	}
	body := map[string]any{"settings": wants(change), "limit": 500}
	if only != "" {
		body["only"] = only
	}
	if outlet > 0 {
		body["outlet"] = outlet
	}
	l.post("/api/v1/outlets/rehearse", body, &view)
	if view.Wrong != "" {
		return []string{view.Wrong}
	}
	for _, i := range view.Items {
		names = append(names, i.Name+i.Because)
	}
	return names
}

// TestWhichPicturesGo chooses by lot, by view, with shared pictures and with those of categories.
func TestWhichPicturesGo(t *testing.T) {
	t.Parallel()
	l, first := toHandOn(t)
	second := l.gathered("more.zip", zipped(t, entry{"AT-002-A_back.jpg", jpg(t, 7)}, entry{"banner.jpg", jpg(t, 8)},
		entry{"AT-000_front.jpg", jpg(t, 9)}))
	var hives int64
	const category = `insert into category (name, path, ref) values ('Hives', 'Hives', 'C-9') returning id`
	l.do(testdb.Pool(l.Store).QueryRow(t.Context(), category).Scan(&hives))
	l.decided(second.ID, "banner.jpg", map[string]any{"verdict": "paired", "target": map[string]any{"kind": "category", "id": hives},
		"reason": "its banner"})
	whole := map[string]any{"kind": "product", "id": l.product("AT-000-A").ID}
	l.decided(second.ID, "AT-000_front.jpg", map[string]any{"verdict": "paired", "target": whole, "view": "front", "reason": "of all"})
	l.applied(l.planned(second.ID, "after"))
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'cleared'`)
	l.do(err)
	names := "[sku | category]_[place]"
	for _, c := range []struct {
		change map[string]any
		want   []string
	}{
		{map[string]any{"lot": second.ID}, []string{"AT-000_1.jpg", "AT-000-A_1.jpg", "AT-000-A_2.jpg", "AT-002-A_1.jpg"}},
		{map[string]any{"lot": second.ID, "categories": true, "pictures": "lead"},
			[]string{"AT-000_1.jpg", "AT-000-A_1.jpg", "AT-002-A_1.jpg", "C-9_1.jpg"}},
		{map[string]any{"categories": true, "category": "Hives"}, []string{"C-9_1.jpg"}},
		{map[string]any{"categories": true, "query": "AT-002"}, []string{"AT-002-A_1.jpg"}},
		{map[string]any{"pictures": "views", "views": []string{"back", "Front"}}, []string{"AT-000_1.jpg", "AT-002-A_1.jpg"}},
		{map[string]any{"pictures": "views"}, []string{"Say which views go."}},
		{map[string]any{"query": "AT-000", "shared": true},
			[]string{"AT-000-A_1.jpg", "AT-000-A_2.jpg", "AT-000-A_3.jpg", "AT-000-B_1.jpg"}},
		{map[string]any{"lot": first}, []string{"AT-000_1.jpg", "AT-000-A_1.jpg", "AT-000-A_2.jpg", "AT-001-A_1.jpg"}},
	} {
		c.change["names"] = names
		if got := l.wouldGo(0, c.change, ""); !slices.Equal(got, c.want) {
			t.Errorf("%v: %q, expected %q", c.change, got, c.want)
		}
	}

	// They go, and what is not wanted any more is known of categories as well.
	folder := t.TempDir()
	drive := l.outlet("webdav", map[string]string{"address": shared(t, folder, nil)},
		map[string]any{"names": names, "shared": true, "categories": true, "remove": true})
	want := []string{"AT-000-A_1.jpg", "AT-000-A_2.jpg", "AT-000-A_3.jpg", "AT-000-B_1.jpg", "AT-001-A_1.jpg", "AT-002-A_1.jpg", "C-9_1.jpg"}
	d := l.handedOn(drive)
	if got := slices.Sorted(maps.Keys(below(t, folder))); !slices.Equal(got, want) || d.Products != 3 {
		t.Errorf("there stands %q, of %d products", got, d.Products)
	}
	if again := l.handedOn(drive); again.Pictures != 0 {
		t.Errorf("%d went again", again.Pictures)
	}
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `delete from placement where category_id = $1`, hives)
	l.do(err)
	if d := l.handedOn(drive); d.Removed != 1 || d.Pictures != 0 {
		t.Errorf("the category shows nothing any more: %+v", d)
	}
	l.post(fmt.Sprintf("/api/v1/outlets/%d/dispatch", drive), map[string]any{"version": 1, "again": true}, nil)
	l.until("all to go again", func() bool { return !l.busy() })
	var page struct{ Items []store.Dispatch }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/dispatches?outlet=%d", drive), &page))
	if d := page.Items[0]; d.Pictures != 6 || d.Removed != 0 {
		t.Errorf("all again: %+v", d)
	}
}

// TestAPackageInParts packs a TAR in parts of a most size; each part is whole, no picture is in two,
// and the last has the sheet. The link leads to a list of the parts.
func TestAPackageInParts(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered("large.zip", zipped(t, entry{"AT-000-A.jpg", padded(t, 1, 600_000)}, entry{"AT-000-A_2.jpg", padded(t, 2, 600_000)},
		entry{"AT-001-A.jpg", padded(t, 3, 1_500_000)}, entry{"AT-002-A.jpg", padded(t, 4, 300_000)}))
	l.applied(l.planned(lot.ID, "after"))
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'cleared'`)
	l.do(err)
	var made struct{ ID int64 }
	l.post("/api/v1/outlets", aPackage("Printer", wants(map[string]any{"package": map[string]any{"format": "tar", "mostMB": 1}})), &made)
	d := l.handedOn(made.ID)
	if d.Parts != 4 || d.Pictures != 4 {
		t.Fatalf("%+v", d)
	}
	var link struct{ Path string }
	l.post(fmt.Sprintf("/api/v1/dispatches/%d/link", d.ID), map[string]any{"days": 1}, &link)
	page, _ := l.taken(link.Path)
	if n := strings.Count(string(page), "<a href"); n != 4 || !strings.Contains(string(page), "Printer") {
		t.Errorf("the link shows %s", page)
	}
	sent := l.receipt(d.ID)
	var rows [][]string
	found := map[string]string{}
	for part := 1; part <= d.Parts; part++ {
		content, header := l.taken(fmt.Sprintf("%s?part=%d", link.Path, part))
		if header.Get("Content-Type") != "application/x-tar" {
			t.Errorf("part %d is %s", part, header.Get("Content-Type"))
		}
		archive := tar.NewReader(strings.NewReader(string(content)))
		for {
			head, err := archive.Next()
			if errors.Is(err, io.EOF) {
				break
			}
			l.do(err)
			inside, err := io.ReadAll(archive)
			l.do(err)
			if head.Name == "pictures.csv" {
				rows, err = csv.NewReader(strings.NewReader(string(inside))).ReadAll()
				l.do(err)
				if part != d.Parts {
					t.Errorf("the sheet is in part %d", part)
				}
				continue
			}
			if _, twice := found[head.Name]; twice {
				t.Errorf("%s is in two parts", head.Name)
			}
			found[head.Name] = fmt.Sprintf("%x", sha256.Sum256(inside))
		}
	}
	if !maps.Equal(found, sent) || len(rows) != 5 {
		t.Errorf("the parts hold %v and %d rows, the receipt says %v", found, len(rows), sent)
	}
	l.refused(l.Get(t.Context(), fmt.Sprintf("/media/packages/%d?part=5", d.ID), nil), http.StatusNotFound)
	l.do(l.Runner.Dispatcher.Blobs.DropPackage(t.Context(), d.ID))
	for part := 1; part <= d.Parts; part++ {
		l.refused(l.Get(t.Context(), fmt.Sprintf("/media/packages/%d?part=%d", d.ID, part), nil), http.StatusNotFound)
	}
}

// padded is a JPEG of so many bytes: behind its end stands what nobody reads.
func padded(t *testing.T, n, size int) []byte {
	t.Helper()
	picture := jpg(t, n)
	return append(picture, make([]byte, size-len(picture))...)
}

// taken is what an address of the server answers.
func (l *line) taken(path string) ([]byte, http.Header) {
	l.t.Helper()
	answer, err := http.Get(l.URL + path)
	l.do(err)
	defer answer.Body.Close()
	content, err := io.ReadAll(answer.Body)
	l.do(err)
	if answer.StatusCode != http.StatusOK {
		l.t.Fatalf("%s: %d %s", path, answer.StatusCode, content)
	}
	return content, answer.Header
}

// TestAnExceptionLetsThrough: what may not be handed on goes where a person says why, it stands in
// the receipt, and it is taken away again when that is over.
func TestAnExceptionLetsThrough(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'restricted' where path like 'AT-000%'`)
	l.do(err)
	folder := t.TempDir()
	drive := l.outlet("webdav", map[string]string{"address": shared(t, folder, nil)}, map[string]any{"names": "[sku]_[place]", "remove": true})
	var held struct{ Items []struct{ Sum string } }
	l.post("/api/v1/outlets/rehearse", map[string]any{"settings": wants(nil), "outlet": drive, "only": "rights", "limit": 500}, &held)
	if len(held.Items) != 2 {
		t.Fatalf("held for their rights: %v", held.Items)
	}
	address := fmt.Sprintf("/api/v1/outlets/%d/exceptions", drive)
	for _, because := range []string{"", "  "} {
		l.refused(l.Post(t.Context(), address, map[string]any{"sums": []string{held.Items[0].Sum}, "because": because}, nil), 422)
	}
	l.refused(l.Post(t.Context(), address, map[string]any{"sums": []string{strings.Repeat("0", 64)}, "because": "x"}, nil), 404)
	l.post(address, map[string]any{"sums": []string{held.Items[0].Sum}, "because": "allowed by mail"}, nil)
	if got := l.wouldGo(drive, map[string]any{"names": "[sku]_[place]"}, "excepted"); len(got) != 1 ||
		!strings.HasSuffix(got[0], ": allowed by mail") {
		t.Errorf("let through: %q", got)
	}
	d := l.handedOn(drive)
	var receipt struct{ Items []store.DispatchedPicture }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/dispatches/%d/pictures", d.ID), &receipt))
	said := 0
	for _, p := range receipt.Items {
		if p.Sum == held.Items[0].Sum && strings.HasSuffix(p.Exception, ": allowed by mail") && p.Sent != "" {
			said++
		}
	}
	if d.Pictures != 2 || d.Held != 1 || said != 1 || len(below(t, folder)) != 2 {
		t.Errorf("%+v, %d by the exception, there stands %v", d, said, below(t, folder))
	}
	l.post(address+"/remove", map[string]any{"sums": []string{held.Items[0].Sum}}, nil)
	if d := l.handedOn(drive); d.Removed != 1 || len(below(t, folder)) != 1 {
		t.Errorf("the exception is over: %+v, there stands %v", d, below(t, folder))
	}
}

// TestTheGateJudgesAtTheTurn takes an exception away while others are sent: what it let through is
// held back at its turn.
func TestTheGateJudgesAtTheTurn(t *testing.T) {
	t.Parallel()
	l, _ := toHandOn(t)
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'unknown'`)
	l.do(err)
	folder, puts := t.TempDir(), 0
	over := func(w http.ResponseWriter, r *http.Request) bool {
		if r.Method == http.MethodPut && strings.Contains(r.URL.Path, ".part") {
			if puts++; puts == 1 {
				_, err := testdb.Pool(l.Store).Exec(r.Context(), `delete from gate_exception`)
				l.do(err)
			}
		}
		return false
	}
	drive := l.outlet("webdav", map[string]string{"address": shared(t, folder, over)}, map[string]any{"names": "[sku]_[place]"})
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `insert into gate_exception (outlet_id, sha256, because, actor_id)
		select $1, sha256, 'all of them', 1 from file`, drive)
	l.do(err)
	puts = 0
	if d := l.handedOn(drive); d.Pictures+d.Held != 3 || d.Pictures < 1 || d.Pictures != len(below(t, folder)) {
		t.Errorf("%+v, there stands %v", d, below(t, folder))
	}
	if d := l.handedOn(drive); d.Pictures != 0 || d.Held != 3 {
		t.Errorf("the exceptions are over: %+v", d)
	}
}

// TestAPackageIsMailed sends a link once, although the first try to send it fails, and none where
// nothing went.
func TestAPackageIsMailed(t *testing.T) {
	t.Parallel()
	box := new(standin.Mailbox)
	smtp, _, err := box.Open(t.Context(), "127.0.0.1:0", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	l := start(t, func(c *Config) {
		c.SMTP, c.From, c.Pages = "smtp://"+smtp.String(), "ambrosa@example.com", "http://pages.example"
	})
	l.products(2)
	lot := l.gathered("spring.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}))
	l.applied(l.planned(lot.ID, "after"))
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'unknown'`)
	l.do(err)
	for _, wrong := range []map[string]string{{"to": "nobody"}, {"to": ""}, {"to": "a@example.com", "days": "99"}} {
		l.refused(l.Post(t.Context(), "/api/v1/outlets",
			map[string]any{"name": "Printer", "kind": "mail", "address": wrong, "settings": wants(nil)}, nil), 422)
	}
	to := l.outlet("mail", map[string]string{"to": "one@example.com, Two <two@example.com>", "words": "As we said."}, nil)
	if d := l.handedOn(to); d.MailedAt != nil || d.Size != 0 || len(box.Mails()) != 0 {
		t.Errorf("nothing may go, and %+v is told", d)
	}
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'cleared'`)
	l.do(err)
	d := l.handedOn(to)
	mails := box.Mails()
	if len(mails) != 1 || d.MailedAt == nil || mails[0].Subject != "mail: 1 picture" || !strings.Contains(mails[0].Text, "As we said.") {
		t.Fatalf("%+v: %+v", d, mails)
	}
	_, path, found := strings.Cut(mails[0].Text, "http://pages.example")
	if !found {
		t.Fatalf("no link in %q", mails[0].Text)
	}
	if content, _ := l.taken(strings.TrimSpace(path)); !strings.HasPrefix(string(content), "PK") {
		t.Error("the link leads to no package")
	}
	// The run is done again, as after a process that died: it is not sent twice.
	if _, err := l.Runner.Dispatcher.Do(t.Context(), identity.Specialist, d.ID, func(int64, int64) {}); err != nil || len(box.Mails()) != 1 {
		t.Errorf("done again: %v, %d mails", err, len(box.Mails()))
	}
	// It died before the mail was sent: then that is all that is left to do.
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update dispatch set mailed_at = null where id = $1`, d.ID)
	l.do(err)
	if _, err := l.Runner.Dispatcher.Do(t.Context(), identity.Specialist, d.ID, func(int64, int64) {}); err != nil || len(box.Mails()) != 2 {
		t.Errorf("gone on with: %v, %d mails", err, len(box.Mails()))
	}
}

// TestNoMailServer: an outlet that sends mails is refused where none can be sent.
func TestNoMailServer(t *testing.T) {
	t.Parallel()
	l := start(t)
	text := l.refused(l.Post(t.Context(), "/api/v1/outlets", map[string]any{"name": "Printer", "kind": "mail",
		"address": map[string]string{"to": "one@example.com"}, "settings": wants(nil)}, nil), 422)
	if !strings.Contains(text, "AMBROSA_SMTP") {
		t.Error(text)
	}
}
