package sheet

import "slices"

// The fields that a column of a sheet can be mapped to, beside those above.
const (
	ProductID   Field = "product-id" // the product's number in another system
	Code        Field = "code"       // a further code
	Description Field = "description"
	Option      Field = "option"    // tells a variant from its siblings; its name is the column's
	Attribute   Field = "attribute" // says something of the product; its name is the column's
	CategoryID  Field = "category-id"
	Picture     Field = "picture" // name of a file, or an address
	Rights      Field = "rights"
	Retire      Field = "retire"
)

// Fields are all of them, in the order in which a person is offered them.
var Fields = []Field{SKU, Product, ProductID, GTIN, Code, Title, Description, Option, Attribute, Category, CategoryID,
	Picture, View, Place, Alt, Lead, Rights, Retire}

// Known tells whether f is one of Fields.
func (f Field) Known() bool { return slices.Contains(Fields, f) }

// Many tells whether several columns may mean f.
func (f Field) Many() bool {
	return f == Code || f == Option || f == Attribute || f == Picture || f == View || f == Place || f == Alt
}

// Identifies tells whether f can say which product, variant or category a row is about.
func (f Field) Identifies() bool {
	return slices.Contains(identities, f) || slices.Contains(categoryIdentities, f)
}

// identities are those of products, the surest first.
var identities = []Field{SKU, Product, ProductID, GTIN, Code, Title}

// isCode tells whether f holds codes, which spreadsheet programs damage.
func (f Field) isCode() bool {
	return f == SKU || f == Product || f == ProductID || f == GTIN || f == Code || f == CategoryID
}

// OfPictures tells whether f says something of a picture, not of the product.
func (f Field) OfPictures() bool {
	return f == Picture || f == View || f == Place || f == Alt || f == Lead || f == Rights
}
