package draw

import (
	"fmt"
	"strings"

	"ambrosa/internal/standin"
)

// weidenau is a supplier with a web site: what it sells, with its pictures.
func weidenau(items []item) (goods []standin.Good) {
	for n, it := range of(items, "SM", "SU", "JR", "EX", "FE", "CM") {
		if n%7 != 2 {
			continue
		}
		g := standin.Good{SKU: it.sku, GTIN: it.gtin, Title: it.title, Views: []string{"front", "side", "detail"}[:2+n/7%2]}
		for i, name := range it.names {
			g.Facts = append(g.Facts, standin.Fact{Name: name, Text: it.options[i].word})
		}
		goods = append(goods, g)
	}
	return goods
}

// sides are the usual sizes of suppliers' pictures; large ones are rarer.
var sides = []int{420, 500, 500, 520, 540, 560, 600, 640, 720, 1000}

func of(items []item, prefixes ...string) (chosen []item) {
	for _, it := range items {
		for _, p := range prefixes {
			if it.kind.prefix == p {
				chosen = append(chosen, it)
			}
		}
	}
	return chosen
}

// inWords is a product's code and the words of a variant's options.
func inWords(it item, blank string) string {
	name := it.product
	for _, option := range it.options {
		name += " " + option.word
	}
	return strings.ReplaceAll(name, " ", blank)
}

// northcomb names files by SKU, in a folder a category, with a prefix of its
// own and numbers; now and then the case is wrong.
func northcomb(items []item) (shots []*shot) {
	r := random(1)
	for n, it := range of(items, "HV", "SM", "HT", "SU", "BK") {
		if n%3 == 2 {
			continue
		}
		views := []string{"front", "side", "detail"}[:1+r.IntN(3)]
		if n%11 == 0 {
			views = []string{"front", "back", "side", "in use"}
		}
		folder := strings.ReplaceAll(it.category, " / ", "/")
		for place, view := range views {
			name := fmt.Sprintf("NCB_%s_%02d", it.sku, place+1)
			switch n % 9 {
			case 3:
				name = fmt.Sprintf("ncb_%s_%d", strings.ToLower(it.sku), place+1)
			case 5:
				name = fmt.Sprintf("NCB %s (%d)", strings.ReplaceAll(it.sku, "-", " "), place+1)
			}
			side := pick(r, sides)
			if n%90 == 1 && place == 0 {
				side = 3000
			}
			shots = append(
				shots,
				&shot{path: folder + "/" + name + ".jpg", item: it, view: view, side: side, format: "jpg", tall: it.kind.prefix == "SU"},
			)
		}
	}
	shots = append(shots,
		&shot{path: "Tools/NCB_price-list.txt", bytes: []byte("Spring price list: see the separate sheet.\n")},
		&shot{path: "Hives/NCB_" + items[0].sku + "_tiny.jpg", item: items[0], view: "front", side: 120, format: "jpg"},
	)
	return shots
}

// lindmoor puts products into nested folders named by code and title, and
// variants by the option's word.
func lindmoor(items []item) (shots []*shot) {
	r := random(2)
	seen := map[string]int{}
	for n, it := range of(items, "FR", "VL", "GL", "BR", "UK", "QC", "LB", "CM") {
		if n%4 == 3 {
			continue
		}
		seen[it.product]++
		root := fmt.Sprintf("Delivery 3/%s %s/", strings.ReplaceAll(it.product, "-", " "), it.title)
		word := it.options[0].word
		switch {
		case it.kind.prefix == "LB":
			// a spreadsheet has taken the leading zeros
			shots = append(
				shots,
				&shot{
					path:   "Delivery 3/labels/" + strings.TrimLeft(it.product, "0") + "-" + it.options[0].code + ".png",
					item:   it,
					view:   "front",
					side:   600,
					format: "png",
				},
			)
		case n%5 == 0:
			shots = append(shots, &shot{path: root + word + ".jpg", item: it, view: "front", side: pick(r, sides), format: "jpg"},
				&shot{path: root + word + " 2.jpg", item: it, view: "side", side: pick(r, sides), format: "jpg"})
		case n%5 == 1:
			shots = append(
				shots,
				&shot{path: root + "front " + word + ".JPG", item: it, view: "front", side: pick(r, sides), format: "jpg"},
				&shot{path: root + "detail " + word + ".JPG", item: it, view: "detail", side: pick(r, sides), format: "jpg"},
			)
		default:
			shots = append(
				shots,
				&shot{
					path:   root + strings.ToLower(it.sku) + "-" + slug(word) + "_web.jpg",
					item:   it,
					view:   "front",
					side:   pick(r, sides),
					format: "jpg",
					tall:   n%2 == 0,
				},
			)
		}
		if seen[it.product] == 1 && n%6 == 0 {
			shots = append(
				shots,
				&shot{path: root + fmt.Sprintf("IMG_%04d.jpg", 4400+n), item: it, view: "in use", side: 800, format: "jpg"},
			)
		}
	}
	return append(shots, lindmoorMess(items, shots)...)
}

