package draw

import (
	"fmt"
	"math"
	"strings"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/oned"
)

// look is what a scene is drawn with: colours by option, and the model.
type look struct {
	main, dark, light string
	accent            string
	model             int
	size              float64 // 0.7 to 1.1, by volume or size
}

var palettes = map[string][3]string{
	"NAT": {
		"#d9b27c",
		"#a97f48",
		"#f0d7ae",
	}, "AMB": {"#d98f2b", "#a5620f", "#f4c476"}, "GRN": {"#7c8f5a", "#52643a", "#b2c293"}, "BLU": {"#6d8299", "#465a70", "#a9bacb"},
	"WHT": {
		"#eeeae1",
		"#c5bfb1",
		"#fffdf8",
	}, "KHK": {"#b8a67a", "#8a7a52", "#ddd0ac"}, "GLD": {"#cfa53a", "#94711a", "#f3d98b"}, "BLK": {"#3a3a3c", "#1d1d1f", "#77777b"},
	"HNY": {
		"#e2a52c",
		"#b0740d",
		"#fbd27e",
	}, "ST": {"#b9bec3", "#80878e", "#eceff1"}, "GV": {"#a3abad", "#6f797c", "#d5dcdd"}, "CU": {"#c07a4b", "#864b25", "#ecb48d"},
	"OAK": {"#a9773f", "#734c22", "#d3a66e"}, "ASH": {"#d4b98f", "#a3885e", "#f0dfc0"}, "RED": {"#b5382f", "#7d1f19", "#e07a70"},
}

var sizeOf = map[string]float64{
	"S": .8, "M": .9, "L": 1, "XL": 1.08, "125": .72, "250": .84, "500": .95, "1000": 1.08, "SH": .75, "MD": .9, "DP": 1.05,
	"8F": .86, "10F": .96, "12F": 1.06, "5L": .78, "12L": .92, "25L": 1.06, "3F": .8, "4F": .92, "9F": 1.05, "25": .8,
	"50": .94, "140": 1.06,
}

func lookOf(it item) look {
	l := look{model: it.model, size: 1, accent: "#a64b0e"}
	chosen := [3]string{"#cfae7d", "#987441", "#efdcba"}
	for _, v := range it.options {
		if p, ok := palettes[v.code]; ok {
			chosen = p
		}
		if s, ok := sizeOf[v.code]; ok {
			l.size = s
		}
	}
	l.main, l.dark, l.light = chosen[0], chosen[1], chosen[2]
	return l
}

