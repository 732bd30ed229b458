package sheet

import (
	"fmt"
	"slices"
	"strings"
)

func with(all []*proposal, f Field) (found []*proposal) {
	for _, one := range all {
		if one.column.Field == f {
			found = append(found, one)
		}
	}
	return found
}

// tellVariants tells the column of variants' codes from that of their products': in the
// first no value stands twice, in the second some do, and the first may begin with it.
func tellVariants(all []*proposal, rows [][]string) {
	skus, products := with(all, SKU), with(all, Product)
	if len(skus) == 0 && len(products) > 0 {
		for _, one := range products {
			if one.hits[Product] == 0 && !one.ofParents() && one.seen.distinct == one.seen.filled {
				one.set(SKU, one.score, "no other column tells variants apart, and no value stands twice")
				return
			}
		}
		return
	}
	if len(skus) == 0 || len(products) > 0 {
		return
	}
	for _, one := range all {
		f := one.column.Field
		open := f == CategoryID || f == Category && one.said.has("group") || f == SKU && one != skus[0]
		if open && one.repeats() && begins(rows, one.column.Index, skus[0].column.Index) {
			one.set(Product, one.score, "but its values stand in several rows, and the SKUs begin with them")
			return
		}
	}
	for _, one := range skus {
		if len(skus) > 1 && one.repeats() && one.hits[SKU] == 0 && !one.said.has("sku") && !one.said.has("variant") {
			one.set(Product, one.score, "but its values stand in several rows, and another column tells variants apart")
			return
		}
	}
}

// repeats tells whether the column holds codes that stand in several rows.
func (o *proposal) repeats() bool {
	return o.seen.filled >= 3 && o.seen.distinct*10 < o.seen.filled*9 && o.seen.share(o.seen.codes) >= some
}

// begins tells whether in most rows the value of one column is what that of another
// begins with.
func begins(rows [][]string, column, other int) bool {
	filled, so := 0, 0
	for _, cells := range rows {
		short, long := Key(cellOf(cells, column)), Key(cellOf(cells, other))
		if short == "" || long == "" {
			continue
		}
		filled++
		if len(short) < len(long) && strings.HasPrefix(long, short) {
			so++
		}
	}
	return filled >= 3 && float64(so) >= most*float64(filled)
}

func (o *proposal) ofParents() bool {
	return o.said.has("parent") || o.said.has("main") || o.said.has("group")
}

// secondLooks decides what depends on other columns.
func secondLooks(all []*proposal, rows [][]string) {
	for _, one := range all {
		switch one.column.Field {
		case Description:
			short := one.seen.filled > 0 && one.seen.mean() < 80 && one.seen.share(one.seen.long) < few
			if len(with(all, Title)) == 0 && short && !one.said.has("long") && !listsCategories(all) {
				one.set(Title, one.score, "no other column is a title, and its texts are short")
			}
		case Attribute:
			if one.said.has("material") && varies(all, rows, one.column.Index) {
				one.set(Option, one.score, "it differs among the variants of a product")
			}
		}
	}
}

// varies tells whether a column tells variants of one product apart.
func varies(all []*proposal, rows [][]string, column int) bool {
	products := with(all, Product)
	if len(products) == 0 {
		return false
	}
	first := map[string]string{}
	for _, cells := range rows {
		product, value := cellOf(cells, products[0].column.Index), cellOf(cells, column)
		if before, known := first[product]; known && product != "" && value != "" && before != value {
			return true
		}
		first[product] = value
	}
	return false
}

func cellOf(cells []string, column int) string {
	if column >= len(cells) {
		return ""
	}
	return Clean(cells[column])
}

// byBarcodes makes a further code of what its header calls the SKU, where the
// catalog has none of its values but has those of the GTINs beside it: it is
// somebody else's number.
func byBarcodes(all []*proposal) {
	barcodes := with(all, GTIN)
	if len(barcodes) == 0 || barcodes[0].hits[GTIN] < 2 || 2*barcodes[0].hits[GTIN] < len(barcodes[0].seen.values) {
		return
	}
	for _, one := range with(all, SKU) {
		if one.hits != nil && one.hits[SKU] == 0 && one.score < 100 {
			one.set(Code, one.score, "but the catalog has none of its values as SKU, and has the GTINs beside them")
		}
	}
}

// settle gives a field of which a sheet has one to the column for which most
// speaks; what the others are is said.
func settle(all []*proposal) {
	for _, f := range Fields {
		rivals := with(all, f)
		if f.Many() || len(rivals) < 2 {
			continue
		}
		best := slices.MaxFunc(rivals, func(a, b *proposal) int { return compareScores(a.weight(), b.weight()) })
		for _, one := range rivals {
			if one != best {
				one.yield(all, best, f)
			}
		}
	}
}

func (o *proposal) weight() float64 {
	weight := o.score
	if o.rule != nil && o.rule.alone {
		weight -= 4
	}
	if o.column.Field == Title && o.said.has("long") {
		weight -= 2 // the short one is the title, the long one describes
	}
	return weight
}

