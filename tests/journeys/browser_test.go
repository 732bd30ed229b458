package journeys

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"ambrosa/demo"
	"ambrosa/internal/standin"
	"ambrosa/tests/browser"
)

const (
	benchFile  = `document.querySelector('.filerow.on .mono')?.innerText`
	benchReady = `document.querySelector('section[aria-label=File]')?.ariaBusy === 'false'`
	counts     = `[...document.querySelectorAll('.classes strong')].map(e => e.innerText).join(' ')`
)

// nextFile waits until the bench shows another file than one, and returns its name. It is read once: while the list of files
// is fetched anew, no row is marked for a moment, and a second look would find none.
func (v *visitor) nextFile(than string) string {
	v.t.Helper()
	v.sees(fmt.Sprintf("%s && (window.benchFile = %s) && window.benchFile !== %q && %s", benchReady, benchFile, than, pictureShown))
	return v.value("window.benchFile")
}

// TestTheWholeLine does what the first line is for: drop an archive, decide by
// keyboard, plan, apply, see the pictures on the product in the right order,
// and take everything back.
func TestTheWholeLine(t *testing.T) {
	v := visit(t, browser.Options{})
	standing := `select product_id, variant_id, place, file_id, view, alt, alt_by, id from placement order by id`
	before := v.rows(standing)

	v.open("/gather")
	v.sees(`document.querySelector('input[data-testid=files]')`)
	v.do(v.page.Choose("input[data-testid=files]", filepath.Join(samples, demo.Archives[2])))
	v.until("the lot to be ready", func() bool { return v.rows("select state from lot where id = 3") == "(ready)" })
	v.sees(
		`[...document.querySelectorAll('.row')].some(r => r.innerText.includes('apigrund') && r.innerText.includes('waits for decisions'))`,
	)

	v.open("/pair/3")
	v.sees(`document.querySelector('.choice') && document.querySelector('.reading')`)
	contested := v.count("select count(*) from file where lot_id = 3 and verdict = 'contested'")
	if contested == 0 {
		t.Fatal("the sample archive has no contested file")
	}
	name := ""
	for n := range contested {
		name = v.nextFile(name)
		v.sees(`document.querySelector('.choice') && !document.querySelector('.choice.on')`) // none is clearly ahead
		if n == 0 {
			v.do(v.page.Press(kb.Enter))
			v.says("No product is clearly ahead")
		}
		v.do(v.page.Press("1"))
		v.sees(`document.querySelector('.choice.on')`)
		v.do(v.page.Press(kb.Enter))
		v.until(fmt.Sprintf("decision %d on %s", n+1, name), func() bool {
			return v.count("select count(*) from file where lot_id = 3 and verdict = 'contested'") == contested-n-1
		})
	}
	for v.count("select count(*) from file where lot_id = 3 and verdict = 'loose'") > 0 {
		left := v.count("select count(*) from file where lot_id = 3 and verdict = 'loose'")
		name = v.nextFile(name)
		v.do(v.page.Press("x"))
		v.until("a file to be set aside", func() bool {
			return v.count("select count(*) from file where lot_id = 3 and verdict = 'loose'") < left
		})
	}
	v.says("everything is decided")

	v.click("Plan")
	v.says("pictures added")
	v.click("Apply to")
	v.says("It can be reverted completely until")
	v.until("the plan to be applied", func() bool { return v.rows("select state from plan order by id desc limit 1") == "(applied)" })

	// A jar whose pictures the archive names with the letters a, b and c.
	product := v.count(`select p.id from product p join variant v on v.product_id = p.id join file f on f.variant_id = v.id
		where f.path like 'letters/%-c.%' order by 1 limit 1`)
	v.open(fmt.Sprintf("/products/%d", product))
	v.sees(`document.querySelectorAll('.placed img').length > 2`)
	order := v.rows(fmt.Sprintf(`select v.sku, string_agg(right(split_part(f.path, '.', 1), 1), '' order by pl.place)
		from placement pl join variant v on v.id = pl.variant_id join file f on f.id = pl.file_id
		where pl.product_id = %d and f.path like 'letters/%%' group by v.sku limit 1`, product))
	if !strings.Contains(order, ",abc)") {
		t.Errorf("the pictures stand in the order %s", order)
	}
	shown := v.value(`[...document.querySelectorAll('.placed img')].map(i => i.alt).join('|')`)
	if !strings.Contains(shown, "jar") && !strings.Contains(shown, "lid") && !strings.Contains(shown, ",") {
		t.Errorf("alternative texts: %s", shown)
	}

	v.open(fmt.Sprintf("/plans/%d", v.count("select max(id) from plan")))
	v.click("Revert…")
	v.confirm("Revert ")
	v.says("Reverted.")
	if after := v.rows(standing); after != before {
		t.Errorf("placements before:\n%.500s\nafter reverting:\n%.500s", before, after)
	}
}

