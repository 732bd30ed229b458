package harvest

import (
	"strings"
	"testing"
	"time"

	"ambrosa/internal/budget"
)

func TestSelections(t *testing.T) {
	now := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	day := func(days int) time.Time { return now.AddDate(0, 0, -days) }
	for _, c := range []struct {
		name     string
		s        Selection
		path     string
		bytes    int64
		modified time.Time
		want     bool
	}{
		{"everything", Selection{}, "a/b.jpg", 0, day(900), true},
		{"what systems leave behind", Selection{}, "a/Thumbs.db", 9, now, false},
		{"what systems leave behind, of another", Selection{}, "a/._b.jpg", 9, now, false},
		{"a name anywhere", Selection{Include: []string{"HB-*.jpg"}}, "x/y/hb-10.JPG", 9, now, true},
		{"a name that does not match", Selection{Include: []string{"HB-*.jpg"}}, "HB/10.jpg", 9, now, false},
		{"a folder and all below", Selection{Include: []string{"spring/**"}}, "spring/new/a.jpg", 9, now, true},
		{"not a folder deeper down", Selection{Include: []string{"spring/**"}}, "old/spring/a.jpg", 9, now, false},
		{"a slash in front", Selection{Include: []string{"/spring/*.jpg"}}, "spring/a.jpg", 9, now, true},
		{"left out", Selection{Exclude: []string{"**/raw/**"}}, "spring/raw/a.jpg", 9, now, false},
		{"left out wins", Selection{Include: []string{"*.jpg"}, Exclude: []string{"*_old*"}}, "a_old.jpg", 9, now, false},
		{"either of two", Selection{Include: []string{"*.{jpg,png}"}}, "a.png", 9, now, true},
		{"a type", Selection{Types: []string{"jpg", ".TIF"}}, "a.tif", 9, now, true},
		{"another type", Selection{Types: []string{"jpg"}}, "a.jpg.txt", 9, now, false},
		{"too small", Selection{MinBytes: 10}, "a.jpg", 9, now, false},
		{"as small as may be", Selection{MinBytes: 10}, "a.jpg", 10, now, true},
		{"too large", Selection{MaxBytes: 10}, "a.jpg", 11, now, false},
		{"young enough", Selection{Days: 30}, "a.jpg", 9, day(29), true},
		{"too old", Selection{Days: 30}, "a.jpg", 9, day(31), false},
	} {
		if got := c.s.Takes(c.path, c.bytes, c.modified, now); got != c.want {
			t.Errorf("%s: %v", c.name, got)
		}
	}
	if err := (Selection{Exclude: []string{"[a"}}).Check(); err == nil || !strings.Contains(err.Error(), `"[a" is not a pattern`) {
		t.Errorf("says %v", err)
	}
}

// FuzzSelection expects that no pattern and no path stall or break it.
func FuzzSelection(f *testing.F) {
	f.Add("**/*.{jpg,png}", "a/b/c.jpg")
	f.Add("[!a-z]?*", "\xff/..")
	f.Fuzz(func(t *testing.T, pattern, path string) {
		budget.Of(len(pattern)+len(path)).Check(t, func() {
			if len(pattern) > 60 || len(path) > 200 {
				return
			}
			s := Selection{Include: []string{pattern}}
			if s.Check() == nil {
				s.Takes(path, 1, time.Time{}, time.Time{})
			}
		})
	})
}
