// Package dispatch says which pictures go to an outlet, under which names, and which are held
// back and why. It computes only: asking, writing and sending are for others.
package dispatch

import (
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"time"

	"ambrosa/core/naming"
	"ambrosa/core/rights"
)

// Which of a product's pictures go.
const (
	All   = "all"
	Lead  = "lead"  // the first of each product, and of each of its variants
	First = "first" // so many of each product, and of each of its variants
	Views = "views" // those of some views
)

// Settings are what an outlet wants, and how.
type Settings struct {
	Query     string          `json:"query" maxLength:"200" doc:"Part of a code, SKU, title or GTIN; empty for all"`
	Category  string          `json:"category" maxLength:"1000" doc:"Path of a category: its products and those below it; empty for all"`
	SKUs      []string        `json:"skus" nullable:"false" maxItems:"50000" doc:"Products by code or SKU; none for all"`
	Lot       int64           `json:"lot,omitempty" minimum:"0" doc:"Products that show pictures of this lot; 0 for all"`
	Pictures  string          `json:"pictures" enum:"all,lead,first,views"`
	First     int             `json:"first" minimum:"0" maximum:"1000" doc:"How many of each, for first"`
	Views     []string        `json:"views,omitempty" maxItems:"50" doc:"Which, for views; letter case aside"`
	Shared    bool            `json:"shared,omitempty" doc:"Each variant goes with its product's pictures behind its own"`
	OfCats    bool            `json:"categories,omitempty" doc:"With the pictures of categories: of those chosen, or of all"`
	Rendition RenditionRecipe `json:"rendition"`
	Names     string          `json:"names" maxLength:"1000" doc:"The template of names"`
	Rename    bool            `json:"rename" doc:"Pictures get the names of the template; else each keeps the one that it had there"`
	Changed   bool            `json:"changed" doc:"Only what is new there, or has another name, place or text"`
	Remove    bool            `json:"remove" doc:"What is not wanted there any more is taken away there"`
	Language  string          `json:"language" maxLength:"20" pattern:"^[a-zA-Z-]*$" doc:"Of the texts, as de; empty for the usual one"`
	Sheet     SheetSettings   `json:"sheet" doc:"That goes along with a package"`
	Package   PackageSettings `json:"package,omitempty" doc:"How it is packed, where it is"`
}

// PackageSettings are how pictures are packed.
type PackageSettings struct {
	Format string `json:"format,omitempty" enum:"zip,tar" doc:"zip where nothing is said"`
	Most   int    `json:"mostMB,omitempty" minimum:"0" maximum:"100000" doc:"Megabytes (1000 kB) of a part; 0 for one part"`
}

// Tar is the other format of packages than ZIP.
const Tar = "tar"

// Ending is that of a package's name.
func (p PackageSettings) Ending() string {
	if p.Format == Tar {
		return Tar
	}
	return "zip"
}

// Full tells whether a part of a package that holds so many bytes takes no more of so many. A file that is
// larger than a part is one of its own.
func (p PackageSettings) Full(holds, more int64) bool {
	most := int64(p.Most) * 1_000_000
	return most > 0 && holds > 0 && holds+more+p.end() > most
}

// Takes is how many bytes a file of a name takes in a package, with all that stands about it there: in a
// ZIP its header twice and its sums (APPNOTE 6.3.10, sections 4.3.7 to 4.3.12, with ZIP64's), in a TAR
// its headers, and all in blocks of 512 bytes (POSIX.1-2001, pax).
func (p PackageSettings) Takes(name string, size int64) int64 {
	if p.Ending() == Tar {
		const block = 512
		blocks := func(bytes int64) int64 { return (bytes + block - 1) / block * block }
		// An extended header for names that do not fit: a header, and a record with the name.
		return block + blocks(size) + block + blocks(int64(len(name))+64)
	}
	return size + int64(2*len(name)) + 30 + 24 + 46 + 2*32
}

// end is what a package has behind its last file.
func (p PackageSettings) end() int64 {
	if p.Ending() == Tar {
		return 1024
	}
	return 22 + 76
}

// ErrFirst means that it is not said how many pictures of each go.
var ErrFirst = errors.New("say how many pictures of each product go")

// ErrViews means that it is not said which views go.
var ErrViews = errors.New("say which views go")

