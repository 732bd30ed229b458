package sheet

import (
	"strings"

	"ambrosa/core/gtin"
)

// Items is a catalog in memory.
type Items struct {
	all   []Item
	by    map[Field]map[string][]*Item
	near  map[Field]map[string][]*Item
	paths map[string]*CategoryItem
	ids   map[string]string
	named map[string][]*CategoryItem
	names []string

	files   map[string][]LibraryFile // by stem
	library bool
	fetched map[string]LibraryFile // by address
}

var _ Catalog = (*Items)(nil)

// NewItems makes a catalog of items, which it keeps.
func NewItems(all []Item) *Items {
	c := &Items{all: all, by: map[Field]map[string][]*Item{}, near: map[Field]map[string][]*Item{}, paths: map[string]*CategoryItem{},
		ids: map[string]string{}, named: map[string][]*CategoryItem{}}
	for _, f := range identities {
		c.by[f], c.near[f] = map[string][]*Item{}, map[string][]*Item{}
	}
	named := map[string]bool{}
	for i := range all {
		item := &all[i]
		c.add(SKU, item.SKU, item)
		c.add(Product, item.Code, item)
		c.add(ProductID, item.ProductID, item)
		c.add(Title, item.Title, item)
		if item.GTIN != "" {
			c.by[GTIN][item.GTIN] = append(c.by[GTIN][item.GTIN], item)
		}
		for _, code := range item.Codes {
			c.add(Code, code, item)
		}
		if item.Category != "" {
			c.AddCategory(CategoryItem{Path: item.Category, Ref: item.CategoryID})
		}
		for _, o := range append(item.Options, item.Attributes...) {
			if !named[o.Name] {
				named[o.Name] = true
				c.names = append(c.names, o.Name)
			}
		}
	}
	return c
}

func (c *Items) add(f Field, value string, item *Item) {
	if value == "" {
		return
	}
	c.by[f][Key(value)] = append(c.by[f][Key(value)], item)
	if loose := LooseKey(value); loose != "" && f != Title {
		c.near[f][loose] = append(c.near[f][loose], item)
	}
}

// AddCategory makes a category known; of one that is known it adds what was not.
func (c *Items) AddCategory(one CategoryItem) {
	key := Key(one.Path)
	item := c.paths[key]
	if item == nil {
		item = &one
		c.paths[key] = item
		name := one.Path
		if at := strings.LastIndex(name, " / "); at >= 0 {
			name = name[at+len(" / "):]
		}
		c.named[Key(name)] = append(c.named[Key(name)], item)
	}
	if one.ID != 0 || item.Ref == "" {
		*item = one
	}
	if item.Ref != "" {
		c.ids[Key(item.Ref)] = item.Path
	}
}

// Category is Catalog's.
func (c *Items) Category(key string) *CategoryItem { return c.paths[key] }

// CategoriesNamed is Catalog's.
func (c *Items) CategoriesNamed(key string) []*CategoryItem { return c.named[key] }

// Find is Catalog's.
func (c *Items) Find(f Field, key string) []*Item { return c.by[f][key] }

// Near is Catalog's.
func (c *Items) Near(f Field, loose string) []*Item {
	if loose == "" {
		return nil
	}
	return c.near[f][loose]
}

// Path is Catalog's.
func (c *Items) Path(key string) string {
	if item := c.paths[key]; item != nil {
		return item.Path
	}
	return ""
}

// PathOf is Catalog's.
func (c *Items) PathOf(id string) string { return c.ids[Key(id)] }

// AddFiles makes files of the library known, of which there is one from then on.
func (c *Items) AddFiles(files ...LibraryFile) {
	c.library = true
	if c.files == nil {
		c.files = map[string][]LibraryFile{}
	}
	for _, f := range files {
		stem := FileStem(FileKey(f.Path))
		c.files[stem] = append(c.files[stem], f)
	}
}

// AddFetched makes the file known that came from an address.
func (c *Items) AddFetched(address string, f LibraryFile) {
	if c.fetched == nil {
		c.fetched = map[string]LibraryFile{}
	}
	c.fetched[address] = f
}

// Fetched is Catalog's.
func (c *Items) Fetched(address string) (LibraryFile, bool, bool) {
	f, came := c.fetched[address]
	return f, came, c.library
}

// Files is Catalog's.
func (c *Items) Files(stem string) ([]LibraryFile, bool) { return c.files[stem], c.library }

// Names returns the names of the options and attributes that items have.
func (c *Items) Names() []string { return c.names }

// Hits counts how many of the values the catalog has, field by field.
func (c *Items) Hits(values []string) Hits {
	hits := Hits{}
	for _, value := range values {
		key := Key(value)
		for f, known := range c.by {
			if len(known[key]) > 0 {
				hits[f]++
			}
		}
		if normal, err := gtin.Normalise(value); err == nil && len(c.by[GTIN][normal]) > 0 {
			hits[GTIN]++
		}
		if c.paths[Key(CleanPath(value))] != nil {
			hits[Category]++
		}
		if c.ids[key] != "" {
			hits[CategoryID]++
		}
	}
	return hits
}
