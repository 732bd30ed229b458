package pairing

import (
	"fmt"
	"strings"
	"testing"
)

// moreTrades are other trades again, with decimals, measures and shade names
// among their options. All of it is invented.
func moreTrades() []*trade {
	var all []*trade
	for kind, name := range []string{"rings", "cables", "frames", "lips", "plants"} {
		s := tradeOf(11, 5)
		s.name, s.items, s.products = name, nil, map[string][]int{}
		words := []string{"Alder", "Brook", "Cinder", "Dune", "Ember", "Fjord", "Grove", "Haven", "Islet", "Jetty", "Knoll", "Ledge", "Marsh",
			"Nook", "Opal", "Plume"}
		titles := map[string]bool{}
		for n := 0; len(s.products) < 180; n++ {
			first, second := words[s.r.IntN(len(words))], words[s.r.IntN(len(words))]
			if first == second || titles[first+second] {
				continue
			}
			titles[first+second] = true
			add := func(product, title, rest string, attributes ...string) {
				s.add(Item{SKU: product + rest, Product: product, Title: title, Attributes: attributes})
			}
			switch kind {
			case 0:
				s.options = []string{"size", "metal"}
				for size := 50 + s.r.IntN(3); size < 60; size += 2 {
					for _, metal := range []string{"gold", "silver"} {
						add(fmt.Sprintf("RG-%d", 8000+n), first+" "+second+" Ring", fmt.Sprintf("-%d-%c", size, metal[0]-32), fmt.Sprint(size), metal)
					}
				}
			case 1:
				s.options = []string{"length"}
				for _, length := range []string{"0.5", "1", "2.5", "10"} {
					add(fmt.Sprintf("K-%d", 7000+n), first+" & "+second+" Cable", "/"+length, length+" m")
				}
			case 2:
				s.options = []string{"size", "wood"}
				for _, size := range []string{"30x40", "40x60", "50x70"} {
					for _, wood := range []string{"oak", "walnut"} {
						add(fmt.Sprintf("FRM%d", 300+n), first+" "+second+" Frame", fmt.Sprintf("-%s-%s", size, strings.ToUpper(wood[:3])), size+" cm", wood)
					}
				}
			case 3:
				s.options = []string{"shade"}
				for i, shade := range []string{"Rosé", "Fig", "Brick", "Nude", "Plum"} {
					add(fmt.Sprintf("VL%d", 220+n), first+" "+second+" Lip Colour", fmt.Sprintf("-%02d", i+1), fmt.Sprintf("%02d %s", i+1, shade))
				}
			default:
				s.options = []string{"pot"}
				for _, pot := range []string{"P9", "C2", "C5"} {
					add(fmt.Sprintf("%s-%d", strings.ToUpper(first[:3]), 200+n), "Lavandula "+first+" "+second, "-"+pot, pot)
				}
			}
		}
		all = append(all, s)
	}
	return all
}