// Template reads the template of names. The error is a naming.BadTemplate, a
// BadRecipe, a BadColumn, ErrFirst or ErrViews.
func (s Settings) Template() (naming.Template, error) {
	if s.Pictures == First && s.First < 1 {
		return naming.Template{}, ErrFirst
	}
	if s.Pictures == Views && len(s.Views) == 0 {
		return naming.Template{}, ErrViews
	}
	if err := s.Rendition.Check(); err != nil {
		return naming.Template{}, err
	}
	if _, err := s.Sheet.Table(); err != nil {
		return naming.Template{}, err
	}
	return naming.ParseTemplate(s.Names)
}

// Item is a picture that stands, as far as handing it on goes. Items of one product stand
// beside each other, those of one of its variants too, in the order of their places. So do those
// of a category, behind all products.
type Item struct {
	naming.Picture
	rights.Rights
	Product int64
	Variant int64 // 0 for the product as a whole
	Of      int64 // the category that shows it; 0 for none: then it is of a product
	Shared  bool  // it stands on the product as a whole, and goes for a variant
	File    int64
	Sum     string // SHA-256, hexadecimal
	Bytes   int64
	Ending  string // of the name that it gets, "jpg"
	Alt     string
	Damage  string // of its bytes: missing, damaged, or nothing
	Width   int    // as shown, pixels; 0 where that is not known
	Height  int
	Frames  int
	Stated  rights.Stated // what it says of its rights itself
}

// Outcome is what becomes of an item.
type Outcome struct {
	Numbered
	Name     string   // that it goes under
	Problems []string // of the name, as package naming has them
	Held     string   // why it does not go; empty for those that do
	ByRights bool     // that is for its rights: an exception lets it through
	Because  string   // it goes by an exception: who gave it, and the reason
	Was      string   // the name that it had there; empty where it is new
	Same     bool     // it went there before just so
	Made     string   // tells how it is made, and what is written into it; empty for as it came
	Form     string   // the form that it goes in, in words
	Located  bool     // it goes with where it was taken
	Serial   bool     // it goes with the serial number of its camera

	// Of one that went:
	SentSum   string // SHA-256 of what went, hexadecimal
	SentBytes int64
	SentAt    time.Time
	Answer    string // what the other side said
}

// Goes tells whether it is handed on: it is not held back, and not left out as it is there.
func (o Outcome) Goes(s Settings) bool { return o.Held == "" && !(s.Changed && o.Same) }

// Key tells a picture of an outlet from others: its bytes, on what shows them.
type Key struct {
	Product, Variant int64
	Sum              string
	Category         int64 // that shows them instead of a product; 0 for none
}

// Sent is how a picture went to an outlet last: how it stands there.
type Sent struct {
	Key
	Code  string
	SKU   string
	Name  string
	Place int
	Alt   string
	Made  string
}

// Exceptions are who let a file's bytes through the gate of an outlet, and why, by SHA-256.
type Exceptions map[string]string

// Rehearse says what becomes of chosen items at a time, at an outlet that some went to before, the
// last at the end.
// Held back is what may not be handed on, whose bytes are not whole, and whose name an earlier
// one has. A picture keeps the name that it had, unless it is to get a new one. What may not be
// handed on goes by an exception all the same, and says so. When ctx ends, it returns its error.
func (s Settings) Rehearse(
	ctx context.Context, chosen []Numbered, names naming.Template, before []Sent, except Exceptions, at time.Time,
) ([]Outcome, error) {
	outcomes := make([]Outcome, len(chosen))
	ending := func(i int) string { return s.Rendition.Ending(chosen[i].Ending) }
	named := names.Names(ctx, len(chosen), func(i int) (naming.Picture, string) { return chosen[i].picture(), ending(i) })
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	last := lastOf(chosen, before)
	taken := map[string]bool{}
	if !s.Rename { // a name that one keeps is no other's
		for i, b := range last {
			if b != nil && sameEnding(b.Name, "."+ending(i)) {
				taken[naming.Key(b.Name)] = true
			}
		}
	}
	alone := len(taken) == 0 // then only those that collide can meet
	for i := range outcomes {
		o := &outcomes[i]
		o.Numbered, o.Name, o.Problems = chosen[i], named[i].Name, named[i].Problems
		o.Made, o.Form = s.Rendition.of(*o.Item)
		o.Located, o.Serial = s.Rendition.Reveals(*o.Item)
		kept := false
		if b := last[i]; b != nil {
			o.Was = b.Name
			if kept = !s.Rename && sameEnding(b.Name, o.Name); kept {
				o.Name, o.Problems = b.Name, nil
			}
		}
		o.judge(last[i], kept, alone && !slices.Contains(o.Problems, naming.Collision), taken, except, at)
	}
	return outcomes, nil
}

