package sheet

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"ambrosa/core/catalog"
)

// randomItems makes a catalog as shops have them: codes that look like other things, texts
// of several languages, options that some variants lack.
func randomItems(r *rand.Rand, n int) []Item {
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	var all []Item
	for i := range n {
		product := pick(fmt.Sprintf("%07d", 4711+i), fmt.Sprintf("AB-%03d", i), fmt.Sprintf("x%d.0", i), fmt.Sprintf("1E%d", i))
		title := pick("Räuchermantel", "=Fine thing", "Smoker, \"large\"", "Gant d’apiculteur\nlong", "-20 % Aktion", "2026-03-01", "yes") +
			fmt.Sprint(" ", i)
		for v := range 1 + r.IntN(3) {
			item := Item{Product: int64(i + 1), Variant: int64(10*i + v + 1), SKU: fmt.Sprintf("%s-%d", product, v), Code: product, Title: title,
				OfProduct: title, Description: pick("", "Soft; durable | washable", "0012"), Category: pick("", "Hives", "Hives / Floors"),
				Retired: r.IntN(5) == 0, ProductID: pick("", fmt.Sprint("P", i))}
			item.ProductID = fmt.Sprint("P", i)
			item.Category = []string{"", "Hives", "Hives / Floors"}[i%3]
			if item.Category != "" {
				item.CategoryID = map[string]string{"Hives": "0010", "Hives / Floors": ""}[item.Category]
			}
			for at := range r.IntN(4) {
				item.Codes = append(item.Codes, fmt.Sprintf("%04d/%d-%d", i, v, at))
			}
			if v > 0 {
				item.Options = append(item.Options, catalog.Option{Name: "Size", Value: pick("S", "0", "1/2", "36.0") + fmt.Sprint(v)})
			}
			if r.IntN(2) == 0 {
				item.Attributes = append(item.Attributes, catalog.Option{Name: "Material", Value: pick("Leder", "cotton > wool", "+")})
			}
			all = append(all, item)
		}
	}
	return all
}

// rowsOut are items as their sheet has them.
func rowsOut(items []Item) (names []string, rows [][]string) {
	columns := OutColumns([]string{"Size"}, []string{"Material"}, 3)
	for _, c := range columns {
		names = append(names, c.Header())
	}
	for i := range items {
		var cells []string
		for _, c := range columns {
			cells = append(cells, c.Of(&items[i]))
		}
		rows = append(rows, cells)
	}
	return names, rows
}

// TestOutAndInAgainIsTheSame brings random catalogs in as they went out: every row is the
// same, in whatever order the columns stand.
func TestOutAndInAgainIsTheSame(t *testing.T) {
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 11))
		items := randomItems(r, 1+r.IntN(30))
		names, rows := rowsOut(items)
		r.Shuffle(len(names), func(i, j int) {
			names[i], names[j] = names[j], names[i]
			for _, cells := range rows {
				cells[i], cells[j] = cells[j], cells[i]
			}
		})
		known := NewItems(items)
		if top := FindTop(append([][]string{names}, rows...)); top.At != 0 {
			t.Fatalf("seed %d: the header was found in row %d", seed, top.At+1)
		}
		m := Proposer{Known: known.Hits, Names: known.Names()}.Propose(names, rows)
		j, err := NewJudge(m, Choices{})
		if err != nil {
			t.Fatalf("seed %d: %v", seed, err)
		}
		for i, cells := range rows {
			j.Note(i+2, cells, nil)
		}
		for i, cells := range rows {
			if got := j.Row(i+2, cells, nil, known); got.Verdict != Same {
				t.Fatalf("seed %d, row %d is %s: %+v %+v\n%q\n%q", seed, i+2, got.Verdict, got.Cells, got.Changes, names, cells)
			}
		}
	}
}

// TestOwnColumnsAreKnownAgain reads every header that the catalog's own sheets have.
func TestOwnColumnsAreKnownAgain(t *testing.T) {
	columns := append(OutColumns([]string{"Size (EU)", "Größe"}, []string{"Material"}, 2), OutColumn{Field: Picture, At: 3})
	for _, c := range columns {
		field, name, known := ownColumn(c.Header())
		if !known || field != c.Field || name != c.Name {
			t.Errorf("%q is read as %s %q", c.Header(), field, name)
		}
	}
	if _, _, known := ownColumn("Price"); known {
		t.Error("a price is no column of the catalog")
	}
	if isOwn([]string{"SKU", "Title"}) {
		t.Error("any sheet with a SKU is taken for the catalog's own")
	}
}
