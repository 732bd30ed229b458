package journeys

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp/kb"

	"ambrosa/demo"
	"ambrosa/internal/standin"
	"ambrosa/tests/browser"
)

// fill puts a text into the field with a label, in place of what is there.
func (v *visitor) fill(label, text string) {
	v.t.Helper()
	v.sees(
		fmt.Sprintf(
			`document.querySelector('input[aria-label=%[1]q], textarea[aria-label=%[1]q]') ?? [...document.querySelectorAll('label')].find(l `+
				`=> l.innerText.startsWith(%[1]q))`,
			label,
		),
	)
	_, err := browser.Eval[bool](
		v.page,
		fmt.Sprintf(
			`(() => { const i = document.querySelector('input[aria-label=%[1]q], textarea[aria-label=%[1]q]') ?? `+
				`document.getElementById([...document.querySelectorAll('label')].find(l => l.innerText.startsWith(%[1]q)).htmlFor); i.focus(); `+
				`i.select(); return true })()`,
			label,
		),
	)
	v.do(err)
	v.do(v.page.Press(text))
}

// points points at an element of the page that is shown, which has something of
// its own, and takes the first selector that is proposed.
func (v *visitor) points(step, selector, own string) {
	v.t.Helper()
	frame := `document.querySelector('iframe')?.contentDocument`
	v.do(v.page.Click(fmt.Sprintf(`[aria-label="Point at: %s"]`, step)))
	v.sees(fmt.Sprintf(`%s?.body?.className === 'pointing' && %s.querySelector(%q) && %s.querySelector(%q)`, frame, frame, selector,
		frame, own))
	_, err := browser.Eval[bool](v.page, fmt.Sprintf(`(%s.querySelector(%q).click(), true)`, frame, selector))
	v.do(err)
	v.sees(`document.querySelector('[role=listitem] button')`)
	v.do(v.page.Click(`[role=listitem] button`))
	v.sees(fmt.Sprintf(`!document.querySelector('[role=listitem]') && document.querySelector('[aria-label="Selector: %s"]').value`, step))
}

// TestARecipeFromNothing makes a recipe by pointing, learns the rewriting from
// one pair, and fetches: the largest renditions come, paired by what the pages
// said, with unknown rights.
func TestARecipeFromNothing(t *testing.T) {
	v := visit(t, browser.Options{})
	site, err := standin.Site(t.Context(), "127.0.0.1:0", filepath.Join(samples, demo.Goods))
	v.do(err)
	v.open("/recipes/new")
	v.fill("Start pages", "http://"+site.String()+"/goods")
	v.points("Product pages", "li a", "nav a")
	v.points("Next page", "nav a", "nav a")
	v.says("8 found")
	v.points("Name", "h1", "dd") // a listing has a heading too, and is shown until the product's page is there
	v.points("SKU", "dd", "dd")
	v.points("Pictures", "ul img", "dd")
	v.fill("Selector: Pictures", "figure img, .strip img")
	v.fill("Leave out", ".film")
	_, err = browser.Eval[bool](
		v.page,
		`([...document.querySelectorAll('input[type=radio]')].find(i => i.value === 'pictures').click(), true)`,
	)
	v.do(err)
	v.sees(`[...document.querySelectorAll('.row')].some(r => r.innerText.includes('the page knows /pic/whole/'))`)
	v.click("Learn…")
	v.click("Learn and prove")
	v.says("larger on")
	v.click("Use this")
	v.sees(`document.querySelector('[aria-label="Find 1"]')?.value`)
	v.fill("Name", "Weidenau")
	v.click("Keep and fetch")
	v.sees(`location.pathname.startsWith('/origins/')`)
	v.until("the lot to be ready", func() bool { return v.rows("select state from lot where origin = 'recipe'") == "(ready)" })
	if got := v.rows(`select count(*) > 40, min(b.width) >= 500, max(b.width), bool_and(f.rights = 'unknown'),
		bool_and(f.said->>'sku' <> ''), count(*) filter (where f.verdict <> 'paired')
		from file f join blob b using (sha256) join lot l on l.id = f.lot_id where l.origin = 'recipe'`); got != "(t,t,1200,t,t,0)" {
		t.Errorf("came: %s", got)
	}
}