// judge says whether an outcome goes, and whether it stands there just so: b is how it went last,
// nil for never. kept tells that it has the name of then, free that no other can have its name.
func (o *Outcome) judge(b *Sent, kept, free bool, taken map[string]bool, except Exceptions, at time.Time) {
	key := ""
	if !free {
		key = naming.Key(o.Name)
	}
	switch o.Gate(except, at); {
	case o.ByRights:
		return
	case o.Damage != "":
		o.Held = "its bytes are " + o.Damage
		return
	case !kept && naming.Unfit(o.Problems) != "":
		o.Held = unfitNames[naming.Unfit(o.Problems)]
		return
	case !kept && !free && taken[key]:
		o.Held = fmt.Sprintf("another one is called %s", o.Name)
		return
	}
	if !free {
		taken[key] = true
	}
	o.Same = b != nil && b.Name == o.Name && b.Place == o.Place && b.Alt == o.Alt && b.Made == o.Made
}

// unfitNames says why a picture is not sent under a name.
var unfitNames = map[string]string{
	naming.NoName:   "its name is empty: every field of it is",
	naming.Hidden:   "its name begins with a dot, so that many systems would not show it",
	naming.Reserved: "its name is reserved for a device on some systems",
	naming.TooLong:  "its name is too long",
}

// Gate holds an outcome back that may not be handed on at a time, unless an exception lets it
// through: then it says which.
func (o *Outcome) Gate(except Exceptions, at time.Time) {
	may, why := o.MayBeHandedOn(at)
	if may {
		return
	}
	if because, given := except[o.Sum]; given {
		o.Because = because
		return
	}
	o.Held, o.ByRights = why, true
}

// Unsure is how a picture was made that may be at an outlet or not: writing it was begun.
const Unsure = "unsure"

// lastOf finds for each of the chosen how it went last; nil for those that never did. One that
// stands in several slots is that of its own place, or else the last, and rather one that surely
// went; the same once more on one target has one of its own.
func lastOf(chosen []Numbered, before []Sent) []*Sent {
	found := make([]*Sent, len(chosen))
	if len(before) == 0 {
		return found
	}
	of := make(map[Key][]*Sent, len(before))
	for i := range before {
		of[before[i].Key] = append(of[before[i].Key], &before[i])
	}
	take := func(i int, is func(*Sent) bool) {
		key := chosen[i].key()
		for n := len(of[key]) - 1; found[i] == nil && n >= 0; n-- {
			if is(of[key][n]) {
				found[i] = of[key][n]
				of[key] = slices.Delete(of[key], n, n+1)
			}
		}
	}
	for i, item := range chosen {
		take(i, func(b *Sent) bool { return b.Place == item.Place && b.Made != Unsure })
	}
	for i, item := range chosen {
		take(i, func(b *Sent) bool { return b.Place == item.Place })
	}
	for i := range chosen {
		take(i, func(*Sent) bool { return true })
	}
	return found
}

// HoldCrowded holds back what would stand in the slot of another one that goes or is there. Where
// one's slot is its name (nil), none does.
func HoldCrowded(outcomes []Outcome, slot func(Sent) string) {
	if slot == nil {
		return
	}
	first := map[string]bool{}
	for i := range outcomes {
		o := &outcomes[i]
		if o.Held != "" {
			continue
		}
		at := slot(o.Sent())
		if first[at] {
			o.Held, o.Same = "another one stands in its place there", false
		}
		first[at] = true
	}
}

// sameEnding tells whether a name can be kept: a JPEG is not called picture.png.
func sameEnding(before, now string) bool {
	return naming.Key(path.Ext(before)) == naming.Key(path.Ext(now))
}

func (i Item) key() Key {
	return Key{Product: i.Product, Variant: i.Variant, Sum: i.Sum, Category: i.Of}
}

// target is what shows an item.
func (i Item) target() Key { return Key{Product: i.Product, Variant: i.Variant, Category: i.Of} }