// draw returns an SVG of a product in a view, of the given size in pixels.
// light varies the lighting and background a little, as photographers do. The
// background falls off straight down: a gradient along no diagonal is drawn in
// half the time.
func draw(it item, view string, width, height, light int) string {
	l := lookOf(it)
	backs := [][2]string{{"#ffffff", "#ececec"}, {"#fbfaf7", "#e4e1da"}, {"#f4f6f7", "#dde2e5"}, {"#ffffff", "#f6f6f6"}}
	back := backs[light%len(backs)]
	object := it.kind.scene(l)
	var body string
	switch view {
	case "back":
		body = shadow() +
			centred(object, -l.size, l.size) +
			`<rect x="400" y="660" width="200" height="60" rx="4" fill="#fff" opacity=".55"/>`
	case "left", "right", "side":
		sign := 1.0
		if view == "left" {
			sign = -1
		}
		body = shadow() +
			fmt.Sprintf(
				`<g transform="translate(500 520) skewY(%.1f) scale(%.3f %.3f) translate(-500 -520)">%s</g>`,
				sign*7,
				.66*l.size,
				l.size,
				object,
			)
	case "top":
		body = shadow() + topView(l)
	case "detail":
		body = fmt.Sprintf(
			`<g transform="translate(500 500) scale(%.2f) translate(-%d -%d)">%s</g>`,
			2.4*l.size,
			470+10*(light%5),
			430+12*(light%4),
			object,
		)
	case "pack":
		body = shadow() + box(l) + fmt.Sprintf(`<g transform="translate(345 430) scale(.3)">%s</g>`, object)
	case "in use":
		body = meadow(light) + fmt.Sprintf(`<g transform="translate(190 250) scale(.62)">%s</g>`, shadow()+object)
	case "swatch":
		body = swatch(l)
	case "barcode":
		body = shadow() +
			centred(object, l.size, l.size) +
			fmt.Sprintf(
				`<g transform="translate(%d %d) rotate(%d) scale(.62) translate(-500 -500)">%s</g>`,
				430+light*2,
				640-light,
				light%50-25,
				barcodeTag(it),
			)
	case "label":
		body = fmt.Sprintf(`<g opacity=".35" transform="translate(500 500) scale(1.9) translate(-500 -560)">%s</g>`, object) + tag(it)
	default:
		body = shadow() + centred(object, l.size, l.size)
	}
	return fmt.Sprintf(
		`<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 1000 1000" preserveAspectRatio="xMidYMid slice"><defs>
<linearGradient id="bg" x1="0" y1="0.%02d" x2="0" y2="1"><stop offset="0" stop-color="%s"/><stop offset="1" stop-color="%s"/>
</linearGradient>
<linearGradient id="m" x1="0" x2="1"><stop offset="0" stop-color="%s"/><stop offset=".3" stop-color="%s"/>
<stop offset="1" stop-color="%s"/></linearGradient>
<linearGradient id="wood" x1="0" x2="1"><stop offset="0" stop-color="#ecd2a4"/><stop offset=".5" stop-color="#d6b27a"/>
<stop offset="1" stop-color="#ad8450"/></linearGradient>
<linearGradient id="steel" x1="0" x2="1"><stop offset="0" stop-color="#8d959b"/><stop offset=".22" stop-color="#f4f6f7"/>
<stop offset=".55" stop-color="#b4bbc0"/><stop offset="1" stop-color="#757e85"/></linearGradient>
<linearGradient id="glass" x1="0" x2="1"><stop offset="0" stop-color="#ffffff" stop-opacity=".75"/>
<stop offset=".2" stop-color="#dfe7e8" stop-opacity=".28"/><stop offset=".8" stop-color="#c9d6d8" stop-opacity=".35"/>
<stop offset="1" stop-color="#ffffff" stop-opacity=".7"/></linearGradient>
<linearGradient id="honey" x1="0" x2="1"><stop offset="0" stop-color="#f0b23e"/><stop offset=".5" stop-color="#e08f16"/>
<stop offset="1" stop-color="#a95f06"/></linearGradient>
<radialGradient id="sh"><stop offset="0" stop-color="#000" stop-opacity=".36"/><stop offset="1" stop-color="#000" stop-opacity="0"/>
</radialGradient>
</defs><rect width="1000" height="1000" fill="url(#bg)"/>%s</svg>`,
		width,
		height,
		10+light*7%60,
		back[0],
		back[1],
		l.light, l.main, l.dark, body,
	)
}

func shadow() string { return `<ellipse cx="500" cy="855" rx="330" ry="38" fill="url(#sh)"/>` }

func centred(object string, sx, sy float64) string {
	return fmt.Sprintf(`<g transform="translate(500 850) scale(%.3f %.3f) translate(-500 -850)">%s</g>`, sx, sy, object)
}

func rect(x, y, w, h, r float64, fill, extra string) string {
	return fmt.Sprintf(`<rect x="%.0f" y="%.0f" width="%.0f" height="%.0f" rx="%.0f" fill="%s" %s/>`, x, y, w, h, r, fill, extra)
}

func path(d, fill, extra string) string {
	return fmt.Sprintf(`<path d="%s" fill="%s" %s/>`, d, fill, extra)
}

const outline = `stroke="#00000022" stroke-width="3"`

func hive(l look) string {
	var b strings.Builder
	storeys := 2 + l.model%3
	height := 520.0 / float64(storeys)
	for i := range storeys {
		y := 300 + float64(i)*height
		b.WriteString(rect(260, y, 480, height-6, 4, "url(#m)", outline))
		b.WriteString(rect(430, y+height*.36, 140, 22, 11, "#00000040", ""))
		b.WriteString(rect(260, y+height-14, 480, 8, 0, "#0000001c", ""))
	}
	b.WriteString(path("M230 300 L300 235 L700 235 L770 300 Z", "url(#steel)", outline))
	b.WriteString(rect(230, 296, 540, 22, 3, "#7d858b", ""))
	b.WriteString(rect(235, 822, 530, 26, 2, "url(#wood)", outline))
	b.WriteString(rect(400, 802, 200, 16, 3, "#2b1c0c", ""))
	b.WriteString(rect(280, 848, 36, 28, 0, "#8a6a3f", "") + rect(684, 848, 36, 28, 0, "#8a6a3f", ""))
	return b.String()
}

func frame(l look) string {
	h := 360.0
	comb := honeycomb(285, 360, 430, h-50, l)
	return rect(200, 310, 600, 40, 4, "url(#wood)", outline) +
		rect(250, 345, 32, h, 2, "url(#wood)", outline) +
		rect(718, 345, 32, h, 2, "url(#wood)", outline) +
		rect(250, 345+h-10, 500, 34, 3, "url(#wood)", outline) +
		comb
}