// TestTheBenchByKeyboard decides, corrects and takes back without the mouse.
func TestTheBenchByKeyboard(t *testing.T) {
	v := visit(t, browser.Options{})
	v.open("/pair/2")
	v.sees(`document.querySelectorAll('.choice').length === 2 && ` + benchFile)
	// The whole picture is seen, however low the stage.
	v.sees(`(() => { const [s, i] = ['.stage', '.stage img'].map((e) => document.querySelector(e)?.getBoundingClientRect());
		return i && i.height > 100 && i.top >= s.top - 1 && i.bottom <= s.bottom + 1 && i.left >= s.left - 1 && i.right <= s.right + 1 })()`)
	first := v.value(benchFile)
	fileOf := func(name string) string {
		return fmt.Sprintf(
			"select verdict, coalesce(v.sku, ''), coalesce(f.place, 0), f.view from file f left join variant v on v.id = f.variant_id where "+
				"f.lot_id = 2 and path like '%%%s'",
			name,
		)
	}
	second := v.value(`document.querySelectorAll('.choice .mono')[1].innerText`)

	// Mark the second of those who claim it, and accept it; the next comes up.
	v.do(v.page.Press("2"))
	v.sees(`document.querySelectorAll('.choice')[1].classList.contains('on')`)
	v.do(v.page.Press(kb.Enter))
	v.until("the pair with the second candidate", func() bool { return v.rows(fileOf(first)) == fmt.Sprintf(`(paired,%s,0,"")`, second) })
	v.nextFile(first)

	// Undo brings the file back as it was.
	v.do(v.page.Press("u"))
	v.until("the file to be contested again", func() bool { return strings.HasPrefix(v.rows(fileOf(first)), "(contested,") })
	v.sees(fmt.Sprintf("%s === %q && document.querySelectorAll('.choice').length === 2", benchFile, first))

	// Find another product by a part of its SKU.
	v.do(v.page.Press("f"))
	v.sees(`document.activeElement?.getAttribute('aria-label') === 'SKU, title, GTIN or option'`)
	v.do(v.page.Press("hv-110-8f-n"))
	v.sees(`document.querySelector('[role=dialog] .choice .mono')?.innerText === 'HV-110-8F-NAT'`)
	v.do(v.page.Press(kb.Enter))
	v.until("the pair with the product found", func() bool { return v.rows(fileOf(first)) == `(paired,HV-110-8F-NAT,0,"")` })

	// The next one is set aside, and opened again.
	next := v.nextFile(first)
	v.do(v.page.Press("x"))
	v.until("the file to be set aside", func() bool { return strings.HasPrefix(v.rows(fileOf(next)), `("set aside",`) })

	// Place and view of a paired file.
	id := v.count(
		"select id from file where lot_id = 2 and verdict = 'paired' and place is null and decided_by = 'reading' order by id limit 1",
	)
	v.open(fmt.Sprintf("/pair/2?file=%d", id))
	v.sees(`document.querySelector('.reading') && document.querySelector('.shot')`)
	v.do(v.page.Press("p"))
	v.sees(`document.activeElement?.tagName === 'INPUT'`)
	v.do(v.page.Press("7", kb.Enter))
	v.until("the place", func() bool { return v.count(fmt.Sprintf("select place from file where id = %d", id)) == 7 })
	v.sees(`!document.querySelector('[role=dialog]') && document.querySelector('.filerow.on .why')?.innerText.includes('place 7')`)
	v.do(v.page.Press("v"))
	v.sees(`document.querySelector('[role=dialog]')`)
	v.click("detail")
	v.until("the view", func() bool {
		return v.rows(fmt.Sprintf("select view, place from file where id = %d", id)) == "(detail,7)"
	})

	// Help, and the way along the stations.
	v.sees(`!document.querySelector('[role=dialog]')`)
	v.do(v.page.Press("?"))
	v.says("mark a candidate or suggestion")
	v.do(v.page.Press(kb.Escape))
	v.sees(`!document.querySelector('[role=dialog]')`)
	v.do(v.page.Press("]"))
	v.sees(`location.pathname === '/catalog'`)
}

