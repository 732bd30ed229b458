package decoder

import (
	"bytes"
	"encoding/binary"
	"errors"
	"hash/crc32"
)

// What is written into pictures is put in behind the encoding, into files that were made here a
// moment ago: the binding of libvips hands no bytes through to its encoders (version 2.16).

// errLayout means that a file is not laid out as its encoder does.
var errLayout = errors.New("the file that was made is not laid out as expected")

// intoJPEG puts Exif (CIPA DC-008, 4.5.4: APP1), an XMP packet (ISO 16684-3, 6.1: APP1) and image
// resources (APP13) behind the first segment.
func intoJPEG(file, exif, xmp, resources []byte) ([]byte, error) {
	if len(file) < 4 || file[0] != 0xff || file[1] != 0xd8 {
		return nil, errLayout
	}
	at := 2
	if file[2] == 0xff && file[3] == 0xe0 && len(file) >= 6 { // APP0 stays first
		at += 2 + int(binary.BigEndian.Uint16(file[4:]))
	}
	if at > len(file) {
		return nil, errLayout
	}
	var out bytes.Buffer
	out.Write(file[:at])
	if len(exif) > 0 { // in the place of what the encoder says of resolution
		exif = append([]byte("Exif\x00\x00"), exif...)
		if len(file) >= at+10 && file[at] == 0xff && file[at+1] == 0xe1 && string(file[at+4:at+10]) == "Exif\x00\x00" {
			at += 2 + int(binary.BigEndian.Uint16(file[at+2:]))
		}
		if at > len(file) {
			return nil, errLayout
		}
	}
	for _, segment := range []struct {
		marker  byte
		content []byte
	}{{0xe1, exif}, {0xe1, append([]byte("http://ns.adobe.com/xap/1.0/\x00"), xmp...)}, {0xed, resources}} {
		if len(segment.content) == 0 || len(segment.content) > 0xffff-2 {
			continue
		}
		out.Write([]byte{0xff, segment.marker})
		out.Write(binary.BigEndian.AppendUint16(nil, uint16(len(segment.content)+2)))
		out.Write(segment.content)
	}
	out.Write(file[at:])
	return out.Bytes(), nil
}

// pngHeader is how long a PNG's signature and its first chunk are (ISO/IEC 15948).
const pngHeader = 8 + 25

// intoPNG puts an XMP packet (ISO 16684-3, 6.2: iTXt) and Exif (PNG, third edition, 11.3.4.5:
// eXIf) behind the first chunk.
func intoPNG(file, exif, xmp []byte) ([]byte, error) {
	if len(file) < pngHeader || string(file[12:16]) != "IHDR" {
		return nil, errLayout
	}
	var out bytes.Buffer
	out.Write(file[:pngHeader])
	for _, chunk := range [][]byte{
		append([]byte("iTXtXML:com.adobe.xmp\x00\x00\x00\x00\x00"), xmp...),
		append([]byte("eXIf"), exif...),
	} {
		if string(chunk) == "eXIf" {
			continue
		}
		out.Write(binary.BigEndian.AppendUint32(nil, uint32(len(chunk)-4)))
		out.Write(chunk)
		out.Write(binary.BigEndian.AppendUint32(nil, crc32.ChecksumIEEE(chunk)))
	}
	out.Write(file[pngHeader:])
	return out.Bytes(), nil
}

// intoWebP puts Exif and an XMP packet behind the picture (RFC 9649, 2.7): width and height are
// the picture's, in pixels, alpha whether it can be looked through.
func intoWebP(file, exif, xmp []byte, width, height int, alpha bool) ([]byte, error) {
	const head, xmpFlag, exifFlag, alphaFlag = 12, 0x04, 0x08, 0x10
	added := byte(xmpFlag)
	if len(exif) > 0 {
		added |= exifFlag
	}
	if len(file) < head+8 || string(file[:4]) != "RIFF" || string(file[8:head]) != "WEBP" ||
		string(file[head:head+4]) == "VP8X" && len(file) < head+18 {
		return nil, errLayout
	}
	var body bytes.Buffer
	if string(file[head:head+4]) == "VP8X" {
		for at := head; at+8 <= len(file); {
			name, size := string(file[at:at+4]), 8+uint64(binary.LittleEndian.Uint32(file[at+4:]))
			size = min(size+size%2, uint64(len(file)-at))
			if name != "EXIF" || len(exif) == 0 { // ours stands in the place of what the encoder says of resolution
				body.Write(file[at : at+int(size)])
			}
			at += int(size)
		}
		body.Bytes()[8] |= added
	} else {
		flags := added
		if alpha {
			flags |= alphaFlag
		}
		body.WriteString("VP8X\x0a\x00\x00\x00")
		body.Write([]byte{flags, 0, 0, 0})
		for _, side := range []int{width - 1, height - 1} {
			body.Write([]byte{byte(side), byte(side >> 8), byte(side >> 16)})
		}
		body.Write(file[head:])
	}
	for _, chunk := range []struct {
		name    string
		content []byte
	}{{"EXIF", exif}, {"XMP ", xmp}} {
		if len(chunk.content) == 0 {
			continue
		}
		body.WriteString(chunk.name)
		body.Write(binary.LittleEndian.AppendUint32(nil, uint32(len(chunk.content))))
		body.Write(chunk.content)
		if len(chunk.content)%2 == 1 {
			body.WriteByte(0)
		}
	}
	out := append([]byte("RIFF"), binary.LittleEndian.AppendUint32(nil, uint32(4+body.Len()))...)
	return append(append(out, "WEBP"...), body.Bytes()...), nil
}