func honeycomb(x, y, w, h float64, l look) string {
	var b strings.Builder
	b.WriteString(rect(x, y, w, h, 0, "#e9b64e", ""))
	step := 26.0 - float64(l.model%3)*4
	for row := 0; float64(row)*step*.87 < h-step; row++ {
		for column := 0; float64(column)*step < w-step; column++ {
			cx, cy := x+step*.6+float64(column)*step+float64(row%2)*step/2, y+step*.6+float64(row)*step*.87
			if cx > x+w-step*.4 {
				continue
			}
			var points strings.Builder
			for k := range 6 {
				a := math.Pi/6 + float64(k)*math.Pi/3
				fmt.Fprintf(&points, "%.1f,%.1f ", cx+math.Cos(a)*step*.46, cy+math.Sin(a)*step*.46)
			}
			fill := "#b87514"
			if (row*7+column*3+l.model)%5 == 0 {
				fill = "#f4d48a"
			}
			fmt.Fprintf(&b, `<polygon points="%s" fill="%s"/>`, points.String(), fill)
		}
	}
	return b.String()
}

func foundation(l look) string {
	return `<g transform="rotate(-4 500 560)">` +
		rect(230, 330, 540, 470, 4, "#c98e2b", outline) +
		honeycomb(245, 345, 510, 440, l) +
		`</g>`
}

func smoker(l look) string {
	tall := 40 * float64(l.model%3)
	return path(fmt.Sprintf("M330 %.0f L330 820 Q450 850 570 820 L570 %.0f Z", 420-tall, 420-tall), "url(#m)", outline) +
		fmt.Sprintf(`<ellipse cx="450" cy="%.0f" rx="120" ry="26" fill="%s"/>`, 420-tall, l.dark) +
		path(
			fmt.Sprintf(
				"M345 %.0f Q450 %.0f 555 %.0f L500 %.0f L300 %.0f L290 %.0f Z",
				410-tall,
				330-tall,
				410-tall,
				300-tall,
				235-tall,
				270-tall,
			),
			"url(#m)",
			outline,
		) +
		path("M600 470 L760 440 L760 800 L600 780 Z", "#6b3f22", outline) +
		rect(596, 455, 18, 345, 3, "url(#wood)", outline) +
		rect(752, 430, 20, 380, 3, "url(#wood)", outline) +
		path(
			"M620 520 L750 500 M620 580 L750 565 M620 640 L750 630 M620 700 L750 700",
			"none",
			`stroke="#3f2412" stroke-width="7"`,
		) +
		rect(570, 620, 40, 60, 2, "#777", "")
}

func hiveTool(l look) string {
	hook := path("M465 250 Q460 180 530 180 Q590 185 580 240 L548 236 Q552 212 528 212 Q500 212 505 250 Z", "url(#steel)", outline)
	if l.model%2 == 1 {
		hook = path("M450 190 L550 190 L540 260 L460 260 Z", "url(#steel)", outline)
	}
	return `<g transform="rotate(18 500 520)">` +
		hook +
		rect(460, 245, 80, 560, 6, "url(#steel)", outline) +
		rect(452, 420, 96, 260, 18, "url(#m)", outline) +
		path("M460 790 L540 790 L560 850 L440 850 Z", "url(#steel)", outline) +
		`</g>`
}

func brush(l look) string {
	var bristles strings.Builder
	for i := range 42 {
		x := 300 + float64(i)*9.6
		fmt.Fprintf(
			&bristles,
			`<path d="M%.0f 470 Q%.0f 620 %.0f %d" stroke="%s" stroke-width="4" fill="none"/>`,
			x,
			x+4,
			x-6+float64(i*13%12),
			690+i*17%34,
			[]string{"#e9d9b4", "#cbb27b", "#f4ead0"}[i%3],
		)
	}
	return `<g transform="rotate(-12 500 520)">` +
		bristles.String() +
		rect(285, 430, 430, 56, 14, "url(#m)", outline) +
		rect(700, 440, 190, 36, 16, "url(#m)", outline) +
		`<circle cx="862" cy="458" r="9" fill="#0006"/></g>`
}

func knife(l look) string {
	if l.model == 3 {
		var tines strings.Builder
		for i := range 16 {
			tines.WriteString(rect(392+float64(i)*14, 220, 5, 190, 2, "url(#steel)", ""))
		}
		return `<g transform="rotate(24 500 520)">` +
			tines.String() +
			rect(386, 400, 228, 44, 6, "url(#steel)", outline) +
			rect(465, 440, 70, 380, 28, "url(#m)", outline) +
			`</g>`
	}
	return `<g transform="rotate(38 500 520)">` +
		path("M468 180 Q500 120 536 200 L540 560 L462 560 Z", "url(#steel)", outline) +
		rect(470, 555, 64, 26, 3, "#666", "") +
		rect(462, 578, 78, 270, 26, "url(#m)", outline) +
		`</g>`
}

