package rights

import (
	"bytes"
	"encoding/binary"
	"encoding/xml"
	"errors"
	"io"
	"strings"
	"unicode/utf8"
)

// Stated is what a file says of its rights itself, in the fields of the IPTC
// Photo Metadata Standard. It clears nothing: it is shown to whoever decides.
type Stated struct {
	Creator   string `json:"creator,omitempty"`   // Creator
	Notice    string `json:"notice,omitempty"`    // Copyright Notice
	Credit    string `json:"credit,omitempty"`    // Credit Line
	Statement string `json:"statement,omitempty"` // Web Statement of Rights: an address
	Terms     string `json:"terms,omitempty"`     // Rights Usage Terms: the licence

	// What it reveals beside that, which whoever hands it on may not want to tell.
	Located bool `json:"located,omitempty"` // where it was taken (GPS)
	Serial  bool `json:"serial,omitempty"`  // the serial number of the camera or its lens
}

// Or fills what is empty from another statement; it reveals what either does.
func (s Stated) Or(other Stated) Stated {
	for _, field := range []struct {
		to   *string
		from string
	}{{&s.Creator, other.Creator}, {&s.Notice, other.Notice}, {&s.Credit, other.Credit}, {&s.Statement, other.Statement},
		{&s.Terms, other.Terms}} {
		if *field.to == "" {
			*field.to = field.from
		}
	}
	s.Located, s.Serial = s.Located || other.Located, s.Serial || other.Serial
	return s
}

const (
	nsDC        = "http://purl.org/dc/elements/1.1/"
	nsPhotoshop = "http://ns.adobe.com/photoshop/1.0/"
	nsRights    = "http://ns.adobe.com/xap/1.0/rights/"
	nsExif      = "http://ns.adobe.com/exif/1.0/"
	nsExifEX    = "http://cipa.jp/exif/1.0/"
	nsAux       = "http://ns.adobe.com/exif/1.0/aux/"
	nsRDF       = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
)

// maxStated bounds what is kept of a field, bytes.
const maxStated = 2000

// FromXMP reads the fields of an XMP packet (ISO 16684-1): dc:creator, dc:rights,
// photoshop:Credit, xmpRights:WebStatement and xmpRights:UsageTerms, as elements or
// as attributes, and whether it says where the picture was taken and the serial
// number of what took it. Of a damaged packet it returns what stands before the
// damage.
func FromXMP(packet []byte) (s Stated) {
	decoder := xml.NewDecoder(bytes.NewReader(packet))
	decoder.CharsetReader = func(string, io.Reader) (io.Reader, error) { return nil, errors.New("XMP is UTF-8 here") }
	var into *string
	set := func(name xml.Name, text string) {
		s.reveal(name)
		if field := s.field(name); field != nil && *field == "" {
			*field = clip(text)
		}
	}
	for depth, inField := 0, 0; ; {
		token, err := decoder.Token()
		if err != nil || depth > 100 {
			return s
		}
		switch t := token.(type) {
		case xml.StartElement:
			depth++
			s.reveal(t.Name)
			for _, a := range t.Attr {
				set(a.Name, a.Value)
			}
			if field := s.field(t.Name); field != nil && into == nil && *field == "" {
				into, inField = field, depth
			}
		case xml.CharData:
			if text := strings.TrimSpace(string(t)); into != nil && text != "" {
				if *into != "" {
					text = *into + ", " + text
				}
				*into = clip(text)
			}
		case xml.EndElement:
			if into != nil && depth == inField {
				into = nil
			}
			// Of a text in several languages, the first is the default.
			if (into == &s.Notice || into == &s.Terms) && t.Name == (xml.Name{Space: nsRDF, Local: "li"}) && *into != "" {
				into = nil
			}
			depth--
		}
	}
}

func (s *Stated) field(name xml.Name) *string {
	switch name {
	case xml.Name{Space: nsDC, Local: "creator"}:
		return &s.Creator
	case xml.Name{Space: nsDC, Local: "rights"}:
		return &s.Notice
	case xml.Name{Space: nsPhotoshop, Local: "Credit"}:
		return &s.Credit
	case xml.Name{Space: nsRights, Local: "WebStatement"}:
		return &s.Statement
	case xml.Name{Space: nsRights, Local: "UsageTerms"}:
		return &s.Terms
	}
	return nil
}

func (s *Stated) reveal(name xml.Name) {
	switch name {
	case xml.Name{Space: nsExif, Local: "GPSLatitude"}, xml.Name{Space: nsExif, Local: "GPSLongitude"}:
		s.Located = true
	case xml.Name{Space: nsAux, Local: "SerialNumber"}, xml.Name{Space: nsAux, Local: "LensSerialNumber"},
		xml.Name{Space: nsExifEX, Local: "BodySerialNumber"}, xml.Name{Space: nsExifEX, Local: "LensSerialNumber"}:
		s.Serial = true
	}
}

func clip(text string) string {
	if !utf8.ValidString(text) {
		text = strings.ToValidUTF8(text, "\ufffd")
	}
	if len(text) > maxStated {
		text = strings.ToValidUTF8(text[:maxStated], "")
	}
	return strings.TrimSpace(strings.ReplaceAll(text, "\x00", ""))
}

// FromIIM reads the datasets of IPTC-IIM (version 4.2) 2:80 By-line, 2:110
// Credit and 2:116 Copyright Notice, bare or within the image resource 0x0404
// that JPEG files keep them in.
func FromIIM(data []byte) (s Stated) {
	if at := bytes.Index(data, []byte("8BIM\x04\x04")); at >= 0 {
		data = data[at+6:]
		if len(data) < 2 {
			return s
		}
		name := 1 + int(data[0])
		name += name % 2
		if len(data) < name+4 {
			return s
		}
		size := binary.BigEndian.Uint32(data[name:])
		data = data[name+4:]
		data = data[:min(uint64(size), uint64(len(data)))]
	}
	utf := bytes.Contains(data, []byte("\x1c\x01\x5a\x00\x03\x1b%G")) // 1:90 says UTF-8
	for len(data) >= 5 && data[0] == 0x1c {
		record, set, size := data[1], data[2], int(binary.BigEndian.Uint16(data[3:]))
		data = data[5:]
		if size > len(data) || size >= 0x8000 {
			return s
		}
		value := data[:size]
		data = data[size:]
		if record != 2 {
			continue
		}
		text := string(value)
		if !utf && !utf8.Valid(value) {
			text = latin(value)
		}
		switch set {
		case 80:
			if s.Creator != "" {
				text = s.Creator + ", " + text
			}
			s.Creator = clip(text)
		case 110:
			s.Credit = clip(text)
		case 116:
			s.Notice = clip(text)
		}
	}
	return s
}

// latin reads ISO 8859-1, in which most programs wrote where nothing is said.
func latin(value []byte) string {
	runes := make([]rune, len(value))
	for i, b := range value {
		runes[i] = rune(b)
	}
	return string(runes)
}
