// Package archive walks ZIP, TAR, 7z and RAR archives entry by entry, without
// unpacking them, in a process of its own: libraries that read foreign formats
// may crash, hang or swell, and that costs the archive only. It owns what may be
// in an archive at all: paths that stay within it, limits of number, size and
// expansion, and names in any encoding. What the entries are is for internal/run
// to examine.
package archive

import (
	"context"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"io/fs"
	"os"
	"path"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/klauspost/compress/zip"
	"github.com/mholt/archives"
	"golang.org/x/text/encoding/charmap"

	"ambrosa/core/legible"
)

// Limits bound what is read from an archive.
type Limits struct {
	Entries int
	Entry   int64 // bytes of one entry, expanded
	Total   int64 // bytes of all entries, expanded
	Ratio   int64 // how many times its packed size an entry may be, beyond the first MiB
}

// most is how large an entry may be that is so large when it is packed, 0 where
// that is not known.
func (l Limits) most(packed int64) int64 {
	if packed > 0 {
		return min(l.Entry, 1<<20+packed*l.Ratio)
	}
	return l.Entry
}

// BudgetFor is what an archive that is so large when it is packed may expand to.
func (l Limits) BudgetFor(packed int64) *Budget {
	return NewBudget(l.Entries, min(l.Total, max(1<<30, packed*l.Ratio)), "")
}

// DefaultLimits suit archives of pictures.
var DefaultLimits = Limits{Entries: 200_000, Entry: 1 << 30, Total: 256 << 30, Ratio: 500}

// Entry is a file in an archive. One with a Problem cannot be read; the
// problem says why in the user's words.
type Entry struct {
	Path    string // with slashes, in UTF-8, within the archive
	Bytes   int64  // as the archive says
	Problem string
	packed  int64
	open    func() (io.ReadCloser, error)
}

// ErrTooLarge is returned while reading an entry that is larger than allowed.
var ErrTooLarge = errors.New("expands to more than is allowed")

// Open returns the entry's bytes; it may be called during the visit only.
func (e Entry) Open() (io.ReadCloser, error) { return e.open() }

// Refused is an archive that cannot be walked, or not to its end; its text is
// in the user's words.
type Refused struct{ Reason string }

func (r Refused) Error() string { return r.Reason }

