package draw

import (
	"fmt"
)

func veil(l look) string {
	return path(
		"M320 420 Q320 800 380 840 Q500 870 620 840 Q680 800 680 420 Z",
		"#3c3c3a",
		`fill-opacity=".5" stroke="#222" stroke-width="4"`,
	) +
		path(
			"M340 470 H660 M335 540 H665 M335 610 H665 M340 680 H660 M350 750 H650",
			"none",
			`stroke="#1118" stroke-width="3"`,
		) +
		`<ellipse cx="500" cy="420" rx="310" ry="66" fill="url(#m)" stroke="#0003" stroke-width="3"/>` +
		path("M360 410 Q370 250 500 245 Q630 250 640 410 Q500 450 360 410 Z", "url(#m)", outline) +
		path("M362 398 Q500 440 638 398 L640 420 Q500 462 360 420 Z", "#5b4a33", "") +
		path("M375 830 Q500 880 625 830 L640 860 Q500 905 360 860 Z", "url(#m)", outline)
}

func suit(l look) string {
	hood := `<ellipse cx="500" cy="250" rx="95" ry="105" fill="url(#m)"/>` +
		`<ellipse cx="500" cy="258" rx="66" ry="74" fill="#333" opacity=".75"/>`
	legs := path("M400 600 L385 860 L485 860 L500 660 L515 860 L615 860 L600 600 Z", "url(#m)", outline)
	if l.model == 3 || l.model == 4 {
		legs = rect(395, 590, 210, 60, 6, "url(#m)", outline)
	}
	return legs +
		path(
			"M410 340 L300 420 L235 640 L305 665 L360 510 L390 480 L395 640 L605 640 L610 480 L640 510 L695 665 L765 640 L700 420 L590 340 Q500 "+
				"380 410 340 Z",
			"url(#m)",
			outline,
		) +
		hood +
		rect(496, 350, 8, 290, 2, "#8a8375", "") +
		rect(420, 450, 60, 70, 4, "#0000000f", outline) +
		rect(520, 450, 60, 70, 4, "#0000000f", outline)
}

func gloves(l look) string {
	one := path(
		"M300 850 L290 560 Q230 500 245 470 Q270 450 305 500 L300 330 Q312 300 335 330 L342 460 L345 290 Q362 262 384 292 L384 460 L392 305 "+
			"Q412 282 430 312 L424 470 L436 360 Q456 342 468 368 L450 560 L440 850 Z",
		"url(#m)",
		outline,
	) +
		rect(284, 690, 165, 160, 8, "#e9e4d8", outline)
	return one + `<g transform="translate(1010 0) scale(-1 1)">` + one + `</g>`
}

func jar(l look) string {
	shape := "M330 330 Q300 370 300 430 L300 780 Q300 850 370 850 L630 850 Q700 850 700 780 L700 430 Q700 370 670 330 Z"
	switch l.model % 4 {
	case 1:
		shape = "M340 330 L290 400 L290 790 L340 850 L660 850 L710 790 L710 400 L660 330 Z"
	case 2:
		shape = "M320 330 L300 360 L300 835 L320 850 L680 850 L700 835 L700 360 L680 330 Z"
	case 3:
		shape = "M350 330 Q270 440 262 600 Q262 850 400 850 L600 850 Q738 850 738 600 Q730 440 650 330 Z"
	}
	return path(shape, "url(#honey)", `transform="translate(500 850) scale(.95 .9) translate(-500 -850)"`) +
		path(shape, "url(#glass)", `stroke="#9fb0b3" stroke-width="4"`) +
		rect(340, 255, 320, 78, 10, "url(#m)", outline) +
		rect(340, 305, 320, 10, 0, "#0002", "") +
		rect(350, 520, 300, 190, 6, "#fbf7ec", outline) +
		rect(380, 560, 240, 14, 3, "#b98a3c", "") +
		rect(400, 596, 200, 8, 3, "#8b8577", "") +
		rect(420, 622, 160, 8, 3, "#8b8577", "") +
		path(
			"M330 400 Q322 600 335 800",
			"none",
			`stroke="#fff" stroke-width="14" stroke-opacity=".55" stroke-linecap="round"`,
		)
}

