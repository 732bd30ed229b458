package journeys

import (
	"fmt"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"ambrosa/demo"
	"ambrosa/tests/browser"
)

// cellAt is the cell of a sheet's row and column on the screen, both from 1.
func cellAt(row, column int) string {
	return fmt.Sprintf(`document.querySelector('[aria-rowindex="%d"] [aria-colindex="%d"]')`, row+1, column+1)
}

// everything that a sheet can change, as text.
const catalogRows = `select p.code, p.title, c.path, v.sku, v.title, v.gtin, v.options, v.attributes, v.retired
	from product p left join category c on c.id = p.category_id left join variant v on v.product_id = p.id order by v.sku`

// TestASheetFromDropToCards drops a supplier's CSV as it came, mends it in the grid, by a
// remedy for all alike and by keyboard, imports it, looks at the cards, and takes it
// back.
func TestASheetFromDropToCards(t *testing.T) {
	v := visit(t, browser.Options{})
	before := v.rows(catalogRows)
	v.open("/sheets")
	v.sees(`document.querySelector('input[data-testid=sheet]')`)
	v.do(v.page.Choose("input[data-testid=sheet]", filepath.Join(samples, demo.Sheets[1])))
	v.says("nothing changes until you import")
	// A Windows-1252 CSV with German headers is mapped by itself.
	v.sees(`[...document.querySelectorAll('[role=columnheader]')].some(h =>
		h.innerText.startsWith('Größe') && h.innerText.includes('Option'))`)
	if got := v.rows("select state, problem from sheet order by id desc limit 1"); got != `(open,"")` {
		t.Fatalf("the sheet is %s", got)
	}
	v.until("the sheet to be judged", func() bool {
		return v.count("select count(*) from sheet where rehearsed = revision and id = (select max(id) from sheet)") == 1
	})
	refused := v.count("select (totals->'verdicts'->>'refused')::int from sheet order by id desc limit 1")
	if refused == 0 {
		t.Fatal("the sample sheet has nothing to mend")
	}

	// Codes with blanks for dashes: taken as proposed, all alike.
	v.clickIn(`document.querySelector('[aria-label="In question"]')`, "All…")
	v.clickIn(`(document.querySelector('[role=menu]') ?? document.createElement('div'))`, "Take what is proposed")
	v.until("the sheet to be judged again with fewer rows refused", func() bool {
		return v.count(`select coalesce((totals->'verdicts'->>'refused')::int, 0) from sheet
			where rehearsed = revision order by id desc limit 1`) < refused
	})

	// A title typed over, by keyboard, and taken back.
	v.sees(cellAt(1, 3))
	v.do(v.page.Click(`[aria-rowindex="2"] [aria-colindex="4"]`))
	v.sees(cellAt(1, 3) + `.ariaSelected === 'true'`)
	was := v.value(cellAt(1, 3) + ".innerText")
	v.do(v.page.Press("N", "e", "w", kb.Enter))
	v.sees(cellAt(1, 3) + `.innerText === 'New' && ` + cellAt(2, 3) + `.ariaSelected === 'true'`)
	v.until("the change to be kept beside the sheet", func() bool {
		return v.count("select count(*) from sheet_row where edits::text like '%New%'") == 1
	})
	v.do(v.page.Chord("z", chromedp.ModifierCtrl))
	v.sees(fmt.Sprintf(`%s.innerText === %q`, cellAt(1, 3), was))
	v.do(v.page.Press(kb.ArrowDown, kb.ArrowRight))
	v.sees(cellAt(3, 4) + `.ariaSelected === 'true'`)
	v.until("the sheet to be judged as it came", func() bool {
		return v.count("select count(*) from sheet where rehearsed = revision and id = (select max(id) from sheet)") == 1
	})

	// The page may hear of the last judging a moment later: an import of what it showed before is refused, and pressed again.
	v.until("the sheet to be imported", func() bool {
		if v.count("select count(*) from sheet_import where sheet_id = (select max(id) from sheet)") == 0 {
			v.value(`[...document.querySelectorAll('.head button')].find(b => b.innerText.startsWith('Import ') && !b.disabled &&
				!b.dataset.loading)?.click()`)
		}
		return v.rows("select state from sheet_import where sheet_id = (select max(id) from sheet)") == "(imported)"
	})
	if v.rows(catalogRows) == before {
		t.Error("the import changed nothing")
	}
	v.sees(`[...document.querySelectorAll('.card')].some(c => c.innerText.includes('SU-990'))`)

	v.click("Revert…")
	v.confirm("Revert ")
	v.until("the import to be taken back", func() bool {
		return v.rows("select state from sheet_import where sheet_id = (select max(id) from sheet)") == "(reverted)"
	})
	if after := v.rows(catalogRows); after != before {
		t.Errorf("before:\n%.600s\nafter reverting:\n%.600s", before, after)
	}
}

