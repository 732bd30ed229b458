package journeys

import (
	"archive/zip"
	"bytes"
	"io"
	"net/http"
	"strconv"
	"testing"

	"ambrosa/tests/browser"
)

// TestFromNoOutletToAReceipt makes an outlet, is told of names that collide and mends the
// template, hands on, and finds in the package as many pictures as the receipt says.
func TestFromNoOutletToAReceipt(t *testing.T) {
	v := visit(t, browser.Options{})
	v.open("/dispatch")
	v.says("There is no outlet yet")
	v.click("New outlet")
	v.sees(`document.querySelectorAll('.row img').length > 3`)
	v.fill("Name of the outlet", "Own shop")
	v.fill("Names", "[code]")
	v.says("same name as another")
	v.fill("Names", "[code")
	v.says("a bracket is not closed")
	v.fill("Names", "[code]/[sku]_[place pad 2]")
	v.sees(`!document.body.innerText.includes('same name as another') && document.querySelectorAll('.row img').length > 3`)
	v.click("Keep it")
	v.until("the outlet to be kept", func() bool { return v.count("select count(*) from outlet") == 1 })
	v.click("Hand on now")
	v.until("it to be handed on", func() bool { return v.count("select count(*) from dispatch where ended_at is not null") == 1 })
	v.value(`[...document.querySelectorAll('label')].find((l) => l.innerText === 'What went').click()`)
	v.sees(`document.querySelector('[aria-label="What went"] a[href^="/media/packages/"]')`)
	id := v.count("select max(id) from dispatch")
	answer, err := http.Get(v.url() + "/media/packages/" + strconv.Itoa(id))
	v.do(err)
	content, err := io.ReadAll(answer.Body)
	v.do(err, answer.Body.Close())
	archive, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	v.do(err)
	if went := v.count("select count(*) from dispatch_picture where held = ''"); went < 50 || len(archive.File) != went+1 {
		t.Errorf("%d pictures went, the package has %d files", went, len(archive.File))
	}
}
