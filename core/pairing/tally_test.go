package pairing

import (
	"bufio"
	"cmp"
	"flag"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"
	"testing"
)

var (
	showTable = flag.Bool("accuracy", false, "print how each habit was read, wrong pairs first, beside how it was read before")
	keepTable = flag.Bool("keep", false, "with -accuracy: keep the figures as those before")
)

// keptTable holds the figures that were kept last.
const keptTable = "testdata/accuracy.tsv"

// counted is how names were read against what they tell.
type counted struct{ names, can, paired, wrong, placed, items, rightItems int }

// tally is how the names of each list and habit were read.
var tally = map[[2]string]*counted{}

// add reads names as a lot and counts, for the list as a whole and by habit; what
// is wrong is logged, the first two of each habit in full.
func (c *counted) add(t *testing.T, list string, catalog *Catalog, clues ClueList, names []told) {
	t.Helper()
	paths := make([]string, len(names))
	for i, made := range names {
		paths[i] = made.path
	}
	verdicts, err := Lot(catalog, clues, paths, false)
	if err != nil {
		t.Fatal(err)
	}
	bad := map[string]int{}
	for i := range verdicts {
		made, v := names[i], &verdicts[i]
		of := [2]string{list, made.habit}
		if tally[of] == nil {
			tally[of] = &counted{}
		}
		tally[of].judge(catalog, v, made)
		what := c.judge(catalog, v, made)
		if what == "" {
			continue
		}
		if bad[made.habit]++; bad[made.habit] <= 2 {
			t.Logf("%s: %s: %s is of %q %q at %d: %v %s", made.habit, what, made.path, made.product, made.sku, made.place, v.Kind, v.Reason)
		}
	}
	for habit, n := range bad {
		t.Logf("%s: %d of %d", habit, n, len(names))
	}
}

// judge counts one verdict, and returns what is wrong with it.
func (c *counted) judge(catalog *Catalog, v *Verdict, made told) (what string) {
	c.names++
	if made.product != "" && !made.orNobody {
		c.can++
	}
	switch {
	case v.Kind != Paired && !made.orNobody && made.product != "":
		return "missed"
	case v.Kind != Paired:
		return ""
	case catalog.ProductCode(v.Product) != made.product:
		c.wrong++
		return "wrong"
	case made.orNobody:
		if v.Item >= 0 {
			c.wrong++
			return "guessed item " + catalog.SKU(v.Item)
		}
		return ""
	}
	c.paired++
	if v.Place == made.place {
		c.placed++
	} else {
		what = fmt.Sprintf("place %d", v.Place)
	}
	switch {
	case made.anyItem:
	case made.sku != "":
		c.items++
		if v.Item < 0 || catalog.SKU(v.Item) != made.sku {
			return "item " + shown(catalog, v.Target)
		}
		c.rightItems++
	case v.Item >= 0 && catalog.hasSeveral(v.Product):
		c.wrong++
		return "guessed item " + catalog.SKU(v.Item)
	}
	return what
}

// hold fails the test where the contract's measures are not held.
func (c *counted) hold(t *testing.T) {
	t.Helper()
	t.Log(c)
	if 1000*c.paired < 995*c.can || 2000*c.wrong > c.paired+c.wrong || 1000*c.placed < 995*c.paired || 1000*c.rightItems < 999*c.items {
		t.Errorf("the contract is not held: %+v", *c)
	}
}

func (c *counted) String() string {
	return fmt.Sprintf("%d names: paired %s of %d, wrong %d of %d, places %s, items %s", c.names, share(c.paired, c.can), c.can, c.wrong,
		c.paired+c.wrong, share(c.placed, c.paired), share(c.rightItems, c.items))
}

func share(part, of int) string {
	if of == 0 {
		return "-"
	}
	return fmt.Sprintf("%.2f %%", 100*float64(part)/float64(of))
}

// tradesHold reads names of every habit in every trade, so many of each, and holds
// the contract's measures against what they tell.
func tradesHold(t *testing.T, list string, trades []*trade, habits []habit, many int) {
	t.Helper()
	var total counted
	clues := DefaultClues()
	clues.Languages = []string{"de"}
	for _, s := range trades {
		catalog := NewCatalog(s.items, s.options...)
		for _, h := range habits {
			var names []told
			for range many {
				if made, ok := h.make(s, s.items[s.r.IntN(len(s.items))], 1+s.r.IntN(9)); ok {
					made.habit = h.name
					names = append(names, made)
				}
			}
			total.add(t, list, catalog, clues, names)
		}
	}
	total.hold(t)
}