func lid(l look) string {
	return `<ellipse cx="500" cy="640" rx="270" ry="120" fill="` +
		l.dark +
		`"/>` +
		path("M230 560 L230 640 Q500 850 770 640 L770 560 Z", "url(#m)", outline) +
		`<ellipse cx="500" cy="560" rx="270" ry="120" fill="url(#m)" stroke="#0003" stroke-width="3"/>` +
		fmt.Sprintf(
			`<ellipse cx="500" cy="560" rx="%d" ry="%d" fill="none" stroke="#ffffff66" stroke-width="7"/>`,
			225-l.model*9,
			98-l.model*4,
		)
}

func label(l look) string {
	inks := []string{"#7a8f3c", "#8a5a99", "#5c8f6a", "#777777", "#a64b0e", "#b98a1c"}
	ink := inks[l.model%len(inks)]
	return rect(240, 320, 520, 470, 10, "#fdfaf1", outline) +
		rect(262, 342, 476, 426, 6, "none", fmt.Sprintf(`stroke="%s" stroke-width="6"`, ink)) +
		honeycomb(300, 375, 400, 110, l) +
		rect(330, 530, 340, 34, 4, ink, "") +
		rect(370, 590, 260, 14, 4, "#9b9484", "") +
		rect(400, 624, 200, 12, 4, "#9b9484", "") +
		fmt.Sprintf(`<circle cx="500" cy="700" r="38" fill="%s" opacity=".8"/>`, ink)
}

func bucket(l look) string {
	gate := ""
	if l.model == 2 {
		gate = rect(560, 740, 130, 54, 8, "#4b4f52", outline) + rect(610, 700, 30, 50, 4, "#2b2b2b", "")
	}
	return path("M290 380 L340 840 Q500 880 660 840 L710 380 Z", "#f4f2ea", outline) +
		path("M322 660 L340 840 Q500 880 660 840 L678 660 Q500 700 322 660 Z", "url(#honey)", `opacity=".55"`) +
		`<ellipse cx="500" cy="380" rx="216" ry="52" fill="#e6e2d6" stroke="#0002" stroke-width="4"/>` +
		`<ellipse cx="500" cy="372" rx="196" ry="42" fill="#fffdf6"/>` +
		path("M290 400 Q500 120 710 400", "none", `stroke="#8f9497" stroke-width="11"`) +
		rect(380, 510, 240, 120, 8, "#fffdf5", outline) +
		rect(410, 545, 180, 16, 4, "#b98a3c", "") +
		gate
}

func extractor(l look) string {
	top := rect(470, 210, 60, 60, 8, "#555", "") +
		rect(430, 196, 220, 22, 8, "#777", "") +
		`<circle cx="652" cy="207" r="26" fill="#9c3b2c"/>`
	if l.model >= 3 {
		top = rect(410, 180, 180, 90, 14, "#3d4f60", outline) + `<circle cx="560" cy="225" r="14" fill="#c9d46b"/>`
	}
	return top +
		path("M280 300 L280 760 Q500 810 720 760 L720 300 Z", "url(#steel)", outline) +
		`<ellipse cx="500" cy="300" rx="220" ry="46" fill="#dfe3e6" stroke="#7775" stroke-width="4"/>` +
		rect(480, 262, 40, 34, 4, "#888", "") +
		path(
			"M310 780 L280 880 L310 880 L340 790 Z M690 780 L720 880 L690 880 L660 790 Z M485 795 L485 890 L515 890 L515 795 Z",
			"#6d757b",
			"",
		) +
		rect(560, 700, 90, 40, 6, "#b08a3c", outline) +
		rect(640, 690, 30, 62, 6, "#8c6a24", "") +
		path("M285 440 Q500 486 715 440 M285 600 Q500 646 715 600", "none", `stroke="#59626866" stroke-width="5"`)
}

