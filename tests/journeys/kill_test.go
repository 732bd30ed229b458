package journeys

import (
	"archive/zip"
	"bytes"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"path/filepath"
	"strings"
	"testing"

	"ambrosa/internal/testdb"
)

const killProducts = 400

// killArchive holds a picture for each product, and some files of other kinds.
func killArchive(t *testing.T) []byte {
	t.Helper()
	var out bytes.Buffer
	archive := zip.NewWriter(&out)
	add := func(name string, content []byte) {
		entry, err := archive.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Store})
		if err != nil {
			t.Fatal(err)
		}
		if _, err := entry.Write(content); err != nil {
			t.Fatal(err)
		}
	}
	for n := range killProducts {
		picture := image.NewRGBA(image.Rect(0, 0, 260, 200))
		for i := range picture.Pix {
			picture.Pix[i] = uint8(i*(n+3)/7) | 15
		}
		picture.Set(n%200, n/200, color.White)
		var content bytes.Buffer
		if err := jpeg.Encode(&content, picture, nil); err != nil {
			t.Fatal(err)
		}
		add(fmt.Sprintf("pictures/KT-%04d_1.jpg", n), content.Bytes())
	}
	add("broken.jpg", []byte("\xff\xd8\xff\xe0 broken"))
	add("read me.txt", []byte("text"))
	if err := archive.Close(); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

func (i *instance) importKillProducts() {
	i.t.Helper()
	var sheet strings.Builder
	sheet.WriteString("sku,title\n")
	for n := range killProducts {
		fmt.Fprintf(&sheet, "KT-%04d,Thing %d\n", n, n)
	}
	if err := i.client().Call(i.t.Context(), "POST", "/api/v1/products/import", "text/csv", strings.NewReader(sheet.String()),
		nil); err != nil {
		i.t.Fatal(err)
	}
}

// upload sends an archive in chunks; after the second one it calls between, and
// asks the server how far it got.
func (i *instance) upload(lot int64, content []byte, between func()) {
	i.t.Helper()
	check := func(err error) {
		i.t.Helper()
		if err != nil {
			i.t.Fatal(err)
		}
	}
	ctx, size := i.t.Context(), int64(len(content))
	location, err := i.client().Begin(ctx, lot, "kill.zip", size)
	check(err)
	chunk := size/5 + 1
	for n := int64(0); ; n++ {
		if n == 2 {
			between()
		}
		offset, err := i.client().Offset(ctx, location)
		check(err)
		if offset == size {
			return
		}
		if offset != min(n*chunk, size) {
			i.t.Fatalf("the server has %d bytes, %d were acknowledged", offset, n*chunk)
		}
		check(i.client().Append(ctx, location, offset, content[offset:min(offset+chunk, size)]))
	}
}

// line goes from products to placements; each of the three functions is called
// in the middle of a step.
func (i *instance) line(archive []byte, inUpload, inExamination, inApplying func()) {
	i.t.Helper()
	i.start()
	i.importKillProducts()
	var lot, plan struct{ ID int64 }
	i.post("/api/v1/lots", map[string]any{"name": "kill.zip", "uploads": 1}, &lot)
	i.upload(lot.ID, archive, inUpload)
	inExamination()
	i.until("the lot to be ready", func() bool { return i.rows("select state from lot") == "(ready)" })
	i.post(fmt.Sprintf("/api/v1/lots/%d/plan", lot.ID), map[string]any{"way": "after"}, &plan)
	if err := i.client().Apply(i.t.Context(), plan.ID); err != nil {
		i.t.Fatal(err)
	}
	inApplying()
	i.until("the plan to be applied", func() bool {
		return i.rows("select state from plan") == "(applied)" && i.rows("select distinct state from run") == "(done)"
	})
}

// count returns a query's only number; 0 when it is null.
func (i *instance) count(query string) int {
	i.t.Helper()
	n, answer := 0, i.rows(query)
	if answer == "()" {
		return 0
	}
	if _, err := fmt.Sscanf(answer, "(%d)", &n); err != nil {
		i.t.Fatalf("%s: %q is not a number: %v", query, answer, err)
	}
	return n
}

// TestKilledAtAnyMoment kills the program with SIGKILL in the middle of upload,
// examination and applying; each time it comes back and goes on, and the end
// is the same as without.
func TestKilledAtAnyMoment(t *testing.T) {
	t.Parallel()
	archive := killArchive(t)
	calm := newInstance(t, testdb.Create(t))
	nothing := func() {}
	calm.line(archive, nothing, nothing, nothing)

	killed := newInstance(t, testdb.Create(t))
	var atExamination, atApplying int
	killed.line(archive, killed.killAndStart, func() {
		killed.until("some files to be examined", func() bool { return killed.count("select count(*) from file") > 20 })
		killed.stop(9)
		atExamination = killed.count("select count(*) from file")
		killed.start()
	}, func() {
		killed.until(
			"some products to be applied",
			func() bool { return killed.count("select count(*) from plan_change where state = 'applied'") > 5 },
		)
		killed.stop(9)
		atApplying = killed.count("select count(*) from plan_change where state = 'applied'")
		killed.start()
	})
	t.Logf("killed after %d of %d files, and after %d of %d products", atExamination, killProducts+2, atApplying, killProducts)
	if atExamination >= killProducts+2 || atApplying >= killProducts {
		t.Fatal("the program was killed too late to prove anything")
	}
	if a, b := calm.endState(), killed.endState(); a != b {
		t.Errorf("without being killed:\n%.3000s\n\nkilled:\n%.3000s", a, b)
	}
	for name, i := range map[string]*instance{"without being killed": calm, "killed": killed} {
		if n := i.count("select count(*) from message"); n != 1 {
			t.Errorf("%s: the end is said %d times", name, n)
		}
	}
	if n := calm.count("select count(*) from placement"); n != killProducts {
		t.Errorf("%d placements, expected %d", n, killProducts)
	}
	left, err := filepath.Glob(filepath.Join(killed.folder, "uploads", "*"))
	if err != nil || len(left) > 0 {
		t.Errorf("uploads are left behind: %v %v", left, err)
	}
	if spool, err := filepath.Glob(filepath.Join(killed.folder, "spool", "*", "*")); err != nil || len(spool) > 0 {
		t.Errorf("files are left in the spool: %v %v", spool, err)
	}
}

// TestStopAndGoOn stops an examination and lets it go on.
func TestStopAndGoOn(t *testing.T) {
	t.Parallel()
	i := newInstance(t, testdb.Create(t))
	stop := func() {
		i.until("some files to be examined", func() bool { return i.count("select count(*) from file") > 20 })
		i.post("/api/v1/runs/1/stop", nil, nil)
		i.until("the run to stop", func() bool { return i.rows("select state from run where id = 1") == "(stopped)" })
		if n := i.count("select count(*) from file"); n >= killProducts+2 {
			t.Fatalf("all %d files were examined before the stop", n)
		}
		i.post("/api/v1/runs/1/resume", nil, nil)
	}
	i.line(killArchive(t), func() {}, stop, func() {})
	if n := i.count("select count(*) from file"); n != killProducts+2 {
		t.Errorf("%d files, expected %d", n, killProducts+2)
	}
	// And back: everything as before, exactly once.
	i.post("/api/v1/plans/1/revert", nil, nil)
	i.until("the plan to be reverted", func() bool { return i.rows("select state from plan") == "(reverted)" })
	if n := i.count("select count(*) from placement"); n != 0 {
		t.Errorf("%d placements are left after reverting", n)
	}
}