// TestOrderOnAProduct reorders by keys and by dragging, edits a text, and
// takes a change by hand back.
func TestOrderOnAProduct(t *testing.T) {
	v := visit(t, browser.Options{})
	product := v.count("select product_id from placement where place = 3 order by product_id limit 1")
	variant := v.count(
		fmt.Sprintf("select variant_id from placement where place = 3 and product_id = %d order by variant_id limit 1", product),
	)
	order := func() string {
		return v.rows(fmt.Sprintf("select string_agg(file_id::text, ' ' order by place) from placement where variant_id = %d", variant))
	}
	start := order()
	ids := strings.Fields(strings.Trim(start, `()"`))
	v.open(fmt.Sprintf("/products/%d", product))
	section := fmt.Sprintf(
		`[...document.querySelectorAll('section')].find(s => s.getAttribute('aria-label') === %q)`,
		strings.Trim(v.rows(fmt.Sprintf("select sku from variant where id = %d", variant)), "()"),
	)
	v.sees(section + `?.querySelectorAll('.placed img').length >= 3`)
	first := v.value(section + `.querySelector('.placed img').src`)
	_, err := browser.Eval[bool](v.page, "("+section+".querySelector('.placed').click(), true)")
	v.do(err)
	v.do(v.page.Chord(kb.ArrowRight, chromedp.ModifierShift))
	moved := fmt.Sprintf("%s %s", ids[1], ids[0])
	v.until("the first picture to be second", func() bool { return strings.HasPrefix(strings.Trim(order(), `()"`), moved) })

	// Drag it back to the front, when the page shows it second and lists the change.
	v.sees(fmt.Sprintf(`%s.querySelectorAll('.placed img')[1].src === %q`, section, first))
	v.sees(`document.querySelector('aside').innerText.includes('edited pictures')`)
	v.sees(`!document.body.innerText.includes('Saving…')`)
	v.do(v.page.Drag(section+`.querySelectorAll('.placed')[1]`, section+`.querySelectorAll('.placed')[0]`))
	v.until("the order to be as it was", func() bool { return order() == start })

	// A text of one's own.
	v.sees(`!document.body.innerText.includes('Saving…')`)
	v.do(v.page.Press("a"))
	v.sees(`document.activeElement?.tagName === 'TEXTAREA'`)
	_, err = browser.Eval[bool](v.page, `(document.activeElement.select(), true)`)
	v.do(err)
	v.do(v.page.Press("A hive on a wooden stand"))
	v.click("Save text")
	v.until("the text", func() bool {
		return v.count("select count(*) from placement where alt = 'A hive on a wooden stand' and alt_by = 'person'") == 1
	})

	// The newest change is taken back from the product's page, when it is listed.
	v.sees(`!document.querySelector('[role=dialog]') && document.querySelector('aside').innerText.split('edited pictures').length === 4`)
	v.clickIn(`document.querySelector('[aria-label=History] .history-line')`, "Revert")
	v.until("the text to be gone", func() bool { return v.count("select count(*) from placement where alt_by = 'person'") == 0 })
	if order() != start {
		t.Errorf("the order is %s, was %s", order(), start)
	}
}