func lindmoorMess(items []item, shots []*shot) []*shot {
	frames, veils, gloves, suits := of(items, "FR"), of(items, "VL"), of(items, "GL"), of(items, "SU")
	brushes, cages, knives := of(items, "BR"), of(items, "QC"), of(items, "UK")
	mess := []*shot{
		// two products in one picture
		{
			path:   "Delivery 3/sets/" + veils[3].sku + " + " + gloves[4].sku + ".jpg",
			item:   veils[3],
			view:   "in use",
			side:   900,
			format: "jpg",
		},
		{
			path:   "Delivery 3/sets/" + brushes[0].sku + "_" + knives[1].sku + "_set.jpg",
			item:   brushes[0],
			view:   "in use",
			side:   1000,
			format: "jpg",
		},
		{
			path:   "Delivery 3/sets/" + gloves[0].sku + " and " + gloves[1].sku + ".jpg",
			item:   gloves[0],
			view:   "front",
			side:   900,
			format: "jpg",
		},
		{path: "Delivery 3/sets/" + cages[0].sku + "_" + cages[4].sku + ".jpg", item: cages[0], view: "front", side: 900, format: "jpg"},
		// confusable characters and typing slips
		{
			path:   "Delivery 3/new/" + strings.ReplaceAll(frames[1].sku, "0", "O") + ".jpg",
			item:   frames[1],
			view:   "front",
			side:   800,
			format: "jpg",
		},
		{
			path:   "Delivery 3/new/" + strings.ReplaceAll(veils[4].sku, "1", "l") + "_2.jpg",
			item:   veils[4],
			view:   "side",
			side:   800,
			format: "jpg",
		},
		{path: "Delivery 3/new/" + swapped(gloves[7].sku) + ".jpg", item: gloves[7], view: "front", side: 800, format: "jpg"},
		{
			path:   "Delivery 3/new/" + brushes[6].sku[:len(brushes[6].sku)-1] + ".jpg",
			item:   brushes[6],
			view:   "front",
			side:   800,
			format: "jpg",
		},
		// no product has these
		// the options in words, in a name that came through a web form
		{path: "Delivery 3/suits/" + inWords(suits[11], "%20") + "_2.jpg", item: suits[11], view: "back", side: 900, format: "jpg", tall: true},
		{path: "Delivery 3/suits/" + inWords(suits[5], " ") + " - 1.jpg", item: suits[5], view: "front", side: 900, format: "jpg", tall: true},
		{path: "Delivery 3/new/WX-2210-S.jpg", item: gloves[9], view: "front", side: 800, format: "jpg"},
		{path: "Delivery 3/new/WX-2210-M.jpg", item: gloves[10], view: "front", side: 800, format: "jpg"},
		{path: "Delivery 3/IMG_5544.jpg", item: knives[4], view: "in use", side: 800, format: "jpg"},
		{path: "Delivery 3/IMG_5545.jpg", item: knives[5], view: "front", side: 800, format: "jpg"},
		{path: "Delivery 3/DSC_0042.JPG", item: frames[2], view: "in use", side: 800, format: "jpg"},
		{path: "Delivery 3/2026-02-11 1600x1600.jpg", item: frames[4], view: "front", side: 1000, format: "jpg"},
		// only the sticker in the picture tells what these show
		{path: "Delivery 3/IMG_5546.jpg", item: of(items, "JR")[6], view: "barcode", side: 1400, format: "jpg"},
		{path: "Delivery 3/IMG_5547.jpg", item: of(items, "LD")[3], view: "barcode", side: 1400, format: "jpg"},
		// and a spreadsheet these
		{path: "Delivery 3/brood nest.jpg", item: frames[6], view: "in use", side: 800, format: "jpg"},
		{path: "Delivery 3/evening light.jpg", item: of(items, "SM")[2], view: "front", side: 800, format: "jpg"},
		{
			path: "Delivery 3/pictures.csv",
			bytes: []byte(
				"Article;Image;Position;Alternative text\n" +
					frames[6].sku +
					";BROOD NEST.JPG;3;A frame full of brood, held into the sun\n" +
					of(items, "SM")[2].sku +
					";evening light;1;\n" +
					knives[2].sku +
					";uncapping.jpg;1;\n",
			),
		},
		{path: "Delivery 3/apiary morning.jpg", item: veils[0], view: "in use", side: 800, format: "jpg"},
		// the wrong kind of file, and broken ones
		{path: "Delivery 3/Thumbs.db", bytes: []byte("leftover")},
		{path: "Delivery 3/READ ME.txt", bytes: []byte("All pictures may be used by our dealers.\n")},
		{
			path:   "Delivery 3/" + frames[9].sku + "_broken.jpg",
			item:   frames[9],
			view:   "front",
			side:   800,
			format: "jpg",
			finish: func(b []byte) []byte { return b[:len(b)/3] },
		},
		{
			path:  "Delivery 3/" + frames[10].sku + ".jpg",
			bytes: []byte("<!doctype html><html><head><title>Not found</title></head><body>The picture has moved.</body></html>"),
		},
		{path: "Delivery 3/" + veils[10].sku + "_empty.jpg", bytes: []byte{}},
		{
			path:  "Delivery 3/logo.svg",
			bytes: []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"><circle cx="5" cy="5" r="4"/></svg>`),
		},
	}
	// the same bytes under two names
	return append(
		mess,
		&shot{path: "Delivery 3/duplicates/" + shots[4].item.sku + "_copy.jpg", same: shots[4]},
		&shot{path: "Delivery 3/duplicates/final (1).jpg", same: shots[9]},
	)
}