func topView(l look) string {
	return `<circle cx="500" cy="560" r="290" fill="url(#m)" stroke="#0003" stroke-width="4"/><circle cx="500" cy="560" r="232" fill="` +
		l.light +
		`" stroke="#0002" stroke-width="6"/>` +
		fmt.Sprintf(`<circle cx="500" cy="560" r="%d" fill="url(#m)"/>`, 90+12*(l.model%6)) +
		rect(470, 270, 60, 40, 6, l.dark, "")
}

func box(l look) string {
	return path("M250 400 L500 330 L760 400 L760 800 L500 870 L250 800 Z", "#c59a67", outline) +
		path("M250 400 L500 470 L500 870 L250 800 Z", "#b3874f", "") +
		path("M250 400 L500 330 L760 400 L500 470 Z", "#dcb684", "") +
		path("M470 338 L520 345 L540 462 L485 466 Z", "#efe0c2", `opacity=".8"`) +
		rect(330, 560, 0, 0, 0, l.main, "") +
		path("M545 560 L715 515 L715 690 L545 735 Z", l.light, outline)
}

func meadow(light int) string {
	var flowers strings.Builder
	for i := range 60 {
		fmt.Fprintf(
			&flowers,
			`<circle cx="%d" cy="%d" r="%d" fill="%s"/>`,
			(i*173+light*37)%1000,
			700+(i*97)%290,
			5+i%6,
			[]string{"#f3d44b", "#fff", "#c98fd1", "#e98c5c"}[i%4],
		)
	}
	return `<rect x="-500" y="-500" width="2000" height="1120" fill="#cfe3ef"/>` +
		`<path d="M-500 560 Q200 420 500 540 T1500 520 V1500 H-500 Z" fill="#9dba7a"/>` +
		`<path d="M-500 700 Q300 600 700 680 T1500 660 V1500 H-500 Z" fill="#7ba05a"/>` + flowers.String()
}

func swatch(l look) string {
	var b strings.Builder
	fmt.Fprintf(&b, `<rect x="-500" y="-500" width="2000" height="2000" fill="%s"/>`, l.main)
	for i := range 50 {
		fmt.Fprintf(
			&b,
			`<path d="M-200 %d Q400 %d 1200 %d" stroke="%s" stroke-width="4" fill="none" opacity=".5"/>`,
			i*24-100,
			i*24-100+(i*31)%40,
			i*24-90,
			[]string{l.dark, l.light}[i%2],
		)
	}
	return b.String()
}

func tag(it item) string {
	return `<rect x="170" y="330" width="660" height="340" rx="10" fill="#fffdf6" stroke="#0003" stroke-width="4"/>` +
		fmt.Sprintf(
			`<text x="500" y="440" font-family="sans-serif" font-size="54" font-weight="bold" text-anchor="middle" fill="#2b2b2b">%s</text>`+
				`<text x="500" y="520" font-family="monospace" font-size="42" text-anchor="middle" fill="#5c5c5c">%s</text>`+
				`<text x="500" y="600" font-family="monospace" font-size="36" text-anchor="middle" fill="#5c5c5c">%s</text>`,
			it.title, it.sku, it.gtin,
		)
}

// barcodeTag is a sticker with the item's GTIN as EAN-13.
func barcodeTag(it item) string {
	bars, err := oned.NewEAN13Writer().Encode(it.gtin, gozxing.BarcodeFormat_EAN_13, 0, 1, nil)
	if err != nil {
		return "" // the sample data's barcodes are right; a test would miss the code
	}
	const module = 5.4
	var b strings.Builder
	left := 500 - module*float64(bars.GetWidth())/2
	b.WriteString(`<rect x="170" y="300" width="660" height="400" rx="10" fill="#fffdf6" stroke="#0003" stroke-width="4"/>`)
	for x := range bars.GetWidth() {
		if bars.Get(x, 0) {
			fmt.Fprintf(&b, `<rect x="%.1f" y="345" width="%.1f" height="240" fill="#161616"/>`, left+module*float64(x), module+0.2)
		}
	}
	fmt.Fprintf(&b, `<text x="500" y="650" font-family="monospace" font-size="46" text-anchor="middle" fill="#2b2b2b">%s</text>`, it.gtin)
	return b.String()
}