// TestMain prints the table after the tests, where it is asked for.
func TestMain(m *testing.M) {
	flag.Parse()
	code := m.Run()
	if *showTable {
		if err := printTable(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			code = 1
		}
	}
	os.Exit(code)
}

// printTable prints a line for each habit: first those with wrong pairs, then those
// with names that were missed, with places and with variants that are not right.
func printTable() error {
	before, err := readTable()
	if err != nil {
		return err
	}
	keys := make([][2]string, 0, len(tally))
	for key := range tally {
		keys = append(keys, key)
	}
	slices.SortFunc(keys, func(a, b [2]string) int {
		x, y := tally[a], tally[b]
		return cmp.Or(cmp.Compare(y.wrong, x.wrong), cmp.Compare(y.can-y.paired, x.can-x.paired),
			cmp.Compare(y.paired-y.placed, x.paired-x.placed), cmp.Compare(y.items-y.rightItems, x.items-x.rightItems),
			strings.Compare(a[0], b[0]), strings.Compare(a[1], b[1]))
	})
	lists := map[string]*counted{}
	fmt.Printf("%-17s %-44s %7s %6s %18s %18s %18s\n", "list", "habit", "names", "wrong", "paired", "variants", "places")
	for _, key := range keys {
		c := tally[key]
		was := before[key]
		if was == nil {
			was = &counted{}
		}
		fmt.Printf("%-17s %-44s %7d %6s %18s %18s %18s\n", key[0], key[1], c.names, change(fmt.Sprint(was.wrong), fmt.Sprint(c.wrong), was),
			change(share(was.paired, was.can), share(c.paired, c.can), was),
			change(share(was.rightItems, was.items), share(c.rightItems, c.items), was),
			change(share(was.placed, was.paired), share(c.placed, c.paired), was))
		for _, list := range []string{key[0], "all"} {
			if lists[list] == nil {
				lists[list] = &counted{}
			}
			lists[list].plus(c)
		}
	}
	fmt.Println()
	for _, list := range slices.Sorted(maps.Keys(lists)) {
		fmt.Printf("%-17s %v\n", list, lists[list])
	}
	fmt.Printf("%d habits in %d lists\n", len(keys), len(lists)-1)
	if *keepTable {
		return writeTable(keys)
	}
	return nil
}

func (c *counted) plus(o *counted) {
	c.names += o.names
	c.can += o.can
	c.paired += o.paired
	c.wrong += o.wrong
	c.placed += o.placed
	c.items += o.items
	c.rightItems += o.rightItems
}

// change shows a figure beside the one before, where that was another.
func change(was, is string, before *counted) string {
	if before.names == 0 || was == is {
		return is
	}
	return was + " → " + is
}

func readTable() (map[[2]string]*counted, error) {
	file, err := os.Open(keptTable)
	if os.IsNotExist(err) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer file.Close()
	before := map[[2]string]*counted{}
	for lines := bufio.NewScanner(file); lines.Scan(); {
		cells := strings.Split(lines.Text(), "\t")
		c := &counted{}
		figures := strings.Join(cells[2:], " ")
		_, err := fmt.Sscan(figures, &c.names, &c.can, &c.paired, &c.wrong, &c.placed, &c.items, &c.rightItems)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", keptTable, err)
		}
		before[[2]string{cells[0], cells[1]}] = c
	}
	return before, nil
}

func writeTable(keys [][2]string) error {
	slices.SortFunc(keys, func(a, b [2]string) int { return cmp.Or(strings.Compare(a[0], b[0]), strings.Compare(a[1], b[1])) })
	var text strings.Builder
	for _, key := range keys {
		c := tally[key]
		fmt.Fprintf(&text, "%s\t%s\t%d\t%d\t%d\t%d\t%d\t%d\t%d\n", key[0], key[1],
			c.names, c.can, c.paired, c.wrong, c.placed, c.items, c.rightItems)
	}
	return os.WriteFile(keptTable, []byte(text.String()), 0o644)
}
