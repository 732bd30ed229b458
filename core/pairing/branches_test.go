package pairing

import (
	"fmt"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

var gardenBranches = []Branch{
	{1, "CAT-12", "Hives", "Beekeeping / Hives"},
	{2, "", "Smokers", "Beekeeping / Smokers"},
	{3, "", "Accessories", "Beekeeping / Accessories"},
	{4, "", "Accessories", "Kitchen / Accessories"},
	{5, "7", "Überwürfe & Decken", "Kitchen / Überwürfe & Decken"},
	{6, "K-900", "Books", "Books"},
}

// weighed reads a lot's names and has categories weighed; each is "category place view" or
// the verdict without one.
func weighed(t *testing.T, decided []string, paths ...string) []string {
	t.Helper()
	c := NewCatalog([]Item{{SKU: "HB-10-NAT", Title: "Hive ten"}, {SKU: "SM-20", Title: "Smoker"}, {SKU: "K-900-X", Title: "Book"}})
	verdicts, err := Lot(c, DefaultClues(), paths, false)
	if err != nil {
		t.Fatal(err)
	}
	NewBranches(gardenBranches).Weigh(verdicts, paths, decided)
	said := make([]string, len(verdicts))
	for i, v := range verdicts {
		said[i] = v.Kind.String()
		switch {
		case v.Category != 0:
			said[i] = strings.TrimSpace(fmt.Sprintf("%d %d %s", v.Category, v.Place, v.View))
		case len(v.Candidates) > 0 && v.Candidates[0].Category != 0:
			for _, candidate := range v.Candidates {
				said[i] += fmt.Sprintf(" %d", candidate.Category)
			}
		}
	}
	return said
}

// TestFilesCalledLikeCategories reads names as people give them to the pictures of a shop's
// categories (common practice): the ID, name or path, with a number, a view or a word like
// banner beside it.
func TestFilesCalledLikeCategories(t *testing.T) {
	for name, want := range map[string]string{
		"CAT-12.jpg":                       "1 0",
		"cat_12.JPG":                       "1 0",
		"category/CAT-12_2.jpg":            "1 2",
		"Hives.png":                        "1 0",
		"hives-banner.jpg":                 "1 0",
		"Hives 3 front.jpg":                "1 3 front",
		"Beekeeping - Hives.jpg":           "1 0",
		"K-900.jpg":                        "6 0",
		"u\u0308berwu\u0308rfe_decken.jpg": "5 0",
		"Smokers 2019.jpg":                 "loose",         // a year is no place
		"7.jpg":                            "loose",         // a number counts pictures
		"Accessories.jpg":                  "contested 3 4", // nothing says which
		"Kitchen/Accessories.jpg":          "4 0",           // its folder does
		"HB-10-NAT Hives.jpg":              "paired",        // a product's key is there
		"K-900-X.jpg":                      "paired",        // the longer key
		"hives at the lake in summer.jpg":  "loose",         // more than a category
	} {
		if got := weighed(t, nil, name)[0]; got != want {
			t.Errorf("%s is %s, not %s", name, got, want)
		}
	}
}

// TestFoldersCalledLikeCategories pairs pictures in a category's folder with it, and only
// proposes it where the folder holds what is of products.
func TestFoldersCalledLikeCategories(t *testing.T) {
	paths := []string{
		"Categories/Hives/dawn.jpg", "Categories/Hives/2.jpg", // a category's own pictures
		"Smokers/SM-20.jpg", "Smokers/lake.jpg", // products sorted by category
		"Kitchen/Accessories/table.jpg",
		"Misc/Accessories/table.jpg",
		"Books/SM-77 cover.jpg", "Books/pile.jpg", // a code that no product has yet
	}
	want := []string{"1 0", "1 2", "paired", "loose 2", "4 0", "contested 3 4", "loose", "loose 6"}
	got := weighed(t, nil, paths...)
	for i := range paths {
		if i != 6 && got[i] != want[i] {
			t.Errorf("%s is %s, not %s", paths[i], got[i], want[i])
		}
	}
	// What a person paired with a product counts as the product's, too.
	if by := weighed(t, []string{"Categories/Hives/brood.jpg"}, paths[0])[0]; by != "loose 1" {
		t.Errorf("beside a product's picture that a person paired, %s is %s", paths[0], by)
	}
	if strings.HasPrefix(got[6], "6") {
		t.Errorf("%s, whose code may be a product's, is %s", paths[6], got[6])
	}
}

// TestListsFromBeforeCategoriesHaveTheClue reads categories with a list that was made when
// there was no such clue, and not with one that has it off.
func TestListsFromBeforeCategoriesHaveTheClue(t *testing.T) {
	old := ClueList{Clues: []ClueSetting{{Clue: "same-name"}}}
	if !old.On(InCategory) {
		t.Error("an old list does not have it")
	}
	off := ClueList{Clues: []ClueSetting{{Clue: "same-name"}, {Clue: "category", Off: true}}}
	if off.On(InCategory) {
		t.Error("a list that has it off has it on")
	}
}

// FuzzBranches weighs any name against any category: each verdict is of a category that
// there is, or none.
func FuzzBranches(f *testing.F) {
	f.Add("Hives/2.jpg", "CAT-12", "Hives / Big")
	f.Add("a/b/\xff 1 banner.jpg", "", " / ")
	f.Add("__/ 12_.png", "_", "/")
	f.Fuzz(func(t *testing.T, path, ref, whole string) {
		budget.Of(len(path)+len(ref)+len(whole)).Check(t, func() {
			verdicts := []Verdict{{Kind: Loose, Target: NoTarget}, {Kind: Loose, Target: NoTarget, Why: UnknownKey}}
			name := whole[strings.LastIndexByte(whole, '/')+1:]
			NewBranches([]Branch{{1, ref, name, whole}, {2, "", name, whole + " / " + name}}).Weigh(verdicts, []string{path, path}, nil)
			for _, v := range verdicts {
				paired := v.Kind == Paired
				if paired != (v.Category == 1 || v.Category == 2) || v.Place < 0 || v.Place > 999 || paired && v.Reason == "" {
					t.Fatalf("%q: %+v", path, v)
				}
				for _, c := range v.Candidates {
					if c.Category != 1 && c.Category != 2 {
						t.Fatalf("%q: %+v", path, c)
					}
				}
			}
		})
	})
}
