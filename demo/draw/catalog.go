// Package draw makes the sample data: a distributor of beekeeping supplies that
// does not exist, its suppliers' archives with pictures drawn here, and every
// kind of mess that real archives hold. The same program makes the same data.
package draw

import (
	"encoding/csv"
	"fmt"
	"io"
	"strings"

	"ambrosa/core/gtin"
)

// kind is a kind of product: how it is drawn, and what its models differ in.
type kind struct {
	prefix   string
	scene    func(look) string
	category string
	models   []string
	options  []option // of every model
}

type option struct {
	name   string
	values []value
}

type value struct{ code, word string }

// item is a variant of the sample catalog.
type item struct {
	sku, product, title, gtin, category string
	kind                                *kind
	model                               int
	options                             []value
	names                               []string // of the options
}

var (
	colours = option{"Colour", []value{{"NAT", "natural"}, {"AMB", "amber"}, {"GRN", "moss green"}, {"BLU", "slate blue"}}}
	suits   = option{"Colour", []value{{"WHT", "white"}, {"KHK", "khaki"}, {"GRN", "moss green"}}}
	sizes   = option{"Size", []value{{"S", "small"}, {"M", "medium"}, {"L", "large"}, {"XL", "extra large"}}}
	frames  = option{"Frames", []value{{"8F", "8 frames"}, {"10F", "10 frames"}, {"12F", "12 frames"}}}
	depths  = option{"Depth", []value{{"SH", "shallow"}, {"MD", "middle"}, {"DP", "deep"}}}
	volumes = option{"Volume", []value{{"125", "125 ml"}, {"250", "250 ml"}, {"500", "500 ml"}, {"1000", "1000 ml"}}}
	lids    = option{"Colour", []value{{"GLD", "gold"}, {"BLK", "black"}, {"WHT", "white"}, {"HNY", "honeycomb"}}}
	metals  = option{"Finish", []value{{"ST", "steel"}, {"GV", "galvanised"}, {"CU", "copper"}}}
	grips   = option{"Grip", []value{{"OAK", "oak"}, {"ASH", "ash"}, {"RED", "red"}}}
)

var kinds = []*kind{
	{
		"HV",
		hive,
		"Hives / Complete hives",
		[]string{"Garden hive", "Moorland hive", "Orchard hive", "Meadow hive", "Observation hive", "Nucleus hive", "Travelling hive"},
		[]option{frames, {"Colour", colours.values[:2]}},
	},
	{
		"FR",
		frame,
		"Hives / Frames",
		[]string{"Pine frame", "Lime frame", "Wired frame", "Drone frame", "Comb honey frame", "Self-spacing frame", "Feeding frame"},
		[]option{depths},
	},
	{
		"FD",
		foundation,
		"Hives / Foundation",
		[]string{"Wax foundation", "Thin foundation", "Drone foundation", "Starter strips", "Wired foundation"},
		[]option{depths},
	},
	{
		"SM",
		smoker,
		"Tools / Smokers",
		[]string{"Dome smoker", "Short smoker", "Tall smoker", "Guarded smoker", "Pocket smoker", "Double smoker", "Field smoker"},
		[]option{metals},
	},
	{
		"HT",
		hiveTool,
		"Tools / Hive tools",
		[]string{"Hooked hive tool", "Flat hive tool", "Scraper tool", "Frame lifter", "Long hive tool"},
		[]option{grips},
	},
	{"BR", brush, "Tools / Brushes", []string{"Bee brush", "Soft bee brush", "Double bee brush", "Travel bee brush"}, []option{grips}},
	{
		"UK",
		knife,
		"Tools / Uncapping",
		[]string{"Uncapping knife", "Serrated knife", "Heated knife", "Uncapping fork", "Cranked knife"},
		[]option{grips},
	},
	{
		"VL",
		veil,
		"Clothing / Veils",
		[]string{"Round veil", "Square veil", "Folding veil", "Hat and veil", "Fencing veil", "Pocket veil"},
		[]option{suits},
	},
	{
		"SU",
		suit,
		"Clothing / Suits",
		[]string{"Full suit", "Light suit", "Summer suit", "Half suit", "Smock", "Children’s suit", "Ventilated suit"},
		[]option{{"Size", sizes.values}, {"Colour", suits.values[:2]}},
	},
	{
		"GL",
		gloves,
		"Clothing / Gloves",
		[]string{"Goatskin gloves", "Long gloves", "Thin gloves", "Cuffed gloves", "Gauntlets"},
		[]option{sizes},
	},
	{
		"JR",
		jar,
		"Packing / Jars",
		[]string{"Round jar", "Hexagon jar", "Square jar", "Low jar", "Beehive jar", "Straight jar", "Tasting jar", "Clip jar"},
		[]option{volumes},
	},
	{"LD", lid, "Packing / Lids", []string{"Twist lid 63", "Twist lid 70", "Twist lid 82", "Deep lid 63", "Snap lid"}, []option{lids}},
	{
		"LB",
		label,
		"Packing / Labels",
		[]string{"Meadow label", "Heather label", "Lime tree label", "Plain label", "Seal label", "Lid strip"},
		[]option{volumes},
	},
	{
		"BK",
		bucket,
		"Packing / Buckets",
		[]string{"Honey bucket", "Stackable bucket", "Bucket with gate", "Sieve bucket"},
		[]option{{"Volume", []value{{"5L", "5 litres"}, {"12L", "12 litres"}, {"25L", "25 litres"}}}},
	},
	{
		"EX",
		extractor,
		"Extraction / Extractors",
		[]string{"Hand extractor", "Tangential extractor", "Radial extractor", "Self-turning extractor", "Motor extractor"},
		[]option{{"Frames", []value{{"3F", "3 frames"}, {"4F", "4 frames"}, {"9F", "9 frames"}}}},
	},
	{
		"ST",
		strainer,
		"Extraction / Strainers",
		[]string{"Double strainer", "Conical strainer", "Fine strainer", "Drum strainer"},
		[]option{metals},
	},
	{
		"FE",
		feeder,
		"Feed / Feeders",
		[]string{"Top feeder", "Frame feeder", "Entrance feeder", "Round feeder", "Contact feeder"},
		[]option{{"Colour", colours.values[1:]}},
	},
	{
		"SY",
		sack,
		"Feed / Syrup and fondant",
		[]string{"Fondant", "Autumn syrup", "Spring feed", "Pollen substitute"},
		[]option{{"Weight", []value{{"25", "2.5 kg"}, {"50", "5 kg"}, {"140", "14 kg"}}}},
	},
	{"QC", queenCage, "Queens / Cages", []string{"Queen cage", "Push-in cage", "Transport cage", "Roller cage"}, []option{grips}},
	{
		"CM",
		mould,
		"Candles / Moulds",
		[]string{
			"Pillar mould", "Tea light mould", "Skep mould", "Pine cone mould", "Taper mould", "Bee mould", "Block mould",
			"Rose mould", "Owl mould",
		},
		[]option{{"Size", sizes.values[:3]}},
	},
}

