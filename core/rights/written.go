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

// Written is what is written into a picture that is handed on.
type Written struct {
	Stated
	Description string `json:"description,omitempty"` // what it shows: its alternative text
}

// Key is equal for statements that are the same, and empty for an empty one.
func (s Written) Key() string {
	if s == (Written{}) {
		return ""
	}
	sum := sha256.Sum256([]byte(strings.Join([]string{s.Creator, s.Notice, s.Credit, s.Statement, s.Description}, "\x00")))
	return hex.EncodeToString(sum[:8])
}

// XMP returns the statement as an XMP packet (ISO 16684-1) in the properties that the IPTC
// Photo Metadata Standard names: dc:creator, dc:rights, dc:description, photoshop:Credit and
// xmpRights:WebStatement. Of an empty statement it is nil.
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
	put("xmpRights:WebStatement", "", s.Statement, "")
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
