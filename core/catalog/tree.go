package catalog

import (
	"strings"
	"unicode/utf8"
)

// PathSeparator stands between the names of a category's path.
const PathSeparator = " / "

// The bounds of the category tree.
const (
	MostDepth = 30   // categories from the top to one
	MostPath  = 1000 // characters of a path
)

// FitsTree tells whether a path, its names apart by PathSeparator, lies within the bounds of the tree.
func FitsTree(path string) bool {
	return strings.Count(path, PathSeparator) < MostDepth && utf8.RuneCountInString(path) <= MostPath
}