// moreHabits are further ways in which strangers name files.
var moreHabits = []habit{
	{"season in front", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s_%s_%02d.jpg", s.pick("SS26", "FW25", "AW26", "2026SS"), fileSafe(it.SKU), place), place)
	}},
	{"copy of a copy", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s_%d - Copy (%d).jpg", fileSafe(it.SKU), place, 1+s.r.IntN(4)), place)
	}},
	{"scaled and edited", func(s *trade, it Item, place int) (told, bool) {
		path := fmt.Sprintf("%s_%d-%s.jpg", fileSafe(it.SKU), place, s.pick("scaled", "e1699999999", "e1699999999123", "1024x683", "rotated"))
		return tells(it, path, place)
	}},
	{"options in words", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %s (%d).jpg", it.Product, strings.Join(it.Attributes, " "), place), place)
	}},
	{"options in words, glued by underscores", func(s *trade, it Item, place int) (told, bool) {
		value := strings.ReplaceAll(strings.ToLower(strings.Join(it.Attributes, "_")), " ", "")
		return tells(it, fmt.Sprintf("%s_%s_%d.jpg", strings.ToLower(it.Product), value, place), place)
	}},
	{"options in front", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %s - %d.jpg", strings.Join(it.Attributes, " "), it.Product, place), place)
	}},
	{"decimal comma", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "cables" {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s %s_%d.jpg", it.Product, strings.ReplaceAll(it.Attributes[0], ".", ","), place), place)
	}},
	{"half", func(s *trade, it Item, place int) (told, bool) {
		value, ok := strings.CutSuffix(it.Attributes[0], ".5 m")
		if s.name != "cables" || !ok {
			return told{}, false
		}
		return tells(it, fmt.Sprintf("%s %s½ m_%d.jpg", it.Product, strings.TrimPrefix(value, "0"), place), place)
	}},
	{"times sign", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "frames" {
			return told{}, false
		}
		path := fmt.Sprintf("%s %s %s_%d.jpg", it.Product, strings.ReplaceAll(it.Attributes[0], "x", "×"), it.Attributes[1], place)
		return tells(it, path, place)
	}},
	{"times with blanks", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "frames" {
			return told{}, false
		}
		path := fmt.Sprintf("%s %s %s_%d.jpg", it.Product, strings.ReplaceAll(it.Attributes[0], "x", " x "), it.Attributes[1], place)
		return tells(it, path, place)
	}},
	{"title and option", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %s_%d.jpg", it.Title, strings.Join(it.Attributes, " "), place), place)
	}},
	{"title with and", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "cables" {
			return told{}, false
		}
		path := fmt.Sprintf("%s %s_%d.jpg", strings.ReplaceAll(it.Title, "&", s.pick("and", "und")), it.Attributes[0], place)
		return tells(it, path, place)
	}},
	{"folders of title and option", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("Shoot/%s/%s/%d.jpg", it.Title, strings.Join(it.Attributes, " "), place), place)
	}},
	{"folders of product and option, camera", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s/%s/IMG_%04d.jpg", it.Product, strings.Join(it.Attributes, " "), 1000+s.r.IntN(8000)), 0)
	}},
	{"main in the option's folder", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s/%s/main.jpg", it.Product, strings.Join(it.Attributes, "_")), 1)
	}},
	{"spin", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s_360_%03d.jpg", fileSafe(it.SKU), place), place)
	}},
	{"photographer and date", func(s *trade, it Item, place int) (told, bool) {
		path := fmt.Sprintf("%s_%s_2026-03-%02d_%d.jpg", fileSafe(it.SKU), s.pick("MK", "anna", "studio2"), 1+s.r.IntN(28), place)
		return tells(it, path, place)
	}},
	{"price in the name", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s_%d_EUR 49,90.jpg", fileSafe(it.SKU), place), place)
	}},
	{"number sign", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s #%d.jpg", fileSafe(it.SKU), place), place)
	}},
	{"no. and place", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s %s %d.jpg", fileSafe(it.SKU), s.pick("no.", "Nr.", "nr"), place), place)
	}},
	{"in any case, one word", func(s *trade, it Item, place int) (told, bool) {
		path := strings.ToLower(strings.NewReplacer("-", "", "/", "", ".", "").Replace(it.SKU)) + fmt.Sprintf("-%d.jpeg", place)
		return tells(it, path, place)
	}},
	{"language code", func(s *trade, it Item, place int) (told, bool) {
		return tells(it, fmt.Sprintf("%s_%s_%d.jpg", fileSafe(it.SKU), s.pick("EN", "de", "FR", "intl"), place), place)
	}},
	{"unknown shade", func(s *trade, it Item, place int) (told, bool) {
		if s.name != "lips" {
			return told{}, false
		}
		return told{path: fmt.Sprintf("%s-%02d.jpg", it.Product, 77)}, true // of no sibling
	}},
	{"two products", func(s *trade, it Item, place int) (told, bool) {
		o := s.items[s.r.IntN(len(s.items))]
		if o.Product == it.Product {
			return told{}, false
		}
		return told{path: fmt.Sprintf("%s and %s.jpg", fileSafe(it.SKU), fileSafe(o.SKU))}, true
	}},
}

// TestAccuracyOnMoreStrangers is TestAccuracyOnStrangers with further trades and
// habits.
func TestAccuracyOnMoreStrangers(t *testing.T) {
	tradesHold(t, "second strangers", moreTrades(), moreHabits, 200)
}