// TestSearchFromAnywhere opens the search with its chord and goes to what it
// finds.
func TestSearchFromAnywhere(t *testing.T) {
	v := visit(t, browser.Options{})
	v.open("/")
	v.says("wait for a decision")
	v.do(v.page.Chord("k", chromedp.ModifierCtrl))
	v.sees(`document.activeElement?.tagName === 'INPUT'`)
	v.do(v.page.Press("sm-110-cu"))
	v.sees(`[...document.querySelectorAll('button')].some(b => b.innerText.includes('SM-110-CU'))`)
	v.do(v.page.Press(kb.ArrowDown, kb.Enter))
	v.sees(`location.pathname.startsWith('/products/')`)
	v.says("SM-110")
}

// TestAnUploadGoesOnAfterAKill drops an archive while the program is killed,
// and drops it again after a reload: it goes on in the same lot.
func TestAnUploadGoesOnAfterAKill(t *testing.T) {
	v := visit(t, browser.Options{})
	v.open("/gather")
	v.sees(`document.querySelector('input[data-testid=files]')`)
	file := filepath.Join(samples, demo.Archives[2])
	v.do(v.page.Choose("input[data-testid=files]", file))
	v.until("the upload to begin", func() bool { return v.count("select count(*) from upload where lot_id = 3") == 1 })
	v.stop(syscall.SIGKILL)
	v.start()
	v.open("/gather")
	v.sees(`document.querySelector('input[data-testid=files]')`)
	if v.rows("select state from lot where id = 3") == "(receiving)" {
		v.do(v.page.Choose("input[data-testid=files]", file))
	}
	v.until("the lot to be ready", func() bool { return v.rows("select state from lot where id = 3") == "(ready)" })
	if n := v.count("select count(*) from lot"); n != 3 {
		t.Errorf("there are %d lots, expected 3", n)
	}
}

// drive serves some of the sample files as a supplier's drive, and makes an
// origin of it.
func (v *visitor) drive() (address string) {
	v.t.Helper()
	folder := filepath.Join(v.folder, "drive")
	v.do(standin.Unpack(filepath.Join(samples, demo.Archives[1]), folder))
	listening, err := standin.WebDAV(v.t.Context(), "127.0.0.1:0", folder)
	v.do(err)
	v.post(
		"/api/v1/origins",
		map[string]any{
			"kind":         "webdav",
			"name":         "Lindmoor share",
			"folder":       "",
			"selection":    map[string]any{},
			"everyMinutes": 0, "rights": "unknown", "licence": "", "credit": "",
			"settings": map[string]string{
				"address":  "http://" + listening.String(),
				"user":     standin.User,
				"password": standin.Password,
			},
		},
		nil,
	)
	return listening.String()
}

// TestADriveFromTheInterface adds an origin with a wrong password, corrects it,
// looks around, takes one folder and fetches it twice.
func TestADriveFromTheInterface(t *testing.T) {
	v := visit(t, browser.Options{})
	address := v.drive()
	v.open("/gather")
	v.says("Lindmoor share")
	v.click("Add a drive")
	enter := func(label, text string) {
		v.sees(fmt.Sprintf(`[...document.querySelectorAll('[role=dialog] label')].some(l => l.innerText.startsWith(%q))`, label))
		_, err := browser.Eval[bool](
			v.page,
			fmt.Sprintf(
				`(() => { const l = [...document.querySelectorAll('[role=dialog] label')].find(l => l.innerText.startsWith(%q)); const i = `+
					`document.getElementById(l.htmlFor); i.focus(); i.select(); return true })()`,
				label,
			),
		)
		v.do(err)
		v.do(v.page.Press(text))
	}
	enter("Name", "A second look")
	enter("Address", "http://"+address)
	enter("User name", standin.User)
	enter("Password", "guessed")
	v.click("Test and add")
	v.says("The user name or the password is wrong.")
	if n := v.count("select count(*) from origin"); n != 1 {
		t.Errorf("%d origins", n)
	}
	enter("Password", standin.Password)
	v.click("Test and add")
	v.sees(`location.pathname === '/origins/2'`)
	v.sees(`[...document.querySelectorAll('button.row')].length > 0`)
	_, err := browser.Eval[bool](v.page, `(document.querySelector('button.row').click(), true)`)
	v.do(err)
	v.sees(`new URLSearchParams(location.search).get('folder')`)
	v.click("Take only this folder")
	v.says("and all below it")
	taken := strings.Trim(v.rows("select folder from origin where id = 2"), `()"`)
	v.click("Fetch")
	v.until("the lot to be ready", func() bool { return v.rows("select state from lot where origin_id = 2") == "(ready)" })
	if n := v.count(fmt.Sprintf("select count(*) from file f join lot l on l.id = f.lot_id where l.origin_id = 2 and not "+
		"starts_with(path, '%s/')", taken)); n != 0 {
		t.Errorf("%d files are from outside %s", n, taken)
	}
	again := `[...document.querySelectorAll('button')].find(b => b.innerText === 'Fetch' && !b.disabled && !b.dataset.loading)`
	v.sees("document.body.innerText.includes('are new or changed') && " + again)
	_, err = browser.Eval[bool](v.page, "("+again+".click(), true)")
	v.do(err)
	v.says("Nothing is new or changed")
}