// catalogue returns the sample catalog's variants in order.
func catalogue() (items []item) {
	serial := 0
	for _, k := range kinds {
		for m, name := range k.models {
			code := fmt.Sprintf("%s-%d%02d", k.prefix, 1+m%4, m*7+10)
			if k.prefix == "LB" {
				code = fmt.Sprintf("00%d", 45010+7*m) // labels came from another system: digits only, with leading zeros
			}
			for _, chosen := range combinations(k.options) {
				serial++
				it := item{product: code, sku: code, title: name, category: k.category, kind: k, model: m, options: chosen}
				for i, v := range chosen {
					it.sku += "-" + v.code
					it.names = append(it.names, k.options[i].name)
				}
				it.gtin = number(serial)
				items = append(items, it)
			}
		}
	}
	// A mistake that every catalog has somewhere: one barcode on two variants. The import reports it and leaves both cells empty.
	items[301].gtin = items[302].gtin
	return items
}

// number returns a GTIN-13 in the range that GS1 leaves to companies' own use
// (prefix 20), so that it is nobody's.
func number(serial int) string {
	digits := fmt.Sprintf("20%010d", 7000+serial*11)
	return digits + string(gtin.CheckDigit(digits))
}

func combinations(options []option) [][]value {
	all := [][]value{nil}
	for _, o := range options {
		var next [][]value
		for _, before := range all {
			for _, v := range o.values {
				next = append(next, append(append([]value{}, before...), v))
			}
		}
		all = next
	}
	return all
}

// writeCatalog writes the products as CSV, one column an option.
func writeCatalog(out io.Writer, items []item) error {
	columns := []string{"Colour", "Size", "Frames", "Depth", "Volume", "Finish", "Grip", "Weight"}
	rows := csv.NewWriter(out)
	if err := rows.Write(append([]string{"sku", "product", "title", "gtin", "category"}, columns...)); err != nil {
		return err
	}
	for _, it := range items {
		row := []string{it.sku, it.product, it.title, it.gtin, it.category}
		for _, column := range columns {
			cell := ""
			for i, name := range it.names {
				if name == column {
					cell = it.options[i].word
				}
			}
			row = append(row, cell)
		}
		if err := rows.Write(row); err != nil {
			return err
		}
	}
	rows.Flush()
	return rows.Error()
}

func slug(text string) string { return strings.ReplaceAll(strings.ToLower(text), " ", "-") }
