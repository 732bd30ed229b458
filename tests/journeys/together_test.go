package journeys

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"ambrosa/tests/browser"
)

// presses a place of the page, as a mouse does; keys may be held meanwhile.
func (v *visitor) press(find string, init string) {
	v.t.Helper()
	v.sees(find)
	_, err := browser.Eval[bool](
		v.page,
		fmt.Sprintf(`(%s.dispatchEvent(new MouseEvent('click', {bubbles: true, cancelable: true, %s})), true)`, find, init),
	)
	v.do(err)
}

// TestSeveralFilesOnTheBench chooses files by key and by mouse, decides on them
// together, takes it back and does it again.
func TestSeveralFilesOnTheBench(t *testing.T) {
	v := visit(t, browser.Options{})
	loose := func() int { return v.count("select count(*) from file where lot_id = 2 and verdict = 'loose'") }
	start := loose()
	id := v.count("select id from file where lot_id = 2 and verdict = 'loose' order by id limit 1")
	v.open(fmt.Sprintf("/pair/2?file=%d", id))
	v.sees(`document.querySelectorAll('.filerow img').length > 4 && document.querySelector('.reading')`)
	chosen := func(n int) {
		t.Helper()
		v.sees(
			fmt.Sprintf(
				`document.querySelectorAll('.filerow input:checked').length === %d && `+
					`document.querySelector('.chosenbar')?.innerText.startsWith('%d file')`,
				n,
				n,
			),
		)
	}
	here := v.value(benchFile)
	for n := range 3 {
		v.do(v.page.Press("m"))
		chosen(n + 1)
		here = v.nextFile(here)
	}
	v.do(v.page.Press("x"))
	v.until("three files to be set aside", func() bool { return loose() == start-3 })
	v.sees(`!document.querySelector('.chosenbar')`)
	v.do(v.page.Press("u"))
	v.until("them to be back", func() bool { return loose() == start })

	// From one to another with the mouse, and paired with one product.
	box := func(n int) string { return fmt.Sprintf(`document.querySelectorAll('.filerow input')[%d]`, n) }
	v.press(box(1), "")
	chosen(1)
	v.press(box(4), "shiftKey: true")
	chosen(4)
	v.press(`document.querySelectorAll('.filerow > button')[2]`, "ctrlKey: true")
	chosen(3)
	v.do(v.page.Press("f"))
	v.says("Which product do these 3 files show?")
	v.sees(`document.activeElement?.getAttribute('aria-label') === 'SKU, title, GTIN or option'`)
	v.do(v.page.Press("hv-110-8f-n"))
	v.sees(`document.querySelector('[role=dialog] .choice .mono')?.innerText === 'HV-110-8F-NAT'`)
	v.do(v.page.Press(kb.Enter))
	paired := func() int {
		return v.count(
			"select count(*) from file f join variant v on v.id = f.variant_id where lot_id = 2 and verdict = 'paired' and sku = 'HV-110-8F-NAT'",
		)
	}
	v.until("three pairs", func() bool { return paired() == 3 })
	v.sees(`!document.querySelector('[role=dialog]') && !document.querySelector('.chosenbar')`)
	v.do(v.page.Press("u"))
	v.until("the pairs to be undone", func() bool { return paired() == 0 && loose() == start })
	v.do(v.page.Press("U"))
	v.until("the pairs to be made again", func() bool { return paired() == 3 })

	// One file more is set aside; two steps are taken back in one breath.
	v.sees(fmt.Sprintf(`document.querySelectorAll('.filerow').length === %d`, start-3))
	// What was done again leads to its file when its answer is there, which may be after the press: then it is pressed again.
	v.sees(`(() => {
		const row = document.querySelectorAll('.filerow')[2]
		if (!row.classList.contains('on')) row.querySelector('button').click()
		return row.classList.contains('on') && document.querySelector('section[aria-label=File] .verdict')?.innerText.includes('loose')
	})()`)
	v.do(v.page.Press("x"))
	v.until("the file to be set aside", func() bool {
		return v.count("select count(*) from file where lot_id = 2 and verdict = 'set aside' and reason = 'set aside on the bench'") == 1
	})
	v.do(v.page.Press("u", "u"))
	v.until("both to be undone", func() bool {
		return paired() == 0 && loose() == start &&
			v.count("select count(*) from file where lot_id = 2 and reason = 'set aside on the bench'") == 0
	})

	// Paired files are numbered in the order in which they were chosen.
	v.press(`[...document.querySelectorAll('.classes button')].find(b => b.innerText.includes('paired'))`, "")
	v.sees(`document.querySelectorAll('.filerow .why')[1]?.innerText.includes('-')`)
	v.press(`[...document.querySelectorAll('.filerow')].find(r => r.innerText.startsWith('shallow 2.jpg')).querySelector('input')`, "")
	v.press(`[...document.querySelectorAll('.filerow')].find(r => r.innerText.startsWith('shallow.jpg')).querySelector('input')`, "")
	chosen(2)
	walk := func() string {
		return v.rows(
			"select max(coalesce(place, 0)) filter (where path like '%FR 110%/shallow 2.jpg'), max(coalesce(place, 0)) filter (where path like " +
				"'%FR 110%/shallow.jpg') from file where lot_id = 2",
		)
	}
	before := walk()
	v.do(v.page.Press("p"))
	v.says("Places of 2 files")
	v.sees(`document.activeElement?.tagName === 'INPUT' && document.activeElement.value === '1'`)
	v.do(v.page.Press(kb.Enter))
	v.until("the places", func() bool { return walk() == "(1,2)" })
	v.sees(`!document.querySelector('[role=dialog]') && !document.querySelector('.chosenbar')`)
	v.do(v.page.Press("u"))
	v.until("the places to be as they were", func() bool { return walk() == before })

	// Escape chooses none.
	v.press(box(0), "")
	chosen(1)
	v.do(v.page.Press(kb.Escape))
	v.sees(`!document.querySelector('.chosenbar')`)
}

