package journeys

import (
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"ambrosa/demo"
	"ambrosa/tests/browser"
)

// TestFromASweepToAReceipt sees what nothing needs beside what replaced it, holds it by
// keyboard, gets it back with one press, pins one, and has what is held go: a word is typed
// for that, and a receipt lists it. Another person who had the same in sight is told.
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
