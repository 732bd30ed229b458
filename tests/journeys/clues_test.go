package journeys

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"image"
	"image/color"
	"image/jpeg"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"ambrosa/tests/browser"
)

// photograph makes a JPEG that is like none of another number.
func photograph(t *testing.T, n int) []byte {
	t.Helper()
	picture := image.NewRGBA(image.Rect(0, 0, 640, 640))
	for i := range 640 * 640 {
		picture.SetRGBA(i%640, i/640, color.RGBA{uint8(i * (n + 2) / 997), uint8(i / 640 * (n + 3) / 5), uint8(60 * n), 255})
	}
	var out bytes.Buffer
	if err := jpeg.Encode(&out, picture, nil); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// gathered makes a lot of pictures with these names.
func (v *visitor) gathered(name string, names ...string) (lot int64) {
	v.t.Helper()
	var out bytes.Buffer
	archive := zip.NewWriter(&out)
	for n, name := range names {
		entry, err := archive.Create(name)
		v.do(err)
		_, err = entry.Write(photograph(v.t, n))
		v.do(err)
	}
	v.do(archive.Close())
	lot, err := v.client().Gather(v.t.Context(), name, bytes.NewReader(out.Bytes()), int64(out.Len()))
	v.do(err)
	v.idle(lot)
	return lot
}

// idle waits until a lot is read and nothing runs on it.
func (v *visitor) idle(lot int64) {
	v.t.Helper()
	v.until("the lot to be read", func() bool {
		return v.rows(
			fmt.Sprintf(
				`select state, (select count(*) from run where lot_id = %[1]d and state in ('queued', 'running', 'stopping')) from lot
					where id = %[1]d`,
				lot,
			),
		) == "(ready,0)"
	})
}

// TestACorrectionTeaches pairs a file by hand, is shown what would have paired
// it and its siblings, and takes it.
func TestACorrectionTeaches(t *testing.T) {
	v := visit(t, browser.Options{})
	lot := v.gathered(
		"prefixed.zip", "qJR-110-500_1.jpg", "qJR-110-250_2.jpg", "qLD-110-HNY_1.jpg", "meadow.jpg", "sky.jpg", "sun.jpg",
		"rain.jpg",
	)
	first := v.count(fmt.Sprintf("select id from file where lot_id = %d and path like 'qJR-110-500%%'", lot))
	v.open(fmt.Sprintf("/pair/%d?file=%d", lot, first))
	v.sees(`document.querySelector('.group')`)
	v.do(v.page.Press("f"))
	v.sees(`document.activeElement?.getAttribute('aria-label') === 'SKU, title, GTIN or option'`)
	v.do(v.page.Press("jr-110-500"))
	v.sees(`document.querySelector('[role=dialog] .choice .mono')?.innerText === 'JR-110-500'`)
	v.do(v.page.Press(kb.Enter))
	v.says("drop “q” before a key")
	v.says("2 more files")
	if n := v.count(fmt.Sprintf("select count(*) from file where lot_id = %d and verdict = 'paired'", lot)); n != 1 {
		t.Errorf("%d files are paired before it was accepted", n)
	}
	v.click("Learn it")
	v.until("its siblings to be paired", func() bool {
		return v.count(fmt.Sprintf("select count(*) from file where lot_id = %d and verdict = 'paired'", lot)) == 3
	})
	if got := v.rows("select name, list->'steps'->0->>'text' from clue_list"); got != "(prefixed.zip,q)" {
		t.Errorf("kept: %s", got)
	}
}

// TestTheClueListShowsItsEffect switches a clue off, sees what would be lost,
// keeps the list and has the lot read with it.
func TestTheClueListShowsItsEffect(t *testing.T) {
	v := visit(t, browser.Options{})
	byFolder := v.count("select count(*) from file where lot_id = 2 and clue = 'folder'")
	v.open("/pair/2")
	v.sees(`document.querySelector('.group') && document.querySelector('.reading')`)
	v.do(v.page.Press("c"))
	v.sees(`document.querySelectorAll('.clue').length === 12`)
	v.do(v.page.Click(`[aria-label="Use folder"]`))
	v.says("would no longer be")
	if n := v.count("select count(*) from file where lot_id = 2 and clue = 'folder'"); n != byFolder || n == 0 {
		t.Errorf("%d files by folder after looking, %d before", n, byFolder)
	}
	v.fill("Name of the list", "Without folders")
	v.click("Keep and read again")
	v.until(
		"the lot to be read without folders",
		func() bool { return v.count("select count(*) from file where lot_id = 2 and clue = 'folder'") == 0 },
	)
	v.says("Clues…")
	v.idle(2)
	v.do(v.page.Press("c"))
	v.sees(
		`[...document.querySelectorAll('select[aria-label="Read with"] option')].some(o => o.selected && o.innerText === 'Without folders')`,
	)
}

// TestBarcodesOfAllPictures looks for barcodes in every picture of a lot, also of
// files that their names pair.
func TestBarcodesOfAllPictures(t *testing.T) {
	v := visit(t, browser.Options{})
	lot := v.gathered("shelf.zip", "JR-110-500_1.jpg", "JR-110-250_2.jpg", "meadow.jpg")
	looked := func() string {
		return v.rows(fmt.Sprintf(
			"select f.path from file f join blob b using (sha256) where lot_id = %d and b.codes is not null order by 1", lot,
		))
	}
	if before := looked(); before != "(meadow.jpg)" {
		t.Errorf("looked at before: %s", before)
	}
	v.open(fmt.Sprintf("/pair/%d", lot))
	v.sees(`document.querySelector('.group')`)
	v.do(v.page.Press("c"))
	v.click("Look in all pictures")
	v.until("every picture to be looked at", func() bool {
		return v.count("select count(*) from run where kind = 'all barcodes' and state = 'done'") == 1
	})
	if after := looked(); after != "(JR-110-250_2.jpg)\n(JR-110-500_1.jpg)\n(meadow.jpg)" {
		t.Errorf("looked at after: %s", after)
	}
}

// TestTwoPeopleOnOneLot decides in one browser and sees it in another, where a
// decision on what was seen before is refused.
func TestTwoPeopleOnOneLot(t *testing.T) {
	v := visit(t, browser.Options{})
	page, err := browser.Open(context.WithoutCancel(t.Context()), browser.Options{})
	v.do(err)
	t.Cleanup(page.Close)
	other := &visitor{v.instance, page}
	file := v.count("select id from file where lot_id = 2 and verdict = 'contested' order by id limit 1")
	for _, p := range []*visitor{v, other} {
		p.open(fmt.Sprintf("/pair/2?file=%d", file))
		p.sees(`document.querySelectorAll('.choice').length === 2`)
	}
	v.do(v.page.Press("2", kb.Enter))
	v.until("the decision", func() bool {
		return v.rows(fmt.Sprintf("select verdict, version <> 1 from file where id = %d", file)) == "(paired,t)"
	})
	other.sees(`document.querySelector('section[aria-label=File] .verdict')?.innerText.includes('paired')`)
	answer := other.value(
		fmt.Sprintf(
			`await (async () => { const r = await fetch('/api/v1/files/%d/decision', { method: 'POST', headers: { 'Content-Type': `+
				`'application/json' }, body: JSON.stringify({ verdict: 'set aside', version: 1 }) }); return r.status + ' ' + (await `+
				`r.json()).detail })()`,
			file,
		),
	)
	if answer != "409 This file was changed in between. Look at it again; nothing was changed now." {
		t.Errorf("a decision on what was seen before: %s", answer)
	}

	// A page whose stream of events opens late shows what happened before it did.
	other.do(other.page.First(`window.RealEventSource = window.EventSource
	window.EventSource = class extends EventTarget {
		constructor(address) {
			super()
			window.openStream = () => {
				const real = this.real = new window.RealEventSource(address)
				real.onopen = () => this.onopen?.()
				const pass = e => this.dispatchEvent(new MessageEvent(e.type, { data: e.data }))
				for (const name of ['change', 'beat']) real.addEventListener(name, pass)
			}
		}
		close() { this.real?.close() }
	}`))
	file = v.count("select id from file where lot_id = 2 and verdict = 'contested' order by id limit 1")
	other.open(fmt.Sprintf("/pair/2?file=%d", file))
	other.sees(`document.querySelectorAll('.choice').length === 2`)
	v.open(fmt.Sprintf("/pair/2?file=%d", file))
	v.sees(`document.querySelectorAll('.choice').length === 2`)
	v.do(v.page.Press("1", kb.Enter))
	v.until("the second decision", func() bool {
		return v.count(fmt.Sprintf("select count(*) from file where id = %d and verdict = 'paired'", file)) == 1
	})
	if shown := other.value(`document.querySelector('section[aria-label=File] .verdict')?.innerText`); !strings.Contains(shown, "contested") {
		t.Errorf("without a stream the page shows %s", shown)
	}
	other.sees(`window.openStream() || true`)
	other.sees(`document.querySelector('section[aria-label=File] .verdict')?.innerText.includes('paired')`)
}
