package rights

import (
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

// FuzzStated feeds damaged metadata; what is written by other programs is read
// in the decoder's tests.
func FuzzStated(f *testing.F) {
	f.Add(
		[]byte(
			`<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="` + nsRDF + `"><rdf:Description xmlns:dc="` + nsDC +
				`"><dc:creator><rdf:Seq><rdf:li>A</rdf:li></rdf:Seq></dc:creator></rdf:Description></rdf:RDF></x:xmpmeta>`,
		),
	)
	f.Add([]byte("8BIM\x04\x04\x00\x00\x00\x00\x00\x09\x1c\x02\x50\x00\x04Name"))
	f.Add([]byte("\x1c\x02\x74\xff\xff"))
	f.Fuzz(func(t *testing.T, data []byte) {
		budget.Of(len(data)).Check(t, func() {
			for _, s := range []Stated{FromXMP(data), FromIIM(data)} {
				for _, text := range []string{s.Creator, s.Notice, s.Credit, s.Statement} {
					if len(text) > maxStated || strings.ContainsRune(text, 0) {
						t.Errorf("kept %q", text)
					}
				}
			}
		})
	})
}

func TestStatedBare(t *testing.T) {
	if s := FromIIM([]byte("8BIM\x04\x04\x00\x00\x00\x00\x00\x09\x1c\x02\x50\x00\x04Name")); s.Creator != "Name" {
		t.Errorf("%+v", s)
	}
	packet := `<rdf:Description xmlns:rdf="` + nsRDF + `" xmlns:photoshop="` + nsPhotoshop + `" xmlns:dc="` + nsDC +
		`" photoshop:Credit="Desk"><dc:rights><rdf:Alt><rdf:li>first</rdf:li><rdf:li>zweite</rdf:li></rdf:Alt></dc:rights>`
	if s := FromXMP([]byte(packet)); s.Credit != "Desk" || s.Notice != "first" {
		t.Errorf("%+v", s)
	}
	if s := (Stated{Creator: "a"}).Or(Stated{Creator: "b", Credit: "c"}); s != (Stated{Creator: "a", Credit: "c"}) {
		t.Errorf("%+v", s)
	}
}
