// Package shelf is how pictures are kept that are needed and stand on no product yet: in which
// folder, and by which words they are found. It computes only.
package shelf

import (
	"errors"
	"slices"
	"strings"

	"ambrosa/core/legible"
)

// The most that a folder and words may be.
const (
	Deepest     = 8   // folders in one another
	LongestName = 80  // characters of a folder, or of a word
	MostWords   = 30  // of a picture
	Between     = "/" // of folders in a path
)

// What may be wrong with a folder or words.
var (
	ErrDeep = errors.New("folders may stand in one another up to eight deep")
	ErrLong = errors.New("a folder or a word may have up to 80 characters")
	ErrMany = errors.New("a picture may have up to 30 words")
)

// Folder is a path of folders as a person wrote it, as it is kept: names without blanks around
// them, one slash between. Empty is the shelf itself. The error is ErrDeep or ErrLong.
func Folder(written string) (string, error) {
	names := strings.Split(written, Between)
	kept := names[:0]
	for _, name := range names {
		name = oneLine(name)
		if name == "" || name == "." || name == ".." {
			continue
		}
		if len([]rune(name)) > LongestName {
			return "", ErrLong
		}
		kept = append(kept, name)
	}
	if len(kept) > Deepest {
		return "", ErrDeep
	}
	return strings.Join(kept, Between), nil
}

// Words are words or phrases as they are kept: each once, letter case aside, in their order.
// The error is ErrLong or ErrMany.
func Words(written []string) ([]string, error) {
	kept := []string{}
	for _, word := range written {
		word = oneLine(word)
		if word == "" || slices.ContainsFunc(kept, func(k string) bool { return strings.EqualFold(k, word) }) {
			continue
		}
		if len([]rune(word)) > LongestName {
			return nil, ErrLong
		}
		kept = append(kept, word)
	}
	if len(kept) > MostWords {
		return nil, ErrMany
	}
	return kept, nil
}

// oneLine is a text with single blanks, in which what cannot be read is written out.
func oneLine(text string) string { return legible.Name(strings.Join(strings.Fields(text), " ")) }

// Within tells whether a folder is another, or stands in it.
func Within(folder, in string) bool {
	return in == "" || folder == in || strings.HasPrefix(folder, in+Between)
}

// Change is what becomes of pictures on the shelf: nil leaves what is.
type Change struct {
	Folder *string  // that they go to
	Add    []string // words
	Remove []string // words, letter case aside
	Off    bool     // they come off the shelf
}

// Place is how one picture is kept.
type Place struct {
	Folder string   `json:"folder"`
	Words  []string `json:"words"`
}

// Of is how a picture is kept after a change; was is nil where it was not on the shelf, and so is
// the answer where it is not from then on. The error is one of Folder's or Words'.
func (c Change) Of(was *Place) (*Place, error) {
	if c.Off {
		return nil, nil
	}
	now := Place{Words: []string{}}
	if was != nil {
		now = *was
	}
	var err error
	if c.Folder != nil {
		if now.Folder, err = Folder(*c.Folder); err != nil {
			return nil, err
		}
	}
	stay := slices.DeleteFunc(slices.Clone(now.Words), func(w string) bool {
		return slices.ContainsFunc(c.Remove, func(r string) bool { return strings.EqualFold(oneLine(r), w) })
	})
	now.Words, err = Words(append(stay, c.Add...))
	return &now, err
}

// Same tells whether a picture is kept the same way; nil is not on the shelf.
func Same(a, b *Place) bool {
	if a == nil || b == nil {
		return a == b
	}
	return a.Folder == b.Folder && slices.Equal(a.Words, b.Words)
}