func swapped(sku string) string {
	b := []byte(sku)
	b[3], b[4] = b[4], b[3]
	return string(b)
}

// apigrund names files by barcode, some with the letters a, b, c or the code
// of the GS1 specification, in every format.
func apigrund(items []item) (shots []*shot) {
	r := random(3)
	formats := []string{"png", "webp", "jpg", "tif", "jpg"}
	for n, it := range of(items, "JR", "LD", "EX", "ST", "FE", "SY", "FD") {
		if n%5 == 4 {
			continue
		}
		format := formats[n%len(formats)]
		add := func(name, view string) {
			shots = append(shots, &shot{path: name + "." + format, item: it, view: view, side: pick(r, sides[:7]), format: format})
		}
		switch n % 6 {
		case 0:
			add("ean/"+it.gtin+"_A1C1", "front")
			add("ean/"+it.gtin+"_A7C1", "back")
		case 1:
			add("ean/"+it.gtin, "front")
			add("ean/"+it.gtin+" (2)", "detail")
		case 2:
			add("letters/"+it.sku+"-a", "front")
			add("letters/"+it.sku+"-b", "side")
			add("letters/"+it.sku+"-c", "top")
		case 3:
			add("more/"+it.sku+"_main", "front")
			add("more/"+it.sku+"_alt1", "detail")
		case 4:
			add(fmt.Sprintf("more/01_%s_800x800", strings.ReplaceAll(it.sku, "-", "_")), "front")
			add(fmt.Sprintf("more/02_%s_800x800", strings.ReplaceAll(it.sku, "-", "_")), "pack")
		default:
			add("more/"+it.sku+"_front", "front")
			add("more/"+it.sku+"_swatch", "swatch")
		}
	}
	jars, lids, feeders := of(items, "JR"), of(items, "LD"), of(items, "FE")
	wrong := []byte(jars[9].gtin)
	wrong[12] = '0' + (wrong[12]-'0'+3)%10
	shots = append(
		shots,
		&shot{path: "ean/" + string(wrong) + ".jpg", item: jars[9], view: "front", side: 900, format: "jpg"},
		&shot{path: "ean/" + number(4000) + ".jpg", item: jars[11], view: "front", side: 900, format: "jpg"},
		&shot{path: "ean/" + items[301].gtin + ".jpg", item: items[301], view: "front", side: 900, format: "jpg"},
		&shot{path: "ean/" + items[301].gtin + "_2.jpg", item: items[302], view: "side", side: 900, format: "jpg"},
		&shot{path: "sets/" + jars[4].sku + "_" + lids[2].sku + ".jpg", item: jars[4], view: "in use", side: 900, format: "jpg"},
		&shot{path: "sets/" + jars[5].sku + "+" + lids[3].sku + ".jpg", item: jars[5], view: "in use", side: 900, format: "jpg"},
		// look-alikes in two sizes, padded, enlarged, tiny, in print colours, 16 bits deep
		&shot{path: "small/" + jars[0].sku + "_400px.jpg", item: jars[0], view: "front", side: 400, format: "jpg"},
		&shot{path: "large/" + jars[0].sku + "_3000px.jpg", item: jars[0], view: "front", side: 3000, format: "jpg"},
		&shot{path: "more/" + feeders[4].sku + "_padded.jpg", item: feeders[4], view: "front", side: 300, format: "jpg", special: "padded"},
		&shot{
			path: "large/" + feeders[7].sku + "_2000px.jpg",
			item: feeders[7],
			view: "front", side: 500, format: "jpg", special: "enlarged",
		},
		&shot{path: "small/" + feeders[5].sku + "_icon.png", item: feeders[5], view: "front", side: 96, format: "png"},
		&shot{path: "print/" + lids[9].sku + "_cmyk.jpg", item: lids[9], view: "front", side: 900, format: "jpg", special: "cmyk"},
		&shot{path: "print/" + lids[14].sku + "_16bit.png", item: lids[14], view: "front", side: 700, format: "png", special: "deep"},
		&shot{path: "more/" + lids[19].sku + ".jpg", item: lids[19], view: "front", side: 700, format: "png"}, // the extension is wrong
		&shot{path: "contents.txt", bytes: []byte("ean: by barcode\nletters: a is the lead\n")},
	)
	return shots
}

