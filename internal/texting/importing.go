package texting

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"

	"ambrosa/core/identity"
	"ambrosa/core/legible"
	"ambrosa/core/naming"
	"ambrosa/internal/door"
	"ambrosa/internal/sheetfile"
	"ambrosa/internal/store"
)

// Refusal is a row of a sheet whose text goes nowhere.
type Refusal struct {
	Row  int    `json:"row" doc:"As a spreadsheet program counts"`
	Why  string `json:"why"`
	Text string `json:"text"`
}

// Imported is what a sheet of texts would do, or did.
type Imported struct {
	Rows    int       // that bring a text
	Same    int       // pictures that say so already
	Changed []Item    // pictures whose text changes, each with what it would say
	Refused []Refusal // in the order of the rows
}

// Print tells what would change from other changes: whoever saw it has it kept by that.
func (i Imported) Print() string {
	hash := sha256.New()
	for _, c := range i.Changed {
		fmt.Fprintf(hash, "%d %q %q\n", c.Placement, c.Text, c.To)
	}
	return hex.EncodeToString(hash.Sum(nil))
}

// NoTexts says that a sheet brings no texts, and what it would need.
type NoTexts struct{ Needs string }

func (e NoTexts) Error() string { return "the sheet needs " + e.Needs }

// mostTextRows bounds how many rows of a sheet are read.
const mostTextRows = 500_000

// ReadSheet says what the sheet at path would make of the texts of a language. Of several rows for
// one picture the last counts. The error may be a NoTexts or a *sheetfile.Refused.
func (t *Texter) ReadSheet(ctx context.Context, path, language string) (read Imported, err error) {
	rows, err := t.textRows(ctx, path)
	if err != nil {
		return read, err
	}
	standing, err := t.Store.PictureTexts(ctx, store.ProductFilter{}, language)
	if err != nil {
		return read, err
	}
	pictures := make([]naming.Picture, len(standing))
	for i, s := range standing {
		pictures[i] = s.Picture
	}
	targets := naming.NewTextTargets(pictures)
	to, whys := targets.Texts(rows)
	read.Rows = len(rows)
	for n, why := range whys {
		if why != "" {
			read.Refused = append(read.Refused, Refusal{rows[n].Row, why, legible.Short(rows[n].Text, naming.LongestText)})
		}
	}
	for i, s := range standing {
		text, told := to[i]
		switch {
		case !told:
		case text == s.Text:
			read.Same++
		default:
			read.Changed = append(read.Changed, Item{PictureText: s, To: text})
		}
	}
	return read, nil
}

// textRows reads the rows that bring a text; the titles stand in the first row that is not empty.
func (t *Texter) textRows(ctx context.Context, path string) (rows []naming.TextRow, err error) {
	cells, err := sheetfile.Read(ctx, t.Readers, path, "")
	if err != nil {
		return nil, err
	}
	defer func() { err = errors.Join(err, cells.Close()) }()
	titles, _, err := cells.Next()
	if errors.Is(err, io.EOF) {
		return nil, NoTexts{"rows"}
	}
	if err != nil {
		return nil, err
	}
	sheet, missing := naming.ReadTextTitles(titles)
	if missing != "" {
		return nil, NoTexts{missing}
	}
	for len(rows) < mostTextRows {
		row, n, err := cells.Next()
		if errors.Is(err, io.EOF) {
			return rows, nil
		}
		if err != nil {
			return nil, err
		}
		if read, is := sheet.Read(row, n); is {
			rows = append(rows, read)
		}
	}
	return rows, nil
}

// KeepSheet keeps the texts that a sheet brings, as a person's. seen is the print of what was seen
// to change: other changes are ErrOthers. The other errors are ReadSheet's.
func (t *Texter) KeepSheet(ctx context.Context, who identity.Actor, path, language, seen string) (keeping, kept int64, err error) {
	read, err := t.ReadSheet(ctx, path, language)
	if err != nil {
		return 0, 0, err
	}
	if len(read.Changed) == 0 || read.Print() != seen {
		return 0, 0, ErrOthers
	}
	texts := make([]store.NewText, len(read.Changed))
	for i, item := range read.Changed {
		texts[i] = store.NewText{PictureText: item.PictureText, To: item.To, By: "person"}
	}
	err = t.Store.Do(ctx, door.By(who, identity.TextsKeep), func(tx *door.Tx) error {
		keeping, kept, err = store.KeepTexts(ctx, tx, language, texts)
		tell(tx, keeping, kept, language, texts)
		return err
	})
	return keeping, kept, err
}
