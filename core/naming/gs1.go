package naming

import (
	"cmp"
	"fmt"
	"strings"
)

// facings are the figures for the side that a picture shows. From memory of the GS1 Product
// Image Specification's table of facings.
var facings = map[string]string{"front": "1", "left": "2", "top": "3", "back": "7", "right": "8", "bottom": "9"}

// gs1 is the file name of the GS1 Product Image Specification without its ending: the GTIN in 14
// digits, the code of the picture, and its number among those of that code. The code says A for a
// marketing picture, the facing (0 where the view is none of them), N for no angle, and 1 for in
// its packaging, which nobody here knows better. It is empty where there is no GTIN.
func gs1(p *Picture) string {
	if p.GTIN == "" {
		return ""
	}
	facing, known := facings[strings.ToLower(p.View)]
	if !known {
		facing = "0"
	}
	return fmt.Sprintf("%s_A%sN1_s%02d", pad(p.GTIN, gtinDigits), facing, cmp.Or(p.Nth, p.Place))
}

const gtinDigits = 14
