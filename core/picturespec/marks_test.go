package picturespec

import (
	"reflect"
	"testing"
)

// TestMarks holds to common practice: both sides at least 500 pixels.
func TestMarks(t *testing.T) {
	for name, c := range map[string]struct {
		facts Facts
		want  []string
	}{
		"nothing":               {Facts{Width: 500, Height: 500, Frames: 1, Colour: "RGB"}, []string{}},
		"one side too short":    {Facts{Width: 2000, Height: 499, Frames: 1}, []string{"small"}},
		"not measured":          {Facts{}, []string{}},
		"padded":                {Facts{Width: 1000, Height: 1000, ContentWidth: 400, ContentHeight: 500, Frames: 1}, []string{"padded"}},
		"a tall thing":          {Facts{Width: 1000, Height: 1000, ContentWidth: 200, ContentHeight: 900, Frames: 1}, []string{}},
		"enlarged":              {Facts{Width: 1000, Height: 1000, Detail: 0.5, Frames: 1}, []string{"enlarged"}},
		"as sharp as it should": {Facts{Width: 1000, Height: 1000, Detail: 1, Frames: 1}, []string{}},
		"all of the others": {Facts{Width: 900, Height: 900, Frames: 3, Colour: "CMYK", Alpha: true},
			[]string{"animated", "CMYK", "transparent"}},
	} {
		if got := c.facts.Marks().Names(); !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: %v, expected %v", name, got, c.want)
		}
	}
	f := Facts{Width: 1000, Height: 800, ContentWidth: 400, ContentHeight: 300, Detail: 0.25, Frames: 2}
	for mark, want := range map[Mark]string{Padded: "the content is 400 × 300 of 1000 × 800 pixels", Enlarged: "detail for about 250 × " +
		"200 of 1000 × 800 pixels", Animated: "2 frames"} {
		if got := f.Measure(mark); got != want {
			t.Errorf("%v: %q", mark, got)
		}
	}
	for _, m := range markNames {
		if MarkOf(m.Name) != m.Mark {
			t.Errorf("%s is not found by its name", m.Name)
		}
	}
	if MarkOf("none") != 0 {
		t.Error("a mark that is none")
	}
}
