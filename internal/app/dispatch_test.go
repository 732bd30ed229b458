package app

import (
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/csv"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"ambrosa/core/dispatch"
	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// wants is what an outlet of a test wants.
func wants(change map[string]any) map[string]any {
	settings := map[string]any{"query": "", "category": "", "skus": []string{}, "pictures": "all", "first": 0,
		"names":  "[code]/[sku]_[place pad 2]",
		"rename": false, "changed": false, "remove": false, "sheet": dispatch.UsualSheet(), "language": "",
		"rendition": map[string]any{"format": "original", "width": 0, "height": 0, "ratio": "", "colour": "", "quality": 0, "most": 0,
			"metadata": "kept"}}
	for field, value := range change {
		settings[field] = value
	}
	return settings
}

// aPackage is an outlet whose pictures are packed.
func aPackage(name string, settings map[string]any) map[string]any {
	return map[string]any{"name": name, "kind": "package", "settings": settings}
}

// handedOn has an outlet's pictures handed on and returns the dispatch.
func (l *line) handedOn(outlet int64) store.Dispatch {
	l.t.Helper()
	var to store.Outlet
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/outlets/%d", outlet), &to))
	l.post(fmt.Sprintf("/api/v1/outlets/%d/dispatch", outlet), map[string]any{"version": to.Version}, nil)
	l.until("the dispatch to end", func() bool { return !l.busy() })
	var page struct{ Items []store.Dispatch }
	l.do(l.Get(l.t.Context(), fmt.Sprintf("/api/v1/dispatches?outlet=%d", outlet), &page))
	return page.Items[0]
}

// package is what a package holds: the sums of its files by name, and its sheet.
func (l *line) packed(dispatch int64) (files map[string]string, sheet [][]string) {
	l.t.Helper()
	answer, err := http.Get(fmt.Sprintf("%s/media/packages/%d", l.URL, dispatch))
	l.do(err)
	defer answer.Body.Close()
	content, err := io.ReadAll(answer.Body)
	l.do(err)
	archive, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	if err != nil {
		l.t.Fatalf("%d, %d bytes: %v", answer.StatusCode, len(content), err)
	}
	files = map[string]string{}
	for _, f := range archive.File {
		r, err := f.Open()
		l.do(err)
		inside, err := io.ReadAll(r)
		l.do(err)
		if f.Name == "pictures.csv" {
			sheet, err = csv.NewReader(bytes.NewReader(inside)).ReadAll()
			l.do(err)
			continue
		}
		files[f.Name] = fmt.Sprintf("%x", sha256.Sum256(inside))
	}
	return files, sheet
}

// TestPicturesAreHandedOnAsAPackage makes an outlet, rehearses, dispatches, and finds in the
// package what the receipt says: names by the template, bytes as they are stored, what may not
// be handed on held back with the reason.
func TestPicturesAreHandedOnAsAPackage(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(3)
	lot := l.gathered("spring.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-000-A_2.jpg", jpg(t, 2)},
		entry{"AT-001-A.jpg", jpg(t, 3)}, entry{"AT-002-A.jpg", jpg(t, 4)}))
	l.applied(l.planned(lot.ID, "after"))
	cleared := func(path, rights string) {
		_, err := testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = $2 where path = $1`, path, rights)
		l.do(err)
	}
	for _, path := range []string{"AT-000-A.jpg", "AT-000-A_2.jpg", "AT-002-A.jpg"} {
		cleared(path, "cleared")
	}
	cleared("AT-001-A.jpg", "restricted")
	var made struct{ ID int64 }
	l.post("/api/v1/outlets", aPackage("The shop", wants(nil)), &made)
	for what, status := range map[string]int{"The Shop": http.StatusConflict, "": http.StatusUnprocessableEntity} {
		l.refused(l.Post(t.Context(), "/api/v1/outlets", aPackage(what, wants(nil)), nil), status)
	}
	l.refused(l.Post(t.Context(), "/api/v1/outlets", aPackage("B", wants(map[string]any{"names": "[sku"})), nil),
		http.StatusUnprocessableEntity)
	var seen struct {
		Pictures, Held, Matching int
		Problems                 map[string]int
		Wrong                    string
		Items                    []struct{ Name, Held string }
	}
	rehearse := func(change map[string]any) {
		seen.Wrong = ""
		l.post("/api/v1/outlets/rehearse", map[string]any{"settings": wants(change), "only": "held", "limit": 10}, &seen)
	}
	if rehearse(nil); seen.Pictures != 3 || seen.Held != 1 || seen.Items[0].Held != "its use is restricted" {
		t.Errorf("rehearsed: %+v", seen)
	}
	if rehearse(map[string]any{"names": "[code]"}); seen.Problems["collision"] != 2 || seen.Held != 2 {
		t.Errorf("two of one name: %+v", seen)
	}
	if rehearse(map[string]any{"names": "[nothing]"}); !strings.Contains(seen.Wrong, "there is no field") {
		t.Errorf("a template that names nothing: %+v", seen)
	}
	if rehearse(map[string]any{"pictures": "lead", "skus": []string{" at-000", "AT-002-A"}}); seen.Pictures != 2 || seen.Held != 0 {
		t.Errorf("the leads of two: %+v", seen)
	}
	// Between being seen and being sent, the bytes of one go missing.
	sum := l.file(lot.ID, "AT-002-A.jpg").Sum
	l.do(os.Remove(filepath.Join(l.config.Data, "blobs", "originals", sum[:2], sum)))
	d := l.handedOn(made.ID)
	if d.EndedAt == nil || d.Pictures != 2 || d.Held != 2 || d.Products != 1 || d.Size == 0 {
		t.Errorf("handed on: %+v", d)
	}
	files, sheet := l.packed(d.ID)
	want := map[string]string{"AT-000/AT-000-A_01.jpg": l.file(lot.ID, "AT-000-A.jpg").Sum,
		"AT-000/AT-000-A_02.jpg": l.file(lot.ID, "AT-000-A_2.jpg").Sum}
	if fmt.Sprint(files) != fmt.Sprint(want) || len(sheet) != 3 || sheet[1][0] != "AT-000/AT-000-A_01.jpg" || sheet[1][2] != "AT-000-A" {
		t.Errorf("the package has %v, expected %v; its sheet %q", files, want, sheet)
	}
	var receipt struct{ Items []store.DispatchedPicture }
	l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/dispatches/%d/pictures", d.ID), &receipt))
	var said []string
	for _, p := range receipt.Items {
		if said = append(said, p.Path+": "+p.Held); p.Held == "" && files[p.Name] != p.Sum {
			t.Errorf("the receipt says %s of %s, the package has %s", p.Sum, p.Name, files[p.Name])
		}
	}
	if !slices.Equal(said, []string{"AT-000-A.jpg: ", "AT-000-A_2.jpg: ", "AT-001-A.jpg: its use is restricted",
		"AT-002-A.jpg: its bytes are missing"}) {
		t.Errorf("the receipt: %q", said)
	}
	// A package is taken by a link, as long as it lasts, and by no other.
	link := func() (path string) {
		var given struct{ Path string }
		l.post(fmt.Sprintf("/api/v1/dispatches/%d/link", d.ID), map[string]any{"days": 7}, &given)
		return given.Path
	}
	code := func(path string) int {
		answer, err := http.Get(l.URL + path)
		l.do(err)
		l.do(answer.Body.Close())
		return answer.StatusCode
	}
	old := link()
	now := link()
	if code(old) != http.StatusNotFound || code(now) != http.StatusOK || code("/packages/ABC") != http.StatusNotFound {
		t.Errorf("links answer %d and %d", code(old), code(now))
	}
	if _, err := testdb.Pool(l.Store).Exec(t.Context(), `update dispatch set link_until =
		now()`); err != nil || code(now) != http.StatusNotFound {
		t.Errorf("a link that ended answers %d, %v", code(now), err)
	}
	// An outlet that another has changed since is not dispatched to, and one that is gone leaves its receipts.
	body := map[string]any{"name": "The shop", "version": 1, "settings": wants(map[string]any{"changed": true, "names": "new-[sku]-[place]"})}
	l.do(l.Put(t.Context(), fmt.Sprintf("/api/v1/outlets/%d", made.ID), body, nil))
	l.refused(l.Put(t.Context(), fmt.Sprintf("/api/v1/outlets/%d", made.ID),
		map[string]any{"name": "The shop", "settings": wants(nil), "version": 1}, nil), http.StatusConflict)
	l.refused(l.Post(t.Context(), fmt.Sprintf("/api/v1/outlets/%d/dispatch", made.ID), map[string]any{"version": 1}, nil), http.StatusConflict)
	// The second time only what is new goes, under the new names; what is there keeps its name.
	cleared("AT-001-A.jpg", "cleared")
	l.references("handed on")
	second := l.handedOn(made.ID)
	l.references("handed on again")
	// What went can go again for a term, whatever becomes of it here; each file by the last that it went with.
	if got := l.text(`select d.id || ' ' || count(*) || ' ' || bool_and(r.until between now() + interval '89 days'
				and now() + interval '90 days')
			from reference r join dispatch d on d.id = r.dispatch_id group by d.id order by d.id`); got != fmt.Sprintf("%d 2 true\n%d 1 true\n",
		d.ID, second.ID) {
		t.Errorf("kept to be handed on again: %q", got)
	}
	if files, _ := l.packed(second.ID); second.Pictures != 1 || fmt.Sprint(files) != fmt.Sprint(map[string]string{
		"new-AT-001-A-1.jpg": l.file(lot.ID, "AT-001-A.jpg").Sum}) {
		t.Errorf("the second time: %+v with %v", second, files)
	}
	if third := l.handedOn(made.ID); third.EndedAt == nil || third.Pictures != 0 || third.Size != 0 {
		t.Errorf("nothing is new: %+v", third)
	}
	// A package is let go past its term; its receipt stays.
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update dispatch set ended_at = now() - interval '31 days' where id = $1`, second.ID)
	l.do(err)
	l.do(l.Runner.Clean(t.Context()))
	answer, err := http.Get(fmt.Sprintf("%s/media/packages/%d", l.URL, second.ID))
	l.do(err)
	l.do(answer.Body.Close())
	if answer.StatusCode != http.StatusNotFound ||
		strings.TrimSpace(l.text(`select count(*)::text from dispatch_picture where name = 'new-AT-001-A-1.jpg'`)) != "1" {
		t.Errorf("past its term the package answers %d, or its receipt is gone", answer.StatusCode)
	}
	l.do(l.Call(t.Context(), http.MethodDelete, fmt.Sprintf("/api/v1/outlets/%d", made.ID), "", nil, nil))
	if again, _ := l.packed(d.ID); len(again) != 2 {
		t.Errorf("the outlet is gone, and its package has %v", again)
	}
}
