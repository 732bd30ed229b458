package pairing

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
)

// Clue is one way of telling which product a file belongs to.
type Clue uint8

// The clues, in the order they are weighed unless a clue list says otherwise.
const (
	NoClue Clue = iota
	SheetRow
	SameName
	KeyInName
	NameInKey
	BarcodeInName
	BarcodeInPicture
	Folder
	Title
	Attribute
	Pattern
	LookAlike
	InCategory
	SaidBySource
)

var clueNames = [...]string{"", "sheet-row", "same-name", "key-in-name", "name-in-key", "barcode-in-name", "barcode-in-picture",
	"folder", "title", "attribute", "pattern", "look-alike", "category", "said-by-source"}

func (c Clue) String() string { return clueNames[c] }

// VerdictKind says what became of a file.
type VerdictKind uint8

// The verdicts that reading gives; setting aside is for a person.
const (
	Loose VerdictKind = iota
	Contested
	Paired
)

func (v VerdictKind) String() string { return [...]string{"loose", "contested", "paired"}[v] }

// SpanKind says what a part of a name is.
type SpanKind uint8

// The four kinds of span.
const (
	NoiseSpan SpanKind = iota
	KeySpan
	PlaceSpan
	ViewSpan
)

func (k SpanKind) String() string { return [...]string{"noise", "key", "place", "view"}[k] }

// MarshalText writes the kind's name.
func (k SpanKind) MarshalText() ([]byte, error) { return []byte(k.String()), nil }

// Span is a part of a path, as bytes [Start, End), and what it was read as.
type Span struct {
	Start int      `json:"start"`
	End   int      `json:"end"`
	Kind  SpanKind `json:"kind"`
	// What the noise is, which view, or the key as the catalog spells it;
	// "option" for an option's value.
	What string `json:"what,omitempty"`
	// Which option it is and its value as the catalog spells it: "colour: black".
	Option string `json:"option,omitempty"`
}

// Why is the kind of reason why a file is not paired: files of one kind are
// decided on together.
type Why string

// The kinds of reasons.
const (
	NoKey             Why = "no key in the name"
	UnknownKey        Why = "a key that no product has"
	UnknownBarcode    Why = "a barcode that no product has"
	OnlyNoise         Why = "nothing but noise"
	OnlyDetails       Why = "nothing but a place or view"
	Doubtful          Why = "a key, but doubtful"
	LooksLike         Why = "looks like a product's picture"
	LikeCategory      Why = "in a folder called like a category"
	SeveralKeys       Why = "keys of several products"
	SeveralProducts   Why = "one key on several products"
	SeveralCategories Why = "called like several categories"
	AgainstFolder     Why = "the name against its folder"
	AgainstSheet      Why = "the sheet names several products or none"
	AgainstPicture    Why = "the name against the barcode in the picture"
	AgainstSource     Why = "the name against what its source says"
)

// Candidate is a target with the evidence for it.
type Candidate struct {
	Target   Target
	Key      string // as the catalog spells it
	Clue     Clue
	Rung     Rung
	Score    float64 // 0 to 1
	Category int64   // number of the category that it is instead of a product, or 0
}

// candidate is what a verdict is, among others.
func (v *Verdict) candidate() Candidate {
	return Candidate{v.Target, v.Key, v.Clue, v.Rung, v.Score, v.Category}
}

// Verdict is what was told from one file's path.
type Verdict struct {
	Kind VerdictKind
	Target
	Category   int64  // number of the category that it is paired with instead of a product, or 0
	Key        string // the key that decided, as the catalog spells it
	Place      int    // 1 is the first; 0 when none was read
	View       string
	Clue       Clue
	Rung       Rung
	Score      float64
	Reason     string
	Why        Why         // what kind of reason, of what is not paired
	Candidates []Candidate // of a contested file, all; of a doubtful one, what was doubted
	Spans      []Span      // filled when asked for; they cover the whole path

	number    int // the plain number that was read as the place, -1 when none
	letter    byte
	roman     int
	gluedOnly bool // paired only if the glued letter turns out to be a place
	bare      bool
}

// ClueList is the order in which clues are weighed, and their settings. Order
// counts among those that read names. What a sheet says stands before every
// name, a barcode in the picture, a look-alike and a category behind them,
// wherever they stand in the list.
type ClueList struct {
	Clues     []ClueSetting `json:"clues" nullable:"false"`
	Languages []string      `json:"languages,omitempty" doc:"Read beside English: de, fr, es, it, nl, pl, tr, pt, sv, da, cs, ja"`
	Steps     []Step        `json:"steps,omitempty" doc:"What corrections taught"`
}

// ClueSetting is one clue of a list.
type ClueSetting struct {
	Clue       string   `json:"clue"`
	Off        bool     `json:"off,omitempty"`
	Patterns   []string `json:"patterns,omitempty" doc:"Of pattern: RE2 with a group named key, and if wanted place and view"`
	OnPath     bool     `json:"onPath,omitempty" doc:"Of pattern: matched with the whole path, not with the base name without its extension"`
	Attributes []string `json:"attributes,omitempty" doc:"Of attribute: their names; none for all whose values look like codes"`
	Whole      bool     `json:"whole,omitempty" doc:"Of attribute: only as the whole name"`
	Sheet      string   `json:"sheet,omitempty" doc:"Of sheet-row, for the command: a CSV with the columns file and sku"`
}

