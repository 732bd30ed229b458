package rights

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"
	"testing"

	"ambrosa/internal/budget"
)

// TestWritten reads back what was written: the XMP whole, the IIM as far as its datasets go.
func TestWritten(t *testing.T) {
	w := Written{Stated{Creator: "Zoë & Łukasz", Notice: "© 2026 <Northcomb>", Credit: "Studio \"Nord\"",
		Statement: "https://example.com/r?a=1&b=2", Terms: "Until the autumn, <EU> only"}, "A red mug, seen from the side"}
	if back := FromXMP(w.XMP()); back != w.Stated {
		t.Errorf("XMP says %+v", back)
	}
	back := FromIIM(w.IIM())
	back.Statement, back.Terms = w.Stated.Statement, w.Stated.Terms // IIM has no place for them
	if back != w.Stated {
		t.Errorf("IIM says %+v", back)
	}
	if (Written{}).XMP() != nil || (Written{}).IIM() != nil || (Written{}).Exif() != nil || (Written{}).Key() != "" {
		t.Error("nothing is written, and something comes")
	}
}

// TestRevealed finds in XMP where a picture was taken and what with, as elements and as attributes.
func TestRevealed(t *testing.T) {
	packet := func(attributes, elements string) []byte {
		return []byte(`<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="` + nsRDF + `"><rdf:Description xmlns:exif="` + nsExif +
			`" xmlns:aux="` + nsAux + `" ` + attributes + `>` + elements + `</rdf:Description></rdf:RDF></x:xmpmeta>`)
	}
	for _, c := range []struct {
		attributes, elements string
		located, serial      bool
	}{
		{`exif:GPSLatitude="52,31.2N"`, ``, true, false},
		{``, `<exif:GPSLongitude>13,24.3E</exif:GPSLongitude><aux:SerialNumber>0411</aux:SerialNumber>`, true, true},
		{`aux:Lens="50 mm"`, `<exif:FNumber>4/1</exif:FNumber>`, false, false},
	} {
		if s := FromXMP(packet(c.attributes, c.elements)); s.Located != c.located || s.Serial != c.serial {
			t.Errorf("%s%s: %+v", c.attributes, c.elements, s)
		}
	}
	if w := Write(Stated{Located: true, Serial: true}, ""); w.XMP() != nil || w.Key() != "" {
		t.Error("what a file reveals is written again")
	}
}

// FuzzWritten: whatever is to be said, the packet is XML, and is read back without what XML
// cannot hold.
func FuzzWritten(f *testing.F) {
	f.Add("Ada", "©", strings.Repeat("ä", 100), "x\x00\x1b<>&\"'")
	f.Fuzz(func(t *testing.T, creator, notice, credit, text string) {
		budget.Of(len(creator)+len(notice)+len(credit)+len(text)).Check(t, func() {
			w := Written{Stated{Creator: creator, Notice: notice, Credit: credit}, text}
			decoder := xml.NewDecoder(bytes.NewReader(w.XMP()))
			for {
				_, err := decoder.Token()
				if errors.Is(err, io.EOF) {
					break
				}
				if err != nil {
					t.Fatalf("%+v: %v", w, err)
				}
			}
			FromXMP(w.XMP())
			if long := FromIIM(w.IIM()); len(long.Creator) > 32 || len(long.Notice) > 128 {
				t.Fatalf("datasets are too long: %+v", long)
			}
		})
	})
}
