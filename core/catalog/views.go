package catalog

import (
	"slices"
	"strings"
)

// Views are what shots of products show, in the order in which shops list them (common practice).
var Views = []string{
	"front", "angle", "left", "right", "side", "back", "top", "bottom", "inside", "detail", "label", "pack", "in use", "scale", "swatch",
}

// IsView tells whether a view is one of Views, in any case.
func IsView(view string) bool {
	return slices.ContainsFunc(Views, func(v string) bool { return strings.EqualFold(v, view) })
}