// Sent is how an item stands at an outlet once it went.
func (o Outcome) Sent() Sent {
	return Sent{Key: o.key(), Code: o.Code, SKU: o.SKU, Name: o.Name, Place: o.Place, Alt: o.Alt, Made: o.Made}
}

// Gone returns what stands at an outlet and is not wanted there any more: it is not chosen, may
// not be handed on now, or has another slot there by now. A slot is where one picture stands:
// nothing is gone where another one is to stand. What is held back for its name or its bytes
// stays as it is. A slot of nil is one's name.
func Gone(outcomes []Outcome, before []Sent, slot func(Sent) string) (gone []Sent) {
	if len(before) == 0 {
		return nil
	}
	if slot == nil {
		slot = func(s Sent) string { return s.Name }
	}
	wanted, stays := map[string]bool{}, map[Key]bool{}
	for _, o := range outcomes {
		if o.Held == "" {
			wanted[slot(o.Sent())] = true
		} else if !o.ByRights {
			stays[o.key()] = true
		}
	}
	for _, b := range before {
		if !wanted[slot(b)] && !stays[b.Key] {
			gone = append(gone, b)
		}
	}
	return gone
}

// Moves returns the earlier names of pictures that are sent under new ones: renaming a picture is a move. The file
// with the earlier name is deleted only after the picture was sent.
func Moves(outcomes []Outcome) map[string]bool {
	earlier := map[string]bool{}
	for _, o := range outcomes {
		if o.Held == "" && o.Was != "" && o.Was != o.Name {
			earlier[o.Was] = true
		}
	}
	return earlier
}

// Massive tells whether so many of the pictures at an outlet are deleted or renamed that a person is asked first: a
// mistyped choice or template looks just like that.
func Massive(changed, there int) bool { return changed > 10 && changed*5 > there }

// Totals counts what becomes of items.
type Totals struct {
	Chosen   int            `json:"chosen" doc:"All: those sent, those held back, and those left out because they are there unchanged"`
	Products int            `json:"products" doc:"Of those that go"`
	Pictures int            `json:"pictures" doc:"That go"`
	Bytes    int64          `json:"bytes" doc:"As they came, until they went"`
	Held     int            `json:"held" doc:"That are held back"`
	ByRights int            `json:"byRights" doc:"Of those: for their rights, which an exception lets through"`
	Excepted int            `json:"excepted" doc:"Of those that go: by an exception"`
	NoText   int            `json:"noText" doc:"Of those that go: without an alternative text in the language asked for"`
	Located  int            `json:"located" doc:"Of those that go: with where they were taken (GPS)"`
	Serial   int            `json:"serial" doc:"Of those that go: with the serial number of their camera or lens"`
	New      int            `json:"new" doc:"Of those that go: that never went there"`
	Renamed  int            `json:"renamed" doc:"Of those that go: that had another name there"`
	Same     int            `json:"same" doc:"That are there just so"`
	Gone     int            `json:"gone" doc:"That stand there and are not wanted any more"`
	Misnamed int            `json:"misnamed" doc:"Whose names have something wrong, gone or held back"`
	Problems map[string]int `json:"problems" doc:"What is wrong with them: a name can have several"`
}

// Count counts what becomes of items by settings.
func (s Settings) Count(outcomes []Outcome) Totals {
	t := Totals{Chosen: len(outcomes), Problems: map[string]int{}}
	last := int64(0) // those of one product stand beside each other
	for i := range outcomes {
		o := &outcomes[i]
		for _, p := range o.Problems {
			t.Problems[p]++
		}
		if len(o.Problems) > 0 {
			t.Misnamed++
		}
		if o.Held != "" {
			t.Held++
			if o.ByRights {
				t.ByRights++
			}
			continue
		}
		if o.Same {
			t.Same++
		}
		if !o.Goes(s) {
			continue
		}
		if o.Was == "" {
			t.New++
		} else if o.Was != o.Name {
			t.Renamed++
		}
		if o.Because != "" {
			t.Excepted++
		}
		if o.Alt == "" {
			t.NoText++
		}
		if o.Located {
			t.Located++
		}
		if o.Serial {
			t.Serial++
		}
		t.Pictures++
		t.Bytes += o.Bytes
		if o.SentSum != "" {
			t.Bytes += o.SentBytes - o.Bytes
		}
		if o.Product != 0 && o.Product != last {
			t.Products++
			last = o.Product
		}
	}
	return t
}