// walkHere is Walk within this process.
func walkHere(ctx context.Context, file *os.File, limits Limits, visit func(Entry) error) error {
	info, err := file.Stat()
	if err != nil {
		return err
	}
	format, stream, err := archives.Identify(ctx, "", file)
	if errors.Is(err, archives.NoMatch) {
		return Refused{"not an archive that can be read (ZIP, TAR, 7z or RAR)"}
	}
	if err != nil {
		return Refused{"the archive cannot be read: " + err.Error()}
	}
	extractor, ok := format.(archives.Extractor)
	if !ok {
		return Refused{"a packed single file, not an archive"}
	}
	if _, isZip := format.(archives.Zip); isZip {
		stream = file
	}
	w := &walk{limits: limits, packed: info.Size(), visit: visit}
	err = extractor.Extract(ctx, stream, w.entry)
	if w.stopped != nil {
		return w.stopped
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	return refusal(err, w.seen)
}

func refusal(err error, seen int) error {
	if err == nil {
		return nil
	}
	text := strings.ToLower(err.Error())
	switch {
	case strings.Contains(text, "password"), strings.Contains(text, "encrypt"):
		return Refused{"the archive is encrypted: unpack it with its password, and drop the files"}
	case strings.Contains(text, "unexpected id"): // what a 7z with an encrypted table of contents looks like
		return Refused{"the archive is encrypted or damaged: unpack it, with its password, and drop the files"}
	case errors.Is(err, zip.ErrFormat),
		errors.Is(err, io.ErrUnexpectedEOF),
		errors.Is(err, io.EOF),
		strings.Contains(text, "unexpected eof"):
		if seen > 0 {
			return Refused{fmt.Sprintf("the archive ends early, after %d files: fetch it again for the rest", seen)}
		}
		return Refused{"the archive is incomplete or damaged: its table of contents is missing. Fetch it again"}
	}
	return Refused{"the archive is damaged: " + err.Error()}
}

type walk struct {
	limits  Limits
	packed  int64
	seen    int
	total   int64
	visit   func(Entry) error
	stopped error
}

func (w *walk) entry(_ context.Context, info archives.FileInfo) error {
	if info.IsDir() {
		return nil
	}
	e := Entry{Bytes: info.Size()}
	var packed int64
	e.Path, e.Problem, packed = w.judge(info)
	if leftover(e.Path) {
		return nil
	}
	w.seen++
	if w.seen > w.limits.Entries {
		return w.stop(Refused{fmt.Sprintf("the archive holds more than %d files: split it", w.limits.Entries)})
	}
	e.open = func() (io.ReadCloser, error) {
		content, err := info.Open()
		if err != nil {
			return nil, err
		}
		return &bounded{content, w, w.limits.most(packed)}, nil
	}
	e.packed = packed
	if err := w.visit(e); err != nil {
		return w.stop(err)
	}
	if w.total > max(1<<30, w.packed*w.limits.Ratio) || w.total > w.limits.Total {
		return w.stop(Refused{fmt.Sprintf("the archive expands to more than is allowed (%d GB so far): the rest is not read", w.total>>30)})
	}
	return nil
}

func (w *walk) stop(err error) error {
	w.stopped = err
	return err
}

// judge cleans an entry's path and says why it cannot be read, if so.
func (w *walk) judge(info archives.FileInfo) (name, problem string, packed int64) {
	name = info.NameInArchive
	if header, ok := info.Header.(zip.FileHeader); ok {
		name = zipName(header)
		packed = int64(header.CompressedSize64)
		if header.Flags&1 != 0 {
			problem = "the file is encrypted: unpack the archive with its password first"
		} else if int64(header.UncompressedSize64) > 1<<20+packed*w.limits.Ratio {
			problem = fmt.Sprintf("the file would expand %d times, more than the %d that are allowed",
				int64(header.UncompressedSize64)/max(1, packed), w.limits.Ratio)
		}
	} else if !utf8.ValidString(name) {
		if decoded, err := charmap.Windows1252.NewDecoder().String(name); err == nil {
			name = decoded
		}
	}
	if info.Mode()&fs.ModeType != 0 || info.LinkTarget != "" {
		problem = "a link or device, not a file"
	}
	cleaned, ok := clean(name)
	if !ok {
		problem = "its path leads out of the archive"
	}
	return cleaned, problem, packed
}

// clean makes a relative path of a name; ok is false where it leads outside.
func clean(name string) (cleaned string, ok bool) {
	name = legible.Name(strings.ReplaceAll(name, "\\", "/"))
	ok = !strings.HasPrefix(name, "/") && !(len(name) > 1 && name[1] == ':' && unicode.IsLetter(rune(name[0])))
	parts := strings.Split(name, "/")
	kept := parts[:0]
	for _, part := range parts {
		switch part {
		case "", ".":
		case "..":
			ok = false
		default:
			kept = append(kept, part)
		}
	}
	if len(kept) == 0 {
		return "(no name)", false
	}
	return strings.Join(kept, "/"), ok
}

// leftover tells whether an entry is one that operating systems leave behind.
func leftover(name string) bool {
	base := path.Base(name)
	return strings.HasPrefix(name, "__MACOSX/") || strings.HasPrefix(base, "._") || base == ".DS_Store" ||
		strings.EqualFold(base, "thumbs.db") ||
		strings.EqualFold(base, "desktop.ini")
}

// zipName returns an entry's name in UTF-8: as it is where it is valid; from
// Info-ZIP's Unicode path field; else decoded.
func zipName(h zip.FileHeader) string {
	if utf8.ValidString(h.Name) {
		return h.Name
	}
	if name, ok := unicodePath(h); ok {
		return name
	}
	return decodeName(h.Name)
}

// unicodePath reads the extra field 0x7075 (APPNOTE.TXT 4.6.9): a version, the
// CRC-32 of the plain name, and the name in UTF-8.
func unicodePath(h zip.FileHeader) (string, bool) {
	for extra := h.Extra; len(extra) >= 4; {
		id, size := uint16(extra[0])|uint16(extra[1])<<8, int(extra[2])|int(extra[3])<<8
		if len(extra) < 4+size {
			return "", false
		}
		field := extra[4 : 4+size]
		if id == 0x7075 && size > 5 && field[0] == 1 {
			sum := uint32(field[1]) | uint32(field[2])<<8 | uint32(field[3])<<16 | uint32(field[4])<<24
			name := string(field[5:])
			return name, sum == crc32.ChecksumIEEE([]byte(h.Name)) && utf8.ValidString(name)
		}
		extra = extra[4+size:]
	}
	return "", false
}

// decodeName reads a name that is not UTF-8 as code page 437, which the ZIP
// format prescribes, or as Windows-1252, which many programs write: whichever
// makes more letters of the bytes above 127.
func decodeName(name string) string {
	dos, dosErr := charmap.CodePage437.NewDecoder().String(name)
	windows, windowsErr := charmap.Windows1252.NewDecoder().String(name)
	switch {
	case dosErr != nil && windowsErr != nil:
		return legible.Name(name)
	case dosErr != nil, windowsErr == nil && letters(windows) > letters(dos):
		return windows
	}
	return dos
}

func letters(text string) (n int) {
	for _, r := range text {
		// Greek letters stand in code page 437 for mathematics only.
		if r >= 0x80 && unicode.Is(unicode.Latin, r) && r != 'ª' && r != 'º' && r != 'ƒ' && r != 'ⁿ' {
			n++
		}
	}
	return n
}

// bounded reads at most so many bytes and counts them for the archive.
type bounded struct {
	io.ReadCloser
	walk *walk
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	b.walk.total += int64(n)
	if b.left -= int64(n); b.left < 0 {
		return n, ErrTooLarge
	}
	return n, err
}
