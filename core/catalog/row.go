package catalog

// Option is a value that tells a variant from its siblings.
type Option struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// Row is a variant as a row of a sheet gives it.
type Row struct {
	SKU      string
	Product  string // the product's code; empty when the sheet names none: then the one it has, else the SKU
	Title    string
	GTIN     string // 14 digits, or empty
	Category string // names from the top, separated by " / "
	Codes    []string
	Options  []Option
}
