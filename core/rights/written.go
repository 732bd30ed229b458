package rights

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/xml"
	"fmt"
	"strings"
	"unicode/utf8"
)

// Written is what is written into a picture that is handed on: of its statement the
// texts only.
type Written struct {
	Stated
	Description string `json:"description,omitempty"` // what it shows: its alternative text
}

// Write returns what is written for a statement and a description.
func Write(s Stated, description string) Written {
	s.Located, s.Serial = false, false
	return Written{s, description}
}

// Key is equal for statements that are the same, and empty for an empty one.
func (s Written) Key() string {
	if s == (Written{}) {
		return ""
	}
	sum := sha256.Sum256([]byte(strings.Join([]string{s.Creator, s.Notice, s.Credit, s.Statement, s.Terms, s.Description}, "\x00")))
	return hex.EncodeToString(sum[:8])
}

// XMP returns the statement as an XMP packet (ISO 16684-1) in the properties that the IPTC
// Photo Metadata Standard names: dc:creator, dc:rights, dc:description, photoshop:Credit,
// xmpRights:UsageTerms, xmpRights:WebStatement and, where any rights are stated, xmpRights:Marked.
// Of an empty statement it is nil.
func (s Written) XMP() []byte {
	if s == (Written{}) {
		return nil
	}
	var properties strings.Builder
	put := func(name, before, text, after string) {
		if text = legalXML(text); text != "" {
			var escaped bytes.Buffer
			_ = xml.EscapeText(&escaped, []byte(text)) // a buffer takes everything
			fmt.Fprintf(&properties, "<%s>%s%s%s</%s>", name, before, escaped.String(), after, name)
		}
	}
	const language, languageEnd = `<rdf:Alt><rdf:li xml:lang="x-default">`, `</rdf:li></rdf:Alt>`
	put("dc:creator", `<rdf:Seq><rdf:li>`, s.Creator, `</rdf:li></rdf:Seq>`)
	put("dc:rights", language, s.Notice, languageEnd)
	put("dc:description", language, s.Description, languageEnd)
	put("photoshop:Credit", "", s.Credit, "")
	put("xmpRights:UsageTerms", language, s.Terms, languageEnd)
	put("xmpRights:WebStatement", "", s.Statement, "")
	if s.Notice != "" || s.Terms != "" || s.Statement != "" {
		put("xmpRights:Marked", "", "True", "")
	}
	return []byte(`<?xpacket begin="` + "\ufeff" + `" id="W5M0MpCehiHzreSzNTczkc9d"?>` +
		`<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="` + nsRDF + `"><rdf:Description rdf:about="" xmlns:dc="` + nsDC +
		`" xmlns:photoshop="` + nsPhotoshop + `" xmlns:xmpRights="` + nsRights + `">` + properties.String() +
		`</rdf:Description></rdf:RDF></x:xmpmeta><?xpacket end="r"?>`)
}

// legalXML drops what XML 1.0 cannot hold.
func legalXML(text string) string {
	return strings.Map(func(r rune) rune {
		if r < ' ' && r != '\t' && r != '\n' && r != '\r' || r == 0xfffe || r == 0xffff {
			return -1
		}
		return r
	}, clip(text))
}

// The most bytes of a dataset (IPTC-IIM version 4.2).
var mostBytes = map[byte]int{80: 32, 110: 32, 116: 128, 120: 2000}

