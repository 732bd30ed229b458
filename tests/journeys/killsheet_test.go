package journeys

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"syscall"
	"testing"
	"time"

	"ambrosa/internal/testdb"
)

// killRows is how many rows are imported; each of them is a product.
const killRows = 8_000

// killSheet is a sheet of new products and of some that are changed.
func killSheet() string {
	var sheet strings.Builder
	sheet.WriteString("sku;title;category;Colour\n")
	for n := range killRows {
		fmt.Fprintf(&sheet, "KT-%04d;Thing %d by a sheet;Range %d > Part %d;amber\n", n, n, n%7, n%50)
	}
	return sheet.String()
}

// catalog is all that a sheet can change, as one text.
func (i *instance) catalog() string {
	i.t.Helper()
	return i.rows(`select md5(string_agg(line, E'\n' order by line)) || ' ' || count(*) from (
		select concat_ws('|', p.code, p.title, p.ref, c.path, v.sku, v.title, v.options, v.attributes, v.retired) as line
		from product p left join category c on c.id = p.category_id left join variant v on v.product_id = p.id
		union all select 'category ' || path from category) l`)
}

// sheetReady brings the sheet, after the products that some of its rows change, and
// returns its number when it is rehearsed.
func (i *instance) sheetReady() (id int64, revision int) {
	i.t.Helper()
	i.start()
	i.importKillProducts()
	var sheet struct {
		ID                  int64
		Revision, Rehearsed int
		State               string
	}
	if err := i.client().Call(i.t.Context(), "POST", "/api/v1/sheets?name=kill.csv", "application/octet-stream",
		strings.NewReader(killSheet()), &sheet); err != nil {
		i.t.Fatal(err)
	}
	i.until("the sheet to be rehearsed", func() bool {
		err := i.client().Get(i.t.Context(), fmt.Sprintf("/api/v1/sheets/%d", sheet.ID), &sheet)
		return err == nil && sheet.State == "open" && sheet.Rehearsed == sheet.Revision
	})
	return sheet.ID, sheet.Revision
}

// killWhile kills the program again and again, some moments after it is up, until the
// import is in a state, and returns how often it was killed before that.
func (i *instance) killWhile(r *rand.Rand, most int, state string) (kills int) {
	i.t.Helper()
	there := func() bool {
		return i.rows("select state from sheet_import where sheet_id = (select max(id) from sheet)") == "("+state+")"
	}
	for kills < most && !there() {
		time.Sleep(time.Duration(20+r.IntN(350)) * time.Millisecond)
		if run := i.count("select coalesce(max(id), 0) from run where state = 'failed'"); run > 0 {
			i.post(fmt.Sprintf("/api/v1/runs/%d/resume", run), nil, nil)
			continue
		}
		if there() {
			break
		}
		i.stop(syscall.SIGKILL)
		kills++
		i.start()
	}
	i.until("the import to be "+state, func() bool {
		// A run that died too often waits for a person.
		if run := i.count("select coalesce(max(id), 0) from run where state = 'failed'"); run > 0 {
			i.post(fmt.Sprintf("/api/v1/runs/%d/resume", run), nil, nil)
		}
		return there()
	})
	i.until("all runs to end", func() bool { return i.rows("select distinct state from run") == "(done)" })
	return kills
}

// TestAnImportKilledAtAnyMoment kills the program up to 20 times, in the middle of an import
// and of its revert: the end is the same as without.
func TestAnImportKilledAtAnyMoment(t *testing.T) {
	t.Parallel()
	calm := newInstance(t, testdb.Create(t))
	id, revision := calm.sheetReady()
	before := calm.catalog()
	calm.post(fmt.Sprintf("/api/v1/sheets/%d/import", id), map[string]int{"revision": revision}, nil)
	calm.killWhile(nil, 0, "imported")
	imported := calm.catalog()
	if imported == before {
		t.Fatal("the import changed nothing")
	}

	killed, r := newInstance(t, testdb.Create(t)), rand.New(rand.NewPCG(11, 26))
	id, revision = killed.sheetReady()
	killed.post(fmt.Sprintf("/api/v1/sheets/%d/import", id), map[string]int{"revision": revision}, nil)
	inImport := killed.killWhile(r, 10, "imported")
	if got := killed.catalog(); got != imported {
		t.Errorf("imported without being killed: %s, killed %d times: %s", imported, inImport, got)
	}
	if rows := killed.rows("select made, changed, overtaken from sheet_import where sheet_id = (select max(id) from sheet)"); rows !=
		fmt.Sprintf("(%d,%d,0)", killRows-killProducts, killProducts) {
		t.Errorf("rows counted: %s", rows)
	}
	killed.post(fmt.Sprintf("/api/v1/imports/%d/revert", killed.count("select max(id) from sheet_import")), nil, nil)
	inRevert := killed.killWhile(r, 20-inImport, "reverted")
	if got := killed.catalog(); got != before {
		t.Errorf("before: %s, reverted and killed %d times: %s", before, inRevert, got)
	}
	t.Logf("killed %d times in the import and %d times in its revert", inImport, inRevert)
	if inImport < 2 || inRevert < 2 {
		t.Error("the program was killed too seldom to prove anything")
	}
	for _, told := range []string{"Imported", "Taken back"} {
		if n := killed.count("select count(*) from message where title like '" + told + ": %'"); n != 1 {
			t.Errorf("%q was told %d times", told, n)
		}
	}
}
