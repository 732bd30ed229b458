package journeys

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"testing"

	"ambrosa/internal/standin"
	"ambrosa/tests/browser"
)

// TestFromNoOutletToAReceipt makes an outlet, is told of names that collide and mends the
// template, hands on, and finds in the package as many pictures as the receipt says.
func TestFromNoOutletToAReceipt(t *testing.T) {
	v := visit(t, browser.Options{})
	lot := v.count("select lot_id from placement p join file f on f.id = p.file_id where p.product_id > 0 order by f.id limit 1")
	v.do(v.client().Put(t.Context(), fmt.Sprintf("/api/v1/lots/%d/rights", lot),
		map[string]any{"q": "HV-110", "rights": "restricted", "licence": "", "credit": ""}, nil))
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
	v.letsThrough()
}

// letsThrough has what is held back for its rights go by an exception, and takes that back.
func (v *visitor) letsThrough() {
	v.t.Helper()
	v.label("What would go")
	v.label("Held back")
	v.sees(`[...document.querySelectorAll('.row button')].some((b) => b.innerText.startsWith('Let it through'))`)
	v.value(`[...document.querySelectorAll('button')].find((b) => /^Let \d+ through/.test(b.innerText)).click()`)
	v.fill("Because", "allowed by mail")
	v.confirm("Let through")
	v.until("the exceptions to stand", func() bool {
		return v.count("select count(*) from gate_exception where because = 'allowed by mail'") > 0
	})
	v.label("Let through")
	v.says("let through by specialist: allowed by mail")
	v.click("Hold it back again")
	v.says("Judged as usual again")
	given := v.count("select count(*) from gate_exception")
	v.click("Hand on now")
	v.until("them to go", func() bool { return v.count("select count(*) from dispatch_picture where exception <> ''") == given })
	v.label("What went")
	v.click("Link…")
	v.confirm("Create link")
	v.sees(`document.querySelector('[aria-label="Link"]')?.value.includes('/packages/')`)
}

// label presses a choice that stands in a label.
func (v *visitor) label(text string) {
	v.t.Helper()
	v.sees(fmt.Sprintf(`(() => {
		const found = [...document.querySelectorAll('label')].find((l) => l.innerText.trim().startsWith(%q))
		found?.click()
		return found !== undefined
	})()`, text))
}

// choose takes a value of the selection with a label.
func (v *visitor) choose(label, value string) {
	v.t.Helper()
	v.sees(fmt.Sprintf(`(() => {
		const of = [...document.querySelectorAll('label')].find((l) => l.innerText.trim() === %q)
		const select = of && document.getElementById(of.htmlFor)
		if (!select || ![...select.options].some((o) => o.value === %[2]q)) return false
		select.value = %[2]q
		select.dispatchEvent(new Event('change', { bubbles: true }))
		return true
	})()`, label, value))
}

// TestTheShopShowsWhatItWasGiven describes the sample shop as an outlet, is told that the key is
// wrong, hands on, and finds in the shop what the receipt says; another lead alone goes then.
func TestTheShopShowsWhatItWasGiven(t *testing.T) {
	v := visit(t, browser.Options{})
	shop, err := standin.OpenShop(t.TempDir())
	v.do(err)
	at, err := shop.Serve(t.Context(), "127.0.0.1:0")
	v.do(err)
	v.open("/dispatch/new")
	v.fill("Name of the outlet", "Own shop")
	v.label("Where")
	v.choose("Kind", "shop")
	picture := "http://" + at.String() + "/interface/[sku]/[place]"
	v.fill("Address of a picture", picture)
	v.choose("The file goes in", "a form (multipart)")
	v.fill("Other fields, one a line", "text = [text]")
	v.fill("Address to try the key with", "http://"+at.String()+"/interface")
	v.fill("It is done when the answer says", "state = done")
	v.click("Try and keep it")
	v.says("does not let us have it (401): {\"state\":\"the key is missing or wrong\"}")
	v.fill("Key", standin.ShopKey)
	v.click("Try and keep it")
	v.until("the outlet to be kept", func() bool { return v.count("select count(*) from outlet where kind = 'shop'") == 1 })
	v.click("Hand on now")
	v.until("it to be handed on", func() bool { return v.count("select count(*) from dispatch where ended_at is not null") == 1 })
	went := v.count("select count(*) from dispatch_picture where sent is not null")
	if has := shop.Pictures(); went < 50 || len(has) != went || has[0].Text == "" {
		t.Errorf("%d went, the shop has %d", went, len(has))
	}
	one := v.count(`select min(p.id) from placement p join file f on f.id = p.file_id where f.rights = 'cleared' and p.product_id > 0`)
	v.post("/api/v1/texts/keep", map[string]any{"seen": 0, "edited": []map[string]any{{"placement": one, "text": "Another text"}}}, nil)
	v.open("/dispatch")
	v.says("1 picture of 1 product")
	v.click("Hand on now")
	v.until("it to be handed on again", func() bool { return v.count("select count(*) from dispatch where ended_at is not null") == 2 })
	if shop.Puts != went+1 {
		t.Errorf("one changed, and %d went", shop.Puts-went)
	}
}

// TestFromCoverageToARequest sets a shot list, sees what is missing, and asks for it; texts are
// drafted in a language, kept, and taken back.
func TestFromCoverageToARequest(t *testing.T) {
	v := visit(t, browser.Options{})
	v.open("/dispatch/coverage")
	v.says("No shot list says yet")
	v.click("Set a shot list")
	v.confirm("Keep the list")
	v.sees(`document.querySelectorAll('[aria-label="Products by views"] td').length > 10`)
	// Pictures whose view is unknown may be what is missing: one is set by its key, and that is undone.
	v.click("Ask for what is missing")
	v.click("Set their views first")
	v.sees(`document.querySelectorAll('[data-picture]').length > 10`)
	unknown := v.count("select sum(unknown_views) from coverage")
	v.sees(`document.querySelector('[data-picture]').focus() === undefined`)
	v.do(v.page.Press("1"))
	v.until("the view to be set", func() bool {
		return v.count("select count(*) from placement where view = 'front'") == 1 &&
			v.count("select sum(unknown_views) from coverage") == unknown-1
	})
	v.click("Undo")
	v.until("that to be undone", func() bool { return v.count("select count(*) from placement where view = 'front'") == 0 })
	v.click("Ask for what is missing")
	v.fill("Whom, or what it is for", "Studio")
	v.confirm("Make the request")
	v.says("Studio")
	missing := v.count("select sum(wanted - filled) from coverage")
	if asked := v.count("select count(*) from request_shot where name like '%_front.jpg'"); asked == 0 || asked != missing {
		t.Errorf("%d are missing, %d were asked for", missing, asked)
	}
	v.open("/dispatch/texts")
	v.fill("Language", "de")
	v.click("Draft texts")
	v.click("Keep ")
	v.until("the texts to be kept", func() bool { return v.count("select count(*) from alt_text where language = 'de'") > 50 })
	v.click("Take them back")
	v.until("the texts to be taken back", func() bool { return v.count("select count(*) from alt_text") == 0 })
}
