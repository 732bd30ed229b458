package sheet

import (
	"slices"
	"strings"

	"ambrosa/core/gtin"
)

// Asked collects what rows need to know of a catalog, so that it can be looked up
// for many of them at once.
type Asked struct {
	Keys  map[Field]map[string]bool // as Key makes them; of a GTIN its normal form
	Loose map[Field]map[string]bool // as LooseKey makes them
	Files map[string]bool           // what pictures are called, as FileStem makes it
	Names map[string]bool           // of categories, as Key makes them
	// Addresses are those that pictures are read from.
	Addresses map[string]bool
}

// NewAsked returns one that asks nothing.
func NewAsked() *Asked {
	return &Asked{Keys: map[Field]map[string]bool{}, Loose: map[Field]map[string]bool{}, Files: map[string]bool{},
		Names: map[string]bool{}, Addresses: map[string]bool{}}
}

func add(to map[Field]map[string]bool, f Field, key string) {
	if key == "" {
		return
	}
	if to[f] == nil {
		to[f] = map[string]bool{}
	}
	to[f][key] = true
}

// Opened is a row whose cells were read: what it asks of the catalog is noted, and then it
// is judged, once.
type Opened struct{ row *rowJudge }

// Open reads the cells of a row, as a person edited it.
func (j *Judge) Open(row int, cells []string, edits []CellEdit) Opened {
	r := j.begin(row, cells, edits)
	r.read()
	return Opened{r}
}

// Ask notes what the row asks of the catalog.
func (o Opened) Ask(asked *Asked) {
	r := o.row
	for _, f := range identities {
		if f == GTIN || f == Code && !r.identifiesBy(Code) || f == Title && !r.identifiesBy(Title) {
			continue
		}
		for _, value := range r.values[f] {
			asked.code(f, value.text)
		}
	}
	if code := r.code(Product); code != "" {
		add(asked.Keys, SKU, Key(code)) // what is made of a product alone has its code for SKU
	}
	for _, value := range r.values[GTIN] {
		if normal, err := gtin.Normalise(cleanCode(value.text)); err == nil {
			add(asked.Keys, GTIN, normal)
		}
	}
	if value, there := r.first(Category); there {
		add(asked.Keys, Category, Key(CleanPath(value.text)))
	}
	for _, f := range []Field{Category, Title} {
		if value, there := r.first(f); there && r.ofCategories() {
			asked.Names[Key(CleanPath(value.text))] = true
			add(asked.Keys, Category, Key(CleanPath(value.text)))
		}
	}
	if value, there := r.first(CategoryID); there {
		add(asked.Keys, CategoryID, Key(cleanCode(value.text)))
	}
	for _, value := range r.values[Picture] {
		if IsAddress(value.text) {
			asked.Addresses[value.text] = true
		} else {
			asked.Files[FileStem(FileKey(value.text))] = true
		}
	}
}

func (r *rowJudge) identifiesBy(f Field) bool {
	for _, by := range r.identity {
		if by == f {
			return true
		}
	}
	return false
}

func (a *Asked) code(f Field, text string) {
	code := text
	if f.isCode() {
		code = cleanCode(text)
	}
	add(a.Keys, f, Key(code))
	if f == Title {
		return
	}
	add(a.Loose, f, LooseKey(code))
	for _, look := range damage(code, f).looks {
		add(a.Keys, f, Key(look))
		add(a.Loose, f, LooseKey(look))
	}
}

// FileKey is a picture's name as it is compared: without folders and case.
func FileKey(name string) string {
	name = name[strings.LastIndexAny(name, `/\`)+1:]
	return Key(name)
}

// FileStem is what a file is called by a key: the key without its ending.
func FileStem(key string) string {
	if at := strings.LastIndexByte(key, '.'); at > 0 && pictureEnding(key) {
		return key[:at]
	}
	return key
}

// Meant returns those of some files that a name means: those in the folders that it has in
// front, or, where none is, in any; of these those that are called so, or, where none is,
// those with another ending or with one. inLot gives a file's path with its lot in front.
func Meant[T any](name string, files []T, inLot func(T) string) []T {
	key, folder := FileKey(name), folderKey(name)
	if folder != "" {
		files = narrowed(files, func(f T) bool { return strings.HasSuffix("/"+folderKey(inLot(f)), "/"+folder) })
	}
	return narrowed(files, func(f T) bool { return FileKey(inLot(f)) == key })
}

// narrowed returns those that a condition keeps, or all where it keeps none.
func narrowed[T any](all []T, keep func(T) bool) []T {
	if kept := slices.DeleteFunc(slices.Clone(all), func(one T) bool { return !keep(one) }); len(kept) > 0 {
		return kept
	}
	return all
}

// folderKey is what stands before a file's name in a path, as it is compared.
func folderKey(path string) string {
	path = strings.ReplaceAll(path, `\`, "/")
	at := max(strings.LastIndexByte(path, '/'), 0)
	return strings.Trim(Key(path[:at]), "/")
}

// Anything asks whether values are anything that the catalog has, whatever field that
// would be.
func (a *Asked) Anything(values []string) {
	for _, value := range values {
		if value = Clean(value); value == "" || len(value) > 300 {
			continue
		}
		key := Key(value)
		for _, f := range []Field{SKU, Product, ProductID, Code, Title, CategoryID} {
			add(a.Keys, f, key)
		}
		add(a.Keys, Category, Key(CleanPath(value)))
		if normal, err := gtin.Normalise(value); err == nil {
			add(a.Keys, GTIN, normal)
		}
	}
}
