package dispatch

import (
	"math/rand/v2"
	"testing"

	"ambrosa/core/rights"
)

// TestFit holds worked examples of sizes: a longest edge, a box, and canvases of ratios.
func TestFit(t *testing.T) {
	for _, c := range []struct {
		what           string
		recipe         RenditionRecipe
		width, height  int
		picture, whole [2]int
	}{
		{"a longest edge", RenditionRecipe{Width: 1600, Height: 1600}, 4000, 3000, [2]int{1600, 1200}, [2]int{1600, 1200}},
		{"never enlarged", RenditionRecipe{Width: 1600, Height: 1600}, 800, 600, [2]int{800, 600}, [2]int{800, 600}},
		{"a width alone", RenditionRecipe{Width: 1000}, 4000, 6000, [2]int{1000, 1500}, [2]int{1000, 1500}},
		{"a square", RenditionRecipe{Width: 2000, Height: 2000, Ratio: "1:1"}, 3000, 2000, [2]int{2000, 1333}, [2]int{2000, 2000}},
		{"a square of a small one", RenditionRecipe{Width: 2000, Height: 2000, Ratio: "1:1"}, 900, 600, [2]int{900, 600}, [2]int{900, 900}},
		{"upright within the longest edge", RenditionRecipe{Width: 2000, Height: 2000, Ratio: "4:5"}, 4000, 4000,
			[2]int{1600, 1600}, [2]int{1600, 2000}},
		{"a canvas without a size", RenditionRecipe{Ratio: "16:9"}, 1000, 1000, [2]int{1000, 1000}, [2]int{1778, 1000}},
	} {
		c.recipe.Format = JPEG
		if picture, whole := c.recipe.Fit(c.width, c.height); picture != c.picture || whole != c.whole {
			t.Errorf("%s: %d × %d comes out as %v on %v, not %v on %v", c.what, c.width, c.height, picture, whole, c.picture, c.whole)
		}
	}
}

// TestFitAtRandom: a picture never grows, fits in its box, and stands on its canvas, whose ratio
// is within a pixel of the one asked for.
func TestFitAtRandom(t *testing.T) {
	dice := rand.New(rand.NewPCG(1, 2))
	ratios := []string{"", "1:1", "4:5", "16:9", "3:20"}
	for range 100_000 {
		r := RenditionRecipe{Format: JPEG, Width: dice.IntN(3000), Height: dice.IntN(3000), Ratio: ratios[dice.IntN(len(ratios))]}
		w, h := 1+dice.IntN(6000), 1+dice.IntN(6000)
		picture, whole := r.Fit(w, h)
		boxWidth, boxHeight := r.Box()
		if picture[0] > w || picture[1] > h || picture[0] > max(1, boxWidth) || picture[1] > max(1, boxHeight) {
			t.Fatalf("%+v: %d × %d comes out as %v", r, w, h, picture)
		}
		if whole[0] < picture[0] || whole[1] < picture[1] || whole[0] > max(boxWidth, 1) || whole[1] > max(boxHeight, 1) {
			t.Fatalf("%+v: %v stands on %v", r, picture, whole)
		}
		if a, b := r.ratio(); a > 0 && whole[0] > 50 && whole[1] > 50 {
			if off := whole[0]*b - whole[1]*a; off > 2*(a+b) || off < -2*(a+b) {
				t.Fatalf("%+v: %d × %d stands on %v, which is not %s", r, w, h, whole, r.Ratio)
			}
		}
	}
}

func TestRecipesThatCannotBe(t *testing.T) {
	for _, r := range []RenditionRecipe{
		{Format: JPEG, Ratio: "square"}, {Format: JPEG, Ratio: "0:1"}, {Format: JPEG, Ratio: "1:200"}, {Format: JPEG, Colour: "white"},
		{Format: PNG, Most: 1000},
	} {
		if r.Check() == nil {
			t.Errorf("%+v is a recipe", r)
		}
	}
	if err := (RenditionRecipe{Format: WebP, Ratio: "4:5", Colour: "#F5f5f5", Most: 500_000}).Check(); err != nil {
		t.Error(err)
	}
}

// TestMadeTellsApart: what is made so is told from what is made otherwise, and what is written
// into it belongs to that.
func TestMadeTellsApart(t *testing.T) {
	item := Item{Width: 100, Height: 50, Alt: "A red mug", Stated: rights.Stated{Creator: "Ada"}}
	seen := map[string]RenditionRecipe{}
	for _, r := range []RenditionRecipe{
		{Format: JPEG, Metadata: Kept}, {Format: JPEG, Metadata: Stripped}, {Format: JPEG, Metadata: Written}, {Format: WebP, Metadata: Kept},
		{Format: JPEG, Metadata: Kept, Width: 10}, {Format: JPEG, Metadata: Kept, Height: 10}, {Format: JPEG, Metadata: Kept, Quality: 70},
		{Format: JPEG, Metadata: Kept, Most: 7}, {Format: JPEG, Metadata: Kept, Ratio: "1:1"}, {Format: JPEG, Metadata: Kept, Colour: "#000000"},
	} {
		made, _ := r.of(item)
		if other, is := seen[made]; is {
			t.Errorf("%+v and %+v are told as one: %s", r, other, made)
		}
		seen[made] = r
	}
	written := RenditionRecipe{Format: JPEG, Metadata: Written}
	before, _ := written.of(item)
	item.Alt = "A blue mug"
	if after, _ := written.of(item); after == before {
		t.Error("another text is written into it, and it is told as the same")
	}
	if made, form := (RenditionRecipe{Format: Original}).of(item); made != "" || form != "as it came" {
		t.Errorf("as it came is %q, %q", made, form)
	}
}
