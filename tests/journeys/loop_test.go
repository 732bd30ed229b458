package journeys

import (
	"testing"

	"github.com/chromedp/chromedp/kb"

	"ambrosa/tests/browser"
)

// TestAWrongPictureIsCorrected goes from a picture on a product to its file on the bench, decides again, reviews and applies the
// correction; then it pairs a set shot with all who claim it, and moves a picture to another product and back.
func TestAWrongPictureIsCorrected(t *testing.T) {
	v := visit(t, browser.Options{})
	file := v.count(`select file_id from placement where product_id = 1 order by variant_id, place limit 1`)
	placedOn := func() string {
		return v.rows(`select p.code from placement l join product p on p.id = l.product_id where l.file_id = ` + v.number(file))
	}
	v.open("/products/1")
	v.click("Wrong product?")
	v.says("If that is wrong, decide again")
	v.sees(pictureShown)
	v.do(v.page.Press("f"))
	v.sees(`document.activeElement?.getAttribute('aria-label') === 'SKU, title, GTIN or option'`)
	v.do(v.page.Press("br-110-oak"))
	v.sees(`document.querySelector('[role=dialog] .choice .mono')?.innerText === 'BR-110-OAK'`)
	v.do(v.page.Press(kb.Enter))
	v.until("the lot to be open again", func() bool { return v.rows("select state from lot where id = 1") == "(ready)" })
	v.open("/pair/1?file=" + v.number(file))
	v.says("The next plan of this lot corrects it.")
	v.click("Plan changes")
	v.says("1 removed")
	v.click("Apply to 2 products")
	v.until("the picture to be moved", func() bool { return placedOn() == "(BR-110)" })

	contested := v.count(`select id from file where lot_id = 2 and verdict = 'contested' order by id limit 1`)
	v.open("/pair/2?file=" + v.number(contested))
	v.sees(`document.querySelectorAll('.choice').length === 2`)
	v.do(v.page.Press("a"))
	v.until("the pair with both", func() bool {
		return v.rows(`select verdict, jsonb_array_length(others) from file where id = `+v.number(contested)) == "(paired,1)"
	})
	v.open("/pair/2?file=" + v.number(contested))
	v.says("It shows these, too")

	moved := v.count(`select file_id from placement where product_id = 1 order by variant_id, place limit 1`)
	file = moved
	v.open("/products/1")
	v.click("Move to product…")
	v.sees(`document.activeElement?.getAttribute('aria-label') === 'SKU, title, GTIN or option'`)
	v.do(v.page.Press("br-110-red"))
	v.sees(`document.querySelector('[role=dialog] .choice .mono')?.innerText === 'BR-110-RED'`)
	v.do(v.page.Press(kb.Enter))
	v.until("the picture to be moved", func() bool { return placedOn() == "(BR-110)" })
	v.click("Undo")
	v.until("it to be moved back", func() bool { return placedOn() == "(HV-110)" })
}

// TestNoKeyDecidesOnAPictureThatIsNotShown holds pictures back: the file at hand is named, but no key decides on it until its
// picture, or its thumbnail, is on the screen.
func TestNoKeyDecidesOnAPictureThatIsNotShown(t *testing.T) {
	v := visit(t, browser.Options{})
	v.do(v.page.Go(v.url() + "/"))
	file := v.count(`select id from file where lot_id = 2 and verdict = 'loose' order by id limit 1`)
	v.do(v.page.First(`const late = Object.getOwnPropertyDescriptor(HTMLImageElement.prototype, 'src');
		Object.defineProperty(HTMLImageElement.prototype, 'src', { ...late, set(to) {
			if (this.closest?.('.filerow')) return late.set.call(this, to);
			setTimeout(() => late.set.call(this, to), 4000); } });
		const attribute = Element.prototype.setAttribute;
		Element.prototype.setAttribute = function (name, to) {
			if (this instanceof HTMLImageElement && name === 'src') { setTimeout(() => attribute.call(this, name, to), 4000); return; }
			return attribute.call(this, name, to); };`))
	v.do(v.page.Go(v.url() + "/pair/2?file=" + v.number(file)))
	v.sees(`document.querySelector('.reading') && document.querySelector('.stage .mat')?.ariaBusy === 'true'`)
	v.do(v.page.Press("x"))
	if got := v.rows(`select verdict from file where id = ` + v.number(file)); got != "(loose)" {
		t.Errorf("decided before the picture was shown: %s", got)
	}
	v.sees(pictureShown)
	v.do(v.page.Press("x"))
	v.until("the decision", func() bool { return v.rows(`select verdict from file where id = `+v.number(file)) == `("set aside")` })
}
