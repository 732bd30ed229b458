package pairing

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// garden is a made-up wholesaler's list, written without a look at the rules: families of tools that share their first word,
// models that share their second, and long titles beside short ones.
func garden() (items []Item) {
	tools := []string{"Spaten", "Grabegabel", "Schaufel", "Rechen", "Gartenschere", "Heckenschere", "Astschere", "Hacke", "Laubbesen",
		"Handsäge", "Pflanzkelle", "Giesskanne", "Schubkarre", "Sichel", "Axt", "Spalthammer"}
	models := []string{"Elbe", "Weser", "Donau", "Isar", "Havel", "Mosel", "Neckar", "Spree"}
	more := []string{"", "mit Eschenstiel", "klein", "für Linkshänder", "verzinkt mit verlängertem Griff und Schutzhülle"}
	n := 4000
	for i, tool := range tools {
		for j, model := range models {
			n += 7
			title := strings.TrimSpace(tool + " " + model + " " + more[(i*3+j)%len(more)])
			items = append(items, Item{SKU: fmt.Sprintf("G%d", n), Product: fmt.Sprintf("G%d", n), Title: title})
		}
	}
	return items
}

// badly are the ways in which people who type by hand write a title.
var badly = []struct {
	name string
	make func(r *rand.Rand, words []string) []string
}{
	{"a word too many", func(_ *rand.Rand, w []string) []string { return append(w, "neu") }},
	{"the second word cut", func(_ *rand.Rand, w []string) []string { w[1] = w[1][:max(3, len(w[1])-2)]; return w }},
	{"the second word cut, a word too many", func(_ *rand.Rand, w []string) []string {
		w[1] = w[1][:max(3, len(w[1])-1)]
		return append(w, "neu")
	}},
	{"the first word cut", func(r *rand.Rand, w []string) []string { w[0] = w[0][:min(len(w[0]), max(4, len(w[0])/2))]; return w }},
	{"only the first two words", func(_ *rand.Rand, w []string) []string { return w[:2] }},
	{"the order turned", func(_ *rand.Rand, w []string) []string { slices.Reverse(w); return w }},
	{"a slip", func(r *rand.Rand, w []string) []string { return garble(r, w, 1) }},
	{"two slips", func(r *rand.Rand, w []string) []string { return garble(r, w, 2) }},
	{"three slips", func(r *rand.Rand, w []string) []string { return garble(r, w, 3) }},
	{"an abbreviation", func(_ *rand.Rand, w []string) []string { w[0] = w[0][:3] + "."; return w }},
	{"no vowels in the first", func(_ *rand.Rand, w []string) []string {
		w[0] = w[0][:1] + strings.NewReplacer("a", "", "e", "", "i", "", "o", "", "u", "", "ä", "").Replace(w[0][1:])
		return w
	}},
}

func garble(r *rand.Rand, w []string, slips int) []string {
	for range slips {
		at := r.IntN(min(2, len(w)))
		word := []rune(w[at])
		i := r.IntN(len(word))
		switch r.IntN(3) {
		case 0:
			word[i] = rune('a' + r.IntN(26))
		case 1:
			if len(word) > 3 {
				word = slices.Delete(word, i, i+1)
			}
		default:
			word = slices.Insert(word, i, rune('a'+r.IntN(26)))
		}
		w[at] = string(word)
	}
	return w
}

// TestNearestTitles holds the contract's measure of nearest products on titles that were written badly: the right one is first
// for 85 of 100, among five for 97, and what is called clearly ahead is right. On first sight, with the rules of
// 1 December 2026, it was first for 69.7 and among five for 91.5 of 100; 720 were clearly ahead, all of them right.
func TestNearestTitles(t *testing.T) {
	items := garden()
	catalog := NewCatalog(items)
	r := rand.New(rand.NewPCG(27, 2))
	var all, first, five, ahead, wrong int
	for _, way := range badly {
		var ofWay, firstOfWay, fiveOfWay int
		for _, it := range items {
			words := way.make(r, strings.Fields(it.Title))
			path := strings.Join(words, []string{" ", "_", "-"}[r.IntN(3)]) + fmt.Sprintf("_%d.jpg", 1+r.IntN(3))
			near := catalog.Nearest(path, 5)
			right := func(s Suggestion) bool { return catalog.ProductCode(s.Target.Product) == it.Product }
			ofWay++
			if len(near) > 0 && right(near[0]) {
				firstOfWay++
			}
			if slices.ContainsFunc(near, right) {
				fiveOfWay++
			}
			if Ahead(near) {
				ahead++
				if !right(near[0]) {
					wrong++
					t.Logf("ahead and wrong: %s is of %s: %s %.2f, %s %.2f", path, it.Title, near[0].Key, near[0].Fit, near[1].Key, near[1].Fit)
				}
			}
		}
		t.Logf("%s: first %s, among five %s", way.name, share(firstOfWay, ofWay), share(fiveOfWay, ofWay))
		all, first, five = all+ofWay, first+firstOfWay, five+fiveOfWay
	}
	t.Logf("first %s, among five %s of %d; clearly ahead %d, %d of them wrong", share(first, all), share(five, all), all, ahead, wrong)
	if 100*first < 85*all || 100*five < 97*all {
		t.Errorf("first for %d, among five for %d of %d", first, five, all)
	}
	if 200*wrong > ahead {
		t.Errorf("%d of %d that are clearly ahead are wrong", wrong, ahead)
	}
}
