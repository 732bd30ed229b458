package picturespec

import (
	"bytes"
	"image"
	"image/jpeg"
	"slices"
	"testing"

	"ambrosa/internal/budget"
)

func withSegments(t testing.TB, segment []byte, count int) []byte {
	t.Helper()
	var out bytes.Buffer
	if err := jpeg.Encode(&out, image.NewGray(image.Rect(0, 0, 300, 200)), nil); err != nil {
		t.Fatal(err)
	}
	plain := out.Bytes()
	return slices.Concat(plain[:2], bytes.Repeat(segment, count), plain[2:])
}

// TestSegmentsAreCounted counts what was put in, also where a segment holds what looks like another one.
func TestSegmentsAreCounted(t *testing.T) {
	for name, c := range map[string]struct {
		content []byte
		want    int
	}{
		"none":                 {withSegments(t, nil, 0), 0},
		"application data":     {withSegments(t, []byte("\xff\xe1\x00\x04ab"), 700), 700},
		"comments":             {withSegments(t, []byte("\xff\xfe\x00\x04ab"), 3), 3},
		"fill bytes":           {withSegments(t, []byte("\xff\xff\xff\xe2\x00\x04ab"), 5), 5},
		"a marker in a marker": {withSegments(t, []byte("\xff\xed\x00\x06\xff\xe1\x00\x04"), 2), 2},
		"behind the pixels":    {slices.Concat(withSegments(t, nil, 0), bytes.Repeat([]byte("\xff\xe1\x00\x02"), 9)), 9},
		"more than enough":     {withSegments(t, []byte("\xff\xe1\x00\x04ab"), 60_000), 2001},
		"no picture":           {[]byte("\x89PNG\xff\xe1\x00\x04ab"), 0},
		"cut":                  {[]byte("\xff\xd8\xff\xe1\x00"), 1},
	} {
		if got := Segments(c.content, 2001); got != c.want {
			t.Errorf("%s: %d, want %d", name, got, c.want)
		}
	}
}

func FuzzSegments(f *testing.F) {
	f.Add(withSegments(f, []byte("\xff\xe1\x00\x04ab"), 3))
	f.Add([]byte("\xff\xd8\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, content []byte) {
		budget.Of(len(content)).Check(t, func() {
			if n := Segments(content, 1<<30); n > len(content)/2 {
				t.Errorf("%d segments in %d bytes", n, len(content))
			}
		})
	})
}