func compareScores(a, b float64) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// yield makes of a column what it can be beside the one that has its field.
func (o *proposal) yield(all []*proposal, best *proposal, f Field) {
	because := fmt.Sprintf("the column %q is the %s", Clip(best.column.Column), Words[f])
	switch f {
	case SKU, Product, GTIN:
		if o.seen.filled > 0 && o.seen.share(o.seen.codes) >= some && o.score >= 5 {
			o.set(Code, o.score-2, because)
			return
		}
	case Title:
		if (o.said.has("description") && !o.said.has("name") || o.said.has("long")) && len(with(all, Description)) == 0 {
			o.set(Description, o.score, because)
			return
		}
	case Category:
		best.column.Steps = joined(best.column.Steps, o.column.Index)
		best.because = append(best.because, fmt.Sprintf("with what stands in %q below it", Clip(o.column.Column)))
	}
	o.open("but " + because)
}

// joined adds a column to what is joined as a path.
func joined(steps []CellStep, column int) []CellStep {
	for i := range steps {
		if steps[i].Do == Join {
			steps[i].Columns = append(steps[i].Columns, column)
			return steps
		}
	}
	return append(steps, CellStep{Do: Join, Arg: " / ", Columns: []int{column}})
}

// Problem says what no longer fits of a mapping that was kept, for a sheet with
// these headers; nothing where all does.
func (m Mapping) Problem(names []string) (problems []string) {
	for _, c := range m.Columns {
		if c.Field == "" || c.Column == "" {
			continue
		}
		if !slices.ContainsFunc(names, func(name string) bool { return SameHeader(name, c.Column) }) {
			problems = append(problems, fmt.Sprintf("The column %q, which was the %s, is not there.", Clip(c.Column), Words[c.Field]))
		}
	}
	for _, name := range names {
		known := slices.ContainsFunc(m.Columns, func(c Column) bool { return SameHeader(name, c.Column) })
		if name != "" && !known {
			problems = append(problems, fmt.Sprintf("The column %q is new.", Clip(name)))
		}
	}
	return problems
}

// SameHeader tells whether two headers are the same to people.
func SameHeader(a, b string) bool { return HeaderKey(a) == HeaderKey(b) }

// HeaderKey is a header as it is compared: case, blanks and marks do not count.
func HeaderKey(name string) string { return fold(Clean(name)) }

// Likeness tells how much of the headers of a mapping and of a sheet are the same, 0 to
// 1.
func (m Mapping) Likeness(names []string) float64 {
	same, all := 0, 0
	for _, c := range m.Columns {
		if c.Column == "" {
			continue
		}
		all++
		if slices.ContainsFunc(names, func(name string) bool { return SameHeader(name, c.Column) }) {
			same++
		}
	}
	for _, name := range names {
		known := slices.ContainsFunc(m.Columns, func(c Column) bool { return SameHeader(name, c.Column) })
		if name != "" && !known {
			all++
		}
	}
	return float64(same) / float64(max(1, all))
}

// Over returns a proposal with what a kept mapping says of the columns that it knows over
// it; new columns stay as proposed, where the kept one has not their field.
func (m Mapping) Over(kept Mapping) Mapping {
	names := make([]string, len(m.Columns))
	for i, c := range m.Columns {
		names[i] = c.Column
	}
	fitted, _ := kept.Fit(names)
	for i, c := range fitted.Columns {
		known := slices.ContainsFunc(kept.Columns, func(k Column) bool { return SameHeader(k.Column, c.Column) })
		if known || !m.Columns[i].Field.Many() && fitted.has(m.Columns[i].Field) {
			continue
		}
		fitted.Columns[i] = m.Columns[i]
	}
	fitted.Header = m.Header
	if len(fitted.Identity) == 0 || !fitted.has(fitted.Identity[0]) {
		fitted.Identity = fitted.Surest()
	}
	return fitted
}

// Fit returns the mapping for a sheet whose columns stand in another order or are
// others, and whether every column that it maps is there. Columns that it does
// not know are left open.
func (m Mapping) Fit(names []string) (fitted Mapping, whole bool) {
	fitted = Mapping{Header: m.Header, Identity: m.Identity, Columns: make([]Column, len(names))}
	used := map[int]bool{}
	moved := map[int]int{}
	for i, name := range names {
		fitted.Columns[i] = Column{Column: name, Index: i}
		for j, c := range m.Columns {
			if !used[j] && SameHeader(c.Column, name) {
				used[j] = true
				moved[c.Index] = i
				c.Column, c.Index = name, i
				fitted.Columns[i] = c
				break
			}
		}
	}
	whole = true
	for j, c := range m.Columns {
		whole = whole && (used[j] || c.Field == "")
	}
	for i := range fitted.Columns {
		fitted.Columns[i].Steps = moveSteps(fitted.Columns[i].Steps, moved)
	}
	return fitted, whole
}

func moveSteps(steps []CellStep, moved map[int]int) []CellStep {
	steps = slices.Clone(steps)
	for i := range steps {
		var columns []int
		for _, c := range steps[i].Columns {
			if to, there := moved[c]; there {
				columns = append(columns, to)
			}
		}
		steps[i].Columns = columns
	}
	return steps
}