// TestOrderOnTheBench moves a picture by key and by dragging in what its
// product will show.
func TestOrderOnTheBench(t *testing.T) {
	v := visit(t, browser.Options{})
	file := v.count(
		`select min(id) from file where lot_id = 2 and verdict = 'paired' and variant_id = (select variant_id from file where lot_id = 2
			and verdict = 'paired'
		and variant_id is not null group by variant_id having count(distinct sha256) = 2 order by variant_id limit 1)`,
	)
	v.open(fmt.Sprintf("/pair/2?file=%d", file))
	place := `[...document.querySelectorAll('.shot.drags')].find(s => s.classList.contains('here'))`
	v.sees(place)
	start := v.value(place + ".innerText.trim()[0]")
	by, other := kb.ArrowRight, "2"
	if start == "2" {
		by, other = kb.ArrowLeft, "1"
	}
	v.do(v.page.Chord(by, chromedp.ModifierShift))
	v.sees(fmt.Sprintf("%s?.innerText.trim()[0] === %q", place, other))
	v.says("in an order set by hand")
	v.do(v.page.Press("u"))
	v.until("the names' order", func() bool { return v.count("select count(*) from lot_order") == 0 })
	v.sees(fmt.Sprintf("%s?.innerText.trim()[0] === %q", place, start))

	beside := `[...document.querySelectorAll('.shot.drags')].find(s => !s.classList.contains('here'))`
	v.do(v.page.Drag(place, beside))
	v.sees(fmt.Sprintf("%s?.innerText.trim()[0] === %q", place, other))
	v.until("the order by hand", func() bool { return v.count("select count(*) from lot_order") == 1 })
	v.click("As the names have it")
	v.until("the names' order again", func() bool { return v.count("select count(*) from lot_order") == 0 })
}

// TestLotsArePlannedTogether takes the first lot's plan back, plans both lots
// together, leaves one out again, and reads the message of the end.
func TestLotsArePlannedTogether(t *testing.T) {
	v := visit(t, browser.Options{})
	unread := v.count("select count(*) from message where read_at is null")
	v.open("/plans/1")
	v.click("Revert…")
	v.confirm("Revert ")
	v.until("the first lot to be open", func() bool { return v.count("select count(*) from lot where state = 'ready'") == 2 })
	v.says("Reverted.")
	v.open("/pair")
	for _, lot := range []string{"northcomb-spring.zip", "lindmoor-pictures.zip"} {
		v.press(fmt.Sprintf(`document.querySelector('input[aria-label="Plan %s together with others"]')`, lot), "")
	}
	v.click("Plan 2 lots together")
	v.says("Plan of northcomb-spring.zip and lindmoor-pictures.zip")
	plan := v.count("select max(id) from plan")
	if n := v.count("select count(distinct product_id) from file where lot_id in (1, 2) and verdict = 'paired'"); v.count(
		fmt.Sprintf("select count(*) from plan_change where plan_id = %d", plan),
	) != n {
		t.Errorf("the plan holds not all of the %d products", n)
	}
	v.click("2 lots…")
	v.sees(`[...document.querySelectorAll('[role=menuitem]')].some(m => m.innerText === 'Leave out lindmoor-pictures.zip')`)
	v.press(`[...document.querySelectorAll('[role=menuitem]')].find(m => m.innerText === 'Leave out lindmoor-pictures.zip')`, "")
	v.sees(`document.querySelector('h1').innerText === 'Plan of northcomb-spring.zip'`)
	v.click("Apply to 30 products")
	v.says("Applied to 30 products")
	v.do(v.page.Press("i"))
	v.sees(fmt.Sprintf(`document.querySelectorAll('[role=dialog] .letter.unread').length === %d`, unread+2))
	text := v.value(`document.querySelector('[role=dialog] .letter').innerText`)
	if !strings.Contains(text, "Applied: plan of northcomb-spring.zip, 30 products") ||
		!strings.Contains(text, "By hand that would have taken about") {
		t.Errorf("the message says %q", text)
	}
	v.do(v.page.Press(kb.Escape))
	v.until("the messages to be read", func() bool { return v.count("select count(*) from message where read_at is null") == 0 })
	v.sees(`document.querySelector('[aria-label="Messages"]')`)
}

// handIn makes a supplier link and returns the path of its page.
func (v *visitor) handIn() string {
	v.t.Helper()
	var made struct{ Address string }
	v.post(
		"/api/v1/supplier-links",
		map[string]any{
			"supplier": "Heidehof", "asker": "the catalog desk", "message": "Please send what is missing.", "category": "",
			"days": 3, "maxFiles": 100,
			"maxBytes": 500_000_000,
			"rights":   "unknown",
			"licence":  "",
			"credit":   "",
		},
		&made,
	)
	return made.Address
}