// again are the items whose pictures of last autumn were taken again.
func again(items []item) (chosen []item) {
	for n, it := range of(items, "SM", "HT") {
		if n%4 == 1 {
			chosen = append(chosen, it)
		}
	}
	return chosen
}

// autumn is what a supplier sent a season ago: small, with pictures that nobody
// knows and some that came twice.
func autumn(items []item) (shots []*shot) {
	for n, it := range again(items) {
		front := &shot{path: "autumn/NCB_" + it.sku + "_1.jpg", item: it, view: "front", side: 480, format: "jpg"}
		shots = append(shots, front, &shot{path: "autumn/NCB_" + it.sku + "_2.jpg", item: it, view: "side", side: 480, format: "jpg"})
		switch n % 4 {
		case 0:
			shots = append(shots, &shot{path: "autumn/copies/" + it.sku + " copy.jpg", same: front})
		case 1:
			shots = append(shots, &shot{path: fmt.Sprintf("autumn/DSC_%04d.jpg", 412+n), item: it, view: "back", side: 420, format: "jpg"})
		}
	}
	return shots
}

// retouched is the same, taken again and large.
func retouched(items []item) (shots []*shot) {
	for _, it := range again(items) {
		for place, view := range []string{"front", "side"} {
			shots = append(shots,
				&shot{path: fmt.Sprintf("retouched/NCB_%s_%d.jpg", it.sku, place+1), item: it, view: view, side: 1000, format: "jpg"})
		}
	}
	return shots
}
