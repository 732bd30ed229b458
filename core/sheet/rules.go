package sheet

import "strings"

// A rule says what a header with certain words means. The first one that holds
// counts. when is a list of conditions apart by blanks, each of alternatives
// apart by bars: "a|b" one of them is said, "-a|b" none is, "+" a number stands
// in the header, "=" no word is left unknown.
type rule struct {
	when  string
	field Field // "" for what no field keeps
	weak  bool  // counts only when the values, or nothing else, speak for it
	alone bool  // counts only when no other column has the field
	why   string
}

const codeWords = "article|number|code|id|sku|product|mpn|order|gtin|material"

// rules read headers (common practice of the trade).
var rules = []rule{
	{when: "alt image|text|view", field: Alt},
	{when: "alt = -old|" + codeWords, field: Alt},
	{when: "image rights", field: Rights},
	{when: "image view", field: View},
	{when: "image place", field: Place},
	{when: "image text|description", field: Alt},
	{when: "image count", why: "it counts pictures"},
	{when: "image date", why: "it is a date"},
	{when: "image measure|size|trade|note|state", why: "it measures pictures"},
	{when: "image", field: Picture},
	{when: "file name|url|path|article|product|+", field: Picture},
	{when: "file", field: Picture},
	{when: "bestand", field: Picture, weak: true},
	{when: "rights", field: Rights},
	{when: "gtin outer", field: Code},
	{when: "gtin supplier|partner|old", field: Code},
	{when: "gtin", field: GTIN},
	{when: "bar code", field: GTIN},
	{when: "mpn", field: Code},
	{when: "supplier|partner|old|brand -own " + codeWords + " -name|description|group", field: Code},
	{when: "seller -sku|own number|code", field: Code},
	{when: "alt " + codeWords, field: Code},
	{when: "category|group id|number|code", field: CategoryID},
	{when: "category", field: Category},
	{when: "group product|article|path|main|name", field: Category},
	{when: "stock number|code", field: SKU},
	{when: "unit|outer|trade " + codeWords + " -sku", why: "it is about trade, which a catalog of pictures does not keep"},
	{when: "trade|stock|count", why: "it is about trade, which a catalog of pictures does not keep"},
	{when: "unit|outer", why: "it is about trade, which a catalog of pictures does not keep"},
	{when: "date", why: "it is a date"},
	{when: "note", why: "it is a remark"},
	{when: "colour|size|scent|finish|volume", field: Option},
	{when: "length -description|text|name", field: Option},
	{when: "parent|main|group sku|article|product|number|code|id|order -name|description", field: Product},
	{when: "variant sku|article|number|code|id|order -name|description|option", field: SKU},
	{when: "sku", field: SKU},
	{when: "option", field: Option, weak: true},
	{when: "variant name|description", field: Title, alone: true},
	{when: "product id -article|number", field: ProductID},
	{when: "supplier|brand", field: Attribute},
	{when: "partner|old", why: "it is another's"},
	{when: "article|order|material|own number|code|id", field: SKU},
	{when: "product number|code", field: Product},
	{when: "description short", field: Title, alone: true},
	{when: "text short", field: Title, alone: true},
	{when: "text url -image|file", field: Description},
	{when: "description|text long", field: Description},
	{when: "name long", field: Title, alone: true},
	{when: "name short", field: Title, alone: true},
	{when: "description", field: Description},
	{when: "name", field: Title},
	{when: "text product|article", field: Description},
	{when: "retire", field: Retire},
	{when: "state", why: "it may say either that something is sold, or that it is not"},
	{when: "place", field: Place},
	{when: "view", field: View},
	{when: "main", field: Lead},
	{when: "group", field: Category},
	{when: "material|measure|property", field: Attribute},
	{when: "line", why: "it counts rows"},
	{when: "parent", field: Product},
	{when: "variant", field: SKU, weak: true},
	{when: "url|path", field: Picture, weak: true},
	{when: "article", field: SKU},
	{when: "type product|article|name", field: Category, weak: true},
	{when: "product", field: Title, weak: true, alone: true},
	{when: "number|code", field: SKU, weak: true, alone: true},
	{when: "id =", field: ProductID, weak: true},
	{when: "text", field: Description, weak: true},
	{when: "order", field: Place, weak: true},
}

// ruleOf returns the rule that a header meets; nil for none.
func ruleOf(h said) *rule {
	for i := range rules {
		if rules[i].holds(h) {
			return &rules[i]
		}
	}
	return nil
}

func (r *rule) holds(h said) bool {
	for condition := range strings.FieldsSeq(r.when) {
		not := strings.HasPrefix(condition, "-")
		any := false
		for word := range strings.SplitSeq(strings.TrimPrefix(condition, "-"), "|") {
			switch word {
			case "+":
				any = any || h.number
			case "=":
				any = any || h.unknown == 0
			default:
				any = any || h.has(meaning(word))
			}
		}
		if any == not {
			return false
		}
	}
	return true
}
