package catalog

import "strings"

// FieldValue is what the catalog says in one field, and by which change it came to.
type FieldValue struct {
	Variant int64  `json:"variant" doc:"0 for the product as a whole"`
	SKU     string `json:"sku,omitempty"`
	Column  string `json:"column" doc:"As a sheet of the catalog has it: option:Colour"`
	Words   string `json:"words"`
	Value   string `json:"value"`
	Change  int    `json:"change" doc:"Which of the changes made it so, from 1, the last first; 0 where none is known"`
}

// Changed is a change of a product; Before is nil where it made it.
type Changed struct {
	Before *Snapshot
	After  Snapshot
}

// Fields lists all that the catalog says of a product and its variants, and which of the
// changes, the last first, brought each value: the last one that made it what it is.
func Fields(now Snapshot, changes []Changed) []FieldValue {
	all := valuesOf(&now)
	befores, afters := make([]map[string]string, len(changes)), make([]map[string]string, len(changes))
	for i, c := range changes {
		befores[i], afters[i] = keyed(c.Before), keyed(&c.After)
	}
	for i := range all {
		key := all[i].key()
		for at := range changes {
			value, there := afters[at][key]
			before, was := befores[at][key]
			if there && value == all[i].Value && value != "" && (!was || before != value) {
				all[i].Change = at + 1
				break
			}
		}
	}
	return all
}

func (f FieldValue) key() string { return f.SKU + "\n" + f.Column }

func keyed(s *Snapshot) map[string]string {
	by := map[string]string{}
	if s != nil {
		for _, f := range valuesOf(s) {
			by[f.key()] = f.Value
		}
	}
	return by
}

// valuesOf lists what a snapshot says; what is empty is left out, but for what each product
// has.
func valuesOf(s *Snapshot) []FieldValue {
	all := []FieldValue{{Column: "product", Words: "Product code", Value: s.Code}, {Column: "title", Words: "Title", Value: s.Title},
		{Column: "product-id", Words: "Product ID", Value: s.Ref}, {Column: "category", Words: "Category", Value: s.Category}}
	for i := range s.Variants {
		v := &s.Variants[i]
		one := func(column, words, value string) {
			all = append(all, FieldValue{v.ID, v.SKU, column, words, value, 0})
		}
		one("title", "Title", v.Title)
		one("gtin", "GTIN", v.GTIN)
		for _, o := range v.Options {
			one("option:"+o.Name, o.Name, o.Value)
		}
		for _, o := range v.Attributes {
			one("attribute:"+o.Name, o.Name, o.Value)
		}
		one("code", "Further codes", strings.Join(v.Codes, ", "))
		one("description", "Description", v.Description)
		retired := "no"
		if v.Retired {
			retired = "yes"
		}
		one("retire", "Retired", retired)
	}
	return all
}
