package archive

import (
	"bufio"
	"bytes"
	"io"
	"strings"
	"testing"
	"unicode/utf8"

	"ambrosa/internal/budget"
	"ambrosa/internal/contained"
)

type into struct{ io.Writer }

func (into) Close() error { return nil }

// FuzzFrames hears anything at all from a reader.
func FuzzFrames(f *testing.F) {
	var good bytes.Buffer
	for _, frame := range []struct {
		kind byte
		text string
	}{{frameEntry, `{"path":"a.jpg","bytes":3}`}, {frameContent, "one"}, {frameRest, ""}, {frameEntry,
		`{"path":"b","problem":"no"}`}, {frameEnd, ""}} {
		if err := writeFrame(&good, frame.kind, []byte(frame.text)); err != nil {
			f.Fatal(err)
		}
	}
	f.Add(good.Bytes())
	f.Add([]byte("X\xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, said []byte) {
		budget.Of(len(said)).Check(t, func() {
			w := &heard{
				child:  &contained.Child{In: into{io.Discard}},
				in:     bufio.NewReader(bytes.NewReader(said)),
				budget: NewBudget(50, 1<<20, ""),
				limits: DefaultLimits,
			}
			read := 0
			_ = w.frames(func(e Entry) error {
				if !utf8.ValidString(e.Path+e.Problem) || strings.ContainsRune(e.Path+e.Problem, 0) {
					t.Fatalf("%q %q", e.Path, e.Problem)
				}
				if e.Problem != "" {
					return nil
				}
				content, err := e.Open()
				if err != nil {
					return err
				}
				n, _ := io.Copy(io.Discard, content) // what breaks off is what is looked for
				read += int(n)
				return nil
			})
			if read > 1<<20+maxFrame {
				t.Fatalf("%d bytes were read of a budget of 1 MiB", read)
			}
		})
	})
}
