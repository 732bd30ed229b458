package journeys

import (
	"fmt"
	"testing"

	"ambrosa/tests/browser"
)

// TestSavedForLater saves a file of the bench for later by its key, finds it by a word, gives it
// another folder, takes that back, and puts it on two products of the catalog as a plan.
func TestSavedForLater(t *testing.T) {
	v := visit(t, browser.Options{})
	v.open(fmt.Sprintf("/pair/%d", v.count("select id from lot where name = 'lindmoor-pictures.zip'")))
	v.sees(`document.querySelector('.keys')`)
	undecided := func() int {
		return v.count(`select count(*) from file f join lot l on l.id = f.lot_id
			where l.state = 'ready' and f.verdict in ('contested', 'loose')`)
	}
	before := undecided()
	v.value(`document.dispatchEvent(new KeyboardEvent('keydown', { key: 's', bubbles: true }))`)
	v.says("On the shelf they are needed")
	v.fill("Folder", "Labels / Care")
	v.fill("Words", "autumn set")
	v.confirm("Save for later")
	v.until("it to be on the shelf", func() bool {
		return v.count("select count(*) from shelved where folder = 'Labels/Care' and words = '{autumn set}'") == 1
	})
	if after := undecided(); after != before-1 {
		t.Errorf("%d wait to be decided on, %d did before", after, before)
	}
	v.open("/shelf?q=autumn")
	v.sees(`document.querySelectorAll('.gridrow .card img').length === 1`)
	v.value(`document.querySelector('.choose').click()`)
	v.click("Move…")
	v.fill("Folder", "Mood")
	v.confirm("Move")
	v.says("1 picture moved to Mood")
	v.click("Undo")
	v.until("it to be where it was", func() bool { return v.count("select count(*) from shelved where folder = 'Labels/Care'") == 1 })
	v.sees(`document.querySelectorAll('.gridrow .card img').length === 1`)
	v.value(`document.querySelector('.choose').click()`)
	v.click("Put on products…")
	v.says("Choose the products that")
	v.sees(`document.querySelectorAll('.gridrow .choose').length > 3`)
	v.value(`[...document.querySelectorAll('.gridrow .choose')].slice(0, 2).forEach((c) => c.click())`)
	v.click("Put a picture on them…")
	v.confirm("Plan it for 2 products")
	v.sees(`location.pathname.startsWith('/plans/')`)
	v.click("Apply")
	v.until("it to stand on both", func() bool {
		return v.count("select count(*) from placement p join shelved s on s.file_id = p.file_id") == 2
	})
}
