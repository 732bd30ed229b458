// Package dispatch says which pictures go to an outlet, under which names, and which are held
// back and why. It computes only: asking, writing and sending are for others.
package dispatch

import (
	"errors"
	"fmt"
	"time"

	"ambrosa/core/naming"
	"ambrosa/core/rights"
)

// Which of a product's pictures go.
const (
	All   = "all"
	Lead  = "lead"  // the first of each product, and of each of its variants
	First = "first" // so many of each product, and of each of its variants
)

// Settings are what an outlet wants, and how.
type Settings struct {
	Query    string   `json:"query" maxLength:"200" doc:"Part of a code, SKU, title or GTIN; empty for all"`
	Category string   `json:"category" maxLength:"1000" doc:"Path of a category: its products and those below it; empty for all"`
	SKUs     []string `json:"skus" nullable:"false" maxItems:"50000" doc:"Products by code or SKU; none for all"`
	Pictures string   `json:"pictures" enum:"all,lead,first"`
	First    int      `json:"first" minimum:"0" maximum:"1000" doc:"How many of each, for first"`
	Names    string   `json:"names" maxLength:"1000" doc:"The template of names"`
}

// ErrFirst means that it is not said how many pictures of each go.
var ErrFirst = errors.New("say how many pictures of each product go")

// Template reads the template of names. The error is a naming.BadTemplate or ErrFirst.
func (s Settings) Template() (naming.Template, error) {
	if s.Pictures == First && s.First < 1 {
		return naming.Template{}, ErrFirst
	}
	return naming.ParseTemplate(s.Names)
}

// Item is a picture that stands, as far as handing it on goes. Items of one product stand
// beside each other, those of one of its variants too, in the order of their places.
type Item struct {
	naming.Picture
	rights.Rights
	Product int64
	Variant int64 // 0 for the product as a whole
	File    int64
	Sum     string // SHA-256, hexadecimal
	Bytes   int64
	Ending  string // of the name that it gets, "jpg"
	Alt     string
	Damage  string // of its bytes: missing, damaged, or nothing
}

// Outcome is what becomes of an item.
type Outcome struct {
	Item
	Name     string   // that it goes under
	Problems []string // of the name, as package naming has them
	Held     string   // why it does not go; empty for those that do
}

// Chosen returns those of the items that an outlet wants, each with its number among those of
// its product. Numbers do not depend on what is held back, so that names stay when rights change.
func (s Settings) Chosen(items []Item) (chosen []Item) {
	most := map[string]int{Lead: 1, First: s.First}[s.Pictures]
	number, ofTarget := 0, 0
	for i, item := range items {
		if i == 0 || items[i-1].Product != item.Product {
			number = 0
		}
		if i == 0 || items[i-1].Product != item.Product || items[i-1].Variant != item.Variant {
			ofTarget = 0
		}
		if ofTarget++; most > 0 && ofTarget > most {
			continue
		}
		number++
		item.Number = number
		chosen = append(chosen, item)
	}
	return chosen
}

// Rehearse says what becomes of chosen items at a time. Held back is what may not be handed
// on, whose bytes are not whole, and whose name an earlier one has.
func Rehearse(chosen []Item, names naming.Template, at time.Time) []Outcome {
	pictures, endings := make([]naming.Picture, len(chosen)), make([]string, len(chosen))
	for i, item := range chosen {
		pictures[i], endings[i] = item.Picture, item.Ending
	}
	outcomes := make([]Outcome, len(chosen))
	taken := map[string]bool{}
	for i, named := range names.Names(pictures, endings) {
		o := Outcome{Item: chosen[i], Name: named.Name, Problems: named.Problems}
		switch may, why := o.MayBeHandedOn(at); {
		case !may:
			o.Held = why
		case o.Damage != "":
			o.Held = "its bytes are " + o.Damage
		case taken[naming.Key(named.Name)]:
			o.Held = fmt.Sprintf("another one is called %s", named.Name)
		default:
			taken[naming.Key(named.Name)] = true
		}
		outcomes[i] = o
	}
	return outcomes
}

// Totals counts what becomes of items.
type Totals struct {
	Products int            `json:"products"`
	Pictures int            `json:"pictures" doc:"That go"`
	Bytes    int64          `json:"bytes"`
	Held     int            `json:"held" doc:"That are held back"`
	Problems map[string]int `json:"problems" doc:"Names with something wrong, by what it is"`
}

// Count counts outcomes.
func Count(outcomes []Outcome) Totals {
	t := Totals{Problems: map[string]int{}}
	products := map[int64]bool{}
	for _, o := range outcomes {
		for _, p := range o.Problems {
			t.Problems[p]++
		}
		if o.Held != "" {
			t.Held++
			continue
		}
		t.Pictures++
		t.Bytes += o.Bytes
		products[o.Product] = true
	}
	t.Products = len(products)
	return t
}
