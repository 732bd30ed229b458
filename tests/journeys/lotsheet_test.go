package journeys

import (
	"fmt"
	"path/filepath"
	"testing"

	"ambrosa/demo"
	"ambrosa/tests/browser"
)

// TestASheetAmongPictures goes from a lot to the sheet that came with it, sees which
// pictures no row names, takes another meaning of a column, which the lot hears, and takes
// that back; a sheet that is dropped on Gather alone opens on Sheets.
func TestASheetAmongPictures(t *testing.T) {
	v := visit(t, browser.Options{})
	const bySheet = "select count(*) from file where lot_id = 2 and clue = 'sheet-row'"
	named := v.count(bySheet)
	if named == 0 {
		t.Fatal("the sample lot has no file that its sheet names")
	}
	v.open("/lots/2")
	v.says("pictures.csv came with it.")
	v.clickIn(`document.querySelector('.note')`, "pictures.csv")
	v.says("It came with lindmoor-pictures.zip")
	v.clickIn(`document.querySelector('[role=status]')`, "Which?")
	v.sees(`document.querySelectorAll('[role=dialog] a.card').length > 20`)
	v.value(`document.querySelector('[role=dialog] button.mantine-Modal-close')?.click()`)
	v.sees(`!document.querySelector('[role=dialog]')`)

	// The column of pictures is left open: the lot is read without it, and with it again.
	take := func(field string) {
		v.sees(`[...document.querySelectorAll('[role=columnheader]')].some(h => h.innerText.startsWith('Image'))`)
		v.value(`[...document.querySelectorAll('[role=columnheader]')].find(h => h.innerText.startsWith('Image')).click()`)
		v.sees(`document.querySelector('[aria-label=Column] strong')?.innerText === 'Image'`)
		v.value(fmt.Sprintf(`(() => { const s = document.querySelector('[aria-label=Column] select');
			Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(s, %q);
			s.dispatchEvent(new Event('change', {bubbles: true})); return ''; })()`, field))
	}
	take("")
	v.until("the lot to be read without the sheet", func() bool { return v.count(bySheet) == 0 })
	take("picture")
	v.until("the lot to be read with it again", func() bool { return v.count(bySheet) == named })

	v.open("/")
	v.open("/gather")
	v.sees(`document.querySelector('input[data-testid=files]')`)
	v.do(v.page.Choose("input[data-testid=files]", filepath.Join(samples, demo.Sheets[1])))
	v.says("nothing changes until you import")
	if n := v.count("select count(*) from lot where name like '%.csv'"); n != 0 {
		t.Errorf("the sheet became %d lots", n)
	}
}