// TestAccessibility runs axe-core over each main view, light and dark, and
// expects no violation.
func TestAccessibility(t *testing.T) { accessible(t, browser.Options{}) }

// TestAccessibilityInTheDark looks at the same views in the dark scheme.
func TestAccessibilityInTheDark(t *testing.T) { accessible(t, browser.Options{Dark: true}) }

// accessible looks at every view with axe-core, in its states.
func accessible(t *testing.T, o browser.Options) {
	t.Helper()
	engine, err := os.ReadFile("../../ui/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	v := visit(t, o)
	v.drive()
	link := v.handIn()
	loose := v.count("select id from file where lot_id = 2 and verdict = 'loose' order by id limit 1")
	bench := fmt.Sprintf("/pair/2?file=%d", loose)
	for _, c := range []struct{ path, ready, key, then string }{
		{path: "/", ready: "document.querySelector('.letter')"},
		{"/", "document.querySelector('.letter')", "i", "document.querySelector('[role=dialog] .letter')"},
		{path: "/scan", ready: "document.activeElement?.tagName === 'INPUT'"},
		{path: link, ready: "document.querySelectorAll('.row').length > 2"},
		{bench, "document.querySelector('.reading') && document.querySelector('.choice')", "c", "document.querySelectorAll('[role=dialog] " +
			".clue').length > 5"},
		{bench, "document.querySelector('.reading') && document.querySelector('.choice')", "m", "document.querySelector('.chosenbar')"},
		{path: "/gather", ready: "document.querySelectorAll('.row').length > 2"},
		{path: "/origins/1", ready: "document.querySelector('button.row')"},
		{path: "/recipes/new", ready: "document.querySelector('.stephead')"},
		{path: "/single", ready: "document.querySelector('.empty')"},
		{path: "/lots/2", ready: "document.querySelectorAll('.row.pick').length > 5"},
		{path: "/pair", ready: "document.querySelector('.reading, .sheet')"},
		{path: "/plans/1", ready: "document.querySelectorAll('.shot').length > 3"},
		{path: "/catalog", ready: "document.querySelectorAll('.card').length > 5"},
		{path: "/catalog?as=table", ready: "document.querySelectorAll('.row.pick').length > 5"},
		{path: "/products/1", ready: "document.querySelectorAll('.placed').length > 2"},
	} {
		v.open(c.path)
		v.sees(c.ready)
		if c.key != "" {
			v.do(v.page.Press(c.key))
			v.sees(c.then)
		}
		v.do(v.page.Shown())
		_, err := browser.Eval[bool](v.page, string(engine)+"; true")
		v.do(err)
		found := v.value(
			`JSON.stringify((await axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa',
				'wcag22aa']})).violations.map(v => v.id + ': ' + v.nodes.slice(0, 3).map(n => n.target.join(' ') + ' ' +
				n.failureSummary.split('\n')[1]).join(' | ')))`,
		)
		if found != "[]" {
			t.Errorf("%s %s, dark %v: %s", c.path, c.key, o.Dark, found)
		}
	}
}

// TestAPlanThatIsOvertaken has somebody decide while a person looks at a plan: the
// page says so, is not applied as it was, and shows what became different.
func TestAPlanThatIsOvertaken(t *testing.T) {
	v := visit(t, browser.Options{})
	var plan struct{ ID int64 }
	v.post("/api/v1/lots/2/plan", map[string]any{"way": ""}, &plan)
	v.open(fmt.Sprintf("/plans/%d", plan.ID))
	v.sees(`document.querySelector('section.sheet[aria-label]')`)
	file := v.count("select id from file where lot_id = 2 and verdict = 'paired' order by id limit 1")
	code := strings.Trim(v.rows(fmt.Sprintf("select p.code from file f join product p on p.id = f.product_id where f.id = %d", file)), "()")
	left := v.count(
		fmt.Sprintf(
			"select count(*) from file where lot_id = 2 and verdict = 'paired' and product_id = (select product_id from file where id = %d)",
			file,
		),
	)
	v.post(
		fmt.Sprintf("/api/v1/files/%d/decision", file),
		map[string]any{
			"verdict": "set aside",
			"reason":  "theirs",
			"version": v.count(fmt.Sprintf("select version from file where id = %d", file)),
		},
		nil,
	)
	v.says("Decisions or products changed after this plan was made")
	v.sees(`[...document.querySelectorAll('button')].some(b => b.innerText.startsWith('Apply to') && b.disabled)`)
	v.click("Show it as it is now")
	v.says("This plan was made again")
	if left > 1 {
		v.sees(fmt.Sprintf(`document.querySelector('section.sheet[aria-label=%q]')?.innerText.includes('made again')`, code))
	}
	v.click("Apply to")
	v.until("the plan to be applied", func() bool {
		return v.rows(fmt.Sprintf("select state from plan where id = %d", plan.ID)) == "(applied)"
	})
	if n := v.count(fmt.Sprintf("select count(*) from placement where file_id = %d", file)); n != 0 {
		t.Error("the file that was set aside stands")
	}
}

// TestAProductByHand removes a picture by key and takes it back, puts a dropped
// one on a variant, and goes through products chosen in the catalog.
func TestAProductByHand(t *testing.T) {
	v := visit(t, browser.Options{})
	product := v.count("select product_id from placement group by 1 order by count(*) desc, 1 limit 1")
	shown := fmt.Sprintf("select count(*) from placement where product_id = %d", product)
	before := v.count(shown)
	v.open(fmt.Sprintf("/products/%d", product))
	v.sees(fmt.Sprintf(`document.querySelectorAll('.placed img').length === %d`, before))
	v.do(v.page.Press("x"))
	v.sees(fmt.Sprintf(`document.querySelectorAll('.placed img').length === %d`, before-1))
	v.click("Undo")
	v.sees(fmt.Sprintf(`document.querySelectorAll('.placed img').length === %d`, before))
	picture := filepath.Join(t.TempDir(), "any name.jpg")
	v.do(os.WriteFile(picture, photograph(t, 4), 0o600))
	v.do(v.page.Choose(`input[aria-label^="Pictures for The product as a whole"]`, picture))
	v.until("the picture to stand", func() bool { return v.count(shown) == before+1 })
	// The message of the removal may still be on its way out.
	v.clickIn(`([...document.querySelectorAll('[role=alert]')].find(n => n.innerText.includes('put on')) ?? document.createElement('div'))`,
		"Undo")
	v.until("the picture to be gone", func() bool { return v.count(shown) == before })

	v.open("/catalog?noPicture=1")
	v.sees(`document.querySelectorAll('.card .choose').length > 6`)
	for range 2 {
		v.do(v.page.Press(kb.ArrowRight, "m"))
	}
	v.says("2 products chosen")
	v.do(v.page.Chord(kb.ArrowRight, chromedp.ModifierShift))
	v.says("3 products chosen")
	v.click("Go through them")
	v.says("1 of 3 chosen")
	v.click("Next")
	v.says("2 of 3 chosen")
}