func strainer(l look) string {
	depth := 640 + 40*(l.model%3)
	return path(fmt.Sprintf("M240 450 Q300 %d 500 %d Q700 %d 760 450 Z", depth, depth+40, depth), "url(#m)", outline) +
		path(
			"M280 500 Q500 560 720 500 M310 570 Q500 630 690 570 M360 630 Q500 680 640 630",
			"none",
			`stroke="#0003" stroke-width="4"`,
		) +
		`<ellipse cx="500" cy="450" rx="262" ry="58" fill="url(#steel)" stroke="#0003" stroke-width="4"/>` +
		`<ellipse cx="500" cy="452" rx="228" ry="44" fill="#5d666b"/>` +
		rect(130, 440, 130, 20, 8, "url(#steel)", outline) +
		rect(740, 440, 130, 20, 8, "url(#steel)", outline)
}

func feeder(l look) string {
	if l.model%2 == 1 {
		return rect(270, 360, 460, 470, 10, "url(#m)", outline) +
			rect(300, 390, 400, 60, 6, "#0003", "") +
			rect(300, 480, 400, 320, 6, "#ffffff30", outline) +
			rect(200, 340, 600, 34, 4, "url(#wood)", outline)
	}
	return path("M250 560 L280 800 Q500 860 720 800 L750 560 Z", "url(#m)", outline) +
		`<ellipse cx="500" cy="560" rx="250" ry="70" fill="` +
		l.light +
		`" stroke="#0003" stroke-width="4"/><ellipse cx="500" cy="566" rx="205" ry="50" fill="` +
		l.dark +
		`"/>` +
		path("M430 566 L455 440 L545 440 L570 566 Z", "url(#m)", outline) +
		`<ellipse cx="500" cy="440" rx="45" ry="14" fill="` +
		l.dark +
		`"/>`
}

func sack(l look) string {
	inks := []string{"#a64b0e", "#b98a1c", "#5c8f3a", "#c7772e"}
	return path("M300 300 Q500 270 700 300 Q740 560 715 840 Q500 870 285 840 Q260 560 300 300 Z", "#efe6d2", outline) +
		path("M300 300 Q500 340 700 300 L696 250 Q500 276 304 250 Z", "#dccfb2", outline) +
		rect(340, 430, 320, 200, 8, inks[l.model%4], "") +
		rect(375, 470, 250, 24, 4, "#fff", `opacity=".9"`) +
		rect(400, 515, 200, 12, 4, "#fff", `opacity=".7"`) +
		rect(400, 545, 200, 12, 4, "#fff", `opacity=".7"`) +
		honeycomb(380, 670, 240, 90, l)
}

func queenCage(l look) string {
	return rect(290, 420, 420, 300, 14, "url(#m)", outline) +
		rect(330, 455, 250, 230, 6, "#2f2a22", "") +
		path(
			"M350 455 V685 M380 455 V685 M410 455 V685 M440 455 V685 M470 455 V685 M500 455 V685 M530 455 V685 M560 455 V685 M330 490 H580 M330 "+
				"530 H580 M330 570 H580 M330 610 H580 M330 650 H580",
			"none",
			`stroke="#b9bec3" stroke-width="4"`,
		) +
		rect(600, 455, 80, 230, 6, "#f1e3bd", outline) +
		`<circle cx="640" cy="720" r="16" fill="#0005"/>`
}

func mould(l look) string {
	shapes := []string{
		"M400 300 Q500 270 600 300 L610 830 Q500 860 390 830 Z", "M300 640 Q500 600 700 640 L690 780 Q500 830 310 780 Z",
		"M500 290 Q690 420 690 830 Q500 860 310 830 Q310 420 500 290 Z",
		"M500 280 Q640 480 640 640 Q620 820 500 850 Q380 820 360 640 Q360 480 500 280 Z",
		"M455 240 Q500 225 545 240 L560 830 Q500 850 440 830 Z",
	}
	shape := shapes[l.model%len(shapes)]
	lines := path(
		"M360 420 Q500 450 640 420 M350 540 Q500 570 650 540 M345 660 Q500 690 655 660 M350 770 Q500 800 650 770",
		"none",
		`stroke="#b4690f88" stroke-width="6"`,
	)
	return path(shape, "url(#honey)", outline) + lines + path("M500 290 Q494 250 506 215", "none", `stroke="#6b5433" stroke-width="8"`)
}
