package sheet

import (
	"slices"
	"strings"

	"ambrosa/core/catalog"
)

// compare says what becomes of a known row, field by field.
func (r *rowJudge) compare() {
	w := &r.out.Wanted
	item := w.Item
	if item == nil {
		r.compareProduct()
		return
	}
	home := r.home()
	r.changed(Product, "", item.Code, w.Product, false)
	r.changed(ProductID, "", home.ProductID, w.ProductID, true)
	if item.Variant != 0 {
		r.changed(GTIN, "", item.GTIN, w.GTIN, true)
	}
	if item.Variant != 0 && r.by != Code && !sameCodes(item.Codes, w.Codes) {
		r.changed(Code, "", strings.Join(item.Codes, ", "), strings.Join(w.Codes, ", "), true)
	}
	if r.by != Title {
		r.changed(Title, "", item.Title, w.Title, false)
	}
	r.changed(Description, "", item.Description, w.Descr, true)
	if item.Variant != 0 {
		r.changedNamed(Option, item.Options, w.Options)
	}
	r.changedNamed(Attribute, item.Attributes, w.Attributes)
	r.changed(Category, "", home.Category, w.Category, true)
	if w.Retire != nil && *w.Retire != item.Retired {
		r.out.Changes = append(r.out.Changes, FieldChange{Field: Retire, Before: yesWord(item.Retired), After: yesWord(*w.Retire)})
	}
}

// sameCodes tells whether further codes are the same ones, in whatever order.
func sameCodes(a, b []string) bool {
	return slices.Equal(slices.Sorted(slices.Values(a)), slices.Sorted(slices.Values(b)))
}

// home is an item of the product that the row's variant will be of.
func (r *rowJudge) home() *Item {
	w := &r.out.Wanted
	switch {
	case w.Product == "" || Key(w.Product) == Key(w.Item.Code):
		return w.Item
	case r.joins != nil:
		return r.joins
	}
	return &Item{}
}

// compareProduct says what becomes of the product that a new variant joins.
func (r *rowJudge) compareProduct() {
	if r.joins == nil {
		return
	}
	w := &r.out.Wanted
	r.changed(ProductID, "", r.joins.ProductID, w.ProductID, false)
	r.changed(Category, "", r.joins.Category, w.Category, false)
}

// changed records a change of one field; an empty cell changes something only
// where empty cells clear, and the field may be empty.
func (r *rowJudge) changed(f Field, name, before, after string, mayClear bool) {
	if len(r.of[f]) == 0 && (f != Category || len(r.of[CategoryID]) == 0) {
		return
	}
	if f == Product && Key(before) == Key(after) {
		return
	}
	if after == "" {
		if !mayClear || r.choices.Empty != DoClear || before == "" || r.inQuestion(f) {
			return
		}
	}
	if before != after {
		r.out.Changes = append(r.out.Changes, FieldChange{Field: f, Name: name, Before: before, After: after})
	}
}

// inQuestion tells whether a cell of the field was refused: it clears nothing.
func (r *rowJudge) inQuestion(f Field) bool {
	return slices.ContainsFunc(r.out.Cells, func(c Judgement) bool { return c.Field == f && c.Refuses })
}

func (r *rowJudge) changedNamed(f Field, before, after []catalog.Option) {
	for _, i := range r.of[f] {
		name := r.columns[i].Name
		if name == "" {
			name = r.columns[i].Column.Column
		}
		r.changed(f, name, valueNamed(before, name), valueNamed(after, name), true)
	}
}

// valueNamed returns the value of a name; letter case of the name aside.
func valueNamed(list []catalog.Option, name string) string {
	for _, o := range list {
		if strings.EqualFold(o.Name, name) {
			return o.Value
		}
	}
	return ""
}

// Merged returns the options or attributes of an item after a row's were written
// over them: those with the same name are replaced, cleared ones are left out.
func Merged(before []catalog.Option, changes []FieldChange, f Field) []catalog.Option {
	list := slices.Clone(before)
	for _, c := range changes {
		if c.Field != f {
			continue
		}
		at := slices.IndexFunc(list, func(o catalog.Option) bool { return strings.EqualFold(o.Name, c.Name) })
		switch {
		case at < 0 && c.After != "":
			list = append(list, catalog.Option{Name: c.Name, Value: c.After})
		case at >= 0 && c.After == "":
			list = slices.Delete(list, at, at+1)
		case at >= 0:
			list[at].Value = c.After
		}
	}
	return list
}
