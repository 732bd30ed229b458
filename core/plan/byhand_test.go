package plan

import (
	"errors"
	"slices"
	"testing"

	"ambrosa/core/catalog"
)

func TestPicturesAreArrangedByHand(t *testing.T) {
	words, none := "my words", ""
	standing := Arrangement{
		of(0): {{ID: 1, File: 1, Sum: "a", Alt: "jar", AltBy: "draft"}, {ID: 2, File: 2, Sum: "b", Alt: "old", AltBy: "person"}},
		of(5): {{ID: 3, File: 3, Sum: "a"}},
	}
	draft := func(target catalog.Target, view string) string { return target.String() + " from the " + view }
	for _, c := range []struct {
		name  string
		want  []Wanted
		shows Arrangement
		err   error
	}{
		{"as it stands", []Wanted{{ID: 1, Target: of(0)}, {ID: 2, Target: of(0)}, {ID: 3, Target: of(5)}}, standing, nil},
		{"moved, with words of one's own and a draft again",
			[]Wanted{{ID: 2, Target: of(5), View: "back", Alt: &none}, {ID: 1, Target: of(0), Alt: &words}},
			Arrangement{
				of(5): {{ID: 2, File: 2, Sum: "b", View: "back", Alt: "variant 5 from the back", AltBy: "draft"}},
				of(0): {{ID: 1, File: 1, Sum: "a", Alt: "my words", AltBy: "person"}},
			}, nil},
		{"copied", []Wanted{{ID: 2, Target: of(0)}, {Of: 2, Target: of(5)}},
			Arrangement{of(0): {standing[of(0)][1]}, of(5): {{File: 2, Sum: "b", Alt: "old", AltBy: "person"}}}, nil},
		{"all removed", nil, Arrangement{}, nil},
		{"twice on one target", []Wanted{{ID: 1, Target: of(5)}, {ID: 3, Target: of(5)}}, nil, ErrTwice},
		{"the same placement twice", []Wanted{{ID: 1, Target: of(0)}, {ID: 1, Target: of(5)}}, nil, ErrGone},
		{"one that is gone", []Wanted{{ID: 9, Target: of(0)}}, nil, ErrGone},
		{"a copy of one that is gone", []Wanted{{Of: 9, Target: of(0)}}, nil, ErrGone},
	} {
		got, err := ByHand(standing, c.want, draft)
		if !errors.Is(err, c.err) || !got.Equal(c.shows) {
			t.Errorf("%s: %+v, %v", c.name, got, err)
		}
	}
}

// TestViewsAreSet sets views of pictures that are still as they were seen, with texts drafted again. Reverting it after
// another change restores what is still its own.
func TestViewsAreSet(t *testing.T) {
	draft := func(target catalog.Target, view string) string { return target.String() + " from the " + view }
	standing := Arrangement{
		of(0): {{ID: 1, File: 1, Sum: "a", Alt: "jar", AltBy: "draft"}, {ID: 2, File: 2, Sum: "b", Alt: "mine", AltBy: "person"}},
		of(5): {{ID: 3, File: 3, Sum: "c", View: "back"}},
	}
	before := standing.Clone()
	shown, changed := WithViews(standing, []ViewSet{{1, "", "back"}, {2, "", "front"}, {3, "", "top"}, {9, "", "top"}}, draft)
	want := Arrangement{
		of(0): {{ID: 1, File: 1, Sum: "a", View: "back", Alt: of(0).String() + " from the back", AltBy: "draft"},
			{ID: 2, File: 2, Sum: "b", View: "front", Alt: "mine", AltBy: "person"}},
		of(5): standing[of(5)],
	}
	if !shown.Equal(want) || !slices.Equal(changed, []int64{1, 2}) || !standing.Equal(before) {
		t.Errorf("%+v, changed %d; before %+v", shown, changed, standing)
	}
	since := shown.Clone()
	since[of(0)][1].View, since[of(5)] = "detail", nil
	back := Reverse(before, shown, since)
	if a := back[of(0)][0]; a.View != "" || a.Alt != "jar" {
		t.Errorf("reverted, the first is %+v", a)
	}
	if b := back[of(0)][1]; b.View != "detail" || len(back[of(5)]) != 0 {
		t.Errorf("reverted, what was changed since is %+v, %+v", b, back[of(5)])
	}
}
