package sheetfile

import (
	"bufio"
	"bytes"
	"io"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	utf "golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// eightBit are the encodings that a text may be in which is not UTF-8, the likeliest
// first.
var eightBit = []*charmap.Charmap{charmap.Windows1252, charmap.ISO8859_2, charmap.Windows1250, charmap.Macintosh}

// lookedForEncoding bounds how much of a text is read to find its encoding, bytes.
const lookedForEncoding = 8 << 20

// decoded turns UTF-16 into UTF-8 and leaves a mark of UTF-8 out; anything else comes
// as it is. fallback is what bytes that are no UTF-8 are read as.
func decoded(source io.Reader) (text io.Reader, fallback *charmap.Charmap) {
	fallback = charmap.Windows1252
	if file, ok := source.(io.ReadSeeker); ok {
		fallback = fallbackOf(file)
	}
	buffered := bufio.NewReaderSize(source, 64<<10)
	head, _ := buffered.Peek(4096)
	little, big := []byte{0xff, 0xfe}, []byte{0xfe, 0xff}
	switch {
	case bytes.HasPrefix(head, little), bytes.HasPrefix(head, big):
		return transform.NewReader(buffered, utf.UTF16(utf.LittleEndian, utf.ExpectBOM).NewDecoder()), fallback
	case bytes.HasPrefix(head, []byte("\ufeff")):
		_, _ = buffered.Discard(len("\ufeff")) // cannot fail: they were seen
	case everyOther(head, 1):
		return transform.NewReader(buffered, utf.UTF16(utf.LittleEndian, utf.IgnoreBOM).NewDecoder()), fallback
	case everyOther(head, 0):
		return transform.NewReader(buffered, utf.UTF16(utf.BigEndian, utf.IgnoreBOM).NewDecoder()), fallback
	}
	return buffered, fallback
}

// everyOther tells whether nearly every second byte is 0, as in UTF-16 without a mark.
func everyOther(head []byte, from int) bool {
	zeros := 0
	for i := from; i < len(head); i += 2 {
		if head[i] == 0 {
			zeros++
		}
	}
	return len(head) >= 8 && zeros*10 > len(head)/2*8
}

// fallbackOf looks through the beginning of a file for what is no UTF-8, and returns
// the encoding in which that makes the most sense. The file is where it was before.
func fallbackOf(file io.ReadSeeker) *charmap.Charmap {
	var strange []byte
	lines := bufio.NewReaderSize(io.LimitReader(file, lookedForEncoding), 64<<10)
	for len(strange) < 32<<10 {
		line, err := lines.ReadSlice('\n')
		if !utf8.Valid(line) {
			strange = append(strange, line...)
		}
		if err != nil && err != bufio.ErrBufferFull {
			break
		}
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil || len(strange) == 0 {
		return eightBit[0]
	}
	best, most := eightBit[0], sense(eightBit[0], strange)
	for _, encoding := range eightBit[1:] {
		if s := sense(encoding, strange); s > most {
			best, most = encoding, s
		}
	}
	return best
}

// letters that German, French, Spanish, Italian, Dutch and Polish are written with
// beside the plain ones, and marks that sheets hold (common practice).
const (
	ownLetters = "äöüßÄÖÜàâæçéèêëîïôœùûÿÀÂÆÇÉÈÊËÎÏÔŒÙÛáíñóúÁÍÑÓÚìòÌÒąćęłńśźżĄĆĘŁŃŚŹŻ"
	ownMarks   = "€°²³½¼¾µ®™©×±·–—‘’“”„«»…£§¿¡ºª\u00a0"
)

// sense tells how much text makes sense in an encoding: letters of the languages
// within words speak for it, what no sheet holds against it.
func sense(encoding *charmap.Charmap, text []byte) (points int) {
	decoded, err := encoding.NewDecoder().Bytes(text)
	if err != nil {
		return -1 << 30
	}
	before := ' '
	for len(decoded) > 0 {
		r, n := utf8.DecodeRune(decoded)
		decoded = decoded[n:]
		after, _ := utf8.DecodeRune(decoded)
		points += sensible(before, r, after)
		before = r
	}
	return points
}

func sensible(before, r, after rune) int {
	switch {
	case r < 0x80:
		return 0
	case bytes.ContainsRune([]byte(ownLetters), r):
		within := unicode.IsLetter(before) || unicode.IsLetter(after)
		switch {
		case unicode.IsUpper(r) && unicode.IsLower(before):
			return -2
		case within:
			return 3
		}
		return 1
	case bytes.ContainsRune([]byte(ownMarks), r):
		if unicode.IsLetter(before) && unicode.IsLetter(after) && r != '’' && r != '·' && r != '–' {
			return -3
		}
		return 1
	}
	return -3
}

// lineEnds reads text with "\n" for every kind of line end: "\r\n", and "\r" alone.
type lineEnds struct {
	source io.Reader
	cr     bool // the byte before was "\r"
}

func (l *lineEnds) Read(p []byte) (int, error) {
	n, err := l.source.Read(p)
	kept := p[:0]
	for _, b := range p[:n] {
		switch {
		case b == '\n' && l.cr: // it was given already
		case b == '\r':
			kept = append(kept, '\n')
		default:
			kept = append(kept, b)
		}
		l.cr = b == '\r'
	}
	return len(kept), err
}
