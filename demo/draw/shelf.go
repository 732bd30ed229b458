package draw

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/davidbyttow/govips/v2/vips"

	"ambrosa/demo"
)

// writeLater draws what is saved for later into a folder: size charts and care labels.
func writeLater(folder string) error {
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	drawn := map[string]string{
		"size-chart-suits-eu.png": chart("Suits, cm", []string{"", "S", "M", "L", "XL"},
			[][]string{{"Chest", "92", "100", "108", "118"}, {"Waist", "78", "86", "96", "108"}, {"Inside leg", "78", "80", "82", "84"}}),
		"size-chart-gloves.png": chart("Gloves, hand in cm", []string{"", "S", "M", "L", "XL"},
			[][]string{{"Around", "18", "20", "23", "26"}, {"Length", "17", "18", "19", "20"}}),
		"care-cotton.png":   sewnIn("100 % cotton", "Wash at 60", "Iron hot"),
		"care-mixed.png":    sewnIn("65 % polyester", "35 % cotton", "Wash at 40"),
		"care-goatskin.png": sewnIn("Goatskin", "Do not wash", "Wipe damp"),
	}
	for name, svg := range drawn {
		if _, known := demo.Later[name]; !known {
			return fmt.Errorf("%s has no place on the shelf", name)
		}
		image, err := vips.NewImageFromBuffer([]byte(svg))
		if err != nil {
			return err
		}
		content, _, err := image.ExportPng(vips.NewPngExportParams())
		image.Close()
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(folder, name), content, 0o644); err != nil {
			return err
		}
	}
	return nil
}

const words = `<text x="%d" y="%d" font-family="sans-serif" font-size="%d" text-anchor="%s" fill="#2b2b2b">%s</text>`

// chart is an SVG of a table of measures.
func chart(title string, heads []string, rows [][]string) string {
	const left, top, wide, tall = 60, 200, 176, 96
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="1000"><rect width="1000" height="1000" fill="#fffdf8"/>`)
	fmt.Fprintf(&b, words, left, 120, 52, "start", title)
	for r, row := range append([][]string{heads}, rows...) {
		y := top + r*tall
		if r%2 == 0 {
			fmt.Fprintf(&b, `<rect x="%d" y="%d" width="%d" height="%d" fill="#f0e6d2"/>`, left, y, wide*len(row), tall)
		}
		for c, cell := range row {
			anchor, x := "middle", left+c*wide+wide/2
			if c == 0 {
				anchor, x = "start", left+12
			}
			fmt.Fprintf(&b, words, x, y+tall/2+12, 36, anchor, cell)
		}
	}
	return b.String() + `</svg>`
}

// sewnIn is an SVG of a sewn-in label.
func sewnIn(lines ...string) string {
	var b strings.Builder
	b.WriteString(`<svg xmlns="http://www.w3.org/2000/svg" width="800" height="1000"><rect width="800" height="1000" fill="#e7e2d8"/>` +
		`<rect x="110" y="90" width="580" height="820" rx="12" fill="#ffffff" stroke="#b8b0a0" stroke-width="3" stroke-dasharray="14 9"/>`)
	for i, line := range lines {
		fmt.Fprintf(&b, words, 400, 300+i*150, 50, "middle", line)
	}
	return b.String() + `</svg>`
}
