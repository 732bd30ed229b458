package rights

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"
	"testing"
)

// TestWritten reads back what was written: the XMP whole, the IIM as far as its datasets go.
func TestWritten(t *testing.T) {
	w := Written{Stated{Creator: "Zoë & Łukasz", Notice: "© 2026 <Northcomb>", Credit: "Studio \"Nord\"",
		Statement: "https://example.com/r?a=1&b=2"}, "A red mug, seen from the side"}
	if back := FromXMP(w.XMP()); back != w.Stated {
		t.Errorf("XMP says %+v", back)
	}
	back := FromIIM(w.IIM())
	back.Statement = w.Stated.Statement // IIM has no place for it
	if back != w.Stated {
		t.Errorf("IIM says %+v", back)
	}
	if (Written{}).XMP() != nil || (Written{}).IIM() != nil || (Written{}).Key() != "" {
		t.Error("nothing is written, and something comes")
	}
}

// FuzzWritten: whatever is to be said, the packet is XML, and is read back without what XML
// cannot hold.
func FuzzWritten(f *testing.F) {
	f.Add("Ada", "©", strings.Repeat("ä", 100), "x\x00\x1b<>&\"'")
	f.Fuzz(func(t *testing.T, creator, notice, credit, text string) {
		w := Written{Stated{Creator: creator, Notice: notice, Credit: credit}, text}
		decoder := xml.NewDecoder(bytes.NewReader(w.XMP()))
		for {
			_, err := decoder.Token()
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				t.Fatalf("%q: %v", w, err)
			}
		}
		FromXMP(w.XMP())
		if long := FromIIM(w.IIM()); len(long.Creator) > 32 || len(long.Notice) > 128 {
			t.Fatalf("datasets are too long: %+v", long)
		}
	})
}