// TestBarcodesFromTheInterface asks the sample service, chooses by keyboard and
// fetches.
func TestBarcodesFromTheInterface(t *testing.T) {
	v := visit(t, browser.Options{})
	codes, err := standin.Codes(t.Context(), "127.0.0.1:0", filepath.Join(samples, demo.Goods))
	v.do(err)
	v.post(
		"/api/v1/origins",
		map[string]any{
			"kind":         "lookup",
			"name":         "Sample service",
			"folder":       "",
			"selection":    map[string]any{},
			"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
			"settings": map[string]string{
				"address":  "http://" + codes.String() + "/v1/items/{gtin}",
				"header":   "X-Key",
				"key":      standin.CodesKey,
				"pictures": "items.#.pictures.#.address",
				"pause":    "1",
			},
		},
		nil,
	)
	known := v.rows(`select string_agg(gtin, ' ') from (select gtin from variant where sku like 'JR-%' order by sku limit 12) v`)
	v.open("/origins/1")
	v.click("Ask for barcodes…")
	v.sees(`document.querySelector('[role=dialog] textarea')`)
	v.fill("Barcodes", strings.ReplaceAll(strings.Trim(known, `()"`), " ", ",")+",2000000070118")
	v.click("Ask")
	v.until("the answers", func() bool { return v.rows("select state from run where kind = 'lookup'") == "(done)" })
	v.says("wrong 1")
	v.says("to choose 2")
	v.sees(`[...document.querySelectorAll('.row')].filter(r => r.querySelector('button.placed')).length === 2`)
	v.do(v.page.Press("1"))
	v.sees(`document.querySelectorAll('button.placed.on').length === 1`)
	v.do(v.page.Press(kb.ArrowDown))
	v.sees(`[...document.querySelectorAll('.row')].filter(r => r.querySelector('button.placed'))[1].classList.contains('on')`)
	v.do(v.page.Press("1"))
	v.sees(`document.querySelectorAll('button.placed.on').length === 2`)
	v.click("Fetch 2 pictures")
	v.sees(`location.pathname.startsWith('/lots/')`)
	v.until("the lot to be ready", func() bool { return v.rows("select state from lot where origin = 'lookup'") == "(ready)" })
	if got := v.rows(`select count(*), bool_and(f.verdict = 'paired'), bool_and(v.gtin = f.said->>'barcode'), bool_and(b.width >= 1200)
		from file f join blob b using (sha256) join variant v on v.id = f.variant_id join lot l on l.id = f.lot_id
		where l.origin = 'lookup'`); got != "(2,t,t,t)" {
		t.Errorf("came: %s", got)
	}
}

// TestMarksAndSettingAside filters a lot by a mark, sets what is shown aside and
// brings it back.
func TestMarksAndSettingAside(t *testing.T) {
	v := visit(t, browser.Options{})
	small := v.count("select count(*) from file where lot_id = 2 and marks & 1 <> 0")
	before := v.rows("select verdict, count(*) from file where lot_id = 2 group by 1 order by 1")
	if small == 0 {
		t.Fatal("no small file")
	}
	v.open("/lots/2")
	v.sees(`document.querySelectorAll('.row.pick').length > 5`)
	_, err := browser.Eval[bool](
		v.page,
		`(() => { const s = document.querySelector('select[aria-label=Mark]'); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype,
			'value').set.call(s, 'small'); s.dispatchEvent(new Event('change', { bubbles: true })); return true })()`,
	)
	v.do(err)
	v.says(fmt.Sprintf("%d files", small))
	v.click("Set aside…")
	v.sees(`document.querySelector('[role=dialog] form')`)
	v.click("Set aside")
	v.until("the files to be set aside", func() bool {
		return v.count("select count(*) from file where lot_id = 2 and marks & 1 <> 0 and verdict not in ('set aside', 'unusable')") == 0
	})
	v.click("Bring back")
	v.until("the files to be back", func() bool {
		return v.rows("select verdict, count(*) from file where lot_id = 2 group by 1 order by 1") == before
	})
	csv := v.value(`await (await fetch('/media/lots/2/list?format=csv&mark=small&columns=path,marks')).text()`)
	if lines := strings.Count(csv, "\r\n"); lines != small+1 || !strings.Contains(csv, "least are 500 × 500") {
		t.Errorf("%d lines: %.300s", lines, csv)
	}
	xlsx := v.value(
		`await (async () => { const r = await fetch('/media/lots/2/list?format=xlsx&mark=small'); return r.status + ' ' + (await ` +
			`r.arrayBuffer()).byteLength })()`,
	)
	if !strings.HasPrefix(xlsx, "200 ") {
		t.Errorf("the workbook: %s", xlsx)
	}
}

// TestAScannerFindsTheProduct types codes as a hand scanner does, and drops
// pictures for what was scanned: they are paired whatever they are called.
func TestAScannerFindsTheProduct(t *testing.T) {
	v := visit(t, browser.Options{})
	v.open("/scan")
	v.sees(`document.activeElement?.tagName === 'INPUT'`)
	code := strings.Trim(v.rows(`select substr(gtin, 2) from variant where sku = 'JR-110-500'`), `()"`)
	v.do(v.page.Press("2000000096180", kb.Enter))
	v.says("is not a GTIN")
	v.do(v.page.Press(code, kb.Enter))
	v.sees(`document.querySelector('[aria-label="JR-110-500"]')`)
	v.sees(`document.querySelector('input[data-testid=files]')`)
	picture := filepath.Join(t.TempDir(), "IMG_9001.jpg")
	v.do(os.WriteFile(picture, photograph(t, 3), 0o600))
	v.do(v.page.Choose("input[data-testid=files]", picture))
	v.until("the picture to be paired", func() bool {
		return v.rows(
			`select f.verdict, v.sku, f.clue from file f join lot l on l.id = f.lot_id join variant v on v.id = f.variant_id where l.barcode <> ''`,
		) == "(paired,JR-110-500,said-by-source)"
	})
	v.says("1 picture")
}
