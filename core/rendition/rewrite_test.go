package rendition

import (
	"slices"
	"testing"

	"ambrosa/internal/budget"
)

func TestLearningARewriting(t *testing.T) {
	for _, c := range []struct{ small, large, other, becomes string }{
		{"https://x.test/m/jar-1_120.jpg", "https://x.test/m/jar-1_1600.jpg", "https://x.test/m/lid-9_80.jpg", "https://x.test/m/lid-9_1600.jpg"},
		{"https://x.test/thumb/7/a.jpg", "https://x.test/zoom/7/a.jpg", "https://x.test/thumb/8/b.png", "https://x.test/zoom/8/b.png"},
		{"https://x.test/thumb/jar_120.jpg", "https://x.test/zoom/jar_1600.jpg", "https://x.test/thumb/lid_240.jpg",
			"https://x.test/zoom/lid_1600.jpg"},
		{"https://x.test/p/jar.jpg?w=120&h=90", "https://x.test/p/jar.jpg?w=2000&h=1500", "https://x.test/p/lid.jpg?w=80&h=60",
			"https://x.test/p/lid.jpg?w=2000&h=1500"},
		{"https://x.test/p/jar.jpg?w=120", "https://x.test/p/jar.jpg", "https://x.test/p/lid.jpg?w=90", "https://x.test/p/lid.jpg"},
		{"https://x.test/p/jar.jpg", "https://x.test/p/jar_large.jpg", "https://x.test/p/lid.png", "https://x.test/p/lid_large.png"},
		{"https://x.test/p/jar.jpg", "https://x.test/p/full/jar.jpg", "https://x.test/p/lid.jpg", "https://x.test/p/full/lid.jpg"},
		{"https://x.test/p/jar-300x300.jpg", "https://x.test/p/jar.jpg", "https://x.test/p/lid-150x200.jpg", "https://x.test/p/lid.jpg"},
		{"https://x.test/p/$a_120.jpg", "https://x.test/p/$a_$900.jpg", "https://x.test/p/b_60.jpg", "https://x.test/p/b_$900.jpg"},
	} {
		var got []string
		for _, rewriting := range Learn(c.small, c.large) {
			apply, err := rewriting.Compile()
			if err != nil {
				t.Fatal(err)
			}
			if apply(c.small) != c.large {
				t.Errorf("%s: %+v makes %s", c.small, rewriting, apply(c.small))
			}
			got = append(got, apply(c.other))
		}
		if !slices.Contains(got, c.becomes) {
			t.Errorf("%s to %s: others become %v, expected %s", c.small, c.large, got, c.becomes)
		}
	}
	if Learn("https://x.test/a.jpg", "https://x.test/a.jpg") != nil {
		t.Error("learned from nothing")
	}
}

func FuzzLearn(f *testing.F) {
	f.Add("https://x.test/a_1.jpg", "https://x.test/a_2.jpg")
	f.Add("?=&", "")
	f.Fuzz(func(t *testing.T, small, large string) {
		budget.Of(len(small)+len(large)).Check(t, func() {
			for _, rewriting := range Learn(small, large) {
				if apply, err := rewriting.Compile(); err != nil || apply(small) != large {
					t.Errorf("%q to %q: %+v %v", small, large, rewriting, err)
				}
			}
		})
	})
}
