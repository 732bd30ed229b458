package app

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"ambrosa/internal/store"
	"ambrosa/internal/testdb"
)

// asJPEG is a recipe of a test.
func asJPEG(change map[string]any) map[string]any {
	recipe := map[string]any{"format": "jpeg", "width": 40, "height": 40, "ratio": "1:1", "colour": "", "quality": 0, "most": 0,
		"metadata": "stripped"}
	for field, value := range change {
		recipe[field] = value
	}
	return recipe
}

// renditions are the files of what was made, with when they were written.
func (l *line) renditions() map[string]time.Time {
	l.t.Helper()
	found := map[string]time.Time{}
	l.do(filepath.WalkDir(filepath.Join(l.config.Data, "blobs", "made"), func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		info, err := e.Info()
		found[path] = info.ModTime()
		return err
	}))
	return found
}

// TestRenditionsAreMadeOnce hands pictures on in a form: what goes is what the receipt says, a
// second outlet of the same form has nothing made anew, one that was damaged is made again, and
// another text that is written into it makes another one.
func TestRenditionsAreMadeOnce(t *testing.T) {
	t.Parallel()
	l := start(t)
	l.products(2)
	lot := l.gathered("spring.zip", zipped(t, entry{"AT-000-A.jpg", jpg(t, 1)}, entry{"AT-001-A.jpg", jpg(t, 2)}))
	l.applied(l.planned(lot.ID, "after"))
	_, err := testdb.Pool(l.Store).Exec(t.Context(), `update file set rights = 'cleared', credit = 'Studio Nord'`)
	l.do(err)
	outlet := func(name string, recipe map[string]any) (made struct{ ID int64 }) {
		l.post("/api/v1/outlets", aPackage(name, wants(map[string]any{"rendition": recipe})), &made)
		return made
	}
	goes := func(outlet int64) (files map[string]string) {
		t.Helper()
		d := l.handedOn(outlet)
		files, _ = l.packed(d.ID)
		var receipt struct{ Items []store.DispatchedPicture }
		l.do(l.Get(t.Context(), fmt.Sprintf("/api/v1/dispatches/%d/pictures", d.ID), &receipt))
		for _, p := range receipt.Items {
			if files[p.Name] != p.Sent || p.Sent == p.Sum || p.SentAt == nil || !strings.Contains(p.Form, "40 × 40 JPEG, padded from") {
				t.Errorf("the package has %s, the receipt says %+v", files[p.Name], p)
			}
		}
		if d.Pictures != 2 || len(files) != 2 {
			t.Fatalf("handed on: %+v with %v", d, files)
		}
		return files
	}
	first := goes(outlet("One", asJPEG(nil)).ID)
	made := l.renditions()
	second := goes(outlet("Two", asJPEG(nil)).ID)
	if fmt.Sprint(first) != fmt.Sprint(second) || fmt.Sprint(made) != fmt.Sprint(l.renditions()) {
		t.Error("the same form was made twice, or came out otherwise")
	}
	for path := range made {
		l.do(os.WriteFile(path, []byte("damaged"), 0o600))
		break
	}
	if third := goes(outlet("Three", asJPEG(nil)).ID); fmt.Sprint(first) != fmt.Sprint(third) {
		t.Error("one that was damaged went, or came out otherwise")
	}
	written := outlet("Four", asJPEG(map[string]any{"metadata": "written"})).ID
	before := goes(written)
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update placement set alt = 'A hive tool' from product p
		where p.id = placement.product_id and p.code = 'AT-000'`)
	l.do(err)
	after := goes(written)
	const changed, same = "AT-000/AT-000-A_01.jpg", "AT-001/AT-001-A_01.jpg"
	if before[changed] == after[changed] || before[same] != after[same] {
		t.Errorf("another text of one: %v, then %v", before, after)
	}
	// What nobody used for long is let go, and made anew when it is asked for.
	_, err = testdb.Pool(l.Store).Exec(t.Context(), `update rendition set used_at = now() - interval '91 days'`)
	l.do(err)
	l.do(l.Runner.Clean(t.Context()))
	if left := l.renditions(); len(left) != 0 {
		t.Errorf("past their term there are %d", len(left))
	}
	if again := goes(written); fmt.Sprint(again) != fmt.Sprint(after) {
		t.Error("made anew, it came out otherwise")
	}
	for what, recipe := range map[string]map[string]any{"a ratio": asJPEG(map[string]any{"ratio": "round"}),
		"a colour": asJPEG(map[string]any{"colour": "red"}), "a format": asJPEG(map[string]any{"format": "psd"})} {
		err := l.Post(t.Context(), "/api/v1/outlets", aPackage(what, wants(map[string]any{"rendition": recipe})), nil)
		l.refused(err, 422)
	}
}
