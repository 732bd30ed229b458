package sheet

import (
	"fmt"
	"slices"

	"ambrosa/core/catalog"
)

// CategoryItem is a category as the catalog has it.
type CategoryItem struct {
	ID          int64
	Path        string
	Ref         string // its own ID
	Description string
}

// Branch is what a row of a list of categories says of one.
type Branch struct {
	Item *CategoryItem // as the catalog has it; nil for one that is to be made
	Is   catalog.CategorySnapshot
}

// categoryIdentities say which category a row is about, where no column says which
// product.
var categoryIdentities = []Field{CategoryID, Category}

// ofCategories tells whether the sheet is a list of categories.
func (j *Judge) ofCategories() bool { return slices.Contains(categoryIdentities, j.identity[0]) }

// listsCategories tells whether columns are those of a list of categories: none says which
// product a row is about but a title, and many rows have a category of their own, or, where
// there is a title, each an ID of one.
func listsCategories(all []*proposal) bool {
	for _, f := range []Field{SKU, Product, ProductID, GTIN, Code} {
		if len(with(all, f)) > 0 {
			return false
		}
	}
	titled := len(with(all, Title)) > 0
	for _, f := range categoryIdentities {
		for _, one := range with(all, f) {
			own := float64(one.seen.distinct) / float64(max(1, one.seen.filled))
			if one.seen.filled > 1 && (!titled && own >= some || f == CategoryID && own == 1) {
				return true
			}
		}
	}
	return false
}

// judgeBranch judges a row of a list of categories: by its ID, else by its path, else by a
// name that only one has.
func (r *rowJudge) judgeBranch() {
	id, path := r.code(CategoryID), CleanPath(r.text(Category))
	byID := r.known.Category(Key(r.known.PathOf(id)))
	if id == "" {
		byID = nil
	}
	item := byID
	switch {
	case id == "" && path == "":
		r.say(r.of[r.identity[0]][0], NoIdentity, true, "Nothing says which category this row is about.")
	case byID != nil && path != "" && Key(path) != Key(byID.Path):
		value, _ := r.first(Category)
		if named := r.branchNamed(path); named == byID {
			path = byID.Path
			break
		}
		r.say(value.column, TakenID, true, fmt.Sprintf("The catalog's category with the ID %s is %q.", Clip(id), Clip(byID.Path)),
			take(byID.Path, "It is "+Clip(byID.Path)))
	case byID == nil && path == "":
		path = CleanPath(r.text(Title))
		if item = r.branchNamed(path); path == "" {
			value, _ := r.first(CategoryID)
			r.say(value.column, NoCategory, true, "The catalog has no category with this ID, and the row names none.")
		}
	case byID == nil:
		item = r.branchNamed(path)
	}
	if item == nil && !catalog.FitsTree(path) {
		r.say(-1, TooDeep, true, tooDeep)
		path = ""
	}
	branch := &Branch{Item: item, Is: catalog.CategorySnapshot{Path: path, Ref: id, Description: r.text(Description)}}
	if item != nil {
		branch.Is.Path = item.Path
	}
	r.out.Wanted.Branch, r.out.SKU = branch, branch.Is.Path
	r.judgeBranchTwice(branch)
}

// branchNamed returns the category that a path means, or a name that only one has; a name of
// several is asked.
func (r *rowJudge) branchNamed(path string) *CategoryItem {
	if path == "" {
		return nil
	}
	if item := r.known.Category(Key(path)); item != nil {
		return item
	}
	found := r.known.CategoriesNamed(Key(path))
	if len(found) == 1 {
		return found[0]
	}
	if len(found) > 1 {
		value, there := r.first(Category)
		if !there {
			value, _ = r.first(Title)
		}
		remedies := make([]Remedy, 0, len(found))
		for _, one := range found[:min(len(found), 5)] {
			remedies = append(remedies, take(one.Path, "It is "+Clip(one.Path)))
		}
		r.say(value.column, Ambiguous, true, fmt.Sprintf("%d categories are called %q.", len(found), Clip(path)), remedies...)
	}
	return nil
}

// judgeBranchTwice refuses a category of which another row says another ID.
func (r *rowJudge) judgeBranchTwice(b *Branch) {
	value, there := r.first(Category)
	if c := r.noted.paths[r.noted.hash(Key(b.Is.Path))]; there && b.Is.Ref != "" && c.otherRow != 0 {
		r.say(value.column, Twice, true, fmt.Sprintf("Row %d says another ID of this category.",
			c.beside(r.noted.hash(Key(b.Is.Ref)), r.row)))
	}
}

// compareBranch says what becomes of a known category.
func (r *rowJudge) compareBranch() {
	b := r.out.Wanted.Branch
	if b.Item == nil {
		return
	}
	r.changed(CategoryID, "", b.Item.Ref, b.Is.Ref, false)
	r.changed(Description, "", b.Item.Description, b.Is.Description, true)
}

// Becomes is what a category becomes by a row that makes or changes it.
func (b *Branch) Becomes(now catalog.CategorySnapshot, changes []FieldChange) catalog.CategorySnapshot {
	if b.Item == nil {
		return b.Is
	}
	for _, c := range changes {
		switch c.Field {
		case CategoryID:
			now.Ref = c.After
		case Description:
			now.Description = c.After
		}
	}
	return now
}

// Target is what the pictures of a row go on; none where it is not in the catalog.
func (w Wanted) Target() catalog.Target {
	switch {
	case w.Branch != nil && w.Branch.Item != nil:
		return catalog.Category(w.Branch.Item.ID)
	case w.Item != nil:
		return catalog.TargetOf(w.Item.Product, w.Item.Variant)
	}
	return catalog.Target{}
}