// IIM returns the statement as datasets of IPTC-IIM (version 4.2) 2:80 By-line, 2:110 Credit,
// 2:116 Copyright Notice and 2:120 Caption in UTF-8, within the image resource 0x0404 that
// JPEG files keep them in. What is longer than a dataset can be is cut: the XMP has it whole.
func (s Written) IIM() []byte {
	var sets bytes.Buffer
	sets.WriteString("\x1c\x01\x5a\x00\x03\x1b%G") // 1:90: all of it is UTF-8
	sets.WriteString("\x1c\x02\x00\x00\x02\x00\x04")
	empty := sets.Len()
	put := func(set byte, text string) {
		text = shortened(clip(text), mostBytes[set])
		if text == "" {
			return
		}
		sets.Write([]byte{0x1c, 2, set})
		_ = binary.Write(&sets, binary.BigEndian, uint16(len(text))) // a buffer takes everything
		sets.WriteString(text)
	}
	put(80, s.Creator)
	put(110, s.Credit)
	put(116, s.Notice)
	put(120, s.Description)
	if sets.Len() == empty {
		return nil
	}
	var resource bytes.Buffer
	resource.WriteString("Photoshop 3.0\x008BIM\x04\x04\x00\x00")
	_ = binary.Write(&resource, binary.BigEndian, uint32(sets.Len()))
	resource.Write(sets.Bytes())
	if sets.Len()%2 == 1 {
		resource.WriteByte(0)
	}
	return resource.Bytes()
}

// exifEntry is an entry of a TIFF's directory (TIFF 6.0, section 2), big-endian.
type exifEntry struct {
	tag, kind uint16
	count     uint32
	value     []byte
}

// The types of values: TIFF 6.0, section 2.
const (
	tiffASCII    = 2
	tiffShort    = 3
	tiffRational = 5
)

// Exif returns the statement as a TIFF of Exif's tags ImageDescription, Artist and Copyright
// (CIPA DC-008, 4.6): the notice, or the licence where there is no notice; with the tags that it
// asks for beside them, at their defaults. Texts are UTF-8 in the type ASCII, as is common
// practice since the guidelines of the Metadata Working Group (2010). Of a statement without
// any of the three it is nil.
func (s Written) Exif() []byte {
	var entries []exifEntry
	text := func(tag uint16, text string) {
		if text = clip(text); text != "" {
			entries = append(entries, exifEntry{tag, tiffASCII, uint32(len(text) + 1), append([]byte(text), 0)})
		}
	}
	notice := s.Notice
	if notice == "" {
		notice = s.Terms
	}
	resolution := []byte{0, 0, 0, 72, 0, 0, 0, 1}
	text(0x010e, s.Description)
	resolved := []exifEntry{{0x011a, tiffRational, 1, resolution}, {0x011b, tiffRational, 1, resolution},
		{0x0128, tiffShort, 1, []byte{0, 2}}} // 72 to an inch, across and down
	entries = append(entries, resolved...)
	text(0x013b, s.Creator)
	entries = append(entries, exifEntry{0x0213, tiffShort, 1, []byte{0, 1}}) // YCbCrPositioning: centred
	text(0x8298, notice)
	if len(entries) == len(resolved)+1 {
		return nil
	}
	const header, each, inPlace = 8, 12, 4
	out := binary.BigEndian.AppendUint32([]byte("MM\x00\x2a"), header)
	out = binary.BigEndian.AppendUint16(out, uint16(len(entries)))
	behind := header + 2 + each*len(entries) + 4 // the directory ends with where the next would be: nowhere
	var values []byte
	for _, e := range entries {
		out = binary.BigEndian.AppendUint16(binary.BigEndian.AppendUint16(out, e.tag), e.kind)
		out = binary.BigEndian.AppendUint32(out, e.count)
		if len(e.value) <= inPlace {
			out = append(append(out, e.value...), make([]byte, inPlace-len(e.value))...)
			continue
		}
		out = binary.BigEndian.AppendUint32(out, uint32(behind+len(values)))
		if values = append(values, e.value...); len(values)%2 == 1 {
			values = append(values, 0)
		}
	}
	return append(append(out, 0, 0, 0, 0), values...)
}

// shortened cuts a text to bytes, between characters.
func shortened(text string, most int) string {
	if len(text) <= most {
		return text
	}
	for most > 0 && !utf8.RuneStart(text[most]) {
		most--
	}
	return text[:most]
}
