package catalog

// Option is a value that tells a variant from its siblings.
type Option struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}