// TestAColumnIsMappedByHand opens a column's side by its header and takes it for
// something else: the rows are judged again.
func TestAColumnIsMappedByHand(t *testing.T) {
	v := visit(t, browser.Options{})
	articles := v.count("select id from sheet where name = '" + demo.Sheets[0] + "'")
	v.open(fmt.Sprintf("/sheets/%d", articles))
	v.sees(`[...document.querySelectorAll('[role=columnheader]')].some(h => h.innerText.startsWith('List price'))`)
	v.do(v.page.Click(`[role=columnheader][title*="about trade"]`))
	v.sees(`document.querySelector('[aria-label=Column] select')?.value === '' && document.querySelector('[aria-label=Column] .mono')`)
	v.value(`(() => { const s = document.querySelector('[aria-label=Column] select');
		Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(s, 'attribute');
		s.dispatchEvent(new Event('change', { bubbles: true })) })()`)
	v.until("the price to be an attribute", func() bool {
		return v.count(`select count(*) from sheet, jsonb_array_elements(mapping->'columns') c
			where rehearsed = revision and c->>'column' = 'List price' and c->>'field' = 'attribute'`) == 1
	})
	v.says("you chose this")
}

// TestCategoriesByASheetAndByHand brings the sample list of categories, pairs its banners,
// gives a category an ID by hand, and puts its picture on others in one plan.
func TestCategoriesByASheetAndByHand(t *testing.T) {
	v := visit(t, browser.Options{})
	v.open("/sheets")
	v.sees(`document.querySelector('input[data-testid=sheet]')`)
	v.do(v.page.Choose("input[data-testid=sheet]", filepath.Join(samples, demo.Sheets[2])))
	v.says("nothing changes until you import")
	v.says("Tells which category a row is about")
	v.until("the list to be imported", func() bool {
		if v.count("select count(*) from sheet_import where sheet_id = (select max(id) from sheet)") == 0 {
			v.value(`[...document.querySelectorAll('.head button')].find(b => b.innerText.startsWith('Import ') && !b.disabled &&
				!b.dataset.loading)?.click()`)
		}
		return v.rows("select state from sheet_import where sheet_id = (select max(id) from sheet)") == "(imported)"
	})
	if n := v.count("select count(*) from category where ref like 'C-%'"); n < 20 {
		t.Fatalf("%d categories have an ID", n)
	}
	v.click("Pair its pictures")
	v.until("its banners to be paired", func() bool { return v.count("select count(*) from file where category_id is not null") >= 2 })

	// One has a picture dropped on it before; it goes on all tools.
	var file, tools int
	if _, err := fmt.Sscanf(v.rows("select min(file_id), (select id from category where path = 'Tools') from placement"), "(%d,%d)", &file,
		&tools); err != nil {
		t.Fatal(err)
	}
	var plan struct{ ID int64 }
	v.post("/api/v1/plans/spread", map[string]any{"file": file, "way": "after",
		"on": []map[string]any{{"kind": "category", "id": tools}}}, &plan)
	if err := v.client().Apply(t.Context(), plan.ID); err != nil {
		t.Fatal(err)
	}
	v.open(fmt.Sprintf("/categories/%d", tools))
	v.sees(`document.querySelectorAll('.placed img').length === 1`)
	v.click("Put on categories…")
	v.sees(`document.querySelector('[role=dialog] input[type=text], [role=dialog] input:not([type=checkbox])')`)
	v.do(v.page.Press("t", "o", "o", "l", "s", " ", "/"))
	v.sees(`[...document.querySelectorAll('[role=dialog] button')].some(b => /Plan it for [2-9] categories/.test(b.innerText))`)
	v.value(`[...document.querySelectorAll('[role=dialog] button')].find(b => b.innerText.startsWith('Plan it for')).click()`)
	v.says("on many")
	v.until("the plan to be on show", func() bool {
		return v.count("select count(*) from plan_change c join plan p on p.id = c.plan_id where p.kind = 'spread' and p.state = 'draft'") > 1
	})

	// The product's page says where a value is from, and takes a change by hand back.
	v.open("/products/1")
	v.says("What the catalog says")
	was := v.rows("select title from product where id = 1")
	v.value(`[...document.querySelectorAll('[aria-label="What the catalog says"] button[title="Change it"]')][0].click()`)
	v.sees(`document.querySelector('[role=dialog] input')`)
	v.do(v.page.Press("x", kb.Enter))
	v.until("the title to be changed", func() bool { return v.rows("select title from product where id = 1") != was })
	v.says("by hand, ")
	v.clickIn(`([...document.querySelectorAll('[aria-label=History] .history-line')].find(l => l.innerText.includes('edited product data'))
		?? document.createElement('div'))`, "Revert")
	v.until("the title to be as it was", func() bool { return v.rows("select title from product where id = 1") == was })
}