// available lists the clues that read names. A new clue is a file with its
// claims, and a line here; those with none weigh what comes beside the name.
var available = [...]func(*reader, []claim) []claim{
	SheetRow:         nil,
	SameName:         (*reader).sameName,
	KeyInName:        (*reader).keyInName,
	NameInKey:        (*reader).nameInKey,
	BarcodeInName:    (*reader).barcodeInName,
	BarcodeInPicture: nil,
	Folder:           (*reader).folder,
	Title:            (*reader).title,
	Attribute:        (*reader).attribute,
	Pattern:          (*reader).byPattern,
	LookAlike:        nil,
	InCategory:       nil,
}

// DefaultClues is the list that is used until a person makes another: every
// clue in its order.
func DefaultClues() ClueList {
	list := ClueList{}
	for c := SheetRow; c <= InCategory; c++ {
		list.Clues = append(list.Clues, ClueSetting{Clue: c.String()})
	}
	return list
}

// Whole returns the list with what it leaves out: one without clues takes the
// usual ones, so that {"languages":["de"]} reads as people mean it.
func (list ClueList) Whole() ClueList {
	if len(list.Clues) == 0 {
		list.Clues = DefaultClues().Clues
	}
	// Lists that were made before there was this clue have it too.
	if !slices.ContainsFunc(list.Clues, func(s ClueSetting) bool { return s.Clue == InCategory.String() }) {
		list.Clues = append(slices.Clip(list.Clues), ClueSetting{Clue: InCategory.String()})
	}
	return list
}

// ReadClueList reads a clue list in JSON and checks it. The error says which
// clue, pattern, step or language cannot be used. A list without clues takes the
// usual ones.
func ReadClueList(r io.Reader) (ClueList, error) {
	var list ClueList
	decoder := json.NewDecoder(r)
	decoder.DisallowUnknownFields()
	if err := decoder.Decode(&list); err != nil {
		return list, fmt.Errorf("read clue list: %w", err)
	}
	return list.Whole(), list.Check()
}

// ListError says what of a clue list cannot be used.
type ListError struct {
	Part string // "clue", "step" or "language"
	At   int    // which of them, from 1
	Err  error
}

func (e *ListError) Error() string { return fmt.Sprintf("%s %d: %v", e.Part, e.At, e.Err) }

// Unwrap returns what is wrong with it.
func (e *ListError) Unwrap() error { return e.Err }

// Check says what of a list cannot be used: a *ListError.
func (list ClueList) Check() error {
	_, err := list.compile()
	return err
}

// On tells whether a clue is in the list and switched on.
func (list ClueList) On(clue Clue) bool {
	list = list.Whole()
	return slices.ContainsFunc(list.Clues, func(s ClueSetting) bool { return s.Clue == clue.String() && !s.Off })
}

// compiled is a clue list made ready to read names with.
type compiled struct {
	order       []Clue // that read names
	base        []Clue // those of them that read keys and barcodes in the base name
	folder      bool
	patterns    []pattern
	attributes  []string
	wholeValues bool
	steps       []Step
	optionWords *lexicon[[]string]
}

func (list ClueList) compile() (*compiled, error) {
	list = list.Whole()
	with := &compiled{steps: list.Steps, optionWords: englishOptionWords()}
	if len(list.Languages) > 0 {
		with.optionWords = optionWordsOf(list.Languages)
	}
	seen := map[Clue]bool{}
	for i, setting := range list.Clues {
		c := Clue(slices.Index(clueNames[:], setting.Clue))
		if setting.Clue == "" || int(c) >= len(available) {
			return nil, &ListError{"clue", i + 1, fmt.Errorf("%q is not a clue; there are %v", setting.Clue, DefaultClues().names())}
		}
		if seen[c] {
			return nil, &ListError{"clue", i + 1, fmt.Errorf("%q stands in the list twice", setting.Clue)}
		}
		seen[c] = true
		for _, text := range setting.Patterns {
			p, err := compilePattern(text, setting.OnPath)
			if err != nil {
				return nil, &ListError{"clue", i + 1, err}
			}
			with.patterns = append(with.patterns, p)
		}
		if setting.Off || available[c] == nil || c == Pattern && len(setting.Patterns) == 0 {
			continue
		}
		with.order = append(with.order, c)
		switch {
		case c.inBase():
			with.base = append(with.base, c)
		case c == Folder:
			with.folder = true
		case c == Attribute:
			with.attributes, with.wholeValues = setting.Attributes, setting.Whole
		}
	}
	for i, step := range list.Steps {
		if err := step.check(); err != nil {
			return nil, &ListError{"step", i + 1, err}
		}
	}
	for i, language := range list.Languages {
		if _, known := tongues[language]; !known {
			return nil, &ListError{"language", i + 1, fmt.Errorf("%q is not known; there are %v", language, languageNames())}
		}
	}
	return with, nil
}

func (list ClueList) names() (names []string) {
	for _, setting := range list.Clues {
		names = append(names, setting.Clue)
	}
	return names
}

var rungReasons = [...]string{"", "character for character", "letter case aside", "separators taken as equal", "separators left out",
	"leading zeros aside"}

var pairedReasons = func() (table [len(clueNames)][len(rungNames)]string) {
	for c, text := range map[Clue]string{
		SameName:      "the whole name is the key",
		KeyInName:     "the key stands in the name",
		BarcodeInName: "the name holds the barcode",
		Folder:        "the folder's name is the key",
		NameInKey:     "the name is a part of this key only",
		Title:         "its words stand in this title only",
		Attribute:     "an attribute of this product only stands in the name",
		Pattern:       "the pattern reads the key",
	} {
		for rung := range table[c] {
			table[c][rung] = text
			if rung > 0 {
				table[c][rung] += ", " + rungReasons[rung]
			}
		}
	}
	return table
}()

// Bare tells whether the name is nothing but the key.
func (v *Verdict) Bare() bool { return v.bare }
