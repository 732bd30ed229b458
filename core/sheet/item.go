package sheet

import (
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"ambrosa/core/catalog"
)

// Item is a variant with what its product says, as the catalog has it.
type Item struct {
	Product     int64 // number of the product, and of the variant; 0 for a product as a whole
	Variant     int64
	SKU         string
	Code        string // of the product
	ProductID   string
	Title       string // its own, or its product's where it has none
	OfProduct   string // title of the product
	Description string
	GTIN        string // 14 digits, or empty
	Category    string // path, as CleanPath writes it
	CategoryID  string // the other system's ID of it
	Codes       []string
	Options     []catalog.Option
	Attributes  []catalog.Option
	Retired     bool
}

// Catalog answers what the catalog has. Keys are as Key and LooseKey make them.
type Catalog interface {
	// Find returns the items that a field's value names: all variants of a product
	// for its code or ID.
	Find(f Field, key string) []*Item
	// Near returns those whose value is equal but for separators and zeros in front.
	Near(f Field, loose string) []*Item
	// Files returns the files of the library that a stem names (FileStem), and whether
	// there is a library to look in.
	Files(stem string) (files []LibraryFile, looked bool)
	// Fetched returns the file that came from an address, and whether there is a library to
	// look in.
	Fetched(address string) (file LibraryFile, came, looked bool)
	// Path returns how the catalog spells a category's path, "" when it has none such.
	Path(key string) string
	// PathOf returns the path of the category with another system's ID, "" for none.
	PathOf(id string) string
	// Category returns the category of a path's key; nil for none.
	Category(key string) *CategoryItem
	// CategoriesNamed returns those that are called so, wherever they stand.
	CategoriesNamed(key string) []*CategoryItem
}

// LibraryFile is a file that came in some lot.
type LibraryFile struct {
	Path string // as it came in its lot
	Sum  string // of its bytes
	Lot  string // name of the lot
	// Problem says why it cannot be used; empty where it can.
	Problem string
}

// InLot is its path with its lot in front, by which a cell can name it among namesakes.
func (f LibraryFile) InLot() string { return f.Lot + "/" + f.Path }

// Key is a code or title as it is compared: letter case, Unicode form and outer
// blanks aside (UAX 15, NFKC).
func Key(value string) string {
	for i := range len(value) {
		if value[i] >= 0x80 {
			return strings.ToLower(norm.NFKC.String(Clean(value)))
		}
	}
	return strings.ToLower(strings.TrimSpace(value))
}

// LooseKey is a code without separators and without zeros in front, "" where
// nothing is left of it.
func LooseKey(value string) string {
	key := strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return r
		}
		return -1
	}, Key(value))
	return strings.TrimLeft(key, "0")
}

// CleanPath returns a category's path with its names from the top apart by " / ".
func CleanPath(text string) string {
	names := strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune("/>|»\\›", r) })
	kept := names[:0]
	for _, name := range names {
		if name = strings.TrimSpace(name); name != "" {
			kept = append(kept, name)
		}
	}
	return strings.Join(kept, catalog.PathSeparator)
}
