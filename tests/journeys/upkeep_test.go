package journeys

import (
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"ambrosa/demo"
	"ambrosa/tests/browser"
)

// TestFromASweepToAReceipt sees what nothing needs beside what replaced it, holds it by
// keyboard, gets it back with one press, pins one, and has what is held go: a word is typed
// for that, and a receipt lists it. Another person who had the same in sight is told. Then it keeps
// one of look-alikes, drops a stray object and takes a pin off.
func TestFromASweepToAReceipt(t *testing.T) {
	v := visit(t, browser.Options{})
	v.do(demo.Upkeep(t.Context(), v.url(), filepath.Dir(samples), io.Discard))
	command := exec.Command(binary, "sweep", "--kinds", "orphans,broken")
	command.Env = append(os.Environ(), "AMBROSA_DATABASE="+v.database, "AMBROSA_DATA="+v.folder)
	said, err := command.Output()
	v.do(err)
	const anti = `select count(*) from file f where sha256 is not null and not exists (select from held where file_id = f.id)
		and not exists (select from reference where file_id = f.id and (until is null or until > now()))`
	if lines := strings.Count(string(said), "\norphans,"); lines == 0 || lines != v.count(anti) {
		t.Errorf("the command finds %d orphans, an anti-join %d", lines, v.count(anti))
	}
	held := func() int { return v.count("select count(*) from held") }
	before := held()

	v.open("/upkeep?reason=replaced")
	v.sees(`document.querySelectorAll('.card img').length > 3`)
	v.says("Taken from ")
	v.do(v.page.Press(" "))
	v.sees(`document.querySelectorAll('[role=dialog] figure').length === 2`)
	v.says("stands there instead")
	v.value(`document.querySelector('[role=dialog] button.mantine-Modal-close')?.click()`)
	v.sees(`!document.querySelector('[role=dialog]')`)

	v.do(v.page.Press("m"), v.page.Press("h"))
	v.until("one file to be held", func() bool { return held() == before+1 })
	v.click("Undo")
	v.until("it to be given back", func() bool { return held() == before })

	v.do(v.page.Press("p"))
	v.types("the only one of the old label")
	v.confirm("Pin")
	v.until("it to be pinned", func() bool { return v.count("select count(*) from pin") == 1 })

	v.open("/upkeep?reason=never+paired")
	v.sees(`document.querySelectorAll('.card img').length > 0`)
	v.do(v.page.Press("m"))
	v.says("would be freed")
	v.clickIn(`document.querySelector('[aria-label="Chosen findings"]')`, "Hold")
	v.until("it to be held", func() bool { return held() == before+1 })

	// It is needed again before its turn: it comes back by itself, and who saw more is told.
	v.open("/upkeep/held")
	v.clickIn(holding("5 files"), "Purge now")
	v.types("purge")
	mine := v.count("select min(file_id) from held where reason = 'replaced'")
	v.post("/api/v1/pins", map[string]any{"files": []int{mine}, "because": "mine"}, nil)
	v.confirm("Purge 5 files")
	v.says("Other files are held by now than those that you saw")
	v.clickIn(holding("4 files"), "Purge now")
	v.types("purge")
	v.confirm("Purge 4 files")
	v.until("four files to go", func() bool { return v.count("select count(*) from receipt_file where reason = 'replaced'") == 4 })
	v.open("/upkeep/receipts")
	v.sees(`document.querySelector('[aria-label=Receipts]').innerText.includes('4 files')`)
	if n := v.count(`select count(*) from placement where not exists (select from file where id = file_id)`); n != 0 {
		t.Errorf("%d pictures that stand are gone", n)
	}
	v.keepsOne()
	v.dropsAStray()
	v.takesAPinOff()
}

// keepsOne has one of those that look alike take the place of another that stands, by keyboard
// and a plan, and takes it back.
func (v *visitor) keepsOne() {
	v.t.Helper()
	const standing = `select coalesce(sum(hashtext(file_id::text || ' ' || place || coalesce(variant_id, 0))), 0)::bigint from placement`
	before := v.count(standing)
	const listed = `kind = 'alike' and not exists (select from held h where h.file_id = g.file_id)`
	at := v.count(`select count(*) from finding g where ` + listed + ` and (grp, id) < (select grp, id from finding g where ` + listed + `
		and exists (select from finding s join placement p on p.file_id = s.file_id where s.kind = 'alike' and s.grp = g.grp and s.id <> g.id)
		order by grp, id limit 1)`)
	v.open("/upkeep?kind=alike")
	v.sees(`document.querySelector('[aria-label="Belong together"] img')`)
	for range at {
		v.do(v.page.Press(kb.ArrowRight))
	}
	v.do(v.page.Press("k"))
	v.says("Pictures in the place of others")
	v.click("Apply to 1 product")
	v.says("It can be reverted completely until")
	if v.count(standing) == before {
		v.t.Error("the one that was kept does not stand")
	}
	v.click("Revert…")
	v.confirm("Revert 1 product")
	v.until("it to be taken back", func() bool { return v.count(standing) == before })
}

// dropsAStray drops the object that no row names: a word is typed for it.
func (v *visitor) dropsAStray() {
	v.t.Helper()
	v.do(os.WriteFile(filepath.Join(v.folder, "blobs", "originals", "notes.txt"), []byte("not ours"), 0o600))
	v.post("/api/v1/sweeps", map[string]any{"kinds": []string{"broken"}}, nil)
	v.until("it to be found", func() bool { return v.count("select count(*) from stray") == 1 })
	v.open("/upkeep/store")
	v.sees(`document.querySelector('[aria-label="Stray objects"] input')`)
	v.value(`document.querySelector('[aria-label="Stray objects"] input').click()`)
	v.click("Drop 1…")
	v.types("drop")
	v.confirm("Drop them")
	v.says("Every object in the store has its row")
	if n := v.count(`select count(*) from receipt_file where reason = 'stray object'`); n != 1 {
		v.t.Errorf("%d strays are in receipts", n)
	}
}

// takesAPinOff lets a pinned file be judged like all others again.
func (v *visitor) takesAPinOff() {
	v.t.Helper()
	before := v.count("select count(*) from pin")
	v.open("/upkeep/pinned")
	v.says("the only one of the old label")
	v.clickIn(`document.querySelector('[aria-label=Pinned]')`, "Take off")
	v.until("it to be taken off", func() bool { return v.count("select count(*) from pin") == before-1 })
}

// holding is the holding with so many files, as an expression of the page.
func holding(files string) string {
	return fmt.Sprintf(`([...document.querySelectorAll('[class*=holding]')].find(h => h.querySelector('strong')?.innerText === %q) ??
		document.createElement('div'))`, files)
}

// types writes into the field of the dialog that opened, which has the focus.
func (v *visitor) types(text string) {
	v.t.Helper()
	v.sees(`document.activeElement === document.querySelector('[role=dialog] input')`)
	v.do(v.page.Press(text))
}
